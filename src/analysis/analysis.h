/// analysis/analysis.h: the pipeline from a plan to findings, stage by stage, with its times; progress, warnings and
/// notes are values, so that it runs without a terminal.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

#include "core/assess/base_load.h"
#include "core/assess/notch.h"
#include "core/check/finding.h"
#include "core/mesh/resolution.h"
#include "core/mesh/surface.h"
#include "core/modes/mode_content.h"
#include "core/modes/preload.h"
#include "core/progress.h"
#include "core/response/audit.h"
#include "core/response/contact_load.h"
#include "core/response/driven_modes.h"
#include "core/response/equivalent_springs.h"
#include "core/response/fields.h"
#include "core/response/fine_curve.h"
#include "core/response/motion_survey.h"
#include "core/response/on_random.h"
#include "core/response/power.h"
#include "core/response/stress_found.h"
#include "core/system/contact_equilibrium.h"
#include "files/model_print.h"
#include "plan/plan.h"

namespace avrenk {

/// How a plan is to be worked with.
struct AnalysisRequest {
  std::vector<Override> overrides;
  int threads = 0;                 ///< 0: all cores
  bool figures = true;             ///< somebody will look at fields: stress of all shells and solids
  std::optional<int> audit;        ///< frequencies at which the full equations are solved; absent: as time allows
  std::vector<double> audit_at{};  ///< Hz: stated ones, in their place
};

/// How long a stage took.
struct StageTime {
  std::string stage;
  double seconds = 0;
};

/// What answers some cases: all modes, some of them, or the full equations.
struct AnswerGroup {
  const ModalBasis* basis = nullptr;
  const ModalDamping* damping = nullptr;
  std::vector<int> modes{};               ///< of the analysis, that are in it, where they are chosen
  std::optional<ModalBasis> own_basis{};  ///< where it is not that of the analysis
  std::optional<ModalDamping> own_damping{};
  std::vector<std::shared_ptr<const Excitation>> cases{};
  CaseResponses loads{};  ///< of the cases, while they are answered
  std::vector<Output> watched{};
};

/// Bolts and contacts in one static environment.
struct SettledCase {
  std::string environment;
  bool frees_contacts = false;  ///< what it left open is taken out of the model for all that follows
  StaticContactState state;
};

/// What springs that depend on amplitude are in one case.
struct EquivalentCase {
  std::shared_ptr<const Excitation> excitation;
  EquivalentSprings springs;
};

/// The plan with other springs: see judge_variants.
struct VariantAnswers {
  std::string name;
  std::vector<SpringMode> modes;  ///< empty: none of its springs is another
  std::vector<double> margins;    ///< of each limit, in the order of Analysis::limits; NaN where it has none
  int exceeded = 0;               ///< limits
};

struct Answers;  // analysis/queries.h

/// Whether an environment is to be answered.
using EnvironmentChoice = std::function<bool(const Environment& environment)>;

/// All that a command works with; not moved once made, because its parts refer to one another.
struct Analysis {
  Plan plan;
  SourceFiles sources;  ///< that it was made from
  System system;
  std::vector<SettledCase> settled;          ///< static environments with tightened bolts, or in which contacts settle
  std::vector<ContactUnderLoad> contacts{};  ///< that states of the model press, under what vibrates
  std::optional<Preload> preload;            ///< the state that modes are taken about
  std::vector<PreloadLevel> levels;          ///< of that state, as far as the plan asks for them
  ModalBasis basis;
  ModalDamping damping;
  std::optional<StressStations> stations;  ///< of shells and solids
  StressSurvey stress;
  StressSurvey stress_asked;                                    ///< of sine cases held at the frequencies asked for
  std::vector<BeamStressField> beam_stress, beam_stress_asked;  ///< the same of the ends of beams
  Surface surface;                                              ///< of shells and solids, for pictures
  std::vector<MeshReach> reach;                                 ///< of each part
  std::vector<Finding> findings;                                ///< about materials, masses and meshes
  std::vector<Output> watched;
  std::vector<std::unique_ptr<AnswerGroup>> groups;  ///< the first: all modes
  std::vector<EquivalentCase> equivalents;           ///< of each case that vibrates, where springs depend on amplitude
  std::vector<CaseResults> outcomes;
  std::vector<MotionField> motions;              ///< of random cases, where somebody looks at fields
  std::vector<OperatingDeflectionShape> shapes;  ///< of sine cases: at the strongest peak, then at what was asked for
  std::vector<std::vector<DrivenMode>> driven;   ///< of each outcome that loads make; else empty
  std::vector<std::vector<PowerBalance>> power;  ///< the same, at frequencies asked for and at the modes most driven
  std::vector<NotchedInput> notched;             ///< inputs that limits lower, and what is applied in their place
  std::map<std::string, BaseLoad> base_loads;    ///< of cases that test sheets are made of, by their name
  std::vector<Life> lives;
  std::vector<LimitResult> limits;
  std::vector<VariantAnswers> variants;
  std::vector<EquipmentLevel> equipment;
  std::vector<History> histories;
  std::vector<CrossSpectrum> cross_spectra;
  std::shared_ptr<const Answers> figure_answers{};  ///< of the figures that the plan asks for; nullptr: none
  std::vector<OnRandom> on_random;                  ///< tones and bands on random environments
  std::vector<AuditedAnswer> audit;                 ///< modal answers beside the full equations
  std::string audit_note;                           ///< why there is none, or what it took
  std::vector<ModeContent> contents;                ///< of every mode
  std::vector<std::string> warnings;
  std::vector<std::string> log;  ///< worth a line in the log only
  std::vector<StageTime> times;
  int threads = 0;                   ///< 0: one a processor
  ModelPrint model;                  ///< fingerprint of what the modes depend on
  std::filesystem::path modes_from;  ///< the file that the modes were taken from; empty: they were computed
  std::string modes_note;            ///< whether they were taken or computed anew, and why
  bool more_than_file = false;       ///< a pivot count or static shapes were made that the file does not have

