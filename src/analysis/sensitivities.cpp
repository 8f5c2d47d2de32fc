#include "analysis/sensitivities.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/model/spring_law.h"
#include "core/modes/changed_modes.h"

namespace avrenk {
namespace {

constexpr double step = 0.005;  // of a number, to both sides

// Every elastic stiffness times a factor: natural frequencies times its root.
void stiffen(Assembly& assembly, double factor) {
  for (Material& material : assembly.materials) {
    material.youngs_modulus *= factor;
    if (!material.orthotropic) continue;
    material.orthotropic->youngs_modulus *= factor;
    material.orthotropic->shear_modulus *= factor;
  }
  for (Spring& spring : assembly.springs) {
    spring.stiffness *= factor;
    if (!spring.law) continue;
    SpringLaw law = *spring.law;
    for (LogTable& points : law.stiffness)
      for (auto& [frequency, stiffness] : points) stiffness *= factor;
    spring.law = std::make_shared<const SpringLaw>(std::move(law));
  }
  for (Component& component : assembly.components) {  // its damping ratios stay
    component.stiffness *= factor;
    component.loss *= factor;
    component.dashpot *= std::sqrt(factor);
  }
}

class Study {
 public:
  Study(LoadedPlan loaded, const AnalysisRequest& request, const std::vector<std::filesystem::path>& kept,
        const Progress& progress)
      : request_(request),
        progress_(progress),
        study_{judge_as_it_is(std::move(loaded), request, kept, progress)},
        file_(study_.base.model().plan().file) {}

  ChangeStudy run(const std::vector<PlanNumber>& numbers) {
    const FieldSurvey& fields = study_.base.responses.fields;
    for (const StressField& field : fields.stress.fields)
      for (const WorstStress& worst : field.worst)
        worst_nodes_.insert(fields.stations->all()[static_cast<std::size_t>(worst.place.station)].node);
    report_progress(progress_, "factorising for changes");
    const DampedModel& base = study_.base.model();
    const KnownModes known(base.assembly(), base.system(), base.basis());
    for (const PlanNumber& number : numbers) {
      report_progress(progress_,
                      fmt::format("change {} of {}: {}", study_.changes.size() + 1, numbers.size(), number.path));
      study_.changes.push_back(change_of(number, known));
    }
    confirm();
    scatter(known);
    return std::move(study_);
  }

 private:
  // The plan with one number changed, limits judged; where that is the scatter of what is tested, under the inputs that
  // are applied then.
  [[nodiscard]] std::vector<double> margins_with(const std::optional<Override>& change, const KnownModes* known,
                                                 double frequencies = 0,
                                                 const std::optional<double>& damping = {}) const {
    AnalysisRequest request = request_;
    if (change) request.overrides.push_back(*change);
    LoadedPlan changed = keep_what_is_judged(load(file_, request));
    Plan& plan = changed.plan;
    for (OutputRequest& watched : plan.watch)
      if (watched.quantity->of_nodes && !watched.parts.empty() && known)
        watched.stress_at.assign(worst_nodes_.begin(), worst_nodes_.end());
    for (LifeRequest& life : plan.lives)
      for (LifeSubject& subject : life.subjects)
        if (known) subject.nodes.assign(worst_nodes_.begin(), worst_nodes_.end());
    if (frequencies != 0) stiffen(plan.assembly, (1 + frequencies) * (1 + frequencies));
    if (damping) {
      plan.damping.form = DampingRule::Form::ratio;
      plan.damping.value = *damping;
    }
    const auto loaded = std::make_shared<const LoadedPlan>(std::move(changed));
    ModelAtRest at_rest = bring_to_rest(loaded);
    ModalBasis basis = known ? known->of(at_rest.assembly, at_rest.system)
                             : solve_modes(at_rest.assembly, at_rest.system, loaded->plan.modes, request.threads);
    const auto modal = std::make_shared<const ModalModel>(
        with_basis(std::move(at_rest), std::move(basis), judged_environments(loaded->plan)));
    const JudgedModel judged =
        judge(damp_model(loaded, modal), request, change ? nullptr : &study_.base.responses.notched);
    judged.require_answered();
    return judged.margins_of(study_.base.limits());
  }

  [[nodiscard]] Change change_of(const PlanNumber& number, const KnownModes& known) const {
    Change change{number, std::vector<double>(study_.base.limits().size(), std::nan("")), ""};
    try {
      const std::vector<double> more = margins_with(number.times(1 + step), &known),
                                less = margins_with(number.times(1 - step), &known);
      const double width = std::log((1 + step) / (1 - step));
      for (std::size_t i = 0; i < more.size(); ++i) change.slopes[i] = (more[i] - less[i]) / width;
    } catch (const InputError& error) {
      change.why_not = error.problems.front().wrong;
    } catch (const CaseError& error) {
      change.why_not = error.what();
    }
    return change;
  }

