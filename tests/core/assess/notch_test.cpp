#include "core/assess/notch.h"

#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <functional>

#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

// One mass on a spring at 40 Hz, ζ = 2 %: its transmissibility in closed form.
constexpr double natural = 40, ratio = 0.02;
double transmissibility(double f) {
  const std::complex<double> spring(1, 2 * ratio * f / natural);
  return std::abs(spring / (spring - std::pow(f / natural, 2)));
}

struct Vibrated {
  explicit Vibrated(const LogLogTable& input, Environment::Type type = Environment::Type::sine)
      : solved(test::chain({2.5}, {2.5 * std::pow(2 * pi * natural, 2)}), test::count(6), test::ratio(ratio)) {
    watched =
        watch(solved.assembly, solved.channels, {OutputRequest{"box", &output_quantities()[0], {1}, Vector3::Zero()}});
    const bool random = type == Environment::Type::random;
    environment.name = random ? "noise" : "sine";
    test::set_type(environment, type);
    environment.input = input;
    environment.axes = {2};
    environment.upper = random ? 1.2 : 1.1;
    environment.grid = {input.from(), input.to(), 24, 21, {}};
    specified = excitation_along(environment, 2, solved.system);
  }
  [[nodiscard]] std::optional<NotchedInput> notched(const std::vector<Limit>& own) {
    limits = own;
    return notched_input({specified, limits, {}, watched, solved.system}, {solved.basis, solved.damping});
  }
  Solved solved;
  std::vector<Output> watched;
  Environment environment;
  std::shared_ptr<const Excitation> specified;
  std::vector<Limit> limits;
};

Limit notched_at(double allowable, NotchRule rule = {}) {
  Limit limit;
  limit.name = "box-level";
  limit.response()->of = "box.acceleration.z";
  limit.response()->environments = {"sine", "noise"};
  limit.allowable = allowable;
  limit.response()->notch = rule;
  return limit;
}

// With steps, slopes and factors: the highest input is min(specified, allowable/(factor · upper · |T|)) at each point;
// what is applied is nowhere above it, nowhere lower by more than the decibel that is stated (and what three digits
// make), and is what was specified elsewhere. Between the points the closed form says so, at 40 000 frequencies.
TEST(Notch, KeepsTheLimitAndNoMore) {
  const LogLogTable flat({{10, 2, {}}, {100, 2, {}}}, 20),
      sloped({{5, 0.5, {}}, {39, 4, {}}, {39, 2, {}}, {90, 1, {}}}, 20);
  struct Case {
    const LogLogTable& input;
    double allowable, factor;
    bool at_upper;
  };
  for (const Case& each : {Case{flat, 12, 1, false}, Case{flat, 49, 1, false}, Case{flat, 12, 1.25, true},
                           Case{sloped, 9, 1, false}, Case{sloped, 3, 1.1, true}}) {
    Vibrated vibrated(each.input);
    Limit limit = notched_at(each.allowable);
    limit.factor = each.factor;
    limit.response()->at_upper = each.at_upper;
    const auto found = vibrated.notched({limit});
    ASSERT_TRUE(found);
    const double room = each.allowable / (each.factor * (each.at_upper ? 1.1 : 1));
    for (std::size_t k = 0; k < found->grid.size(); ++k) {
      const double f = found->grid[k];
      EXPECT_NEAR(found->highest[k] / std::min(each.input.at(f), room / transmissibility(f)), 1, 1e-9) << f;
    }
    double deepest = 0, where = 0;
    constexpr int points = 40000;
    for (int k = 0; k <= points; ++k) {
      const double f =
          each.input.from() * std::pow(each.input.to() / each.input.from(), static_cast<double>(k) / points);
      const double applied = found->table.at(f), specified = each.input.at(f),
                   highest = std::min(specified, room / transmissibility(f));
      ASSERT_LE(applied * transmissibility(f), room * (1 + 1e-9)) << f;
      ASSERT_LE(applied, specified * (1 + 1e-12)) << f;
      const bool inside = std::any_of(found->notches.begin(), found->notches.end(),
                                      [&](const Notch& notch) { return f >= notch.from && f <= notch.to; });
      ASSERT_GE(applied, inside ? highest * std::pow(10, -1.01 / 20) : specified * (1 - 1e-12)) << f;
      if (const double depth = specified / highest; depth > deepest) {
        deepest = depth;
        where = f;
      }
    }
    const auto worst = std::max_element(found->notches.begin(), found->notches.end(),
                                        [](const Notch& a, const Notch& b) { return a.depth < b.depth; });
    EXPECT_NEAR(worst->at, where, 0.02 * where);
    EXPECT_NEAR(worst->depth, 20 * std::log10(deepest), 1.1);
    EXPECT_EQ(worst->limits.front()->name, "box-level");
    EXPECT_TRUE(found->not_kept.empty());
    EXPECT_LE(found->table.stretches().size(), 22U) << "few enough to be typed";
    EXPECT_EQ(found->applied->name(), "sine.z.notched");
    EXPECT_EQ(found->applied->specified, found->specified);
  }
}

