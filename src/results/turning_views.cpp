#include "results/turning_views.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "analysis/summaries.h"
#include "core/excitation/envelope.h"
#include "core/response/channels.h"
#include "core/response/shape_span.h"
#include "figures/node_curves.h"
#include "files/stress_results.h"
#include "results/drawings.h"

namespace avrenk {
namespace {

using NodeOfPart = std::pair<int, int>;

// In the page: so many shapes, and so many bytes of them, are worth it; and so many vertices.
constexpr std::size_t most_modes = 24, most_others = 16, most_bytes_of_modes = 2U << 20U, most_vertices = 150000;
constexpr double least_percent = 0.01;  // what 16 bits of a shape leave

// The largest of a stress over levels and folds, by node and part; of beams over the ends that meet.
class LargestStress {
 public:
  void take(const StressStations& stations, const StressField& field) {
    for (std::size_t s = 0; s < stations.size(); ++s) {
      const StressStation& station = stations.all()[s];
      take({station.node, station.part},
           std::abs(field.value(worst_level(station, field, s), static_cast<Eigen::Index>(s))));
    }
  }
  void take(const Assembly& assembly, const BeamStressField& field) {
    for (std::size_t b = 0; b < assembly.beams.size(); ++b)
      for (std::size_t end = 0; end < 2; ++end)
        take({assembly.beams[b].nodes[end], assembly.beams[b].part},
             field.value(static_cast<Eigen::Index>(end), static_cast<Eigen::Index>(b)));
  }
  [[nodiscard]] double at(int node, int part) const {
    const auto found = values_.find({node, part});
    return found == values_.end() ? std::nan("") : found->second;
  }

 private:
  void take(NodeOfPart place, double value) {
    if (std::isnan(value)) return;
    const auto [at, fresh] = values_.try_emplace(place, value);
    if (!fresh) at->second = std::max(at->second, value);
  }
  std::map<NodeOfPart, double> values_;
};

std::vector<int> moving_nodes(const Analysis& analysis) {
  const Channels channels(analysis.assembly(), analysis.system(), analysis.basis(), analysis.damping());
  std::vector<int> moving;
  for (int node = 0; node < static_cast<int>(analysis.assembly().nodes.size()); ++node)
    if (channels.moves(node)) moving.push_back(node);
  return moving;
}

// Coordinates of the modes at frequencies spread over the sweep of a case, one column each.
Eigen::MatrixXcd coordinates_over(const Analysis& analysis, const CaseResults& outcome, std::size_t most) {
  const Excitation& excitation = *outcome.excitation;
  const Transfer transfer(analysis.basis(), analysis.damping(), {excitation.base, excitation.loads});
  const std::vector<double>& grid = outcome.grid();
  const std::size_t count = std::min(most, grid.size());
  std::vector<double> frequencies;
  Eigen::MatrixXcd amplitudes(excitation.base.cols(), static_cast<Eigen::Index>(count));
  for (std::size_t k = 0; k < count; ++k) {
    frequencies.push_back(grid[count > 1 ? k * (grid.size() - 1) / (count - 1) : 0]);
    amplitudes.col(static_cast<Eigen::Index>(k)) = excitation.at(frequencies.back()).col(0);
  }
  return transfer.coordinates(frequencies, amplitudes);
}

class Viewer {
 public:
  Viewer(const Analysis& analysis, std::size_t most) : analysis_(analysis), show_(analysis.plan().show), most_(most) {}

  // Shapes that make the motion of cases of sines at any frequency, at most so many beside the modes: before the views.
  SweptShapes sweep(std::size_t most_others) {
    std::vector<Eigen::MatrixXcd> states;
    Eigen::Index columns = 0;
    for (const CaseResults& outcome : analysis_.outcomes()) {
      if (!outcome.sine() || !has_node_curves(outcome, analysis_.damping())) continue;
      swept_.insert(outcome.name());
      constexpr std::size_t most_frequencies = 120;
      states.push_back(coordinates_over(analysis_, outcome, most_frequencies));
      columns += states.back().cols();
    }
    if (swept_.empty()) return {};
    const ModalBasis& basis = analysis_.basis();
    Eigen::MatrixXcd amplitudes(basis.size(), columns);
    columns = 0;
    for (const Eigen::MatrixXcd& each : states) {
      amplitudes.middleCols(columns, each.cols()) = each;
      columns += each.cols();
    }
    const Assembly& assembly = analysis_.assembly();
    constexpr std::size_t most_places = 400;
    const std::vector<int> places = spread_nodes(assembly, moving_nodes(analysis_), {}, most_places);
    const Channels channels(assembly, analysis_.system(), basis, analysis_.damping());
    Eigen::MatrixXd translations(3 * std::ssize(places), basis.size());
    for (std::size_t n = 0; n < places.size(); ++n)
      translations.middleRows<3>(3 * static_cast<Eigen::Index>(n)) =
          channels.translation(places[n], false).leftCols(basis.size());
    constexpr double tolerance = 0.005;
    const std::vector<int> seen = seen_modes();
    const ShapeSpan span = span_of(translations, seen, amplitudes, tolerance, static_cast<Eigen::Index>(most_others));
    swept_error_ = span.error;
    swept_shapes_ = seen.size() + static_cast<std::size_t>(span.shapes.cols());
    SweptShapes swept;
    for (const auto& shape : span.shapes.colwise())
      swept.others.push_back(node_motions(analysis_.system(), basis, shape));
    swept.weights = span.weights;
    return swept;
  }

