#include "core/response/stress_survey.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/parallel.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

constexpr std::size_t worst_in_all = 100, worst_of_a_part = 10;

// Columns of one load in the matrix that rows of stress are multiplied with.
struct Columns {
  Index first = 0, count = 0;  // of a sine load: real parts, then imaginary parts
};

// What all loads do to the columns of strain, side by side, for one source of damping.
struct LoadMatrix {
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
  state.response.emplace(
      *state.transfer, environment.input,
      frequency_grid(environment.grid, environment.input.curve_points(), resonances(basis, damping)),
      grid_shortfall(environment.grid.points_per_resonance));
}

// F with F Fᵀ = Re(C Γ Cᴴ), by the eigenvectors of the matrix of correlations: high modes move little and strain much,
// so that each counts against its own size.
MatrixXd factor_of(const MatrixXcd& gamma, const MatrixXcd& fold) {
  const MatrixXd covariance = (fold * gamma * fold.adjoint()).real();
  const Eigen::VectorXd size = covariance.diagonal().cwiseMax(0).cwiseSqrt(),
                        inverse = size.unaryExpr([](double x) { return x > 0 ? 1 / x : 0.0; });
  const Eigen::SelfAdjointEigenSolver<MatrixXd> parts(inverse.asDiagonal() * covariance * inverse.asDiagonal());
  const Eigen::VectorXd& values = parts.eigenvalues();
  Index first = 0;  // what rounding leaves
  while (first + 1 < values.size() && values[first] <= 1e-15 * values[values.size() - 1]) ++first;
  const Index kept = values.size() - first;
  return size.asDiagonal() * parts.eigenvectors().rightCols(kept) *
         values.tail(kept).cwiseMax(0).cwiseSqrt().asDiagonal();
}

LoadMatrix load_matrix(const std::vector<LoadState>& states, const MatrixXcd& fold) {
  std::vector<MatrixXd> blocks;
  LoadMatrix all;
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
    sum += block.cols();
    blocks.push_back(std::move(block));
  }
  all.matrix.resize(fold.rows(), sum);
  for (std::size_t i = 0; i < blocks.size(); ++i)
    all.matrix.middleCols(all.of_load[i].first, blocks[i].cols()) = blocks[i];
  return all;
}

// The six components of all stations of a stretch in one column, component by component.
class Components {
 public:
  Components(const Eigen::Ref<const Eigen::VectorXd>& column, Index count, bool shell, int level)
      : count_(count), shell_(shell), bottom_(1 - 0.5 * level), column_(column.data()) {}
  [[nodiscard]] Index size() const { return shell_ ? 3 : 6; }
  // Component k of every station: of a shell at the level.
  [[nodiscard]] ArrayXd operator[](Index k) const {
    if (!shell_) return at(k);
    if (bottom_ == 1) return at(k);
    if (bottom_ == 0) return at(3 + k);
    return 0.5 * (at(k) + at(3 + k));
  }

 private:
  [[nodiscard]] Eigen::Map<const ArrayXd> at(Index k) const { return {column_ + k * count_, count_}; }
  Index count_;
  bool shell_;
  double bottom_;
  const double* column_;
};

// aᵀAb of the von Mises form, station by station.
ArrayXd product(const Components& a, const Components& b) {
  const bool same = &a == &b;
  if (a.size() == 3) {
    const ArrayXd xa = a[0], ya = a[1], ta = a[2];
    if (same) return xa * (xa - ya) + ya * ya + 3 * ta * ta;
    const ArrayXd xb = b[0], yb = b[1], tb = b[2];
    return xa * xb + ya * yb - 0.5 * (xa * yb + ya * xb) + 3 * ta * tb;
  }
  const ArrayXd xa = a[0], ya = a[1], za = a[2], xb = b[0], yb = b[1], zb = b[2];
  return xa * xb + ya * yb + za * zb - 0.5 * (xa * (yb + zb) + ya * (xb + zb) + za * (xb + yb)) +
         3 * (a[3] * b[3] + a[4] * b[4] + a[5] * b[5]);
}

