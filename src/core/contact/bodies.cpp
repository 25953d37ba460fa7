// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/bodies.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>

#include "base/index.h"
#include "model/joint_kind.h"

namespace cooperage::contact {

using model::JointKind;
using model::Resolved;

namespace {

constexpr double kParallel = 1e-9;
constexpr double kAslant = 0.2;  // of a body's height, that may have no outline: fillets, chamfers

bool turns(JointKind kind) {
  return kind == JointKind::revolute || kind == JointKind::pinSlot || kind == JointKind::planar;
}

/// Does a joint keep a plane with this normal, in the axes of its first seat?
bool keeps(JointKind kind, const Vec3& normal) {
  switch (kind) {
    case JointKind::fixed: return true;
    case JointKind::prismatic: return std::abs(normal.z()) < kParallel;
    default: return turns(kind) && normal.head<2>().norm() < kParallel;
  }
}

struct Step {
  int joint;  ///< -1: both links are grounded
  int from, to;
};
/// Joints from one link to another, the fewest; none if nothing leads there.
std::optional<std::vector<Step>> pathBetween(const Resolved& r, int from, int to) {
  std::vector<std::optional<Step>> by(r.links.size());
  std::deque<int> queue{from};
  by[u(from)] = Step{-1, -1, from};
  const auto reach = [&](int joint, int at, int link) {
    if (by[u(link)]) return;
    by[u(link)] = Step{joint, at, link};
    queue.push_back(link);
  };
  while (!queue.empty()) {
    const int at = queue.front();
    queue.pop_front();
    for (std::size_t l = 0; l < r.links.size() && r.links[u(at)].ground; ++l)
      if (r.links[l].ground) reach(-1, at, static_cast<int>(l));
    for (std::size_t j = 0; j < r.joints.size(); ++j) {
      const auto& joint = r.joints[j];
      if (!joint.enabled) continue;
      if (joint.linkA == at) reach(static_cast<int>(j), at, joint.linkB);
      if (joint.linkB == at) reach(static_cast<int>(j), at, joint.linkA);
    }
  }
  if (!by[u(to)]) return std::nullopt;
  std::vector<Step> out;
  for (int at = to; at != from; at = by[u(at)]->from) out.push_back(*by[u(at)]);
  std::reverse(out.begin(), out.end());
  return out;
}

/// A normal of the first link in the axes of the last, if all joints on the way keep the plane.
std::optional<Vec3> carried(const Resolved& r, const std::vector<Step>& path, Vec3 n) {
  for (const Step& s : path) {
    if (s.joint < 0) {
      n = r.links[u(s.to)].placement.R.transpose() * (r.links[u(s.from)].placement.R * n);
      continue;
    }
    const auto& j = r.joints[u(s.joint)];
    const bool forward = j.linkA == s.from;
    // from the axes of the second seat to those of the first where the values are zero
    const Mat3 between = j.flip ? Mat3(j.offset.R * rotationAbout(0, kPi)) : j.offset.R;
    const Vec3 first = forward ? Vec3(j.seatA.R.transpose() * n) : Vec3(between * (j.seatB.R.transpose() * n));
    if (!keeps(j.kind, first)) return std::nullopt;
    n = forward ? Vec3(j.seatB.R * (between.transpose() * first)) : Vec3(j.seatA.R * first);
  }
  return n;
}

}  // namespace

std::optional<std::pair<Vec3, Vec3>> commonNormal(const Resolved& r, int a, int b) {
  const auto path = pathBetween(r, a, b);
  if (!path) return std::nullopt;
  // the axis of the first turn on the way, which the joints before it must keep; else the plane of a planar mechanism
  std::vector<Vec3> candidates;
  for (std::size_t k = 0; k < path->size() && candidates.empty(); ++k) {
    const Step& s = (*path)[k];
    if (s.joint < 0 || !turns(r.joints[u(s.joint)].kind)) continue;
    const auto& j = r.joints[u(s.joint)];
    std::vector<Step> back((*path).begin(), (*path).begin() + static_cast<std::ptrdiff_t>(k));
    std::reverse(back.begin(), back.end());
    for (Step& x : back) std::swap(x.from, x.to);
    const bool forward = j.linkA == s.from;
    if (const auto n = carried(r, back, (forward ? j.seatA : j.seatB).R.col(2))) candidates.push_back(*n);
  }
  if (!r.normals.empty()) candidates.push_back(r.normals[u(a)]);
  for (const Vec3& n : candidates)
    if (const auto there = carried(r, *path, n)) return std::make_pair(n, *there);
  return std::nullopt;
}

namespace {

class Maker {
 public:
  Maker(const Resolved& r,
        const std::function<shape::SolidPtr(const Resolved::LinkR&, const Resolved::BodyR&)>& solidOf)
      : r_(r), solidOf_(solidOf) {}

  ContactBodies make() {
    for (std::size_t c = 0; c < r_.contacts.size(); ++c) {
      if (!r_.contacts[c].enabled) continue;
      for (const int a : r_.contacts[c].sideA)
        for (const int b : r_.contacts[c].sideB) pair(static_cast<int>(c), a, b);
    }
    return std::move(out_);
  }

