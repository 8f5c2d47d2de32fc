#include "core/response/equivalent_springs.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>
#include <map>
#include <optional>

#include "core/dense.h"
#include "core/error.h"
#include "core/model/assembly.h"
#include "core/model/spring_law.h"
#include "core/quantity/quantity.h"
#include "core/response/random.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

double at_amplitude(const LogTable& factors, double amplitude) {
  return factors.empty() ? 1 : log_interpolation(factors, amplitude);
}

// Springs that depend on their amplitude, and by which laws.
struct Soft {
  std::size_t index;  // among all that vary
  const LogTable *softening, *growth;
};
std::vector<Soft> soft_ones(const Assembly& assembly, const std::vector<VaryingSpring>& springs) {
  std::vector<Soft> softs;
  for (std::size_t i = 0; i < springs.size(); ++i) {
    const SpringLaw& law = *assembly.springs[static_cast<std::size_t>(springs[i].spring)].law;
    const bool turns = springs[i].axis > 2;
    if (law.softening[turns].size() > 1 || law.loss_growth[turns].size() > 1)
      softs.push_back({i, &law.softening[turns], &law.loss_growth[turns]});
  }
  return softs;
}

// Parts by which factors differ from others, the largest.
double largest_change(const VectorXd& now, const VectorXd& before) {
  double largest = 0;
  for (Index k = 0; k < now.size(); ++k)
    if (now[k] != before[k]) largest = std::max(largest, std::abs(now[k] - before[k]) / std::abs(before[k]));
  return largest;
}

// x = g(x) by Anderson's mixing (J. ACM 12(4), 1965): of the last few steps the combination whose change is the least.
class Mixing {
 public:
  VectorXd next(const VectorXd& x, const VectorXd& image) {
    constexpr Index most = 4;
    const VectorXd step = image - x;
    VectorXd result = image;
    if (steps_.cols() > 0) {
      const MatrixXd changes = (-steps_).colwise() + step;
      if (changes.rows() >= changes.cols() && !changes.isZero(0)) {
        const VectorXd weights = least_squares(changes, step);
        for (Index k = 0; k < weights.size(); ++k) result -= weights[k] * (image - images_.col(k));
      }
    }
    if (!result.allFinite()) result = image;
    const Index kept = std::min(most - 1, steps_.cols());
    MatrixXd steps(x.size(), kept + 1), images(x.size(), kept + 1);
    if (kept > 0) {
      steps.leftCols(kept) = steps_.rightCols(kept);
      images.leftCols(kept) = images_.rightCols(kept);
    }
    steps.rightCols<1>() = step;
    images.rightCols<1>() = image;
    steps_ = std::move(steps);
    images_ = std::move(images);
    return result;
  }

 private:
  MatrixXd steps_, images_;
};

class RandomSprings {
 public:
  RandomSprings(const Excitation& excitation, const System& system, const ModalBasis& basis,
                const ModalDamping& damping, const std::vector<Soft>& soft, int threads)
      : excitation_(excitation), system_(system), basis_(basis), damping_(damping), soft_(soft), threads_(threads) {}

  EquivalentSprings settle(std::vector<VaryingSpring> springs) {
    constexpr double settled = 1e-8;
    constexpr int most = 60;
    EquivalentSprings found;
    found.springs = std::move(springs);
    VectorXd factors = factors_of(VectorXd::Zero(std::ssize(soft_)));
    Mixing mixing;
    VectorXd rms;
    for (;;) {
      put(factors, found.springs);
      rms = travel_of(found.springs);
      const VectorXd image = factors_of(rms);
      found.change = largest_change(image, factors);
      if (++found.rounds == most || found.change <= settled) break;
      // Factors are positive, and what changes them is a ratio.
      const VectorXd mixed = mixing.next(logarithm(factors), logarithm(image));
      for (Index k = 0; k < mixed.size(); ++k)
        if (factors[k] > 0) factors[k] = std::exp(mixed[k]);
    }
    if (!(found.change <= settled))
      throw NumericalError(
          fmt::format("after {} rounds the springs still change by {:.1e} with the amplitude that they let pass",
                      found.rounds, found.change));
    for (std::size_t s = 0; s < soft_.size(); ++s) {
      const VaryingSpring& varying_spring = found.springs[soft_[s].index];
      const double lowest = excitation_.grid.from;
      found.found.push_back({varying_spring.spring, varying_spring.axis, rms[static_cast<Index>(s)], 0,
                             varying_spring.stiffness_at(lowest), varying_spring.loss_at(lowest)});
    }
    return found;
  }

