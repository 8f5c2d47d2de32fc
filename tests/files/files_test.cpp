#include <gmock/gmock.h>

#include <cmath>

#include "core/error.h"
#include "core/words.h"
#include "files/run_folder.h"
#include "files/summary.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

Table sample() {
  return {"peaks",
          "Peaks",
          {{"watched", ""}, {"peak", "g"}, {"margin", "%", 3, true, 1}, {"hidden", "", 4, false}, {"where", ""}},
          {{std::string("tip, \"top\""), 12.34567891234, -0.04, 1.0, std::string("mast (0, 0, 900) mm")},
           {std::string("böx"), std::nan(""), 250.0, 2.0, std::string("deck")}}};
}

TEST(Table, BecomesCsvWithUnitsInItsHeader) {
  EXPECT_EQ(to_csv(sample()),
            "watched,peak (g),margin (%),hidden,where\n"
            "\"tip, \"\"top\"\"\",12.3456789,-0.04,1,\"mast (0, 0, 900) mm\"\n"
            "böx,,250,2,deck\n");
}

TEST(Table, PrintsAlignedAndWrapsItsLastColumn) {
  EXPECT_EQ(to_text(sample()),
            "Peaks\n"
            "watched      peak  margin  where\n"
            "                g       %\n"
            "──────────────────────────────────────────────\n"
            "tip, \"top\"  12.35     0.0  mast (0, 0, 900) mm\n"
            "böx             –   250.0  deck\n");
  Table wide = sample();
  wide.rows[1][4] = std::string("deck (1, 2, 3) mm and far beyond it");
  EXPECT_THAT(to_text(wide, 46), testing::EndsWith("böx             –   250.0  deck (1, 2, 3) mm\n"
                                                   "                           and far beyond it\n"));
  wide.rows[0][4] = std::string(200, 'm');
  for (std::size_t line = 0, from = 0, text_end = 0; line < 6; ++line, from = text_end + 1) {
    const std::string text = to_text(wide, 60);
    text_end = text.find('\n', from);
    EXPECT_LE(display_width(text.substr(from, text_end - from)), 60U);
  }
}

TEST(Table, ShowsNumbersAsAnEngineerWritesThem) {
  const std::tuple<double, int, const char*> cases[] = {
      {0, 4, "0"},           {1234.5, 4, "1234"},  {12345678, 4, "1.235e+07"}, {0.00012345, 3, "0.000123"},
      {1e-9, 3, "1.00e-09"}, {99.999, 3, "100.0"}, {-2.5, 4, "-2.500"},        {HUGE_VAL, 3, "∞"}};
  for (const auto& [value, digits, text] : cases) EXPECT_EQ(format_number(value, digits), text);
}

TEST(Summary, IsJsonWithUnitsAndNullForWhatIsNotFinite) {
  const Summary summary{"1.2.3",   "run", "plan.yaml", "Deck \"A\"", "met", {"note"}, {}, {{"total mass", 20.5, "kg"}},
                        {sample()}};
  const std::string json = to_json(summary);
  EXPECT_THAT(json, testing::HasSubstr("\"layout\": 1"));
  EXPECT_THAT(json, testing::HasSubstr("\"title\": \"Deck \\\"A\\\"\""));
  EXPECT_THAT(json, testing::HasSubstr("\"total mass\": {\n      \"value\": 20.5,\n      \"unit\": \"kg\""));
  EXPECT_THAT(json, testing::HasSubstr("null"));
}

TEST(RunFolder, AppearsWholeOrNotAtAll) {
  const test::TemporaryFolder folder;
  const auto files = [&] { return std::distance(std::filesystem::directory_iterator(folder.path()), {}); };
  {
    const RunFolder abandoned(folder / "results");
    abandoned.write("tables/a.csv", "1\n");
    EXPECT_FALSE(std::filesystem::exists(folder / "results"));
  }
  EXPECT_EQ(files(), 0);
  for (const char* content : {"first", "second"}) {
    RunFolder complete(folder / "results/");
    complete.write("summary.json", content);
    complete.commit();
    EXPECT_EQ(test::read_all(folder / "results/summary.json"), content);
    EXPECT_EQ(files(), 1);
  }
  {
    const RunFolder abandoned(folder / "results");  // an earlier result stays as it was
  }
  EXPECT_EQ(test::read_all(folder / "results/summary.json"), "second");
  std::filesystem::create_directory(folder / "mine");
  (void)folder.write("mine/thesis.txt", "x");
  EXPECT_THROW(RunFolder(folder / "mine"), FileError);  // somebody's own folder is not replaced
  (void)folder.write("file", "x");
  EXPECT_THROW(RunFolder(folder / "file/inside"), FileError);
}

}  // namespace
}  // namespace avrenk
