#include "core/assess/life.h"

#include <gtest/gtest.h>

#include <cmath>
#include <list>

#include "core/response/history.h"
#include "support/rainflow.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::Solved;

const OutputQuantity* quantity_of(std::string_view keyword, Subject subject) {
  for (const OutputQuantity& each : output_quantities())
    if (each.keyword == keyword && each.subject == subject) return &each;
  return nullptr;
}

FatigueLine line_of(const Kind& kind, double strength, double slope) {
  FatigueLine line;
  line.kind = &kind;
  line.strength = strength;
  line.cycles = 1e6;
  line.slope = slope;
  return line;
}

Environment shaken(const std::string& name, Environment::Type type, const LogLogTable& input, int axis) {
  Environment environment;
  environment.name = name;
  test::set_type(environment, type);
  environment.input = input;
  environment.axes = {axis};
  environment.grid = {input.from(), input.to(), 24, 21, {}};
  if (environment.is_sine()) environment.sine().sweep_rate = 2;
  return environment;
}

Environment gravity(const Vector3& field) {
  Environment environment;
  environment.name = "gravity";
  environment.form = StaticInput{};
  environment.at_rest().acceleration = field;
  return environment;
}

// All environments applied, and what is watched.
struct Lived {
  Lived(Assembly model, const ModeRequest& modes, const DampingRule& damping, std::vector<Environment> all,
        const std::vector<OutputRequest>& requests)
      : environments(std::move(all)), solved(std::move(model), modes, damping) {
    for (const Environment& each : environments)
      for (const auto& excitation : excitations(each, solved.assembly, solved.system))
        loads.push_back(std::make_unique<CaseResponse>(excitation, solved.system, solved.basis, solved.damping));
    if (!solved.assembly.groups.empty()) {
      stations.emplace(solved.assembly);
      survey = survey_stress(solved.assembly, solved.system, solved.basis, solved.damping, *stations, loads,
                             {{*requests[0].quantity->of_nodes, requests[0].parts}}, 2);
    }
    watched = watch(solved.assembly, solved.channels, requests, {stations ? &*stations : nullptr, &survey});
    for (const auto& load : loads) cases.push_back({load.get(), &watched, &solved.channels});
  }
  [[nodiscard]] std::vector<Life> lives(const std::vector<LifeRequest>& requests, int threads = 2) const {
    kept.push_back(requests);  // lives refer to them
    return find_lives(kept.back(), solved.assembly, cases, stations ? &*stations : nullptr, threads);
  }
  std::vector<Environment> environments;
  Solved solved;
  CaseResponses loads;
  std::optional<StressStations> stations;
  StressSurvey survey;
  std::vector<Output> watched;
  std::vector<LifeCase> cases;
  mutable std::list<std::vector<LifeRequest>> kept;
};

template <typename Function>
double simpson(const Function& function, double from, double to, int pairs) {
  double sum = 0;
  for (int k = 0; k <= 2 * pairs; ++k)
    sum += (k == 0 || k == 2 * pairs ? 1 : k % 2 ? 4 : 2) * function(from + (to - from) * k / (2 * pairs));
  return sum * (to - from) / (6 * pairs);
}

