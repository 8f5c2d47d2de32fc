#include "results/test_sheets.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/excitation/vibrator.h"
#include "files/level_tables.h"
#include "version.h"

namespace avrenk {
namespace {

class SheetWriter {
 public:
  SheetWriter(const Analysis& analysis, const CaseResults& outcome, const std::string& date)
      : analysis_(analysis),
        plan_(analysis.plan()),
        sheets_(*plan_.test_sheets),
        outcome_(outcome),
        excitation_(*outcome.excitation),
        environment_(outcome.environment()),
        show_(plan_.show),
        frequency_(show_.unit(kind::frequency)),
        random_(outcome.random() != nullptr),
        axis_(axis_names[static_cast<std::size_t>(*excitation_.axis)]) {
    for (const Profile& each : plan_.profiles)
      if (each.name == environment_.profile) profile_ = &each;
    for (const NotchedInput& each : analysis.responses->notched)
      if (each.applied == outcome.excitation) notched_ = &each;
    sheet_.name = outcome.name();
    sheet_.page.kind = "Test sheet";
    sheet_.page.headline = "Case";
    sheet_.page.title = fmt::format("{}: {}", plan_.title.empty() ? "Test sheet" : plan_.title, outcome.name());
    sheet_.page.document = plan_.document;
    sheet_.page.program_version = avrenk_version;
    sheet_.page.date = date;
    sheet_.page.mark = outcome.name() + ":";
    sheet_.page.verdict = excitation_.heading();
  }

  TestSheet write() {
    add_input();
    add_accelerometers();
    add_vibrator();
    add_low_level();
    return std::move(sheet_);
  }

 private:
  Report& page() { return sheet_.page; }
  ReportSection& add(const char* id, const char* title) {
    page().sections.push_back({std::string("s-") + id, title});
    return page().sections.back();
  }
  [[nodiscard]] std::string in(const Kind& kind, double value, int digits = 4) const {
    return value_text(value, show_.unit(kind), digits);
  }

  // Factors on the level.
  [[nodiscard]] std::pair<double, double> tolerance() const {
    return profile_ ? std::pair(profile_->lower, profile_->upper) : std::pair(1.0, 1.0);
  }
  [[nodiscard]] const LogLogTable& applied() const {
    return random_ ? excitation_.spectrum.levels().front() : notched_ ? notched_->table : environment_.input;
  }

  // Breakpoints with their tolerance, how long it lasts.
  void add_input() {
    ReportSection& section = add("input", "Input");
    const DisplayUnit plain = show_.unit(*excitation_.kind), unit = random_ ? psd_unit(plain) : plain;
    const LogLogTable& full = notched_ ? notched_->full() : applied();
    const double lower = tolerance().first, upper = tolerance().second;
    const auto add_table = [&](const LogLogTable& lines, const std::string& name, const std::string& title) {
      Table table = level_points(name, lines, random_, *excitation_.kind, show_);
      table.title = title;
      table.columns.push_back({"lower tolerance", unit.text});
      table.columns.push_back({"upper tolerance", unit.text});
      for (std::vector<Cell>& row : table.rows) {
        const double level = std::get<double>(row[1]);
        row.emplace_back(lower * level);
        row.emplace_back(upper * level);
      }
      section.tables.push_back(std::move(table));
    };
    add_table(full, "input",
              notched_ ? "Specified, straight lines on log-log paper" : "Straight lines on log-log paper");
    if (notched_) {
      std::string limits;
      for (const Notch& notch : notched_->notches)
        limits += fmt::format("{}{:.1f} dB at {} for {}", limits.empty() ? "" : "; ", notch.depth,
                              value_text(notch.at, frequency_, 4), notch.limits.front()->name);
      page().summary.push_back(
          fmt::format("The input is notched: {}. Apply the second table (levels/{}.csv).", limits, outcome_.name()));
      add_table(notched_->table, "applied", "To be applied");
    }
    const double from = full.from(), to = full.to();
    if (random_) {
      page().summary.push_back(fmt::format(
          "{} RMS{}{}.", in(*excitation_.kind, std::sqrt(applied().area())),
          notched_ ? fmt::format(" applied, {} specified", in(*excitation_.kind, std::sqrt(full.area()))) : "",
          environment_.duration ? fmt::format(", for {:g} s", *environment_.duration) : ""));
    } else if (environment_.sine().sweep_rate) {
      page().summary.push_back(fmt::format("Sweep at {:g} octaves a minute from {} to {}: {:.0f} s, {:.0f} cycles.",
                                           *environment_.sine().sweep_rate, value_text(from, frequency_, 4),
                                           value_text(to, frequency_, 4),
                                           60 * std::log2(to / from) / *environment_.sine().sweep_rate,
                                           sweep_cycles(from, to, *environment_.sine().sweep_rate)));
    }
  }

