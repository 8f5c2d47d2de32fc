#include "files/model_tables.h"

#include <fmt/format.h>

#include <cmath>

#include "core/excitation/environment.h"
#include "core/model/mass_properties.h"
#include "core/modes/modal_basis.h"

namespace avrenk {
namespace {

// What a direction is called in a heading.
std::string direction_name(int d) { return std::string(axis_names[static_cast<std::size_t>(d)]); }

}  // namespace

double as_derivative(double acceleration, double frequency, int derivative) {
  return acceleration / std::pow(2 * pi * frequency, derivative);
}

Table mass_table(const Assembly& assembly, const Show& show) {
  const DisplayUnit mass = show.unit(kind::mass), length = show.unit(kind::length), inertia = show.unit(kind::inertia);
  Table table{"masses", "Mass, centre of gravity, and inertia about it", {{"part", ""}, {"mass", mass.text}}, {}};
  for (const char* axis : {"x", "y", "z"}) table.columns.push_back({axis, length.text});
  for (const char* axes : {"Ixx", "Iyy", "Izz"}) table.columns.push_back({axes, inertia.text});
  for (const char* axes : {"Ixy", "Iyz", "Ixz"}) table.columns.push_back({axes, inertia.text, 4, false});
  const auto row = [&](const std::string& name, const MassProperties& p) {
    std::vector<Cell> cells{name, mass.from_si(p.mass)};
    for (int i = 0; i < 3; ++i) {
      const double at = length.from_si(p.centre[i]);
      cells.emplace_back(std::abs(at) < 1e-9 * (1 + length.from_si(p.centre.norm())) ? 0.0 : at);
    }
    for (int i = 0; i < 3; ++i) cells.emplace_back(inertia.from_si(p.inertia(i, i)));
    for (const auto& [i, j] : {std::pair{0, 1}, {1, 2}, {0, 2}}) {
      const double product = -p.inertia(i, j);
      cells.emplace_back(inertia.from_si(std::abs(product) < 1e-12 * p.inertia.norm() ? 0.0 : product));
    }
    table.rows.push_back(std::move(cells));
  };
  for (const auto& [name, properties] : mass_breakdown(assembly)) row(name, properties);
  row("all", total_mass(assembly));
  return table;
}

Table static_table(const Assembly& assembly, const std::vector<GravityCase>& cases, const Show& show) {
  const DisplayUnit length = show.unit(kind::length), force = show.unit(kind::force);
  Table table{"static",
              "1 g along each axis: the base accelerates, the model lags behind it",
              {{"axis", ""},
               {"largest deflection", length.text},
               {"weight", force.text},
               {"reaction", force.text},
               {"reaction / weight − 1", "", 2},
               {"where", ""}},
              {}};
  for (const GravityCase& gravity_case : cases)
    table.rows.push_back({direction_name(gravity_case.axis), length.from_si(gravity_case.deflection),
                          force.from_si(gravity_case.weight), force.from_si(gravity_case.reaction),
                          gravity_case.reaction / gravity_case.weight - 1, assembly.describe_node(gravity_case.node)});
  return table;
}

Table mode_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), mass = show.unit(kind::mass),
                    inertia = show.unit(kind::inertia);
  Table table{"modes",
              "Modes: effective mass as a part of the whole (Σ running sum), damping",
              {{"mode", ""}, {"frequency", frequency.text, 5}},
              {}};
  for (int d = 0; d < 6; ++d) {
    table.columns.push_back({direction_name(d), "%", 3, d < 3, 1});
    table.columns.push_back({fmt::format("Σ{}", direction_name(d)), "%", 3, d < 3, 1});
  }
  for (int d = 0; d < 6; ++d)
    table.columns.push_back(
        {fmt::format("effective mass {}", direction_name(d)), d < 3 ? mass.text : inertia.text, 4, false});
  for (const Column& column :
       {Column{"ζ", "%", 3, true, 2}, {"η", "%", 3, true, 2}, {"Q", "", 3}, {"damping from", ""}})
    table.columns.push_back(column);
  const auto percent = [](double part) { return std::round(1e7 * part) / 1e5; };  // below 1e-5 % is rounding
  Vector6 sum = Vector6::Zero();
  for (int r = 0; r < basis.modes; ++r) {
    std::vector<Cell> row{fmt::format("{}", r + 1), frequency.from_si(basis.frequency(r))};
    for (int d = 0; d < 6; ++d) {
      const double part = basis.effective_mass(r, d) / basis.rigid_mass(d, d);
      sum[d] += part;
      row.emplace_back(percent(part));
      row.emplace_back(percent(sum[d]));
    }
    for (int d = 0; d < 6; ++d) row.emplace_back((d < 3 ? mass : inertia).from_si(basis.effective_mass(r, d)));
    row.emplace_back(100 * damping.zeta[r]);
    row.emplace_back(100 * damping.eta[r]);
    row.emplace_back(damping.amplification(r));
    row.emplace_back(damping.source[static_cast<std::size_t>(r)]);
    table.rows.push_back(std::move(row));
  }
  std::vector<Cell> rest{std::string("left"), std::nan("")};
  for (int d = 0; d < 6; ++d) {
    rest.emplace_back(percent(1 - sum[d]));
    rest.emplace_back(100.0);
  }
  for (int d = 0; d < 6; ++d)
    rest.emplace_back((d < 3 ? mass : inertia).from_si((1 - sum[d]) * basis.rigid_mass(d, d)));
  for (int i = 0; i < 3; ++i) rest.emplace_back(std::nan(""));
  rest.emplace_back(std::string("above, or on the base"));
  table.rows.push_back(std::move(rest));
  return table;
}

