#include "core/excitation/excitation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/error.h"
#include "core/model/assembly.h"
#include "core/system/system.h"

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

Eigen::VectorXd displacement_of(const Environment& environment, Eigen::Index motions) {
  Eigen::VectorXd all = Eigen::VectorXd::Zero(motions);
  for (const auto& [base, motion] : environment.at_rest().displaced) all.segment<6>(6L * base) = motion;
  return all;
}

double highest_excited(const std::vector<Environment>& environments) {
  double highest = 0;
  for (const Environment& environment : environments)
    if (!environment.is_static()) highest = std::max(highest, highest_order(environment) * environment.grid.to);
  return highest;
}

std::string AskedFrequency::words() const {
  const std::string at = mode > 0 ? fmt::format("mode {}", mode) : fmt::format("{:.6g} Hz", frequency);
  return phase ? fmt::format("{} phase {:.6g} deg", at, *phase * 180 / pi) : at;
}

std::string Excitation::name() const {
  std::string text = environment->name;
  if (!along.empty()) text += "." + along;
  if (!held) return text;
  std::string at = held->words();
  std::replace(at.begin(), at.end(), ' ', '-');
  return text + "." + at;
}

bool Excitation::is_called(std::string_view called) const {
  return called == environment->name || called == (specified ? specified->name() : name());
}

bool Excitation::is_among(const std::vector<std::string>& names) const {
  return std::any_of(names.begin(), names.end(),
                     [&](const std::string& each) { return is_combined ? each == name() : is_called(each); });
}

bool Excitation::is_held_of(std::string_view load) const {
  return held && name().starts_with(fmt::format("{}.", load));
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

bool moves(const Environment& environment, int base) {
  const auto& motions = environment.motions;
  return motions.empty() || std::any_of(motions.begin(), motions.end(), [&](const BaseMotion& each) {
           return each.base == base && each.factor != 0.0;
         });
}

const Kind* base_kind(const Environment& environment) {
  return environment.angular ? &kind::angular_acceleration : &kind::acceleration;
}

// What is out of balance is a force.
const Kind* amplitude_kind(const Load& load) { return load.unbalance ? &kind::force : load.kind; }

}  // namespace

namespace {

// The middle of where a load acts, by the size of its forces and moments; none of a field, which acts everywhere.
std::optional<Vector3> middle_of(const Load& load, const Assembly& assembly) {
  Vector3 sum = Vector3::Zero();
  double weight = 0;
  for (const LoadColumn& column : load.columns) {
    if (column.field) return std::nullopt;
    for (const auto& [node, six] : column.on_nodes) {
      sum += six.norm() * assembly.position(node);
      weight += six.norm();
    }
    for (const auto& [beam, per_length] : column.on_beams) {
      const BeamGeometry& line = assembly.beams[static_cast<std::size_t>(beam)].geometry;
      const double own = per_length.norm() * (line.end2 - line.end1).norm();
      sum += 0.5 * own * (line.end1 + line.end2);
      weight += own;
    }
  }
  return weight > 0 ? std::optional<Vector3>(sum / weight) : std::nullopt;
}

}  // namespace

std::vector<Input> inputs_of(const Environment& environment, std::span<const int> axes, const LoadCase& loads,
                             const Assembly* assembly) {
  std::vector<Input> inputs;
  for (const int axis : axes) {
    const std::string name(axis_names[static_cast<std::size_t>(axis)]);
    if (!environment.has_bases_apart()) {
      inputs.push_back({name, base_kind(environment), environment.input});
      continue;
    }
    for (std::size_t b = 0; b < assembly->bases.size(); ++b)
      if (moves(environment, static_cast<int>(b)))
        inputs.push_back({assembly->bases[b].name + "." + name, base_kind(environment), environment.input,
                          assembly->bases[b].point});
  }
  for (const DrivenLoad& driven : loads.loads) {
    const Load& load = assembly->loads[static_cast<std::size_t>(driven.load)];
    inputs.push_back({load.name, amplitude_kind(load), driven.spectrum, middle_of(load, *assembly),
                      driven.field.has_value(), driven.acceptances});
  }
  return inputs;
}

namespace {

Coherence coherence_of(const CoherenceRule& rule, const std::vector<Input>& inputs, std::size_t first,
                       std::size_t second) {
  Coherence coherence{static_cast<int>(first), static_cast<int>(second), rule.points};
  const Input &a = inputs[first], &b = inputs[second];
  if (a.is_field || b.is_field)
    throw_input_error(
        "", fmt::format("{} is a pressure field, which goes together with no other input", (a.is_field ? a : b).name),
        "name two others: between: [NAME, NAME]");
  if (!rule.has_distance()) return coherence;
  if (!a.at || !b.at)
    throw_input_error(
        "",
        fmt::format("where {} acts is not known, so the coherence cannot depend on a distance", (a.at ? b : a).name),
        "let it depend on the distance of loads, or of bases that are inputs of their own");
  const Vector3 apart = *b.at - *a.at;
  coherence.delay = rule.slowness.dot(apart);
  coherence.decay = rule.decay * apart.norm();
  if (rule.length > 0)
    for (Coherence::Point& point : coherence.points) point.magnitude *= std::exp(-apart.norm() / rule.length);
  return coherence;
}

}  // namespace

