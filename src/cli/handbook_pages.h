/// cli/handbook_pages.h: the pages of docs/, built in (see avrenk_embed in src/CMakeLists.txt).
#pragma once

namespace avrenk::handbook_pages {

extern const char* const plan;
extern const char* const recipes;
extern const char* const results;
extern const char* const theory;
extern const char* const glossary;

}  // namespace avrenk::handbook_pages
