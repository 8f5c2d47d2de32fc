// materials: isotropic and orthotropic.
#include <cmath>

#include "plan/sections.h"
#include "plan/standard_materials.h"

namespace avrenk {
namespace {

// Three constants by name; all are due.
std::optional<Vector3> read_three(const Tree& tree, const std::array<const char*, 3>& names, const Kind& kind,
                                  Sign sign, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Vector3 three;
  bool good = true;
  for (int i = 0; i < 3; ++i) {
    const auto value = map.required_quantity(names[static_cast<std::size_t>(i)], kind, sign);
    three[i] = value.value_or(1);
    good = good && value;
  }
  map.done();
  return good ? std::optional(three) : std::nullopt;
}

// E, nu and G by direction. ν_xy = −ε_y/ε_x under σ_x; the shears are named xy, yz, xz.
void read_orthotropic(MapReader& map, const Tree& modulus, Material& material) {
  Problems& problems = map.problems();
  const std::string& subject = map.subject();
  const auto e = read_three(modulus, {"x", "y", "z"}, kind::stress, Sign::positive, subject + " E", problems);
  const Tree* const nu_tree = map.required("nu", "{xy: 0.05, yz: 0.3, xz: 0.3}");
  const Tree* const g_tree = map.required("G", "{xy: 4 GPa, yz: 3 GPa, xz: 3 GPa}");
  const auto nu = nu_tree ? read_three(*nu_tree, {"xy", "yz", "xz"}, kind::number, Sign::any, subject + " nu", problems)
                          : std::nullopt;
  const auto g = g_tree
                     ? read_three(*g_tree, {"xy", "yz", "xz"}, kind::stress, Sign::positive, subject + " G", problems)
                     : std::nullopt;
  if (const Tree* axes = map.optional("axes"))
    material.axes = read_turned_axes(*axes, subject + " axes", problems).value_or(Matrix3::Identity());
  if (!e || !nu || !g) return;
  material.orthotropic = Orthotropic{*e, *nu, *g};
  material.youngs_modulus = e->x();
  material.poissons_ratio = nu->x();
  try {
    (void)orthotropic_elasticity(*material.orthotropic, material.axes);
  } catch (const InputError& error) {
    problems.add(*nu_tree, subject, error.problems.front().wrong, error.problems.front().remedy);
  }
}

void check_poissons_ratio(const MapReader& map, const Material& material, Problems& problems) {
  if (!(material.poissons_ratio > -1 && material.poissons_ratio < 0.5))
    problems.add(*map.tree().find("nu"), map.subject(), fmt::format("nu = {:g} is impossible", material.poissons_ratio),
                 "it lies between -1 and 0.5");
}

void read_isotropic(MapReader& map, const Tree& modulus, Material& material) {
  const auto e = read_quantity(modulus, kind::stress, map.subject() + " E", map.problems(), Sign::positive);
  material.youngs_modulus = e.value_or(1);
  material.poissons_ratio = map.required_quantity("nu", kind::number).value_or(0);
  check_poissons_ratio(map, material, map.problems());
}

// One coefficient, or one along each axis of an orthotropic material.
std::optional<Vector3> read_expansion(const Tree& tree, const Material& material, const std::string& subject,
                                      Problems& problems) {
  if (material.orthotropic)
    return read_three(tree, {"x", "y", "z"}, kind::expansion, Sign::any, subject + " expansion", problems);
  const auto one = read_quantity(tree, kind::expansion, subject + " expansion", problems);
  return one ? std::optional<Vector3>(Vector3::Constant(*one)) : std::nullopt;
}

// What the plan does not say itself is typical of the designation, and told to be so.
void read_standard(MapReader& map, const Tree& standard, Material& material, Reading& reading) {
  const std::string& subject = map.subject();
  const StandardMaterial* const found = standard.is_text() ? standard_material(standard.text) : nullptr;
  if (!found)
    reading.problems.add(standard, subject + " standard",
                         standard.is_text() ? fmt::format("no material \"{}\" is known", standard.text)
                                            : std::string("a designation is due"),
                         suggest_name(standard.text, standard_designations()) + ", or give E, nu and density");
  std::string taken;
  const auto take = [&](const char* name, const Kind& kind, Sign sign, double typical) {
    if (const auto own = map.quantity(name, kind, sign)) return *own;
    if (typical > 0) taken += (taken.empty() ? "" : ", ") + std::string(name);
    return typical;
  };
  const StandardMaterial none{"", 1, 0, 0, 0, 0, 0};
  const StandardMaterial& typical = found ? *found : none;
  material.youngs_modulus = take("E", kind::stress, Sign::positive, typical.youngs_modulus);
  material.poissons_ratio = take("nu", kind::number, Sign::any, typical.poissons_ratio);
  material.density = take("density", kind::density, Sign::not_negative, typical.density);
  check_poissons_ratio(map, material, reading.problems);
  const double yield = take("yield", kind::stress, Sign::positive, typical.yield),
               ultimate = take("ultimate", kind::stress, Sign::positive, typical.ultimate);
  if (yield > 0) material.yield = yield;
  if (ultimate > 0) material.ultimate = ultimate;
  if (const double expansion = take("expansion", kind::expansion, Sign::any, typical.expansion); expansion != 0)
    material.expansion = Vector3::Constant(expansion);
  if (found && !taken.empty())
    reading.plan.notes.push_back(
        fmt::format("{}: {} typical of {}, of handbooks; a margin on them is none on a "
                    "certificate",
                    subject, taken, found->designation));
}

}  // namespace

void read_materials(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "material " + entry.key;
    reading.plan.subjects[subject] = entry.place;
    MapReader map(entry.value, subject, reading.problems);
    if (!map.is_map()) {
      reading.materials.declare(entry.key, std::nullopt);
      continue;
    }
    const std::size_t before = reading.problems.count();
    Material material;
    material.name = entry.key;
    if (const Tree* standard = map.optional("standard")) {
      read_standard(map, *standard, material, reading);
    } else {
      if (const Tree* modulus = map.required("E", std::string(kind::stress.example))) {
        if (modulus->is_map())
          read_orthotropic(map, *modulus, material);
        else
          read_isotropic(map, *modulus, material);
      }
      material.density = map.required_quantity("density", kind::density, Sign::not_negative).value_or(0);
      material.yield = map.quantity("yield", kind::stress, Sign::positive);
      material.ultimate = map.quantity("ultimate", kind::stress, Sign::positive);
    }
    if (const Tree* expansion = map.optional("expansion"); expansion && !map.tree().find("standard"))
      material.expansion = read_expansion(*expansion, material, map.subject(), reading.problems);
    material.loss_factor = map.quantity("loss factor", kind::ratio, Sign::not_negative);
    if (const Tree* fatigue = map.optional("fatigue"))
      material.fatigue = read_fatigue_line(*fatigue, subject + " fatigue", entry.key, &material, reading);
    map.done();
    if (material.loss_factor && *material.loss_factor > 2)
      reading.problems.add(*entry.value.find("loss factor"), subject,
                           fmt::format("a loss factor of {:g} is not damping any more", *material.loss_factor),
                           "write, for example, 0.4 %");
    if (reading.problems.count() > before) {
      reading.materials.declare(entry.key, std::nullopt);
      continue;
    }
    reading.materials.declare(entry.key, static_cast<int>(reading.plan.assembly.materials.size()));
    reading.plan.assembly.materials.push_back(material);
  }
}

}  // namespace avrenk
