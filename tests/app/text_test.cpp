#include "app/text.hpp"

#include <gtest/gtest.h>

namespace ulterix::testing::text_test {
namespace {

TEST(TextTable, LinesUpByTheWidestCell) {
  TextTable table({Align::left, Align::right});
  table.add({"load", "mm"});
  table.add({"U1", "-31.24"});
  table.add({"a longer name", "7"});
  EXPECT_EQ(table.print(),
            " load               mm\n"
            " U1             -31.24\n"
            " a longer name       7\n");
}

TEST(TextTable, CountsCharactersNotBytes) {
  TextTable table({Align::left, Align::left});
  table.add({"P-δ", "x"});
  table.add({"abc", "y"});
  EXPECT_EQ(table.print(0), "P-δ  x\nabc  y\n");
}

TEST(TextTable, LeavesNoSpacesAtTheEndOfALine) {
  TextTable table({Align::left, Align::left});
  table.add({"a", ""});
  table.add({"bbb", "c"});
  EXPECT_EQ(table.print(0), "a\nbbb  c\n");
}

TEST(Wrapped, BreaksAtSpacesAndIndents) {
  EXPECT_EQ(wrapped("one two three four", 9, 2), "one two\n  three\n  four");
  EXPECT_EQ(wrapped(" Checks     reactions = loads", 80, 12), " Checks     reactions = loads");
  EXPECT_EQ(wrapped("", 10, 2), "");
  EXPECT_EQ(wrapped("unbreakable", 4, 2), "unbreakable");
}

TEST(TerminalWidth, FollowsColumnsWithinLimits) {
  setenv("COLUMNS", "90", 1);
  EXPECT_EQ(terminal_width(), 90);
  setenv("COLUMNS", "20", 1);
  EXPECT_EQ(terminal_width(), 60);
  setenv("COLUMNS", "400", 1);
  EXPECT_EQ(terminal_width(), 120);
  unsetenv("COLUMNS");
}

}  // namespace
}  // namespace ulterix::testing::text_test
