// The report, figures and fields of the built program, looked at by programs that are not ours.
#include <cairo/cairo.h>
#include <gmock/gmock.h>

#include <fmt/format.h>
#include <Eigen/Dense>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>
#include <regex>
#include <sstream>

#include "files/base64.h"
#include "support/program.h"
#include "support/svg.h"

namespace avrenk {
namespace {

using test::example;
using test::listing;
using test::Ran;
using test::replaced;
using test::run_program;
using test::run_shell;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using Json = nlohmann::json;

// The browser itself fails now and then on a busy machine: `shown` is what it says once it has come to an end; three
// tries, the last is judged.
Ran run_browser(const TemporaryFolder& folder, const std::string& page, const std::string& options,
                const std::string& shown) {
  Ran ran;
  for (int attempt = 0; attempt < 3; ++attempt) {
    ran = run_shell(
        folder,
        "rm -rf profile; HOME=$PWD chromium --headless=new --no-sandbox --disable-gpu --disable-dev-shm-usage "
        "--disable-background-networking --host-resolver-rules='MAP * ~NOTFOUND' --no-first-run "
        "--user-data-dir=profile --enable-logging=stderr --hide-scrollbars --window-size=1280,6000 " +
            options + " \"file://$PWD/" + page + "\"");
    if (ran.status == 0 && (ran.out + ran.err).find(shown) != std::string::npos) break;
  }
  return ran;
}

// A page with a scene, drawn by software: its document once its scripts have run.
Ran run_scene(const TemporaryFolder& folder, const std::string& page, const std::string& shown = "</html>") {
  return run_browser(folder, page,
                     "--use-gl=angle --use-angle=swiftshader --enable-unsafe-swiftshader "
                     "--virtual-time-budget=8000 --dump-dom",
                     shown);
}

// The same of a page whose own script leaves JSON in the element `said`; nothing where it does not.
Json said_by_scene(const TemporaryFolder& folder, const std::string& page, Ran& ran) {
  const std::string before = "id=\"said\">";
  ran = run_scene(folder, page, before + "{");
  const std::size_t at = ran.out.find(before) + before.size();
  const std::string said = ran.out.substr(at, ran.out.find("</p>", at) - at);
  EXPECT_TRUE(said.starts_with("{")) << said << ran.err;
  return said.starts_with("{") ? Json::parse(said) : Json();
}

// What the page itself complained of: not what the browser says of its own drawing by software.
std::string complaints(const std::string& err) {
  std::istringstream lines(err);
  std::string all;
  for (std::string line; std::getline(lines, line);)
    if (line.find("CONSOLE") != std::string::npos && line.find("software WebGL") == std::string::npos &&
        line.find("GL Driver Message") == std::string::npos)
      all += line + "\n";
  return all;
}

// How many pixels of a PNG have exactly this colour.
int pixels_of(const std::filesystem::path& png, unsigned colour) {
  cairo_surface_t* surface = cairo_image_surface_create_from_png(png.c_str());
  const int height = cairo_image_surface_get_height(surface), stride = cairo_image_surface_get_stride(surface),
            width = cairo_image_surface_get_width(surface);
  const unsigned char* data = cairo_image_surface_get_data(surface);
  int count = 0;
  for (int y = 0; data && y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const unsigned char* p = data + y * stride + 4 * x;
      count += (static_cast<unsigned>(p[2]) << 16 | static_cast<unsigned>(p[1]) << 8 | p[0]) == colour;
    }
  cairo_surface_destroy(surface);
  return count;
}

TEST(Report, OpensInABrowserWithAndWithoutScripting) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml").status, 0);
  const std::string html = test::read_all(folder / "box-results/report.html");
  const auto count = [](const std::string& text, const std::string& what) {
    const std::regex pattern(what);
    return std::distance(std::sregex_iterator(text.begin(), text.end(), pattern), {});
  };
  const auto charts = count(html, "class=\"curves\"");
  EXPECT_GE(charts, 6);
  const Ran with = run_browser(folder, "box-results/report.html", "--virtual-time-budget=8000 --dump-dom", "</html>");
  EXPECT_EQ(with.status, 0) << with.err;
  EXPECT_EQ(complaints(with.err), "") << "no error, no blocked or failed request";
  EXPECT_GE(count(with.out, "<canvas"), 2 * charts);
  EXPECT_EQ(count(with.out, "class=\"curves\" id=\"[a-z0-9-]*\" hidden"), 0);
  EXPECT_THAT(with.out, HasSubstr("▬ box, z")) << "the legend of the curves";
  // In a frame that forbids scripts the fixed figures show the curves, in the blue of the first series.
  (void)folder.write("frame.html",
                     "<!DOCTYPE html><body style='margin:0'><iframe sandbox='' src='box-results/report.html' "
                     "style='border:0;width:1280px;height:6000px'></iframe>");
  const Ran without = run_browser(folder, "frame.html", "--virtual-time-budget=8000 --screenshot=without.png",
                                  "Blocked script execution");
  EXPECT_EQ(without.status, 0) << without.err;
  EXPECT_THAT(without.err, HasSubstr("Blocked script execution"));
  EXPECT_EQ(count(html, "class=\"curves\" id=\"[a-z0-9-]*\" hidden"), charts);
  EXPECT_GT(pixels_of(folder / "without.png", 0x0072B2), 100);
}

// On paper each page says whose it is and where it stands; sections begin pages, and no table leaves its head behind.
TEST(Report, PrintsOnPagesThatSayWhatTheyAreOf) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml",
                     "document: {number: SD-217, issue: B, author: M. Keller}\n" + example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml").status, 0);
  (void)run_browser(folder, "box-results/report.html",
                    "--virtual-time-budget=8000 --no-pdf-header-footer --print-to-pdf=report.pdf", "written to file");
  const std::string text = run_shell(folder, "pdftotext -layout report.pdf -").out;
  std::vector<std::string> pages;
  std::istringstream whole(text);
  for (std::string page; std::getline(whole, page, '\f');)
    if (!page.empty()) pages.push_back(page);
  ASSERT_GT(pages.size(), 4U) << text;
  for (std::size_t p = 0; p < pages.size(); ++p)
    EXPECT_THAT(pages[p], testing::ContainsRegex("number SD-217, issue B .* " + std::to_string(p + 1) + " of " +
                                                 std::to_string(pages.size()) + "\n"));
  for (const char* heading : {"Model\n", "Modes\n", "Environment "}) {
    const bool begins = std::any_of(pages.begin(), pages.end(), [&](const std::string& page) {
      const std::size_t at = page.find_first_not_of(" \n");
      return at != std::string::npos && page.compare(at, std::strlen(heading), heading) == 0;
    });
    EXPECT_TRUE(begins) << heading;
  }
}

