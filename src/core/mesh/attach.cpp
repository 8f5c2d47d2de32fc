#include "core/mesh/attach.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

#include "core/dense.h"
#include "core/error.h"
#include "core/mesh/face_samples.h"
#include "core/mesh/footprint.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::Vector2d;
using Eigen::VectorXd;

const std::vector<FaceSample>& edge_samples() {
  static const std::vector<FaceSample> face_samples = [] {
    std::vector<FaceSample> points;
    constexpr int s = 2 * face_sample_stretches;
    const double h = 2.0 / s, gauss = 0.5 * h / std::sqrt(3.0);
    for (int i = 0; i < s; ++i)
      for (const double x : {-gauss, gauss}) points.push_back({{-1 + (i + 0.5) * h + x, 0}, 0.5 * h});
    return points;
  }();
  return face_samples;
}

// Facets of what follows: nodes of faces or edges.
struct Facet {
  std::vector<int> nodes;
  int corners = 2;
};

FaceFunctions facet_functions(const Facet& facet, const Vector2d& at) {
  if (facet.corners > 2) return face_functions(facet.nodes.size(), at);
  FaceFunctions f;
  f.value = Vector2d(0.5 * (1 - at.x()), 0.5 * (1 + at.x()));
  f.slope.resize(2, 2);
  f.slope << -0.5, 0.5, 0, 0;
  return f;
}

class Attacher {
 public:
  Attacher(Assembly& assembly, const Surface& surface, const Attachment& request)
      : assembly_(assembly), surface_(surface), request_(request), carrier_(assembly, surface, request.to) {}

  int run() {
    if (carrier_.empty())
      throw_input_error("joint " + request_.joint, "what carries has no faces", "name parts of shells or solids");
    find_followers();
    find_facets();
    const std::size_t before = assembly_.followers.size();
    integrate();
    for (const int node : chosen_)
      if (!done_.contains(node)) follow_alone(node);
    std::stable_sort(
        assembly_.followers.begin() + static_cast<std::ptrdiff_t>(before), assembly_.followers.end(),
        [](const Follower& a, const Follower& b) { return std::tie(a.patch, a.node) < std::tie(b.patch, b.node); });
    return static_cast<int>(chosen_.size());
  }

 private:
  [[nodiscard]] bool carries(int part) const {
    return std::find(request_.to.begin(), request_.to.end(), part) != request_.to.end();
  }

