// masses, base and joints: what the structure carries, and what holds it together.
#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

#include "core/dense.h"
#include "core/mesh/average.h"
#include "core/mesh/select.h"
#include "core/model/spring_law.h"
#include "plan/sections.h"

namespace avrenk {

std::optional<Matrix3> read_inertia(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  Matrix3 inertia = Matrix3::Zero();
  for (int i = 0; i < 3; ++i) {
    for (int j = i; j < 3; ++j) {
      const std::string key{"xyz"[i], "xyz"[j]};
      const auto value = map.quantity(key, kind::inertia, i == j ? Sign::not_negative : Sign::any);
      inertia(i, j) = inertia(j, i) = (i == j ? 1 : -1) * value.value_or(0);  // products are given as ∫xy dm
    }
  }
  map.done();
  if (problems.count() > before) return std::nullopt;
  const Vector3 principal = tensor_eigen(inertia).values;
  if (principal[0] < -1e-12 * principal[2] || principal[2] > (principal[0] + principal[1]) * (1 + 1e-9)) {
    problems.add(tree, subject,
                 fmt::format("no body has the principal moments {:.4g}, {:.4g}, {:.4g} kg m^2", principal[0],
                             principal[1], principal[2]),
                 "the largest is at most the sum of the other two");
    return std::nullopt;
  }
  return inertia;
}

namespace {

const Nodes* find_one_node(const Tree& tree, const std::string& subject, Reading& reading) {
  const Nodes* const nodes = reading.places.find(tree, subject, reading.problems);
  if (nodes && nodes->size() != 1) {
    reading.problems.add(tree, subject, fmt::format("place \"{}\" has {} nodes, one is due", tree.text, nodes->size()),
                         "name a place of one node");
    return nullptr;
  }
  return nodes;
}

// x, y, z, rx, ry, rz of a dashpot: three constants and three rotational ones.
std::optional<Vector6> read_six(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  Vector6 six = Vector6::Zero();
  for (int i = 0; i < 6; ++i)
    six[i] = map.quantity(std::string(axis_names[static_cast<std::size_t>(i)]),
                          i < 3 ? kind::dashpot : kind::rotational_dashpot, Sign::not_negative)
                 .value_or(0);
  map.done();
  if (problems.count() > before) return std::nullopt;
  if (six.isZero(0)) problems.add(tree, subject, "all six are zero", "give at least one of x, y, z, rx, ry, rz");
  return six;
}

}  // namespace

bool read_scaling(MapReader& map, bool weighed) {
  const Tree* const scale = map.optional("scale");
  if (!scale) return false;
  const bool wanted = read_word(*scale, {"no", "yes"}, map.subject() + " scale", map.problems()) == 1;
  if (wanted && !weighed)
    map.problems().add(*scale, map.subject(), "there is no mass to scale to", "write weighed: 0.41 kg beside it");
  return wanted && weighed;
}

std::optional<Matrix3> read_turned_axes(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const Tree* const x_tree = map.required("x", "[1, 0, 0]");
  const Tree* const y_tree = map.required("y", "[0, 1, 0]");
  map.done();
  const auto x = x_tree ? read_direction(*x_tree, subject, problems) : std::nullopt;
  const auto y = y_tree ? read_direction(*y_tree, subject, problems) : std::nullopt;
  if (!x || !y) return std::nullopt;
  if (x->cross(*y).norm() < 1e-3) {
    problems.add(tree, subject, "x and y point the same way", "give two directions across one another");
    return std::nullopt;
  }
  Matrix3 axes;
  const Vector3 z = x->cross(*y).normalized();
  axes << x->transpose(), z.cross(*x).transpose(), z.transpose();
  return axes;
}

std::optional<std::vector<std::array<int, 2>>> pair_nodes(const Tree& tree, const Nodes& from, const Nodes& to,
                                                          const std::string& subject, Reading& reading) {
  std::vector<std::array<int, 2>> pairs;
  for (const int node : from) {
    const int partner =
        nearest_node(reading.plan.assembly, to, reading.plan.assembly.nodes[static_cast<std::size_t>(node)].position)
            .first;
    if (partner == node) {
      reading.problems.add(tree, subject, reading.plan.assembly.describe_node(node) + " would be paired with itself",
                           "name two places that differ");
      return std::nullopt;
    }
    pairs.push_back({node, partner});
  }
  Nodes partners;
  for (const auto& pair : pairs) partners.push_back(pair[1]);
  std::sort(partners.begin(), partners.end());
  const bool shared = std::adjacent_find(partners.begin(), partners.end()) != partners.end();
  if (to.size() > 1 && (shared || from.size() != to.size())) {
    reading.problems.add(tree, subject,
                         fmt::format("{} nodes cannot be paired one to one with {}", from.size(), to.size()),
                         "name places whose nodes face each other, or a second place of one node");
    return std::nullopt;
  }
  return pairs;
}

namespace {

// A node held by the base at the same spot as each of these.
Nodes base_nodes_at(const Nodes& nodes, Base& base, Assembly& assembly) {
  Nodes held;
  for (const int node : nodes) {
    held.push_back(static_cast<int>(assembly.nodes.size()));
    const Vector3 at = assembly.nodes[static_cast<std::size_t>(node)].position;
    assembly.nodes.push_back({at, base.name});
    base.feet.push_back({held.back()});
  }
  return held;
}

std::optional<Nodes> read_spring(const Tree& tree, const std::string& name, Reading& reading) {
  const std::string subject = "joint " + name;
  Problems& problems = reading.problems;
  Assembly& assembly = reading.plan.assembly;
  const std::size_t before = problems.count();
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Spring model;
  model.joint = name;
  const Tree* const from_tree = map.required("from", "PLACE");
  const Tree* const to_tree = map.required("to", "PLACE");
  if (const Tree* each = map.required("each", "{x: 90 N/mm, y: 90 N/mm, z: 140 N/mm}"))
    read_spring_law(map, *each, model, reading);
  if (const Tree* dashpot = map.optional("dashpot"))
    model.dashpot = read_six(*dashpot, subject + " dashpot", problems).value_or(Vector6::Zero());
  if (const Tree* axes = map.optional("axes"))
    model.axes = read_turned_axes(*axes, subject + " axes", problems).value_or(Matrix3::Identity());
  if (const Tree* gap = map.optional("gap")) {
    model.unilateral = read_gap(*gap, model.stiffness, subject, problems);
    if (model.law)
      problems.add(*gap, subject, "a spring that opens and closes has one stiffness and one loss factor",
                   "leave its tables and variants out, or give it a spring beside it");
  }
  std::optional<Vector3> point;
  if (const Tree* at = map.optional("acts at")) point = read_vector(*at, kind::length, subject + " acts at", problems);
  map.done();
  const std::optional<Nodes> from = from_tree ? read_nodes(*from_tree, subject, reading) : std::nullopt;
  std::vector<std::string> others{"ground"};
  Base* own_base = nullptr;
  for (Base& base : assembly.bases) {
    others.push_back(base.name);
    if (to_tree && to_tree->is_text() && to_tree->text == base.name) own_base = &base;
  }
  std::vector<std::array<int, 2>> pairs;
  if (from && to_tree && to_tree->is_text() && to_tree->text == "ground") {
    for (const int node : *from) pairs.push_back({node, -1});
  } else if (from && own_base) {
    const Nodes held = base_nodes_at(*from, *own_base, assembly);
    for (std::size_t i = 0; i < from->size(); ++i) pairs.push_back({(*from)[i], held[i]});
  } else if (const auto to = to_tree ? read_nodes(*to_tree, subject, reading, others) : std::nullopt; from && to) {
    pairs = pair_nodes(*to_tree, *from, *to, subject, reading).value_or(std::vector<std::array<int, 2>>{});
  }
  if (problems.count() > before || pairs.empty()) return std::nullopt;
  Nodes springs;
  for (const auto& pair : pairs) {
    const Vector3& first = assembly.nodes[static_cast<std::size_t>(pair[0])].position;
    const Vector3 second = pair[1] < 0 ? first : assembly.nodes[static_cast<std::size_t>(pair[1])].position;
    model.nodes = pair;
    model.point = point.value_or(0.5 * (first + second));
    springs.push_back(static_cast<int>(assembly.springs.size()));
    assembly.springs.push_back(model);
  }
  return springs;
}

}  // namespace

void read_masses(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  Assembly& assembly = reading.plan.assembly;
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "mass " + entry.key;
    reading.plan.subjects[subject] = entry.place;
    const std::size_t before = problems.count();
    MapReader map(entry.value, subject, problems);
    if (!map.is_map()) continue;
    PointMass mass;
    double scale = 1;
    mass.name = entry.key;
    mass.mass = map.required_quantity("mass", kind::mass, Sign::not_negative).value_or(0);
    mass.weighed = map.quantity("weighed", kind::mass, Sign::positive);
    if (read_scaling(map, mass.weighed.has_value()) && mass.mass > 0) {
      const double factor = mass.weighed.value_or(mass.mass) / mass.mass;
      scale = factor;
      reading.plan.notes.push_back(
          fmt::format("{}: mass and inertia times {:.4g}, so that it has the {:.4g} kg weighed", subject, factor,
                      mass.weighed.value_or(mass.mass)));
    }
    if (const Tree* inertia = map.optional("inertia"))
      mass.inertia = read_inertia(*inertia, subject + " inertia", problems).value_or(Matrix3::Zero());
    const auto [how, where] = map.one_of({"position", "at"});
    if (how == "at") {
      if (const Nodes* nodes = find_one_node(*where, subject, reading)) mass.node = nodes->front();
      if (const Tree* offset = map.optional("offset"))
        mass.offset = read_vector(*offset, kind::length, subject + " offset", problems).value_or(Vector3::Zero());
    } else if (how == "position") {
      const auto at = read_vector(*where, kind::length, subject + " position", problems);
      const Tree* const carrier = map.required("carried by", "PLACE");
      const Tree* const link = map.optional("link");
      const bool on_average = link && read_word(*link, {"rigid", "average"}, subject + " link", problems) == 1;
      const std::optional<Nodes> carried_by = carrier ? read_nodes(*carrier, subject, reading) : std::nullopt;
      if (at && carried_by) {
        mass.node = static_cast<int>(assembly.nodes.size());
        assembly.nodes.push_back({*at, entry.key});
        // A place that leads already (one node of a part) carries the mass; many nodes are joined by it as a rigid
        // body, or carry it by their mean.
        if (on_average) {
          try {
            add_average(assembly, entry.key, mass.node, *carried_by, std::vector<double>(carried_by->size(), 1.0));
          } catch (const InputError& error) {
            problems.add(*carrier, subject, error.problems.front().wrong, error.problems.front().remedy);
          }
        } else if (carried_by->size() == 1)
          assembly.links.push_back({entry.key, carried_by->front(), {mass.node}});
        else
          assembly.links.push_back({entry.key, mass.node, *carried_by});
        if (reading.places.knows(entry.key))
          problems.add(entry.value, subject, fmt::format("there is a place \"{}\" already", entry.key),
                       "a mass with a position is a place too: choose another name");
        else
          reading.places.declare(entry.key, Nodes{mass.node});
        assembly.places[entry.key] = {mass.node};
        reading.plan.subjects["joint " + entry.key] = entry.place;
      } else if (!reading.places.knows(entry.key)) {
        reading.places.declare(entry.key, std::nullopt);
      }
    }
    map.done();
    mass.mass *= scale;
    mass.inertia *= scale;
    if (problems.count() == before) assembly.masses.push_back(mass);
  }
}

