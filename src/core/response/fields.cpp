#include "core/response/fields.h"

namespace avrenk {

NodeMotions node_motions(const System& system, const ModalBasis& basis, const Eigen::VectorXd& q) {
  const Eigen::VectorXd all = system.motions(basis.shapes * q);
  return Eigen::Map<const NodeMotions>(all.data(), 6, all.size() / 6);
}

double worst_instant(const System& system, const ModalBasis& basis, const Eigen::VectorXcd& q) {
  const NodeMotions a = node_motions(system, basis, q.real()), b = node_motions(system, basis, q.imag());
  double largest = -1, instant = 0;
  for (Eigen::Index node = 0; node < a.cols(); ++node) {
    Eigen::VectorXcd w(3);
    w.real() = a.col(node).head<3>();
    w.imag() = b.col(node).head<3>();
    const double value = largest_over_phase(w);
    if (value <= largest) continue;
    largest = value;
    instant = -phase_of_largest(w);
  }
  return instant;
}

MotionShape shape_at(const Excited& excited, const System& system, double frequency) {
  const Transfer& transfer = *excited.transfer;
  MotionShape shape{excited.excitation->name(), excited.excitation, "", frequency, &transfer.basis(), {}};
  shape.coordinates = transfer.coordinates(frequency) * excited.excitation->drive.at(frequency);
  shape.instant = worst_instant(system, *shape.basis, shape.coordinates);
  const NodeMotions motions = node_motions(system, *shape.basis, shape.coordinates_at(shape.instant));
  shape.largest = motions.topRows<3>().colwise().norm().maxCoeff(&shape.node);
  return shape;
}

}  // namespace avrenk