TEST(Notch, IsNoneWhereNoLimitIsPassedOrNoneAsksForIt) {
  Vibrated vibrated(LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20));
  EXPECT_FALSE(vibrated.notched({}));
  EXPECT_FALSE(vibrated.notched({notched_at(60)}));
  Limit silent = notched_at(12);
  silent.response()->notch.reset();
  EXPECT_FALSE(vibrated.notched({silent}));
  silent = notched_at(12);
  silent.response()->environments = {"another"};
  EXPECT_FALSE(vibrated.notched({silent}));
}

// Whether an input is nowhere below what a limit may do at least, keeps the limit wherever that does, and is what is
// specified outside the closed form's own notch but for the points of the grid beside it.
template <typename Input, typename Highest>
void expect_lowered_no_more_than_it_may(const NotchedInput& found, const Input& specified, const Highest& highest,
                                        const std::function<double(double)>& least, double factor) {
  const LogLogTable& applied = found.table;
  constexpr int points = 40000;
  for (int k = 0; k <= points; ++k) {
    const double f = applied.from() * std::pow(applied.to() / applied.from(), static_cast<double>(k) / points);
    const double level = applied.at(f), most = highest(f), low = least(f);
    ASSERT_GE(level, low * (1 - 1e-9)) << f;
    ASSERT_LE(level, std::max(low, most) * (1 + 1e-9)) << f;
    const bool is_beside = highest(0.9 * f) < specified(f) || highest(1.1 * f) < specified(f);
    if (most >= specified(f) && !is_beside) {
      ASSERT_GE(level, specified(f) * (1 - 1e-12)) << f;
    }
    if (most < low) {
      ASSERT_NEAR(level, low, 1e-9 * low) << f;
    }
  }
  const auto deepest = std::max_element(found.notches.begin(), found.notches.end(),
                                        [](const Notch& x, const Notch& y) { return x.depth < y.depth; });
  EXPECT_NEAR(deepest->depth, factor * std::log10(specified(deepest->at) / least(deepest->at)), 1e-8);
}

// A depth or a floor that keeps a limit from being met is told with its size, and never undercut; the limit is kept
// wherever they let it be, and nothing is lowered farther out; of two limits the stricter makes the notch.
TEST(Notch, StopsAtItsDepthAndFloor) {
  const LogLogTable sloped({{10, 1, {}}, {100, 4, {}}}, 20);
  for (const LogLogTable& input : {LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20), sloped}) {
    Vibrated vibrated(input);
    for (const NotchRule rule : {NotchRule{0.5, 0}, {0, 0.8}, {0.5, 1.2}, {0.95, 0}, {0, 1.9}}) {
      const auto found = vibrated.notched({notched_at(12, rule)});
      ASSERT_TRUE(found);
      const auto least = [&](double f) {
        return std::max(rule.deepest * input.at(f), std::min(rule.floor, input.at(f)));
      };
      expect_lowered_no_more_than_it_may(
          *found, [&](double f) { return input.at(f); },
          [&](double f) { return std::min(input.at(f), 12 / transmissibility(f)); }, least, 20);
      ASSERT_EQ(found->not_kept.size(), 1U);
      double over = 0;
      for (double f = 39; f < 41; f += 1e-4) over = std::max(over, found->table.at(f) * transmissibility(f) / 12);
      EXPECT_NEAR(found->not_kept.front().over, over, 1e-6);
    }
  }
  Vibrated vibrated(LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20));
  Limit strict = notched_at(8);
  strict.name = "strict";
  const auto found = vibrated.notched({notched_at(12), strict});
  ASSERT_TRUE(found);
  ASSERT_EQ(found->notches.front().limits.size(), 1U);
  EXPECT_EQ(found->notches.front().limits.front()->name, "strict");
  // What a static answer takes by itself leaves no input at all: sixty decibels are the end.
  Limit impossible = notched_at(1e-9);
  const auto none = vibrated.notched({impossible});
  ASSERT_TRUE(none);
  EXPECT_EQ(none->not_kept.size(), 1U);
  EXPECT_GE(none->table.highest(), 2e-3 * (1 - 1e-9));
}

