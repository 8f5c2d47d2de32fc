#include "files/result_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace avrenk {
namespace {

// rpm; none without a shaft.
double speed_of(const Excitation& excitation, double frequency) {
  return excitation.order > 0 ? 60 * frequency / excitation.order : std::nan("");
}

std::string input_or_mode(int mode) { return mode == -1 ? "base" : mode < 0 ? "load" : std::to_string(mode + 1); }

std::string share_text(const std::vector<std::pair<int, double>>& shares) {  // "3 81 %, 5 12 %"
  std::string text;
  for (std::size_t i = 0; i < std::min<std::size_t>(shares.size(), 3); ++i) {
    const auto& [mode, part] = shares[i];
    if (i > 0 && std::abs(part) < 0.02) continue;
    text += fmt::format("{}{} {:.0f} %", i ? ", " : "", input_or_mode(mode), 100 * part);
  }
  return text;
}

// The root of a sum of squares has no frequency of its own.
std::string peak_text(const CaseResults& outcome, const SinePeak& peak, const DisplayUnit& unit,
                      const DisplayUnit& frequency) {
  std::string value = format_number(unit.from_si(peak.value), 4);
  if (outcome.is_root_sum()) return value;
  return fmt::format("{} @ {}", value, value_text(peak.frequency, frequency, 4));
}

// What a title says of ratios that are upside down, if there are any.
std::string of_reciprocals(const std::vector<Output>& watched) {
  const auto found =
      std::find_if(watched.begin(), watched.end(), [](const Output& each) { return each.quantity->is_reciprocal; });
  return found == watched.end() ? "" : fmt::format("; of {} the smallest", found->quantity->keyword);
}

bool by_mode(const CaseResults& outcome) {
  const auto& asked = outcome.excitation->asked;
  return std::any_of(asked.begin(), asked.end(), [](const AskedFrequency& each) { return each.mode > 0; });
}
std::string mode_cell(const AskedFrequency& asked) { return asked.mode > 0 ? fmt::format("{}", asked.mode) : ""; }

}  // namespace

Table peak_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{outcome.name() + ".peaks",
              fmt::format("{}: largest over frequency and phase, 0 to peak{}", outcome.name(), of_reciprocals(watched)),
              {{"watched", ""},
               {"peak", ""},
               {"unit", ""},
               {"at", frequency.text, 5},
               {"speed", "rpm", 5},
               {"phase", "°", 3, true, 1},
               {"where", ""},
               {"quantity", "", 4, false}},
              {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!outcome.has(watched[i])) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const SineRow& row = outcome.sine()->rows[i];
    const bool one_phase = !outcome.is_root_sum();
    if (!real[i]) {
      table.rows.push_back({watched[i].name, watched[i].quantity->is_reciprocal ? std::nan("") : 0.0, unit.text,
                            std::nan(""), std::nan(""), std::nan(""), std::string(),
                            std::string(watched[i].quantity->description)});
      continue;
    }
    table.rows.push_back({watched[i].name, unit.from_si(row.peak.value), unit.text,
                          one_phase ? frequency.from_si(row.peak.frequency) : std::nan(""),
                          one_phase ? speed_of(*outcome.excitation, row.peak.frequency) : std::nan(""),
                          one_phase ? degrees * row.peak.phase : std::nan(""),
                          row.where + (row.peak.at_end ? " (end of the band)" : ""),
                          std::string(watched[i].quantity->description)});
  }
  return outcome.excitation->order > 0 ? table : without_column(std::move(table), "speed");
}

Table sine_reason_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{outcome.name() + ".reasons",
              fmt::format("{}: why; × static: over the static answer; Q: of the half-power points; S, swept: the sweep",
                          outcome.name()),
              {{"watched", ""},
               {"× static", "", 3},
               {"half power from", frequency.text, 5, false},
               {"half power to", frequency.text, 5, false},
               {"Q", "", 3},
               {"S", "", 2},
               {"swept", "", 4},
               {"unit", ""},
               {"swept at", frequency.text, 5, false},
               {"coupled", "%", 2, true, 1},
               {"modes, share", ""}},
              {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!real[i]) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const SineRow& row = outcome.sine()->rows[i];
    const auto number = [](bool known, double value) { return known ? value : std::nan(""); };
    const bool half = row.half_power.has_value(), swept = row.swept.has_value();
    table.rows.push_back({watched[i].name, row.amplification,
                          number(half, half ? frequency.from_si(row.half_power->from) : 0),
                          number(half, half ? frequency.from_si(row.half_power->to) : 0),
                          number(half, half ? row.half_power->quality : 0), row.sweep_parameter,
                          number(swept, swept ? unit.from_si(row.swept->value) : 0), unit.text,
                          number(swept, swept ? frequency.from_si(row.swept->frequency) : 0), 100 * row.coupling,
                          share_text(row.shares)});
  }
  return table;
}

