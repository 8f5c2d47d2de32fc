// Tones and bands on random: distributions by other integrals, the rest against single runs and by hand. Cross spectra
// and pairs of modes.
#include "core/response/on_random.h"

#include <gtest/gtest.h>

#include <boost/math/distributions/non_central_chi_squared.hpp>
#include <boost/math/distributions/normal.hpp>

#include "core/response/cross_spectrum.h"
#include "core/response/run_case.h"
#include "core/response/tone_distribution.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

// The mean over equally spaced phases, which converges faster than any power.
template <typename Function>
double mean_over_phase(const Function& f) {
  constexpr int points = 300;
  double sum = 0;
  for (int k = 0; k < points; ++k) sum += f(2 * pi * (k + 0.5) / points);
  return sum / points;
}

double share_of_normal(double level, double mean, double sigma) {
  const boost::math::normal_distribution<double> law(mean, sigma);
  return boost::math::cdf(law, level) - boost::math::cdf(law, -level);
}

// Sines of random phase on Gaussian noise, as the mean over phases of shifted Gaussians; their envelope as the mean of
// Rice's distribution (a non-central χ² of two degrees) over how far two tones are out of phase. To 1e-9, from noise
// alone to tones alone.
TEST(TonesOnNoise, AreMeansOverTheirPhases) {
  for (const double sigma : {0.1, 0.3, 1.0, 5.0})
    for (const auto& amplitudes :
         {std::vector<double>{}, std::vector<double>{1.0}, std::vector<double>{0.7, 0.6}, std::vector<double>{0.0}}) {
      const TonesOnNoise x{amplitudes, sigma};
      for (const double level : {0.1, 0.5, 1.0, 1.31, 2.0, 4.0}) {
        double share = 0, envelope = 0;
        const auto rice = [&](double amplitude) {
          if (amplitude < 1e-12) return -std::expm1(-0.5 * std::pow(level / sigma, 2));
          return boost::math::cdf(
              boost::math::non_central_chi_squared_distribution<double>(2, std::pow(amplitude / sigma, 2)),
              std::pow(level / sigma, 2));
        };
        if (amplitudes.size() == 2) {
          share = mean_over_phase([&](double a) {
            return mean_over_phase([&](double b) {
              return share_of_normal(level, amplitudes[0] * std::sin(a) + amplitudes[1] * std::sin(b), sigma);
            });
          });
          envelope = mean_over_phase(
              [&](double a) { return rice(std::abs(amplitudes[0] + amplitudes[1] * std::polar(1.0, a))); });
        } else {
          const double amplitude = amplitudes.empty() ? 0 : amplitudes[0];
          share = mean_over_phase([&](double a) { return share_of_normal(level, amplitude * std::sin(a), sigma); });
          envelope = rice(amplitude);
        }
        EXPECT_NEAR(share_within(x, level), share, 1e-9) << sigma << ' ' << amplitudes.size() << ' ' << level;
        EXPECT_NEAR(envelope_below(x, level), envelope, 1e-9) << sigma << ' ' << amplitudes.size() << ' ' << level;
      }
      for (const double share : {0.05, 0.6827, 0.9973})
        EXPECT_NEAR(share_within(x, level_within(x, share)), share, 1e-8);
    }
  // A tone alone: the arc sine.
  const std::vector<double> one{2};
  EXPECT_NEAR(share_within({one, 0}, 1), 2 / pi * std::asin(0.5), 1e-4);
  const std::vector<double> none{};
  EXPECT_EQ(level_within({none, 0}, 0.9), 0);
}

struct Shaken {
  Assembly model = test::chain({2, 1}, {8e4, 6e4});
  std::unique_ptr<Solved> solved;
  std::vector<Output> watched;
  Shaken() {
    for (Spring& spring : model.springs) spring.loss_factor = 0.05;
    solved = std::make_unique<Solved>(model, test::count(6), DampingRule{});
    std::vector<OutputRequest> requests;
    for (const OutputQuantity& each : output_quantities())
      if (each.subject == Subject::node && each.keyword == "acceleration")
        requests = {{"one", &each, {1}}, {"two", &each, {2}}};
    watched = watch(model, solved->channels, requests);
  }
  [[nodiscard]] static Environment along_z(Environment::Type type, const LogLogTable& input) {
    Environment environment;
    test::set_type(environment, type);
    environment.name = type == Environment::Type::sine ? "tone" : "noise";
    environment.axes = {2};
    environment.input = input;
    environment.grid = {input.from(), input.to(), 48, 41, {}};
    return environment;
  }
  [[nodiscard]] std::unique_ptr<CaseResponse> excite_alone(const Environment& environment) const {
    return std::make_unique<CaseResponse>(excitation_along(environment, 2, solved->system), solved->system,
                                          solved->basis, solved->damping);
  }
};

