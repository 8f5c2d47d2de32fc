#include "core/assess/life.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <numeric>

#include "core/error.h"
#include "core/modes/damping.h"
#include "core/parallel.h"
#include "core/response/stress_load.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::ArrayXXd;
using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

constexpr std::array<int, 4> moment_orders{0, 1, 2, 4};
constexpr std::ptrdiff_t places_at_once = 256, bases_at_once = 32;

// f^(k/2), k = 0, 1, 2, 4, of each column of the states that a covariance was made from: their squares add up to
// moments.
std::array<Eigen::VectorXd, 4> moment_weights(const ModalCovariance& covariance) {
  ArrayXd frequency(covariance.roots.first.back());
  for (std::size_t k = 0; k + 1 < covariance.roots.first.size(); ++k)
    frequency.segment(covariance.roots.first[k], covariance.roots.first[k + 1] - covariance.roots.first[k])
        .setConstant(covariance.rule.frequency[k]);
  std::array<Eigen::VectorXd, 4> all;
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = frequency.pow(0.5 * moment_orders[i]);
  return all;
}

double cycles_per_hertz(const CaseResponse& load, const Exposure& exposure) {
  return exposure.sweeps * sweep_cycles(0, 1, *load.environment().sine().sweep_rate);
}

// A case of the sequence, ready to be looked at everywhere.
struct Stage {
  const LifeCase* life_case = nullptr;
  const Exposure* exposure = nullptr;
  std::array<Eigen::VectorXd, 4> weights;  // of a random one: see moment_weights
  ArrayXd cycles;                          // of a sine: of each frequency at which it is looked at
  StateTable swept;                        // there
  [[nodiscard]] const StateTable& states() const { return is_random() ? life_case->load->covariance->states : swept; }
  [[nodiscard]] bool is_random() const { return life_case->load->covariance.has_value(); }
};

Stage stage_of(const LifeCase& own, const Exposure& exposure) {
  Stage stage{&own, &exposure, {}, {}, {}};
  const CaseResponse& load = *own.load;
  if (load.covariance) {
    stage.weights = moment_weights(*load.covariance);
    return stage;
  }
  std::vector<double> frequencies, cycles;
  if (exposure.dwell_at > 0) {
    const GridRequest& band = load.excitation->grid;
    if (exposure.dwell_at < band.from || exposure.dwell_at > band.to)
      throw InputError(Problem{"environment " + load.environment().name,
                               fmt::format("a dwell at {:.5g} Hz is outside its band, {:.5g} to {:.5g} Hz",
                                           exposure.dwell_at, band.from, band.to),
                               "dwell inside it", std::nullopt});
    frequencies = {exposure.dwell_at};
    cycles = {exposure.dwell_at * exposure.seconds};
  } else {
    // Two points of Gauss between those of the grid, which are close at resonances.
    const double offset = 0.5 / std::sqrt(3.0), per_hertz = cycles_per_hertz(load, exposure);
    for (std::size_t k = 0; k + 1 < load.grid.size(); ++k) {
      const double middle = 0.5 * (load.grid[k] + load.grid[k + 1]), width = load.grid[k + 1] - load.grid[k];
      for (const double side : {-offset, offset}) {
        frequencies.push_back(middle + side * width);
        cycles.push_back(0.5 * per_hertz * width);
      }
    }
  }
  stage.swept = StateTable(*load.transfer, frequencies, load.excitation->drive.at(frequencies));
  stage.cycles = Eigen::Map<const ArrayXd>(cycles.data(), std::ssize(cycles));
  return stage;
}

double random_damage(const FatigueLine& line, const SpectralMoments& m, Counting counting, double factor,
                     double seconds) {
  return seconds * random_damage_rates(line, m.of(factor))[static_cast<std::size_t>(counting)];
}

// What multiplies amplitudes: factors of safety and the mean stress.
double amplitude_factor(const LifeRequest& request, const FatigueLine& line, double mean) {
  return request.factor * mean_stress_factor(line, request.factor * mean);
}

// The static value of some rows: with its sign, or of a magnitude as a tension.
double mean_of(const Eigen::VectorXd& values) { return values.size() == 1 ? values[0] : values.norm(); }

// Rows of a place on the modes of one case.
using RowsOnCase = std::function<MatrixXcd(const LifeCase&)>;

