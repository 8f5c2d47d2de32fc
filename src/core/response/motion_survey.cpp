#include "core/response/motion_survey.h"

#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <map>

#include "core/excitation/frequency_grid.h"
#include "core/modes/damping.h"
#include "core/parallel.h"
#include "core/response/explanation.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

constexpr Index nodes_in_job = 64;
constexpr double per_octave = 12;
constexpr int points_per_resonance = 9;

// The entries of the state that go with one derivative: of q, then of u_b.
MatrixXcd selection(const StateLayout& layout, int derivative) {
  MatrixXcd fold = MatrixXcd::Zero(layout.modes + layout.motions, layout.size());
  fold.block(0, layout.modal(derivative), layout.modes, layout.modes).setIdentity();
  fold.block(layout.modes, layout.base(derivative), layout.motions, layout.motions).setIdentity();
  return fold;
}

// What one random case does to q and u_b.
struct Driven {
  const CaseResponse& excited;
  std::vector<double> points;           // Hz
  std::vector<double> edges;            // at which the laws of the inputs change
  MatrixXd displacement, acceleration;  // factors of their covariances
  MatrixXd at_points;                   // q̈ and ü_b times the roots of the spectra, real parts, then imaginary parts
  std::vector<Index> first;             // column of each point

  explicit Driven(const CaseResponse& own) : excited(own), edges(own.covariance->input.edges()) {
    const Transfer& transfer = *own.transfer;
    GridRequest request = own.excitation->grid;
    request.per_octave = per_octave;
    request.points_per_resonance = points_per_resonance;
    points = frequency_grid(request, curve_points(*own.excitation, transfer.damping()),
                            resonances(transfer.basis(), transfer.damping()));
    if (const auto& springs = transfer.damping().springs) {
      for (const double f : springs->breakpoints()) edges.push_back(f);
      std::sort(edges.begin(), edges.end());
    }
    const MatrixXcd still = selection(transfer.layout(), 0), accelerated = selection(transfer.layout(), 2);
    displacement = covariance_factor(own.covariance->gamma, still);
    acceleration = covariance_factor(own.covariance->gamma, accelerated);
    const SpectralRoots roots = own.covariance->input.roots(points);
    first = roots.first;
    const MatrixXcd w = StateTable(transfer, roots.frequencies, roots.columns).times(accelerated);
    at_points.resize(w.rows(), 2 * w.cols());
    at_points << w.real(), w.imag();
  }

  // PSD of a node's acceleration at any frequency. @param rows  3 x (m + n_b)
  [[nodiscard]] double psd(const MatrixXd& rows, double frequency) const {
    const Transfer& transfer = *excited.transfer;
    const StateLayout& layout = transfer.layout();
    const MatrixXcd z = transfer.state(frequency) * excited.covariance->input.root(frequency);
    return (rows.leftCols(layout.modes) * z.middleRows(layout.modal(2), layout.modes) +
            rows.rightCols(layout.motions) * z.middleRows(layout.base(2), layout.motions))
        .squaredNorm();
  }

  // No law changes between two of its points.
  [[nodiscard]] bool is_smooth(std::size_t from, std::size_t to) const {
    const auto next = std::upper_bound(edges.begin(), edges.end(), points[from]);
    return next == edges.end() || *next >= points[to];
  }

  // The largest of a curve on the points.
  [[nodiscard]] std::pair<double, double> largest(const std::vector<double>& curve) const {
    const std::size_t k = first_largest(Eigen::Map<const Eigen::VectorXd>(curve.data(), std::ssize(curve)));
    if (k == 0 || k + 1 == points.size() || !(curve[k - 1] > 0) || !(curve[k + 1] > 0) || !is_smooth(k - 1, k + 1))
      return {curve[k], points[k]};
    // 1/S through three points: its Newton form.
    const double f0 = points[k - 1], f1 = points[k], f2 = points[k + 1];
    const double y0 = 1 / curve[k - 1], y1 = 1 / curve[k], y2 = 1 / curve[k + 1];
    const double slope = (y1 - y0) / (f1 - f0), bend = ((y2 - y1) / (f2 - f1) - slope) / (f2 - f0);
    if (!(bend > 0)) return {curve[k], f1};
    const double at = std::clamp(0.5 * (f0 + f1 - slope / bend), f0, f2);
    const double lowest = y0 + (at - f0) * (slope + bend * (at - f1));
    return lowest > 0 && lowest < y1 ? std::pair{1 / lowest, at} : std::pair{curve[k], f1};
  }

  // The same located between the neighbours of the points.
  [[nodiscard]] LargestPsd located(int node, const MatrixXd& rows, double about) const {
    const auto next = std::upper_bound(points.begin(), points.end(), about);
    const auto k = static_cast<std::size_t>(std::max<std::ptrdiff_t>(next - points.begin() - 1, 0));
    LargestPsd found{node, 0, about};
    const auto take = [&](double f) {
      if (const double value = psd(rows, f); value > found.value) found = {node, value, f};
    };
    const std::size_t from = k > 0 ? k - 1 : 0, to = std::min(k + 2, points.size() - 1);
    for (std::size_t i = from; i <= to; ++i) {
      take(points[i]);
      if (i == to) break;
      const auto [f, negative] =
          boost::math::tools::brent_find_minima([&](double x) { return -psd(rows, x); }, points[i], points[i + 1], 30);
      take(f);
    }
    return found;
  }
};

}  // namespace

