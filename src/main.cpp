#include <sys/resource.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>

#include "cli/commands.h"
#include "core/freed_pages.h"

namespace {

// A stack to work on: libraries take hundreds of kilobytes of it. False where the system allows less.
bool has_stack() {
  constexpr rlim_t wanted = 8U << 20U, least = 256U << 10U;
  rlimit stack{};
  if (getrlimit(RLIMIT_STACK, &stack) != 0 || stack.rlim_cur >= wanted) return true;
  stack.rlim_cur = std::min(wanted, stack.rlim_max);
  (void)setrlimit(RLIMIT_STACK, &stack);
  if (stack.rlim_cur >= least) return true;
  std::fprintf(stderr, "the stack of a process is limited to %llu kB here, and %llu kB are needed: see ulimit -s\n",
               static_cast<unsigned long long>(stack.rlim_cur >> 10U), static_cast<unsigned long long>(least >> 10U));
  return false;
}

}  // namespace

int main(int count, char** arguments) {
  avrenk::keep_freed_pages();
  const int status = has_stack() ? avrenk::run_command_line(count, arguments) : 3;
  // Not by exit(): libraries would wait there for threads of theirs, or write what can no longer be written.
  std::fflush(nullptr);
  std::_Exit(status);
}