std::string random_inputs_in_words(const Excitation& excitation, const Show& show) {
  std::string text;
  for (std::size_t k = 0; k < excitation.names.size(); ++k) {
    const std::string value =
        value_text(std::sqrt(excitation.spectrum.levels()[k].area()), show.unit(*excitation.kinds[k]), 4);
    text += fmt::format("{}{}{}", text.empty() ? "" : ", ",
                        excitation.names.size() > 1 ? excitation.names[k] + " " : "", value);
  }
  return text;
}

Table rms_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  Table table{
      outcome.name() + ".rms",
      fmt::format("{}: RMS; 99.73 %: stays below so long; the drawn curve's integral over RMS − 1; modes' shares",
                  outcome.name()),
      {{"watched", ""},
       {"RMS=1σ", "", 3},
       {"2σ", "", 3, false},
       {"3σ", "", 3},
       {"68.27 %", "", 3, false},
       {"95.45 %", "", 3, false},
       {"99.73 %", "", 3},
       {"unit", ""},
       {"curve", "%", 2, true, 2},
       {"modes that make it", ""},
       {"where", "", 4, false},
       {"quantity", "", 4, false},
       {"distribution", "", 4, false}},
      {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const RandomRow& row = outcome.random()->rows[i];
    if (!outcome.has(watched[i])) continue;
    const double rms = real[i] ? unit.from_si(row.rms) : 0;
    const auto within = [&](std::size_t k) { return real[i] ? unit.from_si(row.within[k]) : 0; };
    table.rows.push_back({watched[i].name, rms, 2 * rms, 3 * rms, within(0), within(1), within(2), unit.text,
                          real[i] ? 100 * (row.curve_rms / row.rms - 1) : 0.0,
                          real[i] ? share_text(row.shares) : std::string(), real[i] ? row.where : std::string(),
                          std::string(watched[i].quantity->description),
                          std::string(watched[i].is_gaussian() ? "Gaussian" : "not Gaussian")});
  }
  return table;
}

Table random_reason_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{outcome.name() + ".reasons",
              fmt::format("{}: ν₀ up-crossings, ν_p maxima; {}dominating bands", outcome.name(),
                          outcome.environment().duration
                              ? fmt::format("largest in {:g} s, its 95 % quantile; ", *outcome.environment().duration)
                              : ""),
              {{"watched", ""},
               {"ν₀", "1/s", 4},
               {"ν_p", "1/s", 4},
               {"largest", "", 4},
               {"5 %", "", 4, false},
               {"95 %", "", 4},
               {"unit", ""},
               {"largest over RMS", "", 3, false},
               {"m0", "unit²", 4, false},
               {"m1", "unit² Hz", 4, false},
               {"m2", "unit² Hz²", 4, false},
               {"m4", "unit² Hz⁴", 4, false},
               {"coupled", "%", 2, true, 1},
               {"dominating, share", frequency.text}},
              {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!real[i]) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const RandomRow& row = outcome.random()->rows[i];
    std::string bands;
    for (std::size_t k = 0; k < std::min<std::size_t>(row.bands.size(), 3); ++k)
      if (row.bands[k].share > 0.02)
        bands += fmt::format("{}{} {:.0f} %", bands.empty() ? "" : ", ",
                             format_number(frequency.from_si(row.bands[k].frequency), 4), 100 * row.bands[k].share);
    const auto moment = [&](double m) { return unit.from_si(unit.from_si(m)); };
    table.rows.push_back({watched[i].name, row.moments.zero_crossings(), row.moments.maxima(),
                          unit.from_si(row.largest), unit.from_si(row.largest_low), unit.from_si(row.largest_high),
                          unit.text, row.largest / row.rms, moment(row.moments.m0), moment(row.moments.m1),
                          moment(row.moments.m2), moment(row.moments.m4), 100 * row.coupling, bands});
  }
  return table;
}

