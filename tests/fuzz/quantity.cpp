// A quantity as each kind: what is read is finite.
#include "core/quantity/quantity.h"

#include <cmath>

#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string_view text = fuzz::text_of(data, size);
  for (const Kind* due : {&kind::length, &kind::ratio, &kind::acceleration_psd, &kind::rotational_stiffness,
                          &kind::frequency, &kind::level, &kind::slope})
    fuzz::try_to([&] {
      if (!std::isfinite(parse_as(*due, text))) __builtin_trap();
    });
  return 0;
}
