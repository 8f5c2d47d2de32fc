/// core/response/stress.h: stress of shells and solids at their nodes, as rows on any motions of the model.
#pragma once

#include "core/element/kinds.h"
#include "core/request/stress_quantity.h"
#include "core/response/motion_rows.h"

namespace avrenk {

/// Where stress is given: a node of one part; of shells on one side of a fold. Neighbours of the same part that belong
/// to it are averaged, nothing else is.
struct StressStation {
  int node = 0, part = 0;
  bool shell = false;
  /// Rows, global: of a shell the directions of xx and yy and the normal (x is along the projection of the material's
  /// x, or of global x, or of global y where the normal is within 26° of x); of a solid the global axes.
  Matrix3 axes = Matrix3::Identity();
};

/// All places of stress of a model, part by part, and the elements that give it there.
class StressStations {
 public:
  /// Shells whose normals differ by less than 30° at a node share a station.
  explicit StressStations(const Assembly& assembly);

  [[nodiscard]] const std::vector<StressStation>& all() const { return stations_; }
  [[nodiscard]] std::size_t size() const { return stations_.size(); }
  /// Stations of one part: from the first to before the second.
  [[nodiscard]] std::pair<std::size_t, std::size_t> of_part(int part) const {
    return {part_begin_[static_cast<std::size_t>(part)], part_begin_[static_cast<std::size_t>(part) + 1]};
  }
  /// Index of the station of node `local` of an element.
  [[nodiscard]] int of(std::size_t group, std::size_t element, std::size_t local) const {
    const auto n = static_cast<std::size_t>(assembly_.groups[group].kind->nodes);
    return station_of_[group][element * n + local];
  }

  /// Rows of stress of some stations on the columns of the motions, 6 n x k, Pa: xx yy zz xy yz zx of a solid; xx yy xy
  /// at the bottom, then at the top, of a shell. `bottom` is the side that the normal points away from. The mean over
  /// the elements that meet there. By component: row c · n + s is component c of the s-th of them. Stations that lie
  /// near one another come cheap together.
  enum class Order { by_station, by_component };
  [[nodiscard]] Eigen::MatrixXd rows(std::span<const int> stations, const MotionRows& motions,
                                     Order order = Order::by_station) const;
  /// The same of every element that meets at one station by itself: what it would be without its neighbours.
  [[nodiscard]] std::vector<Eigen::MatrixXd> rows_by_element(std::size_t station, const MotionRows& motions) const;

 private:
  struct Part {  // of an element in a station
    std::size_t group, element, local;
    bool turned;  // its normal points the other way
  };
  // Stress of free motions, which is none: what motions strain less than they seem to.
  [[nodiscard]] Vector6 of_free_shape(const Part& part, const StressStation& station, const LoadColumn& column) const;
  [[nodiscard]] Vector6 of_free_shape(std::size_t station, const LoadColumn& column) const;
  // Adds a part of the 6 x k of one node of an element, in the axes of its station.
  void add_in_station_axes(const Part& part, const StressStation& station, const Eigen::MatrixXd& element_rows,
                           double factor, Eigen::Ref<Eigen::MatrixXd, 0, Eigen::OuterStride<>> sum) const;
  // Stress at the nodes of an element, 6 rows each, on the motions of its nodes, those that its kind has.
  [[nodiscard]] Eigen::MatrixXd element_rows(std::size_t group, std::size_t element) const;

  const Assembly& assembly_;
  std::vector<ElementBlock> blocks_;  // of each group
  std::vector<StressStation> stations_;
  std::vector<std::size_t> part_begin_;
  std::vector<std::vector<int>> station_of_;  // for each group: of every node of every element
  std::vector<std::size_t> begin_;            // of each station in parts_
  std::vector<Part> parts_;
};

/// Levels through a shell's thickness; a solid has one.
inline constexpr std::array<std::string_view, 3> shell_levels{"bottom", "middle", "top"};
[[nodiscard]] inline int levels_of(const StressStation& station) { return station.shell ? 3 : 1; }

/// "deck node 12 (0, 0, 180) mm, top": of a solid without a level.
[[nodiscard]] std::string place_in_words(const Assembly& assembly, const StressStation& station, int level);

/// Rows V, 5 x 6 (3 x 6 of a shell, for one level), with |V σ|² = von Mises stress squared of the six rows of a
/// station.
[[nodiscard]] Eigen::MatrixXd von_mises_rows(const StressStation& station, int level);

/// Rows V on the six rows of a station at one level: |V σ|² is the quantity squared; of all but von Mises V is one row
/// and V σ the stress with its sign.
/// @param direction  global unit vector n of the normal stress nᵀσn; only principal stress needs it
[[nodiscard]] Eigen::MatrixXd quantity_rows(const StressStation& station, int level, StressQuantity quantity,
                                            const Vector3& direction = Vector3::Zero());

/// Von Mises stress of every station under some motions (6 N x k), of a shell the highest of its levels: stations x k,
/// Pa.
/// @param threads  0: one a processor
[[nodiscard]] Eigen::MatrixXd highest_von_mises(const StressStations& stations, const Eigen::MatrixXd& motions,
                                                int threads = 0);

/// The stress tensor in global axes at one level, from the six values of a station.
[[nodiscard]] Matrix3 stress_tensor(const StressStation& station, int level, const Vector6& values);

}  // namespace avrenk
