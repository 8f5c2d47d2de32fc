#include "core/response/stress.h"
#include "core/modes/modal_basis.h"
#include "core/system/system.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <algorithm>
#include <cmath>

#include "core/response/stress_survey.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using test::shell_part;
using test::solid_part;

// Motions of every node under u(x) = a x with its rotation, as one column.
MotionRows field(const Assembly& model, const std::function<Vector6(const Vector3&)>& at) {
  return test::one_by_one([&model, at](int node) { return at(model.position(node)); });
}
Vector6 linear(const Matrix3& gradient, const Vector3& x) {
  Vector6 motion;
  motion << gradient * x,
      0.5 * Vector3(gradient(2, 1) - gradient(1, 2), gradient(0, 2) - gradient(2, 0), gradient(1, 0) - gradient(0, 1));
  return motion;
}
Vector6 values_of(const MatrixXd& rows, std::size_t station) {
  return rows.middleRows<6>(6 * static_cast<Index>(station)).col(0);
}

// How far neighbouring elements of a part disagree: the root of the sum of squares of the von Mises stress of (element
// − mean) over that of the mean, over all nodes of all elements.
Eigen::VectorXd stress_jump(const StressStations& stations, int part, const MotionRows& motions) {
  const Index columns = motions.columns;
  Eigen::VectorXd jump = Eigen::VectorXd::Zero(columns), whole = jump;
  const auto [from, to] = stations.of_part(part);
  for (std::size_t s = from; s < to; ++s) {
    const std::vector<MatrixXd> each = stations.rows_by_element(s, motions);
    MatrixXd mean = MatrixXd::Zero(6, columns);
    for (const MatrixXd& own : each) mean += own / static_cast<double>(each.size());
    for (int level = 0; level < levels_of(stations.all()[s]); ++level) {
      const MatrixXd mises = von_mises_rows(stations.all()[s], level);
      for (const MatrixXd& own : each) jump += (mises * (own - mean)).colwise().squaredNorm().transpose();
      whole += static_cast<double>(each.size()) * (mises * mean).colwise().squaredNorm().transpose();
    }
  }
  return (jump.array() / whole.array().max(1e-300)).sqrt();
}

double von_mises(const Matrix3& s) {
  const Matrix3 deviator = s - s.trace() / 3 * Matrix3::Identity();
  return std::sqrt(1.5) * deviator.norm();
}

// Hooke's law, written out.
Matrix3 stress_of(const Matrix3& gradient) {
  const Matrix3 strain = 0.5 * (gradient + gradient.transpose());
  const double e = 71e9, nu = 0.33, g = e / (2 * (1 + nu)), lame = e * nu / ((1 + nu) * (1 - 2 * nu));
  return 2 * g * strain + lame * strain.trace() * Matrix3::Identity();
}

TEST(Stress, OfALinearFieldIsExactAtEveryNodeOfDistortedSolids) {
  Matrix3 gradient;
  gradient << 1.0, 0.4, -0.3, 0.2, -0.7, 0.5, 0.6, -0.1, 0.8;
  gradient *= 1e-3;
  const Matrix3 exact = stress_of(gradient);
  for (const SolidShape shape : test::every_solid) {
    const Assembly model = test::part_of(test::distorted_block(shape, {0.1, 0.08, 0.05}, 3), solid_part("block"));
    const StressStations stations(model);
    ASSERT_EQ(stations.size(), model.nodes.size());  // one part, no folds
    const auto motions = field(model, [&](const Vector3& x) { return linear(gradient, x); });
    const MatrixXd rows = stations.rows(test::all_of(stations), motions);
    for (std::size_t s = 0; s < stations.size(); ++s) {
      const Vector6 values = values_of(rows, s);
      const Matrix3 tensor = stress_tensor(stations.all()[s], 0, values);
      ASSERT_LE((tensor - exact).norm(), 1e-10 * exact.norm()) << facts_of(shape).name;
      EXPECT_NEAR((von_mises_rows(stations.all()[s], 0) * values).norm() / von_mises(exact), 1, 1e-10);
    }
    EXPECT_LT(stress_jump(stations, 0, motions)[0], 1e-9);
  }
}

