/// core/response/audit.h: how far the modal answers are from the full equations, solved directly (theory 3).
#pragma once

#include "core/progress.h"
#include "core/request/damping_rule.h"
#include "core/response/case_results.h"

namespace avrenk {

/// One watched quantity of one outcome at one frequency.
struct AuditedAnswer {
  std::string outcome;  ///< "sine.x"
  std::size_t watched = 0;
  double frequency = 0;  ///< Hz
  bool random = false;   ///< a PSD
  double modal = 0;      ///< as reported: amplitude (sine), or the root of the PSD (random), SI
  double direct = 0;     ///< of the full equations
  // The same modes and residual vectors, and the normal modes alone, with all that couples them by their damping: what
  // differs from the full equations then is what the modes leave out.
  double coupled = 0, without_residual_vectors = 0;
  [[nodiscard]] double error() const { return modal / direct - 1; }
  [[nodiscard]] double truncation() const { return coupled / direct - 1; }
  [[nodiscard]] double truncation_without() const { return without_residual_vectors / direct - 1; }
};

/// What is compared with what.
struct AuditSource {
  const Assembly& assembly;
  const System& system;
  const ModalBasis& basis;
  const ModalDamping& damping;
  const DampingRule& rule;
  const std::vector<OutputRequest>& requests;
  StressSource stress;
  const std::vector<Output>& watched;
  std::vector<const CaseResults*> outcomes;
  std::vector<double> stated{};  ///< Hz: there every quantity is compared, not only those that peak there
};

/// Frequencies (Hz) at which most watched quantities peak (sine) or take most of their variance (random), at most so
/// many; frequencies within half a percent of one another count as one.
[[nodiscard]] std::vector<double> frequencies_that_matter(const AuditSource& source, int most);

/// At each frequency the answer of every quantity that peaks there, by the modes and by the full equations (see
/// DirectSolution): motions and forces of elements from what they move by there, forces of bases, feet and joints by
/// equilibrium. The error holds what is left out with the modes (the truncation), and what is left out when damping is
/// taken not to couple them.
[[nodiscard]] std::vector<AuditedAnswer> audit(const AuditSource& source, const std::vector<double>& frequencies,
                                               const Progress& progress = {});

}  // namespace avrenk
