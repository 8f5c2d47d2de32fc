/// cli/schemas.h: docs/*.schema.json, built in, so that `avrenk help` prints them.
#pragma once

namespace avrenk::schemas {

extern const char* const plan;
extern const char* const summary;

}  // namespace avrenk::schemas