 private:
  static VectorXd logarithm(const VectorXd& factors) {
    return factors.unaryExpr([](double f) { return f > 0 ? std::log(f) : 0.0; });
  }
  [[nodiscard]] VectorXd factors_of(const VectorXd& rms) const {
    VectorXd all(2 * std::ssize(soft_));
    for (Index s = 0; s < rms.size(); ++s) {
      const Soft& own = soft_[static_cast<std::size_t>(s)];
      std::tie(all[2 * s], all[2 * s + 1]) = gaussian_factors(*own.softening, *own.growth, rms[s]);
    }
    return all;
  }
  void put(const VectorXd& factors, std::vector<VaryingSpring>& springs) const {
    for (std::size_t s = 0; s < soft_.size(); ++s) {
      springs[soft_[s].index].softening = {{1, factors[2 * static_cast<Index>(s)]}};
      springs[soft_[s].index].growth = {{1, factors[2 * static_cast<Index>(s) + 1]}};
    }
  }
  [[nodiscard]] VectorXd travel_of(const std::vector<VaryingSpring>& springs) const {
    const auto variation = std::make_shared<const SpringVariation>(springs, system_, basis_);
    const ModalDamping modal_damping = with_springs(damping_, basis_, variation);
    require_damping(basis_, modal_damping, excitation_.grid.from, excitation_.grid.to);
    const Transfer transfer(basis_, modal_damping, {excitation_.base, excitation_.loads});
    const ModalCovariance covariance = integrate_covariance(transfer, excitation_.spectrum, {}, threads_);
    const StateLayout& layout = transfer.layout();
    VectorXd rms(std::ssize(soft_));
    for (std::size_t s = 0; s < soft_.size(); ++s) {
      MatrixXcd row = MatrixXcd::Zero(1, layout.size());
      const auto at = static_cast<Index>(soft_[s].index);
      row.middleCols(layout.modal(0), layout.modes) = variation->travel().row(at).cast<Complex>();
      row.middleCols(layout.base(0), layout.motions) = variation->base_travel().row(at).cast<Complex>();
      rms[static_cast<Index>(s)] = std::sqrt(std::max(0.0, block_covariances(row, 1, covariance, layout)(0, 0)));
    }
    return rms;
  }

  const Excitation& excitation_;
  const System& system_;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  const std::vector<Soft>& soft_;
  int threads_;
};

// Amplitudes that balance the first harmonic, frequency by frequency.
class SineSprings {
 public:
  SineSprings(const Excitation& excitation, const System& system, const ModalBasis& basis, const ModalDamping& damping,
              std::vector<VaryingSpring> springs, const std::vector<Soft>& soft)
      : excitation_(excitation),
        variation_(springs, system, basis),
        transfer_(basis, damping, {excitation.base, excitation.loads}),
        damping_(damping),
        soft_(soft),
        springs_(std::move(springs)),
        in_(damping.modes.forces(variation_.forces())),
        out_(damping.modes.rows(variation_.travel())),
        floors_(std::ssize(soft)) {
    constexpr double below = 1e-3;  // of the first point of a law
    for (std::size_t s = 0; s < soft.size(); ++s) {
      double first = HUGE_VAL;
      for (const LogTable* points : {soft[s].softening, soft[s].growth})
        if (!points->empty()) first = std::min(first, points->front().first);
      floors_[static_cast<Index>(s)] = below * first;
    }
  }