// What is allowed exactly is not lowered, and a part in a million less is.
TEST(Notch, BeginsWhereTheLimitIsPassed) {
  Vibrated vibrated(LogLogTable({{10, 2, {}}, {100, 2, {}}}, 20));
  double highest = 0;
  for (double f = 39.9; f < 40.1; f += 1e-6) highest = std::max(highest, 2 * transmissibility(f));
  EXPECT_FALSE(vibrated.notched({notched_at(highest * (1 + 1e-9))}));
  const auto found = vibrated.notched({notched_at(highest * (1 - 1e-6))});
  ASSERT_TRUE(found);
  EXPECT_TRUE(found->not_kept.empty());
  EXPECT_EQ(found->notches.size(), 1U);
}

// A limit on a PSD, the same everywhere, a table, and force limiting, with a factor at the upper tolerance: the highest
// input is min(S, limit/|T|²) at each point by the closed form, the applied one nowhere above it at 40 000 frequencies
// and within a decibel in the notches.
TEST(NotchOfNoise, KeepsAPsdAndNoMore) {
  const LogLogTable input({{10, 1, {}}, {39, 4, {}}, {39, 2, {}}, {300, 1, {}}}, 10);
  const LogLogTable table({{20, 60, {}}, {60, 20, {}}, {60, 200, {}}, {200, 200, {}}}, 10),
      force({{1e-3, 9, {}}, {45, 9, {}}, {1e6, {}, -6}}, 10);
  for (const AllowedPsd& allowed :
       {AllowedPsd{LogLogTable({{1e-3, 40, {}}, {1e6, 40, {}}}, 10)}, AllowedPsd{table}, AllowedPsd{force, true}}) {
    Vibrated shaken(input, Environment::Type::random);
    Limit limit = notched_at(0);
    limit.response()->take_random.form = Take::Form::psd;
    limit.response()->allowed_psd = allowed;
    limit.factor = 1.1;
    limit.response()->at_upper = true;
    const auto found = shaken.notched({limit});
    ASSERT_TRUE(found);
    const auto highest = [&](double f) {
      const double room = allowed.at(f, input.at(f)), square = std::pow(1.1 * 1.2 * transmissibility(f), 2);
      return room > 0 ? std::min(input.at(f), room / square) : input.at(f);
    };
    for (std::size_t k = 0; k < found->grid.size(); ++k)
      EXPECT_NEAR(found->highest[k] / highest(found->grid[k]), 1, 1e-8) << found->grid[k];
    constexpr int points = 40000;
    for (int k = 0; k <= points; ++k) {
      const double f = 10 * std::pow(30, static_cast<double>(k) / points), applied = found->table.at(f);
      ASSERT_LE(applied, highest(f) * (1 + 1e-9)) << f;
      ASSERT_LE(applied, input.at(f) * (1 + 1e-12)) << f;
      const bool inside = std::any_of(found->notches.begin(), found->notches.end(),
                                      [&](const Notch& notch) { return f >= notch.from && f <= notch.to; });
      // Beside a step of what is allowed the lines slope over one stretch of the grid.
      if (!inside) {
        ASSERT_GE(applied, input.at(f) * (1 - 1e-12)) << f;
      } else if (!allowed.table.stretch_at(60) || std::abs(f - 60) > 3) {
        ASSERT_GE(applied, highest(f) * std::pow(10, -1.1 / 10)) << f;
      }
    }
    EXPECT_TRUE(found->not_kept.empty());
    EXPECT_EQ(found->applied->name(), "noise.z.notched");
    EXPECT_EQ(found->applied->spectrum.levels().front().stretches().size(), found->table.stretches().size());
  }
}

