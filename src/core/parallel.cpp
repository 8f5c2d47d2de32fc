#include "core/parallel.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <thread>
#include <vector>

#include "core/blas_threads.h"

namespace avrenk {

int thread_count(int wanted) {
  return wanted > 0 ? wanted : static_cast<int>(std::max(1U, std::thread::hardware_concurrency()));
}

void run_jobs(std::size_t count, int threads, const std::function<void(std::size_t)>& job) {
  std::atomic<std::size_t> next{0};
  std::vector<std::exception_ptr> errors(count);
  const auto work = [&] {
    for (std::size_t i = next++; i < count; i = next++) {
      try {
        job(i);
      } catch (...) {
        errors[i] = std::current_exception();
      }
    }
  };
  const OneBlasThread held;
  std::vector<std::jthread> helpers;
  try {
    for (std::size_t t = 1; t < std::min(static_cast<std::size_t>(thread_count(threads)), count); ++t)
      helpers.emplace_back(work);
  } catch (const std::system_error&) {  // no more threads are to be had: those that are do all of it
  }
  work();
  helpers.clear();
  for (const std::exception_ptr& error : errors)
    if (error) std::rethrow_exception(error);
}

}  // namespace avrenk
