#include "files/modes_file.h"

#include <gtest/gtest.h>
#include <hdf5.h>
#include <hdf5_hl.h>

#include <fstream>
#include <functional>

#include "files/hash.h"
#include "support/models.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using test::Solved;
using test::TemporaryFolder;

// A seal as the writer puts it, behind what HDF5 made of the file.
void reseal(const std::filesystem::path& file) {
  std::string bytes = test::read_all(file);
  if (const std::size_t old = bytes.rfind("\navrenk results, layout "); old != std::string::npos) bytes.resize(old);
  Hash hash;
  hash.bytes(bytes.data(), bytes.size());
  std::ofstream(file, std::ios::binary) << bytes
                                        << fmt::format("\navrenk results, layout {:04d}, checksum {}\n", modes_layout,
                                                       hash.text());
}

TEST(ModesFile, GivesBackTheSameBasisForTheSameModelOnly) {
  const ModeRequest request = test::count(7);
  Assembly model = test::portal(0.05);
  const Solved solved(model, request, test::ratio(0.02));
  const ModelPrint print = print_of(model, solved.system);
  const TemporaryFolder folder;
  const auto file = folder / "results.h5";
  write_modes(file, model, solved.system, solved.basis, print, request);
  const auto basis = read_modes(file, solved.system, print, request).basis;
  ASSERT_TRUE(basis);
  EXPECT_EQ(basis->modes, 7);
  EXPECT_EQ(basis->omega, solved.basis.omega);
  EXPECT_EQ(basis->shapes, solved.basis.shapes);
  EXPECT_EQ(basis->residual, solved.basis.residual);
  EXPECT_EQ(basis->rigid_mass, solved.basis.rigid_mass);
  EXPECT_EQ(basis->proven_below, solved.basis.proven_below);
  EXPECT_EQ(basis->statics.moves_rigidly, solved.basis.statics.moves_rigidly);
  ASSERT_EQ(basis->feet.size(), 2U);
  for (std::size_t foot = 0; foot < 2; ++foot) EXPECT_EQ(basis->feet[foot].inertia, solved.basis.feet[foot].inertia);
  EXPECT_EQ(damp(solved.system, *basis, test::ratio(0.02)).zeta, solved.damping.zeta);

  // How much damping there is is not part of the print; where it is, stiffness, mass and feet are, and what changed is
  // named.
  const auto why_not = [&](const auto& change, const ModeRequest& asked) {
    Assembly other = test::portal(0.05);
    change(other);
    const System system = make_system(other);
    const KeptModes kept = read_modes(file, system, print_of(other, system), asked);
    EXPECT_EQ(kept.basis.has_value(), kept.why_not.empty());
    return kept.why_not;
  };
  EXPECT_EQ(why_not([](Assembly& m) { m.materials[0].loss_factor = 0.3; }, request), "");
  EXPECT_EQ(why_not([](Assembly& m) { m.springs[0].dashpot.setConstant(3); }, request),
            "the model is assembled differently, or dampers act elsewhere");
  const std::string material = model.materials[0].name, part = model.parts[0].name, mass = model.masses[0].name;
  EXPECT_EQ(why_not([](Assembly& m) { m.materials[0].youngs_modulus *= 1 + 1e-12; }, request),
            "material " + material + " changed");
  EXPECT_EQ(why_not([](Assembly& m) { m.masses[0].mass += 1e-9; }, request), "mass " + mass + " changed");
  EXPECT_EQ(why_not([](Assembly& m) { m.bases[0].feet[0].holds[4] = false; }, request),
            "base " + model.bases[0].name + " changed");
  EXPECT_EQ(why_not(
                [](Assembly& m) {
                  m.parts[0].extra_mass += 1;
                  m.masses[0].name = "other";
                },
                request),
            "mass other is new, part " + part + " changed, mass " + mass + " is gone");
  // What is asked for: a basis that reaches further answers too.
  ModeRequest asked = request;
  EXPECT_NE(why_not([](Assembly&) {}, test::count(8)), "");
  asked.residual_vectors = !request.residual_vectors;
  EXPECT_NE(why_not([](Assembly&) {}, asked), "");
  asked = {0.9 * basis->proven_below, std::nullopt, request.residual_vectors, request.feet};
  EXPECT_EQ(why_not([](Assembly&) {}, asked), "");
  asked.up_to = 1.1 * basis->proven_below;
  EXPECT_NE(why_not([](Assembly&) {}, asked), "");
}

