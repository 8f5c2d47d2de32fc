// environments: what one makes of the loads that it names.
#include <algorithm>
#include <cmath>
#include <numeric>

#include "plan/sections.h"

namespace avrenk {
namespace {

// One entry of an environment's loads: a load, its phase and order, and how it is driven.
struct DrivenEntry {
  int load = 0;
  double phase = 0, order = 1;
  std::vector<DrivenLoad> choices;  // one for each table that is to be compared
  std::optional<PressureField> field;
};

class LoadCaseReader {
 public:
  LoadCaseReader(std::string subject, bool at_rest, bool by_speed, Reading& reading)
      : subject_(std::move(subject)), at_rest_(at_rest), by_speed_(by_speed), reading_(reading) {}

  std::optional<DrivenEntry> read(const Tree& tree) {
    Tree name = tree;
    const Tree* amount = nullptr;
    DrivenEntry entry;
    if (tree.is_map()) {
      for (const Tree::Entry& pair : tree.entries) {
        if (pair.key == "phase" || pair.key == "order" || pair.key == pressure_field_key) continue;
        if (amount) {
          problems().add(pair.value, subject_, "two loads stand in one entry", "write [{PUMP: 30 N}, {PANEL: 2 kPa}]");
          return std::nullopt;
        }
        name.kind = Tree::Kind::text;
        name.text = pair.key;
        name.place = pair.place;
        amount = &pair.value;
      }
      if (const Tree* phase = tree.find("phase")) {
        entry.phase = read_quantity(*phase, kind::angle, subject_ + " phase", problems()).value_or(0);
        if (at_rest_) problems().add(*phase, subject_, "a static load has no phase", "leave it out");
      }
      if (const Tree* order = tree.find("order")) {
        entry.order = read_quantity(*order, kind::number, subject_ + " order", problems(), Sign::positive).value_or(1);
        if (!by_speed_)
          problems().add(*order, subject_, "an order needs the speed of a shaft",
                         "write speeds: {from: 300 rpm, to: 6000 rpm} in place of frequencies");
      }
      if (amount && amount->kind == Tree::Kind::empty) amount = nullptr;
      if (const Tree* field = tree.find(pressure_field_key)) {
        entry.field = read_field(*field);
        if (!entry.field) return std::nullopt;
      }
      if (name.kind != Tree::Kind::text) {
        problems().add(tree, subject_, "no load is named", example());
        return std::nullopt;
      }
    }
    const int* const index = reading_.loads.find(name, subject_, problems());
    if (!index) return std::nullopt;
    entry.load = *index;
    const Load& load = reading_.plan.assembly.loads[static_cast<std::size_t>(*index)];
    if (load.unbalance) {
      if (at_rest_)
        problems().add(name, subject_, fmt::format("{} turns, so it is no static load", load.name), "leave it out");
      if (amount)
        problems().add(*amount, subject_, fmt::format("{} drives itself by what is out of balance", load.name),
                       fmt::format("write {}, or {{{}, phase: 90 deg}}", load.name, load.name));
      entry.choices.push_back({.load = *index, .amount = *load.unbalance});
      return entry;
    }
    if (load.kind == &kind::temperature && !at_rest_) {
      problems().add(
          name, subject_, fmt::format("{} is a temperature, which acts at rest", load.name),
          fmt::format("write it into a static environment: {{static: {{loads: [{{{}: 40 K}}]}}}}", load.name));
      return std::nullopt;
    }
    if (!amount) {
      problems().add(name, subject_, fmt::format("how large {} is, is not said", load.name),
                     fmt::format("write {{{}: {}}}{}", load.name, load.kind->example,
                                 at_rest_ ? "" : ", or the name of a profile"));
      return std::nullopt;
    }
    for (const Tree* item : one_or_more(*amount))
      if (auto choice = read_amount(*item, load)) {
        choice->load = *index;
        entry.choices.push_back(std::move(*choice));
      }
    if (entry.field && !takes_field(*tree.find(pressure_field_key), load, entry)) return std::nullopt;
    if (entry.choices.empty()) return std::nullopt;
    return entry;
  }

 private:
  [[nodiscard]] Problems& problems() { return reading_.problems; }
  [[nodiscard]] std::string example() const {
    const auto& names = reading_.loads.names();
    return fmt::format("write {{{}: 30 N}}", names.empty() ? "LOAD" : names.front());
  }

