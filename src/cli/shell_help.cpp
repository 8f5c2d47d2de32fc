#include "cli/shell_help.h"

#include <fmt/format.h>

#include <vector>

#include "version.h"

namespace avrenk {
namespace {

std::string replaced_all(std::string text, std::string_view what, std::string_view by) {
  for (std::size_t at = 0; (at = text.find(what, at)) != std::string::npos; at += by.size())
    text.replace(at, what.size(), by);
  return text;
}

// Files that the words of a command name: endings, besides folders.
std::vector<std::string> endings_of(const Command& command) {
  const std::string_view words = command.arguments;
  std::vector<std::string> endings;
  if (words.find("PLAN") != std::string_view::npos) endings = {"yaml", "yml"};
  if (words.find("CSV") != std::string_view::npos || words.find("TABLE") != std::string_view::npos)
    endings.emplace_back("csv");
  return endings;
}
std::string options_of(const Command& command) {
  std::string names;
  for (const Option& option : all_options())
    if (option.is_of(command.name)) names += fmt::format("{}--{}", names.empty() ? "" : " ", option.name);
  return names;
}

}  // namespace

std::string bash_completion(std::span<const Command> commands) {
  std::string names, cases, valued;  // the latter: options that have a value
  for (const Option& option : all_options())
    if (option.value) valued += fmt::format("{}--{}", valued.empty() ? "" : "|", option.name);
  for (const Command& command : commands) {
    names += fmt::format("{}{}", names.empty() ? "" : " ", command.name);
    const std::vector<std::string> endings = endings_of(command);
    cases += fmt::format("    {}) options='{}' files='{}' ;;\n", command.name, options_of(command),
                         endings.empty() ? "" : fmt::format("*.@({})", fmt::join(endings, "|")));
  }
  return fmt::format(
      R"(# Completion of avrenk {version} in bash: source it, or keep it as
# /usr/share/bash-completion/completions/avrenk
_avrenk() {{
  local word=${{COMP_WORDS[COMP_CWORD]}} before=${{COMP_WORDS[COMP_CWORD-1]}} options='' files=''
  if [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W '{names} help --help --version' -- "$word")
    return
  fi
  case $before in
    --out) mapfile -t COMPREPLY < <(compgen -d -- "$word"); return ;;
    --mesh) mapfile -t COMPREPLY < <(compgen -f -X '!*.vtu' -- "$word"; compgen -d -- "$word"); return ;;
    {valued}) return ;;
  esac
  case ${{COMP_WORDS[1]}} in
{cases}    help) mapfile -t COMPREPLY < <(compgen -W 'bash zsh man' -- "$word"); return ;;
  esac
  if [[ $word == -* ]]; then
    mapfile -t COMPREPLY < <(compgen -W "$options" -- "$word")
  else
    mapfile -t COMPREPLY < <([ -z "$files" ] || (shopt -s extglob; compgen -f -X "!$files" -- "$word"); compgen -d -- "$word")
  fi
}}
complete -o filenames -F _avrenk avrenk
)",
      fmt::arg("version", avrenk_version), fmt::arg("names", names), fmt::arg("cases", cases),
      fmt::arg("valued", valued));
}

std::string zsh_completion(std::span<const Command> commands) {
  const auto quoted = [](std::string text) {
    text = replaced_all(replaced_all(std::move(text), "[", "("), "]", ")");
    return replaced_all(replaced_all(std::move(text), ":", "\\:"), "'", "'\\''");
  };
  std::string names, cases;
  for (const Command& command : commands) {
    names += fmt::format("    '{}:{}'\n", command.name, quoted(command.summary));
    cases += fmt::format("    {})\n      _arguments \\\n", command.name);
    for (const Option& option : all_options()) {
      if (!option.is_of(command.name)) continue;
      const std::string name = option.name;
      const std::string value = !option.value    ? ""
                                : name == "out"  ? ":folder:_files -/"
                                : name == "mesh" ? ":mesh:_files -g \"*.vtu\""
                                                 : fmt::format(":{}:", quoted(option.value));
      cases += fmt::format("        '--{}{}[{}]{}' \\\n", name, option.value ? "=" : "", quoted(option.help), value);
    }
    const std::vector<std::string> endings = endings_of(command);
    cases += endings.empty()
                 ? "        '*:folder:_files -/'\n      ;;\n"
                 : fmt::format("        '*:file:_files -g \"*.({})(-.) *(-/)\"'\n      ;;\n", fmt::join(endings, "|"));
  }
  return fmt::format(
      R"(#compdef avrenk
# Completion of avrenk {version} in zsh: keep it as _avrenk in a folder of $fpath.
_avrenk() {{
  local -a commands
  commands=(
{names}  )
  if (( CURRENT == 2 )); then
    _describe command commands
    return
  fi
  local command=$words[2]
  shift words
  (( CURRENT-- ))
  case $command in
{cases}    help) _values page bash zsh man ;;
  esac
}}
_avrenk "$@"
)",
      fmt::arg("version", avrenk_version), fmt::arg("names", names), fmt::arg("cases", cases));
}

std::string manual_page(std::span<const Command> commands) {
  // A backslash and a minus mean something to the formatter, as does a dot or a quote that begins a line.
  const auto plain = [](std::string text) {
    text = replaced_all(replaced_all(std::move(text), "\\", "\\e"), "-", "\\-");
    text = replaced_all(std::move(text), "…", "...");
    return text.starts_with('.') || text.starts_with('\'') ? "\\&" + text : text;
  };
  std::string page = fmt::format(
      ".TH AVRENK 1 \"\" \"avrenk {}\" \"User Commands\"\n.SH NAME\navrenk \\- shows whether an assembly survives "
      "vibration of "
      "its base\n.SH SYNOPSIS\n.B avrenk\n.I COMMAND\n\\&...\n.SH DESCRIPTION\nReads a plan of an assembly and of what "
      "it has "
      "to survive, computes its modes, its responses to sinusoidal and random vibration and their margins, and writes "
      "tables, figures and a report.\nStart with\n.B avrenk demo\nand\n.B avrenk explain.\n.SH COMMANDS\n",
      avrenk_version);
  for (const Command& command : commands)
    page += fmt::format(".TP\n.BR \"{}\" \" {}\"\n{}.\nExample:\n.B {}\n", command.name, plain(command.arguments),
                        plain(command.summary), replaced_all(plain(command.example), "\"", "\\(dq"));
  page += ".SH OPTIONS\nEach command has some of these.\n";
  for (const Option& option : all_options()) {
    page += fmt::format(".TP\n.BI \"{}\" \"{}\"\n{}.\n", plain(fmt::format("--{}", option.name)),
                        option.value ? " " + plain(option.value) : "", replaced_all(plain(option.help), "\"", "\\(dq"));
    page += fmt::format("Of: {}.\n", option.commands);
  }
  page +=
      ".SH EXIT STATUS\n.TP\n.B 0\nDone, all limits met.\n.TP\n.B 1\nDone, some limit exceeded.\n.TP\n.B 2\nThe input "
      "is "
      "wrong.\n.TP\n.B 3\nThe computation failed.\n.TP\n.B 4\nA file could not be read or written.\n.TP\n.B "
      "130\nStopped by "
      "Ctrl\\-C: nothing half\\-written is left.\n";
  return page;
}

}  // namespace avrenk
