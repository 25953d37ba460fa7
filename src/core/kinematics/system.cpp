// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/system.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace cooperage::kinematics {

using model::JointKind;
using model::Motion;
using model::Resolved;

Vec3 ballAngles(const Mat3& R) {
  // R = Rx(a) Ry(b) Rz(c): R02 = sin b, R12 = -sin a cos b, R22 = cos a cos b, R00 = cos b cos c, R01 = -cos b sin c
  const double b = std::atan2(R(0, 2), std::hypot(R(0, 0), R(0, 1)));
  return {std::atan2(-R(1, 2), R(2, 2)), b, std::atan2(-R(0, 1), R(0, 0))};
}
Mat3 ballRotation(const Vec3& a) { return rotationAbout(0, a[0]) * rotationAbout(1, a[1]) * rotationAbout(2, a[2]); }

int System::dofOf(const Resolved::ValueRef& value) const {
  if (value.joint < 0) return -1;
  const int j = jointOf[static_cast<std::size_t>(value.joint)];
  if (j < 0) return -1;
  const Joint& joint = joints[static_cast<std::size_t>(j)];
  if (joint.ball >= 0 || value.value >= joint.dofs) return -1;
  return joint.firstDof + value.value;
}

/// Builds a System step by step.
class Compiler {
 public:
  explicit Compiler(const Resolved& r) : r_(r) {}

  Result<System> run() {
    measureSize();
    mergeLinks();
    makeJoints();
    makeTree();
    orderDofs();
    makeLoops();
    if (!makeLinearRows()) return error_;
    measureStart();
    return std::move(s_);
  }

 private:
  const Resolved::LinkR& link(int i) const { return r_.links[static_cast<std::size_t>(i)]; }
  Pose placed(int i) const { return {link(i).placement.R, link(i).placement.p - s_.middle}; }

  void measureSize() {
    Vec3 sum = Vec3::Zero();
    int count = 0;
    double size = 0;
    for (const auto& l : r_.links) {
      for (const auto& a : l.seats) {
        sum += l.placement * a.frame.p;
        ++count;
        for (const auto& b : l.seats) size = std::max(size, (a.frame.p - b.frame.p).norm());
      }
    }
    if (count > 0) s_.middle = sum / count;
    s_.size = size > 0 ? size : 1.0;
  }

  int root(int i) {
    while (parent_[static_cast<std::size_t>(i)] != i) i = parent_[static_cast<std::size_t>(i)];
    return i;
  }

  /// Links held together by fixed joints are one node; all grounds are node 0. A fixed joint inside a node that is
  /// one already adds nothing; its misfit is reported.
  void mergeLinks() {
    const int n = static_cast<int>(r_.links.size());
    parent_.resize(static_cast<std::size_t>(n));
    std::iota(parent_.begin(), parent_.end(), 0);
    relative_.resize(static_cast<std::size_t>(n));
    for (int i = 0; i < n; ++i) relative_[static_cast<std::size_t>(i)] = placed(i);
    int ground = -1;
    for (int i = 0; i < n; ++i) {
      if (!link(i).ground) continue;
      if (ground >= 0) parent_[static_cast<std::size_t>(i)] = ground;
      if (ground < 0) ground = i;
    }
    // relative_ holds X_(placement axes of the group)L; joining moves the whole free group onto the other
    for (const auto& j : r_.joints) {
      if (!j.enabled || j.kind != JointKind::fixed) continue;
      const Pose wanted = closedPose(j);  // pose of link B if the joint is closed
      const int a = root(j.linkA), b = root(j.linkB);
      if (a == b) {
        const Pose gap = relative_[static_cast<std::size_t>(j.linkB)].inverse() * wanted;
        const double angle = rotationVector(gap.R).norm(), length = gap.p.norm();
        if (angle > 1e-6 || length > 1e-6 * s_.size)
          s_.messages.push_back(
              {Severity::warning,
               "misfit",
               {j.name},
               fmt::format("joint {}: its links are held already and miss it by {:.4g} mm and {:.4g} deg", j.name,
                           length * 1e3, angle * 180 / kPi)});
        continue;
      }
      const bool moveB = ground < 0 || b != root(ground);  // the group with ground stays
      const Pose shift = moveB ? wanted * relative_[static_cast<std::size_t>(j.linkB)].inverse()
                               : relative_[static_cast<std::size_t>(j.linkB)] * wanted.inverse();
      const int moved = moveB ? b : a, kept = moveB ? a : b;
      for (int i = 0; i < n; ++i)
        if (root(i) == moved) relative_[static_cast<std::size_t>(i)] = shift * relative_[static_cast<std::size_t>(i)];
      parent_[static_cast<std::size_t>(moved)] = kept;
    }
    numberNodes(n, ground);
  }
  Pose closedPose(const Resolved::JointR& j) const {
    return relative_[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset * flipOf(j) * j.seatB.inverse();
  }
  static Pose flipOf(const Resolved::JointR& j) { return j.flip ? Pose{rotationAbout(0, kPi), Vec3::Zero()} : Pose{}; }

  void numberNodes(int n, int ground) {
    std::vector<int> node(static_cast<std::size_t>(n), -1);
    if (ground >= 0) node[static_cast<std::size_t>(root(ground))] = 0;
    s_.nodeStart.emplace_back();
    s_.nodeOfLink.resize(static_cast<std::size_t>(n));
    s_.linkInNode.resize(static_cast<std::size_t>(n));
    for (int i = 0; i < n; ++i) {
      int& own = node[static_cast<std::size_t>(root(i))];
      if (own < 0) {
        own = s_.nodeCount++;
        s_.nodeStart.push_back(relative_[static_cast<std::size_t>(i)]);
      }
      s_.nodeOfLink[static_cast<std::size_t>(i)] = own;
      s_.linkInNode[static_cast<std::size_t>(i)] =
          s_.nodeStart[static_cast<std::size_t>(own)].inverse() * relative_[static_cast<std::size_t>(i)];
    }
  }

  void makeJoints() {
    s_.jointOf.assign(r_.joints.size(), -1);
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& j = r_.joints[i];
      if (!j.enabled || j.kind == JointKind::fixed) continue;
      System::Joint c;
      c.source = static_cast<int>(i);
      c.nodeA = s_.nodeOfLink[static_cast<std::size_t>(j.linkA)];
      c.nodeB = s_.nodeOfLink[static_cast<std::size_t>(j.linkB)];
      c.atA = s_.linkInNode[static_cast<std::size_t>(j.linkA)] * j.seatA * j.offset;
      c.atB = s_.linkInNode[static_cast<std::size_t>(j.linkB)] * j.seatB * flipOf(j).inverse();
      c.motions = model::infoOf(j.kind).motions;
      s_.jointOf[i] = static_cast<int>(s_.joints.size());
      s_.joints.push_back(std::move(c));
    }
  }