// One mass on a spring: the spring's force is m times the absolute acceleration, whose transmissibility is in any book.
// Sweeps, a dwell and noise in sequence, with a mean by Gerber's rule and a factor: damage integrated over the closed
// form by Simpson's rule, stretch by stretch of the input, 1e-9 (what the modes of the stiff other directions leave).
TEST(Life, OfOneMassIsThatOfItsClosedForm) {
  constexpr double natural = 40, ratio = 0.02, mass = 2.5, slope = 6;
  const auto transmissibility = [](double f) {
    const std::complex<double> spring(1, 2 * ratio * f / natural);
    return std::abs(spring / (spring - std::pow(f / natural, 2)));
  };
  const LogLogTable stepped({{10, 2, {}}, {38, 4, {}}, {38, 8, {}}, {90, 8, {}}}, 20),
      noise({{15, 3, {}}, {200, 3, {}}}, 10);
  const Lived lived(test::chain({mass}, {mass * std::pow(2 * pi * natural, 2)}), test::count(6), test::ratio(ratio),
                    {gravity({0, 0, 9.81}), shaken("sine", Environment::Type::sine, stepped, 2),
                     shaken("noise", Environment::Type::random, noise, 2)},
                    {{"mount", quantity_of("force", Subject::spring), {0}}});
  LifeRequest request;
  request.name = "campaign";
  request.subjects = {{"mount.force.z", line_of(kind::force, 500, slope)}};
  request.subjects[0].line.mean = MeanStressRule::gerber;
  request.subjects[0].line.ultimate = 200;
  request.through = {{"sine", 3}, {"sine", 0, 52, 70}, {"noise", 0, 0, 90}};
  request.with = "gravity";
  request.factor = 1.2;
  for (const Counting counting : {Counting::narrow_band, Counting::dirlik, Counting::tovo_benasciutti}) {
    request.counting = counting;
    const Life life = lived.lives({request}).at(0);
    const double mean = mass * 9.81 * 1.2 / 200, factor = 1.2 / (1 - mean * mean);
    const auto amplitude = [&](double f) { return mass * stepped.at(f) * transmissibility(f); };
    const auto damage = [&](double f) { return std::pow(factor * amplitude(f) / 500, slope) / 1e6; };
    const double below = std::nextafter(38.0, 0);
    const double per_hertz = 3 * 60 / (2 * std::log(2.0));
    // Up to the step by its lower law.
    const auto lower = [&](double f) { return damage(std::min(f, below)); };
    const double swept = per_hertz * (simpson(lower, 10, 38, 100000) + simpson(damage, 38, 90, 100000));
    const double held = 52 * 70 * damage(52);
    SpectralMoments m;
    for (const auto& [order, moment] :
         {std::pair{0, &m.m0}, std::pair{1, &m.m1}, std::pair{2, &m.m2}, std::pair{4, &m.m4}})
      *moment =
          simpson([&, order = order](
                      double f) { return std::pow(f, order) * 3 * std::pow(factor * mass * transmissibility(f), 2); },
                  15, 200, 100000);
    const auto index = static_cast<std::size_t>(counting);
    const double random = 90 * random_damage_rates(request.subjects[0].line, m)[index];
    EXPECT_NEAR(life.mean / (mass * 9.81), 1, 1e-6);
    ASSERT_EQ(life.parts.size(), 3U);
    EXPECT_NEAR(life.parts[0].damage[index] / swept, 1, 1e-8);
    EXPECT_NEAR(life.parts[1].damage[index] / held, 1, 1e-8);
    EXPECT_NEAR(life.parts[2].damage[index] / random, 1, 1e-8);
    EXPECT_NEAR(life.times() * (swept + held + random), 1, 1e-8);
    // The whole sweep is one resonance: its cycles at the peak do what all of it does.
    ASSERT_FALSE(life.parts[0].resonances.empty());
    double all = 0;
    for (const SweptResonance& each : life.parts[0].resonances) {
      all += each.damage;
      EXPECT_NEAR(each.cycles / each.borne / each.damage, 1, 1e-12);
    }
    EXPECT_NEAR(all / life.parts[0].damage[index], 1, 5e-3);
    EXPECT_NEAR(life.parts[0].cycles / (per_hertz * 80), 1, 1e-9);
    EXPECT_NEAR(life.parts[1].cycles, 52 * 70, 1e-9);
  }
  request.through.push_back({"elsewhere", 1});
  EXPECT_TRUE(lived.lives({request}).empty()) << "not all of it was run";
  request.through = {{"sine", 0, 95, 70}};
  EXPECT_THROW((void)lived.lives({request}), InputError);
}

