/// analysis/springs.h: springs that depend on frequency and amplitude, in the groups that answer cases.
#pragma once

#include "analysis/analysis.h"
#include "files/spring_tables.h"

namespace avrenk {

/// Makes the springs that are not what the matrices hold a part of a damping: those that follow tables, at the smallest
/// amplitude, and those of the plan's variant.
void take_springs(const Plan& plan, const System& system, const ModalBasis& basis, ModalDamping& damping);

/// Natural frequency of a mode, from 0, Hz: with springs as they are at it, where there are such.
[[nodiscard]] double natural_frequency(const Analysis& analysis, int mode);

/// Gives each case that vibrates a group of its own, with the springs as its amplitudes make them, where there are
/// springs that depend on it. @pre the groups have their basis and damping
void part_by_amplitude(Analysis& analysis, const Progress& progress);

/// The modes with them and with variants, and what they are: every one in each case, or the one that moves farthest.
[[nodiscard]] std::vector<Table> spring_tables_of(const Analysis& analysis, bool farthest_only);

/// Margins with variants, that have any.
[[nodiscard]] std::vector<NamedMargins> margins_of_variants(const Analysis& analysis);

/// What is said of them: convergence, jumps, sweeps that are not slow.
void speak_of_springs(Analysis& analysis);

}  // namespace avrenk
