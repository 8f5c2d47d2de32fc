#include "core/response/stress_extremes.h"

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/response/principal_stress.h"
#include "core/simd.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::Index;
using Eigen::MatrixXd;

// Von Mises stress squared, added to a sum: of plane stress, and of a tensor. Numbers, or several side by side.
template <typename Number>
__attribute__((always_inline)) inline void add_plane(const Number& x, const Number& y, const Number& xy, Number& sum) {
  sum += x * (x - y) + y * y + 3 * xy * xy;
}
template <typename Number>
__attribute__((always_inline)) inline void add_solid(const Number& x, const Number& y, const Number& z,
                                                     const Number& xy, const Number& yz, const Number& zx,
                                                     Number& sum) {
  sum += x * (x - y) + y * (y - z) + z * (z - x) + 3 * (xy * xy + yz * yz + zx * zx);
}

// Of station s out of the components of `count` stations.
struct Mises {
  // At a level: `bottom` 1, ½ or 0.
  static double plane(const double* c, Index count, Index s, double bottom) {
    const auto at_level = [&](Index k) { return bottom * c[k * count + s] + (1 - bottom) * c[(k + 3) * count + s]; };
    double square = 0;
    add_plane(at_level(0), at_level(1), at_level(2), square);
    return square;
  }
  static double solid(const double* c, Index count, Index s) {
    double square = 0;
    add_solid(c[s], c[count + s], c[2 * count + s], c[3 * count + s], c[4 * count + s], c[5 * count + s], square);
    return square;
  }
};

// How many stations could be larger here than they were; compiled for wide registers too, where the machine has them.
__attribute__((target_clones("avx2", "default"))) Index candidates(const double* a, const double* b, const double* best,
                                                                   Index count, bool shell, double bottom) {
  Index over = 0;  // counted, as a largest of floating-point numbers would not be computed side by side
  if (shell) {
    for (Index s = 0; s < count; ++s)
      over += static_cast<Index>(Mises::plane(a, count, s, bottom) + Mises::plane(b, count, s, bottom) > best[s]);
  } else {
    for (Index s = 0; s < count; ++s)
      over += static_cast<Index>(Mises::solid(a, count, s) + Mises::solid(b, count, s) > best[s]);
  }
  return over;
}

// Adds von Mises stress squared of the stations that begin at c: at the bottom, in the middle, at the top.
template <typename Number>
__attribute__((always_inline)) inline void add_mises(const double* c, Index count, bool shell, double* sums) {
  const Number *const x = reinterpret_cast<const Number*>(c), *const y = reinterpret_cast<const Number*>(c + count),
                      *const z = reinterpret_cast<const Number*>(c + 2 * count),
                      *const u = reinterpret_cast<const Number*>(c + 3 * count),
                      *const v = reinterpret_cast<const Number*>(c + 4 * count),
                      *const w = reinterpret_cast<const Number*>(c + 5 * count);
  auto *const first = reinterpret_cast<Number*>(sums), *const second = reinterpret_cast<Number*>(sums + count),
              *const third = reinterpret_cast<Number*>(sums + 2 * count);
  if (!shell) {
    add_solid(*x, *y, *z, *u, *v, *w, *first);
    return;
  }
  const Number a = 0.5 * (*x + *u), b = 0.5 * (*y + *v), t = 0.5 * (*z + *w);
  add_plane(*x, *y, *z, *first);
  add_plane(a, b, t, *second);
  add_plane(*u, *v, *w, *third);
}

__attribute__((target_clones("avx512f", "fma", "default"))) void add_mises_of_column(const double* column, Index count,
                                                                                     bool shell, double* sums) {
  Index s = 0;
  for (; s + simd_width <= count; s += simd_width) add_mises<SimdDoubles>(column + s, count, shell, sums + s);
  for (; s < count; ++s) add_mises<double>(column + s, count, shell, sums + s);
}

// The stress that is looked at, out of columns of a stretch.
class Look {
 public:
  explicit Look(const StressStretch& stretch)
      : stretch_(stretch),
        shell_(station(0).shell),
        bottom_(1 - 0.5 * stretch.level),
        rows_(quantity_rows(station(0), stretch.level, stretch.quantity)),
        row_(rows_.row(0)) {}

