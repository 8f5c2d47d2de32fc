/// files/base64.h: bytes as text (RFC 4648).
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace avrenk {

[[nodiscard]] std::string base64(std::string_view bytes);

/// The bytes again; nothing if the text holds other letters or is no multiple of four.
[[nodiscard]] std::optional<std::string> bytes_of_base64(std::string_view text);

}  // namespace avrenk