  std::vector<TurningView> views() {
    TurningView built;
    built.group = "Model";
    built.name = "as built";
    built.words = "Parts, bodies and joints in colours of their own.";
    views_.push_back(std::move(built));
    add_modes();
    for (const CaseResults& outcome : analysis_.outcomes())
      if (!outcome.is_combined()) add_outcome(outcome);
    return std::move(views_);
  }

 private:
  using Motions = std::shared_ptr<const NodeMotions>;
  [[nodiscard]] Motions motions_of(const ModalBasis& basis, const Eigen::VectorXd& coordinates) const {
    return std::make_shared<const NodeMotions>(node_motions(analysis_.system(), basis, coordinates));
  }
  [[nodiscard]] std::string hertz(double frequency) const {
    return value_text(frequency, show_.unit(kind::frequency), 4);
  }

  // Those that carry most, then the lowest; ascending.
  [[nodiscard]] std::vector<int> seen_modes() const {
    const ModalBasis& basis = analysis_.basis();
    std::vector<int> modes = weighty_modes(basis);
    for (int r = 0; r < basis.modes; ++r)
      if (modes.size() < most_ && std::find(modes.begin(), modes.end(), r) == modes.end()) modes.push_back(r);
    if (modes.size() > most_) modes.resize(most_);
    std::sort(modes.begin(), modes.end());
    return modes;
  }

  void add_modes() {
    const ModalBasis& basis = analysis_.basis();
    for (const int r : seen_modes()) {
      TurningView view;
      view.group = "Modes";
      view.name = fmt::format("mode {}: {}", r + 1, hertz(basis.frequency(r)));
      view.words = static_cast<std::size_t>(r) < analysis_.modal().contents.size()
                       ? analysis_.modal().contents[static_cast<std::size_t>(r)].in_words() + "."
                       : "";
      view.real = motions_of(basis, Eigen::VectorXd::Unit(basis.size(), r));
      view.mode = r;
      views_.push_back(std::move(view));
    }
  }

  void add_outcome(const CaseResults& outcome) {
    const std::string name = outcome.name();
    Motions real_part, imaginary_part;
    std::string shape_words;
    double strongest = outcome.grid().empty() ? 0 : outcome.grid().front();
    for (const OperatingDeflectionShape& shape : analysis_.responses->shapes) {
      if (shape.outcome != name) continue;
      TurningView view;
      view.group = name;
      view.name = fmt::format("shape at {}", hertz(shape.frequency));
      view.words = fmt::format("Displacement relative to the base at {}, {}.", shape.at, hertz(shape.frequency));
      view.real = motions_of(*shape.basis, shape.coordinates.real());
      view.imaginary = motions_of(*shape.basis, shape.coordinates.imag());
      if (!shape.excitation->held) {
        real_part = view.real;
        imaginary_part = view.imaginary;
        shape_words = fmt::format(" It moves as at {}.", hertz(shape.frequency));
        strongest = shape.frequency;
      }
      views_.push_back(std::move(view));
    }
    if (swept_.contains(name)) {
      TurningView view;
      view.group = name;
      view.name = "shape at any frequency";
      view.words = fmt::format(
          "Displacement relative to the base at the frequency picked, put together from {} shapes: within {:g} % of "
          "the "
          "largest displacement at each frequency.",
          swept_shapes_, rounded_up(std::max(100 * swept_error_, least_percent), 1));
      view.picked = strongest;
      views_.push_back(std::move(view));
    }
    add_stress(outcome, real_part, imaginary_part, shape_words);
    for (const MotionField& field : analysis_.responses->fields.motions)
      if (field.excitation->name() == name) add_motion(field);
  }

