#include "core/response/beam_survey.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/modes/modal_basis.h"
#include "core/parallel.h"
#include "core/response/stress_load.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

constexpr std::size_t worst_of_a_beam_part = 10;
constexpr std::size_t beams_in_job = 16;

// Rows V of one stress point with |V f|² = σ² + 3τ² of the six section forces f.
Eigen::Matrix<double, 2, 6> point_rows(const BeamSection& section, const StressPoint& point) {
  const Eigen::Matrix<double, 3, 6> rows = stress_rows(section, point);
  Eigen::Matrix<double, 2, 6> both = Eigen::Matrix<double, 2, 6>::Zero();
  both.row(0) = rows.row(0) + rows.row(1);
  if (section.shear_stress) both.row(1) = std::sqrt(3.0) * rows.row(2);
  return both;
}

// The points of one section below one another: all σ, then all τ.
MatrixXd section_rows(const BeamSection& section) {
  const Index count = std::ssize(section.points);
  MatrixXd rows(2 * count, 6);
  for (Index p = 0; p < count; ++p) {
    const auto own = point_rows(section, section.points[static_cast<std::size_t>(p)]);
    rows.row(p) = own.row(0);
    rows.row(count + p) = own.row(1);
  }
  return rows;
}

// The largest of all points of one end, and where on the grid.
struct LargestOfEnd {
  double square = -1;
  Index point = 0, column = 0;
};

// Of a sweep: no cycle is larger than the root of the sum of the squares of its real and its imaginary part.
LargestOfEnd largest_of_sweep(const MatrixXd& w, const Columns& own) {
  const Index points = w.rows() / 2, frequencies = own.count / 2;
  const auto real = w.middleCols(own.first, frequencies),
             imaginary = w.middleCols(own.first + frequencies, frequencies);
  LargestOfEnd best;
  for (const Index k : own.order)
    for (Index p = 0; p < points; ++p) {
      const Eigen::Vector2d a(real(p, k), real(points + p, k)), b(imaginary(p, k), imaginary(points + p, k));
      const double aa = a.squaredNorm(), bb = b.squaredNorm(), ab = a.dot(b);
      if (aa + bb <= best.square) continue;
      const double square = 0.5 * (aa + bb + std::hypot(aa - bb, 2 * ab));
      if (square > best.square) best = {square, p, k};
    }
  return best;
}

// Of one static answer, or of the columns of a random one together.
LargestOfEnd largest_of_sum(const MatrixXd& w, const Columns& own) {
  const Index points = w.rows() / 2;
  LargestOfEnd best;
  const Eigen::VectorXd sum = w.middleCols(own.first, own.count).rowwise().squaredNorm();
  for (Index p = 0; p < points; ++p)
    if (const double square = sum[p] + sum[points + p]; square > best.square) best = {square, p, 0};
  return best;
}

}  // namespace

const WorstBeamStress* BeamStressField::worst_of(const Assembly& assembly, int part) const {
  const auto found = std::find_if(worst.begin(), worst.end(), [&](const WorstBeamStress& each) {
    return assembly.beams[static_cast<std::size_t>(each.beam)].part == part;
  });
  return found == worst.end() ? nullptr : &*found;
}

