// loads: where forces, moments and pressures act, per unit of what drives them, and what an environment makes of them.
#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/load/applied.h"
#include "core/mesh/select.h"
#include "core/model/spring_law.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

// Beside a load: how a random pressure goes together from point to point.
constexpr const char* field_key = "pressure field";

// Places, or whole parts, by their names: their nodes.
std::optional<Nodes> read_region(const Tree& tree, const std::string& subject, Reading& reading) {
  std::set<int> nodes;
  for (const Tree* each : one_or_more(tree)) {
    if (each->is_text() && reading.parts.knows(each->text) && !reading.places.knows(each->text)) {
      const int* const part = reading.parts.find(*each, subject, reading.problems);
      if (!part) return std::nullopt;
      for (const int node : nodes_of_part(reading.plan.assembly, each->text)) nodes.insert(node);
      continue;
    }
    const Nodes* const place = reading.places.find(*each, subject, reading.problems, reading.parts.names());
    if (!place) return std::nullopt;
    nodes.insert(place->begin(), place->end());
  }
  if (nodes.empty()) {
    reading.problems.add(tree, subject, "the list is empty", "name a place or a part");
    return std::nullopt;
  }
  return Nodes(nodes.begin(), nodes.end());
}

// Reads one load from the map beside its keyword. Problems of places that carry nothing become problems of the text.
class LoadReader {
 public:
  LoadReader(const Tree::Entry& entry, const std::string& form, const Tree& what, Reading& reading)
      : what_(what), reading_(reading), map_(what, fmt::format("load {} {}", entry.key, form), reading.problems) {
    load_.name = entry.key;
  }

  std::optional<Load> read(const std::string& form) {
    if (!map_.is_map()) return std::nullopt;
    const std::size_t before = problems().count();
    try {
      if (form == "force" || form == "moment") read_point(form == "moment");
      if (form == "pressure") read_pressure();
      if (form == "traction") read_traction();
      if (form == "line load") read_line_load();
      if (form == "acceleration") read_field();
      if (form == "unbalance") read_unbalance();
      if (form == "temperature") read_temperature();
    } catch (const InputError& error) {
      for (const Problem& problem : error.problems)
        problems().add(what_, "load " + load_.name, problem.wrong, problem.remedy);
    }
    if (problems().count() > before) return std::nullopt;
    if (load_.factors.empty()) load_.factors.assign(load_.columns.size(), 1);
    return load_;
  }

 private:
  [[nodiscard]] Problems& problems() { return reading_.problems; }
  [[nodiscard]] const Assembly& assembly() const { return reading_.plan.assembly; }
  [[nodiscard]] const std::string& subject() const { return map_.subject(); }

  std::optional<Vector3> direction(const char* key) {
    const Tree* const given = map_.required(key, "z");
    return given ? read_signed_direction(*given, subject() + " " + key, problems()) : std::nullopt;
  }
  static std::string text_of(const Tree* tree) {  // for tables
    if (!tree) return "";
    if (tree->is_text()) return tree->text;
    std::string text;
    for (const Tree& item : tree->items) text += (text.empty() ? "" : ", ") + text_of(&item);
    return "(" + text + ")";
  }
  [[nodiscard]] std::string given(const char* key) const { return text_of(what_.find(key)); }

  // Where a point load acts and how it is shared.
  std::optional<PointLoad> read_where(const Sharing usual) {
    const Tree* const at = map_.required("at", "PLACE");
    const Tree* const shared = map_.optional("shared");
    const Tree* const through = map_.optional("through");
    PointLoad point;
    point.name = load_.name;
    point.sharing = usual;
    if (shared)
      point.sharing = static_cast<Sharing>(
          read_word(*shared, {"equally", "by area", "as a body"}, subject() + " shared", problems()).value_or(0));
    if (through) {
      point.through = read_vector(*through, kind::length, subject() + " through", problems());
      if (shared && point.sharing != Sharing::as_a_body)
        problems().add(*through, subject(), "only what is carried as a body acts through a point",
                       "write shared: as a body, or leave through out");
      point.sharing = Sharing::as_a_body;
    }
    const auto nodes = at ? read_nodes(*at, subject() + " at", reading_) : std::nullopt;
    if (!nodes) return std::nullopt;
    point.nodes = *nodes;
    return point;
  }

  void read_point(bool moment) {
    auto point = read_where(moment ? Sharing::as_a_body : Sharing::equally);
    const auto along = direction("direction");
    map_.done();
    if (!point || !along) return;
    point->amount.setZero();
    (moment ? point->amount.tail<3>() : point->amount.head<3>()) = *along;
    load_.kind = moment ? &kind::moment : &kind::force;
    load_.columns = {point_load(assembly(), reading_.surface(), *point)};
    load_.words = fmt::format("{} {} {} at {}", moment ? "moment" : "force", moment ? "about" : "along",
                              given("direction"), given("at"));
  }