// A plate of warped-free quadrilaterals and triangles in a plane of its own, some of them numbered the other way round.
TEST(Stress, OfShellsIsThatOfPlateTheoryWhicheverWayTheElementsAreNumbered) {
  const double t = 3e-3, e = 71e9, nu = 0.33;
  const Matrix3 turn = Eigen::AngleAxisd(0.7, Vector3(1, 2, -0.5).normalized()).toRotationMatrix();
  Mesh mesh = mesh_shape(Plate{0.2, 0.1}, {false, false, t, 1}, {std::nullopt, {4, 3}});
  for (Vector3& point : mesh.points)
    if (std::abs(point.x()) < 0.09 && std::abs(point.y()) < 0.04) point += Vector3(0.008, -0.005, 0);
  std::vector<int> nodes = mesh.cells[0].nodes;
  for (const std::size_t turned : {1U, 4U, 7U, 8U}) std::swap(nodes[4 * turned + 1], nodes[4 * turned + 3]);
  mesh.add(shell_kind(3), std::array{nodes[0], nodes[1], nodes[2]});  // the first as two triangles, one reversed
  mesh.add(shell_kind(3), std::array{nodes[0], nodes[3], nodes[2]});
  mesh.cells[0].nodes.assign(nodes.begin() + 4, nodes.end());
  const Assembly model =
      test::part_of(mesh, shell_part("sheet", t), test::alloy(), {Placement{turn, {0.3, 0.1, -0.2}}});
  const StressStations stations(model);
  ASSERT_EQ(stations.size(), model.nodes.size());
  // Membrane strains and curvatures of the middle surface, constant: w = −½(κx x² + κy y²) − ½ κxy x y.
  const double ex = 2e-4, ey = -1e-4, exy = 1.5e-4, kx = 0.03, ky = -0.05, kxy = 0.04;
  const auto motions = test::one_by_one([&](int node) -> Vector6 {
    const Vector3 x = turn.transpose() * (model.position(node) - Vector3(0.3, 0.1, -0.2));
    const Vector3 u(ex * x.x() + 0.5 * exy * x.y(), ey * x.y() + 0.5 * exy * x.x(),
                    -0.5 * (kx * x.x() * x.x() + ky * x.y() * x.y()) - 0.5 * kxy * x.x() * x.y());
    const Vector3 w(-ky * x.y() - 0.5 * kxy * x.x(), kx * x.x() + 0.5 * kxy * x.y(), 0);
    Vector6 motion;
    motion << turn * u, turn * w;
    return motion;
  });
  const MatrixXd rows = stations.rows(test::all_of(stations), motions);
  const Vector3 up = turn * Vector3::UnitZ();
  for (std::size_t s = 0; s < stations.size(); ++s) {
    const StressStation& station = stations.all()[s];
    const double side = station.axes.row(2).dot(up);  // top is where the normal points
    ASSERT_NEAR(std::abs(side), 1, 1e-12);
    for (int level = 0; level < 3; ++level) {
      const double z = side * 0.5 * t * (level - 1);
      const double sx = ex + z * kx, sy = ey + z * ky, sxy = exy + z * kxy, plane = e / (1 - nu * nu);
      Matrix3 exact = Matrix3::Zero();
      exact(0, 0) = plane * (sx + nu * sy);
      exact(1, 1) = plane * (sy + nu * sx);
      exact(0, 1) = exact(1, 0) = e / (2 * (1 + nu)) * sxy;
      const Vector6 values = values_of(rows, s);
      const Matrix3 found = turn.transpose() * stress_tensor(station, level, values) * turn;
      // Kirchhoff's field bends quadrilaterals exactly; a triangle's nodes see its constant curvature.
      EXPECT_LE((found - exact).norm(), 1e-9 * plane * 1e-4) << s << " " << level << "\n" << found << "\n" << exact;
      EXPECT_NEAR((von_mises_rows(station, level) * values).norm(), von_mises(exact), 1e-9 * plane * 1e-4);
    }
  }
}

