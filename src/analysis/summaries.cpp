#include "analysis/summaries.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace avrenk {
namespace {

std::string describe_rule(const DampingRule& rule) {
  switch (rule.form) {
    case DampingRule::Form::none:
      return "damping of joints and materials only";
    case DampingRule::Form::ratio:
      return fmt::format("damping ratio {:.3g} %", 100 * rule.value);
    case DampingRule::Form::table:
      return "damping ratio from a table";
    case DampingRule::Form::loss_factor:
      return fmt::format("loss factor {:.3g} %", 100 * rule.value);
    case DampingRule::Form::rayleigh:
      return fmt::format("Rayleigh damping, α {:.3g} 1/s, β {:.3g} s", rule.mass_rate, rule.stiffness_rate);
  }
  return "";
}

}  // namespace

std::string heading_of(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis();
  return fmt::format(
      "{}{}, {} modes to {:.4g} Hz{}", describe_rule(analysis.plan().damping),
      analysis.damping().couples() && !analysis.damping().coupled() ? ", modes uncoupled" : "", basis.modes,
      basis.proven_below,
      basis.residual_vectors() > 0 ? fmt::format(" and {} residual vectors", basis.residual_vectors()) : "");
}

std::string damping_in_words(const ModalDamping& damping) {
  if (!damping.couples()) return "damping: couples no modes";
  if (!damping.coupled()) return "damping: what couples the modes is left out (coupled: no)";
  const char* const form = damping.modes.form() == DampedModes::Form::hysteretic ? "eigenvectors of Λ + iD"
                           : damping.modes.form() == DampedModes::Form::poles    ? "eigenvectors of first order"
                                                                                 : "Schur form of first order";
  return fmt::format("damping: kept whole, {} coordinates by the {}, condition of the eigenvectors {:.2g}",
                     damping.modes.coordinates(), form, damping.modes.condition());
}

namespace {

// "57 modes below 3000 Hz, complete by inertia count"
std::string count_in_words(const ModalBasis& basis) {
  return basis.missing_below > 0
             ? fmt::format("{} modes between {:.5g} and {:.5g} Hz, none missing between by inertia count; {} lie below",
                           basis.modes, basis.frequency(0), basis.proven_below, basis.missing_below)
             : fmt::format("{} modes below {:.5g} Hz, complete by inertia count", basis.modes, basis.proven_below);
}

struct AuditTotals {
  std::set<double> frequencies;
  double error = 0, truncation = 0, without = 0;  // the largest of each
};
AuditTotals totals_of(const Audit& audit) {
  AuditTotals totals;
  for (const AuditedAnswer& each : audit.answers) {
    totals.frequencies.insert(each.frequency);
    totals.error = std::max(totals.error, std::abs(each.error()));
    totals.truncation = std::max(totals.truncation, std::abs(each.truncation()));
    totals.without = std::max(totals.without, std::abs(each.truncation_without()));
  }
  return totals;
}

}  // namespace

std::string proof_in_words(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis();
  const std::string pivots = basis.missing_below > 0
                                 ? "."
                                 : fmt::format(": K − ω²M has {} negative pivots there{}.", basis.counted_below,
                                               basis.exhausted ? ", and the mass carries no more modes" : "");
  return count_in_words(basis) + pivots +
         fmt::format(" Residual |Kφ − ω²Mφ|/|Kφ| ≤ {:.1e}, |ΦᵀMΦ − I| ≤ {:.1e}. ", basis.largest_residual(),
                     basis.largest_nonorthogonality()) +
         (basis.residual_vectors() > 0
              ? fmt::format("{} residual vectors from {:.5g} Hz on carry the rest of the mass and what dampers bend.",
                            basis.residual_vectors(), basis.frequency(basis.modes))
              : std::string("No residual vectors.")) +
         (basis.massless > 0 ? fmt::format(" {} shapes without mass follow dampers.", basis.massless) : std::string());
}

std::string accuracy_in_words(const Analysis& analysis) {
  std::string text = fmt::format("Accuracy: {}.", count_in_words(analysis.basis()));
  double error = -1;
  for (const CaseResults& outcome : analysis.outcomes())
    if (outcome.random()) error = std::max(error, outcome.random()->integration_error);
  if (error >= 0) text += fmt::format(" RMS integrals are exact to {:.0e} of a variance.", error);
  if (const AuditTotals audit = totals_of(analysis.assessment.audit); !audit.frequencies.empty())
    text += fmt::format(
        " At {} the answers differ from the full equations by {:.2g} % at most.",
        audit.frequencies.size() == 1 ? "one frequency" : fmt::format("{} frequencies", audit.frequencies.size()),
        100 * audit.error);
  return text;
}

std::string audit_in_words(const Analysis& analysis) {
  const AuditTotals totals = totals_of(analysis.assessment.audit);
  return fmt::format(
      "Against the full complex equations, of {} answers at {} frequencies, the reported ones are off by {:.2g} % at "
      "most. Truncation, what the modes leave out, makes {:.2g} %; without residual vectors it would make {:.2g} %.{}",
      analysis.assessment.audit.answers.size(), totals.frequencies.size(), 100 * totals.error, 100 * totals.truncation,
      100 * totals.without,
      !analysis.damping().coupled() && analysis.damping().couples()
          ? " The rest is damping that couples the modes: coupled: no leaves it out."
          : "");
}

}  // namespace avrenk
