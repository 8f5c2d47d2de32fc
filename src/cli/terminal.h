/// cli/terminal.h: what the user sees while a command runs: tables on stdout, progress and messages on stderr.
#pragma once

#include <cstdio>
#include <memory>
#include <mutex>
#include <string>
#include <thread>

#include "core/clock.h"
#include "core/progress.h"
#include "files/table.h"

namespace spdlog {
class logger;
}

namespace avrenk {

/// Whatever it prints is made printable() first: texts come from files and names of anybody.
class Terminal {
 public:
  Terminal();
  ~Terminal();
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;

  void set_quiet(bool quiet) { quiet_ = quiet; }
  void set_verbose(bool verbose) { verbose_ = verbose; }
  /// From now on all messages also go to this file, with times.
  void log_to(const std::string& file);
  void stop_log();

  /// Text or a table on stdout; nothing with --quiet.
  void print(const std::string& text);
  /// Text broken into lines of at most 100 columns.
  void paragraph(const std::string& text);
  /// The same after an empty line, in bold green or red where stdout is a terminal and NO_COLOR is not set.
  void verdict(const std::string& text, bool is_good);
  /// @param most_rows  further rows are left out and said to be; 0: all
  void table(const Table& table, std::size_t most_rows = 0);
  /// A message on stderr: said even with --quiet.
  void warn(const std::string& text);
  /// Said on stderr unless --quiet.
  void note(const std::string& text);
  /// Said in the log only.
  void log(const std::string& text);
  /// Progress: one line that is overwritten on a terminal, with the time so far, the time left where it is known, and
  /// the memory held; with --verbose a line a stage elsewhere.
  void progress(const Step& step);
  void progress(const std::string& stage, double fraction) { progress({stage, fraction, -1}); }
  [[nodiscard]] Progress reporter();
  void end_progress();

 private:
  void paint();

  bool quiet_ = false, verbose_ = false, colour_ = false, live_ = false, open_line_ = false;
  std::string last_stage_;
  Step step_;
  StopWatch since_start_, since_step_;
  std::mutex line_;       // the line of progress is painted by two threads
  std::jthread painter_;  // keeps its clock going while nothing is told
  std::shared_ptr<spdlog::logger> log_;
};

}  // namespace avrenk
