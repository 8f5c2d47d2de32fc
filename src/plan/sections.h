/// plan/sections.h: the sections of a plan, each read by its own file, in the order in which they build on one another.
#pragma once

#include "plan/plan.h"
#include "plan/reader.h"

namespace avrenk {

/// What the sections hand on to one another.
struct Reading {
  Plan& plan;
  Problems& problems;
  Declared<int> materials{"material"};
  Declared<int> parts{"part"};
  Declared<std::vector<int>> places{"place"};  ///< nodes; masses that have a node of their own are places too
  Declared<std::vector<int>> joints{"joint"};  ///< springs, as indices; empty for rigid links
  Declared<Profile> profiles{"profile"};
  Declared<double> levels{"level"};  ///< dB
  Declared<double> factors{"factor"};
  Declared<int> environments{"environment"};  ///< index
};

void read_show(const Tree& section, Reading& reading);
void read_materials(const Tree& section, Reading& reading);
void read_parts(const Tree& section, Reading& reading);
void read_places(const Tree& section, Reading& reading);
void read_masses(const Tree& section, Reading& reading);
void read_base(const Tree& section, Reading& reading);
void read_joints(const Tree& section, Reading& reading);
void read_modes(const Tree& section, Reading& reading);
void read_damping(const Tree& section, Reading& reading);
void read_watch(const Tree& section, Reading& reading);
void read_profiles(const Tree& section, Reading& reading);
void read_levels(const Tree& section, Reading& reading);
void read_environments(const Tree& section, Reading& reading);
void read_factors(const Tree& section, Reading& reading);
void read_limits(const Tree& section, Reading& reading);

}  // namespace avrenk