// With the products of a run the basis and the damping are what they were to the last bit, and no matrix is needed;
// those of another plan, of other modes, or damaged ones are not taken.
TEST(ModesFile, KeepsProductsForTheSamePlanAndModesOnly) {
  const ModeRequest request = test::count(7);
  Assembly model = test::portal(0.05);
  model.materials[0].loss_factor = 0.03;
  model.springs[0].dashpot = Vector6::Constant(40);
  Load push;
  push.name = "push";
  push.columns.resize(1);
  push.columns[0].on_nodes[3] = Vector6::LinSpaced(1, 6);
  model.loads.push_back(push);
  const Solved solved(model, request, test::ratio(0.02));
  const TemporaryFolder folder;
  const auto modes = folder / "results.h5", products = folder / "products.h5";
  const auto write_both = [&] {
    write_modes(modes, model, solved.system, solved.basis, print_of(model, solved.system), request);
    write_products(products, modes, "plan a", solved.basis, solved.damping.products, 1);
  };
  write_both();
  const System system = number_system(model);
  EXPECT_EQ(system.stiffness.ff.size() + system.mass.ff.size() + system.loss.ff.size(), 0) << "nothing is assembled";
  EXPECT_EQ(Eigen::MatrixXd(system.transformation), Eigen::MatrixXd(solved.system.transformation));
  EXPECT_EQ(Eigen::MatrixXd(system.loads), Eigen::MatrixXd(solved.system.loads));
  EXPECT_EQ(system.rigid, solved.system.rigid);
  const auto read = [&](const char* plan, const ModeRequest& asked) {
    return read_modes_and_products(modes, products, plan, system, asked);
  };
  const auto kept = read("plan a", request);
  ASSERT_TRUE(kept);
  const ModalBasis &basis = kept->first, &own = solved.basis;
  EXPECT_EQ(basis.shapes, own.shapes);
  EXPECT_EQ(basis.participation, own.participation);
  EXPECT_EQ(basis.rigid_participation, own.rigid_participation);
  EXPECT_EQ(basis.load_participation, own.load_participation);
  EXPECT_EQ(basis.rigid_mass, own.rigid_mass);
  ASSERT_EQ(basis.bases.size(), own.bases.size());
  ASSERT_EQ(basis.feet.size(), own.feet.size());
  for (auto part :
       {&SupportReaction::inertia, &SupportReaction::viscous, &SupportReaction::loss, &SupportReaction::general,
        &SupportReaction::mass, &SupportReaction::dashpot, &SupportReaction::stiffness, &SupportReaction::base_loss,
        &SupportReaction::base_general, &SupportReaction::loads}) {
    EXPECT_EQ(basis.bases[0].*part, own.bases[0].*part);
    for (std::size_t foot = 0; foot < own.feet.size(); ++foot) EXPECT_EQ(basis.feet[foot].*part, own.feet[foot].*part);
  }
  EXPECT_GT(own.feet[0].loads.norm() * own.feet[0].loss.norm(), 0) << "there is something to keep";
  const ModalDamping damping = damp(kept->second, basis, test::ratio(0.02));
  EXPECT_EQ(damping.viscous, solved.damping.viscous);
  EXPECT_EQ(damping.hysteretic, solved.damping.hysteretic);

  EXPECT_FALSE(read("plan b", request));
  EXPECT_FALSE(read("plan a", test::count(8)));
  const std::string whole = test::read_all(products);
  for (const std::string& content :
       {whole.substr(0, whole.size() - 1), whole.substr(1), std::string(), std::string("x"), test::read_all(modes)}) {
    std::ofstream(products, std::ios::binary) << content;
    EXPECT_FALSE(read("plan a", request));
  }
  std::filesystem::remove(products);
  EXPECT_FALSE(read("plan a", request));
  write_both();
  std::string changed = test::read_all(modes);
  changed[changed.size() / 2] ^= 1;
  std::ofstream(modes, std::ios::binary) << changed;
  EXPECT_FALSE(read("plan a", request)) << "modes that were changed";
  ModalBasis other = own;
  other.shapes *= -1;
  write_modes(modes, model, solved.system, other, print_of(model, solved.system), request);
  EXPECT_FALSE(read("plan a", request)) << "products of other modes";
}

