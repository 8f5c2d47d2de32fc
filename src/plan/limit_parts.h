/// plan/limit_parts.h: limits, one reader a kind.
#pragma once

#include "plan/sections.h"

namespace avrenk {

/// frequency, mass, life, damage and interaction: what they are of, and the bound.
void read_frequency_limit(MapReader& map, Limit& limit);
void read_mass_limit(MapReader& map, Limit& limit, Reading& reading);
void read_life_limit(MapReader& map, bool of_damage, Limit& limit, Reading& reading);
void read_interaction(MapReader& map, Limit& limit, Reading& reading);
/// The limits that interactions name, once all are read.
void check_interactions(const Tree& section, Reading& reading);

/// A watched quantity in some environments. @param of  its name
void read_response_limit(MapReader& map, const Tree& of, Limit& limit, Reading& reading);

/// What a watched quantity may be: a number, a strength of its material, a buckling load, or what is left of a gap.
void read_allowable(MapReader& map, const OutputRequest& request, Limit& limit, Reading& reading);
/// What its PSD may be: the same everywhere, a table, one in a file, or a force limit.
void read_allowed_psd(const Tree& tree, const OutputRequest& request, Limit& limit, Reading& reading);

}  // namespace avrenk
