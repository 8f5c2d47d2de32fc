#include "results/report_of_run.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

#include "analysis/spring_summaries.h"
#include "core/model/spring_law.h"
#include "files/history_files.h"
#include "files/level_tables.h"
#include "files/life_tables.h"
#include "files/result_tables.h"
#include "files/stress_results.h"
#include "files/text_file.h"
#include "results/turning_views.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr int most_chief_modes = 15;  // rows of the mode table that are not folded

// Letters, digits and hyphens.
std::string id_of(const std::string& name) {
  std::string id = "s-";
  for (const char c : name) id += std::isalnum(static_cast<unsigned char>(c)) ? c : '-';
  return id;
}

class Writer {
 public:
  Writer(const Analysis& analysis, const RunTables& tables, const std::vector<Drawing>& drawings,
         const RunFolder& folder, const ReportContext& context)
      : analysis_(analysis),
        tables_(tables),
        drawings_(drawings),
        folder_(folder),
        context_(context),
        show_(analysis.plan().show) {}

  Report write() {
    report_.document = analysis_.plan().document;
    report_.title = analysis_.plan().title.empty() ? std::filesystem::path(analysis_.plan().file).stem().string()
                                                   : analysis_.plan().title;
    report_.verdict = context_.verdict;
    report_.program_version = avrenk_version;
    report_.date = context_.date;
    report_.outcome = analysis_.assessment.limits.empty() ? Report::Judgement::open
                      : analysis_.assessment.all_met()    ? Report::Judgement::met
                                                          : Report::Judgement::exceeded;
    report_.warnings = analysis_.report.warnings;
    if (!context_.trouble.empty()) report_.warnings.push_back(context_.trouble);
    summarise();
    for (std::vector<std::string>* lines : {&report_.summary, &report_.warnings})
      for (std::string& line : *lines) line = kept_together(std::move(line));
    add_limits();
    add_notches();
    add_model();
    add_modes();
    add_inputs();
    for (const Environment& environment : analysis_.modal().environments) add_environment(environment);
    add_stress();
    add_clearances();
    add_lives();
    add_equipment();
    add_figures();
    add_histories();
    add_method();
    add_reproduction();
    return std::move(report_);
  }

 private:
  [[nodiscard]] std::string in(const Kind& kind, double value, int digits = 4) const {
    const DisplayUnit unit = show_.unit(kind);
    return fmt::format("{}\u00a0{}", format_number(unit.from_si(value), digits), unit.text);
  }

  // A number and its % sign are not parted at the end of a line.
  static std::string kept_together(std::string text) {
    for (std::size_t at = text.find(" %"); at != std::string::npos; at = text.find(" %", at + 1))
      text.replace(at, 1, "\u00a0");
    return text;
  }

  ReportSection& add(const std::string& id, const std::string& title, int level = 2) {
    report_.sections.push_back({id_of(id), title, level});
    return report_.sections.back();
  }

  static void put(ReportSection& section, const std::optional<Table>& table) {
    if (table) section.tables.push_back(*table);
  }
  static void put(ReportSection& section, const std::vector<Table>& tables) {
    section.tables.insert(section.tables.end(), tables.begin(), tables.end());
  }

  // Figures of a section whose names begin so.
  void put_figures(ReportSection& section, const std::string& group, const std::string& begins = "") {
    for (const Drawing& drawing : drawings_)
      if (drawing.section == group && drawing.in_report && drawing.name.starts_with(begins))
        section.figures.push_back({drawing.file(), drawing.caption, drawing.in_words,
                                   read_text_file(folder_.path(drawing.file()).string()),
                                   drawing.chart ? &*drawing.chart : nullptr});
  }

