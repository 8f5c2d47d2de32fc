#include "files/modes_file.h"

#include <gtest/gtest.h>

#include <fstream>

#include "support/models.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using test::Solved;
using test::TemporaryFolder;

TEST(ModesFile, GivesBackTheSameBasisForTheSameModelOnly) {
  const ModeRequest request = test::count(7);
  Assembly model = test::portal(0.05);
  const Solved solved(model, request, test::ratio(0.02));
  const std::string key = fingerprint(solved.system, request);
  const TemporaryFolder folder;
  const auto file = folder / "results.h5";
  write_modes(file, solved.basis, key);
  const auto basis = read_modes(file, solved.system, key);
  ASSERT_TRUE(basis);
  EXPECT_EQ(basis->modes, 7);
  EXPECT_EQ(basis->omega, solved.basis.omega);
  EXPECT_EQ(basis->shapes, solved.basis.shapes);
  EXPECT_EQ(basis->rigid_mass, solved.basis.rigid_mass);
  EXPECT_EQ(basis->proven_below, solved.basis.proven_below);
  EXPECT_EQ(basis->statics.moves_rigidly, solved.basis.statics.moves_rigidly);
  ASSERT_EQ(basis->feet.size(), 2U);
  for (std::size_t foot = 0; foot < 2; ++foot) EXPECT_EQ(basis->feet[foot].inertia, solved.basis.feet[foot].inertia);
  EXPECT_EQ(damp(solved.system, *basis, test::ratio(0.02)).zeta, solved.damping.zeta);

  // Damping is not part of the key; stiffness, mass, feet and what is asked for are.
  const auto key_of = [&](const auto& change, ModeRequest asked) {
    Assembly other = test::portal(0.05);
    change(other);
    return fingerprint(make_system(other), asked);
  };
  EXPECT_EQ(key_of([](Assembly& m) { m.materials[0].loss_factor = 0.3; }, request), key);
  EXPECT_EQ(key_of([](Assembly& m) { m.springs[0].dashpot.setConstant(3); }, request), key);
  EXPECT_NE(key_of([](Assembly& m) { m.materials[0].youngs_modulus *= 1 + 1e-12; }, request), key);
  EXPECT_NE(key_of([](Assembly& m) { m.masses[0].mass += 1e-9; }, request), key);
  EXPECT_NE(key_of([](Assembly& m) { m.bases[0].feet[0].holds[4] = false; }, request), key);
  EXPECT_NE(key_of([](Assembly&) {}, test::count(8)), key);
  EXPECT_FALSE(read_modes(file, solved.system, std::string(32, '0')));
}

TEST(ModesFile, IsNotTrustedWhenItIsDamaged) {
  const ModeRequest request = test::count(4);
  const Solved solved(test::portal(0.05), request, test::ratio(0.02));
  const std::string key = fingerprint(solved.system, request);
  const TemporaryFolder folder;
  const auto file = folder / "results.h5";
  write_modes(file, solved.basis, key);
  std::ifstream stream(file, std::ios::binary);
  const std::string whole{std::istreambuf_iterator<char>(stream), {}};
  const auto put = [&](const std::string& content) {
    std::ofstream(file, std::ios::binary) << content;
    return read_modes(file, solved.system, key).has_value();
  };
  EXPECT_TRUE(put(whole));
  EXPECT_FALSE(put(""));
  EXPECT_FALSE(put("frequency (Hz)\n12\n"));
  for (const double part : {0.1, 0.5, 0.9, 0.999})
    EXPECT_FALSE(put(whole.substr(0, static_cast<std::size_t>(part * static_cast<double>(whole.size()))))) << part;
  // One byte of a shape changed: found by its own bytes in the file.
  const double entry = solved.basis.shapes(5, 2);
  const std::string bytes(reinterpret_cast<const char*>(&entry), sizeof entry);
  const std::size_t at = whole.find(bytes);
  ASSERT_NE(at, std::string::npos);
  std::string changed = whole;
  changed[at] = static_cast<char>(changed[at] ^ 1);
  EXPECT_FALSE(put(changed));
  EXPECT_FALSE(read_modes(folder / "nothing.h5", solved.system, key));
}

}  // namespace
}  // namespace avrenk
