#include "core/system/system.h"

#include <fmt/format.h>

#include "core/error.h"

namespace avrenk {
namespace {

using Triplets = std::vector<Eigen::Triplet<double>>;

[[noreturn]] void refuse(std::string subject, std::string wrong, std::string instead) {
  throw InputError(Problem{std::move(subject), std::move(wrong), std::move(instead), std::nullopt});
}

// For each node the node whose six motions it follows as part of one rigid body; itself if it follows none.
std::vector<int> resolve_links(const Assembly& assembly) {
  const auto count = assembly.nodes.size();
  std::vector<int> lead(count, -1), link_of(count, -1);
  for (std::size_t index = 0; index < assembly.links.size(); ++index) {
    const RigidLink& link = assembly.links[index];
    for (const int node : link.follow) {
      if (node == link.lead) continue;
      const auto n = static_cast<std::size_t>(node);
      if (lead[n] == link.lead) continue;
      if (lead[n] >= 0)
        refuse("joint " + link.joint,
               fmt::format("{} already follows in joint {}", assembly.describe_node(node),
                           assembly.links[static_cast<std::size_t>(link_of[n])].joint),
               "let a node follow one lead only, or link the two leads");
      lead[n] = link.lead;
      link_of[n] = static_cast<int>(index);
    }
  }
  std::vector<int> root(count);
  for (std::size_t node = 0; node < count; ++node) {
    auto at = static_cast<int>(node);
    std::size_t steps = 0;
    while (lead[static_cast<std::size_t>(at)] >= 0) {
      at = lead[static_cast<std::size_t>(at)];
      if (++steps > count)
        refuse("joint " + assembly.links[static_cast<std::size_t>(link_of[node])].joint, "its rigid links form a ring",
               "let one of its nodes lead all others");
    }
    root[node] = at;
  }
  for (const Base& base : assembly.bases)
    for (const Foot& foot : base.feet)
      if (root[static_cast<std::size_t>(foot.node)] != foot.node)
        refuse("base " + base.name,
               fmt::format("{} is held, but follows a rigid link", assembly.describe_node(foot.node)),
               "let the held node lead the link");
  return root;
}

class Numbering {
 public:
  explicit Numbering(const Assembly& assembly)
      : assembly_(assembly), root_(resolve_links(assembly)), feet_(assembly.feet()) {
    for (const Base& base : assembly.bases)
      if (base.feet.empty())
        refuse("base " + base.name, "nothing is held by it",
               "name a place of at least one node, or let a spring lead to it");
    foot_.assign(assembly.nodes.size(), -1);
    for (std::size_t k = 0; k < feet_.size(); ++k) {
      int& own = foot_[static_cast<std::size_t>(feet_[k].second.node)];
      if (own >= 0)
        refuse("base " + assembly.bases[static_cast<std::size_t>(feet_[k].first)].name,
               fmt::format("{} is held twice", assembly.describe_node(feet_[k].second.node)),
               "let one base hold a node");
      own = static_cast<int>(k);
    }
    first_column_.assign(assembly.nodes.size(), {-1, -1, -1, -1, -1, -1});
    for (std::size_t node = 0; node < assembly.nodes.size(); ++node) {
      if (root_[node] != static_cast<int>(node)) continue;
      for (std::size_t d = 0; d < 6; ++d) {
        if (foot_[node] >= 0 && feet_[static_cast<std::size_t>(foot_[node])].second.holds[d]) continue;
        first_column_[node][d] = static_cast<int>(node_of_column.size());
        node_of_column.push_back(static_cast<int>(node));
        component_of_column.push_back(static_cast<int>(d));
      }
    }
    free = static_cast<int>(node_of_column.size());
    supports = 6 * static_cast<int>(feet_.size());
  }

  // Rows of T for the six motions of a node, as (column, coefficient) pairs.
  void rows(int node, std::array<std::vector<std::pair<int, double>>, 6>& out) const {
    for (auto& row : out) row.clear();
    const auto root = static_cast<std::size_t>(root_[static_cast<std::size_t>(node)]);
    const Vector3& at = assembly_.nodes[static_cast<std::size_t>(node)].position;
    const Matrix6 arm = rigid_arm(assembly_.nodes[root].position, at);
    const Matrix6 from_base =
        foot_[root] < 0 ? Matrix6::Identity() : rigid_arm(base_point(foot_[root]), assembly_.nodes[root].position);
    for (int i = 0; i < 6; ++i) {
      Vector6 on_base = Vector6::Zero();
      for (int d = 0; d < 6; ++d) {
        if (arm(i, d) == 0) continue;
        const int column = first_column_[root][static_cast<std::size_t>(d)];
        if (column >= 0)
          out[static_cast<std::size_t>(i)].emplace_back(column, arm(i, d));
        else
          on_base += arm(i, d) * from_base.row(d).transpose();
      }
      for (int d = 0; d < 6; ++d)
        if (on_base[d] != 0) out[static_cast<std::size_t>(i)].emplace_back(free + 6 * foot_[root] + d, on_base[d]);
    }
  }

