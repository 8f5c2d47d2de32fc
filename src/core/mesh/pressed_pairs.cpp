#include "core/mesh/pressed_pairs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/element/discrete.h"
#include "core/error.h"
#include "core/mesh/attach.h"
#include "core/mesh/face.h"
#include "core/mesh/face_samples.h"
#include "core/mesh/footprint.h"

namespace avrenk {
namespace {

using Eigen::Index;

// What belongs to a node of the pressing side: sums over the points of its faces that lie near enough.
struct Sums {
  Mixture pressing, carrying;  // m² times motions
  double area = 0;             // m²
  double stiffness = 0;        // N/m
  double drawn = 0;            // m³: gap times area
  Vector3 at = Vector3::Zero(), normal = Vector3::Zero();
};

class Pairing {
 public:
  Pairing(Assembly& assembly, const Surface& surface, const ContactSurfaces& request)
      : assembly_(assembly), surface_(surface), request_(request), carrier_(assembly, surface, request.to) {}

  PressedPairs run() {
    if (carrier_.empty())
      throw_input_error("joint " + request_.joint, "what is pressed on has no faces", "name parts of shells or solids");
    integrate();
    constexpr double sliver = 1e-3;  // of the mean: what is less is left to its neighbours
    double whole = 0;
    for (const auto& [node, sums] : sums_) whole += sums.area;
    for (const auto& [node, sums] : sums_)
      if (sums.area > sliver * whole / static_cast<double>(sums_.size())) add_pair(sums);
    return made_;
  }

 private:
  [[nodiscard]] bool carries(int part) const {
    return std::find(request_.to.begin(), request_.to.end(), part) != request_.to.end();
  }
  [[nodiscard]] double modulus_of(int part) const { return assembly_.material_of(part).youngs_modulus; }

  // Of a pressing face what its functions N' make of both sides, at each of its points that is near enough.
  void integrate() {
    const std::set<int> chosen(request_.nodes.begin(), request_.nodes.end());
    std::set<int> carrier_nodes;
    for (const ElementGroup& group : assembly_.groups)
      if (carries(group.part)) carrier_nodes.insert(group.nodes.begin(), group.nodes.end());
    const ShellSides shells = shell_sides(assembly_, surface_, [&](int part) { return !carries(part); });
    bool any = false;
    for (const Surface::Face& face : surface_.faces) {
      if (carries(face.part)) continue;
      if (!std::all_of(face.nodes.begin(), face.nodes.end(), [&](int node) { return chosen.contains(node); })) continue;
      if (!looks_at_carrier(face)) continue;
      any = true;
      for (const int node : face.nodes)
        if (carrier_nodes.contains(node))
          throw_input_error(
              "joint " + request_.joint,
              fmt::format("{} belongs to both sides, which cannot open there", assembly_.describe_node(node)),
              "let the parts have nodes of their own where they touch: leave a merge out, or draw them apart");
      integrate(face, shells.of(face.nodes.front()).half);
    }
    if (!any)
      throw_input_error("joint " + request_.joint,
                        fmt::format("no face of {} looks at what it is to press on", request_.pressing),
                        "name a part whose surface lies on the other");
    if (sums_.empty())
      throw_input_error(
          "joint " + request_.joint,
          fmt::format("nothing is near enough: the nearest, {}, is {:.4g} mm off, and only what is within {:.4g} mm "
                      "presses",
                      assembly_.describe_position(nearest_at_), 1e3 * nearest_, 1e3 * request_.within),
          fmt::format("close the gap, or let it reach to within {:.4g} mm", 1e3 * nearest_ * 1.01));
  }

  [[nodiscard]] bool looks_at_carrier(const Surface::Face& face) const {
    Vector3 centre = Vector3::Zero();
    for (int i = 0; i < face.corners; ++i)
      centre += assembly_.position(face.nodes[static_cast<std::size_t>(i)]) / face.corners;
    const FacePoint point = carrier_.nearest(centre);
    const bool solids = assembly_.parts[static_cast<std::size_t>(face.part)].form == Part::Form::solid &&
                        carrier_.part(point).form == Part::Form::solid;
    constexpr double towards = 0.7;  // within 45° of the other side
    const double cosine = area_vector(assembly_, face).normalized().dot(point.normal);
    return solids ? cosine < -towards : std::abs(cosine) > towards;
  }

