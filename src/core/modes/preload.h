/// core/modes/preload.h: the static state that modes are taken about (docs/theory.md, "Preload").
#pragma once

#include "core/modes/mode_content.h"
#include "core/system/geometric.h"

namespace avrenk {

/// A static state, and how far it is from buckling.
struct Preload {
  ModalBasis at_rest;             ///< answers static cases without K_σ: no modes, static shapes alone
  double load_factor = HUGE_VAL;  ///< lowest λ > 0 with (K + λK_σ)φ = 0; infinite: there is none
  Eigen::VectorXd shape;          ///< φ, n_f, the largest translation 1; empty: there is none
  std::string buckles;            ///< "mast bends in x": what moves most in that shape
};

/// Frequencies under a part of a state.
struct PreloadLevel {
  double level = 1;           ///< 1: that state
  Eigen::VectorXd frequency;  ///< Hz, of the lowest modes
};
/// Each level by itself. @param system  about the state
/// @throws InputError  it buckles before one of them
[[nodiscard]] std::vector<PreloadLevel> modes_at_levels(const System& system, const std::vector<double>& levels,
                                                        int count, int threads = 0, const Progress& progress = {});

/// Solves K u₀ = f₀ for some of the model's loads and a field of acceleration, and puts K_σ of that state into the
/// system. One factorisation of K; the load factor by Lanczos' iteration with K⁻¹K_σ in the metric of K, to 1e-9.
/// @param loads      amounts, one a load column
/// @param displaced  motions of the bases, n_b: m, rad
/// @throws InputError  a mechanism
[[nodiscard]] Preload apply_preload(const Assembly& assembly, System& system, const Eigen::VectorXd& loads,
                                    const Eigen::VectorXd& displaced, const Vector3& acceleration, bool feet,
                                    int threads = 0, const Progress& progress = {});

}  // namespace avrenk
