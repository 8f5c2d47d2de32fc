#include "core/response/output.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/error.h"
#include "core/response/stress_survey.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;

// Blocks of rows with their labels, put side by side.
class LabelledRows {
 public:
  void add(std::string label, Eigen::MatrixXcd rows) {
    labels_.push_back(std::move(label));
    blocks_.push_back(std::move(rows));
  }
  [[nodiscard]] std::size_t size() const { return blocks_.size(); }
  // One candidate for each block.
  [[nodiscard]] Candidates finish() {
    Candidates candidates;
    candidates.base_labels = std::move(labels_);
    if (blocks_.empty()) return candidates;
    candidates.base_width = candidates.width = static_cast<int>(blocks_.front().rows());
    candidates.rows.resize(static_cast<Eigen::Index>(blocks_.size()) * candidates.width, blocks_.front().cols());
    for (std::size_t k = 0; k < blocks_.size(); ++k) {
      candidates.rows.middleRows(static_cast<Eigen::Index>(k) * candidates.width, candidates.width) = blocks_[k];
      candidates.items.push_back({static_cast<int>(k), -1});
    }
    return candidates;
  }

 private:
  std::vector<std::string> labels_;
  std::vector<Eigen::MatrixXcd> blocks_;
};

[[noreturn]] void refuse_stress(const Assembly& assembly, int part, const std::string& wrong,
                                const std::string& remedy) {
  throw InputError(Problem{"part " + assembly.parts[static_cast<std::size_t>(part)].name, wrong, remedy, std::nullopt});
}

// The mixes of one section under a quantity, made once.
std::vector<int> mixes_of(const Assembly& assembly, const OutputQuantity& quantity, int part,
                          const BeamSection& section, Candidates& all) {
  if (section.points.empty())
    refuse_stress(assembly, part, fmt::format("its section has no fibres, so it has no {}", quantity.keyword),
                  "give its section fibres");
  if (quantity.needs_shear && !section.shear_stress) {
    const auto missing = [&](double StressPoint::*share, const char* name) {
      return std::all_of(section.points.begin(), section.points.end(),
                         [&](const StressPoint& point) { return point.*share == 0; })
                 ? std::string(name)
                 : std::string();
    };
    const std::string modulus = missing(&StressPoint::torsion, "torsion modulus"),
                      areas = missing(&StressPoint::shear_y, "shear areas"),
                      both = modulus + (modulus.empty() || areas.empty() ? "" : " and no ") + areas;
    refuse_stress(assembly, part, fmt::format("its section has no {}, so it has no {}", both, quantity.keyword),
                  "give its section a torsion modulus and shear areas");
  }
  std::vector<int> indices;
  const bool anywhere = quantity.same_everywhere;
  for (const StressPoint& point : section.points) {
    indices.push_back(static_cast<int>(all.mixes.size()));
    all.mixes.push_back({anywhere ? "" : ", " + describe(section, point, assembly.length_unit),
                         quantity.stress(stress_rows(section, point))});
    if (anywhere) break;
  }
  return indices;
}

// "(0.71, 0, 0.71)", the largest number positive: of a direction its sign does not matter.
std::string direction_text(const Vector3& direction) {
  Eigen::Index largest = 0;
  direction.cwiseAbs().maxCoeff(&largest);
  std::string text;
  for (const double each : Vector3(direction * std::copysign(1.0, direction[largest])))
    text += fmt::format("{}{:.2g}", text.empty() ? "(" : ", ", std::abs(each) < 5e-3 ? 0.0 : each);
  return text + ")";
}

// The worst places of shells and solids: six rows of stress each, mixed to what is watched at one level; principal
// stress is looked for in each direction in which any load may have its largest.
void add_stations(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                  const StressSource& stress, LabelledRows& labelled, std::vector<Candidates::Mix>& mixes,
                  std::vector<Candidates::Item>& items) {
  if (!stress.survey || request.parts.empty() || !request.quantity->of_nodes) return;
  const StressQuantity quantity = *request.quantity->of_nodes;
  std::map<std::pair<bool, int>, int> mix_of;  // of all but principal stress
  int last = -1;
  for (const StressPlace& place : candidate_places(*stress.survey, *stress.stations, {quantity, request.parts})) {
    const StressStation& station = stress.stations->all()[static_cast<std::size_t>(place.station)];
    if (place.station != last) {
      last = place.station;
      const Eigen::MatrixXd rows = stress.stations->rows(std::array{place.station}, channels.strain_rows());
      labelled.add(assembly.describe_node(station.node, assembly.parts[static_cast<std::size_t>(station.part)].name),
                   channels.from_strain(rows, assembly.material_of(station.part).loss_factor));
    }
    const int base = static_cast<int>(labelled.size()) - 1;
    const std::string level =
        station.shell ? fmt::format(", {}", shell_levels[static_cast<std::size_t>(place.level)]) : "";
    if (quantity == StressQuantity::principal) {
      for (const Vector3& direction : candidate_directions(*stress.survey, place)) {
        items.push_back({base, static_cast<int>(mixes.size())});
        mixes.push_back({fmt::format("{}, along {}", level, direction_text(direction)),
                         quantity_rows(station, place.level, quantity, direction)});
      }
      continue;
    }
    const auto [mix, fresh] = mix_of.try_emplace({station.shell, place.level}, static_cast<int>(mixes.size()));
    if (fresh) mixes.push_back({level, quantity_rows(station, place.level, quantity)});
    items.push_back({base, mix->second});
  }
}

