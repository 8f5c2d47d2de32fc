#include "core/system/mechanism.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/dense.h"
#include "core/element/discrete.h"
#include "core/error.h"
#include "core/mesh/closest.h"
#include "core/model/connections.h"

namespace avrenk {
namespace {

std::string direction_words(const Vector3& direction) {
  for (int axis = 0; axis < 3; ++axis)
    if (std::abs(direction[axis]) > 0.999) return std::string(1, "xyz"[axis]);
  return fmt::format("({:.3g}, {:.3g}, {:.3g})", direction.x(), direction.y(), direction.z());
}

// The motion of the nodes of one origin (part, mass or place) under a null vector.
struct FreeMotion {
  std::vector<Vector3> at, move, rotation;
  std::vector<bool> turns;  // whether the node has rotations
};

// One rigid motion (u, θ about the centroid) fitted to the nodes, in words.
struct DescribedMotion {
  std::string words;
  bool is_rigid = true;
};
DescribedMotion describe_motion(const Assembly& assembly, const FreeMotion& motion) {
  const auto count = static_cast<Eigen::Index>(motion.at.size());
  Vector3 centre = Vector3::Zero();
  for (const Vector3& at : motion.at) centre += at / static_cast<double>(count);
  Eigen::MatrixXd rows(6 * count, 6);
  Eigen::VectorXd values(6 * count);
  double size = 0;
  for (Eigen::Index i = 0; i < count; ++i) {
    const auto n = static_cast<std::size_t>(i);
    rows.middleRows<6>(6 * i) = rigid_arm(centre, motion.at[n]);
    if (!motion.turns[n]) rows.middleRows<3>(6 * i + 3).setZero();
    values.segment<3>(6 * i) = motion.move[n];
    values.segment<3>(6 * i + 3) = motion.rotation[n];
    size = std::max(size, (motion.at[n] - centre).norm());
  }
  const Eigen::VectorXd fit = least_squares(rows, values);
  const Vector3 move = fit.head<3>(), rotation = fit.tail<3>();
  const double misfit = (rows * fit - values).norm() / std::max(values.norm(), 1e-300);
  if (misfit > 0.2) return {"moves freely, changing its shape", false};
  if (rotation.norm() * std::max(size, 1e-3) < 1e-3 * move.norm() || rotation.norm() < 1e-9 * move.norm())
    return {"moves freely along " + direction_words(move.normalized())};
  const Vector3 axis = rotation.normalized();
  // A point that does not move across the axis; rounding beside the size of the model prints as zero.
  const double rounding = 1e-6 * std::max(size, centre.norm());
  const Vector3 through = (centre + rotation.cross(move) / rotation.squaredNorm()).unaryExpr([&](double x) {
    return std::abs(x) <= rounding ? 0.0 : x;
  });
  return {fmt::format("turns freely about the direction {} through {}", direction_words(axis),
                      assembly.describe_position(through))};
}

std::string carrying_joints(const Assembly& assembly, const std::vector<bool>& moves);

Problem describe_mechanism(const Assembly& assembly, const System& system, const Eigen::VectorXd& null_vector) {
  const Eigen::VectorXd raw = system.motions(null_vector);
  double largest_move = 0, largest_turn = 0;
  for (std::size_t n = 0; n < assembly.nodes.size(); ++n) {
    const auto at = 6 * static_cast<Eigen::Index>(n);
    largest_move = std::max(largest_move, raw.segment<3>(at).norm());
    largest_turn = std::max(largest_turn, raw.segment<3>(at + 3).norm());
  }
  std::vector<std::pair<std::string, FreeMotion>> moving;  // in the order of the model
  std::map<std::string, std::size_t> index;
  std::vector<bool> moves(assembly.nodes.size());
  for (std::size_t n = 0; n < assembly.nodes.size(); ++n) {
    const auto at = 6 * static_cast<Eigen::Index>(n);
    const Vector3 move = raw.segment<3>(at), rotation = raw.segment<3>(at + 3);
    if (move.norm() <= 1e-3 * largest_move && rotation.norm() <= 1e-3 * largest_turn) continue;
    moves[n] = true;
    const auto [found, fresh] = index.try_emplace(assembly.nodes[n].origin, moving.size());
    if (fresh) moving.emplace_back(assembly.nodes[n].origin, FreeMotion{});
    FreeMotion& motion = moving[found->second].second;
    motion.at.push_back(assembly.nodes[n].position);
    motion.move.push_back(move);
    motion.rotation.push_back(rotation);
    motion.turns.push_back(system.has_rotation(static_cast<int>(n)));
  }
  std::string wrong = "the model moves freely";
  if (!moving.empty()) {
    // What is soft is bent along by rounding: one that moves as it is comes first.
    std::size_t first = 0;
    DescribedMotion described = describe_motion(assembly, moving.front().second);
    for (std::size_t i = 1; i < moving.size() && !described.is_rigid; ++i)
      if (DescribedMotion next = describe_motion(assembly, moving[i].second); next.is_rigid) {
        first = i;
        described = std::move(next);
      }
    std::rotate(moving.begin(), moving.begin() + static_cast<std::ptrdiff_t>(first),
                moving.begin() + static_cast<std::ptrdiff_t>(first) + 1);
    wrong = moving.front().first + " " + described.words;
  }
  if (moving.size() > 1) {
    wrong += "; with it";
    constexpr std::size_t most = 5;
    for (std::size_t i = 1; i < std::min(moving.size(), most); ++i) wrong += (i > 1 ? ", " : " ") + moving[i].first;
    if (moving.size() > most) wrong += fmt::format(" and {} more", moving.size() - most);
  }
  const std::string joints = carrying_joints(assembly, moves);
  return {"mechanism", wrong,
          joints.empty()
              ? "join it or hold it, or give the joint that carries it a stiffness in that direction"
              : fmt::format("only joint {} leads to what stands still: give it a stiffness in that direction, "
                            "or join it otherwise",
                            joints),
          std::nullopt};
}

// What elements and joints join, held nodes to the ground.
NodeSets joined_nodes(const Assembly& assembly) {
  NodeSets sets(assembly.nodes.size());
  for (const auto& [base, foot] : assembly.feet()) sets.join(foot.node, -1);
  for (const BeamElement& beam : assembly.beams) sets.join(beam.nodes[0], beam.nodes[1]);
  for (const ElementGroup& group : assembly.groups)
    for (std::size_t e = 0; e < group.elements(); ++e)
      for (const int node : group.element(e)) sets.join(group.element(e)[0], node);
  for_each_connection(assembly, [&](const std::string&, const std::vector<int>& nodes) { sets.join(nodes); });
  return sets;
}

// The joint that is likely missing: to the part that comes nearest.
std::string likely_joint(const Assembly& assembly, const std::vector<int>& nodes) {
  std::string otherwise = "join it by a rigid joint, an attachment or a spring, or hold it";
  std::vector<bool> is_loose(assembly.parts.size());
  const std::set<int> among(nodes.begin(), nodes.end());
  std::map<int, int> count;
  for (const BeamElement& beam : assembly.beams)
    if (among.contains(beam.nodes[0])) ++count[beam.part];
  for (const ElementGroup& group : assembly.groups)
    if (!group.nodes.empty() && among.contains(group.nodes.front())) ++count[group.part];
  for (const auto& [part, elements] : count) is_loose[static_cast<std::size_t>(part)] = true;
  if (assembly.parts.size() > 200 || std::all_of(is_loose.begin(), is_loose.end(), [](bool is) { return is; }))
    return otherwise;
  const Closest nearest = closest_part(assembly, nodes, is_loose);
  if (nearest.part < 0) return otherwise;
  const std::string& other = assembly.parts[static_cast<std::size_t>(nearest.part)].name;
  const std::string where = fmt::format("the nearest other part is {}, {:.3g} mm from {}", other,
                                        1e3 * nearest.distance, assembly.describe_node(nearest.node));
  if (!nearest.face || count.empty()) return otherwise + "; " + where;
  const double within = std::max(1e-5, 1.01 * nearest.distance);
  return fmt::format("{}: if they touch there, attach {} to {} within {:.3g} mm", where,
                     assembly.nodes[static_cast<std::size_t>(nearest.node)].origin, other, 1e3 * within);
}

// Joints that have a node that moves and one that does not: what carries the motion, with too little.
std::string carrying_joints(const Assembly& assembly, const std::vector<bool>& moves) {
  std::vector<std::string> names;
  for_each_connection(assembly, [&](const std::string& joint, const std::vector<int>& nodes) {
    bool moving = false, still = false;
    for (const int node : nodes) (node >= 0 && moves[static_cast<std::size_t>(node)] ? moving : still) = true;
    if (moving && still && std::find(names.begin(), names.end(), joint) == names.end()) names.push_back(joint);
  });
  std::string text;
  constexpr std::size_t most = 4;
  for (std::size_t i = 0; i < std::min(most, names.size()); ++i) text += (i > 0 ? ", " : "") + names[i];
  return names.empty() || names.size() > most ? "" : text;
}

}  // namespace

std::vector<Problem> loose_groups(const Assembly& assembly) {
  NodeSets groups = joined_nodes(assembly);
  const std::size_t held = groups.of(-1);
  const std::vector<bool> used = assembly.used_nodes();
  struct Loose {
    std::size_t group;
    std::vector<std::string> names;
    std::vector<int> nodes;
  };
  std::vector<Loose> loose;  // in the order of the model
  std::map<std::size_t, std::size_t> index;
  for (int node = 0; node < static_cast<int>(assembly.nodes.size()); ++node) {
    const std::size_t group = groups.of(node);
    if (group == held || !used[static_cast<std::size_t>(node)]) continue;
    const auto [place, fresh] = index.try_emplace(group, loose.size());
    if (fresh) loose.push_back({group, {}, {}});
    Loose& body = loose[place->second];
    body.nodes.push_back(node);
    const std::string& origin = assembly.nodes[static_cast<std::size_t>(node)].origin;
    if (std::find(body.names.begin(), body.names.end(), origin) == body.names.end()) body.names.push_back(origin);
  }
  std::vector<Problem> problems;
  constexpr std::size_t most = 12;
  for (std::size_t i = 0; i < std::min(most, loose.size()); ++i) {
    const Loose& body = loose[i];
    std::string with;
    for (std::size_t k = 1; k < body.names.size(); ++k) with += (k > 1 ? ", " : ", with ") + body.names[k];
    problems.push_back(
        {"mechanism",
         fmt::format("{}{} is joined to nothing that is held: it moves freely in all directions", body.names[0], with),
         likely_joint(assembly, body.nodes), std::nullopt});
  }
  if (loose.size() > most)
    problems.push_back({"mechanism",
                        fmt::format("{} more pieces are joined to nothing that is held", loose.size() - most), "",
                        std::nullopt});
  return problems;
}

std::vector<Problem> describe_motions(const Assembly& assembly, const System& system,
                                      const Eigen::MatrixXd& free_motions) {
  if (free_motions.cols() == 0) return {};
  // A null space of several vectors has no basis of its own: reduce it so that each vector moves as little as can be.
  Eigen::MatrixXd reduced = orthonormal_basis(free_motions, free_motions.cols());
  for (Eigen::Index k = 0; k < reduced.cols(); ++k) {  // Gauss–Jordan with the largest entry left as pivot
    Eigen::Index row = 0;
    const double peak = reduced.col(k).cwiseAbs().maxCoeff(&row);
    if (peak < 1e-12) continue;
    reduced.col(k) /= reduced(row, k);
    for (Eigen::Index other = 0; other < reduced.cols(); ++other)
      if (other != k) reduced.col(other) -= reduced(row, other) * reduced.col(k);
  }
  std::vector<Problem> problems;
  constexpr Eigen::Index most = 6;
  for (Eigen::Index k = 0; k < std::min(reduced.cols(), most); ++k)
    problems.push_back(describe_mechanism(assembly, system, reduced.col(k)));
  if (reduced.cols() > most)
    problems.push_back({"mechanism", fmt::format("{} more free motions", reduced.cols() - most), "", std::nullopt});
  return problems;
}

}  // namespace avrenk
