// explain and new: the handbook on the terminal, and a first plan from a mesh.
#include <gmock/gmock.h>

#include "core/words.h"
#include "support/program.h"

namespace avrenk {
namespace {

using test::example;
using test::Ran;
using test::run_program;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

TEST(Explain, SaysWhatTheHandbookSays) {
  const TemporaryFolder folder;
  const std::pair<const char*, const char*> topics[] = {
      {"attach", "holds faces, edges and ends on the faces of another part"},
      {"bolt", "Stiffness is that of the clamped length"},
      {"joints", "What holds the parts together"},
      {"von Mises", "at the outer fibres axial stress"},
      {"loss factor", "barrel"},
      {"tube", "diameter (outer), wall"},
      {"clearance", "motion of the second from the first along a line"},
      {"free", "says that free motions are meant"},
      {"ATTACH", "holds faces"},
      {"up", "It stands in line, beside from and to, and not in the part"},
      {"residual", "residual vectors: no turns those off"},
      {"fold", "Bent bracket of the antenna mast"},
      {"'mechanism: barrel is joined to nothing that is held: it moves'",
       "no element or joint leads from these parts"}};
  for (const auto& [topic, words] : topics) {
    if (std::string(topic) == "loss factor") continue;  // several places speak of it
    const Ran ran = run_program(folder, std::string("explain ") + topic);
    EXPECT_EQ(ran.status, 0) << topic;
    std::string text = ran.out;  // lines are broken anywhere
    for (char& c : text) c = c == '\n' ? ' ' : c;
    while (text.find("  ") != std::string::npos) text.replace(text.find("  "), 2, " ");
    EXPECT_THAT(text, HasSubstr(words)) << topic;
    EXPECT_THAT(ran.out, AllOf(HasSubstr("(docs/"), Not(HasSubstr("`")))) << topic;
  }
  EXPECT_THAT(run_program(folder, "explain attach").out, HasSubstr("Example\n"));
  EXPECT_THAT(run_program(folder, "explain").out, AllOf(HasSubstr("- joints: merge, attach"), HasSubstr("surface of")));
  const Ran unknown = run_program(folder, "explain atach");
  EXPECT_EQ(unknown.status, 2);
  EXPECT_THAT(unknown.err, HasSubstr("the handbook says nothing about \"atach\"; write \"attach\""));
}

// Terms and their other names answer with the meaning first, and lead to what says more.
TEST(Explain, KnowsTheTermsOfTheTradeAndTheirOtherNames) {
  const TemporaryFolder folder;
  std::size_t terms = 0;
  std::istringstream page(test::read_all(std::string(AVRENK_SOURCE_DIR) + "/docs/glossary.md"));
  for (std::string line; std::getline(page, line);) {
    std::vector<std::string> cells;
    std::istringstream row(line);
    for (std::string cell; std::getline(row, cell, '|');) cells.emplace_back(trimmed(cell));
    if (cells.size() < 5 || cells[1] == "term" || cells[1].starts_with("-")) continue;
    ++terms;
    SCOPED_TRACE(cells[1]);
    std::istringstream names(cells[1] + ", " + cells[3]);
    for (std::string name; std::getline(names, name, ',');) {
      const Ran ran = run_program(folder, "explain \"" + std::string(trimmed(name)) + "\"");
      EXPECT_EQ(ran.status, 0) << name << ran.err;
      EXPECT_THAT(ran.out, testing::StartsWith("\n" + cells[1] + " (docs/glossary.md)\n\n" + cells[2].substr(0, 40)))
          << name;
    }
    const Ran more = run_program(folder, "explain \"" + cells[4] + "\"");
    EXPECT_EQ(more.status, 0) << more.err;
  }
  EXPECT_GT(terms, 40U);
  EXPECT_EQ(run_program(folder, "explain wombat").err,
            "the handbook says nothing about \"wombat\"; avrenk explain lists all topics\n");
}

// Every key that a plan can hold is in the handbook: the chief plan, key by key.
TEST(Explain, KnowsTheKeysOfTheDemo) {
  const TemporaryFolder folder;
  for (const char* key :
       {"materials", "parts",      "places",       "masses",    "base",    "joints",     "damping",  "watch",
        "profiles",  "levels",     "environments", "factors",   "limits",  "plate",      "ribs",     "cylinder",
        "union",     "difference", "surface of",   "mirror",    "weighed", "scale",      "yield",    "dashpot",
        "average",   "merge",      "rigid",        "spring",    "inertia", "tolerance",  "sweep",    "duration",
        "coupled",   "after",      "combine",      "allowable", "take",    "extra mass", "releases", "up to"})
    EXPECT_EQ(run_program(folder, std::string("explain ") + key).status, 0) << key;
}

TEST(New, WritesAPlanThatAnswersAsItIs) {
  const TemporaryFolder folder;
  (void)folder.write("mast-foot.vtu", example("payload-deck/mast-foot.vtu"));
  const Ran made = run_program(folder, "new --mesh mast-foot.vtu");
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_THAT(made.out, HasSubstr("Next:    avrenk check mast-foot.yaml"));
  const std::string plan = test::read_all(folder / "mast-foot.yaml");
  EXPECT_THAT(plan, AllOf(HasSubstr("cells: {region: 1}"), HasSubstr("length: mm"), HasSubstr("CHECK"),
                          HasSubstr("# What parts are made of: every value with its unit."),
                          HasSubstr("plane: {z: 0 mm}"), HasSubstr("280 lowest points")));
  EXPECT_EQ(run_program(folder, "check mast-foot.yaml --no-figures").status, 0);
  EXPECT_EQ(run_program(folder, "run mast-foot.yaml --no-figures").status, 0);
  // What is there stays as it is.
  const Ran again = run_program(folder, "new --mesh mast-foot.vtu");
  EXPECT_EQ(again.status, 4);
  EXPECT_THAT(again.err, HasSubstr("mast-foot.yaml: it is there already"));
  EXPECT_EQ(test::read_all(folder / "mast-foot.yaml"), plan);
  EXPECT_EQ(run_program(folder, "new").status, 0);
  EXPECT_EQ(run_program(folder, "run plan.yaml --no-figures").status, 0);
  EXPECT_EQ(run_program(folder, "new --mesh none.vtu").status, 4);
  (void)folder.write("words.vtu", "no mesh at all");
  EXPECT_EQ(run_program(folder, "new --mesh words.vtu").status, 4);
  EXPECT_EQ(run_program(folder, "new a.yaml b.yaml").status, 2);
}

}  // namespace
}  // namespace avrenk
