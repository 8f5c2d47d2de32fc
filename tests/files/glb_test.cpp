// Binary glTF 2.0 by the rules of the standard (ISO/IEC 12113): the container, what an accessor may point at, extremes,
// alignment; and what is read back of shapes and values.
#include "files/glb.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <set>

namespace avrenk {
namespace {

using nlohmann::json;

template <typename Number>
Number read_number(const std::string& bytes, std::size_t at) {
  Number value;
  std::memcpy(&value, bytes.data() + at, sizeof value);
  return value;
}

// The two chunks of a file, checked.
struct Chunks {
  json scene;
  std::string binary;
  explicit Chunks(const std::string& file) {
    EXPECT_EQ(file.substr(0, 4), "glTF");
    EXPECT_EQ(read_number<std::uint32_t>(file, 4), 2U);
    EXPECT_EQ(read_number<std::uint32_t>(file, 8), file.size());
    const auto text = read_number<std::uint32_t>(file, 12);
    EXPECT_EQ(file.substr(16, 4), "JSON");
    EXPECT_EQ(text % 4, 0U);
    scene = json::parse(file.substr(20, text));
    const auto size = read_number<std::uint32_t>(file, 20 + text);
    EXPECT_EQ(file.substr(24 + text, 4), std::string("BIN\0", 4));
    EXPECT_EQ(size % 4, 0U);
    binary = file.substr(28 + text);
    EXPECT_EQ(binary.size(), size);
    EXPECT_LE(scene.at("buffers").at(0).at("byteLength").get<std::size_t>(), size);
    EXPECT_GE(scene.at("buffers").at(0).at("byteLength").get<std::size_t>() + 3, size);
  }
  static std::size_t bytes_of(int component) { return component == 5126 || component == 5125 ? 4 : 2; }
  static std::size_t width_of(const std::string& type) { return type == "VEC3" ? 3 : 1; }
  // All numbers of an accessor as they stand there.
  [[nodiscard]] std::vector<double> numbers(std::size_t index) const {
    const json& accessor = scene.at("accessors").at(index);
    const json& view = scene.at("bufferViews").at(accessor.at("bufferView").get<std::size_t>());
    const int component = accessor.at("componentType");
    const std::size_t width = width_of(accessor.at("type")), each = bytes_of(component);
    const std::size_t stride = view.value("byteStride", width * each);
    std::vector<double> values;
    for (std::size_t k = 0; k < accessor.at("count").get<std::size_t>(); ++k)
      for (std::size_t c = 0; c < width; ++c) {
        const std::size_t at = view.at("byteOffset").get<std::size_t>() + k * stride + c * each;
        values.push_back(component == 5126   ? static_cast<double>(read_number<float>(binary, at))
                         : component == 5125 ? static_cast<double>(read_number<std::uint32_t>(binary, at))
                         : component == 5123 ? static_cast<double>(read_number<std::uint16_t>(binary, at))
                                             : static_cast<double>(read_number<std::int16_t>(binary, at)));
      }
    return values;
  }
};

GlbModel two_triangles() {
  GlbModel model;
  model.points.resize(3, 5);
  model.points << 0, 2, 2, 0, 1, 0, 0, 1, 1, 3, 0, 0, 0, 0, 0.5F;
  model.unit = 0.25;
  model.primitives = {{"sheet's \"<part>\"", {0.9, 0.2, 0.1}, false, {0, 1, 2, 0, 2, 3}},
                      {"empty", {0, 0, 0}, false, {}},
                      {"edges", {0.3, 0.3, 0.3}, true, {0, 1, 1, 2}}};
  GlbShape bend{"mode 1", Eigen::Matrix3Xf::Zero(3, 5), true}, still{"nothing", Eigen::Matrix3Xf::Zero(3, 5), false};
  bend.displacement.row(2) << 0, 0.5F, -2, 1e-3F, 0.7F;
  model.shapes = {bend, still};
  GlbValue stress{"stress", Eigen::VectorXf(5)}, zero{"zero", Eigen::VectorXf::Zero(5)};
  stress.values << 1e6F, 0, NAN, 3e6F, 2e6F;
  model.values = {stress, zero};
  model.indices = {{"node", {4, 3, 2, 1, -1}}};
  model.notes = R"({"views": []})";
  return model;
}

TEST(Glb, KeepsTheRulesOfItsStandard) {
  const Chunks file(to_glb(two_triangles()));
  const json& scene = file.scene;
  EXPECT_EQ(scene.at("asset").at("version"), "2.0");
  std::set<std::size_t> of_vertices, of_indices;
  const json& mesh = scene.at("meshes").at(scene.at("nodes").at(0).at("mesh").get<std::size_t>());
  ASSERT_EQ(mesh.at("primitives").size(), 1U);  // what is empty is left out
  const json& lines = scene.at("meshes").at(1).at("primitives");
  ASSERT_EQ(lines.size(), 1U);
  EXPECT_FALSE(lines.at(0).contains("targets")) << "lines that move are too much for loaders";
  EXPECT_EQ(lines.at(0).at("mode"), 1);
  of_indices.insert(lines.at(0).at("indices").get<std::size_t>());
  for (const json& primitive : mesh.at("primitives")) {
    of_vertices.insert(primitive.at("attributes").at("POSITION").get<std::size_t>());
    of_indices.insert(primitive.at("indices").get<std::size_t>());
    ASSERT_EQ(primitive.at("targets").size(), mesh.at("weights").size());
    for (const json& target : primitive.at("targets")) of_vertices.insert(target.at("POSITION").get<std::size_t>());
    EXPECT_LT(primitive.at("material").get<std::size_t>(), scene.at("materials").size());
    const std::vector<double> indices = file.numbers(primitive.at("indices"));
    EXPECT_EQ(indices.size() % (primitive.at("mode") == 1 ? 2 : 3), 0U);
    EXPECT_LT(*std::max_element(indices.begin(), indices.end()), 5);
  }
  EXPECT_EQ(mesh.at("extras").at("targetNames"), json({"mode 1", "nothing"}));
  EXPECT_EQ(scene.at("extensionsRequired"), json::array({"KHR_mesh_quantization"}));
  for (std::size_t i = 0; i < scene.at("accessors").size(); ++i) {
    const json& accessor = scene.at("accessors").at(i);
    const json& view = scene.at("bufferViews").at(accessor.at("bufferView").get<std::size_t>());
    const std::size_t each = Chunks::bytes_of(accessor.at("componentType")) * Chunks::width_of(accessor.at("type"));
    const std::size_t stride = view.value("byteStride", each), offset = view.at("byteOffset"),
                      length = view.at("byteLength"), count = accessor.at("count");
    EXPECT_GT(count, 0U);
    EXPECT_EQ(offset % 4, 0U);
    EXPECT_LE(offset + length, file.binary.size());
    EXPECT_LE((count - 1) * stride + each, length);
    if (of_vertices.contains(i)) {
      EXPECT_EQ(view.at("target"), 34962);
      EXPECT_EQ(stride % 4, 0U);  // of attributes of vertices
      const std::vector<double> all = file.numbers(i);
      for (std::size_t c = 0; c < 3; ++c) {
        double low = HUGE_VAL, high = -HUGE_VAL;
        for (std::size_t k = c; k < all.size(); k += 3) {
          low = std::min(low, all[k]);
          high = std::max(high, all[k]);
        }
        EXPECT_EQ(accessor.at("min").at(c).get<double>(), low);
        EXPECT_EQ(accessor.at("max").at(c).get<double>(), high);
      }
    }
    if (of_indices.contains(i)) {
      EXPECT_EQ(view.at("target"), 34963);
      EXPECT_FALSE(view.contains("byteStride"));
    }
  }
  const json& animation = scene.at("animations").at(0);
  const json& sampler = animation.at("samplers").at(0);
  EXPECT_EQ(file.numbers(sampler.at("output")).size(), 2 * file.numbers(sampler.at("input")).size());
  EXPECT_EQ(animation.at("channels").at(0).at("target").at("path"), "weights");
}

// Shapes and values to half a step of their 16 bits; points to single precision; NaN stays one.
TEST(Glb, IsReadBack) {
  const GlbModel model = two_triangles();
  const Chunks file(to_glb(model));
  const json& extras = file.scene.at("asset").at("extras");
  EXPECT_EQ(extras.at("notes"), json::parse(model.notes));
  const std::vector<double> points =
      file.numbers(file.scene.at("meshes").at(0).at("primitives").at(0).at("attributes").at("POSITION"));
  for (Eigen::Index k = 0; k < 15; ++k)
    EXPECT_EQ(points[static_cast<std::size_t>(k)] * model.unit, static_cast<double>(model.points.data()[k]));
  for (std::size_t s = 0; s < 2; ++s) {
    const json& shape = extras.at("shapes").at(s);
    const double largest = shape.at("largest");
    const std::vector<double> numbers = file.numbers(shape.at("accessor"));
    for (std::size_t k = 0; k < 15; ++k)
      EXPECT_NEAR(numbers[k] * largest / 32767, static_cast<double>(model.shapes[s].displacement.data()[k]),
                  0.51 * largest / 32767);
  }
  const std::vector<double> stress = file.numbers(extras.at("values").at(0).at("accessor"));
  EXPECT_EQ(stress, (std::vector<double>{21845, 0, 65535, 65534, 43689}));
  EXPECT_EQ(extras.at("values").at(0).at("largest"), 3e6);
  EXPECT_EQ(file.numbers(extras.at("values").at(1).at("accessor")), std::vector<double>(5, 0));
  EXPECT_EQ(file.numbers(extras.at("indices").at("node")), (std::vector<double>{4, 3, 2, 1, -1}));
}

}  // namespace
}  // namespace avrenk
