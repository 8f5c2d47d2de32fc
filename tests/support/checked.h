/// Values of problems whose answer is known, asserted and written down: scripts/verification makes the table of
/// docs/verification.md of them.
#pragma once

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <string>

namespace avrenk::test {

class KnownProblem {
 public:
  KnownProblem(std::string name, std::string source) : name_(std::move(name)), source_(std::move(source)) {}

  /// |found/reference − 1| ≤ tolerance.
  void value(const std::string& what, double found, double reference, double tolerance) const {
    EXPECT_NEAR(found / reference, 1, tolerance) << name_ << ": " << what;
    write(what, fmt::format("{:.6g}", reference), fmt::format("{:.6g}", found), std::abs(found / reference - 1),
          tolerance);
  }
  /// An error that is a number itself, as of a complex answer, relative to the reference.
  void error(const std::string& what, double found, double tolerance) const {
    EXPECT_LE(found, tolerance) << name_ << ": " << what;
    write(what, "", "", found, tolerance);
  }

 private:
  void write(const std::string& what, const std::string& reference, const std::string& found, double off,
             double tolerance) const {
    const char* const file = std::getenv("AVRENK_CHECKED");
    if (!file) return;
    const auto shown = [](double part) {
      return part < 1e-15  ? std::string("0")
             : part < 1e-4 ? fmt::format("{:.1e}", part)
                           : fmt::format("{:.2g} %", 100 * part);
    };
    std::ofstream(file, std::ios::app) << fmt::format("| {} | {} | {} | {} | {} | {} | {} |\n", name_, what, reference,
                                                      found, shown(off), shown(tolerance), source_);
  }
  std::string name_, source_;
};

}  // namespace avrenk::test
