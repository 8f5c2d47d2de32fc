#include "core/response/stress_survey.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "core/dense.h"
#include "core/parallel.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

constexpr std::size_t worst_in_all = 100, worst_of_a_part = 10;
constexpr std::size_t stations_in_job = 512;

// Columns of one load in the matrix that rows of stress are multiplied with.
struct Columns {
  Index first = 0, count = 0;  // of a sine load: real parts, then imaginary parts
  std::vector<Index> order{};  // of a sine load: frequencies, those that strain most first
};

// What all loads do to the columns of strain, side by side, for one source of damping.
struct LoadMatrix {
  MatrixXcd fold;  // columns of strain from the state z
  MatrixXd matrix;
  std::vector<Columns> of_load;
};

// States of one load, before damping is folded in. Its parts refer to one another: it stays where it was made.
struct LoadState {
  Environment::Type type = Environment::Type::steady;
  std::optional<Transfer> transfer;      // sine
  std::optional<SineResponse> response;  // sine
  MatrixXcd gamma;                       // random
  Eigen::VectorXcd still;                // steady
};

void make_state(const StressLoad& load, const System& system, const ModalBasis& basis, const ModalDamping& damping,
                LoadState& state) {
  const Environment& environment = *load.environment;
  state.type = environment.type;
  if (environment.type == Environment::Type::steady) {
    state.still = steady_state(environment, system, basis);
    return;
  }
  state.transfer.emplace(basis, damping, base_inputs(basis, damping, environment.directions(load.axis, system)));
  if (environment.type == Environment::Type::random) {
    state.gamma = integrate_covariance(*state.transfer, environment.input).gamma;
    return;
  }
  state.response.emplace(*state.transfer, environment.input,
                         frequency_grid(environment.grid, environment.input.curve_points(), resonances(basis, damping)),
                         grid_shortfall(environment.grid.points_per_resonance));
}

// F with F Fᵀ = Re(C Γ Cᴴ), by the eigenvectors of the matrix of correlations: high modes move little and strain much,
// so that each counts against its own size.
MatrixXd factor_of(const MatrixXcd& gamma, const MatrixXcd& fold) {
  const MatrixXd covariance = (fold * gamma * fold.adjoint()).real();
  const Eigen::VectorXd size = covariance.diagonal().cwiseMax(0).cwiseSqrt(),
                        inverse = size.unaryExpr([](double x) { return x > 0 ? 1 / x : 0.0; });
  const auto [values, vectors] = symmetric_eigen(MatrixXd(inverse.asDiagonal() * covariance * inverse.asDiagonal()));
  Index first = 0;  // what rounding leaves
  while (first + 1 < values.size() && values[first] <= 1e-15 * values[values.size() - 1]) ++first;
  const Index kept = values.size() - first;
  return size.asDiagonal() * vectors.rightCols(kept) * values.tail(kept).cwiseMax(0).cwiseSqrt().asDiagonal();
}

// Frequencies by the strain energy of the modes, Σ ω_r² |q_r|², largest first.
std::vector<Index> strongest_first(const MatrixXd& block, const Eigen::VectorXd& omega) {
  const Index points = block.cols() / 2;
  Eigen::VectorXd weight = Eigen::VectorXd::Ones(block.rows());
  weight.head(omega.size()) = omega;
  const Eigen::RowVectorXd parts = (weight.asDiagonal() * block).colwise().squaredNorm();
  const Eigen::RowVectorXd energy = parts.head(points) + parts.tail(points);
  std::vector<Index> order(static_cast<std::size_t>(points));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return energy[a] > energy[b]; });
  return order;
}