  // {diffuse: {speed of sound: 340 m/s}} or {boundary layer: {direction: x, speed: 190 m/s}}
  std::optional<PressureField> read_field(const Tree& tree) {
    MapReader map(tree, subject_ + " " + pressure_field_key, problems());
    if (!map.is_map()) return std::nullopt;
    const auto [law, what] = map.one_of({"diffuse", "boundary layer"});
    map.done();
    if (!what) return std::nullopt;
    MapReader map_reader(*what, map.subject() + " " + law, problems());
    if (!map_reader.is_map()) return std::nullopt;
    PressureField field;
    if (law == "diffuse") {
      const auto speed = map_reader.required_quantity("speed of sound", kind::velocity, Sign::positive);
      map_reader.done();
      if (speed) field.speed = *speed;
      return speed ? std::optional(field) : std::nullopt;
    }
    field.law = PressureField::Law::boundary_layer;
    const Tree* const direction = map_reader.required("direction", "x");
    const auto speed = map_reader.required_quantity("speed", kind::velocity, Sign::positive);
    const auto along =
        direction ? read_signed_direction(*direction, map_reader.subject() + " direction", problems()) : std::nullopt;
    field.along = map_reader.quantity("decay along", kind::number, Sign::positive).value_or(field.along);
    field.across = map_reader.quantity("decay across", kind::number, Sign::positive).value_or(field.across);
    map_reader.done();
    if (!along || !speed) return std::nullopt;
    field.flow = *along;
    field.speed = *speed;
    return field;
  }

  // Only a random pressure can be a field.
  bool takes_field(const Tree& tree, const Load& load, const DrivenEntry& entry) {
    if (load.faces.empty()) {
      problems().add(tree, subject_,
                     fmt::format("{} is {}, and a field is one of pressure on a surface", load.name, load.kind->name),
                     "leave pressure field out, or name a load that is written as {pressure: {on: PLACE}}");
      return false;
    }
    for (const DrivenLoad& choice : entry.choices)
      if (choice.spectrum.stretches().empty()) {
        problems().add(tree, subject_, fmt::format("{} is no random load, and a field is random", load.name),
                       "leave pressure field out, or name a random profile of a pressure");
        return false;
      }
    return true;
  }

  // A profile by its name, or an amount that is the same at all frequencies.
  std::optional<DrivenLoad> read_amount(const Tree& tree, const Load& load) {
    const bool named = tree.is_text() && reading_.profiles.knows(tree.text);
    const bool number = tree.is_text() && tree.text.find_first_of("0123456789") != std::string::npos;
    if (at_rest_ || (!named && number)) {
      const auto amount = read_quantity(tree, *load.kind, subject_, problems());
      if (amount == 0.0)
        problems().add(tree, subject_, fmt::format("{} of {} does nothing", tree.text, load.name), "leave it out");
      return amount ? std::optional(DrivenLoad{.profile = tree.text, .amount = *amount}) : std::nullopt;
    }
    const Profile* const profile = reading_.profiles.find(tree, subject_, problems());
    if (!profile) return std::nullopt;
    if (profile->drives->dimension != load.kind->dimension) {
      problems().add(tree, subject_,
                     fmt::format("profile {} is {}, and {} needs {}", profile->name, profile->stated->name, load.name,
                                 load.kind->name),
                     fmt::format("name a profile of {}", load.kind->name));
      return std::nullopt;
    }
    DrivenLoad driven{0, profile->name};
    driven.upper = profile->upper;
    if (profile->is_random()) {
      driven.spectrum = profile->table;
      driven.duration = profile->duration;
      return driven;
    }
    driven.amplitude = profile->amplitude();
    driven.amount = 1;
    driven.sweep_rate = profile->sweep_rate;
    return driven;
  }

