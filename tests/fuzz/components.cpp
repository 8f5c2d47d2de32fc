// Components and modes of somebody else in HDF5: what is taken fits together, and is all numbers.
#include "core/modes/reduction.h"
#include "files/component_file.h"
#include "files/modes_file.h"
#include "fuzz/input.h"
#include "support/models.h"

namespace {

using namespace avrenk;

// Two nodes with a bar between them, a coordinate of its inside, and a point on the way.
ReducedModel bar() {
  ReducedModel model;
  model.interface = {Vector3::Zero(), Vector3(0, 0.1, 0)};
  for (int node : {0, 1})
    for (int d : {0, 1, 2}) model.columns.push_back({node, d});
  model.columns.push_back({-1, 0});
  model.stiffness = Eigen::MatrixXd::Zero(7, 7);
  model.stiffness(6, 6) = 1e6;
  model.mass = Eigen::MatrixXd::Identity(7, 7);
  model.bound = 100;
  return model;
}

}  // namespace

// The seed is what `reduce` writes.
extern "C" int LLVMFuzzerInitialize(int* count, char*** arguments) {
  if (*count == 3 && std::string_view((*arguments)[1]) == "--write-seed") {
    write_component((*arguments)[2], bar());
    // Behind the last line, which says that nothing was changed, HDF5 reads nothing.
    std::filesystem::resize_file((*arguments)[2], std::filesystem::file_size((*arguments)[2]) - 70);
    std::exit(0);
  }
  return 0;
}

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string bytes(fuzz::text_of(data, size));
  fuzz::try_to([&] {
    const ReducedModel model = read_component(bytes, "box.h5");
    if (!why_invalid(model).empty() || model.names.size() != model.points.size()) __builtin_trap();
  });
  fuzz::try_to([&] {
    const GivenShapes given = read_given_shapes(bytes, "results.h5");
    if (given.frequency.size() == 0 || !given.shapes.allFinite()) __builtin_trap();
  });
  return 0;
}
