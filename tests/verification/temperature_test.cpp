// What a change of temperature does to a model, against closed forms.
#include <gtest/gtest.h>

#include <cmath>

#include "core/mesh/mesh.h"
#include "core/mesh/point_merger.h"
#include "core/mesh/shapes.h"
#include "core/modes/preload.h"
#include "support/checked.h"
#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::KnownProblem;
using test::shell_part;
using test::solid_part;

constexpr double expansion = 23e-6, warmth = 40;  // 1/K, K

Material warm_alloy() {
  Material material = test::alloy();
  material.expansion = Vector3::Constant(expansion);
  return material;
}

Load warming(const std::vector<int>& parts) {
  Load load;
  load.name = "soak";
  load.kind = &kind::temperature;
  load.columns.emplace_back();
  for (const int part : parts) load.columns[0].warmer[part] = 1;
  load.factors = {1};
  return load;
}

// A model answered at rest under its loads, each times an amount; modes leave nothing out of that.
class AtWarmth {
 public:
  AtWarmth(Assembly model, const Eigen::VectorXd& amounts) : solved_(std::move(model), test::count(1), {}) {
    const StateLayout layout = layout_of(solved_.basis);
    z_ = Eigen::VectorXd::Zero(layout.size());
    z_.segment(layout.modal(0), layout.modes) =
        (solved_.basis.load_participation * amounts).cwiseQuotient(solved_.basis.stiffness());
    z_.tail(layout.loads) = amounts;
  }
  [[nodiscard]] const Assembly& model() const { return solved_.assembly; }
  [[nodiscard]] Eigen::VectorXd of(const Eigen::MatrixXcd& rows) const { return rows.real() * z_; }
  [[nodiscard]] Vector3 moves(int node) const {
    return of(solved_.channels.motion(node, NodeMotion::relative_displacement));
  }
  [[nodiscard]] Eigen::VectorXd section_forces(int beam) const { return of(solved_.channels.beam_forces(beam)); }
  [[nodiscard]] Eigen::VectorXd spring(int index) const { return of(solved_.channels.spring_force(index)); }
  [[nodiscard]] Vector6 reaction() const { return of(solved_.channels.base_reaction(0, Vector3::Zero())); }
  // Six values of each station, in its axes.
  [[nodiscard]] Eigen::MatrixXd stress(const StressStations& stations) const {
    const Eigen::MatrixXd rows = stations.rows(test::all_of(stations), solved_.channels.strain_rows());
    return of(solved_.channels.from_strain(rows, std::nullopt)).reshaped(6, std::ssize(stations.all()));
  }

 private:
  test::Solved solved_;
  Eigen::VectorXd z_;
};
Eigen::VectorXd one(double amount) { return Eigen::VectorXd::Constant(1, amount); }

// Rods in a row along a slanting line, each of a length, area and expansion, clamped at both ends but for a spring.
TEST(WarmBars, PressByWhatTheyCannotExpand) {
  // N = −ΔT Σ α_i L_i / (Σ L_i/EA_i + 1/k): bars and spring in series.
  const Vector3 along = Vector3(2, -1, 2) / 3;
  Assembly model;
  Material alloy = warm_alloy(), steel{"steel", 210e9, 0.3, 7850, std::nullopt};
  steel.expansion = Vector3::Constant(12e-6);
  model.materials = {alloy, steel};
  model.parts = {{"thick", 0, rod_section(0.02, 0.33)}, {"thin", 1, rod_section(0.01, 0.3)}};
  const double lengths[] = {0.3, 0.2}, stiffness = 4e7;
  test::add_node(model, Vector3(0.1, 0.2, 0.3), "bar");
  for (int part = 0; part < 2; ++part)
    for (int i = 0; i < 2; ++i) {
      const int before = static_cast<int>(model.nodes.size()) - 1;
      const int node = test::add_node(model, model.position(before) + 0.5 * lengths[part] * along, "bar");
      model.beams.push_back({{before, node}, part, {model.position(before), model.position(node), Vector3(0, 0, 1)}});
    }
  const int foot = test::add_node(model, model.position(4), "foot");
  Spring spring = test::stiff_spring(4, foot, stiffness, 1e3);
  spring.point = model.position(4);
  const Vector3 across = along.unitOrthogonal();
  spring.axes << across.transpose(), along.cross(across).transpose(), along.transpose();
  model.springs = {spring};
  model.bases = {{"fixture", {SupportNode{0}, SupportNode{foot}}, Vector3::Zero()}};
  model.loads = {warming({0, 1})};
  const double softness = lengths[0] / (71e9 * model.parts[0].section.area) +
                          lengths[1] / (210e9 * model.parts[1].section.area) + 1 / stiffness;
  const double force = -warmth * (expansion * lengths[0] + 12e-6 * lengths[1]) / softness;
  const AtWarmth bars(model, one(warmth));
  const KnownProblem known("two bars and a spring between walls, 40 K warmer", "springs in series by hand");
  for (const int beam : {0, 1, 2, 3})
    known.value(fmt::format("axial force, N, beam {}", beam), bars.section_forces(beam)[0], force, 1e-9);
  EXPECT_NEAR(bars.spring(0)[2] / force, 1, 1e-9);
  EXPECT_NEAR(bars.moves(4).dot(along) * stiffness / -force, 1, 1e-9);
  EXPECT_LT(bars.reaction().head<3>().norm(), 1e-9 * std::abs(force));  // the walls hold one another
  EXPECT_LT(bars.section_forces(1).tail<11>().segment<4>(1).norm(), 1e-6 * std::abs(force));
}

