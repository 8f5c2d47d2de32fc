// new: a commented starter plan, for a mesh or for nothing yet.
#include <fmt/format.h>

#include <filesystem>

#include "cli/commands.h"
#include "cli/handbook.h"
#include "files/run_folder.h"
#include "files/text_file.h"
#include "plan/starter.h"

namespace avrenk {

ExitStatus new_plan(const Request& request, Terminal& terminal) {
  if (request.words.size() > 1)
    throw InputError(Problem{"", fmt::format("new does not take \"{}\"", request.words[1]),
                             "write avrenk new [--mesh FILE] [PLAN.yaml]", std::nullopt});
  std::string text;
  std::filesystem::path target = "plan.yaml";
  if (request.mesh) {
    const std::filesystem::path mesh = *request.mesh;
    const std::string bytes = read_text_file(mesh.string(), most_mesh_bytes, "a mesh");
    target = mesh.stem().string() + ".yaml";
    if (!request.words.empty()) target = request.words[0];
    // The plan names the mesh from where it stands itself.
    std::error_code ignored;
    const auto folder = std::filesystem::absolute(target).parent_path();
    const auto relative = std::filesystem::relative(std::filesystem::absolute(mesh), folder, ignored);
    text = starter_plan(read_vtu(bytes, mesh.string()), (relative.empty() ? mesh : relative).string(), first_sentence);
  } else {
    if (!request.words.empty()) target = request.words[0];
    text = starter_plan(first_sentence);
  }
  if (std::filesystem::exists(target))
    throw FileError(fmt::format("{}: it is there already; give another name, or move it away", target.string()));
  write_file(target, text);
  terminal.print(fmt::format("Written: {}\nNext:    avrenk check {}\n", target.string(), target.string()));
  return ExitStatus::done;
}

}  // namespace avrenk
