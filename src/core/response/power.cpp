#include "core/response/power.h"

#include <cmath>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "core/system/system.h"

namespace avrenk {

using Eigen::Index;
using Eigen::VectorXcd;
using Eigen::VectorXd;

PowerBalance power_balance(const Excitation& excitation, const Assembly& assembly, const System& system,
                           const Transfer& transfer, const Channels& channels, double frequency) {
  const ModalBasis& basis = transfer.basis();
  const ModalDamping& damping = transfer.damping();
  const StateLayout& layout = transfer.layout();
  const double omega = 2 * pi * frequency;
  const VectorXcd a = excitation.at(frequency), z = transfer.state(frequency) * a, q = z.head(layout.modes);
  PowerBalance power{frequency};
  if (layout.loads > 0) {
    // What the columns of loads do work on: Fᵀu, u = Φq + B u_b at the free unknowns, E u_b at the supports.
    const VectorXcd base = z.segment(layout.base(0), layout.motions);
    VectorXcd motion = basis.load_participation.transpose() * q;
    motion += system.loads.transpose() * (basis.statics.influence * base).eval();
    motion += system.support_loads.transpose() * (system.support_motion * base).eval();
    VectorXcd applied = z.tail(layout.loads);
    if (damping.springs)  // their columns are no input: what they put in is what they do not dissipate
      for (const VaryingSpring& own : damping.springs->springs()) {
        power.dissipated -= 0.5 * (imaginary * omega * std::conj(applied[own.column]) * motion[own.column]).real();
        applied[own.column] = 0;
      }
    power.put_in += 0.5 * (imaginary * omega * applied.dot(motion)).real();
  }
  for (std::size_t b = 0; b < assembly.bases.size(); ++b) {
    const VectorXcd force = channels.base_reaction(static_cast<int>(b), assembly.bases[b].point) * z,
                    velocity = z.segment(layout.base(1) + 6 * static_cast<Index>(b), 6);
    power.put_in += 0.5 * force.dot(velocity).real();
  }
  VectorXd uncoupled = VectorXd::Zero(q.size());  // of each coordinate by itself, what couples them shared
  if (damping.coupled())
    uncoupled = q.conjugate().cwiseProduct((damping.hysteretic + omega * damping.viscous) * q).real();
  else
    uncoupled = (damping.alone_loss + omega * damping.alone_viscous).cwiseProduct(q.cwiseAbs2());
  const double sum = uncoupled.sum();
  power.dissipated += 0.5 * omega * sum;
  if (basis.modes > 0 && sum > 0) {
    Index most = 0;
    uncoupled.head(basis.modes).maxCoeff(&most);
    power.mode = static_cast<int>(most);
    power.share = uncoupled[most] / sum;
  }
  if (!basis.statics.moves_rigidly && !excitation.base.isZero(0)) power.dissipated = std::nan("");
  return power;
}

}  // namespace avrenk