// Figures that the plan asks for: each view a picture of its own, of one part alone; what is wrong is said at its
// place.
TEST(Figures, ThatThePlanAsksFor) {
  const TemporaryFolder folder;
  const std::string plan = test::replaced(
      example("panel-under-pressure.yaml"), "limits:\n",
      "figures:\n"
      "  bulge:  {show: field of relative displacement in tone at 600 Hz, scale: 50, play: yes}\n"
      "  worn:   {show: field of von Mises in tone at 600 Hz, views: [above, z, [30 deg, 10 deg]], part: panel}\n"
      "  first:  {show: mode 1, views: [above, x]}\n"
      "  speed:  {show: curve of absolute velocity of middle in tone as m/s}\n"
      "  absent: {show: mode 888}\n"
      "  silent: {show: field of von Mises in tone at mode 999}\n"
      "limits:\n");
  (void)folder.write("panel.yaml", plan);
  const Ran ran = run_program(folder, "run panel.yaml --audit 0 --set \"parts.panel.plate.divisions=[12, 8]\"");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("figure silent: mode 999 is asked for, and there are"));
  EXPECT_THAT(ran.err, HasSubstr("figure absent: mode 888 is asked for, and there are 9; write mode 1 to 9"));
  std::string found;
  std::istringstream files(listing(folder / "panel-results/figures"));
  for (std::string line; std::getline(files, line);)
    if (line.starts_with("figure.")) found += line + "\n";
  EXPECT_EQ(found,
            "figure.bulge.png\nfigure.first.above.png\nfigure.first.x.png\nfigure.speed.png\nfigure.speed.svg\n"
            "figure.worn.30-10.png\nfigure.worn.above.png\nfigure.worn.z.png\n");
  for (const auto& [figure, sentence] : std::initializer_list<std::pair<const char*, const char*>>{
           {"{show: field of von Mises in tune}", "write \"tone\""},
           {"{show: von Mises of panel in tone}", "a single value is no figure; write curve of"},
           {"{show: field of von Moses in tone}", "no field \"von Moses\"; write \"von Mises\""},
           {"{show: mode 0}", "the question names no place"},
           {"{show: [a, b]}", "what it shows is one line of text"},
           {"{views: x}", "\"show\""},
           {"{show: mode 1, views: abve}", "no view \"abve\"; write \"above\", or [azimuth, elevation]"},
           {"{show: mode 1, views: [[1 mm, 2 deg]]}", "\"1 mm\" is a length"},
           {"{show: mode 1, views: {a: b}}", "a view is a word or two angles"},
           {"{show: mode 1, part: pannel}", "write \"panel\""},
           {"{show: mode 1, scale: -2}", "-2"},
           {"{show: mode 1, vews: x}", "write \"views\""},
           {"{show: field of von Mises in tone at 600 Hz, play: yes}",
            "only a mode or the displacement of a sine plays"},
           {"{show: curve of absolute velocity of middle in tone, part: panel}",
            "a curve has no view, part or scale"}}) {
    (void)folder.write("bad.yaml", test::replaced(example("panel-under-pressure.yaml"), "limits:\n",
                                                  std::string("figures:\n  own: ") + figure + "\nlimits:\n"));
    const Ran bad = run_program(folder, "run bad.yaml");
    EXPECT_EQ(bad.status, 2) << figure;
    EXPECT_THAT(bad.err, AllOf(HasSubstr(sentence), HasSubstr("bad.yaml:4"))) << figure;
  }
  const std::string page = test::read_all(folder / "panel-results/report.html");
  EXPECT_THAT(page, AllOf(HasSubstr("Figures that the plan asks for"), HasSubstr("figures/figure.worn.z.png")));
}

