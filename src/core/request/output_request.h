/// core/request/output_request.h: what is watched: a quantity and where.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/algebra.h"
#include "core/quantity/quantity.h"
#include "core/request/stress_quantity.h"

namespace avrenk {

class Channels;      // core/response/channels.h
struct WatchedItem;  // core/response/output.h

/// What a quantity belongs to.
enum class Subject { node, pair, spring, joint, part, base, foot };

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

/// "x", "y", "z", "magnitude", those that it has; "" of a single number.
[[nodiscard]] std::vector<std::string> components_of(const OutputQuantity& quantity);

/// What one component of a request is called: "tip.acceleration.z"; "tip.acceleration" of the magnitude.
[[nodiscard]] std::string output_name(const OutputRequest& request, const std::string& component);
/// All names that `watch` will make, without the modes: for checking a plan.
[[nodiscard]] std::vector<std::string> watched_names(const std::vector<OutputRequest>& requests);
/// The request that makes a name; nullptr if none does.
[[nodiscard]] const OutputRequest* find_request(const std::vector<OutputRequest>& requests, std::string_view name);
/// Whether a name of a request is the length of its vector.
[[nodiscard]] bool is_length(const OutputRequest& request, std::string_view name);

}  // namespace avrenk
