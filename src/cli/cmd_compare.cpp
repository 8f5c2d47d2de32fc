// compare: runs and measured curves side by side: what changed in the plan, margins, modes by shape, curves, peaks.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/comparison.h"
#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/error.h"
#include "core/parallel.h"
#include "core/words.h"
#include "figures/curves_chart.h"
#include "figures/report.h"
#include "files/file_name.h"
#include "files/mode_tables.h"
#include "files/modes_file.h"
#include "files/text_file.h"
#include "results/report_of_run.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr double near = 0.02;  // of the model's diagonal: points as close as that are one
constexpr std::size_t most_rows = 40;

std::filesystem::path modes_of(const std::string& run) {
  const std::filesystem::path path(run);
  return std::filesystem::is_directory(path) ? path / "results.h5" : path;
}

Table assurance_table(const ShapeMatch& match) {
  Table table{"modal-assurance",
              "MAC of every mode of the first run (lines) with every mode of the second (columns)",
              {{"mode", ""}},
              {}};
  for (Eigen::Index j = 0; j < match.assurance.cols(); ++j)
    table.columns.push_back({fmt::format("{}", j + 1), "", 3, true, 3});
  for (Eigen::Index i = 0; i < match.assurance.rows(); ++i) {
    std::vector<Cell> row{fmt::format("{}", i + 1)};
    for (const double value : match.assurance.row(i)) row.emplace_back(value);
    table.rows.push_back(std::move(row));
  }
  return table;
}

// A text of at most so many columns, its middle left out.
std::string shortened(const std::string& text, std::size_t most) {
  if (display_width(text) <= most) return text;
  std::vector<std::string> letters;
  for (std::size_t i = 0; i < text.size();) {
    std::size_t end = i + 1;
    while (end < text.size() && (static_cast<unsigned char>(text[end]) & 0xC0U) == 0x80U) ++end;
    letters.push_back(text.substr(i, end - i));
    i = end;
  }
  const std::size_t head = (most - 1) / 2, tail = most - 1 - head;
  return fmt::format("{}…{}", fmt::join(letters.begin(), letters.begin() + static_cast<std::ptrdiff_t>(head), ""),
                     fmt::join(letters.end() - static_cast<std::ptrdiff_t>(tail), letters.end(), ""));
}

// All that is compared, gathered for the terminal, the folder and the page.
class Comparer {
 public:
  Comparer(const Request& request, Terminal& terminal) : request_(request), terminal_(terminal) {}

  void run() {
    terminal_.progress("reading", -1);
    comparison_ = compare_curves(request_.words, request_.out.has_value() || with_measured(), request_.threads,
                                 terminal_.reporter());
    terminal_.end_progress();
    terminal_.paragraph("Compared: " + sources_in_words() + ".");
    std::optional<std::size_t> first;
    for (std::size_t s = 0; s < comparison_.sources.size(); ++s) {
      if (!comparison_.sources[s].is_run) continue;
      if (first) compare_runs(*first, s);
      if (!first) first = s;
    }
    if (comparison_.quantities.empty() && comparison_.has_measured())
      throw InputError(Problem{"", "these have no curve in common",
                               "name columns of a measured file as the run's plan watches them: box.acceleration.z",
                               std::nullopt});
    add_curves();
    if (request_.out) write();
  }

 private:
  [[nodiscard]] bool with_measured() const {
    return std::any_of(request_.words.begin(), request_.words.end(), is_measured);
  }
  [[nodiscard]] const std::string& label(std::size_t source) const { return comparison_.sources[source].label; }

  void paragraph(const std::string& text) {
    terminal_.paragraph(text);
    section().paragraphs.push_back(text);
  }
  ReportSection& section() { return report_.sections.back(); }
  void begin(const std::string& title, bool folded = false) {
    report_.sections.push_back({fmt::format("s-{}", report_.sections.size() + 1), title});
    section().folded = folded;
  }
  // On the terminal, in the page, and as a file.
  void show(Table table, bool on_terminal = true) {
    if (table.rows.empty()) return;
    if (on_terminal) terminal_.table(table, most_rows);
    section().tables.push_back(table);
    tables_.push_back(std::move(table));
  }