std::vector<BeamStressField> survey_beams(const Assembly& assembly, const Channels& channels, const ModalBasis& basis,
                                          const CaseResponses& loads, int threads) {
  std::vector<BeamStressField> fields;
  if (assembly.beams.empty() || loads.empty()) return fields;
  const Index beams = std::ssize(assembly.beams);
  const Eigen::Matrix2Xd nothing = Eigen::Matrix2Xd::Constant(2, beams, std::nan(""));
  for (const auto& load : loads) {
    fields.push_back({load->excitation, nothing, {}, {}, Eigen::Matrix2Xi::Zero(2, beams), {}});
    if (load->sine) fields.back().frequency = fields.back().phase = nothing;
  }
  // By the loss factor of the material: what all loads do to the columns of strain and to the loads on lines.
  std::map<std::optional<double>, LoadMatrix> matrices;
  std::map<const BeamSection*, MatrixXd> known;
  for (const BeamElement& beam : assembly.beams) {
    const auto& loss_factor = assembly.material_of(beam.part).loss_factor;
    if (!matrices.contains(loss_factor)) {
      const Index width = channels.beam_columns();
      matrices.emplace(loss_factor,
                       load_matrix(loads, channels.from_beam_rows(MatrixXd::Identity(width, width), loss_factor),
                                   basis.stiffness().cwiseSqrt()));
    }
    const BeamProperties properties = assembly.properties(beam);
    for (std::size_t end = 0; end < 2; ++end)
      known.try_emplace(&properties.at_end(end), section_rows(properties.at_end(end)));
  }
  const auto each_job = [&](std::size_t first) {
    MatrixXd w;
    for (std::size_t b = first; b < std::min(first + beams_in_job, assembly.beams.size()); ++b) {
      const BeamElement& beam = assembly.beams[b];
      const BeamProperties properties = assembly.properties(beam);
      const LoadMatrix& load = matrices.at(assembly.material_of(beam.part).loss_factor);
      const MatrixXd forces = channels.beam_rows(static_cast<int>(b));
      for (Index end = 0; end < 2; ++end) {
        const MatrixXd& rows = known.at(&properties.at_end(static_cast<std::size_t>(end)));
        if (rows.rows() == 0) continue;
        const MatrixXd own_forces = forces.middleRows<6>(6 * end) * load.matrix;
        w.noalias() = rows * own_forces;
        for (std::size_t i = 0; i < loads.size(); ++i) {
          BeamStressField& field = fields[i];
          const Columns& columns = load.of_load[i];
          const auto column = static_cast<Index>(b);
          const LargestOfEnd found = loads[i]->sine ? largest_of_sweep(w, columns) : largest_of_sum(w, columns);
          field.value(end, column) = std::sqrt(found.square);
          field.point(end, column) = static_cast<int>(found.point);
          if (!loads[i]->sine) continue;
          const Index points = rows.rows() / 2, frequencies = columns.count / 2;
          Eigen::VectorXcd at(2);
          for (Index r = 0; r < 2; ++r)
            at[r] = Complex(w(r * points + found.point, columns.first + found.column),
                            w(r * points + found.point, columns.first + frequencies + found.column));
          field.frequency(end, column) = loads[i]->grid[static_cast<std::size_t>(found.column)];
          field.phase(end, column) = phase_of_largest(at);
        }
      }
    }
  };
  run_jobs((assembly.beams.size() + beams_in_job - 1) / beams_in_job, threads,
           [&](std::size_t job) { each_job(job * beams_in_job); });
  for (std::size_t i = 0; i < loads.size(); ++i) {
    BeamStressField& field = fields[i];
    std::map<int, std::vector<std::pair<double, Index>>> of_part;  // −value, 2 beam + end
    for (Index k = 0; k < field.value.size(); ++k)
      if (const double value = field.value(k % 2, k / 2); !std::isnan(value))
        of_part[assembly.beams[static_cast<std::size_t>(k / 2)].part].emplace_back(-value, k);
    for (auto& [part, ends] : of_part) {
      std::sort(ends.begin(), ends.end());
      ends.resize(std::min(ends.size(), worst_of_a_beam_part));
      for (const auto& [negative, k] : ends) {
        const auto beam = static_cast<int>(k / 2), end = static_cast<int>(k % 2);
        field.worst.push_back({beam, end, field.point(end, beam), -negative, 0, 0});
      }
    }
    if (loads[i]->sine)
      run_jobs(field.worst.size(), threads, [&](std::size_t k) {
        WorstBeamStress& worst = field.worst[k];
        const BeamElement& beam = assembly.beams[static_cast<std::size_t>(worst.beam)];
        const BeamProperties properties = assembly.properties(beam);
        const BeamSection& section = properties.at_end(static_cast<std::size_t>(worst.end));
        const MatrixXcd forces = channels.beam_forces(worst.beam).middleRows(6L * worst.end, 6);
        const SinePeak peak = loads[i]->sine->peak(
            Measure{"", point_rows(section, section.points[static_cast<std::size_t>(worst.point)]) * forces});
        field.value(worst.end, worst.beam) = worst.value = peak.value;
        field.frequency(worst.end, worst.beam) = worst.frequency = peak.frequency;
        field.phase(worst.end, worst.beam) = worst.phase = peak.phase;
      });
    std::stable_sort(field.worst.begin(), field.worst.end(),
                     [](const WorstBeamStress& a, const WorstBeamStress& b) { return a.value > b.value; });
  }
  return fields;
}

}  // namespace avrenk
