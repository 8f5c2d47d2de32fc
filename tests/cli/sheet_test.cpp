// Test sheets: what they say is what the tables of the same run say.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <complex>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::Ran;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

constexpr const char* vibrator_and_sheets =
    "vibrator: {force: 4 kN, overturning moment: 3 kN m, moving mass: 30 kg, specimen: 6.5 kg}\n"
    "test sheets:\n  accelerometers: [box.acceleration]\n  abort: 6 dB\n"
    "  low level: {at: -20 dB, frequencies: 5 %, amplitudes: 20 %}\n";

const nlohmann::json& row_of(const nlohmann::json& summary, const char* table, const char* first, const char* second) {
  for (const auto& row : summary["tables"][table]["rows"])
    if (row[0] == first && (!*second || row[1] == second)) return row;
  static const nlohmann::json none;
  ADD_FAILURE() << table << ' ' << first << ' ' << second;
  return none;
}

// Readings are peaks and RMS values of the run, stops the abort above them or the limit; the vibrator's force under a
// box on springs is (6.5 T + 30) kg times the input by hand; where limits notch the input, the sheet is of what is
// applied.
TEST(TestSheets, SayWhatTheRunSays) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml",
                     replaced(example("isolated-box.yaml"), "sweep: 4 oct/min}", "sweep: 4 oct/min, tolerance: 10 %}") +
                         "  level: {of: box.acceleration.z, in: random, take: 3 sigma, allowable: 20 g}\n" +
                         vibrator_and_sheets);
  const Ran ran = run_program(folder, "run box.yaml --audit 0");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("Sheets:"));
  const auto summary = summary_of(folder, "box-results");
  const auto& sine = row_of(summary, "accelerometers.sine.z", "box", "z");
  const double peak = cell(summary, "sine.z.peaks", "box.acceleration.z", "peak");
  EXPECT_NEAR(sine[2].get<double>() / peak, 1, 1e-8);
  EXPECT_NEAR(sine[4].get<double>() / (0.9 * peak), 1, 1e-8);
  EXPECT_NEAR(sine[5].get<double>() / (1.1 * peak), 1, 1e-8);
  EXPECT_NEAR(sine[7].get<double>() / (peak * std::pow(10, 0.3)), 1, 1e-8);
  EXPECT_NEAR(sine[9].get<double>() / (0.1 * peak), 1, 1e-8);
  const auto& noise = row_of(summary, "accelerometers.random.z", "box", "z");
  EXPECT_NEAR(noise[2].get<double>() / cell(summary, "random.z.rms", "box.acceleration.z", "RMS=1σ"), 1, 1e-8);
  EXPECT_NEAR(noise[7].get<double>(), 20.0 / 3, 1e-8) << "the limit is lower";
  EXPECT_EQ(noise[8], "limit level");

  const double omega = 2 * 3.14159265358979323846 * 25;
  const std::complex<double> spring(960e3, 144e3);
  const double force = std::abs(6.5 * spring / (spring - 6.5 * omega * omega) + 30.0) * 0.002 * omega * omega;
  EXPECT_THAT(row_of(summary, "vibrator.sine.z", "force", "")[1].get<std::string>(),
              HasSubstr(fmt::format("{:.4g} N", force)));
  EXPECT_NEAR(row_of(summary, "vibrator.sine.z", "force", "")[4].get<double>(), 100 * (4000 / force - 1), 1e-4);
  const auto& resonance = summary["tables"]["low-level.random.z"]["rows"][0];
  EXPECT_NEAR(resonance[1].get<double>(), 61.16, 0.01);
  EXPECT_NEAR(resonance[4].get<double>(), 0.95 * resonance[1].get<double>(), 1e-6);
  const std::string page = test::read_all(folder / "box-results/sheets/sine.z.html");
  EXPECT_THAT(page, AllOf(HasSubstr("Test sheet"), HasSubstr("Accelerometers"), HasSubstr("Before and after"),
                          HasSubstr("cycles"), Not(HasSubstr("notched"))));

  const Ran notched = run_program(folder,
                                  "run box.yaml --no-figures --audit 0 --out notched --set limits.level.allowable=\"9 "
                                  "g\" --set limits.level.notch=yes");
  EXPECT_EQ(notched.status, 0) << notched.err;
  EXPECT_THAT(test::read_all(folder / "notched/sheets/random.z.notched.html"),
              AllOf(HasSubstr("The input is notched"), HasSubstr("To be applied"), HasSubstr("g RMS applied")));
  EXPECT_FALSE(std::filesystem::exists(folder / "notched/sheets/random.z.html"));
}

TEST(TestSheets, AreRefusedWhereTheySayTooLittle) {
  const TemporaryFolder folder;
  for (const auto& [sheets, message] :
       {std::pair{"{accelerometers: box.acceleration.z}", "box.acceleration.z is not what an accelerometer reads"},
        {"{accelerometers: mounts.force}", "mounts.force is not what an accelerometer reads"},
        {"{accelerometers: bx.acceleration}", "\"bx.acceleration\" is not watched"},
        {"{accelerometers: []}", "no accelerometer is named"},
        {"{abort: 3 dB}", "\"accelerometers\" is missing"},
        {"{accelerometers: box.acceleration, abort: 3}", "abort"},
        {"{accelerometers: box.acceleration, low level: {at: 3 dB, frequencies: 5 %, amplitudes: 3 %}}",
         "a low level lies below the one that is tested"},
        {"{accelerometers: box.acceleration, low level: {at: -3 dB}}", "\"frequencies\" is missing"}}) {
    (void)folder.write("box.yaml", example("isolated-box.yaml") + fmt::format("test sheets: {}\n", sheets));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << sheets;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(message), HasSubstr("box.yaml:"))) << sheets;
  }
}

}  // namespace
}  // namespace avrenk
