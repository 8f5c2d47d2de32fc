/// files/file_name.h: names of files made of names that users give: of environments, profiles, quantities.
#pragma once

#include <string>
#include <string_view>

namespace avrenk {

/// A name of one file, without a folder: letters, digits, spaces and marks stay; separators, control characters, and
/// what some file systems or shells do not take become "_", so does a dot or a dash at the beginning; at most 120
/// bytes. A name that had to be changed ends in a hash of what it was, before its last ".ext", so that two stay two.
[[nodiscard]] std::string file_name(std::string_view name);

/// A path inside a folder of results from "folder/name" or "name": what comes after the first "/" is one name.
[[nodiscard]] std::string path_in_results(std::string_view path);

}  // namespace avrenk
