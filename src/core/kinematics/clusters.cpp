// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "kinematics/system.h"
#include "base/index.h"

namespace cooperage::kinematics {

using model::Motion;

namespace {

constexpr double kParallel = 1e-11;  // axes further out than rounding are solved in space

/// Slides, then at most one turn about z: what a joint of a plane may consist of.
bool planarMotions(const System::Joint& j) {
  int slides = 0;
  for (std::size_t k = 0; k < j.elements.size(); ++k) {
    const Motion m = j.elements[k].motion;
    if (m == Motion::turnZ && k + 1 == j.elements.size()) return slides <= 2;
    if (m != Motion::slideX && m != Motion::slideY && m != Motion::slideZ) return false;
    ++slides;
  }
  return slides > 0 && slides <= 2;
}

class Clusters {
 public:
  explicit Clusters(System& s) : s_(s), of_(u(s.nodeCount)) {}

  void run() {
    s_.planarNodes.assign(u(s_.nodeCount), {});
    s_.planarJoints.assign(s_.joints.size(), {});
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      of_[u(s_.joints[i].nodeA)].push_back(static_cast<int>(i));
      of_[u(s_.joints[i].nodeB)].push_back(static_cast<int>(i));
    }
    for (int t : s_.treeOrder) grow(t);
    for (auto& loop : s_.loops) close(loop);
  }

 private:
  /// Axes of a joint in the axes of one of its nodes.
  Mat3 axesIn(const System::Joint& j, int node) const { return node == j.nodeA ? j.atA.R : j.atB.R; }
  /// All motions of a joint keep a plane with this normal (in the axes of one of its nodes).
  bool keeps(const System::Joint& j, int node, const Vec3& normal) const {
    const Mat3 axes = axesIn(j, node);
    for (const Element& e : j.elements) {
      const Vec3 axis = axes.col(axisOf(e.motion));
      if (isTurn(e.motion) ? axis.cross(normal).norm() > kParallel : std::abs(axis.dot(normal)) > kParallel)
        return false;
    }
    return true;
  }
  bool inCluster(int node, int cluster) const {
    return s_.planarNodes[u(node)].cluster == cluster || s_.clusters[u(cluster)].root == node;
  }
  Mat3 basisIn(int node, int cluster) const {
    return s_.clusters[u(cluster)].root == node ? s_.clusters[u(cluster)].basis : s_.planarNodes[u(node)].basis;
  }

  /// Normals that a joint could have: its turn's axis, else a turn of a neighbour that is square to its slide.
  std::vector<Vec3> normals(const System::Joint& j, int parent, int child) const {
    std::vector<Vec3> out;
    const Mat3 own = axesIn(j, parent);
    if (isTurn(j.elements.back().motion)) return {own.col(2)};
    if (j.elements.size() == 2)
      return {own.col(axisOf(j.elements[0].motion)).cross(own.col(axisOf(j.elements[1].motion)))};
    const Mat3 toParent = own * axesIn(j, child).transpose();
    for (int node : {child, parent})
      for (int k : of_[u(node)]) {
        const System::Joint& other = s_.joints[u(k)];
        if (&other == &j || !planarMotions(other) || !isTurn(other.elements.back().motion)) continue;
        const Vec3 z = axesIn(other, node).col(2);
        out.push_back(node == child ? Vec3(toParent * z) : z);
      }
    return out;
  }

  void grow(int t) {
    const System::Joint& j = s_.joints[u(t)];
    if (!planarMotions(j)) return;
    const int parent = j.forward ? j.nodeA : j.nodeB, child = j.forward ? j.nodeB : j.nodeA;
    int cluster = s_.planarNodes[u(parent)].cluster;
    if (cluster >= 0 && !keeps(j, parent, s_.planarNodes[u(parent)].basis.col(2))) cluster = -1;
    if (cluster < 0) {
      for (const Vec3& n : normals(j, parent, child)) {
        if (!keeps(j, parent, n)) continue;
        for (std::size_t k = 0; k < s_.clusters.size() && cluster < 0; ++k)
          if (s_.clusters[k].root == parent && s_.clusters[k].basis.col(2).cross(n).norm() < kParallel)
            cluster = static_cast<int>(k);
        if (cluster < 0) {
          cluster = static_cast<int>(s_.clusters.size());
          Mat3 basis;
          basis.col(2) = n.normalized();
          basis.col(0) = anyPerpendicular(basis.col(2));
          basis.col(1) = basis.col(2).cross(basis.col(0));
          s_.clusters.push_back({parent, basis});
        }
        break;
      }
    }
    if (cluster < 0) return;
    const Mat3 base = basisIn(parent, cluster);
    const Mat3 childInParent = axesIn(j, parent) * axesIn(j, child).transpose();  // where all motions are zero
    s_.planarNodes[u(child)] = {cluster, childInParent.transpose() * base};
    figures(t, cluster);
  }

  void figures(int index, int cluster) {
    const System::Joint& j = s_.joints[u(index)];
    System::PlanarJoint& p = s_.planarJoints[u(index)];
    const Mat3 a = basisIn(j.nodeA, cluster), b = basisIn(j.nodeB, cluster);
    p.usable = true;
    p.cluster = cluster;
    p.at = (a.transpose() * j.atA.p).head<2>() / s_.size;
    p.back = (b.transpose() * j.atB.p).head<2>() / s_.size;
    for (std::size_t k = 0; k < j.elements.size(); ++k) {
      const Motion m = j.elements[k].motion;
      const Vec3 axis = a.transpose() * j.atA.R.col(axisOf(m));
      const int dof = j.firstDof + static_cast<int>(k);
      if (isTurn(m)) {
        p.turnDof = dof;
        p.sense = axis.z() > 0 ? 1 : -1;
      } else {
        p.direction[p.slides] = axis.head<2>();
        p.slideDof[p.slides++] = dof;
      }
    }
    const Mat3 turn = a.transpose() * j.atA.R * j.atB.R.transpose() * b;  // basis of B seen in that of A
    p.angle = std::atan2(turn(1, 0), turn(0, 0));
  }

  void close(System::Loop& loop) {
    const System::Joint& j = s_.joints[u(loop.joint)];
    if (!planarMotions(j) || (loop.pathA.empty() && loop.pathB.empty())) return;
    const int inner = loop.pathA.empty() ? loop.pathB.back() : loop.pathA.back();
    const int cluster = s_.planarJoints[u(inner)].cluster;
    if (cluster < 0 || !inCluster(j.nodeA, cluster) || !inCluster(j.nodeB, cluster)) return;
    for (const auto* path : {&loop.pathA, &loop.pathB})
      for (int t : *path)
        if (!s_.planarJoints[u(t)].usable || s_.planarJoints[u(t)].cluster != cluster) return;
    const Vec3 normal = basisIn(j.nodeA, cluster).col(2);
    if (!keeps(j, j.nodeA, normal)) return;
    const Mat3 other = basisIn(j.nodeB, cluster);
    const Vec3 there = j.atA.R * j.atB.R.transpose() * other.col(2);
    if ((there - normal).norm() > kParallel) return;
    figures(loop.joint, cluster);
    loop.cluster = cluster;
  }

  System& s_;
  std::vector<std::vector<int>> of_;
};

}  // namespace

void findClusters(System& system) { Clusters(system).run(); }

}  // namespace cooperage::kinematics
