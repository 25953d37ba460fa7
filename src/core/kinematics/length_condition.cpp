// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/length_condition.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::kinematics {

using model::JointKind;
using model::Resolved;

namespace {

using Vec2 = Eigen::Vector2d;

/// A planar mechanism seen along its normal.
class Loops {
 public:
  Loops(const Resolved& r, const std::vector<Pose>& poses) : r_(r), poses_(poses) {
    const Vec3 n = (poses[0].R * r.normals[0]).normalized();
    basis_.col(2) = n;
    basis_.col(0) = anyPerpendicular(n);
    basis_.col(1) = n.cross(basis_.col(0));
  }

  std::vector<LengthCondition> find() {
    for (std::size_t i = 0; i < r_.joints.size(); ++i)
      if (turns(i) && isGround(r_.joints[i].linkA) != isGround(r_.joints[i].linkB)) from(i);
    return std::move(out_);
  }

 private:
  bool isGround(int link) const { return r_.links[u(link)].ground; }
  bool turns(std::size_t j) const { return r_.joints[j].enabled && r_.joints[j].kind == JointKind::revolute; }
  Vec2 at(std::size_t j) const {
    const auto& x = r_.joints[j];
    return (basis_.transpose() * (poses_[u(x.linkA)] * x.seatA.p)).head<2>();
  }
  int other(std::size_t j, int link) const {
    const auto& x = r_.joints[j];
    return x.linkA == link ? x.linkB : x.linkB == link ? x.linkA : -1;
  }

  /// All chains of three more joints from the moving link back to ground.
  void from(std::size_t j1) {
    const auto& first = r_.joints[j1];
    const int a = isGround(first.linkA) ? first.linkB : first.linkA;
    for (std::size_t j2 = 0; j2 < r_.joints.size(); ++j2) {
      if (j2 == j1 || !turns(j2)) continue;
      const int b = other(j2, a);
      if (b < 0 || isGround(b) || b == a) continue;
      for (std::size_t j3 = 0; j3 < r_.joints.size(); ++j3) {
        if (j3 == j2 || !turns(j3)) continue;
        const int c = other(j3, b);
        if (c < 0 || isGround(c) || c == a || c == b) continue;
        for (std::size_t j4 = 0; j4 < r_.joints.size(); ++j4) {
          if (j4 == j3 || j4 == j1 || !r_.joints[j4].enabled) continue;
          const int ground = other(j4, c);
          if (ground < 0 || !isGround(ground)) continue;
          if (turns(j4)) fourBar(j1, j2, j3, j4, {a, b, c});
          if (r_.joints[j4].kind == JointKind::prismatic) sliderCrank(j1, j2, j3, j4, {a, b, c});
        }
      }
    }
  }

  LengthCondition& add(std::size_t j1, const std::array<int, 3>& links) {
    LengthCondition& c = out_.emplace_back();
    c.link = r_.links[u(links[0])].id;
    c.joint = r_.joints[j1].id;
    for (const int l : links) c.loop.push_back(r_.links[u(l)].id);
    return c;
  }
  /// The joint's value at a direction of its link, from the value and the direction in the pose that is known.
  void between(LengthCondition& c, std::size_t j1, double now, double low, double high) const {
    const auto& j = r_.joints[j1];
    const Pose first = poses_[u(j.linkA)] * j.seatA * j.offset;
    const Pose second = poses_[u(j.linkB)] * j.seatB;
    const Mat3 R = first.R.transpose() * second.R;
    const double value = std::atan2(R(1, 0), R(0, 0));  // turned over or not
    // the value rises with the direction where the joint's axis points as the plane's normal and the link is its second
    const double sense = (first.R.col(2).dot(basis_.col(2)) > 0 ? 1 : -1) * (isGround(j.linkA) ? 1 : -1);
    const double one = value + sense * (low - now), two = value + sense * (high - now);
    c.low = std::min(one, two);
    c.high = std::max(one, two);
  }

  void fourBar(std::size_t j1, std::size_t j2, std::size_t j3, std::size_t j4, const std::array<int, 3>& links) {
    const Vec2 o = at(j1), p = at(j2), q = at(j3), g = at(j4);
    const double a = (p - o).norm(), b = (q - p).norm(), c = (g - q).norm(), d = (g - o).norm();
    const double far = b + c, near = std::abs(b - c);
    LengthCondition& out = add(j1, links);
    out.full = std::abs(a - d) >= near && a + d <= far;
    if (out.full || a == 0 || d == 0) return;
    // its pin must lie between the circles about the other ground pivot that the two other links can reach
    const auto angle = [&](double reach) {
      return std::acos(std::clamp((a * a + d * d - reach * reach) / (2 * a * d), -1.0, 1.0));
    };
    const double least = a - d > near || d - a > near ? 0 : angle(near), most = a + d <= far ? kPi : angle(far);
    const Vec2 base = g - o, arm = p - o;
    const double now = std::atan2(base.x() * arm.y() - base.y() * arm.x(), base.dot(arm));
    if (least == 0)
      between(out, j1, now, -most, most);
    else if (most == kPi)
      between(out, j1, now < 0 ? now + 2 * kPi : now, least, 2 * kPi - least);
    else if (now >= 0)
      between(out, j1, now, least, most);
    else
      between(out, j1, now, -most, -least);
  }

  void sliderCrank(std::size_t j1, std::size_t j2, std::size_t j3, std::size_t j4, const std::array<int, 3>& links) {
    const auto& slide = r_.joints[j4];
    const Vec2 way = (basis_.transpose() * ((poses_[u(slide.linkA)] * slide.seatA).R.col(2))).head<2>().normalized();
    const Vec2 up(-way.y(), way.x());
    const Vec2 o = at(j1), p = at(j2), q = at(j3);
    const double a = (p - o).norm(), b = (q - p).norm(), e = up.dot(q - o);
    LengthCondition& out = add(j1, links);
    out.full = b >= a + std::abs(e);
    if (out.full || a == 0) return;
    // the pin's height over the guide's line is at most the rod's length
    const double high = std::asin(std::clamp((e + b) / a, -1.0, 1.0)),
                 low = std::asin(std::clamp((e - b) / a, -1.0, 1.0));
    double now = std::atan2(up.dot(p - o), way.dot(p - o));
    const bool above = e + b >= a, below = e - b <= -a;
    if (above && !below) {  // over the top, from one side to the other
      if (now < low && now < -kPi / 2) now += 2 * kPi;
      between(out, j1, now, low, kPi - low);
    } else if (below && !above) {
      if (now > high && now > kPi / 2) now -= 2 * kPi;
      between(out, j1, now, -kPi - high, high);
    } else if (std::abs(now) <= kPi / 2) {
      between(out, j1, now, low, high);
    } else {
      if (now < 0) now += 2 * kPi;
      between(out, j1, now, kPi - high, kPi - low);
    }
  }

  const Resolved& r_;
  const std::vector<Pose>& poses_;
  Mat3 basis_;
  std::vector<LengthCondition> out_;
};

}  // namespace

std::vector<LengthCondition> lengthConditions(const Resolved& r, const std::vector<Pose>& poses) {
  if (r.normals.empty() || poses.size() != r.links.size()) return {};
  return Loops(r, poses).find();
}

}  // namespace cooperage::kinematics