  [[nodiscard]] Index count() const { return stretch_.count(); }
  [[nodiscard]] bool principal() const { return stretch_.quantity == StressQuantity::principal; }
  [[nodiscard]] const StressStation& station(Index s) const {
    return stretch_.stations[static_cast<std::size_t>(stretch_.own[static_cast<std::size_t>(s)])];
  }
  [[nodiscard]] Vector6 components(const double* c, Index s) const {
    Vector6 values;
    for (Index k = 0; k < 6; ++k) values[k] = c[k * count() + s];
    return values;
  }
  // In global axes.
  [[nodiscard]] Matrix3 tensor(const Vector6& values, Index s) const {
    return stress_tensor(station(s), stretch_.level, values);
  }
  // Its square at one instant; of all but principal stress.
  [[nodiscard]] double square(const double* c, Index s) const {
    if (stretch_.quantity == StressQuantity::von_mises)
      return shell_ ? Mises::plane(c, count(), s, bottom_) : Mises::solid(c, count(), s);
    const double value = signed_value(c, s);
    return value * value;
  }
  [[nodiscard]] double signed_value(const double* c, Index s) const { return row_.dot(components(c, s)); }

  // What the square of the largest of a cycle cannot exceed, from its real and imaginary parts.
  [[nodiscard]] double bound(const double* a, const double* b, Index s) const {
    if (!principal()) return square(a, s) + square(b, s);
    // The middle and the radius of Mohr's circle, or of a solid √⅔ of the deviator, each by itself.
    const Vector6 re = components(a, s), im = components(b, s);
    if (shell_) {
      const Vector3 x = bottom_ * re.head<3>() + (1 - bottom_) * re.tail<3>(),
                    y = bottom_ * im.head<3>() + (1 - bottom_) * im.tail<3>();
      const double middle = std::hypot(x[0] + x[1], y[0] + y[1]) / 2, dx = (x[0] - x[1]) / 2, dy = (y[0] - y[1]) / 2;
      const double dd = dx * dx + dy * dy, tt = x[2] * x[2] + y[2] * y[2], dt = dx * x[2] + dy * y[2];
      const double radius = std::sqrt(0.5 * (dd + tt + std::sqrt((dd - tt) * (dd - tt) + 4 * dt * dt)));
      return (middle + radius) * (middle + radius);
    }
    const double mean_re = re.head<3>().mean(), mean_im = im.head<3>().mean();
    const double deviator = (re.head<3>().array() - mean_re).square().sum() + 2 * re.tail<3>().squaredNorm() +
                            (im.head<3>().array() - mean_im).square().sum() + 2 * im.tail<3>().squaredNorm();
    const double both = std::hypot(mean_re, mean_im) + std::sqrt(2.0 / 3 * deviator);
    return both * both;
  }
  // The square of the largest of a cycle, and its direction.
  [[nodiscard]] LargestNormalStress largest(const double* a, const double* b, Index s) const {
    if (principal()) return largest_normal_stress(std::array{tensor(components(a, s), s), tensor(components(b, s), s)});
    const double value = largest_over_phase(rows_ * amplitude(a, b, s));
    return {value * value, Vector3::Zero()};
  }
  [[nodiscard]] double phase(const double* a, const double* b, Index s, const Vector3& direction) const {
    return phase_of_largest(quantity_rows(station(s), stretch_.level, stretch_.quantity, direction) *
                            amplitude(a, b, s));
  }
  // Whether any station could be larger here than it was.
  [[nodiscard]] bool any_over(const double* a, const double* b, const ArrayXd& best) const {
    if (stretch_.quantity == StressQuantity::von_mises)
      return candidates(a, b, best.data(), count(), shell_, bottom_) > 0;
    for (Index s = 0; s < count(); ++s)
      if (bound(a, b, s) > best[s]) return true;
    return false;
  }

 private:
  [[nodiscard]] Eigen::VectorXcd amplitude(const double* a, const double* b, Index s) const {
    return components(a, s).cast<Complex>() + Complex(0, 1) * components(b, s);
  }
  const StressStretch& stretch_;
  bool shell_;
  double bottom_;
  MatrixXd rows_;  // of all but principal stress
  Vector6 row_;    // the only one of a component
};

