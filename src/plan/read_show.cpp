// show: units of results.
#include "plan/sections.h"

namespace avrenk {
namespace {

struct ShownUnit {
  const char* key;
  const Kind* kind;
};
constexpr ShownUnit shown[] = {{"length", &kind::length},
                               {"velocity", &kind::velocity},
                               {"acceleration", &kind::acceleration},
                               {"angle", &kind::angle},
                               {"angular acceleration", &kind::angular_acceleration},
                               {"force", &kind::force},
                               {"moment", &kind::moment},
                               {"mass", &kind::mass},
                               {"inertia", &kind::inertia},
                               {"stress", &kind::stress},
                               {"frequency", &kind::frequency},
                               {"pressure", &kind::pressure},
                               {"force per length", &kind::line_load},
                               {"unbalance", &kind::unbalance},
                               {"receptance", &kind::receptance},
                               {"mobility", &kind::mobility},
                               {"accelerance", &kind::accelerance},
                               {"stiffness", &kind::stiffness},
                               {"impedance", &kind::dashpot}};

}  // namespace

void read_show(const Tree& section, Reading& reading) {
  MapReader map(section, "show", reading.problems);
  if (!map.is_map()) return;
  for (const ShownUnit& shown_unit : shown) {
    const Tree* const unit = map.optional(shown_unit.key);
    if (!unit) continue;
    const std::string subject = fmt::format("show {}", shown_unit.key);
    try {
      if (!unit->is_text())
        throw InputError(Problem{"", "a unit is due", fmt::format("write, for example, {}", shown_unit.kind->display),
                                 std::nullopt});
      const Dimension found = parse_unit(unit->text).dimension;
      if (found == shown_unit.kind->dimension)
        reading.plan.show.set(*shown_unit.kind, unit->text);
      else
        reading.problems.add(
            *unit, subject, fmt::format("\"{}\" is {}'s unit", unit->text, describe(found)),
            fmt::format("write a unit of {} such as {}", shown_unit.kind->name, shown_unit.kind->display));
    } catch (const InputError& error) {
      reading.problems.add(*unit, subject, error.problems.front().wrong, error.problems.front().remedy);
    }
  }
  reading.plan.assembly.length_unit = reading.plan.show.unit(kind::length);
  map.done();
}

}  // namespace avrenk
