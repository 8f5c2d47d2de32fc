/// plan/sections.h: the sections of a plan, each read by its own file, in the order in which they build on one another.
#pragma once

#include <functional>

#include "core/excitation/excitation.h"
#include "core/mesh/mesh.h"
#include "core/mesh/surface.h"
#include "files/vtu.h"
#include "plan/plan.h"
#include "plan/reader.h"

namespace avrenk {

using Nodes = std::vector<int>;  ///< of a place

/// A mesh as read from a file, and what became of it.
struct MeshFile {
  Mesh mesh;
  std::vector<std::vector<std::size_t>> cell_of;  ///< for each entry of mesh.cells the number of each cell in the file
  std::vector<GridArray> arrays;                  ///< of the cells of the file
  std::vector<GridArray> point_arrays{};
  /// Nodes of each point (−1: none yet) for each place at which the file was put: parts put at the same one share them.
  std::vector<std::pair<Placement, std::vector<int>>> nodes;
};

/// What the sections hand on to one another.
struct Reading {
  Plan& plan;
  Problems& problems;
  Declared<int> materials{"material"};
  Declared<int> parts{"part"};
  Declared<std::vector<int>> places{"place"};  ///< nodes; masses that have a node of their own are places too
  Declared<std::vector<int>> joints{"joint"};  ///< springs and bolts, as indices of springs; empty for others
  Declared<Profile> profiles{"profile"};
  Declared<int> loads{"load"};       ///< index
  Declared<double> levels{"level"};  ///< dB
  Declared<double> factors{"factor"};
  Declared<FatigueLine> fatigue_lines{"fatigue line"};
  Declared<int> environments{"environment"};  ///< index
  std::map<std::string, MeshFile> meshes{};   ///< files that parts were taken from, by path, unit and place
  std::set<std::string> broken_watches{};     ///< entries of watch with a problem of their own
  std::map<int, const MeshFile*> file_of{};   ///< of parts that come from one
  /// Points of components by their names, of each part that is one.
  std::map<std::string, std::vector<std::pair<std::string, int>>> recovered{};
  std::set<std::string> scaled{};  ///< parts whose mass is made that which was weighed
  std::optional<Surface> own_surface{};
  const Tree* about = nullptr;  ///< the environment that modes are taken about: read before there are any
  const Tree* root = nullptr;   ///< the whole plan

