// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope_check.h"

#include <tbb/parallel_for.h>

#include <algorithm>

#include "base/index.h"
#include "clearance/followed_distance.h"

namespace cooperage::clearance {
namespace {

/// Deepest point of either surface inside the other: of the part's triangles at most `cell` apart, and of the
/// envelope's corners. Axes of the envelope.
std::pair<double, Vec3> deepest(const Part& part, const Pose& pose, const shape::Mesh& envelope,
                                const MeshDistance& inside, double cell) {
  std::pair<double, Vec3> best{0, Vec3::Zero()};
  const auto take = [&](double distance, const Vec3& p) {
    if (distance < best.first) best = {distance, p};
  };
  const Facets& facets = part.fine();
  const shape::Mesh& mesh = facets.mesh();
  for (const auto& t : mesh.triangles) {
    const Vec3 a = pose * mesh.vertices[u(t[0])], b = pose * mesh.vertices[u(t[1])], c = pose * mesh.vertices[u(t[2])];
    const Vec3 low = a.cwiseMin(b).cwiseMin(c), high = a.cwiseMax(b).cwiseMax(c);
    if ((high.array() < inside.low().array()).any() || (low.array() > inside.high().array()).any()) continue;
    const double size = std::max({(b - a).norm(), (c - a).norm(), (c - b).norm()});
    const int n = std::clamp(static_cast<int>(std::ceil(size / cell)), 1, 40);
    for (int i = 0; i <= n; ++i)
      for (int k = 0; i + k <= n; ++k) {
        const Vec3 p = a + (b - a) * i / n + (c - a) * k / n;
        if ((p.array() < inside.low().array()).any() || (p.array() > inside.high().array()).any()) continue;
        take(inside.signedDistance(p), p);
      }
  }
  const Pose back = pose.inverse();
  for (const Vec3& v : envelope.vertices) {
    const Vec3 p = back * v;
    if ((p.array() < part.low.array()).any() || (p.array() > part.high.array()).any()) continue;
    take(part.signedDistance(facets, p), v);
  }
  return best;
}

}  // namespace

Result<std::vector<EnvelopeGap>> checkEnvelope(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                               const kinematics::Travel& travel, const CheckGeometry& geometry,
                                               const EnvelopeOptions& options, const Envelope& envelope,
                                               Progress* progress) {
  const auto cancelled = [&] { return progress && progress->cancelled(); };
  const MeshTree tree(envelope.light.triangles.empty() ? envelope.mesh : envelope.light);
  const MeshDistance field(envelope.mesh);
  std::vector<std::vector<Pose>> poses;
  std::vector<double> times;
  for (const auto& s : travel.steps) {
    if ((options.from && s.t < *options.from) || (options.to && s.t > *options.to)) continue;
    std::vector<Pose> at;
    measurer.linkPoses(s, at);
    const Pose inverse = options.in < 0 ? Pose{} : at[u(options.in)].inverse();
    for (Pose& p : at) p = inverse * p;
    poses.push_back(std::move(at));
    times.push_back(s.t);
  }
  if (poses.empty()) return Error{"envelope", "", "the run has no poses in this part of the travel"};
  std::vector<int> links;
  for (std::size_t l = 0; l < geometry.links.size(); ++l)
    if (!geometry.links[l]->empty() &&
        std::find(options.links.begin(), options.links.end(), static_cast<int>(l)) == options.links.end())
      links.push_back(static_cast<int>(l));
  std::vector<EnvelopeGap> out(links.size());
  tbb::parallel_for(std::size_t(0), links.size(), [&](std::size_t i) {
    EnvelopeGap& best = out[i];
    best.link = links[i];
    best.least = 1e300;
    for (const auto& part : geometry.links[u(links[i])]->parts()) {
      const Facets& facets = part->fine(progress);
      FollowedDistance followed;
      double known = -1;
      Pose knownAt;
      for (std::size_t k = 0; k < poses.size(); ++k) {
        if (cancelled()) return;
        const Pose& p = poses[k][u(links[i])];
        const double moved =
            (p * part->centre - knownAt * part->centre).norm() + (p.R - knownAt.R).norm() * part->radius;
        if (known >= 0 && (known - moved >= best.least || (moved == 0 && k > 0))) continue;
        const Nearest n = followed.at(tree, facets.whole(), p);
        known = n.distance;
        knownAt = p;
        double d = n.distance;
        Vec3 at = n.onA;
        // crossing, or one inside the other
        const double first =
            facets.mesh().vertices.empty() ? 1 : field.signedDistance(p * facets.mesh().vertices.front());
        if (d == 0 || first < 0) {
          const auto deep = deepest(*part, p, envelope.light, field, 4 * envelope.voxel);
          d = std::min(0.0, deep.first);
          if (deep.first < 0) at = deep.second;
          known = 0;
        }
        if (d < best.least) {
          best.least = d;
          best.at = run.axisAt(times[k]);
          best.point = at;
        }
      }
    }
  });
  if (cancelled()) return Error{"cancelled", "", "cancelled", true};
  std::stable_sort(out.begin(), out.end(),
                   [](const EnvelopeGap& x, const EnvelopeGap& y) { return x.least < y.least; });
  return out;
}

}  // namespace cooperage::clearance
