#include "files/csv.h"

#include <boost/tokenizer.hpp>

#include "core/words.h"

namespace avrenk {

std::vector<std::string> csv_fields(const std::string& line) {
  const boost::tokenizer<boost::escaped_list_separator<char>> fields(
      line, boost::escaped_list_separator<char>("", ",", "\""));
  std::vector<std::string> all;
  for (const std::string& field : fields) {
    std::string_view own = trimmed(field);
    if (own.size() > 1 && own[0] == '\'' && formula_signs.find(own[1]) != std::string_view::npos) own.remove_prefix(1);
    all.emplace_back(own);
  }
  return all;
}

std::vector<std::pair<std::string, std::string>> csv_columns(const std::string& header) {
  std::vector<std::pair<std::string, std::string>> columns;
  for (const std::string& field : csv_fields(header)) {
    // The unit is what stands in the brackets that close the field: "force (N)", but also "box (top).force ((N)^2/Hz)".
    int open = 0;
    std::size_t begin = std::string::npos;
    for (std::size_t i = field.size(); i-- > 0 && !field.empty() && field.back() == ')';) {
      open += field[i] == ')' ? 1 : field[i] == '(' ? -1 : 0;
      if (open > 0) continue;
      begin = i;
      break;
    }
    if (begin == std::string::npos)
      columns.emplace_back(field, "");
    else
      columns.emplace_back(trimmed(field.substr(0, begin)), field.substr(begin + 1, field.size() - begin - 2));
  }
  return columns;
}

}  // namespace avrenk
