/// core/response/direct_basis.h: the full equations solved directly at a few frequencies, and from these answers at all
/// others: the second maker of what responses are made from (theory 5).
#pragma once

#include "core/excitation/excitation.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/progress.h"

namespace avrenk {

/// In the span of the real and imaginary parts of solutions y(f_k) the equations of motion are small, and as Z(f) is
/// symmetric and the span real, Galerkin's answer at each f_k is y(f_k) itself; between them it is the rational
/// interpolation of Krylov methods with several shifts (Ruhe, Linear Algebra Appl. 58, 1984). The next f_k is where the
/// residual of the full equations is largest, until two further solutions differ from what the span says by less than
/// `direct_tolerance`, and at no node by more than `direct_node_tolerance` of its motion. The span stands in for modes
/// in all that follows; its vectors are none and have no meaning one by one.
struct DirectBasis {
  ModalBasis basis;
  ModalDamping damping;             ///< projected, whole
  std::vector<double> frequencies;  ///< Hz, at which the full equations were solved, in that order
  double error = 0;  ///< what the last solution differed by from what the span said before, as a part of it (energy)
  double node_error = 0;  ///< the same of the motion of the node where that is largest
};
inline constexpr double direct_tolerance = 1e-9, direct_node_tolerance = 1e-6;

/// @param modes  of the same system: statics and, where they are kept, feet; its frequencies are tried among others
/// @param rule   damping of elements. A ratio, which is a property of modes, is taken as the loss factor 2ζ
/// @param cases  sine cases that are solved together
/// @param columns_of_springs  loads that springs which are not what the matrices hold put on the model
/// @throws InputError      damping that only modes can have: a ratio over frequency, or values near a frequency
/// @throws NumericalError  not settled after 150 solutions, or not enough memory
[[nodiscard]] DirectBasis direct_basis(const System& system, const ModalBasis& modes, const DampingRule& rule,
                                       const std::vector<std::shared_ptr<const Excitation>>& cases,
                                       const std::vector<int>& columns_of_springs = {}, const Progress& progress = {});

}  // namespace avrenk
