/// core/response/place_envelope.h: the largest of all candidates of a place at each frequency.
#pragma once

#include "core/response/case_response.h"
#include "core/response/case_results.h"
#include "core/response/output.h"

namespace avrenk {

/// States of a case at some frequencies, made once for all that is drawn there.
struct CurveStates {
  /// @param frequencies  Hz, ascending. @pre the load is a sine or a random one
  CurveStates(const CaseResponse& response, std::vector<double> frequencies);
  const CaseResponse& load;
  std::vector<double> grid;    ///< Hz
  std::vector<double> levels;  ///< of a sine: the input to which ratios refer
  SpectralRoots roots;         ///< of random
  StateTable states;
};

/// Of a place with several nodes the curve that none of them exceeds: PSD (random), or amplitude over the phase (sine).
/// @pre the quantity has a meaning there
/// @param leaders  takes the candidates that it follows somewhere, by their index; its first, if any, is one that is
///                 followed wherever another is larger by rounding only (1e-9)
/// @param among  those that are looked at; empty: all
[[nodiscard]] std::vector<double> envelope_of_place(const CurveStates& at, const Output& watched,
                                                    std::vector<std::size_t>* leaders = nullptr,
                                                    const std::vector<std::size_t>& among = {});
[[nodiscard]] std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                                    const std::vector<double>& grid);

/// Draws such curves of the answers of a case on their own grid; the states are made where something is drawn.
class PlaceDrawer {
 public:
  PlaceDrawer(const CaseResponse& load, CaseResults& results) : load_(load), results_(results) {}
  /// Gives a row its curve where its place has several candidates. Of what is upside down there is none.
  /// @param exact  else of more than a hundred candidates those are followed that lead at every fourth point of the
  ///               grid, which has more than that around each resonance
  void draw(const Output& watched, std::size_t row, bool exact);

 private:
  const CaseResponse& load_;
  CaseResults& results_;
  std::optional<CurveStates> whole_, some_;
};

}  // namespace avrenk
