#include "core/modes/damping.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"

namespace avrenk {
namespace {

Eigen::VectorXd energies(const Eigen::MatrixXd& shapes, const SparseMatrix& matrix) {
  if (matrix.nonZeros() == 0) return Eigen::VectorXd::Zero(shapes.cols());
  return shapes.cwiseProduct(matrix * shapes).colwise().sum().transpose();
}

std::string describe_source(double general, double loss, double dashpot) {
  const double sum = general + loss + dashpot;
  if (sum <= 0) return "none";
  struct Share {
    const char* name;
    double value;
  };
  std::vector<Share> shares{{"general", general / sum}, {"own η", loss / sum}, {"dashpots", dashpot / sum}};
  std::stable_sort(shares.begin(), shares.end(), [](const Share& a, const Share& b) { return a.value > b.value; });
  if (shares[0].value > 0.995) return shares[0].name;
  std::string text;
  for (const Share& share : shares)
    if (share.value >= 0.005)
      text += fmt::format("{}{} {:.0f} %", text.empty() ? "" : ", ", share.name, 100 * share.value);
  return text;
}

}  // namespace

double DampingRule::ratio(double frequency) const {
  if (form == Form::ratio) return value;
  if (form != Form::table) return 0;
  if (frequency <= table.front().first) return table.front().second;
  if (frequency >= table.back().first) return table.back().second;
  const auto above =
      std::upper_bound(table.begin(), table.end(), frequency, [](double f, const auto& row) { return f < row.first; });
  const auto below = above - 1;
  const double part = std::log(frequency / below->first) / std::log(above->first / below->first);
  return below->second + part * (above->second - below->second);
}

ModalDamping damp(const System& system, const ModalBasis& basis, const DampingRule& rule) {
  const Eigen::VectorXd loss = energies(basis.shapes, system.loss.ff);
  const Eigen::VectorXd own = energies(basis.shapes, system.own_stiffness.ff);
  const Eigen::VectorXd dashpots = energies(basis.shapes, system.dashpot.ff);
  ModalDamping damping;
  const auto m = basis.size();
  damping.zeta.resize(m);
  damping.eta.resize(m);
  damping.general_rate.resize(m);
  const bool general_is_loss = rule.form == DampingRule::Form::loss_factor;
  damping.general_loss = general_is_loss ? rule.value : 0;
  for (int r = 0; r < m; ++r) {
    const double omega = basis.omega[r], omega2 = omega * omega;
    const double general_share = std::max(0.0, 1 - own[r] / omega2);
    const double ratio = rule.ratio(basis.frequency(r));
    const double from_dashpots = dashpots[r] / (2 * omega);
    damping.zeta[r] = ratio * general_share + from_dashpots;
    damping.eta[r] = loss[r] / omega2 + damping.general_loss * general_share;
    damping.general_rate[r] = 2 * ratio / omega;
    damping.source.push_back(
        describe_source((ratio + 0.5 * damping.general_loss) * general_share, 0.5 * loss[r] / omega2, from_dashpots));
  }
  return damping;
}

void require_damping(const ModalBasis& basis, const ModalDamping& damping, double from, double to) {
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r);
    if (f < from || f > to || damping.effective_ratio(r) > 0) continue;
    throw InputError(Problem{
        "damping",
        fmt::format("mode {} at {:.5g} Hz lies between {:.5g} and {:.5g} Hz and has no damping, so its "
                    "response is infinite",
                    r + 1, f, from, to),
        "write, for example, damping: {otherwise: 1.5 %}, or give materials or joints a loss factor", std::nullopt});
  }
}

}  // namespace avrenk