  EquivalentSprings settle(const ModalBasis& basis) {
    std::vector<double> first = excitation_.curve_points();
    for (const double f : variation_.breakpoints()) first.push_back(f);
    GridRequest request = excitation_.grid;
    request.per_octave = std::max(request.per_octave, 24.0);
    // Where the resonances may lie: of the smallest amplitude.
    const ModalDamping modal_damping =
        with_springs(damping_, basis, std::make_shared<const SpringVariation>(variation_));
    first = frequency_grid(request, once_inside(std::move(first), request.from, request.to),
                           resonances(basis, modal_damping));
    VectorXd amplitudes = VectorXd::Zero(std::ssize(soft_));
    balance(first.front(), amplitudes);
    points_[first.front()] = amplitudes;
    for (std::size_t k = 0; k + 1 < first.size(); ++k) refine(first[k], first[k + 1]);
    look_downwards();
    return result();
  }

 private:
  // The linear answer at one frequency, but for the springs: travel = open − gain · (what they are besides) · travel.
  struct Answer {
    double frequency;
    MatrixXcd gain;
    VectorXcd open;
  };
  // What amplitudes make of themselves, its logarithms, which stop at the floors, and d ln of it / d ln of them: 0
  // below the floors, where the laws are constant.
  struct Image {
    VectorXd amplitudes, logarithms;
    MatrixXd slopes;
  };
  [[nodiscard]] Image image_of(const Answer& answer, const VectorXd& amplitudes) {
    put(amplitudes);
    const Index r = answer.open.size(), n = amplitudes.size();
    VectorXcd x(r);
    for (Index i = 0; i < r; ++i) x[i] = springs_[static_cast<std::size_t>(i)].stiffness_change(answer.frequency);
    MatrixXcd closed = answer.gain * x.asDiagonal();
    closed.diagonal().array() += 1;
    MatrixXcd right(r, 1 + r);
    right << answer.open, answer.gain;
    const MatrixXcd solved = ComplexLu(std::move(closed)).solve(std::move(right));  // travel, and −d travel / d(xδ)
    const VectorXcd travel = solved.col(0);
    Image image{VectorXd(n), {}, MatrixXd::Zero(n, n)};
    for (Index s = 0; s < n; ++s)
      image.amplitudes[s] = std::abs(travel[static_cast<Index>(soft_[static_cast<std::size_t>(s)].index)]);
    image.logarithms = image.amplitudes.cwiseMax(floors_).array().log();
    for (Index j = 0; j < n; ++j) {
      const Soft& soft = soft_[static_cast<std::size_t>(j)];
      const auto at = static_cast<Index>(soft.index);
      const VaryingSpring& spring = springs_[soft.index];
      const double a = std::max(amplitudes[j], 1e-300);
      const auto slope = [&](const LogTable& points) { return a * log_interpolation_slope(points, a, a); };
      const double k = log_interpolation(spring.stiffness_over, answer.frequency) / spring.stiffness,
                   eta = log_interpolation(spring.loss_over, answer.frequency), s = spring.softening[0].second,
                   l = spring.growth[0].second, s_slope = slope(*soft.softening), l_slope = slope(*soft.growth);
      const Complex x_slope(k * s_slope, k * eta * (s_slope * l + s * l_slope));
      if (x_slope == 0.0) continue;
      const VectorXcd change = -solved.col(1 + at) * (x_slope * travel[at]);
      for (Index i = 0; i < n; ++i) {
        const auto row = static_cast<Index>(soft_[static_cast<std::size_t>(i)].index);
        if (image.amplitudes[i] > floors_[i])
          image.slopes(i, j) = (std::conj(travel[row]) * change[row]).real() / std::norm(travel[row]);
      }
    }
    return image;
  }

