/// core/response/beam_survey.h: von Mises stress of every end of every beam in every environment at once.
#pragma once

#include "core/response/case_response.h"
#include "core/response/channels.h"

namespace avrenk {

/// One of the worst ends of beams under a load, located exactly.
struct WorstBeamStress {
  int beam = 0, end = 0;
  int point = 0;     ///< of the section's stress points
  double value = 0;  ///< as in BeamStressField
  double frequency = 0, phase = 0;
};

/// √(σ² + 3τ²) at the ends of all beams under one load, at that stress point of the section where it is largest: 2 ends
/// x beams. σ is that of axial force and bending; τ counts where the section knows it. NaN where a section has no
/// stress points.
struct BeamStressField {
  std::shared_ptr<const Excitation> excitation;
  Eigen::Matrix2Xd value;             ///< Pa: largest over phase and grid (sine), RMS (random), or static
  Eigen::Matrix2Xd frequency, phase;  ///< sine: Hz, rad; else empty
  Eigen::Matrix2Xi point;             ///< index of the stress point
  /// The worst ten of each part, largest first. A sine peak is located between grid points; its values stand in the
  /// field too.
  std::vector<WorstBeamStress> worst;
  [[nodiscard]] std::string name() const { return excitation->name(); }
  [[nodiscard]] bool has_frequency() const { return frequency.size() > 0; }  ///< as of StressField
  /// The worst of one part; nullptr if it has none.
  [[nodiscard]] const WorstBeamStress* worst_of(const Assembly& assembly, int part) const;
};

/// One field for each load; none for a model without beams. Other ends of a sweep may be lower than they are by the
/// shortfall of their grid (see grid_shortfall).
[[nodiscard]] std::vector<BeamStressField> survey_beams(const Assembly& assembly, const Channels& channels,
                                                        const ModalBasis& basis, const CaseResponses& loads,
                                                        int threads);

}  // namespace avrenk