// Every fibre of a frame one by one, its curve integrated on a grid of its own: the worst is found among all, and its
// damage is right to what that grid can do. Damage is in proportion to time, and to the power of the slope in the
// factor; threads change nothing.
TEST(Life, FindsTheWorstOfAllFibres) {
  const LogLogTable level({{20, 5, {}}, {150, 5, {}}}, 20), noise({{20, 4, {}}, {300, 4, {}}}, 10);
  OutputRequest stress{"frame", quantity_of("normal stress", Subject::part), {}};
  const Assembly model = test::portal(std::nullopt);
  for (int beam = 0; beam < static_cast<int>(model.beams.size()); ++beam) stress.items.push_back(beam);
  for (const char* quantity : {"normal stress", "von Mises"}) {
    stress.quantity = quantity_of(quantity, Subject::part);
    const Lived lived(
        model, test::count(30), test::ratio(0.02),
        {shaken("sine", Environment::Type::sine, level, 0), shaken("noise", Environment::Type::random, noise, 1)},
        {stress});
    LifeRequest request;
    request.name = "campaign";
    request.subjects = {{std::string("frame.") + quantity, line_of(kind::stress, 20e6, 4)}};
    request.through = {{"sine", 2}, {"noise", 0, 0, 60}};
    const Life life = lived.lives({request}).at(0);
    const FatigueLine& line = request.subjects[0].line;
    double worst = 0;
    std::string where;
    const Output& watched = lived.watched[0];
    const CaseResponse &sine = *lived.loads[0], &random = *lived.loads[1];
    std::vector<double> fine;
    constexpr int points = 4000;
    for (int k = 0; k <= points; ++k) fine.push_back(20 * std::pow(7.5, static_cast<double>(k) / points));
    const StateTable states(*sine.transfer, fine, sine.excitation->drive.at(fine));
    for (std::size_t k = 0; k < watched.candidates->items.size(); ++k) {
      const Measure measure = watched.measure(k);
      const Eigen::MatrixXcd curve = states.times(measure.rows);
      double own = 0;
      for (std::size_t p = 0; p + 1 < fine.size(); ++p) {
        const double a = largest_over_phase(curve.col(static_cast<Eigen::Index>(p))),
                     b = largest_over_phase(curve.col(static_cast<Eigen::Index>(p + 1)));
        own += damage_of_cycles(line, 1,
                                0.5 * (std::pow(a, 4) + std::pow(b, 4)) * 2 * sweep_cycles(fine[p], fine[p + 1], 2));
      }
      const auto& c = *random.covariance;
      const IntegrationRule by_point = c.by_point();
      own +=
          60 * random_damage_rates(
                   line, spectral_moments(by_point, squares_of_points(c.states.times(measure.rows), c.roots.first)))[1];
      if (own <= worst) continue;
      worst = own;
      where = measure.label;
    }
    EXPECT_EQ(life.where, where);
    EXPECT_NEAR(life.counted_damage() / worst, 1, 2e-3);
    LifeRequest twice = request;
    twice.through = {{"sine.x", 2}, {"noise", 0, 0, 60}, {"sine", 2}, {"noise.y", 0, 0, 60}};
    EXPECT_NEAR(lived.lives({twice}).at(0).counted_damage() / life.counted_damage(), 2, 1e-9);
    request.factor = 1.25;
    EXPECT_NEAR(lived.lives({request}, 1).at(0).counted_damage() / life.counted_damage(), std::pow(1.25, 4), 1e-9);
    EXPECT_NEAR(life.factor_on_stress(), std::pow(life.counted_damage(), -0.25), 1e-12);
  }
}

// Records of the same case in time, cycles of each counted by rainflow: what Dirlik and Tovo–Benasciutti say is right
// to what they can do and four records of some 5000 cycles tell, 15 %; narrow band is not low.
TEST(Life, OfNoiseIsThatOfItsRecords) {
  const LogLogTable noise({{20, 4, {}}, {300, 4, {}}}, 10);
  const Assembly model = test::portal(std::nullopt);
  const Lived lived(model, test::count(30), test::ratio(0.02), {shaken("noise", Environment::Type::random, noise, 0)},
                    {{"frame", quantity_of("axial force", Subject::part), {0, 5, 12}}});
  const CaseResults outcome = run_case(*lived.loads[0], lived.watched);
  const std::string name = lived.watched[0].name;
  double counted = 0;
  constexpr int records = 4;
  constexpr double seconds = 60, strength = 100, slope = 4;
  for (std::uint64_t seed = 1; seed <= records; ++seed) {
    HistoryRequest request{"record", "noise.x", {name}, seconds, 6000, seed};
    const History history = make_history(request, *lived.loads[0], lived.watched, outcome, 2);
    counted += test::rainflow_sum(history.columns.back().values, strength, slope) / 1e6;
  }
  LifeRequest request;
  request.subjects = {{name, line_of(kind::force, strength, slope)}};
  request.through = {{"noise", 0, 0, records * seconds}};
  const Life life = lived.lives({request}).at(0);
  EXPECT_NEAR(life.damage[1] / counted, 1, 0.15);
  EXPECT_NEAR(life.damage[2] / counted, 1, 0.15);
  EXPECT_GT(life.damage[0] / counted, 0.95);
}