  // What each direction of each accelerometer reads, and at what to stop.
  void add_accelerometers() {
    const DisplayUnit unit = show_.unit(kind::acceleration);
    const auto [lower, upper] = tolerance();
    const double low = sheets_.low_level ? std::pow(10, *sheets_.low_level / 20) : std::nan("");
    Table table{"accelerometers." + outcome_.name(),
                random_ ? "RMS that each accelerometer will read" : "Peak that each accelerometer will read, 0 to peak",
                {{"accelerometer", ""},
                 {"along", ""},
                 {"predicted", unit.text},
                 {"at", frequency_.text, 5, !random_},
                 {"input low", unit.text},
                 {"input high", unit.text},
                 {"cross-axis", "%", 3, true, 1},
                 {"stop at", unit.text},
                 {"for", ""},
                 {"low level", unit.text, 3, sheets_.low_level.has_value()}},
                {}};
    for (const std::string& name : sheets_.accelerometers) {
      double level = std::nan("");
      for (const char* const along : {"x", "y", "z"})
        if (const auto found = value_of(name + "." + along); found && axis_ == along) level = found->first;
      for (const char* const along : {"x", "y", "z"}) {
        const auto found = value_of(name + "." + along);
        if (!found) continue;
        const auto [value, at] = *found;
        const auto [stop, why] = stop_at(name + "." + along, name, value);
        table.rows.push_back({name.substr(0, name.find('.')), std::string(along), unit.from_si(value),
                              frequency_.from_si(at), unit.from_si(lower * value), unit.from_si(upper * value),
                              axis_ == along ? std::nan("") : 100 * value / level, unit.from_si(stop), why,
                              unit.from_si(low * value)});
      }
    }
    ReportSection& section = add("accelerometers", "Accelerometers");
    section.paragraphs.push_back(
        fmt::format("Predicted at the level applied and at the edges of its tolerance. Stop where a reading passes "
                    "what is predicted "
                    "by {:.1f} dB, or a limit.",
                    20 * std::log10(sheets_.abort)));
    section.tables.push_back(std::move(table));
  }

  // Peak or RMS, and Hz of a peak.
  [[nodiscard]] std::optional<std::pair<double, double>> value_of(const std::string& name) const {
    const Output* const found = find_output(analysis_.watched(), name);
    if (!found) return std::nullopt;
    const auto index = static_cast<std::size_t>(found - analysis_.watched().data());
    if (random_) return std::pair(outcome_.random()->rows[index].rms, std::nan(""));
    const SinePeak& peak = outcome_.sine()->rows[index].peak;
    return std::pair(peak.value, peak.frequency);
  }

  // The lowest of what is predicted times the abort, and of limits on this reading: of a random one in RMS.
  [[nodiscard]] std::pair<double, std::string> stop_at(const std::string& component, const std::string& magnitude,
                                                       double predicted) const {
    std::pair<double, std::string> stop{sheets_.abort * predicted, "prediction"};
    for (const Limit& limit : plan_.limits) {
      if (!covers(limit, excitation_)) continue;
      const ResponseLimit& response = *limit.response();
      if ((response.of != component && response.of != magnitude) || response.allowed_psd) continue;
      const Take& take = random_ ? response.take_random : response.take;
      double allowed = limit.allowable / limit.factor;
      if (random_ && take.form == Take::Form::sigma) allowed /= take.sigma;
      if (random_ && take.form != Take::Form::sigma && take.form != Take::Form::rms) continue;
      if (allowed < stop.first)
        stop = {allowed, fmt::format("limit {}{}", limit.name, allowed < predicted ? ", below the prediction" : "")};
    }
    return stop;
  }