Candidates part_candidates(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                           const StressSource& stress_source) {
  const OutputQuantity& quantity = *request.quantity;
  const auto [first, count] = quantity.section_forces;
  LabelledRows labelled;
  std::vector<const BeamSection*> sections;
  std::vector<int> parts;
  for (const int beam : quantity.of_lines() ? request.items : std::vector<int>{}) {
    const BeamElement& element = assembly.beams[static_cast<std::size_t>(beam)];
    const BeamProperties properties = assembly.properties(element);
    const Eigen::MatrixXcd forces = channels.beam_forces(beam);
    for (std::size_t end = 0; end < 2; ++end) {
      if (const auto& at = request.stress_at;
          !at.empty() && std::find(at.begin(), at.end(), element.nodes[end]) == at.end())
        continue;
      labelled.add(
          assembly.describe_node(element.nodes[end], assembly.parts[static_cast<std::size_t>(element.part)].name),
          forces.middleRows(6 * static_cast<Eigen::Index>(end) + first, count));
      sections.push_back(&properties.at_end(end));
      parts.push_back(element.part);
    }
  }
  std::vector<Candidates::Mix> station_mixes;
  std::vector<Candidates::Item> station_items;
  add_stations(assembly, channels, request, stress_source, labelled, station_mixes, station_items);
  Candidates candidates = labelled.finish();
  if (!quantity.stress && !quantity.of_nodes) return candidates;
  candidates.items.clear();
  std::map<const BeamSection*, std::vector<int>> known;
  for (std::size_t k = 0; k < sections.size(); ++k) {
    auto found = known.find(sections[k]);
    if (found == known.end())
      found = known.emplace(sections[k], mixes_of(assembly, quantity, parts[k], *sections[k], candidates)).first;
    for (const int mix : found->second) candidates.items.push_back({static_cast<int>(k), mix});
  }
  for (Candidates::Item item : station_items) {
    item.mix += static_cast<int>(candidates.mixes.size());
    candidates.items.push_back(item);
  }
  candidates.mixes.insert(candidates.mixes.end(), station_mixes.begin(), station_mixes.end());
  candidates.width = 1;
  for (const Candidates::Mix& mix : candidates.mixes)
    candidates.width = std::max(candidates.width, static_cast<int>(mix.matrix.rows()));
  for (Candidates::Mix& mix : candidates.mixes) {  // rows of nothing make all equally wide
    const Eigen::Index own = mix.matrix.rows();
    mix.matrix.conservativeResize(candidates.width, mix.matrix.cols());
    mix.matrix.bottomRows(candidates.width - own).setZero();
  }
  return candidates;
}

constexpr double one_spot = 1e-9;  // m

// Direction and gap of one pair.
std::pair<Vector3, double> line_of(const Assembly& assembly, const OutputRequest& request,
                                   const std::array<int, 2>& pair) {
  const Vector3 apart = assembly.nodes[static_cast<std::size_t>(pair[1])].position -
                        assembly.nodes[static_cast<std::size_t>(pair[0])].position;
  if (!request.along && apart.norm() < one_spot)
    throw InputError(Problem{"watch " + request.name, "the two places lie at one spot, so no line joins them",
                             "give the direction along which it is measured", std::nullopt});
  const Vector3 along = request.along ? *request.along : Vector3(apart.normalized());
  return {along, request.gap.value_or(std::abs(apart.dot(along)))};
}

