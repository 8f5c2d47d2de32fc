// places: nodes by part, region, nearest point, set of a file, direction of a surface; and sets of those.
#include <algorithm>
#include <cmath>

#include "core/mesh/select.h"
#include "plan/array_choice.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

constexpr double place_tolerance =
    1e-6;  // m: nodes this near to a plane, box or cylinder lie in it unless it says more

void add_new(Nodes& all, const Nodes& more) {
  std::set<int> known(all.begin(), all.end());
  for (const int node : more)
    if (known.insert(node).second) all.push_back(node);
}

// One way to choose nodes: a map with its keys, named in messages by the place that it stands in.
class Selector {
 public:
  Selector(const Tree& tree, std::string name, Reading& reading)
      : tree_(tree), name_(std::move(name)), reading_(reading), map_(tree, "place " + name_, reading.problems) {}

  std::optional<Nodes> read() {
    if (!map_.is_map()) return std::nullopt;
    const bool part_alone = tree_.entries.size() == 1 && tree_.entries.front().key == "part";
    const auto [how, what] = part_alone
                                 ? std::pair<std::string, const Tree*>{"part", tree_.find("part")}
                                 : map_.one_of({"plane", "nearest", "box", "cylinder", "set", "surface of", "points",
                                                "recovered by", "union", "intersection", "difference"});
    if (part_alone) (void)map_.optional("part");
    if (!what) {
      (void)map_.optional("part");  // known, though not enough
      map_.done();
      return std::nullopt;
    }
    if (how == "points") return points(*what);
    if (how == "recovered by") return recovered(*what);
    if (how == "union" || how == "intersection" || how == "difference") return combine(how, *what);
    std::optional<Nodes> found;
    if (how == "surface of") {
      found = facing(*what);
    } else {
      const std::optional<Nodes> among = read_among(how, *what);
      if (!among) {
        map_.done();
        return std::nullopt;
      }
      if (how == "part") found = *among;
      if (how == "nearest") found = nearest(*what, *among);
      if (how == "plane") found = plane(*what, *among);
      if (how == "box") found = box(*what, *among);
      if (how == "cylinder") found = cylinder(*what, *among);
      if (how == "set") found = file_set(*what);
    }
    map_.done();
    if (found && found->empty()) {
      problems().add(*what, subject(), "no node lies there", "check the coordinates, or let a line end there");
      return std::nullopt;
    }
    if (found && how != "nearest" && how != "part") reading_.plan.regions.insert(name_);
    return found;
  }

 private:
  [[nodiscard]] Problems& problems() { return reading_.problems; }
  [[nodiscard]] const std::string& subject() const { return map_.subject(); }
  [[nodiscard]] const Assembly& assembly() const { return reading_.plan.assembly; }

  // The nodes to choose from: of one part or of several, or of the whole model.
  std::optional<Nodes> read_among(const std::string& how, const Tree& what) {
    const Tree* const part = how == "part" ? &what : map_.optional("part");
    if (!part) return nodes_of_part(assembly(), "");
    Nodes nodes;
    for (const int index : parts_ = read_parts_named(*part, subject(), reading_))
      add_new(nodes, nodes_of_part(assembly(), assembly().parts[static_cast<std::size_t>(index)].name));
    return parts_.empty() ? std::nullopt : std::optional(nodes);
  }

  double tolerance() { return map_.quantity("within", kind::length, Sign::positive).value_or(place_tolerance); }

  // Nodes of their own, on no part.
  std::optional<Nodes> points(const Tree& what) {
    map_.done();
    Nodes nodes;
    for (const Tree* item : point_list(what)) {
      const auto at = read_vector(*item, kind::length, subject() + " points", problems());
      if (!at) return std::nullopt;
      nodes.push_back(static_cast<int>(assembly().nodes.size()));
      reading_.plan.assembly.nodes.push_back({*at, name_});
    }
    return nodes;
  }

  // Points that components recover: all of a part, or those of some names.
  std::optional<Nodes> recovered(const Tree& what) {
    const Tree* const named = map_.optional("named");
    map_.done();
    Nodes nodes;
    for (const int part : read_parts_named(what, subject(), reading_)) {
      const std::string& name = assembly().parts[static_cast<std::size_t>(part)].name;
      const auto found = reading_.recovered.find(name);
      if (found == reading_.recovered.end()) {
        problems().add(what, subject(), fmt::format("part {} is no component", name),
                       "name one that is written as {component: FILE}, or choose nodes in another way");
        return std::nullopt;
      }
      std::vector<std::string> names;
      for (const auto& [point, node] : found->second)
        if (!point.empty()) names.push_back(point);
      if (!named)
        for (const auto& [point, node] : found->second) add_new(nodes, {node});
      for (const Tree* item : named ? one_or_more(*named) : std::vector<const Tree*>{}) {
        const std::size_t before = nodes.size();
        for (const auto& [point, node] : found->second)
          if (item->is_text() && point == item->text) add_new(nodes, {node});
        if (nodes.size() > before) continue;
        problems().add(*item, subject(),
                       fmt::format("{} recovers no point \"{}\"", name, item->is_text() ? item->text : ""),
                       names.empty() ? "it recovers none that has a name" : suggest_name(item->text, names));
        return std::nullopt;
      }
      if (nodes.empty()) {
        problems().add(what, subject(), fmt::format("component {} recovers no point", name),
                       "its owner must say which motions are to be watched");
        return std::nullopt;
      }
    }
    return nodes.empty() ? std::nullopt : std::optional(nodes);
  }

