#include "figures/gnuplot.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <iterator>
#include <vector>

#include "core/error.h"
#include "core/words.h"

extern char** environ;

namespace avrenk {

std::string run_gnuplot(const std::string& program, const std::filesystem::path& work) {
  const std::filesystem::path script = work.string() + ".gp", complaints = work.string() + ".err";
  {
    std::ofstream stream(script, std::ios::binary);
    stream << program;
    if (!stream.flush()) throw FileError(fmt::format("{}: cannot be written", script.string()));
  }
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 0, script.c_str(), O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, complaints.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
  std::vector<std::string> environment{"LC_ALL=C.UTF-8", "GNUTERM=dumb"};
  for (char** entry = environ; *entry; ++entry)
    if (const std::string text = *entry; text.starts_with("PATH=") || text.starts_with("HOME=") ||
                                         text.starts_with("XDG_") || text.starts_with("FONTCONFIG"))
      environment.push_back(text);
  std::vector<char*> pointers;
  pointers.reserve(environment.size() + 1);
  for (std::string& text : environment) pointers.push_back(text.data());
  pointers.push_back(nullptr);
  std::string name = "gnuplot";
  char* const arguments[] = {name.data(), nullptr};
  pid_t child = 0;
  const int failed = posix_spawnp(&child, "gnuplot", &actions, nullptr, arguments, pointers.data());
  posix_spawn_file_actions_destroy(&actions);
  int status = 0;
  if (failed == 0) waitpid(child, &status, 0);
  std::ifstream stream(complaints);
  std::string text{std::istreambuf_iterator<char>(stream), {}};
  std::error_code ignored;
  std::filesystem::remove(script, ignored);
  std::filesystem::remove(complaints, ignored);
  if (failed != 0) throw FileError("figures need gnuplot, which is not installed; install it, or use --no-figures");
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0)
    throw FileError(fmt::format("a figure was not drawn: gnuplot {}{}{}",
                                WIFSIGNALED(status) ? fmt::format("was stopped by signal {}", WTERMSIG(status))
                                                    : fmt::format("ended with status {}", WEXITSTATUS(status)),
                                text.empty() ? "" : ": ", text));
  return text;
}

std::string gnuplot_text(const std::string& given) {
  std::string text = printable(given);
  for (std::size_t at = 0; (at = text.find("]]>", at)) != std::string::npos;)
    text.insert(at + 2, " ");  // ends XML text
  // Quotes at the very beginning would be read as an empty text and the next one: they are put in front.
  const std::size_t quotes = std::min(text.find_first_not_of('\''), text.size());
  std::string safe;
  for (std::size_t k = 0; k < quotes; ++k) safe += "\"\\047\".";
  safe += "'";
  for (const char c : text.substr(quotes)) {
    if (c == '\'') safe += '\'';
    safe += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
  }
  return safe + "'";
}

bool ends_with(const std::filesystem::path& file, const std::string& ending) {
  std::ifstream stream(file, std::ios::binary);
  const std::string text{std::istreambuf_iterator<char>(stream), {}};
  return text.size() > 1000 &&
         text.find(ending, text.size() - std::min<std::size_t>(text.size(), 16)) != std::string::npos;
}

}  // namespace avrenk
