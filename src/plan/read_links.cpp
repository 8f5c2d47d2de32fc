// joints without stiffness of their own, and bolts: rigid links, weighted averages, attachments, merges.
#include <algorithm>
#include <numeric>

#include "core/mesh/attach.h"
#include "core/mesh/average.h"
#include "core/mesh/bolt.h"
#include "core/mesh/merge.h"
#include "core/mesh/select.h"
#include "core/words.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

std::optional<Nodes> required_nodes(MapReader& map, const std::string& key, Reading& reading) {
  const Tree* const tree = map.required(key, "PLACE");
  return tree ? read_nodes(*tree, map.subject(), reading) : std::nullopt;
}

}  // namespace

std::vector<int> read_carriers(const Tree& tree, const std::string& subject, Reading& reading) {
  std::vector<int> parts = read_parts_named(tree, subject, reading);
  for (const int part : parts) {
    const Part& carrier = reading.plan.assembly.parts[static_cast<std::size_t>(part)];
    const bool component = carrier.form == Part::Form::component;
    if (carrier.form != Part::Form::line && !component) continue;
    reading.problems.add(tree, subject,
                         fmt::format("part {} is {}, which {} no faces", carrier.name,
                                     component ? "a component" : "made of lines", component ? "has" : "have"),
                         "name a part of shells or solids, or use a rigid joint");
    return {};
  }
  return parts;
}

std::pair<Nodes, std::string> read_side(const std::string& how, const Tree& what, const std::string& subject,
                                        Reading& reading) {
  const Assembly& assembly = reading.plan.assembly;
  std::pair<Nodes, std::string> side;
  auto& [nodes, words] = side;
  if (how == "place") {
    for (const Tree* each : one_or_more(what)) words += (words.empty() ? "place " : ", ") + each->text;
    nodes = read_nodes(what, subject, reading).value_or(Nodes{});
    return side;
  }
  for (const int part : read_parts_named(what, subject, reading)) {
    const std::string& own = assembly.parts[static_cast<std::size_t>(part)].name;
    words += (words.empty() ? "" : ", ") + own;
    for (const int node : nodes_of_part(assembly, own)) nodes.push_back(node);
  }
  return side;
}

// Links each following node to the nearest leading one.
void read_rigid(const Tree& tree, const std::string& name, Reading& reading) {
  MapReader map(tree, "joint " + name, reading.problems);
  if (!map.is_map()) return;
  const std::optional<Nodes> lead = required_nodes(map, "lead", reading);
  const std::optional<Nodes> follow = required_nodes(map, "follow", reading);
  map.done();
  if (!lead || !follow) return;
  Assembly& assembly = reading.plan.assembly;
  std::vector<RigidLink> links;
  for (const int node : *lead) links.push_back({name, node, {}});
  for (const int node : *follow) {
    const int nearest = nearest_node(assembly, *lead, assembly.position(node)).first;
    if (nearest != node)
      links[static_cast<std::size_t>(std::find(lead->begin(), lead->end(), nearest) - lead->begin())].follow.push_back(
          node);
  }
  if (std::all_of(links.begin(), links.end(), [](const RigidLink& link) { return link.follow.empty(); }))
    reading.problems.add(tree, map.subject(), "every node that is to follow leads itself, so that nothing follows",
                         "name two places that differ");
  for (RigidLink& link : links)
    if (!link.follow.empty()) assembly.links.push_back(std::move(link));
}

void read_average(const Tree& tree, const std::string& name, Reading& reading) {
  MapReader map(tree, "joint " + name, reading.problems);
  if (!map.is_map()) return;
  const std::optional<Nodes> follow = required_nodes(map, "follow", reading);
  const std::optional<Nodes> of = required_nodes(map, "of", reading);
  const Tree* const by_tree = map.optional("weights");
  const int by =
      by_tree ? read_word(*by_tree, {"equal", "area"}, map.subject() + " weights", reading.problems).value_or(0) : 0;
  map.done();
  if (!follow || !of) return;
  Assembly& assembly = reading.plan.assembly;
  std::vector<double> weights(of->size(), 1.0);
  if (by == 1) weights = tributary_areas(assembly, reading.surface(), *of);
  if (std::all_of(weights.begin(), weights.end(), [](double w) { return w <= 0; })) {
    reading.problems.add(*by_tree, map.subject(), "no face has all its nodes in that place, so no node has an area",
                         "write weights: equal, or name a place that covers faces");
    return;
  }
  int patch = 0;
  for (const int node : *follow) {
    if (std::find(of->begin(), of->end(), node) != of->end()) {
      reading.problems.add(tree, map.subject(), assembly.describe_node(node) + " would be part of its own mean",
                           "leave it out of one of the two places");
      return;
    }
    add_average(assembly, name, node, *of, weights);
    assembly.followers.back().patch = patch++;
  }
}

void read_attachment(const Tree& tree, const std::string& name, Reading& reading) {
  MapReader map(tree, "joint " + name, reading.problems);
  if (!map.is_map()) return;
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  Assembly& assembly = reading.plan.assembly;
  Attachment request;
  request.joint = name;
  const auto [how, what] = map.one_of({"part", "place"});
  const Tree* const to = map.required("to", "PART");
  request.within = map.required_quantity("within", kind::length, Sign::positive).value_or(0);
  map.done();
  request.all = how == "place";
  if (what) std::tie(request.nodes, request.followers) = read_side(how, *what, map.subject(), reading);
  if (to) request.to = read_carriers(*to, map.subject(), reading);
  if (problems.count() > before || !what || !to) return;
  (void)attach(assembly, reading.surface(), request);
}

