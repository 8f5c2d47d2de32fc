#include "figures/scene.h"

#include <gtest/gtest.h>
#include <zlib.h>

#include <cmath>

#include "figures/model_pictures.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::Vector3d;

const Colour pure_red{0.9, 0.1, 0.1}, pure_blue{0.1, 0.1, 0.9};

// Pixels in which one channel is far above the other two.
struct Count {
  int red = 0, blue = 0, white = 0;
  double red_x = 0, blue_x = 0;  // mean column
};
Count count_of(const Image& image) {
  Count count;
  for (int y = 0; y < image.height; ++y)
    for (int x = 0; x < image.width; ++x) {
      const unsigned char* p = image.pixels.data() + 3 * (y * image.width + x);
      if (p[0] > 150 && p[1] < 60 && p[2] < 60) {
        ++count.red;
        count.red_x += x;
      } else if (p[2] > 150 && p[1] < 60 && p[0] < 60) {
        ++count.blue;
        count.blue_x += x;
      } else if (p[0] == 255 && p[1] == 255 && p[2] == 255) {
        ++count.white;
      }
    }
  count.red_x /= std::max(count.red, 1);
  count.blue_x /= std::max(count.blue, 1);
  return count;
}

Picture bare() {
  Picture picture;
  picture.width = 400;
  picture.height = 300;
  picture.triad = false;
  return picture;
}

// A square in the plane x = at, and one that cuts through it.
int add_square(Scene& scene, const Vector3d& centre, const Vector3d& u, const Vector3d& v, const Colour& colour) {
  const int a = scene.add(centre - u - v), b = scene.add(centre + u - v), c = scene.add(centre + u + v),
            d = scene.add(centre - u + v);
  scene.faces.push_back({{a, b, c, d}, scene.add_paint(colour)});
  return a;
}

TEST(Scene, ShowsWhatIsNearestAtEveryPoint) {
  const View front{0, 0};  // from +x: y to the right, z up
  Scene scene;
  add_square(scene, {0, 0, 0}, Vector3d::UnitY(), Vector3d::UnitZ(), pure_red);
  add_square(scene, {-1, 0, 0}, Vector3d::UnitY(), Vector3d::UnitZ(), pure_blue);
  const Count hidden = count_of(draw(scene, bare(), front)), behind = count_of(draw(scene, bare(), {180, 0}));
  EXPECT_GT(hidden.red, 10000);
  EXPECT_EQ(hidden.blue, 0);
  EXPECT_GT(behind.blue, 10000);  // seen from the other side
  EXPECT_EQ(behind.red, 0);
  // Two squares that cut each other along z: from the front each is seen on one half. A painter that sorts whole faces
  // by depth shows only one of them.
  Scene crossing;
  add_square(crossing, {0, 0, 0}, Vector3d(1, 1, 0), Vector3d::UnitZ(), pure_red);
  add_square(crossing, {0, 0, 0}, Vector3d(-1, 1, 0), Vector3d::UnitZ(), pure_blue);
  const Count both = count_of(draw(crossing, bare(), front));
  EXPECT_NEAR(both.red, both.blue, 0.02 * both.red);
  EXPECT_GT(both.red_x, both.blue_x + 50);  // the red one comes forward on the right
}

TEST(Scene, FitsWhateverItsSizeAndShowsTheWholeOfItsColours) {
  for (const double size : {1e-3, 1.0, 1e4}) {
    Scene scene;
    add_square(scene, {5 * size, 0, 0}, size * Vector3d::UnitY(), size * Vector3d::UnitZ(), pure_red);
    const Count count = count_of(draw(scene, bare(), {0, 0}));
    EXPECT_GT(count.red, 0.25 * 400 * 300) << size;
    EXPECT_GT(count.white, 400);  // and stays inside
  }
  Picture with_bar = bare();
  with_bar.width = 1280;
  with_bar.height = 800;
  with_bar.bar = ColourBar{"Displacement (mm)", 0, 12};
  with_bar.title = "A title";
  with_bar.marks = {{Vector3d(0, 1, 1), "12 mm, tip"}};
  Scene graded;
  for (const double value : {0.0, 1.0}) {
    (void)graded.add(Vector3d(0, 2 * value - 1, -1), value);
    (void)graded.add(Vector3d(0, 2 * value - 1, 1), value);
  }
  graded.faces.push_back({{0, 1, 3, 2}, Scene::by_value});
  const Image image = draw(graded, with_bar, {0, 0});
  // Along the middle row lightness grows to the right without a step back.
  double last = 0;
  int shades = 0;
  for (int x = 0; x < image.width - 240; ++x) {
    const unsigned char* p = image.pixels.data() + 3 * (450 * image.width + x);
    if (p[0] == 255 && p[1] == 255 && p[2] == 255) continue;
    const double light = 0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2];
    EXPECT_GE(light, last - 1.5) << x;
    shades += light > last;
    last = std::max(light, last);
  }
  EXPECT_GT(shades, 60);
}

