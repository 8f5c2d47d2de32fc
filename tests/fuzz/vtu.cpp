// A mesh file: what is read agrees in its sizes.
#include "files/vtu.h"

#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  fuzz::try_to([&] {
    const Grid grid = read_vtu(std::string(fuzz::text_of(data, size)), "mesh.vtu");
    if (grid.types.size() != grid.offsets.size()) __builtin_trap();
    for (const auto point : grid.connectivity)
      if (point < 0 || static_cast<std::size_t>(point) >= grid.points.size()) __builtin_trap();
  });
  return 0;
}
