#include "figures/node_curves.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>
#include <set>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/channels.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Json = nlohmann::ordered_json;

static_assert(std::endian::native == std::endian::little);

// Arrays behind one another, and where each begins in bytes.
class Arrays {
 public:
  template <typename Number>
  Json add(const std::vector<Number>& numbers, const char* type) {
    Json where = {{"type", type}, {"at", bytes_.size()}, {"size", numbers.size()}};
    const std::size_t begin = bytes_.size(), size = numbers.size() * sizeof(Number);
    constexpr std::size_t whole = 8;  // each begins at a multiple of the longest number
    bytes_.resize((begin + size + whole - 1) / whole * whole, '\0');
    if (size > 0) std::memcpy(bytes_.data() + begin, numbers.data(), size);
    return where;
  }
  // Real and imaginary parts in turn, a column behind the other.
  template <typename Number = double>
  Json add(const MatrixXcd& matrix) {
    std::vector<Number> numbers;
    numbers.reserve(static_cast<std::size_t>(2 * matrix.size()));
    for (const Complex value : matrix.reshaped()) {
      numbers.push_back(static_cast<Number>(value.real()));
      numbers.push_back(static_cast<Number>(value.imag()));
    }
    return add(numbers, sizeof(Number) == sizeof(float) ? "Float32" : "Float64");
  }
  [[nodiscard]] const std::string& bytes() const { return bytes_; }

 private:
  std::string bytes_;
};

Json case_of(const CaseResults& outcome, const NodeCurveSource& source, Arrays& arrays) {
  const Excitation& excitation = *outcome.excitation;
  const std::vector<double>& grid = outcome.grid();
  const Transfer transfer(source.basis, source.damping, {excitation.base, excitation.loads});
  const Transfer::Forces& forces = transfer.damped_forces();
  std::vector<MatrixXcd> at_each;
  Index width = 0;
  for (const double f : grid) {
    at_each.push_back(excitation.at(f));
    width = std::max(width, at_each.back().cols());
  }
  // Of all points, one behind the other.
  MatrixXcd amplitudes = MatrixXcd::Zero(excitation.base.cols(), width * static_cast<Index>(grid.size()));
  for (std::size_t k = 0; k < grid.size(); ++k)
    amplitudes.middleCols(width * static_cast<Index>(k), at_each[k].cols()) = at_each[k];
  return {{"name", outcome.name()},
          {"random", outcome.random() != nullptr},
          {"order", excitation.order},
          {"inputs", excitation.base.cols()},
          {"columns", width},
          {"grid", arrays.add(grid, "Float64")},
          {"amplitudes", arrays.add(amplitudes)},
          {"base", arrays.add(excitation.base)},
          {"forces", arrays.add(forces.constant)},
          {"velocity forces", arrays.add(forces.velocity)},
          {"displacement forces", arrays.add(forces.displacement)}};
}

}  // namespace

bool has_node_curves(const CaseResults& outcome, const ModalDamping& damping) {
  if (!damping.modes.is_diagonal() || damping.springs || outcome.is_combined() || outcome.at_rest() ||
      outcome.grid().empty() || outcome.environment().is_direct() || outcome.environment().modes)
    return false;
  constexpr Index most_columns = 12;
  constexpr double most_numbers = 60000;  // amplitudes over the grid
  const MatrixXcd amplitudes = outcome.excitation->at(outcome.grid().front());
  return amplitudes.size() > 0 && amplitudes.rows() <= most_columns && amplitudes.cols() <= most_columns &&
         static_cast<double>(amplitudes.size()) * static_cast<double>(outcome.grid().size()) <= most_numbers;
}

