// The curve that no node of a place exceeds, against each node by itself.
#include "core/response/place_envelope.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "core/response/fine_curve.h"
#include "support/models.h"

namespace avrenk {
namespace {

TEST(PlaceEnvelope, IsTheLargestOfItsNodesAtEachFrequency) {
  const test::Solved solved(test::portal(0.05), test::count(40), {});
  Environment environment;
  environment.name = "shake";
  environment.input = LogLogTable({{15, 10, {}}, {300, 4, {}}}, 20);
  environment.axes = {2};
  environment.grid = {15, 300, 12, 9, {}};
  for (const auto type : {Environment::Type::sine, Environment::Type::random}) {
    test::set_type(environment, type);
    CaseResponse load(excitation_along(environment, 2, solved.system), solved.system, solved.basis, solved.damping);
    for (const char* const keyword : {"acceleration", "transmissibility"}) {
      const auto quantities = output_quantities();
      const auto quantity = std::find_if(quantities.begin(), quantities.end(), [&](const OutputQuantity& each) {
        return each.keyword == keyword && each.subject == Subject::node;
      });
      if (type == Environment::Type::random && quantity->per_input()) continue;
      std::vector<OutputRequest> requests{{"all", &*quantity, {3, 5, 8, 11}}};
      for (const int node : requests[0].items) requests.push_back({"n" + std::to_string(node), &*quantity, {node}});
      const std::vector<Output> watched = watch(solved.assembly, solved.channels, requests);
      CaseResults outcome = run_case(load, watched);
      bool differs = false;
      for (int component = 0; component < 4; ++component) {
        const auto at = [&](int request) { return static_cast<std::size_t>(4 * request + component); };
        const std::vector<double> envelope = envelope_of_place(load, watched[at(0)], outcome.grid());
        PlaceDrawer(load, outcome).draw(watched[at(0)], at(0), true);
        const FineCurve drawn = fine_curve(outcome, at(0), *load.transfer, watched[at(0)]);
        EXPECT_TRUE(outcome.leaders(at(0)).size() == 1 || drawn.phase.empty()) << "a phase of several nodes";
        // At points of its own too, where the grid has none: of each node alone the same.
        const std::vector<double> anywhere = envelope_of_place(load, watched[at(0)], drawn.frequency);
        for (std::size_t k = 0; k < drawn.frequency.size(); ++k)
          EXPECT_NEAR(drawn.value[k], anywhere[k], 1e-9 * anywhere[k]) << keyword << ' ' << drawn.frequency[k];
        const CaseResponse held(held_at(*load.excitation, {drawn.frequency[drawn.frequency.size() / 3]}), solved.system,
                                solved.basis, solved.damping);
        if (type == Environment::Type::sine) {
          EXPECT_NEAR(envelope_of_place(held, watched[at(0)], held.grid).front(), anywhere[drawn.frequency.size() / 3],
                      1e-9 * anywhere[drawn.frequency.size() / 3]);
        }
        for (std::size_t k = 0; k < envelope.size(); ++k) {
          const auto value = [&](int request) {
            return outcome.random()
                       ? outcome.random()->rows[at(request)].psd[k]
                       : largest_over_phase(outcome.sine()->rows[at(request)].curve.col(static_cast<Eigen::Index>(k)));
          };
          const double largest = std::max({value(1), value(2), value(3), value(4)});
          EXPECT_NEAR(envelope[k], largest, 1e-9 * largest) << keyword << ' ' << component << ' ' << k;
          differs = differs || envelope[k] > 1.01 * value(0);
        }
      }
      EXPECT_TRUE(differs) << "one node is the largest everywhere";
    }
  }
}

}  // namespace
}  // namespace avrenk
