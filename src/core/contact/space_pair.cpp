// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/bodies.h"
#include "contact/space_gap.h"

namespace cooperage::contact {
namespace {

constexpr double kDeepest = 8;  // quarters of the thinnest part: no overlap is looked for that is deeper

constexpr double kBeyond = 0.8;  // rad: how far beyond an edge's own normals that of a face may lie

double angleOf(double cosine) { return std::acos(std::clamp(cosine, -1.0, 1.0)); }

/// Pairs of leaves of two trees whose spheres come within a reach, and whose normals are opposed but for a slack.
template <class Take>
void meet(const FeatureTree& a, const FeatureTree& b, const RelativeMotion& m, double reach, double slack,
          const Take& take) {
  if (a.nodes().empty() || b.nodes().empty()) return;
  const auto go = [&](auto& self, int i, int k) -> void {
    const FeatureTree::Node &x = a.nodes()[u(i)], &y = b.nodes()[u(k)];
    const double far = reach + x.bound + y.bound;
    if ((m.point(x.centre) - y.centre).squaredNorm() > far * far) return;
    const double cones = x.half + y.half + slack;
    if (cones < kPi && angleOf(-(m.R * x.axis).dot(y.axis)) > cones) return;
    const bool leafX = x.right < 0, leafY = y.right < 0;
    if (leafX && leafY) return take(x.feature, y.feature);
    if (leafY || (!leafX && x.bound >= y.bound)) {
      self(self, i + 1, k);
      self(self, x.right, k);
    } else {
      self(self, i, k + 1);
      self(self, i, y.right);
    }
  };
  go(go, 0, 0);
}

/// Are the boxes of two features farther apart than a reach? By the axes of both and their products (Gottschalk, Lin
/// and Manocha 1996).
bool boxesApart(const SpaceFeature& a, const SpaceFeature& b, const RelativeMotion& m, double reach) {
  const Mat3 A = m.R * a.boxAxes;
  const Vec3 d = m.point(a.boxCentre) - b.boxCentre;
  const auto apart = [&](const Vec3& e) {
    return std::abs(d.dot(e)) - (A.transpose() * e).cwiseAbs().dot(a.boxHalf) -
               (b.boxAxes.transpose() * e).cwiseAbs().dot(b.boxHalf) >
           reach;
  };
  for (int i = 0; i < 3; ++i)
    if (apart(A.col(i)) || apart(b.boxAxes.col(i))) return true;
  for (int i = 0; i < 3; ++i)
    for (int k = 0; k < 3; ++k) {
      const Vec3 e = A.col(i).cross(b.boxAxes.col(k));
      const double size = e.norm();
      if (size > 1e-3 && apart(e / size)) return true;
    }
  return false;
}

/// Signed distance of a point to what is nearest of a body within a reach; the reach if nothing is.
double signedNear(const SpaceBody& body, const Vec3& point, double reach) {
  double least = reach, out = reach;
  const auto look = [&](const FeatureTree& tree) {
    if (tree.nodes().empty()) return;
    const auto go = [&](auto& self, int i) -> void {
      const FeatureTree::Node& n = tree.nodes()[u(i)];
      if ((n.centre - point).norm() > least + n.bound) return;
      if (n.right >= 0) {
        self(self, i + 1);
        self(self, n.right);
        return;
      }
      double d;
      if (!nearestOn(body.features[u(n.feature)], point, kSlack, d) || std::abs(d) >= least) return;
      least = std::abs(d);
      out = d;
    };
    go(go, 0);
  };
  look(body.surfaces);
  look(body.sharp);
  return out;
}

/// Lies a body wholly within another? Their faces don't cross, so that one place tells; some are asked for safety.
bool liesIn(const SpaceBody& a, const RelativeMotion& m, const SpaceBody& b) {
  constexpr std::size_t kAsked = 8;
  const double reach = 2 * b.reach;
  const std::size_t each = std::max<std::size_t>(1, a.features.size() / kAsked);
  for (std::size_t i = 0; i < a.features.size(); i += each) {
    const SpaceFeature& f = a.features[i];
    const double middle[2] = {0.5 * (f.low[0] + f.high[0]), 0.5 * (f.low[1] + f.high[1])};
    SpacePoint at;
    f.of->at(middle, at);
    if (!(signedNear(b, m.point(at.x), reach) < -kOn)) return false;
  }
  return !a.features.empty();
}
/// The shortest way on which the boxes around all features come apart, along the faces' normals or one of many others.
double wayOut(const SpaceBody& a, const RelativeMotion& m, const SpaceBody& b) {
  const auto support = [](const SpaceBody& o, const Vec3& along) {
    double most = -1e300;
    for (const SpaceFeature& f : o.features)
      most = std::max(most, f.boxCentre.dot(along) + (f.boxAxes.transpose() * along).cwiseAbs().dot(f.boxHalf));
    return most;
  };
  double least = 1e300;
  const auto along = [&](const Vec3& e) {
    least = std::min(least, support(b, e) + support(a, -(m.R.transpose() * e)) - m.p.dot(e));
  };
  constexpr int kDirections = 200, kFaceNormals = 100;
  int normals = 0;
  for (const SpaceFeature& f : b.features)
    if (f.dim == 2 && normals++ < kFaceNormals) along(f.axis);
  normals = 0;
  for (const SpaceFeature& f : a.features)
    if (f.dim == 2 && normals++ < kFaceNormals) along(-(m.R * f.axis));
  for (int i = 0; i < kDirections; ++i) {  // on a spiral from pole to pole
    const double z = 1 - (2 * i + 1.0) / kDirections, r = std::sqrt(1 - z * z), angle = kPi * (3 - std::sqrt(5.0)) * i;
    along({r * std::cos(angle), r * std::sin(angle), z});
  }
  return least;
}

LinkWeight weightOf(const LinkFaces& faces) {
  LinkWeight out;
  for (const auto& b : faces.bodies) out.mass += b->volume;
  for (const auto& b : faces.bodies) out.centre += b->volume / out.mass * b->centroid;
  for (const auto& b : faces.bodies) {
    const Vec3 d = b->centroid - out.centre;
    out.second += b->volume / out.mass * (b->second + d.squaredNorm() * Mat3::Identity() - d * d.transpose());
  }
  return out;
}

class SpacePair final : public PairGaps {
 public:
  SpacePair(std::shared_ptr<const LinkFaces> a, std::shared_ptr<const LinkFaces> b)
      : a_(std::move(a)), b_(std::move(b)) {
    double thin = 1e300;
    weightA = weightOf(*a_);
    weightB = weightOf(*b_);
    centreA = weightA.centre;
    centreB = weightB.centre;
    const auto around = [&](const LinkFaces& faces, const Vec3& centre, double& reach) {
      for (const auto& body : faces.bodies) {
        thin = std::min(thin, body->thinnest);
        reach = std::max(reach, (body->centroid - centre).norm() + body->reach);
      }
    };
    around(*a_, centreA, reachA);
    around(*b_, centreB, reachB);
    quarter = 0.25 * thin;
  }

