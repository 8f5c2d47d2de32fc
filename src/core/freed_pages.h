/// core/freed_pages.h: large matrices come and go; the allocator should keep their pages.
#pragma once

#include <malloc.h>

namespace avrenk {

/// Freed memory stays with the process, so that it need not be cleared again when the next matrix takes it.
inline void keep_freed_pages() {
#ifdef M_MMAP_THRESHOLD
  mallopt(M_MMAP_THRESHOLD, 1 << 30);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
#endif
}

}  // namespace avrenk
