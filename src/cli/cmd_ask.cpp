// ask: questions to a finished run.
#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "analysis/queries.h"
#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/blas_threads.h"
#include "core/error.h"
#include "core/spelling.h"
#include "core/words.h"
#include "figures/scene.h"
#include "files/motion_results.h"
#include "files/stress_results.h"
#include "files/summary.h"
#include "results/answer_drawings.h"
#include "results/drawings.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr int answers_layout = 1;  // of --json

// A folder that is exchanged for another one while it is read is another.
ino_t folder_number(const std::string& run) {
  struct stat now {};
  return stat(run.c_str(), &now) == 0 ? now.st_ino : 0;
}

// One whole run: what it kept of its plan, the questions read with it, and its modes.
struct AskedRun {
  DampedModel model;
  std::vector<Question> questions;
};
AskedRun load_run(const std::string& run, const std::vector<std::string>& texts, const Request& request) {
  StopWatch watch;
  KeptPlan kept = KeptPlan::read(run);
  const std::string digest = kept.digest();
  AskedPlan asked = read_asked_plan(kept, texts);
  LoadedPlan loaded{std::move(asked.plan)};
  loaded.report.times.push_back({"reading the plan", watch.seconds()});
  loaded.threads = request.threads;
  if (request.threads > 0) set_blas_threads(request.threads);
  DampedModel model =
      take_kept_model(std::make_shared<const LoadedPlan>(std::move(loaded)), run, digest,
                      [&](const Environment& environment) { return is_asked_of(environment, asked.questions); });
  return {std::move(model), std::move(asked.questions)};
}

// The same, read again where others exchange the folder meanwhile.
AskedRun load_whole_run(const std::string& run, const std::vector<std::string>& texts, const Request& request) {
  constexpr int most_tries = 5;
  for (int tries = 1;; ++tries) {
    const ino_t before = folder_number(run);
    try {
      AskedRun whole = load_run(run, texts, request);
      if (folder_number(run) == before || tries == most_tries) return whole;
    } catch (const FileError&) {
      if (folder_number(run) == before || tries == most_tries) throw;
    }
  }
}

// Questions, one a word; words without any space between them are one question that was not put in quotes.
std::vector<std::string> questions_of(const Request& request) {
  if (request.words.empty())
    throw InputError(Problem{"", "ask takes a folder of results and questions",
                             "write avrenk ask deck-results \"acceleration of tip in sine.x\"", std::nullopt});
  std::vector<std::string> texts(request.words.begin() + 1, request.words.end());
  const bool in_pieces = std::none_of(texts.begin(), texts.end(),
                                      [](const std::string& each) { return each.find(' ') != std::string::npos; });
  if (texts.empty())
    throw InputError(Problem{"", "no question was asked",
                             fmt::format("write avrenk ask {} \"acceleration of tip in sine.x\"", request.words[0]),
                             std::nullopt});
  if (!in_pieces) return texts;
  return {fmt::format("{}", fmt::join(texts, " "))};
}

const char* what_words(Answer::What what) {
  switch (what) {
    case Answer::What::largest:
      return "peak";
    case Answer::What::at_frequency:
      return "amplitude";
    case Answer::What::at_instant:
      return "at that phase";
    case Answer::What::rms:
      return "RMS";
    case Answer::What::within:
      return "99.73 %";
    case Answer::What::psd:
      return "PSD";
    default:
      return "steady";
  }
}

class Speaker {
 public:
  Speaker(const AskedRun& run, const Answers& answers)
      : model_(run.model), questions_(run.questions), answers_(answers), show_(model_.plan().show) {}

  [[nodiscard]] DisplayUnit unit_of(std::size_t question, bool is_psd) const {
    const Question& own = questions_[question];
    const DisplayUnit unit = own.unit.value_or(show_.unit(*own.request.quantity->kind));
    return is_psd ? psd_unit(unit) : unit;
  }