TEST(Stress, IsNotAveragedAcrossFoldsPartsOrNothingElse) {
  // Two plates at a right angle share an edge; a third goes on in the plane of the first as another part.
  Mesh mesh;
  mesh.points = {{0, 0, 0},     {0.1, 0, 0},   {0.2, 0, 0},   {0, 0.1, 0},
                 {0.1, 0.1, 0}, {0.2, 0.1, 0}, {0.1, 0, 0.1}, {0.1, 0.1, 0.1}};
  mesh.add(shell_kind(4), std::array{0, 1, 4, 3});
  mesh.add(shell_kind(4), std::array{1, 6, 7, 4});
  mesh.add(shell_kind(4), std::array{1, 2, 5, 4});
  Assembly model;
  model.materials = {test::alloy()};
  model.parts = {shell_part("floor", 2e-3), shell_part("more", 2e-3)};
  std::vector<int> nodes(mesh.points.size(), -1);
  add_cells(model, 0, mesh, {{0, 1}}, {}, nodes);
  add_cells(model, 1, mesh, {{2}}, {}, nodes);
  EXPECT_EQ(model.nodes.size(), 8U);
  const StressStations stations(model);
  EXPECT_EQ(stations.size(), 4U + 4 + 4);  // nothing is shared
  // With both in one part, the floor and its continuation share two.
  Assembly one = model;
  one.groups[1].part = 0;
  EXPECT_EQ(StressStations(one).size(), 6U + 4);
}

// --- the survey of all nodes against channels taken one by one ---

struct ShakenPlate {
  Assembly assembly;
  System system;
  ModalBasis basis;
  ModalDamping damping;
  std::vector<Environment> environments;  // gravity, sine, random
  using Cases = std::vector<std::shared_ptr<const Excitation>>;
  [[nodiscard]] Cases loads() const {
    Cases all;
    for (const Environment& environment : environments)
      all.push_back(excitation_along(environment, environment.is_static() ? std::nullopt : std::optional(2), system));
    return all;
  }
};

// What single channels of it are answered by.
struct Answers {
  explicit Answers(const ShakenPlate& s)
      : channels(s.assembly, s.system, s.basis, s.damping),
        transfer(s.basis, s.damping, test::inputs_along(s.environments[1], 2, s.system)),
        response(transfer, s.environments[1].input,
                 frequency_grid(s.environments[1].grid, s.environments[1].input.curve_points(),
                                resonances(s.basis, s.damping))),
        covariance(integrate_covariance(transfer, s.environments[2].input)) {}
  // Stress of one place on the columns of strain.
  [[nodiscard]] MatrixXd rows(const StressStations& stations, std::size_t k) const {
    return stations.rows(std::array{static_cast<int>(k)}, channels.strain_rows());
  }
  Channels channels;
  Transfer transfer;
  SineResponse response;
  ModalCovariance covariance;
};

// A bracket of solids with a plate of shells (with a loss factor of its own) on it, on one or two bases.
ShakenPlate shaken(bool two_bases) {
  ShakenPlate s;
  Assembly& model = s.assembly;
  model.materials = {test::alloy(), test::alloy(0.03)};
  model.parts = {solid_part("block"), shell_part("plate", 3e-3)};
  model.parts[1].material = 1;
  add_mesh(model, 0, mesh_shape(Box{{0.06, 0.04, 0.03}}, {true, false, 0, 1}, {std::nullopt, {3, 2, 2}}),
           {Placement{}});
  add_mesh(model, 1, mesh_shape(Plate{0.16, 0.04}, {false, false, 3e-3, 1}, {std::nullopt, {8, 2}}),
           {Placement{Matrix3::Identity(), {0.05, 0, 0.03}}});
  RigidLink bond{"bond", -1, {}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
    const Vector3& at = model.position(node);
    const bool plate = model.nodes[static_cast<std::size_t>(node)].origin == "plate";
    if (plate && at.x() < 0.0101 && at.x() > 0.0099 && std::abs(at.y()) < 1e-9) bond.lead = node;
    if (!plate && at.z() > 0.0299 && std::abs(at.x()) < 0.0101) bond.follow.push_back(node);
  }
  model.links = {bond};
  test::hold(model, [](const Vector3& x) { return x.z() < 1e-9; });
  if (two_bases) {
    model.bases.push_back({"arm", {}, {0.13, 0, 0.03}});
    for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node)
      if (model.position(node).x() > 0.1299) model.bases[1].feet.push_back({node});
  }
  s.system = make_system(model);
  s.basis = solve_modes(model, s.system, {std::nullopt, 8, true, false});
  s.damping = damp(s.system, s.basis, {DampingRule::Form::ratio, 0.02, {}});
  const double top = s.basis.frequency(7) / 1.2;
  const LogLogTable input({{20, 10, {}}, {top, 15, {}}}, 20);
  Environment sine;
  sine.name = "sine";
  sine.axes = {2};
  sine.input = input;
  sine.grid = {20, top, 24, 21, {}};
  sine.after = "gravity";
  if (two_bases) sine.motions = {{0, 1.0}, {1, std::polar(0.7, 1.1)}};
  Environment random = sine;
  random.name = "random";
  random.form = RandomInput{};
  Environment gravity;
  gravity.name = "gravity";
  gravity.form = StaticInput{};
  gravity.at_rest().acceleration = {0, 3, -9.81};
  s.environments = {gravity, sine, random};
  return s;
}

