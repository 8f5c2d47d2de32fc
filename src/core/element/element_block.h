/// core/element/element_block.h: the name of a block of shells or solids, for declarations; see kinds.h.
#pragma once

#include <variant>

namespace avrenk {

struct ShellBlock;
struct SolidBlock;

/// Elements of one kind, part and orientation: computed together.
using ElementBlock = std::variant<ShellBlock, SolidBlock>;

}  // namespace avrenk
