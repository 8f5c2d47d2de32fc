/// files/text_file.h: files that a plan or the user names, read whole.
#pragma once

#include <cstdint>
#include <string>

namespace avrenk {

/// All of a regular file.
/// @param what  for messages: "a plan", "a table of levels"
/// @throws FileError  there is none, it is a folder, a pipe or a device, larger than `most` bytes, or cannot be read
[[nodiscard]] std::string read_text_file(const std::string& file, std::size_t most = SIZE_MAX,
                                         const std::string& what = "a file");

}  // namespace avrenk
