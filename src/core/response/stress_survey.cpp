#include "core/response/stress_survey.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/parallel.h"
#include "core/response/stress_refiner.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::Index;
using Eigen::MatrixXd;

constexpr std::size_t worst_in_all = 100, worst_of_a_part = 10;
constexpr std::size_t stations_in_job = 512;

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
  const StressRefiner refiner(assembly, channels, stations);
  std::vector<int> looked_at;
  for (std::size_t p = 0; p < parts.size(); ++p)
    if (parts[p]) looked_at.push_back(static_cast<int>(p));
  for (std::size_t i = 0; i < loads.size(); ++i) {
    StressField& field = survey.fields[i];
    std::set<StressPlace> places;
    for (const StressPlace& place : largest_places(field.value, stations, looked_at, worst_in_all))
      places.insert(place);
    for (const int part : looked_at)
      for (const StressPlace& place : largest_places(field.value, stations, {part}, worst_of_a_part))
        places.insert(place);
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

}  // namespace avrenk