  void add_stress(const CaseResults& outcome, const Motions& real_part, const Motions& imaginary_part,
                  const std::string& shape_words) {
    const StressFound found = analysis_.responses->fields.found_stress();
    LargestStress largest;
    bool any = false;
    for (const StressField& field : found.fields)
      if (field.name() == outcome.name() && field.quantity == StressQuantity::von_mises && !field.worst.empty()) {
        largest.take(*found.stations, field);
        any = true;
      }
    if (const BeamStressField* const beams = found.beams_of(outcome.name())) {
      largest.take(analysis_.assembly(), *beams);
      any = true;
    }
    if (!any) return;
    TurningView view;
    view.group = outcome.name();
    view.name = "von Mises stress";
    view.title = outcome.sine() ? "von Mises, largest of the sweep" : outcome.random() ? "von Mises, RMS" : "von Mises";
    view.words =
        "Of shells the largest through the thickness, of beams that of the section; grey: no stress is known." +
        shape_words;
    view.unit = show_.unit(kind::stress);
    view.real = real_part;
    view.imaginary = imaginary_part;
    view.value = [largest = std::move(largest)](int node, int part) { return largest.at(node, part); };
    views_.push_back(std::move(view));
  }

  void add_motion(const MotionField& field) {
    const DisplayUnit acceleration = show_.unit(kind::acceleration);
    const auto add = [&](const char* name, const char* title, const DisplayUnit& unit, bool logarithmic, auto&& value) {
      TurningView view;
      view.group = field.excitation->name();
      view.name = name;
      view.title = title;
      view.unit = unit;
      view.logarithmic = logarithmic;
      view.words = "Absolute acceleration, the length of its three directions together.";
      view.value = [value](int node, int) { return value(node); };
      views_.push_back(std::move(view));
    };
    add("acceleration, RMS", "Acceleration, RMS", acceleration, false,
        [&field](int node) { return field.rms_acceleration(node); });
    add("largest PSD of acceleration", "Largest PSD", psd_unit(acceleration), true,
        [&field](int node) { return field.psd[node]; });
    add("frequency of the largest PSD", "Its frequency", show_.unit(kind::frequency), false,
        [&field](int node) { return field.frequency[node]; });
  }

  const Analysis& analysis_;
  const Show& show_;
  std::size_t most_;             // modes
  std::set<std::string> swept_;  // cases that are seen at any frequency
  std::size_t swept_shapes_ = 0;
  double swept_error_ = 0;
  std::vector<TurningView> views_;
};

}  // namespace

GlbModel turning_model_of(const Analysis& analysis, std::size_t most, std::size_t most_others) {
  Viewer viewer(analysis, most);
  const SweptShapes swept = most_others > 0 ? viewer.sweep(most_others) : SweptShapes();
  return turning_model(analysis.assembly(), analysis.surface, viewer.views(), analysis.plan().title,
                       analysis.plan().show, swept);
}

std::string turning_model_for_page(const Analysis& analysis) {
  ModelLook look;
  look.surface = &analysis.surface;
  const std::size_t vertices = model_scene(analysis.assembly(), look).points.size();
  constexpr std::size_t bytes_of_a_vertex = 8;
  if (vertices > most_vertices) return "";
  const std::size_t worth = most_bytes_of_modes / (bytes_of_a_vertex * vertices);
  return to_glb(turning_model_of(analysis, std::clamp<std::size_t>(worth, 4, most_modes),
                                 std::clamp<std::size_t>(worth, 4, most_others)));
}

std::string node_curves_for_page(const Analysis& analysis) {
  const Assembly& assembly = analysis.assembly();
  std::vector<int> watched;
  constexpr std::size_t most_of_a_place = 4;
  for (const OutputRequest& request : analysis.plan().watch)
    if (request.quantity->subject == Subject::node)
      for (std::size_t i = 0; i < std::min(request.items.size(), most_of_a_place); ++i)
        watched.push_back(request.items[i]);
  const auto bytes_of_a_node = static_cast<std::size_t>(3 * 2 * analysis.basis().size());
  constexpr std::size_t most_bytes = 640U << 10U;
  return node_curves(
      {assembly, analysis.system(), analysis.basis(), analysis.damping(), analysis.outcomes(), analysis.plan().show},
      spread_nodes(assembly, moving_nodes(analysis), watched, std::max<std::size_t>(most_bytes / bytes_of_a_node, 50)));
}

}  // namespace avrenk