StressSurvey survey_of(const ShakenPlate& s, const StressStations& stations, const ShakenPlate::Cases& loads,
                       const std::vector<StressDemand>& demands, int threads, std::size_t bytes_at_once = 8U << 20U) {
  CaseResponses excited;
  for (const auto& load : loads) excited.push_back(std::make_unique<CaseResponse>(load, s.system, s.basis, s.damping));
  return survey_stress(s.assembly, s.system, s.basis, s.damping, stations, excited, demands, threads, bytes_at_once);
}

std::vector<StressDemand> mises(std::vector<int> parts) { return {{StressQuantity::von_mises, std::move(parts)}}; }

const OutputQuantity* quantity_called(std::string_view keyword) {
  for (const OutputQuantity& quantity : output_quantities())
    if (quantity.keyword == keyword) return &quantity;
  return nullptr;
}

TEST(StressSurvey, AgreesWithChannelsTakenOneByOne) {
  for (const bool two_bases : {false, true}) {
    const ShakenPlate s = shaken(two_bases);
    const StressStations stations(s.assembly);
    const ShakenPlate::Cases loads = s.loads();
    const StressSurvey survey = survey_of(s, stations, loads, mises({0, 1}), 2, 1U << 20U);
    ASSERT_EQ(survey.fields.size(), 3U);
    EXPECT_GT(survey.shortfall, 0);
    const Answers answers(s);
    const Channels& channels = answers.channels;
    const SineResponse& response = answers.response;
    const ModalCovariance& covariance = answers.covariance;
    double worst_sine = 0;
    for (std::size_t k = 0; k < stations.size(); ++k) {
      const StressStation& station = stations.all()[k];
      const MatrixXd rows = answers.rows(stations, k);
      for (int level = 0; level < levels_of(station); ++level) {
        const auto column = static_cast<Index>(k);
        const Measure measure{"", channels.from_strain(von_mises_rows(station, level) * rows,
                                                       s.assembly.material_of(station.part).loss_factor)};
        const SinePeak peak = response.peak(measure);
        worst_sine = std::max(worst_sine, peak.value);
        const double found = survey.fields[1].value(level, column);
        EXPECT_LE(found, peak.value * (1 + 1e-7));
        EXPECT_GE(found, peak.value * (1 - survey.shortfall));
        EXPECT_NEAR(survey.fields[2].value(level, column) / test::root_mean_square(measure, covariance), 1, 1e-8);
        const Eigen::VectorXcd still =
            static_state(*excitation_along(s.environments[0], std::nullopt, s.system), s.system, s.basis);
        EXPECT_NEAR(survey.fields[0].value(level, column) / (measure.rows.real() * still.real()).norm(), 1, 1e-9);
      }
    }
    EXPECT_NEAR(survey.fields[1].worst.front().value / worst_sine, 1, 1e-9);
    for (const StressField& each : survey.fields) {
      ASSERT_TRUE(each.worst_of(stations, 0) && each.worst_of(stations, 1));
      for (const WorstStress& worst : each.worst) {
        const auto alone =
            stations.rows_by_element(static_cast<std::size_t>(worst.place.station), channels.strain_rows()).size() == 1;
        EXPECT_EQ(std::isnan(worst.jump), alone);
        EXPECT_FALSE(worst.jump < 0);
        if (each.excitation->is_random()) continue;
        // Von Mises of the principal stresses at the instant of the largest is the largest.
        EXPECT_NEAR(von_mises(worst.principal.asDiagonal()) / worst.value, 1, 1e-7);
      }
    }
    // What is watched finds the same worst, with gravity on top as well.
    OutputRequest request;
    request.name = "metal";
    request.parts = {0, 1};
    request.quantity = quantity_called("von Mises");
    const auto watched = watch(s.assembly, channels, {request}, {&stations, &survey});
    const CaseResults still = test::run_at_rest(s.environments[0], s.system, s.basis, watched);
    const StaticSum sum{0, &still};
    const CaseResults outcome = test::run_along(s.environments[1], 2, s.system, s.basis, s.damping, watched, {&sum, 1});
    EXPECT_NEAR(outcome.sine()->rows[0].peak.value / worst_sine, 1, 1e-9);
    EXPECT_NEAR(still.at_rest()->rows[0].value / survey.fields[0].worst.front().value, 1, 1e-9);
    EXPECT_GE(outcome.sine()->rows[0].with_static.at(0).value, outcome.sine()->rows[0].peak.value * (1 - 1e-9));
    EXPECT_LE(outcome.sine()->rows[0].with_static.at(0).value,
              outcome.sine()->rows[0].peak.value + still.at_rest()->rows[0].value);
  }
}

