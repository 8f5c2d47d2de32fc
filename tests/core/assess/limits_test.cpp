#include "core/assess/limits.h"

#include <gmock/gmock.h>

#include "core/error.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;
using testing::HasSubstr;

// One mass on a spring at 40 Hz, ζ = 2 %, watched along z, shaken along x and z.
struct Shaken {
  Shaken() : solved(test::chain({2.5}, {2.5 * std::pow(2 * pi * 40, 2)}), test::count(6), test::ratio(0.02)) {
    const WatchRequest request{"box", &watched_quantities()[0], {1}, Vector3::Zero()};
    watched = watch(solved.assembly, solved.channels, {request});
    sine.name = "sine";
    sine.input = LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20);
    sine.grid = {10, 100, 24, 21, {}};
    random = sine;
    random.name = "random";
    random.type = Environment::Type::random;
    random.input = LogLogTable({{10, 0.5, {}}, {100, 0.5, {}}}, 10);
    for (const int axis : {0, 2}) {
      outcomes.push_back(run_environment(sine, axis, solved.basis, solved.damping, watched));
      outcomes.push_back(run_environment(random, axis, solved.basis, solved.damping, watched));
    }
  }
  [[nodiscard]] LimitResult check(const Limit& limit) const {
    kept = {limit};
    return check_limits(kept, outcomes, watched, solved.basis).at(0);
  }
  Solved solved;
  std::vector<Watched> watched;
  Environment sine, random;
  std::vector<Outcome> outcomes;
  mutable std::vector<Limit> kept;
};

Limit limit_of(const std::string& of, const std::string& in, Take take, double allowable) {
  Limit limit;
  limit.name = "limit";
  limit.of = of;
  limit.environments = {in};
  limit.take = take;
  limit.allowable = allowable;
  return limit;
}

TEST(Limits, TakeTheWorstOfTheirEnvironmentsAndSayWhich) {
  const Shaken shaken;
  const Watched* z = find_watched(shaken.watched, "box.acceleration.z");
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
}

TEST(Limits, AskForAFrequencyWithEnoughMass) {
  const Shaken shaken;
  Limit limit;
  limit.name = "first";
  limit.direction = 2;
  limit.effective_mass_above = 0.1;
  limit.above = 35;
  LimitResult result = shaken.check(limit);
  EXPECT_NEAR(result.value, 40, 1e-9);
  EXPECT_NEAR(result.margin, 40.0 / 35 - 1, 1e-9);
  EXPECT_EQ(result.where, "mode 1, 100.0 %");
  limit.above = 45;
  EXPECT_FALSE(shaken.check(limit).met);
  limit.above.reset();
  limit.below = 45;
  EXPECT_TRUE(shaken.check(limit).met);
  limit.effective_mass_above = 1.5;  // no mode has so much: below is not met, above is as far as modes are proven
  EXPECT_FALSE(shaken.check(limit).met);
  limit.below.reset();
  limit.above = 45;
  result = shaken.check(limit);
  EXPECT_TRUE(result.met);
  EXPECT_EQ(result.value, shaken.solved.basis.proven_below);
}

TEST(Limits, ComeWorstFirstAndSkipWhatWasNotRun) {
  const Shaken shaken;
  std::vector<Limit> limits{limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 100),
                            limit_of("box.acceleration.z", "sine", {Take::Form::peak, 1}, 60),
                            limit_of("box.acceleration.z", "shock", {Take::Form::peak, 1}, 1)};
  const auto results = check_limits(limits, shaken.outcomes, shaken.watched, shaken.solved.basis);
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
    (void)run_environment(environment, 0, few.basis, few.damping, {});
    FAIL();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(),
                testing::AllOf(HasSubstr("modes: the residual vector at"), HasSubstr("falls inside environment sine"),
                               HasSubstr("write modes: {up to:")));
  }
}

TEST(Watched, NamesTheWorstOfManyAndEveryQuantityHasRows) {
  const Solved solved(test::portal(0.05), test::count(8), {});
  std::vector<WatchRequest> requests;
  std::size_t expected = 0;
  for (const WatchedQuantity& quantity : watched_quantities()) {
    WatchRequest request{"all", &quantity, {0, 1}, Vector3::Zero()};
    if (quantity.subject == Subject::node) request.items = {5, 9, 12};
    requests.push_back(request);
    expected += quantity.vector ? (quantity.subject == Subject::beam ? 3 : 4) : 1;
  }
  const auto all = watch(solved.assembly, solved.channels, requests);
  EXPECT_EQ(all.size(), expected);
  EXPECT_EQ(watched_names(requests).size(), expected);
  const Transfer transfer = solved.transfer(0);
  for (const Watched& each : all)
    for (const Measure& measure : each.candidates) {
      EXPECT_EQ(measure.rows.cols(), transfer.layout().size()) << each.name;
      EXPECT_TRUE((measure.rows * transfer.state(31)).allFinite()) << each.name;
    }
  // The worst candidate is the one with the largest value, found by looking at each alone.
  const Watched* tip = find_watched(all, "all.acceleration");
  const LogLogTable flat({{10, 1, {}}, {200, 1, {}}}, 20);
  const SineResponse response(transfer, flat, frequency_grid({10, 200, 24, 21, {}}, {}, solved.basis, solved.damping));
  const auto [index, peak] = response.worst(tip->candidates);
  for (const Measure& measure : tip->candidates) EXPECT_LE(response.peak(measure).value, peak.value * (1 + 1e-9));
  EXPECT_DOUBLE_EQ(response.peak(tip->candidates[index]).value, peak.value);
}

}  // namespace
}  // namespace avrenk
