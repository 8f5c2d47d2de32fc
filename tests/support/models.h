/// Small models made by hand, for tests of the core.
#pragma once

#include "core/excitation/frequency_grid.h"
#include "core/modes/damping.h"
#include "core/quantity/quantity.h"
#include "core/response/channels.h"
#include "core/response/random.h"
#include "core/response/run_case.h"
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
  model.bases = {{"fixture", {SupportNode{below}}, Vector3::Zero()}};
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
  model.bases = {{"fixture", {SupportNode{}}, Vector3::Zero()}};
  return model;
}

/// A portal frame on two feet with a leaning beam, a heavy offset mass on a rigid link and a second mass on two
/// isolators: every kind of element, no symmetry. With `eta` every element has that loss factor, so that modes uncouple
/// exactly.
inline Assembly portal(std::optional<double> eta, const Matrix3& turn = Matrix3::Identity(),
                       const Vector3& shift = Vector3::Zero()) {
  Assembly model;
  model.materials = {{"alloy", 70e9, 0.33, 2700, eta}};
  model.parts = {{"frame", 0, rectangle_section(0.02, 0.03, 0.33)}, {"brace", 0, tube_section(0.02, 0.002, 0.33)}};
  const auto place = [&](double x, double y, double z) -> Vector3 { return turn * Vector3(x, y, z) + shift; };
  const auto beam_line = [&](int part, const Vector3& from, const Vector3& to, int divisions, int first, int last) {
    int before = first;
    for (int i = 1; i <= divisions; ++i) {
      const int node =
          i == divisions && last >= 0 ? last : add_node(model, from + (to - from) * i / divisions, "frame");
      const auto at = [&](int n) { return model.nodes[static_cast<std::size_t>(n)].position; };
      model.beams.push_back({{before, node}, part, {at(before), at(node), turn * Vector3(0.1, 1, 0.2)}});
      before = node;
    }
    return before;
  };
  const int foot1 = add_node(model, place(0, 0, 0), "foot"), foot2 = add_node(model, place(0.5, 0, 0), "foot");
  const int top1 = beam_line(0, place(0, 0, 0), place(0, 0, 0.4), 3, foot1, -1);
  const int top2 = beam_line(0, place(0.5, 0, 0), place(0.5, 0.1, 0.35), 3, foot2, -1);
  beam_line(0, place(0, 0, 0.4), place(0.5, 0.1, 0.35), 4, top1, top2);
  const int tip = beam_line(1, place(0.5, 0.1, 0.35), place(0.5, 0.3, 0.6), 3, top2, -1);
  const int follower = add_node(model, place(0.55, 0.3, 0.65), "bracket");
  model.links = {{"bracket", tip, {follower}}};
  const Matrix3 inertia = turn * Vector3(0.004, 0.006, 0.005).asDiagonal() * turn.transpose();
  model.masses = {{"battery", follower, turn * Vector3(0.01, 0.02, 0.03), 1.5, inertia}};
  const int box = add_node(model, place(0.1, 0.2, 0.4), "box");
  model.masses.push_back({"box", box, Vector3::Zero(), 2, inertia});
  for (const int partner : {top1, follower}) {
    Spring isolator;
    isolator.joint = "isolator";
    isolator.nodes = {box, partner};
    isolator.point = place(0.05, 0.15, 0.42);
    isolator.axes = turn.transpose();
    isolator.stiffness << 4e4, 5e4, 7e4, 300, 200, 250;
    isolator.loss_factor = eta;
    model.springs.push_back(isolator);
  }
  model.bases = {{"fixture", {SupportNode{foot1}, SupportNode{foot2}}, place(0.2, -0.1, 0)}};
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
    return {basis, damping, InputColumns{Eigen::MatrixXcd::Identity(6, 6).col(direction)}};
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
inline DampingRule ratio(double zeta) { return {DampingRule::Form::ratio, zeta}; }
inline DampingRule loss_factor(double eta) { return {DampingRule::Form::loss_factor, eta}; }

/// One case of base motion by itself; the environment must outlive the outcome.
/// Makes an environment one of a type, with nothing that only another type has.
inline void set_type(Environment& environment, Environment::Type type) {
  if (type == Environment::Type::sine) environment.form = SineInput{};
  if (type == Environment::Type::random) environment.form = RandomInput{};
  if (type == Environment::Type::constant) environment.form = StaticInput{};
}

inline CaseResults run_along(const Environment& environment, std::optional<int> axis, const System& system,
                             const ModalBasis& basis, const ModalDamping& damping, const std::vector<Output>& watched,
                             std::span<const StaticSum> sums = {}) {
  CaseResponse excited(excitation_along(environment, axis, system), system, basis, damping);
  return run_case(excited, watched, sums);
}
/// The first case of an environment, which must outlive the outcome.
inline CaseResults run_first(const Environment& environment, const Solved& solved, const std::vector<Output>& watched) {
  CaseResponse excited(excitations(environment, solved.assembly, solved.system).front(), solved.system, solved.basis,
                       solved.damping);
  return run_case(excited, watched);
}
inline CaseResults run_at_rest(const Environment& environment, const System& system, const ModalBasis& basis,
                               const std::vector<Output>& watched) {
  return run_along(environment, std::nullopt, system, basis, {}, watched);
}
inline InputColumns inputs_along(const Environment& environment, int axis, const System& system) {
  return {excitation_along(environment, axis, system)->base};
}

/// The complex dynamic stiffness K + iK_η + iωC − ω²M of one block.
inline Eigen::MatrixXcd dynamic_stiffness(const System& s, double omega, SparseMatrix Partitioned::*block) {
  return Eigen::MatrixXd(s.stiffness.*block).cast<Complex>() + imaginary * Eigen::MatrixXd(s.loss.*block) +
         imaginary * omega * Eigen::MatrixXd(s.dashpot.*block) -
         omega * omega * Eigen::MatrixXd(s.mass.*block).cast<Complex>();
}

/// RMS = √(Σ Re(ψ Γ ψᴴ)) over the rows of a measure.
inline double root_mean_square(const Measure& measure, const ModalCovariance& covariance) {
  const double variance = (measure.rows * covariance.gamma).cwiseProduct(measure.rows.conjugate()).sum().real();
  return std::sqrt(std::max(0.0, variance));
}

}  // namespace avrenk::test
