// fatigue lines and life: how many cycles it bears, and what it goes through.
#include <algorithm>
#include <tuple>

#include "plan/sections.h"

namespace avrenk {
namespace {

constexpr const Kind* line_kinds[] = {&kind::stress, &kind::force, &kind::moment};

// The strength says what the line is of.
const Kind* kind_of_strength(const Tree& strength, const std::string& subject, Problems& problems) {
  if (strength.is_text()) {
    try {
      const Dimension dimension = parse_quantity(strength.text).dimension;
      for (const Kind* each : line_kinds)
        if (each->dimension == dimension) return each;
    } catch (const InputError&) {
      return line_kinds[0];  // said where it is read
    }
  }
  problems.add(strength, subject + " strength", "an amplitude of stress, force or moment is due",
               "write, for example, 160 MPa or 1.8 kN");
  return nullptr;
}

}  // namespace

std::optional<FatigueLine> read_fatigue_line(const Tree& tree, const std::string& subject, const std::string& name,
                                             const Material* of, Reading& reading) {
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  FatigueLine line;
  line.name = name;
  if (const Tree* strength = map.required("strength", of ? "160 MPa" : "1.8 kN")) {
    line.kind = of ? &kind::stress : kind_of_strength(*strength, subject, problems);
    if (line.kind)
      line.strength = read_quantity(*strength, *line.kind, subject + " strength", problems, Sign::positive).value_or(0);
  }
  line.cycles = map.required_quantity("at cycles", kind::number, Sign::positive).value_or(0);
  const Tree* const slope = map.required("slope", "8");
  if (slope) {
    line.slope = read_quantity(*slope, kind::number, subject + " slope", problems, Sign::positive).value_or(1);
    constexpr double steepest = 1, flattest = 40;
    if (line.slope < steepest || line.slope > flattest)
      problems.add(*slope, subject + " slope", fmt::format("a slope of {:g} is that of no S–N line", line.slope),
                   "write the k of N ~ S^-k: 3 for welds to 20 for smooth specimens");
  }
  const Tree* const scatter = map.optional("scatter");
  const Tree* const survival = map.optional("survival");
  if (scatter && survival) {
    line.scatter =
        read_quantity(*scatter, kind::number, subject + " scatter", problems, Sign::not_negative).value_or(0);
    line.survival =
        read_quantity(*survival, kind::ratio, subject + " survival", problems, Sign::positive).value_or(0.5);
    if (line.survival < 0.5 || line.survival >= 1)
      problems.add(*survival, subject + " survival", fmt::format("{} is no survival to count on", survival->text),
                   "write 50 % or more, below 100 %");
    constexpr double widest = 2;
    if (line.scatter > widest)
      problems.add(*scatter, subject + " scatter",
                   fmt::format("{:g} decades are no standard deviation of log10 N", line.scatter),
                   "write, for example, 0.2");
  } else if (scatter || survival) {
    problems.add(scatter ? *scatter : *survival, subject,
                 scatter ? "scatter says nothing without survival" : "survival says nothing without scatter",
                 "write both: scatter: 0.2, survival: 97.7 %");
  }
  const Tree* const mean = map.optional("mean stress");
  const Tree* const ultimate = of ? nullptr : map.optional("ultimate");
  map.done();
  if (ultimate && line.kind)
    line.ultimate = read_quantity(*ultimate, *line.kind, subject + " ultimate", problems, Sign::positive).value_or(0);
  if (of) line.ultimate = of->ultimate.value_or(0);
  if (mean) {
    if (const auto rule = read_word(*mean, {"none", "Goodman", "Gerber"}, subject + " mean stress", problems))
      line.mean = static_cast<MeanStressRule>(*rule);
    if (line.mean != MeanStressRule::none && line.ultimate == 0)
      problems.add(*mean, subject, "the rule needs an ultimate",
                   of ? "add ultimate to the material" : "add ultimate beside strength");
  }
  if (problems.count() > before) return std::nullopt;
  return line;
}

void read_fatigue_lines(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries)
    reading.fatigue_lines.declare(
        entry.key, read_fatigue_line(entry.value, "fatigue line " + entry.key, entry.key, nullptr, reading));
}

namespace {

class LifeReader {
 public:
  LifeReader(const Tree::Entry& entry, Reading& reading)
      : map_(entry.value, "life " + entry.key, reading.problems), reading_(reading), problems_(reading.problems) {
    request_.name = entry.key;
  }

