#include "files/glb.h"

#include <cmath>
#include <cstdint>
#include <cstring>
#include <nlohmann/json.hpp>

namespace avrenk {
namespace {

using GlbJson = nlohmann::ordered_json;

// Numbers of the standard.
enum ComponentType { short_integer = 5122, unsigned_short = 5123, unsigned_integer = 5125, real = 5126 };
enum Target { of_vertices = 34962, of_indices = 34963 };
constexpr int mode_of_lines = 1, mode_of_triangles = 4;
constexpr std::uint32_t magic = 0x46546C67, version = 2, json_chunk = 0x4E4F534A, binary_chunk = 0x004E4942;

class Writer {
 public:
  explicit Writer(const GlbModel& model) : model_(model) {}

  std::string write() {
    json_["asset"] = {{"version", "2.0"}, {"generator", "avrenk"}};
    json_["scene"] = 0;
    json_["scenes"] = {{{"nodes", {0}}}};
    const double unit = model_.unit;
    // Vertices are written in units of the shapes, so that a weight of one moves by one unit.
    json_["nodes"] = {{{"name", "model"},
                       {"mesh", 0},
                       {"rotation", {-std::sqrt(0.5), 0, 0, std::sqrt(0.5)}},
                       {"scale", {unit, unit, unit}}}};
    json_["meshes"] = GlbJson::array();
    const int points = add_points();
    GlbJson mesh{{"name", "model"}, {"primitives", GlbJson::array()}},
        lines{{"name", "lines"}, {"primitives", GlbJson::array()}};
    GlbJson targets = GlbJson::array(), names = GlbJson::array(), shapes = GlbJson::array();
    for (const GlbShape& shape : model_.shapes) {
      double largest = 0;
      const int accessor = add_shape(shape, largest);
      targets.push_back({{"POSITION", accessor}});
      names.push_back(shape.name);
      shapes.push_back({{"name", shape.name}, {"accessor", accessor}, {"largest", largest}});
    }
    if (!model_.shapes.empty()) {
      for (const char* const key : {"extensionsUsed", "extensionsRequired"})
        json_[key] = GlbJson::array({"KHR_mesh_quantization"});
      mesh["weights"] = std::vector<double>(model_.shapes.size(), 0);
      mesh["extras"] = {{"targetNames", names}};
    }
    json_["materials"] = GlbJson::array();
    for (const GlbPrimitive& glb_primitive : model_.primitives) {
      if (glb_primitive.vertices.empty()) continue;
      GlbJson primitive{{"attributes", {{"POSITION", points}}},
                        {"indices", add_indices(glb_primitive.vertices)},
                        {"material", json_["materials"].size()},
                        {"mode", glb_primitive.lines ? mode_of_lines : mode_of_triangles},
                        {"extras", {{"name", glb_primitive.name}}}};
      if (!targets.empty() && !glb_primitive.lines) primitive["targets"] = targets;
      (glb_primitive.lines ? lines : mesh)["primitives"].push_back(primitive);
      json_["materials"].push_back(
          {{"name", glb_primitive.name},
           {"doubleSided", true},
           {"pbrMetallicRoughness",
            {{"baseColorFactor",
              {linear(glb_primitive.colour[0]), linear(glb_primitive.colour[1]), linear(glb_primitive.colour[2]), 1}},
             {"metallicFactor", 0},
             {"roughnessFactor", 0.8}}}});
    }
    for (const GlbJson& each : {mesh, lines})
      if (!each["primitives"].empty()) json_["meshes"].push_back(each);
    add_animations();
    GlbJson values = GlbJson::array(), indices = GlbJson::object();
    for (const GlbValue& value : model_.values) {
      double largest = 0;
      const int accessor = add_value(value, largest);
      values.push_back({{"name", value.name}, {"accessor", accessor}, {"largest", largest}});
    }
    for (const auto& [name, numbers] : model_.indices) {
      std::vector<float> reals(numbers.begin(), numbers.end());
      indices[name] = add(reals.data(), reals.size() * sizeof(float), 0, 0, real, "SCALAR", reals.size());
    }
    json_["asset"]["extras"] = {{"notes", model_.notes.empty() ? GlbJson(nullptr) : GlbJson::parse(model_.notes)},
                                {"unit", unit},
                                {"shapes", shapes},
                                {"values", values},
                                {"indices", indices}};
    json_["buffers"] = {{{"byteLength", bytes_.size()}}};
    return whole();
  }

 private:
  static double linear(double srgb) { return srgb <= 0.04045 ? srgb / 12.92 : std::pow((srgb + 0.055) / 1.055, 2.4); }

  // One accessor with a view of its own. @param stride  bytes from one to the next; 0: packed
  int add(const void* data, std::size_t size, std::size_t stride, int target, int component, const char* type,
          std::size_t count) {
    bytes_.resize((bytes_.size() + 3) / 4 * 4);
    GlbJson view{{"buffer", 0}, {"byteOffset", bytes_.size()}, {"byteLength", size}};
    if (stride > 0) view["byteStride"] = stride;
    if (target > 0) view["target"] = target;
    bytes_.append(static_cast<const char*>(data), size);
    json_["bufferViews"].push_back(view);
    json_["accessors"].push_back({{"bufferView", json_["bufferViews"].size() - 1},
                                  {"componentType", component},
                                  {"count", count},
                                  {"type", type}});
    return static_cast<int>(json_["accessors"].size()) - 1;
  }

