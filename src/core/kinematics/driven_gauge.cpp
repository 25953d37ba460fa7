// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/driven_gauge.h"
#include "base/index.h"

#include <fmt/format.h>

#include <cmath>

namespace cooperage::kinematics {

using model::Motion;
using model::Resolved;

namespace {

/// Axes with a given x and a z as near as can be to a direction.
Mat3 axesXZ(const Vec3& x, const Vec3& nearZ) {
  const Vec3 ex = x.normalized(), ez = (nearZ - nearZ.dot(ex) * ex).normalized();
  Mat3 R;
  R << ex, ez.cross(ex), ez;
  return R;
}
Vec3 across(const Vec3& v) { return v.unitOrthogonal(); }

}  // namespace

Result<int> drivenJoint(const Resolved& r, int drive, System::Joint& joint, int& linkA, int& linkB) {
  const auto& d = r.drives[u(drive)];
  const auto& g = r.gauges[u(d.gauge)];
  linkA = g.seats[0].first;
  linkB = g.seats[1].first;
  const auto frame = [&](const std::pair<int, int>& s) { return r.links[u(s.first)].seats[u(s.second)].frame; };
  const auto placed = [&](int link) { return r.links[u(link)].placement; };
  Pose a = frame(g.seats[0]), b = frame(g.seats[1]);
  const auto chain = [&](std::initializer_list<Motion> motions) {
    for (Motion m : motions) joint.elements.push_back({m, nullptr, nullptr, nullptr});
  };
  const auto none = [&](const char* why) {
    return Error{"drive", d.name, fmt::format("drive {}: its gauge {} {}", d.name, g.name, why)};
  };
  int value = 2;
  const auto aboutAxis = [&] { chain({Motion::slideZ, Motion::turnZ, Motion::slideX, Motion::ball}); };
  if (g.inPlane) {
    const Vec3 z = r.normals[u(linkA)];
    const Vec3 way = placed(linkA).inverse() * (placed(linkB) * b.p) - a.p;
    if (way.cross(z).norm() < 1e-9) return none("is zero where the links are placed: move one of the two points");
    a.R = axesXZ(across(z), z);
    aboutAxis();
  } else if (g.kind == model::GaugeKind::distance) {
    const Vec3 way = placed(linkA).inverse() * (placed(linkB) * b.p) - a.p;
    if (way.norm() < 1e-9) return none("is zero where the links are placed: move one of the two points");
    Vec3 x = a.R.col(2);
    if (x.cross(way.normalized()).norm() < 0.2) x = across(way);
    a.R = axesXZ(x, way);
    chain({Motion::turnX, Motion::turnY, Motion::slideZ, Motion::ball});
  } else if (g.kind == model::GaugeKind::distancePlane) {
    chain({Motion::slideX, Motion::slideY, Motion::slideZ, Motion::ball});
  } else if (g.kind == model::GaugeKind::distanceAxis) {
    const Vec3 way = a.inverse() * (placed(linkA).inverse() * (placed(linkB) * b.p));
    if (std::hypot(way.x(), way.y()) < 1e-9) return none("is zero where the links are placed: move one of the two");
    aboutAxis();
  } else if (g.about) {
    Vec3 z = frame(*g.about).R.col(2);
    Vec3 first = a.R.col(2), second = b.R.col(2);
    if (g.about->first != linkA) {  // counted in the second link, about the axis turned round: the same angle
      std::swap(linkA, linkB);
      std::swap(a, b);
      std::swap(first, second);
      z = -z;
    }
    const Vec3 seen = placed(linkA).R.transpose() * (placed(linkB).R * second);
    if (first.cross(z).norm() < 1e-6 || seen.cross(z).norm() < 1e-6)
      return none("has no value: one of its directions lies along the axis that it turns about");
    Mat3 Ra;
    Ra.col(2) = z;
    Ra.col(0) = (first - first.dot(z) * z).normalized();
    Ra.col(1) = z.cross(Ra.col(0));
    a.R = Ra;
    b.R = axesXZ(second, across(second));
    chain({Motion::slideX, Motion::slideY, Motion::slideZ, Motion::turnZ, Motion::turnY, Motion::turnX});
    value = 3;
  } else {
    const Vec3 one = placed(linkA).R * a.R.col(2), two = placed(linkB).R * b.R.col(2);
    if (one.cross(two).norm() < 1e-6)
      return none("has no direction to turn in: its axes are parallel; give it a seat to turn about");
    chain({Motion::slideX, Motion::slideY, Motion::slideZ, Motion::turnZ, Motion::turnY, Motion::turnZ});
    value = 4;
  }
  joint.atA = a;
  joint.atB = b;
  return value;
}

void measureDriven(const Resolved::GaugeR& g, const Pose& J, double* q, Mat3* ball) {
  const Vec3& p = J.p;
  const Mat3& R = J.R;
  if (g.kind == model::GaugeKind::distance && !g.inPlane) {
    q[0] = std::atan2(-p.y(), p.z());
    q[1] = std::atan2(p.x(), std::hypot(p.y(), p.z()));
    q[2] = p.norm();
    *ball = (rotationAbout(0, q[0]) * rotationAbout(1, q[1])).transpose() * R;
  } else if (g.kind == model::GaugeKind::distancePlane) {
    for (int i = 0; i < 3; ++i) q[i] = p[i];
    *ball = R;
  } else if (g.kind == model::GaugeKind::distanceAxis || g.inPlane) {
    q[0] = p.z();
    q[1] = std::atan2(p.y(), p.x());
    q[2] = std::hypot(p.x(), p.y());
    *ball = rotationAbout(2, q[1]).transpose() * R;
  } else {
    for (int i = 0; i < 3; ++i) q[i] = p[i];
    if (g.about) {
      q[3] = std::atan2(R(1, 0), R(0, 0));
      q[4] = std::atan2(-R(2, 0), std::hypot(R(0, 0), R(1, 0)));
      q[5] = std::atan2(R(2, 1), R(2, 2));
    } else {
      q[3] = std::atan2(R(1, 2), R(0, 2));
      q[4] = std::atan2(std::hypot(R(0, 2), R(1, 2)), R(2, 2));
      q[5] = std::atan2(R(2, 1), -R(2, 0));
    }
  }
}

}  // namespace cooperage::kinematics
