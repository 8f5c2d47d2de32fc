// compare: runs and measured curves side by side: what changed in the plan, margins, modes by shape, curves, peaks.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/comparison.h"
#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/error.h"
#include "core/parallel.h"
#include "figures/curves_chart.h"
#include "figures/report.h"
#include "files/file_name.h"
#include "files/mode_tables.h"
#include "files/modes_file.h"
#include "files/text_file.h"
#include "results/comparison_tables.h"
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
  void show(Table table, const std::string& suffix, bool on_terminal = true) {
    if (table.rows.empty()) return;
    table.name += suffix;
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
    show(limit_change_table(comparison_, first, second), suffix);
    add_modes(first, second, suffix);
  }

  void add_changes(std::size_t first, std::size_t second, const std::string& suffix) {
    const auto keeps_plan = [&](std::size_t s) {
      return std::filesystem::exists(std::filesystem::path(comparison_.sources[s].path) / "plan/sources.json");
    };
    if (!keeps_plan(first) || !keeps_plan(second)) return;
    KeptPlan before = KeptPlan::read(comparison_.sources[first].path),
             after = KeptPlan::read(comparison_.sources[second].path);
    constexpr std::size_t widest = 32;
    const std::vector<PlanChange> changes = plan_changes(before, after);
    if (changes.empty()) paragraph("Their plans do not differ.");
    if (!changes.empty()) terminal_.table(plan_change_table(changes, widest), most_rows);
    show(plan_change_table(changes), suffix, false);
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
    show(match_table(kept1.frequency, kept2.frequency, match, show_), suffix);
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

  void add_curves() {
    if (comparison_.quantities.empty()) return;
    std::vector<std::string> cases;
    for (const ComparedQuantity& each : comparison_.quantities)
      if (std::find(cases.begin(), cases.end(), each.in) == cases.end()) cases.push_back(each.in);
    for (const std::string& in : cases) {
      begin(in.empty() ? "Curves" : in);
      Table table = compared_curve_table(comparison_, in);
      terminal_.table(table, most_rows);
      section().tables.push_back(std::move(table));
      for (const ComparedQuantity& quantity : comparison_.quantities) {
        if (quantity.in != in || !is_shown(comparison_, quantity)) continue;
        Table peaks = compared_peak_table(quantity);
        if (peaks.rows.empty()) continue;
        if (comparison_.has_measured()) terminal_.table(peaks, most_rows);
        section().tables.push_back(std::move(peaks));
      }
    }
    tables_.push_back(compared_curve_table(comparison_));
    Table peaks = compared_peak_table(comparison_);
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
      if (!is_shown(comparison_, quantity)) continue;
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
      PlottedCurve& plotted_curve = drawn.emplace_back(
          PlottedCurve{label(curve.source), quantity.unit, quantity.is_psd, curve.curve.grid, curve.curve.magnitude});
      for (double& value : plotted_curve.value) value /= quantity.factor;
      for (const auto& value : curve.curve.response) plotted_curve.phase.push_back(degrees * std::arg(value));
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