class LifeFinder {
 public:
  LifeFinder(const LifeRequest& request, const Assembly& assembly, const std::vector<LifeCase>& cases,
             const StressStations* stations, int threads)
      : request_(request), assembly_(assembly), stations_(stations), threads_(threads) {
    for (const Exposure& exposure : request.through) {
      const std::size_t before = stages_.size();
      for (const LifeCase& each : cases)
        if (!each.load->still.size() && each.load->excitation->is_called(exposure.environment))
          stages_.push_back(stage_of(each, exposure));
      complete_ = complete_ && stages_.size() > before;
    }
    for (const LifeCase& each : cases)
      if (each.load->excitation->is_static() && each.load->excitation->is_called(request.with)) still_ = &each;
    complete_ = complete_ && (request.with.empty() || still_);
  }
  [[nodiscard]] bool complete() const { return complete_; }

  [[nodiscard]] Life find(const LifeSubject& subject) const {
    Life life;
    life.request = &request_;
    life.subject = &subject;
    const auto& outputs = *stages_.front().life_case->watched;
    const auto index = static_cast<std::size_t>(find_output(outputs, subject.of) - outputs.data());
    const ArrayXd of_candidates = damage_of_candidates(subject, index);
    double worst = -1;
    RowsOnCase rows;
    if (of_candidates.size() > 0) {
      Index k = 0;
      worst = of_candidates.maxCoeff(&k);
      const auto candidate = static_cast<std::size_t>(k);
      life.where = outputs[index].candidates->label(candidate);
      rows = [index, candidate](const LifeCase& own) { return (*own.watched)[index].measure(candidate).rows; };
    }
    if (subject.of_nodes && !subject.parts.empty()) {
      life.field = damage_of_stations(subject);
      StressPlace place;
      double largest = -1;
      for (Index s = 0; s < life.field.cols(); ++s)
        for (Index level = 0; level < 3; ++level)
          if (life.field(level, s) > largest) {
            largest = life.field(level, s);
            place = {static_cast<int>(s), static_cast<int>(level)};
          }
      if (largest > worst) {
        life.where = place_in_words(assembly_, stations_->all()[static_cast<std::size_t>(place.station)], place.level);
        rows = [this, place, &subject](const LifeCase& own) { return rows_of(place, *subject.of_nodes, own); };
      }
    }
    explain(rows, life);
    return life;
  }

 private:
  // Of every candidate of what is watched.
  [[nodiscard]] ArrayXd damage_of_candidates(const LifeSubject& subject, std::size_t index) const {
    const Candidates& first = *(*stages_.front().life_case->watched)[index].candidates;
    const auto count = static_cast<Index>(first.items.size());
    std::vector<std::vector<Index>> items_of(first.base_labels.size());
    for (Index k = 0; k < count; ++k)
      items_of[static_cast<std::size_t>(first.items[static_cast<std::size_t>(k)].base)].push_back(k);
    ArrayXd factor = ArrayXd::Constant(count, request_.factor);
    if (still_) {
      const Output& watched = (*still_->watched)[index];
      const MatrixXd values = (watched.candidates->rows * still_->load->still).real();
      for (Index k = 0; k < count; ++k)
        factor[k] = amplitude_factor(request_, subject.line,
                                     mean_of(watched.candidates->of(values, static_cast<std::size_t>(k))
                                                 .col(0)
                                                 .segment(watched.first, watched.count)));
    }
    const ReadyLine line(subject.line);
    ArrayXd damage = ArrayXd::Zero(count);
    for (const Stage& stage : stages_) {
      const Output& watched = (*stage.life_case->watched)[index];
      const Candidates& candidates = *watched.candidates;
      // A few bases at a time: curves of thousands of fibres do not fit into memory.
      const auto bases = std::ssize(items_of);
      run_jobs(static_cast<std::size_t>((bases + bases_at_once - 1) / bases_at_once), threads_, [&](std::size_t job) {
        const Index from = static_cast<Index>(job) * bases_at_once, own = std::min(bases_at_once, bases - from);
        const MatrixXcd curves =
            stage.states().times(candidates.rows.middleRows(from * candidates.base_width, own * candidates.base_width));
        for (Index base = from; base < from + own; ++base)
          for (const Index k : items_of[static_cast<std::size_t>(base)]) {
            const auto block = curves.middleRows((base - from) * candidates.base_width, candidates.base_width);
            const Eigen::MatrixXd* const mix = candidates.mix_of(static_cast<std::size_t>(k));
            const MatrixXcd mixed = mix ? MatrixXcd(*mix * block) : MatrixXcd(block);
            const auto seen = mixed.middleRows(watched.first, watched.count);
            if (stage.is_random()) {
              const Eigen::VectorXd squares = seen.colwise().squaredNorm().transpose();
              std::array<double, 4> m{};
              for (std::size_t i = 0; i < m.size(); ++i) m[i] = squares.dot(stage.weights[i].cwiseAbs2());
              damage[k] += random_damage(subject.line, {m[0], m[1], m[2], m[3]}, request_.counting, factor[k],
                                         stage.exposure->seconds);
              continue;
            }
            for (Index p = 0; p < seen.cols(); ++p)
              damage[k] += stage.cycles[p] * line.damage(factor[k] * largest_over_phase(seen.col(p)));
          }
      });
    }
    return damage;
  }