  [[nodiscard]] Table table() const {
    const DisplayUnit frequency = show_.unit(kind::frequency);
    Table table{"answers",
                questions_.size() == 1 ? questions_.front().text : fmt::format("{} questions", questions_.size()),
                {{"quantity", ""},
                 {"in", ""},
                 {"what", ""},
                 {"value", "", 5},
                 {"unit", ""},
                 {"at", frequency.text, 5},
                 {"phase", "°", 4, true, 1},
                 {"where", ""}},
                {}};
    for (const Answer& answer : answers_.values) {
      const DisplayUnit unit = unit_of(answer.question, answer.what == Answer::What::psd);
      table.rows.push_back({answer.of, answer.in, std::string(what_words(answer.what)), unit.from_si(answer.value),
                            unit.text == "1" ? "" : unit.text, frequency.from_si(answer.frequency),
                            degrees * answer.phase, answer.where});
    }
    return table;
  }

  // The same for programs.
  [[nodiscard]] std::string json(const std::string& run, const std::vector<std::string>& files) const {
    const auto number = [](double value) {
      return std::isfinite(value) ? nlohmann::ordered_json(value) : nlohmann::ordered_json(nullptr);
    };
    nlohmann::ordered_json json;
    json["program"] = "avrenk";
    json["version"] = avrenk_version;
    json["layout"] = answers_layout;
    json["run"] = run;
    json["plan"] = model_.plan().file;
    json["answers"] = nlohmann::ordered_json::array();
    const DisplayUnit frequency = show_.unit(kind::frequency);
    for (const Answer& answer : answers_.values) {
      const DisplayUnit unit = unit_of(answer.question, answer.what == Answer::What::psd);
      json["answers"].push_back({{"question", questions_[answer.question].text},
                                 {"quantity", answer.of},
                                 {"in", answer.in},
                                 {"what", what_words(answer.what)},
                                 {"value", number(unit.from_si(answer.value))},
                                 {"unit", unit.text},
                                 {"frequency", number(frequency.from_si(answer.frequency))},
                                 {"frequency unit", frequency.text},
                                 {"phase", number(degrees * answer.phase)},
                                 {"phase unit", "°"},
                                 {"where", answer.where}});
    }
    json["files"] = files;
    return json.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
  }

  // The curves of each question in a figure of their own, and each as a table.
  void write_curves(const RunFolder& folder, bool figures, std::vector<std::string>& files) const {
    for (std::size_t q = 0; q < questions_.size(); ++q) {
      if (questions_[q].form != Question::Form::curve) continue;
      for (const AnswerCurve& curve : answers_.curves)
        if (curve.question == q) {
          const Table table = table_of(curve);
          files.push_back(path_in_results("tables/" + table.name + ".csv"));
          folder.write("tables/" + table.name + ".csv", to_csv(table));
        }
      if (!figures) continue;
      const std::string base = fmt::format("figures/curve.{}", q + 1);
      const Chart chart = chart_of(q);
      if (chart.panels.empty()) continue;  // zero at all frequencies
      draw_chart(chart, folder.path(base));
      for (const char* const ending : {".svg", ".png"}) files.push_back(base + ending);
    }
  }

  void write_fields(const RunFolder& folder, bool figures, std::vector<std::string>& files) const {
    Surface surface;
    if (figures && !answers_.fields.empty()) surface = surface_of(model_.assembly());
    for (const AnswerField& field : answers_.fields) {
      const std::string base = fmt::format("field.{}.{}", field.question + 1, field.excitation->name());
      const auto write = [&](const std::string& name, const std::string& content) {
        folder.write(name, content);
        files.push_back(path_in_results(name));
      };
      for (const auto& [ending, grid] : grids_of(field)) write(fmt::format("fields/{}{}", base, ending), to_vtu(grid));
      if (figures)
        write("figures/" + base + ".png",
              to_png(picture_of(picture_source(model_, surface), field, answers_.stations.get())));
    }
  }