  void summarise() {
    const ModalBasis& basis = analysis_.basis();
    std::vector<std::string>& text = report_.summary;
    text.push_back(fmt::format("The model weighs {} and has {} equations.", in(kind::mass, basis.rigid_mass(0, 0)),
                               analysis_.system().free));
    std::string weightiest;
    for (int d = 0; d < 3 && basis.modes > 0; ++d) {
      int best = 0;
      for (int r = 1; r < basis.modes; ++r)
        if (basis.effective_mass(r, d) > basis.effective_mass(best, d)) best = r;
      weightiest += fmt::format("{}along {} mode {} at {} with {:.0f} %", d ? ", " : "", "xyz"[d], best + 1,
                                in(kind::frequency, basis.frequency(best)),
                                100 * basis.effective_mass(best, d) / basis.rigid_mass(d, d));
    }
    if (basis.modes > 0)
      text.push_back(fmt::format(
          "{} modes below {}, none missing by the pivot count, from {} on. The most of the mass "
          "moves {}.",
          basis.modes, in(kind::frequency, basis.proven_below), in(kind::frequency, basis.frequency(0)), weightiest));
    if (analysis_.at_rest().preload)
      text.push_back(
          fmt::format("Modes and responses are small motions about the state under {}{}.", analysis_.plan().modes_about,
                      std::isfinite(analysis_.at_rest().preload->load_factor)
                          ? fmt::format(", at {:.4g} times which it buckles: {}",
                                        analysis_.at_rest().preload->load_factor, analysis_.at_rest().preload->buckles)
                          : ""));
    for (const CaseResults& outcome : analysis_.outcomes()) {
      const int strongest = strongest_peak(outcome, analysis_.watched()),
                fastest = largest_acceleration(outcome, analysis_.watched());
      if (strongest < 0) continue;
      const auto peak_of = [&](int which) {
        const auto i = static_cast<std::size_t>(which);
        const SinePeak& peak = outcome.sine()->rows[i].peak;
        return fmt::format("{} of {} at {}", in(*analysis_.watched()[i].quantity->kind, peak.value),
                           analysis_.watched()[i].name, in(kind::frequency, peak.frequency));
      };
      const SineRow& row = outcome.sine()->rows[static_cast<std::size_t>(strongest)];
      std::string peaks = fmt::format("{}: the first peak is {}", outcome.name(), peak_of(strongest));
      if (std::isfinite(row.amplification))
        peaks = fmt::format("{}: the peak that rises most above its static answer, {} times, is {}", outcome.name(),
                            format_number(row.amplification, 3), peak_of(strongest));
      if (!row.shares.empty() && row.shares[0].first >= 0)
        peaks += fmt::format("; mode {} makes {:.0f} % of it", row.shares[0].first + 1, 100 * row.shares[0].second);
      if (fastest >= 0 && fastest != strongest) peaks += "; the largest acceleration is " + peak_of(fastest);
      text.push_back(peaks + ".");
    }
    std::size_t said = 0;
    for (const LimitResult& result : analysis_.assessment.limits) {
      if (result.met || ++said > 3) continue;
      text.push_back(
          fmt::format("Limit {} is exceeded: {} reaches {}, with its factors {}, where {} is allowed: margin "
                      "{:+.1f} %{}.",
                      result.limit->name, result.what, in(*result.kind, result.value),
                      in(*result.kind, result.value * result.limit->factor), in(*result.kind, result.allowable),
                      100 * result.margin, result.where.empty() ? std::string() : ", at " + result.where));
    }
  }

  void add_limits() {
    if (analysis_.assessment.limits.empty()) return;
    ReportSection& section = add("limits", "Limits and margins");
    section.leading = true;
    put_figures(section, "margins");
    for (const auto* table : {&tables_.compliance, &tables_.limits, &tables_.variants}) put(section, *table);
  }

  void add_notches() {
    if (analysis_.responses->notched.empty()) return;
    ReportSection& section = add("notches", "Notches");
    section.paragraphs.push_back(
        "Where a response would pass a limit that asks for it, the input is lowered, and nowhere else. What is applied "
        "are few straight lines below the highest input that keeps all such limits; limits are judged under it.");
    put_figures(section, "notches");
    put(section, tables_.notches);
  }

  void add_model() {
    ReportSection& section = add("model", "Model");
    put_figures(section, "model");
    if (!section.figures.empty()) {
      section.turning = turning_model_for_page(analysis_);
      if (!section.turning.empty()) section.node_curves = node_curves_for_page(analysis_);
      section.paragraphs.push_back(
          section.turning.empty()
              ? "The model is too large to be turned in this page: fields/model.glb holds it for other viewers."
              : "Where scripts and WebGL work, the model below turns, plays and reads out; fields/model.glb holds it "
                "for "
                "other viewers.");
    }
    section.tables.push_back(tables_.mass);
    put(section, tables_.gravity);
    section.paragraphs.insert(section.paragraphs.end(), analysis_.report.notes.begin(), analysis_.report.notes.end());
  }

