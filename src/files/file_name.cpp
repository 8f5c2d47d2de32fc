#include "files/file_name.h"

#include <algorithm>

#include "files/hash.h"

namespace avrenk {
namespace {

constexpr std::string_view not_taken = "/\\:*?\"<>|'`$&;!";
constexpr std::size_t longest = 120;  // bytes: file systems take 255, and more is added while a file is written

// Where a short extension begins, else the end.
std::size_t extension_of(std::string_view name) {
  const std::size_t dot = name.rfind('.');
  const bool is_short = dot != std::string_view::npos && dot > 0 && name.size() - dot <= 6 && name.size() - dot > 1;
  return is_short ? dot : name.size();
}

bool is_continuation(char c) { return (static_cast<unsigned char>(c) & 0xC0U) == 0x80U; }

}  // namespace

std::string file_name(std::string_view name) {
  std::string safe(name);
  for (char& c : safe)
    if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F || not_taken.find(c) != std::string_view::npos) c = '_';
  if (!safe.empty() && (safe[0] == '.' || safe[0] == '-' || safe[0] == ' ')) safe[0] = '_';
  if (safe == name && !safe.empty() && safe.size() <= longest) return safe;
  const std::size_t dot = extension_of(safe);
  const std::string extension = safe.substr(dot);
  Hash hash;
  hash.bytes(name.data(), name.size());
  const std::string tail = "-" + hash.text().substr(0, 8) + extension;
  std::size_t kept = std::min(dot, longest - tail.size());
  while (kept > 0 && kept < dot && is_continuation(safe[kept])) --kept;  // letters of several bytes stay whole
  return (kept > 0 ? safe.substr(0, kept) : "_") + tail;
}

std::string path_in_results(std::string_view path) {
  const std::size_t slash = path.find('/');
  if (slash == std::string_view::npos) return file_name(path);
  return file_name(path.substr(0, slash)) + "/" + file_name(path.substr(slash + 1));
}

}  // namespace avrenk