// The page draws the curve of a node by itself, from the modes, however they are damped: its highest values are those
// of the curves that `ask` writes, to its four digits.
TEST(Report, DrawsTheCurveOfAnyNode) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  struct Case {
    const char* set;
    const char* seen;   // the group of the view
    const char* group;  // the case, by itself that of the view, else the first
    const char* unit;
  };
  for (const Case& each :
       {Case{"", "random.z", "random.z", "g²/Hz"},  // loss factors
        Case{"--set \"joints.isolator.spring.dashpot={z: 90 N s/m, x: 60 N s/m}\"", "Modes", "sine.z", "g"},  // poles
        Case{"--set damping.coupled=no --set \"damping.otherwise=3 %\"", "random.x", "random.x",
             "g²/Hz"}}) {  // mode by mode
    ASSERT_EQ(run_program(folder, std::string("run box.yaml --audit 0 ") + each.set).status, 0) << each.set;
    const std::string group = each.group;
    const auto page = [&](const std::string& hash) { return run_scene(folder, "box-results/report.html" + hash); };
    const Ran first = page("");
    EXPECT_EQ(complaints(first.err), "");
    const std::size_t in = first.out.find(fmt::format("<optgroup label=\"{}\">", each.seen)),
                      begin = first.out.find("value=\"", in) + 7;
    const std::string view = first.out.substr(begin, first.out.find('"', begin) - begin);
    const std::string node = "3";
    const Ran ran = page("#model-view-" + view + "-node-" + node);
    const std::size_t at = ran.out.find(">", ran.out.find("data-curve=\"words\"")) + 1;
    const std::string words = ran.out.substr(at, ran.out.find('<', at) - at);
    ASSERT_THAT(words, HasSubstr("Node " + node + " at (")) << each.set;
    EXPECT_THAT(words, HasSubstr("absolute acceleration in " + group)) << each.set;
    EXPECT_EQ(ran.out.find("id=\"node-curves\" class=\"node-curves curves\" hidden"), std::string::npos);
    std::string questions;
    for (const char* component : {".x", ".y", ".z", ""})
      questions += fmt::format(" \"curve of acceleration{} of node {} in {}\"", component, node, group);
    const Ran asked = run_program(folder, "ask box-results --no-figures --out asked" + questions);
    ASSERT_EQ(asked.status, 0) << asked.err;
    const char* const names[] = {"x", "y", "z", "magnitude"};
    double whole = 0;  // the highest of the magnitude
    for (const int q : {3, 0, 1, 2}) {
      std::istringstream rows(test::read_all(folder / fmt::format("asked/tables/curve.{}.{}.csv", q + 1, group)));
      std::vector<double> f, v;
      std::string line;
      std::getline(rows, line);
      while (std::getline(rows, line)) {
        f.push_back(std::log(std::stod(line)));
        v.push_back(std::log(std::max(1e-300, std::stod(line.substr(line.find(',') + 1)))));
      }
      const auto k = static_cast<std::size_t>(std::max_element(v.begin(), v.end()) - v.begin());
      double highest = std::exp(v[k]), at_frequency = std::exp(f[k]);
      if (k > 0 && k + 1 < v.size() && f[k + 1] - f[k] > 1e-6 && f[k] - f[k - 1] > 1e-6) {  // the parabola's summit
        Eigen::Matrix3d through;
        for (Eigen::Index i = 0; i < 3; ++i) {
          const double x = f[k + static_cast<std::size_t>(i) - 1] - f[k];
          through.row(i) << 1, x, x * x;
        }
        const Eigen::Vector3d c = through.inverse() * Eigen::Vector3d(v[k - 1], v[k], v[k + 1]);
        highest = std::exp(c[0] - 0.25 * c[1] * c[1] / c[2]);
        at_frequency *= std::exp(-0.5 * c[1] / c[2]);
      }
      const std::string before = fmt::format("; {}{}", names[q], group[0] == 's' ? " peaks at " : " highest ");
      const std::size_t found = words.find(before);
      if (q == 3) whole = highest;
      if (const char* const least = group[0] == 's' ? "0.00001" : "1e-10"; highest < std::stod(least) * whole) {
        EXPECT_THAT(words, HasSubstr(fmt::format("; {} less than {} of the magnitude", names[q], least)));
        continue;
      }
      ASSERT_NE(found, std::string::npos) << words;
      const std::string told = words.substr(found + before.size());
      EXPECT_NEAR(std::stod(told) / highest, 1, 6e-4) << told;
      EXPECT_NEAR(std::stod(told.substr(told.find("@ ") + 2)) / at_frequency, 1, 1e-3) << told;
      EXPECT_THAT(told, HasSubstr(fmt::format(" {} @ ", each.unit)));
    }
  }
}