  [[nodiscard]] std::string sources_in_words() const {
    std::vector<std::string> words;
    for (std::size_t s = 0; s < comparison_.sources.size(); ++s) {
      const ComparedSource& source = comparison_.sources[s];
      words.push_back(fmt::format("{} {}{}", s + 1, source.label,
                                  source.is_run       ? ""
                                  : source.in.empty() ? " (measured)"
                                                      : fmt::format(" (measured, {})", source.in)));
    }
    return fmt::format("{}", fmt::join(words, "; "));
  }

  // What the two runs were made from, their limits, and their modes.
  void compare_runs(std::size_t first, std::size_t second) {
    const std::string suffix = number_of_pairs_++ == 0 ? "" : fmt::format(".{}", second + 1);
    begin(fmt::format("{} and {}", label(first), label(second)));
    add_changes(first, second, suffix);
    add_limits(first, second, suffix);
    add_modes(first, second, suffix);
  }

  void add_changes(std::size_t first, std::size_t second, const std::string& suffix) {
    const auto keeps_plan = [&](std::size_t s) {
      return std::filesystem::exists(std::filesystem::path(comparison_.sources[s].path) / "plan/sources.json");
    };
    if (!keeps_plan(first) || !keeps_plan(second)) return;
    KeptPlan before = KeptPlan::read(comparison_.sources[first].path),
             after = KeptPlan::read(comparison_.sources[second].path);
    Table table{"plan-changes" + suffix,
                "What differs between their plans",
                {{"value", ""}, {"first", ""}, {"second", ""}},
                {}};
    constexpr std::size_t widest = 30;
    Table shown = table;
    for (const PlanChange& change : plan_changes(before, after)) {
      const auto side = [](const std::string& text) { return text.empty() ? "–" : text; };
      table.rows.push_back({change.path, side(change.first), side(change.second)});
      shown.rows.push_back(
          {shortened(change.path, 36), shortened(side(change.first), widest), shortened(side(change.second), widest)});
    }
    if (table.rows.empty()) paragraph("Their plans do not differ.");
    if (!table.rows.empty()) terminal_.table(shown, most_rows);
    show(std::move(table), false);
  }

  void add_limits(std::size_t first, std::size_t second, const std::string& suffix) {
    Table table{"limits-compared" + suffix,
                "Margins of both, and what changed them: ratios in dB, second to first",
                {{"limit", ""},
                 {"first", "%", 3, true, 1},
                 {"second", "%", 3, true, 1},
                 {"allowable", "dB", 3, true, 2},
                 {"factor", "dB", 3, true, 2},
                 {"input", "dB", 3, true, 2},
                 {"response", "dB", 3, true, 2},
                 {"peak moved", "%", 3, true, 2},
                 {"of", ""}},
                {}};
    for (const LimitChange& each : limit_changes(comparison_, first, second))
      table.rows.push_back({each.name, each.first, each.second, each.allowable, each.factor, each.input, each.structure,
                            each.shift, each.of});
    show(std::move(table));
  }

  void add_modes(std::size_t first, std::size_t second, const std::string& suffix) {
    begin(fmt::format("Modes of {} and {}", label(first), label(second)), true);
    const auto first_file = modes_of(comparison_.sources[first].path),
               second_file = modes_of(comparison_.sources[second].path);
    const KeptShapes kept1 = read_shapes(first_file), kept2 = read_shapes(second_file);
    const SampledModes& modes = kept1.modes;
    const double diagonal =
        modes.points.cols() > 0 ? (modes.points.rowwise().maxCoeff() - modes.points.rowwise().minCoeff()).norm() : 0;
    const ShapeMatch match = match_shapes(modes, kept2.modes, near * diagonal);
    Table table = match_table(kept1.frequency, kept2.frequency, match, show_);
    table.name += suffix;
    show(std::move(table));
    paragraph(fmt::format(
        "MAC: modal assurance over the motions of nodes, weighted by their mass and inertia; pairs need {:.2g}. "
        "{}Points that both have carry {:.3g} % of the first run's mass; the farthest two taken as one lie {} apart.",
        least_assurance, kept1.print == kept2.print ? "Both runs are of the same model. " : "", 100 * match.points_used,
        value_text(match.farthest, show_.unit(kind::length), 3)));
    facts_.push_back({"mass at common points" + suffix, 100 * match.points_used, "%"});
    Table assurance = assurance_table(match);
    assurance.name += suffix;
    tables_.push_back(std::move(assurance));
  }

