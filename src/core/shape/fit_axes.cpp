// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/fit_axes.h"

#include <cmath>

namespace cooperage::shape {
namespace {

constexpr double kSamePlace = 1e-6;      ///< m
constexpr double kSameDirection = 1e-6;  ///< rad

struct Line {
  Vec3 at, axis;
  double radius = 0;
};

double apart(const Line& line, const Vec3& p) { return (p - line.at).cross(line.axis).norm(); }

/// The axes of cylinders, each once, however many faces lie about it.
std::vector<Line> linesOf(const RoundFaces& rounds) {
  std::vector<Line> out;
  for (const RoundFace& r : rounds) {
    if (r.cone || !((r.high - r.low).norm() > 0)) continue;
    const Line line{(r.low + r.high) / 2, (r.high - r.low).normalized(), r.radius};
    bool known = false;
    for (const Line& other : out)
      known = known || (apart(other, line.at) < kSamePlace && other.axis.cross(line.axis).norm() < kSameDirection);
    if (!known) out.push_back(line);
  }
  return out;
}

int onAxes(const std::vector<Pose>& pivots, const std::vector<Line>& lines, const Pose& pose) {
  int n = 0;
  for (const Pose& p : pivots) {
    const Pose here = pose.inverse() * p;
    for (const Line& l : lines)
      if (apart(l, here.p) < kSamePlace && l.axis.cross(here.R.col(2)).norm() < kSameDirection) {
        ++n;
        break;
      }
  }
  return n;
}

/// Axes with the origin at a place, z along an axis, x towards another place.
std::optional<Pose> axesAt(const Vec3& at, const Vec3& z, const Vec3& to) {
  Pose out{Mat3::Identity(), at};
  if (!axesFrom(z, to - at, out.R)) return std::nullopt;
  return out;
}

}  // namespace

std::optional<Pose> poseOnPivots(const std::vector<Pose>& pivots, const RoundFaces& rounds) {
  const std::vector<Line> lines = linesOf(rounds);
  if (pivots.empty()) return Pose{};
  std::optional<Pose> best;
  int most = 0;
  const auto consider = [&](const Pose& pose) {
    const int n = onAxes(pivots, lines, pose);
    if (n > most) {
      most = n;
      best = pose;
    }
  };
  consider(Pose{});
  const int all = static_cast<int>(pivots.size());
  for (std::size_t j = 1; j < pivots.size() && most < all; ++j) {
    const Vec3 z = pivots[0].R.col(2), to = pivots[j].p - pivots[0].p;
    const double distance = to.cross(z).norm();
    const auto target = axesAt(pivots[0].p, z, pivots[j].p);
    if (!target || distance < kSamePlace || z.cross(pivots[j].R.col(2)).norm() > kSameDirection) continue;
    for (const Line& a : lines)
      for (const Line& b : lines) {
        if (&a == &b || a.axis.cross(b.axis).norm() > kSameDirection) continue;
        if (std::abs(apart(a, b.at) - distance) > kSamePlace) continue;
        for (const double sign : {1.0, -1.0})
          if (const auto from = axesAt(a.at, sign * a.axis, b.at); from && most < all)
            consider(*target * from->inverse());
      }
  }
  if (!best && pivots.size() == 1) {
    const Line* widest = nullptr;
    for (const Line& l : lines)
      if (!widest || l.radius > widest->radius) widest = &l;
    if (widest) {
      const Vec3 z = pivots[0].R.col(2);
      const Quat turn = Quat::FromTwoVectors(widest->axis.dot(z) < 0 ? Vec3(-widest->axis) : widest->axis, z);
      const Mat3 r = turn.toRotationMatrix();
      consider(Pose{r, pivots[0].p - r * widest->at});
    }
  }
  return best;
}

}  // namespace cooperage::shape