  void add_modes() {
    const ModalBasis& basis = analysis_.basis();
    ReportSection& section = add("modes", "Modes");
    section.paragraphs.push_back(proof_in_words(analysis_));
    section.paragraphs.push_back(heading_of(analysis_) + ".");
    put_figures(section, "modes", "effective-mass");
    put_figures(section, "modes", "modes");
    if (!analysis_.modal().levels.empty()) {
      put_figures(section, "modes", "preload");
      put(section, tables_.levels);
    }
    put(section, tables_.rest);
    for (Table& table : spring_tables_of(analysis_, true)) section.tables.push_back(std::move(table));
    Table modes = tables_.modes, chief = modes;
    if (basis.modes > most_chief_modes) {
      chief.title = fmt::format("The first {} modes; effective mass as a part of the whole (Σ running sum), damping",
                                most_chief_modes);
      chief.rows.resize(most_chief_modes);
      section.tables.push_back(std::move(chief));
      ReportSection& rest = add("all-modes", "All modes", 3);
      rest.folded = true;
      rest.tables.push_back(std::move(modes));
    } else {
      section.tables.push_back(std::move(modes));
    }
    ReportSection& what = add("what-moves", "What moves in each mode", 3);
    what.folded = basis.modes > most_chief_modes;
    what.tables.push_back(tables_.shapes);
    ReportSection& energy = add("mode-energy", "Energy of the modes by part, joint and body; participation", 3);
    energy.folded = true;
    energy.tables = {tables_.strain_energy, tables_.kinetic_energy, tables_.participation};
    ReportSection& shapes = add("shapes", "Shapes of the modes that carry most", 3);
    shapes.folded = true;
    put_figures(shapes, "modes", "mode.");
    if (shapes.figures.empty()) report_.sections.pop_back();
  }

  void add_inputs() {
    if (analysis_.plan().profiles.empty()) return;
    ReportSection& section = add("inputs", "Inputs");
    put_figures(section, "profiles");
    for (const Profile& profile : analysis_.plan().profiles) {
      Table table = table_of_profile(profile, show_);
      table.title = fmt::format("Profile {}, level 0 dB{}", profile.name,
                                profile.tolerance.empty() ? "" : ", tolerance " + profile.tolerance);
      section.tables.push_back(std::move(table));
    }
  }

  void add_environment(const Environment& environment) {
    std::vector<const CaseResults*> axes;
    for (const CaseResults& outcome : analysis_.outcomes())
      if (&outcome.environment() == &environment) axes.push_back(&outcome);
    if (axes.empty() || analysis_.watched().empty()) return;
    const bool is_random = environment.is_random();
    ReportSection& section = add("environment-" + environment.name, fmt::format("Environment {}", environment.name));
    if (environment.is_static()) {
      section.paragraphs.push_back("A static load; motions are relative to the base.");
      put_figures(section, axes[0]->name());
      put(section, tables_of(*axes[0]).answers);
      return;
    }
    section.paragraphs.push_back((environment.load_cases.empty()
                                      ? fmt::format("Profile {}, {}.", environment.profile, environment.level)
                                      : fmt::format("{}.", inputs_in_words(axes))) +
                                 (is_random ? fmt::format(" Input {} RMS.", inputs_rms_in_words(axes, show_))
                                            : std::string(" Amplitudes are 0 to peak.")));
    put_figures(section, "environment-" + environment.name);
    section.tables.push_back(overview_table(axes, analysis_.watched(), show_));
    for (const CaseResults* outcome : axes) add_outcome(*outcome);
  }

  static std::string inputs_in_words(const std::vector<const CaseResults*>& cases) {
    std::string text;
    for (const CaseResults* outcome : cases)
      if (!outcome->is_combined())
        text += fmt::format("{}{}: {}", text.empty() ? "" : "; ", outcome->name(), outcome->excitation->heading());
    return text;
  }

  void add_outcome(const CaseResults& outcome) {
    ReportSection& section = add(outcome.name(), outcome.name(), 3);
    put_figures(section, outcome.name());
    const CaseTables& tables = tables_of(outcome);
    put(section, tables.further);
    put(section, tables.driven);
    put(section, tables.power);
    ReportSection& details = add(outcome.name() + "-numbers", outcome.name() + ", all numbers and reasons", 3);
    details.folded = true;
    put(details, tables.answers);
  }

  [[nodiscard]] const CaseTables& tables_of(const CaseResults& outcome) const {
    return tables_.cases[static_cast<std::size_t>(&outcome - analysis_.outcomes().data())];
  }