  Analysis() = default;
  Analysis(const Analysis&) = delete;
  Analysis& operator=(const Analysis&) = delete;

  [[nodiscard]] bool all_met() const;  ///< limits, with variants of springs too
  /// Of a single case that vibrates: a watched quantity, by its index, where it has its worst, on points of its own.
  [[nodiscard]] FineCurve curve_of(const CaseResults& outcome, std::size_t index) const;
  [[nodiscard]] StressFound found_stress() const {
    return {stations ? &*stations : nullptr, stress.fields, beam_stress};
  }
  [[nodiscard]] StressFound found_stress_asked() const {
    return {stations ? &*stations : nullptr, stress_asked.fields, beam_stress_asked};
  }
};

void load(Analysis& analysis, const std::string& file, const AnalysisRequest& request);
/// Whether the model comes to rest before all else: modes about a static environment, or bolts or contacts that settle.
[[nodiscard]] bool has_static_state(const Plan& plan);
/// Assembles the matrices of the model, about a static state where the plan says so.
/// @throws InputError  a mechanism, or the model buckles before that state is reached
void assemble(Analysis& analysis, const Progress& progress = {});
/// Assembles, and takes the modes from the first of the files that holds those of the same model, or solves for them.
/// Damping and channels are made anew. @param kept  results of earlier runs, looked at in this order
void solve(Analysis& analysis, const std::vector<std::filesystem::path>& kept, const Progress& progress = {});
/// The modes that a run kept of this very model, and no others: nothing is solved for. Its products with the matrices
/// of the model are taken too where they are those of the same plan; the system then has no matrices.
/// @param run        folder of results
/// @param plan       digest of the plan that it keeps
/// @param is_wanted  environments that will be applied
/// @throws FileError  the folder has none, or of another model
void take_kept_modes(Analysis& analysis, const std::filesystem::path& run, const std::string& plan,
                     const EnvironmentChoice& is_wanted);
/// Applies the cases that are wanted to the modes, each in its group: see CaseResponse. Those that are combined have
/// none.
/// @param environments  those of which any case may be wanted
void apply(Analysis& analysis, const EnvironmentChoice& environments,
           const std::function<bool(const Excitation&)>& wanted, const Progress& progress = {});
/// Runs the chosen environments, all their cases, on two threads; `chosen` empty: all of the type (or of both).
/// @throws InputError  a name that is no environment
void excite(Analysis& analysis, std::optional<Environment::Type> type, std::span<const std::string> chosen,
            const AnalysisRequest& request, const Progress& progress = {});
void assess(Analysis& analysis);
/// Solves the full equations at a few frequencies, where there are responses and it takes seconds or was asked for.
void audit_truncation(Analysis& analysis, const AnalysisRequest& request, const Progress& progress = {});

}  // namespace avrenk
