#include "core/assess/limits.h"
#include "core/modes/modal_basis.h"

#include <gmock/gmock.h>

#include <cmath>

#include "core/assess/clearance.h"
#include "core/error.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;
using testing::HasSubstr;

// One mass on a spring at 40 Hz, ζ = 2 %, watched along z, shaken along x and z.
struct Shaken {
  Shaken() : solved(test::chain({2.5}, {2.5 * std::pow(2 * pi * 40, 2)}), test::count(6), test::ratio(0.02)) {
    const OutputRequest request{"box", &output_quantities()[0], {1}, Vector3::Zero()};
    watched = watch(solved.assembly, solved.channels, {request});
    sine.name = "sine";
    sine.input = LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20);
    sine.grid = {10, 100, 24, 21, {}};
    random = sine;
    random.name = "random";
    random.form = RandomInput{};
    random.input = LogLogTable({{10, 0.5, {}}, {100, 0.5, {}}}, 10);
    for (const int axis : {0, 2}) {
      outcomes.push_back(test::run_along(sine, axis, solved.system, solved.basis, solved.damping, watched));
      outcomes.push_back(test::run_along(random, axis, solved.system, solved.basis, solved.damping, watched));
    }
  }
  [[nodiscard]] LimitResult check(const Limit& limit) const {
    kept = {limit};
    return check_limits(kept, outcomes, watched, solved.basis, solved.assembly).at(0);
  }
  Solved solved;
  std::vector<Output> watched;
  Environment sine, random;
  std::vector<CaseResults> outcomes;
  mutable std::vector<Limit> kept;
};

Limit limit_of(const std::string& of, const std::string& in, Take take, double allowable) {
  Limit limit;
  limit.name = "limit";
  limit.response()->of = of;
  limit.response()->environments = {in};
  (take.form == Take::Form::peak ? limit.response()->take : limit.response()->take_random) = take;
  limit.allowable = allowable;
  return limit;
}

TEST(Limits, TakeTheWorstOfTheirEnvironmentsAndSayWhich) {
  const Shaken shaken;
  const Output* z = find_output(shaken.watched, "box.acceleration.z");
  ASSERT_NE(z, nullptr);
  // 2 m/s² times the peak of |T| of one mass, closed form.
  const double r2 = (std::sqrt(1 + 8 * 0.0004) - 1) / (4 * 0.0004);
  const double peak = 2 * std::sqrt((1 + 0.0016 * r2) / (std::pow(1 - r2, 2) + 0.0016 * r2));
  const LimitResult sine = shaken.check(limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 60));
  EXPECT_NEAR(sine.value, peak, 1e-9 * peak);
  EXPECT_NEAR(sine.margin, 60 / peak - 1, 1e-9);
  EXPECT_TRUE(sine.met);
  EXPECT_EQ(sine.what, "box.acceleration.z, peak, sine.z");
  EXPECT_FALSE(shaken.check(limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 49)).met);
  Limit safe = limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 60);
  safe.factor = 1.25;
  EXPECT_NEAR(shaken.check(safe).margin, 60 / (1.25 * peak) - 1, 1e-9);
  EXPECT_FALSE(shaken.check(safe).met);
  // Along x alone hardly anything moves along z.
  EXPECT_LT(shaken.check(limit_of("box.acceleration.z", "sine.x", {Take::Form::peak, 1}, 60)).value, 1e-6 * peak);
  const LimitResult rms = shaken.check(limit_of("box.acceleration.z", "random", {Take::Form::rms, 1}, 60));
  const LimitResult three = shaken.check(limit_of("box.acceleration.z", "random", {Take::Form::sigma, 3}, 60));
  EXPECT_DOUBLE_EQ(three.value, 3 * rms.value);
  EXPECT_TRUE(three.gaussian);
  EXPECT_THAT(three.what, HasSubstr("3σ, random.z"));
  EXPECT_FALSE(shaken.check(limit_of("box.acceleration", "random", {Take::Form::sigma, 3}, 60)).gaussian);
  // Of a component 99.73 % of the time is 3σ; here next to nothing moves across z, and the magnitude is no longer.
  for (const char* name : {"box.acceleration.z", "box.acceleration"}) {
    const LimitResult often = shaken.check(limit_of(name, "random", {Take::Form::probability, 3}, 60));
    EXPECT_NEAR(often.value / three.value, 1, 1e-6) << name;
    EXPECT_TRUE(often.gaussian);
    EXPECT_THAT(often.what, HasSubstr("99.73 %, random.z"));
  }
}

