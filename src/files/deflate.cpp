#include "files/deflate.h"

#include <zlib.h>

#include "core/error.h"

namespace avrenk {

std::string deflated(const std::string& bytes) {
  uLongf size = compressBound(static_cast<uLong>(bytes.size()));
  std::string packed(size, '\0');
  constexpr int level = 6;
  if (compress2(reinterpret_cast<Bytef*>(packed.data()), &size, reinterpret_cast<const Bytef*>(bytes.data()),
                static_cast<uLong>(bytes.size()), level) != Z_OK)
    throw FileError("no memory to compress data");
  packed.resize(size);
  return packed;
}

}  // namespace avrenk
