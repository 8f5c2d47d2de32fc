#include "core/response/shape_span.h"

#include <gtest/gtest.h>

#include <cmath>
#include <complex>

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

// A response over frequency: resonances of all modes, the lower of which are at hand.
struct Swept {
  MatrixXd translations;
  MatrixXcd states;
  std::vector<int> at_hand;
};
Swept swept(int modes, int at_hand, int places, int frequencies) {
  std::srand(7);
  Swept all{MatrixXd::Random(3 * places, modes), MatrixXcd(modes, frequencies), {}};
  for (int r = 0; r < modes; ++r)
    for (int k = 0; k < frequencies; ++k) {
      const double resonance = 20.0 * (r + 1), f = 5 + 0.9 * k;
      all.states(r, k) =
          (1 + 0.3 * std::sin(r)) / std::complex<double>(resonance * resonance - f * f, 0.03 * resonance * f);
    }
  for (int r = 0; r < at_hand; ++r) all.at_hand.push_back(r);
  return all;
}

// What the span makes of the states, by its definition alone.
MatrixXcd put_together(const Swept& all, const ShapeSpan& span) {
  MatrixXd at_hand = MatrixXd::Zero(all.translations.rows(), all.translations.cols());
  for (const int r : all.at_hand) at_hand.col(r) = all.translations.col(r);
  return at_hand * all.states + all.translations * span.shapes * (span.weights * all.states);
}
double largest_error(const MatrixXcd& whole, const MatrixXcd& other) {
  double worst = 0;
  for (Index k = 0; k < whole.cols(); ++k) {
    double top = 0, off = 0;
    for (Index row = 0; row < whole.rows(); row += 3) {
      top = std::max(top, whole.col(k).segment<3>(row).norm());
      off = std::max(off, (whole - other).col(k).segment<3>(row).norm());
    }
    worst = std::max(worst, off / top);
  }
  return worst;
}

TEST(ShapeSpan, IsWithinTheErrorThatItStates) {
  for (const int at_hand : {0, 5, 12}) {
    const Swept all = swept(60, at_hand, 40, 200);  // up to 185 Hz: nine resonances inside
    const MatrixXcd whole = all.translations * all.states;
    for (const Index most : {0, 1, 2, 4, 8, 16}) {
      const ShapeSpan span = span_of(all.translations, all.at_hand, all.states, 1e-6, most);
      EXPECT_LE(span.shapes.cols(), most);
      EXPECT_NEAR(span.error, largest_error(whole, put_together(all, span)), 1e-9) << at_hand << ", " << most;
      for (const int r : all.at_hand) EXPECT_EQ(span.shapes.row(r).norm(), 0);
    }
    // Beyond all resonances two shapes are the static correction and its next term.
    if (at_hand == 12) {
      EXPECT_LT(span_of(all.translations, all.at_hand, all.states, 1e-6, 2).error, 0.01);
    }
    const ShapeSpan enough = span_of(all.translations, all.at_hand, all.states, 1e-6, 60);
    EXPECT_LE(enough.error, 1e-6);
    EXPECT_LT(enough.shapes.cols(), 40);
    const ShapeSpan rough = span_of(all.translations, all.at_hand, all.states, 0.01, 60);
    EXPECT_LE(rough.error, 0.01);
    EXPECT_LT(rough.shapes.cols(), enough.shapes.cols());
  }
}

TEST(ShapeSpan, NeedsNoneWhereNothingIsLeft) {
  const Swept all = swept(6, 6, 5, 20);
  const ShapeSpan span = span_of(all.translations, all.at_hand, all.states, 0.01, 4);
  EXPECT_EQ(span.shapes.cols(), 0);
  EXPECT_EQ(span.error, 0);
  // Nothing moves, nothing is asked, or all places stand still.
  EXPECT_EQ(span_of(all.translations, {}, MatrixXcd::Zero(6, 3), 0.01, 4).error, 0);
  EXPECT_EQ(span_of(all.translations, {}, MatrixXcd(6, 0), 0.01, 4).shapes.cols(), 0);
  EXPECT_EQ(span_of(MatrixXd::Zero(15, 6), {}, all.states, 0.01, 4).error, 0);
  EXPECT_EQ(span_of(MatrixXd(0, 6), {}, all.states, 0.01, 4).error, 0);
  // Two modes of one shape are one.
  MatrixXd twins = all.translations;
  twins.col(1) = 3 * twins.col(0);
  EXPECT_LT(span_of(twins.leftCols(2), {}, all.states.topRows(2), 1e-9, 4).error, 1e-9);
  EXPECT_EQ(span_of(twins.leftCols(2), {}, all.states.topRows(2), 1e-9, 4).shapes.cols(), 1);
}

}  // namespace
}  // namespace avrenk