  // Newton's iteration on the logarithms, from amplitudes near the answer; false where it finds none on which a small
  // disturbance dies away (det(1 − J) > 0).
  bool newton(const Answer& answer, VectorXd& amplitudes) {
    constexpr double settled = 1e-13, stands_still = 1e-11, longest = 0.7;
    constexpr int most = 40;
    VectorXd y(amplitudes.size());
    for (Index s = 0; s < y.size(); ++s) y[s] = std::log(std::max(amplitudes[s], floors_[s]));
    double before = HUGE_VAL;
    for (int round = 1; round <= most; ++round) {
      const Image image = image_of(answer, y.array().exp().matrix());
      const VectorXd rest = image.logarithms - y;
      MatrixXd jacobian = -image.slopes;
      jacobian.diagonal().array() += 1;
      const double change = rest.cwiseAbs().maxCoeff();
      if (!std::isfinite(change)) return false;
      const RealLu lu(std::move(jacobian));
      if (change <= settled || (change <= stands_still && change >= before)) {
        rounds_ = std::max(rounds_, round);
        change_ = std::max(change_, change);
        amplitudes = image.amplitudes;
        return lu.has_positive_determinant();
      }
      before = change;
      const VectorXd step = lu.solve(rest);
      const double size = step.cwiseAbs().maxCoeff();
      if (!std::isfinite(size)) return false;
      y += step * std::min(1.0, longest / size);
    }
    return false;
  }

  // From amplitudes whose balance is left towards what they make, in longer and longer steps as long as the way is the
  // same, so that what hardly moves just past a jump is left behind, until Newton's iteration takes over.
  bool relax(const Answer& answer, VectorXd& amplitudes) {
    constexpr double longest = 0.1, shortest = 0.01;
    constexpr int most = 300, between = 10;
    double relaxation = 1;
    VectorXd now = amplitudes.cwiseMax(floors_).array().log(), before = VectorXd::Zero(now.size());
    for (int round = 1; round <= most; ++round) {
      const VectorXd rest = image_of(answer, now.array().exp()).logarithms - now;
      const double change = std::max(rest.cwiseAbs().maxCoeff(), 1e-300);
      relaxation = rest.dot(before) >= 0 ? std::min(1.5 * relaxation, std::max(1.0, longest / change))
                                         : std::max(0.5 * relaxation, shortest);
      now += relaxation * rest;
      before = rest;
      if (round % between != 0) continue;
      VectorXd start = now.array().exp();
      if (!newton(answer, start)) continue;
      amplitudes = start;
      return true;
    }
    return false;
  }

  // A point of the curve y − y₀ = t (ln g(y) − y₀) of logarithms of amplitudes; what its left side lacks; derivatives
  // of the left side less the right one, n x n+1.
  struct CurvePoint {
    VectorXd at;  // y and t
    VectorXd rest;
    MatrixXd slopes;
  };
  [[nodiscard]] CurvePoint curve_point(const Answer& answer, const VectorXd& start, VectorXd at) {
    const Index n = start.size();
    const Image image = image_of(answer, at.head(n).array().exp());
    const VectorXd way = image.logarithms - start;
    CurvePoint point{std::move(at), VectorXd(n), MatrixXd(n, n + 1)};
    const double t = point.at[n];
    point.rest = t * way - (point.at.head(n) - start);
    point.slopes.leftCols(n) = -t * image.slopes;
    point.slopes.diagonal().array() += 1;
    point.slopes.col(n) = -way;
    return point;
  }
  // The direction of the curve in which its orientation stays: det (slopes; direction) > 0.
  [[nodiscard]] static VectorXd direction_of(const MatrixXd& slopes) {
    const Index n = slopes.rows();
    const VectorXd along = orthonormal_basis(slopes.transpose(), n + 1).col(n);
    return RealLu(beside(slopes, along)).has_positive_determinant() ? along : VectorXd(-along);
  }
  [[nodiscard]] static MatrixXd beside(const MatrixXd& slopes, const VectorXd& direction) {
    MatrixXd all(slopes.cols(), slopes.cols());
    all << slopes, direction.transpose();
    return all;
  }
  // The point of the curve in the plane across a direction, from one near it, not farther from it than allowed.
  [[nodiscard]] std::optional<CurvePoint> onto_curve(const Answer& answer, const VectorXd& start, const VectorXd& near,
                                                     const VectorXd& direction, double allowed) {
    constexpr double settled = 1e-10;
    constexpr int most = 8;
    CurvePoint point = curve_point(answer, start, near);
    for (int round = 0; round < most; ++round) {
      if (!point.rest.allFinite() || !((point.at - near).norm() <= allowed)) return std::nullopt;
      if (point.rest.cwiseAbs().maxCoeff() <= settled) return point;
      VectorXd rest = VectorXd::Zero(near.size());
      rest.head(start.size()) = point.rest;
      const VectorXd step = RealLu(beside(point.slopes, direction)).solve(rest);
      if (!step.allFinite()) return std::nullopt;
      point = curve_point(answer, start, point.at + step);
    }
    return std::nullopt;
  }

