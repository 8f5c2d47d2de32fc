// Components on files: back to the last bit, and what is no component.
#include "files/component_file.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <hdf5.h>
#include <hdf5_hl.h>

#include <array>
#include <cmath>
#include <functional>
#include <random>

#include "core/error.h"
#include "files/text_file.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using test::TemporaryFolder;
using testing::HasSubstr;

// Two nodes of three translations joined by a bar of awkward numbers, two coordinates, a point on the way.
ReducedModel bar() {
  ReducedModel model;
  model.interface = {Vector3(1.0 / 3, 0, 0), Vector3(1.0 / 3, 0.1, 0)};
  for (int node : {0, 1})
    for (int d : {0, 1, 2}) model.columns.push_back({node, d});
  model.columns.push_back({-1, 0});
  model.columns.push_back({-1, 0});
  model.stiffness = MatrixXd::Zero(8, 8);
  const double k = 1e7 / 7;
  model.stiffness(1, 1) = model.stiffness(4, 4) = k;
  model.stiffness(1, 4) = model.stiffness(4, 1) = -k;
  model.stiffness(6, 6) = 1e5 / 3;
  model.stiffness(7, 7) = 2e6 * std::sqrt(2);
  model.mass = MatrixXd::Identity(8, 8) / 3;
  model.mass(0, 6) = model.mass(6, 0) = 0.01 * M_PI;
  model.loss = 0.03 * model.stiffness;
  model.names = {"pcb, \"upper\" end"};
  model.points = {Vector3(1.0 / 3, 0.05, 0)};
  model.recovery = MatrixXd::Zero(6, 8);
  for (int d : {0, 1, 2}) model.recovery(d, d) = model.recovery(d, 3 + d) = 0.5;
  model.recovery(2, 6) = 0.1 * std::sqrt(3);
  model.bound = 1234.5;
  return model;
}

void expect_same(const ReducedModel& a, const ReducedModel& b) {
  EXPECT_EQ(a.stiffness, b.stiffness);
  EXPECT_EQ(a.mass, b.mass);
  EXPECT_EQ(a.loss, b.loss);
  EXPECT_EQ(a.dashpot.size(), b.dashpot.size());
  EXPECT_EQ(a.recovery, b.recovery);
  ASSERT_EQ(a.interface.size(), b.interface.size());
  for (std::size_t i = 0; i < a.interface.size(); ++i) EXPECT_EQ(a.interface[i], b.interface[i]);
  ASSERT_EQ(a.columns.size(), b.columns.size());
  for (std::size_t i = 0; i < a.columns.size(); ++i) {
    EXPECT_EQ(a.columns[i].node, b.columns[i].node);
    EXPECT_EQ(a.columns[i].direction, b.columns[i].direction);
  }
  EXPECT_EQ(a.points[0], b.points[0]);
}

TEST(ComponentFile, ComesBackToTheLastBit) {
  const TemporaryFolder folder;
  const ReducedModel model = bar();
  write_component(folder / "bar.h5", model);
  const std::string bytes = read_text_file((folder / "bar.h5").string());
  const ReducedModel back = read_component(bytes, "bar.h5");
  expect_same(back, model);
  EXPECT_EQ(back.names, model.names);
  EXPECT_EQ(back.bound, model.bound);
  // Without its seal it is a file that somebody else wrote.
  expect_same(read_component(bytes.substr(0, bytes.rfind("\navrenk component")), "bar.h5"), model);
  // As text.
  ReducedModel texts;
  texts.stiffness = read_matrix_market(to_matrix_market(model.stiffness, "K"), "K.mtx");
  texts.mass = read_matrix_market(to_matrix_market(model.mass, "M"), "M.mtx");
  texts.loss = read_matrix_market(to_matrix_market(model.loss, "L"), "L.mtx");
  texts.recovery = read_matrix_market(to_matrix_market(model.recovery, "R"), "R.mtx");
  read_columns_table(columns_table(model), "columns.csv", texts);
  read_points_table(points_table(model), "points.csv", texts);
  expect_same(texts, model);
  EXPECT_EQ(why_invalid(texts), "");
}

