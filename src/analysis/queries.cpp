#include "analysis/queries.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "core/response/fine_curve.h"
#include "core/response/place_envelope.h"
#include "core/response/run_case.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;

// A place with its quantity and component: "acceleration.z of tip".
std::string words_of(const Question& question, const Output& watched) {
  const bool bare = watched.component.empty() || watched.component == "magnitude";
  return fmt::format("{}{}{}{}", watched.quantity->keyword, bare ? "" : ".", bare ? "" : watched.component,
                     question.of.empty() ? "" : " of " + question.of);
}

[[noreturn]] void refuse_question(const Question& question, const std::string& wrong, const std::string& remedy) {
  throw InputError(Problem{fmt::format("\"{}\"", question.text), wrong, remedy, question.place});
}

bool names_case(const Question& question, const Excitation& excitation) {
  return question.cases.empty() || excitation.is_among(question.cases);
}

// Answers one question after the other; each case is applied once for all of them.
class Answerer {
 public:
  Answerer(const AppliedCases& applied, const std::vector<Question>& questions)
      : applied_(applied),
        model_(applied.model),
        assembly_(model_.assembly()),
        system_(model_.system()),
        questions_(questions) {
    answers_.stations = applied.stations;
  }

  Answers run() {
    for (std::size_t q = 0; q < questions_.size(); ++q) {
      const Question& question = questions_[q];
      std::size_t answered = 0;
      for (std::size_t g = 0; g < applied_.groups.size(); ++g)
        for (std::size_t k = 0; k < applied_.groups[g].cases.size(); ++k) {
          if (!names_case(question, *applied_.groups[g].cases[k])) continue;
          // One load by itself, as all that looks at the model takes several.
          std::unique_ptr<CaseResponse>& response = applied_.responses[g][k];
          CaseResponses alone;
          alone.push_back(std::move(response));
          try {
            answered += take(q, applied_.groups[g], alone) ? 1 : 0;
          } catch (...) {
            response = std::move(alone.front());
            throw;
          }
          response = std::move(alone.front());
        }
      if (answered == 0) refuse_question(question, why_none(question), "name a case where it has one");
    }
    return std::move(answers_);
  }

 private:
  [[nodiscard]] std::string why_none(const Question& question) const {
    if (frequency_of(question))
      return fmt::format("no case asked for reaches {:.6g} Hz, or has such a quantity", *frequency_of(question));
    return "no case that was run has such a quantity";
  }

  // Hz; nothing where none was named.
  [[nodiscard]] std::optional<double> frequency_of(const Question& question) const {
    if (!question.mode) return question.frequency;
    const ModalBasis& basis = model_.basis();
    if (*question.mode > basis.modes)
      refuse_question(question, fmt::format("mode {} is asked for, and there are {}", *question.mode, basis.modes),
                      fmt::format("write at mode 1 to {}", basis.modes));
    return model_.natural_frequency(*question.mode - 1);
  }

  // Whether there is an answer under this load.
  bool take(std::size_t q, const CaseGroup& group, const CaseResponses& alone) {
    const Question& question = questions_[q];
    const CaseResponse& load = *alone.front();
    const Excitation& excitation = *load.excitation;
    const std::optional<double> frequency = frequency_of(question);
    if (frequency && (excitation.is_static() || *frequency < excitation.grid.from * (1 - 1e-9) ||
                      *frequency > excitation.grid.to * (1 + 1e-9)))
      return false;
    if (question.phase && !excitation.is_sine()) return false;
    if (question.form == Question::Form::field) return take_field(q, group, alone, frequency);
    if (question.form == Question::Form::curve && excitation.is_static()) return false;
    std::optional<StressSurvey> survey;
    StressSource source;
    if (question.request.quantity->of_nodes && !question.request.parts.empty()) {
      const CaseResponses now = frequency ? held(group, load, question, *frequency) : CaseResponses{};
      survey = survey_stress(assembly_, system_, *group.basis, *group.damping, stations(), frequency ? now : alone,
                             {demand_of(question)}, model_.threads());
      source = {&stations(), &*survey};
    }
    const Channels channels(assembly_, system_, *group.basis, *group.damping);
    std::vector<Output> watched = watch(assembly_, channels, {question.request}, source);
    std::erase_if(watched, [&](const Output& each) {
      return question.component.empty() ? !each.is_headline() : each.component != question.component;
    });
    std::erase_if(watched, [&](const Output& each) {
      return each.candidates->items.empty() ||
             (each.quantity->per_input() && (!load.sine || !each.quantity->has_meaning(excitation.kind)));
    });
    if (watched.empty()) return false;
    if (frequency)
      take_at(q, watched, load, *frequency);
    else
      take_over_band(q, watched, *alone.front());
    return true;
  }

