#include "analysis/responses.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <mutex>

#include "analysis/contact_summaries.h"
#include "analysis/notched_cases.h"
#include "analysis/queries.h"
#include "analysis/spring_summaries.h"
#include "core/assess/limits.h"
#include "core/clock.h"
#include "core/parallel.h"
#include "core/response/damping_rest.h"
#include "core/response/place_envelope.h"
#include "core/response/run_case.h"

namespace avrenk {
namespace {

// What is said by modes: the vectors of a direct answer are none.
void forget_modes(SineAnswers& answers) {
  for (SineRow& row : answers.rows) {
    row.shares.clear();
    row.amplification = row.sweep_parameter = std::nan("");
    row.swept.reset();
  }
}

// Numbers of chosen modes and of the residual vectors behind them as the model has them.
void renumber(const CaseGroup& group, int all_modes, int& mode) {
  const auto chosen = static_cast<int>(group.modes.size());
  if (mode >= 0) mode = mode < chosen ? group.modes[static_cast<std::size_t>(mode)] : all_modes + mode - chosen;
}

void number_as_model(const CaseGroup& group, int all_modes, CaseResults& outcome) {
  if (outcome.environment().is_direct()) forget_modes(std::get<SineAnswers>(outcome.answers));
  if (group.modes.empty()) return;
  if (auto* const sine = std::get_if<SineAnswers>(&outcome.answers))
    for (SineRow& row : sine->rows)
      for (auto& [mode, share] : row.shares) renumber(group, all_modes, mode);
  if (auto* const random = std::get_if<RandomAnswers>(&outcome.answers))
    for (RandomRow& row : random->rows) {
      for (auto& [mode, share] : row.shares) renumber(group, all_modes, mode);
      for (ModePair& pair : row.pairs)
        for (int* const mode : {&pair.first, &pair.second}) renumber(group, all_modes, *mode);
    }
}

// The watched quantity that coupling of the modes by their damping would change most, where that matters.
void warn_about_coupling(Responses& responses) {
  constexpr double worth_saying = 0.05;
  double worst = worth_saying;
  std::string text;
  for (const CaseResults& outcome : responses.outcomes) {
    if (outcome.is_combined()) continue;
    for (std::size_t i = 0; i < responses.watched.size(); ++i) {
      if (!responses.watched[i].is_headline()) continue;
      const double change = outcome.sine()     ? outcome.sine()->rows[i].coupling
                            : outcome.random() ? outcome.random()->rows[i].coupling
                                               : 0;
      if (!(std::abs(change) > worst)) continue;
      worst = std::abs(change);
      text = fmt::format(
          "coupled: no leaves out that the modes are coupled by their damping: at its {} in {}, {} would change by "
          "{:+.1f} %; leave it out of damping:",
          outcome.sine() ? "peak" : "dominating frequency the PSD", outcome.name(), responses.watched[i].name,
          100 * change);
    }
  }
  if (!text.empty()) responses.report.warnings.push_back(text);
}

// A case, and where it is answered; of cases that are combined neither group nor response.
struct AppliedCase {
  std::shared_ptr<const Excitation> excitation;
  const CaseGroup* group = nullptr;
  const std::vector<Output>* watched = nullptr;
  CaseResponse* response = nullptr;
};

// Runs all cases of a model, and then what is asked of them. What is made goes into one value; what cases do to the
// model is kept as long as something is made of it.
class Runner {
 public:
  Runner(const DampedModel& model, const AnalysisRequest& request, const Progress& progress,
         const std::vector<NotchedInput>* as_found)
      : model_(model), plan_(model.plan()), request_(request), progress_(progress), as_found_(as_found) {
    made_.model = model;
  }

  Responses run(Cases cases) {
    apply(std::move(cases));
    const StopWatch start;
    run_cases();
    add_drive();
    for (std::size_t i = 0; i < cases_.size(); ++i)
      if (cases_[i].excitation->is_sine() && cases_[i].response) add_shapes(i);
    add_sums_on_random();
    add_records();
    add_contacts();
    add_place_envelopes();
    add_lives();
    add_base_loads();
    if (request_.figures && !plan_.figures.empty())
      made_.figure_answers =
          answer_figures({model_, made_.groups, responses_, made_.fields.stations}, made_.report.warnings);
    warn_about_coupling(made_);
    warn_about_rest();
    report_springs(made_, made_.report);
    made_.report.times.push_back({"responses", start.seconds()});
    return std::move(made_);
  }