  // What one stage makes of the columns of strain of one material: real parts, then imaginary parts of a sine; factors
  // of the four moments of a random one, side by side.
  struct Effect {
    MatrixXd matrix;
    std::array<Index, 5> first{};
  };
  [[nodiscard]] static Effect effect_of(const Stage& stage, const MatrixXcd& fold) {
    Effect columns;
    const MatrixXcd w = stage.states().times(fold);
    if (!stage.is_random()) {
      columns.matrix.resize(w.rows(), 2 * w.cols());
      columns.matrix << w.real(), w.imag();
      return columns;
    }
    std::array<MatrixXd, 4> factors;
    for (std::size_t i = 0; i < factors.size(); ++i) {
      const MatrixXcd weighted = w * stage.weights[i].asDiagonal();
      factors[i] = covariance_factor(weighted * weighted.adjoint(), MatrixXcd::Identity(w.rows(), w.rows()));
      columns.first[i + 1] = columns.first[i] + factors[i].cols();
    }
    columns.matrix.resize(fold.rows(), columns.first[4]);
    for (std::size_t i = 0; i < factors.size(); ++i)
      columns.matrix.middleCols(columns.first[i], factors[i].cols()) = factors[i];
    return columns;
  }

  // Of all stations of the subject's parts at all their levels.
  [[nodiscard]] Eigen::Matrix3Xd damage_of_stations(const LifeSubject& subject) const {
    Eigen::Matrix3Xd field = Eigen::Matrix3Xd::Constant(3, static_cast<Index>(stations_->size()), std::nan(""));
    struct OfMaterial {
      std::vector<Effect> columns;  // of each stage
      Eigen::VectorXd at_rest;
    };
    std::map<std::optional<double>, OfMaterial> known;  // by the loss factor
    for (const int part : subject.parts) {
      const auto [from, to] = stations_->of_part(part);
      if (from == to) continue;
      const auto& loss_factor = assembly_.material_of(part).loss_factor;
      const auto [own_material, fresh] = known.try_emplace(loss_factor);
      OfMaterial& material = own_material->second;
      if (fresh) {
        for (const Stage& stage : stages_)
          material.columns.push_back(effect_of(stage, strain_fold(*stage.life_case->channels, loss_factor)));
        if (still_) material.at_rest = (strain_fold(*still_->channels, loss_factor) * still_->load->still).real();
      }
      std::vector<int> order;
      for (std::size_t s = from; s < to; ++s)
        if (subject.nodes.empty() ||
            std::binary_search(subject.nodes.begin(), subject.nodes.end(), stations_->all()[s].node))
          order.push_back(static_cast<int>(s));
      const auto count = std::ssize(order);
      run_jobs(static_cast<std::size_t>((count + places_at_once - 1) / places_at_once), threads_, [&](std::size_t job) {
        const auto begin = order.begin() + static_cast<std::ptrdiff_t>(job) * places_at_once;
        const std::vector<int> own(begin, begin + std::min<std::ptrdiff_t>(places_at_once, order.end() - begin));
        add_stretch(subject, own, material.columns, material.at_rest, field);
      });
    }
    return field;
  }