  // From any amplitudes along the curve that joins them with a balance, through its folds (Allgower & Georg, Numerical
  // Continuation Methods, 1990, ch. 2). All ln g is bounded, so that it ends at t = 1, where it first arrives with
  // det (1 − J) > 0. The laws have corners: there it goes on in the direction that it has behind them.
  std::optional<VectorXd> follow(const Answer& answer, const VectorXd& amplitudes) {
    constexpr double longest = 0.5, shortest = 1e-9, corner = 1e-6, least_along = 0.8;
    constexpr int most = 3000;
    const Index n = amplitudes.size();
    const VectorXd start = amplitudes.cwiseMax(floors_).array().log();
    VectorXd at(n + 1);
    at << start, 0;
    CurvePoint now = curve_point(answer, start, at);
    VectorXd direction = direction_of(now.slopes);
    double step = 0.1;
    bool has_turned = false;
    for (int round = 0; round < most && now.at[n] >= 0; ++round) {
      const std::optional<CurvePoint> next =
          onto_curve(answer, start, now.at + step * direction, direction, 0.5 * step);
      if (next && next->at[n] >= 1) {
        const double part = (1 - now.at[n]) / (next->at[n] - now.at[n]);
        VectorXd found = (now.at + part * (next->at - now.at)).head(n).array().exp();
        if (newton(answer, found)) return found;
      } else if (next) {
        const VectorXd onwards = direction_of(next->slopes);
        const double along = onwards.dot(direction);
        if (along > least_along || step <= corner) {
          now = *next;
          direction = onwards;
          if (along > 0.95) step = std::min(longest, 1.5 * step);
          has_turned = false;
          continue;
        }
      }
      step *= 0.5;
      if (step >= shortest) continue;
      if (has_turned) return std::nullopt;
      has_turned = true;
      direction = direction_of(curve_point(answer, start, now.at + corner * direction).slopes);
      step = corner;
    }
    return std::nullopt;
  }

  // Amplitudes that all but balance lie between two parts of their curve that are too close to be told apart: then
  // from others.
  [[nodiscard]] VectorXd through_folds(const Answer& answer, const VectorXd& amplitudes) {
    for (const double times : {1.0, 2.0, 0.5})
      if (std::optional<VectorXd> found = follow(answer, times * amplitudes)) return *found;
    throw NumericalError(
        fmt::format("at {:.6g} Hz no amplitude of the springs is found that balances", answer.frequency));
  }

  // The balance at one frequency, from amplitudes near it; they become those found.
  void balance(double frequency, VectorXd& amplitudes) {
    const double omega = 2 * pi * frequency;
    const VectorXcd a = excitation_.drive.at(frequency);
    const Answer answer{frequency, out_ * damping_.modes.respond(omega, in_),
                        out_ * damping_.modes.respond(omega, transfer_.damped_forces().at(omega) * a) +
                            variation_.base_travel() * (excitation_.base * (a * (-1 / (omega * omega))))};
    VectorXd found = amplitudes;
    if (!newton(answer, found)) {
      found = amplitudes;
      if (!relax(answer, found)) found = through_folds(answer, amplitudes);
    }
    amplitudes = std::move(found);
  }

