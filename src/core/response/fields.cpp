#include "core/response/fields.h"

namespace avrenk {

NodeMotions node_motions(const System& system, const ModalBasis& basis, const Eigen::VectorXd& q) {
  const Eigen::VectorXd all = system.motions(basis.shapes * q);
  return Eigen::Map<const NodeMotions>(all.data(), 6, all.size() / 6);
}

Eigen::VectorXcd sine_coordinates(const Excitation& excitation, const ModalBasis& basis, const ModalDamping& damping,
                                  double frequency) {
  return Transfer(basis, damping, {excitation.base, excitation.loads}).coordinates(frequency) *
         excitation.drive.at(frequency);
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

}  // namespace avrenk
