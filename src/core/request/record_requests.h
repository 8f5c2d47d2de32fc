/// core/request/record_requests.h: records in time and cross spectra that are wanted of random cases.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace avrenk {

/// What the plan declares under histories.
struct HistoryRequest {
  std::string name;
  std::string in;               ///< "random.z": the case
  std::vector<std::string> of;  ///< names of what is watched
  double duration = 0;          ///< s
  double rate = 0;              ///< samples a second; 0: samples_per_cycle times the highest frequency
  std::uint64_t seed = 1;
  bool hdf5 = false;  ///< written so, else as CSV
};
inline constexpr double samples_per_cycle = 10, fewest_samples_per_cycle = 5;
/// Samples times columns that a record may have.
inline constexpr double most_history_values = 2e8;

/// What the plan declares under cross spectra.
struct CrossRequest {
  std::string name;
  std::array<std::string, 2> of;  ///< names of what is watched, single numbers: components, not magnitudes
  std::string in;                 ///< "random.z": the case
};

}  // namespace avrenk