TEST(Limits, AskForAFrequencyWithEnoughMass) {
  const Shaken shaken;
  Limit limit;
  limit.name = "first";
  limit.kind = FrequencyLimit{2, 0.1};
  limit.allowable = 35;
  LimitResult result = shaken.check(limit);
  EXPECT_NEAR(result.value, 40, 1e-9);
  EXPECT_NEAR(result.margin, 40.0 / 35 - 1, 1e-9);
  EXPECT_EQ(result.where, "mode 1, 100.0 %");
  limit.allowable = 45;
  EXPECT_FALSE(shaken.check(limit).met);
  limit.kind = FrequencyLimit{2, 0.1, true};
  EXPECT_TRUE(shaken.check(limit).met);
  limit.kind =
      FrequencyLimit{2, 1.5, true};  // no mode has so much: below is not met, above is as far as modes are proven
  EXPECT_FALSE(shaken.check(limit).met);
  limit.allowable = 2 * shaken.solved.basis.proven_below;  // where the modes end below the bound nothing is shown
  EXPECT_FALSE(shaken.check(limit).met);
  EXPECT_LE(shaken.check(limit).margin, 0);
  limit.allowable = 45;
  limit.kind = FrequencyLimit{2, 1.5};
  result = shaken.check(limit);
  EXPECT_TRUE(result.met);
  EXPECT_EQ(result.value, shaken.solved.basis.proven_below);
}

TEST(Limits, ComeWorstFirstAndSkipWhatWasNotRun) {
  const Shaken shaken;
  std::vector<Limit> limits{limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 100),
                            limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 60),
                            limit_of("box.acceleration.z", "shock", {Take::Form::peak, 1}, 1)};
  const auto results =
      check_limits(limits, shaken.outcomes, shaken.watched, shaken.solved.basis, shaken.solved.assembly);
  ASSERT_EQ(results.size(), 2U);
  EXPECT_EQ(results[0].allowable, 60);
}

TEST(Environment, RefusesAResidualVectorInsideTheBand) {
  const Solved few(test::portal(std::nullopt), test::count(2), test::ratio(0.02));
  Environment environment;
  environment.name = "sine";
  environment.input = LogLogTable({{10, 1, {}}, {2 * few.basis.frequency(2), 1, {}}}, 20);
  environment.grid = {10, environment.input.to(), 24, 21, {}};
  try {
    (void)test::run_along(environment, 0, few.system, few.basis, few.damping, {});
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(),
                testing::AllOf(HasSubstr("modes: the residual vector at"), HasSubstr("falls inside environment sine"),
                               HasSubstr("compute modes up to ")));
  }
}

TEST(Output, NamesTheWorstOfManyAndEveryQuantityHasRows) {
  const Solved solved(test::portal(0.05), test::count(8), {});
  std::vector<OutputRequest> requests;
  std::size_t expected = 0;
  for (const OutputQuantity& quantity : output_quantities()) {
    OutputRequest request{"all", &quantity, {0, 1}, Vector3::Zero()};
    if (quantity.subject == Subject::base) request.items = {0};
    if (quantity.subject == Subject::pair) {
      request.items.clear();
      request.pairs = {{5, 9}, {0, 12}};
    }
    if (quantity.subject == Subject::node) request.items = {5, 9, 12};
    requests.push_back(request);
    expected += quantity.vector ? (quantity.subject == Subject::part || quantity.is_reciprocal ? 3 : 4) : 1;
  }
  const auto all = watch(solved.assembly, solved.channels, requests);
  EXPECT_EQ(all.size(), expected);
  EXPECT_EQ(watched_names(requests).size(), expected);
  const Transfer transfer = solved.transfer(0);
  for (const Output& each : all)
    for (std::size_t k = 0; k < each.candidates->items.size(); ++k) {
      const Measure measure = each.measure(k);
      EXPECT_EQ(measure.rows.cols(), transfer.layout().size()) << each.name;
      EXPECT_TRUE((measure.rows * transfer.state(31)).allFinite()) << each.name;
    }
  // The worst candidate is the one with the largest value, found by looking at each alone.
  const LogLogTable flat({{10, 1, {}}, {200, 1, {}}}, 20);
  const SineResponse response(transfer, flat,
                              frequency_grid({10, 200, 24, 21, {}}, {}, resonances(solved.basis, solved.damping)));
  for (const char* name : {"all.acceleration", "all.von Mises", "all.transmissibility.x"}) {
    const Output* found = find_output(all, name);
    ASSERT_NE(found, nullptr) << name;
    SineResponse::Curves curves(response, *found->candidates);
    const auto [index, peak] =
        response.worst({curves, found->first, found->count, found->quantity->per_input(), {}, 1});
    for (std::size_t k = 0; k < found->candidates->items.size(); ++k)
      EXPECT_LE(response.peak(found->measure(k)).value, peak.value * (1 + 1e-9));
    EXPECT_NEAR(response.peak(found->measure(index)).value, peak.value, 1e-12 * peak.value);
  }
}

