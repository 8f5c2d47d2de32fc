#include <fcntl.h>
#include <gmock/gmock.h>
#include <sys/file.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "core/error.h"
#include "core/words.h"
#include "files/file_name.h"
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
  const auto json = nlohmann::json::parse(to_json(summary));
  EXPECT_EQ(json.at("layout"), 1);
  EXPECT_EQ(json.at("title"), "Deck \"A\"");
  EXPECT_EQ(json.at("facts").at("total mass"), nlohmann::json({{"value", 20.5}, {"unit", "kg"}}));
  EXPECT_EQ(json.at("tables").at("peaks").at("rows").at(1).at(1), nullptr);
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

// If what is being written is removed behind its back, the run says so instead of putting half of it in place.
TEST(RunFolder, IsNotPutInPlaceWithoutItsFiles) {
  const test::TemporaryFolder folder;
  for (const bool all : {true, false}) {
    RunFolder results(folder / "results");
    results.write("summary.json", "1");
    results.write("tables/modes.csv", "1");
    const std::filesystem::path partial = results.path("run.log").parent_path();
    std::filesystem::remove_all(all ? partial : partial / "tables");
    if (all) {
      EXPECT_THROW(results.write("tables/more.csv", "2"), FileError);
    }
    try {
      results.commit();
      ADD_FAILURE();
    } catch (const FileError& error) {
      EXPECT_THAT(error.what(), testing::HasSubstr("vanished while it was being written"));
    }
    EXPECT_FALSE(std::filesystem::exists(folder / "results"));
  }
}

// This machine in the names of folders that are being written.
std::string this_host() {
  const test::TemporaryFolder folder;
  const std::string hidden = RunFolder(folder / "x").path("y").parent_path().filename().string();
  const std::size_t from = hidden.find('-') + 1;
  return hidden.substr(from, hidden.rfind('-') - from);
}

// What another process still writes stays: one of this machine, one that holds its folder, one of another machine; what
// such ones left goes, of another machine after a day.
TEST(RunFolder, SweepsNothingThatIsStillWritten) {
  const test::TemporaryFolder folder;
  const std::string own = this_host();
  const std::string list = "avrenk results, layout 1; it wrote these files and removes no others\n";
  const auto made = [&](const std::string& name, int hours) {
    const std::filesystem::path path = folder / (".results.partial-" + name);
    std::filesystem::create_directory(path);
    (void)folder.write(path.filename().string() + "/written.txt", list);
    const auto then = std::filesystem::file_time_type::clock::now() - std::chrono::hours(hours);
    std::filesystem::last_write_time(path / "written.txt", then);
    std::filesystem::last_write_time(path, then);
    return path;
  };
  const auto living = made(own + "-1", 100), left = made(own + "-999999999", 0), held = made(own + "-999999998", 0),
             elsewhere = made("other_host-999999999", 23), elsewhere_left = made("other_host-999999997", 25);
  const int lock = open(held.c_str(), O_RDONLY | O_DIRECTORY);
  ASSERT_EQ(flock(lock, LOCK_EX | LOCK_NB), 0);
  { const RunFolder results(folder / "results"); }
  close(lock);
  for (const auto& path : {living, held, elsewhere}) EXPECT_TRUE(std::filesystem::exists(path)) << path;
  for (const auto& path : {left, elsewhere_left}) EXPECT_FALSE(std::filesystem::exists(path)) << path;
}

void write_results(const std::filesystem::path& target, const std::string& content) {
  RunFolder folder(target);
  folder.write("summary.json", content);
  folder.write("tables/modes.csv", content);
  folder.commit();
}

std::string refusal_of(const std::filesystem::path& target) {
  try {
    const RunFolder folder(target);
  } catch (const FileError& error) {
    return error.what();
  }
  return "";
}