  // A line a curve: of all cases, as a file.
  [[nodiscard]] Table curves_table() const {
    Table table{"curves-compared",
                "",
                {{"curve", ""},
                 {"in", ""},
                 {"source", ""},
                 {"highest", ""},
                 {"unit", ""},
                 {"at", "Hz"},
                 {"moved", "%"},
                 {"higher", "dB"},
                 {"over all", "dB"},
                 {"assurance", ""}},
                {}};
    for (const ComparedQuantity& quantity : comparison_.quantities)
      for (const ComparedCurve& curve : quantity.curves) {
        table.rows.push_back({quantity.name, quantity.in, label(curve.source), curve.highest / quantity.factor,
                              quantity.unit, curve.highest_at});
        add_differences(quantity, curve, table.rows.back());
      }
    return table;
  }

  // The same of one case as it is printed: two sources on one line, more on a line each.
  [[nodiscard]] Table curves_table(const std::string& in) const {
    const bool side_by_side = comparison_.sources.size() == 2;
    Table table{"", fmt::format("{}the highest of each curve", in.empty() ? "" : in + ": "), {{"curve", ""}}, {}};
    if (side_by_side)
      for (const Column& column : {Column{"first", "", 4}, {"second", "", 4}, {"unit", ""}, {"at", "Hz", 5}})
        table.columns.push_back(column);
    else
      for (const Column& column : {Column{"of", ""}, {"highest", "", 4}, {"unit", ""}, {"at", "Hz", 5}})
        table.columns.push_back(column);
    for (const Column& column : {Column{"moved", "%", 3, true, 2},
                                 {"higher", "dB", 3, true, 2},
                                 {"over all", "dB", 3, true, 2},
                                 {"assurance", "", 3, has_phases(in), 3}})
      table.columns.push_back(column);
    for (const ComparedQuantity& quantity : comparison_.quantities) {
      if (quantity.in != in || !is_shown(quantity)) continue;
      const ComparedCurve& first = quantity.curves.front();
      for (const ComparedCurve& curve : quantity.curves) {
        if (side_by_side && &curve == &first) continue;
        if (side_by_side)
          table.rows.push_back({quantity.name, first.highest / quantity.factor, curve.highest / quantity.factor,
                                quantity.unit, first.highest_at});
        else
          table.rows.push_back({&curve == &first ? quantity.name : "", fmt::format("{}", curve.source + 1),
                                curve.highest / quantity.factor, quantity.unit, curve.highest_at});
        add_differences(quantity, curve, table.rows.back());
      }
    }
    return table;
  }

  [[nodiscard]] bool has_phases(const std::string& in) const {
    return std::any_of(comparison_.quantities.begin(), comparison_.quantities.end(), [&](const ComparedQuantity& each) {
      return each.in == in && is_shown(each) && each.curves.back().alike &&
             std::isfinite(each.curves.back().alike->assurance);
    });
  }

  // Of a curve to the first.
  static void add_differences(const ComparedQuantity& quantity, const ComparedCurve& curve, std::vector<Cell>& row) {
    const ComparedCurve& first = quantity.curves.front();
    const bool is_first = &curve == &first;
    const double none = std::nan("");
    row.emplace_back(is_first ? none : 100 * (curve.highest_at / first.highest_at - 1));
    row.emplace_back(is_first ? none : ratio_in_decibels(curve.highest / first.highest, quantity.is_psd));
    row.emplace_back(curve.alike ? curve.alike->level : none);
    row.emplace_back(curve.alike ? curve.alike->assurance : none);
  }

  [[nodiscard]] static std::vector<Column> peak_columns() {
    return {{"peak", "Hz", 5},
            {"value", "", 4},
            {"unit", ""},
            {"mode", "Hz", 6},
            {"± ", "Hz", 2},
            {"damping", "%", 4},
            {"±", "%", 2},
            {"misfit", "%", 2},
            {"moved", "%", 3, true, 2},
            {"higher", "dB", 3, true, 2}};
  }

