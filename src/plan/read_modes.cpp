// modes: how many are computed.
#include "plan/sections.h"

namespace avrenk {

void read_modes(const Tree& section, Reading& reading) {
  MapReader map(section, "modes", reading.problems, "{up to: 2000 Hz} or {count: 20}");
  if (!map.is_map()) return;
  ModeRequest& modes = reading.plan.modes;
  modes.up_to = map.quantity("up to", kind::frequency, Sign::positive);
  if (const Tree* count = map.optional("count")) {
    if (section.find("up to"))
      reading.problems.add(*count, "modes", "\"up to\" and \"count\" cannot both be given", "keep one");
    modes.count = read_count(*count, "modes count", reading.problems);
  }
  if (const Tree* near = map.optional("near")) {
    if (section.find("up to") || section.find("free"))
      reading.problems.add(*near, "modes", "\"near\" cannot be given beside \"up to\" or \"free\"", "keep one");
    else if (!section.find("count"))
      reading.problems.add(*near, "modes", "\"near\" needs a number of modes", "write {near: 1150 rpm, count: 6}");
    modes.near = read_quantity(*near, kind::frequency, "modes near", reading.problems, Sign::positive);
  }
  if (const Tree* residual = map.optional("residual vectors"))
    modes.residual_vectors =
        read_word(*residual, {"no", "yes"}, "modes residual vectors", reading.problems).value_or(1) == 1;
  reading.about = map.optional("about");
  if (const Tree* levels = map.optional("levels")) {
    if (!reading.about)
      reading.problems.add(*levels, "modes levels", "nothing says of which state", "write about: CASE beside it");
    constexpr double most = 1000;
    for (const Tree* item : one_or_more(*levels))
      if (const auto level = read_quantity(*item, kind::ratio, "modes levels", reading.problems)) {
        if (std::abs(*level) > most)
          reading.problems.add(*item, "modes levels", fmt::format("{} is more than can be meant", item->text),
                               "write 50 %");
        reading.plan.modes_levels.push_back(*level);
      }
  }
  if (reading.about && section.find("free"))
    reading.problems.add(*reading.about, "modes", "free motions leave no static state", "leave about out, or free");
  if (const Tree* free = map.optional("free"))
    modes.free_motions = read_word(*free, {"no", "yes"}, "modes free", reading.problems).value_or(0) == 1;
  map.done();
}

void check_about(Reading& reading) {
  if (!reading.about) return;
  const Environment* const still = find_environment(*reading.about, "modes about", reading);
  if (!still) return;
  if (!still->is_static())
    reading.problems.add(*reading.about, "modes about",
                         fmt::format("environment \"{}\" is not static", reading.about->text),
                         "name one that is written as {static: {acceleration: {z: -1 g}}}");
  reading.plan.modes_about = still->name;
  reading.plan.subjects["modes about"] = reading.about->place;
}

}  // namespace avrenk
