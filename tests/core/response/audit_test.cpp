#include "core/response/audit.h"
#include "core/modes/modal_basis.h"

#include <gtest/gtest.h>

#include <array>
#include <set>

#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

Environment sweep(double from, double to) {
  Environment environment;
  environment.name = "sine";
  environment.axes = {0};
  environment.input = LogLogTable({{from, 10, {}}, {to, 10, {}}}, 20);
  environment.grid = {from, to, 24, 21, {}};
  return environment;
}

std::vector<OutputRequest> watches(const Assembly& model) {
  const auto quantity = [](std::string_view keyword, Subject subject) {
    for (const OutputQuantity& each : output_quantities())
      if (each.keyword == keyword && each.subject == subject) return &each;
    return static_cast<const OutputQuantity*>(nullptr);
  };
  const int tip = static_cast<int>(model.nodes.size()) - 1;
  std::vector<OutputRequest> requests;
  for (const RigidLink& link : model.links)
    for (const char* keyword : {"force", "moment"}) {
      requests.emplace_back();
      requests.back().name = requests.back().joint = link.joint;
      requests.back().quantity = quantity(keyword, Subject::joint);
    }
  const std::vector<OutputRequest> others{
      {"box", quantity("acceleration", Subject::node), {tip}, Vector3::Zero()},
      {"travel", quantity("relative displacement", Subject::node), {tip}, Vector3::Zero()},
      {"isolator", quantity("force", Subject::spring), {0}, Vector3::Zero()},
      {"root", quantity("force", Subject::base), {0}, Vector3::Zero()}};
  requests.insert(requests.end(), others.begin(), others.end());
  return requests;
}

struct Audited {
  std::vector<AuditedAnswer> answers;
  double worst = 0, truncation = 0, truncation_without = 0;
};
Audited run(Solved& solved, const DampingRule& rule, const Environment& environment, int axis) {
  const auto requests = watches(solved.assembly);
  const std::vector<Output> watched = watch(solved.assembly, solved.channels, requests);
  const std::vector<CaseResults> outcomes{
      test::run_along(environment, axis, solved.system, solved.basis, solved.damping, watched)};
  const AuditSource source{solved.assembly, solved.system, solved.basis, solved.damping, rule, requests, {},
                           watched,         {&outcomes[0]}};
  const std::vector<double> frequencies = frequencies_that_matter(source, 3);
  EXPECT_FALSE(frequencies.empty());
  Audited audited{audit(source, frequencies), 0, 0, 0};
  EXPECT_FALSE(audited.answers.empty());
  for (const AuditedAnswer& each : audited.answers) {
    EXPECT_GT(each.direct, 0);
    audited.worst = std::max(audited.worst, std::abs(each.error()));
    audited.truncation = std::max(audited.truncation, std::abs(each.truncation()));
    audited.truncation_without = std::max(audited.truncation_without, std::abs(each.truncation_without()));
  }
  return audited;
}

// With all modes and damping that the elements share, the modal answer is the direct one but for rounding: one loss
// factor throughout; Rayleigh's rule; a loss factor on the isolators with modes coupled.
TEST(Audit, FindsNoErrorWhereThereIsNone) {
  for (const Environment::Type type : {Environment::Type::sine, Environment::Type::random}) {
    Environment environment = sweep(5, 300);
    test::set_type(environment, type);
    for (int axis = 0; axis < 3; ++axis) {
      Solved uniform(test::portal(0.05), test::count(1000), test::loss_factor(0.05));
      EXPECT_LE(run(uniform, test::loss_factor(0.05), environment, axis).worst, 1e-7);
      const DampingRule rayleigh = rayleigh_through(10, 0.01, 200, 0.03);
      Solved proportional(test::portal(std::nullopt), test::count(1000), rayleigh);
      EXPECT_LE(run(proportional, rayleigh, environment, axis).worst, 1e-7);
    }
    DampingRule coupled = test::loss_factor(0.02);
    coupled.coupled = true;
    Assembly model = test::portal(std::nullopt);
    for (Spring& spring : model.springs) spring.loss_factor = 0.4;
    Solved isolated(model, test::count(1000), coupled);
    EXPECT_LE(run(isolated, coupled, environment, 0).worst, 1e-7);
    // Uncoupled, the same modes are off, and the audit tells that this is not for want of modes.
    DampingRule apart = test::loss_factor(0.02);
    apart.coupled = false;
    Solved uncoupled(model, test::count(1000), apart);
    const Audited audited = run(uncoupled, apart, environment, 0);
    EXPECT_GT(audited.worst, 1e-3);
    EXPECT_LE(audited.truncation, 1e-7);
  }
}