  void confirm() {
    constexpr std::size_t most_limits = 3, most_numbers = 3;
    constexpr double largest = 0.5;  // of the number: beyond that a straight line says little
    std::size_t limits = 0;
    for (std::size_t i = 0; i < study_.base.limits().size() && limits < most_limits; ++i) {
      const double margin = study_.base.limits()[i].deciding();
      if (!(margin < 0)) continue;
      ++limits;
      std::vector<std::pair<double, std::size_t>> least;  // change of the logarithm, and of what
      for (std::size_t k = 0; k < study_.changes.size(); ++k)
        if (const double change = -margin / study_.changes[k].slopes[i]; std::abs(change) < std::log(1 + largest))
          least.emplace_back(change, k);
      std::stable_sort(least.begin(), least.end(),
                       [](const auto& a, const auto& b) { return std::abs(a.first) < std::abs(b.first); });
      least.resize(std::min(least.size(), most_numbers));
      for (const auto& [change, k] : least)
        if (meets(i, k, change)) break;
    }
  }

  // Runs a change, and others on the line through two margins: further where it does not do, back where it does far
  // more than it must. Of those that do the least is kept.
  bool meets(std::size_t limit, std::size_t k, double change) {
    constexpr double just = 0.005, far = 0.03;  // of a margin
    constexpr int most_runs = 3;
    struct Tried {
      double change = 0, margin = 0;  // of the logarithm of the number; of the limit
    };
    const PlanNumber& number = study_.changes[k].number;
    const Tried as_it_is{0, study_.base.limits()[limit].deciding()};
    Tried too_little = as_it_is, enough;
    std::optional<ConfirmedChange> least;
    for (int run = 0; run < most_runs; ++run) {
      ConfirmedChange confirmed{limit, k, std::exp(change)};
      report_progress(progress_, fmt::format("{} with {:.4g} times {}", study_.base.limits()[limit].limit->name,
                                             confirmed.factor, number.path));
      const std::vector<double> margins = margins_with(number.times(confirmed.factor), nullptr);
      confirmed.margin = margins[limit];
      confirmed.exceeded =
          static_cast<std::size_t>(std::count_if(margins.begin(), margins.end(), [](double each) { return each < 0; }));
      const Tried tried{change, confirmed.margin};
      if (confirmed.margin >= 0) {
        least = confirmed;
        enough = tried;
        if (confirmed.margin <= far) break;
      } else {
        if (!least) study_.confirmed.push_back(confirmed);
        if (!(confirmed.margin > too_little.margin)) break;
        too_little = tried;
      }
      // A little more than the line says, so that it is met and not nearly so.
      const Tried &from = least ? too_little : as_it_is, &to = least ? enough : too_little;
      change = from.change + (to.change - from.change) * (just - from.margin) / (to.margin - from.margin);
    }
    if (least) study_.confirmed.push_back(*least);
    return least.has_value();
  }

  void scatter(const KnownModes& known) {
    const Scatter& scatter = study_.base.model().plan().scatter;
    if (scatter.frequencies == 0 && scatter.damping.empty()) return;
    std::vector<double> frequencies{0};
    if (scatter.frequencies > 0) frequencies = {-scatter.frequencies, 0, scatter.frequencies};
    std::vector<std::optional<double>> damping{std::nullopt};
    damping.insert(damping.end(), scatter.damping.begin(), scatter.damping.end());
    std::vector<double> as_it_is;
    for (const LimitResult& result : study_.base.limits()) as_it_is.push_back(result.deciding());
    for (const double shift : frequencies)
      for (const auto& zeta : damping) {
        report_progress(progress_, fmt::format("scatter {} of {}", study_.scattered.size() + 1,
                                               frequencies.size() * damping.size()));
        const bool nothing = shift == 0 && !zeta;
        study_.scattered.push_back({shift, zeta, nothing ? as_it_is : margins_with(std::nullopt, &known, shift, zeta)});
      }
  }

  const AnalysisRequest& request_;
  const Progress& progress_;
  ChangeStudy study_;
  std::string file_;
  std::set<int> worst_nodes_;
};

}  // namespace

ChangeStudy study_changes(LoadedPlan loaded, const AnalysisRequest& request, const std::vector<PlanNumber>& numbers,
                          const std::vector<std::filesystem::path>& kept, const Progress& progress) {
  return Study(std::move(loaded), request, kept, progress).run(numbers);
}

}  // namespace avrenk
