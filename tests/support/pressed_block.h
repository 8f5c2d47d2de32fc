/// A plan with a contact and a preload, for tests of all rooms.
#pragma once

#include <string>

namespace avrenk::test {

/// A bar on a bench whose head warmth and force press on a stop, all along z, so that it can be worked out by hand.
inline std::string pressed_block() {
  return R"(
materials: {steel: {E: 200 GPa, nu: 0.3, density: 7850 kg/m^3, expansion: 12e-6 1/K}}
parts:
  bar: {line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 100 mm], divisions: 2}, section: {rod: {diameter: 10 mm}}, material: steel}
places:
  foot: {part: bar, plane: {z: 0 mm}}
  head: {part: bar, plane: {z: 100 mm}}
  roof: {points: [0 mm, 0 mm, 100 mm]}
base:
  bench: {feet: [{place: foot}, {place: roof}]}
joints:
  stop: {spring: {from: head, to: roof, each: {z: 50 kN/mm}, gap: {toward: z, width: 0.01 mm}}}
loads:
  push: {force: {at: head, direction: z}}
  warm: {temperature: {of: bar}}
modes: {count: 4, about: set}
damping: {otherwise: 2 %}
watch:
  head: {at: head, quantities: [relative displacement]}
  bar:  {part: bar, quantities: [axial force]}
  stop: {joint: stop, quantities: [force]}
profiles:
  sweep: {sine: {acceleration: [[100 Hz, 1 g], [2000 Hz, 1 g]]}}
environments:
  set:  {static: {loads: {warm: 20 K, push: 2 kN}}}
  more: {static: {loads: {push: 100 N}}}
  sine: {profile: sweep, axes: z}
)";
}

}  // namespace avrenk::test
