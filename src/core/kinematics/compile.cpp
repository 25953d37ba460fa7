// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "kinematics/driven_gauge.h"
#include "kinematics/system.h"
#include "base/index.h"

namespace cooperage::kinematics {

using model::JointKind;
using model::Motion;
using model::Resolved;

namespace {

/// Builds a System step by step.
class Compiler {
 public:
  explicit Compiler(const Resolved& r) : r_(r) {}

  Result<System> run() {
    measureSize();
    mergeLinks();
    if (!makeJoints() || !makePairs() || !makeDriven()) return error_;
    makeTree();
    orderDofs();
    makeLoops();
    if (!makeScalarRows()) return error_;
    findClusters(s_);
    measureStart(s_);
    for (std::size_t d = 0; d < s_.drivenDof.size(); ++d)
      if (s_.drivenDof[d] >= 0) measureDrive(static_cast<int>(d));
    return std::move(s_);
  }

 private:
  const Resolved::LinkR& link(int i) const { return r_.links[u(i)]; }
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
    while (parent_[u(i)] != i) i = parent_[u(i)];
    return i;
  }

  /// Links held together by fixed joints are one node; all grounds are node 0. A fixed joint inside a node that is
  /// one already adds nothing; its misfit is reported.
  void mergeLinks() {
    const int n = static_cast<int>(r_.links.size());
    parent_.resize(u(n));
    std::iota(parent_.begin(), parent_.end(), 0);
    relative_.resize(u(n));
    for (int i = 0; i < n; ++i) relative_[u(i)] = placed(i);
    int ground = -1;
    for (int i = 0; i < n; ++i) {
      if (!link(i).ground) continue;
      if (ground >= 0) parent_[u(i)] = ground;
      if (ground < 0) ground = i;
    }
    for (const auto& j : r_.joints)
      if (j.enabled && link(j.linkA).ground && link(j.linkB).ground)
        s_.messages.push_back(
            {Severity::warning,
             "ground-joint",
             {j.name},
             fmt::format("joint {}: both its links are ground, so it moves nothing; remove it, or let "
                         "one of them go",
                         j.name)});
    // relative_ holds X_(placement axes of the group)L; joining moves the whole free group onto the other
    for (const auto& j : r_.joints) {
      if (!j.enabled || j.kind != JointKind::fixed) continue;
      const Pose wanted = closedPose(j);  // pose of link B if the joint is closed
      const int a = root(j.linkA), b = root(j.linkB);
      if (a == b) {
        const Pose gap = relative_[u(j.linkB)].inverse() * wanted;
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
      const Pose shift = moveB ? wanted * relative_[u(j.linkB)].inverse() : relative_[u(j.linkB)] * wanted.inverse();
      const int moved = moveB ? b : a, kept = moveB ? a : b;
      for (int i = 0; i < n; ++i)
        if (root(i) == moved) relative_[u(i)] = shift * relative_[u(i)];
      parent_[u(moved)] = kept;
    }
    numberNodes(n, ground);
  }
  Pose closedPose(const Resolved::JointR& j) const {
    return relative_[u(j.linkA)] * j.seatA * j.offset * flipOf(j) * j.seatB.inverse();
  }
  static Pose flipOf(const Resolved::JointR& j) { return j.flip ? Pose{rotationAbout(0, kPi), Vec3::Zero()} : Pose{}; }

  void numberNodes(int n, int ground) {
    std::vector<int> node(u(n), -1);
    if (ground >= 0) node[u(root(ground))] = 0;
    s_.nodeStart.emplace_back();
    s_.nodeOfLink.resize(u(n));
    s_.linkInNode.resize(u(n));
    for (int i = 0; i < n; ++i) {
      int& own = node[u(root(i))];
      if (own < 0) {
        own = s_.nodeCount++;
        s_.nodeStart.push_back(relative_[u(i)]);
      }
      s_.nodeOfLink[u(i)] = own;
      s_.linkInNode[u(i)] = s_.nodeStart[u(own)].inverse() * relative_[u(i)];
    }
  }
  /// Values that are driven, coupled or imposed must be dofs of their own: a ball is three turns then.
  bool namedAngles(int joint) const {
    const auto names = [&](const Resolved::ValueRef& v) { return v.joint == joint && v.value >= 0; };
    for (const auto& d : r_.drives)
      if (names(d.value)) return true;
    const auto along = [&](const auto& loads) {
      return std::any_of(loads.begin(), loads.end(), [&](const auto& x) { return names(x.of); });
    };
    if (along(r_.springs) || along(r_.forces) || along(r_.frictions)) return true;
    for (const auto& c : r_.couplings) {
      for (const auto& v : c.values)
        if (names(v)) return true;
      if (c.formula)
        for (const auto& [symbol, v] : c.formula->values)
          if (names(v)) return true;
    }
    const auto& home = r_.joints[u(joint)].home;
    return std::any_of(home.begin(), home.end(), [](const auto& h) { return h.has_value(); });
  }

  bool makeJoints() {
    s_.jointOf.assign(r_.joints.size(), -1);
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& j = r_.joints[i];
      if (!j.enabled || j.kind == JointKind::fixed) continue;
      System::Joint c;
      c.source = static_cast<int>(i);
      c.nodeA = s_.nodeOfLink[u(j.linkA)];
      c.nodeB = s_.nodeOfLink[u(j.linkB)];
      c.atA = s_.linkInNode[u(j.linkA)] * j.seatA * j.offset;
      c.atB = s_.linkInNode[u(j.linkB)] * j.seatB * flipOf(j).inverse();
      const bool split = namedAngles(static_cast<int>(i));
      for (Motion m : model::infoOf(j.kind).motions) {
        if (m == Motion::ball && split) {
          for (Motion turn : {Motion::turnX, Motion::turnY, Motion::turnZ}) c.elements.push_back({turn, {}, {}, {}});
          continue;
        }
        if (m == Motion::curve && !j.curve) {
          error_ = {"curve", j.name,
                    fmt::format("joint {}: its curve isn't known; check the body and its edges", j.name)};
          return false;
        }
        if (m == Motion::surface && !j.surface) {
          error_ = {"surface", j.name,
                    fmt::format("joint {}: the face of its surface isn't known; check its body and face", j.name)};
          return false;
        }
        c.elements.push_back({m, m == Motion::curve ? j.curve : nullptr, nullptr, j.surface});
      }
      s_.jointOf[i] = static_cast<int>(s_.joints.size());
      s_.joints.push_back(std::move(c));
    }
    return true;
  }

