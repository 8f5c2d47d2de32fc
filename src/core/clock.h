/// core/clock.h: how long a piece of work took.
#pragma once

#include <chrono>

namespace avrenk {

/// Runs from its making on.
class StopWatch {
 public:
  [[nodiscard]] double seconds() const {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
  }

 private:
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

/// Adds the time of its own life to a sum of seconds.
class TimedUntilEnd {
 public:
  explicit TimedUntilEnd(double& sum) : sum_(sum) {}
  ~TimedUntilEnd() { sum_ += watch_.seconds(); }
  TimedUntilEnd(const TimedUntilEnd&) = delete;
  TimedUntilEnd& operator=(const TimedUntilEnd&) = delete;

 private:
  double& sum_;
  StopWatch watch_;
};

}  // namespace avrenk