LoadMatrix load_matrix(const std::vector<LoadState>& states, const MatrixXcd& fold, const Eigen::VectorXd& omega) {
  std::vector<MatrixXd> blocks;
  LoadMatrix all;
  all.fold = fold;
  Index sum = 0;
  for (const LoadState& state : states) {
    MatrixXd block;
    if (state.type == Environment::Type::sine) {
      const MatrixXcd w = state.response->curves(fold);
      block.resize(w.rows(), 2 * w.cols());
      block << w.real(), w.imag();
    } else if (state.type == Environment::Type::random) {
      block = factor_of(state.gamma, fold);
    } else {
      block = (fold * state.still).real();
    }
    all.of_load.push_back({sum, block.cols()});
    if (state.type == Environment::Type::sine) all.of_load.back().order = strongest_first(block, omega);
    sum += block.cols();
    blocks.push_back(std::move(block));
  }
  all.matrix.resize(fold.rows(), sum);
  for (std::size_t i = 0; i < blocks.size(); ++i)
    all.matrix.middleCols(all.of_load[i].first, blocks[i].cols()) = blocks[i];
  return all;
}

// Twice the mean of the von Mises stress squared over a cycle, an upper bound of the square of the largest, station by
// station; `a` and `b` hold the real and imaginary components, component by component of `count` stations.
struct Bound {
  // x² + y² − xy + 3τ² at a level: `bottom` 1, ½ or 0.
  static double plane(const double* c, Index count, Index s, double bottom) {
    const double top = 1 - bottom, x = bottom * c[s] + top * c[3 * count + s],
                 y = bottom * c[count + s] + top * c[4 * count + s],
                 t = bottom * c[2 * count + s] + top * c[5 * count + s];
    return x * (x - y) + y * y + 3 * t * t;
  }
  static double solid(const double* c, Index count, Index s) {
    const double x = c[s], y = c[count + s], z = c[2 * count + s], xy = c[3 * count + s], yz = c[4 * count + s],
                 zx = c[5 * count + s];
    return x * (x - y) + y * (y - z) + z * (z - x) + 3 * (xy * xy + yz * yz + zx * zx);
  }
};
double square(const double* c, Index count, Index s, bool shell, int level) {
  return shell ? Bound::plane(c, count, s, 1 - 0.5 * level) : Bound::solid(c, count, s);
}

// How many stations could be larger here than they were; compiled for wide registers too, where the machine has them.
__attribute__((target_clones("avx2", "default"))) Index candidates(const double* a, const double* b, const double* best,
                                                                   Index count, bool shell, double bottom) {
  Index over = 0;  // counted, as a largest of floating-point numbers would not be computed side by side
  if (shell) {
    for (Index s = 0; s < count; ++s)
      over += static_cast<Index>(Bound::plane(a, count, s, bottom) + Bound::plane(b, count, s, bottom) > best[s]);
  } else {
    for (Index s = 0; s < count; ++s)
      over += static_cast<Index>(Bound::solid(a, count, s) + Bound::solid(b, count, s) > best[s]);
  }
  return over;
}

// Where the largest of each station of a stretch at one level lies. Most frequencies cannot hold it: their bound says
// so.
class LargestOverSweep {
 public:
  LargestOverSweep(const StressStation& kind, int level, Index count)
      : shell_(kind.shell),
        level_(level),
        mises_(von_mises_rows(kind, level)),
        best_(ArrayXd::Constant(count, -1)),
        at_(static_cast<std::size_t>(count), 0) {}

  void take(const double* a, const double* b, Index frequency) {
    const Index count = best_.size();
    if (candidates(a, b, best_.data(), count, shell_, 1 - 0.5 * level_) == 0) return;
    for (Index s = 0; s < count; ++s) {
      if (square(a, count, s, shell_, level_) + square(b, count, s, shell_, level_) <= best_[s]) continue;
      const double value = largest_over_phase(amplitude(a, b, s));
      if (value * value <= best_[s]) continue;
      best_[s] = value * value;
      at_[static_cast<std::size_t>(s)] = frequency;
    }
  }
  [[nodiscard]] Eigen::VectorXcd amplitude(const double* a, const double* b, Index s) const {
    Eigen::Matrix<Complex, 6, 1> components;
    for (Index c = 0; c < 6; ++c) components[c] = Complex(a[c * best_.size() + s], b[c * best_.size() + s]);
    return mises_ * components;
  }
  [[nodiscard]] double value(Index s) const { return std::sqrt(std::max(0.0, best_[s])); }
  [[nodiscard]] Index frequency(Index s) const { return at_[static_cast<std::size_t>(s)]; }

