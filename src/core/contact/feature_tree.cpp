// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "base/index.h"
#include "contact/space_body.h"

namespace cooperage::contact {

FeatureTree::FeatureTree(const std::vector<SpaceFeature>& features, std::vector<int> which) {
  if (!which.empty()) build(features, which, 0, which.size());
}

int FeatureTree::build(const std::vector<SpaceFeature>& features, std::vector<int>& which, std::size_t from,
                       std::size_t to) {
  const int at = static_cast<int>(nodes_.size());
  nodes_.emplace_back();
  if (to - from == 1) {
    const SpaceFeature& f = features[u(which[from])];
    Node& n = nodes_.back();
    n.centre = f.centre;
    n.bound = f.bound;
    n.axis = f.axis;
    n.half = f.half;
    n.feature = which[from];
    return at;
  }
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (std::size_t i = from; i < to; ++i) {
    low = low.cwiseMin(features[u(which[i])].centre);
    high = high.cwiseMax(features[u(which[i])].centre);
  }
  int axis = 0;
  (high - low).maxCoeff(&axis);
  const std::size_t mid = from + (to - from) / 2;
  std::nth_element(which.begin() + static_cast<std::ptrdiff_t>(from), which.begin() + static_cast<std::ptrdiff_t>(mid),
                   which.begin() + static_cast<std::ptrdiff_t>(to), [&](int a, int b) {
                     const double x = features[u(a)].centre[axis], y = features[u(b)].centre[axis];
                     return x < y || (x == y && a < b);
                   });
  build(features, which, from, mid);
  const int right = build(features, which, mid, to);
  Node n = nodes_[u(at)];
  const Node &l = nodes_[u(at + 1)], &r = nodes_[u(right)];
  n.right = right;
  // the smallest sphere around two
  const Vec3 d = r.centre - l.centre;
  const double distance = d.norm();
  if (distance + r.bound <= l.bound) {
    n.centre = l.centre;
    n.bound = l.bound;
  } else if (distance + l.bound <= r.bound) {
    n.centre = r.centre;
    n.bound = r.bound;
  } else {
    n.bound = 0.5 * (distance + l.bound + r.bound);
    n.centre = l.centre + (n.bound - l.bound) / distance * d;
    n.bound *= 1 + 1e-12;
  }
  n.half = kPi;
  const Vec3 mean = l.axis + r.axis;
  if (mean.norm() > 1e-3) {
    n.axis = mean.normalized();
    n.half = std::min(kPi, std::max(l.half + angleBetween(l.axis, n.axis), r.half + angleBetween(r.axis, n.axis)));
  }
  nodes_[u(at)] = n;
  return at;
}

}  // namespace cooperage::contact
