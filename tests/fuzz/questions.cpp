// Questions to a run, whatever they are: understood, or refused with what is wrong.
#include "fuzz/input.h"
#include "plan/plan.h"
#include "support/example.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  static const test::TemporaryFolder folder;
  static KeptPlan kept = [] {
    KeptPlan plan{folder.write("mast.yaml", test::example("mast.yaml")), {}, {}};
    (void)read_plan(plan.plan, {}, plan.sources);
    return plan;
  }();
  fuzz::try_to([&] {
    const AskedPlan asked = read_asked_plan(kept, {std::string(fuzz::text_of(data, size))});
    if (asked.questions.empty()) __builtin_trap();
  });
  return 0;
}
