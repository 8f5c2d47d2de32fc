#include <malloc.h>

#include "cli/commands.h"

int main(int count, char** arguments) {
#ifdef M_MMAP_THRESHOLD  // large matrices come and go: let the allocator keep their pages
  mallopt(M_MMAP_THRESHOLD, 1 << 30);
  mallopt(M_TRIM_THRESHOLD, 1 << 30);
#endif
  return avrenk::run_command_line(count, arguments);
}
