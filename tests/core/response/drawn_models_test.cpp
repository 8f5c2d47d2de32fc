// Small models drawn at random, from hardly any damping to far beyond critical, with a general ratio beside dampers of
// links' own, with nodes without mass, along turned axes, of any size, on one base or two, or under forces that follow
// an order of a shaft: every answer against the equations of motion solved at each frequency, and integrals of them by
// another rule. AVRENK_DRAWN_MODELS says how many (scripts/night).
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <algorithm>
#include <map>
#include <random>

#include "core/dense.h"
#include "core/response/run_case.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using test::Solved;

// A spring along z between two masses, or from a mass to a base (−1, −2).
struct Link {
  int from, to;
  double k, eta, c;
};
struct Drawn {
  std::string what;
  std::vector<double> masses;  // 0: a node without mass
  std::vector<Link> links;
  std::vector<Complex> bases;          // acceleration of each, per unit input
  double from = 1, to = 300;           // Hz
  double slope = 0;                    // of the input, dB an octave
  double ratio = 0;                    // general ζ, of links without a damper of their own
  Matrix3 axes = Matrix3::Identity();  // of the links
  std::vector<Complex> forces{};       // on each mass, per unit input; bases stand still then
  double order = 1;                    // of these: frequency over the speed of a shaft
  // Displacement of a base (−1, −2).
  [[nodiscard]] Complex base(int end, double f) const {
    return forces.empty() ? -bases[static_cast<std::size_t>(-end - 1)] / std::pow(2 * pi * f, 2) : 0;
  }
};

constexpr double stiffer = 100;  // across

// Masses move along the z of the links; a hundred times stiffer otherwise.
Assembly model_of(const Drawn& drawn) {
  Assembly model;
  const char* const names[] = {"left", "right"};
  for (std::size_t b = 0; b < drawn.bases.size(); ++b)
    model.bases.push_back({names[b], {SupportNode{test::add_node(model, Vector3::Zero())}}, Vector3::Zero()});
  const int feet = static_cast<int>(drawn.bases.size());
  for (const double mass : drawn.masses) {
    const int node = test::add_node(model, Vector3::Zero(), "mass");
    if (mass == 0) continue;
    model.masses.push_back({"mass", node, Vector3::Zero(), mass, Matrix3::Identity() * mass});
  }
  for (const Link& link : drawn.links) {
    const auto node = [&](int end) { return end < 0 ? -end - 1 : feet + end; };
    Spring spring = test::stiff_spring(node(link.from), node(link.to), link.k, stiffer * link.k);
    spring.axes = drawn.axes;
    if (link.eta > 0) spring.loss_factor = link.eta;
    spring.dashpot.setConstant(link.c);
    model.springs.push_back(spring);
  }
  if (drawn.forces.empty()) return model;
  Load& load = model.loads.emplace_back();
  load.name = "forces";
  load.factors = drawn.forces;
  for (std::size_t m = 0; m < drawn.forces.size(); ++m)
    load.columns.emplace_back().on_nodes[feet + static_cast<int>(m)] = Vector6::Unit(2);
  return model;
}

// Matrices of a model on its masses, and what links to bases that move put on them.
struct Matrices {
  explicit Matrices(const Drawn& drawn)
      : mass(MatrixXd::Zero(std::ssize(drawn.masses), std::ssize(drawn.masses))),
        stiffness(mass),
        loss(mass),
        dashpot(mass),
        general(mass) {
    for (Eigen::Index m = 0; m < mass.rows(); ++m) mass(m, m) = drawn.masses[static_cast<std::size_t>(m)];
    for (const Link& link : drawn.links) {
      add(stiffness, link, link.k);
      add(loss, link, link.k * link.eta);
      add(dashpot, link, link.c);
      if (is_general(link)) add(general, link, link.k);
    }
  }
  static bool is_general(const Link& link) { return link.eta == 0 && link.c == 0; }
  static void add(MatrixXd& matrix, const Link& link, double value) {
    for (const auto& [own, other] : {std::pair{link.from, link.to}, {link.to, link.from}}) {
      if (own < 0) continue;
      matrix(own, own) += value;
      if (other >= 0) matrix(own, other) -= value;
    }
  }
  MatrixXd mass, stiffness, loss, dashpot, general;
};

