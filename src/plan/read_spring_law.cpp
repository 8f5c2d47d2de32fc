// what a spring's stiffness and loss factor depend on, and how else it may come out.
#include <algorithm>

#include "core/model/spring_law.h"
#include "plan/sections.h"

namespace avrenk {

LogTable read_points(const Tree& tree, const Kind& over, const ReadNumber& value, const std::string& subject,
                     const std::string& example, Problems& problems) {
  LogTable points;
  if (!tree.is_list() || tree.items.empty()) {
    problems.add(tree, subject, tree.is_list() ? "the table is empty" : "a table is due",
                 fmt::format("write [{}, …]", example));
    return points;
  }
  std::string before;
  for (const Tree& row : tree.items) {
    if (!row.is_list() || row.items.size() != 2) {
      problems.add(row, subject, fmt::format("a point is {} and a value", over.name), "write " + example);
      continue;
    }
    const auto x = read_quantity(row.items[0], over, subject, problems, Sign::positive);
    const auto y = value(row.items[1]);
    if (!x || !y) continue;
    if (!points.empty() && *x <= points.back().first)
      problems.add(row, subject, fmt::format("its points do not rise from {} to {}", before, row.items[0].text),
                   "write them in rising order");
    before = row.items[0].text;
    points.emplace_back(*x, *y);
  }
  return points;
}

namespace {

// {stiffness: [[0.01 mm, 100 %], …], loss factor: …} over an amplitude.
void read_over_amplitude(const Tree& tree, const std::string& subject, const Kind& kind, const std::string& amplitude,
                         LogTable& softening, LogTable& growth, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return;
  const std::string example = fmt::format("[{}, 90 %]", amplitude);
  const auto read = [&](const char* key, LogTable& points, Sign sign) {
    const Tree* const table = map.optional(key);
    if (!table) return false;
    const std::string name = subject + " " + key;
    points = read_points(
        *table, kind, [&](const Tree& each) { return read_quantity(each, kind::ratio, name, problems, sign); }, name,
        example, problems);
    return true;
  };
  const bool stiffness = read("stiffness", softening, Sign::positive),
             loss = read("loss factor", growth, Sign::not_negative);
  map.done();
  if (!stiffness && !loss && problems.count() == 0)
    problems.add(tree, subject, "nothing depends on it", fmt::format("write {{stiffness: [{}, …]}}", example));
}

void read_variants(const Tree& tree, const std::string& subject, SpringLaw& law, bool has_loss, Reading& reading) {
  Problems& problems = reading.problems;
  if (!tree.is_map() || tree.entries.empty()) {
    problems.add(tree, subject, "names of variants are due", "write {soft: 80 %, stiff: 125 %}");
    return;
  }
  for (const Tree::Entry& entry : tree.entries) {
    const std::string name = subject + " " + entry.key;
    if (entry.key.empty() || entry.key == "as stated") {
      problems.add(entry.value, subject, fmt::format("\"{}\" is what the springs are without a variant", entry.key),
                   "give it another name");
      continue;
    }
    SpringLaw::Variant variant{entry.key};
    if (entry.value.is_map()) {
      MapReader map(entry.value, name, problems);
      variant.stiffness = map.quantity("stiffness", kind::ratio, Sign::positive).value_or(1);
      const Tree* const loss = map.optional("loss factor");
      if (loss) variant.loss = read_quantity(*loss, kind::ratio, name, problems, Sign::not_negative).value_or(1);
      if (loss && !has_loss)
        problems.add(*loss, name, "the joint has no loss factor to be a part of", "give it a loss factor");
      map.done();
    } else {
      variant.stiffness = read_quantity(entry.value, kind::ratio, name, problems, Sign::positive).value_or(1);
    }
    law.variants.push_back(std::move(variant));
    auto& all = reading.plan.variants;
    if (std::find(all.begin(), all.end(), entry.key) == all.end()) all.push_back(entry.key);
  }
}

}  // namespace

void read_spring_law(MapReader& map, const Tree& each, Spring& spring, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string& subject = map.subject();
  SpringLaw law;
  bool has_law = false;
  MapReader six(each, subject + " each", problems);
  if (!six.is_map()) return;
  const std::size_t before = problems.count();
  for (std::size_t i = 0; i < axis_names.size(); ++i) {
    const Tree* const value = six.optional(std::string(axis_names[i]));
    if (!value) continue;
    const Kind& kind = i < 3 ? kind::stiffness : kind::rotational_stiffness;
    const std::string name = fmt::format("{} each {}", subject, axis_names[i]);
    if (!value->is_list()) {
      spring.stiffness[static_cast<Eigen::Index>(i)] =
          read_quantity(*value, kind, name, problems, Sign::not_negative).value_or(0);
      continue;
    }
    law.stiffness[i] = read_points(
        *value, kind::frequency,
        [&](const Tree& number) { return read_quantity(number, kind, name, problems, Sign::positive); }, name,
        i < 3 ? "[20 Hz, 90 N/mm]" : "[20 Hz, 8 N m/rad]", problems);
    if (!law.stiffness[i].empty()) spring.stiffness[static_cast<Eigen::Index>(i)] = law.stiffness[i].front().second;
    has_law = true;
  }
  six.done();
  if (problems.count() == before && spring.stiffness.isZero(0))
    problems.add(each, subject + " each", "all six are zero", "give at least one of x, y, z, rx, ry, rz");
  const std::string of_loss = subject + " loss factor";
  const auto read_loss = [&](const Tree& number) {
    return read_quantity(number, kind::ratio, of_loss, problems, Sign::not_negative);
  };
  const Tree* const loss = map.optional("loss factor");
  if (loss && loss->is_list()) {
    law.loss = read_points(*loss, kind::frequency, read_loss, of_loss, "[20 Hz, 12 %]", problems);
    if (!law.loss.empty()) spring.loss_factor = law.loss.front().second;
    has_law = true;
  } else if (loss) {
    spring.loss_factor = read_loss(*loss);
  }
  const struct {
    const char *key, *example;
    const Kind& kind;
  } amplitudes[] = {{"over amplitude", "0.1 mm", kind::length}, {"over angle", "0.1 deg", kind::angle}};
  for (std::size_t turns = 0; turns < 2; ++turns) {
    const Tree* const tree = map.optional(amplitudes[turns].key);
    if (!tree) continue;
    has_law = true;
    const std::string name = fmt::format("{} {}", subject, amplitudes[turns].key);
    read_over_amplitude(*tree, name, amplitudes[turns].kind, amplitudes[turns].example, law.softening[turns],
                        law.loss_growth[turns], problems);
    if (!law.loss_growth[turns].empty() && !loss)
      problems.add(*tree, name, "the joint has no loss factor that it could be a part of",
                   "write loss factor: 15 % beside it");
    const bool concerns = turns == 0 ? !spring.stiffness.head<3>().isZero(0) : !spring.stiffness.tail<3>().isZero(0);
    if (!concerns && problems.count() == before)
      problems.add(*tree, name,
                   turns == 0 ? "it has no stiffness along x, y or z" : "it has no stiffness about x, y or z",
                   "leave it out");
  }
  if (const Tree* const variants = map.optional("variants")) {
    has_law = true;
    read_variants(*variants, subject + " variants", law, loss != nullptr, reading);
  }
  if (!has_law) return;
  for (Eigen::Index i = 0; i < 6; ++i)
    if (const LogTable& soft = law.softening[i > 2]; !soft.empty()) spring.stiffness[i] *= soft.front().second;
  if (const LogTable& grown = law.loss_growth[0]; !grown.empty() && spring.loss_factor) {
    if (law.loss.empty()) law.loss = {{1, *spring.loss_factor}};
    *spring.loss_factor *= grown.front().second;  // a spring has one by itself: that of its translations
  }
  spring.law = std::make_shared<const SpringLaw>(std::move(law));
}

}  // namespace avrenk