  void add_stress() {
    if (!tables_.stress) return;
    Table table = *tables_.stress;
    ReportSection& section = add("stress", "Stress");
    if (analysis_.responses->fields.stations)
      section.paragraphs.push_back(
          "Shells and solids: stress at the nodes, carried there from the integration points and averaged over the "
          "elements of one part that meet in one surface. Jump: what those elements differ from their mean by (none "
          "where one stands alone); the stress is not known much better than that. Every node is in "
          "tables/*.stress*.csv and fields/*.stress.vtu.");
    if (!analysis_.responses->fields.beam_stress.empty())
      section.paragraphs.push_back(
          "Beams: von Mises stress of axial force, bending, shear and torque at the ends of each beam, at that point "
          "of "
          "the section where it is largest. Every end is in tables/*.beam-stress.csv and fields/*.beam-stress.vtu.");
    section.paragraphs.push_back("Of random environments it is the RMS. Pictures stand with each environment.");
    Table chief = worst_axes(table);
    chief.title = "The worst axis of each environment";
    section.tables.push_back(std::move(chief));
    ReportSection& rest = add("stress-all", "Stress, all axes", 3);
    rest.folded = true;
    rest.tables.push_back(std::move(table));
  }

  void add_clearances() {
    if (tables_.clearances) put(add("clearances", "Clearances"), tables_.clearances);
  }

  void add_lives() {
    if (analysis_.responses->lives.empty()) return;
    ReportSection& section = add("life", "Life");
    section.paragraphs.push_back(counting_in_words(analysis_.responses->lives));
    put(section, tables_.life);
  }

  void add_equipment() {
    if (analysis_.assessment.equipment.empty()) return;
    ReportSection& section = add("equipment", "Equipment levels");
    section.paragraphs.push_back(
        "What a response becomes as a specification for what stands there: few straight lines on log-log paper that "
        "are nowhere below the largest of the cases, averaged over the bands stated, times the margin.");
    put_figures(section, "equipment");
    put(section, tables_.equipment);
    for (const EquipmentLevel& equipment_level : analysis_.assessment.equipment) {
      Table points = level_points("level." + equipment_level.request->name, equipment_level.envelope.table,
                                  equipment_level.random, *equipment_level.kind, show_);
      points.title = equipment_level.request->name;
      section.tables.push_back(std::move(points));
    }
  }

  void add_figures() {
    if (std::none_of(drawings_.begin(), drawings_.end(), [](const Drawing& each) { return each.section == "figures"; }))
      return;
    put_figures(add("figures", "Figures that the plan asks for"), "figures");
  }

  void add_histories() {
    if (analysis_.responses->histories.empty()) return;
    ReportSection& section = add("histories", "Records in time");
    for (const History& each : analysis_.responses->histories) section.paragraphs.push_back(history_in_words(each));
    put(section, tables_.histories);
  }

