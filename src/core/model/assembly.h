/// core/model/assembly.h: the model as plain values: nodes, parts, springs, masses, links, base, named places.
/// It holds no equations; system/ makes them. SI units, global axes unless said.
#pragma once

#include <Eigen/Dense>
#include <array>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/element/beam.h"
#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/model/fatigue_line.h"
#include "core/model/load.h"
#include "core/model/spring_law.h"

namespace avrenk {

struct Material {
  std::string name;
  double youngs_modulus = 0;                  ///< Pa; of an orthotropic one that along its x
  double poissons_ratio = 0;                  ///< −1 < nu < 0.5; of an orthotropic one ν_xy
  double density = 0;                         ///< kg/m³
  std::optional<double> loss_factor;          ///< η; absent: the general damping applies
  std::optional<double> yield{}, ultimate{};  ///< Pa: allowables for limits
  std::optional<FatigueLine> fatigue{};       ///< cycles that it bears
  std::optional<Orthotropic> orthotropic{};
  Matrix3 axes = Matrix3::Identity();  ///< rows: x, y, z of the orthotropic constants, in the part's own axes
  std::optional<Vector3> expansion{};  ///< 1/K along x, y, z of the material: of an isotropic one the same
  /// Components have none of their own.
  [[nodiscard]] bool is_of_component() const { return youngs_modulus == 0; }
  [[nodiscard]] Elastic elastic() const { return {youngs_modulus, youngs_modulus / (2 * (1 + poissons_ratio))}; }
};

struct Node {
  static constexpr int place = -1;
  Vector3 position;
  std::string origin;       ///< the part, mass or place that made it
  int coordinates = place;  ///< of a component: so many of its six numbers are coordinates of its inside, no motions
  [[nodiscard]] bool is_place() const { return coordinates == place; }
};

struct BeamElement {
  std::array<int, 2> nodes;  ///< ends that lie off their nodes are carried by rigid arms
  int part = 0;
  BeamGeometry geometry;
  int taper = -1;                   ///< index into Assembly::tapers; −1: the section of the part
  std::array<bool, 12> released{};  ///< see BeamProperties
};

/// Elements of one material: lines with a section, shells of one thickness, or solids.
struct Part {
  enum class Form { line, shell, solid, component };
  std::string name;
  int material = 0;
  BeamSection section{};            ///< of lines, unless tapered
  double extra_mass = 0;            ///< kg/m of lines, kg/m² of shells: it carries no load
  double mass_factor = 1;           ///< on density and extra mass: gives the part the mass that was weighed
  std::optional<double> weighed{};  ///< kg: what the real part weighs
  std::string mesh_file{};          ///< that its elements come from, as the user calls it; empty: none
  Form form = Form::line;
  double thickness = 0;  ///< of shells, m
  double offset = 0;     ///< of shells: from the nodes to the middle surface along the normal, m
};

/// Shells or solids of one part and kind.
struct ElementGroup {
  int part = 0;
  const ElementKind* kind = nullptr;
  std::vector<int> nodes;              ///< of the first element, then of the second …
  Matrix3 turn = Matrix3::Identity();  ///< from the part's own axes to global: rotation or mirror image of this copy
  [[nodiscard]] std::size_t elements() const { return nodes.size() / static_cast<std::size_t>(kind->nodes); }
  [[nodiscard]] std::span<const int> element(std::size_t i) const {
    const auto n = static_cast<std::size_t>(kind->nodes);
    return std::span(nodes).subspan(i * n, n);
  }
};

/// "(12.5, 0, 300) mm", of a position in m; what is rounding at that size is zero.
[[nodiscard]] std::string at_millimetres(const Vector3& position, int digits = 4);

/// A part that is known by its dynamics alone, on six numbers of each of its nodes.
struct Component {
  int part = 0;
  std::vector<int> nodes;           ///< of its interface, then those that hold its coordinates
  int interface = 0;                ///< so many are the first
  Eigen::MatrixXd stiffness, mass;  ///< 6 n x 6 n
  Eigen::MatrixXd dashpot, loss;    ///< C and K_η; empty: none of its own
  double bound = 0;                 ///< Hz: see ReducedModel
  /// Else the general damping applies.
  [[nodiscard]] bool has_own_damping() const { return dashpot.size() > 0 || loss.size() > 0; }
};

/// A body that is rigid and small: mass and inertia about its own centre of gravity, which sits at node + offset.
struct PointMass {
  std::string name;
  int node = 0;
  Vector3 offset = Vector3::Zero();
  double mass = 0;                    ///< kg
  Matrix3 inertia = Matrix3::Zero();  ///< kg m², tensor: off-diagonal terms are −∫xy dm
  std::optional<double> weighed{};    ///< kg: what the real body weighs
};

/// What the plan calls a joint; springs, links and followers name theirs.
struct Joint {
  enum class Type {
    rigid,
    average,
    attachment,
    spring,
    bolt,
    merge,
    contact,
    recovery
  };  ///< recovery: points of a component
  std::string name;
  Type type = Type::rigid;
  [[nodiscard]] bool has_springs() const { return type == Type::spring || type == Type::bolt || type == Type::contact; }
};

/// A spring carries only while it is pressed. It opens by gap + sign · travel along one of its axes; while that is
/// negative it is closed, and acts in all six ways that it has.
struct OneSided {
  int axis = 2;
  double sign = 1;
  double gap = 0;                        ///< m, before anything moves
  std::optional<double> friction_holds;  ///< largest part of the pressing force that friction can bear; absent: unknown
  bool is_open = false;                  ///< it was found open, and taken out of the model
};

/// A six-way spring between two nodes, acting at `point` through rigid arms, so that a rigid rotation of both
/// nodes stores no energy whatever their distance.
struct Spring {
  std::string joint;
  std::array<int, 2> nodes;             ///< a second node of −1 is the ground, which never moves
  Vector3 point = Vector3::Zero();      ///< where it acts
  Matrix3 axes = Matrix3::Identity();   ///< rows: its x, y, z in global axes
  Vector6 stiffness = Vector6::Zero();  ///< N/m ×3, N m/rad ×3
  Vector6 dashpot = Vector6::Zero();    ///< N s/m ×3, N m s/rad ×3
  std::optional<double> loss_factor;    ///< η of its stiffness; absent: dashpot if given, else the general damping
  std::optional<OneSided> one_sided{};  ///< absent: it pulls as well as it presses
  std::optional<double> tension{};      ///< N, along its z, that a bolt is tightened to where an environment says so
  /// Absent: it is what it is at every frequency and amplitude.
  std::shared_ptr<const SpringLaw> law{};
  [[nodiscard]] bool has_dashpot() const { return !dashpot.isZero(0); }
};

/// `follow` moves with `lead` as one rigid body (small rotations).
struct RigidLink {
  std::string joint;
  int lead = 0;
  std::vector<int> follow;
};

/// A node that moves with many others (small rotations): its six motions are Σ A_k u_k over its leads, and it has no
/// unknowns of its own. A rigid motion of all leads carries it along exactly.
struct Follower {
  std::string joint;
  Joint::Type type = Joint::Type::average;  ///< or attachment, or bolt: the footprint of one
  int node = 0;
  std::vector<int> leads;
  Eigen::Matrix<double, 6, Eigen::Dynamic> shares;  ///< A, 6 x 6 leads: 1, m, 1/m
  double gap = 0;  ///< m: from the node to what carries it, the thickness of shells taken off
  int patch = 0;   ///< those of one joint that form one face, edge or end have the same number
};

/// A node held to the base in some of its directions x y z rx ry rz.
struct Foot {
  int node = 0;
  std::array<bool, 6> holds{true, true, true, true, true, true};
};

/// A rigid base: its six motions are the translations and rotations of `point`.
struct Base {
  std::string name;
  std::vector<Foot> feet;
  Vector3 point = Vector3::Zero();
};

struct Assembly {
  std::vector<Node> nodes;
  std::vector<Material> materials;
  std::vector<Part> parts;
  std::vector<BeamElement> beams;
  std::vector<ElementGroup> groups;                            ///< shells and solids
  std::vector<std::array<BeamSection, beam_stations>> tapers;  ///< sections along tapered elements
  std::vector<Component> components;
  std::vector<PointMass> masses;
  std::vector<Spring> springs;
  std::vector<RigidLink> links;
  std::vector<Follower> followers;
  std::vector<Joint> joints;  ///< in the order of the plan
  std::vector<Base> bases;    ///< one or more, each with motions of its own; the first one's point is the model's
  std::map<std::string, std::vector<int>> places;
  std::vector<Load> loads;  ///< in the order of the plan; their columns are numbered one load after the other

