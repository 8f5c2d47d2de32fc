#include "plan/starter.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/element/kinds.h"
#include "core/error.h"
#include "core/words.h"

namespace avrenk {
namespace {

// A sentence as a comment of at most 100 columns.
std::string commented(const std::string& text) { return text.empty() ? "" : "# " + wrapped(text, 100, "# "); }

std::string name_from(const std::string& text) {
  std::string name;
  for (const char c : text) {
    const bool plain = std::isalnum(static_cast<unsigned char>(c)) != 0;
    if (plain || (!name.empty() && name.back() != '-')) name += plain ? c : '-';
  }
  while (name.ends_with('-')) name.pop_back();
  return name.empty() ? "part" : name;
}

// The values of an array that tells a few groups apart; empty for one that does not.
std::vector<std::string> groups_of(const GridArray& array) {
  constexpr std::size_t most = 30;
  std::set<double> numbers;
  std::set<std::string> texts(array.texts.begin(), array.texts.end());
  if (array.components != 1) return {};
  for (const double value : array.values) {
    if (value != std::floor(value) || numbers.size() > most) return {};
    numbers.insert(value);
  }
  if (texts.size() > most) return {};
  std::vector<std::string> groups(texts.begin(), texts.end());
  if (array.texts.empty())
    for (const double value : numbers) groups.push_back(fmt::format("{:g}", value));
  return groups;
}

std::string value_of(const GridArray& array, std::size_t cell) {
  return array.texts.empty() ? fmt::format("{:g}", array.values[cell]) : array.texts[cell];
}

// Quoted where YAML would read something else.
std::string in_quotes(const std::string& text) {
  const bool plain = std::all_of(text.begin(), text.end(), [](unsigned char c) {
    return std::isalnum(c) || c == '-' || c == '_' || c == '.' || c == ' ';
  });
  if (plain && !text.empty()) return text;
  std::string quoted = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\')
      quoted += std::string("\\") + c;
    else if (static_cast<unsigned char>(c) < ' ' || c == 0x7F)
      quoted += fmt::format("\\x{:02X}", static_cast<unsigned char>(c));
    else
      quoted += c;
  }
  return quoted + "\"";
}

struct Found {
  std::size_t shells = 0, solids = 0;
};

class Starter {
 public:
  Starter(const Grid& grid, std::string file, const SectionComment& comment)
      : grid_(grid), file_(std::move(file)), comment_(comment) {
    for (const Vector3& point : grid.points) box_.extend(point);
    if (box_.diagonal().norm() < 5) unit_ = "m";
  }

  std::string write() {
    count_cells();
    text_ = fmt::format(
        "# A first plan for {}: {} points, {} shells, {} solids, {:.4g} x {:.4g} x {:.4g} {}.\n# Lines marked CHECK "
        "are "
        "guesses. Then: avrenk check THIS, avrenk run THIS. Any word here: avrenk explain WORD.\n\ntitle: {}\n\n",
        in_quotes(file_), grid_.points.size(), all_.shells, all_.solids, box_.sizes().x(), box_.sizes().y(),
        box_.sizes().z(), unit_, name_from(file_.substr(0, file_.rfind('.'))));
    section("materials");
    text_ += "materials:\n  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, yield: 430 MPa}  # CHECK\n\n";
    write_parts();
    write_places();
    section("base");
    text_ += "base:\n  fixture: {place: feet, holds: " + std::string(all_.shells == 0 ? "[x, y, z]" : "all") +
             "}  # CHECK\n\n";
    section("damping");
    text_ += "damping: {otherwise: 1.5 %}  # CHECK: of critical; from a test, or 1 to 2 % for bolted structures\n\n";
    section("watch");
    text_ += "watch:\n  top: {at: top, quantities: [acceleration, relative displacement]}\n  metal: {part: [" + names_ +
             "], quantities: [von Mises]}\n  fixture: {base: fixture, quantities: [force]}\n\n";
    text_ +=
        "# CHECK: levels of your specification.\nprofiles:\n  sweep: {sine: {acceleration: [[5 Hz, 1 g], [100 Hz, 1 "
        "g]]}, sweep: 2 oct/min}\n  broadband: {random: [[20 Hz, 0.01 g^2/Hz], [500 Hz, 0.01 g^2/Hz]], duration: 60 "
        "s}\n\n";
    section("environments");
    text_ +=
        "environments:\n  gravity: {static: {acceleration: {z: -1 g}}}\n  sine: {profile: sweep, at: fixture, axes: "
        "[x, "
        "y, z], after: gravity}\n  random: {profile: broadband, at: fixture, axes: [x, y, z]}\n\n";
    text_ +=
        "limits:\n  stress: {of: metal.von Mises, in: [sine, random], take: {sine: peak, random: 3 sigma}, with: "
        "gravity, allowable: yield}\n";
    return text_;
  }

