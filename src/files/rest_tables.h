/// files/rest_tables.h: bolts and contacts at rest, and what vibration does to contacts, as tables.
#pragma once

#include "core/quantity/show.h"
#include "core/response/contact_load.h"
#include "files/table.h"

namespace avrenk {

/// Tension of each bolt in a static environment.
[[nodiscard]] Table bolt_table(const std::string& environment, const std::vector<BoltAtRest>& bolts,
                               const Assembly& assembly, const Show& show);

/// Each contact in a static environment, and which other comes nearest to opening it, closing it or making it slide.
[[nodiscard]] Table contact_table(const std::string& environment, const std::vector<ContactAtRest>& contacts,
                                  const std::vector<ContactUnderLoad>& loads, const Assembly& assembly,
                                  const Show& show);

}  // namespace avrenk