TEST(RunFolder, RemovesNothingThatItDidNotWrite) {
  const test::TemporaryFolder folder;
  const auto results = folder / "results";
  write_results(results, "first");
  // A plan inside, at the top or deep down, a link, an empty list: all of it stays as it was.
  for (const char* foreign : {"plan.yaml", "tables/notes.txt", "figures/deep/down.png"}) {
    std::filesystem::create_directories((results / foreign).parent_path());
    (void)folder.write(std::string("results/") + foreign, "mine");
    EXPECT_THAT(refusal_of(results), testing::HasSubstr(std::string("results: holds ") + foreign)) << foreign;
    EXPECT_EQ(test::read_all(results / foreign), "mine");
    std::filesystem::remove(results / foreign);
  }
  // A list that names what lies outside, or what is not in it.
  const auto outside = folder.write("outside.txt", "mine");
  {
    std::ofstream list(results / "written.txt", std::ios::app);
    list << "../outside.txt\n/etc/hostname\ntables/../../outside.txt\nnot-there\n";
  }
  write_results(results, "second");
  EXPECT_EQ(test::read_all(outside), "mine");
  EXPECT_EQ(test::read_all(results / "tables/modes.csv"), "second");
  EXPECT_EQ(test::read_all(results / "written.txt"),
            "avrenk results, layout 1; it wrote these files and removes no others\nsummary.json\ntables/modes.csv\n");
  // Somebody's folder that happens to hold a summary.
  std::filesystem::create_directory(folder / "theirs");
  (void)folder.write("theirs/summary.json", "{}");
  EXPECT_THAT(refusal_of(folder / "theirs"), testing::HasSubstr("is no folder of results"));
  // It came while the run was on its way.
  RunFolder late(results);
  late.write("summary.json", "third");
  (void)folder.write("results/plan.yaml", "mine");
  EXPECT_THROW(late.commit(), FileError);
  EXPECT_EQ(test::read_all(results / "summary.json"), "second");
  EXPECT_EQ(test::read_all(results / "plan.yaml"), "mine");
  for (const auto& entry : std::filesystem::directory_iterator(folder.path()))  // but what is being written
    EXPECT_TRUE(entry.path().filename().string().find(".old-") == std::string::npos) << entry.path();
}

TEST(RunFolder, FollowsLinksAndRefusesThoseThatLeadNowhere) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directory(folder / "disk");
  std::filesystem::create_directory_symlink(folder / "disk", folder / "results");
  write_results(folder / "results", "first");
  write_results(folder / "results", "second");
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "results"));
  EXPECT_EQ(test::read_all(folder / "disk/summary.json"), "second");
  std::filesystem::create_directory_symlink(folder / "gone", folder / "dangling");
  EXPECT_THAT(refusal_of(folder / "dangling"), testing::HasSubstr("dangling: is a link that leads nowhere"));
  EXPECT_THAT(refusal_of(""), testing::HasSubstr("names no folder"));
}

// What a process leaves that is killed in the middle: whatever it was, there are results afterwards.
TEST(RunFolder, PutsBackWhatWasMovedAside) {
  const test::TemporaryFolder folder;
  const auto results = folder / "results", aside = folder / (".results.old-" + this_host() + "-999999999");
  write_results(results, "first");
  std::filesystem::rename(results, aside);  // killed between the two renames
  { const RunFolder next(results); }
  EXPECT_EQ(test::read_all(results / "summary.json"), "first");
  EXPECT_FALSE(std::filesystem::exists(aside));
  write_results(aside, "older");  // killed before it was removed
  { const RunFolder next(results); }
  EXPECT_EQ(test::read_all(results / "summary.json"), "first");
  EXPECT_FALSE(std::filesystem::exists(aside));
  const std::string like = ".results.old-" + this_host() + "-999999998";
  std::filesystem::create_directory(folder / like);
  (void)folder.write(like + "/thesis.txt", "mine");  // a name like ours, but nothing of ours
  { const RunFolder next(results); }
  EXPECT_EQ(test::read_all(folder / (like + "/thesis.txt")), "mine");
}

TEST(FileName, StaysInItsFolderAndIsDistinct) {
  for (const char* name : {"sine.x", "random-1 qualification.csv", "Prüfung 3.svg"}) EXPECT_EQ(file_name(name), name);
  std::set<std::string> all;
  const std::string names[] = {"../../keep",
                               "..",
                               "/etc/passwd",
                               ".hidden",
                               "a/b",
                               "a\\b",
                               "a:b",
                               "-rf",
                               std::string(300, 'x') + ".csv",
                               std::string(301, 'x') + ".csv",
                               std::string("nul\0.csv", 8),
                               "line\nbreak",
                               "",
                               "\x01",
                               "a'b",
                               "`rm`",
                               std::string(119, 'x') + "ü.svg"};
  for (const std::string& name : names) {
    const std::string safe = file_name(name);
    EXPECT_LE(safe.size(), 120U);
    EXPECT_EQ(safe, file_name(safe)) << safe;
    EXPECT_EQ(safe.find_first_of(std::string("/\\:'`\n\0\x01", 8)), std::string::npos) << safe;
    EXPECT_TRUE(safe[0] != '.' && safe[0] != '-') << safe;
    EXPECT_TRUE(all.insert(safe).second) << safe;
  }
  EXPECT_EQ(path_in_results("tables/../../keep.csv").find("tables/"), 0U);
  EXPECT_EQ(std::filesystem::path(path_in_results("tables/../../keep.csv")).lexically_normal().parent_path(), "tables");
}

}  // namespace
}  // namespace avrenk