 private:
  bool shell_;
  int level_;
  MatrixXd mises_;
  ArrayXd best_;
  std::vector<Index> at_;
};

void take_sine(const MatrixXd& w, const Columns& own, Index count, const StressStation& kind, int level,
               const std::vector<double>& grid, Index first, StressField& field) {
  const Index points = own.count / 2;
  LargestOverSweep largest(kind, level, count);
  const auto a = [&](Index k) { return w.col(own.first + k).data(); };
  const auto b = [&](Index k) { return w.col(own.first + points + k).data(); };
  for (const Index k : own.order) largest.take(a(k), b(k), k);
  for (Index s = 0; s < count; ++s) {
    const Index k = largest.frequency(s);
    field.value(level, first + s) = largest.value(s);
    field.frequency(level, first + s) = grid[static_cast<std::size_t>(k)];
    field.phase(level, first + s) = phase_of_largest(largest.amplitude(a(k), b(k), s));
  }
}

// Root of the sum of squares over the columns: RMS of a random load, the value itself of a steady one.
void take_sum(const MatrixXd& w, const Columns& own, Index count, const StressStation& kind, int level, Index first,
              StressField& field) {
  ArrayXd sum = ArrayXd::Zero(count);
  for (Index k = 0; k < own.count; ++k) {
    const double* const column = w.col(own.first + k).data();
    for (Index s = 0; s < count; ++s) sum[s] += square(column, count, s, kind.shell, level);
  }
  field.value.row(level).segment(first, count) = sum.max(0).sqrt();
}

// The largest values over the places of some parts.
std::vector<StressPlace> largest(const Eigen::Matrix3Xd& value, const StressStations& stations,
                                 const std::vector<int>& parts, std::size_t most) {
  std::vector<StressPlace> places;
  for (const int part : parts) {
    const auto [from, to] = stations.of_part(part);
    for (std::size_t s = from; s < to; ++s)
      for (int level = 0; level < levels_of(stations.all()[s]); ++level) places.push_back({static_cast<int>(s), level});
  }
  const auto order = [&](const StressPlace& a, const StressPlace& b) {
    const double va = value(a.level, a.station), vb = value(b.level, b.station);
    return va != vb ? va > vb : a < b;
  };
  const std::size_t kept = std::min(most, places.size());
  std::partial_sort(places.begin(), places.begin() + static_cast<std::ptrdiff_t>(kept), places.end(), order);
  places.resize(kept);
  return places;
}

// What one load does to the columns of strain at a frequency: real and imaginary parts of a sine, the factor of a
// random covariance, a steady answer.
MatrixXd columns_at(const LoadState& state, const LoadMatrix& load, std::size_t index, double frequency, double level) {
  if (state.type != Environment::Type::sine)
    return load.matrix.middleCols(load.of_load[index].first, load.of_load[index].count);
  const Eigen::VectorXcd w = level * (load.fold * state.transfer->state(frequency).col(0));
  MatrixXd both(w.size(), 2);
  both << w.real(), w.imag();
  return both;
}

// The worst places of one load, located exactly.
class Refiner {
 public:
  Refiner(const Assembly& assembly, const Channels& channels, const StressStations& stations)
      : assembly_(assembly), channels_(channels), stations_(stations) {}