// Modes of a model of masses, and its damping of them by a general ratio, g = 2ζ/ω: g^½ΦᵀK_genΦg^½; and the rest of it
// that no link makes (theory, "Forces in elements").
struct Modes {
  explicit Modes(const Drawn& drawn, const Matrices& of) {
    const SymmetricEigen eigen = symmetric_eigen(of.stiffness, of.mass);
    phi = eigen.vectors;
    lambda = eigen.values;
    rate = 2 * drawn.ratio * lambda.cwiseSqrt().cwiseInverse();
    const MatrixXd own = phi.transpose() * of.general * phi;
    viscous = rate.cwiseSqrt().asDiagonal() * own * rate.cwiseSqrt().asDiagonal();
    rest = lambda.cwiseInverse().asDiagonal() * (viscous - own * rate.asDiagonal());
  }
  MatrixXd phi, viscous, rest;
  Eigen::VectorXd lambda, rate;
};

// z of every mass per unit input, and force of every link: one column, of links along z.
VectorXcd along(const Drawn& drawn, double f) {
  const Complex i(0, 1);
  const double w = 2 * pi * f;
  const auto n = static_cast<Eigen::Index>(drawn.masses.size());
  const auto base = [&](int end) { return drawn.base(end, f); };
  const Matrices of(drawn);
  // What acts on the masses: forces, and what links to bases do by their stiffness, and by dampers of their own.
  VectorXcd elastic = VectorXcd::Zero(n), damped = elastic;
  for (std::size_t m = 0; m < drawn.forces.size(); ++m) elastic[static_cast<Eigen::Index>(m)] = drawn.forces[m];
  for (const Link& link : drawn.links)
    for (const auto& [own, other] : {std::pair{link.from, link.to}, {link.to, link.from}})
      if (own >= 0 && other < 0) {
        elastic[own] += link.k * base(other);
        damped[own] += i * (link.k * link.eta + w * link.c) * base(other);
      }
  const MatrixXcd dampers = i * of.loss + i * w * of.dashpot;
  VectorXcd x, viscous = VectorXcd::Zero(n), rest = viscous;  // the latter two times k: forces beside the elastic one
  if (drawn.ratio == 0) {
    x = MatrixXcd(of.stiffness - w * w * of.mass + dampers).partialPivLu().solve(elastic + damped);
  } else {
    const Modes modes(drawn, of);
    const VectorXcd still = of.stiffness.cast<Complex>().partialPivLu().solve(elastic);
    MatrixXcd dynamic = modes.phi.transpose() * dampers * modes.phi + i * w * modes.viscous;
    dynamic.diagonal().array() += modes.lambda.array() - w * w;
    const VectorXcd load = w * w * (of.mass * still) + damped - dampers * still,
                    q = dynamic.partialPivLu().solve(modes.phi.transpose() * load);
    x = still + modes.phi * q;
    viscous = i * w * (modes.phi * modes.rate.cwiseProduct(q));  // of general links
    rest = i * w * (modes.phi * (modes.rest * q));               // of all
  }
  VectorXcd all(n + static_cast<Eigen::Index>(drawn.links.size()));
  all.head(n) = x;
  for (std::size_t l = 0; l < drawn.links.size(); ++l) {
    const Link& link = drawn.links[l];
    const auto between = [&](const VectorXcd& of_masses, const auto& of_base) {
      const auto at = [&](int end) -> Complex { return end < 0 ? of_base(end) : of_masses[end]; };
      return at(link.to) - at(link.from);
    };
    const auto none = [](int) { return Complex(0); };
    all[n + static_cast<Eigen::Index>(l)] = (link.k * (1.0 + i * link.eta) + i * w * link.c) * between(x, base) +
                                            link.k * between(rest, none) +
                                            (Matrices::is_general(link) ? link.k * between(viscous, none) : 0.0);
  }
  return all;
}