  void candidates(const RelativeMotion& m, double reach, double turn, std::vector<PlaceKey>& out) const override {
    for (std::size_t i = 0; i < a_->bodies.size(); ++i)
      for (std::size_t k = 0; k < b_->bodies.size(); ++k) {
        const SpaceBody &a = *a_->bodies[i], &b = *b_->bodies[k];
        const auto take = [&](int fa, int fb) {
          if (!boxesApart(a.features[u(fa)], b.features[u(fb)], m, reach))
            out.push_back({static_cast<int>(i), static_cast<int>(k), {fa, fb}});
        };
        meet(a.surfaces, b.surfaces, m, reach, turn, take);
        // an edge or a corner touches a face a good deal beyond its own normals, too: where it has sunk in and turned
        meet(a.surfaces, b.sharp, m, reach, turn + kBeyond, take);
        meet(a.sharp, b.surfaces, m, reach, turn + kBeyond, take);
        meet(a.sharp, b.sharp, m, reach, turn, take);
      }
  }
  void find(const RelativeMotion& m, double ahead, double depth, const std::vector<PlaceKey>& among, Workspace&,
            std::vector<Found>& out) const override {
    depth = std::min(depth, kDeepest * quarter);
    Found f;
    for (const PlaceKey& key : among) {
      const SpaceFeature &a = featureA(key), &b = featureB(key);
      if (boxesApart(a, b, m, std::max(ahead, depth))) continue;
      if (!at(key, m, false, f.gap) || !f.gap.within || f.gap.size > ahead || f.gap.size < -depth) continue;
      f.key = key;
      f.nearest = true;
      if (f.gap.size < -kOn && !judge(f, m)) continue;
      out.push_back(f);
    }
  }
  bool at(const PlaceKey& key, const RelativeMotion& m, bool second, PairGap& out) const override {
    return spaceGap(featureA(key), featureB(key), m, second, kSlack, out);
  }
  double room(const PlaceKey& key, const RelativeMotion& m) const override {
    return spaceRoom(featureA(key), featureB(key), m, kSlack);
  }
  double crossing(const RelativeMotion& m) const override {
    RelativeMotion back;
    back.R = m.R.transpose();
    back.p = -(back.R * m.p);
    double most = 0;
    for (const auto& a : a_->bodies)
      for (const auto& b : b_->bodies)
        if (liesIn(*a, m, *b) || liesIn(*b, back, *a)) most = std::max(most, wayOut(*a, m, *b));
    return most;
  }
  bool goesOn(const PlaceKey& from, const PlaceKey& to) const override {
    return from.partA == to.partA && from.partB == to.partB && featureA(from).source == featureA(to).source &&
           featureB(from).source == featureB(to).source;
  }