TEST(ComponentFile, ThatIsNoneIsRefused) {
  const TemporaryFolder folder;
  write_component(folder / "bar.h5", bar());
  const std::string bytes = read_text_file((folder / "bar.h5").string());
  const auto refused = [](const std::string& content) {
    try {
      (void)read_component(content, "bar.h5");
    } catch (const FileError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  std::string changed = bytes;
  changed[changed.size() / 2] = static_cast<char>(changed[changed.size() / 2] ^ 1);
  EXPECT_THAT(refused(changed), HasSubstr("was changed after it was written"));
  EXPECT_THAT(refused(""), HasSubstr("no HDF5 file"));
  EXPECT_THAT(refused("no such thing"), HasSubstr("no HDF5 file"));
  EXPECT_THAT(refused(bytes.substr(0, bytes.size() / 3)), HasSubstr("no HDF5 file"));
  ReducedModel loose = bar();
  loose.stiffness(4, 4) *= 2;
  write_component(folder / "loose.h5", loose);
  EXPECT_THAT(refused(read_text_file((folder / "loose.h5").string())), HasSubstr("strains it"));
}

// A component of somebody else that takes a matrix from another file, by a link or as its storage, is none: nothing is
// read that nobody named. Nor is one with coordinates or entries that are no numbers to be meant, or sizes of which the
// first ones alone fit.
TEST(ComponentFile, ReadsNoOtherFilesAndOnlyNumbers) {
  const TemporaryFolder folder;
  write_component(folder / "bar.h5", bar());
  std::string bytes = read_text_file((folder / "bar.h5").string());
  bytes.resize(bytes.rfind("\navrenk component"));
  const auto refused = [&](const std::function<void(hid_t)>& change) {
    (void)folder.write("other.h5", bytes);
    const hid_t file = H5Fopen((folder / "other.h5").c_str(), H5F_ACC_RDWR, H5P_DEFAULT);
    change(file);
    H5Fclose(file);
    try {
      (void)read_component(read_text_file((folder / "other.h5").string()), "other.h5");
    } catch (const FileError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_EQ(refused([](hid_t) {}), "");
  const std::string bar_file = (folder / "bar.h5").string();
  EXPECT_THAT(refused([&](hid_t file) {
                H5Ldelete(file, "mass", H5P_DEFAULT);
                H5Lcreate_external(bar_file.c_str(), "/mass", file, "mass", H5P_DEFAULT, H5P_DEFAULT);
              }),
              HasSubstr("called \"mass\""));
  EXPECT_THAT(refused([&](hid_t file) {
                H5Ldelete(file, "mass", H5P_DEFAULT);
                const auto n = static_cast<hsize_t>(bar().size());
                const std::array<hsize_t, 2> size{n, n};
                const hid_t made = H5Pcreate(H5P_DATASET_CREATE), space = H5Screate_simple(2, size.data(), nullptr);
                H5Pset_external(made, bar_file.c_str(), 0, n * n * sizeof(double));
                H5Dclose(H5Dcreate2(file, "mass", H5T_NATIVE_DOUBLE, space, H5P_DEFAULT, made, H5P_DEFAULT));
                H5Sclose(space);
                H5Pclose(made);
              }),
              HasSubstr("called \"mass\""));
  const auto put = [](const char* name, MatrixXd matrix) {
    return [name, matrix = std::move(matrix)](hid_t file) {
      H5Ldelete(file, name, H5P_DEFAULT);
      const std::array<hsize_t, 2> size{static_cast<hsize_t>(matrix.cols()), static_cast<hsize_t>(matrix.rows())};
      H5LTmake_dataset_double(file, name, 2, size.data(), matrix.data());
    };
  };
  const ReducedModel model = bar();
  MatrixXd interface(3, std::ssize(model.interface)), mass = model.mass;
  for (Eigen::Index i = 0; i < interface.cols(); ++i) interface.col(i) = model.interface[static_cast<std::size_t>(i)];
  for (const double none : {std::nan(""), HUGE_VAL, 1e300}) {
    MatrixXd nowhere = interface, heavy = mass;
    nowhere(1, 0) = none;
    heavy(2, 2) = none;
    EXPECT_THAT(refused(put("interface", nowhere)), HasSubstr("lies nowhere"));
    EXPECT_THAT(refused(put("mass", heavy)), HasSubstr("the mass matrix has entries that are no numbers to be meant"));
    EXPECT_THAT(refused(put("bound", MatrixXd::Constant(1, 1, none))), HasSubstr("is no number to be meant"));
  }
  for (const MatrixXd& other : {MatrixXd(0, 0), MatrixXd(MatrixXd::Identity(1, 1)), MatrixXd(mass.leftCols(3))})
    EXPECT_THAT(refused(put("mass", other)), HasSubstr("motions are named"));
}

TEST(MatrixMarket, ReadsWhatTheStandardSays) {
  const MatrixXd due = (MatrixXd(3, 3) << 1, 2, 0, 2, 5, -0.5, 0, -0.5, 1e-3).finished();
  for (const char* text : {"%%MatrixMarket matrix coordinate real symmetric\n% a comment\n\n3 3 5\n1 1 1\n2 1 2.0\n2 2 "
                           "+5\n3 2 -5e-1\n3 3 1E-3\n",
                           "%%MatrixMarket MATRIX Coordinate Real General\n3 3 7\n1 1 1\n1 2 2\n2 1 2\n2 2 5\n2 3 "
                           "-0.5\n3 2 -0.5\n3 3 0.001\n",
                           "%%MatrixMarket matrix array real symmetric\n3 3\n1\n2\n0\n5\n-0.5\n0.001\n",
                           "%%MatrixMarket matrix array real general\n3 3\n1\n2\n0\n2\n5\n-0.5\n0\n-0.5\n0.001\n"})
    EXPECT_EQ(read_matrix_market(text, "K.mtx"), due) << text;
  EXPECT_EQ(read_matrix_market("%%MatrixMarket matrix coordinate integer skew-symmetric\n2 2 1\n2 1 3\n", "K.mtx"),
            (MatrixXd(2, 2) << 0, -3, 3, 0).finished());
  std::mt19937 random(3);
  std::normal_distribution<double> normal;
  MatrixXd any(7, 5);
  for (double& each : any.reshaped()) each = std::ldexp(normal(random), static_cast<int>(random() % 400) - 200);
  EXPECT_EQ(read_matrix_market(to_matrix_market(any, "any"), "any.mtx"), any);
}

TEST(MatrixMarket, SaysWhereItIsWrong) {
  const std::pair<const char*, const char*> cases[] = {
      {"", "K.mtx:1: no Matrix Market file"},
      {"%%MatrixMarket vector array real general\n", "K.mtx:1: no Matrix Market file"},
      {"%%MatrixMarket matrix array complex general\n1 1\n1 0\n", "K.mtx:1: \"array complex general\" is not read"},
      {"%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n", "K.mtx:5: the file ends before"},
      {"%%MatrixMarket matrix array real general\n1 1\n1\n2\n", "K.mtx:4: more entries"},
      {"%%MatrixMarket matrix array real general\n1 1\nnan\n", "K.mtx:3: \"nan\" is no finite number"},
      {"%%MatrixMarket matrix array real general\n1 1\nx\n", "K.mtx:3: \"x\" is no finite number"},
      {"%%MatrixMarket matrix array real symmetric\n2 3\n1\n", "K.mtx:2: a symmetric matrix is square"},
      {"%%MatrixMarket matrix array real general\n-1 1\n", "K.mtx:2: a size is a whole number"},
      {"%%MatrixMarket matrix array real general\n99999 99999\n1\n", "K.mtx:2: 99999 x 99999 is more"},
      {"%%MatrixMarket matrix array real general\n9999 9999\n1\n", "K.mtx:2: it announces more entries"},
      {"%%MatrixMarket matrix coordinate real general\n2 2 1\n3 1 1\n", "K.mtx:3: there is no entry (3, 1)"},
      {"%%MatrixMarket matrix coordinate real general\n2 2 1\n0 1 1\n", "K.mtx:3: there is no entry (0, 1)"},
      {"%%MatrixMarket matrix coordinate real symmetric\n2 2 1\n1 2 1\n", "K.mtx:3: of a symmetric matrix the lower"},
      {"%%MatrixMarket matrix coordinate real general\n2 2 1\n1 1\n", "K.mtx:3: the line has 2 numbers, 3 are due"}};
  for (const auto& [text, said] : cases) {
    try {
      (void)read_matrix_market(text, "K.mtx");
      ADD_FAILURE() << text;
    } catch (const FileError& error) {
      EXPECT_THAT(error.what(), HasSubstr(said)) << text;
    }
  }
  // Sixty bytes take no gigabytes where it is known what is due.
  EXPECT_THROW((void)read_matrix_market("%%MatrixMarket matrix coordinate real general\n20000 20000 0\n", "K.mtx",
                                        MatrixSize{6, 6}),
               FileError);
}

}  // namespace
}  // namespace avrenk