 private:
  // Cases in their groups, what they do to the model, and all that is watched.
  void apply(Cases cases) {
    NotchedCases notched =
        as_found_ ? NotchedCases{apply_as_found(cases, *as_found_)} : notch_cases(model_, cases, progress_);
    cases = with_notched(std::move(cases), notched.notched);
    made_.notched = std::move(notched.notched);
    made_.report.add(notched.report);
    GroupedCases grouped = group_cases(model_, cases, progress_);
    made_.groups = std::move(grouped.groups);
    made_.equivalents = std::move(grouped.equivalents);
    made_.report.add(grouped.report);
    const StopWatch start;
    responses_ = apply_cases(model_, made_.groups);
    made_.report.times.push_back({"states of the modes", start.seconds()});
    SurveyedCases surveyed = survey_cases(model_, made_.groups, responses_, request_.figures, progress_);
    made_.fields = std::move(surveyed.fields);
    made_.watched_by = std::move(surveyed.watched);
    made_.watched = made_.watched_by.front();
    made_.report.add(surveyed.report);
    for (auto& excitation : cases) cases_.push_back({std::move(excitation)});
    for (std::size_t g = 0; g < made_.groups.size(); ++g)
      for (std::size_t k = 0; k < made_.groups[g].cases.size(); ++k) {
        AppliedCase& applied_case = *std::find_if(cases_.begin(), cases_.end(), [&](const AppliedCase& each) {
          return each.excitation == made_.groups[g].cases[k];
        });
        applied_case.group = &made_.groups[g];
        applied_case.watched = &made_.watched_by[g];
        applied_case.response = responses_[g][k].get();
      }
  }

  // Static ones first, as others may add them; then what vibrates, side by side; then what stands for several.
  void run_cases() {
    std::vector<CaseResults>& outcomes = made_.outcomes;
    outcomes.resize(cases_.size());
    std::vector<std::size_t> vibrating;  // what takes time, and needs the static outcomes
    std::vector<const CaseResults*> at_rest;
    for (std::size_t i = 0; i < cases_.size(); ++i) {
      if (!cases_[i].response) continue;
      if (!cases_[i].excitation->is_static()) {
        vibrating.push_back(i);
        continue;
      }
      outcomes[i] =
          do_for_case(*cases_[i].excitation, [&] { return run_case(*cases_[i].response, *cases_[i].watched); });
      at_rest.push_back(&outcomes[i]);
    }
    // The longest first, so that the threads end together.
    std::stable_partition(vibrating.begin(), vibrating.end(),
                          [&](std::size_t i) { return cases_[i].excitation->is_random(); });
    std::vector<std::vector<StaticSum>> sums;
    sums.reserve(vibrating.size());
    for (const std::size_t i : vibrating)
      sums.push_back(sums_for(plan_.limits, *cases_[i].excitation, at_rest, *cases_[i].watched));
    std::mutex telling;
    run_jobs(vibrating.size(), request_.threads, [&](std::size_t k) {
      const AppliedCase& applied_case = cases_[vibrating[k]];
      {
        const std::lock_guard lock(telling);
        report_progress(progress_, applied_case.excitation->name());
      }
      CaseResults& outcome = outcomes[vibrating[k]];
      outcome = do_for_case(*applied_case.excitation,
                            [&] { return run_case(*applied_case.response, *applied_case.watched, sums[k]); });
      number_as_model(*applied_case.group, model_.basis().modes, outcome);
    });
    for (std::size_t i = 0; i < cases_.size(); ++i) {
      if (cases_[i].response) continue;
      const Environment* const environment = cases_[i].excitation->environment;
      std::vector<const CaseResults*> single;
      for (std::size_t k = 0; k < i; ++k)
        if (cases_[k].excitation->environment == environment && !is_replaced(*cases_[k].excitation, outcomes))
          single.push_back(&outcomes[k]);
      outcomes[i] = combine(*environment, single, made_.watched);
    }
  }