 private:
  void section(const std::string& name) { text_ += commented(comment_(name)); }

  static bool is_shell(std::uint8_t type) {
    const ElementKind* const kind = kind_of_cell(type);
    return kind && kind->is_shell();
  }
  static bool is_solid(std::uint8_t type) {
    const ElementKind* const kind = kind_of_cell(type);
    return kind && !kind->is_shell();
  }

  void count_cells() {
    for (const std::uint8_t type : grid_.types) {
      all_.shells += is_shell(type) ? 1 : 0;
      all_.solids += is_solid(type) ? 1 : 0;
    }
    if (all_.shells + all_.solids == 0)
      throw FileError(fmt::format("{}: it holds no shells and no solids, so there is nothing to start from", file_));
  }

  // The array of the cells with the fewest groups, two or more, each of one family.
  const GridArray* dividing_array() const {
    const GridArray* best = nullptr;
    std::size_t fewest = 1000;
    for (const GridArray& array : grid_.cell_arrays) {
      const std::size_t count = groups_of(array).size();
      if (count < 2 || count >= fewest || mixed(&array)) continue;
      best = &array;
      fewest = count;
    }
    return best;
  }

  // Whether some group holds shells and solids.
  bool mixed(const GridArray* array) const {
    for (const auto& [group, found] : groups(array))
      if (found.shells > 0 && found.solids > 0) return true;
    return false;
  }

  std::map<std::string, Found> groups(const GridArray* array) const {
    std::map<std::string, Found> result;
    for (std::size_t cell = 0; cell < grid_.types.size(); ++cell) {
      Found& found = result[array ? value_of(*array, cell) : std::string()];
      found.shells += is_shell(grid_.types[cell]) ? 1 : 0;
      found.solids += is_solid(grid_.types[cell]) ? 1 : 0;
    }
    std::erase_if(result, [](const auto& each) { return each.second.shells + each.second.solids == 0; });
    return result;
  }

  void write_parts() {
    section("parts");
    text_ += "parts:\n";
    const GridArray* const array = dividing_array();
    if (!array && all_.shells > 0 && all_.solids > 0)
      throw FileError(fmt::format(
          "{}: shells and solids are mixed, and no array of the cells tells them apart; give them one", file_));
    std::set<std::string> used;
    for (const auto& [group, found] : groups(array)) {
      const bool number = array && array->texts.empty();
      std::string name =
          name_from(array ? (number ? array->name + "-" + group : group) : file_.substr(0, file_.rfind('.')));
      while (!used.insert(name).second) name += "-2";
      names_ += (names_.empty() ? "" : ", ") + name;
      text_ += fmt::format(
          "  {}: {{mesh: {}, length: {}, {}{}material: alloy}}  # {} {}{}\n", name, in_quotes(file_), unit_,
          array ? fmt::format("cells: {{{}: {}}}, ", in_quotes(array->name), in_quotes(group)) : std::string(),
          found.shells > 0 ? "thickness: 2 mm, " : "", found.shells > 0 ? found.shells : found.solids,
          found.shells > 0 ? "shells" : "solids", found.shells > 0 ? "; CHECK the thickness" : "");
    }
    text_ +=
        fmt::format("  # CHECK the unit of length: the mesh is {:.4g} {} long\n\n", box_.sizes().maxCoeff(), unit_);
  }

