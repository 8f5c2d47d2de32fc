/// plan/text_file.h: files that a plan names, read whole.
#pragma once

#include <string>

namespace avrenk {

/// All of a regular file.
/// @param what  for messages: "a plan", "a table of levels"
/// @throws FileError  there is none, it is a folder, a pipe or a device, larger than `most` bytes, or cannot be read
[[nodiscard]] std::string read_text_file(const std::string& file, std::size_t most, const std::string& what);

}  // namespace avrenk
