#include "core/error.h"

#include <fmt/format.h>

namespace avrenk {
namespace {

std::string all_sentences(const std::vector<Problem>& problems) {
  std::string text;
  for (const Problem& problem : problems) {
    if (!text.empty()) text += '\n';
    text += problem.sentence();
  }
  return text;
}

}  // namespace

std::string Problem::sentence() const {
  std::string text;
  if (place && place->line > 0) {
    text += fmt::format("{}:{}:{}: ", place->file, place->line, place->column);
  } else if (place) {
    text += place->file + ": ";
  }
  if (!subject.empty()) text += subject + ": ";
  text += wrong;
  if (!remedy.empty()) text += "; " + remedy;
  return text;
}

void throw_input_error(std::string subject, std::string wrong, std::string remedy) {
  throw InputError(Problem{std::move(subject), std::move(wrong), std::move(remedy), std::nullopt});
}

InputError::InputError(std::vector<Problem> found) : Error(all_sentences(found)), problems(std::move(found)) {}

}  // namespace avrenk