// The scene of the page by software: a node that is named shows what the tables have, to its four digits; what plays
// moves; nothing is complained of. The file beside it is read by the loader of three.js, which is not ours.
TEST(Report, ItsModelTurnsPlaysAndReadsOut) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml").status, 0);
  const auto page = [&](const std::string& hash) { return run_scene(folder, "box-results/report.html" + hash); };
  const auto readout = [](const std::string& html) {
    const std::size_t at = html.find(">", html.find("data-model=\"readout\"")) + 1;
    return html.substr(at, html.find('<', at) - at);
  };
  const Ran first = page("");
  EXPECT_EQ(complaints(first.err), "") << "no error, no blocked or failed request";
  ASSERT_THAT(first.out, Not(HasSubstr("id=\"turning-model\" hidden"))) << "the scene is shown";
  EXPECT_THAT(readout(first.out), HasSubstr("Point at the model"));
  // The number of a view, by its group and name.
  const auto view = [&](const std::string& group, const std::string& name) {
    const std::size_t in = first.out.find("<optgroup label=\"" + group + "\">");
    const std::string option = "\">" + name;
    const std::size_t end = first.out.find(option, in), begin = first.out.rfind('"', end - 1) + 1;
    return first.out.substr(begin, end - begin);
  };
  const std::string nodes = test::read_all(folder / "box-results/tables/random.z.nodes.csv");
  std::istringstream rows(nodes);
  std::string line;
  std::getline(rows, line);
  int looked = 0;
  for (; std::getline(rows, line) && looked < 2; ++looked) {
    std::istringstream fields(line);
    std::vector<std::string> cells;
    for (std::string field; std::getline(fields, field, ',');) cells.push_back(field);
    const Ran ran = page("#model-view-" + view("random.z", "acceleration, RMS") + "-node-" + cells[1]);
    const std::string text = readout(ran.out);
    EXPECT_THAT(text, HasSubstr("Node " + cells[1] + " at (")) << line;
    const std::string title = "Acceleration, RMS ";
    ASSERT_THAT(text, HasSubstr(title));
    EXPECT_NEAR(std::stod(text.substr(text.find(title) + title.size())) / std::stod(cells[5]), 1, 6e-4) << text;
  }
  EXPECT_EQ(looked, 2);
  const std::string mode = "#model-view-" + view("Modes", "mode 1") + "-node-1";
  const std::string still = readout(page(mode).out);
  // A cycle of two seconds, by frames of a clock that stops after 350 ms, at 63 degrees: the browser's own frames come
  // when it has drawn, which a busy machine may not before the page is read.
  const std::string whole = test::read_all(folder / "box-results/report.html");
  (void)folder.write("box-results/played.html",
                     test::replaced(whole, "<meta charset=\"utf-8\">",
                                    "<meta charset=\"utf-8\"><script>var clock = 0; performance.now = function () {"
                                    " return clock; }; requestAnimationFrame = function (frame) { setTimeout(function "
                                    "() { clock = Math.min(350, clock + 25); frame(clock); }, 25); };</script>"));
  const std::string moving = readout(run_scene(folder, "box-results/played.html" + mode + "-play").out);
  const auto now = [](const std::string& text) {
    const std::string before = "displacement now (";
    return std::stod(text.substr(text.find(before) + before.size()));
  };
  ASSERT_THAT(still, HasSubstr("displacement now (")) << still;
  ASSERT_THAT(moving, HasSubstr("displacement now (")) << moving;
  EXPECT_NEAR(now(moving) / now(still), std::cos(0.35 * std::numbers::pi), 3e-4) << moving;
  EXPECT_EQ(still.substr(still.find("largest")), moving.substr(moving.find("largest")));
  EXPECT_THAT(readout(page("#model-view-0-node-99999").out), HasSubstr("There is no node 99999 in the scene."));

  const std::string libraries = "/usr/share/javascript/three/";
  (void)folder.write(
      "loader.html",
      "<!DOCTYPE html><body><p id=said></p><script>" + test::read_all(libraries + "three.min.js") +
          "</script><script>" + test::read_all(libraries + "examples/js/loaders/GLTFLoader.js") +
          "</script><script>var text = atob('" + base64(test::read_all(folder / "box-results/fields/model.glb")) +
          "'), bytes = new Uint8Array(text.length);"
          "for (var i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);"
          "new THREE.GLTFLoader().parse(bytes.buffer, '', function (file) {"
          "  var meshes = [], box = new THREE.Box3(), at = new THREE.Vector3();"
          "  file.scene.updateMatrixWorld(true);"
          "  file.scene.traverse(function (each) { if (each.isMesh) meshes.push(each); });"
          "  var points = meshes[0].geometry.attributes.position;"
          "  for (i = 0; i < points.count; ++i)"
          "    box.expandByPoint(at.fromBufferAttribute(points, i).applyMatrix4(meshes[0].matrixWorld));"
          "  document.getElementById('said').textContent = JSON.stringify({ meshes: meshes.length,"
          "    shapes: Object.keys(meshes[0].morphTargetDictionary), moves: "
          "meshes[0].geometry.morphAttributes.position.length,"
          "    cycles: file.animations.length, low: box.min.toArray(), high: box.max.toArray() });"
          "}, function (error) { document.getElementById('said').textContent = 'failed: ' + error; });</script>");
  Ran read;
  const Json model = said_by_scene(folder, "loader.html", read);
  ASSERT_TRUE(model.is_object());
  EXPECT_GE(model.at("meshes"), 2);
  EXPECT_GE(model.at("shapes").size(), 6U);  // modes, and a shape at a peak
  EXPECT_EQ(model.at("moves"), model.at("shapes").size());
  EXPECT_GE(model.at("cycles"), 4);
  // The corners of the box on its isolators, x 110 mm and y 150 mm apart: the format has y upwards.
  EXPECT_GE(model.at("high").at(0).get<double>() - model.at("low").at(0).get<double>(), 0.11);
  EXPECT_GE(model.at("high").at(2).get<double>() - model.at("low").at(2).get<double>(), 0.15);
  EXPECT_LT(model.at("high").at(1).get<double>() - model.at("low").at(1).get<double>(), 0.4);
}

