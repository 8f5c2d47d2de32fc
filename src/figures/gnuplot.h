/// figures/gnuplot.h: starts gnuplot and believes nothing it says until the file is seen to be whole.
#pragma once

#include <filesystem>
#include <string>

namespace avrenk {

/// Runs a gnuplot program. `work` names a place for its input and its complaints; both are removed again.
/// @return  what it wrote to its standard error
/// @throws FileError  it is not installed, or fails
[[nodiscard]] std::string run_gnuplot(const std::string& program, const std::filesystem::path& work);

/// Text in single quotes, in which gnuplot interprets nothing.
[[nodiscard]] std::string gnuplot_text(const std::string& text);

/// True if the file has this text among its last bytes: gnuplot exits with 0 on a full disk.
[[nodiscard]] bool ends_with(const std::filesystem::path& file, const std::string& ending);

}  // namespace avrenk