// A limit on 3σ: the closed form integrated by Simpson's rule under what is applied meets it, and not by much; the area
// of the input that is lost is hardly more than the least there is, that of lowering by the depth allowed where |T|² is
// above the one threshold that does.
TEST(NotchOfNoise, MeetsAnRmsWithTheLeastAreaLost) {
  const LogLogTable input({{10, 2, {}}, {300, 2, {}}}, 10);
  for (const auto& [part, decibel] : {std::pair{0.9, 0.0}, {0.7, 0.0}, {0.5, 0.0}, {0.6, 20.0}}) {
    Vibrated shaken(input, Environment::Type::random);
    const auto integral = [&](const auto& weight) {
      constexpr int points = 400000;
      double sum = 0;
      for (int k = 0; k <= points; ++k) {
        const double f = 10 + 290.0 * k / points;
        sum += (k == 0 || k == points ? 0.5 : 1) * weight(f);
      }
      return sum * 290 / points;
    };
    const auto square = [](double f) { return std::pow(transmissibility(f), 2); };
    const double full = integral([&](double f) { return 2 * square(f); });
    Limit limit = notched_at(3 * part * std::sqrt(full));
    limit.response()->take_random = {Take::Form::sigma, 3};
    if (decibel > 0) limit.response()->notch->deepest = std::pow(10, -decibel / 20);
    const auto found = shaken.notched({limit});
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->not_kept.empty());
    const double applied = integral([&](double f) { return found->table.at(f) * square(f); });
    EXPECT_LE(applied, part * part * full * (1 + 1e-4)) << part;
    EXPECT_GE(applied, part * part * full * 0.9) << part;
    const double left = decibel > 0 ? std::pow(10, -decibel / 10) : 0.063;
    double low = 0, high = 1e4;
    for (int k = 0; k < 60; ++k) {
      const double threshold = 0.5 * (low + high);
      const double variance = integral([&](double f) { return 2 * square(f) * (square(f) > threshold ? left : 1); });
      (variance > part * part * full ? high : low) = threshold;
    }
    const double least = integral([&](double f) { return square(f) > low ? 2 * (1 - left) : 0.0; });
    const double lost = input.area() - found->table.area();
    EXPECT_GE(lost, 0.99 * least) << part;
    EXPECT_LE(lost, 1.2 * least) << part;
    for (const PowerLaw& line : found->table.stretches()) EXPECT_GE(std::min(line.v1, line.v2), 2 * left * (1 - 1e-9));
  }
  // Where even the deepest of all does not do, the RMS that it would leave is reached within a per cent, and what adds
  // nothing to it is left alone.
  for (const double decibel : {0.0, 3.0}) {
    Vibrated shaken(input, Environment::Type::random);
    Limit limit = notched_at(0.1);
    limit.response()->take_random = {Take::Form::rms, 1};
    if (decibel > 0) limit.response()->notch->deepest = std::pow(10, -decibel / 20);
    const auto found = shaken.notched({limit});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->not_kept.size(), 1U);
    const double left = decibel > 0 ? std::pow(10, -decibel / 10) : 0.063;
    double least = 0, applied = 0;
    for (double f = 10.0005; f < 300; f += 0.001) {
      const double square = 0.001 * std::pow(transmissibility(f), 2);
      least += 2 * left * square;
      applied += found->table.at(f) * square;
    }
    EXPECT_NEAR(found->not_kept.front().over, std::sqrt(applied) / 0.1, 1e-4 * found->not_kept.front().over);
    EXPECT_LE(applied, 1.021 * least);
    EXPECT_GE(applied, least);
    EXPECT_EQ(found->table.at(250), 2) << "far above the resonance";
  }
}

// A PSD limit that its depth or floor keeps from being met lowers what it would lower without them, and no more.
TEST(NotchOfNoise, StopsAtItsDepthAndFloor) {
  const LogLogTable input({{10, 1, {}}, {300, 3, {}}}, 10);
  Vibrated shaken(input, Environment::Type::random);
  for (const NotchRule rule : {NotchRule{std::pow(10, -3 / 20.0), 0}, {std::pow(10, -6 / 20.0), 0}, {0, 1.1}}) {
    Limit limit = notched_at(0, rule);
    limit.response()->take_random.form = Take::Form::psd;
    limit.response()->allowed_psd = AllowedPsd{LogLogTable({{1e-3, 20, {}}, {1e6, 20, {}}}, 10)};
    const auto found = shaken.notched({limit});
    ASSERT_TRUE(found);
    ASSERT_EQ(found->not_kept.size(), 1U);
    expect_lowered_no_more_than_it_may(
        *found, [&](double f) { return input.at(f); },
        [&](double f) { return std::min(input.at(f), 20 / std::pow(transmissibility(f), 2)); },
        [&](double f) {
          return std::max(rule.deepest * rule.deepest * input.at(f), std::min(rule.floor, input.at(f)));
        },
        10);
  }
}

}  // namespace
}  // namespace avrenk
