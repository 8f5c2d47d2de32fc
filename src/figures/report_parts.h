/// figures/report_parts.h: templates, style and scripts of the report, built in (see avrenk_embed in
/// src/CMakeLists.txt).
#pragma once

namespace avrenk::report_parts {

extern const char* const page_html;
extern const char* const page_md;
extern const char* const section_html;
extern const char* const section_md;
extern const char* const page_css;
extern const char* const page_js;
extern const char* const model_js;
extern const char* const node_curves_js;
extern const char* const dygraph_licence;
extern const char* const three_licence;
extern const char* const dygraph_css;
extern const char* const dygraph_js;
extern const char* const three_js;
extern const char* const three_controls;

}  // namespace avrenk::report_parts
