/// core/model/load.h: loads on the model as plain values: what acts on nodes and beams per unit of what drives them.
#pragma once

#include <complex>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/algebra.h"
#include "core/quantity/quantity.h"

namespace avrenk {

/// Forces and moments in global axes that grow and fall together. SI per unit of the load.
struct LoadColumn {
  std::map<int, Vector6> on_nodes{};  ///< N, N m
  std::map<int, Vector3> on_beams{};  ///< N/m along the centroids of a beam
  /// m/s²: an acceleration of all mass as gravity is one; the force is the mass matrix times it.
  std::optional<Vector3> field{};
  /// What elements would do if nothing held them (see free_motions): K that a part is warmer, and the travel, in a
  /// spring's own axes, at which it would carry nothing, m and rad. It strains nothing that is free to follow.
  std::map<int, double> warmer{};
  std::map<int, Vector6> unstressed_at{};
  [[nodiscard]] bool is_internal() const { return !warmer.empty() || !unstressed_at.empty(); }
};

/// A face that a pressure acts on.
struct PressedFace {
  Vector3 centre;                               ///< m, mean of its corners
  double area = 0;                              ///< m²
  double diameter = 0;                          ///< m: its farthest corners
  std::vector<std::pair<int, Vector3>> forces;  ///< N on its nodes per Pa
};

/// What the plan declares under loads. Σ factor · column is what acts.
struct Load {
  std::string name;
  const Kind* kind = &kind::force;  ///< of its amount
  std::vector<LoadColumn> columns;
  std::vector<std::complex<double>> factors;
  /// Out of balance it drives itself: this amount times ω²; else a profile says how large it is.
  std::optional<double> unbalance{};  ///< kg m
  std::string words{};                ///< "force along z at pump-seat": for tables
  std::vector<PressedFace> faces{};   ///< of a pressure
  /// The patterns in which a pressure field acts, made from the modes: nobody declared it.
  bool is_pattern = false;
  /// What bolts and gaps put on the model in one static environment, found when its equilibrium is, or its
  /// acceleration: nobody declared it.
  bool is_settled = false;
  /// Of springs that follow a law: a column for each of their axes, unstressed at a travel of 1. What it takes for a
  /// spring to be another than its stiffness says is found with the response: see SpringVariation.
  bool is_of_springs = false;
  [[nodiscard]] bool is_declared() const { return !is_pattern && !is_settled && !is_of_springs; }
};

/// Calls `take(load, column, index)` for every column of all loads, in the order in which a system has them.
template <typename Take>
void for_each_column(const std::vector<Load>& loads, const Take& take) {
  int index = 0;
  for (const Load& load : loads)
    for (const LoadColumn& column : load.columns) take(load, column, index++);
}

/// Index of the first column of each load among those of all loads, and at the end how many there are.
[[nodiscard]] inline std::vector<int> first_columns(const std::vector<Load>& loads) {
  std::vector<int> first{0};
  for (const Load& load : loads) first.push_back(first.back() + static_cast<int>(load.columns.size()));
  return first;
}

}  // namespace avrenk