  // What a peak is, beside that of the first curve.
  void add_peak_cells(const ComparedQuantity& quantity, const ComparedCurve& curve, std::size_t p,
                      std::vector<Cell>& row) const {
    const ResponsePeak& peak = curve.peaks[p];
    const ResponsePeak* const partner =
        curve.partners[p] ? &quantity.curves.front().peaks[*curve.partners[p]] : nullptr;
    const CurveMode& mode = peak.mode;
    const double none = std::nan("");
    const bool both_fitted = partner && partner->mode.is_fitted && mode.is_fitted;
    for (const double value : {peak.frequency, peak.height / quantity.factor}) row.emplace_back(value);
    row.emplace_back(quantity.unit);
    for (const double value :
         {mode.frequency, mode.frequency_error, 100 * mode.damping, 100 * mode.damping_error, 100 * mode.misfit,
          both_fitted ? 100 * (mode.frequency / partner->mode.frequency - 1)
          : partner   ? 100 * (peak.frequency / partner->frequency - 1)
                      : none,
          partner ? ratio_in_decibels(peak.height / partner->height, quantity.is_psd) : none})
      row.emplace_back(value);
  }

  // The peaks of one quantity: those of the first with their partners, then those that have none.
  [[nodiscard]] Table peak_table(const ComparedQuantity& quantity) const {
    Table table{"",
                fmt::format("{}{}: peaks{}", quantity.name, in_words(quantity), per_input_words(quantity)),
                {{"of", ""}},
                {}};
    for (const Column& column : peak_columns()) table.columns.push_back(column);
    const auto add = [&](const ComparedCurve& curve, std::size_t p) {
      std::vector<Cell> row{fmt::format("{}", curve.source + 1)};
      add_peak_cells(quantity, curve, p, row);
      table.rows.push_back(std::move(row));
    };
    const ComparedCurve& first = quantity.curves.front();
    for (std::size_t p = 0; p < first.peaks.size(); ++p) {
      add(first, p);
      for (const ComparedCurve& other : quantity.curves)
        for (std::size_t q = 0; &other != &first && q < other.peaks.size(); ++q)
          if (other.partners[q] == p) add(other, q);
    }
    for (const ComparedCurve& other : quantity.curves)
      for (std::size_t q = 0; &other != &first && q < other.peaks.size(); ++q)
        if (!other.partners[q]) add(other, q);
    return table;
  }

  static std::string in_words(const ComparedQuantity& quantity) {
    return quantity.in.empty() ? "" : " in " + quantity.in;
  }
  static std::string per_input_words(const ComparedQuantity& quantity) {
    return quantity.per_input ? ", over the input" : "";
  }

  // Curves that are printed and drawn: with measured ones all; of runs alone those that are no component.
  [[nodiscard]] bool is_shown(const ComparedQuantity& quantity) const {
    return comparison_.has_measured() || !quantity.is_component;
  }

  void add_curves() {
    if (comparison_.quantities.empty()) return;
    std::vector<std::string> cases;
    for (const ComparedQuantity& each : comparison_.quantities)
      if (std::find(cases.begin(), cases.end(), each.in) == cases.end()) cases.push_back(each.in);
    for (const std::string& in : cases) {
      begin(in.empty() ? "Curves" : in);
      Table table = curves_table(in);
      terminal_.table(table, most_rows);
      section().tables.push_back(std::move(table));
      for (const ComparedQuantity& quantity : comparison_.quantities) {
        if (quantity.in != in || !is_shown(quantity)) continue;
        Table peaks = peak_table(quantity);
        if (peaks.rows.empty()) continue;
        if (comparison_.has_measured()) terminal_.table(peaks, most_rows);
        section().tables.push_back(std::move(peaks));
      }
    }
    Table peaks{"peaks-compared", "", {{"curve", ""}, {"in", ""}, {"source", ""}}, {}};
    for (const Column& column : peak_columns()) peaks.columns.push_back(column);
    for (const ComparedQuantity& quantity : comparison_.quantities) {
      for (const ComparedCurve& curve : quantity.curves)
        for (std::size_t p = 0; p < curve.peaks.size(); ++p) {
          std::vector<Cell> row{quantity.name, quantity.in, label(curve.source)};
          add_peak_cells(quantity, curve, p, row);
          peaks.rows.push_back(std::move(row));
        }
    }
    tables_.push_back(curves_table());
    if (!peaks.rows.empty()) tables_.push_back(std::move(peaks));
    terminal_.paragraph(curve_words);
    report_.summary.emplace_back(curve_words);
  }

