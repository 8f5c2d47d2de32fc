find_package(Eigen3 3.4 REQUIRED NO_MODULE)
find_package(Boost 1.74 REQUIRED COMPONENTS program_options)
find_package(fmt REQUIRED)
find_package(spdlog REQUIRED)
find_package(yaml-cpp REQUIRED)
find_package(nlohmann_json REQUIRED)
find_package(Threads REQUIRED)

# Sparse factorisation: the sequential build of MUMPS, METIS for its ordering, OpenBLAS below.
find_path(MUMPS_INCLUDE dmumps_c.h PATH_SUFFIXES mumps_seq REQUIRED)
find_library(MUMPS_LIBRARY dmumps_seq REQUIRED)
find_library(MUMPS_COMPLEX_LIBRARY zmumps_seq REQUIRED)
find_path(METIS_INCLUDE metis.h REQUIRED)
find_library(METIS_LIBRARY metis REQUIRED)
find_library(OPENBLAS_LIBRARY openblas REQUIRED)
add_library(avrenk-factorisation INTERFACE)
target_include_directories(avrenk-factorisation SYSTEM INTERFACE ${MUMPS_INCLUDE} ${METIS_INCLUDE})
target_link_libraries(avrenk-factorisation INTERFACE ${MUMPS_LIBRARY} ${MUMPS_COMPLEX_LIBRARY} ${METIS_LIBRARY} ${OPENBLAS_LIBRARY})

# Kept results: HDF5 (C library with its short forms), fingerprints by xxHash.
find_package(HDF5 REQUIRED COMPONENTS C HL)
find_path(XXHASH_INCLUDE xxhash.h REQUIRED)
find_library(XXHASH_LIBRARY xxhash REQUIRED)
add_library(avrenk-kept INTERFACE)
target_include_directories(avrenk-kept SYSTEM INTERFACE ${HDF5_INCLUDE_DIRS} ${XXHASH_INCLUDE})
target_link_libraries(avrenk-kept INTERFACE ${HDF5_LIBRARIES} ${HDF5_HL_LIBRARIES} ${XXHASH_LIBRARY})

# Dense products and decompositions go to OpenBLAS (core/algebra.h, dense.h), which uses the vector units of the machine
# it runs on; the prototypes of LAPACK come from its C headers.
find_path(LAPACK_INCLUDE lapack.h REQUIRED)
add_library(avrenk-dense INTERFACE)
target_link_libraries(avrenk-dense INTERFACE Eigen3::Eigen ${OPENBLAS_LIBRARY})
target_include_directories(avrenk-dense SYSTEM INTERFACE ${LAPACK_INCLUDE})

# Text in pictures: Cairo. XML: pugixml; compressed data: zlib. Report: mustache templates (header only), dygraphs and
# three.js inlined.
find_package(PkgConfig REQUIRED)
pkg_check_modules(MUPARSER REQUIRED IMPORTED_TARGET muparser)  # formulas of limits
pkg_check_modules(CAIRO REQUIRED IMPORTED_TARGET cairo)
find_package(pugixml REQUIRED)
find_package(ZLIB REQUIRED)
find_path(MUSTACHE_INCLUDE kainjow/mustache.hpp REQUIRED)
find_file(DYGRAPHS_SCRIPT dygraph.min.js PATHS /usr/share/javascript/dygraphs REQUIRED)
find_file(DYGRAPHS_STYLE dygraph.min.css PATHS /usr/share/javascript/dygraphs REQUIRED)
find_file(THREE_SCRIPT three.min.js PATHS /usr/share/javascript/three REQUIRED)
find_file(THREE_CONTROLS OrbitControls.js PATHS /usr/share/javascript/three/examples/js/controls REQUIRED)
