#include "core/response/case_results.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "core/response/explanation.h"

namespace avrenk {

using Eigen::Index;
using Eigen::VectorXd;

const WithStatic* SineRow::together_with(const std::string& at_rest) const {
  const auto found = std::find_if(with_static.begin(), with_static.end(),
                                  [&](const WithStatic& each) { return each.at_rest == at_rest; });
  return found == with_static.end() ? nullptr : &*found;
}

const std::vector<double>& CaseResults::grid() const {
  static const std::vector<double> none;
  return sine() ? sine()->grid : random() ? random()->grid : none;
}

const std::vector<std::pair<int, double>>& CaseResults::shares(std::size_t watched) const {
  static const std::vector<std::pair<int, double>> none;
  return sine() ? sine()->rows[watched].shares : random() ? random()->rows[watched].shares : none;
}

std::vector<std::size_t> CaseResults::leaders(std::size_t watched) const {
  const auto of = [](const auto& row) { return row.leaders.empty() ? std::vector{row.candidate} : row.leaders; };
  return sine() ? of(sine()->rows[watched]) : of(random()->rows[watched]);
}

double CaseResults::headline(std::size_t watched) const {
  if (at_rest()) return at_rest()->rows[watched].value;
  const double value = sine() ? sine()->rows[watched].peak.value : random()->rows[watched].rms;
  return std::isnan(value) ? 0 : value;
}

double CaseResults::strength(std::size_t index, const Output& watched) const {
  const double value = headline(index);
  if (!watched.quantity->is_reciprocal) return value;
  return value > 0 ? 1 / value : 0;
}

std::vector<std::vector<bool>> real_answers(const std::vector<const CaseResults*>& outcomes,
                                            const std::vector<Output>& watched) {
  std::map<std::tuple<const Kind*, const Kind*, bool>, double> strongest;
  const auto strongest_like = [&](const OutputQuantity& quantity) -> double& {
    return strongest[{quantity.kind, quantity.per, quantity.is_reciprocal}];
  };
  for (const CaseResults* outcome : outcomes)
    for (std::size_t i = 0; i < watched.size(); ++i) {
      double& value = strongest_like(*watched[i].quantity);
      value = std::max(value, outcome->strength(i, watched[i]));
    }
  std::vector<std::vector<bool>> real(outcomes.size());
  for (std::size_t k = 0; k < outcomes.size(); ++k)
    for (std::size_t i = 0; i < watched.size(); ++i)
      real[k].push_back(outcomes[k]->strength(i, watched[i]) >
                        rounding_of_answers * strongest_like(*watched[i].quantity));
  return real;
}

bool is_replaced(const Excitation& excitation, const std::vector<CaseResults>& outcomes) {
  return std::any_of(outcomes.begin(), outcomes.end(), [&](const CaseResults& each) {
    return each.excitation && each.excitation->specified.get() == &excitation;
  });
}

int strongest_peak(const CaseResults& outcome, const std::vector<Output>& watched) {
  int strongest = -1;
  double most = 0;
  if (outcome.grid().empty() || !outcome.sine()) return strongest;
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const SineRow& row = outcome.sine()->rows[i];
    const double weight = outcome.environment().is_direct() ? 1 : row.amplification;
    if (!real[i] || !watched[i].is_headline() || watched[i].quantity->is_reciprocal || row.peak.at_end) continue;
    if (!(weight > most)) continue;
    most = weight;
    strongest = static_cast<int>(i);
  }
  return strongest;
}

int largest_acceleration(const CaseResults& outcome, const std::vector<Output>& watched) {
  int largest = -1;
  double most = 0;
  if (!outcome.sine()) return largest;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const double peak = outcome.sine()->rows[i].peak.value;
    if (!watched[i].is_headline() || watched[i].quantity->kind != &kind::acceleration || !(peak > most)) continue;
    most = peak;
    largest = static_cast<int>(i);
  }
  return largest;
}

CaseResults combine(const Environment& environment, const std::vector<const CaseResults*>& cases,
                    const std::vector<Output>& watched) {
  SineAnswers sine;
  RandomAnswers random;
  const bool squares = environment.combination == Environment::Combination::root_sum_of_squares;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (environment.is_sine()) {
      SineRow row;
      double strongest = -1, sum = 0;
      for (const CaseResults* case_results : cases) {
        const double strength = case_results->strength(i, watched[i]);
        sum += strength * strength;
        if (strength <= strongest) continue;
        strongest = strength;
        const SineRow& own = case_results->sine()->rows[i];
        row.peak = own.peak;
        row.where = fmt::format("{}{}: {}", squares ? "most from " : "", case_results->excitation->along, own.where);
      }
      if (squares) row.peak.value = watched[i].quantity->is_reciprocal ? 1 / std::sqrt(sum) : std::sqrt(sum);
      sine.rows.push_back(std::move(row));
      continue;
    }
    RandomRow row;
    row.within.fill(std::nan(""));
    row.candidate_rms = VectorXd::Zero(cases.front()->random()->rows[i].candidate_rms.size());
    for (const CaseResults* case_results : cases) {
      const VectorXd& own = case_results->random()->rows[i].candidate_rms;
      row.candidate_rms = squares ? VectorXd((row.candidate_rms.array().square() + own.array().square()).sqrt())
                                  : VectorXd(row.candidate_rms.cwiseMax(own));
    }
    const bool known = row.candidate_rms.size() > 0;
    const std::size_t worst = known ? first_largest(row.candidate_rms) : 0;
    row.rms = known ? row.candidate_rms[static_cast<Index>(worst)] : std::nan("");
    if (known) row.where = watched[i].candidates->label(worst);
    random.rows.push_back(std::move(row));
  }
  CaseResults outcome{combined_excitation(environment), {}};
  if (environment.is_sine())
    outcome.answers = std::move(sine);
  else
    outcome.answers = std::move(random);
  return outcome;
}

bool CaseResults::has(const Output& watched) const {
  return !watched.quantity->per_input() || (sine() && watched.quantity->has_meaning(excitation->kind));
}

bool CaseResults::is_root_sum() const {
  return is_combined() && environment().combination == Environment::Combination::root_sum_of_squares;
}

std::vector<bool> real_answers(const CaseResults& outcome, const std::vector<Output>& watched) {
  return real_answers(std::vector<const CaseResults*>{&outcome}, watched).front();
}

}  // namespace avrenk
