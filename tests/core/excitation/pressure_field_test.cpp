// Joint acceptances of pressure fields against closed forms, by another route, and in the limit of long waves; a plate
// under a field against every face as an input of its own.
#include "core/excitation/pressure_field.h"

#include <gtest/gtest.h>

#include <boost/math/quadrature/gauss.hpp>

#include "core/excitation/field_patterns.h"
#include "core/load/applied.h"
#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

// Faces of a flat panel a x b.
std::vector<PressedFace> flat_panel(double a, double b, int across, int along) {
  std::vector<PressedFace> faces;
  for (int j = 0; j < along; ++j)
    for (int i = 0; i < across; ++i)
      faces.push_back({{a * (i + 0.5) / across, b * (j + 0.5) / along, 0}, a * b / (across * along), 0, {}});
  return faces;
}

// ∫₀^a sin(mπx/a) e^{ikx} dx
Complex sine_transform(int m, double a, double k) {
  const double p = m * pi / a;
  if (std::abs(p - std::abs(k)) < 1e-9 * p) return Complex(0, (k > 0 ? 1 : -1) * 0.5 * a);
  return p * (1.0 - std::pow(-1.0, m) * std::polar(1.0, k * a)) / (p * p - k * k);
}

// Shapes sin mπx/a sin nπy/b of a simply supported plate under a diffuse field: sin(kd)/(kd) is the mean of e^{ik·d}
// over all directions, so that J is that of |F_m(k_x) F_n(k_y)|², F the closed transform of a sine; Gauss's rule of 30
// by 60 points over an eighth of the sphere has that to 1e-10. The midpoint rule over the faces is off by (π m/N)²/12
// and (k a/N)²/12, which two meshes extrapolate to its square: 3e-4.
TEST(PressureField, DiffuseOnASimplySupportedPlateIsAMeanOverDirections) {
  const double a = 0.8, b = 0.5, c = 340;
  const std::vector<std::pair<int, int>> modes{{1, 1}, {2, 1}, {1, 2}, {3, 1}, {3, 2}};
  const PressureField field{PressureField::Law::diffuse, c};
  const auto acceptances = [&](int n) {
    const std::vector<PressedFace> faces = flat_panel(a, b, 2 * n, n);
    MatrixXd weights(std::ssize(faces), std::ssize(modes));
    for (Index f = 0; f < weights.rows(); ++f)
      for (Index r = 0; r < weights.cols(); ++r) {
        const auto [m, k] = modes[static_cast<std::size_t>(r)];
        const PressedFace& face = faces[static_cast<std::size_t>(f)];
        weights(f, r) = face.area * std::sin(m * pi * face.centre.x() / a) * std::sin(k * pi * face.centre.y() / b);
      }
    return JointAcceptances(field, faces, weights, 20, 1500, 2);
  };
  const JointAcceptances coarse = acceptances(12), fine = acceptances(24);
  EXPECT_LE(fine.error(), 1e-12);
  EXPECT_LE(fine.frequencies(), 70);
  for (const double f : {25.0, 210.0, 433.0, 999.0, 1490.0}) {
    const double k = 2 * pi * f / c;
    const Eigen::MatrixXcd extrapolated = (4.0 * fine.at(f) - coarse.at(f)) / 3.0;
    for (std::size_t r = 0; r < modes.size(); ++r) {
      const auto [m, n] = modes[r];
      using boost::math::quadrature::gauss;
      const double mean = gauss<double, 30>::integrate(
          [&](double cosine) {
            const double sine = std::sqrt(1 - cosine * cosine);
            return gauss<double, 60>::integrate(
                       [&](double turn) {
                         return std::norm(sine_transform(m, a, k * sine * std::cos(turn))) *
                                std::norm(sine_transform(n, b, k * sine * std::sin(turn)));
                       },
                       0.0, pi / 2) *
                   2 / pi;
          },
          0.0, 1.0);
      EXPECT_NEAR(extrapolated(static_cast<Index>(r), static_cast<Index>(r)).real() / mean, 1, 3e-4)
          << f << " Hz, " << m << ' ' << n;
    }
  }
}

