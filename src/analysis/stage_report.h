/// analysis/stage_report.h: what a stage of an analysis says beside its result.
#pragma once

#include <string>
#include <vector>

namespace avrenk {

/// How long a step took.
struct StageTime {
  std::string stage;
  double seconds = 0;
};

struct StageReport {
  std::vector<std::string> notes;     ///< what was taken for granted, and what was found out
  std::vector<std::string> warnings;  ///< what a reader of the results must know
  std::vector<std::string> log;       ///< worth a line in the log only
  std::vector<StageTime> times;

  /// Appends what a later stage says.
  void add(const StageReport& later) {
    const auto append = [](auto& all, const auto& more) { all.insert(all.end(), more.begin(), more.end()); };
    append(notes, later.notes);
    append(warnings, later.warnings);
    append(log, later.log);
    append(times, later.times);
  }
};

}  // namespace avrenk
