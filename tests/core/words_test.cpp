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

// What a terminal obeys is not passed on; what it shows is, whatever its letters are.
TEST(Words, ArePrintable) {
  const std::string fine = "größer, 大きさ, \U0001F600,\tω²\n\u00A0 \u2026 \u2212";
  EXPECT_EQ(printable(fine), fine);
  for (const std::string& obeyed :
       {std::string("\x1b"), std::string(1, '\0'), std::string("\r"), std::string("\x7f"), std::string("\u009B"),
        std::string("\u0085"), std::string("\u202E"), std::string("\u2066"), std::string("\u200F"),
        std::string("\u061C"), std::string("\uFEFF"), std::string("\xFF"), std::string("\x9B"), std::string("\xC3")})
    EXPECT_EQ(printable("a" + obeyed + "b"), "a\uFFFDb") << testing::PrintToString(obeyed);
  // Overlong, a surrogate, beyond Unicode, cut short: each byte by itself.
  EXPECT_EQ(printable("\xC0\x80"), "\uFFFD\uFFFD");
  EXPECT_EQ(printable("\xE0\x80\x9B"), "\uFFFD\uFFFD\uFFFD");
  EXPECT_EQ(printable("\xED\xA0\x80"), "\uFFFD\uFFFD\uFFFD");
  EXPECT_EQ(printable("\xF4\x90\x80\x80"), "\uFFFD\uFFFD\uFFFD\uFFFD");
  EXPECT_EQ(printable("\xE2\x82"), "\uFFFD\uFFFD");
}

TEST(Words, OfLongLinesLoseTheirMiddle) {
  EXPECT_EQ(shortened_lines("short\nlines\n", 10), "short\nlines\n");
  const std::string cut = shortened_lines("one\n" + std::string(100, 'a') + std::string(100, 'b') + "\ntwo", 30);
  EXPECT_EQ(cut, "one\n" + std::string(20, 'a') + " … (170 characters more) … " + std::string(10, 'b') + "\ntwo");
  std::string umlauts;
  for (int k = 0; k < 100; ++k) umlauts += "ü";
  EXPECT_EQ(printable(shortened_lines(umlauts, 31)), shortened_lines(umlauts, 31)) << "cut between letters";
}

}  // namespace
}  // namespace avrenk