Table residual_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"residual-vectors",
              "Residual vectors: no modes, they carry what the modes leave out",
              {{"vector", ""}, {"frequency", frequency.text, 5}},
              {}};
  for (int d = 0; d < 6; ++d) table.columns.push_back({direction_name(d), "%", 3, true, 1});
  table.columns.push_back({"ζ + η/2", "%", 3});
  for (int r = basis.modes; r < basis.with_mass(); ++r) {
    std::vector<Cell> row{fmt::format("{}", r - basis.modes + 1), frequency.from_si(basis.frequency(r))};
    for (int d = 0; d < 6; ++d) row.emplace_back(100 * basis.effective_mass(r, d) / basis.rigid_mass(d, d));
    row.emplace_back(100 * damping.effective_ratio(r));
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table profile_table(const LogLogTable& input, bool random, const Kind& of, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const bool angular = of.dimension.exponents[3] != 0;
  const DisplayUnit plain = show.unit(random ? of : angular ? kind::angular_acceleration : kind::acceleration);
  const DisplayUnit velocity = show.unit(angular ? kind::angular_velocity : kind::velocity),
                    length = show.unit(angular ? kind::angle : kind::length);
  const DisplayUnit level = random ? psd_unit(plain) : plain;
  Table table{"profile",
              "",
              {{"from", frequency.text, 5},
               {"to", frequency.text, 5},
               {"level from", level.text},
               {"level to", level.text},
               {"slope", "dB/oct", 3, true, 2}},
              {}};
  if (random) {
    table.columns.push_back({"RMS of this stretch", plain.text});
    table.columns.push_back({"share of the variance", "%", 3, true, 1});
  } else {
    for (const auto& [name, unit] : {std::pair{"v", velocity}, {"d", length}}) {
      table.columns.push_back({fmt::format("{} from", name), unit.text});
      table.columns.push_back({fmt::format("{} to", name), unit.text});
    }
  }
  const double area = random ? input.area() : 0;
  for (const PowerLaw& stretch : input.stretches()) {
    std::vector<Cell> row{frequency.from_si(stretch.f1), frequency.from_si(stretch.f2), level.from_si(stretch.v1),
                          level.from_si(stretch.v2),
                          std::round(1e6 * slope_in_decibels(stretch, random ? 10 : 20)) / 1e6};
    if (random) {
      row.emplace_back(plain.from_si(std::sqrt(stretch.moment(0))));
      row.emplace_back(100 * stretch.moment(0) / area);
    } else {
      for (const int derivative : {1, 2}) {
        const DisplayUnit& unit = derivative == 1 ? velocity : length;
        row.emplace_back(unit.from_si(as_derivative(stretch.v1, stretch.f1, derivative)));
        row.emplace_back(unit.from_si(as_derivative(stretch.v2, stretch.f2, derivative)));
      }
    }
    table.rows.push_back(std::move(row));
  }
  return table;
}

}  // namespace avrenk