// Largest over phase and grid of every station of a stretch at one level.
void take_sine(const MatrixXd& w, const Columns& own, Index count, const StressStation& kind, int level,
               const std::vector<double>& grid, Index first, StressField& field) {
  const Index points = own.count / 2;
  ArrayXd best = ArrayXd::Constant(count, -1);
  std::vector<Index> at(static_cast<std::size_t>(count), 0);
  for (Index k = 0; k < points; ++k) {
    const Components a(w.col(own.first + k), count, kind.shell, level),
        b(w.col(own.first + points + k), count, kind.shell, level);
    const ArrayXd aa = product(a, a), bb = product(b, b), ab = product(a, b);
    const ArrayXd value = 0.5 * (aa + bb) + 0.5 * ((aa - bb).square() + 4 * ab.square()).sqrt();
    for (Index s = 0; s < count; ++s)
      if (value[s] > best[s]) {
        best[s] = value[s];
        at[static_cast<std::size_t>(s)] = k;
      }
  }
  const MatrixXd mises = von_mises_rows(kind, level);
  for (Index s = 0; s < count; ++s) {
    const Index k = at[static_cast<std::size_t>(s)];
    Eigen::VectorXcd amplitude(6);
    for (Index c = 0; c < 6; ++c)
      amplitude[c] = Complex(w(c * count + s, own.first + k), w(c * count + s, own.first + points + k));
    field.value(level, first + s) = std::sqrt(std::max(0.0, best[s]));
    field.frequency(level, first + s) = grid[static_cast<std::size_t>(k)];
    field.phase(level, first + s) = phase_of_largest(mises * amplitude);
  }
}

// Root of the sum of squares over the columns: RMS of a random load, the value itself of a steady one.
void take_sum(const MatrixXd& w, const Columns& own, Index count, const StressStation& kind, int level, Index first,
              StressField& field) {
  ArrayXd sum = ArrayXd::Zero(count);
  for (Index k = 0; k < own.count; ++k) {
    const Components a(w.col(own.first + k), count, kind.shell, level);
    sum += product(a, a);
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

// What one load does to the columns of strain at a frequency: real and imaginary parts of a sine, the factor of a random
// covariance, a steady answer.
MatrixXd columns_at(const LoadState& state, const LoadMatrix& load, std::size_t index, const MatrixXcd& fold,
                    double frequency, double level) {
  if (state.type != Environment::Type::sine)
    return load.matrix.middleCols(load.of_load[index].first, load.of_load[index].count);
  const Eigen::VectorXcd w = level * (fold * state.transfer->state(frequency).col(0));
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
    const Index columns = channels_.strain_columns();
    const MatrixXd x = columns_at(state, load, index,
                                  channels_.from_strain(MatrixXd::Identity(columns, columns), loss_factor),
                                  worst.frequency, level);
    double difference = 0;
    for (const MatrixXd& own : each)
      difference += (mises * ((own - mean) * x)).squaredNorm() / static_cast<double>(each.size());
    const double whole = (mises * (mean * x)).squaredNorm();
    worst.jump = whole > 0 ? std::sqrt(difference / whole) : 0;
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
                  .emplace(loss_factor,
                           load_matrix(states, channels.from_strain(MatrixXd::Identity(channels.strain_columns(),
                                                                                       channels.strain_columns()),
                                                                    loss_factor)))
                  .first;
    const auto each = static_cast<std::size_t>(6 * found->second.matrix.cols()) * sizeof(double);
    const std::size_t at_once = std::clamp<std::size_t>(bytes_at_once / each, 16, 512);
    for (std::size_t at = from; at < to; at += at_once)
      stretches.push_back({static_cast<Index>(at), static_cast<Index>(std::min(at_once, to - at)), &found->second});
  }
  run_jobs(stretches.size(), threads, [&](std::size_t job) {
    const auto& [first, count, load] = stretches[job];
    const MatrixXd rows = stations.rows(
        static_cast<std::size_t>(first), static_cast<std::size_t>(count),
        [&](int node) { return channels.strain_rows(node); }, channels.strain_columns());
    MatrixXd by_component(rows.rows(), rows.cols());
    for (Index c = 0; c < 6; ++c)
      for (Index s = 0; s < count; ++s) by_component.row(c * count + s) = rows.row(6 * s + c);
    const MatrixXd w = by_component * load->matrix;
    const StressStation& kind = stations.all()[static_cast<std::size_t>(first)];
    for (std::size_t i = 0; i < loads.size(); ++i)
      for (int level = 0; level < levels_of(kind); ++level) {
        if (states[i].type == Environment::Type::sine)
          take_sine(w, load->of_load[i], count, kind, level, states[i].response->grid(), first, survey.fields[i]);
        else
          take_sum(w, load->of_load[i], count, kind, level, first, survey.fields[i]);
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
