#include "cli/terminal.h"

#include <fmt/format.h>
#include <spdlog/sinks/basic_file_sink.h>
#include <spdlog/spdlog.h>
#include <unistd.h>

#include <cstdlib>
#include <sstream>

namespace avrenk {
namespace {
constexpr std::size_t widest_line = 100;
}

Terminal::Terminal() {
  const char* no_colour = std::getenv("NO_COLOR");
  colour_ = isatty(STDOUT_FILENO) && !(no_colour && *no_colour);
  live_ = isatty(STDERR_FILENO);
}

Terminal::~Terminal() { end_progress(); }

void Terminal::log_to(const std::string& file) {
  log_ = std::make_shared<spdlog::logger>("run", std::make_shared<spdlog::sinks::basic_file_sink_st>(file, true));
  log_->set_pattern("%Y-%m-%d %H:%M:%S.%e  %l  %v");
  log_->flush_on(spdlog::level::info);
}

void Terminal::stop_log() { log_.reset(); }

void Terminal::print(const std::string& text) {
  end_progress();
  if (!quiet_) fmt::print("{}", text);
}

void Terminal::paragraph(const std::string& text) {
  std::string lines, word;
  std::size_t column = 0;
  for (std::istringstream words(text); words >> word;) {
    const std::size_t width = display_width(word);
    const bool wrap = column > 0 && column + 1 + width > widest_line;
    if (column > 0) lines += wrap ? '\n' : ' ';
    column = wrap || column == 0 ? width : column + 1 + width;
    lines += word;
  }
  print(lines + "\n");
}

void Terminal::table(const Table& table, std::size_t most_rows) {
  if (quiet_) return;
  Table shown = table;
  const std::size_t left_out =
      most_rows > 0 && table.rows.size() > most_rows + 1 ? table.rows.size() - most_rows - 1 : 0;
  if (left_out > 0)  // the last row is the sum or the rest and stays
    shown.rows.erase(shown.rows.begin() + static_cast<std::ptrdiff_t>(most_rows), shown.rows.end() - 1);
  print("\n" + to_text(shown, widest_line));
  if (left_out > 0) print(fmt::format("({} rows more in tables/{}.csv)\n", left_out, table.name));
}

void Terminal::warn(const std::string& text) {
  end_progress();
  std::fflush(stdout);
  fmt::print(stderr, "avrenk: warning: {}\n", text);
  if (log_) log_->warn(text);
}

void Terminal::note(const std::string& text) {
  end_progress();
  std::fflush(stdout);
  if (!quiet_) fmt::print(stderr, "{}\n", text);
  if (log_) log_->info(text);
}

void Terminal::log(const std::string& text) {
  if (log_) log_->info(text);
}

void Terminal::progress(const std::string& stage, double fraction) {
  if (log_ && stage != last_stage_) log_->info(stage);
  if (live_ && !quiet_) {
    const std::string percent = fraction >= 0 ? fmt::format(" {:3.0f} %", 100 * std::min(fraction, 1.0)) : "";
    fmt::print(stderr, "\r\033[K{}{}", stage, percent);
    std::fflush(stderr);
    open_line_ = true;
  } else if (verbose_ && stage != last_stage_) {
    fmt::print(stderr, "{}\n", stage);
  }
  last_stage_ = stage;
}

Progress Terminal::reporter() {
  return [this](const std::string& stage, double fraction) { progress(stage, fraction); };
}

void Terminal::end_progress() {
  if (open_line_) fmt::print(stderr, "\r\033[K");
  open_line_ = false;
}

std::string Terminal::coloured(const std::string& text, const char* code) const {
  return colour_ ? fmt::format("\033[{}m{}\033[0m", code, text) : text;
}

}  // namespace avrenk