// A tap of a finger picks the node below it, a finger that moves turns the scene, and so do keys; a tap turns nothing.
TEST(Report, ItsModelIsWorkedByFingersAndKeys) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml --audit 0").status, 0);
  (void)folder.write(
      "box-results/worked.html",
      test::replaced(
          test::read_all(folder / "box-results/report.html"), "</body>",
          "<script>setTimeout(function () {"
          "  var canvas = document.querySelector('#turning-model canvas'), area = canvas.getBoundingClientRect();"
          "  var readout = document.querySelector('[data-model=readout]'), said = {};"
          "  function tap(x, y) {"
          "    ['pointerdown', 'pointerup'].forEach(function (type) {"
          "      canvas.dispatchEvent(new PointerEvent(type, { clientX: x, clientY: y, pointerType: 'touch',"
          "        isPrimary: true, button: 0, bubbles: true, cancelable: true })); });"
          "    return readout.textContent.split(' at ')[0];"
          "  }"
          "  function look() {"  // what taps find, all over the scene
          "    var found = [];"
          "    for (var i = 1; i < 10; ++i) for (var k = 1; k < 7; ++k)"
          "      found.push(tap(area.left + area.width * i / 10, area.top + area.height * k / 7));"
          "    return found.join(' ');"
          "  }"
          "  function touch(type, x, y) {"
          "    var one = new Touch({ identifier: 1, target: canvas, clientX: x, clientY: y, pageX: x, pageY: y });"
          "    var list = type === 'touchend' ? [] : [one];"
          "    canvas.dispatchEvent(new TouchEvent(type, { touches: list, targetTouches: list, changedTouches: [one],"
          "      bubbles: true, cancelable: true }));"
          "  }"
          "  function key(name) { canvas.dispatchEvent(new KeyboardEvent('keydown', { key: name })); }"
          "  said.first = look();"
          "  said.again = look();"
          "  touch('touchstart', area.left + 300, area.top + 200);"
          "  touch('touchmove', area.left + 420, area.top + 230);"
          "  touch('touchend', area.left + 420, area.top + 230);"
          "  said.dragged = look();"
          "  for (var n = 0; n < 6; ++n) key('ArrowLeft');"
          "  said.keys = look();"
          "  key(' ');"
          "  said.playing = document.querySelector('[data-model=play]').textContent;"
          "  var out = document.createElement('p');"
          "  out.id = 'said';"
          "  out.textContent = JSON.stringify(said);"
          "  document.body.appendChild(out);"
          "}, 500);</script></body>"));
  Ran ran;
  const Json said = said_by_scene(folder, "box-results/worked.html#model-view-1", ran);
  EXPECT_EQ(complaints(ran.err), "");
  ASSERT_TRUE(said.is_object());
  EXPECT_THAT(said.at("first").get<std::string>(), HasSubstr("Node "));
  EXPECT_EQ(said.at("first"), said.at("again"));
  EXPECT_NE(said.at("again"), said.at("dragged"));
  EXPECT_NE(said.at("dragged"), said.at("keys"));
  EXPECT_EQ(said.at("playing"), "Stop");
}

// The scene at any frequency of a sweep: made from the modes and few shapes besides, it moves as `ask` says, within the
// error that it states itself.
TEST(Report, ItsModelMovesAtAnyFrequency) {
  const TemporaryFolder folder;
  // A panel: many modes beyond the sweep, of which few are in the page.
  (void)folder.write("panel.yaml", example("panel-under-pressure.yaml"));
  ASSERT_EQ(run_program(folder, "run panel.yaml --audit 0 --set \"parts.panel.plate.divisions=[12, 8]\"").status, 0);
  const std::string html = test::read_all(folder / "panel-results/report.html"), name = "shape at any frequency";
  const Ran first = run_scene(folder, "panel-results/report.html");
  EXPECT_EQ(complaints(first.err), "");
  const std::size_t end = first.out.find("\">" + name);
  ASSERT_NE(end, std::string::npos);
  const std::size_t begin = first.out.rfind('"', end - 1) + 1, label = first.out.rfind("<optgroup label=\"", end) + 17;
  const std::string view = first.out.substr(begin, end - begin),
                    group = first.out.substr(label, first.out.find('"', label) - label);
  std::istringstream rows(test::read_all(folder / ("panel-results/tables/" + group + ".curves.csv")));
  std::vector<std::string> frequencies;
  for (std::string line; std::getline(rows, line);) frequencies.push_back(line.substr(0, line.find(',')));
  ASSERT_GT(frequencies.size(), 50U);
  for (const std::size_t k : {std::size_t{1}, frequencies.size() / 3, frequencies.size() - 1}) {
    const std::string node = "40";
    const Ran ran = run_scene(
        folder, fmt::format("panel-results/report.html#model-view-{}-node-{}-at-{}", view, node, frequencies[k]));
    EXPECT_EQ(complaints(ran.err), "");
    const std::size_t at = ran.out.find(">", ran.out.find("data-model=\"readout\"")) + 1;
    const std::string text = ran.out.substr(at, ran.out.find('<', at) - at);
    ASSERT_THAT(text, AllOf(HasSubstr("Node " + node + " at ("), HasSubstr(" now ("))) << frequencies[k];
    const std::size_t words = ran.out.find(": within ") + 9;
    const double stated = std::stod(ran.out.substr(words)) / 100;
    EXPECT_TRUE(stated > 0 && stated <= 0.01) << stated;
    // Its phase is 0 where the page opens; the largest of the model makes the colours.
    const std::size_t bar = ran.out.find("class=\"bar-high\">") + 17;
    const double top = std::stod(ran.out.substr(bar));
    std::string questions;
    for (const char* component : {".x", ".y", ".z", ""})
      questions +=
          fmt::format(" \"relative displacement{} of node {} in {} at {} Hz\"", component, node, group, frequencies[k]);
    const Ran asked = run_program(folder, "ask panel-results --json" + questions);
    ASSERT_EQ(asked.status, 0) << asked.err;
    const Json answers = Json::parse(asked.out).at("answers");
    std::size_t from = text.find(" now (") + 6;
    for (std::size_t d = 0; d < 4; ++d) {
      const double value = answers.at(d).at("value"), told = std::stod(text.substr(from));
      const double phase = d < 3 ? answers.at(d).at("phase").get<double>() * std::numbers::pi / 180 : 0;
      EXPECT_NEAR(told, value * std::cos(phase), 1.5 * stated * top + 1e-3 * value) << text << d;
      from = d < 2 ? text.find(", ", from) + 2 : text.find("largest ") + 8;
    }
  }
}

