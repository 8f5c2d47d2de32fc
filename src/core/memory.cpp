#include "core/memory.h"

#include <fmt/format.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <limits>
#include <optional>

#include "core/error.h"

namespace avrenk {
namespace {

// The number after a word in a file of the system, or its first number.
std::optional<double> number_in(const char* file, const std::string& word = "") {
  std::ifstream stream(file);
  std::string read;
  while (!word.empty() && stream >> read && read != word) {
  }
  double number = 0;
  return stream >> number ? std::optional(number) : std::nullopt;
}

std::string gigabytes(double bytes) { return fmt::format("{:.3g} GB", bytes / 1e9); }

}  // namespace

double mapped_memory() {
  return number_in("/proc/self/statm").value_or(0) * static_cast<double>(sysconf(_SC_PAGESIZE));
}

double free_memory() {
  double least = std::numeric_limits<double>::infinity();
  if (const auto kilobytes = number_in("/proc/meminfo", "MemAvailable:"))
    least = 1024 * (*kilobytes + number_in("/proc/meminfo", "SwapFree:").value_or(0));
  if (const auto allowed = number_in("/sys/fs/cgroup/memory.max")) {  // "max" is no number
    // What holds copies of files is given back when it is needed.
    const char* const kinds = "/sys/fs/cgroup/memory.stat";
    const double files = number_in(kinds, "inactive_file").value_or(0) + number_in(kinds, "active_file").value_or(0);
    least = std::min(least, *allowed - number_in("/sys/fs/cgroup/memory.current").value_or(0) + files);
  }
  rlimit limit{};
  if (getrlimit(RLIMIT_AS, &limit) == 0 && limit.rlim_cur != RLIM_INFINITY)
    least = std::min(least, static_cast<double>(limit.rlim_cur) - mapped_memory());
  return std::max(0.0, least);
}

void require_memory(double bytes, const std::string& what, const std::string& remedy) {
  const double free = free_memory();
  if (bytes <= free) return;
  throw NumericalError(fmt::format("not enough memory: {} needs about {}, and {} are free{}{}", what, gigabytes(bytes),
                                   gigabytes(free), remedy.empty() ? "" : "; ", remedy));
}

}  // namespace avrenk
