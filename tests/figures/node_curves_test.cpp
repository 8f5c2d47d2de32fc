// Which nodes the page has curves of. The curves themselves are looked at in a browser (cli/report_test).
#include "figures/node_curves.h"
#include "core/model/assembly.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <numeric>

namespace avrenk {
namespace {

TEST(NodeCurves, NodesAreSpreadEvenly) {
  Assembly assembly;
  constexpr int side = 60;
  for (int i = 0; i < side; ++i)
    for (int j = 0; j < side; ++j) assembly.nodes.push_back({Vector3(0.01 * i, 0.01 * j, 0), ""});
  std::vector<int> nodes(assembly.nodes.size());
  std::iota(nodes.begin(), nodes.end(), 0);
  EXPECT_EQ(spread_nodes(assembly, nodes, {}, nodes.size()), nodes);
  for (const std::size_t most : {1U, 50U, 400U, 3000U}) {
    const std::vector<int> chosen = spread_nodes(assembly, nodes, {17}, most);
    EXPECT_LE(chosen.size(), most);
    EXPECT_GE(4 * chosen.size(), most);
    EXPECT_TRUE(std::is_sorted(chosen.begin(), chosen.end()));
    EXPECT_TRUE(std::binary_search(chosen.begin(), chosen.end(), 17));
    if (most < 50) continue;
    // No node is farther than two squares of equal share from one that was chosen.
    const double share = 0.6 / std::sqrt(static_cast<double>(most));
    for (const int node : nodes) {
      double nearest = HUGE_VAL;
      for (const int other : chosen)
        nearest = std::min(nearest, (assembly.position(node) - assembly.position(other)).norm());
      ASSERT_LE(nearest, 2 * share * std::sqrt(2.0)) << most;
    }
  }
}

}  // namespace
}  // namespace avrenk
