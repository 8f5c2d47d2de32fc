/// core/memory.h: memory asked for before it is taken, so that what does not fit is refused and not killed.
#pragma once

#include <string>

namespace avrenk {

/// Bytes that this process may still take: what the machine (swap included), the group of processes it belongs to, and
/// `ulimit -v` leave, the least of them; infinite where nothing says.
[[nodiscard]] double free_memory();

/// Bytes of address space that are in use.
[[nodiscard]] double mapped_memory();

/// @param what     "the factor of the stiffness", for the message
/// @param remedy  what to do; may be empty
/// @throws NumericalError  so many bytes are not free: says both
void require_memory(double bytes, const std::string& what, const std::string& remedy);

}  // namespace avrenk
