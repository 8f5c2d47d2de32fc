/// What the fuzz targets share: input that is wrong must end in one of our errors, whatever it is.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "core/error.h"
#include "support/temporary.h"

namespace avrenk::fuzz {

inline std::string_view text_of(const std::uint8_t* data, std::size_t size) {
  return {reinterpret_cast<const char*>(data), size};
}

/// Runs `read`; every Error is an answer, anything else ends the process.
template <typename Read>
void try_to(const Read& read) {
  try {
    read();
  } catch (const Error& error) {
    if (std::string_view(error.what()).empty()) __builtin_trap();  // an error says what is wrong
  }
}

/// The input as a file, in a folder of this process.
inline std::string file_of(const char* name, const std::uint8_t* data, std::size_t size) {
  static const test::TemporaryFolder folder;
  const auto path = folder / name;
  std::ofstream(path, std::ios::binary) << text_of(data, size);
  return path.string();
}

}  // namespace avrenk::fuzz
