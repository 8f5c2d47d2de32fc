/// core/response/history.h: a random case as a record in time, beside what its spectra say of it (theory 7).
#pragma once

#include "core/request/record_requests.h"
#include "core/response/case_results.h"
#include "core/response/run_case.h"

namespace avrenk {

/// One input or response.
struct HistoryColumn {
  std::string name;
  const Kind* kind = nullptr;
  bool is_input = false;
  std::vector<double> values;  ///< SI; of a vector its length
  double rms = 0, largest = 0;
  double spectral = 0;  ///< RMS by the spectra
  double interval = 0;  ///< within which 95 % of all such records lie about it, as a part of it
  double expected = 0, expected_low = 0, expected_high = 0;  ///< largest: mean, 5 and 95 %; NaN where not Gaussian
  [[nodiscard]] double crest() const { return rms > 0 ? largest / rms : 0; }
  [[nodiscard]] double difference() const { return spectral > 0 ? rms / spectral - 1 : 0; }
  [[nodiscard]] bool agrees() const { return std::abs(difference()) <= interval; }
};

struct History {
  const HistoryRequest* request = nullptr;
  std::shared_ptr<const Excitation> excitation;
  double rate = 0;
  bool leaves_coupling = false;  ///< the modes were taken without what couples them
  std::vector<HistoryColumn> columns;
};

/// q̈ + 2ζω q̇ + ω² q = p(t) from sample to sample, exact where p is straight between them, whatever ωΔt and ζ.
class ModalRecursion {
 public:
  ModalRecursion(double omega, double zeta, double step);
  /// q and q̇ at the next sample, from p at this one and there.
  void advance(double p0, double p1);
  [[nodiscard]] double position() const { return q_; }
  [[nodiscard]] double velocity() const { return v_; }
  /// q̈ where p acts.
  [[nodiscard]] double acceleration(double p) const { return p - 2 * zeta_ * omega_ * v_ - omega_ * omega_ * q_; }
  void start(double q, double v) {
    q_ = q;
    v_ = v;
  }

 private:
  double omega_, zeta_, step_;
  double qq_, qv_, vq_, vv_;  // of the free motion over one step
  double q_ = 0, v_ = 0;
};

/// A Gaussian record: lines at 1/T apart with complex Gaussian amplitudes of L(f), their forces taken through the modes
/// one by one. Loss factors act as dashpots of ζ = η/2 at each mode's own frequency, and modes are uncoupled. What
/// straight lines between samples take off the force, sinc²(πf/rate), is given to it before; the record begins when the
/// start has died away. The same seed makes the same record.
/// @param outcome  of the same case: RMS values and worst candidates
/// @throws InputError  several bases; what is not watched; too many values
[[nodiscard]] History make_history(const HistoryRequest& request, const CaseResponse& excited,
                                   const std::vector<Output>& watched, const CaseResults& outcome, int threads);

}  // namespace avrenk