// Shells and solids: the field at every station and level is that of its channels taken one by one (its sum of a
// sweep at two points in each stretch of the grid), and the worst of the field is what is explained.
TEST(Life, OfShellsAndSolidsIsThatOfTheirChannels) {
  Assembly plate = test::part_of(mesh_shape(Plate{0.3, 0.2}, {false, false, 3e-3, 1}, {std::nullopt, {6, 4}}),
                                 test::shell_part("plate", 3e-3), test::alloy(0.02));
  Assembly block = test::part_of(mesh_shape(Box{{0.3, 0.04, 0.03}}, {true, false, 0, 1}, {std::nullopt, {6, 2, 1}}),
                                 test::solid_part("block"), test::alloy(0.02));
  for (Assembly* const model : {&plate, &block})
    for (const StressQuantity quantity : {StressQuantity::von_mises, StressQuantity::xx}) {
      test::hold(*model, [](const Vector3& x) { return x.x() < -0.1499; });
      const OutputQuantity* const watched =
          quantity_of(quantity == StressQuantity::xx ? "stress xx" : "von Mises", Subject::part);
      OutputRequest request{"metal", watched, {}};
      request.parts = {0};
      const LogLogTable level({{30, 5, {}}, {700, 5, {}}}, 20), noise({{30, 2, {}}, {700, 2, {}}}, 10);
      const Lived lived(*model, test::count(6), test::loss_factor(0.03),
                        {gravity({0, 4, -9.81}), shaken("sine", Environment::Type::sine, level, 2),
                         shaken("noise", Environment::Type::random, noise, 1)},
                        {request});
      LifeRequest campaign;
      campaign.subjects = {{lived.watched[0].name, line_of(kind::stress, 1e6, 5), {0}, quantity}};
      FatigueLine& line = campaign.subjects[0].line;
      line.mean = MeanStressRule::goodman;
      line.ultimate = 20e6;
      campaign.with = "gravity";
      campaign.through = {{"sine", 2}, {"noise", 0, 0, 30}};
      const Life life = lived.lives({campaign}).at(0);
      const CaseResponse &still = *lived.loads[0], &sine = *lived.loads[1], &random = *lived.loads[2];
      const auto& c = *random.covariance;
      const IntegrationRule by_point = c.by_point();
      double largest = 0;
      for (std::size_t s = 0; s < lived.stations->size(); ++s) {
        const StressStation& station = lived.stations->all()[s];
        const int index = static_cast<int>(s);
        for (int l = 0; l < levels_of(station); ++l) {
          const Eigen::MatrixXcd rows = lived.solved.channels.from_strain(
              quantity_rows(station, l, quantity) *
                  lived.stations->rows(std::array{index}, lived.solved.channels.strain_rows()),
              0.02);
          const Eigen::VectorXd mean = (rows * still.still).real();
          const double factor = mean_stress_factor(line, mean.size() == 1 ? mean[0] : mean.norm());
          double own = 0;
          for (std::size_t p = 0; p + 1 < sine.grid.size(); ++p)
            for (const double side : {-1, 1}) {
              const double width = sine.grid[p + 1] - sine.grid[p],
                           f = 0.5 * (sine.grid[p] + sine.grid[p + 1]) + side * width / std::sqrt(12.0);
              own += damage_of_cycles(line, factor * largest_over_phase(sine.sine->at({"", rows}, f)),
                                      sweep_cycles(0, width, 2));
            }
          const SpectralMoments m = spectral_moments(by_point, squares_of_points(c.states.times(rows), c.roots.first));
          const double square = factor * factor;
          own += 30 * random_damage_rates(line, {square * m.m0, square * m.m1, square * m.m2, square * m.m4})[1];
          largest = std::max(largest, own);
          if (own > 1e-9 * life.counted_damage()) {  // below that what cancels is rounding
            EXPECT_NEAR(life.field(l, index) / own, 1, 1e-6) << s << ' ' << l;
          }
        }
      }
      EXPECT_NEAR(life.counted_damage() / largest, 1, 5e-3);
      EXPECT_EQ(std::isnan(life.field(1, 0)), model == &block);
    }
}

}  // namespace
}  // namespace avrenk