TEST(FieldColour, IsEvenInLightness) {
  // Lightness L* of CIE 1976 from sRGB, another measure than the one the colours were made by: steps within a third.
  const auto lightness = [](const Colour& c) {
    const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    const double y = 0.2126 * linear(c.red) + 0.7152 * linear(c.green) + 0.0722 * linear(c.blue);
    return 116 * std::cbrt(y) - 16;
  };
  const double whole = lightness(field_colour(1)) - lightness(field_colour(0));
  EXPECT_GT(whole, 55);
  for (int i = 0; i < 10; ++i)
    EXPECT_NEAR((lightness(field_colour(0.1 * (i + 1))) - lightness(field_colour(0.1 * i))) / whole, 0.1, 0.034) << i;
}

// Chunks of a PNG, each with its own checksum.
std::vector<std::pair<std::string, std::string>> chunks_of(const std::string& png) {
  std::vector<std::pair<std::string, std::string>> chunks;
  const auto number = [&](std::size_t at) {
    std::uint32_t value = 0;
    for (std::size_t i = 0; i < 4; ++i) value = value << 8 | static_cast<unsigned char>(png[at + i]);
    return value;
  };
  EXPECT_EQ(png.substr(0, 8), "\x89PNG\r\n\x1a\n");
  for (std::size_t at = 8; at + 12 <= png.size();) {
    const std::size_t length = number(at);
    const std::string body = png.substr(at + 4, length + 4);
    EXPECT_EQ(crc32(0, reinterpret_cast<const Bytef*>(body.data()), static_cast<uInt>(body.size())),
              number(at + 8 + length));
    chunks.emplace_back(body.substr(0, 4), body.substr(4));
    at += length + 12;
  }
  return chunks;
}

// The pixels of a picture in 256 colours.
std::vector<unsigned char> pixels_of_png(const std::string& file, std::size_t width, std::size_t height) {
  const auto chunks = chunks_of(file);
  EXPECT_EQ(chunks.size(), 4U);
  EXPECT_EQ(chunks[1].first, "PLTE");
  std::string raw((width + 1) * height, '\0');
  uLongf size = raw.size();
  EXPECT_EQ(
      uncompress(reinterpret_cast<Bytef*>(raw.data()), &size, reinterpret_cast<const Bytef*>(chunks[2].second.data()),
                 static_cast<uLong>(chunks[2].second.size())),
      Z_OK);
  EXPECT_EQ(size, raw.size());
  std::vector<unsigned char> pixels;
  for (std::size_t k = 0; k < raw.size(); ++k) {
    if (k % (width + 1) == 0) {
      EXPECT_EQ(raw[k], 0) << "no filter";
      continue;
    }
    for (std::size_t c = 0; c < 3; ++c)
      pixels.push_back(static_cast<unsigned char>(chunks[1].second.at(3 * static_cast<unsigned char>(raw[k]) + c)));
  }
  return pixels;
}

// Few colours are kept as they are; of 20 000 the most frequent are, and no other is off by more than a shade.
TEST(Png, HoldsItsImagesAndTheirChecksums) {
  Image image{3, 2, {255, 0, 0, 0, 255, 0, 0, 0, 255, 1, 2, 3, 4, 5, 6, 7, 8, 9}};
  EXPECT_EQ(pixels_of_png(to_png(image), 3, 2), image.pixels);
  Image shades{200, 150, {}};
  for (int y = 0; y < 150; ++y)
    for (int x = 0; x < 200; ++x) {
      const bool white = y < 50;
      for (const int channel : {x + 30, y + 60, 200 - x / 2})
        shades.pixels.push_back(static_cast<unsigned char>(white ? 255 : channel));
    }
  const std::vector<unsigned char> shown = pixels_of_png(to_png(shades), 200, 150);
  ASSERT_EQ(shown.size(), shades.pixels.size());
  int largest = 0;
  for (std::size_t k = 0; k < shown.size(); ++k) {
    const int off = std::abs(shown[k] - shades.pixels[k]);
    if (k < 3U * 200 * 50) {
      EXPECT_EQ(off, 0);
    }
    largest = std::max(largest, off);
  }
  EXPECT_GT(largest, 0);
  EXPECT_LE(largest, 12);
  std::string kinds;
  for (const auto& [kind, content] : chunks_of(to_animated_png({image, image, image}, 50))) kinds += kind + " ";
  EXPECT_EQ(kinds, "IHDR acTL fcTL IDAT fcTL fdAT fcTL fdAT IEND ");
}