  void find_followers() {
    std::set<int> carrier_nodes;
    for (const ElementGroup& group : assembly_.groups)
      if (carries(group.part)) carrier_nodes.insert(group.nodes.begin(), group.nodes.end());
    for (const Surface::Face& face : surface_.faces)
      if (!carries(face.part)) of_solids_.insert(face.nodes.begin(), face.nodes.end());
    shells_ = shell_sides(assembly_, surface_, [&](int part) { return !carries(part); });
    for (std::size_t b = 0; b < assembly_.beams.size(); ++b)
      for (int end = 0; end < 2; ++end)
        beam_of_.try_emplace(assembly_.beams[b].nodes[static_cast<std::size_t>(end)], static_cast<int>(b), end);
    double nearest = std::numeric_limits<double>::infinity(), farthest = -1;
    int nearest_node = -1, farthest_node = -1;
    const Eigen::AlignedBox3d box = carrier_.box();
    for (const int node : request_.nodes) {
      if (carrier_nodes.contains(node)) continue;
      const Vector3& x = assembly_.position(node);
      const ShellSide& shell = shells_.of(node);
      // What lies outside the box by more than any gap and thickness is not worth a search, once something is nearer.
      const double off_box = box.exteriorDistance(x);
      if (!request_.all && off_box > request_.within + largest_half() + shell.half && off_box >= nearest) continue;
      const FacePoint point = carrier_.nearest(x);
      const double gap = gap_to_face(carrier_, point, x, shell);
      if (gap < nearest) {
        nearest = gap;
        nearest_node = node;
      }
      if (gap > farthest) {
        farthest = gap;
        farthest_node = node;
      }
      if (gap <= request_.within * (1 + 1e-9) + 1e-12) {
        chosen_.push_back(node);
        gap_[node] = gap;
      }
    }
    std::sort(chosen_.begin(), chosen_.end());
    chosen_.erase(std::unique(chosen_.begin(), chosen_.end()), chosen_.end());
    const auto parts = [&] {
      std::string words;
      for (const int part : request_.to)
        words += (words.empty() ? "" : ", ") + assembly_.parts[static_cast<std::size_t>(part)].name;
      return words;
    };
    if (nearest_node < 0)
      throw_input_error("joint " + request_.joint,
                        fmt::format("every node of {} belongs to {} already", request_.followers, parts()),
                        "name another part or place");
    const auto say = [&](int node, double gap) {
      return fmt::format("{} is {:.4g} mm from {}, and only what is within {:.4g} mm follows",
                         assembly_.describe_node(node), 1e3 * gap, parts(), 1e3 * request_.within);
    };
    if (chosen_.empty())
      throw_input_error(
          "joint " + request_.joint,
          "nothing is near enough: of " + request_.followers + " the nearest, " + say(nearest_node, nearest),
          fmt::format("close the gap, or let it reach to within {:.4g} mm", 1e3 * nearest * 1.01));
    if (request_.all && farthest > request_.within * (1 + 1e-9) + 1e-12)
      throw_input_error("joint " + request_.joint, say(farthest_node, farthest),
                        fmt::format("leave it out of {}, or let the joint reach to within {:.4g} mm",
                                    request_.followers, 1e3 * farthest * 1.01));
  }

  [[nodiscard]] double largest_half() const {
    double half = 0;
    for (const int part : request_.to) {
      const Part& own = assembly_.parts[static_cast<std::size_t>(part)];
      half = std::max(half, 0.5 * own.thickness + std::abs(own.offset));
    }
    return half;
  }

  [[nodiscard]] bool is_chosen(int node) const { return gap_.contains(node); }

  void find_facets() {
    std::map<std::pair<int, int>, int> sides;  // edges of shells, and how many faces have them
    for (const Surface::Face& face : surface_.faces) {
      if (carries(face.part)) continue;
      const auto corners = static_cast<std::size_t>(face.corners);
      const bool shell = assembly_.parts[static_cast<std::size_t>(face.part)].form == Part::Form::shell;
      for (std::size_t i = 0; i < corners && shell; ++i) {
        const auto [low, high] = std::minmax(face.nodes[i], face.nodes[(i + 1) % corners]);
        if (is_chosen(low) && is_chosen(high)) ++sides[{low, high}];
      }
      if (!std::all_of(face.nodes.begin(), face.nodes.end(), [&](int n) { return is_chosen(n); })) continue;
      Vector3 centre = Vector3::Zero();
      for (std::size_t i = 0; i < corners; ++i)
        centre += assembly_.position(face.nodes[i]) / static_cast<double>(corners);
      const Vector3 normal = area_vector(assembly_, face).normalized();
      constexpr double along = 0.7;  // within 45° of the other side
      if (std::abs(normal.dot(carrier_.nearest(centre).normal)) < along) continue;
      facets_.push_back({face.nodes, face.corners});
      on_faces_.insert(face.nodes.begin(), face.nodes.end());
    }
    for (const auto& [side, count] : sides)
      if (count == 1 && !(on_faces_.contains(side.first) && on_faces_.contains(side.second)))
        facets_.push_back({{side.first, side.second}, 2});
  }

