#include "files/vtu.h"
#include "core/modes/modal_basis.h"

#include <gmock/gmock.h>

#include <cstdlib>
#include <cstring>

#include "core/error.h"
#include "files/base64.h"
#include "support/models.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using testing::HasSubstr;

void expect_same(const Grid& one, const Grid& two, double tolerance) {
  ASSERT_EQ(one.points.size(), two.points.size());
  for (std::size_t i = 0; i < one.points.size(); ++i) EXPECT_LE((one.points[i] - two.points[i]).norm(), tolerance);
  EXPECT_EQ(one.connectivity, two.connectivity);
  EXPECT_EQ(one.offsets, two.offsets);
  EXPECT_EQ(one.types, two.types);
  for (const auto& [mine, other] :
       {std::pair{&one.point_arrays, &two.point_arrays}, {&one.cell_arrays, &two.cell_arrays}}) {
    ASSERT_EQ(mine->size(), other->size());
    for (std::size_t a = 0; a < mine->size(); ++a) {
      EXPECT_EQ((*mine)[a].name, (*other)[a].name);
      EXPECT_EQ((*mine)[a].components, (*other)[a].components);
      EXPECT_EQ((*mine)[a].values, (*other)[a].values);
      EXPECT_EQ((*mine)[a].texts, (*other)[a].texts);
    }
  }
}

TEST(Base64, IsThatOfTheStandard) {
  // RFC 4648, section 10.
  for (const auto& [bytes, text] : {std::pair<const char*, const char*>{"", ""},
                                    {"f", "Zg=="},
                                    {"fo", "Zm8="},
                                    {"foo", "Zm9v"},
                                    {"foob", "Zm9vYg=="},
                                    {"fooba", "Zm9vYmE="},
                                    {"foobar", "Zm9vYmFy"}}) {
    EXPECT_EQ(base64(bytes), text);
    EXPECT_EQ(bytes_of_base64(text), bytes);
  }
  for (const char* bad : {"Zg=", "Z===", "Zg==Zg==", "Zm9v!A==", "=Zg="}) EXPECT_FALSE(bytes_of_base64(bad)) << bad;
}

TEST(Vtu, ReadsWhatItWrote) {
  const test::Solved solved(test::portal(0.05), test::count(6), {});
  const Show show;
  Grid grid = model_grid(solved.assembly, show);
  const NodeMotions motions = node_motions(solved.system, solved.basis, Eigen::VectorXd::Unit(solved.basis.size(), 2));
  grid.point_arrays.push_back(
      displacement_array("mode 3, <odd> & \"named\": displacement (mm)", solved.assembly, motions, 1e3));
  EXPECT_EQ(std::count(grid.types.begin(), grid.types.end(), Grid::vertex), std::ssize(solved.assembly.masses));
  expect_same(read_vtu(to_vtu(grid), "own.vtu"), grid, 0);
  // More than one block of compressed data.
  Grid large;
  for (int i = 0; i < 90000; ++i) large.points.emplace_back(i, std::sin(i), -i);
  expect_same(read_vtu(to_vtu(large), "large.vtu"), large, 0);
}

// One tetrahedron and one quadrilateral, with every way to store an array.
std::string file(const std::string& attributes, const std::string& points, const std::string& rest) {
  return "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" " + attributes +
         ">\n<UnstructuredGrid><Piece NumberOfPoints=\"5\" NumberOfCells=\"2\"><Points>" + points +
         "</Points><Cells>"
         "<DataArray type=\"Int32\" Name=\"connectivity\" format=\"ascii\">0 1 2 3  1 2 3 4</DataArray>"
         "<DataArray type=\"Int32\" Name=\"offsets\" format=\"ascii\">4 8</DataArray>"
         "<DataArray type=\"UInt8\" Name=\"types\" format=\"ascii\">10 9</DataArray></Cells><CellData>"
         "<Array type=\"String\" Name=\"part\" format=\"ascii\">114 105 98 0 108 105 100 0</Array>"
         "</CellData></Piece></UnstructuredGrid>" +
         rest + "</VTKFile>";
}
constexpr float coordinates[15] = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0.5F, -2.25F, 3e-3F};

