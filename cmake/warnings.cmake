# The one place where warnings are chosen; every room links it.
add_library(avrenk-warnings INTERFACE)
# -Wno-restrict: GCC 12 warns falsely inside std::string at -O3 (GCC bug 105651).
target_compile_options(avrenk-warnings INTERFACE -Wall -Wextra -Wconversion -Wnon-virtual-dtor -Wpedantic -Wno-restrict)
# In a unity build names of one file stand before those of the next: only a local name that hides a local one counts.
target_compile_options(avrenk-warnings INTERFACE $<IF:$<BOOL:${CMAKE_UNITY_BUILD}>,-Wshadow=local,-Wshadow>)
if(AVRENK_WARNINGS_ARE_ERRORS)
  target_compile_options(avrenk-warnings INTERFACE -Werror)
endif()
