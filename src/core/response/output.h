/// core/response/output.h: what the user asked to see: a quantity at a place, between two places, of a joint, a part
/// or a base, by component.
#pragma once

#include <memory>

#include "core/quantity/quantity.h"
#include "core/response/candidates.h"
#include "core/response/channels.h"
#include "core/response/joint_force.h"
#include "core/response/stress.h"

namespace avrenk {

/// What a quantity belongs to.
enum class Subject { node, pair, spring, joint, part, base, foot };

/// One place of a request, ready for the maker of its quantity.
struct WatchedItem {
  int index = 0;                      ///< node, spring, foot or base
  std::array<int, 2> pair{};          ///< nodes of two places
  Vector3 towards = Vector3::Zero();  ///< of a pair: along the line; of feet and bases: the point of moments
  const JointSide* side = nullptr;    ///< of a joint without stiffness of its own
};

/// One quantity that can be watched; the table of output_quantities() is the only list, and holds what makes each.
struct OutputQuantity {
  /// Rows in the axes of the subject.
  using Rows = Eigen::MatrixXcd (*)(const Channels& channels, const WatchedItem& item);
  /// Rows of a stress on the six section forces, from those of axial, bending and shear stress at a point of a section.
  using Stress = Eigen::MatrixXd (*)(const Eigen::Matrix<double, 3, 6>& at_point);

  std::string_view keyword;      ///< what the plan calls it
  std::string_view description;  ///< its full name in tables and on axes
  Subject subject;
  const Kind* kind;
  bool vector;                               ///< components and magnitude; else a single number
  const Kind* per = nullptr;                 ///< a ratio to the input, which is of this kind; only sine has it
  bool positive = false;                     ///< a magnitude by itself: von Mises
  Rows rows = nullptr;                       ///< of all but parts
  std::array<int, 2> section_forces{0, 6};   ///< of parts of lines: which of N Vy Vz T My Mz, the first and how many
  Stress stress = nullptr;                   ///< of parts of lines: the stress that it is
  bool needs_shear = false;                  ///< a stress that shear and torsion belong to
  bool same_everywhere = false;              ///< a stress that does not depend on the point of the section
  std::optional<StressQuantity> of_nodes{};  ///< of parts of shells and solids: the stress that it is
  /// A ratio turned over, the input over what its rows make, component by component: the smallest counts.
  bool is_reciprocal = false;
  [[nodiscard]] bool of_lines() const { return subject == Subject::part && section_forces[1] > 0; }
  [[nodiscard]] bool per_input() const { return per != nullptr; }
  /// Whether it means something under an input of a kind: a ratio to an acceleration under base motion alone.
  [[nodiscard]] bool has_meaning(const Kind* input) const;
};
[[nodiscard]] std::span<const OutputQuantity> output_quantities();

/// One line of the plan's `watch`: a quantity and where.
struct OutputRequest {
  std::string name;  ///< the user's
  const OutputQuantity* quantity = nullptr;
  std::vector<int> items;              ///< nodes, springs, beams, feet, or one base
  Vector3 about = Vector3::Zero();     ///< for moments of a base
  Matrix3 axes = Matrix3::Identity();  ///< rows: the axes of the components, for nodes, bases and feet
  // Between two places: pairs of nodes, the second's motion less the first's along a line.
  std::vector<std::array<int, 2>> pairs{};
  std::optional<Vector3> along{};  ///< absent: the line that joins the nodes
  std::optional<double> gap{};     ///< m; absent: their distance along the line
  std::vector<int> parts{};        ///< of shells and solids, whose elements are not among the items
  std::string joint{};             ///< one without stiffness of its own
  /// Of parts: the nodes at which stress and section forces are looked at; empty: everywhere. @pre a survey of stress
  /// that goes with it looked there alone
  std::vector<int> stress_at{};
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

/// "x", "y", "z", "magnitude", those that it has; "" of a single number.
[[nodiscard]] std::vector<std::string> components_of(const OutputQuantity& quantity);

/// By its name; nullptr if none.
[[nodiscard]] const Output* find_output(const std::vector<Output>& all, std::string_view name);

/// The narrowest gap of a request between two places before anything moves, m; infinite where no line joins them.
[[nodiscard]] double smallest_gap(const Assembly& assembly, const OutputRequest& request);

/// All names that `watch` will make, without the modes: for checking a plan.
[[nodiscard]] std::vector<std::string> watched_names(const std::vector<OutputRequest>& requests);
/// The request that makes a name; nullptr if none does.
[[nodiscard]] const OutputRequest* find_request(const std::vector<OutputRequest>& requests, std::string_view name);
/// Whether a name of a request is the length of its vector.
[[nodiscard]] bool is_length(const OutputRequest& request, std::string_view name);

}  // namespace avrenk
