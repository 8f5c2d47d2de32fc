// What shells and solids cost: assembly against one factorisation and against its own size, memory of a million
// unknowns, stress fields against the machine's product rate, reading of a mesh against plain decompression. Every
// figure is a ratio taken in one run.
//
//   build/release/bench/avrenk-bench-meshes [unknowns of the largest assembly]

#include <fmt/format.h>
#include <zlib.h>

#include "core/blas_threads.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/stress_survey.h"
#include "core/system/system.h"
#include "files/vtu.h"
#include "models.h"

namespace {

using namespace avrenk;
using namespace avrenk::bench;

double matrix_gigabytes(const System& system) {
  double bytes = 0;
  for (const SparseMatrix* each : {&system.stiffness.ff, &system.mass.ff, &system.transformation})
    bytes += 12.0 * static_cast<double>(each->nonZeros()) + 4.0 * static_cast<double>(each->cols());
  return bytes / (1 << 30);
}

void assembly() {
  fmt::print(
      "Assembly of stiffness and mass, two threads; F = one factorisation\n{:<34} {:>9} {:>9} {:>12} {:>8} {:>8}\n", "",
      "unknowns", "seconds", "µs/element", "of F", "1 thread");
  const auto line = [](const std::string& name, const Assembly& model, bool factor) {
    System system;
    double two = 1e9, one = 1e9;
    for (int repeat = 0; repeat < 3; ++repeat) {
      two = std::min(two, seconds([&] { system = make_system(model, 2); }));
      one = std::min(one, seconds([&] { system = make_system(model, 1); }));
    }
    std::string share = "–";
    if (factor) {
      const double f = seconds([&] {
        (void)Factorisation(system.stiffness.ff, {system.stiffness.ff, system.node_of_column});
      });
      share = fmt::format("{:.3f}", two / f);
    }
    fmt::print("{:<34} {:9} {:9.3f} {:12.2f} {:>8} {:8.2f}\n", name, system.free, two,
               1e6 * two / static_cast<double>(model.groups[0].elements()), share, one / two);
  };
  for (const int n : {12, 24, 36}) line(fmt::format("block of {}³ hexahedra of 8", n), block_of(n), n > 12);
  for (const int n : {8, 16}) line(fmt::format("block of {}³ hexahedra of 20", n), block_of(n, true), true);
  for (const int n : {40, 80, 160}) line(fmt::format("plate of {}² shells of 4", n), plate_of(n), n > 40);
}

void million(int unknowns) {
  const int n = static_cast<int>(std::cbrt(unknowns / 3.0)) - 1;
  const Assembly model = block_of(n);
  const double before = memory("VmRSS:");
  System system;
  const double time = seconds([&] { system = make_system(model, 2); });
  const double peak = memory("VmHWM:") - before, matrices = matrix_gigabytes(system);
  fmt::print(
      "\n{} unknowns of solids: assembled in {:.1f} s; {:.2f} GiB above the model at the peak, {:.2f} GiB above the "
      "matrices of {:.2f} GiB: {:.2f} of the limit of 3 GiB\n",
      system.free, time, peak, peak - matrices, matrices, (peak - matrices) / 3);
}

void stress() {
  const Assembly model = plate_of(100);
  const System system = make_system(model);
  const ModalBasis basis = solve_modes(model, system, {std::nullopt, 60, true, false});
  const ModalDamping damping = damp(system, basis, {DampingRule::Form::ratio, 0.015, {}});
  Environment sine;
  sine.axes = {2};
  const double top = basis.frequency(59) / 1.5;
  sine.input = LogLogTable({{5, 1, {}}, {top, 1, {}}}, 20);
  sine.grid = {5, top, 24, 21, {}};
  Environment random = sine;
  random.form = RandomInput{};
  const StressStations stations(model);
  StressSurvey survey;
  CaseResponses loads;
  for (const auto& [environment, axis] : {std::pair{&sine, 0}, {&sine, 1}, {&sine, 2}, {&random, 2}})
    loads.push_back(
        std::make_unique<CaseResponse>(excitation_along(*environment, axis, system), system, basis, damping));
  // Multiplications and additions of the dense products alone: rows of stress times the states of all loads.
  const auto points =
      static_cast<double>(frequency_grid(sine.grid, sine.input.curve_points(), resonances(basis, damping)).size());
  const double operations =
      2.0 * 6 * static_cast<double>(stations.size()) * basis.size() * (3 * 2 * points + basis.size());
  double best = 1e9;
  for (int repeat = 0; repeat < 3; ++repeat)
    best = std::min(
        best, seconds([&] {
          survey = survey_stress(model, system, basis, damping, stations, loads, {{StressQuantity::von_mises, {0}}}, 2);
        }));
  const Eigen::MatrixXd a = Eigen::MatrixXd::Random(1500, 1500), b = Eigen::MatrixXd::Random(1500, 1500);
  Eigen::MatrixXd c(1500, 1500);
  set_blas_threads(2);
  double product = 1e9;
  for (int repeat = 0; repeat < 5; ++repeat) product = std::min(product, seconds([&] { c.noalias() = a * b; }));
  const double rate = 2.0 * std::pow(1500, 3) / product;
  fmt::print(
      "\nStress of {} places under {} loads, {:.0f} frequencies each: {:.3f} s; its products alone at the machine's "
      "rate of "
      "{:.1f} GFlop/s {:.3f} s: {:.2f} of that rate, where 0.5 is asked for\n",
      stations.size(), loads.size(), points, best, rate / 1e9, operations / rate, operations / best / rate);
}

void reading() {
  Show metres;
  metres.set(kind::length, "m");
  const std::string file = to_vtu(model_grid(block_of(60), metres));
  std::string plain;
  // Plain decompression of as many bytes as the file's arrays hold.
  const Grid grid = read_vtu(file, "block.vtu");
  const auto take = [&](const void* data, std::size_t bytes) { plain.append(static_cast<const char*>(data), bytes); };
  for (const Vector3& point : grid.points) take(point.data(), 24);
  take(grid.connectivity.data(), 8 * grid.connectivity.size());
  take(grid.offsets.data(), 8 * grid.offsets.size());
  for (const GridArray& array : grid.cell_arrays) take(array.values.data(), 8 * array.values.size());
  uLongf packed_size = compressBound(static_cast<uLong>(plain.size()));
  std::string packed(packed_size, '\0');
  compress2(reinterpret_cast<Bytef*>(packed.data()), &packed_size, reinterpret_cast<const Bytef*>(plain.data()),
            static_cast<uLong>(plain.size()), 6);
  double whole = 1e9, bare = 1e9;
  for (int repeat = 0; repeat < 3; ++repeat) {
    whole = std::min(whole, seconds([&] { (void)read_vtu(file, "block.vtu"); }));
    bare = std::min(bare, seconds([&] {
                      uLongf size = static_cast<uLong>(plain.size());
                      uncompress(reinterpret_cast<Bytef*>(plain.data()), &size,
                                 reinterpret_cast<const Bytef*>(packed.data()), packed_size);
                    }));
  }
  fmt::print(
      "\nReading a mesh of {} cells, {:.1f} MB of arrays: {:.0f} MB/s; plain decompression {:.0f} MB/s: {:.2f} of "
      "that, "
      "where 0.33 is asked for\n",
      grid.types.size(), 1e-6 * static_cast<double>(plain.size()), 1e-6 * static_cast<double>(plain.size()) / whole,
      1e-6 * static_cast<double>(plain.size()) / bare, bare / whole);
}

}  // namespace

int main(int count, char** arguments) {
  reading();
  stress();
  assembly();
  million(count > 1 ? std::atoi(arguments[1]) : 1000000);
}