  void add_method() {
    ReportSection& section = add("method", "Method and accuracy");
    section.paragraphs = {
        fmt::format("Linear vibration of small amplitude about the {}. ",
                    analysis_.at_rest().preload ? "state under " + analysis_.plan().modes_about
                                                : std::string("undeformed shape")) +
            "The base moves rigidly as the environment "
            "says; "
            "responses are superposed from the modes, with residual vectors for what the modes leave out.",
        "Sine: steady state at every frequency. A peak is a root of the derivative of the largest value over one "
        "cycle, "
        "wherever the points of the curve lie.",
        "Random: stationary and Gaussian. RMS values come from the covariance of the modal coordinates, whatever the "
        "points of the curve. n sigma of a magnitude or of von Mises stress has no Gaussian probability."};
    double error = 0;
    for (const CaseResults& outcome : analysis_.outcomes())
      if (outcome.random()) error = std::max(error, outcome.random()->integration_error);
    Table table{
        "accuracy",
        "What bounds the numbers",
        {{"measure", ""}, {"value", "", 2}, {"meaning", ""}},
        {{std::string("residual of the worst mode"), analysis_.basis().largest_residual(),
          std::string("|Kφ − ω²Mφ| / |Kφ|")},
         {std::string("orthogonality"), analysis_.basis().largest_nonorthogonality(), std::string("|ΦᵀMΦ − I|")},
         {std::string("rigid motion of the base"), analysis_.basis().statics.rigid_difference,
          std::string("static motion against rigid motion, part of it")}}};
    if (error > 0)
      table.rows.push_back(
          {std::string("random integrals"), error, std::string("what a variance is off by at most, as a part of it")});
    section.tables.push_back(std::move(table));
    if (!analysis_.assessment.audit.note.empty()) section.paragraphs.push_back(analysis_.assessment.audit.note);
    if (!analysis_.assessment.audit.answers.empty()) {
      put(section, tables_.audit);
      section.paragraphs.push_back(audit_in_words(analysis_));
    }
    const auto is_any = [](const auto& list, const auto& holds) {
      return std::any_of(list.begin(), list.end(), holds);
    };
    const std::vector<Spring>& springs = analysis_.assembly().springs;
    const bool by_amplitude = depend_on_amplitude(springs);
    const bool has_contact = is_any(springs, [](const Spring& each) { return each.unilateral.has_value(); });
    section.paragraphs.push_back(fmt::format(
        "Not covered: {}{}{}and the error of the mesh: that of beam and shell theory, of the element length chosen "
        "(warned of where waves are too short for it), and of rigid joints. The jump of a stress between neighbouring "
        "elements tells its size.",
        by_amplitude ? "nonlinear stiffness or damping other than that of springs over amplitude, "
                     : "nonlinear stiffness or damping, ",
        has_contact ? "contact that opens, closes or slides while it vibrates, " : "contact, ",
        analysis_.responses->lives.empty() ? "fatigue life, " : ""));
    if (by_amplitude)
      section.paragraphs.push_back(
          "Springs that depend on amplitude: a sine is answered by the stiffness and loss factor that balance it at "
          "its "
          "own frequency, harmonics left out; a random case by those that differ least, in the mean of squares, under "
          "a "
          "Gaussian motion.");
    if (has_contact)
      section.paragraphs.push_back(
          "Contacts are settled at rest, by what acts there; what vibrates is taken through those that are closed "
          "then.");
  }

  void add_reproduction() {
    ReportSection& section = add("reproduce", "How to reproduce");
    section.paragraphs.push_back(fmt::format("Command: avrenk {} {}", context_.command, analysis_.plan().file));
    for (const std::string& each : context_.overrides)
      section.paragraphs.push_back(fmt::format("with --set \"{}\"", each));
    section.paragraphs.push_back(
        fmt::format("Avrenk {}. Fingerprint of stiffness and mass: {}. All numbers: "
                    "summary.json and tables/*.csv beside this file; shapes: fields/*.vtu.",
                    avrenk_version, analysis_.modal().print.system));
    section.folded = false;
    ReportSection& plan = add("plan", "The plan as it was read", 3);
    plan.folded = true;
    plan.listing = lines_of_file(analysis_.plan().file);
  }

  const Analysis& analysis_;
  const RunTables& tables_;
  const std::vector<Drawing>& drawings_;
  const RunFolder& folder_;
  const ReportContext& context_;
  const Show& show_;
  Report report_;
};

}  // namespace

std::vector<std::string> lines_of_file(const std::filesystem::path& file) {
  std::vector<std::string> lines;
  std::istringstream stream(read_text_file(file.string()));
  for (std::string line; std::getline(stream, line);) lines.push_back(line);
  return lines;
}

Report report_of_run(const Analysis& analysis, const RunTables& tables, const std::vector<Drawing>& drawings,
                     const RunFolder& folder, const ReportContext& context) {
  return Writer(analysis, tables, drawings, folder, context).write();
}

std::vector<std::pair<std::string, std::string>> cases_by_text(
    const std::vector<const CaseResults*>& cases, const std::function<std::string(const CaseResults&)>& text) {
  std::vector<std::pair<std::string, std::string>> all;
  for (const CaseResults* outcome : cases) {
    if (outcome->is_combined()) continue;
    const std::string words = text(*outcome);
    const auto known = std::find_if(all.begin(), all.end(), [&](const auto& each) { return each.first == words; });
    if (known == all.end())
      all.emplace_back(words, outcome->excitation->along);
    else
      known->second += ", " + outcome->excitation->along;
  }
  return all;
}

std::string inputs_rms_in_words(const std::vector<const CaseResults*>& cases, const Show& show) {
  const auto texts = cases_by_text(
      cases, [&](const CaseResults& outcome) { return random_inputs_in_words(*outcome.excitation, show); });
  std::string text;
  for (const auto& [inputs, of] : texts)
    text += fmt::format("{}{}{}", text.empty() ? "" : "; ", texts.size() > 1 ? of + ": " : "", inputs);
  return text;
}

}  // namespace avrenk
