#include "core/system/contact_equilibrium.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/dense.h"
#include "core/element/discrete.h"
#include "core/error.h"
#include "core/memory.h"
#include "core/system/numbering.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr Index along_bolt = 2;  // z of its spring

// One direction of a spring that is tightened or may open.
struct Row {
  int spring = 0;
  Index axis = 0;
  double stiffness = 0;
  bool of_bolt = false, is_normal = false;  // normal: of a one-sided spring, that which it presses along
};

class Equilibrium {
 public:
  Equilibrium(const Assembly& assembly, const System& system, const Factorisation& stiffness,
              const RestRequest& request, const Progress& progress)
      : assembly_(assembly), system_(system), request_(request) {
    for (const int bolt : request.bolts)
      rows_.push_back({bolt, along_bolt, spring(bolt).stiffness[along_bolt], true, false});
    for (int k = 0; k < static_cast<int>(assembly.springs.size()); ++k) {
      const auto& unilateral = spring(k).unilateral;
      if (!unilateral || unilateral->is_open) continue;
      contacts_.push_back({k, rows_.size(), 0});
      for (Index axis = 0; axis < 6; ++axis)
        if (spring(k).stiffness[axis] > 0)
          rows_.push_back({k, axis, spring(k).stiffness[axis], false, axis == unilateral->axis});
      contacts_.back().count = rows_.size() - contacts_.back().first;
    }
    const auto count = static_cast<Index>(rows_.size());
    require_memory(3 * 8.0 * static_cast<double>(count) * static_cast<double>(count),
                   fmt::format("the contact of {} springs", contacts_.size()),
                   "let it reach less far, or mesh the surfaces coarser");
    report_progress(progress,
                    fmt::format("flexibility of {} bolts and {} contacts", request.bolts.size(), contacts_.size()));
    make_flexibility(stiffness);
    known_ = VectorXd::Zero(count);
    wanted_ = VectorXd::Zero(count);
    is_known_.assign(rows_.size(), true);
    closed_.resize(contacts_.size());
    for (std::size_t c = 0; c < contacts_.size(); ++c) closed_[c] = unilateral(c).gap <= 0 || request.contacts_stay;
    sticks_ = closed_;
  }

  StaticContactState run() {
    const VectorXd nothing = VectorXd::Zero(std::ssize(rows_));
    const std::size_t bolts = request_.bolts.size();
    VectorXd travel = nothing;
    if (bolts > 0) {
      // A bolt that is not tightened yet carries nothing.
      for (std::size_t b = 0; b < bolts; ++b) is_known_[b] = false;
      for (std::size_t b = 0; b < bolts; ++b) {
        const auto at = static_cast<Index>(b);
        wanted_[at] = *spring(request_.bolts[b]).tension;
        if (!request_.one_by_one && b + 1 < bolts) continue;
        state_.stages.push_back({request_.one_by_one ? fmt::format("bolt {}", b + 1) : "all bolts"});
        travel = settle(nothing);
        if (request_.one_by_one) lock(b);
      }
      for (std::size_t b = 0; b < bolts; ++b) lock(b);
      const VectorXd force = forces(travel);
      for (std::size_t b = 0; b < bolts; ++b)
        state_.bolts.push_back({request_.bolts[b], *spring(request_.bolts[b]).tension, force[static_cast<Index>(b)]});
    }
    state_.stages.push_back({"loads"});
    travel = settle(outside_);
    report(travel);
    return std::move(state_);
  }

 private:
  struct Contact {
    int spring;
    std::size_t first, count;  // rows
  };

  [[nodiscard]] const Spring& spring(int index) const { return assembly_.springs[static_cast<std::size_t>(index)]; }
  [[nodiscard]] const UnilateralContact& unilateral(std::size_t contact) const {
    return *spring(contacts_[contact].spring).unilateral;
  }

