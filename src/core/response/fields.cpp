#include "core/response/fields.h"

#include "core/modes/modal_basis.h"
#include "core/response/explanation.h"
#include "core/system/system.h"

namespace avrenk {

NodeMotions node_motions(const System& system, const ModalBasis& basis, const Eigen::VectorXd& q) {
  const Eigen::VectorXd all = system.motions(basis.shapes * q);
  return Eigen::Map<const NodeMotions>(all.data(), 6, all.size() / 6);
}

LargestMotion largest_translation(const Eigen::Ref<const NodeMotions>& motions) {
  const Eigen::VectorXd lengths = motions.topRows<3>().colwise().norm();
  const std::size_t node = first_largest(lengths);
  return {lengths[static_cast<Eigen::Index>(node)], static_cast<int>(node)};
}

OperatingDeflectionShape shape_at(const CaseResponse& excited, const System& system, double frequency) {
  const Transfer& transfer = *excited.transfer;
  OperatingDeflectionShape shape{excited.excitation->name(), excited.excitation, "", frequency, &transfer.basis(), {}};
  shape.coordinates = transfer.coordinates(frequency) * excited.excitation->drive.at(frequency);
  const NodeMotions a = node_motions(system, *shape.basis, shape.coordinates.real()),
                    b = node_motions(system, *shape.basis, shape.coordinates.imag());
  const auto amplitude = [&](Eigen::Index node) -> Eigen::VectorXcd {
    return a.col(node).head<3>() + imaginary * b.col(node).head<3>();
  };
  Eigen::VectorXd largest(a.cols());
  for (Eigen::Index node = 0; node < a.cols(); ++node) largest[node] = largest_over_phase(amplitude(node));
  shape.node = static_cast<int>(first_largest(largest));
  shape.largest = largest[shape.node];
  shape.instant = -phase_of_largest(amplitude(shape.node));
  return shape;
}

Eigen::VectorXd OperatingDeflectionShape::coordinates_at(double angle) const {
  return (coordinates * std::polar(1.0, angle)).real();
}

}  // namespace avrenk
