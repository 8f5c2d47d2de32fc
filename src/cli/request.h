/// cli/request.h: the command line, read and checked.
#pragma once

#include <boost/program_options.hpp>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "analysis/analysis_request.h"

namespace avrenk {

/// 0 done and all limits met; 1 done, some limit exceeded; 2 the input is wrong; 3 the computation failed; 4 a file
/// could not be read or written.
enum class ExitStatus { done = 0, limit_exceeded = 1, wrong_input = 2, failed = 3, file_error = 4 };

/// An option, and the commands that have it.
struct Option {
  const char* name;
  const char* value;  ///< what its value is called; nullptr: it has none
  std::string_view commands;
  const char* help;
  [[nodiscard]] bool is_of(const std::string& command) const;
};
[[nodiscard]] std::span<const Option> all_options();

struct Request : AnalysisRequest {
  std::vector<std::string> words;  ///< positional: plan, environments
  std::optional<std::string> out;
  std::optional<std::string> mesh;   ///< file that a new plan is for
  std::vector<std::string> parts{};  ///< of a group that becomes a component
  bool quiet = false, verbose = false, help = false;
  bool real_and_imaginary = false;  ///< figures of the real and imaginary parts of sine responses too
  bool full = false;                ///< print every table, not the two screens that answer
  bool json = false;                ///< answers for programs
  bool anew = false;                ///< compute the modes even if an earlier run kept them
  // Of profiles.
  std::vector<std::pair<double, double>> bands{};  ///< Hz
  std::optional<int> envelope{};                   ///< points of envelopes
  double margin = 0, octaves = 0;                  ///< of these: dB, and the width of the bands to average over
};

/// Reads the options of one command, by its name. Unknown options are errors with the nearest valid one.
/// @throws InputError
[[nodiscard]] Request read_request(std::span<const std::string> words, const std::string& command);

/// The option list for `--help`: of one command, or of all.
[[nodiscard]] std::string describe_options(const std::string& command = {});

}  // namespace avrenk
