/// results/drawings.h: which figures a finished analysis gets, and where in the report they stand.
#pragma once

#include "analysis/summaries.h"
#include "figures/input_charts.h"
#include "figures/response_charts.h"
#include "files/file_name.h"
#include "files/run_folder.h"
#include "files/table.h"
#include "results/jobs.h"

namespace avrenk {

/// One figure of a run.
struct Drawing {
  std::string section;   ///< of the report: "margins", "model", "modes", "profiles", or an outcome's name
  std::string name;      ///< file in figures/ without ending
  std::string caption;   ///< under it
  std::string in_words;  ///< for those who cannot see it
  std::optional<Chart> chart{};
  std::function<std::string()> picture{};  ///< the PNG; empty of a chart
  bool in_report = true;
  [[nodiscard]] std::string file() const { return path_in_results("figures/" + name + (chart ? ".svg" : ".png")); }
};

/// Of a profile of base motion or of a load: as a table, and as a chart.
[[nodiscard]] Table table_of_profile(const Profile& profile, const Show& show);
[[nodiscard]] NamedChart chart_of_profile(const Profile& profile, const std::string& heading, const Show& show);

/// Modes that carry much of the mass along x, y or z, in the order of their frequencies.
[[nodiscard]] std::vector<int> weighty_modes(const ModalBasis& basis);

/// Which of them a command wants.
struct DrawingRequest {
  bool model = false, modes = false, responses = false, profiles = false;
  bool complex = false;  ///< real and imaginary parts too
};
[[nodiscard]] std::vector<Drawing> drawings_of(const Analysis& analysis, const DrawingRequest& request);

/// Draws all of them into the folder's figures/. A chart that cannot be drawn costs no other.
/// @param failures  of each drawing, which stays empty where it was drawn
[[nodiscard]] Jobs drawing_jobs(const std::vector<Drawing>& drawings, const RunFolder& folder,
                                std::vector<std::string>& failures);

}  // namespace avrenk
