#include "plan/standard_materials.h"

#include <algorithm>

#include "core/words.h"

namespace avrenk {
namespace {

constexpr double gpa = 1e9, mpa = 1e6, per_million = 1e-6;
// The handbook's table says the same (docs/plan.md).
constexpr StandardMaterial all_materials[] = {
    {"EN AW-2024-T3", 73.1 * gpa, 0.33, 2780, 345 * mpa, 483 * mpa, 23.2 * per_million},
    {"EN AW-5083-H111", 70.3 * gpa, 0.33, 2660, 145 * mpa, 290 * mpa, 23.8 * per_million},
    {"EN AW-5754-H22", 70.3 * gpa, 0.33, 2670, 185 * mpa, 245 * mpa, 23.8 * per_million},
    {"EN AW-6061-T6", 68.9 * gpa, 0.33, 2700, 276 * mpa, 310 * mpa, 23.6 * per_million},
    {"EN AW-6082-T6", 70 * gpa, 0.33, 2700, 260 * mpa, 310 * mpa, 23.4 * per_million},
    {"EN AW-7075-T6", 71.7 * gpa, 0.33, 2810, 503 * mpa, 572 * mpa, 23.5 * per_million},
    {"EN AW-7075-T7351", 71.7 * gpa, 0.33, 2810, 435 * mpa, 505 * mpa, 23.5 * per_million},
    {"EN AC-42100-T6", 72 * gpa, 0.33, 2680, 210 * mpa, 290 * mpa, 21.5 * per_million},
    {"S235JR", 210 * gpa, 0.3, 7850, 235 * mpa, 360 * mpa, 12 * per_million},
    {"S355J2", 210 * gpa, 0.3, 7850, 355 * mpa, 490 * mpa, 12 * per_million},
    {"42CrMo4+QT", 210 * gpa, 0.3, 7850, 750 * mpa, 1000 * mpa, 12 * per_million},
    {"1.4301", 200 * gpa, 0.3, 7900, 210 * mpa, 520 * mpa, 16 * per_million},
    {"1.4404", 200 * gpa, 0.3, 8000, 220 * mpa, 520 * mpa, 16 * per_million},
    {"1.4542-P1070", 200 * gpa, 0.3, 7800, 1000 * mpa, 1070 * mpa, 10.9 * per_million},
    {"ISO 898-1 8.8", 205 * gpa, 0.3, 7850, 640 * mpa, 800 * mpa, 12 * per_million},
    {"ISO 898-1 10.9", 205 * gpa, 0.3, 7850, 940 * mpa, 1040 * mpa, 12 * per_million},
    {"ISO 898-1 12.9", 205 * gpa, 0.3, 7850, 1100 * mpa, 1220 * mpa, 12 * per_million},
    {"ISO 3506-1 A2-70", 200 * gpa, 0.3, 7900, 450 * mpa, 700 * mpa, 16 * per_million},
    {"ISO 3506-1 A4-80", 200 * gpa, 0.3, 8000, 600 * mpa, 800 * mpa, 16 * per_million},
    {"Ti grade 2", 103 * gpa, 0.37, 4510, 275 * mpa, 345 * mpa, 8.6 * per_million},
    {"Ti-6Al-4V", 114 * gpa, 0.34, 4430, 828 * mpa, 895 * mpa, 8.6 * per_million},
    {"AZ31B-H24", 45 * gpa, 0.35, 1770, 220 * mpa, 290 * mpa, 26 * per_million},
    {"AZ91D", 45 * gpa, 0.35, 1810, 150 * mpa, 230 * mpa, 26 * per_million},
    {"CF-EP quasi-isotropic", 50 * gpa, 0.31, 1580, 0, 0, 0},
    {"GF-EP quasi-isotropic", 19 * gpa, 0.3, 1900, 0, 0, 0},
};

std::string bare(std::string_view text) {
  std::string letters = in_small_letters(std::string(text));
  std::erase_if(letters, [](char c) { return c == ' ' || c == '-'; });
  return letters;
}

}  // namespace

std::span<const StandardMaterial> standard_materials() { return all_materials; }

const StandardMaterial* standard_material(std::string_view designation) {
  const std::string wanted = bare(designation);
  const auto* const found = std::find_if(std::begin(all_materials), std::end(all_materials),
                                         [&](const auto& each) { return bare(each.designation) == wanted; });
  return found == std::end(all_materials) ? nullptr : found;
}

std::vector<std::string> standard_designations() {
  std::vector<std::string> names;
  for (const StandardMaterial& each : all_materials) names.emplace_back(each.designation);
  return names;
}

}  // namespace avrenk
