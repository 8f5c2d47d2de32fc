// A plan, read with all that its sections make of it: meshes, joints, bases, environments, limits.
#include "plan/plan.h"

#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string file = fuzz::file_of("plan.yaml", data, size);
  fuzz::try_to([&] { (void)read_plan(file, {}); });
  fuzz::try_to([&] { (void)read_profiles_only(file, {}); });
  return 0;
}
