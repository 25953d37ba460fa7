// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/nearest.h"

#include <BRep_Builder.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS_Compound.hxx>
#include <algorithm>

#include "shape/measure.h"

namespace cooperage::clearance {
namespace {

/// Exact distance of two simple bodies; none where a hole has a say in it.
std::optional<Gap> exactGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  if (!a.convex || !b.convex) return {};
  const ConvexGap g = convexGap(*a.convex, *b.convex, pa.inverse() * pb);
  if (!g.certain) return {};
  const bool holes = !a.convex->holes.empty() || !b.convex->holes.empty();
  if (g.gap <= 0) {
    if (holes) return {};
    return Gap{0, pa * g.onA, pa * g.onB, -1, -1, true};
  }
  const Vec3 onB = (pb.inverse() * pa) * g.onB;
  if (a.convex->inHole(g.onA, 1e-9) || b.convex->inHole(onB, 1e-9)) return {};
  return Gap{g.gap, pa * g.onA, pa * g.onB, -1, -1, true};
}

TopoDS_Shape shellsOf(const TopoDS_Shape& solid) {
  TopoDS_Compound all;
  const BRep_Builder builder;
  builder.MakeCompound(all);
  for (TopExp_Explorer e(solid, TopAbs_SHELL); e.More(); e.Next()) builder.Add(all, e.Current());
  return all;
}

}  // namespace

bool contained(const Meshed& inner, const Pose& pi, const Meshed& outer, const Pose& po, double tolerance) {
  const Pose toOuter = po.inverse() * pi;
  const Part &in = inner.part, &out = outer.part;
  const Vec3 c = toOuter * in.centre;
  if (((c - out.low).array() < -in.radius).any() || ((c - out.high).array() > in.radius).any()) return false;
  const auto& samples = inner.facets.samples();
  return std::any_of(samples.begin(), samples.end(), [&](const Vec3& s) {
    const Vec3 p = toOuter * s;
    if ((p.array() < out.low.array()).any() || (p.array() > out.high.array()).any()) return false;
    return out.signedDistance(outer.facets, p) < -tolerance;
  });
}

Gap partGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb, double enough, FollowedDistance& followed,
            Progress* progress) {
  if (auto exact = exactGap(a, pa, b, pb)) return *exact;
  const Meshed x{a, a.fine(progress)}, y{b, b.fine(progress)};
  const Nearest found = followed.at(x.facets.whole(), y.facets.whole(), pa.inverse() * pb, enough);
  Gap g{found.distance, pa * found.onA, pa * found.onB, -1, -1, false};
  if (g.distance > 0 && contained(x, pa, y, pb)) g.distance = 0;
  return g;
}

std::optional<Gap> surfaceGap(const Part& a, const Pose& pa, const Part& b, const Pose& pb) {
  if (auto exact = exactGap(a, pa, b, pb)) return exact;
  // by their shells: for solids OCCT also looks whether one lies inside the other, which takes longer than the distance
  const auto m = shape::measure(shape::Picked{shellsOf(a.solid->shape), {}, pa * a.placement},
                                shape::Picked{shellsOf(b.solid->shape), {}, pb * b.placement});
  if (!m.ok() || !m->distance) return {};
  Gap g{*m->distance, m->from, m->to};
  g.exact = true;
  return g;
}

/// What the distance of two parts is at least, without making a mesh.
double LinkDistance::atLeast(const Part& x, const Pose& px, const Part& y, const Pose& py, double enough,
                             FollowedDistance& followed) {
  const double spheres = (px * x.centre - py * y.centre).norm() - x.radius - y.radius;
  if (spheres >= enough || (x.convex && y.convex) || (x.isFine() && y.isFine())) return spheres;
  const Facets &fx = x.now(), &fy = y.now();
  // of the bodies, and then of the meshes that will be made of them
  const double errors = fx.error() + fy.error() + x.deflection() + y.deflection();
  const double known = enough < 1e150 ? enough + errors : enough;
  const double bound = followed.at(fx.whole(), fy.whole(), px.inverse() * py, known).distance - errors;
  return bound > 0 && contained({x, fx}, px, {y, fy}, py) ? 0 : bound;
}

Gap LinkDistance::at(const Pose& pa, const Pose& pb, double enough) {
  Gap least;
  least.distance = enough;
  const std::size_t nb = b_->parts().size();
  const auto x = [&](std::size_t pair) -> const Part& { return *a_->parts()[pair / nb]; };
  const auto y = [&](std::size_t pair) -> const Part& { return *b_->parts()[pair % nb]; };
  order_.clear();
  for (std::size_t i = 0; i < followed_.size(); ++i) {
    const double bound = atLeast(x(i), pa, y(i), pb, enough, followed_[i]);
    if (bound < enough) order_.emplace_back(bound, i);
  }
  std::sort(order_.begin(), order_.end());
  for (const auto& [bound, i] : order_) {
    if (bound >= least.distance || least.distance == 0) break;
    const Gap g = partGap(x(i), pa, y(i), pb, least.distance, followed_[i], progress_);
    if (g.distance >= least.distance) continue;
    least = g;
    least.partA = static_cast<int>(i / nb);
    least.partB = static_cast<int>(i % nb);
  }
  return least;
}

}  // namespace cooperage::clearance
