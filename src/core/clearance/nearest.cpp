// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/nearest.h"

#include <algorithm>

#include "shape/measure.h"

namespace cooperage::clearance {
namespace {

/// Exact distance of two simple bodies; none where a hole has a say in it.
std::optional<Gap> exactGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  if (!a.convex || !b.convex) return {};
  const ConvexGap g = convexGap(*a.convex, *b.convex, pa.inverse() * pb);
  const bool holes = !a.convex->holes.empty() || !b.convex->holes.empty();
  if (g.gap <= 0) {
    if (holes) return {};
    return Gap{0, pa * g.onA, pa * g.onB, -1, -1, true};
  }
  const Vec3 onB = (pb.inverse() * pa) * g.onB;
  if (a.convex->inHole(g.onA, 1e-9) || b.convex->inHole(onB, 1e-9)) return {};
  return Gap{g.gap, pa * g.onA, pa * g.onB, -1, -1, true};
}

}  // namespace

bool contained(const Part& inner, const Pose& pi, const Part& outer, const Pose& po, double tolerance) {
  const Pose toOuter = po.inverse() * pi;
  const Vec3 c = toOuter * inner.centre;
  if (((c - outer.low).array() < -inner.radius).any() || ((c - outer.high).array() > inner.radius).any()) return false;
  return std::any_of(inner.samples.begin(), inner.samples.end(), [&](const Vec3& s) {
    const Vec3 p = toOuter * s;
    if ((p.array() < outer.low.array()).any() || (p.array() > outer.high.array()).any()) return false;
    return outer.signedDistance(p) < -tolerance;
  });
}

Gap partGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb, double enough, Nearest& hint) {
  if (auto exact = exactGap(a, pa, b, pb)) return *exact;
  const Nearest found = MeshTree::distance(a.whole(), b.whole(), pa.inverse() * pb, hint, enough);
  if (found.triangleA >= 0) hint = found;
  Gap g{found.distance, pa * found.onA, pa * found.onB, -1, -1, false};
  if (g.distance > 0 && (contained(a, pa, b, pb, 0) || contained(b, pb, a, pa, 0))) g.distance = 0;
  return g;
}

std::optional<Gap> surfaceGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  if (auto exact = exactGap(a, pa, b, pb)) return exact;
  const auto m = shape::measure(shape::Picked{a.solid->shape, {}, pa * a.placement},
                                shape::Picked{b.solid->shape, {}, pb * b.placement});
  if (!m.ok() || !m->distance) return {};
  Gap g{*m->distance, m->from, m->to};
  g.exact = true;
  return g;
}

Gap LinkDistance::at(const Pose& pa, const Pose& pb, double enough) {
  Gap least;
  least.distance = enough;
  std::size_t n = 0;
  int ia = 0;
  for (const auto& x : a_->parts()) {
    int ib = 0;
    for (const auto& y : b_->parts()) {
      Nearest& hint = hints_[n++];
      if ((pa * x->centre - pb * y->centre).norm() - x->radius - y->radius < least.distance) {
        const Gap g = partGap(*x, pa, *y, pb, least.distance, hint);
        if (g.distance < least.distance) {
          least = g;
          least.partA = ia;
          least.partB = ib;
        }
      }
      if (least.distance == 0) return least;
      ++ib;
    }
    ++ia;
  }
  return least;
}

}  // namespace cooperage::clearance
