// compare: the modes of two runs side by side.
#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/output.h"
#include "core/error.h"
#include "files/mode_tables.h"
#include "files/modes_file.h"
#include "files/summary.h"
#include "version.h"

namespace avrenk {
namespace {

constexpr double near = 0.02;  // of the model's diagonal: points as close as that are one

// The modes that a run kept, by its folder or the file itself.
KeptShapes shapes_of(const std::string& run) {
  const std::filesystem::path path(run);
  if (!std::filesystem::exists(path))
    throw FileError(
        fmt::format("{}: there is no such folder of results; name one that avrenk modes or run wrote", run));
  return read_shapes(std::filesystem::is_directory(path) ? path / "results.h5" : path);
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

}  // namespace

ExitStatus compare(const Request& request, Terminal& terminal) {
  if (request.words.size() != 2)
    throw InputError(Problem{"", "compare takes two folders of results",
                             "write avrenk compare deck-results deck-modes-results", std::nullopt});
  const KeptShapes kept1 = shapes_of(request.words[0]), kept2 = shapes_of(request.words[1]);
  const bool same = kept1.print == kept2.print;
  const SampledModes& first = kept1.modes;
  const double diagonal =
      first.points.cols() > 0 ? (first.points.rowwise().maxCoeff() - first.points.rowwise().minCoeff()).norm() : 0;
  const ShapeMatch match = match_shapes(first, kept2.modes, near * diagonal);
  const Show show;
  const Table table = match_table(kept1.frequency, kept2.frequency, match, show);
  terminal.table(table);
  terminal.paragraph(
      fmt::format("MAC: modal assurance over the motions of nodes, weighted by their mass and inertia; pairs need "
                  "{:.2g}. {}Points that "
                  "both have carry {:.3g} % of the first run's mass; the farthest two taken as one lie {} apart.",
                  least_assurance, same ? "Both runs are of the same model. " : "", 100 * match.points_used,
                  value_text(match.farthest, show.unit(kind::length), 3)));
  if (!request.out) return ExitStatus::done;
  RunFolder folder(*request.out);
  Summary summary{avrenk_version,
                  "compare",
                  request.words[0] + " " + request.words[1],
                  "",
                  "",
                  {},
                  {},
                  {{"mass at common points", 100 * match.points_used, "%"}},
                  {table, assurance_table(match)}};
  for (const Table& each : summary.tables) folder.write("tables/" + each.name + ".csv", to_csv(each));
  folder.write("summary.json", to_json(summary));
  folder.commit();
  terminal.print(fmt::format("Results: {}\n", folder.target().string()));
  return ExitStatus::done;
}

}  // namespace avrenk
