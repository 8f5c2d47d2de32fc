// histories: random cases as records in time.
#include "plan/sections.h"

namespace avrenk {

void read_histories(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["history " + entry.key] = entry.place;
    MapReader map(entry.value, "history " + entry.key, problems);
    if (!map.is_map()) continue;
    HistoryRequest request;
    request.name = entry.key;
    const Tree* const in = map.required("in", "random.z");
    const Tree* const of = map.required("of", "[box.acceleration.z]");
    request.duration = map.required_quantity("duration", kind::time, Sign::positive).value_or(1);
    request.rate = map.quantity("rate", kind::frequency, Sign::positive).value_or(0);
    if (const Tree* seed = map.optional("seed"))
      request.seed = static_cast<std::uint64_t>(read_count(*seed, map.subject() + " seed", problems).value_or(1));
    if (const Tree* as = map.optional("as"))
      request.hdf5 = read_word(*as, {"csv", "hdf5"}, map.subject() + " as", problems).value_or(0) == 1;
    map.done();
    if (in) request.in = read_random_case(*in, map.subject() + " in", reading);
    for (const Tree* each : of ? one_or_more(*of) : std::vector<const Tree*>{}) {
      (void)is_watched(*each, map.subject(), reading);
      request.of.push_back(each->text);
    }
    if (of && request.of.empty())
      problems.add(*of, map.subject(), "nothing is named", "write of: [box.acceleration.z]");
    reading.plan.histories.push_back(std::move(request));
  }
}

}  // namespace avrenk