  [[nodiscard]] StressDemand demand_of(const Question& question) const {
    return {*question.request.quantity->of_nodes, question.request.parts, question.request.stress_at};
  }
  [[nodiscard]] const StressStations& stations() {
    if (!answers_.stations) answers_.stations = std::make_shared<const StressStations>(assembly_);
    return *answers_.stations;
  }

  // What acts at one frequency: a sine held there, or an instant of it, or what a random input makes there, whose mean
  // squares are PSDs.
  [[nodiscard]] CaseResponses held(const CaseGroup& group, const CaseResponse& load, const Question& question,
                                   double frequency) const {
    CaseResponses loads;
    const auto excitation = held_at(*load.excitation, {frequency, question.mode.value_or(0), question.phase});
    if (load.covariance) {
      const MatrixXcd z = random_state(load, frequency);
      loads.push_back(std::make_unique<CaseResponse>(excitation, MatrixXcd(z * z.adjoint())));
    } else if (question.phase) {
      loads.push_back(std::make_unique<CaseResponse>(
          excitation, Eigen::VectorXcd(load.sine->state({}, frequency) * std::polar(1.0, *question.phase))));
    } else {
      loads.push_back(std::make_unique<CaseResponse>(excitation, system_, *group.basis, *group.damping));
    }
    return loads;
  }
  // Columns whose squares add up to PSDs.
  [[nodiscard]] static MatrixXcd random_state(const CaseResponse& load, double frequency) {
    return load.transfer->state(frequency) * load.covariance->input.root(frequency);
  }

  // The largest of the candidates at one frequency.
  void take_at(std::size_t q, const std::vector<Output>& watched, const CaseResponse& load, double frequency) {
    const Question& question = questions_[q];
    for (const Output& output : watched) {
      Answer answer;
      answer.question = q;
      answer.of = words_of(question, output);
      answer.in = load.excitation->name();
      answer.frequency = frequency;
      const bool turned_over = output.quantity->is_reciprocal;
      const MatrixXcd z = load.covariance
                              ? random_state(load, frequency)
                              : MatrixXcd(load.sine->state({"", {}, output.quantity->per_input()}, frequency));
      answer.what = load.covariance  ? Answer::What::psd
                    : question.phase ? Answer::What::at_instant
                                     : Answer::What::at_frequency;
      double largest = -1;
      for (std::size_t k = 0; k < output.candidates->items.size(); ++k) {
        const Measure measure = output.measure(k);
        const MatrixXcd w = measure.rows * z;
        double value = 0, phase = std::nan("");
        if (load.covariance) {
          value = w.squaredNorm();
        } else if (question.phase) {
          const Eigen::VectorXd now = (w.col(0) * std::polar(1.0, *question.phase)).real();
          value = now.size() == 1 ? now[0] : now.norm();
          phase = *question.phase;
        } else {
          value = largest_over_phase(w.col(0));
          phase = phase_of_largest(w.col(0));
        }
        if (!(std::abs(value) > largest * (1 + 1e-9))) continue;
        largest = std::abs(value);
        answer.value = turned_over ? 1 / value : value;
        answer.phase = turned_over ? -phase : phase;
        answer.where = measure.label;
      }
      answers_.values.push_back(std::move(answer));
    }
  }

