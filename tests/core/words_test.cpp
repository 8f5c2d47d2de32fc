#include "core/words.h"

#include <gmock/gmock.h>

namespace avrenk {
namespace {

using testing::ElementsAre;

TEST(Words, AreCountedTrimmedAndPutOnLines) {
  EXPECT_EQ(counted(1, "cell") + counted(0, "cell") + counted(12, "cell"), "1 cell0 cells12 cells");
  EXPECT_EQ(trimmed(" \ta b\r"), "a b");
  EXPECT_EQ(trimmed("  "), "");
  EXPECT_THAT(words_of("  a\nbc \t d\1e"), ElementsAre("a", "bc", "d", "e"));
  EXPECT_EQ(display_width("ω² = k"), 6U);  // code points, not bytes
  EXPECT_EQ(wrapped("one two three", 8, "  "), "one\n  two\n  three\n");
  EXPECT_EQ(wrapped("", 8), "\n");
}

// No line is wider than asked for, nothing is lost, and a word that is too long is cut between code points.
TEST(Words, FitTheirLines) {
  const std::string text = "Größte Auslenkung des überlangenwortesohneende am Ende";
  for (double width = 1; width < 30; ++width) {
    std::string all;
    for (const std::string& line : lines_of_words(words_of(text), width)) {
      EXPECT_LE(static_cast<double>(display_width(line)), width) << line;
      EXPECT_NE(static_cast<unsigned char>(line[0]) & 0xC0, 0x80);
      for (const char c : line)
        if (c != ' ') all += c;
    }
    std::string plain = text;
    std::erase(plain, ' ');
    EXPECT_EQ(all, plain);
  }
  // Another measure: letters count by what they are.
  EXPECT_THAT(lines_of_words({"ii", "W", "ii"}, 4,
                             [](const std::string& line) {
                               double sum = 0;
                               for (const char c : line) sum += c == 'W' ? 3 : c == ' ' ? 0 : 1;
                               return sum;
                             }),
              ElementsAre("ii", "W", "ii"));
}

}  // namespace
}  // namespace avrenk
