#include "files/text_file.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>

#include "core/error.h"

namespace avrenk {

std::string read_text_file(const std::string& file, std::size_t most, const std::string& what) {
  namespace fs = std::filesystem;
  const auto refuse_file = [&](const std::string& why) { throw FileError(fmt::format("{}: {}", file, why)); };
  std::error_code bad;
  const fs::file_status status = fs::status(file, bad);
  if (!fs::exists(status))
    refuse_file(bad && bad != std::errc::no_such_file_or_directory ? bad.message() : "there is no such file");
  if (fs::is_directory(status)) refuse_file(fmt::format("is a folder, where {} is due", what));
  if (!fs::is_regular_file(status)) refuse_file(fmt::format("is a pipe or a device, where {} is due", what));
  const std::uintmax_t size = fs::file_size(file, bad);
  if (bad) refuse_file(bad.message());
  if (size > most) refuse_file(fmt::format("has {} MB; {} may have {} MB", size >> 20U, what, most >> 20U));
  std::ifstream stream(file, std::ios::binary);
  std::string text(static_cast<std::size_t>(size), '\0');
  if (!stream.read(text.data(), static_cast<std::streamsize>(size))) refuse_file("cannot be read");
  return text;
}

}  // namespace avrenk