// A rigid panel under a boundary layer: ∫∫ e^{−p|ξ|} = 2 (L/p − (1 − e^{−pL})/p²) along the flow with p = ω(α + i)/U,
// the real part of it, and across with q = ωβ/U. The kink of e^{−p|ξ|} costs the midpoint rule (p h)²/12 in the first
// place, extrapolated as above. What comes later downstream lags.
TEST(PressureField, BoundaryLayerOnARigidPanelIsClosed) {
  const double a = 0.6, b = 0.3;
  PressureField field{PressureField::Law::boundary_layer, 120};
  const auto total = [&](int n) {
    const std::vector<PressedFace> faces = flat_panel(a, b, 2 * n, n);
    return JointAcceptances(field, faces, MatrixXd::Constant(std::ssize(faces), 1, faces[0].area), 10, 150, 2);
  };
  const JointAcceptances coarse = total(12), fine = total(24);
  for (const double f : {11.0, 60.0, 149.0}) {
    const double omega = 2 * pi * f;
    const auto both = [](Complex p, double length) {
      return 2.0 * (length / p - (1.0 - std::exp(-p * length)) / (p * p));
    };
    const double exact = both(Complex(0.116, 1) * omega / 120.0, a).real() * both(0.7 * omega / 120, b).real();
    EXPECT_NEAR((4.0 * fine.at(f)(0, 0) - coarse.at(f)(0, 0)).real() / 3 / exact, 1, 2e-5) << f;
  }
  field.flow = Vector3(0, 1, 0);
  const std::vector<PressedFace> two{{{0, 0, 0}, 1, 0, {}}, {{0, 0.2, 0}, 1, 0, {}}};
  const JointAcceptances pair(field, two, MatrixXd::Identity(2, 2), 10, 300, 1);
  for (const double f : {33.0, 120.0}) {
    const double turn = 2 * pi * f * 0.2 / 120;
    EXPECT_NEAR(std::abs(pair.at(f)(1, 0) - std::polar(std::exp(-0.116 * turn), -turn)), 0, 1e-8);
    EXPECT_NEAR(std::abs(field.coherence({0, 0.2, 0}, f) - pair.at(f)(1, 0)), 0, 1e-8);
    const Eigen::MatrixXcd root = pair.root(f);
    EXPECT_NEAR((root * root.adjoint() - pair.at(f)).cwiseAbs().maxCoeff(), 0, 1e-8);
  }
  EXPECT_NEAR(field.length(100), 120.0 / 100 / (2 * pi * 0.7), 1e-12);
}

LogLogTable flat_pressure(double level, double from, double to) {
  return LogLogTable({{from, level, {}}, {to, level, {}}}, 10);
}

// A simply held plate of shells with its pressure, and what is watched on it.
struct SkinPlate {
  Assembly model;
  std::vector<PressedFace> faces;
  explicit SkinPlate(int n) {
    const double a = 0.5, b = 0.4;
    Mesh mesh;
    for (int j = 0; j <= n; ++j)
      for (int i = 0; i <= n; ++i) mesh.points.emplace_back(a * i / n, b * j / n, 0.02 * i * j);
    for (int j = 0; j < n; ++j)
      for (int i = 0; i < n; ++i) {
        const int p = (n + 1) * j + i;
        mesh.add(shell_kind(4), std::array{p, p + 1, p + n + 2, p + n + 1});
      }
    model = test::part_of(mesh, test::shell_part("skin", 0.002), test::alloy(0.04));
    model.bases = {{"frame", {}, Vector3::Zero()}};
    std::vector<int> all;
    for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
      all.push_back(node);
      if (node <= n) model.bases[0].feet.push_back({node, {true, true, true, true, true, true}});
    }
    const Surface surface = surface_of(model);
    faces = pressed_faces(model, "skin", faces_within(surface, all), {Vector3(0, 0, 1), std::nullopt});
  }
  Load pressure() const {
    Load load;
    load.name = "skin";
    load.kind = &kind::pressure;
    load.faces = faces;
    load.columns = {uniform_pressure(faces)};
    load.factors = {1};
    return load;
  }
};

Environment field_noise(const LogLogTable& level, const std::vector<int>& loads) {
  Environment environment;
  environment.name = "noise";
  environment.form = RandomInput{};
  environment.grid = {level.from(), level.to(), 24, 21, {}};
  environment.load_cases.resize(1);
  for (const int load : loads) {
    environment.load_cases[0].loads.emplace_back();
    environment.load_cases[0].loads.back().load = load;
    environment.load_cases[0].loads.back().spectrum = level;
  }
  return environment;
}

std::vector<Output> watched_on_plate(const Assembly& model, const Channels& channels) {
  std::vector<OutputRequest> requests;
  for (const OutputQuantity& each : output_quantities()) {
    if (each.subject == Subject::node && each.keyword == "acceleration") requests.push_back({"corner", &each, {23}});
    if (each.subject == Subject::base && (each.keyword == "force" || each.keyword == "moment"))
      requests.push_back({"frame", &each, {0}});
  }
  return watch(model, channels, requests);
}

