#include "core/assess/formula.h"

#include <fmt/format.h>
#include <muParser.h>

#include <cmath>

#include "core/error.h"

namespace avrenk {

struct Formula::Parser {
  mu::Parser parser;
  std::vector<double> values;
};

Formula::Formula(const std::string& text, const std::vector<std::string>& names) : parser_(std::make_unique<Parser>()) {
  parser_->values.assign(names.size(), 1);
  // The parser knows more than formulas: assignments, comparisons, lists.
  if (const std::size_t at = text.find_first_of("=<>?!&|;\""); at != std::string::npos)
    throw_input_error("", fmt::format("\"{}\" is no formula: at character {}, \"{}\"", text, at + 1, text[at]),
                      "write one such as R1^2 + R2, which must not pass 1");
  try {
    for (std::size_t k = 0; k < names.size(); ++k) parser_->parser.DefineVar(names[k], &parser_->values[k]);
    parser_->parser.SetExpr(text);
    (void)parser_->parser.Eval();
    if (parser_->parser.GetNumResults() != 1) throw mu::Parser::exception_type(mu::ecUNEXPECTED_ARG_SEP, 0, ",");
  } catch (const mu::Parser::exception_type& error) {
    const std::string& token = error.GetToken();
    throw_input_error("",
                      fmt::format("\"{}\" is no formula of these names: at character {}{}", text, error.GetPos() + 1,
                                  token.empty() ? "" : fmt::format(", \"{}\"", token)),
                      "write one such as R1^2 + R2");
  }
}

Formula::~Formula() = default;

double Formula::at(const std::vector<double>& values) const {
  parser_->values = values;
  const double value = parser_->parser.Eval();
  return std::isfinite(value) ? value : std::nan("");
}

bool Formula::uses(const std::string& name) const { return parser_->parser.GetUsedVar().contains(name); }

double load_factor(const Formula& formula, const std::vector<double>& values) {
  const auto is_reached = [&](double factor) {
    std::vector<double> grown = values;
    for (double& each : grown) each *= factor;
    return !(formula.at(grown) < 1);  // nor is it kept where the formula is no number
  };
  constexpr double most = 1e6, least = 1e-6;
  double low = 0, high = least;
  while (!is_reached(high)) {
    if (high >= most) return HUGE_VAL;
    low = high;
    high *= 2;
  }
  if (low == 0) return 0;
  constexpr int halvings = 60;
  for (int k = 0; k < halvings; ++k) {
    const double middle = 0.5 * (low + high);
    (is_reached(middle) ? high : low) = middle;
  }
  return high;
}

}  // namespace avrenk
