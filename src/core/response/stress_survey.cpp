#include "core/response/stress_survey.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <set>

#include "core/algebra.h"
#include "core/modes/modal_basis.h"
#include "core/parallel.h"
#include "core/response/direction_finder.h"
#include "core/response/stress_extremes.h"
#include "core/response/stress_refiner.h"

namespace avrenk {
namespace {

using Eigen::ArrayXd;
using Eigen::Index;
using Eigen::MatrixXd;

constexpr std::size_t worst_in_all = 100, worst_of_a_part = 10;
// Elements between two jobs are computed for both; rows of more stations do not stay in a cache.
constexpr std::ptrdiff_t stations_in_job = 250;

// Quantities in the order asked for, each with the parts of all that ask for it.
std::vector<StressDemand> by_quantity(const std::vector<StressDemand>& demands) {
  std::vector<StressDemand> stress_demands;
  for (const StressDemand& demand : demands) {
    auto found = std::find_if(stress_demands.begin(), stress_demands.end(),
                              [&](const StressDemand& each) { return each.quantity == demand.quantity; });
    if (found == stress_demands.end())
      found = stress_demands.insert(stress_demands.end(), StressDemand{demand.quantity, {}});
    found->parts.insert(found->parts.end(), demand.parts.begin(), demand.parts.end());
  }
  for (StressDemand& demand : stress_demands) {
    std::sort(demand.parts.begin(), demand.parts.end());
    demand.parts.erase(std::unique(demand.parts.begin(), demand.parts.end()), demand.parts.end());
  }
  return stress_demands;
}

// Cuts stations across where they extend farthest, again and again, until few enough lie together.
void cut_into_jobs(std::span<int> some, const std::function<Vector3(int)>& position,
                   const std::function<void(std::span<int>)>& take) {
  if (std::ssize(some) <= stations_in_job) {
    std::sort(some.begin(), some.end());
    take(some);
    return;
  }
  Eigen::AlignedBox3d box;
  for (const int station : some) box.extend(position(station));
  Index along = 0;
  box.sizes().maxCoeff(&along);
  const auto half = some.begin() + std::ssize(some) / 2;
  std::nth_element(some.begin(), half, some.end(),
                   [&](int a, int b) { return std::pair(position(a)[along], a) < std::pair(position(b)[along], b); });
  cut_into_jobs({some.begin(), half}, position, take);
  cut_into_jobs({half, some.end()}, position, take);
}

StressField empty_field(const CaseResponse& load, StressQuantity quantity, Index size) {
  const auto nothing = [&](Index columns) { return Eigen::Matrix3Xd::Constant(3, columns, std::nan("")); };
  StressField field{load.excitation, quantity, nothing(size), {}, {}, {}, {}};
  if (load.sine) field.frequency = field.phase = nothing(size);
  if (quantity == StressQuantity::principal) field.direction = nothing(3 * size);
  return field;
}

}  // namespace

StressSurvey survey_stress(const Assembly& assembly, const System& system, const ModalBasis& basis,
                           const ModalDamping& damping, const StressStations& stations, const CaseResponses& loads,
                           const std::vector<StressDemand>& demands, int threads, std::size_t bytes_at_once) {
  StressSurvey survey;
  const std::vector<StressDemand> wanted = by_quantity(demands);
  for (const StressDemand& demand : wanted)
    for (const auto& load : loads)
      survey.fields.push_back(empty_field(*load, demand.quantity, static_cast<Index>(stations.size())));
  for (const auto& load : loads)
    if (load->sine)
      survey.shortfall = std::max(survey.shortfall, 1 - grid_shortfall(load->excitation->grid.points_per_resonance));
  const auto asks_for = [](const StressDemand& demand, int part) {
    return std::binary_search(demand.parts.begin(), demand.parts.end(), part);
  };
  std::set<int> nodes;
  for (const StressDemand& demand : demands) nodes.insert(demand.nodes.begin(), demand.nodes.end());
  if (std::any_of(demands.begin(), demands.end(), [](const StressDemand& each) { return each.nodes.empty(); }))
    nodes.clear();
  const auto is_looked_at = [&](std::size_t station) {
    return nodes.empty() || nodes.contains(stations.all()[station].node);
  };
  const Channels channels(assembly, system, basis, damping);
  std::map<std::optional<double>, LoadMatrix> matrices;  // by the loss factor of the material
  struct Job {
    std::vector<int> stations;
    const LoadMatrix* load;
  };
  std::vector<Job> jobs;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    const auto [from, to] = stations.of_part(static_cast<int>(p));
    const bool asked = std::any_of(wanted.begin(), wanted.end(),
                                   [&](const StressDemand& each) { return asks_for(each, static_cast<int>(p)); });
    if (!asked || from == to || loads.empty()) continue;
    const auto& loss_factor = assembly.material_of(static_cast<int>(p)).loss_factor;
    auto found = matrices.find(loss_factor);
    if (found == matrices.end())
      found = matrices
                  .emplace(loss_factor,
                           load_matrix(loads, strain_fold(channels, loss_factor), basis.stiffness().cwiseSqrt()))
                  .first;
    std::vector<int> on_parts;
    for (std::size_t station = from; station < to; ++station)
      if (is_looked_at(station)) on_parts.push_back(static_cast<int>(station));
    cut_into_jobs(
        on_parts, [&](int s) { return assembly.position(stations.all()[static_cast<std::size_t>(s)].node); },
        [&](std::span<int> some) {
          jobs.push_back({{some.begin(), some.end()}, &found->second});
        });
  }
  run_jobs(jobs.size(), threads, [&](std::size_t job) {
    const auto& [own, load] = jobs[job];
    const Index count = std::ssize(own);
    const MatrixXd rows = stations.rows(own, channels.strain_rows(), StressStations::Order::by_component);
    const StressStation& kind = stations.all()[static_cast<std::size_t>(own.front())];
    const auto bytes_each = static_cast<std::size_t>(6 * load->matrix.cols()) * sizeof(double);
    const auto at_once = std::max<Index>(1, static_cast<Index>(bytes_at_once / bytes_each));
    MatrixXd w;  // kept from stretch to stretch
    for (Index part = 0; part < count; part += at_once) {
      const Index now = std::min(at_once, count - part);
      const std::span<const int> here(own.data() + part, static_cast<std::size_t>(now));
      w.resize(6 * now, load->matrix.cols());
      if (now == count)
        load->multiply(rows, w);
      else
        for (Index c = 0; c < 6; ++c)
          load->multiply(rows.middleRows(c * count + part, now), w.middleRows(c * now, now));
      for (std::size_t q = 0; q < wanted.size(); ++q) {
        if (!asks_for(wanted[q], kind.part) || !has_quantity(kind.shell, wanted[q].quantity)) continue;
        for (std::size_t i = 0; i < loads.size(); ++i) {
          StressField& field = survey.fields[q * loads.size() + i];
          if (!loads[i]->sine && wanted[q].quantity == StressQuantity::von_mises) {
            take_mises_sums({stations.all(), here, wanted[q].quantity, 0}, w, load->of_load[i], field);
            continue;
          }
          for (int level = 0; level < levels_of(kind); ++level) {
            const StressStretch stretch{stations.all(), here, wanted[q].quantity, level};
            if (loads[i]->sine)
              take_sine(stretch, w, load->of_load[i], loads[i]->grid, field);
            else
              take_sum(stretch, w, load->of_load[i], field);
          }
        }
      }
    }
  });
  const StressRefiner refiner(assembly, channels, stations);
  for (std::size_t f = 0; f < survey.fields.size(); ++f) {
    const std::vector<int>& looked_at = wanted[f / loads.size()].parts;
    const std::size_t i = f % loads.size();
    StressField& field = survey.fields[f];
    std::set<StressPlace> places;
    for (const StressPlace& place : largest_places(field.value, stations, looked_at, worst_in_all))
      places.insert(place);
    for (const int part : looked_at)
      for (const StressPlace& place : largest_places(field.value, stations, {part}, worst_of_a_part))
        places.insert(place);
    const std::vector<StressPlace> list(places.begin(), places.end());
    field.worst.resize(list.size());
    run_jobs(list.size(), threads, [&](std::size_t k) {
      const int part = stations.all()[static_cast<std::size_t>(list[k].station)].part;
      field.worst[k] =
          refiner.locate(list[k], field, *loads[i], matrices.at(assembly.material_of(part).loss_factor), i);
    });
    std::stable_sort(field.worst.begin(), field.worst.end(),
                     [](const WorstStress& a, const WorstStress& b) { return std::abs(a.value) > std::abs(b.value); });
    if (!loads[i]->sine) continue;
    for (const WorstStress& worst : field.worst) {
      field.value(worst.place.level, worst.place.station) = worst.value;
      field.frequency(worst.place.level, worst.place.station) = worst.frequency;
      field.phase(worst.place.level, worst.place.station) = worst.phase;
      if (field.quantity == StressQuantity::principal) field.direction_at(worst.place) = worst.direction;
    }
  }
  const DirectionFinder finder(channels, stations, loads);
  for (const StressDemand& demand : demands) {
    if (demand.quantity != StressQuantity::principal || !finder.has_goals()) continue;
    const std::vector<StressPlace> places = candidate_places(survey, stations, demand);
    std::vector<std::vector<Vector3>> found(places.size());
    run_jobs(places.size(), threads, [&](std::size_t k) {
      const int part = stations.all()[static_cast<std::size_t>(places[k].station)].part;
      found[k] = finder.find(places[k], matrices.at(assembly.material_of(part).loss_factor),
                             candidate_directions(survey, places[k]));
    });
    for (std::size_t k = 0; k < places.size(); ++k) survey.directions.try_emplace(places[k], std::move(found[k]));
  }
  return survey;
}

Vector3 StressField::direction_at(const StressPlace& place) const {
  return direction.cols() > 0 ? Vector3(direction.col(3L * place.station + place.level)) : Vector3::Zero();
}

}  // namespace avrenk