  std::string subject_;
  bool at_rest_, by_speed_;
  Reading& reading_;
};

DrivenLoad driven_by(const DrivenEntry& entry, std::size_t choice) {
  DrivenLoad driven = entry.choices[choice];
  driven.phase = entry.phase;
  driven.field = entry.field;
  return driven;
}

// A dot parts the name of an environment from its case.
std::string case_name(std::string text) {
  std::replace(text.begin(), text.end(), '.', '-');
  return text;
}

std::vector<LoadCase> case_of_each_order(const std::vector<DrivenEntry>& entries) {
  std::vector<LoadCase> cases;
  for (const DrivenEntry& entry : entries) {
    auto own =
        std::find_if(cases.begin(), cases.end(), [&](const LoadCase& each) { return each.order == entry.order; });
    if (own == cases.end())
      own = cases.insert(cases.end(), LoadCase{case_name(fmt::format("{:g}x", entry.order)), {}, entry.order});
    own->loads.push_back(driven_by(entry, 0));
  }
  return cases;
}

std::vector<LoadCase> case_of_each_load(const std::vector<DrivenEntry>& entries, const Assembly& assembly) {
  std::vector<LoadCase> cases;
  cases.reserve(entries.size());
  for (const DrivenEntry& entry : entries)
    cases.push_back({assembly.loads[static_cast<std::size_t>(entry.load)].name, {driven_by(entry, 0)}});
  return cases;
}

// All loads together, once for each of the tables that are compared.
std::vector<LoadCase> case_of_each_table(const std::vector<DrivenEntry>& entries) {
  std::vector<LoadCase> cases;
  std::size_t most = 1;
  for (const DrivenEntry& entry : entries) most = std::max(most, entry.choices.size());
  for (std::size_t k = 0; k < most && !entries.empty(); ++k) {
    LoadCase together;
    for (const DrivenEntry& entry : entries) {
      const bool compared = entry.choices.size() > 1;
      together.loads.push_back(driven_by(entry, compared ? k : 0));
      if (!compared) continue;
      together.name = case_name(entry.choices[k].profile);
      std::replace(together.name.begin(), together.name.end(), ' ', '-');
    }
    cases.push_back(std::move(together));
  }
  return cases;
}

}  // namespace

std::vector<LoadCase> read_load_cases(const Tree& tree, MapReader& map, bool at_rest, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = map.subject() + " loads";
  const Tree* const acting = at_rest ? nullptr : map.optional("acting");
  const bool apart =
      acting && read_word(*acting, {"together", "separately"}, map.subject() + " acting", problems).value_or(0) == 1;
  const bool by_speed = !at_rest && map.tree().find("speeds");
  LoadCaseReader reader(subject, at_rest, by_speed, reading);
  std::vector<DrivenEntry> entries;
  bool broken = false;
  // {pump: 30 N, panel: 2 kPa} is short for a list of them.
  std::vector<Tree> listed;
  if (tree.is_map() && !tree.find("phase") && !tree.find("order") && !tree.find(pressure_field_key)) {
    for (const Tree::Entry& entry : tree.entries) {
      Tree one = tree;
      one.place = entry.place;
      one.entries = {entry};
      listed.push_back(std::move(one));
    }
  } else {
    for (const Tree* each : one_or_more(tree)) listed.push_back(*each);
  }
  if (listed.empty()) problems.add(tree, subject, "no load is named, so nothing acts", "name one, or leave loads out");
  for (const Tree& item : listed) {
    auto entry = reader.read(item);
    if (!entry) {
      broken = true;
      continue;
    }
    for (const DrivenEntry& other : entries)
      if (other.load == entry->load && other.order == entry->order)
        problems.add(item, subject,
                     fmt::format("load {} is named twice",
                                 reading.plan.assembly.loads[static_cast<std::size_t>(entry->load)].name),
                     "name it once; several tables to compare are a list: {PUMP: [IDLE, FULL]}");
    entries.push_back(std::move(*entry));
  }
  if (broken) return {};
  std::size_t compared = 0;
  for (const DrivenEntry& entry : entries) compared += entry.choices.size() > 1 ? 1 : 0;
  if (compared > 1 || (compared == 1 && apart)) {
    problems.add(
        tree, subject, "tables of one load at a time are compared",
        apart ? "let the loads act together, or give one table each" : "write an environment for each other load");
    return {};
  }
  if (at_rest && compared > 0) {
    problems.add(tree, subject, "a load at rest has one amount", "write an environment for each");
    return {};
  }
  if (by_speed && (compared > 0 || apart)) {
    problems.add(tree, subject, "orders of a shaft are results of their own already",
                 apart ? "leave acting out" : "write an environment for each table");
    return {};
  }
  if (by_speed) return case_of_each_order(entries);
  return apart ? case_of_each_load(entries, reading.plan.assembly) : case_of_each_table(entries);
}

}  // namespace avrenk
