// watch: what is asked to be seen.
#include <algorithm>

#include "plan/sections.h"

namespace avrenk {

std::optional<Vector3> read_named_direction(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_list()) return read_direction(tree, subject, problems);
  const auto axis = read_word(tree, {"x", "y", "z"}, subject, problems);
  return axis ? std::optional<Vector3>(Vector3::Unit(*axis)) : std::nullopt;
}

std::optional<Vector3> read_signed_direction(const Tree& tree, const std::string& subject, Problems& problems) {
  Tree plain = tree;
  const bool sign = plain.is_text() && plain.text.size() == 2 && (plain.text[0] == '+' || plain.text[0] == '-');
  if (sign) plain.text.erase(0, 1);
  const auto direction = read_named_direction(plain, subject, problems);
  return direction && sign && tree.text[0] == '-' ? std::optional<Vector3>(-*direction) : direction;
}

namespace {

std::vector<std::string> keywords_of(Subject subject) {
  std::vector<std::string> words;
  for (const OutputQuantity& quantity : output_quantities())
    if (quantity.subject == subject) words.emplace_back(quantity.keyword);
  if (subject == Subject::base)
    for (const std::string& foot : keywords_of(Subject::foot)) words.push_back(foot);
  return words;
}

const OutputQuantity* find_quantity(const Tree& tree, Subject subject, const std::string& where, Problems& problems) {
  if (tree.is_text()) {
    for (const OutputQuantity& quantity : output_quantities())
      if (quantity.keyword == tree.text &&
          (quantity.subject == subject || (subject == Subject::base && quantity.subject == Subject::foot)))
        return &quantity;
    if (subject == Subject::node &&
        (tree.text == "displacement" || tree.text == "velocity" || tree.text == "rotation")) {
      problems.add(tree, where, fmt::format("\"{}\" may be relative to the base or absolute", tree.text),
                   fmt::format("write \"relative {0}\" or \"absolute {0}\"", tree.text));
      return nullptr;
    }
  }
  problems.add(tree, where, fmt::format("no quantity \"{}\" here", tree.text),
               suggest_name(tree.text, keywords_of(subject)));
  return nullptr;
}

// Whether all parts of a request have its quantity.
bool has_stress(const Assembly& assembly, const OutputRequest& request, const Tree& tree, const std::string& subject,
                Problems& problems) {
  const OutputQuantity& quantity = *request.quantity;
  const auto refuse_part = [&](int part, const std::string& made_of, const std::string& instead) {
    problems.add(tree, subject,
                 fmt::format("part {} is made of {}, which have no {}",
                             assembly.parts[static_cast<std::size_t>(part)].name, made_of, quantity.keyword),
                 instead);
    return false;
  };
  for (const int part : request.parts) {
    if (assembly.parts[static_cast<std::size_t>(part)].form == Part::Form::component) {
      problems.add(tree, subject,
                   fmt::format("part {} is a component, whose {} is not known",
                               assembly.parts[static_cast<std::size_t>(part)].name, quantity.keyword),
                   "watch its points: places: {NAME: {recovered by: PART}}");
      return false;
    }
    const bool shell = assembly.parts[static_cast<std::size_t>(part)].form == Part::Form::shell;
    if (!quantity.of_nodes || !has_quantity(shell, *quantity.of_nodes))
      return refuse_part(part, shell ? "shells" : "solids",
                         fmt::format("write von Mises, principal stress, stress xx, yy{} or xy, or watch parts apart",
                                     shell ? "" : ", zz, yz, zx"));
  }
  if (!request.items.empty() && !quantity.of_lines())
    return refuse_part(assembly.beams[static_cast<std::size_t>(request.items.front())].part, "lines",
                       "write normal stress, shear stress or von Mises, or watch parts apart");
  return true;
}

}  // namespace