// What stands on the figures of the demo, read from the SVG: inside the frame, nothing over anything else.
TEST(Figures, OfTheDemoAreLegible) {
  const TemporaryFolder folder;
  const Ran ran = run_program(folder, "demo deck --real-and-imaginary");
  EXPECT_EQ(ran.status, 1) << ran.err;  // one limit is exceeded by a little
  EXPECT_THAT(ran.out, AllOf(HasSubstr("box-level       EXCEEDED"), HasSubstr("1 of 13 limits exceeded")));
  const std::filesystem::path results = folder / "deck/payload-deck-results";
  int figures = 0;
  for (const auto& entry : std::filesystem::directory_iterator(results / "figures")) {
    if (entry.path().extension() != ".svg") continue;
    ++figures;
    const auto texts = test::svg_texts(test::read_all(entry.path()));
    for (std::size_t i = 0; i < texts.size(); ++i) {
      EXPECT_TRUE(texts[i].x0 >= 0 && texts[i].x1 <= 1280 && texts[i].y0 >= 0 && texts[i].y1 <= 800)
          << entry.path() << texts[i].text;
      for (std::size_t k = 0; k < i; ++k)
        EXPECT_FALSE(texts[i].meets(texts[k])) << entry.path() << ": " << texts[i].text << " | " << texts[k].text;
    }
  }
  EXPECT_GT(figures, 40);
  const std::string names = listing(results);
  for (const char* name :
       {"figures/model.png", "figures/modes.png", "figures/mode.03.moving.png", "figures/margins.svg",
        "figures/sine.x.shape.png", "figures/sine.x.acceleration.parts.svg", "figures/random.z.shares.svg",
        "figures/random.y.stress.png", "fields/modes.vtu", "fields/sine.y.vtu", "fields/sine.x.stress.vtu",
        "tables/gravity.stress.csv", "report.html", "report.md"})
    EXPECT_THAT(names, HasSubstr(name));
  // The report says what the limits say, margins before all else.
  const std::string markdown = test::read_all(results / "report.md");
  EXPECT_LT(markdown.find("EXCEEDED"), markdown.find("In short"));
  EXPECT_THAT(markdown, HasSubstr("Limit box-level is exceeded: box.acceleration, peak, sine.z reaches"));
  const std::regex figure(R"(\]\((figures/[^)]+)\))");
  for (std::sregex_iterator at(markdown.begin(), markdown.end(), figure), end; at != end; ++at)
    EXPECT_TRUE(std::filesystem::exists(results / (*at)[1].str())) << (*at)[1];
  // One changed value mends it, as the README says.
  const Ran mended = run_program(
      folder, "run deck/payload-deck.yaml --no-figures --out mended --set \"joints.isolator.spring.loss factor=18 %\"");
  EXPECT_EQ(mended.status, 0);
  EXPECT_THAT(mended.out, HasSubstr("Verdict: all 13 limits are met"));
}

TEST(Fields, AreReadByAnIndependentReader) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "run mast.yaml").status, 0);
  (void)folder.write(
      "read.py",
      "import json, meshio, numpy\n"
      "out = {}\n"
      "for name in ('modes', 'sine.x'):\n"
      "    grid = meshio.read(f'mast-results/fields/{name}.vtu')\n"
      "    out[name] = {'points': len(grid.points), 'top': grid.points[:, 2].max(),\n"
      "                 'cells': {kind: 0 for kind in ('line', 'vertex')},\n"
      "                 'arrays': {k: float(numpy.linalg.norm(v, axis=1).max()) for k, v in grid.point_data.items()},\n"
      "                 'kinds': sorted({float(v) for block in grid.cell_data['kind'] for v in block})}\n"
      "    for block in grid.cells: out[name]['cells'][block.type] += len(block.data)\n"
      "print(json.dumps(out))\n");
  const Ran read = run_shell(folder, "/usr/bin/python3 read.py");
  ASSERT_EQ(read.status, 0) << read.err;
  const Json grids = Json::parse(read.out);
  const Json summary = Json::parse(test::read_all(folder / "mast-results/summary.json"));
  EXPECT_EQ(grids["modes"]["cells"]["line"], 24);
  EXPECT_EQ(grids["modes"]["cells"]["vertex"], 1);
  EXPECT_EQ(grids["modes"]["points"], 26);  // 25 nodes and the antenna
  EXPECT_EQ(grids["modes"]["arrays"].size(), summary.at("facts").at("modes").at("value").get<std::size_t>());
  for (const auto& [name, value] : grids["modes"]["arrays"].items()) {  // of nodes 1; the antenna lies further out
    EXPECT_GE(value.get<double>(), 1 - 1e-6) << name;
    EXPECT_LE(value.get<double>(), 1.1) << name;
  }
  EXPECT_EQ(grids["modes"]["kinds"], (Json{0.0, 1.0}));
  // The field's largest displacement is that of the tip or of the antenna on it, a little further out.
  double tip = 0;
  for (const Json& row : summary.at("tables").at("sine.x.peaks").at("rows"))
    if (row[0] == "tip.relative displacement") tip = row[1];
  double field = 0;
  for (const auto& [name, value] : grids["sine.x"]["arrays"].items())
    if (name.find("worst instant (mm)") != std::string::npos) field = value;
  EXPECT_GE(field, tip * (1 - 1e-3));
  EXPECT_LE(field, tip * 1.1);
}