// One mass on springs, 40 Hz along z, under gravity along −z: static travel g/ω², force m g.
TEST(Environment, AddsAStaticCaseToSineAndRandom) {
  const double omega = 2 * pi * 40, mass = 2.5;
  const Solved solved(test::chain({mass}, {mass * omega * omega}), test::count(6), test::ratio(0.02));
  const auto quantity = [](std::string_view keyword, Subject subject) {
    for (const OutputQuantity& each : output_quantities())
      if (each.keyword == keyword && each.subject == subject) return &each;
    return static_cast<const OutputQuantity*>(nullptr);
  };
  const auto watched = watch(solved.assembly, solved.channels,
                             {{"mount", quantity("force", Subject::spring), {0}, Vector3::Zero()},
                              {"box", quantity("acceleration", Subject::node), {1}, Vector3::Zero()},
                              {"box", quantity("relative displacement", Subject::node), {1}, Vector3::Zero()},
                              {"fixture", quantity("force", Subject::base), {0}, Vector3::Zero()},
                              {"fixture", quantity("equivalent acceleration", Subject::base), {0}, Vector3::Zero()},
                              {"fixture", quantity("apparent mass", Subject::base), {0}, Vector3::Zero()},
                              {"box", quantity("transmissibility", Subject::node), {1}, Vector3::Zero()}});
  const auto index = [&](const char* name) {
    return static_cast<std::size_t>(find_output(watched, name) - watched.data());
  };
  Environment gravity;
  gravity.name = "gravity";
  gravity.form = StaticInput{};
  gravity.at_rest().acceleration = {0, 0, -standard_gravity};
  std::vector<CaseResults> outcomes;
  outcomes.reserve(3);
  outcomes.push_back(test::run_at_rest(gravity, solved.system, solved.basis, watched));
  const double weight = mass * standard_gravity;
  EXPECT_NEAR(outcomes[0].at_rest()->rows[index("mount.force.z")].value, weight, 1e-9);
  const auto& held = outcomes[0].at_rest()->rows[index("fixture.force.z")];  // the base holds it up
  EXPECT_NEAR(held.rows[2], weight, 1e-9);
  EXPECT_NEAR(held.with_sign, weight, 1e-9);
  const auto& sunk = outcomes[0].at_rest()->rows[index("box.relative displacement.z")];
  EXPECT_NEAR(sunk.with_sign * omega * omega / standard_gravity, -1, 1e-9);
  EXPECT_EQ(sunk.value, -sunk.with_sign);
  EXPECT_EQ(outcomes[0].at_rest()->rows[index("box.relative displacement")].with_sign, sunk.value);
  EXPECT_NEAR(outcomes[0].at_rest()->rows[index("fixture.equivalent acceleration")].value, standard_gravity, 1e-9);
  EXPECT_EQ(outcomes[0].at_rest()->rows[index("box.acceleration")].value, 0);

  Environment sine;
  sine.name = "sine";
  sine.input = LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20);
  sine.grid = {10, 100, 24, 21, {}};
  sine.upper = 1.1;
  sine.after = "gravity";
  std::vector<Limit> with;  // what they want together with gravity, each once, and nothing of another environment
  for (const auto& [of, in] :
       std::initializer_list<std::pair<const char*, const char*>>{{"mount.force.z", "sine"},
                                                                  {"mount.force", "sine.z"},
                                                                  {"mount.force", "sine"},
                                                                  {"box.acceleration", "other"}}) {
    with.push_back(limit_of(of, in, {Take::Form::peak, 1}, 1));
    with.back().response()->with = "gravity";
  }
  with.push_back(limit_of("box.acceleration", "sine", {Take::Form::peak, 1}, 1));
  const std::vector<StaticSum> sums =
      sums_for(with, *excitation_along(sine, 2, solved.system), {&outcomes[0]}, watched);
  EXPECT_EQ(sums,
            (std::vector<StaticSum>{{index("mount.force.z"), &outcomes[0]}, {index("mount.force"), &outcomes[0]}}));
  outcomes.push_back(test::run_along(sine, 2, solved.system, solved.basis, solved.damping, watched, sums));
  Environment random = sine;
  random.name = "random";
  random.form = RandomInput{};
  random.input = LogLogTable({{10, 0.5, {}}, {100, 0.5, {}}}, 10);
  random.upper = std::sqrt(2.0);
  outcomes.push_back(test::run_along(random, 2, solved.system, solved.basis, solved.damping, watched));
  const SineRow& force = outcomes[1].sine()->rows[index("mount.force.z")];
  for (const char* name : {"mount.force.z", "mount.force"}) {  // along one line: the sum, at any phase
    const WithStatic* const both = outcomes[1].sine()->rows[index(name)].together_with("gravity");
    ASSERT_TRUE(both);
    EXPECT_NEAR(both->value, weight + force.peak.value, 1e-8 * weight) << name;
    EXPECT_NEAR(both->upper_value, weight + 1.1 * force.peak.value, 1e-8 * weight) << name;
  }
  // |T| peaks at 2 m/s² times itself; the base feels m T ü, so that all ratios are T.
  const double peak = force.peak.value / (2 * mass);
  EXPECT_NEAR(outcomes[1].sine()->rows[index("box.transmissibility.z")].peak.value, peak, 1e-9 * peak);
  EXPECT_NEAR(outcomes[1].sine()->rows[index("fixture.apparent mass.z")].peak.value, mass * peak, 1e-9 * mass * peak);
  EXPECT_NEAR(outcomes[1].sine()->rows[index("fixture.equivalent acceleration.z")].peak.value, 2 * peak, 1e-9 * peak);
  EXPECT_NEAR(force.amplification, peak, 1e-9 * peak);
  EXPECT_NEAR(force.shares.at(0).second, 1, 1e-9);
  EXPECT_EQ(force.coupling, 0);

  Limit limit = limit_of("mount.force.z", "sine", {Take::Form::peak, 1}, 0);
  limit.response()->with = "gravity";
  limit.allowable = weight + 1.05 * force.peak.value;  // met at the nominal level, not at the upper tolerance
  std::vector<Limit> kept;
  const auto check = [&] { return check_limits(kept = {limit}, outcomes, watched, solved.basis, solved.assembly); };
  EXPECT_TRUE(check().at(0).met);
  EXPECT_LT(check().at(0).upper_margin, 0);
  limit.response()->at_upper = true;
  EXPECT_FALSE(check().at(0).met);
  limit = limit_of("mount.force.z", "random", {Take::Form::sigma, 3}, 1e4);
  limit.response()->with = "gravity";
  const double rms = outcomes[2].random()->rows[index("mount.force.z")].rms;
  EXPECT_NEAR(check().at(0).value, weight + 3 * rms, 1e-9 * weight);
  EXPECT_TRUE(check().at(0).upper_bound);
  EXPECT_NEAR(1e4 / (weight + 3 * std::sqrt(2.0) * rms) - 1, check().at(0).upper_margin, 1e-9);
  limit = limit_of("mount.force.z", "gravity", {Take::Form::peak, 1}, 2 * weight);
  EXPECT_NEAR(check().at(0).margin, 1, 1e-9);
  limit = {};
  limit.kind = MassLimit{};
  limit.allowable = 5;
  EXPECT_NEAR(check().at(0).margin, 1, 1e-12);
  limit.kind = MassLimit{"nothing"};
  EXPECT_EQ(check().at(0).value, 0);
}

