#include "core/system/numbering.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <numeric>

#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/error.h"

namespace avrenk {
namespace {

constexpr double same_spot = 1e-6;  // m: a link shorter than this has no arm
constexpr double no_share = 1e-9;   // a rotation that counts less than this in another does not count

}  // namespace

TravelRows spring_travel_rows(const Assembly& assembly, const Spring& spring) {
  const auto position = [&](int node) { return node < 0 ? spring.point : assembly.position(node); };
  return travel_rows(spring.point, spring.axes, position(spring.nodes[0]), position(spring.nodes[1]));
}

SpringMatrix spring_stiffness(const Assembly& assembly, const Spring& spring) {
  return spring_matrix(spring_travel_rows(assembly, spring), spring.stiffness);
}

SpringMatrix spring_dashpot(const Assembly& assembly, const Spring& spring) {
  return spring_matrix(spring_travel_rows(assembly, spring), spring.dashpot);
}

namespace {

using LeadShares = Eigen::Matrix<double, 6, Eigen::Dynamic>;

// Follows the leads of every carried node down to the roots.
class Resolver {
 public:
  explicit Resolver(const Assembly& assembly) : assembly_(assembly), steps_(assembly.nodes.size(), -1) {
    for (const RigidLink& link : assembly.links)
      for (const int node : link.follow)
        if (node != link.lead) add(node, {&link.joint, {link.lead}, nullptr});
    for (const Follower& follower : assembly.followers)
      add(follower.node, {&follower.joint, follower.leads, &follower.shares});
  }

  void resolve(CarriedNodes& result) {
    const std::size_t count = assembly_.nodes.size();
    result.index.assign(count, -1);
    state_.assign(count, State::fresh);
    for (std::size_t node = 0; node < count; ++node) visit(static_cast<int>(node), result);
  }

 private:
  struct Step {
    const std::string* joint;
    std::vector<int> leads;
    const LeadShares* shares;  // nullptr: one rigid body
  };
  enum class State : unsigned char { fresh, open, done };

  void add(int node, Step step) {
    int& distance = steps_[static_cast<std::size_t>(node)];
    if (distance >= 0) {
      const Step& before = all_[static_cast<std::size_t>(distance)];
      if (!step.shares && !before.shares && before.leads == step.leads) return;  // said twice
      throw_input_error("joint " + *step.joint,
                        fmt::format("{} already follows in joint {}", assembly_.describe_node(node), *before.joint),
                        "let a node follow in one joint only, or join the two leads");
    }
    distance = static_cast<int>(all_.size());
    all_.push_back(std::move(step));
  }

  // The leads first; an explicit stack, because chains may be long.
  void visit(int start, CarriedNodes& result) {
    std::vector<int> stack{start};
    while (!stack.empty()) {
      const int node = stack.back();
      const auto n = static_cast<std::size_t>(node);
      if (steps_[n] < 0 || state_[n] == State::done) {
        state_[n] = State::done;
        stack.pop_back();
        continue;
      }
      const Step& step = all_[static_cast<std::size_t>(steps_[n])];
      if (state_[n] == State::fresh) {
        state_[n] = State::open;
        for (const int lead : step.leads) {
          if (state_[static_cast<std::size_t>(lead)] == State::open) refuse_ring(stack, lead);
          if (state_[static_cast<std::size_t>(lead)] == State::fresh) stack.push_back(lead);
        }
        continue;
      }
      state_[n] = State::done;
      stack.pop_back();
      result.index[n] = static_cast<int>(result.carried.size());
      result.carried.push_back(combine(node, step, result));
    }
  }

  [[noreturn]] void refuse_ring(const std::vector<int>& stack, int lead) const {
    std::vector<std::string> names;
    for (auto at = stack.rbegin(); at != stack.rend(); ++at) {
      if (state_[static_cast<std::size_t>(*at)] != State::open) continue;
      const std::string& name = *all_[static_cast<std::size_t>(steps_[static_cast<std::size_t>(*at)])].joint;
      if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
      if (*at == lead) break;
    }
    std::string with;
    for (std::size_t i = 1; i < names.size(); ++i) with += (i == 1 ? " together with " : ", ") + names[i];
    throw_input_error(
        "joint " + names.front(),
        fmt::format("{} follows nodes that follow it{}: a ring of joints", assembly_.describe_node(lead), with),
        "turn one of the joints round: let what follows in it lead");
  }