std::optional<std::vector<int>> read_bolts(const Tree& tree, const std::string& name, Reading& reading) {
  MapReader map(tree, "joint " + name, reading.problems);
  if (!map.is_map()) return std::nullopt;
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  Assembly& assembly = reading.plan.assembly;
  const std::string& subject = map.subject();
  const std::optional<Nodes> at = required_nodes(map, "at", reading);
  const Tree* const grips = map.required("grips", "[bracket, deck]");
  Bolt bolt;
  bolt.joint = name;
  bolt.diameter = map.required_quantity("diameter", kind::length, Sign::positive).value_or(0);
  bolt.footprint = map.quantity("footprint", kind::length, Sign::positive).value_or(2 * bolt.diameter);
  bolt.within = map.quantity("within", kind::length, Sign::positive).value_or(bolt.diameter);
  const auto length = map.quantity("length", kind::length, Sign::positive);
  bolt.loss_factor = map.quantity("loss factor", kind::ratio, Sign::not_negative);
  bolt.tension = map.quantity("tension", kind::force, Sign::positive);
  const Tree* const material_tree = map.required("material", "MATERIAL");
  const int* const material = material_tree ? reading.materials.find(*material_tree, subject, problems) : nullptr;
  const Tree* const along_tree = map.optional("along");
  const auto along = along_tree ? read_named_direction(*along_tree, subject + " along", problems) : std::nullopt;
  map.done();
  if (grips && (!grips->is_list() || grips->items.size() != 2))
    problems.add(*grips, subject, "two are due", "write grips: [PART, PART], or [PART, BASE]");
  if (problems.count() > before || !at || !grips || !material) return std::nullopt;
  if (bolt.footprint <= bolt.diameter)
    problems.add(tree, subject, "the footprint is no wider than the bolt", "give the diameter under its head");
  const Material& metal = assembly.materials[static_cast<std::size_t>(*material)];
  if (metal.orthotropic)
    problems.add(*material_tree, subject, fmt::format("material {} is orthotropic", metal.name),
                 "name the isotropic material of the bolt");
  bolt.material = metal.elastic();
  const std::vector<int> first = read_carriers(grips->items[0], subject, reading);
  int base = -1;
  for (std::size_t b = 0; b < assembly.bases.size(); ++b)
    if (grips->items[1].is_text() && assembly.bases[b].name == grips->items[1].text) base = static_cast<int>(b);
  const std::vector<int> second = base < 0 ? read_carriers(grips->items[1], subject, reading) : std::vector<int>{-1};
  if (problems.count() > before || first.empty() || second.empty()) return std::nullopt;
  bolt.length = length.value_or(0);
  if (!length)
    for (const int part : {first[0], second[0]}) {
      if (part < 0) continue;
      const Part& carrier = assembly.parts[static_cast<std::size_t>(part)];
      if (carrier.form == Part::Form::solid) {
        problems.add(tree, subject, fmt::format("the clamped length is not known: {} is of solids", carrier.name),
                     "write length: 9 mm, the thickness of all that it clamps");
        return std::nullopt;
      }
      bolt.length += carrier.thickness;
    }
  std::vector<Vector3> places;
  for (const int node : *at) places.push_back(assembly.position(node));
  std::vector<int> springs(places.size());
  std::iota(springs.begin(), springs.end(), static_cast<int>(assembly.springs.size()));
  const std::string gripped = add_bolts(assembly, reading.surface(), bolt, places, along, first[0], second[0], base);
  reading.plan.notes.push_back(fmt::format("joint {}: {} of {:.4g} mm, footprint {:.4g} mm, clamped length {:.4g} mm{}",
                                           name, counted(places.size(), "bolt"), 1e3 * bolt.diameter,
                                           1e3 * bolt.footprint, 1e3 * bolt.length, gripped));
  return springs;
}

void read_merges(const Tree& section, Reading& reading) {
  constexpr double same_spot = 1e-9;  // m: nearer than this is rounding
  for (const Tree::Entry& entry : section.entries) {
    if (!entry.value.is_map() || entry.value.entries.size() != 1 || entry.value.entries[0].key != "merge") continue;
    MapReader map(entry.value.entries[0].value, "joint " + entry.key, reading.problems);
    if (!map.is_map()) continue;
    const Tree* const parts_tree = map.required("parts", "[deck, rib]");
    const auto within = map.required_quantity("within", kind::length, Sign::positive);
    map.done();
    if (!parts_tree || !within) continue;
    const std::vector<int> parts = read_parts_named(*parts_tree, map.subject(), reading);
    if (parts.empty()) continue;
    try {
      const Merged merged = merge_nodes(reading.plan.assembly, parts, *within);
      for (auto& [name, file] : reading.meshes)
        for (auto& [placement, nodes] : file.nodes)
          for (int& node : nodes)
            if (node >= 0) node = merged.node[static_cast<std::size_t>(node)];
      for (auto& [part, points] : reading.recovered)
        for (auto& [name, node] : points) node = merged.node[static_cast<std::size_t>(node)];
      if (merged.nodes == 0)
        reading.problems.add(map.tree(), map.subject(), "no two nodes of these parts are that near to one another",
                             "write a larger distance within, or leave the joint out");
      reading.plan.notes.push_back(fmt::format(
          "joint {}: {} merged with another at the same spot{}", entry.key,
          counted(static_cast<std::size_t>(merged.nodes), "node"),
          merged.farthest > same_spot ? fmt::format(", at most {:.3g} mm away", 1e3 * merged.farthest) : ""));
    } catch (const InputError& error) {
      reading.problems.add(map.tree(), map.subject(), error.problems.front().wrong, error.problems.front().remedy);
    }
  }
}

}  // namespace avrenk