std::vector<double> rms_of_watched(const Environment& environment, const Assembly& model, const System& system,
                                   const ModalBasis& basis, const ModalDamping& damping) {
  CaseResponse excited(excitations(environment, model, system).front(), system, basis, damping);
  const CaseResults outcome = run_case(excited, watched_on_plate(model, Channels(model, system, basis, damping)));
  std::vector<double> all;
  for (const RandomRow& row : outcome.random()->rows) all.push_back(row.rms);
  EXPECT_TRUE(outcome.random()->rows[0].inputs.empty());  // one source, however many patterns
  return all;
}

// Sixteen faces as loads of their own, S over them written down point by point and integrated by Simpson's rule with
// 4000 steps (error (Δ ln f/ζ)⁴/180 ≈ 1e-8): motion, reaction and moment are those of the patterns that the modes see.
// Of all modes the patterns are all pressures, of five they are fewer. In the limit of long waves it is a uniform
// pressure.
TEST(PressureField, InPatternsIsWhatEveryFaceByItselfIs) {
  const SkinPlate plate(4);
  const LogLogTable level = flat_pressure(25, 30, 400);
  for (const int modes : {5, 1000}) {
    ModeRequest request = test::count(modes);
    request.residual_vectors = false;  // those of sixteen faces are others than those of their sum
    Assembly by_face = plate.model, in_patterns = plate.model;
    for (const PressedFace& face : plate.faces) {
      Load own;
      own.name = "face" + std::to_string(by_face.loads.size());
      own.columns = {uniform_pressure({face})};
      own.factors = {1};
      by_face.loads.push_back(own);
    }
    in_patterns.loads = {plate.pressure()};
    const test::Solved each(by_face, request, {}), solved(in_patterns, request, {});
    const auto watched = watched_on_plate(by_face, each.channels);
    const Transfer transfer(each.basis, each.damping,
                            {Eigen::MatrixXcd::Zero(6, 16), Eigen::MatrixXcd::Identity(16, 16)});
    for (const PressureField& field :
         {PressureField{PressureField::Law::diffuse, 60}, PressureField{PressureField::Law::boundary_layer, 40}}) {
      const auto patterned = [&](double speed) {
        Assembly model = in_patterns;
        System system = solved.system;
        ModalBasis basis = solved.basis;
        Environment environment = field_noise(level, {0});
        PressureField& own = environment.load_cases[0].loads[0].field.emplace(field);
        own.speed = speed;
        const std::vector<FieldReport> reports = make_patterns(model, system, basis, {&environment}, 2);
        EXPECT_EQ(reports.size(), 1U);
        EXPECT_LE(reports[0].error, 1e-12);
        EXPECT_LE(reports[0].patterns, 16);
        return rms_of_watched(environment, model, system, basis, solved.damping);
      };
      std::vector<double> squares(watched.size(), 0);
      constexpr int steps = 4000;
      for (int i = 0; i <= steps; ++i) {
        const double step = std::log(400.0 / 30) / steps, f = 30 * std::exp(i * step);
        Eigen::MatrixXcd s(16, 16);
        for (std::size_t b = 0; b < 16; ++b)
          for (std::size_t a = 0; a < 16; ++a)
            s(static_cast<Index>(b), static_cast<Index>(a)) =
                field.coherence(plate.faces[b].centre - plate.faces[a].centre, f);
        const double weight = 25 * (i == 0 || i == steps ? 1 : i % 2 == 1 ? 4 : 2) * step / 3 * f;
        const Eigen::MatrixXcd z = transfer.state(f);
        for (std::size_t k = 0; k < watched.size(); ++k) {
          const Eigen::MatrixXcd w = watched[k].measure(0).rows * z;
          squares[k] += weight * (w * s * w.adjoint()).trace().real();
        }
      }
      const std::vector<double> rms = patterned(field.speed), far = patterned(1e13),
                                same = rms_of_watched(field_noise(level, {0}), in_patterns, solved.system, solved.basis,
                                                      solved.damping);
      for (std::size_t k = 0; k < rms.size(); ++k) {
        EXPECT_NEAR(rms[k] / std::sqrt(squares[k]), 1, 1e-6) << watched[k].name << ", modes " << modes;
        EXPECT_NEAR(far[k] / same[k], 1, 1e-7) << watched[k].name;
      }
    }
  }
}

}  // namespace
}  // namespace avrenk