  void add_stretch(const LifeSubject& subject, const std::vector<int>& own, const std::vector<Effect>& columns,
                   const Eigen::VectorXd& at_rest, Eigen::Matrix3Xd& field) const {
    const Index n = std::ssize(own);
    const StressStation& kind = stations_->all()[static_cast<std::size_t>(own.front())];
    const Channels* rows_for = nullptr;  // whose modes the rows are on
    MatrixXd rows;
    const auto rows_on = [&](const LifeCase& each) -> const MatrixXd& {
      if (rows_for != each.channels)
        rows = stations_->rows(own, each.channels->strain_rows(), StressStations::Order::by_component);
      rows_for = each.channels;
      return rows;
    };
    const int levels = levels_of(kind);
    ArrayXXd factor = ArrayXXd::Constant(n, levels, request_.factor);
    std::vector<MatrixXd> look;  // of each level, on the six components
    look.reserve(static_cast<std::size_t>(levels));
    for (int level = 0; level < levels; ++level) look.push_back(quantity_rows(kind, level, *subject.of_nodes));
    if (still_) {
      const MatrixXd values = (rows_on(*still_) * at_rest).reshaped(n, 6);
      for (int level = 0; level < levels; ++level)
        for (Index s = 0; s < n; ++s)
          factor(s, level) = amplitude_factor(
              request_, subject.line,
              mean_of(look[static_cast<std::size_t>(level)] * Eigen::VectorXd(values.row(s).transpose())));
    }
    const ReadyLine line(subject.line);
    ArrayXXd damage = ArrayXXd::Zero(n, levels);
    MatrixXd seen, imaginary;  // what is looked at of one column: n x rows
    for (std::size_t i = 0; i < stages_.size(); ++i) {
      const Stage& stage = stages_[i];
      const MatrixXd w = rows_on(*stage.life_case) * columns[i].matrix;
      const auto components = [&](Index column) { return Eigen::Map<const MatrixXd>(w.col(column).data(), n, 6); };
      for (int level = 0; level < levels; ++level) {
        const MatrixXd turned = look[static_cast<std::size_t>(level)].transpose();
        if (stage.is_random()) {
          std::array<ArrayXd, 4> m;
          for (std::size_t k = 0; k < m.size(); ++k) {
            m[k].setZero(n);
            for (Index c = columns[i].first[k]; c < columns[i].first[k + 1]; ++c) {
              seen.noalias() = components(c) * turned;
              m[k] += seen.rowwise().squaredNorm().array();
            }
          }
          for (Index s = 0; s < n; ++s)
            damage(s, level) += random_damage(subject.line, {m[0][s], m[1][s], m[2][s], m[3][s]}, request_.counting,
                                              factor(s, level), stage.exposure->seconds);
          continue;
        }
        const Index points = w.cols() / 2;
        const ArrayXd square_of_factor = factor.col(level).square();
        for (Index p = 0; p < points; ++p) {
          seen.noalias() = components(p) * turned;
          imaginary.noalias() = components(points + p) * turned;
          const ArrayXd a = seen.rowwise().squaredNorm(), b = imaginary.rowwise().squaredNorm(),
                        c = seen.cwiseProduct(imaginary).rowwise().sum();
          const ArrayXd squares = square_of_factor * 0.5 * (a + b + ((a - b).square() + 4 * c.square()).sqrt());
          damage.col(level) += stage.cycles[p] * line.damages(squares);
        }
      }
    }
    for (int level = 0; level < levels; ++level)
      for (Index s = 0; s < n; ++s) field(level, own[static_cast<std::size_t>(s)]) = damage(s, level);
  }

  [[nodiscard]] MatrixXcd rows_of(const StressPlace& place, StressQuantity quantity, const LifeCase& own) const {
    const StressStation& station = stations_->all()[static_cast<std::size_t>(place.station)];
    return own.channels->from_strain(quantity_rows(station, place.level, quantity) *
                                         stations_->rows(std::array{place.station}, own.channels->strain_rows()),
                                     assembly_.material_of(station.part).loss_factor);
  }

  // The worst place by itself.
  void explain(const RowsOnCase& rows, Life& life) const {
    if (still_) life.mean = mean_of((rows(*still_) * still_->load->still).real());
    const FatigueLine& line = life.subject->line;
    life.mean_factor = mean_stress_factor(line, request_.factor * life.mean);
    for (const Stage& stage : stages_) {
      const MatrixXcd own = rows(*stage.life_case);
      LifePart part = stage.is_random() ? random_part(stage, own, line, request_.factor * life.mean_factor)
                                        : sine_part(stage, own, line, request_.factor * life.mean_factor);
      for (std::size_t i = 0; i < life.damage.size(); ++i) life.damage[i] += part.damage[i];
      life.parts.push_back(std::move(part));
    }
    if (life.counted_damage() < no_damage) life.damage.fill(0);  // what rounding leaves of no response
  }

  [[nodiscard]] static LifePart part_of(const Stage& stage) {
    LifePart part;
    part.excitation = stage.life_case->load->excitation;
    part.exposure = stage.exposure;
    return part;
  }