  std::optional<std::vector<const Surface::Face*>> read_faces() {
    const Tree* const on = map_.required("on", "PLACE");
    const auto nodes = on ? read_region(*on, subject() + " on", reading_) : std::nullopt;
    return nodes ? std::optional(faces_within(reading_.surface(), *nodes)) : std::nullopt;
  }

  void read_pressure() {
    const auto faces = read_faces();
    PressureSide side;
    if (const Tree* from = map_.optional("from")) {
      if (from->is_map()) {
        MapReader point(*from, subject() + " from", problems());
        const Tree* const at = point.required("point", "[0 mm, 0 mm, 300 mm]");
        point.done();
        if (at) side.point = read_vector(*at, kind::length, point.subject(), problems());
      } else {
        side.direction = read_signed_direction(*from, subject() + " from", problems());
      }
    }
    map_.done();
    if (!faces) return;
    load_.kind = &kind::pressure;
    load_.faces = pressed_faces(assembly(), load_.name, *faces, side);
    load_.columns = {uniform_pressure(load_.faces)};
    load_.words = fmt::format("pressure on {}", given("on"));
  }

  void read_traction() {
    const auto faces = read_faces();
    const auto along = direction("direction");
    map_.done();
    if (!faces || !along) return;
    load_.kind = &kind::pressure;
    load_.columns = {traction(assembly(), load_.name, *faces, *along)};
    load_.words = fmt::format("traction along {} on {}", given("direction"), given("on"));
  }

  void read_line_load() {
    const Tree* const on = map_.required("on", "PART");
    const auto along = direction("direction");
    map_.done();
    const auto nodes = on ? read_region(*on, subject() + " on", reading_) : std::nullopt;
    if (!nodes || !along) return;
    const std::set<int> chosen(nodes->begin(), nodes->end());
    LoadColumn column;
    for (std::size_t b = 0; b < assembly().beams.size(); ++b) {
      const auto& ends = assembly().beams[b].nodes;
      if (chosen.contains(ends[0]) && chosen.contains(ends[1])) column.on_beams[static_cast<int>(b)] = *along;
    }
    if (column.on_beams.empty())
      problems().add(*on, subject(), "no element of a line has both of its ends there",
                     "name a part that is written as a line, or a place that holds its nodes");
    load_.kind = &kind::line_load;
    load_.columns = {column};
    load_.words = fmt::format("force per length along {} on {}", given("direction"), given("on"));
  }

  void read_field() {
    const auto along = direction("direction");
    map_.done();
    if (!along) return;
    LoadColumn column;
    column.field = *along;
    load_.kind = &kind::acceleration;
    load_.columns = {column};
    load_.words = fmt::format("acceleration of all mass along {}", given("direction"));
  }

  void read_temperature() {
    const Tree* const of = map_.required("of", "PART");
    map_.done();
    LoadColumn column;
    if (!of) return;
    std::vector<int> parts;
    if (of->is_text() && of->text == "all" && !reading_.parts.knows("all")) {
      parts.resize(assembly().parts.size());
      std::iota(parts.begin(), parts.end(), 0);
    } else {
      parts = read_parts_named(*of, subject() + " of", reading_);
      if (of->is_list() && of->items.empty())
        problems().add(*of, subject(), "no part is named", "write of: [PART, PART], or of: all");
    }
    for (const int part : parts) {
      const Material& material = assembly().material_of(part);
      if (!material.expansion)
        problems().add(*of, subject(),
                       fmt::format("how much {} of part {} expands is not known", material.name,
                                   assembly().parts[static_cast<std::size_t>(part)].name),
                       fmt::format("write expansion: {} at the material", kind::expansion.example));
      column.warmer[part] = 1;
    }
    load_.kind = &kind::temperature;
    load_.columns = {column};
    load_.words = fmt::format("temperature of {}", given("of"));
  }

  // G 6.3 of ISO 21940-11: eccentricity times the highest service speed, mm/s.
  std::optional<double> read_grade(const Tree& tree) {
    if (tree.is_text() && tree.text.starts_with("G ")) {
      try {
        if (const double grade = parse_as(kind::number, tree.text.substr(2)); grade > 0) return 1e-3 * grade;
      } catch (const InputError&) {  // said below
      }
    }
    problems().add(tree, subject(), fmt::format("\"{}\" is no balance grade", tree.text), "write G 2.5");
    return std::nullopt;
  }

