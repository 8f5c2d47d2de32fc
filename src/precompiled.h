/// precompiled.h: what nearly every file includes, parsed once for all rooms; no file includes it by name, and each
/// names what it needs itself. Classes that every file would make anew of Eigen's templates are made here.
#pragma once

#include <fmt/format.h>

#include <Eigen/SparseCore>
#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <numeric>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <variant>
#include <vector>

#include "core/algebra.h"

namespace avrenk::precompiled {

// A class is made where its size is asked for.
extern Vector3 v3;
extern Matrix3 m3;
extern Vector6 v6;
extern Matrix6 m6;
extern Eigen::VectorXd v;
extern Eigen::MatrixXd m;
extern Eigen::VectorXcd w;
extern Eigen::MatrixXcd z;
extern Eigen::Matrix3Xd points;
extern const Eigen::MatrixXd cm;
extern const Eigen::MatrixXcd cz;
extern const Eigen::Matrix3Xd cpoints;
extern Eigen::Index i;

#define AVRENK_MAKE(expression) static_assert(sizeof(expression) > 0)
AVRENK_MAKE(Vector3::Zero());
AVRENK_MAKE(Vector3::Unit(0));
AVRENK_MAKE(Matrix3::Zero());
AVRENK_MAKE(Matrix3::Identity());
AVRENK_MAKE(Vector6::Zero());
AVRENK_MAKE(Matrix6::Zero());
AVRENK_MAKE(Matrix6::Identity());
AVRENK_MAKE(Eigen::VectorXd::Zero(i));
AVRENK_MAKE(Eigen::MatrixXd::Zero(i, i));
AVRENK_MAKE(Eigen::MatrixXcd::Zero(i, i));
AVRENK_MAKE(Eigen::VectorXcd::Zero(i));
AVRENK_MAKE(v3 + v3);
AVRENK_MAKE(v3 - v3);
AVRENK_MAKE(v3 * 2.0);
AVRENK_MAKE(2.0 * v3);
AVRENK_MAKE(v3 / 2.0);
AVRENK_MAKE(-v3);
AVRENK_MAKE(v3* v3.transpose());
AVRENK_MAKE(m3* v3);
AVRENK_MAKE(m3* m3);
AVRENK_MAKE(m3.transpose());
AVRENK_MAKE(m3.transpose() * v3);
AVRENK_MAKE(m3.row(0).transpose());
AVRENK_MAKE(m3.col(0));
AVRENK_MAKE(m6* v6);
AVRENK_MAKE(v6.head<3>());
AVRENK_MAKE(v.head(i));
AVRENK_MAKE(v.segment(i, i));
AVRENK_MAKE(v.tail(i));
AVRENK_MAKE(v.array());
AVRENK_MAKE(v.asDiagonal());
AVRENK_MAKE(v.cwiseAbs());
AVRENK_MAKE(v + v);
AVRENK_MAKE(v - v);
AVRENK_MAKE(v * 2.0);
AVRENK_MAKE(2.0 * v);
AVRENK_MAKE(m.col(i));
AVRENK_MAKE(m.row(i));
AVRENK_MAKE(cm.col(i));
AVRENK_MAKE(cm.row(i));
AVRENK_MAKE(m.leftCols(i));
AVRENK_MAKE(cm.leftCols(i));
AVRENK_MAKE(m.middleRows<6>(i));
AVRENK_MAKE(m.transpose());
AVRENK_MAKE(m* m);
AVRENK_MAKE(m* v);
AVRENK_MAKE(m.transpose() * m);
AVRENK_MAKE(m.transpose() * v);
AVRENK_MAKE(m + m);
AVRENK_MAKE(m - m);
AVRENK_MAKE(z.col(i));
AVRENK_MAKE(z.row(i));
AVRENK_MAKE(cz.col(i));
AVRENK_MAKE(cz.row(i));
AVRENK_MAKE(z.leftCols(i));
AVRENK_MAKE(z* z);
AVRENK_MAKE(z* w);
AVRENK_MAKE(z.real());
AVRENK_MAKE(z.imag());
AVRENK_MAKE(z.transpose());
AVRENK_MAKE(z.adjoint());
AVRENK_MAKE(z + z);
AVRENK_MAKE(z.cwiseAbs2());
AVRENK_MAKE(w.real());
AVRENK_MAKE(w.array());
AVRENK_MAKE(w.head(i));
AVRENK_MAKE(points.col(i));
AVRENK_MAKE(cpoints.col(i));
AVRENK_MAKE(Eigen::SparseMatrix<double>);
AVRENK_MAKE(Eigen::SparseVector<double>);
AVRENK_MAKE(Eigen::Vector2d);
AVRENK_MAKE(Eigen::Matrix2d);
AVRENK_MAKE(Eigen::RowVectorXcd);
AVRENK_MAKE(Eigen::RowVectorXd);
AVRENK_MAKE(Eigen::ArrayXd);
#undef AVRENK_MAKE

}  // namespace avrenk::precompiled