  // F, and the travels that all else makes.
  void make_flexibility(const Factorisation& stiffness) {
    std::vector<Eigen::Triplet<double>> entries;
    for (std::size_t r = 0; r < rows_.size(); ++r) {
      const Spring& element = spring(rows_[r].spring);
      const TravelRows travel = spring_travel_rows(assembly_, element);
      for (Index end = 0; end < 2; ++end) {
        const int node = element.nodes[static_cast<std::size_t>(end)];
        for (int i = 0; node >= 0 && i < 6; ++i)
          if (const double share = travel(rows_[r].axis, 6 * end + i); share != 0)
            for (SparseMatrix::InnerIterator entry(system_.transformation, 6 * node + i); entry; ++entry)
              entries.emplace_back(static_cast<int>(entry.row()), static_cast<int>(r), share * entry.value());
      }
    }
    SparseMatrix travels(system_.free + system_.supports, static_cast<int>(rows_.size()));
    travels.setFromTriplets(entries.begin(), entries.end());
    const SparseMatrix free = travels.topRows(system_.free), supports = travels.bottomRows(system_.supports);
    const VectorXd displaced = system_.support_motion * request_.displaced;
    const VectorXd outside = stiffness.solve(VectorXd(request_.force - system_.stiffness.fs * displaced)).col(0);
    outside_ = free.transpose() * outside + supports.transpose() * displaced;
    const Index count = travels.cols();
    flexibility_.resize(count, count);
    constexpr Index at_once = 64;
    for (Index first = 0; first < count; first += at_once) {
      const Index now = std::min(at_once, count - first);
      flexibility_.middleCols(first, now) = free.transpose() * stiffness.solve(MatrixXd(free.middleCols(first, now)));
    }
    flexibility_ = (0.5 * (flexibility_ + flexibility_.transpose())).eval();
  }

  // The pseudo forces p = k s with which a row carries k t − p. Those of rows with a wanted force follow from
  // (1/k − F) p = t_outside + F p_known − T/k.
  // @return  the travels; absent where what is left is loose and may be
  std::optional<VectorXd> solve(const VectorXd& outside, bool may_be_loose) {
    std::vector<Index> unknown;
    pseudo_ = VectorXd::Zero(std::ssize(rows_));
    for (std::size_t r = 0; r < rows_.size(); ++r)
      if (is_known_[r])
        pseudo_[static_cast<Index>(r)] = known_[static_cast<Index>(r)];
      else
        unknown.push_back(static_cast<Index>(r));
    VectorXd travel = outside + flexibility_ * pseudo_;
    if (unknown.empty()) return travel;
    const auto count = static_cast<Index>(unknown.size());
    VectorXd root(count), right(count);
    for (Index i = 0; i < count; ++i) {
      const Index row = unknown[static_cast<std::size_t>(i)];
      root[i] = std::sqrt(rows_[static_cast<std::size_t>(row)].stiffness);
      right[i] = root[i] * travel[row] - wanted_[row] / root[i];
    }
    const MatrixXd scaled =
        MatrixXd::Identity(count, count) - root.asDiagonal() * flexibility_(unknown, unknown) * root.asDiagonal();
    const std::optional<MatrixXd> lower = cholesky(scaled);
    constexpr double nothing_left = 1e-11;  // of the stiffness taken out: what rounding leaves of nothing
    if (!lower || lower->diagonal().minCoeff() < std::sqrt(nothing_left)) {
      if (may_be_loose) return std::nullopt;
      refuse_loose_set(scaled, unknown);
    }
    const VectorXd found = root.cwiseProduct(solve_cholesky(*lower, right).col(0));
    for (Index i = 0; i < count; ++i) pseudo_[unknown[static_cast<std::size_t>(i)]] = found[i];
    return outside + flexibility_ * pseudo_;
  }

