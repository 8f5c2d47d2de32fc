#include "cli/commands.h"

int main(int count, char** arguments) { return avrenk::run_command_line(count, arguments); }