  // Which modes the loads of a case drive, and the power that they put in there and where it was asked for.
  void add_drive() {
    constexpr std::size_t most_modes = 6;
    made_.driven.resize(cases_.size());
    made_.power.resize(cases_.size());
    std::vector<LargestMotion> translations;  // made where a load acts
    for (std::size_t i = 0; i < cases_.size(); ++i) {
      const Excitation& excitation = *cases_[i].excitation;
      if (!excitation.is_sine() || !cases_[i].response || excitation.environment->load_cases.empty()) continue;
      if (translations.empty()) translations = largest_translations(model_.system(), model_.basis());
      const std::vector<int>& chosen = cases_[i].group->modes;
      auto& driven = made_.driven[i] = driven_modes(excitation, model_.basis(), *model_.damping, translations);
      if (!chosen.empty())
        std::erase_if(driven, [&](const DrivenMode& mode) {
          return !std::binary_search(chosen.begin(), chosen.end(), mode.mode);
        });
      std::vector<double> frequencies = excitation.grid.at;
      for (std::size_t k = 0; k < std::min(most_modes, driven.size()); ++k)
        frequencies.push_back(model_.basis().frequency(driven[k].mode));
      const Transfer& transfer = *cases_[i].response->transfer;
      const Channels channels(model_.assembly(), model_.system(), transfer.basis(), transfer.damping());
      for (const double f : once_inside(std::move(frequencies), excitation.grid.from, excitation.grid.to))
        made_.power[i].push_back(power_balance(excitation, model_.assembly(), model_.system(), transfer, channels, f));
    }
  }

  // Shapes of the whole model at the strongest peak of a case, and at the frequencies asked for.
  void add_shapes(std::size_t i) {
    const CaseResponse& response = *cases_[i].response;
    const CaseResults& outcome = made_.outcomes[i];
    if (const int strongest = strongest_peak(outcome, made_.watched); strongest >= 0) {
      const auto of = static_cast<std::size_t>(strongest);
      OperatingDeflectionShape shape = shape_at(response, model_.system(), outcome.sine()->rows[of].peak.frequency);
      shape.at = "the strongest peak, that of " + made_.watched[of].name;
      made_.shapes.push_back(std::move(shape));
    }
    for (const AskedFrequency& at : outcome.excitation->asked) {
      OperatingDeflectionShape shape = shape_at(response, model_.system(), at.frequency);
      shape.excitation = held_at(*outcome.excitation, at);
      shape.at = at.words();
      made_.shapes.push_back(std::move(shape));
    }
  }

  // Tones and bands together with the random vibration that they act on.
  void add_sums_on_random() {
    for (const CaseResults& outcome : made_.outcomes) {
      const std::string& on = outcome.environment().superposed_on;
      if (on.empty() || outcome.is_combined()) continue;
      if (const CaseResults* const random = acts_on(outcome, made_.outcomes))
        made_.on_random.push_back(act_on_random(outcome, *random, made_.watched));
      else
        made_.report.warnings.push_back(fmt::format(
            "environment {}: what it makes together with {} is not known, because no such case of {} along its "
            "axis was run",
            outcome.name(), on, on));
    }
  }

  // Records in time and cross spectra of random cases, if they were run.
  void add_records() {
    const auto each_random = [&](const std::string& name, const auto& take) {
      for (std::size_t i = 0; i < cases_.size(); ++i)
        if (const CaseResults& outcome = made_.outcomes[i];
            outcome.random() && cases_[i].response && outcome.name() == name)
          take(cases_[i], outcome);
    };
    for (const HistoryRequest& wanted : plan_.histories)
      each_random(wanted.in, [&](const AppliedCase& own, const CaseResults& outcome) {
        report_progress(progress_, fmt::format("record {} of {}", wanted.name, wanted.in));
        const StopWatch watch;
        made_.histories.push_back(make_history(wanted, *own.response, *own.watched, outcome, model_.threads()));
        made_.report.times.push_back({"record " + wanted.name, watch.seconds()});
      });
    for (const CrossRequest& wanted : plan_.cross_spectra)
      each_random(wanted.in, [&](const AppliedCase& own, const CaseResults& outcome) {
        made_.cross_spectra.push_back(cross_spectrum(wanted, *own.response, *own.watched, outcome));
      });
  }