  void add_vibrator() {
    const auto load = analysis_.responses->base_loads.find(outcome_.name());
    if (load == analysis_.responses->base_loads.end()) return;
    const Vibrator vibrator = plan_.vibrator.value_or(Vibrator{});
    Table table{"vibrator." + outcome_.name(),
                fmt::format("What the vibrator has to give, {} of table and fixture moving with the model{}",
                            in(kind::mass, vibrator.moving_mass), random_ ? "; RMS, velocity 3σ, stroke 6σ" : ""),
                {{"asks for", ""},
                 {"value", ""},
                 {"at", frequency_.text, 5, !random_},
                 {"limit", ""},
                 {"margin", "%", 3, true, 1}},
                {}};
    const auto row = [&](const char* what, const Kind& kind, double value, double at,
                         const std::optional<double>& limit) {
      table.rows.push_back({std::string(what), in(kind, value), at > 0 ? frequency_.from_si(at) : std::nan(""),
                            limit ? in(kind, *limit) : std::string("–"),
                            limit ? 100 * (*limit / value - 1) : std::nan("")});
    };
    row("force", kind::force, load->second.force, load->second.force_at,
        random_ ? vibrator.random_force : vibrator.force);
    row("overturning moment", kind::moment, load->second.moment, load->second.moment_at, vibrator.moment);
    for (const Demand& demand : demands_of(applied(), random_, vibrator)) {
      if (demand.of == Demand::Of::velocity) row("velocity", kind::velocity, demand.value, demand.at, demand.limit);
      if (demand.of == Demand::Of::stroke) row("stroke", kind::length, demand.value, demand.at, demand.limit);
    }
    ReportSection& section = add("vibrator", "Vibrator");
    section.paragraphs.push_back(
        "The force is that on the vibrating model and on what moves with its base together, the moment is about the "
        "base's "
        "point; velocity and stroke are those of the input.");
    section.tables.push_back(std::move(table));
  }

  // Modes that the input drives, and by how much they may have moved afterwards.
  void add_low_level() {
    constexpr double least_mass = 0.03;
    const ModalBasis& basis = analysis_.basis();
    Table table{"low-level." + outcome_.name(),
                sheets_.low_level ? "Resonances in a low-level run, and where they may be after the test"
                                  : "Resonances along the axis",
                {{"mode", "", 3, true, 0},
                 {"frequency", frequency_.text, 5},
                 {"effective mass", "%", 3, true, 1},
                 {"Q", "", 3},
                 {"from", frequency_.text, 5, sheets_.low_level.has_value()},
                 {"to", frequency_.text, 5, sheets_.low_level.has_value()}},
                {}};
    for (int r = 0; r < basis.modes; ++r) {
      const double f = basis.frequency(r), part = basis.effective_mass(r, *excitation_.axis) /
                                                  basis.rigid_mass(*excitation_.axis, *excitation_.axis);
      if (part < least_mass || f < excitation_.grid.from || f > excitation_.grid.to) continue;
      table.rows.push_back({static_cast<double>(r + 1), frequency_.from_si(f), 100 * part,
                            analysis_.damping().amplification(r),
                            frequency_.from_si(f * (1 - sheets_.frequency_change)),
                            frequency_.from_si(f * (1 + sheets_.frequency_change))});
    }
    if (table.rows.empty() && !sheets_.low_level) return;
    ReportSection& section = add("low-level", "Before and after");
    if (sheets_.low_level)
      section.paragraphs.push_back(
          fmt::format("Run the same input {:g} dB lower before and after. The test has failed where a resonance moves "
                      "by more than {:g} % "
                      "in frequency or {:g} % in amplitude.",
                      -*sheets_.low_level, 100 * sheets_.frequency_change, 100 * sheets_.amplitude_change));
    if (!table.rows.empty()) section.tables.push_back(std::move(table));
  }

  const Analysis& analysis_;
  const Plan& plan_;
  const TestSheets& sheets_;
  const CaseResults& outcome_;
  const Excitation& excitation_;
  const Environment& environment_;
  const Show& show_;
  DisplayUnit frequency_;
  bool random_;
  std::string_view axis_;
  const Profile* profile_ = nullptr;
  const NotchedInput* notched_ = nullptr;
  TestSheet sheet_;
};

}  // namespace

std::vector<TestSheet> test_sheets_of(const Analysis& analysis, const std::string& date) {
  std::vector<TestSheet> test_sheets;
  if (!analysis.plan().test_sheets) return test_sheets;
  for (const CaseResults& outcome : analysis.outcomes()) {
    const Excitation& excitation = *outcome.excitation;
    if (outcome.is_combined() || outcome.at_rest() || !excitation.axis || *excitation.axis > 2 ||
        !excitation.environment->superposed_on.empty() || !excitation.environment->load_cases.empty() ||
        is_replaced(excitation, analysis.outcomes()))
      continue;
    if (excitation.is_random() && excitation.spectrum.sources() > 1) continue;
    test_sheets.push_back(SheetWriter(analysis, outcome, date).write());
  }
  return test_sheets;
}

}  // namespace avrenk