// Nothing that may expand feels a change of temperature: every element, in any direction, isotropic or not.
TEST(WarmBlocks, ExpandFreelyWithoutStress) {
  const Matrix3 turn = Eigen::AngleAxisd(0.7, Vector3(1, 2, -1).normalized()).toRotationMatrix();
  Material wood{"wood", 11e9, 0.35, 600, std::nullopt};
  wood.orthotropic = Orthotropic{Vector3(11e9, 0.9e9, 0.5e9), Vector3(0.35, 0.4, 0.3), Vector3(0.7e9, 0.05e9, 0.6e9)};
  wood.expansion = Vector3(4e-6, 30e-6, -9e-6);
  wood.axes = Eigen::AngleAxisd(-0.4, Vector3(0, 1, 1).normalized()).toRotationMatrix();
  const auto free_at_a_corner = [&](Assembly model, bool shells, const std::string& what) {
    model.loads = {warming({0})};
    // Six springs that hold a corner as if it were a wall.
    model.bases = {{"fixture", {}, Vector3::Zero()}};
    const int foot = test::add_node(model, model.position(0), "foot");
    model.bases[0].feet.push_back({foot});
    if (shells) {
      Spring spring = test::stiff_spring(foot, 0, 1e9);
      spring.point = model.position(0);
      model.springs.push_back(spring);
    } else {  // three translations at a corner, and single ones elsewhere that stop it from turning
      int far = 0, aside = 0;
      double longest = 0, widest = 0;
      const auto count = static_cast<int>(model.nodes.size()) - 1;
      for (int n = 0; n < count; ++n)
        if (const double d = (model.position(n) - model.position(0)).norm(); d > longest) {
          longest = d;
          far = n;
        }
      const Vector3 first = (model.position(far) - model.position(0)).normalized();
      for (int n = 0; n < count; ++n)
        if (const double d = (model.position(n) - model.position(0)).cross(first).norm(); d > widest) {
          widest = d;
          aside = n;
        }
      const Vector3 third = first.cross(model.position(aside) - model.position(0)).normalized();
      const auto hold = [&](int node, const Matrix3& axes, const Vector3& along) {
        const int own = test::add_node(model, model.position(node), "foot");
        model.bases[0].feet.push_back({own});
        Spring spring;
        spring.joint = "hold";
        spring.nodes = {own, node};
        spring.point = model.position(node);
        spring.axes = axes;
        spring.stiffness.head<3>() = 1e9 * along;
        model.springs.push_back(spring);
      };
      Matrix3 axes;
      axes << first.transpose(), third.cross(first).transpose(), third.transpose();
      hold(0, axes, Vector3::Ones());
      hold(far, axes, Vector3(0, 1, 1));
      hold(aside, axes, Vector3(0, 0, 1));
      model.bases[0].feet.erase(model.bases[0].feet.begin());
    }
    const Material& material = model.materials[0];
    const AtWarmth warm(model, one(warmth));
    const StressStations stations(warm.model());
    const double scale = warmth * expansion * 71e9;
    EXPECT_LT(warm.stress(stations).cwiseAbs().maxCoeff(), 1e-7 * scale) << what;
    if (material.orthotropic) return;
    for (int n = 1; n < static_cast<int>(model.nodes.size()) - 3; ++n) {
      const Vector3 due = warmth * expansion * (model.position(n) - model.position(0));
      const Vector3 found = warm.moves(n) - warm.moves(0);
      // The corner may turn with what it is held by; its length from there is what counts.
      EXPECT_NEAR(found.dot(due), due.squaredNorm(), 1e-6 * due.norm() * 0.2 * warmth * expansion) << what << n;
    }
  };
  const std::vector<Placement> turned{{turn, Vector3(0.3, -0.1, 0.2)}};
  for (const SolidShape shape : test::every_solid) {
    const Mesh mesh = test::distorted_block(shape, Vector3(0.2, 0.1, 0.06), 2);
    for (const Material& material : {warm_alloy(), wood})
      free_at_a_corner(test::part_of(mesh, solid_part("block"), material, turned), false,
                       std::string(facts_of(shape).name) + " of " + material.name);
  }
  for (const double offset : {0.0, 3e-3}) {
    Mesh flat = mesh_shape(Plate{0.2, 0.1}, {false, false, 2e-3, 1}, {std::nullopt, {5, 3}});
    for (Vector3& point : flat.points) point.x() += 0.2 * point.y() * (0.1 - point.x()) / 0.2;  // out of square
    Part sheet = shell_part("sheet", 2e-3);
    sheet.offset = offset;
    for (const Material& material : {warm_alloy(), wood})
      free_at_a_corner(test::part_of(flat, sheet, material, turned), true, "shells of " + material.name);
  }
}

