/// core/system/geometric.h: K_σ, what the forces of a static state add to the stiffness of small motions about it
/// (docs/theory.md, "Preload").
#pragma once

#include "core/system/system.h"

namespace avrenk {

/// K_σ of all elements in the state that some motions strain: of beams by their mean axial force, of shells by their
/// membrane forces, of solids by their stress; and of the rigid arms of springs, beam ends, rigid links and bodies by
/// the forces at their ends. Loads keep their direction. Of averages and attachments, and of bending moments of beams
/// and shells, there is none.
/// @param motions  of every node, 6 N x 1
/// @param acting   all that made them so, in one column: its forces act on rigid arms, and its free shapes strain
/// nothing
/// @param threads  0: one a processor
[[nodiscard]] Partitioned geometric_stiffness(const Assembly& assembly, const Eigen::VectorXd& motions,
                                              const LoadColumn& acting, int threads = 0);

/// Puts K_σ into a system: see System::geometric.
/// @param grounded  whether something holds the model besides its bases, without K_σ
void stiffen(System& system, Partitioned geometric, bool grounded);

}  // namespace avrenk
