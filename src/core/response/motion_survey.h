/// core/response/motion_survey.h: how every node moves under random inputs: its RMS, and where and at which frequency
/// its PSD is largest.
#pragma once

#include "core/response/case_response.h"
#include "core/response/channels.h"

namespace avrenk {

/// The largest over frequency of one node's PSD, located exactly.
struct LargestPsd {
  int node = 0;
  double value = 0;      ///< (m/s²)²/Hz
  double frequency = 0;  ///< Hz
};

/// One random case at every node, global axes; NaN at a point that nothing joins to the model.
struct MotionField {
  std::shared_ptr<const Excitation> excitation;
  Eigen::Matrix3Xd displacement;  ///< RMS, m: relative to the base, along x, y and z
  Eigen::Matrix3Xd acceleration;  ///< RMS, m/s²: absolute, along x, y and z
  /// Largest over frequency of the PSD of the acceleration vector, the sum of its three directions: (m/s²)²/Hz, and
  /// the frequency, Hz. Between the points looked at 1/PSD is taken as a parabola, which it is at a lone resonance.
  Eigen::RowVectorXd psd, frequency;
  /// Of each thing that nodes belong to, and of the whole model in front, located exactly.
  std::vector<LargestPsd> worst;
  double interpolation = 0;  ///< what psd differed by at the worst, as a part of it
  [[nodiscard]] double rms_displacement(int node) const;
  [[nodiscard]] double rms_acceleration(int node) const;
};

/// Names of what the nodes belong to, in the order of the nodes, each once; and the index of each node's.
struct NodeOrigins {
  std::vector<std::string> names;
  std::vector<int> of_node;
};
[[nodiscard]] NodeOrigins origins_of(const Assembly& assembly);

/// All random cases among some loads. RMS by the covariance; PSDs at the profile's points, at twelve frequencies an
/// octave and at nine points around each resonance.
[[nodiscard]] std::vector<MotionField> survey_motion(const Assembly& assembly, const Channels& channels,
                                                     const CaseResponses& loads, int threads);

}  // namespace avrenk
