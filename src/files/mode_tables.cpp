#include "files/mode_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace avrenk {
namespace {

// Output quantities of which a mode makes at least half somewhere: "tip.acceleration", "and 3 more".
std::string driven_by(int mode, const std::vector<Output>& watched, const std::vector<CaseResults>& outcomes) {
  constexpr double half = 0.5;
  constexpr std::size_t most = 1;
  std::vector<std::pair<double, std::string>> driven;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!watched[i].is_headline()) continue;
    double largest = 0;
    for (const CaseResults& outcome : outcomes) {
      if (outcome.grid().empty()) continue;
      const auto& shares = outcome.shares(i);
      for (const auto& [own, part] : shares)
        if (own == mode) largest = std::max(largest, part);
    }
    if (largest >= half) driven.emplace_back(-largest, watched[i].name);
  }
  std::stable_sort(driven.begin(), driven.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::string text;
  for (std::size_t i = 0; i < std::min(most, driven.size()); ++i) text += (i > 0 ? ", " : "") + driven[i].second;
  if (driven.size() > most) text += fmt::format(", {} more", driven.size() - most);
  return text;
}

std::vector<Cell> begin_row(const ModalBasis& basis, int r, const DisplayUnit& frequency) {
  return {fmt::format("{}", r + 1), frequency.from_si(basis.frequency(r))};
}

Table energy_table(const std::string& name, const std::string& title, const std::vector<std::string>& names,
                   const ModalBasis& basis, const Show& show, const std::function<double(int, std::size_t)>& part) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{name, title, {{"mode", ""}, {"frequency", frequency.text, 5}}, {}};
  for (const std::string& each : names) table.columns.push_back({each, "%", 3, true, 2});
  for (int r = 0; r < basis.modes; ++r) {
    std::vector<Cell> row = begin_row(basis, r, frequency);
    for (std::size_t i = 0; i < names.size(); ++i) row.emplace_back(std::round(1e7 * part(r, i)) / 1e5);
    table.rows.push_back(std::move(row));
  }
  return table;
}

}  // namespace

