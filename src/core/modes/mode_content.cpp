#include "core/modes/mode_content.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/dense.h"
#include "core/element/kinds.h"
#include "core/parallel.h"
#include "core/system/energy.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

using Translations = Eigen::Matrix3Xd;

std::vector<std::vector<int>> nodes_of_parts(const Assembly& assembly) {
  std::vector<std::set<int>> sets(assembly.parts.size());
  for (const BeamElement& beam : assembly.beams)
    sets[static_cast<std::size_t>(beam.part)].insert(beam.nodes.begin(), beam.nodes.end());
  for (const ElementGroup& group : assembly.groups)
    sets[static_cast<std::size_t>(group.part)].insert(group.nodes.begin(), group.nodes.end());
  for (const Component& component : assembly.components) {
    auto& own = sets[static_cast<std::size_t>(component.part)];
    own.insert(component.nodes.begin(), component.nodes.begin() + component.interface);
    for (const Follower& follower : assembly.followers)
      if (follower.type == Joint::Type::recovery &&
          follower.joint == assembly.parts[static_cast<std::size_t>(component.part)].name)
        own.insert(follower.node);
  }
  std::vector<std::vector<int>> lists;
  lists.reserve(sets.size());
  for (const std::set<int>& set : sets) lists.emplace_back(set.begin(), set.end());
  return lists;
}

// u ≈ t + r × (x − c) about the middle of the points: what it leaves, and what its turn makes, as parts of Σ|u|².
struct RigidFit {
  Vector3 rotation = Vector3::Zero();
  double left = 0, by_turn = 0;
};
RigidFit fit_rigid(const Translations& points, const Translations& moves) {
  RigidFit fit;
  const double total = moves.squaredNorm();
  if (!(total > 0)) return fit;
  const Translations from_middle = points.colwise() - points.rowwise().mean().eval();
  const Vector3 mean = moves.rowwise().mean();
  Matrix3 inertia = Matrix3::Zero();
  Vector3 moment = Vector3::Zero();
  for (Index i = 0; i < moves.cols(); ++i) {
    const Vector3 x = from_middle.col(i);
    inertia += x.squaredNorm() * Matrix3::Identity() - x * x.transpose();
    moment += x.cross(moves.col(i) - mean);
  }
  fit.rotation = least_squares(inertia, moment);  // the shortest: a line does not turn about itself
  fit.by_turn = fit.rotation.dot(moment) / total;
  fit.left = 1 - static_cast<double>(moves.cols()) * mean.squaredNorm() / total - fit.by_turn;
  return fit;
}

// " in x", " in x and z", " in all directions", by mean squares.
std::string direction(const Vector3& squares) {
  constexpr double one = 2.0 / 3, two = 0.9;
  std::array<int, 3> order{0, 1, 2};
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return squares[a] > squares[b]; });
  const double all = squares.sum();
  if (squares[order[0]] >= one * all) return fmt::format(" in {}", "xyz"[order[0]]);
  if (squares[order[0]] + squares[order[1]] < two * all) return " in all directions";
  return fmt::format(" in {} and {}", "xyz"[std::min(order[0], order[1])], "xyz"[std::max(order[0], order[1])]);
}

std::string turning(const Vector3& rotation) {
  Index axis = 0;
  rotation.cwiseAbs().maxCoeff(&axis);
  return fmt::format("turns as a body about {}", "xyz"[axis]);
}

// Parts of the strain energy of a line part that axial forces and torques make.
std::pair<double, double> stretch_and_twist(const Assembly& assembly, int part, const MatrixXd& motions) {
  double stretch = 0, twist = 0, all = 0;
  for (const BeamElement& beam : assembly.beams) {
    if (beam.part != part) continue;
    const BeamProperties properties = assembly.properties(beam);
    const VectorXd forces = force_recovery(beam.geometry, properties) * beam_arms(assembly, beam) *
                            motions_of_nodes(motions, beam.nodes, 6);
    const BeamSection& section = properties.middle();
    const double length = beam.geometry.length();
    stretch += 0.5 * forces[0] * forces[0] * length / (properties.elastic.youngs_modulus * section.area);
    if (section.torsion_constant > 0)
      twist += 0.5 * forces[3] * forces[3] * length / (properties.elastic.shear_modulus * section.torsion_constant);
    all += strain_energy_of(assembly, beam, motions)[0];
  }
  return all > 0 ? std::pair(stretch / all, twist / all) : std::pair(0.0, 0.0);
}

