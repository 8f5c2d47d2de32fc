/// core/request/equipment_request.h: responses that become specifications.
#pragma once

#include <string>
#include <vector>

namespace avrenk {

/// What the plan declares under equipment levels.
struct EquipmentRequest {
  std::string name;
  std::string of;                         ///< "box.acceleration.z": what is watched
  std::vector<std::string> environments;  ///< names, as of limits: "random", "random.z"
  double margin = 0;                      ///< dB
  double octaves = 0;                     ///< width of the bands over which a PSD is averaged; 0: it is not
  int points = 8;                         ///< of the envelope, at most
};

}  // namespace avrenk
