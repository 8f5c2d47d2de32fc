#include "cli/stop.h"

#include <fcntl.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <string_view>
#include <thread>

#include "files/run_folder.h"

namespace avrenk {
namespace {

std::array<int, 2> ends{-1, -1};  // of a pipe: a handler may do nothing but write to it

void pass_on(int signal) {
  const auto byte = static_cast<char>(signal);
  [[maybe_unused]] const auto written = write(ends[1], &byte, 1);
}

void wait_for_signal() {
  char signal = 0;
  if (read(ends[0], &signal, 1) != 1) return;
  abandon_unfinished();
  constexpr std::string_view text = "\r\033[Kavrenk: stopped; nothing was written\n",
                             plain = "avrenk: stopped; nothing was written\n";
  const std::string_view said = isatty(STDERR_FILENO) ? text : plain;
  [[maybe_unused]] const auto written = write(STDERR_FILENO, said.data(), said.size());
  _exit(stopped_by_signal + signal);
}

}  // namespace

void stop_on_signals() {
  if (pipe2(ends.data(), O_CLOEXEC) != 0) return;  // then a signal ends the process as it always does
  std::thread(wait_for_signal).detach();
  struct sigaction action {};
  action.sa_handler = pass_on;
  action.sa_flags = SA_RESTART;
  for (const int signal : {SIGINT, SIGTERM}) sigaction(signal, &action, nullptr);
}

}  // namespace avrenk
