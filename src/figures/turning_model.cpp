#include "figures/turning_model.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <stdexcept>

namespace avrenk {
namespace {

constexpr double drawn_size = 0.1;  // of the model: the largest displacement of a shape

// Points of the scene and the nodes that carry them, under some motions.
Eigen::Matrix3Xd points_of(const Scene& scene, const std::vector<int>& homes, const Assembly& assembly,
                           const NodeMotions* motions, double scale) {
  Eigen::Matrix3Xd points(3, static_cast<Eigen::Index>(scene.points.size() + homes.size()));
  Eigen::Index k = 0;
  for (const Vector3& each : scene.points) points.col(k++) = each;
  for (const int node : homes) {
    points.col(k) = assembly.position(node);
    if (motions) points.col(k) += scale * motions->col(node).head<3>();
    ++k;
  }
  return points;
}

std::vector<GlbPrimitive> primitives_of(const Scene& scene, const std::vector<std::pair<std::string, Colour>>& legend) {
  std::vector<GlbPrimitive> glb_primitives;
  std::map<std::pair<int, bool>, std::size_t> known;
  const auto primitive = [&](int paint, bool lines) -> GlbPrimitive& {
    const auto [at, fresh] = known.try_emplace({paint, lines}, glb_primitives.size());
    if (fresh) {
      const Colour colour = scene.paints[static_cast<std::size_t>(paint)];
      const bool named = static_cast<std::size_t>(paint) < legend.size();
      glb_primitives.push_back({named   ? legend[static_cast<std::size_t>(paint)].first
                                : lines ? "edges"
                                        : "base",
                                {colour.red, colour.green, colour.blue},
                                lines,
                                {}});
    }
    return glb_primitives[at->second];
  };
  for (const Scene::Face& face : scene.faces) {
    GlbPrimitive& glb_primitive = primitive(face.paint, false);
    const auto add = [&](int a, int b, int c) {
      for (const int each : {a, b, c}) glb_primitive.vertices.push_back(static_cast<std::uint32_t>(each));
    };
    add(face.corners[0], face.corners[1], face.corners[2]);
    if (face.corners[3] >= 0) add(face.corners[0], face.corners[2], face.corners[3]);
  }
  for (const Scene::Stroke& stroke : scene.strokes) {
    GlbPrimitive& own = primitive(stroke.paint, true);
    own.vertices.push_back(static_cast<std::uint32_t>(stroke.from));
    own.vertices.push_back(static_cast<std::uint32_t>(stroke.to));
  }
  return glb_primitives;
}

}  // namespace

GlbModel turning_model(const Assembly& assembly, const Surface& surface, const std::vector<TurningView>& views,
                       const std::string& title, const Show& show, const SweptShapes& swept) {
  ModelLook look;
  look.surface = &surface;
  look.parts_apart = true;
  const Scene rest = model_scene(assembly, look);
  std::vector<int> homes;  // nodes that carry points, none of which is where the node is
  std::vector<bool> known(assembly.nodes.size(), false);
  std::vector<std::int32_t> at_node(rest.points.size(), 0);
  for (std::size_t k = 0; k < rest.points.size(); ++k)
    if (const int node = rest.tags[k][0]; node >= 0 && rest.points[k] == assembly.position(node)) {
      known[static_cast<std::size_t>(node)] = true;
      at_node[k] = 1;
    }
  for (const auto& [node, part] : rest.tags)
    if (node >= 0 && !known[static_cast<std::size_t>(node)]) {
      known[static_cast<std::size_t>(node)] = true;
      homes.push_back(node);
      at_node.push_back(1);
    }
  const Eigen::Matrix3Xd still = points_of(rest, homes, assembly, nullptr, 0);
  const double size = model_size(assembly);
  GlbModel model;
  model.points = still.cast<float>();
  model.unit = drawn_size * size;
  const auto legend = model_legend(assembly);
  model.primitives = primitives_of(rest, legend);
  std::vector<std::int32_t> nodes, parts;
  for (const auto& [node, part] : rest.tags) {
    nodes.push_back(node);
    parts.push_back(part);
  }
  for (const int node : homes) {
    nodes.push_back(node);
    parts.push_back(-1);
  }
  model.indices = {{"node", nodes}, {"part", parts}, {"at node", at_node}};

  const DisplayUnit length = show.unit(kind::length);
  nlohmann::ordered_json notes;
  notes["title"] = title;
  notes["length"] = {{"unit", length.text}, {"factor", length.factor}};
  const DisplayUnit frequency = show.unit(kind::frequency);
  notes["frequency"] = {{"unit", frequency.text}, {"factor", frequency.factor}};
  constexpr int colours = 64;
  for (int i = 0; i < colours; ++i) {
    const Colour colour = field_colour(static_cast<double>(i) / (colours - 1));
    notes["colours"].push_back({colour.red, colour.green, colour.blue});
  }
  notes["parts"] = nlohmann::ordered_json::array();
  for (const Part& part : assembly.parts) notes["parts"].push_back(part.name);
  notes["views"] = nlohmann::ordered_json::array();
  const auto add_shape = [&](const NodeMotions& motions, const std::string& name, bool animated) {
    const double largest = largest_translation(motions).value;
    // Springs turn with their ends: displacements are taken at the size at which they are drawn.
    const double scale = largest > 0 ? model.unit / largest : 0;
    ModelLook moved = look;
    moved.motions = &motions;
    moved.scale = scale;
    const Scene scene = model_scene(assembly, moved);
    if (scene.points.size() != rest.points.size())
      throw std::logic_error("a model that moves has other points than as built");
    GlbShape shape{name, Eigen::Matrix3Xf::Zero(3, still.cols()), animated};
    if (scale > 0)
      shape.displacement = ((points_of(scene, homes, assembly, &motions, scale) - still) / scale).cast<float>();
    model.shapes.push_back(std::move(shape));
    return static_cast<int>(model.shapes.size()) - 1;
  };
  std::map<const NodeMotions*, int> shapes;
  notes["swept"] = nlohmann::ordered_json::array();
  for (const TurningView& view : views) {
    const auto index_of = [&](const std::shared_ptr<const NodeMotions>& motions, const char* which) {
      if (!motions) return -1;
      const auto [at, fresh] = shapes.try_emplace(motions.get(), -1);
      if (fresh)
        at->second =
            add_shape(*motions, view.mode >= 0 ? view.name : fmt::format("{}, {}, {}", view.group, view.name, which),
                      view.mode >= 0);
      return at->second;
    };
    const int real_part = index_of(view.real, "real part"), imaginary_part = index_of(view.imaginary, "imaginary part");
    if (view.mode >= 0 && swept.weights.cols() > 0)
      notes["swept"].push_back({{"shape", real_part}, {"coordinate", view.mode}});
    int value = -1;
    if (view.value) {
      GlbValue glb_value{view.name, Eigen::VectorXf(still.cols())};
      for (Eigen::Index k = 0; k < still.cols(); ++k) {
        const auto at = static_cast<std::size_t>(k);
        glb_value.values[k] = nodes[at] < 0 ? std::nanf("") : static_cast<float>(view.value(nodes[at], parts[at]));
      }
      model.values.push_back(std::move(glb_value));
      value = static_cast<int>(model.values.size()) - 1;
    }
    notes["views"].push_back({{"group", view.group},
                              {"name", view.name},
                              {"words", view.words},
                              {"real", real_part},
                              {"imaginary", imaginary_part},
                              {"value", value},
                              {"mode", view.mode >= 0},
                              {"picked", view.picked.value_or(0)},
                              {"title", view.title},
                              {"unit", view.unit.text},
                              {"factor", view.unit.factor},
                              {"logarithmic", view.logarithmic}});
  }
  for (std::size_t k = 0; k < swept.others.size(); ++k) {
    const auto weights = swept.weights.row(static_cast<Eigen::Index>(k));
    notes["swept"].push_back({{"shape", add_shape(swept.others[k], fmt::format("beside the modes, {}", k + 1), false)},
                              {"weights", std::vector<double>(weights.begin(), weights.end())}});
  }
  model.notes = notes.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
  return model;
}

}  // namespace avrenk