  static std::vector<const Tree*> point_list(const Tree& tree) {
    const bool list = tree.is_list() && !tree.items.empty() && tree.items.front().is_list();
    return list ? one_or_more(tree) : std::vector<const Tree*>{&tree};
  }

  std::optional<Nodes> nearest(const Tree& what, const Nodes& among) {
    Nodes nodes;
    for (const Tree* item : point_list(what)) {
      const auto at = read_vector(*item, kind::length, subject() + " nearest", problems());
      if (!at || among.empty()) return std::nullopt;
      add_new(nodes, {nearest_node(assembly(), among, *at).first});
    }
    return nodes;
  }

  std::optional<Nodes> plane(const Tree& what, const Nodes& among) {
    const double within = tolerance();
    MapReader plane(what, subject() + " plane", problems());
    if (!plane.is_map()) return std::nullopt;
    if (what.find("normal")) {
      const auto normal = read_named_direction(*plane.optional("normal"), plane.subject() + " normal", problems());
      const Tree* const through_tree = plane.required("through", "[0 mm, 0 mm, 0 mm]");
      plane.done();
      const auto through =
          through_tree ? read_vector(*through_tree, kind::length, plane.subject(), problems()) : std::nullopt;
      if (!normal || !through) return std::nullopt;
      return nodes_in_plane(assembly(), among, *through, *normal, within);
    }
    const auto [axis, value] = plane.one_of({"x", "y", "z"});
    plane.done();
    const auto at = value ? read_quantity(*value, kind::length, plane.subject(), problems()) : std::nullopt;
    if (!at) return std::nullopt;
    const Vector3 normal = Vector3::Unit(axis[0] - 'x');
    return nodes_in_plane(assembly(), among, *at * normal, normal, within);
  }

  std::optional<Nodes> box(const Tree& what, const Nodes& among) {
    const double within = tolerance();
    MapReader box(what, subject() + " box", problems());
    const Tree* const from_tree = box.required("from", "[0 mm, 0 mm, 0 mm]");
    const Tree* const to_tree = box.required("to", "[50 mm, 50 mm, 50 mm]");
    box.done();
    const auto from = from_tree ? read_vector(*from_tree, kind::length, box.subject(), problems()) : std::nullopt;
    const auto to = to_tree ? read_vector(*to_tree, kind::length, box.subject(), problems()) : std::nullopt;
    if (!from || !to) return std::nullopt;
    return nodes_in_box(assembly(), among, *from, *to, within);
  }

  std::optional<Nodes> cylinder(const Tree& what, const Nodes& among) {
    const double within = tolerance();
    MapReader cylinder(what, subject() + " cylinder", problems());
    if (!cylinder.is_map()) return std::nullopt;
    const Tree* const axis_tree = cylinder.required("axis", "z");
    const Tree* const through_tree = cylinder.required("through", "[0 mm, 0 mm, 0 mm]");
    const auto radius = cylinder.required_quantity("radius", kind::length, Sign::positive);
    const double inner = cylinder.quantity("inner radius", kind::length, Sign::not_negative).value_or(0);
    cylinder.done();
    const auto axis =
        axis_tree ? read_named_direction(*axis_tree, cylinder.subject() + " axis", problems()) : std::nullopt;
    const auto through =
        through_tree ? read_vector(*through_tree, kind::length, cylinder.subject(), problems()) : std::nullopt;
    if (!axis || !through || !radius) return std::nullopt;
    return nodes_in_cylinder(assembly(), among, *through, *axis, inner, *radius, within);
  }

