// What modes cost: as multiples of one factorisation of the stiffness, split into their stages, and beside two general
// eigen-solvers that are given the same factor and asked for the same residual. Every figure is a ratio taken in one
// run.
//
//   build/release/bench/avrenk-bench-modes [case…]     cases: plate60 plate200 block45 block148 peers shells million

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

#include "core/blas_threads.h"
#include "core/clock.h"
#include "core/freed_pages.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "models.h"

#ifdef AVRENK_PEERS
#include <Spectra/SymGEigsShiftSolver.h>

extern "C" {
void dsaupd_(int* ido, const char* bmat, const int* n, const char* which, const int* nev, const double* tol,
             double* resid, const int* ncv, double* v, const int* ldv, int* iparam, int* ipntr, double* workd,
             double* workl, const int* lworkl, int* info);
void dseupd_(const int* rvec, const char* all, int* select, double* d, double* z, const int* ldz, const double* sigma,
             const char* bmat, const int* n, const char* which, const int* nev, const double* tol, double* resid,
             const int* ncv, double* v, const int* ldv, int* iparam, int* ipntr, double* workd, double* workl,
             const int* lworkl, int* info);
}
#endif

namespace {

using namespace avrenk;
using namespace avrenk::bench;
using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

struct Timed {
  std::string name;
  System system;
  double factor = 0, factor_gib = 0;  // F, of K with its ordering known: s; GiB
  double ordering = 0;
};

Timed prepare(const std::string& name, const Assembly& model) {
  Timed timed{name, make_system(model, 2)};
  const StopWatch ordering;
  const EliminationOrder order(timed.system.stiffness.ff, timed.system.node_of_column);
  timed.ordering = ordering.seconds();
  timed.factor = 1e9;
  for (int repeat = 0; repeat < (timed.system.free < 400000 ? 3 : 1); ++repeat) {
    const StopWatch watch;
    const Factorisation factor(timed.system.stiffness.ff, order);
    timed.factor = std::min(timed.factor, watch.seconds());
    timed.factor_gib = 8 * factor.factor_entries() / (1 << 30);
  }
  timed.factor += timed.ordering;
  return timed;
}

double matrices_gib(const System& system) {
  return 12.0 * static_cast<double>(system.stiffness.ff.nonZeros() + system.mass.ff.nonZeros()) / (1 << 30);
}

void whole(const Assembly& model, const std::string& name, int modes, double target) {
  const Timed timed = prepare(name, model);
  const double before = memory("VmRSS:");
  double best = 1e9;
  ModalBasis basis;
  for (int repeat = 0; repeat < (timed.system.free < 400000 ? 2 : 1); ++repeat) {
    const StopWatch watch;
    ModalBasis own = solve_modes(model, timed.system, {std::nullopt, modes, true, false}, 2);
    if (watch.seconds() > best) continue;
    best = watch.seconds();
    basis = std::move(own);
  }
  const double f = timed.factor;
  fmt::print("\n{}: {} unknowns, {} modes to {:.5g} Hz, counted {}\n", name, timed.system.free, basis.modes,
             basis.frequency(basis.modes - 1), basis.counted_below);
  fmt::print("  F {:.2f} s (of it ordering {:.2f} s), factor {:.2f} GiB, matrices {:.2f} GiB\n", f, timed.ordering,
             timed.factor_gib, matrices_gib(timed.system));
  fmt::print("  whole {:.2f} s = {:.2f} F, where {:.1f} F are asked for\n", best, best / f, target);
  const EigenCost& cost = basis.cost;
  const auto line = [&](const char* what, double s) { fmt::print("    {:<28} {:8.2f} s {:7.2f} F\n", what, s, s / f); };
  line("ordering", basis.ordering_seconds);
  line("factorisation", basis.factor_seconds);
  line("static solutions", basis.statics_seconds);
  line("count, further shifts", basis.count_seconds);
  line("solves", cost.solves);
  line("products with M", cost.products);
  line("orthogonalisation", cost.orthogonalisation);
  line("projected problem", cost.projected);
  line("other", best - basis.ordering_seconds - basis.factor_seconds - basis.statics_seconds - basis.count_seconds -
                    cost.solves - cost.products - cost.orthogonalisation - cost.projected);
  fmt::print("    {} right-hand sides, {} restarts, {} more factorisations; residual ≤ {:.1e}, |ΦᵀMΦ − I| ≤ {:.1e}\n",
             cost.right_hand_sides, cost.restarts, basis.slices.size(), basis.largest_residual(),
             basis.largest_nonorthogonality());
  const double peak = memory("VmHWM:") - before;
  fmt::print("  memory: {:.2f} GiB above model and matrices at the peak, {:.2f} of the factor\n", peak,
             peak / timed.factor_gib);
}

#ifdef AVRENK_PEERS
// Both see the factorisation as one vector at a time, which is what their interfaces offer.
struct ShiftedSolve {
  using Scalar = double;
  const Factorisation& factor;
  [[nodiscard]] Index rows() const { return size; }
  [[nodiscard]] Index cols() const { return size; }
  void set_shift(double) {}
  void perform_op(const double* in, double* out) const {
    Eigen::Map<VectorXd>(out, size) = factor.solve(Eigen::Map<const VectorXd>(in, size));
  }
  Index size;
};
struct Product {
  using Scalar = double;
  const SparseMatrix& mass;
  [[nodiscard]] Index rows() const { return mass.rows(); }
  [[nodiscard]] Index cols() const { return mass.rows(); }
  void perform_op(const double* in, double* out) const {
    Eigen::Map<VectorXd>(out, mass.rows()).noalias() = mass * Eigen::Map<const VectorXd>(in, mass.rows());
  }
};

// Largest ‖λ K⁻¹M x − x‖_M.
double worst_residual(const Factorisation& factor, const SparseMatrix& mass, const VectorXd& values,
                      const MatrixXd& x) {
  MatrixXd rest = factor.solve(mass * x) * values.asDiagonal() - x;
  double worst = 0;
  for (Index j = 0; j < x.cols(); ++j) {
    const VectorXd r = rest.col(j), own = x.col(j);
    worst = std::max(worst, std::sqrt(r.dot(mass * r) / own.dot(mass * own)));
  }
  return worst;
}

void peers(const Assembly& model, const std::string& name, int wanted) {
  const System system = make_system(model, 2);
  const SparseMatrix& mass = system.mass.ff;
  const Factorisation factor(system.stiffness.ff, {system.stiffness.ff, system.node_of_column});
  const Index n = system.free;
  fmt::print("\n{}: {} unknowns, {} modes, the factor given\n", name, n, wanted);
  double own = 0;
  const auto line = [&](const char* what, double time, double residual, const VectorXd& values) {
    if (own == 0) own = time;
    fmt::print("  {:<22} {:8.2f} s {:7.2f} of ours, residual {:.1e}, highest {:.8g} Hz\n", what, time, time / own,
               residual, std::sqrt(values.maxCoeff()) / (2 * pi));
  };
  {
    const StopWatch watch;
    LanczosRequest request;
    request.expected = wanted;
    request.judge = [&](std::span<const double> found) {
      return static_cast<int>(found.size()) >= wanted ? Search::enough : Search::go_on;
    };
    EigenPairs pairs = modes_near_shift(factor, SymmetricProduct(mass, 2), request);
    pairs.values.conservativeResize(wanted);
    pairs.vectors.conservativeResize(Eigen::NoChange, wanted);
    const double time = watch.seconds();
    line("block Lanczos", time, worst_residual(factor, mass, pairs.values, pairs.vectors), pairs.values);
  }
  // Asked for the same residual as ours, and, because they go on to the end of a cycle, for a larger one.
  for (const double tolerance : {1e-9, 1e-5}) {
    const StopWatch watch;
    ShiftedSolve op{factor, n};
    Product product{mass};
    Spectra::SymGEigsShiftSolver<ShiftedSolve, Product, Spectra::GEigsMode::ShiftInvert> solver(
        op, product, wanted, std::min<Index>(n, 2L * wanted + 20), 0.0);
    solver.init();
    solver.compute(Spectra::SortRule::LargestMagn, 1000, tolerance, Spectra::SortRule::LargestMagn);
    const VectorXd values = solver.eigenvalues();
    const MatrixXd vectors = solver.eigenvectors();
    line(fmt::format("Spectra, {:g}", tolerance).c_str(), watch.seconds(),
         worst_residual(factor, mass, values, vectors), values);
  }
  for (const double tolerance : {1e-9, 1e-5}) {
    const StopWatch watch;
    const int size = static_cast<int>(n), basis = std::min(size, 2 * wanted + 20), work_size = basis * (basis + 8);
    const double sigma = 0;
    VectorXd start = VectorXd::Ones(n), work(3 * n), small(work_size), values(wanted);
    MatrixXd v(n, basis);
    int ido = 0, info = 1, iparam[11] = {1, 0, 1000, 1, 0, 0, 3}, ipntr[14] = {};
    while (true) {
      dsaupd_(&ido, "G", &size, "LM", &wanted, &tolerance, start.data(), &basis, v.data(), &size, iparam, ipntr,
              work.data(), small.data(), &work_size, &info);
      if (ido == 99) break;
      const auto at = [&](int k) { return Eigen::Map<VectorXd>(work.data() + ipntr[k] - 1, n); };
      if (ido == 2)
        at(1) = mass * at(0);
      else if (ido == 1)
        at(1) = factor.solve(VectorXd(at(2)));
      else
        at(1) = factor.solve(VectorXd(mass * at(0)));
    }
    const int vectors = 1;
    std::vector<int> select(static_cast<std::size_t>(basis));
    MatrixXd x(n, wanted);
    dseupd_(&vectors, "A", select.data(), values.data(), x.data(), &size, &sigma, "G", &size, "LM", &wanted, &tolerance,
            start.data(), &basis, v.data(), &size, iparam, ipntr, work.data(), small.data(), &work_size, &info);
    line(fmt::format("ARPACK, {:g}", tolerance).c_str(), watch.seconds(), worst_residual(factor, mass, values, x),
         values);
  }
}
#endif

// One factorisation against the size.
void factorisations() {
  fmt::print("\nkind,unknowns,ordering s,factorisation s,factor GiB,GFlop,GFlop/s,solve of 8 s\n");
  const auto line = [](const char* kind, const Assembly& model) {
    const System system = make_system(model, 2);
    const StopWatch ordering;
    const EliminationOrder order(system.stiffness.ff, system.node_of_column);
    const double ordered = ordering.seconds();
    const StopWatch watch;
    const Factorisation factor(system.stiffness.ff, order);
    const double factored = watch.seconds();
    const MatrixXd load = MatrixXd::Random(system.free, 8);
    const StopWatch solving;
    (void)factor.solve(load);
    fmt::print("{},{},{:.3f},{:.3f},{:.3f},{:.1f},{:.1f},{:.3f}\n", kind, system.free, ordered, factored,
               8 * factor.factor_entries() / (1 << 30), 1e-9 * factor.operations(),
               1e-9 * factor.operations() / factored, solving.seconds());
    std::fflush(stdout);
  };
  for (const int n : {40, 80, 130, 200, 290, 408}) line("shells", shell_of(n));
  for (const int n : {12, 17, 24, 30, 36, 46}) line("solids", block_of(n));
}

}  // namespace

int main(int count, char** arguments) {
  keep_freed_pages();
  std::set<std::string> cases(arguments + 1, arguments + count);
  if (cases.empty()) cases = {"plate60", "plate200", "block45", "block148", "peers"};
  const auto solid_plate = [] { return solids_of({0.5, 0.5, 0.01}, 150, 150, 1, false, true); };
  if (cases.contains("plate60")) whole(solid_plate(), "plate of solids", 60, 5);
  if (cases.contains("plate200")) whole(solid_plate(), "plate of solids", 200, 10);
  if (cases.contains("block45")) whole(block_of(24), "block of solids", 60, 4.5);
  if (cases.contains("block148")) whole(block_of(36), "block of solids", 60, 3);
#ifdef AVRENK_PEERS
  if (cases.contains("peers")) {
    peers(solid_plate(), "plate of solids", 60);
    peers(block_of(24), "block of solids", 60);
  }
#endif
  if (cases.contains("shells")) factorisations();
  if (cases.contains("million")) whole(shell_of(408), "curved shell", 60, 5);
}