  /// Breadth first from ground, so that loops stay short; a group that ground does not reach gets a free joint.
  void makeTree() {
    std::vector<bool> reached(static_cast<std::size_t>(s_.nodeCount), false);
    const auto grow = [&](int from) {
      std::vector<int> queue{from};
      reached[static_cast<std::size_t>(from)] = true;
      for (std::size_t k = 0; k < queue.size(); ++k) {
        for (std::size_t i = 0; i < s_.joints.size(); ++i) {
          System::Joint& j = s_.joints[i];
          if (j.inTree || (j.nodeA != queue[k] && j.nodeB != queue[k])) continue;
          const bool forward = j.nodeA == queue[k];
          const int child = forward ? j.nodeB : j.nodeA;
          if (reached[static_cast<std::size_t>(child)]) continue;
          reached[static_cast<std::size_t>(child)] = true;
          j.inTree = true;
          j.forward = forward;
          s_.treeOrder.push_back(static_cast<int>(i));
          queue.push_back(child);
        }
      }
    };
    grow(0);
    while (true) {
      int best = -1;
      std::size_t most = 0;
      for (std::size_t i = 0; i < r_.links.size(); ++i) {
        if (reached[static_cast<std::size_t>(s_.nodeOfLink[i])]) continue;
        const std::size_t weight = 1 + r_.links[i].bodies.size() + 2 * r_.links[i].seats.size();
        if (weight > most) {
          most = weight;
          best = static_cast<int>(i);
        }
      }
      if (best < 0) break;
      addFreeJoint(best);
      grow(s_.nodeOfLink[static_cast<std::size_t>(best)]);
    }
  }
  void addFreeJoint(int linkIndex) {
    System::Joint j;
    j.source = -1;
    j.nodeA = 0;
    j.nodeB = s_.nodeOfLink[static_cast<std::size_t>(linkIndex)];
    j.motions = {Motion::slideX, Motion::slideY, Motion::slideZ, Motion::ball};
    j.inTree = true;
    s_.floating.push_back(static_cast<int>(s_.joints.size()));
    s_.floatLinks.push_back(linkIndex);
    s_.treeOrder.push_back(static_cast<int>(s_.joints.size()));
    s_.joints.push_back(std::move(j));
    const std::string& name = link(linkIndex).name;
    s_.messages.push_back({Severity::warning,
                           "no-ground",
                           {name},
                           fmt::format("link {}: no joint ties it to ground; it is held where it stands", name)});
  }