std::string bytes_of(const void* data, std::size_t size) { return {static_cast<const char*>(data), size}; }

TEST(Vtu, ReadsEveryWayToStoreAnArray) {
  const std::string data = bytes_of(coordinates, sizeof coordinates);
  const std::uint32_t length = sizeof coordinates;
  const std::uint64_t long_length = sizeof coordinates;
  const std::string head = bytes_of(&length, 4), long_head = bytes_of(&long_length, 8);
  std::string turned, turned_head(head.rbegin(), head.rend());
  for (std::size_t i = 0; i < data.size(); i += 4)
    turned += std::string(data.rend() - static_cast<long>(i) - 4, data.rend() - static_cast<long>(i));
  const std::string array = "<DataArray type=\"Float32\" NumberOfComponents=\"3\" ";
  const std::string appended = array + "format=\"appended\" offset=\"3\"/>", inside = array + "format=\"binary\">";
  const std::string ascii = array + "format=\"ascii\">0 0 0 1 0 0 0 1 0 0 0 1 0.5\n-2.25 3e-3</DataArray>";
  const std::string raw = "<AppendedData encoding=\"raw\">\n  _abc" + head + data + "\n</AppendedData>";
  const std::string files[] = {
      file("", ascii, ""),
      file("byte_order=\"LittleEndian\"", inside + base64(head + data) + "</DataArray>", ""),
      file("", inside + "\n" + base64(head) + base64(data) + "\n</DataArray>", ""),
      file("header_type=\"UInt64\"", inside + base64(long_head + data) + "</DataArray>", ""),
      file("byte_order=\"BigEndian\"", inside + base64(turned_head + turned) + "</DataArray>", ""),
      file("", appended, raw),
      file("", array + "format=\"appended\" offset=\"0\"/>",
           "<AppendedData encoding=\"base64\">_" + base64(head + data) + base64(head + data) + "\n</AppendedData>"),
  };
  const Grid exact = read_vtu(files[0], "ascii.vtu");
  EXPECT_EQ(exact.types, (std::vector<std::uint8_t>{10, 9}));
  EXPECT_EQ(exact.offsets, (std::vector<std::int64_t>{4, 8}));
  EXPECT_EQ(exact.cell_arrays[0].texts, (std::vector<std::string>{"rib", "lid"}));
  for (std::size_t i = 0; i < 5; ++i)
    for (int d = 0; d < 3; ++d)
      EXPECT_NEAR(exact.points[i][d], static_cast<double>(coordinates[3 * i + static_cast<std::size_t>(d)]), 1e-9);
  for (const std::string& each : files) expect_same(read_vtu(each, "any.vtu"), exact, 1e-9);
}

TEST(Vtu, ReadsWhatAnIndependentWriterWrote) {
  const test::TemporaryFolder folder;
  (void)folder.write(
      "write.py",
      "import meshio, numpy\n"
      "points = numpy.array([[0,0,0],[1,0,0],[1,1,0],[0,1,0],[0,0,1],[1,0,1],[1,1,1],[0,1,1],[.5,.5,2]])\n"
      "cells = [('hexahedron', [[0,1,2,3,4,5,6,7]]), ('tetra', [[4,5,6,8],[4,6,7,8]])]\n"
      "mesh = meshio.Mesh(points, cells, point_data={'t': numpy.arange(27.).reshape(9,3)},\n"
      "                   cell_data={'part': [numpy.array([7]), numpy.array([8, 9])]})\n"
      "meshio.vtu.write('ascii.vtu', mesh, binary=False)\n"
      "meshio.vtu.write('plain.vtu', mesh, binary=True, compression=None)\n"
      "meshio.vtu.write('packed.vtu', mesh, binary=True, compression='zlib')\n");
  ASSERT_EQ(std::system(("cd '" + folder.path().string() + "' && /usr/bin/python3 write.py").c_str()), 0);
  const Grid exact = read_vtu(test::read_all(folder / "ascii.vtu"), "ascii.vtu");
  EXPECT_EQ(exact.types, (std::vector<std::uint8_t>{12, 10, 10}));
  EXPECT_EQ(exact.cell_arrays[0].values, (std::vector<double>{7, 8, 9}));
  EXPECT_EQ(exact.connectivity[15], 8);
  for (const char* name : {"plain.vtu", "packed.vtu"})
    expect_same(read_vtu(test::read_all(folder / name), name), exact, 1e-12);
}