  // What the rest of the model would do without those rows: one of them is loose.
  [[noreturn]] void refuse_loose_set(const MatrixXd& scaled, const std::vector<Index>& unknown) const {
    Index worst = 0;
    symmetric_eigen(scaled).vectors.col(0).cwiseAbs().maxCoeff(&worst);
    const Row& row = rows_[static_cast<std::size_t>(unknown[static_cast<std::size_t>(worst)])];
    const std::string place = assembly_.describe_position(spring(row.spring).point);
    const std::string& joint = spring(row.spring).joint;
    if (row.of_bolt)
      throw_input_error("joint " + joint, fmt::format("nothing presses back when the bolt at {} is tightened", place),
                        "join what it clamps by a contact or an attachment, or leave its tension out");
    throw_input_error(
        "joint " + joint,
        fmt::format("the contact opens so far (at {} and elsewhere) that nothing holds what it pressed on", place),
        "let bolts, springs or loads press it, or hold it otherwise");
  }

  [[nodiscard]] VectorXd forces(const VectorXd& travel) const {
    VectorXd force = -pseudo_;
    for (std::size_t r = 0; r < rows_.size(); ++r)
      force[static_cast<Index>(r)] += rows_[r].stiffness * travel[static_cast<Index>(r)];
    return force;
  }

  // A bolt keeps the length that it has now.
  void lock(std::size_t bolt) {
    is_known_[bolt] = true;
    known_[static_cast<Index>(bolt)] = pseudo_[static_cast<Index>(bolt)];
  }

  void set_closed(std::size_t contact) {
    const Contact& state = contacts_[contact];
    for (std::size_t r = state.first; r < state.first + state.count; ++r) {
      const auto at = static_cast<Index>(r);
      if (!rows_[r].is_normal) {
        is_known_[r] = sticks_[contact];
        continue;
      }
      is_known_[r] = closed_[contact];
      known_[at] = closed_[contact] ? -rows_[r].stiffness * unilateral(contact).sign * unilateral(contact).gap : 0;
    }
  }

  // What is closed sticks from here on, in the place and with the force that it has.
  void stick() {
    for (std::size_t c = 0; c < contacts_.size(); ++c) {
      sticks_[c] = closed_[c];
      for (std::size_t r = contacts_[c].first; closed_[c] && r < contacts_[c].first + contacts_[c].count; ++r)
        if (!rows_[r].is_normal) known_[static_cast<Index>(r)] = pseudo_[static_cast<Index>(r)];
    }
  }

  struct Normal {
    double pressing, opening;  // N, m
  };
  [[nodiscard]] Normal normal_of(std::size_t contact, const VectorXd& travel, const VectorXd& force) const {
    const Contact& state = contacts_[contact];
    for (std::size_t r = state.first; r < state.first + state.count; ++r)
      if (rows_[r].is_normal) {
        const UnilateralContact& side = unilateral(contact);
        return {-side.sign * force[static_cast<Index>(r)], side.gap + side.sign * travel[static_cast<Index>(r)]};
      }
    return {0, 0};
  }

  // Force and opening of every contact, and what of them is more than rounding.
  struct Found {
    std::vector<Normal> normals;
    double rounding_force = 0, rounding_opening = 0;
  };
  [[nodiscard]] Found look(const VectorXd& travel) const {
    const VectorXd force = forces(travel);
    Found found;
    double largest = 0, widest = 0;
    for (std::size_t c = 0; c < contacts_.size(); ++c) {
      found.normals.push_back(normal_of(c, travel, force));
      if (closed_[c]) largest = std::max(largest, std::abs(found.normals[c].pressing));
      widest = std::max(widest, std::abs(found.normals[c].opening));
    }
    constexpr double rounding = 1e-9;
    found.rounding_force = rounding * largest;
    found.rounding_opening = rounding * widest;
    return found;
  }

  std::optional<VectorXd> solve_with(const VectorXd& outside, bool may_be_loose) {
    for (std::size_t c = 0; c < contacts_.size(); ++c) set_closed(c);
    state_.stages.back().closed.push_back(static_cast<std::size_t>(std::count(closed_.begin(), closed_.end(), true)));
    return solve(outside, may_be_loose);
  }

