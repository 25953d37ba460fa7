// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/followed_distance.h"

#include "clearance/mesh_search.h"

namespace cooperage::clearance {

Nearest FollowedDistance::at(const MeshTree& a, const MeshTree& b, const Pose& bInA, double enough) {
  constexpr int kPoses = 32;  // after which it is begun anew: the front has only become finer
  MeshTree::Search s(a, b, bInA, enough);
  if (a.triangleCount() == 0 || b.triangleCount() == 0) return s.found;
  if (a_ != &a || b_ != &b) {
    front_.clear();
    last_ = {};
    a_ = &a;
    b_ = &b;
  }
  s.start(last_);
  s.aside = &front_;
  if (front_.empty() || front_.size() > most_ || poses_ >= kPoses) {
    poses_ = 1;
    front_.clear();
    s.both();
    most_ = 2 * front_.size() + 64;
  } else {
    again_.clear();
    for (std::size_t i = 0; i < front_.size(); ++i) {
      const Aside& e = front_[i];
      const Vec3 inB = bInA.R.transpose() * e.along;
      const double rest = e.along.dot(bInA.p) - e.high;
      const bool parted = rest + inB.dot(e.centre) - e.radius >= s.best || s.beyond(e.b, inB, s.best - rest);
      if (!parted) again_.push_back({e.a, e.b, i});
    }
    s.places = &again_;
    for (const Again& e : again_) {
      Vec3 along = Vec3::UnitX();
      const auto y = s.place(e.b);
      const double bound = s.bound2(s.ofA(e.a), y, along);
      s.openOrKeep(e.a, y, bound, along);
    }
    ++poses_;
  }
  if (s.found.triangleA >= 0) last_ = s.found;
  return s.found;
}

}  // namespace cooperage::clearance
