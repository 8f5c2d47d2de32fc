#include "files/history_files.h"

#include <fmt/format.h>
#include <hdf5.h>
#include <hdf5_hl.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"

namespace avrenk {

Table history_table(const History& history, const Show& show) {
  Table table{
      "history." + history.request->name,
      fmt::format("Record {} of {}: {:.4g} s at {:.5g} samples a second, seed {}", history.request->name,
                  history.excitation->name(), static_cast<double>(history.columns.front().values.size()) / history.rate,
                  history.rate, history.request->seed),
      {{"of", ""},
       {"unit", ""},
       {"RMS", "", 4},
       {"spectral", "", 4},
       {"off by", "%", 2, true, 2},
       {"95 % lie within", "±%", 2, true, 2},
       {"largest", "", 4},
       {"expected", "", 4},
       {"5 %", "", 4, false},
       {"95 %", "", 4, false},
       {"crest", "", 3, true, 2}},
      {}};
  for (const HistoryColumn& column : history.columns) {
    const DisplayUnit unit = show.unit(*column.kind);
    table.rows.push_back({column.name, unit.text, unit.from_si(column.rms), unit.from_si(column.spectral),
                          100 * column.difference(), 100 * column.interval, unit.from_si(column.largest),
                          unit.from_si(column.expected), unit.from_si(column.expected_low),
                          unit.from_si(column.expected_high), column.crest()});
  }
  return table;
}

std::string history_in_words(const History& history) {
  const auto within = std::count_if(history.columns.begin(), history.columns.end(),
                                    [](const HistoryColumn& column) { return column.agrees(); });
  std::string text = fmt::format(
      "Of {} columns of record {} the RMS of {} lies where 95 % of all such records have it. Modes were taken through "
      "time one by one, exactly between samples; loss factors act as dashpots of half of them",
      history.columns.size(), history.request->name, within);
  return text + (history.leaves_coupling ? ", and what couples the modes is left out." : ".");
}

std::string history_csv(const History& history, const Show& show) {
  fmt::memory_buffer text;
  std::vector<DisplayUnit> units;
  fmt::format_to(std::back_inserter(text), "time (s)");
  for (const HistoryColumn& column : history.columns) {
    units.push_back(show.unit(*column.kind));
    text.push_back(',');
    fmt::format_to(std::back_inserter(text), "{}", csv_text(fmt::format("{} ({})", column.name, units.back().text)));
  }
  text.push_back('\n');
  const std::size_t samples = history.columns.front().values.size();
  for (std::size_t n = 0; n < samples; ++n) {
    fmt::format_to(std::back_inserter(text), "{:.9g}", static_cast<double>(n) / history.rate);
    for (std::size_t k = 0; k < units.size(); ++k)
      fmt::format_to(std::back_inserter(text), ",{:.7g}", units[k].from_si(history.columns[k].values[n]));
    text.push_back('\n');
  }
  return fmt::to_string(text);
}

void write_history_hdf5(const std::filesystem::path& path, const History& history, const Show& show) {
  H5Eset_auto2(H5E_DEFAULT, nullptr, nullptr);
  const hid_t file = H5Fcreate(path.c_str(), H5F_ACC_TRUNC, H5P_DEFAULT, H5P_DEFAULT);
  bool good = file >= 0;
  for (const HistoryColumn& column : history.columns) {
    const DisplayUnit unit = show.unit(*column.kind);
    std::vector<double> values = column.values;
    for (double& each : values) each = unit.from_si(each);
    // A slash would be a group.
    std::string name = column.name;
    std::replace(name.begin(), name.end(), '/', '_');
    const hsize_t size = values.size();
    good = good && H5LTmake_dataset_double(file, name.c_str(), 1, &size, values.data()) >= 0 &&
           H5LTset_attribute_string(file, name.c_str(), "unit", unit.text.c_str()) >= 0;
  }
  good = good && H5LTset_attribute_double(file, "/", "rate", &history.rate, 1) >= 0;
  if (file >= 0) good = H5Fclose(file) >= 0 && good;
  if (!good) throw FileError(fmt::format("{}: cannot be written", path.string()));
}

}  // namespace avrenk