  // What vibrates beside what presses: where a contact would open, close or slide, its answer does not hold.
  void add_contacts() {
    const std::vector<SettledCase>& settled = model_.modal->at_rest.settled;
    const auto state =
        std::find_if(settled.begin(), settled.end(), [](const SettledCase& each) { return each.frees_contacts; });
    if (state == settled.end() || state->state.contacts.empty()) return;
    for (const AppliedCase& applied_case : cases_) {
      if (!applied_case.response || applied_case.excitation->environment->name == state->environment) continue;
      if (applied_case.excitation->environment->is_settled()) continue;  // it has a state of its own
      const Channels channels(model_.assembly(), model_.system(), *applied_case.group->basis,
                              *applied_case.group->damping);
      ContactUnderLoad found =
          load_contacts(state->state.contacts, model_.assembly(), channels, *applied_case.response);
      for (const ContactUnderLoad& still : made_.contacts) {  // which acts at the same time
        if (still.excitation->name() != applied_case.excitation->environment->after) continue;
        for (std::size_t k = 0; k < found.loads.size(); ++k) {
          found.loads[k].lifting += still.loads[k].lifting;
          found.loads[k].closing += still.loads[k].closing;
          found.loads[k].tangential += still.loads[k].tangential;
        }
      }
      made_.contacts.push_back(std::move(found));
    }
    for (const ContactUnderLoad& under_load : made_.contacts) {
      ContactDoubts doubts = doubts_of_contacts(under_load, state->state.contacts, model_.assembly(), plan_.show);
      std::move(doubts.warnings.begin(), doubts.warnings.end(), std::back_inserter(made_.report.warnings));
      std::move(doubts.notes.begin(), doubts.notes.end(), std::back_inserter(made_.report.notes));
    }
  }

  // Curves that no node of a place exceeds: of all that is watched, or of what limits of PSDs look at.
  void add_place_envelopes() {
    // What a verdict or a specification is made of is exact, whatever its size.
    const auto is_judged = [&](const CaseResults& outcome, const Output& watched) {
      return std::any_of(plan_.limits.begin(), plan_.limits.end(),
                         [&](const Limit& limit) {
                           return covers(limit, *outcome.excitation) && limit.response()->allowed_psd &&
                                  limit.response()->of == watched.name;
                         }) ||
             std::any_of(plan_.equipment.begin(), plan_.equipment.end(),
                         [&](const EquipmentRequest& wanted) { return wanted.of == watched.name; });
    };
    const StopWatch start;
    run_jobs(cases_.size(), request_.threads, [&](std::size_t i) {
      if (!cases_[i].response || cases_[i].excitation->is_static()) return;
      const std::vector<Output>& watched = *cases_[i].watched;
      const std::vector<bool> real = real_answers(made_.outcomes[i], watched);  // the rest is rounding of zero
      PlaceDrawer drawer(*cases_[i].response, made_.outcomes[i]);
      for (std::size_t index = 0; index < watched.size(); ++index)
        if (const bool judged = is_judged(made_.outcomes[i], watched[index]);
            real[index] && (judged || request_.curves))
          drawer.draw(watched[index], index, judged);
    });
    made_.report.times.push_back({"curves of places", start.seconds()});
  }

  // Damage of what was run, by what is applied.
  void add_lives() {
    if (plan_.lives.empty()) return;
    report_progress(progress_, "life");
    const StopWatch start;
    std::map<const CaseGroup*, Channels> channels;
    std::vector<LifeCase> lived;
    for (const AppliedCase& applied_case : cases_) {
      if (!applied_case.response || is_replaced(*applied_case.excitation, made_.outcomes)) continue;
      const auto known = channels.try_emplace(applied_case.group, model_.assembly(), model_.system(),
                                              *applied_case.group->basis, *applied_case.group->damping);
      lived.push_back({applied_case.response, applied_case.watched, &known.first->second});
    }
    made_.lives = find_lives(plan_.lives, model_.assembly(), lived, made_.fields.stations.get(), model_.threads());
    made_.report.times.push_back({"life", start.seconds()});
  }

