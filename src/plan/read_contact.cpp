// joints that open and close: surfaces that press on one another, gaps of springs; and bolts that are tightened.
#include <algorithm>

#include "core/mesh/pressed_pairs.h"
#include "core/words.h"
#include "plan/sections.h"

namespace avrenk {

std::optional<std::vector<int>> read_contact(const Tree& tree, const std::string& name, Reading& reading) {
  MapReader map(tree, "joint " + name, reading.problems);
  if (!map.is_map()) return std::nullopt;
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  Assembly& assembly = reading.plan.assembly;
  ContactSurfaces request;
  request.joint = name;
  const auto [how, what] = map.one_of({"part", "place"});
  const Tree* const to = map.required("to", "PART");
  request.within = map.required_quantity("within", kind::length, Sign::positive).value_or(0);
  if (const Tree* gap = map.optional("gap")) {
    const std::string as_drawn = "as drawn";
    if (gap->is_text() && gap->text == as_drawn)
      request.gap.reset();
    else if (!(gap->is_text() && gap->text == "closed"))
      request.gap = read_quantity(*gap, kind::length, map.subject() + " gap (closed, as drawn, or a length)", problems);
  }
  if (const Tree* friction = map.optional("friction"))
    request.sticks = read_word(*friction, {"none", "sticking"}, map.subject() + " friction", problems) == 1;
  const Tree* const coefficient = map.optional("friction coefficient");
  if (coefficient) {
    request.friction_holds =
        read_quantity(*coefficient, kind::number, map.subject() + " friction coefficient", problems, Sign::positive);
    if (!request.sticks)
      problems.add(*coefficient, map.subject(), "without friction nothing sticks that could slide",
                   "write friction: sticking beside it, or leave it out");
  }
  request.stiffness = map.quantity("stiffness", kind::bedding, Sign::positive);
  request.loss_factor = map.quantity("loss factor", kind::ratio, Sign::not_negative);
  map.done();
  if (what) std::tie(request.nodes, request.pressing) = read_side(how, *what, map.subject(), reading);
  if (to) request.to = read_carriers(*to, map.subject(), reading);
  if (problems.count() > before || !what || !to) return std::nullopt;
  const auto first = static_cast<int>(assembly.springs.size());
  const PressedPairs made = add_contact(assembly, reading.surface(), request);
  reading.plan.notes.push_back(fmt::format(
      "joint {}: {} on {:.4g} mm^2, {:.3g} to {:.3g} N/m^3 stiff{}", name,
      counted(static_cast<std::size_t>(made.count), "pair"), 1e6 * made.area, made.least_stiffness, made.most_stiffness,
      request.stiffness ? "" : ": a pressure makes them overlap by a hundredth of what it strains one element"));
  std::vector<int> springs(static_cast<std::size_t>(made.count));
  for (std::size_t i = 0; i < springs.size(); ++i) springs[i] = first + static_cast<int>(i);
  return springs;
}

// {toward: -z, width: 0.2 mm}: how far `from` moves along one of the spring's axes until it is stopped.
std::optional<UnilateralContact> read_gap(const Tree& tree, const Vector6& stiffness, const std::string& subject,
                                          Problems& problems) {
  MapReader map(tree, subject + " gap", problems);
  if (!map.is_map()) return std::nullopt;
  const Tree* const toward = map.required("toward", "-z");
  const auto width = map.required_quantity("width", kind::length, Sign::not_negative);
  map.done();
  if (!toward || !width) return std::nullopt;
  std::string word = toward->is_text() ? toward->text : "";
  UnilateralContact side;
  side.gap = *width;
  if (!word.empty() && (word[0] == '-' || word[0] == '+')) {
    side.sign = word[0] == '-' ? -1 : 1;
    word.erase(0, 1);
  }
  const auto axis = std::find(axis_names.begin(), axis_names.begin() + 3, word);
  if (axis == axis_names.begin() + 3) {
    problems.add(*toward, map.subject(), "it opens along one of the spring's own axes", "write toward: -z");
    return std::nullopt;
  }
  side.axis = static_cast<int>(axis - axis_names.begin());
  if (!(stiffness[side.axis] > 0)) {
    problems.add(*toward, map.subject(), fmt::format("the spring has no stiffness along {}", word),
                 fmt::format("give each: {{{}: …}}, or name another axis", word));
    return std::nullopt;
  }
  return side;
}

namespace {

// Bolts of some joints that have a tension.
void add_tightened(const std::vector<int>& springs, const Assembly& assembly, std::vector<int>& bolts) {
  for (const int spring : springs)
    if (assembly.springs[static_cast<std::size_t>(spring)].tension) bolts.push_back(spring);
}

}  // namespace

void read_tightening(const Tree& tree, const std::string& subject, StaticInput& input, Reading& reading) {
  Problems& problems = reading.problems;
  const Assembly& assembly = reading.plan.assembly;
  const auto indices = [&] {
    std::vector<int> springs(assembly.springs.size());
    for (std::size_t i = 0; i < springs.size(); ++i) springs[i] = static_cast<int>(i);
    add_tightened(springs, assembly, input.bolts);
    if (input.bolts.empty()) problems.add(tree, subject, "no bolt has a tension", "write tension: 9 kN at a bolt");
  };
  if (!tree.is_map()) {
    (void)read_word(tree, {"tightened"}, subject, problems);
    indices();
    return;
  }
  MapReader map(tree, subject, problems);
  const Tree *const joints = map.optional("joints"), *const order = map.optional("order");
  map.done();
  if (order) input.one_by_one = read_word(*order, {"at once", "one by one"}, subject + " order", problems) == 1;
  if (!joints) {
    indices();
    return;
  }
  for (const Tree* item : one_or_more(*joints)) {
    const auto* const springs = reading.joints.find(*item, subject + " joints", problems);
    if (!springs) continue;
    const std::size_t known = input.bolts.size();
    add_tightened(*springs, assembly, input.bolts);
    if (input.bolts.size() == known)
      problems.add(*item, subject, fmt::format("joint \"{}\" has no bolt with a tension", item->text),
                   "write tension: 9 kN at a bolt, and name that");
  }
  std::vector<int> sorted = input.bolts;
  std::sort(sorted.begin(), sorted.end());
  if (std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end())
    problems.add(*joints, subject, "a joint is named twice", "name each once");
  if (input.bolts.empty() && joints->is_list() && joints->items.empty())
    problems.add(*joints, subject, "no joint is named", "write joints: [RING-BOLTS]");
}

void weigh_by_loads(Plan& plan) {
  Assembly& assembly = plan.assembly;
  const bool is_grounded = std::any_of(assembly.springs.begin(), assembly.springs.end(),
                                       [](const Spring& spring) { return spring.nodes[1] < 0; });
  if (assembly.bases.size() < 2 && !is_grounded) return;
  for (Environment& environment : plan.environments) {
    if (!environment.is_static() || environment.at_rest().acceleration.isZero(0)) continue;
    Vector3& acceleration = environment.at_rest().acceleration;
    Load load;
    load.name = "acceleration of " + environment.name;
    load.kind = &kind::ratio;
    load.columns.emplace_back().field = acceleration;
    load.factors = {1};
    load.words = "acceleration of all mass";
    load.is_settled = true;
    if (environment.load_cases.empty()) environment.load_cases.emplace_back();
    for (LoadCase& each : environment.load_cases)
      each.loads.push_back({.load = static_cast<int>(assembly.loads.size()), .amount = 1});
    assembly.loads.push_back(std::move(load));
    acceleration.setZero();
  }
}

void settle_what_opens(Reading& reading) {
  Plan& plan = reading.plan;
  const auto opens = std::find_if(plan.assembly.springs.begin(), plan.assembly.springs.end(),
                                  [](const Spring& spring) { return spring.unilateral.has_value(); });
  const bool any = opens != plan.assembly.springs.end();
  const Tree* const modes = reading.root->find("modes");
  if (any && plan.modes_about.empty() && !reading.about)
    reading.problems.add(modes ? *modes : *reading.root, "joint " + opens->joint,
                         "it opens and closes, and in which state the modes find it is not said",
                         "write modes: {about: CASE} with a static environment that presses it");
  for (Environment& environment : plan.environments) {
    if (!environment.is_static()) continue;
    StaticInput& input = environment.at_rest();
    if (input.bolts.empty() && !(any && environment.name == plan.modes_about)) continue;
    input.settled = static_cast<int>(plan.assembly.loads.size());
    Load load;
    load.name = input.bolts.empty() ? "gaps of " + environment.name : "bolts of " + environment.name;
    load.kind = &kind::ratio;
    load.columns.emplace_back();
    load.factors = {1};
    load.words = "bolts tightened, gaps closed";
    load.is_settled = true;
    plan.assembly.loads.push_back(std::move(load));
    if (environment.load_cases.empty()) environment.load_cases.emplace_back();
    environment.load_cases[0].loads.push_back(
        {.load = input.settled, .profile = input.bolts.empty() ? "closed" : "tightened", .amount = 1});
  }
}

}  // namespace avrenk