  /// A contact is a joint of its own: the parameter of the contact, and all motions that it leaves free.
  bool makePairs() {
    for (std::size_t i = 0; i < r_.camPairs.size(); ++i) {
      const auto& p = r_.camPairs[i];
      if (!p.enabled) continue;
      if (!p.cam || (p.kind == model::ContactKind::rolling && !p.follower)) {
        error_ = {"curve", p.name,
                  fmt::format("cam pair {}: its curve isn't known; check the body and its edges", p.name)};
        return false;
      }
      System::Joint c;
      c.source = -1;
      c.pair = static_cast<int>(i);
      c.nodeA = s_.nodeOfLink[u(p.camLink)];
      c.nodeB = s_.nodeOfLink[u(p.followerLink)];
      if (c.nodeA == c.nodeB) {
        error_ = {"same-link", p.name, fmt::format("cam pair {}: cam and follower can't move apart", p.name)};
        return false;
      }
      c.atA = s_.linkInNode[u(p.camLink)] * p.camSeat;
      c.atB = s_.linkInNode[u(p.followerLink)] * p.followerSeat;
      const auto element = [&](Motion m) { c.elements.push_back({m, nullptr, nullptr, nullptr}); };
      if (p.kind == model::ContactKind::rolling) {
        c.elements.push_back({Motion::rolling, p.cam, rolling(c, p), nullptr});
        element(Motion::slideZ);
        element(Motion::turnX);
        element(Motion::turnY);
      } else if (p.kind == model::ContactKind::flat) {
        // the second frame's y points from the flat to the left of the cam's curve
        Mat3 turn;
        const double side = p.cam->windingSign() * (p.inside ? -1 : 1);
        turn.col(0) = Vec3::UnitX();
        turn.col(1) = side * Vec3::UnitZ();
        turn.col(2) = -side * Vec3::UnitY();
        c.atB = c.atB * Pose{turn, Vec3::Zero()};
        c.elements.push_back({Motion::contactFrame, p.cam, nullptr, nullptr});
        for (Motion m : {Motion::slideX, Motion::slideZ, Motion::turnX, Motion::turnY}) element(m);
      } else {
        const double left = -p.cam->windingSign() * (p.inside ? -1 : 1) * p.radius;
        c.elements.push_back(
            {Motion::curve, p.radius > 0 && p.cam->planar() ? curves::offset(p.cam, left) : p.cam, nullptr, nullptr});
        if (p.cam->planar()) element(Motion::slideZ);
        element(Motion::ball);
      }
      s_.joints.push_back(std::move(c));
    }
    return true;
  }
  bool makeDriven() {
    s_.drivenDof.assign(r_.drives.size(), -1);
    for (std::size_t d = 0; d < r_.drives.size(); ++d) {
      if (!r_.drives[d].enabled || r_.drives[d].gauge < 0) continue;
      System::Joint c;
      c.source = -1;
      c.drive = static_cast<int>(d);
      int linkA = 0, linkB = 0;
      const auto value = drivenJoint(r_, c.drive, c, linkA, linkB);
      if (!value.ok()) return error_ = value.error(), false;
      c.nodeA = s_.nodeOfLink[u(linkA)];
      c.nodeB = s_.nodeOfLink[u(linkB)];
      if (c.nodeA == c.nodeB) {
        error_ = {"same-link", r_.drives[d].name,
                  fmt::format("drive {}: the two links of its gauge can't move apart", r_.drives[d].name)};
        return false;
      }
      c.atA = s_.linkInNode[u(linkA)] * c.atA;
      c.atB = s_.linkInNode[u(linkB)] * c.atB;
      s_.drivenDof[d] = *value;  // among the joint's, until dofs are numbered
      s_.joints.push_back(std::move(c));
    }
    return true;
  }
  void measureDrive(int d) {
    for (const System::Joint& j : s_.joints)
      if (j.drive == d) {
        const Pose J = (s_.nodeStart[u(j.nodeA)] * j.atA).inverse() * (s_.nodeStart[u(j.nodeB)] * j.atB);
        measureDriven(r_.gauges[u(r_.drives[u(d)].gauge)], J, s_.start.q.data() + j.firstDof,
                      j.ball >= 0 ? &s_.start.balls[u(j.ball)] : nullptr);
      }
  }
  /// Newton on what holds at a contact: tangents parallel, and no shift along them.
  static void polish(const curves::Curve& one, const curves::Curve& two, const Pose& toOne, double& u, double& w) {
    for (int k = 0; k < 30; ++k) {
      const auto a = one.at(u), b = two.at(w);
      const Vec3 t = a[1].normalized(), gap = a[0] - toOne * b[0];
      const Vec3 b1 = toOne.R * b[1], b2 = toOne.R * b[2];
      const Vec3 tu = (a[2] - a[2].dot(t) * t) / a[1].norm();
      const Vec3 n = b1.normalized(), nw = (b2 - b2.dot(n) * n) / b1.norm();
      Eigen::Matrix2d J;
      J << a[1].dot(t) + gap.dot(tu), -b1.dot(t), tu.cross(n).z(), t.cross(nw).z();
      const Eigen::Vector2d f(gap.dot(t), t.cross(n).z());
      const double det = J.determinant();
      if (!(std::abs(det) > 1e-300)) return;
      const double du = (J(1, 1) * f[0] - J(0, 1) * f[1]) / det, dw = (J(0, 0) * f[1] - J(1, 0) * f[0]) / det;
      const double most = 0.1 * std::max(one.high() - one.low(), two.high() - two.low());
      if (!(std::abs(du) < most) || !(std::abs(dw) < most)) return;
      u -= du;
      w -= dw;
      if (std::abs(du) + std::abs(dw) < 1e-15) return;
    }
  }
  /// Both curves' places at the contact: the closest approach where the links are placed.
  std::shared_ptr<const curves::Rolling> rolling(const System::Joint& c, const Resolved::CamPairR& p) const {
    const Pose toFirst = (s_.nodeStart[u(c.nodeA)] * c.atA).inverse() * (s_.nodeStart[u(c.nodeB)] * c.atB);
    const Pose toSecond = toFirst.inverse();
    double u = 0, w = 0, least = 1e300;
    for (int k = 0; k < 24; ++k) {  // from many starts, as curves may be hollow
      double a = p.cam->low() + (p.cam->high() - p.cam->low()) * (k + 0.5) / 24, b = 0;
      for (int pass = 0; pass < 40; ++pass) {
        b = p.follower->nearest(toSecond * p.cam->at(a)[0]);
        const double next = p.cam->nearest(toFirst * p.follower->at(b)[0]);
        if (std::abs(next - a) < 1e-14) break;
        a = next;
      }
      polish(*p.cam, *p.follower, toFirst, a, b);
      const double gap = (p.cam->at(a)[0] - toFirst * p.follower->at(b)[0]).norm();
      if (gap < least) {
        least = gap;
        u = a;
        w = b;
      }
    }
    const double sign = p.cam->at(u)[1].dot(toFirst.R * p.follower->at(w)[1]) > 0 ? 1 : -1;
    return std::make_shared<curves::Rolling>(p.cam, p.follower, u, w, sign);
  }