namespace {

// "all", or a list of directions.
std::array<bool, 6> read_holds(const Tree& tree, const std::string& subject, Problems& problems) {
  std::array<bool, 6> holds{true, true, true, true, true, true};
  if (tree.is_text() && tree.text == "all") return holds;
  holds.fill(false);
  std::vector<std::string> names(axis_names.begin(), axis_names.end());
  if (tree.is_text()) names.emplace_back("all");  // what else could have been meant
  for (const Tree* each : one_or_more(tree))
    if (const auto axis = read_word(*each, names, subject + " holds", problems))
      holds[static_cast<std::size_t>(*axis)] = true;
  return holds;
}

// Feet at the nodes of one or several places; a node that stands in several entries is held in all their directions.
// `foot_of` knows the foot at each node so far.
void add_feet(MapReader& map, const Tree* place, Base& base, std::map<int, std::size_t>& foot_of, Reading& reading) {
  SupportNode foot;
  if (const Tree* holds = map.optional("holds")) foot.holds = read_holds(*holds, map.subject(), reading.problems);
  if (!place) return;
  for (const int node : read_nodes(*place, map.subject(), reading).value_or(Nodes{})) {
    const auto [known, fresh] = foot_of.try_emplace(node, base.feet.size());
    foot.node = node;
    if (fresh) {
      base.feet.push_back(foot);
      continue;
    }
    std::array<bool, 6>& holds = base.feet[known->second].holds;
    std::transform(foot.holds.begin(), foot.holds.end(), holds.begin(), holds.begin(), std::logical_or<>());
  }
}

}  // namespace