// A node of solids alone has no rotation to show, a point of nothing no motion.
void refuse_motion(const Assembly& assembly, const Channels& channels, const OutputRequest& request, int node) {
  if (!channels.moves(node))
    throw InputError(Problem{"watch " + request.name,
                             fmt::format("nothing is joined to {}, so it does not move", assembly.describe_node(node)),
                             "let it follow in a rigid or an average joint", std::nullopt});
  if (request.quantity->kind != &kind::angle || channels.has_rotation(node)) return;
  throw InputError(Problem{"watch " + request.name,
                           fmt::format("{} has no rotation: only solids meet there", assembly.describe_node(node)),
                           "watch a displacement there, or a node of shells, beams or a body", std::nullopt});
}

Candidates candidates_of(const Assembly& assembly, const Channels& channels, const OutputRequest& request,
                         const StressSource& stress) {
  const OutputQuantity& quantity = *request.quantity;
  if (quantity.subject == Subject::part) return part_candidates(assembly, channels, request, stress);
  LabelledRows labelled;
  const Eigen::Matrix3cd axes = request.axes.cast<Complex>();
  const auto add = [&](std::string label, const WatchedItem& item) {
    const MatrixXcd rows = quantity.rows(channels, item);
    const bool turned = rows.rows() == 3 && quantity.subject != Subject::spring;  // a spring has axes of its own
    labelled.add(std::move(label), turned ? MatrixXcd(axes * rows) : rows);
  };
  for (const std::array<int, 2>& pair : request.pairs)
    add(fmt::format("{} to {}", assembly.describe_node(pair[0]), assembly.describe_node(pair[1])),
        {.pair = pair, .towards = line_of(assembly, request, pair).first});
  if (quantity.subject == Subject::joint)
    for (const JointSide& side : joint_sides(assembly, request.joint))
      add(fmt::format("{} at {}", request.joint, assembly.describe_node(side.nodes.front())), {.side = &side});
  for (const int item : request.items) {
    const auto index = static_cast<std::size_t>(item);
    if (quantity.subject == Subject::node) {
      refuse_motion(assembly, channels, request, item);
      add(assembly.describe_node(item), {.index = item});
    } else if (quantity.subject == Subject::spring) {
      const Spring& spring = assembly.springs[index];
      const std::string at = assembly.describe_node(spring.nodes[0]);
      const bool own_node = assembly.nodes[static_cast<std::size_t>(spring.nodes[0])].origin == spring.joint;
      add(own_node ? at : fmt::format("{} at {}", spring.joint, at), {.index = item});
    } else if (quantity.subject == Subject::foot) {
      const int node = assembly.feet()[index].second.node;
      add(assembly.describe_node(node), {.index = item, .towards = assembly.position(node)});
    } else if (quantity.subject == Subject::base) {
      add("base " + assembly.bases[index].name, {.index = item, .towards = request.about});
    }
  }
  return labelled.finish();
}

}  // namespace

std::string Candidates::label(std::size_t k) const {
  const Item& item = items[k];
  return base_labels[static_cast<std::size_t>(item.base)] +
         (item.mix < 0 ? std::string() : mixes[static_cast<std::size_t>(item.mix)].label);
}

Measure Output::measure(std::size_t candidate) const {
  return {candidates->label(candidate), candidates->of(candidates->rows, candidate).middleRows(first, count),
          quantity->per_input()};
}

std::vector<Output> watch(const Assembly& assembly, const Channels& channels,
                          const std::vector<OutputRequest>& requests, const StressSource& stress) {
  std::vector<Output> outputs;
  for (const OutputRequest& request : requests) {
    const auto candidates = std::make_shared<const Candidates>(candidates_of(assembly, channels, request, stress));
    const auto components = components_of(*request.quantity);
    for (std::size_t c = 0; c < components.size(); ++c) {
      Output watched{output_name(request, components[c]), request.name, components[c], request.quantity, candidates};
      const bool whole = watched.is_magnitude() || request.quantity->positive;
      watched.first = whole ? 0 : static_cast<int>(c);
      watched.count = whole ? candidates->width : 1;
      for (const std::array<int, 2>& pair : request.pairs)
        watched.gaps.push_back(line_of(assembly, request, pair).second);
      outputs.push_back(std::move(watched));
    }
  }
  return outputs;
}

const Output* find_output(const std::vector<Output>& all, std::string_view name) {
  for (const Output& watched : all)
    if (watched.name == name) return &watched;
  return nullptr;
}

double smallest_gap(const Assembly& assembly, const OutputRequest& request) {
  double smallest = request.gap.value_or(HUGE_VAL);
  for (const auto& pair : request.pairs) {
    const Vector3 apart = assembly.position(pair[1]) - assembly.position(pair[0]);
    if (!request.gap && (request.along || apart.norm() >= one_spot))
      smallest = std::min(smallest, line_of(assembly, request, pair).second);
  }
  return smallest;
}

}  // namespace avrenk