  // The travels of all rows when no closed spring pulls and no open one overlaps. What opens sticks no more, also where
  // it closes again: what sticks only becomes less, and with what does the state is the only one.
  VectorXd settle(const VectorXd& outside) {
    if (contacts_.empty() || request_.contacts_stay) return *solve_with(outside, false);
    for (;;) {
      std::optional<VectorXd> found = settle_in_strides(outside);
      if (!found) found = settle_one_by_one(outside);
      bool all_hold = true;
      for (std::size_t c = 0; c < contacts_.size(); ++c)
        if (sticks_[c] && !closed_[c]) sticks_[c] = all_hold = false;
      if (!all_hold) continue;
      stick();
      return *found;
    }
  }

  // All that is wrong is changed at once; absent where that leaves something loose on the way, or goes round in
  // circles.
  std::optional<VectorXd> settle_in_strides(const VectorXd& outside) {
    constexpr int most = 200;
    std::set<std::vector<bool>> seen;
    for (int step = 0; step < most && seen.insert(closed_).second; ++step) {
      std::optional<VectorXd> travel = solve_with(outside, true);
      if (!travel) return std::nullopt;
      const Found found = look(*travel);
      std::vector<bool> next = closed_;
      for (std::size_t c = 0; c < contacts_.size(); ++c)
        if (closed_[c] ? found.normals[c].pressing < -found.rounding_force
                       : found.normals[c].opening < -found.rounding_opening)
          next[c] = !closed_[c];
      if (next == closed_) return travel;
      closed_ = next;
    }
    return std::nullopt;
  }

  // From all closed, that which pulls most is opened, with what pulls about as much as long as that goes well; where
  // others would overlap then, the step goes only so far as the first of them, which is closed again (Lawson & Hanson):
  // the energy falls from step to step.
  VectorXd settle_one_by_one(const VectorXd& outside) {
    closed_.assign(closed_.size(), true);
    VectorXd travel = *solve_with(outside, false), reached = pseudo_;
    const std::size_t most = 100 + 20 * contacts_.size();
    bool goes_well = true;
    for (std::size_t step = 0; step < most; ++step) {
      const Found found = look(travel);
      double pull = 0;
      for (std::size_t c = 0; c < contacts_.size(); ++c)
        if (closed_[c]) pull = std::max(pull, -found.normals[c].pressing);
      if (pull <= found.rounding_force) return travel;
      constexpr double as_much = 0.3;
      for (std::size_t c = 0; c < contacts_.size(); ++c)
        if (closed_[c] && -found.normals[c].pressing >= (goes_well ? as_much : 1.0) * pull) closed_[c] = false;
      goes_well = true;
      for (;; ++step) {
        travel = *solve_with(outside, false);
        const auto [part, first] = reach(reached);
        reached += part * (pseudo_ - reached);
        if (first.empty()) break;
        goes_well = false;
        for (const std::size_t c : first) close_again(c, reached);
      }
    }
    throw NumericalError(
        fmt::format("the contact of {} springs did not settle after {} steps", contacts_.size(), most));
  }

  // How far from one state of pseudo forces to that just solved for no open contact overlaps, and which would then.
  [[nodiscard]] std::pair<double, std::vector<std::size_t>> reach(const VectorXd& from) const {
    double part = 1;
    std::vector<std::size_t> first;
    for (std::size_t c = 0; c < contacts_.size(); ++c) {
      if (closed_[c]) continue;
      const double was = opened(c, from), is = opened(c, pseudo_);
      if (!(is < -1e-12 * std::abs(was))) continue;
      const double limit = std::max(0.0, was / (was - is));
      if (limit > part) continue;
      if (limit < part) first.clear();
      part = limit;
      first.push_back(c);
    }
    return {part, first};
  }