std::vector<int> spread_nodes(const Assembly& assembly, const std::vector<int>& nodes, const std::vector<int>& first,
                              std::size_t most) {
  std::set<int> chosen;
  for (const int node : first)
    if (chosen.size() < most) chosen.insert(node);
  if (nodes.size() <= most) {
    chosen.insert(nodes.begin(), nodes.end());
    return {chosen.begin(), chosen.end()};
  }
  Vector3 low = Vector3::Constant(HUGE_VAL), high = -low;
  for (const int node : nodes) {
    low = low.cwiseMin(assembly.position(node));
    high = high.cwiseMax(assembly.position(node));
  }
  const auto with_cubes_of = [&](double edge) {
    std::set<std::array<long, 3>> taken;
    std::vector<int> own;
    for (const int node : nodes) {
      const Vector3 at = (assembly.position(node) - low) / edge;
      if (taken.insert({std::lround(at.x()), std::lround(at.y()), std::lround(at.z())}).second) own.push_back(node);
    }
    return own;
  };
  double small = 1e-4 * (high - low).norm(), large = (high - low).norm();
  const std::size_t left = most - chosen.size();
  constexpr int halvings = 12;
  for (int i = 0; i < halvings; ++i) {
    const double middle = std::sqrt(small * large);
    (with_cubes_of(middle).size() <= left ? large : small) = middle;
  }
  for (const int node : with_cubes_of(large))
    if (chosen.size() < most) chosen.insert(node);
  return {chosen.begin(), chosen.end()};
}

std::string node_curves(const NodeCurveSource& source, const std::vector<int>& nodes) {
  if (nodes.empty()) return "";
  Arrays arrays;
  Json header, cases = Json::array();
  for (const CaseResults& outcome : source.outcomes)
    if (has_node_curves(outcome, source.damping)) cases.push_back(case_of(outcome, source, arrays));
  if (cases.empty()) return "";

  const Index modes = source.basis.size(), motions = source.basis.statics.influence.cols();
  const auto rows = 3 * static_cast<Index>(nodes.size());
  const Channels channels(source.assembly, source.system, source.basis, source.damping);
  MatrixXd shapes(rows, modes), base(rows, motions);
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    const MatrixXd own = channels.translation(nodes[n], true);
    shapes.middleRows(3 * static_cast<Index>(n), 3) = own.leftCols(modes);
    base.middleRows(3 * static_cast<Index>(n), 3) = own.rightCols(motions);
  }
  std::vector<double> scales;
  std::vector<std::int16_t> numbers;
  numbers.reserve(static_cast<std::size_t>(shapes.size()));
  for (Index r = 0; r < modes; ++r) {
    constexpr double largest = 32767;
    const double scale = rows > 0 ? shapes.col(r).cwiseAbs().maxCoeff() / largest : 0;
    scales.push_back(scale);
    for (const double value : shapes.col(r))
      numbers.push_back(static_cast<std::int16_t>(scale > 0 ? std::lround(value / scale) : 0));
  }
  std::vector<double> positions;
  for (const int node : nodes)
    for (const double each : source.assembly.position(node)) positions.push_back(each);
  const DampedModes& damped = source.damping.modes;
  header["modes"] = modes;
  header["coordinates"] = damped.coordinates();
  header["motions"] = motions;
  header["nodes"] = nodes;
  header["relative"] = source.basis.statics.moves_rigidly || motions > 6;  // φq is then the relative displacement
  for (const auto& [name, of] : {std::pair{"acceleration", &kind::acceleration}, std::pair{"length", &kind::length},
                                 std::pair{"frequency", &kind::frequency}}) {
    const DisplayUnit unit = source.show.unit(*of), psd = psd_unit(unit);
    header[name] = {{"unit", unit.text}, {"factor", unit.factor}, {"psd unit", psd.text}, {"psd factor", psd.factor}};
  }
  header["cases"] = std::move(cases);
  header["denominators"] = arrays.add(damped.denominators());
  header["right"] = arrays.add<float>(damped.rows(MatrixXcd::Identity(modes, modes)));
  header["positions"] = arrays.add(positions, "Float64");
  header["scales"] = arrays.add(scales, "Float64");
  header["base"] = arrays.add<float>(base.cast<Complex>());
  header["shapes"] = arrays.add(numbers, "Int16");
  std::string text = header.dump(-1, ' ', false, Json::error_handler_t::replace);
  constexpr std::size_t whole = 8;
  text.resize((4 + text.size() + whole - 1) / whole * whole - 4, ' ');
  std::string bytes(4, '\0');
  const auto length = static_cast<std::uint32_t>(text.size());
  std::memcpy(bytes.data(), &length, sizeof length);
  return bytes + text + arrays.bytes();
}

}  // namespace avrenk
