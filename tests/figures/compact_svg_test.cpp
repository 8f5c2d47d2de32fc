// Charts in fewer bytes: the same corners to a twentieth of a pixel.
#include "figures/compact_svg.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <sstream>
#include <vector>

namespace avrenk {
namespace {

struct Corner {
  double x = 0, y = 0;
};

// Corners of a path of M, L, l and z, as the standard (SVG 1.1, 8.3) reads it.
std::vector<Corner> corners_of(const std::string& svg) {
  const std::size_t begin = svg.find(" d='") + 4;
  std::string path = svg.substr(begin, svg.find('\'', begin) - begin), spaced;
  for (std::size_t i = 0; i < path.size(); ++i) {  // a minus begins a number
    if (path[i] == '-' || std::isalpha(static_cast<unsigned char>(path[i]))) spaced += ' ';
    spaced += path[i] == ',' ? ' ' : path[i];
    if (std::isalpha(static_cast<unsigned char>(path[i]))) spaced += ' ';
  }
  std::istringstream words(spaced);
  std::vector<Corner> corners;
  char command = 'M';
  Corner at;
  for (std::string word; words >> word;) {
    if (std::isalpha(static_cast<unsigned char>(word[0]))) {
      command = word[0];
      if (command == 'z') corners.push_back({-1, -1});
      continue;
    }
    const double x = std::stod(word);
    double y = 0;
    words >> y;
    at = command == 'l' ? Corner{at.x + x, at.y + y} : Corner{x, y};
    corners.push_back(at);
  }
  return corners;
}

TEST(CompactSvg, KeepsTheCornersOfPaths) {
  std::mt19937 random(3);
  std::normal_distribution<double> step(0, 4);
  std::string path;
  double x = 100, y = 400;
  constexpr int points = 2000;
  for (int k = 0; k < points; ++k) {
    path += fmt::format("{}{:.2f},{:.2f} ", k % 500 == 0 ? "M" : "L", x, y);
    if (k % 500 == 499) path += "z\n\t";
    x += std::abs(step(random)) + 0.1;
    y += step(random);
  }
  const std::string before = "<path stroke='black'  d='" + path + "'/>", after = compact_svg(before);
  EXPECT_LT(after.size(), 0.65 * static_cast<double>(before.size()));
  const std::vector<Corner> was = corners_of(before), is = corners_of(after);
  ASSERT_EQ(was.size(), is.size());
  for (std::size_t k = 0; k < was.size(); ++k) {
    EXPECT_NEAR(was[k].x, is[k].x, 0.0501);
    EXPECT_NEAR(was[k].y, is[k].y, 0.0501);
  }
  EXPECT_EQ(compact_svg(after), after);
}

TEST(CompactSvg, LeavesAloneWhatItDoesNotKnow) {
  for (const char* svg : {"", "<svg/>", "<path d='M-1,0 h2 M0,-1 v2'/>", "<path d='M1,2 C3,4 5,6 7,8'/>",
                          "<path d='M1,2 L3", "<path d=''/>", "<path d='L'/>", "<text>a, b  c</text>"})
    EXPECT_EQ(compact_svg(svg), svg);
  EXPECT_EQ(compact_svg("<a>\n<g fill=\"none\" color=\"black\">\n</g>\n  <g x=\"1\">\t<b/></g>\n</a>\n"),
            "<a>\n<g x=\"1\">\t<b/></g>\n</a>\n");
  EXPECT_EQ(compact_svg("<path d='M1.00,2.00 L1.00,2.00 L1.50,1.00  '/>"), "<path d='M1,2l.5-1'/>");
}

}  // namespace
}  // namespace avrenk
