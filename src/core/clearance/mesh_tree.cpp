// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/mesh_tree.h"

#include <algorithm>
#include <functional>
#include <numeric>

#include "base/index.h"
#include "base/principal_axes.h"
#include "clearance/mesh_search.h"

namespace cooperage::clearance {
namespace {

constexpr int kLeafTriangles = 2;

}  // namespace

void MeshTree::Node::bound(const Vec3& low, const Vec3& high) {
  centre = axes * (0.5 * (low + high));
  half = 0.5 * (high - low) + Vec3::Constant(1e-14 * (low.cwiseAbs().maxCoeff() + high.cwiseAbs().maxCoeff()));
  radius = half.norm();
}

MeshTree::MeshTree(const shape::Mesh& mesh) {
  triangles_.reserve(mesh.triangles.size());
  std::vector<Vec3> centres;
  for (const auto& t : mesh.triangles) {
    triangles_.push_back({mesh.vertices[u(t[0])], mesh.vertices[u(t[1])], mesh.vertices[u(t[2])]});
    centres.push_back((triangles_.back()[0] + triangles_.back()[1] + triangles_.back()[2]) / 3);
  }
  if (triangles_.empty()) return;
  std::vector<int> order(triangles_.size());
  std::iota(order.begin(), order.end(), 0);
  nodes_.reserve(2 * triangles_.size());
  nodes_.emplace_back();
  nodes_[0].count = static_cast<int>(order.size());
  split(0, order, centres);
  std::vector<Triangle> sorted;
  sorted.reserve(triangles_.size());
  for (int i : order) sorted.push_back(triangles_[u(i)]);
  triangles_ = std::move(sorted);
  order_ = std::move(order);
  gatherCorners();
  gatherNormals();
}

MeshTree::MeshTree(const MeshTree& like, const shape::Mesh& mesh) : order_(like.order_), nodes_(like.nodes_) {
  triangles_.reserve(order_.size());
  for (const int i : order_) {
    const auto& t = mesh.triangles[u(i)];
    triangles_.push_back({mesh.vertices[u(t[0])], mesh.vertices[u(t[1])], mesh.vertices[u(t[2])]});
  }
  for (Node& n : nodes_) enclose(n);
  if (triangles_.empty()) return;
  gatherCorners();
  gatherNormals();
}

void MeshTree::gatherNormals() {
  normals_.reserve(triangles_.size());
  for (const Triangle& t : triangles_) {
    const Vec3 n = (t[1] - t[0]).cross(t[2] - t[0]);
    normals_.push_back(n.norm() > 0 ? Vec3(n.normalized()) : Vec3::Zero());
  }
}

/// The box of a node along the axes that it has.
void MeshTree::enclose(Node& node) const {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (int i = node.first; i < node.first + node.count; ++i)
    for (const Vec3& v : triangles_[u(i)]) {
      const Vec3 x = node.axes.transpose() * v;
      low = low.cwiseMin(x);
      high = high.cwiseMax(x);
    }
  node.bound(low, high);
}

/// Corners by leaf, each once: those of any node follow one another.
void MeshTree::gatherCorners() {
  std::vector<Vec3> all;
  all.reserve(2 * triangles_.size());
  const std::function<void(int)> gather = [&](int index) {
    Node& n = nodes_[u(index)];
    n.firstCorner = static_cast<int>(all.size());
    if (n.left >= 0) {
      gather(n.left);
      gather(n.left + 1);
    } else {
      for (int i = n.first; i < n.first + n.count; ++i)
        for (const Vec3& v : triangles_[u(i)])
          if (std::find(all.begin() + n.firstCorner, all.end(), v) == all.end()) all.push_back(v);
    }
    n.corners = static_cast<int>(all.size()) - n.firstCorner;
  };
  gather(0);
  corners_.resize(static_cast<Eigen::Index>(all.size()), 3);
  for (std::size_t i = 0; i < all.size(); ++i) corners_.row(static_cast<Eigen::Index>(i)) = all[i].transpose().array();
}

/// Axes from the spread of the corners, weighted by area (the box lies along the surface, however it is meshed).
void MeshTree::fit(Node& node, const std::vector<int>& order) const {
  Mat3 spread = Mat3::Zero();
  Vec3 sum = Vec3::Zero();
  double area = 0;
  for (int i = node.first; i < node.first + node.count; ++i) {
    const auto& t = triangles_[u(order[u(i)])];
    const double w = 0.5 * (t[1] - t[0]).cross(t[2] - t[0]).norm() + 1e-300;
    const Vec3 c = (t[0] + t[1] + t[2]) / 3;
    area += w;
    sum += w * c;
    spread +=
        w / 12 * (9 * c * c.transpose() + t[0] * t[0].transpose() + t[1] * t[1].transpose() + t[2] * t[2].transpose());
  }
  const Vec3 mean = sum / area;
  const PrincipalAxes principal = principalAxesDirectly(spread / area - mean * mean.transpose());
  // Flat faces that lie on one another are parted high up in the trees only if the boxes stand square to them; the
  // spread of the corners alone often stands a little askew. So several axes compete, the smallest surface wins.
  Mat3 tried[4];
  int count = 0;
  const auto squareTo = [&](const Vec3& normal, const Vec3& along) {
    Mat3 R;
    if (axesFrom(normal, along, R)) tried[count++] = R;
  };
  squareTo(principal.axes.col(0), principal.axes.col(2));  // in closed form they are square to 1e-8 only
  tried[count++] = node.axes;                              // of the node above
  int largest = node.first;
  double most = -1;
  for (int i = node.first; i < node.first + node.count; ++i) {
    const auto& t = triangles_[u(order[u(i)])];
    const double a = (t[1] - t[0]).cross(t[2] - t[0]).squaredNorm();
    if (a > most) {
      most = a;
      largest = i;
    }
  }
  const auto& t = triangles_[u(order[u(largest)])];
  Vec3 longest = t[1] - t[0];
  for (const Vec3& e : {Vec3(t[2] - t[1]), Vec3(t[0] - t[2])})
    if (e.squaredNorm() > longest.squaredNorm()) longest = e;
  squareTo((t[1] - t[0]).cross(t[2] - t[0]), longest);
  squareTo((t[1] - t[0]).cross(t[2] - t[0]), principal.axes.col(2));
  thread_local Eigen::ArrayX3d places;
  places.resize(std::max<Eigen::Index>(places.rows(), 3 * node.count), 3);
  Eigen::Index rows = 0;
  for (int i = node.first; i < node.first + node.count; ++i)
    for (const Vec3& v : triangles_[u(order[u(i)])]) places.row(rows++) = v.transpose().array();
  const auto all = places.topRows(rows);
  double best = 1e300;
  for (int k = 0; k < count; ++k) {
    const Mat3& axes = tried[k];
    Vec3 low, high;
    for (int a = 0; a < 3; ++a) {
      const auto along = all.col(0) * axes(0, a) + all.col(1) * axes(1, a) + all.col(2) * axes(2, a);
      low[a] = along.minCoeff();
      high[a] = along.maxCoeff();
    }
    const Vec3 d = high - low;
    const double surface = d.x() * d.y() + d.y() * d.z() + d.z() * d.x();
    if (surface >= best) continue;
    best = surface;
    node.axes = axes;
    node.bound(low, high);
  }
}

void MeshTree::split(int index, std::vector<int>& order, const std::vector<Vec3>& centres) {
  fit(nodes_[u(index)], order);
  const Node node = nodes_[u(index)];
  if (node.count <= kLeafTriangles) return;
  Eigen::Index axis = 0;
  node.half.maxCoeff(&axis);
  const Vec3 along = node.axes.col(axis);
  double middle = 0;
  for (int i = node.first; i < node.first + node.count; ++i) middle += along.dot(centres[u(order[u(i)])]);
  middle /= node.count;
  const auto begin = order.begin() + node.first, end = begin + node.count;
  auto cut = std::partition(begin, end, [&](int t) { return along.dot(centres[u(t)]) < middle; });
  // a lopsided cut makes a deep tree
  const auto few = std::max<std::ptrdiff_t>(1, node.count / 8);
  if (cut - begin < few || end - cut < few) {
    cut = begin + node.count / 2;
    std::nth_element(begin, cut, end,
                     [&](int x, int y) { return along.dot(centres[u(x)]) < along.dot(centres[u(y)]); });
  }
  const int left = static_cast<int>(nodes_.size()), first = static_cast<int>(cut - begin);
  nodes_.resize(nodes_.size() + 2);
  nodes_[u(index)].left = left;
  nodes_[u(left)].first = node.first;
  nodes_[u(left)].count = first;
  nodes_[u(left + 1)].first = node.first + first;
  nodes_[u(left + 1)].count = node.count - first;
  nodes_[u(left)].axes = nodes_[u(left + 1)].axes = node.axes;
  split(left, order, centres);
  split(left + 1, order, centres);
}

Nearest MeshTree::distance(const MeshTree& a, const MeshTree& b, const Pose& bInA, const Nearest& hint, double enough) {
  Search s(a, b, bInA, enough);
  if (a.nodes_.empty() || b.nodes_.empty()) return s.found;
  s.start(hint);
  s.both();
  return s.found;
}

struct MeshTree::Proof {
  const MeshTree &a, &b;
  const Pose& pose;
  const Motion& motion;
  double margin;
  bool moves;
  Hot hot{};
  std::function<bool(const Node&, const Node&)> failed{};  ///< of leaves that may meet: go on all the same?

