/// core/system/mechanism.h: what of a model moves without strain, in words.
#pragma once

#include "core/system/system.h"

namespace avrenk {

/// What nothing joins to anything that is held: one problem for each such group of parts, with the joint that is likely
/// missing. Needs no equations.
[[nodiscard]] std::vector<Problem> loose_groups(const Assembly& assembly);

/// Motions that strain nothing in words: what moves, how, and what could hold it.
/// @param motions  n_f x k: a basis of them, in any mixture
[[nodiscard]] std::vector<Problem> describe_motions(const Assembly& assembly, const System& system,
                                                    const Eigen::MatrixXd& motions);

}  // namespace avrenk