  void orderDofs() {
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      System::Joint& j = s_.joints[i];
      j.firstDof = static_cast<int>(s_.dofs.size());
      for (Motion m : j.motions) {
        const int joint = static_cast<int>(i);
        if (m == Motion::ball) {
          j.ball = s_.ballCount++;
          for (int k = 0; k < 3; ++k) s_.dofs.push_back({m, joint, j.ball, 1.0});
        } else {
          s_.dofs.push_back({m, joint, -1, isTurn(m) ? 1.0 : s_.size});
        }
      }
      j.dofs = static_cast<int>(s_.dofs.size()) - j.firstDof;
    }
  }

  void makeLoops() {
    std::vector<int> up(static_cast<std::size_t>(s_.nodeCount), -1), depth(static_cast<std::size_t>(s_.nodeCount), 0);
    for (int t : s_.treeOrder) {
      const System::Joint& j = s_.joints[static_cast<std::size_t>(t)];
      const int parent = j.forward ? j.nodeA : j.nodeB, child = j.forward ? j.nodeB : j.nodeA;
      up[static_cast<std::size_t>(child)] = t;
      depth[static_cast<std::size_t>(child)] = depth[static_cast<std::size_t>(parent)] + 1;
    }
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      const System::Joint& closing = s_.joints[i];
      if (closing.inTree) continue;
      System::Loop loop{static_cast<int>(i), {}};
      const auto add = [&](const System::Joint& j, double sign) {
        for (int d = 0; d < j.dofs; ++d) loop.members.push_back({j.firstDof + d, sign});
      };
      int a = closing.nodeA, b = closing.nodeB;
      const auto climb = [&](int& node, double side) {
        const System::Joint& j = s_.joints[static_cast<std::size_t>(up[static_cast<std::size_t>(node)])];
        add(j, side * (j.forward ? 1 : -1));
        node = j.forward ? j.nodeA : j.nodeB;
      };
      while (a != b) {
        if (depth[static_cast<std::size_t>(a)] >= depth[static_cast<std::size_t>(b)])
          climb(a, 1);
        else
          climb(b, -1);
      }
      add(closing, 1);
      s_.loops.push_back(std::move(loop));
    }
  }

  bool makeLinearRows() {
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      const System::Joint& j = s_.joints[i];
      if (j.source < 0) continue;
      const auto& source = r_.joints[static_cast<std::size_t>(j.source)];
      if (source.kind == JointKind::screw)
        s_.linear.push_back({{j.firstDof, j.firstDof + 1}, {source.lead / (2 * kPi), -1}, -1, static_cast<int>(i)});
    }
    for (std::size_t i = 0; i < r_.couplings.size(); ++i) {
      const auto& c = r_.couplings[i];
      if (!c.enabled) continue;
      System::LinearRow row{{}, {}, static_cast<int>(i), -1};
      bool whole = true;
      for (std::size_t k = 0; k < c.values.size(); ++k) {
        if (c.values[k].joint < 0) continue;  // a gear that stands still
        const int dof = s_.dofOf(c.values[k]);
        if (dof < 0) {
          const auto& joint = r_.joints[static_cast<std::size_t>(c.values[k].joint)];
          if (!joint.enabled) whole = false;  // with the joint switched off, the coupling rests too
          if (joint.enabled) {
            error_ = {
                "coupling", c.name,
                fmt::format("coupling {}: the angles of the spherical joint {} can't be coupled", c.name, joint.name)};
            return false;
          }
          continue;
        }
        row.dofs.push_back(dof);
        row.coefficients.push_back(c.coefficients[k]);
      }
      if (whole && !row.dofs.empty()) s_.linear.push_back(std::move(row));
    }
    return true;
  }

  void measureStart() {
    s_.start.q.assign(s_.dofs.size(), 0);
    s_.start.balls.assign(static_cast<std::size_t>(s_.ballCount), Mat3::Identity());
    for (const System::Joint& j : s_.joints) {
      const Pose J = (s_.nodeStart[static_cast<std::size_t>(j.nodeA)] * j.atA).inverse() *
                     (s_.nodeStart[static_cast<std::size_t>(j.nodeB)] * j.atB);
      measure(j, J);
    }
  }
  void measure(const System::Joint& j, const Pose& J) {
    double* q = s_.start.q.data() + j.firstDof;
    const auto& m = j.motions;
    if (m.size() == 2 && m[0] == Motion::turnX && m[1] == Motion::turnY) {  // universal: Rx Ry
      q[0] = std::atan2(J.R(2, 1), J.R(1, 1));
      q[1] = std::atan2(J.R(0, 2), J.R(0, 0));
      return;
    }
    for (std::size_t k = 0; k < m.size(); ++k) {
      switch (m[k]) {
        case Motion::turnZ: q[k] = std::atan2(J.R(1, 0) - J.R(0, 1), J.R(0, 0) + J.R(1, 1)); break;
        case Motion::slideX: q[k] = J.p.x(); break;
        case Motion::slideY: q[k] = J.p.y(); break;
        case Motion::slideZ: q[k] = J.p.z(); break;
        case Motion::ball: s_.start.balls[static_cast<std::size_t>(j.ball)] = J.R; break;
        default: break;
      }
    }
  }

  const Resolved& r_;
  System s_;
  Error error_;
  std::vector<int> parent_;
  std::vector<Pose> relative_;
};

Result<System> System::compile(const Resolved& resolved) { return Compiler(resolved).run(); }

}  // namespace cooperage::kinematics