  [[nodiscard]] WorstStress locate(const StressPlace& place, const StressField& field, const LoadState& state,
                                   const LoadMatrix& load, std::size_t index) const {
    const StressStation& station = stations_.all()[static_cast<std::size_t>(place.station)];
    const auto motions = [&](int node) { return channels_.strain_rows(node); };
    const std::vector<MatrixXd> each =
        stations_.rows_by_element(static_cast<std::size_t>(place.station), motions, channels_.strain_columns());
    MatrixXd mean = MatrixXd::Zero(6, channels_.strain_columns());
    for (const MatrixXd& own : each) mean += own / static_cast<double>(each.size());
    const MatrixXd mises = von_mises_rows(station, place.level);
    const auto& loss_factor = assembly_.material_of(station.part).loss_factor;
    WorstStress worst{place, field.value(place.level, place.station)};
    double level = 1;
    if (state.type == Environment::Type::sine) {
      const Measure measure{"", channels_.from_strain(mises * mean, loss_factor)};
      const SinePeak peak = state.response->peak(measure);
      worst.value = peak.value;
      worst.frequency = peak.frequency;
      worst.phase = peak.phase;
      level = state.response->level(measure, peak.frequency);
    }
    const MatrixXd x = columns_at(state, load, index, worst.frequency, level);
    double difference = 0;
    for (const MatrixXd& own : each)
      difference += (mises * ((own - mean) * x)).squaredNorm() / static_cast<double>(each.size());
    const double whole = (mises * (mean * x)).squaredNorm();
    if (each.size() > 1) worst.jump = whole > 0 ? std::sqrt(difference / whole) : 0;
    if (state.type != Environment::Type::random) {
      Vector6 now = (mean * x).col(0);
      if (state.type == Environment::Type::sine) {
        const Eigen::VectorXcd w = (mean * x).col(0) + Complex(0, 1) * (mean * x).col(1);
        now = (w * std::polar(1.0, -worst.phase)).real();
      }
      const Vector3 ascending =
          Eigen::SelfAdjointEigenSolver<Matrix3>(stress_tensor(station, place.level, now)).eigenvalues();
      worst.principal = ascending.reverse();
    }
    return worst;
  }

 private:
  const Assembly& assembly_;
  const Channels& channels_;
  const StressStations& stations_;
};

}  // namespace