struct Trouble {
  const char* name;
  const char* before;    // shell commands
  const char* sentence;  // on stderr
};

TEST(Figures, AreWholeOrAbsentWhateverGoesWrong) {
  const Trouble troubles[] = {
      {"a gnuplot that fails", "printf '#!/bin/sh\\nexit 1\\n' >bin/gnuplot", "gnuplot ended with status 1"},
      {"one that writes nothing and says nothing", "printf '#!/bin/sh\\ncat >/dev/null\\n' >bin/gnuplot",
       "gnuplot wrote no whole figure"},
      {"one that writes half",
       "printf '#!/bin/sh\\ntimeout 1 head -c 900 >part; for f in '\"$PWD\"'/.*/figures; do head -c "
       "2000 /dev/zero >$f/margins.svg.partial; done\\n' >bin/gnuplot",
       "gnuplot wrote no whole figure"},
      {"no typeface", "export FONTCONFIG_FILE=$PWD/none.conf; echo '<fontconfig/>' >none.conf", "need a typeface"},
  };
  for (const Trouble& trouble : troubles) {
    SCOPED_TRACE(trouble.name);
    const TemporaryFolder folder;
    (void)folder.write("mast.yaml", example("mast.yaml"));
    const Ran ran = run_shell(folder, std::string("mkdir bin; ") + trouble.before +
                                          "; chmod +x bin/* 2>/dev/null; PATH=$PWD/bin:$PATH '" + AVRENK_PROGRAM +
                                          "' run mast.yaml");
    EXPECT_EQ(ran.status, 4);
    EXPECT_THAT(ran.err, AllOf(HasSubstr("the results hold no figures"), HasSubstr(trouble.sentence)));
    EXPECT_THAT(listing(folder / "mast-results"),
                AllOf(HasSubstr("summary.json"), HasSubstr("report.html"), Not(HasSubstr("figures/"))));
    EXPECT_THAT(test::read_all(folder / "mast-results/report.html"), HasSubstr("the results hold no figures"));
  }
}

TEST(Figures, LeaveNothingOnAFullDisk) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  // Files of at most 40 kB: the report does not fit.
  const Ran ran = run_shell(folder, std::string("trap '' XFSZ; ulimit -f 40; '") + AVRENK_PROGRAM + "' run mast.yaml");
  EXPECT_EQ(ran.status, 4) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("cannot be written"));
  EXPECT_THAT(listing(folder.path()), Not(HasSubstr("results")));
}

TEST(Report, TakesTheUsersWordsLiterally) {
  const TemporaryFolder folder;
  const std::string words = "Tower `touch owned` $(touch owned) <b>bold</b> it's \\\"here\\\"";
  (void)folder.write("mast.yaml", replaced(example("mast.yaml"), "title: ", "title: \"" + words + "\" # "));
  const Ran ran = run_program(folder, "run mast.yaml --set \"damping.otherwise=2 %\"");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_FALSE(std::filesystem::exists(folder / "owned"));
  EXPECT_THAT(test::read_all(folder / "mast-results/report.md"), HasSubstr("with --set \"damping.otherwise=2 %\""));
  EXPECT_THAT(
      test::read_all(folder / "mast-results/report.html"),
      AllOf(HasSubstr("Tower `touch owned` $(touch owned) &lt;b&gt;bold&lt;/b&gt;"), Not(HasSubstr("<b>bold"))));
}

// Words of a text with one space between them.
std::string collapsed(const std::string& text) {
  std::istringstream words(text);
  std::string all;
  for (std::string word; words >> word;) all += word + ' ';
  return all;
}

// What a page shows for a piece of it.
std::string shown_text(std::string html) {
  html = std::regex_replace(html, std::regex("<[^>]*>"), "");
  for (const auto& [entity, letter] :
       {std::pair{"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", "\""}, {"&#39;", "'"}, {"&amp;", "&"}})
    html = std::regex_replace(html, std::regex(entity), letter);
  return html;
}

// A table of a page: names of its columns and its cells, as shown.
struct ShownTable {
  std::string caption;
  std::vector<std::string> columns;
  std::vector<std::vector<std::string>> rows;
};
std::vector<ShownTable> tables_of_page(const std::string& page) {
  const auto pieces = [](const std::string& text, const std::string& open, const std::string& close) {
    std::vector<std::string> all;
    for (std::size_t at = 0; (at = text.find(open, at)) != std::string::npos;) {
      const std::size_t from = text.find('>', at) + 1, to = text.find(close, from);
      all.push_back(text.substr(from, to - from));
      at = to;
    }
    return all;
  };
  std::vector<ShownTable> tables;
  for (const std::string& table : pieces(page, "<table", "</table>")) {
    ShownTable shown{shown_text(pieces(table, "<caption", "</caption>").at(0)), {}, {}};
    const std::string unitless = std::regex_replace(table, std::regex(" <span class=\"unit\">[^<]*</span>"), "");
    for (const std::string& column : pieces(unitless, "<th scope=\"col\"", "</th>"))
      shown.columns.push_back(shown_text(column));
    for (const std::string& row : pieces(pieces(table, "<tbody", "</tbody>").at(0), "<tr", "</tr>")) {
      std::vector<std::string> cells{shown_text(pieces(row, "<th scope=\"row\"", "</th>").at(0))};
      for (const std::string& cell : pieces(row, "<td", "</td>")) cells.push_back(shown_text(cell));
      shown.rows.push_back(cells);
    }
    tables.push_back(shown);
  }
  return tables;
}