  // Motions of the carrying side at a point of the following one.
  [[nodiscard]] Mixture carried(const Vector3& x, const ShellSide* turning) const {
    const FacePoint point = carrier_.nearest(x);
    if (!turning || carrier_.part(point).form == Part::Form::shell) return carrier_.carry(point, x);
    // Rotation of a shell on a solid: that of a cross of half its thickness on the face.
    Vector3 first = turning->normal - turning->normal.dot(point.normal) * point.normal;
    if (first.norm() < 0.1) first = point.normal.unitOrthogonal();
    first.normalize();
    const Vector3 second = point.normal.cross(first);
    std::vector<Vector3> points;
    for (const Vector3& arm : {first, Vector3(-first), second, Vector3(-second)})
      points.emplace_back(x + turning->half * arm);
    return footprint(carrier_, points, x);
  }

  void integrate() {
    std::map<int, Mixture> sums;
    std::map<int, double> weights;
    std::map<int, std::pair<int, int>> middles;  // of an edge with these corners
    for (const Facet& facet : facets_) {
      const auto n = static_cast<Index>(facet.nodes.size());
      Eigen::Matrix3Xd nodes(3, n);
      for (Index i = 0; i < n; ++i) nodes.col(i) = assembly_.position(facet.nodes[static_cast<std::size_t>(i)]);
      // Functions N' = T N, dual ones D M⁻¹ N'.
      const MatrixXd combination = positive_functions(n, facet.corners);
      for (Index m = facet.corners; m < n; ++m) {
        const Index a = m - facet.corners, b = (a + 1) % facet.corners;
        middles[facet.nodes[static_cast<std::size_t>(m)]] = {facet.nodes[static_cast<std::size_t>(a)],
                                                             facet.nodes[static_cast<std::size_t>(b)]};
      }
      const auto& samples = facet.corners == 2 ? edge_samples() : face_samples(facet.corners == 3);
      MatrixXd gram = MatrixXd::Zero(n, n);
      std::vector<VectorXd> values;
      std::vector<double> areas;
      for (const FaceSample& sample : samples) {
        const FaceFunctions f = facet_functions(facet, sample.at);
        const Eigen::Matrix<double, 3, 2> tangent = nodes * f.slope.transpose();
        areas.push_back(sample.weight *
                        (facet.corners == 2 ? tangent.col(0).norm() : tangent.col(0).cross(tangent.col(1)).norm()));
        values.emplace_back(combination * f.value);
        gram += areas.back() * values.back() * values.back().transpose();
      }
      const VectorXd row_sums = gram.rowwise().sum();
      const MatrixXd dual = row_sums.asDiagonal() * inverse(gram);
      const ShellSide* const turning = turning_at(facet);
      for (std::size_t s = 0; s < samples.size(); ++s) {
        const Vector3 x = nodes * facet_functions(facet, samples[s].at).value;
        const Mixture here = carried(x, facet.corners == 2 ? turning : nullptr);
        const VectorXd share = areas[s] * (dual * values[s]);
        for (Index i = 0; i < n; ++i) {
          const int node = facet.nodes[static_cast<std::size_t>(i)];
          if (uses(facet, node)) add(sums[node], share[i], here);
        }
      }
      for (Index i = 0; i < n; ++i) {
        const int node = facet.nodes[static_cast<std::size_t>(i)];
        if (uses(facet, node)) weights[node] += row_sums[i];
      }
    }
    number_patches();
    for (auto& [node, sum] : sums)
      for (auto& [lead, share] : sum) share /= weights[node];
    for (const auto& [node, sum] : sums) {
      const auto middle = middles.find(node);
      Mixture whole = sum;
      if (middle != middles.end()) {  // u_m = (1 − 2α) u'_m + α (u_a + u_b)
        for (auto& [lead, share] : whole) share *= 1 - 2 * to_corners;
        for (const int corner : {middle->second.first, middle->second.second}) add(whole, to_corners, sums.at(corner));
      }
      done_.insert(node);
      assembly_.followers.push_back(
          follower_of(request_.joint, Joint::Type::attachment, node, whole, gap_.at(node), patch_.at(node)));
    }
  }