// Part of the mean square of a shell part's motion that is along its normals.
double across(const Assembly& assembly, int part, const VectorXd& motions) {
  double normal = 0, all = 0;
  for (const ElementGroup& group : assembly.groups) {
    if (group.part != part || !group.kind->is_shell()) continue;
    for (std::size_t e = 0; e < group.elements(); ++e) {
      const auto nodes = group.element(e);
      const auto at = [&](std::size_t i) { return assembly.position(nodes[i]); };
      const Vector3 n = (nodes.size() == 4 ? Vector3((at(2) - at(0)).cross(at(3) - at(1)))
                                           : Vector3((at(1) - at(0)).cross(at(2) - at(0))))
                            .normalized();
      for (const int node : nodes) {
        const Vector3 u = motions.segment<3>(6L * node);
        normal += std::pow(n.dot(u), 2);
        all += u.squaredNorm();
      }
    }
  }
  return all > 0 ? normal / all : 0;
}

class Describer {
 public:
  explicit Describer(const Assembly& assembly) : assembly_(assembly), nodes_(nodes_of_parts(assembly)) {}

  // What the thing with the most kinetic energy does.
  [[nodiscard]] std::string movement(const ModeContent& content, const VectorXd& motions) const {
    Index part = 0, body = 0;
    const double most = content.kinetic_parts.size() > 0 ? content.kinetic_parts.maxCoeff(&part) : -1;
    if (content.kinetic_bodies.size() > 0 && content.kinetic_bodies.maxCoeff(&body) > most) {
      const PointMass& mass = assembly_.masses[static_cast<std::size_t>(body)];
      const Vector6 u = motions.segment<6>(6L * mass.node);
      const Vector3 move = u.head<3>() + u.tail<3>().cross(mass.offset);
      const Vector3 rotation = u.tail<3>();
      if (rotation.dot(mass.inertia * rotation) > mass.mass * move.squaredNorm()) return turning(rotation);
      return "moves as a body" + direction(move.cwiseAbs2());
    }
    return movement_of(static_cast<int>(part), content.strain_parts[part], motions);
  }

 private:
  [[nodiscard]] std::string movement_of(int part, double strain, const VectorXd& motions) const {
    constexpr double as_body = 0.1, most = 0.5, little = 0.3;
    const std::vector<int>& nodes = nodes_[static_cast<std::size_t>(part)];
    Translations points(3, static_cast<Index>(nodes.size())), moves(3, points.cols());
    for (Index i = 0; i < points.cols(); ++i) {
      const int node = nodes[static_cast<std::size_t>(i)];
      points.col(i) = assembly_.position(node);
      moves.col(i) = motions.segment<3>(6L * node);
    }
    const Vector3 squares = moves.rowwise().squaredNorm();
    const RigidFit fit = fit_rigid(points, moves);
    if (fit.left < as_body && strain < little && nodes.size() > 1) {
      if (fit.by_turn > most) return turning(fit.rotation);
      return "moves as a body" + direction(squares);
    }
    switch (assembly_.parts[static_cast<std::size_t>(part)].form) {
      case Part::Form::line: {
        const auto [stretch, twist] = stretch_and_twist(assembly_, part, motions);
        if (twist > most) return "twists";
        return (stretch > most ? "stretches" : "bends") + direction(squares);
      }
      case Part::Form::shell:
        return (across(assembly_, part, motions) > most ? "bends" : "moves in its plane") + direction(squares);
      case Part::Form::solid:
      case Part::Form::component:
        return "deforms" + direction(squares);
    }
    return "";
  }

  const Assembly& assembly_;
  std::vector<std::vector<int>> nodes_;
};

std::vector<std::pair<std::string, double>> sorted_shares(std::vector<std::pair<std::string, double>> all) {
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return all;
}