SpectralMatrix spectrum_of(const Environment& environment, const std::vector<Input>& inputs) {
  std::vector<LogLogTable> levels;
  std::vector<std::string> names;
  std::vector<std::shared_ptr<const JointAcceptances>> fields;
  for (const Input& input : inputs) {
    levels.push_back(input.level);
    names.push_back(input.name);
    fields.push_back(input.acceptances);
  }
  // Of every pair what the last rule says that speaks of it.
  const auto rule_of = [&](const std::string& a, const std::string& b) {
    return std::find_if(environment.random().coherences.rbegin(), environment.random().coherences.rend(),
                        [&](const CoherenceRule& rule) {
                          const auto& [first, second] = rule.between;
                          return first.empty() || (first == a && second == b) || (first == b && second == a);
                        });
  };
  try {
    std::vector<Coherence> pairs;
    for (std::size_t second = 1; second < inputs.size(); ++second)
      for (std::size_t first = 0; first < second; ++first)
        if (const auto rule = rule_of(names[first], names[second]); rule != environment.random().coherences.rend())
          pairs.push_back(rule->between[0] == names[second] ? coherence_of(*rule, inputs, second, first)
                                                            : coherence_of(*rule, inputs, first, second));
    return {std::move(levels), std::move(pairs), std::move(names), std::move(fields)};
  } catch (const InputError& error) {
    Problem problem = error.problems.front();
    problem.subject = "environment " + environment.name;
    throw InputError(problem);
  }
}

namespace {

// Collects the columns of one case.
class CaseMaker {
 public:
  /// @param assembly  where bases are inputs of their own, or loads act
  CaseMaker(const Environment& environment, const System& system, const Assembly* assembly)
      : environment_(environment), system_(system), assembly_(assembly), made_(std::make_shared<Excitation>()) {
    made_->environment = &environment;
    made_->grid = environment.grid;
    made_->base.resize(system.support_motion.cols(), 0);
    made_->loads.resize(system.loads.cols(), 0);
  }
  void add_base(int axis) {
    made_->kind = base_kind(environment_);
    if (!environment_.is_simultaneous()) {
      made_->axis = axis;
      made_->along = axis_names[static_cast<std::size_t>(axis)];
    }
    const std::string name(axis_names[static_cast<std::size_t>(axis)]);
    const VectorXcd column = base_column(environment_, axis, system_);
    if (!environment_.has_bases_apart()) {
      add_base(column, fmt::format("{} along {}", environment_.profile, name));
      return;
    }
    for (std::size_t b = 0; b < assembly_->bases.size(); ++b) {
      if (!moves(environment_, static_cast<int>(b))) continue;
      const auto first = 6 * static_cast<Index>(b);
      VectorXcd own = VectorXcd::Zero(column.size());
      own.segment<6>(first) = column.segment<6>(first);
      add_base(own, fmt::format("{} along {} at {}", environment_.profile, name, assembly_->bases[b].name));
    }
  }
  void add_loads(const LoadCase& loads, const std::vector<int>& first) {
    if (!loads.name.empty()) made_->along += (made_->along.empty() ? "" : ".") + loads.name;
    if (loads.order > 0) {
      made_->order = loads.order;
      for (double* each : {&made_->grid.from, &made_->grid.to, &made_->grid.every}) *each *= loads.order;
      for (double& each : made_->grid.at) each *= loads.order;
    }
    for (const DrivenLoad& driven : loads.loads) {
      const auto index = static_cast<std::size_t>(driven.load);
      const Load& load = assembly_->loads[index];
      if (driven.field) {
        add_field(driven, first);
        continue;
      }
      VectorXcd column = VectorXcd::Zero(made_->loads.rows());
      for (const LoadColumn& each : load.columns) {
        for (const auto& [node, force] : each.on_nodes) pushes_ += force.head<3>().cwiseAbs();
        for (const auto& [beam, force] : each.on_beams) pushes_ += force.cwiseAbs();
        if (each.field) pushes_ += each.field->cwiseAbs();
      }
      for (std::size_t k = 0; k < load.factors.size(); ++k)
        column[first[index] + static_cast<Index>(k)] = load.factors[k] * (environment_.is_static() ? driven.amount : 1);
      if (environment_.is_sine()) amplitudes_.push_back(driven.amplitude);
      if (!made_->kind) made_->kind = amplitude_kind(load);
      made_->inputs.push_back(driven.profile.empty() ? load.name : fmt::format("{} ({})", load.name, driven.profile));
      add(VectorXcd::Zero(made_->base.rows()), column);
    }
  }
  std::shared_ptr<const Excitation> finish(std::span<const int> axes, const LoadCase& loads) {
    const GridRequest& grid = made_->grid;
    for (double& f : made_->grid.at) f = std::clamp(f, grid.from, grid.to);  // an end of the band in another unit
    for (const double f : once_inside(grid.at, grid.from, grid.to)) made_->asked.push_back({f});
    made_->drive = std::move(amplitudes_);
    constexpr double rounding = 1e-9;
    for (int axis = 0; axis < 3 && !made_->axis; ++axis)
      if (pushes_[axis] > 0 && pushes_.sum() - pushes_[axis] <= rounding * pushes_[axis]) made_->pushed_along = axis;
    const std::vector<Input> inputs = inputs_of(environment_, axes, loads, assembly_);
    for (const Input& each : inputs) {
      made_->names.push_back(each.name);
      made_->kinds.push_back(each.kind);
    }
    if (made_->is_random()) made_->spectrum = spectrum_of(environment_, inputs);
    return std::move(made_);
  }