  // How far a contact is open times its stiffness, by its pseudo force.
  [[nodiscard]] double opened(std::size_t contact, const VectorXd& pseudo) const {
    const Contact& state = contacts_[contact];
    const UnilateralContact& side = unilateral(contact);
    for (std::size_t r = state.first; r < state.first + state.count; ++r)
      if (rows_[r].is_normal) return side.sign * pseudo[static_cast<Index>(r)] + rows_[r].stiffness * side.gap;
    return 0;
  }

  void close_again(std::size_t contact, VectorXd& pseudo) {
    closed_[contact] = true;
    set_closed(contact);
    const Contact& own = contacts_[contact];
    for (std::size_t r = own.first; r < own.first + own.count; ++r)
      if (rows_[r].is_normal) pseudo[static_cast<Index>(r)] = known_[static_cast<Index>(r)];
  }

  void report(const VectorXd& travel) {
    const VectorXd force = forces(travel);
    for (std::size_t b = 0; b < state_.bolts.size(); ++b) {
      const auto at = static_cast<Index>(b);
      BoltAtRest& bolt = state_.bolts[b];
      bolt.finally = force[at];
      const double unstressed = pseudo_[at] / rows_[b].stiffness;
      bolt.shortened = -unstressed;
      state_.column.unstressed_at[bolt.spring] = unstressed * Vector6::Unit(along_bolt);
    }
    for (std::size_t c = 0; c < contacts_.size(); ++c) {
      const Normal normal = normal_of(c, travel, force);
      ContactAtRest contact_at_rest{contacts_[c].spring, closed_[c]};
      contact_at_rest.gap = normal.opening;
      if (closed_[c]) {
        contact_at_rest.pressing = normal.pressing;
        double square = 0;
        for (std::size_t r = contacts_[c].first; r < contacts_[c].first + contacts_[c].count; ++r)
          if (!rows_[r].is_normal && rows_[r].axis < 3) square += std::pow(force[static_cast<Index>(r)], 2);
        contact_at_rest.tangential = std::sqrt(square);
        state_.largest_pull = std::max(state_.largest_pull, -normal.pressing);
        Vector6 unstressed = Vector6::Zero();
        for (std::size_t r = contacts_[c].first; r < contacts_[c].first + contacts_[c].count; ++r)
          unstressed[rows_[r].axis] = pseudo_[static_cast<Index>(r)] / rows_[r].stiffness;
        if (!unstressed.isZero(0)) state_.column.unstressed_at[contact_at_rest.spring] = unstressed;
      } else {
        state_.deepest_overlap = std::max(state_.deepest_overlap, -normal.opening);
      }
      state_.contacts.push_back(contact_at_rest);
    }
  }

  const Assembly& assembly_;
  const System& system_;
  const RestRequest& request_;
  std::vector<Row> rows_;  // of the bolts, in their order, then of contacts
  std::vector<Contact> contacts_;
  std::vector<bool> closed_, sticks_;
  MatrixXd flexibility_;
  VectorXd outside_;  // travels that all but bolts and gaps makes
  std::vector<bool> is_known_;
  VectorXd known_, wanted_, pseudo_;
  StaticContactState state_;
};

}  // namespace

std::size_t StaticContactState::steps() const {
  std::size_t all = 0;
  for (const Stage& stage : stages) all += stage.closed.size();
  return all;
}

StaticContactState find_contact_equilibrium(const Assembly& assembly, const System& system,
                                            const Factorisation& stiffness, const RestRequest& request,
                                            const Progress& progress) {
  return Equilibrium(assembly, system, stiffness, request, progress).run();
}

void take_out_open(const StaticContactState& state, Assembly& assembly) {
  for (const ContactAtRest& contact : state.contacts) {
    if (contact.closed) continue;
    Spring& spring = assembly.springs[static_cast<std::size_t>(contact.spring)];
    spring.unilateral->is_open = true;
    spring.stiffness.setZero();
    spring.dashpot.setZero();
  }
}

}  // namespace avrenk
