#include "cli/request.h"

#include <fmt/format.h>

#include <sstream>

#include "core/nearest.h"

namespace avrenk {
namespace po = boost::program_options;
namespace {

po::options_description common_options() {
  po::options_description options("Options", 100, 50);
  options.add_options()  //
      ("out", po::value<std::string>()->value_name("DIR"),
       "folder of results; default: beside the plan, named after it")  //
      ("set", po::value<std::vector<std::string>>()->value_name("path.to.key=VALUE"),
       "change one value of the plan; may be repeated")                                                  //
      ("mesh", po::value<std::string>()->value_name("FILE"), "mesh (.vtu) that avrenk new starts from")  //
      ("threads", po::value<int>()->value_name("N"), "threads to use; default: all cores")               //
      ("no-figures", "write no figures and no fields")                                                   //
      ("real-and-imaginary", "figures of the real and imaginary part of sine responses too")             //
      ("anew", "compute the modes even if an earlier run kept those of the same model")                  //
      ("audit", po::value<int>()->value_name("N"),
       "compare the modal answers with the full equations at N frequencies; default: 2 with new modes, if that takes "
       "seconds")                                             //
      ("quiet", "print nothing but warnings and errors")      //
      ("verbose", "say what is being done and what it took")  //
      ("help", "this text");
  return options;
}

[[noreturn]] void refuse(std::string wrong, std::string instead) {
  throw InputError(Problem{"", std::move(wrong), std::move(instead), std::nullopt});
}

}  // namespace

std::string describe_options() {
  std::ostringstream text;
  text << common_options();
  return text.str();
}

Request read_request(std::span<const std::string> words) {
  po::options_description all = common_options();
  all.add_options()("words", po::value<std::vector<std::string>>());
  po::positional_options_description positional;
  positional.add("words", -1);
  po::variables_map values;
  try {
    using namespace po::command_line_style;
    const auto style = unix_style & ~allow_guessing & ~allow_short;
    po::store(po::command_line_parser(std::vector<std::string>(words.begin(), words.end()))
                  .options(all)
                  .positional(positional)
                  .style(style)
                  .run(),
              values);
    po::notify(values);
  } catch (const po::unknown_option& error) {
    std::vector<std::string> names;
    const po::options_description common = common_options();
    for (const auto& option : common.options()) names.push_back("--" + option->long_name());
    const std::string given = error.get_option_name();
    refuse(fmt::format("unknown option \"{}\"", given), suggest_name(given, names));
  } catch (const po::error& error) {
    refuse(error.what(), "see avrenk --help");
  }
  Request request;
  if (values.contains("words")) request.words = values["words"].as<std::vector<std::string>>();
  if (values.contains("mesh")) request.mesh = values["mesh"].as<std::string>();
  if (values.contains("out")) request.out = values["out"].as<std::string>();
  if (values.contains("threads")) {
    request.threads = values["threads"].as<int>();
    if (request.threads < 1) refuse(fmt::format("--threads {} is not possible", request.threads), "write 1 or more");
  }
  if (values.contains("audit")) {
    request.audit = values["audit"].as<int>();
    if (*request.audit < 0) refuse(fmt::format("--audit {} is not possible", *request.audit), "write 0 or more");
  }
  request.quiet = values.contains("quiet");
  request.verbose = values.contains("verbose");
  request.figures = !values.contains("no-figures");
  request.real_and_imaginary = values.contains("real-and-imaginary");
  request.anew = values.contains("anew");
  request.help = values.contains("help");
  if (values.contains("set"))
    for (const std::string& text : values["set"].as<std::vector<std::string>>())
      request.overrides.push_back(parse_override(text));
  return request;
}

}  // namespace avrenk