Table input_table(const CaseResults& outcome, const std::vector<Output>& watched) {
  constexpr std::size_t most_shown = 5;  // the others are in the file
  const std::vector<std::string>& names = outcome.excitation->names;
  Table table{outcome.name() + ".inputs",
              fmt::format("{}: parts of the variance that each input makes", outcome.name()),
              {{"watched", ""}},
              {}};
  for (std::size_t k = 0; k < names.size(); ++k) table.columns.push_back({names[k], "%", 3, k < most_shown, 1});
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const std::vector<double>& parts = outcome.random()->rows[i].inputs;
    if (!real[i] || parts.empty()) continue;
    std::vector<Cell> row{watched[i].name};
    for (const double part : parts) row.emplace_back(100 * part);
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table band_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  constexpr std::size_t most_shown = 5;  // the others are in the file
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{outcome.name() + ".bands",
              fmt::format("{}: RMS over bands ({})", outcome.name(), frequency.text),
              {{"watched", ""}, {"unit", ""}},
              {}};
  for (const auto& [from, to] : outcome.environment().random().bands)
    table.columns.push_back({fmt::format("{:.5g} to {:.5g}", frequency.from_si(from), frequency.from_si(to)), "", 4,
                             table.columns.size() < most_shown + 2});
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const std::vector<double>& bands = outcome.random()->rows[i].in_bands;
    if (!real[i] || bands.empty()) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    std::vector<Cell> row{watched[i].name, unit.text};
    for (const double rms : bands) row.emplace_back(unit.from_si(rms));
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table on_random_table(const OnRandom& both, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const bool tones = both.acting->is_sine();
  Table table{both.acting->name() + ".on",
              fmt::format("{} on {}: both at once, where they make most", both.acting->name(), both.random->name()),
              {{"watched", ""},
               {"unit", ""},
               {"random", "RMS"},
               {tones ? "tone" : "band", tones ? "peak" : "RMS"},
               {"at", frequency.text, 5},
               {"together", "RMS"},
               {"68.27 %", "", 4, false},
               {"95.45 %", "", 4, false},
               {"99.73 %", "below"},
               {"largest", "50 %"},
               {"largest ", "95 %"},
               {"cycles", "", 6, false}},
              {}};
  std::map<const Kind*, double> largest;
  for (std::size_t i = 0; i < watched.size(); ++i)
    if (double& own = largest[watched[i].quantity->kind]; both.rows[i].rms > own) own = both.rows[i].rms;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const OnRandomRow& row = both.rows[i];
    if (watched[i].quantity->per_input() || !(row.rms > rounding_of_answers * largest[watched[i].quantity->kind]))
      continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    table.rows.push_back({watched[i].name, unit.text, unit.from_si(row.random), unit.from_si(row.acting),
                          frequency.from_si(row.frequency), unit.from_si(row.rms), unit.from_si(row.within[0]),
                          unit.from_si(row.within[1]), unit.from_si(row.within[2]), unit.from_si(row.largest),
                          unit.from_si(row.largest_high), row.cycles});
  }
  return table;
}

Table pair_table(const CaseResults& outcome, const std::vector<Output>& watched) {
  Table table{outcome.name() + ".pairs",
              fmt::format("{}: pairs of modes that make most of each variance", outcome.name()),
              {{"watched", ""}, {"mode", ""}, {"with", ""}, {"share", "%", 3, true, 1}},
              {}};
  for (std::size_t i = 0; i < watched.size(); ++i)
    for (const ModePair& pair : outcome.random()->rows[i].pairs)
      table.rows.push_back({watched[i].name, input_or_mode(pair.first),
                            pair.first == pair.second ? "itself" : input_or_mode(pair.second), 100 * pair.share});
  return table;
}

Table cross_table(const CrossSpectrum& spectrum, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), first = show.unit(*spectrum.kinds[0]),
                    second = show.unit(*spectrum.kinds[1]);
  const DisplayUnit product = spectrum.kinds[0] == spectrum.kinds[1]
                                  ? psd_unit(first)
                                  : DisplayUnit{first.text + " " + second.text + "/Hz", first.factor * second.factor};
  Table table{
      "cross." + spectrum.request->name,
      fmt::format("{}: {} to {}", spectrum.excitation->name(), spectrum.request->of[0], spectrum.request->of[1]),
      {{"frequency", frequency.text},
       {"PSD of the first", psd_unit(first).text},
       {"PSD of the second", psd_unit(second).text},
       {"cross PSD", product.text},
       {"phase of the second to the first", "°"},
       {"coherence", ""}},
      {}};
  for (std::size_t p = 0; p < spectrum.grid.size(); ++p)
    table.rows.push_back({frequency.from_si(spectrum.grid[p]), psd_unit(first).from_si(spectrum.psd[0][p]),
                          psd_unit(second).from_si(spectrum.psd[1][p]), product.from_si(std::abs(spectrum.cross[p])),
                          degrees * std::arg(spectrum.cross[p]), spectrum.coherence(p)});
  return table;
}

