#include "core/excitation/field_patterns.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/error.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

VectorXd root_areas(const std::vector<PressedFace>& faces) {
  VectorXd roots(std::ssize(faces));
  for (std::size_t f = 0; f < faces.size(); ++f) roots[static_cast<Index>(f)] = std::sqrt(faces[f].area);
  return roots;
}

// A pattern as a load: its pressure on every face.
LoadColumn column_of(const std::vector<PressedFace>& faces, const Eigen::Ref<const VectorXd>& pressures) {
  LoadColumn column;
  for (std::size_t f = 0; f < faces.size(); ++f)
    for (const auto& [node, force] : faces[f].forces)
      column.on_nodes.try_emplace(node, Vector6::Zero()).first->second.head<3>() +=
          pressures[static_cast<Index>(f)] * force;
  return column;
}

}  // namespace

FieldPatterns field_patterns(const std::vector<PressedFace>& faces, const System& system, const ModalBasis& basis) {
  std::vector<Eigen::Triplet<double>> entries;
  for (std::size_t f = 0; f < faces.size(); ++f)
    for (const auto& [node, force] : faces[f].forces)
      for (int d = 0; d < 3; ++d) entries.emplace_back(6 * node + d, static_cast<int>(f), force[d]);
  SparseMatrix on_nodes(system.transformation.cols(), static_cast<int>(faces.size()));
  on_nodes.setFromTriplets(entries.begin(), entries.end());
  const SparseMatrix products = system.transformation * on_nodes;
  const SparseMatrix free = products.topRows(system.free).transpose(),
                     supports = products.bottomRows(system.supports).transpose();
  std::vector<MatrixXd> works{free * basis.shapes, free * basis.statics.influence + supports * system.support_motion};
  for (const MatrixXd& foot : basis.foot_influence) works.emplace_back(free * foot);
  Index columns = 0;
  for (const MatrixXd& each : works) columns += each.cols();
  const VectorXd roots = root_areas(faces);
  MatrixXd work(std::ssize(faces), columns);
  Index first = 0;
  for (const MatrixXd& each : works) {
    work.middleCols(first, each.cols()) = roots.cwiseInverse().asDiagonal() * each;
    first += each.cols();
  }
  const MatrixXd orthonormal = orthonormal_basis(std::move(work), std::min<Index>(std::ssize(faces), columns));
  return {roots.cwiseInverse().asDiagonal() * orthonormal, roots.asDiagonal() * orthonormal};
}

std::vector<FieldReport> make_patterns(Assembly& assembly, System& system, ModalBasis& basis,
                                       const std::vector<Environment*>& environments, int threads,
                                       const Progress& progress) {
  constexpr std::size_t most_faces = 30000;
  std::vector<FieldReport> reports;
  std::map<int, std::pair<int, FieldPatterns>> of_load;  // the load that its patterns are
  for (Environment* const environment : environments)
    for (LoadCase& loads : environment->load_cases)
      for (DrivenLoad& driven : loads.loads) {
        if (!driven.field || driven.acceptances) continue;  // none, or made already
        const Load load = assembly.loads[static_cast<std::size_t>(driven.load)];
        if (load.faces.size() > most_faces)
          throw_input_error(
              "load " + load.name,
              fmt::format("its surface has {} faces, and a pressure field takes all pairs of them: no more than {} "
                          "may be",
                          load.faces.size(), most_faces),
              "let it act on a smaller place, or mesh that coarser");
        report_progress(progress, fmt::format("{} on {}", driven.field->words(), load.name));
        auto known = of_load.find(driven.load);
        if (known == of_load.end()) {
          known = of_load
                      .emplace(driven.load, std::pair(static_cast<int>(assembly.loads.size()),
                                                      field_patterns(load.faces, system, basis)))
                      .first;
          const MatrixXd& pressures = known->second.second.pressures;
          Load patterns{.name = load.name, .kind = load.kind, .columns = {}, .factors = {}, .unbalance = {}};
          patterns.is_pattern = true;
          for (Index j = 0; j < pressures.cols(); ++j)
            patterns.columns.push_back(column_of(load.faces, pressures.col(j)));
          patterns.factors.assign(patterns.columns.size(), 1);
          assembly.loads.push_back(std::move(patterns));
        }
        const FieldPatterns& patterns = known->second.second;
        driven.patterns = known->second.first;
        driven.acceptances = std::make_shared<JointAcceptances>(*driven.field, load.faces, patterns.weights,
                                                                driven.spectrum.from(), driven.spectrum.to(), threads);
        double diameter = 0;
        for (const PressedFace& face : load.faces) diameter = std::max(diameter, face.diameter);
        reports.push_back({environment->name, load.name, *driven.field, patterns.weights.cols(),
                           driven.acceptances->frequencies(), driven.acceptances->error(),
                           diameter / driven.field->length(driven.spectrum.to())});
      }
  if (reports.empty()) return reports;
  refresh_loads(assembly, system);
  basis.bases.clear();
  basis.feet.clear();
  derive(system, basis);
  return reports;
}

}  // namespace avrenk
