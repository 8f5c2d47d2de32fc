// where the copies of a part stand.
#include <algorithm>
#include <cmath>

#include "plan/sections.h"

namespace avrenk {
namespace {

std::optional<Placement> read_rotation(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  const Tree* const about = map.required("about", "x");
  const auto by = map.required_quantity("by", kind::angle);
  const std::size_t before = problems.count();
  Vector3 through = Vector3::Zero();
  if (const Tree* point = map.optional("through"))
    through = read_vector(*point, kind::length, subject, problems).value_or(through);
  map.done();
  const auto axis = about ? read_named_direction(*about, subject + " about", problems) : std::nullopt;
  if (!axis || !by || problems.count() > before) return std::nullopt;
  Placement placement;
  placement.rotation = Eigen::AngleAxisd(*by, *axis).toRotationMatrix();
  placement.rotation = placement.rotation.unaryExpr([](double x) {  // quarter turns exactly
    const double whole = std::round(x);
    return std::abs(x - whole) < 1e-15 ? whole : x;
  });
  placement.shift = through - placement.rotation * through;
  return placement;
}

// {step: [dx, dy, dz], times: 4}, or {about: z, by: 90 deg, times: 4}: the part and its copies are `times` in all.
std::vector<Placement> read_pattern(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return {};
  const Tree* const times_tree = map.required("times", "4");
  const auto times = times_tree ? read_count(*times_tree, subject + " times", problems) : std::nullopt;
  const auto [how, what] = map.one_of({"step", "about"});
  std::optional<Placement> step;
  if (how == "step") {
    if (const auto shift = read_vector(*what, kind::length, subject + " step", problems))
      step = Placement{Matrix3::Identity(), *shift};
    map.done();
  } else if (how == "about") {
    Tree rotation = tree;
    std::erase_if(rotation.entries, [](const Tree::Entry& entry) { return entry.key == "times"; });
    step = read_rotation(rotation, subject, problems);
  }
  std::vector<Placement> all{Placement{}};
  for (int k = 1; step && times && k < *times; ++k) all.push_back(step->after(all.back()));
  return all;
}

}  // namespace

Copies read_copies(MapReader& part, Reading& reading) {
  Problems& problems = reading.problems;
  Copies result;
  Placement placement;
  if (const Tree* rotation = part.optional("rotation"))
    for (const Tree* each : one_or_more(*rotation))
      if (const auto turned = read_rotation(*each, part.subject() + " rotation", problems))
        placement = turned->after(placement);
  if (const Tree* position = part.optional("position"))
    if (const auto shift = read_vector(*position, kind::length, part.subject() + " position", problems))
      placement = Placement{Matrix3::Identity(), *shift}.after(placement);
  result.placements = {placement};
  const Tree* const tree = part.optional("copies");
  if (!tree) return result;
  MapReader copies(*tree, part.subject() + " copies", problems);
  if (!copies.is_map()) return result;
  const Tree* const mirror = copies.optional("mirror");
  const Tree* const pattern = copies.optional("pattern");
  copies.done();
  if (tree->entries.empty())
    problems.add(*tree, copies.subject(), "nothing says how",
                 "write copies: {mirror: y}, or {pattern: {step: [50 mm, 0 mm, 0 mm], times: 4}}");
  if (mirror)
    for (const Tree* each : one_or_more(*mirror))
      if (const auto axis = read_word(*each, {"x", "y", "z"}, part.subject() + " mirror", problems))
        result.mirror[static_cast<std::size_t>(*axis)] = true;
  if (pattern) {
    result.placements.clear();
    for (const Placement& each : read_pattern(*pattern, part.subject() + " pattern", problems))
      result.placements.push_back(each.after(placement));
  }
  return result;
}

}  // namespace avrenk