Table static_answer_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  Table table{outcome.name() + ".static",
              fmt::format("{}: static answer, motions relative to the base", outcome.name()),
              {{"watched", ""}, {"value", ""}, {"unit", ""}, {"where", ""}},
              {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const StaticRow& row = outcome.at_rest()->rows[i];
    if (real[i]) table.rows.push_back({watched[i].name, unit.from_si(row.with_sign), unit.text, row.where});
  }
  return table;
}

Table overview_table(const std::vector<const CaseResults*>& axes, const std::vector<Output>& watched,
                     const Show& show) {
  const Environment& environment = axes.front()->environment();
  const bool sine = environment.is_sine();
  Table table{environment.name + ".overview",
              fmt::format("{}, {}: {}", environment.name, environment.level,
                          sine ? (environment.by_speed() ? "peaks, 0 to peak, at the speed of the shaft"
                                                         : "peaks, 0 to peak, at their frequency") +
                                     of_reciprocals(watched)
                               : "RMS (3σ is three times that)"),
              {{"watched", ""}, {"unit", ""}},
              {}};
  for (const CaseResults* outcome : axes) table.columns.push_back({outcome->name(), ""});
  const std::vector<std::vector<bool>> real = real_answers(axes, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!watched[i].is_headline()) continue;
    if (std::none_of(axes.begin(), axes.end(), [&](const CaseResults* outcome) { return outcome->has(watched[i]); }))
      continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    std::vector<Cell> row{watched[i].name, unit.text};
    for (std::size_t k = 0; k < axes.size(); ++k) {
      const CaseResults* const outcome = axes[k];
      const double order = outcome->excitation->order;
      const DisplayUnit at = order > 0 ? DisplayUnit{"rpm", order / 60} : show.unit(kind::frequency);
      if (!real[k][i]) {
        if (sine)
          row.emplace_back(std::string(watched[i].quantity->is_reciprocal ? "" : "0"));
        else
          row.emplace_back(0.0);
      } else if (sine) {
        row.emplace_back(peak_text(*outcome, outcome->sine()->rows[i].peak, unit, at));
      } else {
        row.emplace_back(unit.from_si(outcome->random()->rows[i].rms));
      }
    }
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table curve_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const bool sine = outcome.sine() != nullptr;
  Table table{outcome.name() + ".curves", "", {{"frequency", frequency.text}}, {}};
  const Excitation& excitation = *outcome.excitation;
  const DisplayUnit input = sine ? show.unit(*excitation.kind) : psd_unit(show.unit(*excitation.kind));
  const bool by_speed = excitation.order > 0;
  if (by_speed) table.columns.push_back({"speed", "rpm"});
  table.columns.push_back({sine ? "input amplitude" : "input PSD", input.text});
  std::vector<std::function<double(std::size_t)>> values;  // of each column, at a point of the grid
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const Output& output = watched[i];
    if (!outcome.has(output)) continue;
    const DisplayUnit display_unit = show.unit(*output.quantity->kind),
                      unit = sine ? display_unit : psd_unit(display_unit);
    const auto add = [&](const std::string& name, const DisplayUnit& in, std::function<double(std::size_t)> value) {
      table.columns.push_back({name, in.text});
      values.push_back([in, value = std::move(value)](std::size_t k) { return in.from_si(value(k)); });
    };
    // Where the curve follows several places its own stands beside that of the worst.
    const bool several = outcome.leaders(i).size() > 1;
    const auto& [where, of_place] = sine
                                        ? std::tie(outcome.sine()->rows[i].where, outcome.sine()->rows[i].of_place)
                                        : std::tie(outcome.random()->rows[i].where, outcome.random()->rows[i].of_place);
    const std::string name = several ? fmt::format("{} at {}", output.name, where) : output.name;
    if (several) add(output.name, unit, [&curve = of_place](std::size_t k) { return curve[k]; });
    if (!sine) {
      add(name, unit, [&psd = outcome.random()->rows[i].psd](std::size_t k) { return psd[k]; });
      continue;
    }
    const auto at = [&curve = outcome.sine()->rows[i].curve](std::size_t k) {
      return curve.col(static_cast<Eigen::Index>(k));
    };
    add(name, unit, [at](std::size_t k) { return largest_over_phase(at(k)); });
    if (output.count == 1)
      add(name + " phase", {"°", 1 / degrees}, [at](std::size_t k) { return phase_of_largest(at(k)); });
  }
  table.rows.reserve(outcome.grid().size());
  for (std::size_t k = 0; k < outcome.grid().size(); ++k) {
    std::vector<Cell>& row = table.rows.emplace_back();
    row.reserve(table.columns.size());
    row.emplace_back(frequency.from_si(outcome.grid()[k]));
    if (by_speed) row.emplace_back(speed_of(excitation, outcome.grid()[k]));
    row.emplace_back(input.from_si(excitation.reference(outcome.grid()[k])));
    for (const auto& value : values) row.emplace_back(value(k));
  }
  return table;
}

