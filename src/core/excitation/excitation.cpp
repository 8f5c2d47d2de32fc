#include "core/excitation/excitation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/error.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;

namespace {

double highest_order(const Environment& environment) {
  double highest = 0;
  for (const LoadCase& loads : environment.load_cases) highest = std::max(highest, loads.order);
  return highest > 0 ? highest : 1;
}

}  // namespace

double highest_excited(const std::vector<Environment>& environments) {
  double highest = 0;
  for (const Environment& environment : environments)
    if (!environment.is_static()) highest = std::max(highest, highest_order(environment) * environment.grid.to);
  return highest;
}

std::vector<int> first_columns(const Assembly& assembly) {
  std::vector<int> first{0};
  for (const Load& load : assembly.loads) first.push_back(first.back() + static_cast<int>(load.columns.size()));
  return first;
}

std::string AskedFrequency::words() const {
  return mode > 0 ? fmt::format("mode {}", mode) : fmt::format("{:.6g} Hz", frequency);
}

std::string Excitation::name() const {
  std::string text = environment->name;
  if (!along.empty()) text += "." + along;
  if (!held) return text;
  std::string at = held->words();
  std::replace(at.begin(), at.end(), ' ', '-');
  return text + "." + at;
}

std::string Excitation::heading() const {
  std::string text;
  for (const std::string& input : inputs) text += (text.empty() ? "" : " and ") + input;
  return environment->level.empty() ? text : fmt::format("{}, {}", text, environment->level);
}

namespace {

// Accelerations of the bases per unit input along an axis, n_b x 1.
VectorXcd base_column(const Environment& environment, int axis, const System& system) {
  if (environment.motions.empty()) return system.together.col(axis).cast<std::complex<double>>();
  VectorXcd column = VectorXcd::Zero(system.together.rows());
  for (const BaseMotion& motion : environment.motions) column[6 * motion.base + axis] = motion.factor;
  return column;
}

const Kind* base_kind(const Environment& environment) {
  return environment.angular ? &kind::angular_acceleration : &kind::acceleration;
}

// What is out of balance is a force.
const Kind* amplitude_kind(const Load& load) { return load.unbalance ? &kind::force : load.kind; }

// Collects the columns of one case.
class CaseMaker {
 public:
  CaseMaker(const Environment& environment, const System& system)
      : environment_(environment), system_(system), made_(std::make_shared<Excitation>()) {
    made_->environment = &environment;
    made_->grid = environment.grid;
    made_->base.resize(system.support_motion.cols(), 0);
    made_->loads.resize(system.loads.cols(), 0);
  }
  void add_base(int axis) {
    made_->axis = axis;
    made_->along = axis_names[static_cast<std::size_t>(axis)];
    made_->kind = base_kind(environment_);
    made_->inputs.push_back(fmt::format("{} along {}", environment_.profile, made_->along));
    if (environment_.type == Environment::Type::sine) amplitudes_.emplace_back(environment_.input);
    add(base_column(environment_, axis, system_), VectorXcd::Zero(made_->loads.rows()));
  }
  void add_loads(const LoadCase& loads, const Assembly& assembly, const std::vector<int>& first) {
    if (!loads.name.empty()) made_->along += (made_->along.empty() ? "" : ".") + loads.name;
    if (loads.order > 0) {
      made_->order = loads.order;
      for (double* each : {&made_->grid.from, &made_->grid.to, &made_->grid.every}) *each *= loads.order;
      for (double& each : made_->grid.at) each *= loads.order;
    }
    for (const DrivenLoad& driven : loads.loads) {
      const auto index = static_cast<std::size_t>(driven.load);
      const Load& load = assembly.loads[index];
      VectorXcd column = VectorXcd::Zero(made_->loads.rows());
      for (std::size_t k = 0; k < load.factors.size(); ++k)
        column[first[index] + static_cast<Index>(k)] = load.factors[k] * (environment_.is_static() ? driven.amount : 1);
      if (!environment_.is_static()) amplitudes_.push_back(driven.amplitude);
      if (!made_->kind) made_->kind = amplitude_kind(load);
      made_->inputs.push_back(driven.profile.empty() ? load.name : fmt::format("{} ({})", load.name, driven.profile));
      add(VectorXcd::Zero(made_->base.rows()), column);
    }
  }
  std::shared_ptr<const Excitation> finish() {
    for (const double f : once_inside(made_->grid.at, made_->grid.from, made_->grid.to)) made_->asked.push_back({f});
    made_->drive = std::move(amplitudes_);
    return std::move(made_);
  }

