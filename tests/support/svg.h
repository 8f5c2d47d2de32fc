/// Texts of an SVG figure with the boxes that they take.
#pragma once

#include <pugixml.hpp>
#include <set>

#include "figures/text.h"

namespace avrenk::test {

struct SvgText {
  std::string text;
  double x0, y0, x1, y1;  ///< px from the upper left
  bool rotated = false;
  [[nodiscard]] bool meets(const SvgText& o) const { return x0 < o.x1 && o.x0 < x1 && y0 < o.y1 && o.y0 < y1; }
};

/// Every text once. Only `translate`, `rotate`, `text-anchor` and `font-size` of the enclosing group are understood,
/// which is all that the renderer writes. @throws std::runtime_error  it is no XML
inline std::vector<SvgText> svg_texts(const std::string& svg) {
  pugi::xml_document document;
  if (!document.load_string(svg.c_str())) throw std::runtime_error("not XML");
  std::vector<SvgText> texts;
  std::set<std::string> seen;
  for (const auto& found : document.select_nodes("//text")) {
    const pugi::xml_node group = found.node().parent();
    std::string words;
    for (const auto& piece : found.node().select_nodes(".//text()")) words += piece.node().value();
    const std::string transform = group.attribute("transform").value();
    double x = 0, y = 0;
    if (std::sscanf(transform.c_str(), "translate(%lf,%lf)", &x, &y) != 2 || words.empty()) continue;
    if (!seen.insert(transform + words).second) continue;
    const double size = group.attribute("font-size").as_double(), wide = text_width(words, 0.75 * size);
    const std::string anchor = group.attribute("text-anchor").value();
    const double before = anchor == "middle" ? 0.5 * wide : anchor == "end" ? wide : 0;
    if (transform.find("rotate(-90") != std::string::npos || transform.find("rotate(270") != std::string::npos)
      texts.push_back({words, x - 0.8 * size, y - wide + before, x + 0.25 * size, y + before, true});
    else
      texts.push_back({words, x - before, y - 0.8 * size, x - before + wide, y + 0.25 * size});
  }
  return texts;
}

}  // namespace avrenk::test
