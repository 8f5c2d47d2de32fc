#include "core/check/plausible.h"

#include <fmt/format.h>

#include <cmath>

#include "core/model/mass_properties.h"

namespace avrenk {

std::vector<Finding> implausible_materials(const Assembly& assembly) {
  std::vector<Finding> doubts;
  for (const Material& m : assembly.materials) {
    if (m.is_of_component()) continue;
    const auto doubt = [&](bool bad, const std::string& text) {
      if (bad) doubts.push_back({Finding::Grade::warning, "material " + m.name, text, "check the value and its unit"});
    };
    const double e = m.youngs_modulus, rho = m.density;
    doubt(e < 1e6 || e > 1.3e12, fmt::format("E = {:.3g} GPa is outside 0.001 to 1300 GPa", 1e-9 * e));
    doubt(rho == 0, "it has no density, so its parts have no mass");
    doubt(rho > 0 && (rho < 10 || rho > 23000), fmt::format("a density of {:.4g} kg/m³ is outside 10 to 23 000", rho));
    const double sound = rho > 0 ? std::sqrt(e / rho) : 1000;
    doubt(sound < 50 || sound > 20000,
          fmt::format("E and density give a speed of sound of {:.3g} m/s; solids have 50 to 20 000", sound));
    doubt(m.poissons_ratio < 0, fmt::format("nu = {:g} is negative", m.poissons_ratio));
    doubt(m.yield && *m.yield > 0.1 * e, fmt::format("it yields at {:.3g} % strain", 100 * m.yield.value_or(0) / e));
    doubt(m.yield && m.ultimate && *m.yield > *m.ultimate, "the yield stress is above the ultimate stress");
    doubt(m.loss_factor && *m.loss_factor > 0.5,
          fmt::format("a loss factor of {:.3g} % is large for a material", 100 * m.loss_factor.value_or(0)));
  }
  return doubts;
}

std::optional<double> weighed(const Assembly& assembly, const std::string& name) {
  for (const Part& part : assembly.parts)
    if (part.name == name) return part.weighed;
  for (const PointMass& mass : assembly.masses)
    if (mass.name == name) return mass.weighed;
  return std::nullopt;
}

std::vector<Finding> weight_differences(const Assembly& assembly, double tolerance) {
  std::vector<Finding> doubts;
  const std::size_t parts = assembly.parts.size();
  std::size_t row = 0;
  for (const auto& [name, properties] : mass_breakdown(assembly)) {
    const std::string subject = (row++ < parts ? "part " : "mass ") + name;
    const auto scale = weighed(assembly, name);
    if (!scale || std::abs(properties.mass / *scale - 1) <= tolerance) continue;
    doubts.push_back({Finding::Grade::warning, subject,
                      fmt::format("it has {:.4g} kg in the model and weighs {:.4g} kg: {:+.1f} %", properties.mass,
                                  *scale, 100 * (properties.mass / *scale - 1)),
                      "find the difference, or let the model be scaled to the mass that was weighed",
                      properties.centre});
  }
  return doubts;
}

}  // namespace avrenk