// The same with links that stand crosswise: each of their axes by itself, of the part of the input along it.
// Motions are those along z again, forces those along the links.
VectorXcd direct(const Drawn& drawn, double f) {
  if (drawn.axes.isIdentity()) return along(drawn, f);
  Drawn across = drawn;
  for (Link& link : across.links) link.k *= stiffer;
  const VectorXcd stiff = along(across, f);
  VectorXcd all = along(drawn, f);
  const auto masses = std::ssize(drawn.masses);
  const double share = drawn.axes(2, 2);  // of z along the links
  all *= share;
  all.head(masses) = share * all.head(masses) + (1 - share * share) * stiff.head(masses);
  return all;
}

std::vector<Drawn> draw_models() {
  // Those that went wrong once come first.
  std::vector<Drawn> all{
      {"base motion at the start of the band", {3.7}, {{-1, 0, 52345, 0, 260}, {-2, 0, 52345, 0, 260}}, {1, -0.4}},
      {"absolute displacement", {2}, {{-1, 0, 2 * std::pow(2 * pi * 18.9, 2), 0.6, 0}}, {1}, 0.1, 10},
      {"equal bodies", {2, 2}, {{-1, 0, 4e5, 0.3, 0}, {-1, 1, 4e5, 0.5, 0}}, {1}, 1, 300},
      {"hardly damped", {1, 3}, {{-1, 0, 4e4, 2e-5, 0}, {0, 1, 9e4, 2e-5, 0}}, {1}, 5, 200},
      {"critical", {2}, {{-1, 0, 8e4, 0, 2 * std::sqrt(8e4 * 2.0)}}, {1}, 1, 500, 3},
      {"far beyond critical", {2, 1}, {{-1, 0, 8e4, 0, 9e4}, {0, 1, 1e4, 0.1, 0}}, {1}, 0.5, 500, -6},
      {"narrow band", {2, 1}, {{-1, 0, 8e4, 0.02, 0}, {0, 1, 1e4, 0, 5}}, {1}, 12, 13},
      {"spring and dashpot in series", {4, 0}, {{-1, 0, 9e4, 0.02, 0}, {-1, 1, 3e5, 0, 0}, {1, 0, 0, 0, 900}}, {1}},
      {"nothing but a series", {4, 0}, {{-1, 0, 9e4, 0, 0}, {-1, 1, 3e5, 0, 0}, {1, 0, 0, 0, 300}}, {1}},
      {"loss factors in series", {4, 0}, {{-1, 1, 9e4, 0.4, 0}, {1, 0, 3e5, 0.02, 0}}, {1}},
      {"all kinds in a row",
       {4, 0, 0, 2, 0},
       {{-1, 1, 9e4, 0.4, 0},
        {1, 2, 7e4, 0, 300},
        {2, 0, 3e5, 0, 0},
        {0, 4, 6e4, 0.1, 0},
        {4, 3, 2e4, 0, 20},
        {-1, 4, 0, 0, 90}},
       {1}},
      {"loss between two bases",
       {0, 3},
       {{-1, 0, 9e4, 0.4, 0}, {-2, 0, 5e4, 0.05, 0}, {0, 1, 7e4, 0.02, 0}},
       {1, {0.3, -0.6}}},
      {"dashpot between two bases",
       {0, 3},
       {{-1, 0, 9e4, 0, 70}, {-2, 0, 5e4, 0.05, 0}, {0, 1, 7e4, 0.02, 0}},
       {1, {0.3, -0.6}}},
  };
  // Equal bodies on either side of critical damping: roots that all but coincide, twice over.
  for (const double apart : {1e-2, 1e-4, 1e-5, 1e-6, 1e-7, 1e-9, -1e-4, -1e-6, -1e-8}) {
    const double c = 2 * std::sqrt(8e4 * 2.0) * (1 - apart);
    all.push_back({"a part of " + std::to_string(1e9 * apart) + "e-9 below critical",
                   {2, 2},
                   {{-1, 0, 8e4, 0, c}, {-1, 1, 8e4, 0, c}},
                   {1},
                   1,
                   500,
                   3});
  }
  std::mt19937 random(11), other(12);
  std::uniform_real_distribution<double> uniform;
  const auto between = [&](double a, double b) { return a * std::pow(b / a, uniform(random)); };
  const char* const wanted = std::getenv("AVRENK_DRAWN_MODELS");
  const int count = wanted ? std::atoi(wanted) : 150;
  for (int k = 0; k < count; ++k) {
    Drawn drawn;
    drawn.what = "drawn " + std::to_string(k);
    const int n = 1 + k % 4;
    for (int m = 0; m < n; ++m) drawn.masses.push_back(between(0.1, 20));
    const bool two = k % 3 == 1;
    drawn.bases = {1};
    if (two) drawn.bases.push_back(std::polar(between(0.1, 2), 6 * uniform(random)));
    for (int m = 0; m < n; ++m) {
      Link link{m == 0 ? -1 : m - 1, m, between(1e3, 1e6), 0, 0};
      const double critical = 2 * std::sqrt(link.k * drawn.masses[static_cast<std::size_t>(m)]);
      if (uniform(random) < 0.5)
        link.eta = between(1e-3, 1);
      else
        link.c = critical * between(1e-3, 3);
      drawn.links.push_back(link);
    }
    if (two) drawn.links.push_back({-2, n - 1, between(1e3, 1e6), between(1e-3, 0.5), 0});
    if (k % 5 == 4) drawn.links.push_back({-1, n - 1, between(1e3, 1e5), 0, between(1, 300)});
    drawn.from = between(0.2, 50);
    drawn.to = drawn.from * between(1.05, 200);
    drawn.slope = 6 * (uniform(random) - 0.5);
    if (k % 3 == 2) {
      drawn.axes =
          Eigen::AngleAxisd(3 * uniform(random),
                            Vector3(uniform(random), uniform(random) - 0.5, 0.3 * uniform(random)).normalized())
              .toRotationMatrix();
      drawn.what += ", turned";
    }
    if (k % 7 == 3) {  // as of other units: a watch, a crane
      const double heavier = between(1e-4, 1e4), faster = between(0.05, 20);
      for (double& mass : drawn.masses) mass *= heavier;
      for (Link& link : drawn.links) {
        link.k *= heavier * faster * faster;
        link.c *= heavier * faster;
      }
      drawn.from *= faster;
      drawn.to *= faster;
      drawn.what += ", of another size";
    }
    all.push_back(drawn);
    if (k % 4 == 1) {
      Drawn pushed = drawn;
      for (int m = 0; m < n; ++m) pushed.forces.push_back(std::polar(1 + 9 * uniform(other), 6 * uniform(other)));
      pushed.order = 0.5 + 3 * uniform(other);
      pushed.what += ", under forces";
      all.push_back(pushed);
    }
    if (k % 4 == 2 && n > 1) {
      drawn.ratio = between(1e-3, 0.4);
      for (std::size_t l = 0; l < drawn.links.size(); ++l)
        if (l % 2 == 1) drawn.links[l].eta = drawn.links[l].c = 0;
      drawn.what += ", with a general ratio";
      all.push_back(drawn);
      continue;
    }
    if (n < 3) continue;
    drawn.what += ", the second without mass";
    drawn.masses[1] = 0;
    all.push_back(drawn);
  }
  return all;
}

