/// results/run_tables.h: every table of a run, made once: what the terminal prints, tables/*.csv, summary.json and the
/// report hold is one and the same.
#pragma once

#include <optional>
#include <vector>

#include "analysis/analysis.h"
#include "files/table.h"

namespace avrenk {

/// What one case of an environment answers.
struct CaseTables {
  std::vector<Table> answers;  ///< peaks, RMS or static values, and the reasons of them; none where nothing is watched
  std::vector<Table> further;  ///< what the plan asks for besides, and what each of several random inputs makes
  std::optional<Table> driven, power;  ///< where loads act
};

/// A table without rows is absent.
struct RunTables {
  Table mass;
  std::optional<Table> gravity;  ///< the model under 1 g along each axis, without geometric stiffness
  Table modes;
  std::optional<Table> levels;  ///< modes at parts of the preload
  Table key_modes;              ///< those with mass, or that make what is watched
  Table shapes, strain_energy, kinetic_energy, participation;
  std::optional<Table> residual, audit, loads;
  std::vector<Table> rest, springs;  ///< bolts and contacts; springs that depend on frequency or amplitude
  std::vector<CaseTables> cases;     ///< of each of Analysis::outcomes
  std::optional<Table> headlines;    ///< the largest of each watched quantity over all of them
  std::optional<Table> clearances, stress, limits, variants, compliance;
  std::vector<Table> notches, life;
  std::optional<Table> equipment;
  std::vector<Table> histories;

  /// In the order in which summary.json has them.
  [[nodiscard]] std::vector<const Table*> all() const;
};

[[nodiscard]] RunTables run_tables(const Analysis& analysis);

/// Of inputs that limits lower: the notches, then of each case its peaks under both inputs. Empty where there are none.
[[nodiscard]] std::vector<Table> notch_tables_of(const Responses& responses);

}  // namespace avrenk
