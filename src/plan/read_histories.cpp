// histories: random cases as records in time.
#include <algorithm>

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
    if (in) {
      request.in = in->text;
      const Environment* const environment = find_environment(*in, map.subject() + " in", reading);
      const std::vector<std::string> cases = environment ? case_names(*environment) : std::vector<std::string>{};
      if (environment && (environment->type != Environment::Type::random || in->text.ends_with(".combined")))
        problems.add(*in, map.subject(), fmt::format("{} is no case of random vibration", in->text),
                     "name a random environment, with its axis where it has several");
      else if (environment && in->text == environment->name && cases.size() > 1)
        problems.add(*in, map.subject(), fmt::format("{} has several cases", in->text),
                     fmt::format("write in: {}.{}", in->text, cases.front()));
      else if (environment && in->text == environment->name && cases.size() == 1)
        request.in += "." + cases.front();
    }
    const auto names = watched_names(reading.plan.watch);
    for (const Tree* each : of ? one_or_more(*of) : std::vector<const Tree*>{}) {
      const bool broken = reading.broken_watches.contains(each->text.substr(0, each->text.find('.')));
      if (!broken && std::find(names.begin(), names.end(), each->text) == names.end())
        problems.add(*each, map.subject(), fmt::format("\"{}\" is not watched", each->text),
                     names.empty() ? "declare it under watch:" : suggest_name(each->text, names));
      request.of.push_back(each->text);
    }
    if (of && request.of.empty())
      problems.add(*of, map.subject(), "nothing is named", "write of: [box.acceleration.z]");
    reading.plan.histories.push_back(std::move(request));
  }
}

}  // namespace avrenk
