/// Small models made by hand, for tests of the core.
#pragma once

#include "core/excitation/frequency_grid.h"
#include "core/modes/damping.h"
#include "core/quantity/quantity.h"
#include "core/response/channels.h"
#include "core/response/random.h"
#include "core/response/steady_state.h"

namespace avrenk::test {

inline int add_node(Assembly& model, const Vector3& at, const std::string& origin = "point") {
  model.nodes.push_back({at, origin});
  return static_cast<int>(model.nodes.size()) - 1;
}

inline Spring stiff_spring(int node1, int node2, double along_z, double elsewhere = 1e9) {
  Spring spring;
  spring.joint = "spring";
  spring.nodes = {node1, node2};
  spring.stiffness.setConstant(elsewhere);
  spring.stiffness[2] = along_z;
  return spring;
}

/// Masses in a row along z on springs; the first spring stands on the base. All other directions are a thousand times
/// stiffer than they need to be.
inline Assembly chain(const std::vector<double>& masses, const std::vector<double>& springs) {
  Assembly model;
  int below = add_node(model, Vector3::Zero(), "foot");
  model.base = {"fixture", {Foot{below}}, Vector3::Zero()};
  for (std::size_t i = 0; i < masses.size(); ++i) {
    const int node = add_node(model, Vector3::Zero(), "mass");
    model.masses.push_back({"mass", node, Vector3::Zero(), masses[i], Matrix3::Identity() * masses[i]});
    model.springs.push_back(stiff_spring(below, node, springs[i]));
    below = node;
  }
  return model;
}

struct Cantilever {
  double length = 1;
  BeamSection section = rod_section(0.01, 0.3);
  Material material{"alloy", 70e9, 0.3, 2700, std::nullopt};
  Vector3 direction = Vector3::UnitX();
  Vector3 up = Vector3::UnitZ();
  int elements = 16;
};

/// Clamped at its first node, free at its last.
inline Assembly cantilever(const Cantilever& c) {
  Assembly model;
  model.materials = {c.material};
  model.parts = {{"mast", 0, c.section}};
  for (int i = 0; i <= c.elements; ++i) add_node(model, c.direction * (c.length * i / c.elements), "mast");
  for (int i = 0; i < c.elements; ++i) {
    const auto n = static_cast<std::size_t>(i);
    model.beams.push_back({{i, i + 1}, 0, {model.nodes[n].position, model.nodes[n + 1].position, c.up}});
  }
  model.base = {"fixture", {Foot{}}, Vector3::Zero()};
  return model;
}

/// Everything that is solved once for a model; not copied, because parts refer to one another.
struct Solved {
  Solved(Assembly given, const ModeRequest& request, const DampingRule& rule)
      : assembly(std::move(given)),
        system(make_system(assembly)),
        basis(solve_modes(assembly, system, request)),
        damping(damp(system, basis, rule)),
        channels(assembly, system, basis, damping) {}
  Solved(const Solved&) = delete;

  [[nodiscard]] Transfer transfer(int direction) const {
    return {basis, damping, base_inputs(basis, damping, Eigen::MatrixXd::Identity(6, 6).col(direction))};
  }
  /// One channel per unit base acceleration along a direction.
  [[nodiscard]] Complex response(const Eigen::RowVectorXcd& row, int direction, double frequency) const {
    return (row * transfer(direction).state(frequency))(0);
  }

  Assembly assembly;
  System system;
  ModalBasis basis;
  ModalDamping damping;
  Channels channels;
};

inline ModeRequest count(int modes) { return {std::nullopt, modes, true, true}; }
inline DampingRule ratio(double zeta) { return {DampingRule::Form::ratio, zeta, {}}; }
inline DampingRule loss_factor(double eta) { return {DampingRule::Form::loss_factor, eta, {}}; }

}  // namespace avrenk::test
