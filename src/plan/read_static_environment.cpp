// environments: what acts at rest.
#include "plan/environment_parts.h"

namespace avrenk {
namespace {

// Components x, y, z of an acceleration.
std::optional<Vector3> read_field(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Vector3 field = Vector3::Zero();
  for (int axis = 0; axis < 3; ++axis)
    field[axis] = map.quantity(std::string(1, "xyz"[axis]), kind::acceleration).value_or(0);
  map.done();
  if (field.isZero(0)) problems.add(tree, subject, "nothing acts", "write {z: -1 g}");
  return field;
}

// {left: {x: 1 mm, rz: 2 mrad}}: bases out of place.
void read_displacement(const Tree& tree, const std::string& subject, StaticInput& input, Reading& reading) {
  if (!tree.is_map() || tree.entries.empty()) {
    reading.problems.add(tree, subject, "a map of bases is due", "write displacement: {left: {x: 1 mm}}");
    return;
  }
  for (const Tree::Entry& entry : tree.entries) {
    const int base = find_base(text_at(entry.key, entry.place), subject, reading);
    MapReader map_reader(entry.value, subject + " " + entry.key, reading.problems);
    if (!map_reader.is_map()) continue;
    Vector6 motion = Vector6::Zero();
    for (int i = 0; i < 6; ++i)
      motion[i] =
          map_reader.quantity(std::string(axis_names[static_cast<std::size_t>(i)]), i < 3 ? kind::length : kind::angle)
              .value_or(0);
    map_reader.done();
    if (motion.isZero(0))
      reading.problems.add(entry.value, map_reader.subject(), "it stays where it is",
                           "write {x: 1 mm}, or leave it out");
    if (base >= 0) input.displaced[base] = motion;
  }
}

}  // namespace

std::optional<Environment> read_static_environment(const Tree& tree, const std::string& name, MapReader& map,
                                                   Reading& reading) {
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  map.done();
  MapReader map_reader(tree, map.subject() + " static", problems);
  if (!map_reader.is_map()) return std::nullopt;
  Environment environment;
  environment.name = name;
  StaticInput& input = environment.form.emplace<StaticInput>();
  const Tree* const loads = map_reader.optional("loads");
  const Tree *const displaced = map_reader.optional("displacement"), *const bolts = map_reader.optional("bolts");
  if (displaced) read_displacement(*displaced, map_reader.subject() + " displacement", input, reading);
  if (const Tree* field = loads || displaced || bolts ? map_reader.optional("acceleration")
                                                      : map_reader.required("acceleration", "{z: -1 g}"))
    input.acceleration = read_field(*field, map_reader.subject() + " acceleration", problems).value_or(Vector3::Zero());
  if (loads) environment.load_cases = read_load_cases(*loads, map_reader, true, reading);
  if (bolts) read_tightening(*bolts, map_reader.subject() + " bolts", input, reading);
  map_reader.done();
  return problems.count() > before ? std::nullopt : std::optional(environment);
}

}  // namespace avrenk
