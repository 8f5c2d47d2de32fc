// Surfaces that press on one another: gaps as drawn, areas, forces under a pressure.
#include "core/mesh/pressed_pairs.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/load/applied.h"
#include "core/mesh/select.h"
#include "core/mesh/shapes.h"
#include "core/system/contact_equilibrium.h"
#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::VectorXd;
using test::shell_part;
using test::solid_part;

// Two parts of one material, the first held, the second put on it.
Assembly stacked(const Mesh& below, const Mesh& above, const Part& first, const Part& second,
                 const Placement& placement = {}) {
  Assembly model = test::part_of(below, first);
  model.parts[0].name = "below";
  Part part = second;
  part.name = "above";
  model.parts.push_back(part);
  add_mesh(model, 1, above, {placement});
  return model;
}

PressedPairs press(Assembly& model, double within, std::optional<double> gap = 0.0) {
  ContactSurfaces request;
  request.joint = "seat";
  request.nodes = nodes_of_part(model, "above");
  request.pressing = "above";
  request.to = {0};
  request.within = within;
  request.gap = gap;
  return add_contact(model, surface_of(model), request);
}

Mesh shifted(Mesh mesh, const Vector3& by) {
  for (Vector3& point : mesh.points) point += by;
  return mesh;
}

// A block on a block under a pressure: all contacts are closed, and press with the pressure times their area; what
// opens under a pull is all of it. The state is that of a bar, whether the meshes match or not.
TEST(PressedBlocks, PassAPressureOn) {
  const Vector3 size(0.06, 0.04, 0.03);
  const double pressure = 2e6, area = size.x() * size.y();
  for (const bool quadratic : {false, true})
    for (const int divisions : {2, 3}) {  // of the upper block; 2 of the lower
      const auto box = [&](int n) { return mesh_shape(Box{size}, {true, quadratic, 0, 1}, {std::nullopt, {n, n, 2}}); };
      Assembly model =
          stacked(box(2), shifted(box(divisions), Vector3(0, 0, size.z())), solid_part("below"), solid_part("above"));
      for (Material& material : model.materials) material.poissons_ratio = 0;
      test::hold(model, [&](const Vector3& x) { return x.z() < 1e-9; });
      const PressedPairs pairs = press(model, 1e-4);
      EXPECT_NEAR(pairs.area / area, 1, 1e-12);
      // Held sideways by weak springs, as friction would.
      for (const int node :
           nodes_in_plane(model, nodes_of_part(model, "above"), Vector3(0, 0, 2 * size.z()), Vector3::UnitZ(), 1e-9)) {
        Spring side;
        side.joint = "side";
        side.nodes = {node, -1};
        side.point = model.position(node);
        side.stiffness << 1e3, 1e3, 0, 0, 0, 0;
        model.springs.push_back(side);
      }
      const Surface surface = surface_of(model);
      std::vector<const Surface::Face*> top = faces_within(
          surface,
          nodes_in_plane(model, nodes_of_part(model, "above"), Vector3(0, 0, 2 * size.z()), Vector3::UnitZ(), 1e-9));
      Load load;
      load.name = "lid";
      load.columns = {uniform_pressure(pressed_faces(model, "lid", top, {}))};
      load.factors = {1};
      model.loads = {load};
      const System system = make_system(model);
      const Factorisation factor = factorise_stiffness(model, system);
      RestRequest request;
      request.force = pressure * VectorXd(system.loads.col(0));
      request.displaced = VectorXd::Zero(6);
      const StaticContactState state = find_contact_equilibrium(model, system, factor, request);
      double sum = 0;
      for (const ContactAtRest& contact : state.contacts) {
        EXPECT_TRUE(contact.closed);
        sum += contact.pressing;
        const double own =
            model.springs[static_cast<std::size_t>(contact.spring)].stiffness[2] / pairs.least_stiffness;  // its area
        EXPECT_NEAR(contact.pressing / (pressure * own), 1, 1e-7) << quadratic << divisions;
      }
      EXPECT_NEAR(sum / (pressure * area), 1, 1e-7);
      // p (2 L/E + 1/k) of the top, with no lateral strain.
      const VectorXd moved = system.motions(factor.solve(request.force));
      const double due = pressure * (2 * size.z() / 71e9 + 1 / pairs.least_stiffness);
      EXPECT_NEAR(-moved[6 * top[0]->nodes[0] + 2] / due, 1, 1e-7);
      request.force *= -1;
      EXPECT_THROW((void)find_contact_equilibrium(model, system, factor, request), InputError);
    }
}

// Plates of a thickness, drawn apart and turned: the gap is what lies between their surfaces, and the spring runs from
// what carries to what presses.
TEST(PressedPlates, KnowTheGapThatIsDrawn) {
  const Matrix3 turn = Eigen::AngleAxisd(0.8, Vector3(1, -2, 0.5).normalized()).toRotationMatrix();
  const Mesh wide = mesh_shape(Plate{0.2, 0.2}, {false, false, 4e-3, 1}, {std::nullopt, {8, 8}}),
             small = mesh_shape(Plate{0.1, 0.1}, {false, false, 2e-3, 1}, {std::nullopt, {3, 3}});
  for (const double side : {1.0, -1.0})
    for (const double offset : {0.0, 1e-3}) {
      const double apart = 5e-3;
      Assembly model = test::part_of(wide, shell_part("below", 4e-3), test::alloy(), {{turn, Vector3(0.1, 0, 0)}});
      model.parts[0].offset = offset;
      model.parts.push_back(shell_part("above", 2e-3));
      add_mesh(model, 1, small, {{turn, Vector3(0.1, 0, 0) + turn * Vector3(0, 0, side * apart)}});
      const std::size_t before = model.springs.size();
      const PressedPairs pairs = press(model, 5e-3, std::nullopt);
      EXPECT_EQ(pairs.count, 16);
      EXPECT_NEAR(pairs.area, 0.01, 1e-12);
      for (std::size_t k = before; k < model.springs.size(); ++k) {
        const Spring& spring = model.springs[k];
        EXPECT_NEAR(spring.unilateral->gap, apart - side * offset - 3e-3, 1e-12);
        EXPECT_NEAR(spring.axes.row(2).dot(turn.col(2)), side, 1e-9);
        // Its point is where the surface of the plate that presses is.
        EXPECT_NEAR((spring.point - Vector3(0.1, 0, 0)).dot(side * turn.col(2)), apart - 1e-3, 1e-12);
      }
    }
}

}  // namespace
}  // namespace avrenk