StressSurvey survey_stress(const Assembly& assembly, const System& system, const ModalBasis& basis,
                           const ModalDamping& damping, const StressStations& stations,
                           const std::vector<StressLoad>& loads, const std::vector<bool>& parts, int threads,
                           std::size_t bytes_at_once) {
  StressSurvey survey;
  survey.parts = parts;
  const auto size = static_cast<Index>(stations.size());
  const auto nothing = [&] { return Eigen::Matrix3Xd::Constant(3, size, std::nan("")); };
  std::vector<LoadState> states(loads.size());
  for (const StressLoad& load : loads) {
    StressField field{load, outcome_name(*load.environment, load.axis), nothing(), {}, {}, {}};
    if (load.environment->type == Environment::Type::sine) {
      field.frequency = field.phase = nothing();
      survey.shortfall = std::max(survey.shortfall, 1 - grid_shortfall(load.environment->grid.points_per_resonance));
    }
    survey.fields.push_back(std::move(field));
  }
  run_jobs(loads.size(), threads, [&](std::size_t i) { make_state(loads[i], system, basis, damping, states[i]); });
  const Channels channels(assembly, system, basis, damping);
  std::map<std::optional<double>, LoadMatrix> matrices;  // by the loss factor of the material
  struct Stretch {
    Index first, count;
    const LoadMatrix* load;
  };
  std::vector<Stretch> stretches;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    const auto [from, to] = stations.of_part(static_cast<int>(p));
    if (!parts[p] || from == to || loads.empty()) continue;
    const auto& loss_factor = assembly.material_of(static_cast<int>(p)).loss_factor;
    auto found = matrices.find(loss_factor);
    if (found == matrices.end())
      found = matrices
                  .emplace(loss_factor, load_matrix(states,
                                                    channels.from_strain(MatrixXd::Identity(channels.strain_columns(),
                                                                                            channels.strain_columns()),
                                                                         loss_factor),
                                                    basis.omega))
                  .first;
    for (std::size_t at = from; at < to; at += stations_in_job)
      stretches.push_back(
          {static_cast<Index>(at), static_cast<Index>(std::min(stations_in_job, to - at)), &found->second});
  }
  run_jobs(stretches.size(), threads, [&](std::size_t job) {
    const auto& [first, count, load] = stretches[job];
    const MatrixXd rows = stations.rows(
        static_cast<std::size_t>(first), static_cast<std::size_t>(count),
        [&](int node) { return channels.strain_rows(node); }, channels.strain_columns());
    const StressStation& kind = stations.all()[static_cast<std::size_t>(first)];
    const auto bytes_each = static_cast<std::size_t>(6 * load->matrix.cols()) * sizeof(double);
    const auto at_once = static_cast<Index>(std::clamp<std::size_t>(bytes_at_once / bytes_each, 1, stations_in_job));
    MatrixXd by_component, w;  // kept from stretch to stretch
    for (Index part = 0; part < count; part += at_once) {
      const Index now = std::min(at_once, count - part);
      by_component.resize(6 * now, rows.cols());
      for (Index c = 0; c < 6; ++c)
        for (Index s = 0; s < now; ++s) by_component.row(c * now + s) = rows.row(6 * (part + s) + c);
      w.resize(6 * now, load->matrix.cols());
      w.noalias() = by_component * load->matrix;
      for (std::size_t i = 0; i < loads.size(); ++i)
        for (int level = 0; level < levels_of(kind); ++level) {
          if (states[i].type == Environment::Type::sine)
            take_sine(w, load->of_load[i], now, kind, level, states[i].response->grid(), first + part,
                      survey.fields[i]);
          else
            take_sum(w, load->of_load[i], now, kind, level, first + part, survey.fields[i]);
        }
    }
  });
  const Refiner refiner(assembly, channels, stations);
  std::vector<int> looked_at;
  for (std::size_t p = 0; p < parts.size(); ++p)
    if (parts[p]) looked_at.push_back(static_cast<int>(p));
  for (std::size_t i = 0; i < loads.size(); ++i) {
    StressField& field = survey.fields[i];
    std::set<StressPlace> places;
    for (const StressPlace& place : largest(field.value, stations, looked_at, worst_in_all)) places.insert(place);
    for (const int part : looked_at)
      for (const StressPlace& place : largest(field.value, stations, {part}, worst_of_a_part)) places.insert(place);
    const std::vector<StressPlace> list(places.begin(), places.end());
    field.worst.resize(list.size());
    run_jobs(list.size(), threads, [&](std::size_t k) {
      const int part = stations.all()[static_cast<std::size_t>(list[k].station)].part;
      field.worst[k] =
          refiner.locate(list[k], field, states[i], matrices.at(assembly.material_of(part).loss_factor), i);
    });
    std::stable_sort(field.worst.begin(), field.worst.end(),
                     [](const WorstStress& a, const WorstStress& b) { return a.value > b.value; });
    if (states[i].type != Environment::Type::sine) continue;
    for (const WorstStress& worst : field.worst) {
      field.value(worst.place.level, worst.place.station) = worst.value;
      field.frequency(worst.place.level, worst.place.station) = worst.frequency;
      field.phase(worst.place.level, worst.place.station) = worst.phase;
    }
  }
  return survey;
}

const WorstStress* StressField::worst_of(const StressStations& stations, int part) const {
  for (const WorstStress& each : worst)
    if (stations.all()[static_cast<std::size_t>(each.place.station)].part == part) return &each;
  return nullptr;
}

std::vector<StressPlace> candidate_places(const StressSurvey& survey, const StressStations& stations,
                                          const std::vector<int>& parts, std::size_t most) {
  std::set<StressPlace> all;
  const auto take = [&](const Eigen::Matrix3Xd& value) {
    for (const StressPlace& place : largest(value, stations, parts, most)) all.insert(place);
  };
  std::map<const Environment*, Eigen::Matrix3Xd> squares;
  for (const StressField& field : survey.fields) {
    take(field.value);
    const Environment& environment = *field.load.environment;
    if (environment.combination == Environment::Combination::root_sum_of_squares) {
      auto [sum, fresh] = squares.try_emplace(&environment, Eigen::Matrix3Xd::Zero(3, field.value.cols()));
      sum->second.array() += field.value.array().square();
    }
    for (const StressField& still : survey.fields)
      if (still.load.environment->name == environment.after) take(field.value + still.value);
  }
  for (const auto& [environment, sum] : squares) take(sum);
  return {all.begin(), all.end()};
}

}  // namespace avrenk
