/// files/deflate.h: compressed data in the zlib format (RFC 1950).
#pragma once

#include <string>

namespace avrenk {

/// @throws FileError  no memory for it
[[nodiscard]] std::string deflated(const std::string& bytes);

}  // namespace avrenk
