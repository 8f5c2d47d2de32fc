/// core/response/cross_spectrum.h: how two responses of one random case go together.
#pragma once

#include "core/request/record_requests.h"
#include "core/response/case_response.h"
#include "core/response/case_results.h"

namespace avrenk {

/// S_21 = w₂ S w₁ᴴ of two channels at the points of the case's grid.
struct CrossSpectrum {
  const CrossRequest* request = nullptr;
  std::shared_ptr<const Excitation> excitation;
  std::array<const Kind*, 2> kinds{};
  std::vector<double> grid;                ///< Hz
  std::array<std::vector<double>, 2> psd;  ///< of each, unit²/Hz
  std::vector<std::complex<double>> cross;
  double correlation = 0;  ///< at one instant, Re ∫ S_21 df / (σ₁ σ₂): −1 to 1
  /// |S_21|² / (S_11 S_22): 0 to 1, 1 where one input makes both; NaN where one does not move.
  [[nodiscard]] double coherence(std::size_t point) const;
};

/// Of a place with several candidates that with the largest RMS.
/// @throws InputError  a magnitude, or what is not watched
[[nodiscard]] CrossSpectrum cross_spectrum(const CrossRequest& request, const CaseResponse& excited,
                                           const std::vector<Output>& watched, const CaseResults& outcome);

}  // namespace avrenk
