/// core/response/case_response.h: what one case of an environment does to the whole model.
#pragma once

#include <memory>
#include <optional>

#include "core/excitation/excitation.h"
#include "core/response/random.h"
#include "core/response/steady_state.h"

namespace avrenk {

class SpringVariation;  // core/modes/spring_variation.h

/// The state z of a static environment: q = Λ⁻¹Φᵀ(M R g + f), the base acceleration that acts as gravity does, and the
/// loads. @param springs  that are not what the matrices hold, as they are at 0 Hz; nullptr: there are none
[[nodiscard]] Eigen::VectorXcd static_state(const Excitation& excitation, const System& system, const ModalBasis& basis,
                                            const SpringVariation* springs = nullptr);

/// Frequencies at which curves need a point, Hz: those of all tables of what acts and of springs.
[[nodiscard]] std::vector<double> curve_points(const Excitation& excitation, const ModalDamping& damping);

/// @throws InputError  an undamped mode inside the band of an environment, or a residual vector inside it (too few
/// modes)
void require_response(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping);

/// Most points of its grid, and the bytes that its states and so many rows of watched quantities take there.
struct GridCost {
  double points = 0, bytes = 0;
};
[[nodiscard]] GridCost grid_cost(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping,
                                 std::size_t rows);

/// What one case of an environment does to the whole model: made once for all that is asked of it, the survey of stress
/// and what is watched. Its parts refer to one another: it stays where it was made.
struct CaseResponse {
  /// @throws InputError      see require_response
  /// @throws NumericalError  the RMS integral does not settle
  CaseResponse(std::shared_ptr<const Excitation> excitation, const System& system, const ModalBasis& basis,
               const ModalDamping& damping, int threads = 1);
  /// A state by itself, of which nothing varies: one instant of a sine, z e^{iωt}.
  CaseResponse(std::shared_ptr<const Excitation> instant, Eigen::VectorXcd state)
      : excitation(std::move(instant)), still(std::move(state)) {}
  /// Random motions of a given covariance, of which all else is left out.
  CaseResponse(std::shared_ptr<const Excitation> random, const Eigen::MatrixXcd& gamma)
      : excitation(std::move(random)) {
    covariance.emplace().gamma = gamma;
  }
  CaseResponse(const CaseResponse&) = delete;
  CaseResponse& operator=(const CaseResponse&) = delete;
  ~CaseResponse() = default;

  [[nodiscard]] const Environment& environment() const { return *excitation->environment; }

  std::shared_ptr<const Excitation> excitation;
  Eigen::VectorXcd still;            ///< static, or an instant: z
  std::optional<Transfer> transfer;  ///< of sine and random
  std::vector<double> grid;          ///< Hz
  std::optional<SineResponse> sine;
  std::optional<ModalCovariance> covariance;
};

/// Each made where it stays.
using CaseResponses = std::vector<std::unique_ptr<CaseResponse>>;

}  // namespace avrenk
