/// figures/node_curves.h: what the page needs to draw the curve of any node by itself, from the modes.
#pragma once

#include "core/quantity/show.h"
#include "core/response/case_results.h"

namespace avrenk {

/// What the curves of nodes are made from.
struct NodeCurveSource {
  const Assembly& assembly;
  const System& system;
  const ModalBasis& basis;
  const ModalDamping& damping;
  const std::vector<CaseResults>& outcomes;
  const Show& show;
};

/// Nodes spread evenly: those of `first`, then of each cube of space the first node, with cubes as small as `most`
/// nodes allow. Ascending; all of them where they are no more than that. @param nodes  those that may be chosen
[[nodiscard]] std::vector<int> spread_nodes(const Assembly& assembly, const std::vector<int>& nodes,
                                            const std::vector<int>& first, std::size_t most);

/// Whether the page can answer a case by itself: neither combined, static, answered directly or by chosen modes, nor
/// driven by very many inputs, nor with damping that has no modes of its own.
[[nodiscard]] bool has_node_curves(const CaseResults& outcome, const ModalDamping& damping);

/// Modal data of sine and random cases, with damping as the answers have it. Little-endian: the length of the header
/// (4 bytes), the header (JSON, filled up with spaces to a multiple of 8), arrays of 64-, 32- and 16-bit numbers in
/// this order. The header says where each begins, as {"type", "at", "size"}. Relative displacement of node n in
/// direction d is
///
///     u = Σ_r φ_nd,r q_r,   q = R c,   c_k = (f⁰ + f¹/(iω) − i f²/ω²)_k a / (α_k + β_k ω + γ_k ω²),
///
/// a the amplitudes of the inputs (of random ones several columns, whose squares add up), and absolute acceleration
/// −ω² u + B_nd b a, with b their base accelerations. φ: 16-bit numbers in units of a scale for each r.
/// @param nodes  as spread_nodes has them
/// @return  empty: no case has such data
[[nodiscard]] std::string node_curves(const NodeCurveSource& source, const std::vector<int>& nodes);

}  // namespace avrenk
