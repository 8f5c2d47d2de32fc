// loads: where forces, moments and pressures act, per unit of what drives them.
#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/load/applied.h"
#include "core/mesh/select.h"
#include "core/model/spring_law.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

// Places, or whole parts, by their names: their nodes.
std::optional<Nodes> read_region(const Tree& tree, const std::string& subject, Reading& reading) {
  std::set<int> nodes;
  for (const Tree* item : one_or_more(tree)) {
    if (item->is_text() && reading.parts.knows(item->text) && !reading.places.knows(item->text)) {
      const int* const part = reading.parts.find(*item, subject, reading.problems);
      if (!part) return std::nullopt;
      for (const int node : nodes_of_part(reading.plan.assembly, item->text)) nodes.insert(node);
      continue;
    }
    const Nodes* const place = reading.places.find(*item, subject, reading.problems, reading.parts.names());
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
  const bool taken = entry.key == "phase" || entry.key == "order" || entry.key == pressure_field_key;
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

}  // namespace

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