void read_base(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  if (!section.is_map() || section.entries.empty()) {
    problems.add(section, "base", "no base is given", "write base: {fixture: {place: feet}}");
    return;
  }
  for (const Tree::Entry& entry : section.entries) {
    Base base;
    base.name = entry.key;
    reading.plan.subjects["base " + entry.key] = entry.place;
    MapReader map(entry.value, "base " + entry.key, problems);
    if (!map.is_map()) continue;
    const Tree* const place = map.optional("place");  // neither: springs to the base hold the model
    const Tree* const feet = map.optional("feet");
    if (place && feet) problems.add(*feet, map.subject(), "\"place\" and \"feet\" cannot both be given", "keep one");
    std::map<int, std::size_t> foot_of;
    if (!feet) add_feet(map, place, base, foot_of, reading);
    for (const Tree* item : feet ? one_or_more(*feet) : std::vector<const Tree*>{}) {
      MapReader some(*item, map.subject() + " feet", problems);
      if (!some.is_map()) continue;
      add_feet(some, some.required("place", "PLACE"), base, foot_of, reading);
      some.done();
    }
    for (const SupportNode& foot : base.feet)
      base.point += reading.plan.assembly.position(foot.node) / static_cast<double>(base.feet.size());
    if (const Tree* point = map.optional("point"))
      base.point = read_vector(*point, kind::length, map.subject() + " point", problems).value_or(Vector3::Zero());
    map.done();
    reading.plan.assembly.bases.push_back(base);
  }
}