void read_watch_entry(const Tree::Entry& entry, Reading& reading) {
  const std::string subject = "watch " + entry.key;
  Problems& problems = reading.problems;
  const Assembly& assembly = reading.plan.assembly;
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return;
  const auto [how, what] = map.one_of({"at", "between", "joint", "part", "base"});
  const Tree* const quantities = map.required("quantities", how == "between" ? "[clearance]" : "[acceleration]");
  const Tree* const about_tree = how == "base" ? map.optional("about") : nullptr;
  const Tree* const axes_tree = how == "base" || how == "at" || how == "joint" ? map.optional("axes") : nullptr;
  const Tree* const along_tree = how == "between" ? map.optional("along") : nullptr;
  const Tree* const gap_tree = how == "between" ? map.optional("gap") : nullptr;
  map.done();
  if (!what || !quantities) return;
  OutputRequest request;
  request.name = entry.key;
  Subject kind = Subject::node;
  if (how == "at") {
    request.items = read_nodes(*what, subject, reading).value_or(request.items);
  } else if (how == "between") {
    kind = Subject::pair;
    if (!what->is_list() || what->items.size() != 2) {
      problems.add(*what, subject, "two places are due", "write between: [PLACE, PLACE]");
      return;
    }
    const auto* first = reading.places.find(what->items[0], subject, problems);
    const auto* second = reading.places.find(what->items[1], subject, problems);
    if (!first || !second) return;
    request.pairs = pair_nodes(*what, *first, *second, subject, reading).value_or(request.pairs);
    if (along_tree) request.along = read_named_direction(*along_tree, subject + " along", problems);
    if (gap_tree) request.gap = read_quantity(*gap_tree, kind::length, subject + " gap", problems, Sign::positive);
  } else if (how == "joint") {
    const auto* springs = reading.joints.find(*what, subject, problems);
    if (!springs) return;
    kind = springs->empty() ? Subject::joint : Subject::spring;
    request.items = *springs;
    if (kind == Subject::joint) {
      request.joint = what->text;
      for (const Joint& joint : assembly.joints)
        if (joint.name == what->text && joint.type == Joint::Type::merge)
          problems.add(*what, subject,
                       fmt::format("joint \"{}\" merges nodes: no force passes between them", what->text),
                       "watch an attachment, a rigid or an average joint, a spring or a bolt");
    }
  } else if (how == "part") {
    kind = Subject::part;
    for (const Tree* item : one_or_more(*what)) {
      const int* const part = reading.parts.find(*item, subject, problems);
      if (part && assembly.parts[static_cast<std::size_t>(*part)].form != Part::Form::line)
        request.parts.push_back(*part);
      for (int beam = 0; part && beam < static_cast<int>(assembly.beams.size()); ++beam)
        if (assembly.beams[static_cast<std::size_t>(beam)].part == *part) request.items.push_back(beam);
    }
  } else {
    kind = Subject::base;
    const int base = find_base(*what, subject, reading);
    if (base < 0) return;
    request.items = {base};
    request.about = assembly.bases[static_cast<std::size_t>(request.items.front())].point;
    if (about_tree)
      request.about = read_vector(*about_tree, kind::length, subject + " about", problems).value_or(Vector3::Zero());
  }
  if (axes_tree && kind == Subject::spring)
    problems.add(*axes_tree, subject, "a spring has axes of its own", "leave axes out");
  if (axes_tree) request.axes = read_turned_axes(*axes_tree, subject + " axes", problems).value_or(Matrix3::Identity());
  for (const Tree* item : one_or_more(*quantities)) {
    request.quantity = find_quantity(*item, kind, subject, problems);
    if (!request.quantity) continue;
    if (kind == Subject::part && !has_stress(assembly, request, *item, subject, problems)) continue;
    OutputRequest one = request;
    if (request.quantity->subject == Subject::foot) {
      reading.plan.modes.feet = true;
      one.items.clear();
      const auto feet = assembly.feet();
      for (std::size_t foot = 0; foot < feet.size(); ++foot)
        if (feet[foot].first == request.items.front()) one.items.push_back(static_cast<int>(foot));
    }
    reading.plan.watch.push_back(std::move(one));
  }
}

void read_watch(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::size_t before = reading.problems.count();
    read_watch_entry(entry, reading);
    const bool made = std::any_of(reading.plan.watch.begin(), reading.plan.watch.end(),
                                  [&](const OutputRequest& request) { return request.name == entry.key; });
    if (reading.problems.count() > before || !made) reading.broken_watches.insert(entry.key);
  }
}

}  // namespace avrenk