  void read() {
    if (!map_.is_map()) return;
    const Tree* const of = map_.required("of", "struts.normal stress");
    const Tree* const through = map_.required("through", "[sine, random]");
    const Tree* const with = map_.optional("with");
    const Tree* const factors = map_.optional("factors");
    const Tree* const counting = map_.optional("counting");
    map_.done();
    if (of) {
      for (const Tree* each : one_or_more(*of)) read_subject(*each);
      if (of->is_list() && of->items.empty())
        problems_.add(*of, map_.subject(), "nothing is named, so nothing is counted", "name what is watched");
    }
    if (through) read_through(*through);
    if (with) read_with(*with);
    if (factors) std::tie(request_.factor, request_.factors) = read_factors_named(*factors, map_.subject(), reading_);
    if (counting)
      request_.counting = static_cast<Counting>(
          read_word(*counting, {counting_names.begin(), counting_names.end()}, map_.subject() + " counting", problems_)
              .value_or(1));
    reading_.plan.lives.push_back(std::move(request_));
  }

 private:
  // A name, or a name with the line that counts there.
  void read_subject(const Tree& tree) {
    Tree name = tree;
    const Tree* named_line = nullptr;
    if (tree.is_map() && tree.entries.size() == 1) {
      name = text_at(tree.entries.front().key, tree.entries.front().place);
      named_line = &tree.entries.front().value;
    }
    if (!name.is_text()) {
      problems_.add(tree, map_.subject() + " of", "what is watched is due",
                    "write struts.normal stress, or {isolator.force: NAME} with one of the fatigue lines");
      return;
    }
    if (!is_watched(name, map_.subject(), reading_)) return;
    const OutputRequest* const request = find_request(reading_.plan.watch, name.text);
    if (!request) return;
    LifeSubject subject{name.text, {}, request->parts, request->quantity->of_nodes};
    if (request->quantity->of_nodes == StressQuantity::principal) {
      problems_.add(
          name, map_.subject(),
          "the direction of a principal stress changes from instant to instant, and no amplitude goes with it",
          "watch von Mises, or a component such as stress xx");
      return;
    }
    if (named_line) {
      const FatigueLine* const line = reading_.fatigue_lines.find(*named_line, map_.subject(), problems_);
      if (!line) return;
      if (line->kind != request->quantity->kind) {
        problems_.add(*named_line, map_.subject(),
                      fmt::format("fatigue line {} is of {}, {} is {}", line->name, line->kind->name, name.text,
                                  request->quantity->kind->name),
                      "name a line of the same kind");
        return;
      }
      subject.line = *line;
    } else if (!take_material(name, *request, subject)) {
      return;
    }
    request_.subjects.push_back(std::move(subject));
  }

  // The line of the material of all parts watched, which must be the same.
  bool take_material(const Tree& name, const OutputRequest& request, LifeSubject& subject) {
    const std::string& who = map_.subject();
    if (request.quantity->kind != &kind::stress) {
      problems_.add(name, who, fmt::format("{} is no stress, and needs a fatigue line of its own", name.text),
                    fmt::format("write {{{}: NAME}} with one of the fatigue lines", name.text));
      return false;
    }
    const Assembly& assembly = reading_.plan.assembly;
    std::set<int> materials;
    for (const int part : request.parts) materials.insert(assembly.parts[static_cast<std::size_t>(part)].material);
    for (const int beam : request.items)
      materials.insert(
          assembly.parts[static_cast<std::size_t>(assembly.beams[static_cast<std::size_t>(beam)].part)].material);
    if (materials.empty() || *materials.begin() < 0) return false;  // its own mistake is told
    if (materials.size() > 1) {
      problems_.add(name, who, "the parts watched are made of several materials",
                    "watch parts of different materials apart, or name a fatigue line for all of them");
      return false;
    }
    const Material& material = assembly.materials[static_cast<std::size_t>(*materials.begin())];
    if (!material.fatigue) {
      problems_.add(name, who, fmt::format("material {} says nothing about fatigue", material.name),
                    "add it under materials: fatigue: {strength: 160 MPa, at cycles: 1e6, slope: 8}");
      return false;
    }
    subject.line = *material.fatigue;
    return true;
  }

  // A map of environments and how long, or a list of them; a name by itself goes as its profile says.
  void read_through(const Tree& tree) {
    for (const Tree* item : one_or_more(tree)) {
      if (item->is_text()) {
        read_exposure(*item, nullptr);
        continue;
      }
      if (!item->is_map())
        problems_.add(*item, map_.subject() + " through", "an environment is due",
                      "write {sine: {sweeps: 2}, random: 180 s}");
      for (const Tree::Entry& entry : item->entries) {
        read_exposure(text_at(entry.key, entry.place), &entry.value);
      }
    }
    if ((tree.is_list() && tree.items.empty()) || (tree.is_map() && tree.entries.empty()))
      problems_.add(tree, map_.subject() + " through", "no environment is named, so nothing is counted",
                    "write {sine: {sweeps: 2}, random: 180 s}");
  }

