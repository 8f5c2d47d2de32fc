/// core/parallel.h: independent jobs side by side.
#pragma once

#include <cstddef>
#include <functional>

namespace avrenk {

/// Number of threads meant by a request: itself, or one a processor for 0.
[[nodiscard]] int thread_count(int wanted);

/// Runs job(0) … job(count − 1) on up to `threads` threads (0: one a processor) while BLAS is held to one thread. All
/// are run; of several exceptions that of the lowest number is thrown.
void run_jobs(std::size_t count, int threads, const std::function<void(std::size_t)>& job);

}  // namespace avrenk