 private:
  void tell(const char* code, int contact, const std::string& text) {
    const auto& name = r_.contacts[u(contact)].name;
    out_.messages.push_back({Severity::warning, code, {name}, fmt::format("contact {}: {}", name, text)});
  }
  void pair(int contact, int a, int b) {
    if (r_.links[u(a)].ground && r_.links[u(b)].ground) return;
    LinkPair p;
    p.contact = contact;
    p.a = a;
    p.b = b;
    const auto normal = commonNormal(r_, a, b);
    if (normal && isUpright(a, normal->first) && isUpright(b, normal->second)) {
      p.outlinesA = outlines(contact, a, normal->first);
      p.outlinesB = outlines(contact, b, normal->second);
      if (p.outlinesA->parts.empty() || p.outlinesB->parts.empty()) return;
    } else {
      p.facesA = faces(contact, a);
      p.facesB = faces(contact, b);
      if (p.facesA->bodies.empty() || p.facesB->bodies.empty()) return;
    }
    out_.pairs.push_back(std::move(p));
  }

  template <class Each>
  void eachSolid(int link, const Each& each) {
    const auto& l = r_.links[u(link)];
    for (std::size_t i = 0; i < l.bodies.size(); ++i)
      if (const shape::SolidPtr solid = solidOf_(l, l.bodies[i])) each(static_cast<int>(i), l.bodies[i], solid);
  }
  static Mat3 axesAlong(const Vec3& normal) {
    const Vec3 x = anyPerpendicular(normal);
    Mat3 out;
    out << x, Vec3(normal.cross(x)), normal;
    return out;
  }
  static Pose planeIn(const Resolved::BodyR& body, const Mat3& axes) {
    return body.placement.inverse() * Pose(axes, Vec3::Zero());
  }
  /// Have all bodies of a link outlines along a direction, but for fillets and chamfers?
  bool isUpright(int link, const Vec3& normal) {
    bool upright = true;
    eachSolid(link, [&](int, const Resolved::BodyR& body, const shape::SolidPtr& solid) {
      const auto slabs = slabsOf(solid, planeIn(body, axesAlong(normal)));
      if (!slabs.ok()) return;
      const double height = thickness(**slabs);
      for (const auto& [low, high] : (*slabs)->aslant) upright = upright && high - low <= kAslant * height;
    });
    return upright;
  }

  std::shared_ptr<const LinkFaces> faces(int contact, int link) {
    auto& known = faces_[link];
    if (known) return known;
    auto out = std::make_shared<LinkFaces>();
    eachSolid(link, [&](int, const Resolved::BodyR& body, const shape::SolidPtr& solid) {
      auto made = spaceBodyOf(solid, body.placement);
      if (made.ok())
        out->bodies.push_back(*made);
      else
        tell("contact-faces", contact, fmt::format("body {}: {}", body.name, made.error().text));
    });
    return known = out;
  }

  std::shared_ptr<const LinkOutlines> outlines(int contact, int link, const Vec3& normal) {
    for (const auto& [key, known] : made_)
      if (key.first == link && (key.second - normal).norm() < 1e-12) return known;
    auto out = std::make_shared<LinkOutlines>();
    out->axes = axesAlong(normal);
    eachSolid(link, [&](int i, const Resolved::BodyR& body, const shape::SolidPtr& solid) {
      const auto slabs = slabsOf(solid, planeIn(body, out->axes));
      if (!slabs.ok())
        return tell("contact-outline", contact, fmt::format("body {}: {}", body.name, slabs.error().text));
      for (const Slab& s : (*slabs)->slabs) {
        auto part = std::make_shared<LinkOutlines::Part>();
        part->low = s.low;
        part->high = s.high;
        part->outline = Outline(s.loops);
        part->body = i;
        if (!part->outline.features().empty()) out->parts.push_back(std::move(part));
      }
    });
    made_.push_back({{link, normal}, out});
    return out;
  }
  static double thickness(const Slabs& s) {
    double low = 1e300, high = -1e300;
    const auto take = [&](double from, double to) {
      low = std::min(low, from);
      high = std::max(high, to);
    };
    for (const Slab& x : s.slabs) take(x.low, x.high);
    for (const auto& [from, to] : s.aslant) take(from, to);
    return high - low;
  }

  const Resolved& r_;
  const std::function<shape::SolidPtr(const Resolved::LinkR&, const Resolved::BodyR&)>& solidOf_;
  ContactBodies out_;
  std::vector<std::pair<std::pair<int, Vec3>, std::shared_ptr<const LinkOutlines>>> made_;
  std::map<int, std::shared_ptr<const LinkFaces>> faces_;
};

}  // namespace

ContactBodies contactBodies(
    const Resolved& resolved,
    const std::function<shape::SolidPtr(const Resolved::LinkR&, const Resolved::BodyR&)>& solidOf) {
  return Maker(resolved, solidOf).make();
}

}  // namespace cooperage::contact
