#include "cli/request.h"

#include <fmt/format.h>
#include <charconv>

#include <algorithm>
#include <sstream>

#include "core/excitation/envelope.h"
#include "core/spelling.h"
#include "core/words.h"

namespace avrenk {
namespace po = boost::program_options;
namespace {

constexpr std::string_view every_command =
                               "demo check modes sine random run change update reduce ask compare new explain profile",
                           of_a_plan = "demo check modes sine random run change update reduce profile",
                           with_modes = "demo modes sine random run change update reduce",
                           with_responses = "demo sine random run";
constexpr Option known_options[] = {
    {"out", "DIR", "demo check modes sine random run change update reduce ask compare profile",
     "folder of results; default: beside the plan, named after it"},
    {"set", "path.to.key=VALUE", of_a_plan, "change one value of the plan; may be repeated"},
    {"mesh", "FILE", "new", "mesh (.vtu) that the new plan starts from"},
    {"parts", "NAME, NAME", "reduce", "these parts alone, held where the rest of the model is joined to them"},
    {"threads", "N", "demo check modes sine random run change update reduce ask compare profile",
     "threads to use; default: all cores"},
    {"no-figures", nullptr, "demo check modes sine random run ask compare profile", "write no figures and no fields"},
    {"band", "FROM, TO", "profile", "RMS over a band, as in --band \"20 Hz, 100 Hz\"; may be repeated"},
    {"envelope", "N", "profile", "few straight lines above each profile, of N points at most: levels/NAME.csv"},
    {"margin", "LEVEL", "profile", "on the envelope, as in --margin \"3 dB\""},
    {"average", "BAND", "profile", "over which a PSD is averaged before: \"third octave\", \"sixth octave\", octave"},
    {"real-and-imaginary", nullptr, with_responses, "figures of the real and imaginary part of sine responses too"},
    {"anew", nullptr, with_modes, "compute the modes even if an earlier run kept those of the same model"},
    {"audit", "N|FREQUENCIES", with_responses,
     "compare the modal answers with the full equations at the N frequencies that matter most, or at those stated, as "
     "in --audit \"45 Hz, 63 Hz\"; default: 2 with new modes, if that takes seconds"},
    {"full", nullptr, "demo check modes sine random run", "print every table; default: the two screens that matter"},
    {"json", nullptr, "ask", "answers as JSON on stdout, for programs"},
    {"quiet", nullptr, every_command, "print nothing but warnings and errors"},
    {"verbose", nullptr, every_command, "say what is being done and what it took"},
    {"help", nullptr, every_command, "this text"},
};

// Those of one command; of all without a name.
po::options_description options_of(const std::string& command) {
  po::options_description options("Options", 100, 50);
  for (const Option& option : known_options) {
    if (!command.empty() && !option.is_of(command)) continue;
    const std::string name = option.name;
    if (!option.value)
      options.add_options()(option.name, option.help);
    else if (name == "threads" || name == "envelope")
      options.add_options()(option.name, po::value<int>()->value_name(option.value), option.help);
    else if (name == "set" || name == "band")
      options.add_options()(option.name, po::value<std::vector<std::string>>()->value_name(option.value), option.help);
    else
      options.add_options()(option.name, po::value<std::string>()->value_name(option.value), option.help);
  }
  return options;
}

double read_option(const Kind& kind, const char* name, const std::string& text) {
  try {
    return parse_as(kind, trimmed(text));
  } catch (const InputError& error) {
    const Problem& problem = error.problems.front();
    throw_input_error("", fmt::format("--{}: {}", name, problem.wrong), problem.remedy);
  }
}

}  // namespace

bool Option::is_of(const std::string& command) const {
  const std::vector<std::string> all = words_of(commands);
  return std::find(all.begin(), all.end(), command) != all.end();
}

std::span<const Option> all_options() { return known_options; }

std::string describe_options(const std::string& command) {
  std::ostringstream text;
  text << options_of(command);
  return text.str();
}

Request read_request(std::span<const std::string> words, const std::string& command) {
  po::options_description options = options_of(command);
  options.add_options()("words", po::value<std::vector<std::string>>());
  po::positional_options_description positional;
  positional.add("words", -1);
  po::variables_map values;
  try {
    using namespace po::command_line_style;
    const auto style = unix_style & ~allow_guessing & ~allow_short;
    po::store(po::command_line_parser(std::vector<std::string>(words.begin(), words.end()))
                  .options(options)
                  .positional(positional)
                  .style(style)
                  .run(),
              values);
    po::notify(values);
  } catch (const po::unknown_option& error) {
    std::vector<std::string> names;
    const std::string given = error.get_option_name();
    for (const Option& option : known_options) {
      const std::string known = fmt::format("--{}", option.name);
      if (known == given)
        throw_input_error("", fmt::format("avrenk {} has no option {}", command, given),
                          fmt::format("see avrenk {} --help", command));
      if (option.is_of(command)) names.push_back(known);
    }
    throw_input_error("", fmt::format("unknown option \"{}\"", given), suggest_name(given, names));
  } catch (const po::error& error) {
    throw_input_error("", error.what(), "see avrenk --help");
  }
  Request request;
  if (values.contains("words")) request.words = values["words"].as<std::vector<std::string>>();
  if (values.contains("mesh")) request.mesh = values["mesh"].as<std::string>();
  if (values.contains("parts")) {
    std::istringstream list(values["parts"].as<std::string>());
    for (std::string each; std::getline(list, each, ',');) request.parts.emplace_back(trimmed(each));
  }
  if (values.contains("out")) request.out = values["out"].as<std::string>();
  if (values.contains("threads")) {
    request.threads = values["threads"].as<int>();
    if (request.threads < 1)
      throw_input_error("", fmt::format("--threads {} is not possible", request.threads), "write 1 or more");
  }
  if (values.contains("audit")) {
    const std::string text = values["audit"].as<std::string>();
    int number = 0;
    const auto [end, wrong] = std::from_chars(text.data(), text.data() + text.size(), number);
    if (wrong == std::errc() && end == text.data() + text.size()) {
      if (number < 0) throw_input_error("", fmt::format("--audit {} is not possible", number), "write 0 or more");
      request.audit = number;
    } else {
      request.audit = 0;
      std::istringstream list(text);
      for (std::string each; std::getline(list, each, ',');) {
        request.audit_at.push_back(read_option(kind::frequency, "audit", each));
        if (!(request.audit_at.back() > 0))
          throw_input_error("", fmt::format("--audit {} is not possible", trimmed(each)), "write a frequency above 0");
      }
    }
  }
  if (values.contains("envelope")) {
    request.envelope = values["envelope"].as<int>();
    if (*request.envelope < 2)
      throw_input_error("", fmt::format("--envelope {} is not possible", *request.envelope), "write 2 or more");
  }
  for (const char* const of_envelope : {"margin", "average"})
    if (values.contains(of_envelope) && !request.envelope)
      throw_input_error("", fmt::format("--{} is that of an envelope", of_envelope), "write --envelope 8 too");
  if (values.contains("margin"))
    request.margin = read_option(kind::level, "margin", values["margin"].as<std::string>());
  if (values.contains("average")) {
    const std::string word = values["average"].as<std::string>();
    const auto octaves = octaves_of(word);
    if (!octaves) {
      const std::vector<std::string> known = octave_words();
      throw_input_error("", fmt::format("--average \"{}\" is not known", word), suggest_name(word, known));
    }
    request.octaves = *octaves;
  }
  if (values.contains("band"))
    for (const std::string& text : values["band"].as<std::vector<std::string>>()) {
      const std::size_t comma = text.find(',');
      if (comma == std::string::npos)
        throw_input_error("", fmt::format("--band \"{}\" is no band", text), "write --band \"20 Hz, 100 Hz\"");
      const double from = read_option(kind::frequency, "band", text.substr(0, comma)),
                   to = read_option(kind::frequency, "band", text.substr(comma + 1));
      if (!(0 < from && from < to))
        throw_input_error("", fmt::format("--band \"{}\" is no band", text), "write the lower frequency first");
      request.bands.emplace_back(from, to);
    }
  request.quiet = values.contains("quiet");
  request.verbose = values.contains("verbose");
  request.figures = !values.contains("no-figures");
  request.real_and_imaginary = values.contains("real-and-imaginary");
  request.anew = values.contains("anew");
  request.full = values.contains("full");
  request.json = values.contains("json");
  request.help = values.contains("help");
  if (values.contains("set"))
    for (const std::string& text : values["set"].as<std::vector<std::string>>())
      request.overrides.push_back(parse_override(text));
  return request;
}

}  // namespace avrenk