  void read_unbalance() {
    auto point = read_where(Sharing::as_a_body);
    const auto axis = direction("axis");
    const Tree* const sense = map_.optional("sense");
    const Tree* const mark = map_.optional("mark");
    const bool positive =
        !sense || read_word(*sense, {"positive", "negative"}, subject() + " sense", problems()).value_or(0) == 0;
    std::optional<Vector3> first;
    if (mark) first = read_signed_direction(*mark, subject() + " mark", problems());
    if (what_.find("amount") || !what_.find("mass")) {
      if (const Tree* amount =
              map_.required("amount", "0.8 gram cm, or mass: 1.2 kg, balance grade: G 2.5, at speed: 6000 rpm"))
        load_.unbalance = read_quantity(*amount, kind::unbalance, subject() + " amount", problems(), Sign::positive);
    } else {
      const auto mass = map_.required_quantity("mass", kind::mass, Sign::positive);
      const Tree* const grade = map_.required("balance grade", "G 2.5");
      const auto speed = map_.required_quantity("at speed", kind::frequency, Sign::positive);
      const auto rate = grade ? read_grade(*grade) : std::nullopt;
      if (mass && rate && speed) load_.unbalance = *mass * *rate / (2 * pi * *speed);
    }
    map_.done();
    if (!point || !axis || !load_.unbalance) return;
    const double unbalance = *load_.unbalance;
    load_ = rotating_force(assembly(), reading_.surface(), *point, *axis, positive, first);
    load_.unbalance = unbalance;
    load_.kind = &kind::unbalance;
    load_.words = fmt::format("unbalance about {} at {}", given("axis"), given("at"));
  }

  const Tree& what_;
  Reading& reading_;
  MapReader map_;
  Load load_;
};

std::optional<Load> read_load(const Tree::Entry& entry, Reading& reading) {
  const std::string subject = "load " + entry.key;
  const bool taken = entry.key == "phase" || entry.key == "order" || entry.key == field_key;
  if (entry.key.find('.') != std::string::npos || taken) {
    Tree at;
    at.place = entry.place;
    reading.problems.add(at, subject,
                         taken ? fmt::format("the name stands for the {} of a load in an environment", entry.key)
                               : "a dot parts the name of an environment from its case",
                         "choose another name");
  }
  MapReader map(entry.value, subject, reading.problems);
  if (!map.is_map()) return std::nullopt;
  const auto [form, what] =
      map.one_of({"force", "moment", "pressure", "traction", "line load", "acceleration", "unbalance", "temperature"});
  map.done();
  if (!what) return std::nullopt;
  return LoadReader(entry, form, *what, reading).read(form);
}

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
      for (const Tree::Entry& each : tree.entries) {
        if (each.key == "phase" || each.key == "order" || each.key == field_key) continue;
        if (amount) {
          problems().add(each.value, subject_, "two loads stand in one entry", "write [{PUMP: 30 N}, {PANEL: 2 kPa}]");
          return std::nullopt;
        }
        name.kind = Tree::Kind::text;
        name.text = each.key;
        name.place = each.place;
        amount = &each.value;
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
      if (const Tree* field = tree.find(field_key)) {
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
    for (const Tree* each : one_or_more(*amount))
      if (auto choice = read_amount(*each, load)) {
        choice->load = *index;
        entry.choices.push_back(std::move(*choice));
      }
    if (entry.field && !takes_field(*tree.find(field_key), load, entry)) return std::nullopt;
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
    MapReader map(tree, subject_ + " " + field_key, problems());
    if (!map.is_map()) return std::nullopt;
    const auto [law, what] = map.one_of({"diffuse", "boundary layer"});
    map.done();
    if (!what) return std::nullopt;
    MapReader own(*what, map.subject() + " " + law, problems());
    if (!own.is_map()) return std::nullopt;
    PressureField field;
    if (law == "diffuse") {
      const auto speed = own.required_quantity("speed of sound", kind::velocity, Sign::positive);
      own.done();
      if (speed) field.speed = *speed;
      return speed ? std::optional(field) : std::nullopt;
    }
    field.law = PressureField::Law::boundary_layer;
    const Tree* const direction = own.required("direction", "x");
    const auto speed = own.required_quantity("speed", kind::velocity, Sign::positive);
    const auto along =
        direction ? read_named_direction(*direction, own.subject() + " direction", problems()) : std::nullopt;
    field.along = own.quantity("decay along", kind::number, Sign::positive).value_or(field.along);
    field.across = own.quantity("decay across", kind::number, Sign::positive).value_or(field.across);
    own.done();
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
  if (tree.is_map() && !tree.find("phase") && !tree.find("order") && !tree.find(field_key)) {
    for (const Tree::Entry& each : tree.entries) {
      Tree one = tree;
      one.place = each.place;
      one.entries = {each};
      listed.push_back(std::move(one));
    }
  } else {
    for (const Tree* each : one_or_more(tree)) listed.push_back(*each);
  }
  if (listed.empty()) problems.add(tree, subject, "no load is named, so nothing acts", "name one, or leave loads out");
  for (const Tree& each : listed) {
    auto entry = reader.read(each);
    if (!entry) {
      broken = true;
      continue;
    }
    for (const DrivenEntry& other : entries)
      if (other.load == entry->load && other.order == entry->order)
        problems.add(each, subject,
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

void read_loads(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["load " + entry.key] = entry.place;
    const auto load = read_load(entry, reading);
    if (load) reading.plan.assembly.loads.push_back(*load);
    reading.loads.declare(
        entry.key, load ? std::optional(static_cast<int>(reading.plan.assembly.loads.size()) - 1) : std::nullopt);
  }
}

}  // namespace avrenk