  int add_points() {
    const Eigen::Matrix3Xf scaled = model_.points / static_cast<float>(model_.unit);
    const int accessor = add(scaled.data(), static_cast<std::size_t>(scaled.size()) * sizeof(float), 0, of_vertices,
                             real, "VEC3", static_cast<std::size_t>(scaled.cols()));
    GlbJson& glb_json = json_["accessors"][static_cast<std::size_t>(accessor)];
    for (Eigen::Index d = 0; d < 3; ++d) {
      glb_json["min"].push_back(scaled.row(d).minCoeff());
      glb_json["max"].push_back(scaled.row(d).maxCoeff());
    }
    return accessor;
  }

  // Three 16-bit numbers and an empty one: vertices begin at multiples of four bytes.
  int add_shape(const GlbShape& shape, double& largest) {
    constexpr float full = 32767;
    const Eigen::Index count = shape.displacement.cols();
    const float most = count > 0 ? shape.displacement.cwiseAbs().maxCoeff() : 0;
    largest = static_cast<double>(most);
    Eigen::Matrix<std::int16_t, 4, Eigen::Dynamic> numbers =
        Eigen::Matrix<std::int16_t, 4, Eigen::Dynamic>::Zero(4, count);
    if (most > 0)
      numbers.topRows<3>() = (shape.displacement * (full / most)).array().round().matrix().cast<std::int16_t>();
    constexpr std::size_t stride = 4 * sizeof(std::int16_t);
    const int accessor = add(numbers.data(), static_cast<std::size_t>(count) * stride, stride, of_vertices,
                             short_integer, "VEC3", static_cast<std::size_t>(count));
    GlbJson& glb_json = json_["accessors"][static_cast<std::size_t>(accessor)];
    glb_json["normalized"] = true;
    for (Eigen::Index d = 0; d < 3; ++d) {
      glb_json["min"].push_back(numbers.row(d).minCoeff());
      glb_json["max"].push_back(numbers.row(d).maxCoeff());
    }
    return accessor;
  }

  int add_indices(const std::vector<std::uint32_t>& vertices) {
    return add(vertices.data(), vertices.size() * sizeof(std::uint32_t), 0, of_indices, unsigned_integer, "SCALAR",
               vertices.size());
  }

  int add_value(const GlbValue& value, double& largest) {
    constexpr float full = 65534;
    constexpr std::uint16_t none = 65535;
    float most = 0;
    for (const float each : value.values)
      if (std::isfinite(each)) most = std::max(most, each);
    largest = static_cast<double>(most);
    std::vector<std::uint16_t> numbers;
    numbers.reserve(static_cast<std::size_t>(value.values.size()));
    for (const float each : value.values)
      numbers.push_back(!std::isfinite(each) ? none
                        : most > 0 ? static_cast<std::uint16_t>(std::lround(std::max(0.0F, each) * full / most))
                                   : std::uint16_t{0});
    return add(numbers.data(), numbers.size() * sizeof(std::uint16_t), 0, 0, unsigned_short, "SCALAR", numbers.size());
  }

  // One cycle in a second, twelve steps with straight lines between them.
  void add_animations() {
    constexpr int steps = 12;
    int time = -1;
    for (std::size_t k = 0; k < model_.shapes.size(); ++k) {
      if (!model_.shapes[k].animated) continue;
      if (time < 0) {
        std::vector<float> times;
        for (int i = 0; i <= steps; ++i) times.push_back(static_cast<float>(i) / steps);
        time = add(times.data(), times.size() * sizeof(float), 0, 0, real, "SCALAR", times.size());
        GlbJson& own = json_["accessors"][static_cast<std::size_t>(time)];
        own["min"] = {0.0};
        own["max"] = {1.0};
      }
      std::vector<float> weights((steps + 1) * model_.shapes.size(), 0);
      for (int i = 0; i <= steps; ++i)
        weights[static_cast<std::size_t>(i) * model_.shapes.size() + k] =
            i % steps == 0 ? 0.0F : std::sin(2 * static_cast<float>(EIGEN_PI) * static_cast<float>(i) / steps);
      const int output = add(weights.data(), weights.size() * sizeof(float), 0, 0, real, "SCALAR", weights.size());
      json_["animations"].push_back({{"name", model_.shapes[k].name},
                                     {"samplers", {{{"input", time}, {"output", output}, {"interpolation", "LINEAR"}}}},
                                     {"channels", {{{"sampler", 0}, {"target", {{"node", 0}, {"path", "weights"}}}}}}});
    }
  }

  [[nodiscard]] std::string whole() const {
    std::string text = json_.dump(-1, ' ', false, GlbJson::error_handler_t::replace);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::string binary = bytes_;
    binary.resize((binary.size() + 3) / 4 * 4);
    std::string file;
    const auto number = [&](std::uint32_t value) {
      char four[4];
      std::memcpy(four, &value, 4);  // little-endian, as the machines that we build for
      file.append(four, 4);
    };
    constexpr std::size_t header = 12, chunk = 8;
    number(magic);
    number(version);
    number(static_cast<std::uint32_t>(header + chunk + text.size() + chunk + binary.size()));
    number(static_cast<std::uint32_t>(text.size()));
    number(json_chunk);
    file += text;
    number(static_cast<std::uint32_t>(binary.size()));
    number(binary_chunk);
    return file + binary;
  }

  const GlbModel& model_;
  GlbJson json_;
  std::string bytes_;
};

}  // namespace

std::string to_glb(const GlbModel& model) { return Writer(model).write(); }

}  // namespace avrenk
