/// results/turning_views.h: which ways to look at the model a finished analysis gets in its scene.
#pragma once

#include "analysis/analysis.h"
#include "figures/turning_model.h"

namespace avrenk {

/// The model as built; so many modes, those that carry most; of each case of sines the shape at its strongest peak
/// and those asked for, of random ones the motion of every node, and the stress of all.
/// @param most_others  shapes beside those of the modes, from which a page makes the motion at any frequency of a case
[[nodiscard]] GlbModel turning_model_of(const Analysis& analysis, std::size_t most, std::size_t most_others = 0);

/// The same as a file for the page, with fewer modes the more vertices there are; empty where the model alone would
/// make the page too large.
[[nodiscard]] std::string turning_model_for_page(const Analysis& analysis);

/// What the page needs to draw the curve of a node chosen in the scene: of all nodes of a small model, of so many
/// spread over a larger one, with those that are watched. Empty: no case has any.
[[nodiscard]] std::string node_curves_for_page(const Analysis& analysis);

}  // namespace avrenk