  /// All feet, base by base: the index of the base and the foot.
  [[nodiscard]] std::vector<std::pair<int, Foot>> feet() const;
  /// The point about which rigid motions, total mass and effective masses are taken: the origin if there is no base.
  [[nodiscard]] Vector3 reference() const { return bases.empty() ? Vector3::Zero() : bases.front().point; }
  /// Whether anything but a name refers to each node: an element, spring, body, joint or base.
  [[nodiscard]] std::vector<bool> used_nodes() const;

  /// What an element is made of; refers to sections of this assembly.
  [[nodiscard]] BeamProperties properties(const BeamElement& beam) const;

  /// The elements of a group, ready to be computed.
  [[nodiscard]] ElementBlock block(const ElementGroup& group) const;
  [[nodiscard]] const Material& material_of(int part) const {
    return materials[static_cast<std::size_t>(parts[static_cast<std::size_t>(part)].material)];
  }
  [[nodiscard]] const Vector3& position(int node) const { return nodes[static_cast<std::size_t>(node)].position; }

  /// "node 12 of mast at (0, 0, 900) mm": what tables and messages call a node.
  [[nodiscard]] std::string describe_node(int node) const;
  /// The same as a node of the thing named.
  [[nodiscard]] std::string describe_node(int node, const std::string& of) const;
};

/// Mass, centre of gravity and inertia about it, of rigid bodies added together.
struct MassProperties {
  double mass = 0;                    ///< kg
  Vector3 centre = Vector3::Zero();   ///< m
  Matrix3 inertia = Matrix3::Zero();  ///< kg m², about `centre`, tensor
  void add(double mass, const Vector3& centre, const Matrix3& inertia);
  void add(const Moments& moments);
};

/// The mass properties of each part and each point mass by name, in the order of the plan; straight from geometry,
/// so that the assembled mass matrix can be checked against them.
[[nodiscard]] std::vector<std::pair<std::string, MassProperties>> mass_breakdown(const Assembly& assembly);
[[nodiscard]] MassProperties total_mass(const Assembly& assembly);

}  // namespace avrenk
