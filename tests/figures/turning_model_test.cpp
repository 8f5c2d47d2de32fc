// The model as a scene: its vertices know their nodes, and move and are coloured as these.
#include "figures/turning_model.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <set>

#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

// A frame of beams with a body and springs, and a block whose faces share nodes: every vertex that stands at a node
// moves as that node does, others as the node carries them; a mode's values are those of node and part.
TEST(TurningModel, MovesAndIsColouredAsItsNodes) {
  const Assembly frame = test::portal(std::nullopt);
  const Surface surface = surface_of(frame);
  TurningView shape;
  shape.group = "Modes";
  shape.name = "mode 1";
  shape.mode = 0;
  NodeMotions motions = NodeMotions::Random(6, static_cast<Eigen::Index>(frame.nodes.size()));
  shape.real = std::make_shared<const NodeMotions>(motions);
  shape.imaginary = std::make_shared<const NodeMotions>(0.5 * motions);
  TurningView values;
  values.group = "noise";
  values.name = "RMS";
  values.unit = {"g", 9.80665};
  values.value = [](int node, int part) { return part == 1 ? std::nan("") : 10.0 + node; };
  const GlbModel model =
      turning_model(frame, surface, {TurningView{"Model", "as built"}, shape, values}, "frame", Show());
  ASSERT_EQ(model.shapes.size(), 2U);
  ASSERT_EQ(model.values.size(), 1U);
  const auto& index = [&](const char* name) -> const std::vector<std::int32_t>& {
    for (const auto& [known, numbers] : model.indices)
      if (known == name) return numbers;
    throw std::out_of_range(name);
  };
  const auto &nodes = index("node"), &parts = index("part"), &at_node = index("at node");
  ASSERT_EQ(nodes.size(), static_cast<std::size_t>(model.points.cols()));
  ASSERT_EQ(at_node.size(), nodes.size());
  std::set<int> carried, at_home;
  for (std::size_t k = 0; k < nodes.size(); ++k) {
    const auto column = static_cast<Eigen::Index>(k);
    if (nodes[k] < 0) continue;
    carried.insert(nodes[k]);
    const auto u = motions.col(nodes[k]);
    const Vector3 arm = model.points.col(column).cast<double>() - frame.position(nodes[k]);
    if (at_node[k] == 1) {
      at_home.insert(nodes[k]);
      EXPECT_LT(arm.norm(), 1e-6);
    }
    const Vector3 expected = u.head<3>() + u.tail<3>().cross(arm);
    const bool carried_rigidly = parts[k] >= 0 || at_node[k] == 1;  // bodies and feet are drawn larger than they are
    EXPECT_TRUE(!carried_rigidly ||
                (model.shapes[0].displacement.col(column).cast<double>() - expected).norm() < 1e-5 * motions.norm())
        << k;
    EXPECT_LT((model.shapes[1].displacement.col(column) - 0.5F * model.shapes[0].displacement.col(column)).norm(),
              1e-5);
    const float value = model.values[0].values[column];
    EXPECT_TRUE(parts[k] == 1 ? std::isnan(value) : value == 10.0F + static_cast<float>(nodes[k])) << k;
  }
  EXPECT_EQ(carried, at_home);
  for (const GlbPrimitive& each : model.primitives)
    for (const std::uint32_t vertex : each.vertices) ASSERT_LT(vertex, nodes.size());
  const auto notes = nlohmann::json::parse(model.notes);
  EXPECT_EQ(notes.at("views").size(), 3U);
  EXPECT_EQ(notes.at("views").at(0).at("real"), -1);
  EXPECT_EQ(notes.at("views").at(1).at("imaginary"), 1);
  EXPECT_EQ(notes.at("views").at(2).at("value"), 0);
  EXPECT_EQ(notes.at("parts"), nlohmann::json({"frame", "brace"}));
}

// Two parts of shells that share an edge have vertices of their own there, and one each for faces and edges.
TEST(TurningModel, KeepsPartsApart) {
  Assembly model;
  model.materials = {test::alloy(std::nullopt)};
  for (const char* const name : {"left", "right"}) model.parts.push_back(test::shell_part(name, 2e-3));
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 2; ++j) test::add_node(model, {0.1 * i, 0.1 * j, 0}, "sheet");
  for (int p = 0; p < 2; ++p) {
    ElementGroup group;
    group.part = p;
    group.kind = &shell_kind(4);
    group.nodes = {2 * p, 2 * p + 2, 2 * p + 3, 2 * p + 1};
    model.groups.push_back(group);
  }
  model.bases = {{"fixture", {SupportNode{0}}, Vector3::Zero()}};
  const Surface surface = surface_of(model);
  const GlbModel turning = turning_model(model, surface, {TurningView{"Model", "as built"}}, "", Show());
  std::multiset<std::pair<int, int>> seen;
  for (std::size_t k = 0; k < turning.indices[0].second.size(); ++k)
    if (turning.indices[1].second[k] >= 0) seen.insert({turning.indices[0].second[k], turning.indices[1].second[k]});
  EXPECT_EQ(seen, (std::multiset<std::pair<int, int>>{{0, 0}, {1, 0}, {2, 0}, {3, 0}, {2, 1}, {3, 1}, {4, 1}, {5, 1}}));
}

// Springs without length are crosses, and stay such when their ends part: what comes behind them keeps its place.
TEST(TurningModel, KeepsWhatStandsStillWhereItIs) {
  const Assembly model = test::chain({2, 1}, {8e4, 3e4});
  NodeMotions motions = NodeMotions::Random(6, 3);
  motions.col(0).setZero();
  TurningView shape;
  shape.group = "Modes";
  shape.name = "mode 1";
  shape.mode = 0;
  shape.real = std::make_shared<const NodeMotions>(motions);
  const GlbModel turning = turning_model(model, surface_of(model), {shape}, "", Show());
  int still = 0, moving = 0;
  for (std::size_t k = 0; k < turning.indices[0].second.size(); ++k) {
    const double step = static_cast<double>(turning.shapes[0].displacement.col(static_cast<Eigen::Index>(k)).norm());
    if (turning.indices[0].second[k] == 0) {
      ++still;
      EXPECT_LT(step, 1e-6) << k;
    } else if (turning.indices[0].second[k] > 0) {
      ++moving;
      EXPECT_GT(step, 0.01) << k;
    }
  }
  EXPECT_GE(still, 8);
  EXPECT_GE(moving, 100);
}

}  // namespace
}  // namespace avrenk