TEST(WarmBlocks, AreStressedWhereTheyCannotExpand) {
  // All around: σ = −EαΔT/(1 − 2ν); a plate held at its edges: −EαΔT/(1 − ν) (Timoshenko & Goodier, Theory of
  // Elasticity, 1951). A cube's own inside is held by walls all around.
  const KnownProblem known("held all around, 40 K warmer", "Timoshenko & Goodier 1951");
  for (const SolidShape shape : test::every_solid) {
    Assembly model =
        test::part_of(test::distorted_block(shape, Vector3(0.2, 0.1, 0.06), 3), solid_part("block"), warm_alloy());
    test::hold(model, [](const Vector3& x) {
      return x.x() < 1e-9 || x.y() < 1e-9 || x.z() < 1e-9 || x.x() > 0.2 - 1e-9 || x.y() > 0.1 - 1e-9 ||
             x.z() > 0.06 - 1e-9;
    });
    model.loads = {warming({0})};
    const AtWarmth warm(model, one(warmth));
    const StressStations stations(warm.model());
    const Eigen::MatrixXd stress = warm.stress(stations);
    const double due = -71e9 * expansion * warmth / (1 - 2 * 0.33);
    Eigen::MatrixXd hydrostatic = Eigen::MatrixXd::Zero(6, stress.cols());
    hydrostatic.topRows<3>().setConstant(due);
    EXPECT_LT((stress - hydrostatic).cwiseAbs().maxCoeff(), 1e-8 * std::abs(due)) << facts_of(shape).name;
    known.value(fmt::format("stress of {}, Pa", facts_of(shape).name), stress(0, 0), due, 1e-8);
  }
  Assembly plate = test::part_of(mesh_shape(Plate{0.2, 0.1}, {false, false, 2e-3, 1}, {std::nullopt, {10, 5}}),
                                 shell_part("plate", 2e-3), warm_alloy());
  test::hold(plate, [](const Vector3& x) { return std::abs(x.x()) > 0.1 - 1e-9 || std::abs(x.y()) > 0.05 - 1e-9; });
  plate.loads = {warming({0})};
  const AtWarmth warm(plate, one(warmth));
  const StressStations stations(warm.model());
  const Eigen::MatrixXd stress = warm.stress(stations);
  const double due = -71e9 * expansion * warmth / (1 - 0.33);
  for (const int row : {0, 1, 3, 4}) EXPECT_NEAR(stress.row(row).minCoeff() / due, 1, 1e-8) << row;
  known.value("stress of a plate of shells, Pa", stress(0, 0), due, 1e-8);
}

