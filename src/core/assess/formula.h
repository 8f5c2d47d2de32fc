/// core/assess/formula.h: a formula of named numbers, as the user writes it.
#pragma once

#include <memory>
#include <string>
#include <vector>

namespace avrenk {

/// "R1^2 + sqrt(R2)": + - * / ^, brackets, sqrt, abs, min, max and the usual functions.
class Formula {
 public:
  /// @param names  letters, digits and underscores
  /// @throws InputError  it is none, or has names that are not given: says where
  Formula(const std::string& text, const std::vector<std::string>& names);
  ~Formula();
  Formula(const Formula&) = delete;
  Formula& operator=(const Formula&) = delete;

  /// @param values  of the names, in their order. NaN where it has no value there
  [[nodiscard]] double at(const std::vector<double>& values) const;
  /// Whether a name stands in it.
  [[nodiscard]] bool uses(const std::string& name) const;

 private:
  struct Parser;
  std::unique_ptr<Parser> parser_;
};

/// λ at which a formula of numbers that all grow by λ reaches 1: what loads may be multiplied with. 1/λ of numbers that
/// fail as their sum would; infinite where it does not get there up to a million. Where it is no number it is not kept.
[[nodiscard]] double load_factor(const Formula& formula, const std::vector<double>& values);

}  // namespace avrenk