 private:
  [[nodiscard]] Table table_of(const AnswerCurve& curve) const {
    const DisplayUnit unit = unit_of(curve.question, curve.is_psd), frequency = show_.unit(kind::frequency);
    Table table{fmt::format("curve.{}.{}", curve.question + 1, curve.in),
                fmt::format("{} in {}", curve.of, curve.in),
                {{"frequency", frequency.text}, {curve.is_psd ? "PSD" : "amplitude", unit.text}},
                {}};
    if (!curve.phase.empty()) table.columns.push_back({"phase", "°"});
    for (std::size_t k = 0; k < curve.grid.size(); ++k) {
      table.rows.push_back({frequency.from_si(curve.grid[k]), unit.from_si(curve.value[k])});
      if (!curve.phase.empty()) table.rows.back().emplace_back(degrees * curve.phase[k]);
    }
    return table;
  }

  [[nodiscard]] Chart chart_of(std::size_t q) const {
    const DisplayUnit frequency = show_.unit(kind::frequency);
    std::vector<PlottedCurve> drawn;
    for (const AnswerCurve& curve : answers_.curves) {
      if (curve.question != q) continue;
      drawn.push_back(plotted_curve(curve, unit_of(q, curve.is_psd), frequency));
    }
    return curves_chart(questions_[q].text, fmt::format("{}; {} modes", model_.plan().title, model_.basis().modes),
                        drawn, frequency.text);
  }

  // Files by their endings.
  [[nodiscard]] std::vector<std::pair<std::string, Grid>> grids_of(const AnswerField& field) const {
    const Assembly& assembly = model_.assembly();
    std::vector<std::pair<std::string, Grid>> grids;
    if (field.stress) {
      grids.emplace_back(".vtu", stress_grid(assembly, *answers_.stations, show_));
      grids.back().second.point_arrays = stress_arrays(*answers_.stations, *field.stress, show_);
    }
    if (field.beams) {
      grids.emplace_back(".beams.vtu", beam_stress_grid(assembly, show_));
      grids.back().second.point_arrays = beam_stress_arrays(*field.beams, show_);
    }
    if (field.motion) {
      grids.emplace_back(".vtu", model_grid(assembly, show_));
      grids.back().second.point_arrays = motion_arrays(assembly, *field.motion, show_);
    }
    if (field.shape && grids.empty()) {
      const DisplayUnit length = show_.unit(kind::length);
      grids.emplace_back(".vtu", model_grid(assembly, show_));
      const auto add = [&](const Eigen::VectorXd& coordinates, const char* what) {
        grids.back().second.point_arrays.push_back(displacement_array(
            fmt::format("{}: relative displacement, {} ({})", field.excitation->name(), what, length.text), assembly,
            node_motions(model_.system(), *field.shape->basis, coordinates), length.from_si(1)));
      };
      add(field.shape->coordinates_at(field.shape->instant), "that instant");
      add(field.shape->coordinates.real(), "real part");
      add(field.shape->coordinates.imag(), "imaginary part");
    }
    return grids;
  }

  const DampedModel& model_;
  const std::vector<Question>& questions_;
  const Answers& answers_;
  const Show& show_;
};

// The folder of curves and fields: beside the run, named after its plan.
std::filesystem::path folder_of_answers(const Request& request, const Plan& plan) {
  if (request.out) return *request.out;
  std::filesystem::path run(request.words[0]);
  if (!run.has_filename()) run = run.parent_path();  // a slash at its end
  return run.parent_path() / (std::filesystem::path(plan.file).stem().string() + "-ask-results");
}

// "tables", or "table NAME": what the run has found already.
bool is_of_tables(const std::string& text) { return text == "tables" || text.starts_with("table "); }

