#include "cli/commands.h"
#include "core/freed_pages.h"

int main(int count, char** arguments) {
  avrenk::keep_freed_pages();
  return avrenk::run_command_line(count, arguments);
}
