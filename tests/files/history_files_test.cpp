// Records in time as files.
#include "files/history_files.h"

#include <gmock/gmock.h>

namespace avrenk {
namespace {

// The header of a record is a line of RFC 4180, whatever its columns are called, and a channel that is zero differs
// from nothing.
TEST(HistoryFiles, QuoteNamesAndTellNothingOfWhatIsZero) {
  const HistoryRequest request{"record", "noise.z", {}, 1, 2, 3};
  History history;
  history.request = &request;
  history.excitation = std::make_shared<Excitation>();
  history.rate = 2;
  for (const char* name : {"tip.acceleration", "tip, left.acceleration", "\"old\" tip.acceleration"}) {
    HistoryColumn& column = history.columns.emplace_back();
    column.name = name;
    column.kind = &kind::acceleration;
    column.values = {0, 9.80665};
  }
  EXPECT_EQ(history_csv(history, {}),
            "time (s),tip.acceleration (g),\"tip, left.acceleration (g)\",\"\"\"old\"\" tip.acceleration (g)\"\n"
            "0,0,0,0\n0.5,1,1,1\n");
  HistoryColumn zero;
  zero.values = {0, 0};
  EXPECT_EQ(zero.difference(), 0);
  EXPECT_EQ(zero.crest(), 0);
  EXPECT_TRUE(zero.agrees());
}

}  // namespace
}  // namespace avrenk
