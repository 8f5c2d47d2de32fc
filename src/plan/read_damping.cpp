// damping: the general rule, and what is known near a frequency.
#include "plan/sections.h"

namespace avrenk {
namespace {

// What a test found near one frequency: a ratio, a loss factor or Q.
void read_near(const Tree& tree, DampingRule& rule, const ReadNumber& ratio, Problems& problems) {
  MapReader map(tree, "damping near", problems);
  if (!map.is_map()) return;
  NearDamping near;
  const auto frequency = map.required_quantity("frequency", kind::frequency, Sign::positive);
  near.within = map.quantity("within", kind::ratio, Sign::positive).value_or(near.within);
  const auto [form, value] = map.one_of({"ratio", "loss factor", "Q"});
  map.done();
  if (!frequency || !value) return;
  near.frequency = *frequency;
  if (form == "ratio") near.zeta = ratio(*value).value_or(0);
  if (form == "loss factor")
    near.eta = read_quantity(*value, kind::ratio, "damping near", problems, Sign::positive).value_or(0);
  if (form == "Q")
    near.zeta = 0.5 / read_quantity(*value, kind::number, "damping near Q", problems, Sign::positive).value_or(1);
  rule.near.push_back(near);
}

// [[30 Hz, 1 %], [300 Hz, 2 %]]: α and β through two pairs.
void read_rayleigh(const Tree& tree, DampingRule& rule, const ReadNumber& ratio, Problems& problems) {
  std::vector<std::pair<double, double>> pairs;
  const bool two = tree.is_list() && tree.items.size() == 2 && tree.items[0].is_list() && tree.items[1].is_list() &&
                   tree.items[0].items.size() == 2 && tree.items[1].items.size() == 2;
  for (std::size_t i = 0; two && i < 2; ++i) {
    const auto frequency =
        read_quantity(tree.items[i].items[0], kind::frequency, "damping rayleigh", problems, Sign::positive);
    const auto value = ratio(tree.items[i].items[1]);
    if (frequency && value) pairs.emplace_back(*frequency, *value);
  }
  if (!two || (pairs.size() == 2 && !(pairs[0].first < pairs[1].first))) {
    problems.add(tree, "damping rayleigh", "two pairs of a frequency and a ratio are due, in rising order",
                 "write {rayleigh: [[30 Hz, 1 %], [300 Hz, 2 %]]}");
    return;
  }
  if (pairs.size() < 2) return;
  const bool coupled = rule.coupled;
  std::vector<NearDamping> near = std::move(rule.near);
  rule = rayleigh_through(pairs[0].first, pairs[0].second, pairs[1].first, pairs[1].second);
  rule.coupled = coupled;
  rule.near = std::move(near);
}

}  // namespace

void read_damping(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  MapReader map(section, "damping", problems, "{otherwise: 2 %}");
  if (!map.is_map()) return;
  const Tree* const otherwise = map.required("otherwise", "1.5 %, the damping of all that has none of its own");
  DampingRule& rule = reading.plan.damping;
  const auto ratio = [&](const Tree& tree) {
    const auto value = read_quantity(tree, kind::ratio, "damping", problems, Sign::not_negative);
    if (value && *value >= 1)
      problems.add(tree, "damping", fmt::format("a damping ratio of {:g} is beyond critical", *value),
                   *value <= 100 ? fmt::format("did you mean {:g} %?", *value) : "write a ratio such as 1.5 %");
    return value;
  };
  if (const Tree* coupled = map.optional("coupled"))
    rule.coupled = read_word(*coupled, {"no", "yes"}, "damping coupled", problems).value_or(1) == 1;
  if (const Tree* near = map.optional("near"))
    for (const Tree* each : one_or_more(*near)) read_near(*each, rule, ratio, problems);
  map.done();
  if (!otherwise) return;
  if (otherwise->is_list()) {
    rule.form = DampingRule::Form::table;
    rule.table = read_points(*otherwise, kind::frequency, ratio, "damping", "[20 Hz, 1 %]", problems);
  } else if (otherwise->is_map()) {
    MapReader form(*otherwise, "damping otherwise", problems);
    const auto [name, value] = form.one_of({"loss factor", "Q", "rayleigh"});
    form.done();
    if (name == "rayleigh") read_rayleigh(*value, rule, ratio, problems);
    if (name == "loss factor") {
      rule.form = DampingRule::Form::loss_factor;
      rule.value = read_quantity(*value, kind::ratio, "damping loss factor", problems, Sign::not_negative).value_or(0);
    } else if (name == "Q") {
      rule.form = DampingRule::Form::ratio;
      rule.value = 0.5 / read_quantity(*value, kind::number, "damping Q", problems, Sign::positive).value_or(1);
      if (rule.value >= 1)
        problems.add(*value, "damping Q", "Q below 0.5 is beyond critical", "write, for example, {Q: 25}");
    }
  } else {
    rule.form = DampingRule::Form::ratio;
    rule.value = ratio(*otherwise).value_or(0);
  }
}

}  // namespace avrenk