  /// Breadth first from ground, so that loops stay short; contacts join in where no joint leads on; a group that
  /// nothing ties to ground gets a free joint.
  void makeTree() {
    std::vector<std::vector<int>> of(u(s_.nodeCount));
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      if (s_.joints[i].drive >= 0) continue;  // measures, and holds nothing
      of[u(s_.joints[i].nodeA)].push_back(static_cast<int>(i));
      of[u(s_.joints[i].nodeB)].push_back(static_cast<int>(i));
    }
    std::vector<bool> reached(u(s_.nodeCount), false);
    std::vector<int> queue;
    std::size_t walked[2] = {0, 0};
    const auto step = [&](int node, bool pairs) {
      for (int i : of[u(node)]) {
        System::Joint& j = s_.joints[u(i)];
        if (j.inTree || (j.pair >= 0) != pairs) continue;
        const bool forward = j.nodeA == node;
        const int child = forward ? j.nodeB : j.nodeA;
        if (reached[u(child)]) continue;
        reached[u(child)] = true;
        j.inTree = true;
        j.forward = forward;
        s_.treeOrder.push_back(i);
        queue.push_back(child);
        if (pairs) return true;
      }
      return false;
    };
    const auto grow = [&](int from) {
      reached[u(from)] = true;
      queue.push_back(from);
      while (true) {
        if (walked[0] < queue.size()) {
          step(queue[walked[0]++], false);
        } else if (walked[1] < queue.size()) {
          if (!step(queue[walked[1]], true)) ++walked[1];
        } else {
          break;
        }
      }
    };
    grow(0);
    std::vector<int> byWeight(r_.links.size());
    std::iota(byWeight.begin(), byWeight.end(), 0);
    const auto weight = [&](int i) { return r_.links[u(i)].bodies.size() + 2 * r_.links[u(i)].seats.size(); };
    std::stable_sort(byWeight.begin(), byWeight.end(), [&](int a, int b) { return weight(a) > weight(b); });
    for (int i : byWeight) {
      if (reached[u(s_.nodeOfLink[u(i)])]) continue;
      const std::vector<bool> before = reached;
      addFreeJoint(i);
      grow(s_.nodeOfLink[u(i)]);
      tellFloating(i, before, reached);
    }
    s_.upJoint.assign(u(s_.nodeCount), -1);
    for (int t : s_.treeOrder)
      s_.upJoint[u(s_.joints[u(t)].forward ? s_.joints[u(t)].nodeB : s_.joints[u(t)].nodeA)] = t;
  }
  void addFreeJoint(int linkIndex) {
    System::Joint j;
    j.source = -1;
    j.nodeA = 0;
    j.nodeB = s_.nodeOfLink[u(linkIndex)];
    for (Motion m : {Motion::slideX, Motion::slideY, Motion::slideZ, Motion::ball})
      j.elements.push_back({m, nullptr, nullptr, nullptr});
    j.inTree = true;
    s_.floating.push_back(static_cast<int>(s_.joints.size()));
    s_.floatLinks.push_back(linkIndex);
    s_.treeOrder.push_back(static_cast<int>(s_.joints.size()));
    s_.joints.push_back(std::move(j));
  }
  /// All links of a group with no way to ground, by name; the first stands for it.
  template <class Reached>
  void tellFloating(int first, const Reached& before, const Reached& now) {
    std::vector<std::string> names{link(first).name};
    std::string others;
    for (std::size_t l = 0; l < r_.links.size(); ++l) {
      const std::size_t node = u(s_.nodeOfLink[l]);
      if (before[node] || !now[node] || static_cast<int>(l) == first) continue;
      names.push_back(r_.links[l].name);
      others += (others.empty() ? "" : ", ") + r_.links[l].name;
    }
    s_.messages.push_back(
        {Severity::warning, "no-ground", names,
         others.empty() ? fmt::format("link {}: no joint ties it to ground; it is held where it stands", names[0])
                        : fmt::format("links {}, {}: no joint ties them to ground; {} is held where it stands",
                                      names[0], others, names[0])});
  }

