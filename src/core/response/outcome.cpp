#include "core/response/outcome.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/response/explanation.h"

namespace avrenk {

using Eigen::Index;
using Eigen::VectorXd;

const std::vector<double>& Outcome::grid() const {
  static const std::vector<double> none;
  return sine() ? sine()->grid : random() ? random()->grid : none;
}

const std::vector<std::pair<int, double>>& Outcome::shares(std::size_t watched) const {
  static const std::vector<std::pair<int, double>> none;
  return sine() ? sine()->rows[watched].shares : random() ? random()->rows[watched].shares : none;
}

double Outcome::headline(std::size_t watched) const {
  if (at_rest()) return at_rest()->rows[watched].value;
  const double value = sine() ? sine()->rows[watched].peak.value : random()->rows[watched].rms;
  return std::isnan(value) ? 0 : value;
}

std::map<const Kind*, double> largest_of_kinds(const std::vector<const Outcome*>& outcomes,
                                               const std::vector<Watched>& watched) {
  std::map<const Kind*, double> largest;
  for (const Outcome* outcome : outcomes)
    for (std::size_t i = 0; i < watched.size(); ++i) {
      double& value = largest[watched[i].quantity->kind];
      value = std::max(value, outcome->headline(i));
    }
  return largest;
}

std::vector<bool> real_answers(const Outcome& outcome, const std::vector<Watched>& watched) {
  const auto largest = largest_of_kinds({&outcome}, watched);
  std::vector<bool> real;
  for (std::size_t i = 0; i < watched.size(); ++i)
    real.push_back(outcome.headline(i) > rounding_of_answers * largest.at(watched[i].quantity->kind));
  return real;
}

Outcome combine(const Environment& environment, const std::vector<const Outcome*>& cases,
                const std::vector<Watched>& watched) {
  SineAnswers sine;
  RandomAnswers random;
  const bool squares = environment.combination == Environment::Combination::root_sum_of_squares;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (environment.type == Environment::Type::sine) {
      SineRow row;
      double sum = 0;
      for (const Outcome* each : cases) {
        const SineRow& own = each->sine()->rows[i];
        sum += own.peak.value * own.peak.value;
        if (each == cases.front() || own.peak.value > row.peak.value) {
          row.peak = own.peak;
          row.where = fmt::format("{}{}: {}", squares ? "most from " : "", each->excitation->along, own.where);
        }
      }
      if (squares) row.peak.value = std::sqrt(sum);
      sine.rows.push_back(std::move(row));
      continue;
    }
    RandomRow row;
    row.candidate_rms = VectorXd::Zero(cases.front()->random()->rows[i].candidate_rms.size());
    for (const Outcome* each : cases) {
      const VectorXd& own = each->random()->rows[i].candidate_rms;
      row.candidate_rms = squares ? VectorXd((row.candidate_rms.array().square() + own.array().square()).sqrt())
                                  : VectorXd(row.candidate_rms.cwiseMax(own));
    }
    const bool known = row.candidate_rms.size() > 0;
    const std::size_t worst = known ? first_largest(row.candidate_rms) : 0;
    row.rms = known ? row.candidate_rms[static_cast<Index>(worst)] : std::nan("");
    if (known) row.where = watched[i].candidates->label(worst);
    random.rows.push_back(std::move(row));
  }
  Outcome outcome{combined_excitation(environment), {}};
  if (environment.type == Environment::Type::sine)
    outcome.answers = std::move(sine);
  else
    outcome.answers = std::move(random);
  return outcome;
}

}  // namespace avrenk