 private:
  const SpaceFeature& featureA(const PlaceKey& k) const { return a_->bodies[u(k.partA)]->features[u(k.features.a)]; }
  const SpaceFeature& featureB(const PlaceKey& k) const { return b_->bodies[u(k.partB)]->features[u(k.features.b)]; }

  /// Is an overlap real, and a way out? It is real if the point of one that lies deepest in the other lies inside it,
  /// of two edges the middle between them inside both; it is a way out if nothing else is nearer.
  bool judge(Found& f, const RelativeMotion& m) const {
    const double depth = -f.gap.size, reach = depth * (1 + 1e-6) + 1e-9;
    const SpaceBody &a = *a_->bodies[u(f.key.partA)], &b = *b_->bodies[u(f.key.partB)];
    const auto back = [&](const Vec3& x) { return Vec3(m.R.transpose() * (x - m.p)); };
    const SpaceFeature &fa = featureA(f.key), &fb = featureB(f.key);
    const Vec3 onB = f.gap.onA + depth * f.gap.normal;
    if (fa.dim == 1 && fb.dim == 1) {
      const Vec3 middle = 0.5 * (f.gap.onA + onB);
      const double inB = signedNear(b, middle, reach), inA = signedNear(a, back(middle), reach);
      return inB < -0.1 * kOn && inA < -0.1 * kOn;
    }
    // a corner, an edge or a ball is what lies in the other
    const bool ofB = fb.dim < 2;
    const double s = ofB ? signedNear(a, back(onB), reach) : signedNear(b, f.gap.onA, reach);
    if (s > -kOn) return false;
    f.nearest = -s >= depth - (1e-9 + 1e-6 * depth);
    return true;
  }
  std::shared_ptr<const LinkFaces> a_, b_;
};

}  // namespace

std::shared_ptr<const PairGaps> spacePair(std::shared_ptr<const LinkFaces> a, std::shared_ptr<const LinkFaces> b) {
  if (a->bodies.empty() || b->bodies.empty()) return nullptr;
  return std::make_shared<SpacePair>(std::move(a), std::move(b));
}

}  // namespace cooperage::contact