 private:
  void add(const VectorXcd& base, const VectorXcd& loads) {
    made_->base.conservativeResize(Eigen::NoChange, made_->base.cols() + 1);
    made_->loads.conservativeResize(Eigen::NoChange, made_->loads.cols() + 1);
    made_->base.rightCols(1) = base;
    made_->loads.rightCols(1) = loads;
  }
  const Environment& environment_;
  const System& system_;
  std::shared_ptr<Excitation> made_;
  std::vector<Amplitude> amplitudes_;
};

}  // namespace

std::shared_ptr<const Excitation> excitation_along(const Environment& environment, std::optional<int> axis,
                                                   const System& system) {
  CaseMaker maker(environment, system);
  if (axis) maker.add_base(*axis);
  return maker.finish();
}

std::vector<std::shared_ptr<const Excitation>> excitations(const Environment& environment, const Assembly& assembly,
                                                           const System& system) {
  const std::vector<int> first = first_columns(assembly);
  std::vector<std::optional<int>> axes(environment.axes.begin(), environment.axes.end());
  if (axes.empty()) axes.emplace_back();
  std::vector<std::shared_ptr<const Excitation>> all;
  for (const std::optional<int>& axis : axes) {
    if (environment.load_cases.empty()) all.push_back(excitation_along(environment, axis, system));
    for (const LoadCase& loads : environment.load_cases) {
      CaseMaker maker(environment, system);
      if (axis) maker.add_base(*axis);
      maker.add_loads(loads, assembly, first);
      all.push_back(maker.finish());
    }
  }
  return all;
}

const Kind* reference_kind(const Environment& environment, const Assembly& assembly) {
  if (!environment.axes.empty()) return base_kind(environment);
  for (const LoadCase& loads : environment.load_cases)
    for (const DrivenLoad& driven : loads.loads)
      return amplitude_kind(assembly.loads[static_cast<std::size_t>(driven.load)]);
  return nullptr;
}

std::vector<std::string> case_names(const Environment& environment) {
  std::vector<std::string> axes, names;
  for (const int axis : environment.axes) axes.emplace_back(axis_names[static_cast<std::size_t>(axis)]);
  if (axes.empty()) axes.emplace_back();
  for (const std::string& axis : axes) {
    if (environment.load_cases.empty()) names.push_back(axis);
    for (const LoadCase& loads : environment.load_cases)
      names.push_back(axis.empty() || loads.name.empty() ? axis + loads.name : axis + "." + loads.name);
  }
  std::erase(names, "");
  return names;
}

std::shared_ptr<const Excitation> asked_at_modes(std::shared_ptr<const Excitation> excitation,
                                                 const Eigen::VectorXd& natural) {
  const Environment& environment = *excitation->environment;
  if (excitation->is_static() || (environment.at_modes.empty() && !environment.at_all_modes)) return excitation;
  const std::string subject = "environment " + environment.name;
  const double from = excitation->grid.from, to = excitation->grid.to;
  const auto inside = [&](int mode) { return natural[mode - 1] >= from && natural[mode - 1] <= to; };
  std::set<int> modes;
  for (const int mode : environment.at_modes) {
    if (mode > natural.size())
      refuse(subject, fmt::format("mode {} is asked for, and there are {}", mode, natural.size()),
             "name one of them, or ask for more modes");
    // Each order of a shaft has a band of its own.
    if (!inside(mode) && !environment.by_speed())
      refuse(subject,
             fmt::format("mode {} at {:.5g} Hz lies outside {:g} to {:g} Hz", mode, natural[mode - 1], from, to),
             "ask for modes inside the band");
    if (inside(mode)) modes.insert(mode);
  }
  for (int mode = 1; environment.at_all_modes && mode <= natural.size(); ++mode)
    if (inside(mode)) modes.insert(mode);
  auto made = std::make_shared<Excitation>(*excitation);
  for (const int mode : modes) {
    made->asked.push_back({natural[mode - 1], mode});
    made->grid.at.push_back(natural[mode - 1]);
  }
  std::stable_sort(made->asked.begin(), made->asked.end(),
                   [](const AskedFrequency& a, const AskedFrequency& b) { return a.frequency < b.frequency; });
  return made;
}

std::shared_ptr<const Excitation> held_at(const Excitation& excitation, const AskedFrequency& at) {
  auto made = std::make_shared<Excitation>(excitation);
  made->held = at;
  made->asked = {at};
  made->grid = {at.frequency, at.frequency, excitation.grid.per_octave, excitation.grid.points_per_resonance, {}};
  return made;
}

std::shared_ptr<const Excitation> combined_excitation(const Environment& environment) {
  auto made = std::make_shared<Excitation>();
  made->environment = &environment;
  made->along = "combined";
  made->is_combined = true;
  made->kind = base_kind(environment);
  return made;
}

}  // namespace avrenk
