/// core/response/output.h: what the user asked to see: a quantity at a place, between two places, of a joint, a part
/// or a base, by component.
#pragma once

#include <memory>

#include "core/quantity/quantity.h"
#include "core/request/output_request.h"
#include "core/response/candidates.h"

namespace avrenk {

class StressStations;  // core/response/stress.h
struct Assembly;       // core/model/assembly.h
struct JointSide;      // core/response/joint_force.h

/// One place of a request, ready for the maker of its quantity.
struct WatchedItem {
  int index = 0;                      ///< node, spring, foot or base
  std::array<int, 2> pair{};          ///< nodes of two places
  Vector3 towards = Vector3::Zero();  ///< of a pair: along the line; of feet and bases: the point of moments
  const JointSide* side = nullptr;    ///< of a joint without stiffness of its own
};

/// One number as a function of frequency; where several nodes or elements make one place, each is a candidate and the
/// worst is reported by name.
struct Output {
  std::string name;       ///< "tip.acceleration.z"; "tip.acceleration" for the magnitude
  std::string entry;      ///< "tip"
  std::string component;  ///< "x", "y", "z", "magnitude", or empty
  const OutputQuantity* quantity = nullptr;
  std::shared_ptr<const Candidates> candidates;
  int first = 0, count = 1;    ///< rows of a candidate that make this number
  std::vector<double> gaps{};  ///< m, of each candidate of a clearance
  [[nodiscard]] bool is_magnitude() const { return component == "magnitude"; }
  /// A magnitude, a single number or what has no magnitude; components are details of it.
  [[nodiscard]] bool is_headline() const { return is_magnitude() || !quantity->vector || quantity->is_reciprocal; }
  /// Neither a component nor a signed number: its distribution is not Gaussian.
  [[nodiscard]] bool is_gaussian() const { return count == 1; }
  [[nodiscard]] Measure measure(std::size_t candidate) const;
};

struct StressSurvey;

/// Where stress of shells and solids is looked for: of all their nodes, those that a survey of the same environments
/// found to be the worst are candidates.
struct StressSource {
  const StressStations* stations = nullptr;
  const StressSurvey* survey = nullptr;
};

/// @throws InputError  a stress is asked for of a section without points, between nodes at one spot without a line, or
/// the rotation of a node that has none
[[nodiscard]] std::vector<Output> watch(const Assembly& assembly, const Channels& channels,
                                        const std::vector<OutputRequest>& requests, const StressSource& stress = {});

/// By its name; nullptr if none.
[[nodiscard]] const Output* find_output(const std::vector<Output>& all, std::string_view name);

/// The narrowest gap of a request between two places before anything moves, m; infinite where no line joins them.
[[nodiscard]] double smallest_gap(const Assembly& assembly, const OutputRequest& request);

}  // namespace avrenk