// Columns in which something stands, under the name of the table.
Table without_empty_columns(const Table& table) {
  const auto is_empty = [](const Cell& cell) {
    const double* const number = std::get_if<double>(&cell);
    return number ? std::isnan(*number) : std::get<std::string>(cell).empty();
  };
  Table kept{table.name, table.name, {}, std::vector<std::vector<Cell>>(table.rows.size())};
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    if (std::all_of(table.rows.begin(), table.rows.end(), [&](const auto& row) { return is_empty(row[c]); })) continue;
    kept.columns.push_back(table.columns[c]);
    for (std::size_t r = 0; r < table.rows.size(); ++r) kept.rows[r].push_back(table.rows[r][c]);
  }
  return kept;
}

ExitStatus show_tables(const std::string& run, const std::vector<std::string>& texts, Terminal& terminal) {
  const Summary summary = read_summary(std::filesystem::path(run) / "summary.json");
  std::vector<std::string> names;
  names.reserve(summary.tables.size());
  for (const Table& table : summary.tables) names.push_back(table.name);
  for (const std::string& text : texts) {
    if (text == "tables") {
      Table list{
          "tables", fmt::format("Tables of {}", run), {{"table", ""}, {"rows", "", 4, true, 0}, {"columns", ""}}, {}};
      for (const Table& table : summary.tables) {
        std::vector<std::string> columns;
        columns.reserve(table.columns.size());
        for (const Column& column : table.columns) columns.push_back(column.name);
        list.rows.push_back(
            {table.name, static_cast<double>(table.rows.size()), fmt::format("{}", fmt::join(columns, ", "))});
      }
      terminal.table(list);
      continue;
    }
    const std::string name(trimmed(std::string_view(text).substr(6)));
    const Table* const found = find_table(summary, name);
    if (!found)
      throw InputError(
          Problem{"", fmt::format("{} has no table \"{}\"", run, name), suggest_name(name, names), std::nullopt});
    terminal.table(without_empty_columns(*found));
  }
  return ExitStatus::done;
}

}  // namespace

ExitStatus ask(const Request& request, Terminal& terminal) {
  const std::vector<std::string> texts = questions_of(request);
  const std::string& run = request.words[0];
  const auto tables = std::count_if(texts.begin(), texts.end(), is_of_tables);
  if (tables > 0 && request.json)
    throw InputError(Problem{"", "tables of a run are in its summary already, for programs",
                             fmt::format("read {}/summary.json", run), std::nullopt});
  if (tables > 0 && tables == std::ssize(texts)) return show_tables(run, texts, terminal);
  if (tables > 0)
    throw InputError(Problem{"", "tables of a run are printed by themselves",
                             fmt::format("write avrenk ask {} tables, and other questions apart", run), std::nullopt});
  const AskedRun asked = load_whole_run(run, texts, request);
  const Plan& plan = asked.model.plan();
  StopWatch watch;
  const Answers answers = with_places(plan, [&] { return answer(asked.model, asked.questions, terminal.reporter()); });
  std::vector<StageTime> times = report_of(asked.model).times;
  times.push_back({"answers", watch.seconds()});
  if (request.verbose)
    for (const StageTime& time : times) terminal.note(fmt::format("{:<22} {:8.3f} s", time.stage, time.seconds));
  const Speaker speaker(asked, answers);
  std::vector<std::string> files;
  std::optional<RunFolder> folder;
  if (request.out || !answers.curves.empty() || !answers.fields.empty()) {
    folder.emplace(folder_of_answers(request, plan));
    speaker.write_curves(*folder, request.figures, files);
    speaker.write_fields(*folder, request.figures, files);
    if (!answers.values.empty()) folder->write("tables/answers.csv", to_csv(speaker.table()));
    folder->write("answers.json", speaker.json(run, files));
    folder->commit();
  }
  terminal.end_progress();
  if (request.json) {
    terminal.print(speaker.json(run, files));
    return ExitStatus::done;
  }
  if (!answers.values.empty()) terminal.table(speaker.table());
  for (const std::string& file : files) terminal.print(fmt::format("{}\n", (folder->target() / file).string()));
  return ExitStatus::done;
}

}  // namespace avrenk