  bool has(const Hot& h) const {
    return h.a >= 0 && h.b >= 0 && u(h.a) < a.triangles_.size() && u(h.b) < b.triangles_.size();
  }
  Search::Placed place(int index) const {
    const Node& n = b.nodes_[u(index)];
    return {&n, pose.R * n.axes, pose * n.centre};
  }
  /// How far any point of a ball may go along a unit direction.
  double along(const Vec3& n, const Vec3& centre, double radius) const {
    if (!moves) return 0;
    return std::abs(n.dot(motion.shift + motion.turn.cross(centre))) + radius * motion.turn.cross(n).norm();
  }
  bool separate(const Node& x, const Search::Placed& y) const {
    const Vec3 d = y.centre - x.centre;
    const Mat3 C = x.axes.transpose() * y.axes, S = C.cwiseAbs();
    const Vec3 inX = (x.axes.transpose() * d).cwiseAbs() - x.half - S * y.node->half;
    const Vec3 inY = (y.axes.transpose() * d).cwiseAbs() - y.node->half - S.transpose() * x.half;
    if (!(inX.maxCoeff() > 0) && !(inY.maxCoeff() > 0)) return false;
    const double room = margin + motion.restOf(y.centre, y.node->radius);
    if (!moves) return std::max(inX.cwiseMax(0.0).squaredNorm(), inY.cwiseMax(0.0).squaredNorm()) > room * room;
    const bool flat = motion.normal.squaredNorm() > 0;
    const double rest = room - margin;
    const auto by = [&](const Mat3& axes, const Vec3& gap) {
      double sum = 0;
      for (int k = 0; k < 3; ++k) {
        if (!(gap[k] > 0)) continue;
        double left = gap[k] - along(axes.col(k), y.centre, y.node->radius);
        if (flat) left -= rest * motion.shareAlong(axes.col(k));
        if (left > 0) sum += left * left;
      }
      return flat ? sum > margin * margin : sum > room * room;
    };
    return by(x.axes, inX) || by(y.axes, inY);
  }
  bool trianglesApart(int i, int j) {
    const Triangle &ta = a.triangles_[u(i)], &t = b.triangles_[u(j)];
    const Triangle tb{pose * t[0], pose * t[1], pose * t[2]};
    double room = margin + motion.rest;
    if (motion.bend > 0)
      for (const Vec3& v : tb) room = std::max(room, margin + motion.restOf(v, 0));
    const auto along3 = [](const Vec3& n, const Triangle& x, double& low, double& high) {
      const double p = n.dot(x[0]), q = n.dot(x[1]), r = n.dot(x[2]);
      low = std::min({p, q, r});
      high = std::max({p, q, r});
    };
    const auto by = [&](const Vec3& n) {
      double lowA, highA, lowB, highB;
      along3(n, ta, lowA, highA);
      along3(n, tb, lowB, highB);
      const double gap = std::max(lowB - highA, lowA - highB);
      const double need = margin + (room - margin) * motion.shareAlong(n);
      if (!(gap > need)) return false;
      if (!moves) return true;
      // n (shift + turn x X) = n shift + (n x turn) X is linear in X
      const Vec3 m = n.cross(motion.turn);
      double low, high;
      along3(m, tb, low, high);
      const double still = n.dot(motion.shift);
      return gap - std::max(std::abs(still + low), std::abs(still + high)) > need;
    };
    // square to one of the faces, or between the two: what decides between neighbouring flanks
    const Vec3& na = a.normals_[u(i)];
    const Vec3 nb = pose.R * b.normals_[u(j)];
    if (by(na) || by(nb)) return true;
    const Vec3 between = na - nb;
    const double length = between.norm();
    if (length > 1e-3 && by(between / length)) return true;
    Vec3 onA, onB;
    const double d2 = triangleDistance2(ta, tb, 1e300, onA, onB);
    if (!(d2 > room * room)) return false;
    if (!moves) return true;
    double most = 0;
    for (const Vec3& v : tb) most = std::max(most, (motion.shift + motion.turn.cross(v)).norm());
    if (std::sqrt(d2) - most > room) return true;
    return by((onB - onA) / std::sqrt(d2));
  }
  bool leaf(const Node& x, const Node& y) {
    for (int j = y.first; j < y.first + y.count; ++j)
      for (int i = x.first; i < x.first + x.count; ++i)
        if (!trianglesApart(i, j)) {
          hot = {i, j};
          return failed && failed(x, y);
        }
    return true;
  }
  bool open(int ix, const Search::Placed& y) {
    const Node& x = a.nodes_[u(ix)];
    if (separate(x, y)) return true;
    const bool leafX = x.left < 0, leafY = y.node->left < 0;
    if (leafX && leafY) return leaf(x, *y.node);
    if (leafY || (!leafX && x.radius >= y.node->radius)) return open(x.left, y) && open(x.left + 1, y);
    const Search::Placed left = place(y.node->left), right = place(y.node->left + 1);
    return open(ix, left) && open(ix, right);
  }
};

bool MeshTree::apart(const std::vector<LeafPair>* only, const MeshTree& a, const MeshTree& b, const Pose& bInA,
                     const Motion& motion, double margin, std::size_t most, std::vector<LeafPair>& left) {
  left.clear();
  if (a.nodes_.empty() || b.nodes_.empty()) return true;
  Proof p{a, b, bInA, motion, margin, motion.turn.squaredNorm() + motion.shift.squaredNorm() > 0};
  const auto index = [](const MeshTree& t, const Node& n) { return static_cast<int>(&n - t.nodes_.data()); };
  p.failed = [&](const Node& x, const Node& y) {
    left.push_back({index(a, x), index(b, y)});
    return left.size() <= most;
  };
  bool all = true;
  if (!only) {
    all = p.open(0, p.place(0));
  } else {
    for (std::size_t i = 0; all && i < only->size(); ++i) {
      const Node& x = a.nodes_[u((*only)[i].a)];
      const Search::Placed y = p.place((*only)[i].b);
      if (!p.separate(x, y)) all = p.leaf(x, *y.node);
    }
  }
  if (!all) left.clear();
  return all && left.empty();
}

bool MeshTree::apart(const MeshTree& a, const MeshTree& b, const Pose& bInA, const Motion& motion, double margin,
                     Hot* hot) {
  if (a.nodes_.empty() || b.nodes_.empty()) return true;
  Proof p{a, b, bInA, motion, margin, motion.turn.squaredNorm() + motion.shift.squaredNorm() > 0};
  if (hot && p.has(*hot) && !p.trianglesApart(hot->a, hot->b)) return false;
  if (p.open(0, p.place(0))) return true;
  if (hot) *hot = p.hot;
  return false;
}

bool MeshTree::apart(const std::vector<LeafPair>& leaves, const MeshTree& a, const MeshTree& b, const Pose& bInA,
                     const Motion& motion, double margin, Hot* hot) {
  Proof p{a, b, bInA, motion, margin, motion.turn.squaredNorm() + motion.shift.squaredNorm() > 0};
  if (hot && p.has(*hot) && !p.trianglesApart(hot->a, hot->b)) return false;
  for (const LeafPair& l : leaves) {
    const Node& x = a.nodes_[u(l.a)];
    const Search::Placed y = p.place(l.b);
    if (p.separate(x, y) || p.leaf(x, *y.node)) continue;
    if (hot) *hot = p.hot;
    return false;
  }
  return true;
}

}  // namespace cooperage::clearance