// Symmetric tensors T_k with Σ T_k ⊗ T_k = Σ over the columns: six at most, from the 6 x 6 sum of their products.
std::vector<Matrix3> principal_tensors(const Look& look, const MatrixXd& w, const Columns& own, Index s) {
  if (own.count == 1) return {look.tensor(look.components(w.col(own.first).data(), s), s)};
  Eigen::Matrix<double, 6, 6> sum = Eigen::Matrix<double, 6, 6>::Zero();
  for (Index k = 0; k < own.count; ++k) {
    const Vector6 column = look.components(w.col(own.first + k).data(), s);
    sum.noalias() += column * column.transpose();
  }
  const auto [values, vectors] = symmetric_eigen(MatrixXd(sum));
  std::vector<Matrix3> tensors;
  for (Index k = 0; k < 6; ++k) {
    tensors.push_back(look.tensor(std::sqrt(std::max(0.0, values[k])) * vectors.col(k), s));
  }
  return tensors;
}

}  // namespace

void take_sine(const StressStretch& stretch, const MatrixXd& w, const Columns& own, const std::vector<double>& grid,
               StressField& field) {
  const Look look(stretch);
  const Index count = stretch.count(), points = own.count / 2;
  const auto a = [&](Index k) { return w.col(own.first + k).data(); };
  const auto b = [&](Index k) { return w.col(own.first + points + k).data(); };
  ArrayXd best = ArrayXd::Constant(count, -1);
  std::vector<Index> at(static_cast<std::size_t>(count), 0);
  Eigen::Matrix3Xd direction = Eigen::Matrix3Xd::Zero(3, count);
  // Most frequencies cannot hold the largest: their bound says so.
  for (const Index k : own.order) {
    if (!look.any_over(a(k), b(k), best)) continue;
    for (Index s = 0; s < count; ++s) {
      if (look.bound(a(k), b(k), s) <= best[s]) continue;
      const LargestNormalStress here = look.largest(a(k), b(k), s);
      if (here.square <= best[s]) continue;
      best[s] = here.square;
      direction.col(s) = here.direction;
      at[static_cast<std::size_t>(s)] = k;
    }
  }
  for (Index s = 0; s < count; ++s) {
    const Index k = at[static_cast<std::size_t>(s)];
    const int station = stretch.own[static_cast<std::size_t>(s)];
    field.value(stretch.level, station) = std::sqrt(std::max(0.0, best[s]));
    field.frequency(stretch.level, station) = grid[static_cast<std::size_t>(k)];
    field.phase(stretch.level, station) = look.phase(a(k), b(k), s, direction.col(s));
    if (look.principal()) field.direction_at({station, stretch.level}) = direction.col(s);
  }
}

void take_mises_sums(const StressStretch& stretch, const MatrixXd& w, const Columns& own, StressField& field) {
  const StressStation& kind = stretch.stations[static_cast<std::size_t>(stretch.own.front())];
  Eigen::ArrayXXd sums = Eigen::ArrayXXd::Zero(stretch.count(), 3);
  for (Index k = 0; k < own.count; ++k)
    add_mises_of_column(w.col(own.first + k).data(), stretch.count(), kind.shell, sums.data());
  for (int level = 0; level < levels_of(kind); ++level) field.value(level, stretch.own) = sums.col(level).max(0).sqrt();
}

void take_sum(const StressStretch& stretch, const MatrixXd& w, const Columns& own, StressField& field) {
  const Look look(stretch);
  const bool at_rest = !field.excitation->is_random();  // or at one instant
  ArrayXd value(stretch.count());
  if (look.principal()) {
    for (Index s = 0; s < stretch.count(); ++s) {
      const std::vector<Matrix3> tensors = principal_tensors(look, w, own, s);
      const LargestNormalStress found = largest_normal_stress(tensors);
      value[s] = std::sqrt(found.square);
      if (at_rest) value[s] = found.direction.dot(tensors.front() * found.direction);
      field.direction_at({stretch.own[static_cast<std::size_t>(s)], stretch.level}) = found.direction;
    }
  } else if (at_rest) {
    for (Index s = 0; s < stretch.count(); ++s) value[s] = look.signed_value(w.col(own.first).data(), s);
  } else {
    value.setZero();
    for (Index k = 0; k < own.count; ++k) {
      const double* const column = w.col(own.first + k).data();
      for (Index s = 0; s < stretch.count(); ++s) value[s] += look.square(column, s);
    }
    value = value.max(0).sqrt();
  }
  field.value(stretch.level, stretch.own) = value;
}

}  // namespace avrenk
