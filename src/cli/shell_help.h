/// cli/shell_help.h: the commands and their options as a shell completes them, and as a page of the manual.
#pragma once

#include <span>
#include <string>

#include "cli/commands.h"

namespace avrenk {

/// For bash: a function, bound to avrenk.
[[nodiscard]] std::string bash_completion(std::span<const Command> commands);
/// For zsh: a file of its function path.
[[nodiscard]] std::string zsh_completion(std::span<const Command> commands);
/// Section 1 of the manual, for man(1).
[[nodiscard]] std::string manual_page(std::span<const Command> commands);

}  // namespace avrenk