TEST(Environment, CombinesItsAxes) {
  Shaken shaken;
  std::vector<const CaseResults*> random_axes, sine_axes;
  for (const CaseResults& outcome : shaken.outcomes) (!outcome.sine() ? random_axes : sine_axes).push_back(&outcome);
  const auto i = static_cast<std::size_t>(find_output(shaken.watched, "box.acceleration") - shaken.watched.data());
  const auto value = [&](const CaseResults& outcome) {
    return !outcome.sine() ? outcome.random()->rows[i].rms : outcome.sine()->rows[i].peak.value;
  };
  for (const auto& axes : {random_axes, sine_axes}) {
    Environment environment = axes[0]->environment();
    const double x = value(*axes[0]), z = value(*axes[1]);
    environment.combination = Environment::Combination::envelope;
    const CaseResults envelope = combine(environment, axes, shaken.watched);
    EXPECT_DOUBLE_EQ(value(envelope), std::max(x, z));
    EXPECT_EQ(envelope.name(), environment.name + ".combined");
    environment.combination = Environment::Combination::root_sum_of_squares;
    EXPECT_NEAR(value(combine(environment, axes, shaken.watched)), std::hypot(x, z), 1e-12 * std::hypot(x, z));
  }
}

TEST(Output, TurnsWithItsAxesAndMeasuresAlongALine) {
  const Solved solved(test::portal(0.05), test::count(8), {});
  const Matrix3 axes = Eigen::AngleAxisd(0.7, Vector3(1, 2, 3).normalized()).toRotationMatrix();
  OutputRequest turned{"tip", &output_quantities()[0], {9}, Vector3::Zero(), axes};
  const auto rows = watch(solved.assembly, solved.channels, {turned});
  const Transfer transfer = solved.transfer(1);
  const Eigen::VectorXcd local = rows[3].measure(0).rows * transfer.state(40);
  EXPECT_LE((local - axes.cast<Complex>() * solved.channels.motion(9, NodeMotion::absolute_acceleration) *
                         transfer.state(40).col(0))
                .norm(),
            1e-12 * local.norm());
  // Between two nodes: the change of their distance to first order, from their motions.
  OutputRequest gap;
  gap.name = "gap";
  gap.pairs = {{3, 9}};
  for (const OutputQuantity& each : output_quantities())
    if (each.keyword == "clearance") gap.quantity = &each;
  const auto clearance = watch(solved.assembly, solved.channels, {gap});
  const Vector3 apart = solved.assembly.nodes[9].position - solved.assembly.nodes[3].position;
  EXPECT_NEAR(clearance[0].gaps.at(0), apart.norm(), 1e-12);
  const Eigen::VectorXcd moved = (solved.channels.motion(9, NodeMotion::absolute_displacement) -
                                  solved.channels.motion(3, NodeMotion::absolute_displacement)) *
                                 transfer.state(40);
  const Complex exact = (apart.normalized().cast<Complex>().transpose() * moved)(0);
  EXPECT_LE(std::abs((clearance[0].measure(0).rows * transfer.state(40))(0) - exact), 1e-9 * std::abs(exact));
}