class DrawnModels : public testing::Test {
 protected:
  // What is watched, and the same of the direct solution at a frequency.
  static std::vector<OutputRequest> requests(const Drawn& drawn) {
    std::vector<OutputRequest> all;
    const auto add = [&](std::string_view keyword, Subject subject, int item) {
      for (const OutputQuantity& quantity : output_quantities()) {
        if (quantity.keyword != keyword || quantity.subject != subject) continue;
        OutputRequest request;
        request.name = std::string(keyword) + std::to_string(item);
        request.quantity = &quantity;
        request.items = {item};
        all.push_back(request);
      }
    };
    const int feet = static_cast<int>(drawn.bases.size());
    for (int m = 0; m < static_cast<int>(drawn.masses.size()); ++m) {
      add("acceleration", Subject::node, feet + m);
      add("absolute displacement", Subject::node, feet + m);
    }
    for (int l = 0; l < static_cast<int>(drawn.links.size()); ++l) add("force", Subject::spring, l);
    return all;
  }
  static std::vector<double> squares(const Drawn& drawn, double f) {  // and after them of what may cancel in each
    const VectorXcd all = direct(drawn, f);
    const double w4 = std::pow(2 * pi * f, 4);
    std::vector<double> result;
    for (std::size_t m = 0; m < drawn.masses.size(); ++m) {
      const double square = std::norm(all[static_cast<Eigen::Index>(m)]);
      result.push_back(w4 * square);
      result.push_back(square);
    }
    for (std::size_t l = 0; l < drawn.links.size(); ++l)
      result.push_back(std::norm(all[static_cast<Eigen::Index>(drawn.masses.size() + l)]));
    double largest = std::norm(drawn.base(-1, f));
    for (std::size_t m = 0; m < drawn.masses.size(); ++m) largest = std::max(largest, result[2 * m + 1]);
    for (const double per_metre : sizes(drawn, f)) result.push_back(per_metre * per_metre * largest);
    return result;
  }
  // Of each of these how large it is per metre of motion.
  static std::vector<double> sizes(const Drawn& drawn, double f) {
    const double w = 2 * pi * f;
    std::vector<double> all;
    for (std::size_t m = 0; m < drawn.masses.size(); ++m) all.insert(all.end(), {w * w, 1});
    for (const Link& link : drawn.links) all.push_back(std::abs(Complex(link.k, link.k * link.eta + w * link.c)));
    return all;
  }
  // ∫ |w|² S df of every channel: Simpson's rule in ln f, halved until Richardson's estimate says that all are settled,
  // from the undamped natural frequencies on, so that no resonance lies between points.
  static std::vector<double> integrals(const Drawn& drawn, const LogLogTable& input) {
    std::vector<double> ends{std::log(drawn.from), std::log(drawn.to)};
    for (int k = 1; k < 100; ++k) ends.push_back(ends[0] + (ends[1] - ends[0]) * k / 100);
    for (const double f : natural_frequencies(drawn))
      if (f > drawn.from && f < drawn.to) ends.push_back(std::log(f));
    std::sort(ends.begin(), ends.end());
    using Values = Eigen::ArrayXd;
    const auto at = [&](double t) -> Values {
      const double f = std::exp(std::clamp(t, ends.front(), ends.back()));
      const std::vector<double> all = squares(drawn, f);
      return Eigen::Map<const Values>(all.data(), static_cast<Eigen::Index>(all.size())) * (f * input.at(f));
    };
    struct Interval {
      double a, b;
      Values left, middle, right;
      int depth;
    };
    const auto simpson = [](const Interval& i) -> Values {
      return (i.b - i.a) / 6 * (i.left + 4 * i.middle + i.right);
    };
    std::vector<Interval> open;
    Values coarse = Values::Zero(at(ends[0]).size()), sum = coarse;
    for (std::size_t k = 0; k + 1 < ends.size(); ++k) {
      open.push_back({ends[k], ends[k + 1], at(ends[k]), at(0.5 * (ends[k] + ends[k + 1])), at(ends[k + 1]), 0});
      coarse += simpson(open.back());
    }
    while (!open.empty()) {
      const Interval own = open.back();
      open.pop_back();
      const double middle = 0.5 * (own.a + own.b);
      const Interval one{own.a, middle, own.left, at(0.5 * (own.a + middle)), own.middle, own.depth + 1},
          two{middle, own.b, own.middle, at(0.5 * (middle + own.b)), own.right, own.depth + 1};
      const Values both = simpson(one) + simpson(two), error = (both - simpson(own)) / 15;
      if (own.depth > 40 || (error.abs() <= 1e-11 * coarse).all()) {
        sum += both + error;
        continue;
      }
      open.push_back(one);
      open.push_back(two);
    }
    return {sum.begin(), sum.end()};
  }
  // Its level over the speeds of a shaft of whose order the band is.
  static LogLogTable input_over(const Drawn& drawn, double order) {
    return LogLogTable({{drawn.from / order, 0.37, {}}, {drawn.to / order, std::nullopt, drawn.slope}}, 10);
  }
  // Base motion along z, or its forces: of sines those of an order of a shaft.
  static Environment environment_of(const Drawn& drawn, const LogLogTable& input, const auto& form) {
    Environment environment;
    environment.name = "drawn";
    environment.form = form;
    if (drawn.forces.empty()) {
      environment.axes = {2};
      environment.input = input;
      environment.grid = {drawn.from, drawn.to, 24, 21, {}};
      for (std::size_t b = 0; b < drawn.bases.size(); ++b)
        environment.motions.push_back({static_cast<int>(b), drawn.bases[b]});
      return environment;
    }
    DrivenLoad load;
    double order = 0;
    environment.grid = {drawn.from, drawn.to, 24, 21, {}};
    load.spectrum = input;
    if (environment.is_sine()) {
      order = drawn.order;
      environment.grid = {drawn.from / order, drawn.to / order, 24, 21, {}};
      load.amplitude = Amplitude(input_over(drawn, order)).stretched(order);
    }
    environment.load_cases = {{"", {load}, order}};
    return environment;
  }
  static std::vector<double> natural_frequencies(const Drawn& drawn) {
    const auto n = static_cast<Eigen::Index>(drawn.masses.size());
    MatrixXd stiffness = MatrixXd::Zero(n, n), mass = stiffness;
    for (Eigen::Index m = 0; m < n; ++m)
      mass(m, m) = std::max(1e-6 * *std::max_element(drawn.masses.begin(), drawn.masses.end()),
                            drawn.masses[static_cast<std::size_t>(m)]);
    for (const Link& link : drawn.links)
      for (const auto& [own, other] : {std::pair{link.from, link.to}, {link.to, link.from}}) {
        if (own >= 0) stiffness(own, own) += link.k;
        if (own >= 0 && other >= 0) stiffness(own, other) -= link.k;
      }
    std::vector<double> all;
    for (const double square : symmetric_eigen(stiffness, mass).values)
      for (const double times : {1.0, stiffer}) all.push_back(std::sqrt(times * square) / (2 * pi));
    return all;
  }
};