TEST(ModelScene, IsAsLargeAsTheModelAndMovesWithIt) {
  const test::Solved solved(test::portal(0.05), test::count(12), {});
  const Scene still = model_scene(solved.assembly, {});
  EXPECT_EQ(model_legend(solved.assembly).size(), solved.assembly.parts.size() + solved.assembly.masses.size() +
                                                      std::set<std::string>([&] {
                                                        std::set<std::string> names;
                                                        for (const Spring& spring : solved.assembly.springs)
                                                          names.insert(spring.joint);
                                                        return names;
                                                      }())
                                                          .size());
  Vector3d low = Vector3d::Constant(HUGE_VAL), high = -low;
  for (const Vector3d& point : still.points) {
    low = low.cwiseMin(point);
    high = high.cwiseMax(point);
  }
  const double size = model_size(solved.assembly);
  EXPECT_GE((high - low).maxCoeff(), size);
  EXPECT_LE((high - low).maxCoeff(), 1.4 * size);  // sections, spheres and feet reach a little further
  for (const auto& face : still.faces)
    for (const int corner : face.corners) EXPECT_LT(corner, static_cast<int>(still.points.size()));
  // A rigid translation moves every point but those of the feet by the same; values are all at the light end.
  NodeMotions motions = NodeMotions::Zero(6, static_cast<Eigen::Index>(solved.assembly.nodes.size()));
  motions.row(0).setConstant(0.01);
  const Scene moved = model_scene(solved.assembly, {&motions, 2, 0.01, false});
  ASSERT_EQ(moved.points.size(), still.points.size());
  std::size_t followed = 0;
  for (std::size_t i = 0; i < still.points.size(); ++i)
    followed += (moved.points[i] - still.points[i] - Vector3d(0.02, 0, 0)).norm() < 1e-12 &&
                std::abs(moved.values[i] - 1) < 1e-12;
  EXPECT_EQ(followed, still.points.size() - 8 * solved.assembly.feet().size());
}

// Each load is seen: arrows end where it acts (before a body that hides the node), point along it, and stand for all
// that lie near; in front of what would hide them.
TEST(ModelScene, ShowsWhereLoadsAct) {
  Assembly model = test::portal(0.05);
  const int arm = model.links[0].follow[0];
  LoadColumn push, along;
  push.on_nodes[2] << 0, 0, -3, 0, 2, 0;
  push.on_nodes[arm] << 3, 0, 0, 0, 0, 0;
  for (int beam = 0; beam < static_cast<int>(model.beams.size()); ++beam) along.on_beams[beam] = Vector3(0, 5, 0);
  for (const auto& [name, column] : {std::pair{"push", push}, {"along", along}}) {
    Load load;
    load.name = name;
    load.columns = {column};
    load.factors = {1};
    model.loads.push_back(load);
  }
  const std::vector<LoadArrow> arrows = load_arrows(model);
  const double length = 0.09 * model_size(model);
  int forces = 0, moments = 0, lines = 0;
  for (const LoadArrow& arrow : arrows) {
    EXPECT_NEAR((arrow.to - arrow.from).norm(), length, 1e-12);
    if (arrow.load == 1) {
      ++lines;
      EXPECT_NEAR((arrow.to - arrow.from).y(), length, 1e-12);
    } else if (arrow.moment) {
      ++moments;
      EXPECT_LE((arrow.to - model.position(2)).norm(), 1e-12);
    } else {
      ++forces;
      EXPECT_LE((arrow.to - model.position(arrow.from.x() < arrow.to.x() - 1e-9 ? arm : 2)).norm(),
                0.1 * model_size(model));
    }
  }
  EXPECT_EQ(forces, 2);
  EXPECT_EQ(moments, 1);
  EXPECT_GT(lines, 3);
  EXPECT_LE(lines, static_cast<int>(model.beams.size()));
  const auto red = [&](const Assembly& drawn) { return count_of(model_picture(drawn, "", Show(), {})).red; };
  Assembly bare = model;
  bare.loads.clear();
  EXPECT_GT(red(model), red(bare) + 300);
}

TEST(ModelPictures, MoveInAnimationAndStandStillInTheModel) {
  const test::Solved solved(test::portal(0.05), test::count(12), {});
  const Show show;
  const PictureSource source{solved.assembly, solved.system, solved.basis, solved.damping, "Portal", show};
  const std::vector<Image> cycle = mode_animation(source, 0, 4);
  ASSERT_EQ(cycle.size(), 4U);
  EXPECT_EQ(cycle[1].pixels, cycle[3].pixels);  // both pass through the shape as built
  EXPECT_NE(cycle[0].pixels, cycle[2].pixels);
  const Image page = mode_sheet(source);
  EXPECT_GT(page.height, page.width / 2);
  EXPECT_EQ(draw(model_scene(solved.assembly, {}), bare()).pixels,
            draw(model_scene(solved.assembly, {}), bare()).pixels);
}

}  // namespace
}  // namespace avrenk