  [[nodiscard]] static LifePart random_part(const Stage& stage, const MatrixXcd& rows, const FatigueLine& line,
                                            double factor) {
    const ModalCovariance& covariance = *stage.life_case->load->covariance;
    const SpectralMoments m = spectral_moments(
        covariance.by_point(), squares_of_points(covariance.states.times(rows), covariance.roots.first));
    LifePart part = part_of(stage);
    part.amplitude = std::sqrt(m.m0);
    if (!(m.m0 > 0)) return part;
    part.cycles = m.zero_crossings() * stage.exposure->seconds;
    part.irregularity = m.zero_crossings() / m.maxima();
    part.damage = random_damage_rates(line, m.of(factor));
    for (double& each : part.damage) each *= stage.exposure->seconds;
    return part;
  }

  [[nodiscard]] static LifePart sine_part(const Stage& stage, const MatrixXcd& rows, const FatigueLine& line,
                                          double factor) {
    const CaseResponse& load = *stage.life_case->load;
    const Trace trace(*load.transfer, rows);
    const auto amplitude = [&](double f) { return largest_over_phase(trace.at(f, load.excitation->drive.at(f))); };
    LifePart part = part_of(stage);
    if (stage.exposure->dwell_at > 0) {
      part.amplitude = amplitude(stage.exposure->dwell_at);
      part.cycles = stage.cycles[0];
      part.damage.fill(damage_of_cycles(line, factor * part.amplitude, part.cycles));
      return part;
    }
    const std::vector<double>& grid = load.grid;
    const double per_hertz = cycles_per_hertz(load, *stage.exposure);
    part.cycles = per_hertz * (grid.back() - grid.front());
    const ReadyLine ready(line);
    std::vector<double> values, damages;  // at the points; of the stretches between them
    for (const double f : grid) values.push_back(amplitude(f));
    part.amplitude = *std::max_element(values.begin(), values.end());
    // What amplitudes make of springs is a chain of straight lines, right to 1e-6: no rule sees a smooth curve beyond.
    const auto& springs = load.transfer->damping().springs;
    const bool is_chain =
        springs && std::any_of(springs->springs().begin(), springs->springs().end(),
                               [](const VaryingSpring& own) { return own.softening.size() + own.growth.size() > 2; });
    const double tolerance = is_chain ? 1e-5 : 1e-10;
    for (std::size_t k = 0; k + 1 < grid.size(); ++k) {
      constexpr unsigned deepest = 8;
      using Rule = boost::math::quadrature::gauss_kronrod<double, 15>;
      damages.push_back(Rule::integrate([&](double f) { return per_hertz * ready.damage(factor * amplitude(f)); },
                                        grid[k], grid[k + 1], deepest, tolerance));
    }
    const double total = std::accumulate(damages.begin(), damages.end(), 0.0);
    part.damage.fill(total);
    // From minimum to minimum.
    for (std::size_t from = 0; from + 1 < grid.size();) {
      std::size_t top = from;
      while (top + 1 < grid.size() && values[top + 1] >= values[top]) ++top;
      std::size_t to = top;
      while (to + 1 < grid.size() && values[to + 1] <= values[to]) ++to;
      if (to == from) to = from + 1;
      SweptResonance swept_resonance;
      for (std::size_t k = from; k < to; ++k) swept_resonance.damage += damages[k];
      constexpr int digits = 30;
      const auto [at, less] =
          boost::math::tools::brent_find_minima([&](double f) { return -amplitude(f); },
                                                grid[top > from ? top - 1 : top], grid[std::min(top + 1, to)], digits);
      swept_resonance.frequency = values[top] >= -less ? grid[top] : at;
      swept_resonance.amplitude = std::max(values[top], -less);
      swept_resonance.borne = 1 / damage_of_cycles(line, factor * swept_resonance.amplitude, 1);
      swept_resonance.cycles = swept_resonance.damage * swept_resonance.borne;
      part.amplitude = std::max(part.amplitude, swept_resonance.amplitude);
      constexpr double least = 1e-3;
      if (swept_resonance.damage >= least * total && total > 0) part.resonances.push_back(swept_resonance);
      from = to;
    }
    return part;
  }

  const LifeRequest& request_;
  const Assembly& assembly_;
  const StressStations* stations_;
  int threads_;
  std::vector<Stage> stages_;
  const LifeCase* still_ = nullptr;
  bool complete_ = true;
};

}  // namespace

std::vector<Life> find_lives(const std::vector<LifeRequest>& requests, const Assembly& assembly,
                             const std::vector<LifeCase>& cases, const StressStations* stations, int threads) {
  std::vector<Life> lives;
  for (const LifeRequest& request : requests) {
    const LifeFinder finder(request, assembly, cases, stations, threads);
    if (!finder.complete()) continue;
    for (const LifeSubject& subject : request.subjects) lives.push_back(finder.find(subject));
  }
  return lives;
}

}  // namespace avrenk