  int free = 0, supports = 0;
  std::vector<int> node_of_column, component_of_column;

 private:
  [[nodiscard]] const Vector3& base_point(int foot) const {
    return assembly_.bases[static_cast<std::size_t>(feet_[static_cast<std::size_t>(foot)].first)].point;
  }

  const Assembly& assembly_;
  std::vector<int> root_, foot_;
  std::vector<std::pair<int, Foot>> feet_;
  std::vector<std::array<int, 6>> first_column_;
};

// Gathers Tᵀ X T element by element.
class Gatherer {
 public:
  Gatherer(const Numbering& numbering) : numbering_(numbering) {}

  void add(const Eigen::MatrixXd& element, std::span<const int> nodes) {
    std::vector<std::pair<int, double>> flat[12];
    std::array<std::vector<std::pair<int, double>>, 6> rows;
    for (std::size_t n = 0; n < nodes.size(); ++n) {
      if (nodes[n] < 0) continue;  // ground
      numbering_.rows(nodes[n], rows);
      for (std::size_t i = 0; i < 6; ++i) flat[6 * n + i] = rows[i];
    }
    for (int i = 0; i < element.rows(); ++i) {
      for (int j = 0; j < element.cols(); ++j) {
        if (element(i, j) == 0) continue;
        for (const auto& [row, a] : flat[i])
          for (const auto& [column, b] : flat[j]) put(row, column, a * element(i, j) * b);
      }
    }
  }

  [[nodiscard]] Partitioned finish() const {
    Partitioned result{SparseMatrix(numbering_.free, numbering_.free),
                       SparseMatrix(numbering_.free, numbering_.supports),
                       SparseMatrix(numbering_.supports, numbering_.supports)};
    result.ff.setFromTriplets(ff_.begin(), ff_.end());
    result.fs.setFromTriplets(fs_.begin(), fs_.end());
    result.ss.setFromTriplets(ss_.begin(), ss_.end());
    return result;
  }

 private:
  void put(int row, int column, double value) {
    const int free = numbering_.free;
    if (row < free && column < free)
      ff_.emplace_back(row, column, value);
    else if (row < free)
      fs_.emplace_back(row, column - free, value);
    else if (column >= free)
      ss_.emplace_back(row - free, column - free, value);
  }

  const Numbering& numbering_;
  Triplets ff_, fs_, ss_;
};

Vector3 position(const Assembly& assembly, int node, const Vector3& ground) {
  return node < 0 ? ground : assembly.nodes[static_cast<std::size_t>(node)].position;
}

}  // namespace

BeamMatrix beam_arms(const Assembly& assembly, const BeamElement& beam) {
  BeamMatrix arms = BeamMatrix::Zero();
  for (int end = 0; end < 2; ++end) {
    const auto node = static_cast<std::size_t>(beam.nodes[static_cast<std::size_t>(end)]);
    arms.block<6, 6>(6 * end, 6 * end) =
        rigid_arm(assembly.nodes[node].position, end == 0 ? beam.geometry.end1 : beam.geometry.end2);
  }
  return arms;
}

System make_system(const Assembly& assembly) {
  const Numbering numbering(assembly);
  Gatherer mass_sum(numbering), stiffness_sum(numbering), dashpot_sum(numbering), loss_sum(numbering),
      own_sum(numbering);
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const BeamMatrix arms = beam_arms(assembly, beam);
    const BeamMatrix k = arms.transpose() * stiffness(beam.geometry, properties) * arms;
    stiffness_sum.add(k, beam.nodes);
    mass_sum.add(arms.transpose() * mass(beam.geometry, properties) * arms, beam.nodes);
    const Part& part = assembly.parts[static_cast<std::size_t>(beam.part)];
    const Material& material = assembly.materials[static_cast<std::size_t>(part.material)];
    if (!material.loss_factor) continue;
    loss_sum.add(*material.loss_factor * k, beam.nodes);
    own_sum.add(k, beam.nodes);
  }
  for (const Spring& spring : assembly.springs) {
    const TravelRows travel = travel_rows(spring.point, spring.axes, position(assembly, spring.nodes[0], spring.point),
                                          position(assembly, spring.nodes[1], spring.point));
    const SpringMatrix k = spring_matrix(travel, spring.stiffness);
    stiffness_sum.add(k, spring.nodes);
    if (spring.loss_factor) loss_sum.add(*spring.loss_factor * k, spring.nodes);
    if (spring.has_dashpot()) dashpot_sum.add(spring_matrix(travel, spring.dashpot), spring.nodes);
    if (spring.loss_factor || spring.has_dashpot()) own_sum.add(k, spring.nodes);
  }
  for (const PointMass& point : assembly.masses)
    mass_sum.add(mass_at_node(point.mass, point.inertia, point.offset), std::array{point.node});

