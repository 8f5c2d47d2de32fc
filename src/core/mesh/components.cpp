#include "core/mesh/components.h"

#include <algorithm>

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;

PlacedComponent add_component(Assembly& assembly, int part, const ReducedModel& model, const Placement& placement) {
  const ReducedModel reduced_model = placed(model, placement.rotation, placement.shift);
  const std::string& name = assembly.parts[static_cast<std::size_t>(part)].name;
  Component component;
  component.part = part;
  component.bound = reduced_model.bound;
  PlacedComponent result;
  const auto add_node = [&](const Vector3& at, int coordinates) {
    assembly.nodes.push_back({at, name});
    assembly.nodes.back().coordinates = coordinates;
    return static_cast<int>(assembly.nodes.size()) - 1;
  };
  for (const Vector3& each : reduced_model.interface) result.interface.push_back(add_node(each, Node::place));
  component.nodes = result.interface;
  component.interface = static_cast<int>(result.interface.size());
  // Coordinates, six to a node.
  constexpr int in_node = 6;
  const auto count = static_cast<int>(reduced_model.coordinates());
  const Vector3 at = reduced_model.interface.empty() ? placement.shift : reduced_model.interface.front();
  for (int first = 0; first < count; first += in_node)
    component.nodes.push_back(add_node(at, std::min(in_node, count - first)));
  // Where each column goes among six numbers a node.
  std::vector<Index> place;
  Index next = 6 * static_cast<Index>(component.interface);
  for (const auto& [node, direction] : reduced_model.columns)
    place.push_back(node >= 0 ? 6L * node + direction : next++);
  const auto size = 6 * static_cast<Index>(component.nodes.size());
  const auto spread = [&](const MatrixXd& from, MatrixXd& to) {
    if (from.size() == 0) return;
    to = MatrixXd::Zero(size, size);
    to(place, place) = 0.5 * (from + from.transpose());
  };
  spread(reduced_model.stiffness, component.stiffness);
  spread(reduced_model.mass, component.mass);
  spread(reduced_model.dashpot, component.dashpot);
  spread(reduced_model.loss, component.loss);
  for (std::size_t p = 0; p < reduced_model.points.size(); ++p) {
    Follower follower;
    follower.joint = name;
    follower.type = Joint::Type::recovery;
    follower.node = add_node(reduced_model.points[p], Node::place);
    MatrixXd rows = MatrixXd::Zero(6, size);
    rows(Eigen::all, place) = reduced_model.recovery.middleRows<6>(6 * static_cast<Index>(p));
    // Only nodes that count.
    for (std::size_t k = 0; k < component.nodes.size(); ++k) {
      const auto share = rows.middleCols<6>(6 * static_cast<Index>(k));
      if (share.isZero(0)) continue;
      follower.leads.push_back(component.nodes[k]);
      follower.shares.conservativeResize(6, follower.shares.cols() + 6);
      follower.shares.rightCols<6>() = share;
    }
    result.points.push_back(follower.node);
    if (!follower.leads.empty()) assembly.followers.push_back(std::move(follower));
  }
  assembly.components.push_back(std::move(component));
  return result;
}

}  // namespace avrenk
