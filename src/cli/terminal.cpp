#include "cli/terminal.h"

#include <fmt/format.h>
#include <spdlog/sinks/basic_file_sink.h>
#include <spdlog/spdlog.h>
#include <unistd.h>

#include <chrono>
#include <condition_variable>
#include <cstdlib>
#include <fstream>

#include "core/words.h"

namespace avrenk {
namespace {
constexpr std::size_t widest_line = 100;

std::string duration_text(double seconds) {
  return seconds < 100 ? fmt::format("{:.0f} s", seconds) : fmt::format("{:.0f} min", seconds / 60);
}

// Bytes that the process holds in memory; 0 where the system does not say.
double memory_held() {
  std::ifstream sizes("/proc/self/statm");
  double all = 0, held = 0;
  return sizes >> all >> held ? held * static_cast<double>(sysconf(_SC_PAGESIZE)) : 0;
}
}  // namespace

Terminal::Terminal() {
  const char* no_colour = std::getenv("NO_COLOR");
  colour_ = isatty(STDOUT_FILENO) && !(no_colour && *no_colour);
  live_ = isatty(STDERR_FILENO);
}

Terminal::~Terminal() {
  painter_ = {};
  end_progress();
}

void Terminal::log_to(const std::string& file) {
  log_ = std::make_shared<spdlog::logger>("run", std::make_shared<spdlog::sinks::basic_file_sink_st>(file, true));
  log_->set_pattern("%Y-%m-%d %H:%M:%S.%e  %l  %v");
  log_->flush_on(spdlog::level::info);
  log_->set_error_handler([](const std::string&) {});  // what keeps the log from being written keeps the rest too
}

void Terminal::stop_log() { log_.reset(); }

void Terminal::print(const std::string& text) {
  end_progress();
  if (!quiet_) fmt::print("{}", printable(text));
}

void Terminal::verdict(const std::string& text, bool is_good) {
  end_progress();
  if (quiet_) return;
  const std::string lines = wrapped(printable(text), widest_line);
  constexpr const char *green = "32;1", *red = "31;1";
  fmt::print("\n{}", colour_ ? fmt::format("\033[{}m{}\033[0m", is_good ? green : red, lines) : lines);
}

void Terminal::paragraph(const std::string& text) { print(wrapped(text, widest_line)); }

void Terminal::table(const Table& table, std::size_t most_rows) {
  if (quiet_) return;
  Table shown = table;
  const std::size_t left_out =
      most_rows > 0 && table.rows.size() > most_rows + 1 ? table.rows.size() - most_rows - 1 : 0;
  if (left_out > 0)  // the last row is the sum or the rest and stays
    shown.rows.erase(shown.rows.begin() + static_cast<std::ptrdiff_t>(most_rows), shown.rows.end() - 1);
  print("\n" + to_text(shown, widest_line));
  if (left_out > 0) print(fmt::format("({} more in tables/{}.csv)\n", counted(left_out, "row"), table.name));
}

void Terminal::warn(const std::string& text) {
  end_progress();
  std::fflush(stdout);
  const std::string shown = printable(text);
  fmt::print(stderr, "avrenk: warning: {}\n", shown);
  if (log_) log_->warn(shown);
}

void Terminal::note(const std::string& text) {
  end_progress();
  std::fflush(stdout);
  const std::string shown = printable(text);
  if (!quiet_) fmt::print(stderr, "{}\n", shown);
  if (log_) log_->info(shown);
}

void Terminal::log(const std::string& text) {
  if (log_) log_->info(printable(text));
}

void Terminal::progress(const Step& step) {
  if (log_ && step.stage != last_stage_) log_->info(printable(step.stage));
  if (live_ && !quiet_) {
    {
      const std::lock_guard lock(line_);
      step_ = step;
      since_step_ = StopWatch();
      open_line_ = true;
    }
    paint();
    if (!painter_.joinable())
      painter_ = std::jthread([this](const std::stop_token& stop) {
        constexpr auto tick = std::chrono::milliseconds(500);
        std::mutex waiting;
        std::condition_variable_any bell;
        std::unique_lock lock(waiting);
        while (!bell.wait_for(lock, stop, tick, [&] { return stop.stop_requested(); })) paint();
      });
  } else if (verbose_ && step.stage != last_stage_) {
    fmt::print(stderr, "{}\n", printable(step.stage));
  }
  last_stage_ = step.stage;
}

void Terminal::paint() {
  const std::lock_guard lock(line_);
  if (!open_line_) return;
  std::string line = printable(step_.stage);
  if (step_.fraction >= 0) line += fmt::format(" {:3.0f} %", 100 * std::min(step_.fraction, 1.0));
  line += fmt::format("  {}", duration_text(since_start_.seconds()));
  const double left = step_.seconds_left - since_step_.seconds();
  if (step_.seconds_left >= 0 && left > 1) line += fmt::format(", about {} left", duration_text(left));
  if (const double bytes = memory_held(); bytes > 0) line += fmt::format(", {:.1f} GB", 1e-9 * bytes);
  fmt::print(stderr, "\r\033[K{}", line);
  std::fflush(stderr);
}

Progress Terminal::reporter() {
  return [this](const Step& step) { progress(step); };
}

void Terminal::end_progress() {
  const std::lock_guard lock(line_);
  if (open_line_) fmt::print(stderr, "\r\033[K");
  open_line_ = false;
}

}  // namespace avrenk
