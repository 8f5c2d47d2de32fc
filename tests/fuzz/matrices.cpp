// Matrices and tables of a component that somebody else wrote: what is read again from what we write of it is the same.
#include "files/component_file.h"
#include "fuzz/input.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string text(fuzz::text_of(data, size));
  fuzz::try_to([&] {
    const Eigen::MatrixXd matrix = read_matrix_market(text, "K.mtx");
    if (matrix.size() < 1000 && read_matrix_market(to_matrix_market(matrix, "again"), "K.mtx") != matrix)
      __builtin_trap();
  });
  for (const auto& read : {read_columns_table, read_points_table})
    fuzz::try_to([&] {
      ReducedModel model;
      read(text, "table.csv", model);
      for (const ReducedModel::Column& each : model.columns)
        if (each.node >= static_cast<int>(model.interface.size())) __builtin_trap();
    });
  return 0;
}