TEST(Vtu, SaysWhatIsWrongWithAFile) {
  const std::string ascii =
      "<DataArray type=\"Float32\" NumberOfComponents=\"3\" format=\"ascii\">0 0 0 1 0 0 0 1 0 0 0 1 0.5 -2.25 "
      "3</DataArray>";
  const std::string good = file("", ascii, "");
  const auto changed = [&](const char* from, const char* to) { return test::replaced(good, from, to); };
  const std::pair<std::string, const char*> bad[] = {
      {"", "it is no VTU file, which is XML"},
      {good.substr(0, 300), "it is no VTU file, which is XML"},
      {"<other/>", "the outer element must be VTKFile"},
      {changed("type=\"UnstructuredGrid\"", "type=\"PolyData\""), "holds a \"PolyData\"; save it as UnstructuredGrid"},
      {changed("NumberOfPoints=\"5\"", "NumberOfPoints=\"2000000000\""), "holds 15 numbers where 6000000000 are due"},
      {changed("NumberOfCells=\"2\"", "NumberOfCells=\"99999999999\""), "more points or cells than"},
      {changed("0 1 2 3  1 2 3 4", "0 1 2 3  1 2 3 5"), "holds 5, which is not between 0 and 4"},
      {changed(">4 8<", ">4 9<"), "\"offsets\" does not fit"},
      {changed(">4 8<", ">8 4<"), "\"offsets\" does not fit"},
      {changed("-2.25", "two"), "holds \"two\", which is no number"},
      {changed("-2.25", "nan"), "point 4 has no finite position"},
      {changed("Float32", "Float16"), "is of type \"Float16\""},
      {changed(" 108 105 100 0", ""), "holds 1 texts where 2 are due"},
      {file("", "<DataArray type=\"Float32\" NumberOfComponents=\"3\" format=\"appended\" offset=\"70\"/>",
            "<AppendedData encoding=\"raw\">_abc</AppendedData>"),
       "begins behind the end"},
      {file("compressor=\"vtkLZ4DataCompressor\"", ascii, ""), "save it with zlib"},
      {file("", "<DataArray type=\"Float32\" Name=\"p\" NumberOfComponents=\"3\" format=\"binary\">!!!!</DataArray>",
            ""),
       "no base64"},
      {file("",
            "<DataArray type=\"Float32\" Name=\"p\" NumberOfComponents=\"3\" format=\"binary\">" +
                base64(std::string("\xff\xff\xff\x7f", 4)) + "</DataArray>",
            ""),
       "is cut short"},
      // A header that claims a block of two gigabytes from sixteen bytes.
      {file("compressor=\"vtkZLibDataCompressor\"",
            "<DataArray type=\"Float32\" Name=\"p\" NumberOfComponents=\"3\" format=\"binary\">" +
                base64(std::string("\1\0\0\0\xff\xff\xff\x7f\0\0\0\0\x10\0\0\0", 16)) + base64(std::string(16, 'x')) +
                "</DataArray>",
            ""),
       "claims more data than it can hold"},
  };
  for (const auto& [bytes, sentence] : bad) {
    try {
      (void)read_vtu(bytes, "mesh.vtu");
      ADD_FAILURE() << sentence;
    } catch (const FileError& error) {
      EXPECT_THAT(error.what(), HasSubstr(sentence));
      EXPECT_THAT(error.what(), HasSubstr("mesh.vtu: "));
    }
  }
  // Cut or damaged anywhere, a file is refused or read, and nothing worse.
  const test::Solved solved(test::portal(0.05), test::count(2), {});
  const std::string whole = to_vtu(model_grid(solved.assembly, Show()));
  for (std::size_t at = 0; at < whole.size(); at += 61) {
    std::string damaged = whole;
    damaged[at] = static_cast<char>(damaged[at] ^ 0x15);
    for (const std::string& each : {whole.substr(0, at), damaged}) {
      try {
        (void)read_vtu(each, "mesh.vtu");
      } catch (const FileError&) {
      }
    }
  }
}

}  // namespace
}  // namespace avrenk