TEST_F(DrawnModels, HaveThePeaksAndMeanSquaresOfTheDirectSolution) {
  // Rounding is that of the largest motion, of which an isolated mass keeps 1e-7 at times: a ten thousandth of it
  // counts.
  const double close = std::getenv("AVRENK_DRAWN_MODELS") ? 1e-8 : 1e-9;  // of thousands a few are worse conditioned
  double off_peak = 0, off_rms = 0;
  for (const Drawn& drawn : draw_models()) {
    SCOPED_TRACE(drawn.what);
    const Solved solved(model_of(drawn), test::count(1000), drawn.ratio > 0 ? test::ratio(drawn.ratio) : DampingRule{});
    const auto watched = watch(solved.assembly, solved.channels, requests(drawn));
    const LogLogTable input = input_over(drawn, 1);
    const Environment noise = environment_of(drawn, input, RandomInput{}),
                      tone = environment_of(drawn, input, SineInput{});
    const CaseResults random = test::run_first(noise, solved, watched), sine = test::run_first(tone, solved, watched);
    const std::size_t channels = watched.size() / 4;  // x, y, z, magnitude
    ASSERT_EQ(2 * channels, squares(drawn, 10).size());
    const std::vector<double> exact = integrals(drawn, input);
    std::map<double, std::vector<double>> band;
    for (int s = 0; s <= 2000; ++s) {
      const double f = std::clamp(drawn.from * std::pow(drawn.to / drawn.from, s / 2000.0), drawn.from, drawn.to);
      band[f] = squares(drawn, f);
    }
    for (std::size_t c = 0; c < channels; ++c) {
      const std::size_t z = 4 * c + 2;
      const RandomRow& row = random.random()->rows[z];
      const auto error = [&](double found, double due, double largest) {
        return std::abs(found - due) / (due + 1e-4 * largest);
      };
      const double rms_error = error(row.rms, std::sqrt(exact[c]), std::sqrt(exact[channels + c]));
      EXPECT_LE(rms_error, 2e-8) << watched[z].name;
      off_rms = std::max(off_rms, rms_error);
      EXPECT_NEAR(row.curve_rms / row.rms, 1, 0.012) << watched[z].name;
      const SinePeak& peak = sine.sine()->rows[z].peak;
      const auto at = [&](double f, std::size_t of) {
        return std::sqrt(squares(drawn, f)[of]) * input.at(std::clamp(f, drawn.from, drawn.to));
      };
      const double peak_error = error(peak.value, at(peak.frequency, c), at(peak.frequency, channels + c));
      EXPECT_LE(peak_error, close) << watched[z].name;
      off_peak = std::max(off_peak, peak_error);
      for (const auto& [f, all] : band)
        ASSERT_LE(std::sqrt(all[c]) * input.at(f),
                  peak.value + close * (peak.value + 1e-4 * std::sqrt(all[channels + c]) * input.at(f)))
            << watched[z].name << ' ' << f;
      if (!drawn.axes.isIdentity()) continue;
      // Nothing moves across, but for rounding, which equal roots of different directions multiply.
      EXPECT_GE(sine.sine()->rows[z - 1].peak.value, 0);
      EXPECT_LE(sine.sine()->rows[z - 1].peak.value, 1e-7 * peak.value + 1e-10);
      EXPECT_LE(random.random()->rows[z - 1].rms, 1e-7 * random.random()->rows[z].rms + 1e-10);
    }
  }
  const test::KnownProblem known("models drawn at random", "equations solved at each frequency; Simpson's rule");
  known.error("peaks of motions and forces, the worst", off_peak, close);
  known.error("RMS of motions and forces, the worst", off_rms, 2e-8);
}

