// Kept modes: whatever a file holds, it is taken whole or not at all.
#include "files/modes_file.h"
#include "fuzz/input.h"
#include "support/models.h"

namespace {

using namespace avrenk;

struct Model {
  Assembly assembly = test::portal(0.05);
  System system = make_system(assembly);
  ModelPrint print = print_of(assembly, system);
  ModeRequest request = test::count(4);
};
const Model& model() {
  static const Model one;
  return one;
}

}  // namespace

// The seed is what a run writes.
extern "C" int LLVMFuzzerInitialize(int* count, char*** arguments) {
  if (*count == 3 && std::string_view((*arguments)[1]) == "--write-seed") {
    const Model& own = model();
    write_modes((*arguments)[2], own.assembly, own.system, solve_modes(own.assembly, own.system, own.request),
                own.print, own.request);
    std::exit(0);
  }
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string file = fuzz::file_of("results.h5", data, size);
  fuzz::try_to([&] {
    const KeptModes kept = read_modes(file, model().system, model().print, model().request);
    if (kept.basis.has_value() != kept.why_not.empty()) __builtin_trap();
    if (kept.basis && (kept.basis->modes != 4 || kept.basis->shapes.rows() != model().system.free)) __builtin_trap();
  });
  fuzz::try_to([&] { (void)read_shapes(file); });
  return 0;
}