  // Points of cells at one end of z, within a thousandth of the size.
  std::size_t points_at(double z) const {
    std::set<std::int64_t> points;
    std::size_t begin = 0;
    for (std::size_t cell = 0; cell < grid_.types.size(); ++cell) {
      const auto end = static_cast<std::size_t>(grid_.offsets[cell]);
      for (std::size_t i = begin; kind_of_cell(grid_.types[cell]) && i < end; ++i) {
        const std::int64_t point = grid_.connectivity[i];
        if (std::abs(grid_.points[static_cast<std::size_t>(point)].z() - z) < 1e-3 * box_.diagonal().norm())
          points.insert(point);
      }
      begin = end;
    }
    return points.size();
  }

  void write_places() {
    section("places");
    const double low = box_.min().z(), high = box_.max().z(), within = 1e-3 * box_.diagonal().norm();
    text_ += fmt::format(
        "places:\n  feet: {{part: [{}], plane: {{z: {:.6g} {}}}, within: {:.2g} {}}}  # CHECK: the {} "
        "lowest points are likely the feet\n",
        names_, low, unit_, within, unit_, points_at(low));
    text_ += fmt::format("  top: {{part: [{}], plane: {{z: {:.6g} {}}}, within: {:.2g} {}}}  # the {} highest points\n",
                         names_, high, unit_, within, unit_, points_at(high));
    for (const GridArray& array : grid_.point_arrays) {
      const std::vector<std::string> groups = groups_of(array);
      if (groups.size() < 2) continue;
      for (const std::string& group : groups) {
        if (group == "0" || group.empty()) continue;
        text_ += fmt::format("  # {}: {{part: [{}], set: {{{}: {}}}}}\n", name_from(array.name + "-" + group), names_,
                             in_quotes(array.name), in_quotes(group));
      }
    }
    text_ += "\n";
  }

  const Grid& grid_;
  std::string file_;
  const char* unit_ = "mm";
  std::string names_, text_;
  const SectionComment& comment_;
  Eigen::AlignedBox3d box_;
  Found all_;
};

}  // namespace

std::string starter_plan(const Grid& grid, const std::string& file, const SectionComment& comment) {
  return Starter(grid, file, comment).write();
}

std::string starter_plan(const SectionComment& comment) {
  std::string text =
      "# A first plan: a plate on four feet. Then: avrenk check THIS, avrenk run THIS. Any word here: avrenk explain "
      "WORD.\n# From a mesh of yours: avrenk new --mesh FILE.vtu\n\ntitle: A plate on four feet\n\n";
  const std::pair<const char*, const char*> sections[] = {
      {"materials", "materials:\n  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, yield: 430 MPa}\n"},
      {"parts",
       "parts:\n  deck: {plate: {size: [300 mm, 200 mm], element: 20 mm}, thickness: 4 mm, material: alloy, position: "
       "[0 "
       "mm, 0 mm, 40 mm]}\n  foot: {line: {from: [140 mm, 90 mm, 0 mm], to: [140 mm, 90 mm, 38 mm], divisions: 2}, "
       "section: {rod: {diameter: 12 mm}}, material: alloy, copies: {mirror: [x, y]}}\n"},
      {"places",
       "places:\n  feet: {part: foot, plane: {z: 0 mm}}\n  foot-tops: {part: foot, plane: {z: 38 mm}}\n  middle: "
       "{part: "
       "deck, nearest: [0 mm, 0 mm, 40 mm]}\n"},
      {"base", "base:\n  fixture: {place: feet, holds: all}\n"},
      {"joints", "joints:\n  screws: {attach: {place: foot-tops, to: deck, within: 1 mm}}\n"},
      {"damping", "damping: {otherwise: 1.5 %}\n"},
      {"watch",
       "watch:\n  middle: {at: middle, quantities: [acceleration, relative displacement]}\n  metal: {part: [deck, "
       "foot], "
       "quantities: [von Mises]}\n"},
      {"profiles", "profiles:\n  sweep: {sine: {acceleration: [[5 Hz, 1 g], [2000 Hz, 1 g]]}}\n"},
      {"environments", "environments:\n  sine: {profile: sweep, at: fixture, axes: [x, y, z]}\n"},
      {"limits", "limits:\n  stress: {of: metal.von Mises, in: sine, take: peak, allowable: yield}\n"}};
  for (const auto& [name, lines] : sections) text += commented(comment(name)) + lines + "\n";
  return text;
}

}  // namespace avrenk
