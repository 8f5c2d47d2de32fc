// test sheets: what the test conductor is handed.
#include <cmath>

#include "plan/sections.h"

namespace avrenk {

void read_test_sheets(const Tree& section, Reading& reading) {
  MapReader map(section, "test sheets", reading.problems);
  if (!map.is_map()) return;
  TestSheets sheets;
  const Tree* const accelerometers = map.required("accelerometers", "[tip.acceleration, box.acceleration]");
  if (const auto abort = map.quantity("abort", kind::level, Sign::not_negative))
    sheets.abort = std::pow(10, *abort / 20);
  const Tree* const low = map.optional("low level");
  map.done();
  for (const Tree* item : accelerometers ? one_or_more(*accelerometers) : std::vector<const Tree*>{}) {
    const OutputRequest* const found = find_request(reading.plan.watch, item->text);
    if (found && found->quantity->keyword == "acceleration" && is_length(*found, item->text))
      sheets.accelerometers.push_back(item->text);
    else if (is_watched(*item, map.subject() + " accelerometers", reading))
      reading.problems.add(*item, map.subject(), fmt::format("{} is not what an accelerometer reads", item->text),
                           "name an acceleration of a place without its component: box.acceleration");
  }
  if (accelerometers && accelerometers->is_list() && accelerometers->items.empty())
    reading.problems.add(*accelerometers, map.subject(), "no accelerometer is named", "write [box.acceleration]");
  if (low) {
    MapReader map_reader(*low, "test sheets low level", reading.problems);
    sheets.low_level = map_reader.required_quantity("at", kind::level);
    sheets.frequency_change = map_reader.required_quantity("frequencies", kind::ratio, Sign::positive).value_or(0);
    sheets.amplitude_change = map_reader.required_quantity("amplitudes", kind::ratio, Sign::positive).value_or(0);
    map_reader.done();
    if (sheets.low_level && *sheets.low_level >= 0)
      reading.problems.add(*low, map_reader.subject(), "a low level lies below the one that is tested",
                           "write at: -20 dB");
  }
  reading.plan.test_sheets = sheets;
}

}  // namespace avrenk
