// What a run keeps of its plan: a list that was changed is not read as one.
#include "files/source_files.h"
#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  static const test::TemporaryFolder folder;
  static const bool made = [] {
    (void)folder.write("plan/01-mast.yaml", "title: mast\n");
    return true;
  }();
  (void)folder.write("plan/sources.json", std::string(fuzz::text_of(data, size)));
  if (made)
    fuzz::try_to([&] {
      const KeptPlan kept = KeptPlan::read(folder.path());
      if (kept.digest().empty()) __builtin_trap();
    });
  return 0;
}