  void read_exposure(const Tree& name, const Tree* value) {
    const std::string subject = map_.subject() + " through";
    const Environment* const environment = find_environment(name, subject, reading_);
    if (!environment) return;
    if (environment->is_static() || environment->by_speed() || !environment->superposed_on.empty() ||
        name.text.ends_with(".combined")) {
      problems_.add(name, subject,
                    environment->is_static() ? fmt::format("{} is static, and wears nothing out", name.text)
                    : environment->by_speed()
                        ? fmt::format("{} is a matter of orders, whose cycles are not counted", name.text)
                    : !environment->superposed_on.empty()
                        ? fmt::format("{} acts on {}, and the cycles of both together are not counted", name.text,
                                      environment->superposed_on)
                        : fmt::format("{} is no load of its own", name.text),
                    environment->is_static() ? "name it beside with, for the mean stress"
                                             : "name a sine or a random environment, or one of its axes");
      return;
    }
    Exposure exposure;
    exposure.environment = name.text;
    environment->is_random() ? read_random(name, value, *environment, exposure)
                             : read_sine(name, value, *environment, exposure);
    request_.through.push_back(std::move(exposure));
  }

  void read_random(const Tree& name, const Tree* value, const Environment& environment, Exposure& exposure) {
    const std::string subject = map_.subject() + " through " + name.text;
    if (value && value->is_map()) {
      MapReader map(*value, subject, problems_);
      exposure.seconds = map.required_quantity("for", kind::time, Sign::positive).value_or(0);
      map.done();
    } else if (value) {
      exposure.seconds = read_quantity(*value, kind::time, subject, problems_, Sign::positive).value_or(0);
    } else if (environment.duration) {
      exposure.seconds = *environment.duration;
    } else {
      problems_.add(name, subject, fmt::format("its profile {} has no duration", environment.profile),
                    fmt::format("write {{{}: 180 s}}", name.text));
    }
  }

  void read_sine(const Tree& name, const Tree* value, const Environment& environment, Exposure& exposure) {
    const std::string subject = map_.subject() + " through " + name.text;
    exposure.sweeps = 1;
    if (value) {
      MapReader map(*value, subject, problems_);
      if (!map.is_map()) return;
      const Tree* const sweeps = map.optional("sweeps");
      const Tree* const at = map.optional("at");
      if (sweeps)
        exposure.sweeps =
            read_quantity(*sweeps, kind::number, subject + " sweeps", problems_, Sign::positive).value_or(1);
      if (at) {
        exposure.sweeps = 0;
        exposure.dwell_at = read_quantity(*at, kind::frequency, subject + " at", problems_, Sign::positive).value_or(0);
        exposure.seconds = map.required_quantity("for", kind::time, Sign::positive).value_or(0);
      }
      map.done();
      if (!sweeps == !at)
        problems_.add(*value, subject, at ? "it is swept or held" : "nothing says how often",
                      "write {sweeps: 2}, or {at: 63 Hz, for: 10 min}");
    }
    if (exposure.sweeps > 0 && !environment.sine().sweep_rate)
      problems_.add(
          name, subject, "nothing says how fast it is swept",
          fmt::format("write sweep: 2 oct/min in its profile, or {{{}: {{at: 63 Hz, for: 10 min}}}}", name.text));
  }

  void read_with(const Tree& with) {
    const Environment* const still = find_environment(with, map_.subject() + " with", reading_);
    if (!still) return;
    if (!still->is_static())
      problems_.add(with, map_.subject() + " with", fmt::format("environment \"{}\" is not static", with.text),
                    "name one that is written as {static: {acceleration: {z: -1 g}}}");
    request_.with = with.text;
    if (std::all_of(request_.subjects.begin(), request_.subjects.end(),
                    [](const LifeSubject& each) { return each.line.mean == MeanStressRule::none; }) &&
        !request_.subjects.empty())
      problems_.add(with, map_.subject() + " with", "no line has a rule for a mean stress, so that it changes nothing",
                    "write mean stress: Goodman beside strength, or leave with out");
  }

  MapReader map_;
  Reading& reading_;
  Problems& problems_;
  LifeRequest request_;
};

}  // namespace

void read_lives(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["life " + entry.key] = entry.place;
    LifeReader(entry, reading).read();
  }
}

}  // namespace avrenk