// Components against channels taken one by one; principal stress against eigenvalues: of the tensor at many instants of
// many frequencies, of the tensor itself, and against the mean square of normal stresses in many directions.
TEST(StressSurvey, OfComponentsAndPrincipalStressAgreesWithChannelsInstantsAndDirections) {
  const StressQuantity components[] = {StressQuantity::xx, StressQuantity::yy, StressQuantity::zz,
                                       StressQuantity::xy, StressQuantity::yz, StressQuantity::zx};
  for (const bool two_bases : {false, true}) {
    const ShakenPlate s = shaken(two_bases);
    const StressStations stations(s.assembly);
    const ShakenPlate::Cases loads = s.loads();
    std::vector<StressDemand> demands{{StressQuantity::principal, {0, 1}}};
    for (const StressQuantity each : components) demands.push_back({each, {0, 1}});
    const StressSurvey survey = survey_of(s, stations, loads, demands, 2, 1U << 20U);
    ASSERT_EQ(survey.fields.size(), 7U * 3);
    const Answers answers(s);
    const Channels& channels = answers.channels;
    const SineResponse& response = answers.response;
    const ModalCovariance& covariance = answers.covariance;
    const Eigen::VectorXcd still =
        static_state(*excitation_along(s.environments[0], std::nullopt, s.system), s.system, s.basis);
    double worst_sine = 0, worst_random = 0, worst_still = 0;
    for (std::size_t k = 0; k < stations.size(); ++k) {
      const StressStation& station = stations.all()[k];
      const auto column = static_cast<Index>(k);
      const MatrixXd rows = answers.rows(stations, k);
      const Eigen::MatrixXcd six = channels.from_strain(rows, s.assembly.material_of(station.part).loss_factor);
      const Vector6 at_rest = (six * still).real();
      const MatrixXcd curves = response.curves(six);
      for (int level = 0; level < levels_of(station); ++level) {
        for (std::size_t c = 0; c < 6; ++c) {
          const StressField& sine = survey.fields[3 * (c + 1) + 1];
          if (!has_quantity(station.shell, components[c])) {
            EXPECT_TRUE(std::isnan(sine.value(level, column)));
            continue;
          }
          const MatrixXd row = quantity_rows(station, level, components[c]);
          const Measure measure{"", row * six};
          const SinePeak peak = response.peak(measure);
          const double rounding = 1e-11 * curves.norm();  // of components that are nothing
          EXPECT_LE(sine.value(level, column), peak.value * (1 + 1e-7) + rounding);
          EXPECT_GE(sine.value(level, column), peak.value * (1 - survey.shortfall) - rounding);
          EXPECT_NEAR(survey.fields[3 * (c + 1) + 2].value(level, column) / test::root_mean_square(measure, covariance),
                      1, 1e-8);
          EXPECT_NEAR(survey.fields[3 * (c + 1)].value(level, column), (row * at_rest)[0], 1e-9 * at_rest.norm());
          // A component is an entry of the tensor in the axes of the station.
          const Matrix3 local = station.axes * stress_tensor(station, level, at_rest) * station.axes.transpose();
          const std::array<std::array<int, 2>, 6> entry{{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {2, 0}}};
          EXPECT_NEAR((row * at_rest)[0], local(entry[c][0], entry[c][1]), 1e-9 * at_rest.norm());
        }
        const double found = survey.fields[1].value(level, column);
        double instants = 0;
        for (Index f = 0; f < curves.cols(); f += k % 7 == 0 ? 1 : 10)
          for (int step = 0; step < 32; ++step) {
            const Vector6 now = (curves.col(f) * std::polar(1.0, pi * step / 16)).real();
            instants = std::max(
                instants, Eigen::SelfAdjointEigenSolver<Matrix3>(stress_tensor(station, level, now)).eigenvalues()[2]);
          }
        EXPECT_GE(found, instants * (1 - 1e-9));
        if (k % 7 == 0) {
          EXPECT_LE(found, instants * (1 + 0.005));  // 1 − cos(π/32)
        }
        const Vector3 eigen =
            Eigen::SelfAdjointEigenSolver<Matrix3>(stress_tensor(station, level, at_rest)).eigenvalues();
        const double largest = std::abs(eigen[0]) > std::abs(eigen[2]) ? eigen[0] : eigen[2];
        const bool is_either = std::abs(eigen[0] + eigen[2]) <= 1e-9 * std::abs(largest);  // of either sign
        const double principal = survey.fields[0].value(level, column) / largest;
        EXPECT_NEAR(is_either ? std::abs(principal) : principal, 1, 1e-9);
        const auto rms_along = [&](const Vector3& n) {
          return test::root_mean_square({"", quantity_rows(station, level, StressQuantity::principal, n) * six},
                                        covariance);
        };
        const StressPlace place{static_cast<int>(k), level};
        const double rms = survey.fields[2].value(level, column);
        double over_levels = rms;  // in the middle of a shell both are what rounding leaves of the surfaces' stress
        for (int other = 0; other < levels_of(station); ++other)
          over_levels = std::max(over_levels, survey.fields[2].value(other, column));
        EXPECT_NEAR(rms_along(survey.fields[2].direction_at(place)), rms, 1e-8 * over_levels);
        for (int step = 0; step < 12; ++step) {
          const double angle = pi * step / 12;
          const Vector3 local(std::cos(angle), std::sin(angle), station.shell ? 0 : std::cos(3 * angle));
          EXPECT_LE(rms_along(station.axes.transpose() * local.normalized()), rms + 1e-8 * over_levels);
        }
        worst_sine = std::max(worst_sine, response
                                              .peak({"", quantity_rows(station, level, StressQuantity::principal,
                                                                       survey.fields[1].direction_at(place)) *
                                                             six})
                                              .value);
        worst_random = std::max(worst_random, rms);
        worst_still = std::max(worst_still, std::abs(survey.fields[0].value(level, column)));
      }
    }
    // The largest of the field is located at least as well as a direction of the grid locates it.
    const WorstStress& worst = survey.fields[1].worst.front();
    EXPECT_GE(worst.value, worst_sine * (1 - 1e-9));
    EXPECT_LE(worst.value, worst_sine * 1.001);
    EXPECT_NEAR(worst.principal[0] / worst.value, 1, 1e-7);  // of the cycle the instant of the largest tension
    // What is watched finds the same, its curves are of one direction, and gravity comes on top.
    OutputRequest request;
    request.name = "metal";
    request.parts = {0, 1};
    request.quantity = quantity_called("principal stress");
    const auto watched = watch(s.assembly, channels, {request}, {&stations, &survey});
    ASSERT_EQ(watched.size(), 1U);
    const CaseResults rest = test::run_at_rest(s.environments[0], s.system, s.basis, watched);
    const StaticSum sum{0, &rest};
    const CaseResults sine = test::run_along(s.environments[1], 2, s.system, s.basis, s.damping, watched, {&sum, 1});
    EXPECT_NEAR(sine.sine()->rows[0].peak.value / worst.value, 1, 1e-9);
    EXPECT_NEAR(std::abs(rest.at_rest()->rows[0].value) / worst_still, 1, 1e-9);
    const CaseResults random = test::run_along(s.environments[2], 2, s.system, s.basis, s.damping, watched);
    EXPECT_NEAR(random.random()->rows[0].rms / worst_random, 1, 1e-8);
    // The largest of both over all places, frequencies, instants and directions.
    double both = 0;
    for (std::size_t k = 0; k < stations.size(); ++k) {
      const StressStation& station = stations.all()[k];
      const MatrixXd rows = answers.rows(stations, k);
      const Eigen::MatrixXcd six = channels.from_strain(rows, s.assembly.material_of(station.part).loss_factor);
      const Vector6 at_rest = (six * still).real();
      const MatrixXcd curves = response.curves(six);
      for (int level = 0; level < levels_of(station); ++level) {
        if (std::abs(survey.fields[1].value(level, static_cast<Index>(k))) < 0.7 * worst_sine) continue;
        for (Index f = 0; f < curves.cols(); ++f)
          for (int step = 0; step < 64; ++step) {
            const Vector6 now = at_rest + Vector6((curves.col(f) * std::polar(1.0, pi * step / 32)).real());
            both = std::max(both, Eigen::SelfAdjointEigenSolver<Matrix3>(stress_tensor(station, level, now))
                                      .eigenvalues()
                                      .cwiseAbs()
                                      .maxCoeff());
          }
      }
    }
    EXPECT_GE(sine.sine()->rows[0].with_static.at(0).value, both * (1 - 1e-9));
    EXPECT_LE(sine.sine()->rows[0].with_static.at(0).value, both * 1.01);  // instants and the grid
  }
}

