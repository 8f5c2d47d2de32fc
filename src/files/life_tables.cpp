#include "files/life_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace avrenk {
namespace {

std::string exposure_in_words(const Exposure& exposure, const Show& show) {
  const auto time = [](double seconds) {
    return seconds < 600 ? fmt::format("{:g} s", seconds) : fmt::format("{:g} min", seconds / 60);
  };
  if (exposure.dwell_at > 0)
    return fmt::format("{} at {}", time(exposure.seconds),
                       value_text(exposure.dwell_at, show.unit(kind::frequency), 4));
  if (exposure.sweeps > 0) return fmt::format("{:g} sweep{}", exposure.sweeps, exposure.sweeps == 1 ? "" : "s");
  return time(exposure.seconds);
}

std::string_view counting_name(const Life& life) {
  return counting_names[static_cast<std::size_t>(life.request->counting)];
}

Table life_table(const std::vector<Life>& lives, const Show& show) {
  const bool has_mean =
      std::any_of(lives.begin(), lives.end(), [](const Life& life) { return !life.request->with.empty(); });
  Table table{"life",
              "Life: damage of one time through, times it is borne, growth of amplitudes until it is borne once",
              {{"life", ""},
               {"of", ""},
               {"damage", "", 3},
               {"times borne", "", 3},
               {"growth", "", 3},
               {"S-N line of", ""},
               {"mean", "", 4, has_mean},
               {"unit", "", 4, has_mean},
               {"for it", "", 4, false},
               {"survival", "%", 4, false},
               {"counting", "", 4, false},
               {"factors", "", 4, false},
               {"where", "", 4, false}},
              {}};
  for (const Life& life : lives) {
    const FatigueLine& line = life.subject->line;
    const DisplayUnit unit = show.unit(*line.kind);
    table.rows.push_back({life.request->name, life.subject->of, life.counted_damage(), life.times(),
                          life.factor_on_stress(), line.name, unit.from_si(life.mean), unit.text, life.mean_factor,
                          100 * line.survival, std::string(counting_name(life)), life.request->factors, life.where});
  }
  return table;
}

Table life_part_table(const std::vector<Life>& lives, const Show& show) {
  Table table{"life.parts",
              "What each case spends: largest amplitude of a sine, RMS of a random one, at the worst place of all",
              {{"of", ""},
               {"in", ""},
               {"for", ""},
               {"amplitude", "", 4},
               {"unit", ""},
               {"cycles", "", 3},
               {"α₂", "", 3, false},
               {"narrow", "", 3},
               {"Dirlik", "", 3},
               {"T.-B.", "", 3},
               {"life", "", 4, false}},
              {}};
  for (const Life& life : lives) {
    const DisplayUnit unit = show.unit(*life.subject->line.kind);
    for (const LifePart& part : life.parts)
      table.rows.push_back({life.subject->of, part.excitation->name(), exposure_in_words(*part.exposure, show),
                            unit.from_si(part.amplitude), unit.text, part.cycles,
                            part.excitation->is_random() ? part.irregularity : std::nan(""), part.damage[0],
                            part.damage[1], part.damage[2], life.request->name});
  }
  return table;
}

Table swept_resonance_table(const std::vector<Life>& lives, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  constexpr double least = 1e-3;  // of all damage
  Table table{"life.resonances",
              "Where sweeps spend it: cycles at the amplitude of the peak that do what the whole resonance does",
              {{"of", ""},
               {"in", ""},
               {"at", frequency.text, 5},
               {"amplitude", "", 4},
               {"unit", ""},
               {"cycles", "", 4},
               {"borne", "", 4},
               {"damage", "", 3},
               {"life", "", 4, false}},
              {}};
  for (const Life& life : lives) {
    const DisplayUnit unit = show.unit(*life.subject->line.kind);
    for (const LifePart& part : life.parts)
      for (const SweptResonance& swept_resonance : part.resonances) {
        if (swept_resonance.damage < least * life.counted_damage()) continue;
        table.rows.push_back({life.subject->of, part.excitation->name(), frequency.from_si(swept_resonance.frequency),
                              unit.from_si(swept_resonance.amplitude), unit.text, swept_resonance.cycles,
                              swept_resonance.borne, swept_resonance.damage, life.request->name});
      }
  }
  return table;
}

}  // namespace

std::vector<Table> life_tables(const std::vector<Life>& lives, const Show& show) {
  if (lives.empty()) return {};
  std::vector<Table> tables{life_table(lives, show), life_part_table(lives, show)};
  if (Table resonances = swept_resonance_table(lives, show); !resonances.rows.empty())
    tables.push_back(std::move(resonances));
  return tables;
}

std::vector<GridArray> damage_arrays(const StressStations& stations, const Life& life) {
  std::vector<GridArray> arrays;
  for (int level = 0; level < 3; ++level) {
    GridArray array{fmt::format("{}: damage by {}, {}", life.request->name, life.subject->of,
                                shell_levels[static_cast<std::size_t>(level)]),
                    1,
                    {}};
    for (std::size_t s = 0; s < stations.size(); ++s)
      array.values.push_back(life.field(stations.all()[s].shell ? level : 0, static_cast<Eigen::Index>(s)));
    arrays.push_back(std::move(array));
  }
  return arrays;
}

std::string counting_in_words(const std::vector<Life>& lives) {
  std::set<std::string_view> names;
  for (const Life& life : lives) names.insert(counting_name(life));
  return fmt::format(
      "Cycles of random stress are counted by {}; beside it narrow band, which is never low, Dirlik and "
      "Tovo-Benasciutti (T.-B.). Of von Mises stress and magnitudes an amplitude is the largest of a cycle, and a "
      "random one has the PSD of the sum of squares. Sweeps are taken as slow: a fast one does less.",
      fmt::join(names, ", "));
}

}  // namespace avrenk