  // {ARRAY: VALUE}: points of the part's file.
  std::optional<Nodes> file_set(const Tree& what) {
    if (parts_.empty()) {
      problems().add(what, subject(), "nothing says whose file", "write {part: PART, set: {ARRAY: VALUE}}");
      return std::nullopt;
    }
    Nodes result;
    for (const int part : parts_) {
      const std::string& name = assembly().parts[static_cast<std::size_t>(part)].name;
      const auto found = reading_.file_of.find(part);
      if (found == reading_.file_of.end()) {
        problems().add(what, subject(), fmt::format("part {} comes from no file", name),
                       "choose its nodes by plane, box, cylinder or nearest");
        return std::nullopt;
      }
      const MeshFile& file = *found->second;
      const std::size_t before = problems().count();
      const ArrayChoice choice(&what, file.point_arrays, "point", subject() + " set", problems());
      if (problems().count() > before) return std::nullopt;
      const Nodes of_part = nodes_of_part(assembly(), name);
      Nodes taken;
      for (const auto& [placement, nodes] : file.nodes)
        for (std::size_t p = 0; p < nodes.size(); ++p)
          if (nodes[p] >= 0 && choice.takes(p) && std::binary_search(of_part.begin(), of_part.end(), nodes[p]))
            taken.push_back(nodes[p]);
      if (taken.empty())
        problems().add(what, subject(), fmt::format("no point of part {} is in that set", name),
                       "the values in the file are " + choice.known());
      add_new(result, taken);
    }
    return result.empty() ? std::nullopt : std::optional(result);
  }

  // {surface of: deck, facing: +z}: corners and middles of faces whose outward normal points that way.
  std::optional<Nodes> facing(const Tree& what) {
    const std::vector<int> parts = read_parts_named(what, subject(), reading_);
    const Tree* const facing = map_.optional("facing");
    const double within = map_.quantity("within", kind::angle, Sign::positive).value_or(pi / 6);
    std::optional<Vector3> direction;
    if (facing) {
      direction = read_signed_direction(*facing, subject() + " facing", problems());
      if (!direction) return std::nullopt;
    }
    if (parts.empty()) return std::nullopt;
    return nodes_of_surface(assembly(), reading_.surface(), parts, direction, within);
  }

  std::optional<Nodes> combine(const std::string& how, const Tree& what) {
    map_.done();
    if (!what.is_list() || what.items.size() < 2) {
      problems().add(what, subject(), "two or more are due",
                     fmt::format("write {}: [PLACE, PLACE], names or places written out", how));
      return std::nullopt;
    }
    std::vector<Nodes> sets;
    for (const Tree& item : what.items) {
      if (item.is_text()) {
        const Nodes* const known = reading_.places.find(item, subject(), problems());
        if (!known) return std::nullopt;
        sets.push_back(*known);
      } else {
        const auto read = Selector(item, name_, reading_).read();
        if (!read) return std::nullopt;
        sets.push_back(*read);
      }
    }
    Nodes result = sets.front();
    for (std::size_t i = 1; i < sets.size(); ++i) {
      const std::set<int> other(sets[i].begin(), sets[i].end());
      if (how == "union") add_new(result, sets[i]);
      if (how == "intersection") std::erase_if(result, [&](int node) { return !other.contains(node); });
      if (how == "difference") std::erase_if(result, [&](int node) { return other.contains(node); });
    }
    if (!result.empty()) return result;
    problems().add(what, subject(), fmt::format("the {} is empty", how),
                   "check its places one by one with avrenk check");
    return std::nullopt;
  }

  const Tree& tree_;
  std::string name_;
  Reading& reading_;
  MapReader map_;
  std::vector<int> parts_;
};

}  // namespace

std::optional<Nodes> read_nodes(const Tree& tree, const std::string& subject, Reading& reading,
                                const std::vector<std::string>& also_valid) {
  if (tree.is_list() && tree.items.empty()) {
    reading.problems.add(tree, subject, "the list is empty", "name a place");
    return std::nullopt;
  }
  std::optional<Nodes> nodes = Nodes{};
  for (const Tree* item : one_or_more(tree)) {
    const Nodes* const own = reading.places.find(*item, subject, reading.problems, also_valid);
    if (!own) nodes.reset();
    if (own && nodes) add_new(*nodes, *own);
  }
  return nodes;
}

std::vector<int> read_parts_named(const Tree& tree, const std::string& subject, Reading& reading) {
  std::vector<int> parts;
  bool good = true;
  for (const Tree* item : one_or_more(tree)) {
    const int* const part = reading.parts.find(*item, subject, reading.problems);
    good = good && part;
    if (part) parts.push_back(*part);
  }
  return good ? parts : std::vector<int>{};
}

void read_places(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["place " + entry.key] = entry.place;
    std::optional<Nodes> named = Nodes{};
    for (const Tree* item : one_or_more(entry.value)) {
      const auto nodes = Selector(*item, entry.key, reading).read();
      if (!nodes) {
        named.reset();
        break;
      }
      add_new(*named, *nodes);
    }
    if (named && named->empty()) {
      reading.problems.add(entry.value, "place " + entry.key, "the list is empty",
                           "write, for example, {part: mast, plane: {z: 0 mm}}");
      named.reset();
    }
    if (named) reading.plan.assembly.places[entry.key] = *named;
    reading.places.declare(entry.key, named);
  }
}

}  // namespace avrenk
