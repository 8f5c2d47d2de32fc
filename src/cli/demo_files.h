/// cli/demo_files.h: the files of examples/payload-deck, built in (see avrenk_embed in src/CMakeLists.txt).
#pragma once

namespace avrenk::demo_files {

extern const char* const plan;
extern const char* const mast_foot;

}  // namespace avrenk::demo_files