// Two strips of one thickness on one another, bonded: 1/ρ = 24 (α₁ − α₂) ΔT / (h (14 + n + 1/n)), n = E₁/E₂, h of both
// (Timoshenko, J. Opt. Soc. Am. 11, 1925). Beams of unlike materials side by side would not do: solids of 20 nodes.
TEST(Bimetal, BendsAsTimoshenkoSays) {
  const double length = 0.1, half = 1e-3, width = 1e-3;
  Mesh mesh;
  PointMerger spots(1e-7);
  const ElementKind& kind = kind_of(SolidShape::hexahedron20);
  const Eigen::Matrix3Xd reference = solid_reference_nodes(SolidShape::hexahedron20);
  Assembly model;
  Material first = warm_alloy(), second{"steel", 210e9, 0, 7850, std::nullopt};
  first.poissons_ratio = 0;  // a strip, not a plate
  second.expansion = Vector3::Constant(12e-6);
  model.materials = {first, second};
  model.parts = {solid_part("alloy"), solid_part("steel")};
  model.parts[1].material = 1;
  constexpr int along = 40;
  std::array<std::vector<int>, 2> elements;
  for (int layer = 0; layer < 2; ++layer)
    for (int i = 0; i < along; ++i)
      for (const auto& point : reference.colwise()) {
        const Vector3 x((i + 0.5 * (1 + point.x())) * length / along, 0.5 * width * point.y(),
                        (layer == 0 ? half * 0.5 * (point.z() + 1) : half * 0.5 * (point.z() - 1)));
        int node = spots.find(x);
        if (node < 0) {
          node = test::add_node(model, x, "strip");
          spots.add(x, node);
        }
        elements[static_cast<std::size_t>(layer)].push_back(node);
      }
  for (int layer = 0; layer < 2; ++layer) {
    ElementGroup group;
    group.part = layer;
    group.kind = &kind;
    group.nodes = elements[static_cast<std::size_t>(layer)];
    model.groups.push_back(group);
  }
  test::hold(model, [](const Vector3& x) { return x.x() < 1e-9; });
  model.loads = {warming({0, 1})};
  const AtWarmth warm(model, one(warmth));
  const auto deflection = [&](double x) {
    for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n)
      if ((model.position(n) - Vector3(x, -0.5 * width, 0)).norm() < 1e-9) return warm.moves(n).z();
    return std::nan("");
  };
  // Away from the clamp and the free end the curvature is the same everywhere: second difference over 40 mm.
  const double step = 0.02, curvature = (deflection(0.03) - 2 * deflection(0.05) + deflection(0.07)) / (step * step);
  const double n = 71.0 / 210;
  const double due = -24 * (expansion - 12e-6) * warmth / (2 * half * (14 + n + 1 / n));
  KnownProblem("strip of two metals, 40 K warmer", "Timoshenko 1925").value("curvature, 1/m", curvature, due, 1e-4);
}

// A bar between walls buckles when P = AEαΔT reaches Euler's load, whatever E: ΔT = 4π²I/(αAL²); the modes about half
// of that are lower by what they are under half the load.
TEST(WarmColumn, BucklesBetweenWalls) {
  test::Cantilever c;
  c.section = rectangle_section(2e-3, 3e-3, 0.3);
  c.section.shear_factor_y = c.section.shear_factor_z = 0;
  c.elements = 32;
  c.material.expansion = Vector3::Constant(expansion);
  Assembly model = test::cantilever(c);
  model.bases[0].feet.push_back(SupportNode{c.elements});
  model.loads = {warming({0})};
  System system = make_system(model);
  const double second = std::min(c.section.second_moment_y, c.section.second_moment_z);
  const double due = 4 * pi * pi * second / (expansion * c.section.area * c.length * c.length);
  const Preload preload =
      apply_preload(model, system, one(0.5 * due), Eigen::VectorXd::Zero(6), Vector3::Zero(), false);
  KnownProblem("slender bar between walls", "Euler; N = −EAαΔT")
      .value("rise of temperature at which it buckles, K", 0.5 * due * preload.load_factor, due, 1e-4);
}

}  // namespace
}  // namespace avrenk