  // Over the whole band, as the run itself has it.
  void take_over_band(std::size_t q, const std::vector<Output>& watched, CaseResponse& load) {
    const Question& question = questions_[q];
    CaseResults outcome = do_for_case(*load.excitation, [&] { return run_case(load, watched); });
    PlaceDrawer drawer(load, outcome);
    for (std::size_t i = 0; i < watched.size(); ++i) {
      const std::string of = words_of(question, watched[i]), in = outcome.name();
      if (question.form == Question::Form::curve) {
        drawer.draw(watched[i], i, false);
        const SineAnswers* const sine = outcome.sine();
        FineCurve fine = fine_curve(outcome, i, *load.transfer, watched[i]);
        answers_.curves.push_back({q, of, in, !sine, std::move(fine.frequency), std::move(fine.value),
                                   std::move(fine.phase), sine ? std::optional(sine->rows[i].peak) : std::nullopt});
        continue;
      }
      if (const SineAnswers* sine = outcome.sine()) {
        const SineRow& row = sine->rows[i];
        answers_.values.push_back({q, of, in, Answer::What::largest, row.peak.value, row.peak.frequency, row.peak.phase,
                                   row.where + (row.peak.at_end ? " (end of the band)" : "")});
      } else if (const RandomAnswers* random = outcome.random()) {
        const RandomRow& row = random->rows[i];
        answers_.values.push_back({q, of, in, Answer::What::rms, row.rms, std::nan(""), std::nan(""), row.where});
        answers_.values.push_back(
            {q, of, in, Answer::What::within, row.within[2], std::nan(""), std::nan(""), row.where});
      } else {
        const StaticRow& row = outcome.at_rest()->rows[i];
        answers_.values.push_back(
            {q, of, in, Answer::What::steady, row.with_sign, std::nan(""), std::nan(""), row.where});
      }
    }
  }

  bool take_field(std::size_t q, const CaseGroup& group, const CaseResponses& alone, std::optional<double> frequency) {
    const Question& question = questions_[q];
    const CaseResponse& load = *alone.front();
    const OutputQuantity& quantity = *question.request.quantity;
    AnswerField field{q, load.excitation, {}, {}, {}, {}};
    if (!quantity.of_nodes) return take_motion(question, group, alone, frequency, std::move(field));
    if (load.covariance && frequency)
      refuse_question(question, "the field of a PSD at one frequency is not drawn",
                      "leave the frequency out for the RMS, or ask for field of acceleration and its largest PSD");
    const CaseResponses now = frequency ? held(group, load, question, *frequency) : CaseResponses{};
    const CaseResponses& loads = frequency ? now : alone;
    if (frequency) field.excitation = now.front()->excitation;
    if (!assembly_.groups.empty()) {
      StressDemand demand{*quantity.of_nodes, {}, {}};
      for (int part = 0; part < static_cast<int>(assembly_.parts.size()); ++part) demand.parts.push_back(part);
      StressSurvey survey = survey_stress(assembly_, system_, *group.basis, *group.damping, stations(), loads, {demand},
                                          model_.threads());
      if (!survey.fields.front().worst.empty()) field.stress = std::move(survey.fields.front());
    }
    if (*quantity.of_nodes == StressQuantity::von_mises) {
      const Channels channels(assembly_, system_, *group.basis, *group.damping);
      std::vector<BeamStressField> beams = survey_beams(assembly_, channels, *group.basis, loads, model_.threads());
      if (!beams.empty() && !beams.front().worst.empty()) field.beams = std::move(beams.front());
    }
    if (!field.stress && !field.beams) return false;
    if (load.sine && frequency) {
      field.shape = shape_at(load, system_, *frequency);
      if (question.phase) field.shape->instant = *question.phase;
    }
    answers_.fields.push_back(std::move(field));
    return true;
  }

