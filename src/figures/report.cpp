#include "figures/report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <kainjow/mustache.hpp>
#include <nlohmann/json.hpp>
#include <utility>

#include "figures/compact_svg.h"
#include "figures/report_parts.h"
#include "files/base64.h"
#include "files/deflate.h"

namespace avrenk {
namespace {

using kainjow::mustache::data;
using kainjow::mustache::mustache;

data list() { return data(data::type::list); }

data texts(const std::vector<std::string>& all) {
  data result = list();
  for (const std::string& each : all) {
    data item;
    item.set("text", each);
    result.push_back(item);
  }
  return result;
}

// Letters of Markdown that the user's text does not mean.
std::string markdown_escaped(const std::string& text) {
  std::string safe;
  for (const char c : text) {
    if (std::string_view("\\`*_[]|#").find(c) != std::string_view::npos) safe += '\\';
    if (c == '<' || c == '>' || c == '&')  // no tags, as in report.html
      safe += c == '<' ? "&lt;" : c == '>' ? "&gt;" : "&amp;";
    else
      safe += c == '\n' ? ' ' : c;
  }
  return safe;
}

std::string mark_of(Report::Judgement outcome) {
  return outcome == Report::Judgement::met ? "Met:" : outcome == Report::Judgement::exceeded ? "Not met:" : "Open:";
}

// Of a line over a logarithmic axis the points that it needs: straight lines between them differ from it by
// `enough` at most, of the values where they are drawn by their logarithms, else of their whole range.
std::vector<std::size_t> points_needed(const Series& line, bool log_y, double lowest, double highest) {
  const double enough = log_y ? 0.0025 : 0.001 * (highest - lowest);
  std::vector<double> x, y;
  for (std::size_t k = 0; k < line.x.size(); ++k) {
    x.push_back(std::log(line.x[k]));
    y.push_back(log_y ? std::log(std::max(line.y[k], lowest)) : line.y[k]);
  }
  std::vector<bool> is_needed(x.size(), false);
  const auto look_between = [&](std::size_t from, std::size_t to) {  // Douglas & Peucker (1973), along y
    std::vector<std::pair<std::size_t, std::size_t>> open{{from, to}};
    is_needed[from] = is_needed[to] = true;
    while (!open.empty()) {
      const auto [a, b] = open.back();
      open.pop_back();
      double worst = enough;
      std::size_t at = a;
      for (std::size_t k = a + 1; k < b; ++k) {
        const double off = std::abs(y[a] + (y[b] - y[a]) * (x[k] - x[a]) / (x[b] - x[a]) - y[k]);
        if (off <= worst) continue;
        worst = off;
        at = k;
      }
      if (at == a) continue;
      is_needed[at] = true;
      open.insert(open.end(), {{a, at}, {at, b}});
    }
  };
  for (std::size_t k = 0; k < x.size();) {  // stretch by stretch between gaps, which stay
    std::size_t end = k;
    while (end < x.size() && std::isfinite(line.y[end]) == std::isfinite(line.y[k])) ++end;
    if (std::isfinite(line.y[k]))
      look_between(k, end - 1);
    else
      is_needed[k] = true;
    k = end;
  }
  std::vector<std::size_t> needed;
  for (std::size_t k = 0; k < is_needed.size(); ++k)
    if (is_needed[k]) needed.push_back(k);
  return needed;
}

// Numbers of the first panel: of each line its points x and its values there, null where it has none.
std::string curves_of(const Chart& chart) {
  const Panel& panel = chart.panels.front();
  if (chart.x.scale != Axis::Scale::logarithmic || panel.series.empty()) return "";
  nlohmann::ordered_json json;
  const auto unit_of = [](const std::string& label) {
    const std::size_t open = label.rfind('('), close = label.rfind(')');
    return open == std::string::npos ? std::string() : label.substr(open + 1, close - open - 1);
  };
  json["x"] = chart.x.label;
  json["y"] = panel.y.label;
  json["x_unit"] = unit_of(chart.x.label);
  json["y_unit"] = unit_of(panel.y.label);
  json["log_y"] = panel.y.scale == Axis::Scale::logarithmic;
  json["labels"] = {chart.x.label};
  json["colours"] = json["text_colours"] = nlohmann::json::array();
  json["series"] = nlohmann::json::object();
  // Darker tones of the palette, in which text on white has enough contrast.
  constexpr const char* text_colours[] = {"#005a8c", "#a84a00", "#00664a", "#8f4a74", "#8a5f00", "#1f6f9f"};
  std::size_t next = 0;
  std::vector<const Series*> shown;
  double highest = 0, lowest = HUGE_VAL;
  for (const Series& series : panel.series) {
    if (series.style == Series::Style::bars || series.style == Series::Style::band) continue;
    std::string label = series.label;
    while (std::find(json["labels"].begin(), json["labels"].end(), label) != json["labels"].end()) label += " ";
    json["labels"].push_back(label);
    const bool input = series.style == Series::Style::input, limit = series.style == Series::Style::limit;
    const std::size_t colour = input || limit ? 0 : next++ % palette_size;
    json["colours"].push_back(input ? "#4b5563" : limit ? "#b91c1c" : palette[colour]);
    json["text_colours"].push_back(input ? "#4b5563" : limit ? "#b91c1c" : text_colours[colour]);
    if (input || limit)
      json["series"][label] = {
          {"strokePattern", input ? input_dashes(panel.series, static_cast<std::size_t>(&series - panel.series.data()))
                                  : std::vector<int>{14, 5}}};
    shown.push_back(&series);
    for (const double y : series.y) {
      if (!(y > 0)) continue;
      highest = std::max(highest, y);
      lowest = std::min(lowest, y);
    }
  }
  if (json["log_y"]) {
    const double to = std::pow(10, std::ceil(std::log10(highest * 1.2)));
    json["range"] = {std::max(std::pow(10, std::floor(std::log10(lowest))), to * 1e-5), to};
  } else {
    json["range"] = nullptr;
  }
  const auto rounded = [](double value) { return std::stod(fmt::format("{:.5g}", value)); };
  json["lines"] = nlohmann::json::array();
  for (const Series* const series : shown) {
    nlohmann::ordered_json x = nlohmann::json::array(), y = nlohmann::json::array();
    constexpr double deep = 0.01;  // of the lowest that is in sight, for those who zoom and point
    const double from = json["log_y"] ? deep * json["range"][0].get<double>() : lowest;
    for (const std::size_t k : points_needed(*series, json["log_y"], from, highest)) {
      const double value = series->y[k];
      const double at = std::stod(fmt::format("{:.7g}", series->x[k]));
      const bool is_step = !x.empty() && at <= x.back().get<double>();  // both sides of it stay apart
      x.push_back(is_step ? std::stod(fmt::format("{:.9g}", x.back().get<double>() * (1 + 1e-8))) : at);
      y.push_back(std::isfinite(value) && !(json["log_y"] && value <= 0) ? nlohmann::ordered_json(rounded(value))
                                                                         : nlohmann::ordered_json(nullptr));
    }
    json["lines"].push_back({std::move(x), std::move(y)});
  }
  std::string text = json.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace), safe;
  for (const char c : text) safe += c == '<' ? std::string("\\u003c") : std::string(1, c);  // ends no script early
  return safe;
}

// Pixels: of a PNG from its header, of a chart as all are drawn.
std::pair<unsigned, unsigned> size_of(const ReportFigure& figure) {
  if (!figure.file.ends_with(".png") || figure.bytes.size() < 24) return {1280, 800};
  const auto number = [&](std::size_t at) {
    unsigned value = 0;
    for (std::size_t i = 0; i < 4; ++i) value = value << 8 | static_cast<unsigned char>(figure.bytes[at + i]);
    return value;
  };
  return {number(16), number(20)};
}

// An SVG as part of an address (RFC 2397, RFC 3986), which is shorter than base64: what stands in the way is escaped,
// and white space between its lines left out.
std::string as_address(const std::string& svg) {
  std::string text;
  bool after_line = false;
  for (const char c : svg) {
    if (c == '\n' || ((c == ' ' || c == '\t') && after_line)) {
      after_line = true;
      continue;
    }
    if (std::exchange(after_line, false)) text += ' ';
    if (c == '%' || c == '#' || c == '<' || c == '>' || c == '"' || c == '\t' || c == '\r')
      text += fmt::format("%{:02X}", static_cast<unsigned>(c));
    else
      text += c;
  }
  return text;
}

data table_data(const Table& table) {
  data result;
  result.set("caption", table.title.empty() ? table.name : table.title);
  std::vector<std::size_t> shown;
  for (std::size_t c = 0; c < table.columns.size(); ++c)
    if (table.columns[c].terminal) shown.push_back(c);
  const auto numeric = [&](std::size_t c) {
    return !table.rows.empty() && std::holds_alternative<double>(table.rows.front()[c]);
  };
  data columns = list(), rows = list();
  for (const std::size_t c : shown) {
    data column;
    column.set("name", table.columns[c].name);
    if (!table.columns[c].unit.empty()) column.set("unit", table.columns[c].unit);
    column.set("number", numeric(c));
    columns.push_back(column);
  }
  for (const auto& cells : table.rows) {
    data row, own = list();
    for (const std::size_t c : shown) {
      data cell;
      const std::string text = cell_text(cells[c], table.columns[c]);
      cell.set("text", text);
      cell.set("first", c == shown.front());
      if (numeric(c))
        cell.set("class", "number");
      else if (table.columns[c].name == "verdict")
        cell.set("class", text == "met" ? "met" : "exceeded");
      else
        cell.set("class", false);
      own.push_back(cell);
    }
    row.set("cells", own);
    rows.push_back(row);
  }
  result.set("columns", columns);
  result.set("rows", rows);
  return result;
}

// A string of CSS, in which nothing of the text ends the string or the style around it.
std::string css_string(std::string_view text) {
  std::string quoted = "\"";
  for (const char c : text) {
    const bool plain = static_cast<unsigned char>(c) >= ' ' && c != '"' && c != '\\' && c != '<';
    quoted += plain ? std::string(1, c) : fmt::format("\\{:x} ", static_cast<unsigned char>(c));
  }
  return quoted + "\"";
}

// What stands at the foot of each printed page: the title, and what the document says first, its number and issue.
std::string foot_of(const Report& report) {
  std::string foot = report.title;
  for (std::size_t i = 0; i < std::min<std::size_t>(2, report.document.size()); ++i)
    foot += fmt::format(", {} {}", report.document[i].first, report.document[i].second);
  return foot;
}

// Everything of the report; `inside` puts the figures themselves into it.
data report_data(const Report& report, bool inside) {
  data page;
  page.set("kind", report.kind);
  page.set("headline", report.headline);
  page.set("title", report.title);
  data document = list();
  for (const auto& [name, text] : report.document) {
    data entry;
    entry.set("name", name);
    entry.set("text", text);
    document << entry;
  }
  page.set("has_document", !report.document.empty());
  page.set("document", document);
  page.set("version", report.program_version);
  page.set("date", report.date);
  page.set("verdict", report.verdict);
  page.set("mark", report.mark.empty() ? mark_of(report.outcome) : report.mark);
  page.set("outcome", report.outcome == Report::Judgement::met        ? "met"
                      : report.outcome == Report::Judgement::exceeded ? "exceeded"
                                                                      : "open");
  page.set("summary", texts(report.summary));
  page.set("warnings", texts(report.warnings));
  page.set("has_warnings", !report.warnings.empty());
  data contents = list(), leading = list(), sections = list();
  bool has_charts = false, has_scene = false;
  int key = 0;
  for (const ReportSection& section : report.sections) {
    data values;
    values.set("id", section.id);
    values.set("title", section.title);
    values.set("level", std::to_string(section.level));
    values.set("hashes", std::string(static_cast<std::size_t>(section.level), '#'));
    values.set("folded", section.folded);
    values.set("paragraphs", texts(section.paragraphs));
    values.set("listing", texts(section.listing));
    values.set("has_listing", !section.listing.empty());
    values.set("turning", false);
    if (inside && !section.turning.empty()) {
      values.set("turning", base64(deflated(section.turning)));
      has_scene = true;
      values.set("node_curves", false);
      if (!section.node_curves.empty()) {
        values.set("node_curves", base64(deflated(section.node_curves)));
        has_charts = true;
      }
    }
    data figures = list(), tables = list();
    for (const ReportFigure& figure : section.figures) {
      data one;
      one.set("file", figure.file);
      one.set("caption", figure.caption);
      one.set("in_words", figure.in_words);
      one.set("key", fmt::format("curves-{}", ++key));
      one.set("curves", false);
      if (inside) {
        one.set("data", figure.file.ends_with(".svg") ? "image/svg+xml," + as_address(compact_svg(figure.bytes))
                                                      : "image/png;base64," + base64(figure.bytes));
        const auto [width, height] = size_of(figure);
        one.set("width", std::to_string(width));
        one.set("height", std::to_string(height));
        if (const std::string curves = figure.chart ? curves_of(*figure.chart) : ""; !curves.empty()) {
          one.set("curves", curves);
          has_charts = true;
        }
      }
      figures.push_back(one);
    }
    for (const Table& table : section.tables)
      if (!table.rows.empty()) tables.push_back(table_data(table));
    values.set("figures", figures);
    values.set("tables", tables);
    (section.leading ? leading : sections).push_back(values);
    if (section.level == 2) {
      data entry;
      entry.set("id", section.id);
      entry.set("title", section.title);
      contents.push_back(entry);
    }
  }
  page.set("contents", contents);
  page.set("leading", leading);
  page.set("sections", sections);
  page.set("has_charts", has_charts);
  page.set("has_scene", has_scene);
  return page;
}

std::string rendered(const char* text, const char* section, data page, bool markdown) {
  mustache leaf(text);
  page.set("section", data(kainjow::mustache::partial([section] { return std::string(section); })));
  if (markdown) leaf.set_custom_escape(markdown_escaped);
  if (!leaf.is_valid()) throw std::logic_error("report template: " + leaf.error_message());
  return leaf.render(page);
}

}  // namespace

std::string to_html(const Report& report) {
  data page = report_data(report, true);
  page.set("style",
           fmt::format("{}:root {{ --foot: {}; }}", std::string(report_parts::page_css), css_string(foot_of(report))));
  page.set("script", std::string(report_parts::page_js));
  page.set("chart_style", std::string(report_parts::dygraph_css));
  page.set("chart_script", std::string(report_parts::dygraph_licence) + report_parts::dygraph_js);
  page.set("scene_script", std::string(report_parts::three_licence) + report_parts::three_js);
  page.set("scene_controls", std::string(report_parts::three_controls));
  page.set("model_script", std::string(report_parts::model_js));
  page.set("node_script", std::string(report_parts::node_curves_js));
  return rendered(report_parts::page_html, report_parts::section_html, page, false);
}

std::string to_markdown(const Report& report) {
  return rendered(report_parts::page_md, report_parts::section_md, report_data(report, false), true);
}

}  // namespace avrenk
