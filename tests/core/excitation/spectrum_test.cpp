// Several random inputs: their matrix of spectra, its root, and what contradicts itself.
#include "core/excitation/spectrum.h"

#include <gmock/gmock.h>

#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;
using testing::HasSubstr;

LogLogTable flat(double level, double from = 10, double to = 1000) {
  return LogLogTable({{from, level, {}}, {to, level, {}}}, 10);
}

// L Lᴴ is S, entry by entry as γ e^{iθ} √(S_jj S_kk) says, whatever the rank: three inputs of very unlike size, one
// table of coherence with phase, a delay, and one that decays.
TEST(SpectralMatrix, HasARootOfEveryRank) {
  const std::vector<LogLogTable> levels{flat(2), LogLogTable({{20, {}, 3}, {80, 1e-9, {}}, {500, 1e-9, {}}}, 10),
                                        flat(1e6)};
  const std::vector<Coherence> pairs{
      {0, 1, {{50, 0.7, 0.3}, {300, 0.2, -1}}}, {2, 0, {{1, 0.3, 0}}, 1e-3, 0}, {1, 2, {{1, 0.2, 1}}, 0, 2e-3}};
  const SpectralMatrix several(levels, pairs, {"a", "b", "c"});
  EXPECT_EQ(several.from(), 10);
  EXPECT_EQ(several.to(), 1000);
  for (const double f : {15.0, 50.0, 120.0, 299.0, 480.0, 700.0}) {
    const MatrixXcd root = several.root(f), s = root * root.adjoint();
    const auto level = [&](int k) { return several.level(k, f); };
    const auto expect = [&](int j, int k, std::complex<double> exact) {
      const double size = std::sqrt(level(j) * level(k));
      EXPECT_LE(std::abs(s(j, k) - exact * size), 1e-13 * size) << f;
      EXPECT_LE(std::abs(s(k, j) - std::conj(exact) * size), 1e-13 * size) << f;
    };
    for (int k = 0; k < 3; ++k) expect(k, k, 1);
    const double part = std::clamp((f - 50) / 250, 0.0, 1.0);
    expect(1, 0, std::polar(0.7 - 0.5 * part, 0.3 - 1.3 * part));
    expect(0, 2, std::polar(0.3, -2 * pi * f * 1e-3));
    expect(2, 1, std::polar(0.2 * std::exp(-2e-3 * f), 1.0));
    EXPECT_EQ((several.root(f, f) - root).norm(), 0);
  }
  EXPECT_EQ(several.root(5).norm(), 0);  // below all tables
  // Fully correlated: one column; not at all: as many as there are inputs.
  const auto all = [](double gamma) {
    std::vector<Coherence> of_all;
    for (int k = 1; k < 4; ++k)
      for (int j = 0; j < k; ++j) of_all.push_back({j, k, {{1, gamma, 0.2 * (k - j)}}});
    return SpectralMatrix({flat(1), flat(2), flat(3), flat(4)}, of_all, {"a", "b", "c", "d"});
  };
  EXPECT_EQ(all(1).root(100).cols(), 1);
  EXPECT_EQ(all(0).root(100).cols(), 4);
  EXPECT_EQ(SpectralMatrix(flat(4)).root(100)(0, 0), 2.0);
  const SpectralRoots roots = all(0.3).roots({20, 30});
  EXPECT_EQ(roots.first, (std::vector<Eigen::Index>{0, 4, 8}));
  EXPECT_EQ(roots.frequencies[5], 30);
  EXPECT_EQ((roots.columns.rightCols(4) - all(0.3).root(30)).norm(), 0);
}

// Two that go with a third cannot go against one another; the frequency and the pair are named.
TEST(SpectralMatrix, RefusesWhatContradictsItself) {
  const auto refusal = [](const std::vector<Coherence>& pairs) {
    try {
      const SpectralMatrix made({flat(1), flat(2), flat(3)}, pairs, {"x", "y", "pump"});
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_THAT(refusal({{0, 1, {{1, 1.2, 0}}}}), HasSubstr("the coherence of x and y is 1.2"));
  const Coherence one{0, 1, {{1, 0.95, 0}}}, other{0, 2, {{1, 0.95, 0}}};
  // 1 − γ₁² − γ₂² − γ₃² + 2 γ₁ γ₂ γ₃ cos θ ≥ 0: of 0.95 and 0.95 the third is at least 0.805.
  EXPECT_EQ(refusal({one, other, {1, 2, {{1, 0.81, 0}}}}), "");
  EXPECT_THAT(refusal({one, other, {1, 2, {{1, 0.80, 0}}}}), HasSubstr("contradicts those of the others"));
  EXPECT_THAT(refusal({one, other, {1, 2, {{1, 0.95, pi}}}}), HasSubstr("negative eigenvalue"));
  // Only beyond some frequency: where that is, is said.
  const std::string late = refusal({one, other, {1, 2, {{100, 0.95, 0}, {200, 0.3, 0}}}});
  EXPECT_THAT(late, HasSubstr("Hz the coherence of"));
}

}  // namespace
}  // namespace avrenk
