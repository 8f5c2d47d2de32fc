/// core/model/part.h: elements of one material by name.
#pragma once

#include <optional>
#include <string>

#include "core/element/section.h"

namespace avrenk {

/// Elements of one material: lines with a section, shells of one thickness, or solids.
struct Part {
  enum class Form { line, shell, solid, component };
  std::string name;
  int material = 0;
  BeamSection section{};            ///< of lines, unless tapered
  double extra_mass = 0;            ///< kg/m of lines, kg/m² of shells: it carries no load
  double mass_factor = 1;           ///< on density and extra mass: gives the part the mass that was weighed
  std::optional<double> weighed{};  ///< kg: what the real part weighs
  std::string mesh_file{};          ///< that its elements come from, as the user calls it; empty: none
  Form form = Form::line;
  double thickness = 0;  ///< of shells, m
  double offset = 0;     ///< of shells: from the nodes to the middle surface along the normal, m
};

}  // namespace avrenk