  // What the base takes in every case along one axis of translation, where test sheets are asked for.
  void add_base_loads() {
    const std::vector<Base>& bases = model_.assembly().bases;
    if (!plan_.test_sheets || bases.size() != 1) return;
    const double mass = plan_.vibrator ? plan_.vibrator->moving_mass : 0;
    for (const AppliedCase& applied_case : cases_) {
      const std::optional<int>& axis = applied_case.excitation->axis;
      if (!applied_case.response || !axis || *axis > 2 || applied_case.excitation->is_static()) continue;
      const Channels channels(model_.assembly(), model_.system(), *applied_case.group->basis,
                              *applied_case.group->damping);
      made_.base_loads[applied_case.excitation->name()] =
          base_load(*applied_case.response, channels, 0, bases[0].point, *axis, mass);
    }
  }

  // The force or stress of which most is a rest of the modal damping that no element makes by its own law, where that
  // matters: at peaks, and where most of a variance comes from.
  void warn_about_rest() {
    constexpr double worth_saying = 0.02;
    double worst = worth_saying;
    std::string text;
    for (std::size_t k = 0; k < cases_.size(); ++k) {
      if (!cases_[k].response || cases_[k].excitation->is_static()) continue;
      for (std::size_t i = 0; i < cases_[k].watched->size(); ++i) {
        const auto [part, frequency] =
            rest_of_damping(*cases_[k].response, (*cases_[k].watched)[i], made_.outcomes[k], i);
        if (!(part > worst)) continue;
        worst = part;
        text = fmt::format(
            "damping: the general damping and elements' own meet: {:.1f} % of {} at {:.5g} Hz in {} is a rest of the "
            "modes' "
            "damping that is shared out to all elements (theory, Damping)",
            100 * part, (*cases_[k].watched)[i].name, frequency, cases_[k].excitation->name());
      }
    }
    if (!text.empty()) made_.report.warnings.push_back(text);
  }
  const DampedModel& model_;
  const Plan& plan_;
  const AnalysisRequest& request_;
  const Progress& progress_;
  const std::vector<NotchedInput>* as_found_;
  std::vector<AppliedCase> cases_;
  std::vector<CaseResponses> responses_;  // of each group
  Responses made_{};
};

// One of them, or what stands for all cases of an environment of which one is among them.
bool depends_on(const Excitation& excitation, const std::vector<UnansweredCase>& unanswered) {
  return std::any_of(unanswered.begin(), unanswered.end(), [&](const UnansweredCase& each) {
    return excitation.is_combined ? excitation.environment == each.excitation->environment
                                  : excitation.name() == each.excitation->name();
  });
}

}  // namespace

FineCurve Responses::curve_of(const CaseResults& outcome, std::size_t index) const {
  const Excitation& excitation = *outcome.excitation;
  const std::size_t group = group_of(groups, excitation);
  const Transfer transfer(*groups[group].basis, *groups[group].damping,
                          InputColumns{excitation.base, excitation.loads});
  return fine_curve(outcome, index, transfer, watched_by[group][index]);
}

Responses run_environments(const DampedModel& model, const EnvironmentChoice& applied, const AnalysisRequest& request,
                           const Progress& progress, const std::vector<NotchedInput>* as_found) {
  std::vector<UnansweredCase> unanswered;
  for (;;) {
    Cases cases = cases_of(model, applied);
    std::erase_if(cases, [&](const auto& excitation) { return depends_on(*excitation, unanswered); });
    try {
      Responses responses = Runner(model, request, progress, as_found).run(cases);
      for (const UnansweredCase& each : unanswered)
        responses.report.warnings.push_back(
            fmt::format("case {} is not answered: {}", each.excitation->name(), each.reason));
      responses.unanswered = std::move(unanswered);
      return responses;
    } catch (const CaseError& error) {  // the others by themselves
      const auto failed = std::find_if(cases.begin(), cases.end(), [&](const auto& excitation) {
        return !excitation->is_combined && excitation->name() == error.name;
      });
      if (failed == cases.end() || cases.size() == 1) throw;
      unanswered.push_back({*failed, error.reason});
    }
  }
}

}  // namespace avrenk