// The shapes that other runs compare with are those of the basis.
TEST(ModesFile, TellsOtherReadersWhereEachRowIs) {
  const ModeRequest request = test::count(5);
  const Assembly model = test::portal(0.05);
  const Solved solved(model, request, test::ratio(0.02));
  const TemporaryFolder folder;
  const auto file = folder / "results.h5";
  write_modes(file, model, solved.system, solved.basis, print_of(model, solved.system), request);
  const KeptShapes kept = read_shapes(file);
  ASSERT_EQ(kept.modes.motions.size(), 5U);
  for (int r = 0; r < 5; ++r) {
    EXPECT_DOUBLE_EQ(kept.frequency[static_cast<std::size_t>(r)], solved.basis.frequency(r));
    const Eigen::MatrixXd motions =
        (solved.system.transformation.topRows(solved.system.free).transpose() * solved.basis.shapes.col(r))
            .reshaped(6, static_cast<Eigen::Index>(model.nodes.size()));
    for (Eigen::Index k = 0; k < kept.modes.points.cols(); ++k) {
      Eigen::Index node = 0;
      while (model.position(static_cast<int>(node)) != kept.modes.points.col(k)) ++node;
      EXPECT_LE((motions.col(node) - kept.modes.motions[static_cast<std::size_t>(r)].col(k)).norm(),
                1e-14 * motions.norm());
    }
  }
  EXPECT_THROW((void)read_shapes(folder / "none.h5"), FileError);
}

// The modes of a model, written to a file.
class WrittenModes : public testing::Test {
 protected:
  WrittenModes() { write_modes(file, model, solved.system, solved.basis, print, request); }

  [[nodiscard]] KeptModes read() const { return read_modes(file, solved.system, print, request); }
  void put(const std::string& content) const { std::ofstream(file, std::ios::binary) << content; }
  // What both readers have against the file; empty: nothing.
  [[nodiscard]] std::string said() const {
    std::string all = read().why_not;
    try {
      (void)read_shapes(file);
    } catch (const FileError& error) {
      all += std::string("; ") + error.what();
    }
    return all;
  }

  const ModeRequest request = test::count(4);
  const Assembly model = test::portal(0.05);
  const Solved solved{model, request, test::ratio(0.02)};
  const ModelPrint print = print_of(model, solved.system);
  const TemporaryFolder folder;
  const std::filesystem::path file = folder / "results.h5";
};

TEST_F(WrittenModes, AreNotTrustedWhenTheyAreDamaged) {
  const std::string whole = test::read_all(file);
  const auto taken = [&](const std::string& content) {
    put(content);
    return read().basis.has_value();
  };
  EXPECT_TRUE(taken(whole));
  EXPECT_FALSE(taken(""));
  EXPECT_FALSE(taken("frequency (Hz)\n12\n"));
  for (const double part : {0.1, 0.5, 0.9, 0.999})
    EXPECT_FALSE(taken(whole.substr(0, static_cast<std::size_t>(part * static_cast<double>(whole.size()))))) << part;
  // One byte of a shape changed: found by its own bytes in the file.
  const double entry = solved.basis.shapes(5, 2);
  const std::string bytes(reinterpret_cast<const char*>(&entry), sizeof entry);
  const std::size_t at = whole.find(bytes);
  ASSERT_NE(at, std::string::npos);
  std::string changed = whole;
  changed[at] = static_cast<char>(changed[at] ^ 1);
  EXPECT_FALSE(taken(changed));
  const KeptModes none = read_modes(folder / "nothing.h5", solved.system, print, request);
  EXPECT_FALSE(none.basis);
  EXPECT_EQ(none.why_not, "");
}

