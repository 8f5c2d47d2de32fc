// figures: pictures and curves that the plan asks for.
#include <charconv>

#include "core/words.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

struct NamedSight {
  const char* name;
  double azimuth, elevation;
};
constexpr NamedSight named_sights[] = {{"above", -62, 24}, {"below", -62, -24}, {"behind", 118, 24},
                                       {"x", 0, 0},        {"y", 90, 0},        {"z", -90, 90}};

std::optional<FigureRequest::Viewpoint> read_sight(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_list() && tree.items.size() == 2) {
    const auto angle = [&](const Tree& item) { return read_quantity(item, kind::angle, subject, problems); };
    const std::optional<double> azimuth = angle(tree.items[0]), elevation = angle(tree.items[1]);
    if (!azimuth || !elevation) return std::nullopt;
    constexpr double in_degrees = 180 / pi;
    return FigureRequest::Viewpoint{fmt::format("{:g}-{:g}", in_degrees * *azimuth, in_degrees * *elevation),
                                    in_degrees * *azimuth, in_degrees * *elevation};
  }
  std::vector<std::string> names;
  for (const NamedSight& named_sight : named_sights) {
    if (tree.is_text() && tree.text == named_sight.name)
      return FigureRequest::Viewpoint{named_sight.name, named_sight.azimuth, named_sight.elevation};
    names.emplace_back(named_sight.name);
  }
  problems.add(tree, subject,
               tree.is_text() ? fmt::format("no view \"{}\"", tree.text) : "a view is a word or two angles",
               tree.is_text() ? suggest_name(tree.text, names) + ", or [azimuth, elevation]"
                              : "write above, x, or [-62 deg, 24 deg]");
  return std::nullopt;
}

// "mode 4"
std::optional<int> mode_named(const std::string& text) {
  constexpr std::string_view word = "mode ";
  if (!text.starts_with(word)) return std::nullopt;
  const std::string digits(trimmed(text.substr(word.size())));
  int number = 0;
  const auto [end, wrong] = std::from_chars(digits.data(), digits.data() + digits.size(), number);
  return wrong == std::errc() && end == digits.data() + digits.size() && number >= 1 ? std::optional(number)
                                                                                     : std::nullopt;
}

}  // namespace

void read_figures(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  for (const Tree::Entry& entry : section.entries) {
    const std::size_t before = problems.count();
    MapReader map(entry.value, "figure " + entry.key, problems);
    if (!map.is_map()) continue;
    FigureRequest request;
    request.name = entry.key;
    const Tree* const show = map.required("show", "field of von Mises in sine.x at 63 Hz");
    const Tree* const views = map.optional("views");
    const Tree* const part = map.optional("part");
    const Tree* const play = map.optional("play");
    request.scale = map.quantity("scale", kind::number, Sign::positive).value_or(0);
    map.done();
    if (show && show->is_text()) {
      request.mode = mode_named(show->text);
      if (!request.mode) {
        std::optional<Question> question = read_question(*show, map.subject(), reading);
        if (question && question->form == Question::Form::value)
          problems.add(*show, map.subject(), "a single value is no figure",
                       "write curve of … or field of …, or mode 4");
        if (question) request.question = std::move(*question);
      }
    } else if (show) {
      problems.add(*show, map.subject(), "what it shows is one line of text", "write field of von Mises in sine.x");
    }
    const bool is_curve = !request.mode && request.question.form == Question::Form::curve;
    if (views && views->is_list())
      for (const Tree& each : views->items) {
        if (auto sight = read_sight(each, map.subject() + " views", problems))
          request.sights.push_back(std::move(*sight));
      }
    else if (views)
      if (auto sight = read_sight(*views, map.subject() + " views", problems))
        request.sights.push_back(std::move(*sight));
    for (const Tree* each : part ? one_or_more(*part) : std::vector<const Tree*>{})
      if (const int* const own = reading.parts.find(*each, map.subject(), problems)) request.parts.push_back(*own);
    if (play) request.plays = read_word(*play, {"no", "yes"}, map.subject() + " play", problems).value_or(0) == 1;
    const bool moves = request.mode || (!is_curve && request.question.request.quantity &&
                                        request.question.request.quantity->keyword == "relative displacement");
    if (request.plays && !moves && problems.count() == before)
      problems.add(*play, map.subject(), "only a mode or the displacement of a sine plays", "leave it out");
    if (is_curve && (views || part || request.scale > 0) && problems.count() == before)
      problems.add(entry.value, map.subject(), "a curve has no view, part or scale", "leave them out");
    if (request.sights.empty()) request.sights.push_back({"above", named_sights[0].azimuth, named_sights[0].elevation});
    if (problems.count() == before && show) reading.plan.figures.push_back(std::move(request));
  }
}

}  // namespace avrenk
