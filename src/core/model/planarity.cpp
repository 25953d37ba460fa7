// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/planarity.h"

#include "base/index.h"

namespace cooperage::model {
namespace {

constexpr double kParallelAxes = 1e-9;  // rad

bool turnsInPlane(JointKind kind) {
  return kind == JointKind::revolute || kind == JointKind::planar || kind == JointKind::pinSlot;
}

/// Rotation from the axes of a joint's second seat to those of its first where its values are zero.
Mat3 betweenSeats(const Resolved::JointR& j) { return j.flip ? Mat3(j.offset.R * rotationAbout(0, kPi)) : j.offset.R; }

/// Whether a joint keeps a plane with this normal, in the axes of its first seat.
bool keepsPlane(JointKind kind, const Vec3& normal) {
  if (kind == JointKind::fixed) return true;
  if (kind == JointKind::prismatic) return std::abs(normal.z()) <= kParallelAxes;
  return turnsInPlane(kind) && normal.head<2>().norm() <= kParallelAxes;
}

class Plane {
 public:
  explicit Plane(const Resolved& r) : r_(r), normals_(r.links.size(), Vec3::Zero()) {}

  std::vector<Vec3> find() {
    if (!begin()) return {};
    for (bool grown = true; grown;) {
      grown = false;
      for (const auto& j : r_.joints)
        if (j.enabled && !across(j, grown)) return {};
    }
    for (const Vec3& n : normals_)
      if (n.squaredNorm() == 0) return {};
    for (const auto& p : r_.camPairs)
      if (p.enabled &&
          (!liesIn(p.camLink, p.camSeat) || (p.kind != ContactKind::flat && p.kind != ContactKind::point &&
                                             p.kind != ContactKind::roller && !liesIn(p.followerLink, p.followerSeat))))
        return {};
    return std::move(normals_);
  }

 private:
  bool liesIn(int link, const Pose& seat) const {
    return seat.R.col(2).cross(normals_[u(link)]).norm() <= kParallelAxes;
  }
  /// The first turn gives the plane.
  bool begin() {
    for (const auto& j : r_.joints)
      if (j.enabled && turnsInPlane(j.kind)) {
        normals_[u(j.linkA)] = j.seatA.R.col(2);
        return spreadGround(j.linkA);
      }
    return false;
  }
  /// All grounded links stand still against one another.
  bool spreadGround(int link) {
    if (!r_.links[u(link)].ground) return true;
    const Vec3 inGround = r_.links[u(link)].placement.R * normals_[u(link)];
    for (std::size_t i = 0; i < r_.links.size(); ++i) {
      if (!r_.links[i].ground) continue;
      const Vec3 own = r_.links[i].placement.R.transpose() * inGround;
      if (normals_[i].squaredNorm() == 0)
        normals_[i] = own;
      else if (own.cross(normals_[i]).norm() > kParallelAxes)
        return false;
    }
    return true;
  }
  /// Carries the normal over a joint, either way. @return false if the joint leaves the plane
  bool across(const Resolved::JointR& j, bool& grown) {
    const bool a = normals_[u(j.linkA)].squaredNorm() > 0, b = normals_[u(j.linkB)].squaredNorm() > 0;
    if (!a && !b) return true;
    const Mat3 between = betweenSeats(j);
    const Vec3 inFirst = a ? Vec3(j.seatA.R.transpose() * normals_[u(j.linkA)])
                           : Vec3(between * (j.seatB.R.transpose() * normals_[u(j.linkB)]));
    if (!keepsPlane(j.kind, inFirst)) return false;
    const Vec3 second = j.seatB.R * (between.transpose() * inFirst);
    if (a && b) return second.cross(normals_[u(j.linkB)]).norm() <= kParallelAxes;
    grown = true;
    const int fresh = a ? j.linkB : j.linkA;
    normals_[u(fresh)] = a ? second : Vec3(j.seatA.R * inFirst);
    return spreadGround(fresh);
  }

  const Resolved& r_;
  std::vector<Vec3> normals_;
};

}  // namespace

std::vector<Vec3> planeNormals(const Resolved& r) { return Plane(r).find(); }

}  // namespace cooperage::model