 private:
  // One column for each of its patterns.
  void add_field(const DrivenLoad& driven, const std::vector<int>& first) {
    const Load& load = assembly_->loads[static_cast<std::size_t>(driven.load)];
    if (driven.patterns < 0)
      throw_input_error(
          "environment " + environment_.name,
          fmt::format("{} is a pressure field, which acts in patterns that the modes of a held model see", load.name),
          "hold the model at a base, and leave modes: {free: yes} and {near: ...} out");
    const auto begin = static_cast<Index>(first[static_cast<std::size_t>(driven.patterns)]);
    if (!made_->kind) made_->kind = amplitude_kind(load);
    made_->inputs.push_back(fmt::format("{} ({}, {})", load.name, driven.profile, driven.field->words()));
    for (Index k = 0; k < driven.acceptances->size(); ++k)
      add(VectorXcd::Zero(made_->base.rows()), VectorXcd::Unit(made_->loads.rows(), begin + k));
  }
  void add_base(const VectorXcd& column, std::string heading) {
    made_->inputs.push_back(std::move(heading));
    if (environment_.is_sine()) amplitudes_.emplace_back(environment_.input);
    add(column, VectorXcd::Zero(made_->loads.rows()));
  }
  void add(const VectorXcd& base, const VectorXcd& loads) {
    made_->base.conservativeResize(Eigen::NoChange, made_->base.cols() + 1);
    made_->loads.conservativeResize(Eigen::NoChange, made_->loads.cols() + 1);
    made_->base.rightCols(1) = base;
    made_->loads.rightCols(1) = loads;
  }
  const Environment& environment_;
  const System& system_;
  const Assembly* assembly_;
  std::shared_ptr<Excitation> made_;
  std::vector<Amplitude> amplitudes_;
  Vector3 pushes_ = Vector3::Zero();  // sizes of forces along the axes, whatever their unit
};

}  // namespace

std::shared_ptr<const Excitation> excitation_along(const Environment& environment, std::optional<int> axis,
                                                   const System& system) {
  CaseMaker maker(environment, system, nullptr);
  std::vector<int> axes;
  if (axis) axes.push_back(*axis);
  for (const int each : axes) maker.add_base(each);
  return maker.finish(axes, {});
}

std::vector<std::shared_ptr<const Excitation>> excitations(const Environment& environment, const Assembly& assembly,
                                                           const System& system) {
  const std::vector<int> first = first_columns(assembly.loads);
  std::vector<std::vector<int>> axes;  // that act at once
  if (environment.is_simultaneous() || environment.axes.empty())
    axes.push_back(environment.axes);
  else
    for (const int axis : environment.axes) axes.push_back({axis});
  std::vector<LoadCase> cases = environment.load_cases;
  if (cases.empty()) cases.emplace_back();
  std::vector<std::shared_ptr<const Excitation>> made;
  for (const std::vector<int>& at_once : axes)
    for (const LoadCase& loads : cases) {
      CaseMaker maker(environment, system, &assembly);
      for (const int axis : at_once) maker.add_base(axis);
      maker.add_loads(loads, first);
      made.push_back(maker.finish(at_once, loads));
    }
  return made;
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
  if (!environment.is_simultaneous())
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
      throw_input_error(subject, fmt::format("mode {} is asked for, and there are {}", mode, natural.size()),
                        "name one of them, or ask for more modes");
    // Each order of a shaft has a band of its own.
    if (!inside(mode) && !environment.by_speed())
      throw_input_error(
          subject, fmt::format("mode {} at {:.5g} Hz lies outside {:g} to {:g} Hz", mode, natural[mode - 1], from, to),
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

std::vector<double> Excitation::curve_points() const {
  return is_random() ? spectrum.curve_points() : drive.curve_points();
}

Eigen::MatrixXcd Excitation::at(double frequency) const {
  return is_random() ? spectrum.root(frequency) : Eigen::MatrixXcd(drive.at(frequency));
}

double Excitation::reference(double frequency) const {
  return is_random() ? spectrum.level(0, frequency) : drive.reference(frequency);
}

}  // namespace avrenk