Table shape_table(const Assembly& assembly, const ModalBasis& basis, const std::vector<ModeContent>& contents,
                  const std::vector<Output>& watched, const std::vector<CaseResults>& outcomes, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"mode-shapes",
              outcomes.empty() ? "What moves in each mode"
                               : "What moves in each mode, and which watched quantities it makes at least half of",
              {{"mode", ""},
               {"frequency", frequency.text, 5},
               {"strain energy", "", 4, false},
               {"kinetic energy", "", 4, false},
               {"drives", "", 4, !outcomes.empty()},
               {"what moves", ""}},
              {}};
  for (int r = 0; r < basis.modes; ++r) {
    const ModeContent& content = contents[static_cast<std::size_t>(r)];
    std::vector<Cell> row = begin_row(basis, r, frequency);
    row.emplace_back(shares_in_words(strain_shares(assembly, content), 0.05, 4));
    row.emplace_back(shares_in_words(kinetic_shares(assembly, content), 0.05, 4));
    row.emplace_back(driven_by(r, watched, outcomes));
    row.emplace_back(content.in_words());
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table strain_energy_table(const Assembly& assembly, const ModalBasis& basis, const std::vector<ModeContent>& contents,
                          const Show& show) {
  std::vector<std::string> names;
  std::set<std::string> sprung;  // only joints with springs hold energy
  for (const Spring& spring : assembly.springs) sprung.insert(spring.joint);
  for (const Part& part : assembly.parts) names.push_back(part.name);
  std::vector<Eigen::Index> joints;
  for (std::size_t j = 0; j < assembly.joints.size(); ++j)
    if (sprung.contains(assembly.joints[j].name)) {
      names.push_back("joint " + assembly.joints[j].name);
      joints.push_back(static_cast<Eigen::Index>(j));
    }
  return energy_table("mode-strain-energy", "Strain energy of each mode by part and joint", names, basis, show,
                      [&](int r, std::size_t i) {
                        const ModeContent& content = contents[static_cast<std::size_t>(r)];
                        return i < assembly.parts.size() ? content.strain_parts[static_cast<Eigen::Index>(i)]
                                                         : content.strain_joints[joints[i - assembly.parts.size()]];
                      });
}

Table kinetic_energy_table(const Assembly& assembly, const ModalBasis& basis, const std::vector<ModeContent>& contents,
                           const Show& show) {
  std::vector<std::string> names;
  for (const Part& part : assembly.parts) names.push_back(part.name);
  for (const PointMass& body : assembly.masses) names.push_back(body.name);
  return energy_table("mode-kinetic-energy", "Kinetic energy of each mode by part and body", names, basis, show,
                      [&](int r, std::size_t i) {
                        const ModeContent& content = contents[static_cast<std::size_t>(r)];
                        const auto parts = assembly.parts.size();
                        return i < parts ? content.kinetic_parts[static_cast<Eigen::Index>(i)]
                                         : content.kinetic_bodies[static_cast<Eigen::Index>(i - parts)];
                      });
}

Table participation_table(const Assembly& assembly, const ModalBasis& basis, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"mode-participation",
              "Participation φᵀP of each mode by motion of each base; residual and orthogonality of each",
              {{"mode", ""}, {"frequency", frequency.text, 5}},
              {}};
  for (const Base& base : assembly.bases)
    for (int d = 0; d < 6; ++d)
      table.columns.push_back({fmt::format("{}{}", assembly.bases.size() > 1 ? base.name + " " : "",
                                           axis_names[static_cast<std::size_t>(d)]),
                               d < 3 ? "√kg" : "√kg m", 4});
  table.columns.push_back({"|Kφ − ω²Mφ| / |Kφ|", "", 2});
  table.columns.push_back({"|ΦᵀMφ − e|", "", 2});
  for (int r = 0; r < basis.modes; ++r) {
    std::vector<Cell> row = begin_row(basis, r, frequency);
    for (Eigen::Index b = 0; b < basis.participation.cols(); ++b) row.emplace_back(basis.participation(r, b));
    row.emplace_back(basis.residual[r]);
    row.emplace_back(basis.nonorthogonality[r]);
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table preload_table(const std::vector<PreloadLevel>& levels, const std::string& about, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{
      "mode-preload", fmt::format("Frequencies of the lowest modes under parts of {}", about), {{"mode", ""}}, {}};
  for (const PreloadLevel& each : levels)
    table.columns.push_back({fmt::format("{:.6g} %", 100 * each.level), frequency.text, 5});
  for (Eigen::Index r = 0; r < levels.front().frequency.size(); ++r) {
    std::vector<Cell> row{fmt::format("{}", r + 1)};
    for (const PreloadLevel& each : levels)
      row.emplace_back(r < each.frequency.size() ? frequency.from_si(each.frequency[r]) : std::nan(""));
    table.rows.push_back(std::move(row));
  }
  return table;
}

Table audit_table(const std::vector<AuditedAnswer>& audit, const std::vector<Output>& watched, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"audit",
              "Audit: modal answers beside the full equations, solved directly",
              {{"in", ""},
               {"at", frequency.text, 5},
               {"error", "%", 2},
               {"truncation", "%", 2},
               {"no vectors", "%", 2},
               {"modal", "", 4, false},
               {"direct", ""},
               {"unit", ""},
               {"watched", ""}},
              {}};
  for (const AuditedAnswer& audited_answer : audit) {
    const DisplayUnit unit = show.unit(*watched[audited_answer.watched].quantity->kind);
    const auto percent = [](double part) { return std::round(1e8 * part) / 1e6; };  // below 1e-6 % is rounding
    table.rows.push_back({audited_answer.outcome, frequency.from_si(audited_answer.frequency),
                          percent(audited_answer.error()), percent(audited_answer.truncation()),
                          percent(audited_answer.truncation_without()), unit.from_si(audited_answer.modal),
                          unit.from_si(audited_answer.direct), unit.text + (audited_answer.random ? "/√Hz" : ""),
                          watched[audited_answer.watched].name});
  }
  return table;
}

Table match_table(const std::vector<double>& frequency1, const std::vector<double>& frequency2, const ShapeMatch& match,
                  const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"modes-compared",
              "Modes of the first run with their partners in the second",
              {{"first", ""},
               {"first frequency", frequency.text, 5},
               {"second", ""},
               {"second frequency", frequency.text, 5},
               {"change", "%", 3, true, 2},
               {"MAC", "", 3, true, 3},
               {"remark", ""}},
              {}};
  int highest = -1;
  for (std::size_t i = 0; i < frequency1.size(); ++i) {
    const int partner = match.partner[i];
    if (partner < 0) {
      const double best = match.assurance.cols() > 0 ? match.assurance.row(static_cast<Eigen::Index>(i)).maxCoeff() : 0;
      table.rows.push_back({fmt::format("{}", i + 1), frequency.from_si(frequency1[i]), std::string("–"), std::nan(""),
                            std::nan(""), best, std::string("no partner")});
      continue;
    }
    const double other = frequency2[static_cast<std::size_t>(partner)];
    const std::string remark = partner < highest                                              ? "order flipped"
                               : match.assurance(static_cast<Eigen::Index>(i), partner) < 0.9 ? "shape changed"
                                                                                              : "";
    highest = std::max(highest, partner);
    table.rows.push_back({fmt::format("{}", i + 1), frequency.from_si(frequency1[i]), fmt::format("{}", partner + 1),
                          frequency.from_si(other),
                          frequency1[i] > 0 ? 100 * (other / frequency1[i] - 1) : std::nan(""),
                          match.assurance(static_cast<Eigen::Index>(i), partner), remark});
  }
  for (std::size_t j = 0; j < frequency2.size(); ++j)
    if (std::find(match.partner.begin(), match.partner.end(), static_cast<int>(j)) == match.partner.end())
      table.rows.push_back({std::string("–"), std::nan(""), fmt::format("{}", j + 1), frequency.from_si(frequency2[j]),
                            std::nan(""), std::nan(""), std::string("no partner")});
  return table;
}

}  // namespace avrenk