  System system;
  system.free = numbering.free;
  system.supports = numbering.supports;
  system.node_of_column = numbering.node_of_column;
  system.component_of_column = numbering.component_of_column;
  system.mass = mass_sum.finish();
  system.stiffness = stiffness_sum.finish();
  system.dashpot = dashpot_sum.finish();
  system.loss = loss_sum.finish();
  system.own_stiffness = own_sum.finish();

  Triplets rows_of_t;
  std::array<std::vector<std::pair<int, double>>, 6> rows;
  for (int node = 0; node < static_cast<int>(assembly.nodes.size()); ++node) {
    numbering.rows(node, rows);
    for (int i = 0; i < 6; ++i)
      for (const auto& [column, value] : rows[static_cast<std::size_t>(i)])
        rows_of_t.emplace_back(column, 6 * node + i, value);
  }
  system.transformation.resize(system.free + system.supports, 6 * static_cast<int>(assembly.nodes.size()));
  system.transformation.setFromTriplets(rows_of_t.begin(), rows_of_t.end());

  const auto motions = 6 * static_cast<Eigen::Index>(assembly.bases.size());
  system.support_motion = Eigen::MatrixXd::Zero(system.supports, motions);
  system.together.resize(motions, 6);
  Eigen::Index foot = 0;
  for (std::size_t b = 0; b < assembly.bases.size(); ++b) {
    const auto first = 6 * static_cast<Eigen::Index>(b);
    system.together.middleRows<6>(first) = rigid_arm(assembly.reference(), assembly.bases[b].point);
    for (std::size_t k = 0; k < assembly.bases[b].feet.size(); ++k)
      system.support_motion.block<6, 6>(6 * foot++, first).setIdentity();
  }
  system.rigid.resize(system.free, 6);
  for (int column = 0; column < system.free; ++column) {
    const auto c = static_cast<std::size_t>(column);
    const Vector3& at = assembly.nodes[static_cast<std::size_t>(system.node_of_column[c])].position;
    system.rigid.row(column) = rigid_arm(assembly.reference(), at).row(system.component_of_column[c]);
  }
  return system;
}

StaticSolution solve_statics(const System& system, const Factorisation& stiffness) {
  StaticSolution statics;
  const Eigen::MatrixXd load = system.stiffness.fs * system.support_motion;
  statics.influence = -stiffness.solve(load);
  const Eigen::MatrixXd together = statics.influence * system.together;
  double size = 1e-30;  // the largest rigid translation per unit base motion, column by column
  Eigen::Matrix<double, 1, 6> worst = Eigen::Matrix<double, 1, 6>::Zero(), scale = worst;
  for (int row = 0; row < system.free; ++row) {
    if (system.component_of_column[static_cast<std::size_t>(row)] > 2) continue;
    worst = worst.cwiseMax((together.row(row) - system.rigid.row(row)).cwiseAbs());
    scale = scale.cwiseMax(system.rigid.row(row).cwiseAbs());
  }
  for (int d = 0; d < 6; ++d)
    if (scale[d] > size) statics.rigid_difference = std::max(statics.rigid_difference, worst[d] / scale[d]);
  statics.grounded = !(statics.rigid_difference < rigid_tolerance);
  statics.moves_rigidly = !statics.grounded && system.together.rows() == 6;
  if (statics.moves_rigidly) statics.influence = system.rigid;
  statics.inertia_load = system.mass.ff * statics.influence + system.mass.fs * system.support_motion;
  statics.unit_acceleration = stiffness.solve(statics.inertia_load);
  return statics;
}

}  // namespace avrenk