LogLogTable level_line(double level, double from, double to) {
  return LogLogTable({{from, level, {}}, {to, level, {}}}, 10);
}

TEST(OnRandom, TonesAddTheirMeanSquares) {
  const Shaken all;
  Environment noise = Shaken::along_z(Environment::Type::random, level_line(2, 10, 200)),
              tone = Shaken::along_z(Environment::Type::sine, level_line(9, 10, 120));
  noise.duration = 60;
  tone.superposed_on = "noise";
  tone.sine().sweep_rate = 2;
  const auto index = static_cast<std::size_t>(find_output(all.watched, "two.acceleration.z") - all.watched.data());
  const auto broad = all.excite_alone(noise);
  const CaseResults random = run_case(*broad, all.watched);
  const auto both = [&](const Environment& environment) {
    const auto excited = all.excite_alone(environment);
    return act_on_random(run_case(*excited, all.watched), random, all.watched).rows[index];
  };
  const double sigma = random.random()->rows[index].rms,
               crossings = random.random()->rows[index].moments.zero_crossings();
  const OnRandomRow swept = both(tone);
  EXPECT_NEAR(swept.rms, std::sqrt(sigma * sigma + 0.5 * swept.acting * swept.acting), 1e-12 * swept.rms);
  EXPECT_GT(swept.within[2], 0.999 * swept.acting);
  EXPECT_LT(swept.within[2], swept.acting + 3 * sigma);
  EXPECT_NEAR(swept.cycles, sweep_cycles(10, 120, 2), 1e-9);
  // Fixed at the resonance for the time of the whole sweep it is higher; what no tone is added to is the noise alone.
  Environment fixed = tone;
  fixed.sine().tones = {swept.frequency};
  fixed.grid.at = fixed.sine().tones;
  fixed.duration = 60 * std::log2(12.0) / 2;
  const OnRandomRow held = both(fixed);
  EXPECT_NEAR(held.acting / swept.acting, 1, 1e-6);
  EXPECT_NEAR(held.cycles, *fixed.duration * swept.frequency, 1e-6);
  EXPECT_LT(swept.largest, held.largest);
  EXPECT_GT(swept.largest, swept.acting);
  EXPECT_GT(held.largest_high, held.largest);
  Environment faint = fixed;
  faint.input = level_line(1e-6, 10, 120);
  const OnRandomRow alone = both(faint);
  EXPECT_NEAR(alone.largest / (sigma * largest_below(crossings, *fixed.duration, 0.5)), 1, 1e-4);
  EXPECT_NEAR(alone.within[2] / (3 * sigma), 1, 1e-6);
  // Two tones at once.
  Environment two = fixed;
  two.sine().tones = {30, 40};
  two.grid.at = two.sine().tones;
  const OnRandomRow pair = both(two);
  const auto amplitude = [&](double f) {
    return 9 * std::abs(all.solved->response(all.watched[index].measure(0).rows, 2, f));
  };
  EXPECT_NEAR(pair.acting, amplitude(30) + amplitude(40), 1e-9 * pair.acting);
  EXPECT_NEAR(pair.rms * pair.rms, sigma * sigma + 0.5 * (std::pow(amplitude(30), 2) + std::pow(amplitude(40), 2)),
              1e-9 * pair.rms * pair.rms);
}

