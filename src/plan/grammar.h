/// plan/grammar.h: the sections of a plan in the order in which they build on one another: one table for their readers,
/// for `include`, for overrides and for what the schema must name.
#pragma once

#include <algorithm>
#include <array>
#include <string>
#include <string_view>
#include <vector>

namespace avrenk {

struct PlanSection {
  std::string_view name;
  bool is_map_of_names = false;  ///< of the user's; files that are included may add names
  bool is_map_of_keys = false;   ///< of ours, each of which stands by itself: files that are included may add keys
  bool is_required = false;      ///< unless the model is free
  bool names_are_files = false;  ///< results of its names lie in files of theirs
  [[nodiscard]] constexpr bool is_merged() const { return is_map_of_names || is_map_of_keys; }
};

inline constexpr std::array plan_sections{
    PlanSection{.name = "title"},
    PlanSection{.name = "document", .is_map_of_names = true},
    PlanSection{.name = "include"},
    PlanSection{.name = "values", .is_map_of_names = true},
    PlanSection{.name = "show", .is_map_of_keys = true},
    PlanSection{.name = "materials", .is_map_of_names = true},
    PlanSection{.name = "fatigue lines", .is_map_of_names = true},
    PlanSection{.name = "parts", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "places", .is_map_of_names = true},
    PlanSection{.name = "masses", .is_map_of_names = true},
    PlanSection{.name = "base", .is_required = true},
    PlanSection{.name = "joints", .is_map_of_names = true},
    PlanSection{.name = "loads", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "modes"},
    PlanSection{.name = "damping"},
    PlanSection{.name = "watch", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "profiles", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "levels", .is_map_of_names = true},
    PlanSection{.name = "environments", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "factors", .is_map_of_names = true},
    PlanSection{.name = "scatter"},
    PlanSection{.name = "life", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "limits", .is_map_of_names = true},
    PlanSection{.name = "equipment levels", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "vibrator"},
    PlanSection{.name = "test sheets"},
    PlanSection{.name = "histories", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "cross spectra", .is_map_of_names = true, .names_are_files = true},
    PlanSection{.name = "figures", .is_map_of_names = true, .names_are_files = true}};

/// The section of a name; nullptr if there is none.
[[nodiscard]] constexpr const PlanSection* find_plan_section(std::string_view name) {
  const auto* const found = std::find_if(plan_sections.begin(), plan_sections.end(),
                                         [&](const PlanSection& each) { return each.name == name; });
  return found == plan_sections.end() ? nullptr : found;
}

[[nodiscard]] inline std::vector<std::string> plan_section_names() {
  std::vector<std::string> names;
  names.reserve(plan_sections.size());
  for (const PlanSection& each : plan_sections) names.emplace_back(each.name);
  return names;
}

}  // namespace avrenk