// The audit takes forces of joints from the equations: rows that lack Rayleigh's αM do not slip by.
TEST(Audit, SeesWhatRowsOfJointsLack) {
  const DampingRule rule = rayleigh_through(10, 0.1, 200, 0.03);
  const Solved solved(test::portal(std::nullopt), test::count(1000), rule);
  ModalDamping without = solved.damping;
  without.mass_rate = 0;
  const auto requests = watches(solved.assembly);
  const Environment environment = sweep(5, 300);
  std::vector<double> errors;
  for (const ModalDamping* damping : std::array<const ModalDamping*, 2>{&solved.damping, &without}) {
    const std::vector<Output> watched =
        watch(solved.assembly, Channels(solved.assembly, solved.system, solved.basis, *damping), requests);
    const std::vector<CaseResults> outcomes{
        test::run_along(environment, 0, solved.system, solved.basis, solved.damping, watched)};
    const AuditSource source{solved.assembly, solved.system, solved.basis, solved.damping, rule, requests, {},
                             watched,         {&outcomes[0]}};
    errors.push_back(0);
    for (const AuditedAnswer& each : audit(source, frequencies_that_matter(source, 3)))
      if (watched[each.watched].entry == "bracket") errors.back() = std::max(errors.back(), std::abs(each.error()));
  }
  EXPECT_LE(errors[0], 1e-7);
  EXPECT_GT(errors[1], 1e-4);
}

// Few modes: residual vectors take most of the error away, and the audit shows its size either way.
TEST(Audit, ShowsWhatResidualVectorsCarry) {
  Solved few(test::portal(0.05), test::count(4), test::loss_factor(0.05));
  const Environment environment = sweep(5, 0.6 * few.basis.frequency(3));
  const Audited audited = run(few, test::loss_factor(0.05), environment, 2);
  EXPECT_LE(audited.truncation, 0.02);
  EXPECT_GT(audited.truncation_without, 3 * audited.truncation);
}

// A ratio is a property of modes and acts on them as in the modal answer, and so does a value given near a frequency.
// The force in the spring holds the damping force, whose ratio to the elastic one is that of the nearest mode.
TEST(Audit, TakesRatiosAndGivenValuesAsTheModesDo) {
  DampingRule rule = test::ratio(0.02);
  const Environment environment = sweep(5, 60);
  const double frequency = 20;
  Solved single(test::chain({2}, {2 * std::pow(2 * pi * frequency, 2)}), test::count(1000), rule);
  EXPECT_LE(run(single, rule, environment, 2).worst, 0.02 * 0.02);
  Solved many(test::portal(std::nullopt), test::count(1000), rule);
  // Forces in joints follow the damping of each mode in the modal answer, that at the frequency here: 2ζ(ω/ω_r − 1)
  // apart.
  EXPECT_LE(run(many, rule, sweep(5, 300), 0).worst, 2e-3);
  rule.near = {{frequency, 0.05, 0.07, 0}};
  Solved given(test::chain({2}, {2 * std::pow(2 * pi * frequency, 2)}), test::count(1000), rule);
  EXPECT_LE(run(given, rule, environment, 2).worst, 1e-9);
}

// Quantities are audited whatever the size of others in other units: 1e8 N beside 6 mm.
TEST(Audit, ComparesOnlyWhatHasTheSameUnit) {
  Solved heavy(test::chain({1e6}, {1e6 * std::pow(2 * pi * 20, 2)}), test::count(1000), test::loss_factor(0.1));
  std::set<std::string> looked_at;
  for (const AuditedAnswer& each : run(heavy, test::loss_factor(0.1), sweep(5, 60), 2).answers)
    looked_at.insert(watch(heavy.assembly, heavy.channels, watches(heavy.assembly))[each.watched].entry);
  for (const char* entry : {"box", "travel", "isolator", "root"}) EXPECT_TRUE(looked_at.contains(entry)) << entry;
}

}  // namespace
}  // namespace avrenk