  void orderDofs() {
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      System::Joint& j = s_.joints[i];
      j.firstDof = static_cast<int>(s_.dofs.size());
      for (const Element& e : j.elements) {
        const int joint = static_cast<int>(i);
        if (e.motion == Motion::ball) {
          j.ball = s_.ballCount++;
          j.ballAt = static_cast<int>(s_.dofs.size()) - j.firstDof;
        }
        for (int k = 0; k < dofsOf(e.motion); ++k)
          s_.dofs.push_back(
              {e.motion, joint, e.motion == Motion::ball ? j.ball : -1, isTurn(e.motion) ? 1.0 : s_.size});
      }
      j.dofs = static_cast<int>(s_.dofs.size()) - j.firstDof;
      if (j.drive >= 0) s_.drivenDof[u(j.drive)] += j.firstDof;
    }
  }

  void makeLoops() {
    std::vector<int> depth(u(s_.nodeCount), 0);
    for (int t : s_.treeOrder) {
      const System::Joint& j = s_.joints[u(t)];
      depth[u(j.forward ? j.nodeB : j.nodeA)] = depth[u(j.forward ? j.nodeA : j.nodeB)] + 1;
    }
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      const System::Joint& closing = s_.joints[i];
      if (closing.inTree) continue;
      System::Loop loop;
      loop.joint = static_cast<int>(i);
      int a = closing.nodeA, b = closing.nodeB;
      const auto climb = [&](int& node, std::vector<int>& path) {
        path.push_back(s_.upJoint[u(node)]);
        const System::Joint& j = s_.joints[u(path.back())];
        node = j.forward ? j.nodeA : j.nodeB;
      };
      while (a != b) {
        if (depth[u(a)] >= depth[u(b)])
          climb(a, loop.pathA);
        else
          climb(b, loop.pathB);
      }
      loop.apex = a;
      std::reverse(loop.pathA.begin(), loop.pathA.end());
      std::reverse(loop.pathB.begin(), loop.pathB.end());
      const auto add = [&](int joint, double side) {
        const System::Joint& j = s_.joints[u(joint)];
        for (int d = 0; d < j.dofs; ++d) loop.members.push_back({j.firstDof + d, j.forward ? side : -side});
      };
      for (int j : loop.pathA) add(j, 1);
      for (int j : loop.pathB) add(j, -1);
      add(loop.joint, 1);
      s_.loops.push_back(std::move(loop));
    }
  }

  bool makeScalarRows() {
    for (std::size_t i = 0; i < s_.joints.size(); ++i) {
      const System::Joint& j = s_.joints[i];
      if (j.source < 0) continue;
      const auto& source = r_.joints[u(j.source)];
      if (source.kind != JointKind::screw) continue;
      System::ScalarRow row;
      row.dofs = {j.firstDof, j.firstDof + 1};
      row.coefficients = {source.lead / (2 * kPi), -1};
      row.coupling = -1;
      row.joint = static_cast<int>(i);
      finishRow(std::move(row));
    }
    for (std::size_t i = 0; i < r_.couplings.size(); ++i) {
      const auto& c = r_.couplings[i];
      if (!c.enabled) continue;
      System::ScalarRow row;
      row.coupling = static_cast<int>(i);
      row.joint = -1;
      row.table = c.table;
      row.formula = c.formula;
      bool whole = true;
      const auto dofOf = [&](const Resolved::ValueRef& v) {
        if (v.joint < 0) return -1;                         // a gear that stands still
        if (!r_.joints[u(v.joint)].enabled) whole = false;  // with the joint switched off, the coupling rests too
        return s_.dofOf(v);
      };
      for (std::size_t k = 0; k < c.values.size(); ++k) {
        const int dof = dofOf(c.values[k]);
        if (dof < 0) {
          if (row.table) whole = false;
          continue;
        }
        const auto known = std::find(row.dofs.begin(), row.dofs.end(), dof);
        const double coefficient = k < c.coefficients.size() ? c.coefficients[k] : 1;
        if (known != row.dofs.end() && !row.absolute()) {  // the same value twice: one term
          row.coefficients[static_cast<std::size_t>(known - row.dofs.begin())] += coefficient;
          continue;
        }
        row.dofs.push_back(dof);
        row.coefficients.push_back(coefficient);
      }
      if (row.table && row.dofs.size() == 2 && row.dofs[0] == row.dofs[1]) {
        error_ = {"cycle", c.name, fmt::format("coupling {}: it couples a value with itself", c.name)};
        return false;
      }
      if (c.formula)
        for (const auto& [symbol, v] : c.formula->values) {
          const int dof = dofOf(v);
          row.names.emplace_back(symbol, dof);
          if (dof >= 0 && std::find(row.dofs.begin(), row.dofs.end(), dof) == row.dofs.end()) row.dofs.push_back(dof);
        }
      if (whole && !row.dofs.empty()) finishRow(std::move(row));
    }
    return true;
  }
  void finishRow(System::ScalarRow row) {
    row.scale = 0;
    if (row.absolute())
      row.scale = s_.dofs[u(row.dofs[row.table ? 1 : 0])].scale;
    else
      for (std::size_t k = 0; k < row.dofs.size(); ++k)
        row.scale = std::max(row.scale, std::abs(row.coefficients[k] * s_.dofs[u(row.dofs[k])].scale));
    if (row.scale > 0) s_.scalars.push_back(std::move(row));
  }

  const Resolved& r_;
  System s_;
  Error error_;
  std::vector<int> parent_;
  std::vector<Pose> relative_;
};
}  // namespace