  /// Of all shells and solids; made when it is first asked for, after the parts.
  [[nodiscard]] const Surface& surface() {
    if (!own_surface) own_surface = surface_of(plan.assembly);
    return *own_surface;
  }
};

/// Axes given by two directions x and y; rows x, y, z in global axes, y made square to x.
[[nodiscard]] std::optional<Matrix3> read_turned_axes(const Tree& tree, const std::string& subject, Problems& problems);
/// Every node of one place with the nearest of another, one to one, or all with a single one.
[[nodiscard]] std::optional<std::vector<std::array<int, 2>>> pair_nodes(const Tree& tree, const std::vector<int>& from,
                                                                        const std::vector<int>& to,
                                                                        const std::string& subject, Reading& reading);
/// The nodes of a place by its name, or of a list of places, each node once; absent with a problem noted.
/// @param also_valid  further names that the message about an unknown one offers
[[nodiscard]] std::optional<Nodes> read_nodes(const Tree& tree, const std::string& subject, Reading& reading,
                                              const std::vector<std::string>& also_valid = {});
/// Index of a base by its name; −1 with a problem noted, here or where the base is read.
[[nodiscard]] int find_base(const Tree& tree, const std::string& subject, Reading& reading);
/// A direction: x, y or z, or three plain numbers.
[[nodiscard]] std::optional<Vector3> read_named_direction(const Tree& tree, const std::string& subject,
                                                          Problems& problems);
/// The same with a sign before an axis: +z, -z.
[[nodiscard]] std::optional<Vector3> read_signed_direction(const Tree& tree, const std::string& subject,
                                                           Problems& problems);
/// Points of frequency and level, or of slope, straight on log-log paper.
[[nodiscard]] std::optional<LogLogTable> read_table(const Tree& tree, const Kind& kind, double decibel_factor,
                                                    const std::string& subject, Problems& problems);
using ReadNumber = std::function<std::optional<double>(const Tree&)>;
/// Points of a positive quantity, rising, and a value. @param example  of one: "[20 Hz, 1 %]"
[[nodiscard]] LogTable read_points(const Tree& tree, const Kind& over, const ReadNumber& value,
                                   const std::string& subject, const std::string& example, Problems& problems);
/// The stiffness and the loss factor of a spring, constant or not. @param each  its stiffness
void read_spring_law(MapReader& map, const Tree& each, Spring& spring, Reading& reading);
/// A table of frequencies, levels and, where the map names their column, phases in a CSV file with units in its header,
/// as a list of lists of texts.
[[nodiscard]] std::optional<Tree> read_csv_table(const Tree& tree, const std::string& subject, Problems& problems);

/// Where the copies of a part stand: rotation, position and pattern; images in the global planes come last.
struct Copies {
  std::vector<Placement> placements;
  std::array<bool, 3> mirror{};
};
[[nodiscard]] Copies read_copies(MapReader& part, Reading& reading);
/// A part of cells of a mesh file; parameters as of read_continuum.
bool read_mesh(const Tree& what, MapReader& part, Part made, std::size_t before, Reading& reading);
/// A part that is known by its dynamics: from a file, or by modes from elsewhere; parameters as of read_continuum.
bool read_component_part(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                         Reading& reading);
/// Principal moments and products of a body.
[[nodiscard]] std::optional<Matrix3> read_inertia(const Tree& tree, const std::string& subject, Problems& problems);
/// A part of shells or solids: one of our shapes, ribs, or cells of a file.
/// @param made    its material −1: not known, which has been said
/// @param before  problems that there were before this part: where there are more, it is read but not added
/// @return  whether it was added
bool read_continuum(const std::string& form, const Tree& what, MapReader& part, Part made, std::size_t before,
                    Reading& reading);

/// scale: yes beside weighed.
[[nodiscard]] bool read_scaling(MapReader& map, bool weighed);

void read_show(const Tree& section, Reading& reading);
void read_materials(const Tree& section, Reading& reading);
void read_fatigue_lines(const Tree& section, Reading& reading);
/// An S–N line. @param of  the material, whose ultimate its rule for mean stress takes; nullptr: a line by itself
[[nodiscard]] std::optional<FatigueLine> read_fatigue_line(const Tree& tree, const std::string& subject,
                                                           const std::string& name, const Material* of,
                                                           Reading& reading);
void read_parts(const Tree& section, Reading& reading);
/// The joints that make one node of several, before anything refers to nodes.
void read_merges(const Tree& section, Reading& reading);
void read_places(const Tree& section, Reading& reading);
void read_masses(const Tree& section, Reading& reading);
void read_base(const Tree& section, Reading& reading);
void read_joints(const Tree& section, Reading& reading);
/// One or more parts by name; empty with a problem noted.
[[nodiscard]] std::vector<int> read_parts_named(const Tree& tree, const std::string& subject, Reading& reading);
/// Joints without stiffness of their own and bolts, each from the map beside its keyword.
void read_rigid(const Tree& tree, const std::string& name, Reading& reading);
void read_average(const Tree& tree, const std::string& name, Reading& reading);
void read_attachment(const Tree& tree, const std::string& name, Reading& reading);
/// @return  the springs that the bolts are
[[nodiscard]] std::optional<std::vector<int>> read_bolts(const Tree& tree, const std::string& name, Reading& reading);
/// Parts of shells or solids, whose faces carry others; empty with a problem noted.
[[nodiscard]] std::vector<int> read_carriers(const Tree& tree, const std::string& subject, Reading& reading);
/// One side of a joint between surfaces: the nodes of parts, or of a place, and what they are called.
/// @param how  "part" or "place"
[[nodiscard]] std::pair<Nodes, std::string> read_side(const std::string& how, const Tree& what,
                                                      const std::string& subject, Reading& reading);
/// Surfaces that press on one another. @return  a one-sided spring for each pair of places
[[nodiscard]] std::optional<std::vector<int>> read_contact(const Tree& tree, const std::string& name, Reading& reading);
/// The gap of a spring of that stiffness.
[[nodiscard]] std::optional<UnilateralContact> read_gap(const Tree& tree, const Vector6& stiffness,
                                                        const std::string& subject, Problems& problems);
/// Which bolts a static environment tightens.
void read_tightening(const Tree& tree, const std::string& subject, StaticInput& input, Reading& reading);
/// Accelerations of static environments as loads on all mass, where bases that move alike do not carry the model as one
/// body: of several bases, or with springs to the ground.
void weigh_by_loads(Plan& plan);
/// A load for what bolts and gaps put on the model in each static environment that has them, once all are read.
void settle_what_opens(Reading& reading);
void read_loads(const Tree& section, Reading& reading);
/// Beside a load: how a random pressure goes together from point to point.
inline constexpr const char* pressure_field_key = "pressure field";
/// What an environment says under loads, one case for each that is to be told apart; none with a problem noted.
/// @param map  the environment's, or that of its static load
[[nodiscard]] std::vector<LoadCase> read_load_cases(const Tree& tree, MapReader& map, bool at_rest, Reading& reading);
void read_modes(const Tree& section, Reading& reading);
/// The environment that modes are taken about, once environments are read.
void check_about(Reading& reading);
void read_damping(const Tree& section, Reading& reading);
void read_watch(const Tree& section, Reading& reading);
void read_profiles(const Tree& section, Reading& reading);
void read_levels(const Tree& section, Reading& reading);
void read_environments(const Tree& section, Reading& reading);
/// Factors of safety by name: their product, and "yield 1.25 × model 1.1".
[[nodiscard]] std::pair<double, std::string> read_factors_named(const Tree& tree, const std::string& subject,
                                                                Reading& reading);
void read_factors(const Tree& section, Reading& reading);
void read_scatter(const Tree& section, Reading& reading);
void read_lives(const Tree& section, Reading& reading);
void read_limits(const Tree& section, Reading& reading);
void read_equipment(const Tree& section, Reading& reading);
void read_test_sheets(const Tree& section, Reading& reading);
void read_vibrator(const Tree& section, Reading& reading);
void read_histories(const Tree& section, Reading& reading);
void read_cross_spectra(const Tree& section, Reading& reading);
/// One entry of watch; what it makes is added to the plan's.
void read_watch_entry(const Tree::Entry& entry, Reading& reading);
/// What is asked of a run, after all sections. @param tree  of the plan
[[nodiscard]] std::vector<Question> read_questions(const std::vector<std::string>& texts, const Tree& tree,
                                                   Reading& reading);
/// One of them, that stands in a text. @param name  for what is declared for it alone
[[nodiscard]] std::optional<Question> read_question(const Tree& text, const std::string& name, Reading& reading);
void read_figures(const Tree& section, Reading& reading);
/// One case of a random environment by its name, or that of an environment of one case: "random.z"; a problem noted
/// where it is none.
[[nodiscard]] std::string read_random_case(const Tree& tree, const std::string& subject, Reading& reading);
/// Whether a name is watched; a problem noted where it is not.
[[nodiscard]] bool is_watched(const Tree& tree, const std::string& subject, Reading& reading);
/// Profiles from the columns of a CSV file. @throws FileError  it cannot be read
void read_bare_levels(const std::string& file, Reading& reading);
/// A text that the user did not write there himself.
[[nodiscard]] Tree text_at(const std::string& text, const Place& place);
/// What levels of a dimension are, as a profile states them: under random or sine, and under which key; "" for an
/// acceleration PSD, which has none.
struct LevelForm {
  bool random = false;
  std::string key;
};
[[nodiscard]] std::optional<LevelForm> form_of_levels(const Dimension& dimension);
/// "random", "random.z" or "random.combined": the environment; nullptr with a problem noted.
[[nodiscard]] Environment* find_environment(const Tree& tree, const std::string& subject, Reading& reading);

}  // namespace avrenk