// A node of hardly any mass between unlike loss factors, whose own mode lies far above those that are computed, answers
// as the direct solution says, however light it is: of 1e-7 kg what its inertia does is left out.
TEST_F(DrawnModels, MoveLightNodesBetweenUnlikeDampersAsTheDirectSolution) {
  for (const double light : {0.1, 1e-2, 1e-4, 1e-7, 1e-12}) {
    SCOPED_TRACE(light);
    const Drawn drawn{"light", {5, light}, {{-1, 1, 9e4, 0.4, 0}, {1, 0, 3e5, 0.02, 0}}, {1}, 5, 60};
    const Solved solved(model_of(drawn), test::count(6), {});
    ASSERT_EQ(solved.basis.modes, 6);
    const auto watched = watch(solved.assembly, solved.channels, requests(drawn));
    Environment environment;
    environment.name = "drawn";
    environment.axes = {2};
    environment.input = LogLogTable({{drawn.from, 1, {}}, {drawn.to, 1, {}}}, 20);
    environment.grid = {drawn.from, drawn.to, 24, 21, {}};
    environment.form = SineInput{};
    const CaseResults sine = test::run_along(environment, 2, solved.system, solved.basis, solved.damping, watched);
    for (std::size_t c = 0; c < watched.size() / 4; ++c) {
      const double peak = sine.sine()->rows[4 * c + 2].peak.value;
      for (std::size_t k = 0; k < sine.grid().size(); ++k)
        ASSERT_NEAR(std::abs(sine.sine()->rows[4 * c + 2].curve(0, static_cast<Eigen::Index>(k))),
                    std::sqrt(squares(drawn, sine.grid()[k])[c]), 1e-8 * peak)
            << watched[4 * c + 2].name << ' ' << sine.grid()[k];
    }
  }
}

}  // namespace
}  // namespace avrenk
