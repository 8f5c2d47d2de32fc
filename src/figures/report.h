/// figures/report.h: the report that is handed on: one HTML page that needs nothing else, and the same as Markdown.
#pragma once

#include "figures/chart.h"
#include "files/table.h"

namespace avrenk {

/// A figure that stands in the folder of results, and inside the page.
struct ReportFigure {
  std::string file;              ///< relative to the folder: "figures/sine.x.acceleration.svg"
  std::string caption;           ///< under the figure
  std::string in_words;          ///< for those who cannot see it
  std::string bytes;             ///< the file's content: SVG or PNG
  const Chart* chart = nullptr;  ///< of a chart: its first panel can be zoomed and read off; nullptr of a picture
};

struct ReportSection {
  std::string id, title;  ///< id: letters, digits and hyphens
  int level = 2;          ///< of its heading
  std::vector<std::string> paragraphs{};
  std::string turning{};      ///< a turning_model as a file (glTF): a scene instead of the first figure; of one section
  std::string node_curves{};  ///< beside a scene: what draws the curve of a node chosen there (see node_curves)
  std::vector<ReportFigure> figures{};
  std::vector<Table> tables{};         ///< columns for the terminal only; the others are in the CSV files
  std::vector<std::string> listing{};  ///< lines shown as they are, such as the plan
  bool folded = false;                 ///< details that most readers pass over
  bool leading = false;                ///< stands before the summary
};

struct Report {
  std::string kind{"Vibration report"}, headline{"Verdict"};  ///< over the title, and over the verdict
  std::string title, verdict, program_version, date;
  std::vector<std::pair<std::string, std::string>> document{};  ///< for its head: number, issue, author
  enum class Judgement { met, exceeded, open } outcome = Judgement::open;
  std::string mark{};                ///< before the verdict; empty: "Met:", "Not met:" or "Open:"
  std::vector<std::string> summary;  ///< in words
  std::vector<std::string> warnings;
  std::vector<ReportSection> sections;
};

/// A page without any request to anywhere: pictures, style and scripts are inside. Text of the user is escaped.
[[nodiscard]] std::string to_html(const Report& report);

/// Markdown that refers to the figures by their files.
[[nodiscard]] std::string to_markdown(const Report& report);

}  // namespace avrenk
