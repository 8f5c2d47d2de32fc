/// files/base64.h: bytes as text (RFC 4648).
#pragma once

#include <string>
#include <string_view>

namespace avrenk {

[[nodiscard]] std::string base64(std::string_view bytes);

}  // namespace avrenk