void put_in_words(const Assembly& assembly, const std::string& movement, ModeContent& content) {
  const auto strain = strain_shares(assembly, content), kinetic = kinetic_shares(assembly, content);
  if (kinetic.empty()) return;
  const auto& [mover, part] = kinetic.front();
  content.what = mover + " " + movement;
  if (strain.empty() || !(strain.front().second > 0)) {
    content.what += ", free";
  } else if (strain.front().first == mover) {
    content.energy = fmt::format("{:.0f} % of the strain energy", 100 * strain.front().second);
  } else {
    constexpr double half = 0.5, much = 0.15;  // where the first has less than half, the second is named too
    content.energy = fmt::format("kinetic energy: {}; strain energy: {}",
                                 shares_in_words(kinetic, much, part < half ? 2 : 1), shares_in_words(strain, 0.2, 2));
  }
}

}  // namespace

std::vector<std::pair<std::string, double>> strain_shares(const Assembly& assembly, const ModeContent& content) {
  std::vector<std::pair<std::string, double>> all;
  for (Index i = 0; i < content.strain_parts.size(); ++i)
    all.emplace_back(assembly.parts[static_cast<std::size_t>(i)].name, content.strain_parts[i]);
  for (Index i = 0; i < content.strain_joints.size(); ++i)
    if (content.strain_joints[i] > 0)
      all.emplace_back(assembly.joints[static_cast<std::size_t>(i)].name, content.strain_joints[i]);
  return sorted_shares(std::move(all));
}

std::vector<std::pair<std::string, double>> kinetic_shares(const Assembly& assembly, const ModeContent& content) {
  std::vector<std::pair<std::string, double>> all;
  for (Index i = 0; i < content.kinetic_parts.size(); ++i)
    all.emplace_back(assembly.parts[static_cast<std::size_t>(i)].name, content.kinetic_parts[i]);
  for (Index i = 0; i < content.kinetic_bodies.size(); ++i)
    all.emplace_back(assembly.masses[static_cast<std::size_t>(i)].name, content.kinetic_bodies[i]);
  return sorted_shares(std::move(all));
}

std::string shares_in_words(const std::vector<std::pair<std::string, double>>& shares, double least, std::size_t most) {
  std::string text;
  std::size_t count = 0;
  for (const auto& [name, part] : shares) {
    if (count == most || (count > 0 && part < least)) break;
    text += fmt::format("{}{} {:.0f} %", count++ > 0 ? ", " : "", name, 100 * part);
  }
  return text;
}

std::vector<ModeContent> contents_of_modes(const Assembly& assembly, const System& system, const ModalBasis& basis,
                                           int threads) {
  constexpr int at_once = 32;  // motions of all nodes are held for so many modes
  const Describer describer(assembly);
  std::vector<ModeContent> contents(static_cast<std::size_t>(basis.modes));
  for (int first = 0; first < basis.modes; first += at_once) {
    const int count = std::min(at_once, basis.modes - first);
    const MatrixXd motions = system.motions_and_coordinates(basis.shapes.middleCols(first, count));
    const StrainEnergy strain = strain_energy(assembly, motions, threads);
    const KineticEnergy kinetic = kinetic_energy(assembly, motions, threads);
    run_jobs(static_cast<std::size_t>(count), threads, [&](std::size_t k) {
      const auto column = static_cast<Index>(k);
      const double value = std::pow(basis.omega[first + column], 2),
                   whole = system.geometric ? strain.parts.col(column).sum() + strain.joints.col(column).sum()
                                            : 0.5 * value,
                   scale = whole > 0 ? 1 / whole : 0;
      ModeContent& mode_content = contents[static_cast<std::size_t>(first) + k];
      mode_content.strain_parts = scale * strain.parts.col(column);
      mode_content.strain_joints = scale * strain.joints.col(column);
      mode_content.kinetic_parts = 2 * kinetic.parts.col(column);
      mode_content.kinetic_bodies = 2 * kinetic.bodies.col(column);
      put_in_words(assembly, describer.movement(mode_content, motions.col(column)), mode_content);
    });
  }
  return contents;
}

}  // namespace avrenk