// Static and random added at each place: the place that is worst at the level applied is not the one that is worst at
// its upper tolerance. 10 + 3·1 against 0 + 3·4, and 10 + 4.5·1 against 0 + 4.5·4.
TEST(Limits, LookForTheWorstPlaceAgainAtTheUpperTolerance) {
  const Shaken shaken;
  Output two = *find_output(shaken.watched, "box.acceleration.z");
  Candidates candidates;
  candidates.base_width = candidates.width = 1;
  candidates.rows = Eigen::MatrixXcd::Zero(2, shaken.watched[0].candidates->rows.cols());
  candidates.base_labels = {"here", "there"};
  candidates.items = {{0, -1}, {1, -1}};
  two.candidates = std::make_shared<const Candidates>(candidates);
  two.first = 0;
  Environment random = shaken.random, still;
  random.upper = 1.5;
  still.name = "weight";
  still.form = StaticInput{};
  RandomRow row;
  row.rms = 4;
  row.candidate_rms = Eigen::Vector2d(1, 4);
  const System& system = shaken.solved.system;
  const CaseResults shake{excitation_along(random, 2, system), RandomAnswers{{}, {row}, 0}},
      weight{excitation_along(still, std::nullopt, system), StaticAnswers{{{10, "here", Eigen::Vector2d(10, 0)}}}};
  Limit limit = limit_of(two.name, "random", {Take::Form::sigma, 3}, 14);
  limit.response()->with = "weight";
  limit.response()->at_upper = true;
  const auto results = check_limits({limit}, {shake, weight}, {two}, shaken.solved.basis, shaken.solved.assembly);
  ASSERT_EQ(results.size(), 1U);
  EXPECT_NEAR(results[0].value, 13, 1e-12);
  EXPECT_EQ(results[0].where, "here");
  EXPECT_NEAR(results[0].margin, 14.0 / 13 - 1, 1e-12);
  EXPECT_NEAR(results[0].upper_margin, 14.0 / 18 - 1, 1e-12);
  EXPECT_FALSE(results[0].met);
}