int find_base(const Tree& tree, const std::string& subject, Reading& reading) {
  std::vector<std::string> names;
  for (const Base& base : reading.plan.assembly.bases) names.push_back(base.name);
  const auto found = std::find(names.begin(), names.end(), tree.text);
  if (tree.is_text() && found != names.end()) return static_cast<int>(found - names.begin());
  if (names.empty()) return -1;  // said where the base is read
  reading.problems.add(tree, subject, fmt::format("no base \"{}\"", tree.text), suggest_name(tree.text, names));
  return -1;
}

void read_joints(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "joint " + entry.key;
    reading.plan.subjects[subject] = entry.place;
    MapReader map(entry.value, subject, reading.problems);
    std::optional<Nodes> springs;
    if (map.is_map()) {
      static constexpr std::pair<const char*, Joint::Type> types[] = {
          {"rigid", Joint::Type::rigid},    {"average", Joint::Type::average}, {"attach", Joint::Type::attachment},
          {"spring", Joint::Type::spring},  {"bolt", Joint::Type::bolt},       {"merge", Joint::Type::merge},
          {"contact", Joint::Type::contact}};
      std::vector<std::string> names;
      for (const auto& [name, type] : types) names.emplace_back(name);
      const auto [word, what] = map.one_of(names);
      map.done();
      for (const auto& [name, type] : types)
        if (word == name) reading.plan.assembly.joints.push_back({entry.key, type});
      const std::size_t before = reading.problems.count();
      try {
        if (word == "rigid") read_rigid(*what, entry.key, reading);
        if (word == "average") read_average(*what, entry.key, reading);
        if (word == "attach") read_attachment(*what, entry.key, reading);
        if (word == "spring") springs = read_spring(*what, entry.key, reading);
        if (word == "bolt") springs = read_bolts(*what, entry.key, reading);
        if (word == "contact") springs = read_contact(*what, entry.key, reading);
      } catch (const InputError& error) {  // the geometry does not allow it
        for (const Problem& problem : error.problems)
          reading.problems.add(*what, problem.subject, problem.wrong, problem.remedy);
      }
      if (word != "spring" && word != "bolt" && word != "contact" && what && reading.problems.count() == before)
        springs = Nodes{};
    }
    reading.joints.declare(entry.key, springs);
  }
}

}  // namespace avrenk