  // @param half  of the thickness of shells
  void integrate(const Surface::Face& face, double half) {
    const auto n = static_cast<Index>(face.nodes.size());
    Eigen::Matrix3Xd nodes(3, n);
    for (Index i = 0; i < n; ++i) nodes.col(i) = assembly_.position(face.nodes[static_cast<std::size_t>(i)]);
    const Eigen::MatrixXd combination = positive_functions(n, face.corners);
    const double own_stiffness = modulus_of(face.part) / std::sqrt(area_vector(assembly_, face).norm());
    for (const FaceSample& sample : face_samples(face.corners == 3)) {
      const FaceFunctions f = face_functions(face.nodes.size(), sample.at);
      const Vector3 x = nodes * f.value;
      const FacePoint point = carrier_.nearest(x);
      const Eigen::Matrix<double, 3, 2> tangent = nodes * f.slope.transpose();
      const Vector3 across = tangent.col(0).cross(tangent.col(1));
      ShellSide side;
      if (half > 0) side = {across.normalized(), half};
      const double gap = gap_to_face(carrier_, point, x, side);
      if (gap < nearest_) {
        nearest_ = gap;
        nearest_at_ = x;
      }
      if (gap > request_.within * (1 + 1e-9) + 1e-12) continue;
      const auto [away, drawn] = side_of(point, x, half);
      const Vector3 at = x - half * away;  // where the surfaces touch
      const Mixture carried = carrier_.carry(point, at);
      const Surface::Face& other = carrier_.face(point);
      const double stiffness = request_.stiffness.value_or(
          hundredfold *
          std::min(own_stiffness, modulus_of(other.part) / std::sqrt(area_vector(assembly_, other).norm())));
      made_.least_stiffness = made_.most_stiffness == 0 ? stiffness : std::min(made_.least_stiffness, stiffness);
      made_.most_stiffness = std::max(made_.most_stiffness, stiffness);
      Mixture pressing;
      for (Index j = 0; j < n; ++j) {
        Matrix6 share = f.value[j] * rigid_arm(x, at);
        if (half == 0) share.bottomRows<3>().setZero();  // nodes of solids do not turn
        add(pressing, 1, {{face.nodes[static_cast<std::size_t>(j)], share}});
      }
      const Eigen::VectorXd shares = sample.weight * across.norm() * (combination * f.value);
      for (Index i = 0; i < n; ++i) {
        Sums& sums = sums_[face.nodes[static_cast<std::size_t>(i)]];
        const double share = shares[i];
        add(sums.pressing, share, pressing);
        add(sums.carrying, share, carried);
        sums.area += share;
        sums.stiffness += share * stiffness;
        sums.drawn += share * drawn;
        sums.at += share * at;
        sums.normal += share * away;
      }
    }
  }

  // From what carries to what presses, and how far their surfaces are apart, less than nothing where they overlap.
  [[nodiscard]] std::pair<Vector3, double> side_of(const FacePoint& point, const Vector3& x, double half) const {
    const Part& carrier = carrier_.part(point);
    if (carrier.form != Part::Form::shell) return {point.normal, (x - point.position).dot(point.normal) - half};
    const double height = (x - point.position).dot(point.normal) - carrier.offset;
    constexpr double same_plane = 1e-9;  // m
    if (std::abs(height) < same_plane)
      throw_input_error(
          "joint " + request_.joint,
          fmt::format("{} of {} lies in the middle surface of {}, and on which side it presses is not known",
                      assembly_.describe_position(x), request_.pressing, carrier.name),
          "draw the parts as far apart as half their thicknesses");
    return {height < 0 ? Vector3(-point.normal) : point.normal, std::abs(height) - half - 0.5 * carrier.thickness};
  }

  void add_pair(const Sums& sums) {
    Spring spring;
    spring.joint = request_.joint;
    spring.point = sums.at / sums.area;
    for (const std::size_t side : {0U, 1U}) {
      Mixture mean;
      add(mean, 1 / sums.area, side == 0 ? sums.carrying : sums.pressing);
      spring.nodes[side] = static_cast<int>(assembly_.nodes.size());
      assembly_.nodes.push_back({spring.point, request_.joint});
      assembly_.followers.push_back(follower_of(request_.joint, Joint::Type::contact, spring.nodes[side], mean,
                                                std::max(sums.drawn / sums.area, 0.0), made_.count));
    }
    const Vector3 away = sums.normal.normalized(), across = away.unitOrthogonal();
    spring.axes << across.transpose(), away.cross(across).transpose(), away.transpose();
    spring.stiffness[2] = sums.stiffness;
    if (request_.sticks) spring.stiffness.head<2>().setConstant(sums.stiffness);
    spring.loss_factor = request_.loss_factor;
    spring.unilateral = UnilateralContact{2, 1, request_.gap.value_or(sums.drawn / sums.area), request_.friction_holds};
    assembly_.springs.push_back(std::move(spring));
    made_.area += sums.area;
    ++made_.count;
  }

  static constexpr double hundredfold = 100;

  Assembly& assembly_;
  const Surface& surface_;
  const ContactSurfaces& request_;
  FaceSearch carrier_;
  std::map<int, Sums> sums_;  // of each node of the pressing side
  double nearest_ = std::numeric_limits<double>::infinity();
  Vector3 nearest_at_ = Vector3::Zero();
  PressedPairs made_;
};

}  // namespace

PressedPairs add_contact(Assembly& assembly, const Surface& surface, const ContactSurfaces& request) {
  return Pairing(assembly, surface, request).run();
}

}  // namespace avrenk