  // Displacements of a sine at one frequency; RMS of every node under a random input.
  bool take_motion(const Question& question, const CaseGroup& group, const CaseResponses& alone,
                   std::optional<double> frequency, AnswerField field) {
    const CaseResponse& load = *alone.front();
    if (load.covariance) {
      if (frequency) return false;
      const Channels channels(assembly_, system_, *group.basis, *group.damping);
      field.motion = survey_motion(assembly_, channels, alone, model_.threads()).front();
    } else {
      if (!load.sine || question.request.quantity->kind != &kind::length) return false;
      if (!frequency)
        refuse_question(question, "a shape is one at a frequency", "write, for example, at 63 Hz or at mode 4");
      field.shape = shape_at(load, system_, *frequency);
      const AskedFrequency at{*frequency, question.mode.value_or(0), question.phase};
      field.excitation = field.shape->excitation = held_at(*load.excitation, at);
      field.shape->at = at.words();
      if (question.phase) field.shape->instant = *question.phase;
    }
    answers_.fields.push_back(std::move(field));
    return true;
  }

  const AppliedCases& applied_;
  const DampedModel& model_;
  const Assembly& assembly_;
  const System& system_;
  const std::vector<Question>& questions_;
  Answers answers_;
};

}  // namespace

std::shared_ptr<const Answers> answer_figures(const AppliedCases& applied, std::vector<std::string>& warnings) {
  auto given = std::make_shared<Answers>();
  given->stations = applied.stations;
  const std::vector<FigureRequest>& figures = applied.model.plan().figures;
  const int modes = applied.model.basis().modes;
  for (std::size_t f = 0; f < figures.size(); ++f) {
    if (figures[f].mode) {
      if (*figures[f].mode > modes)
        warnings.push_back(fmt::format("figure {}: mode {} is asked for, and there are {}; write mode 1 to {}",
                                       figures[f].name, *figures[f].mode, modes, modes));
      continue;
    }
    const std::vector<Question> question{figures[f].question};
    const bool is_applied = std::any_of(applied.groups.begin(), applied.groups.end(), [&](const CaseGroup& group) {
      return std::any_of(group.cases.begin(), group.cases.end(),
                         [&](const auto& excitation) { return names_case(question.front(), *excitation); });
    });
    if (!is_applied) continue;  // another command runs them
    try {
      Answers answers = Answerer({applied.model, applied.groups, applied.responses, given->stations}, question).run();
      given->stations = answers.stations;
      for (AnswerCurve& curve : answers.curves) {
        curve.question = f;
        given->curves.push_back(std::move(curve));
      }
      for (AnswerField& field : answers.fields) {
        field.question = f;
        given->fields.push_back(std::move(field));
      }
    } catch (const InputError& error) {
      warnings.push_back(fmt::format("figure {}: {}; {}", figures[f].name, error.problems.front().wrong,
                                     error.problems.front().remedy));
    }
  }
  return given;
}

bool is_asked_of(const Environment& environment, const std::vector<Question>& questions) {
  return !environment.is_direct() && std::any_of(questions.begin(), questions.end(), [&](const Question& question) {
    return question.cases.empty() || std::any_of(question.cases.begin(), question.cases.end(),
                                                 [&](const std::string& name) { return is_of(name, environment); });
  });
}

Answers answer(const DampedModel& model, const std::vector<Question>& questions, const Progress& progress) {
  for (const Question& question : questions)
    for (const std::string& name : question.cases) {
      if (name.ends_with(".combined"))
        refuse_question(question, fmt::format("{} stands for several cases and has no modes of its own", name),
                        "ask each of its axes; the run's own tables have it");
      for (const Environment& environment : model.plan().environments)
        if (environment.is_direct() && is_of(name, environment))
          refuse_question(question, fmt::format("{} was answered by the full equations, not by modes", name),
                          "its answers are in the run's own tables");
    }
  Cases cases = cases_of(model, [&](const Environment& environment) { return is_asked_of(environment, questions); });
  std::erase_if(cases, [&](const auto& excitation) {
    return excitation->is_combined || std::none_of(questions.begin(), questions.end(), [&](const Question& question) {
             return names_case(question, *excitation);
           });
  });
  std::vector<CaseGroup> groups = group_cases(model, cases, progress).groups;
  std::vector<CaseResponses> responses = apply_cases(model, groups);
  Answers answers = Answerer({model, groups, responses}, questions).run();
  answers.groups = std::move(groups);
  return answers;
}

}  // namespace avrenk
