// limits: of a watched quantity in some environments.
#include <algorithm>
#include <cmath>
#include <tuple>

#include "plan/limit_parts.h"

namespace avrenk {
namespace {

std::optional<Take> read_take(const Tree& tree, const std::string& subject, Problems& problems) {
  if (!tree.is_text()) {
    problems.add(tree, subject, "a word is due", "write peak, RMS or 3 sigma");
    return std::nullopt;
  }
  if (tree.text == "peak") return Take{Take::Form::peak, 1};
  if (tree.text == "RMS") return Take{Take::Form::rms, 1};
  if (tree.text == "PSD") return Take{Take::Form::psd, 1};
  const std::size_t word = tree.text.find("sigma");
  if (word != std::string::npos && word + 5 == tree.text.size()) {
    const auto number = [&]() -> std::optional<double> {
      try {
        return parse_as(kind::number, tree.text.substr(0, word));
      } catch (const InputError&) {
        return std::nullopt;
      }
    }();
    if (number && *number > 0) return Take{Take::Form::sigma, *number};
  }
  if (tree.text == "largest") return Take{Take::Form::largest, 1};
  if (tree.text.starts_with("largest ")) {
    const auto quantile =
        read_quantity(text_at(tree.text.substr(8), tree.place), kind::ratio, subject, problems, Sign::positive);
    if (quantile && *quantile < 1) return Take{Take::Form::largest, 1, *quantile};
    if (quantile)
      problems.add(tree, subject, "nothing stays below a value with more than certainty", "write largest 95 %");
    return std::nullopt;
  }
  if (tree.text.ends_with('%')) {
    for (const auto& [text, sigmas] : {std::pair{"68.27 %", 1}, {"95.45 %", 2}, {"99.73 %", 3}})
      if (tree.text == text) return Take{Take::Form::probability, static_cast<double>(sigmas)};
    problems.add(tree, subject, fmt::format("no such part of the time is known: {}", tree.text),
                 "write 68.27 %, 95.45 % or 99.73 %");
    return std::nullopt;
  }
  problems.add(tree, subject, fmt::format("\"{}\" is not known here", tree.text),
               "write peak, RMS, 3 sigma, 99.73 %, largest 95 % or PSD");
  return std::nullopt;
}

// Takes for sine and for random environments; absent where the plan does not say.
struct Takes {
  std::optional<Take> sine, random;
};

Takes read_takes(const Tree& tree, const std::string& subject, Problems& problems) {
  Takes takes;
  if (tree.is_map()) {
    MapReader map(tree, subject, problems);
    if (const Tree* sine = map.optional("sine")) takes.sine = read_take(*sine, subject + " sine", problems);
    if (const Tree* random = map.optional("random")) takes.random = read_take(*random, subject + " random", problems);
    map.done();
  } else if (const auto take = read_take(tree, subject, problems)) {
    (take->form == Take::Form::peak ? takes.sine : takes.random) = take;
  }
  if (takes.sine && takes.sine->form != Take::Form::peak)
    problems.add(tree, subject, "a sine environment has a peak, no RMS", "write take: {sine: peak, random: 3 sigma}");
  if (takes.random && takes.random->form == Take::Form::peak)
    problems.add(tree, subject, "a random environment has no peak", "write take: {sine: peak, random: 3 sigma}");
  return takes;
}

// The static environment whose answer is added to those of the others.
void read_with(const Tree& with, const std::vector<const Environment*>& others, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  const std::string subject = "limit " + limit.name + " with";
  const Environment* const still = find_environment(with, subject, reading);
  if (!still) return;
  if (!still->is_static()) {
    reading.problems.add(with, subject, fmt::format("environment \"{}\" is not static", with.text),
                         "name one that is written as {static: {acceleration: {z: -1 g}}}");
    return;
  }
  response.with = still->name;
  for (const Environment* other : others)
    if (!other->after.empty() && other->after != still->name)
      reading.problems.add(with, subject,
                           fmt::format("environment {} comes after {} already", other->name, other->after),
                           fmt::format("write with: {}", other->after));
}

// Why the input of an environment cannot be notched; empty where it can.
std::string why_not_notched(const Environment& environment, const Take& take) {
  if (!environment.load_cases.empty()) return "is driven by loads, and only motions of bases are notched";
  if (!environment.superposed_on.empty())
    return fmt::format("acts on {}, and is not notched", environment.superposed_on);
  if (environment.is_direct()) return "is answered by the full equations, and is not notched";
  if (environment.is_sine()) return "";
  if ((environment.is_simultaneous() && environment.axes.size() > 1) || environment.has_bases_apart())
    return "has several inputs at once, and which of them to lower is not known";
  if (take.form == Take::Form::probability || take.form == Take::Form::largest)
    return "is notched for a PSD, an RMS or so many sigma";
  return "";
}

// yes, no, or {deepest: 12 dB, floor: 0.5 g}.
void read_notch(const Tree& tree, const std::vector<const Environment*>& excited, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  Problems& problems = reading.problems;
  const std::string subject = "limit " + limit.name + " notch";
  if (!tree.is_map()) {
    if (read_word(tree, {"no", "yes"}, subject, problems) == 1) response.notch.emplace();
  } else {
    NotchRule& rule = response.notch.emplace();
    MapReader map(tree, subject, problems);
    const bool angular = !excited.empty() && excited.front()->angular,
               random = !excited.empty() && excited.front()->is_random();
    if (const auto deepest = map.quantity("deepest", kind::level, Sign::positive))
      rule.deepest = std::pow(10, -*deepest / 20);
    const Kind& kind = random ? (angular ? kind::angular_acceleration_psd : kind::acceleration_psd)
                              : (angular ? kind::angular_acceleration : kind::acceleration);
    rule.floor = map.quantity("floor", kind, Sign::positive).value_or(0);
    map.done();
    const bool mixed = std::any_of(excited.begin(), excited.end(),
                                   [&](const Environment* each) { return each->type() != excited.front()->type(); });
    if (rule.floor > 0 && mixed)
      problems.add(tree, subject, "the floor of a sine is no floor of a random input", "write a limit for each");
  }
  if (!response.notch) return;
  if (excited.empty())
    problems.add(tree, subject, "no environment that is notched is named", "name a sine or a random one under in");
  for (const Environment* each : excited)
    if (const std::string why = why_not_notched(*each, response.take_random); !why.empty())
      problems.add(tree, subject, fmt::format("environment {} {}", each->name, why), "give it a limit of its own");
}

// The largest value in a duration is known of Gaussian responses, and where there is a duration.
void refuse_largest(const Tree& in, const Environment& environment, const OutputRequest* request, const MapReader& map,
                    Problems& problems) {
  if (!environment.duration)
    problems.add(in, map.subject(),
                 fmt::format("profile {} has no duration in which a largest value occurs", environment.profile),
                 "write duration: 120 s in it");
  else if (in.text.ends_with(".combined") || !environment.superposed_on.empty())
    problems.add(in, map.subject(), fmt::format("the largest of {} is not known", in.text),
                 "name one of its axes, or take 3 sigma");
  const std::string of = map.tree().find("of")->text;
  if (request && (request->quantity->positive || is_length(*request, of)))
    problems.add(in, map.subject(), fmt::format("{} is not Gaussian, and how large it grows is not known", of),
                 "name a component, or take 99.73 %");
}

}  // namespace

void read_response_limit(MapReader& map, const Tree& of, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  Problems& problems = reading.problems;
  response.of = of.text;
  (void)is_watched(of, map.subject(), reading);
  const OutputRequest* const request = find_request(reading.plan.watch, of.text);
  const Tree* const in = map.required("in", "random");
  const Tree* const take_tree = map.optional("take");
  const Tree* const factors = map.optional("factors");
  const Tree* const with = map.optional("with");
  const Tree* const at = map.optional("at");
  const Tree* const notch = map.optional("notch");
  const Takes takes = take_tree ? read_takes(*take_tree, map.subject() + " take", problems) : Takes{};
  const bool of_psd = takes.random && takes.random->form == Take::Form::psd;
  if (request && of_psd) {
    if (const Tree* const value = map.required("allowable", "0.5 g^2/Hz"))
      read_allowed_psd(*value, *request, limit, reading);
  } else if (request)
    read_allowable(map, *request, limit, reading);
  else
    (void)map.optional("allowable"), (void)map.optional("at least");
  if (at) response.at_upper = read_word(*at, {"nominal", "upper tolerance"}, map.subject() + " at", problems) == 1;
  response.take = takes.sine.value_or(Take{});
  response.take_random = takes.random.value_or(Take{});
  if (take_tree && request && request->quantity->is_reciprocal)
    problems.add(*take_tree, map.subject(), fmt::format("of {} the smallest value is taken", response.of),
                 "leave take out");
  if (factors) std::tie(limit.factor, limit.factors) = read_factors_named(*factors, map.subject(), reading);
  if (in && in->is_list() && in->items.empty())
    problems.add(*in, map.subject(), "no environment is named, so nothing is judged", "write in: random, or a list");
  std::vector<const Environment*> excited;
  for (const Tree* item : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
    const Environment* const environment = find_environment(*item, map.subject() + " in", reading);
    if (!environment) continue;
    response.environments.push_back(item->text);
    if (environment->is_static()) {
      if (request && request->quantity->per_input())
        problems.add(*item, map.subject(),
                     fmt::format("{} is a ratio to the input and has no static value", response.of),
                     "name a sine environment");
      continue;
    }
    excited.push_back(environment);
    if (of_psd && (environment->is_sine() || !environment->superposed_on.empty() || item->text.ends_with(".combined")))
      problems.add(*item, map.subject(), fmt::format("{} has no PSD of its own", item->text),
                   "name a random environment, or one of its axes");
    if (notch && item->text.ends_with(".combined"))
      problems.add(*item, map.subject(), "cases that are combined are not notched together",
                   fmt::format("write in: {}", environment->name));
    if (response.take_random.form == Take::Form::largest && environment->is_random())
      refuse_largest(*item, *environment, request, map, problems);
    const bool on = !environment->superposed_on.empty();
    const bool sine = environment->is_sine() && !on;
    if (on && takes.random && takes.random->form == Take::Form::sigma)
      problems.add(
          *take_tree, map.subject(),
          fmt::format("{} acts on {}, and both together have no sigma", environment->name, environment->superposed_on),
          "write take: 99.73 %, or RMS");
    if (on && item->text.ends_with(".combined"))
      problems.add(*item, map.subject(), "what cases combined make together with what they act on is not known",
                   fmt::format("write in: {}", environment->name));
    if (on && (with || (request && request->quantity->keyword == "clearance")))
      problems.add(*item, map.subject(),
                   fmt::format("{} acts on {}: what both make of a gap or on top of a static load is not known",
                               environment->name, environment->superposed_on),
                   "name other environments");
    if (response.take_random.form == Take::Form::probability && item->text.ends_with(".combined"))
      problems.add(*item, map.subject(), "what cases combined stay below with a probability is not known",
                   "name a case, or let all axes act at once: simultaneous: yes without combine");
    if (with && item->text.ends_with(".combined"))
      problems.add(*item, map.subject(), "a static answer cannot be added to axes that are combined already",
                   fmt::format("write in: {}", environment->name));
    if (!sine && request && request->quantity->per_input())
      problems.add(*item, map.subject(), fmt::format("{} is a ratio to the input and has no RMS", response.of),
                   "name a sine environment");
    if (const Kind* input = reference_kind(*environment, reading.plan.assembly);
        sine && request && !request->quantity->has_meaning(input))
      problems.add(*item, map.subject(),
                   fmt::format("{} is a ratio to {}, and the input of {} is {}", response.of,
                               request->quantity->per->name, environment->name, input->name),
                   fmt::format("name an environment that is driven by {}", request->quantity->per->name));
    if (sine && request && request->quantity->is_reciprocal) continue;  // only its smallest value can be meant
    if (sine ? takes.sine.has_value() : takes.random.has_value()) continue;
    const std::string example = sine ? "peak" : on ? "99.73 %, or RMS" : "3 sigma, or RMS";
    if (take_tree)
      problems.add(*take_tree, map.subject(),
                   fmt::format("\"{}\" does not fit {}environment {}{}", take_tree->text,
                               on     ? ""
                               : sine ? "sine "
                                      : "random ",
                               item->text, on ? ", which acts on " + environment->superposed_on : ""),
                   "write take: " + example);
    else
      problems.add(map.tree(), map.subject(), "\"take\" is missing", "write take: " + example);
  }
  if (with && request && request->quantity->per_input())
    problems.add(*with, map.subject(),
                 fmt::format("{} is a ratio to the input, to which nothing static adds", response.of),
                 "leave with out");
  else if (with)
    read_with(*with, excited, limit, reading);
  if (with && of_psd) problems.add(*with, map.subject(), "nothing static adds to a PSD", "leave with out");
  if (!notch) return;
  read_notch(*notch, excited, limit, reading);
  if (response.notch && request && (request->quantity->per_input() || request->quantity->keyword == "clearance"))
    problems.add(*notch, map.subject(),
                 request->quantity->per_input()
                     ? fmt::format("{} is a ratio to the input, which no notch changes", response.of)
                     : fmt::format("what {} leaves depends on its sign, and a notch looks at amplitudes", response.of),
                 "leave notch out");
}

}  // namespace avrenk