  [[nodiscard]] Carried combine(int node, const Step& step, const CarriedNodes& known) const {
    std::map<int, Matrix6> sum;
    for (std::size_t k = 0; k < step.leads.size(); ++k) {
      const int lead = step.leads[k];
      const Matrix6 share = step.shares ? Matrix6(step.shares->middleCols<6>(6 * static_cast<Eigen::Index>(k)))
                                        : rigid_arm(assembly_.position(lead), assembly_.position(node));
      const auto put = [&](int root, const Matrix6& matrix) {
        const auto [place, fresh] = sum.try_emplace(root, matrix);
        if (!fresh) place->second += matrix;
      };
      const int index = known.index[static_cast<std::size_t>(lead)];
      if (index < 0) {
        put(lead, share);
        continue;
      }
      const Carried& through = known.carried[static_cast<std::size_t>(index)];
      for (std::size_t r = 0; r < through.roots.size(); ++r)
        put(through.roots[r], share * through.motions.middleCols<6>(6 * static_cast<Eigen::Index>(r)));
    }
    Carried carried;
    carried.motions.resize(6, 6 * static_cast<Eigen::Index>(sum.size()));
    for (const auto& [root, matrix] : sum) {
      carried.motions.middleCols<6>(6 * static_cast<Eigen::Index>(carried.roots.size())) = matrix;
      carried.roots.push_back(root);
    }
    return carried;
  }

