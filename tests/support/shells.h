/// Matrices of a single shell element.
#pragma once

#include "core/element/kinds.h"
#include "core/element/shell.h"

namespace avrenk::test {

inline ShellBlock one_shell(const Eigen::Matrix3Xd& nodes, const ShellSection& section) {
  return {static_cast<int>(nodes.cols()), nodes, section};
}
inline Eigen::MatrixXd shell_stiffness(const Eigen::Matrix3Xd& nodes, const ShellSection& section) {
  return avrenk::shell_stiffness(one_shell(nodes, section), 0, 1);
}
inline Eigen::MatrixXd shell_mass(const Eigen::Matrix3Xd& nodes, const ShellSection& section) {
  return avrenk::shell_mass(one_shell(nodes, section), 0, 1);
}

}  // namespace avrenk::test