TEST(StressSurvey, TakesLittleMemoryAtOnceAndTheSameValuesHoweverLittle) {
  const ShakenPlate s = shaken(false);
  const StressStations stations(s.assembly);
  const ShakenPlate::Cases loads{excitation_along(s.environments[1], 2, s.system),
                                 excitation_along(s.environments[2], 2, s.system)};
  const StressSurvey small = survey_of(s, stations, loads, mises({0, 1}), 1, 1),
                     large = survey_of(s, stations, loads, mises({0, 1}), 3);
  // Squares are sums in which parts cancel: they agree to rounding of the largest, a value near zero to no digit.
  for (std::size_t i = 0; i < loads.size(); ++i) {
    double largest = 0;
    for (Index k = 0; k < static_cast<Index>(stations.size()); ++k)
      largest = std::max(largest, large.fields[i].value(0, k));
    for (Index k = 0; k < static_cast<Index>(stations.size()); ++k)
      for (int level = 0; level < levels_of(stations.all()[static_cast<std::size_t>(k)]); ++level)
        ASSERT_NEAR(std::pow(small.fields[i].value(level, k) / largest, 2),
                    std::pow(large.fields[i].value(level, k) / largest, 2), 1e-12);
  }
  // A part that was not asked for is left alone.
  const StressSurvey some = survey_of(s, stations, loads, mises({1}), 1);
  const auto [from, to] = stations.of_part(0);
  EXPECT_TRUE(std::isnan(some.fields[0].value(0, static_cast<Index>(from))));
  EXPECT_FALSE(some.fields[0].worst_of(stations, 0));
  EXPECT_LT(from, to);
}