Result<System> System::compile(const Resolved& resolved) { return Compiler(resolved).run(); }

namespace {

/// Reads the values of a joint's motions from the placement of its second frame in its first.
void measureJoint(System& s, const System::Joint& j, Pose J) {
  double* q = s.start.q.data() + j.firstDof;
  for (std::size_t k = 0; k < j.elements.size(); ++k) {
    const Element& e = j.elements[k];
    const auto next = [&](std::size_t n) {
      return k + n < j.elements.size() ? j.elements[k + n].motion : Motion::ball;
    };
    switch (e.motion) {
      case Motion::turnX:
        if (next(1) == Motion::turnY && next(2) == Motion::turnZ) {
          const Vec3 a = ballAngles(J.R);
          for (int i = 0; i < 3; ++i) q[i] = a[i];
          return;
        }
        q[0] = std::atan2(J.R(2, 1), J.R(1, 1));  // before a turn about y: column 1 is that of Rx
        break;
      case Motion::turnY: q[0] = std::atan2(J.R(0, 2), J.R(0, 0)); break;
      case Motion::turnZ: q[0] = std::atan2(J.R(1, 0) - J.R(0, 1), J.R(0, 0) + J.R(1, 1)); break;
      case Motion::slideX: q[0] = J.p.x(); break;
      case Motion::slideY: q[0] = J.p.y(); break;
      case Motion::slideZ: q[0] = J.p.z(); break;
      case Motion::ball: s.start.balls[u(j.ball)] = J.R; break;
      case Motion::curve: q[0] = e.curve->nearest(J.p); break;
      case Motion::contactFrame: q[0] = e.curve->farthest(-J.R.col(1) * e.curve->windingSign()); break;
      case Motion::rolling: q[0] = e.rolling->start(); break;
      case Motion::surface: std::tie(q[0], q[1]) = e.surface->nearest(J.p); break;
    }
    Twist twist[3];
    twistsOf(e, q, twist);
    for (int d = 0; d < dofsOf(e.motion); ++d) {  // a step of a parameter is one of `size` along the curve
      double& scale = s.dofs[u(static_cast<int>(q - s.start.q.data()) + d)].scale;
      if (e.motion >= Motion::curve) scale = s.size / std::max(twist[d].v.norm(), 1e-9 * s.size);
    }
    if (e.motion == Motion::ball) return;
    J = elementary(e, q, Mat3::Identity()).inverse() * J;
    q += dofsOf(e.motion);
  }
}

}  // namespace

void measureStart(System& s) {
  s.start.q.assign(s.dofs.size(), 0);
  s.start.balls.assign(u(s.ballCount), Mat3::Identity());
  for (const System::Joint& j : s.joints)
    measureJoint(s, j, (s.nodeStart[u(j.nodeA)] * j.atA).inverse() * (s.nodeStart[u(j.nodeB)] * j.atB));
}

}  // namespace cooperage::kinematics