// Whether a shown cell is this one of summary.json: the same text, or a rounding of the number.
bool shows(const std::string& text, const Json& cell) {
  if (cell.is_string()) return text == cell.get<std::string>();
  if (cell.is_null()) return text == "–" || text == "∞" || text == "−∞";
  const double value = cell.get<double>();
  std::size_t used = 0;
  double shown = 0;
  try {
    shown = std::stod(text, &used);
  } catch (const std::exception&) {
    return false;
  }
  if (used != text.size()) return false;
  const std::size_t exponent = std::min(text.find('e'), text.size()), point = std::min(text.find('.'), exponent);
  const auto decimals = static_cast<double>(point < exponent ? exponent - point - 1 : 0);
  const double power = exponent < text.size() ? std::stod(text.substr(exponent + 1)) : 0;
  return std::abs(shown - value) <= 0.51 * std::pow(10, power - decimals) + 1e-8 * std::abs(value);
}

// Whatever table the report or the terminal shows, its rows are those of summary.json, rounded, and those of the CSV:
// of a model that is preloaded, of static cases, of sine and random loads, of materials' life, of several bases.
TEST(Report, HasTheTablesOfTheTerminalTheSummaryAndTheFiles) {
  const TemporaryFolder folder;
  std::size_t in_terminal = 0;
  for (const std::string name :
       {"box-on-rubber", "strut-between-fixtures", "wheel-out-of-balance", "electronics-box"}) {
    SCOPED_TRACE(name);
    (void)folder.write(name + ".yaml", example(name + ".yaml"));
    const Ran ran = run_program(folder, "run " + name + ".yaml --full --audit 2");
    ASSERT_LE(ran.status, 1) << ran.err;
    const std::string results = name + "-results/";
    const Json summary = Json::parse(test::read_all(folder / (results + "summary.json")));
    for (const auto& [key, table] : summary["tables"].items()) {
      SCOPED_TRACE(key);
      std::ostringstream csv;
      const auto field = [&](const std::string& text, std::size_t column) {
        const bool plain = text.find_first_of(",\"\n") == std::string::npos;
        csv << (column > 0 ? "," : "")
            << (plain ? text : "\"" + std::regex_replace(text, std::regex("\""), "\"\"") + "\"");
      };
      std::size_t c = 0;
      for (const Json& column : table["columns"]) {
        const std::string unit = column.value("unit", "");
        field(column["name"].get<std::string>() + (unit.empty() ? "" : " (" + unit + ")"), c++);
      }
      csv << '\n';
      for (const Json& row : table["rows"]) {
        c = 0;
        for (const Json& cell : row)
          field(cell.is_string() ? cell.get<std::string>()
                : cell.is_null() ? ""
                                 : fmt::format("{:.9g}", cell.get<double>()),
                c++);
        csv << '\n';
      }
      EXPECT_EQ(test::read_all(folder / (results + "tables/" + key + ".csv")), csv.str());
    }
    // Digests of the report's own, whose numbers are those of no one row: of profiles, of springs, of what bounds the
    // numbers, and the two axes of an environment beside each other.
    const std::regex digest("Profile .*|Springs as .*|What bounds the numbers|.* dB: (peaks|RMS).*");
    const std::string printed = collapsed(ran.out);
    for (const ShownTable& table : tables_of_page(test::read_all(folder / (results + "report.html")))) {
      SCOPED_TRACE(table.caption);
      for (const std::vector<std::string>& row : table.rows) {
        bool found = std::regex_match(table.caption, digest);
        for (const auto& [key, of] : summary["tables"].items()) {
          std::vector<std::size_t> places;
          for (const std::string& column : table.columns)
            for (std::size_t c = 0; c < of["columns"].size(); ++c)
              if (of["columns"][c]["name"] == column && places.size() < row.size()) {
                places.push_back(c);
                break;
              }
          if (places.size() != row.size()) continue;
          for (const Json& cells : of["rows"]) {
            bool same = true;
            for (std::size_t k = 0; k < row.size() && same; ++k) same = shows(row[k], cells[places[k]]);
            found = found || same;
          }
        }
        EXPECT_TRUE(found) << testing::PrintToString(row);
      }
      // Under the same heading the terminal has the same rows, or the first of them.
      const std::size_t at = printed.find(" " + collapsed(table.caption));
      if (at == std::string::npos || table.rows.empty()) continue;
      std::string first;
      for (const std::string& cell : table.rows.front()) first += cell + ' ';
      EXPECT_NE(printed.find(collapsed(first), at), std::string::npos) << first;
      ++in_terminal;
    }
  }
  EXPECT_GT(in_terminal, 30U);
}

}  // namespace
}  // namespace avrenk