  // Faces go before edges where a node has both.
  [[nodiscard]] bool uses(const Facet& facet, int node) const {
    return is_chosen(node) && (facet.corners > 2 || !on_faces_.contains(node));
  }

  [[nodiscard]] const ShellSide* turning_at(const Facet& facet) const {
    const auto found = shells_.find(facet.nodes.front());
    return found == shells_.end() ? nullptr : &found->second;
  }

  void number_patches() {
    std::map<int, int> parent;
    const auto root = [&](int node) {
      while (parent.at(node) != node) node = parent.at(node) = parent.at(parent.at(node));
      return node;
    };
    for (const int node : chosen_) parent[node] = node;
    for (const Facet& facet : facets_)
      for (const int node : facet.nodes)
        if (is_chosen(node)) parent[root(node)] = root(facet.nodes.front());
    std::map<int, int> number;
    for (const int node : chosen_)
      patch_[node] = number.try_emplace(root(node), static_cast<int>(number.size())).first->second;
  }

  // The end of a line, or a node of no facet.
  void follow_alone(int node) {
    const Vector3& x = assembly_.position(node);
    const auto beam = beam_of_.find(node);
    Mixture mixture;
    if (beam != beam_of_.end() && !of_solids_.contains(node)) {
      mixture = footprint(carrier_, section_points(beam->second.first, beam->second.second, x), x);
      if (mixture.empty())
        throw_input_error(
            "joint " + request_.joint,
            fmt::format("the footprint of {} falls on a line of the faces", assembly_.describe_node(node)),
            "attach it to a face, not to an edge");
    } else {
      const auto shell = shells_.find(node);
      mixture = carried(x, shell == shells_.end() ? nullptr : &shell->second);
    }
    assembly_.followers.push_back(
        follower_of(request_.joint, Joint::Type::attachment, node, mixture, gap_.at(node), patch_.at(node)));
  }

  // Points on the ellipse with the second moments of the section.
  [[nodiscard]] std::vector<Vector3> section_points(int index, int end, const Vector3& x) const {
    const BeamElement& beam = assembly_.beams[static_cast<std::size_t>(index)];
    const BeamSection& section = assembly_.properties(beam).at_end(static_cast<std::size_t>(end));
    const Matrix3 drawn = beam.geometry.axes();
    const double c = std::cos(section.principal_angle), t = std::sin(section.principal_angle);
    const Vector3 along_y = c * drawn.row(1) + t * drawn.row(2), along_z = c * drawn.row(2) - t * drawn.row(1);
    const double y = std::sqrt(2 * section.second_moment_z / section.area),
                 z = std::sqrt(2 * section.second_moment_y / section.area);
    return ellipse(x, y * along_y, z * along_z);
  }

  Assembly& assembly_;
  const Surface& surface_;
  const Attachment& request_;
  FaceSearch carrier_;
  std::vector<int> chosen_;
  std::map<int, double> gap_;
  std::map<int, int> patch_;
  ShellSides shells_;
  std::set<int> of_solids_, on_faces_, done_;
  std::map<int, std::pair<int, int>> beam_of_;  // beam and end of a node of lines
  std::vector<Facet> facets_;
};

}  // namespace

double gap_to_face(const FaceSearch& carrier, const FacePoint& point, const Vector3& x, const ShellSide& own) {
  const Part& part = carrier.part(point);
  const Vector3 apart = x - point.position;
  const double height = apart.dot(point.normal);
  const double sideways = std::sqrt(std::max(0.0, apart.squaredNorm() - height * height));
  const double half = part.form == Part::Form::shell ? 0.5 * part.thickness : 0;
  const double off =
      std::abs(height - (half > 0 ? part.offset : 0)) - half - own.half * std::abs(own.normal.dot(point.normal));
  return std::hypot(sideways, std::max(0.0, off));
}

int attach(Assembly& assembly, const Surface& surface, const Attachment& request) {
  return Attacher(assembly, surface, request).run();
}

}  // namespace avrenk