  void put(const VectorXd& amplitudes) {
    for (std::size_t s = 0; s < soft_.size(); ++s) {
      const auto [softening, growth] = factors(s, amplitudes[static_cast<Index>(s)]);
      springs_[soft_[s].index].softening = {{1, softening}};
      springs_[soft_[s].index].growth = {{1, growth}};
    }
  }
  [[nodiscard]] std::pair<double, double> factors(std::size_t s, double amplitude) const {
    return {at_amplitude(*soft_[s].softening, amplitude), at_amplitude(*soft_[s].growth, amplitude)};
  }
  // Both factors of all springs.
  [[nodiscard]] VectorXd factors(const VectorXd& amplitudes) const {
    VectorXd all(2 * amplitudes.size());
    for (std::size_t s = 0; s < soft_.size(); ++s)
      std::tie(all[2 * static_cast<Index>(s)], all[2 * static_cast<Index>(s) + 1]) =
          factors(s, amplitudes[static_cast<Index>(s)]);
    return all;
  }

  // Points between two frequencies until the factors are straight between them. @pre the lower one is known
  void refine(double low, double high) {
    if (!points_.contains(high)) {
      VectorXd amplitudes = points_.at(low);
      balance(high, amplitudes);
      points_[high] = std::move(amplitudes);
    }
    constexpr double narrow = 1e-7, jump = 1e-3;
    const VectorXd below = factors(points_.at(low)), above = factors(points_.at(high));
    if (high - low <= narrow * high) {
      const VectorXcd before = excitation_.drive.at(low), after = excitation_.drive.at(high);
      const bool input_steps = (after - before).norm() > jump * after.norm();
      if (!input_steps && largest_change(above, below) > jump)
        jumps_.push_back({low, high, ratio_of(points_.at(high), points_.at(low)), false});
      return;
    }
    const double middle = std::sqrt(low * high);
    VectorXd amplitudes = points_.at(low);
    balance(middle, amplitudes);
    const double apart = largest_change(factors(amplitudes), 0.5 * (below + above));
    points_[middle] = std::move(amplitudes);
    if (apart <= straight_enough) {
      between_ = std::max(between_, apart);
      return;
    }
    // What follows a jump was found from above it.
    points_.erase(high);
    refine(low, middle);
    refine(middle, high);
  }

  // The largest that one spring's amplitude is over the other; what symmetry leaves still is rounding of the largest.
  [[nodiscard]] double ratio_of(const VectorXd& one, const VectorXd& other) const {
    constexpr double rounding = 1e-9;
    double largest = 1;
    for (Index s = 0; s < one.size(); ++s) {
      const bool turns = springs_[soft_[static_cast<std::size_t>(s)].index].axis > 2;
      double most = 0;  // of those of its kind
      for (Index k = 0; k < one.size(); ++k)
        if ((springs_[soft_[static_cast<std::size_t>(k)].index].axis > 2) == turns)
          most = std::max({most, one[k], other[k]});
      const double least = std::max(floors_[s], rounding * most), a = std::max(one[s], least),
                   b = std::max(other[s], least);
      largest = std::max({largest, a / b, b / a});
    }
    return largest;
  }

  void look_downwards() {
    constexpr double same = 1e-6;
    VectorXd amplitudes = points_.rbegin()->second;
    AmplitudeJump open;
    for (auto at = points_.rbegin(); at != points_.rend(); ++at) {
      balance(at->first, amplitudes);
      const double ratio = ratio_of(amplitudes, at->second);
      if (ratio > 1 + same) {
        if (open.to == 0) open.to = at->first;
        open.from = at->first;
        open.ratio = std::max(open.ratio, ratio);
        open.is_of_direction = true;
      } else if (open.to > 0) {
        jumps_.push_back(open);
        open = {};
      }
    }
    if (open.to > 0) jumps_.push_back(open);
  }