  const Assembly& assembly_;
  std::vector<int> steps_;  // of each node, index into all_
  std::vector<Step> all_;
  std::vector<State> state_;
};

}  // namespace

CarriedNodes::CarriedNodes(const Assembly& assembly) { Resolver(assembly).resolve(*this); }

Numbering::Numbering(const Assembly& assembly)
    : assembly_(assembly), joints_(assembly), self_(assembly.nodes.size()), feet_(assembly.feet()) {
  std::iota(self_.begin(), self_.end(), 0);
  for (const auto& [base, foot] : feet_)
    if (joints_.index[static_cast<std::size_t>(foot.node)] >= 0)
      throw_input_error("base " + assembly.bases[static_cast<std::size_t>(base)].name,
                        fmt::format("{} is held, but follows in a joint", assembly.describe_node(foot.node)),
                        "let the held node lead in the joint");
  for (const Base& base : assembly.bases)
    if (base.feet.empty())
      throw_input_error("base " + base.name, "nothing is held by it",
                        "name a place of at least one node, or let a spring lead to it");
  foot_.assign(assembly.nodes.size(), -1);
  for (std::size_t k = 0; k < feet_.size(); ++k) {
    int& own = foot_[static_cast<std::size_t>(feet_[k].second.node)];
    if (own >= 0)
      throw_input_error("base " + assembly.bases[static_cast<std::size_t>(feet_[k].first)].name,
                        fmt::format("{} is held twice", assembly.describe_node(feet_[k].second.node)),
                        "let one base hold a node");
    own = static_cast<int>(k);
  }
  const std::vector<bool> rotations = find_rotations(), used = assembly.used_nodes();
  column_.assign(assembly.nodes.size(), {-1, -1, -1, -1, -1, -1});
  for (std::size_t node = 0; node < assembly.nodes.size(); ++node) {
    first_.push_back(static_cast<int>(node_of_column.size()));
    if (joints_.index[node] >= 0 || !used[node]) continue;
    const Node& place = assembly.nodes[node];
    const auto count = place.is_place() ? (rotations[node] ? 6U : 3U) : static_cast<std::size_t>(place.coordinates);
    for (std::size_t d = 0; d < count; ++d) {
      if (foot_[node] >= 0 && feet_[static_cast<std::size_t>(foot_[node])].second.holds[d]) continue;
      column_[node][d] = static_cast<int>(node_of_column.size());
      node_of_column.push_back(static_cast<int>(node));
      component_of_column.push_back(static_cast<int>(d));
    }
  }
  free = static_cast<int>(node_of_column.size());
  first_.push_back(free);
  supports = 6 * static_cast<int>(feet_.size());
}

std::vector<bool> Numbering::find_rotations() const {
  const std::size_t count = self_.size();
  std::vector<bool> pushed(count), uses(count);  // only ever pushed; turned too
  const auto use = [&](int node) { uses[static_cast<std::size_t>(node)] = true; };
  for (const ElementGroup& group : assembly_.groups)
    for (const int node : group.nodes)
      if (group.kind->motions == 6)
        use(node);
      else
        pushed[static_cast<std::size_t>(node)] = true;
  for (const BeamElement& beam : assembly_.beams)
    for (const int node : beam.nodes) use(node);
  for (const Spring& spring : assembly_.springs) {
    const SpringMatrix both = spring_stiffness(assembly_, spring) + spring_dashpot(assembly_, spring);
    const double straight = both.diagonal().cwiseAbs().maxCoeff() * same_spot * same_spot;
    for (int end = 0; end < 2; ++end) {
      const int node = spring.nodes[static_cast<std::size_t>(end)];
      if (node < 0) continue;
      if (both.block<3, 3>(6 * end + 3, 6 * end + 3).cwiseAbs().maxCoeff() > straight)
        use(node);
      else
        pushed[static_cast<std::size_t>(node)] = true;
    }
  }
  for (const Component& component : assembly_.components)
    for (std::size_t i = 0; i < component.nodes.size(); ++i) {
      const auto turns = component.stiffness.middleRows<3>(6 * static_cast<Eigen::Index>(i) + 3);
      const auto inertia = component.mass.middleRows<3>(6 * static_cast<Eigen::Index>(i) + 3);
      if (!turns.isZero(0) || !inertia.isZero(0))
        use(component.nodes[i]);
      else
        pushed[static_cast<std::size_t>(component.nodes[i])] = true;
    }
  for (const PointMass& mass : assembly_.masses)
    if (!mass.inertia.isZero(0) || !mass.offset.isZero(0))
      use(mass.node);
    else
      pushed[static_cast<std::size_t>(mass.node)] = true;
  std::vector<bool> result(count);
  for (std::size_t node = 0; node < count; ++node) {
    const int index = joints_.index[node];
    if (index < 0) {  // what nothing but a link or a base touches keeps all six
      if (uses[node] || !pushed[node]) result[node] = true;
      continue;
    }
    const Carried& carried = joints_.carried[static_cast<std::size_t>(index)];
    for (std::size_t r = 0; r < carried.roots.size(); ++r) {
      const auto from_turns = carried.motions.middleCols<3>(6 * static_cast<Eigen::Index>(r) + 3);
      if (from_turns.topRows<3>().cwiseAbs().maxCoeff() > same_spot ||
          (uses[node] && from_turns.bottomRows<3>().cwiseAbs().maxCoeff() > no_share))
        result[static_cast<std::size_t>(carried.roots[r])] = true;
    }
  }
  return result;
}

void Numbering::rows(int node, std::array<Row, 6>& out) const {
  for (Row& row : out) row.clear();
  const int index = joints_.index[static_cast<std::size_t>(node)];
  if (index < 0) {
    add_rows(node, Matrix6::Identity(), out);
    return;
  }
  const Carried& carried = joints_.carried[static_cast<std::size_t>(index)];
  for (std::size_t r = 0; r < carried.roots.size(); ++r)
    add_rows(carried.roots[r], carried.motions.middleCols<6>(6 * static_cast<Eigen::Index>(r)), out);
}

void Numbering::add_rows(int root_node, const Matrix6& share, std::array<Row, 6>& out) const {
  const auto root = static_cast<std::size_t>(root_node);
  const Matrix6 from_base =
      foot_[root] < 0 ? Matrix6::Identity() : rigid_arm(base_point(foot_[root]), assembly_.position(root_node));
  for (int i = 0; i < 6; ++i) {
    Row& row = out[static_cast<std::size_t>(i)];
    Vector6 on_base = Vector6::Zero();
    for (int d = 0; d < 6; ++d) {
      if (share(i, d) == 0) continue;
      const int column = column_[root][static_cast<std::size_t>(d)];
      if (column >= 0)
        row.emplace_back(column, share(i, d));
      else if (foot_[root] >= 0)
        on_base += share(i, d) * from_base.row(d).transpose();
    }
    for (int d = 0; d < 6; ++d)
      if (on_base[d] != 0) row.emplace_back(free + 6 * foot_[root] + d, on_base[d]);
  }
}

}  // namespace avrenk