// A band of 5 Hz that sweeps: its mean square is the integral of |H|² over the window that holds most, here by
// Simpson's rule on a scan of windows; the curve is straight between its points on log-log paper, which costs 1e-3.
TEST(OnRandom, BandsHoldWhatTheirWindowHolds) {
  const Shaken all;
  Environment noise = Shaken::along_z(Environment::Type::random, level_line(2, 10, 200));
  noise.duration = 30;
  Environment band = Shaken::along_z(Environment::Type::random, level_line(7, 12, 150));
  band.name = "band";
  band.superposed_on = "noise";
  band.random().band_width = 5;
  const auto index = static_cast<std::size_t>(find_output(all.watched, "two.acceleration.z") - all.watched.data());
  const auto broad = all.excite_alone(noise), narrow = all.excite_alone(band);
  const CaseResults random = run_case(*broad, all.watched), acting = run_case(*narrow, all.watched);
  std::vector<CaseResults> outcomes{random, acting};
  EXPECT_EQ(acts_on(outcomes[1], outcomes), &outcomes[0]);
  const OnRandomRow row = act_on_random(acting, random, all.watched).rows[index];
  const Eigen::RowVectorXcd channel = all.watched[index].measure(0).rows;
  double best = 0;
  for (double from = 12; from < 60; from += 0.05) {
    constexpr int steps = 60;
    double sum = 0;
    for (int k = 0; k <= steps; ++k)
      sum += (k == 0 || k == steps ? 1
              : k % 2 == 1         ? 4
                                   : 2) *
             std::norm(all.solved->response(channel, 2, from + 5.0 * k / steps));
    best = std::max(best, 7 * sum * 5.0 / steps / 3);
  }
  EXPECT_NEAR(row.acting / std::sqrt(best), 1, 1e-3);
  EXPECT_NEAR(row.rms, std::hypot(row.random, row.acting), 1e-12 * row.rms);
  EXPECT_NEAR(row.within[2], 3 * row.rms, 1e-12 * row.rms);
  EXPECT_GT(row.largest_high, row.largest);
}

// One input: coherence 1, the phase that of one transfer function to the other. PSDs are those of the answers; the
// correlation is that of the covariance. Pairs of modes add up to the parts of the modes, and each is the integral of
// what two modes make together.
TEST(CrossSpectrum, OfOneInputIsFullyCoherent) {
  const Shaken all;
  const Environment noise = Shaken::along_z(Environment::Type::random, level_line(2, 10, 200));
  const auto excited = all.excite_alone(noise);
  const CaseResults outcome = run_case(*excited, all.watched);
  const CrossRequest request{"pair", {"one.acceleration.z", "two.acceleration.z"}, "noise.z"};
  const CrossSpectrum cross = cross_spectrum(request, *excited, all.watched, outcome);
  const Output &one = *find_output(all.watched, request.of[0]), &two = *find_output(all.watched, request.of[1]);
  for (std::size_t p = 0; p < cross.grid.size(); p += 7) {
    EXPECT_NEAR(cross.coherence(p), 1, 1e-12);
    const Complex h1 = all.solved->response(one.measure(0).rows, 2, cross.grid[p]),
                  h2 = all.solved->response(two.measure(0).rows, 2, cross.grid[p]);
    EXPECT_NEAR(std::abs(cross.cross[p] / (2.0 * h2 * std::conj(h1)) - 1.0), 0, 1e-9);
    EXPECT_NEAR(cross.psd[1][p] / (2 * std::norm(h2)), 1, 1e-9);
  }
  const ModalCovariance& covariance = *excited->covariance;
  const auto moment = [&](const Output& a, const Output& b) {
    return (a.measure(0).rows * covariance.gamma * b.measure(0).rows.adjoint())(0).real();
  };
  EXPECT_NEAR(cross.correlation, moment(one, two) / std::sqrt(moment(one, one) * moment(two, two)), 1e-9);
  EXPECT_ANY_THROW((void)cross_spectrum({"x", {"one.acceleration", "two.acceleration.z"}, "noise.z"}, *excited,
                                        all.watched, outcome));
  const StateLayout& layout = excited->transfer->layout();
  const Eigen::MatrixXd pairs = variance_share_pairs(two.measure(0), covariance, layout);
  EXPECT_NEAR(pairs.sum(), 1, 1e-12);
  const Eigen::VectorXd shares = variance_shares(two.measure(0), covariance, layout);
  EXPECT_NEAR((pairs.rowwise().sum() - shares).cwiseAbs().maxCoeff(), 0, 1e-12);
  EXPECT_NEAR((pairs - pairs.transpose()).cwiseAbs().maxCoeff(), 0, 1e-12);
  const auto of_mode = [&](int mode) {
    Eigen::MatrixXcd rows = Eigen::MatrixXcd::Zero(1, layout.size());
    for (int d = 0; d < 3; ++d) rows(0, layout.modal(d) + mode) = two.measure(0).rows(0, layout.modal(d) + mode);
    return covariance.states.times(rows);
  };
  const double variance = moment(two, two);
  EXPECT_NEAR(pairs(0, 1), of_mode(0).conjugate().cwiseProduct(of_mode(1)).real().sum() / variance, 1e-9);
  EXPECT_NEAR(pairs(1, 1), of_mode(1).squaredNorm() / variance, 1e-9);
}

}  // namespace
}  // namespace avrenk