// Its order is one, less what the corners of the clamped edge add, where stress has no bound.
TEST(Stress, JumpsLessOnAFinerMesh) {
  std::vector<double> jumps;
  for (const int n : {8, 16, 32}) {
    Assembly model = test::part_of(mesh_shape(Plate{0.2, 0.2, {}, RoundHole{0.06, {0, 0}}}, {false, false, 4e-3, 1},
                                              {std::nullopt, {n, n, n / 2}}),
                                   shell_part("plate", 4e-3));
    test::hold(model, [](const Vector3& x) { return x.x() < -0.0999; });
    const System system = make_system(model);
    const StaticSolution statics = solve_statics(system, factorise_stiffness(model, system));
    Eigen::VectorXd all = Eigen::VectorXd::Zero(system.free + system.supports);
    all.head(system.free) = statics.unit_acceleration.col(0) * 9.81;
    const Eigen::VectorXd raw = system.transformation.transpose() * all;
    const StressStations stations(model);
    jumps.push_back(
        stress_jump(stations, 0, test::one_by_one([&](int node) -> Vector6 { return raw.segment<6>(6 * node); }))[0]);
  }
  EXPECT_LT(jumps[0], 0.2);
  EXPECT_LT(jumps[1], 0.75 * jumps[0]);
  EXPECT_LT(jumps[2], 0.75 * jumps[1]);
}

}  // namespace
}  // namespace avrenk
