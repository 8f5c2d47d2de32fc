/// files/component_file.h: reduced models as files that others can write too: HDF5, or Matrix Market with tables.
/// Layout: docs/results.md.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

#include "core/model/reduced_model.h"

namespace avrenk {

/// Largest file of a component that is read.
inline constexpr std::size_t most_component_bytes = std::size_t{2} << 30U;

/// @throws FileError
void write_component(const std::filesystem::path& file, const ReducedModel& model);

/// From the bytes of such a file, sealed or written by somebody else.
/// @throws FileError  it is none, was changed after it was sealed, or what is in it does not fit together: says what
[[nodiscard]] ReducedModel read_component(const std::string& bytes, const std::string& name);

/// A symmetric or general matrix as text (NIST's Matrix Market), with all digits: the same to the last bit when read.
[[nodiscard]] std::string to_matrix_market(const Eigen::MatrixXd& matrix, const std::string& comment);

struct MatrixSize {
  Eigen::Index rows = 0, columns = 0;
};

/// Coordinate or array, real or integer, general, symmetric or skew-symmetric.
/// @param due  the only size that is taken: a few bytes announce gigabytes
/// @throws FileError  file:line, and what is wrong there
[[nodiscard]] Eigen::MatrixXd read_matrix_market(const std::string& text, const std::string& name,
                                                 const std::optional<MatrixSize>& due = {});

/// What each row of the matrices is: node, direction, and where the node lies; "node,direction,x (m),y (m),z (m)".
[[nodiscard]] std::string columns_table(const ReducedModel& model);
/// Names and places of the points: "point,x (m),y (m),z (m)".
[[nodiscard]] std::string points_table(const ReducedModel& model);

/// Fills interface and columns, or names and points, from such a table, in any unit of length.
/// @throws FileError  file:line, and what is wrong there
void read_columns_table(const std::string& text, const std::string& name, ReducedModel& model);
void read_points_table(const std::string& text, const std::string& name, ReducedModel& model);

}  // namespace avrenk