  EquivalentSprings result() {
    EquivalentSprings equivalent_springs;
    for (std::size_t s = 0; s < soft_.size(); ++s) {
      VaryingSpring& varying_spring = springs_[soft_[s].index];
      LogTable softening, growth;
      EquivalentSpring found{varying_spring.spring, varying_spring.axis};
      for (const auto& [f, amplitudes] : points_) {
        const double amplitude = amplitudes[static_cast<Index>(s)];
        const auto [soft, grown] = factors(s, amplitude);
        softening.emplace_back(f, soft);
        growth.emplace_back(f, grown);
        if (amplitude > found.amplitude) {
          found.amplitude = amplitude;
          found.frequency = f;
        }
      }
      varying_spring.softening = std::move(softening);
      varying_spring.growth = std::move(growth);
      const double at = found.frequency > 0 ? found.frequency : points_.begin()->first;
      found.stiffness = varying_spring.stiffness_at(at);
      found.loss = varying_spring.loss_at(at);
      equivalent_springs.found.push_back(found);
    }
    equivalent_springs.springs = springs_;
    equivalent_springs.rounds = rounds_;
    equivalent_springs.change = change_;
    equivalent_springs.points = points_.size();
    equivalent_springs.between = between_;
    equivalent_springs.jumps = jumps_;
    return equivalent_springs;
  }

  static constexpr double straight_enough = 1e-6;
  const Excitation& excitation_;
  SpringVariation variation_;
  Transfer transfer_;
  const ModalDamping& damping_;
  const std::vector<Soft>& soft_;
  std::vector<VaryingSpring> springs_;
  MatrixXcd in_, out_;
  VectorXd floors_;                    // amplitudes below which nothing changes
  std::map<double, VectorXd> points_;  // amplitudes over Hz
  std::vector<AmplitudeJump> jumps_;
  int rounds_ = 0;
  double change_ = 0, between_ = 0;
};

}  // namespace

std::pair<double, double> gaussian_factors(const LogTable& softening, const LogTable& growth, double rms) {
  if (!(rms > 0)) return {at_amplitude(softening, 0), at_amplitude(growth, 0)};
  // With u = a²/2σ² the weight a² of Rayleigh's distribution is u e^{-u}, between the points at which the laws change
  // and powers of two, over ln u, in which the laws are straight. What lies outside 2⁻³² and 2⁶ weighs nothing.
  std::vector<double> ends;
  for (int power = -32; power <= 6; ++power) ends.push_back(std::ldexp(1.0, power));
  for (const LogTable* points : {&softening, &growth})
    for (const auto& [a, factor] : *points)
      if (const double u = 0.5 * (a / rms) * (a / rms); u > ends.front() && u < 64) ends.push_back(u);
  std::sort(ends.begin(), ends.end());
  using Rule = boost::math::quadrature::gauss<double, 20>;
  double stiffness = 0, dissipation = 0, weight = 0;
  for (std::size_t k = 0; k + 1 < ends.size(); ++k) {
    const double middle = 0.5 * std::log(ends[k] * ends[k + 1]), half = 0.5 * std::log(ends[k + 1] / ends[k]);
    for (std::size_t g = 0; g < Rule::abscissa().size(); ++g)
      for (const double side : {-1.0, 1.0}) {
        const double u = std::exp(middle + side * half * Rule::abscissa()[g]), a = rms * std::sqrt(2 * u),
                     own = half * Rule::weights()[g] * u * u * std::exp(-u), s = at_amplitude(softening, a);
        weight += own;
        stiffness += own * s;
        dissipation += own * s * at_amplitude(growth, a);
      }
  }
  stiffness /= weight;
  dissipation /= weight;
  return {stiffness, stiffness > 0 ? dissipation / stiffness : at_amplitude(growth, 0)};
}

EquivalentSprings linearise(const Excitation& excitation, const Assembly& assembly, const System& system,
                            const ModalBasis& basis, const ModalDamping& damping, std::vector<VaryingSpring> springs,
                            int threads) {
  const std::vector<Soft> soft = soft_ones(assembly, springs);
  if (soft.empty() || excitation.is_static()) {
    EquivalentSprings as_they_are;
    as_they_are.springs = std::move(springs);
    return as_they_are;
  }
  const ModalDamping plain = with_springs(damping, basis, nullptr);
  if (excitation.is_random())
    return RandomSprings(excitation, system, basis, plain, soft, threads).settle(std::move(springs));
  return SineSprings(excitation, system, basis, plain, std::move(springs), soft).settle(basis);
}

}  // namespace avrenk