// Of two bodies on top of each other, 3 kg on a spring of 4e4 N/m on 2 kg on one of 9e4 N/m, weight closes the gap
// between them by m g/k and a field upwards opens it by as much; vibration does both.
TEST(Clearance, JudgesWhatClosesTheGap) {
  const DampingRule rule{DampingRule::Form::loss_factor, 0.05};
  const Solved solved(test::chain({2, 3}, {9e4, 4e4}), test::count(1000), rule);
  OutputRequest request;
  request.name = "room";
  request.pairs = {{1, 2}};
  request.along = Vector3::UnitZ();
  request.gap = 5e-3;
  for (const OutputQuantity& each : output_quantities())
    if (each.keyword == "clearance") request.quantity = &each;
  const auto watched = watch(solved.assembly, solved.channels, {request});
  Environment down, up, sine, random;
  down.name = "down";
  up.name = "up";
  down.form = up.form = StaticInput{};
  down.at_rest().acceleration = {0, 0, -9.81};
  up.at_rest().acceleration = {0, 0, 9.81};
  for (Environment* each : {&sine, &random}) {
    each->axes = {2};
    each->input = LogLogTable({{10, 3, {}}, {100, 3, {}}}, 10);
    each->grid = {10, 100, 24, 21, {}};
    each->upper = 1.5;
  }
  sine.name = "sine";
  random.name = "random";
  random.form = RandomInput{};
  const auto run = [&](const Environment& environment) {
    return environment.is_static()
               ? test::run_at_rest(environment, solved.system, solved.basis, watched)
               : test::run_along(environment, 2, solved.system, solved.basis, solved.damping, watched);
  };
  const std::vector<CaseResults> outcomes{run(down), run(up), run(sine), run(random)};
  const double weight = 3 * 9.81 / 4e4, swing = outcomes[2].sine()->rows[0].peak.value,
               spread = outcomes[3].random()->rows[0].rms;
  struct Case {
    std::string in, with;
    double closing, upper;
  };
  for (const Case& each :
       {Case{"down", "", weight, weight}, Case{"up", "", -weight, -weight}, Case{"sine", "", swing, 1.5 * swing},
        Case{"sine", "down", swing + weight, 1.5 * swing + weight},
        Case{"sine", "up", swing - weight, 1.5 * swing - weight}, Case{"random", "", 3 * spread, 4.5 * spread},
        Case{"random", "up", 3 * spread - weight, 4.5 * spread - weight}}) {
    SCOPED_TRACE(each.in + " " + each.with);
    Limit limit;
    limit.name = "room";
    limit.response()->of = watched[0].name;
    limit.response()->environments = {each.in};
    limit.response()->take_random = {Take::Form::sigma, 3};
    limit.response()->with = each.with;
    limit.response()->at_least = 1e-3;
    const auto results = check_limits({limit}, outcomes, watched, solved.basis, solved.assembly);
    ASSERT_EQ(results.size(), 1U);
    EXPECT_NEAR(results[0].value, each.closing, 1e-9 * std::abs(each.closing));
    if (each.closing > 0) {
      EXPECT_NEAR(results[0].margin, 4e-3 / each.closing - 1, 1e-8 * 4e-3 / each.closing);
    } else {
      EXPECT_TRUE(results[0].met);
    }
    if (each.upper != each.closing) {
      EXPECT_NEAR(results[0].upper_margin, 4e-3 / each.upper - 1, 1e-8 * 4e-3 / each.upper);
    }
  }
  const Clearance both = clearance_of(watched[0], 0, outcomes[2], &outcomes[1], 1);
  EXPECT_NEAR(both.opening, swing + weight, 1e-9 * swing);
  EXPECT_NEAR(both.left(), 5e-3 - swing + weight, 1e-9 * swing);
}

}  // namespace
}  // namespace avrenk