  static constexpr const char* curve_words =
      "moved: shift of frequency; higher: the peak against that of the first; over all: RMS over the band that both "
      "have; assurance: of the frequency responses, 1 where they differ by a factor alone. Mode and damping with their "
      "standard errors by one fit to each curve; misfit: what it leaves of the curve around the peak.";

  void write() {
    RunFolder folder(*request_.out);
    Summary summary{avrenk_version, "compare", fmt::format("{}", fmt::join(request_.words, " ")), "", "", {}, {},
                    facts_,         tables_};
    write_summary(summary, folder);
    if (request_.figures) draw(folder);
    report_.title = fmt::format("{} beside one another", fmt::join(labels(), ", "));
    report_.program_version = avrenk_version;
    report_.date = now_in_words();
    report_.mark = "Compared:";
    report_.verdict = sources_in_words() + ".";
    folder.write("report.html", to_html(report_));
    folder.commit();
    terminal_.print(fmt::format("Report:  {}\nResults: {}\n", (folder.target() / "report.html").string(),
                                folder.target().string()));
  }

  [[nodiscard]] std::vector<std::string> labels() const {
    std::vector<std::string> all;
    for (const ComparedSource& each : comparison_.sources) all.push_back(each.label);
    return all;
  }

  void draw(const RunFolder& folder) {
    std::vector<const ComparedQuantity*> shown;
    std::vector<std::string> names;
    for (const ComparedQuantity& quantity : comparison_.quantities) {
      if (!is_shown(quantity)) continue;
      Chart chart = chart_of(quantity);
      if (chart.panels.empty()) continue;  // zero at all frequencies
      shown.push_back(&quantity);
      charts_.push_back(std::move(chart));
      names.push_back(
          fmt::format("figures/compared.{}{}", quantity.in.empty() ? "" : quantity.in + ".", quantity.name));
    }
    constexpr std::size_t batch = 8;  // in one process of gnuplot
    run_jobs((shown.size() + batch - 1) / batch, request_.threads, [&](std::size_t b) {
      std::vector<ChartFiles> files;
      for (std::size_t i = b * batch; i < std::min((b + 1) * batch, shown.size()); ++i)
        files.push_back({&charts_[i], folder.path(names[i])});
      draw_charts(files);
    });
    for (std::size_t i = 0; i < shown.size(); ++i) {
      const std::string title = shown[i]->in.empty() ? "Curves" : shown[i]->in;
      const auto own = std::find_if(report_.sections.begin(), report_.sections.end(),
                                    [&](const ReportSection& each) { return each.title == title; });
      const std::string file = path_in_results(names[i]) + ".svg";
      own->figures.push_back({file, charts_[i].title, charts_[i].title,
                              read_text_file(folder.path(names[i]).string() + ".svg"), &charts_[i]});
    }
  }

  [[nodiscard]] Chart chart_of(const ComparedQuantity& quantity) const {
    std::vector<PlottedCurve> drawn;
    for (const ComparedCurve& curve : quantity.curves) {
      PlottedCurve& own = drawn.emplace_back(
          PlottedCurve{label(curve.source), quantity.unit, quantity.is_psd, curve.curve.grid, curve.curve.magnitude});
      for (double& value : own.value) value /= quantity.factor;
      for (const auto& value : curve.curve.response) own.phase.push_back(degrees * std::arg(value));
    }
    return curves_chart(fmt::format("{}{}{}", quantity.name, in_words(quantity), per_input_words(quantity)),
                        fmt::format("{}", fmt::join(labels(), ", ")), drawn, "Hz");
  }

  const Request& request_;
  Terminal& terminal_;
  Show show_;
  Comparison comparison_;
  Report report_;
  std::vector<Table> tables_;
  std::vector<Fact> facts_;
  std::vector<Chart> charts_;
  int number_of_pairs_ = 0;
};

}  // namespace

ExitStatus compare(const Request& request, Terminal& terminal) {
  if (request.words.size() < 2)
    throw InputError(Problem{"", "compare takes two or more folders of results or measured curves",
                             "write avrenk compare deck-results thicker-results, or deck-results tip.csv",
                             std::nullopt});
  Comparer(request, terminal).run();
  return ExitStatus::done;
}

}  // namespace avrenk