Table asked_table(const CaseResults& outcome, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const bool sine = outcome.sine() != nullptr;
  Table table{outcome.name() + ".asked",
              fmt::format("{}: {} at the frequencies asked for", outcome.name(),
                          sine ? "amplitude and phase, at the place of the peak," : "PSD, at the place of the RMS,"),
              {{"at", frequency.text, 5},
               {"mode", ""},
               {"watched", ""},
               {sine ? "amplitude" : "PSD", ""},
               {"unit", ""},
               {"phase", "°", 3, sine, 1},
               {"where", ""}},
              {}};
  const std::vector<bool> real = real_answers(outcome, watched);
  for (const AskedFrequency& asked : outcome.excitation->asked) {
    const auto point = static_cast<std::size_t>(
        std::lower_bound(outcome.grid().begin(), outcome.grid().end(), asked.frequency * (1 - 1e-9)) -
        outcome.grid().begin());
    if (point == outcome.grid().size() || outcome.grid()[point] > asked.frequency * (1 + 1e-9)) continue;
    for (std::size_t i = 0; i < watched.size(); ++i) {
      if (!watched[i].is_headline() || !outcome.has(watched[i])) continue;
      const DisplayUnit display_unit = show.unit(*watched[i].quantity->kind),
                        unit = sine ? display_unit : psd_unit(display_unit);
      double value = 0, phase = std::nan("");
      if (real[i] && sine) {
        const Eigen::VectorXcd amplitude = outcome.sine()->rows[i].curve.col(static_cast<Eigen::Index>(point));
        value = unit.from_si(largest_over_phase(amplitude));
        phase = degrees * phase_of_largest(amplitude);
      } else if (real[i]) {
        value = unit.from_si(outcome.random()->rows[i].psd[point]);
      }
      table.rows.push_back({frequency.from_si(asked.frequency), mode_cell(asked), watched[i].name, value, unit.text,
                            phase,
                            !real[i] ? std::string()
                            : sine   ? outcome.sine()->rows[i].where
                                     : outcome.random()->rows[i].where});
    }
  }
  return by_mode(outcome) ? table : without_column(std::move(table), "mode");
}

Table whole_table(const CaseResults& outcome, const std::vector<OperatingDeflectionShape>& shapes,
                  const StressFound& stress, const Assembly& assembly, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), length = show.unit(kind::length),
                    pressure = show.unit(kind::stress);
  Table table{outcome.name() + ".whole",
              fmt::format("{}: the whole model at the frequencies asked for, the largest of the cycle", outcome.name()),
              {{"at", frequency.text, 5},
               {"mode", ""},
               {"motion", length.text},
               {"of", ""},
               {"von Mises", pressure.text},
               {"in", ""}},
              {}};
  for (const OperatingDeflectionShape& shape : shapes) {
    if (shape.outcome != outcome.name() || !shape.excitation->held) continue;
    double largest = std::nan("");
    std::string where;
    for (const StressField& field : stress.fields) {
      if (field.name() != shape.excitation->name() || field.quantity != StressQuantity::von_mises ||
          field.worst.empty())
        continue;
      const WorstStress& worst = field.worst.front();
      const StressStation& station = stress.stations->all()[static_cast<std::size_t>(worst.place.station)];
      largest = pressure.from_si(worst.value);
      where = assembly.describe_node(station.node, assembly.parts[static_cast<std::size_t>(station.part)].name);
    }
    if (const BeamStressField* const beams = stress.beams_of(shape.excitation->name())) {
      const WorstBeamStress& worst = beams->worst.front();
      if (!(pressure.from_si(worst.value) <= largest)) {
        const BeamElement& beam = assembly.beams[static_cast<std::size_t>(worst.beam)];
        largest = pressure.from_si(worst.value);
        where = assembly.describe_node(beam.nodes[static_cast<std::size_t>(worst.end)],
                                       assembly.parts[static_cast<std::size_t>(beam.part)].name);
      }
    }
    table.rows.push_back({frequency.from_si(shape.frequency), mode_cell(*shape.excitation->held),
                          length.from_si(shape.largest), assembly.describe_node(shape.node), largest, where});
  }
  if (stress.fields.empty() && stress.beams.empty())
    table = without_column(without_column(std::move(table), "von Mises"), "in");
  return by_mode(outcome) ? table : without_column(std::move(table), "mode");
}

}  // namespace avrenk