NodeOrigins origins_of(const Assembly& assembly) {
  NodeOrigins node_origins;
  std::map<std::string, int> known;
  for (const Node& node : assembly.nodes) {
    const auto [at, is_new] = known.try_emplace(node.origin, static_cast<int>(node_origins.names.size()));
    if (is_new) node_origins.names.push_back(node.origin);
    node_origins.of_node.push_back(at->second);
  }
  return node_origins;
}

std::vector<MotionField> survey_motion(const Assembly& assembly, const Channels& channels, const CaseResponses& loads,
                                       int threads) {
  std::vector<MotionField> fields;
  std::vector<Driven> driven;
  const auto size = static_cast<Index>(assembly.nodes.size());
  for (const auto& load : loads) {
    if (!load->covariance) continue;
    driven.emplace_back(*load);
    const auto nothing = Eigen::Matrix3Xd::Constant(3, size, std::nan(""));
    fields.push_back({load->excitation, nothing, nothing, nothing.row(0), nothing.row(0), {}, 0});
  }
  if (fields.empty()) return fields;
  run_jobs(static_cast<std::size_t>((size + nodes_in_job - 1) / nodes_in_job), threads, [&](std::size_t job) {
    std::vector<int> nodes;
    const Index begin = static_cast<Index>(job) * nodes_in_job;
    for (Index node = begin; node < std::min(begin + nodes_in_job, size); ++node)
      if (channels.moves(static_cast<int>(node))) nodes.push_back(static_cast<int>(node));
    if (nodes.empty()) return;
    const Index count = std::ssize(nodes), width = driven.front().at_points.rows();
    MatrixXd relative(3 * count, width), absolute(3 * count, width), w;
    for (Index i = 0; i < count; ++i) {
      relative.middleRows<3>(3 * i) = channels.translation(nodes[static_cast<std::size_t>(i)], false);
      absolute.middleRows<3>(3 * i) = channels.translation(nodes[static_cast<std::size_t>(i)], true);
    }
    std::vector<double> curve;
    for (std::size_t k = 0; k < driven.size(); ++k) {
      const Driven& load = driven[k];
      MotionField& field = fields[k];
      const auto rms = [&](const MatrixXd& rows, const MatrixXd& factor, Eigen::Matrix3Xd& value) {
        w.noalias() = rows * factor;
        for (Index i = 0; i < count; ++i)
          value.col(nodes[static_cast<std::size_t>(i)]) = w.middleRows<3>(3 * i).rowwise().norm();
      };
      rms(relative, load.displacement, field.displacement);
      rms(absolute, load.acceleration, field.acceleration);
      w.noalias() = absolute * load.at_points;
      w = w.cwiseAbs2().eval();
      const Index columns = load.at_points.cols() / 2;
      curve.resize(load.points.size());
      for (Index i = 0; i < count; ++i) {
        const Eigen::RowVectorXd squares = w.middleRows<3>(3 * i).colwise().sum();
        const Eigen::RowVectorXd both = squares.head(columns) + squares.tail(columns);
        for (std::size_t p = 0; p < curve.size(); ++p)
          curve[p] = both.segment(load.first[p], load.first[p + 1] - load.first[p]).sum();
        const int node = nodes[static_cast<std::size_t>(i)];
        std::tie(field.psd[node], field.frequency[node]) = load.largest(curve);
      }
    }
  });
  const NodeOrigins origins = origins_of(assembly);
  for (std::size_t k = 0; k < driven.size(); ++k) {
    MotionField& field = fields[k];
    std::vector<int> worst(origins.names.size() + 1, -1);
    for (int node = 0; node < static_cast<int>(size); ++node) {
      if (std::isnan(field.psd[node])) continue;
      for (const int of : {0, origins.of_node[static_cast<std::size_t>(node)] + 1}) {
        int& own = worst[static_cast<std::size_t>(of)];
        // What rounding makes of nodes that move alike does not count.
        if (own < 0 || field.psd[node] > field.psd[own] * (1 + 1e-9)) own = node;
      }
    }
    for (const int node : worst) {
      if (node < 0) continue;
      field.worst.push_back(driven[k].located(node, channels.translation(node, true), field.frequency[node]));
      if (field.worst.back().value > 0)
        field.interpolation = std::max(field.interpolation, std::abs(field.psd[node] / field.worst.back().value - 1));
    }
    for (const LargestPsd& each : field.worst) {
      field.psd[each.node] = each.value;
      field.frequency[each.node] = each.frequency;
    }
  }
  return fields;
}

double MotionField::rms_displacement(int node) const { return displacement.col(node).norm(); }

double MotionField::rms_acceleration(int node) const { return acceleration.col(node).norm(); }

}  // namespace avrenk
