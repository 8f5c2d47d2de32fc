#include "core/memory.h"

#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "core/error.h"

namespace avrenk {
namespace {

TEST(Memory, IsRefusedBeforeItIsTaken) {
  const double free = free_memory();
  EXPECT_GT(free, 1e6);
  EXPECT_LT(free, 1e15);
  EXPECT_NO_THROW(require_memory(0.5 * free, "half", ""));
  try {
    require_memory(1e18, "the factorisation of 7 equations", "make the mesh coarser");
    FAIL();
  } catch (const NumericalError& error) {
    const std::string said = error.what();
    EXPECT_EQ(said.find("not enough memory: the factorisation of 7 equations needs about 1e+09 GB, and "), 0U) << said;
    EXPECT_NE(said.find(" GB are free; make the mesh coarser"), std::string::npos) << said;
  }
}

// What is taken is no longer free.
TEST(Memory, InUseIsCounted) {
  const double before = mapped_memory();
  const std::vector<char> taken(200U << 20U, 1);
  EXPECT_GE(mapped_memory() - before, 0.9 * static_cast<double>(taken.size()));
}

}  // namespace
}  // namespace avrenk
