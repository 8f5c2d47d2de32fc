#include "files/model_print.h"

#include <fmt/format.h>

#include "core/element/kinds.h"
#include "core/modes/damper_loads.h"
#include "files/hash.h"

namespace avrenk {
namespace {

std::string system_print(const System& system) {
  Hash hash;
  for (const Partitioned* matrix : {&system.mass, &system.stiffness})
    for (const SparseMatrix* block : {&matrix->ff, &matrix->fs, &matrix->ss}) hash.sparse(*block);
  hash.dense(system.support_motion);
  hash.dense(system.together);
  hash.dense(system.rigid);
  for (const std::vector<int>* list : {&system.node_of_column, &system.component_of_column})
    hash.bytes(list->data(), list->size() * sizeof(int));
  return hash.text();
}

// Several hashes that grow while the model is walked through, by name.
class Pieces {
 public:
  explicit Pieces(const Assembly& assembly) : assembly_(assembly) {
    for (const Material& material : assembly.materials) add(material);
    for (const Part& part : assembly.parts) add(part);
    for (const BeamElement& beam : assembly.beams) add(beam);
    for (const ElementGroup& group : assembly.groups) add(group);
    for (const Component& component : assembly.components) {
      Hash& hash = of("part ", assembly.parts[static_cast<std::size_t>(component.part)].name);
      for (const int node : component.nodes) place(hash, node);
      for (const Eigen::MatrixXd* matrix : {&component.stiffness, &component.mass, &component.dashpot, &component.loss})
        hash.dense(*matrix);
    }
    for (const PointMass& mass : assembly.masses) add(mass);
    for (const Joint& joint : assembly.joints) of("joint ", joint.name).number(static_cast<int>(joint.type));
    for (const Spring& spring : assembly.springs) add(spring);
    for (const RigidLink& link : assembly.links) {
      Hash& own = of("joint ", link.joint);
      place(own, link.lead);
      for (const int node : link.follow) place(own, node);
    }
    for (const Follower& follower : assembly.followers) {
      Hash& hash = of("joint ", follower.joint);
      place(hash, follower.node);
      for (const int node : follower.leads) place(hash, node);
      hash.dense(follower.shares);
    }
    for (const Base& base : assembly.bases) {
      Hash& hash = of("base ", base.name);
      hash.dense(base.point);
      for (const SupportNode& foot : base.feet) {
        place(hash, foot.node);
        for (const bool held : foot.holds) hash.number(held ? 1 : 0);
      }
    }
  }
  [[nodiscard]] std::map<std::string, std::string> texts() const {
    std::map<std::string, std::string> all;
    for (const auto& [name, hash] : hashes_) all[name] = hash.text();
    return all;
  }

 private:
  Hash& of(const char* kind, const std::string& name) { return hashes_[kind + name]; }
  Hash& of_part(const char* what, int part) { return of(what, assembly_.parts[static_cast<std::size_t>(part)].name); }
  void place(Hash& hash, int node) const {  // by its position: other parts may change the numbers of nodes
    hash.dense(node < 0 ? Vector3(Vector3::Zero()) : assembly_.position(node));
  }
  void add(const Material& material) {
    Hash& hash = of("material ", material.name);
    for (const double number : {material.youngs_modulus, material.poissons_ratio, material.density})
      hash.number(number);
    hash.dense(material.axes);
    if (const auto& o = material.orthotropic) hash.bytes(&*o, sizeof *o);
  }
  static void add(Hash& own, const BeamSection& section) {
    for (const double number :
         {section.area, section.second_moment_y, section.second_moment_z, section.torsion_constant,
          section.shear_factor_y, section.shear_factor_z, section.principal_angle})
      own.number(number);
    own.dense(section.shear_centre);
  }
  void add(const Part& part) {
    Hash& hash = of("part ", part.name);
    for (const double number : {part.extra_mass, part.mass_factor, part.thickness, part.offset}) hash.number(number);
    add(hash, part.section);
    const std::string& material = assembly_.materials[static_cast<std::size_t>(part.material)].name;
    hash.bytes(material.data(), material.size());
  }
  void add(const BeamElement& beam) {
    Hash& hash = of_part("mesh of part ", beam.part);
    for (const int node : beam.nodes) place(hash, node);
    for (const bool released : beam.released) hash.number(released ? 1 : 0);
    if (beam.taper >= 0)
      for (const BeamSection& section : assembly_.tapers[static_cast<std::size_t>(beam.taper)])
        add(of_part("part ", beam.part), section);
  }
  void add(const ElementGroup& group) {
    Hash& hash = of_part("mesh of part ", group.part);
    hash.number(group.kind->cell_type);
    hash.dense(group.rotation);
    for (const int node : group.nodes) place(hash, node);
  }
  void add(const PointMass& mass) {
    Hash& hash = of("mass ", mass.name);
    place(hash, mass.node);
    hash.dense(mass.offset);
    hash.number(mass.mass);
    hash.dense(mass.inertia);
  }
  void add(const Spring& spring) {
    Hash& hash = of("joint ", spring.joint);
    for (const int node : spring.nodes) place(hash, node);
    hash.dense(spring.point);
    hash.dense(spring.axes);
    hash.dense(spring.stiffness);
  }

  const Assembly& assembly_;
  std::map<std::string, Hash> hashes_;
};

}  // namespace

ModelPrint print_of(const Assembly& assembly, const System& system) {
  Hash dampers;
  const DamperLoads damper = damper_loads(assembly, system);
  dampers.sparse(damper.needed);
  Hash hash;
  const std::string matrices = system_print(system), loads = dampers.text();
  for (const std::string* text : {&matrices, &loads}) hash.bytes(text->data(), text->size());
  ModelPrint print{hash.text(), Pieces(assembly).texts()};
  if (damper.unlike.cols() > 0) {  // which also says which dampers are alike: made anew like loads
    Hash unlike;
    unlike.sparse(damper.unlike);
    print.loads["of unlike dampers"] = unlike.text();
  }
  const std::vector<int> first = first_columns(assembly.loads);
  for (std::size_t i = 0; i < assembly.loads.size(); ++i) {
    const int count = first[i + 1] - first[i];
    Hash columns;
    columns.sparse(system.loads.middleCols(first[i], count));
    columns.sparse(system.support_loads.middleCols(first[i], count));
    print.loads[assembly.loads[i].name] = columns.text();
  }
  return print;
}

std::string loads_not_carried(const std::map<std::string, std::string>& carried,
                              const std::map<std::string, std::string>& now) {
  std::string text;
  for (const auto& [name, hash] : now) {
    const auto found = carried.find(name);
    if (found != carried.end() && found->second == hash) continue;
    text += fmt::format("{}load {} {}", text.empty() ? "" : ", ", name, found == carried.end() ? "is new" : "changed");
  }
  return text;
}

std::string what_changed(const std::map<std::string, std::string>& before,
                         const std::map<std::string, std::string>& now) {
  std::vector<std::string> changes;
  for (const auto& [name, hash] : now)
    if (const auto found = before.find(name); found == before.end())
      changes.push_back(name + " is new");
    else if (found->second != hash)
      changes.push_back(name + " changed");
  for (const auto& [name, hash] : before)
    if (!now.contains(name)) changes.push_back(name + " is gone");
  constexpr std::size_t most = 4;
  std::string text;
  for (std::size_t i = 0; i < std::min(most, changes.size()); ++i) text += (i > 0 ? ", " : "") + changes[i];
  if (changes.size() > most) text += fmt::format(", and {} more", changes.size() - most);
  return text.empty() ? "the model is assembled differently, or dampers act elsewhere" : text;
}

}  // namespace avrenk