// Whatever byte is changed, whatever is cut off or added: no reader takes it, and HDF5 never sees it.
TEST_F(WrittenModes, AreSealedInAllTheirParts) {
  const std::string whole = test::read_all(file);
  const auto answers = [&](const std::string& content) {
    put(content);
    return said();
  };
  EXPECT_EQ(answers(whole), "");
  constexpr std::size_t seal = 80;  // the last line, which is looked for first
  for (std::size_t at = 0; at + seal < whole.size(); at += whole.size() / 97) {
    std::string content = whole;
    content[at] = static_cast<char>(content[at] ^ 0x10);
    const std::string both = answers(content);
    EXPECT_NE(both.find("the file was changed after"), std::string::npos) << at << both;
    EXPECT_NE(both.find("results.h5: was changed after"), std::string::npos) << at << both;
    EXPECT_NE(answers(whole.substr(0, at)).find("cut short"), std::string::npos) << at;
  }
  EXPECT_NE(answers(whole + "\n").find("cut short or changed"), std::string::npos);
  const std::size_t layout = whole.rfind("layout ") + 10;
  std::string content = whole;
  content[layout] = '3';
  EXPECT_NE(answers(content).find("another version"), std::string::npos);
}

// Behind a seal that is whole: HDF5 of other kinds and sizes than ours is not taken either.
TEST_F(WrittenModes, AreLookedAtBehindTheirSeal) {
  const std::string whole = test::read_all(file);
  const auto answers = [&](const std::function<void(hid_t)>& change) {
    put(whole);
    const hid_t id = H5Fopen(file.c_str(), H5F_ACC_RDWR, H5P_DEFAULT);
    change(id);
    H5Fclose(id);
    reseal(file);
    return said();
  };
  EXPECT_EQ(answers([](hid_t) {}), "");
  const auto reshaped = [](const char* name) {
    return [name](hid_t id) {
      H5Adelete_by_name(id, "/", name, H5P_DEFAULT);
      const std::vector<int> many(100000, 3);
      H5LTset_attribute_int(id, "/", name, many.data(), many.size());
    };
  };
  for (const char* name : {"feet", "fingerprint"}) EXPECT_NE(answers(reshaped(name)), "") << name;
  EXPECT_NE(answers([](hid_t id) {  // a text of any length
              H5Adelete_by_name(id, "/", "fingerprint", H5P_DEFAULT);
              const hid_t type = H5Tcopy(H5T_C_S1), space = H5Screate(H5S_SCALAR);
              H5Tset_size(type, H5T_VARIABLE);
              const hid_t own = H5Acreate2(id, "fingerprint", type, space, H5P_DEFAULT, H5P_DEFAULT);
              const char* text = "somewhere else";
              H5Awrite(own, type, static_cast<const void*>(&text));
              H5Aclose(own);
              H5Sclose(space);
              H5Tclose(type);
            }),
            "");
  // Seven gigabytes that are not there.
  EXPECT_NE(answers([](hid_t id) {
              H5Ldelete(id, "shapes", H5P_DEFAULT);
              const hsize_t size[2] = {30000, 30000}, chunk[2] = {1, 30000};
              const hid_t space = H5Screate_simple(2, size, nullptr), how = H5Pcreate(H5P_DATASET_CREATE);
              H5Pset_chunk(how, 2, chunk);
              H5Dclose(H5Dcreate2(id, "shapes", H5T_IEEE_F64LE, space, H5P_DEFAULT, how, H5P_DEFAULT));
              H5Pclose(how);
              H5Sclose(space);
            }),
            "");
}

}  // namespace
}  // namespace avrenk
