// SPDX-License-Identifier: GPL-3.0-or-later
#include "elements/cam.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/geometry.h"
#include "elements/taylor.h"

namespace cooperage::elements {
namespace {

using Form = CamSpec::Form;
using Follower = CamSpec::Follower;
struct Point {
  Taylor x, y;
};

Point turned(const Point& p, const Taylor& angle) {
  const auto [s, c] = sinCos(angle);
  return {c * p.x - s * p.y, s * p.x + c * p.y};
}

double reach(const CamSpec& c) { return c.base + (c.follower == Follower::roller ? c.roller : 0); }

/// Angle of a swinging follower at its lowest: of the arm (to the roller or point), or of the flat's normal.
double startAngle(const CamSpec& c) {
  const double d = c.pivot.norm(), toPivot = std::atan2(c.pivot.y(), c.pivot.x());
  if (c.follower == Follower::flat) {
    // the flat's line: n.X = n.pivot + offset; the cam's middle lies `base` behind it
    return toPivot - c.hand * std::acos((c.base - c.offset) / d);
  }
  // triangle of middle, pivot and roller; lifting by `hand` leads away from the middle
  const double cosine = (d * d + c.arm * c.arm - reach(c) * reach(c)) / (2 * d * c.arm);
  return toPivot + kPi + c.hand * std::acos(cosine);
}

/// The follower's place in fixed axes: the roller's middle, or (of a flat) direction of its normal and its distance.
struct Fixed {
  Point at;                                        ///< point or roller's middle
  Taylor normal;                                   ///< angle of the flat's outward normal
  Taylor height;                                   ///< normal . X along the flat
  Eigen::Vector2d way = Eigen::Vector2d::UnitY();  ///< direction in which the touching point of the follower moves
};
Fixed fixedAt(const CamSpec& c, const Taylor& lift) {
  Fixed f;
  if (!c.swing) {
    const double e = c.form == Form::disc ? c.offset : 0;
    const double low = c.form == Form::barrel   ? 0
                       : c.form == Form::linear ? reach(c)
                                                : std::sqrt(std::max(0.0, reach(c) * reach(c) - e * e));
    f.at = {Taylor(c.offset), Taylor(low) + lift};
    f.normal = Taylor(kPi / 2);
    f.height = Taylor(c.base) + lift;
    return f;
  }
  const Taylor angle = Taylor(startAngle(c)) + Taylor(c.hand) * lift;
  const auto [s, k] = sinCos(angle);
  f.normal = angle;
  if (c.follower == Follower::flat) {
    f.height = k * Taylor(c.pivot.x()) + s * Taylor(c.pivot.y()) + Taylor(c.offset);
    return f;
  }
  f.at = {Taylor(c.pivot.x()) + Taylor(c.arm) * k, Taylor(c.pivot.y()) + Taylor(c.arm) * s};
  f.way = Eigen::Vector2d(-s.c[0], k.c[0]);
  return f;
}

/// The follower's path in the cam's axes (of a flat, what it touches), in three dimensions.
struct Space {
  Taylor x, y, z;
};
Space pathAt(const CamSpec& c, double u) {
  const Taylor turn = Taylor::variable(u);
  const Fixed f = fixedAt(c, Taylor::of(c.law->derivatives(u)));
  if (c.form == Form::linear) return {f.at.x - turn, f.at.y, {}};
  if (c.form == Form::barrel) {
    const Point p = turned({Taylor(0), Taylor(c.base)}, Taylor(0) - turn);
    return {p.x, p.y, f.at.y};
  }
  if (c.follower != Follower::flat) {
    const Point p = turned(f.at, Taylor(0) - turn);
    return {p.x, p.y, {}};
  }
  // lines m.X = h with m at the angle mu: the envelope is X = h m + (h'/mu') t
  const Taylor mu = f.normal - turn;
  const auto [s, k] = sinCos(mu);
  const Taylor along = derivative(f.height) / derivative(mu);
  return {f.height * k - along * s, f.height * s + along * k, {}};
}

class CamPath final : public curves::Curve {
 public:
  explicit CamPath(CamSpec spec) : spec_(std::move(spec)) {
    low_ = 0;
    high_ = spec_.law->end();
    closed_ = spec_.form != Form::linear;
    planar_ = spec_.form != Form::barrel;
    corners_ = spec_.law->knots();
    measure();
  }
  curves::CurvePoint at(double u) const override {
    double past = 0;
    if (closed_) {
      u -= std::floor(u / high_) * high_;
    } else {
      past = u - std::clamp(u, low_, high_);
      u -= past;
    }
    const Space p = pathAt(spec_, u);
    curves::CurvePoint out;
    for (std::size_t n = 0; n < out.size(); ++n) out[n] = {p.x.d(n), p.y.d(n), p.z.d(n)};
    if (past != 0) {
      out[0] += past * out[1];
      out[2] = out[3] = out[4] = Vec3::Zero();
    }
    return out;
  }

 private:
  CamSpec spec_;
};

}  // namespace

Status checkCam(const CamSpec& c, const std::string& name) {
  const auto wrong = [&](const std::string& text) { return Error{"cam", name, "curve " + name + ": " + text}; };
  if (!(c.base > 0)) return wrong("the base must be greater than zero");
  if (c.follower == Follower::roller && !(c.roller > 0)) return wrong("the roller's radius must be greater than zero");
  const double end = c.law->end();
  if (!std::isfinite(end) || !(end > 0)) return wrong("the law has no rows");
  if (c.form != Form::linear) {
    if (std::abs(end - 2 * kPi) > 1e-9)
      return wrong(
          fmt::format("the rows cover {:.6g} degrees; those of a cam that goes round add up to 360", end * 180 / kPi));
    if (const double rest = c.law->at(end).position; std::abs(rest) > 1e-9)
      return wrong(fmt::format("the lifts add up to {:.6g} {}; they must add up to zero, returns counting negative",
                               c.swing ? rest * 180 / kPi : rest * 1e3, c.swing ? "degrees" : "mm"));
  }
  if (c.form != Form::disc && (c.swing || c.follower == Follower::flat))
    return wrong("a linear or barrel cam takes a point or a roller that slides");
  if (c.form != Form::disc) return Done{};
  if (!c.swing) {
    if (c.follower != Follower::flat && !(std::abs(c.offset) < reach(c)))
      return wrong("the offset is as large as the base circle; make the base larger");
    return Done{};
  }
  const double d = c.pivot.norm();
  if (!(d > 0)) return wrong("the pivot of the follower lies on the cam's axis; move it");
  if (c.hand != 1 && c.hand != -1) return wrong("'hand' must be 1 or -1");
  if (c.follower == Follower::flat) {
    if (!(std::abs(c.base - c.offset) < d))
      return wrong("the base is larger than the flat's pivot is away; move the pivot");
    return Done{};
  }
  if (!(c.arm > 0)) return wrong("the arm must be greater than zero");
  if (!(std::abs(d - c.arm) < reach(c)) || !(reach(c) < d + c.arm))
    return wrong(fmt::format("an arm of {:.6g} mm from a pivot {:.6g} mm away can't touch the base circle", c.arm * 1e3,
                             d * 1e3));
  return Done{};
}

curves::CurvePtr camPath(const CamSpec& spec) { return std::make_shared<const CamPath>(spec); }

curves::CurvePtr camProfile(const CamSpec& spec) {
  auto path = camPath(spec);
  if (spec.follower != Follower::roller || spec.form == Form::barrel) return path;
  return curves::offset(path, path->windingSign() * spec.roller);  // towards the inside
}

CamPlace camAt(const CamSpec& c, double u) {
  CamPlace place;
  place.at = u;
  place.lift = c.law->derivatives(u);
  const Fixed f = fixedAt(c, Taylor::of(place.lift));
  const Space p = pathAt(c, u);
  const Vec3 d1(p.x.d(1), p.y.d(1), p.z.d(1)), d2(p.x.d(2), p.y.d(2), p.z.d(2));
  if (c.form == Form::barrel) {  // on the unrolled cylinder
    const double around = c.base, slope = place.lift[1];
    place.pressure = std::atan2(std::abs(slope), around);
    place.pathCurvature = -around * place.lift[2] / std::pow(around * around + slope * slope, 1.5);
    place.profileCurvature = place.pathCurvature / (1 - std::abs(place.pathCurvature) * c.roller);
    place.undercut = std::abs(place.pathCurvature) * c.roller >= 1;
    return place;
  }
  // the path runs clockwise about the cam (a linear one to -x): a bulge turns to the right (to the left)
  const double bulge = c.form == Form::linear ? 1 : -1;
  if (c.follower == Follower::flat) {
    const double mu = f.normal.c[0] - u, turning = f.normal.c[1] - 1;
    const Eigen::Vector2d along(-std::sin(mu), std::cos(mu));
    const double run = (along.x() * d1.x() + along.y() * d1.y()) / turning;  // radius of curvature
    place.undercut = run <= 0;
    place.profileCurvature = place.pathCurvature = 1 / run;
    if (c.swing) {
      // the touching point of the flat moves square to the line from the pivot
      const auto [s, k] = std::pair{std::sin(f.normal.c[0]), std::cos(f.normal.c[0])};
      const double t = (f.height.c[1] / turning);
      const Eigen::Vector2d arm = Eigen::Vector2d(f.height.c[0] * k - t * s, f.height.c[0] * s + t * k) - c.pivot;
      place.pressure = std::atan2(std::abs(c.offset), std::abs(-s * arm.x() + k * arm.y()));
    }
    return place;
  }
  place.pathCurvature = bulge * (d1.x() * d2.y() - d1.y() * d2.x()) / std::pow(d1.norm(), 3);
  const double shrink = 1 - place.pathCurvature * c.roller;
  place.undercut = c.follower == Follower::roller && shrink <= 0;
  place.profileCurvature = c.follower == Follower::roller ? place.pathCurvature / shrink : place.pathCurvature;
  const double back = c.form == Form::linear ? 0 : u;  // the path's tangent in fixed axes
  const Eigen::Vector2d t = Eigen::Rotation2Dd(back) * Eigen::Vector2d(d1.x(), d1.y());
  // the normal is square to the tangent: its angle with the way is that of the tangent with the way, less a quarter
  place.pressure = std::atan2(std::abs(t.dot(f.way)), std::abs(t.x() * f.way.y() - t.y() * f.way.x()));
  return place;
}

CamReport camReport(const CamSpec& c, double limit, int places) {
  CamReport r;
  const double end = c.law->end();
  const auto bulging = [](const CamPlace& p) { return p.undercut ? 1e300 : p.profileCurvature; };
  const auto pressure = [](const CamPlace& p) { return p.pressure; };
  const auto closeIn = [&](const CamSpec& of, double at, double step, auto measure) {
    double lo = std::max(0.0, at - step), hi = std::min(end, at + step);
    for (int i = 0; i < 60; ++i) {  // by thirds: the stretch holds one extreme
      const double a = lo + (hi - lo) / 3, b = hi - (hi - lo) / 3;
      if (measure(camAt(of, a)) < measure(camAt(of, b)))
        lo = a;
      else
        hi = b;
    }
    const CamPlace best = camAt(of, at), closer = camAt(of, 0.5 * (lo + hi));
    return measure(closer) > measure(best) ? closer : best;
  };
  CamPlace steep = camAt(c, 0), sharp = steep;
  const double step = end / places;
  bool before = false;
  double begins = 0;
  for (int i = 0; i <= places; ++i) {
    const CamPlace p = camAt(c, step * i);
    if (pressure(p) > pressure(steep)) steep = p;
    if (bulging(p) > bulging(sharp)) sharp = p;
    if (p.undercut != before || (i == places && before)) {
      // where it begins or ends, by halving
      double lo = step * (i - 1), hi = step * i;
      if (i > 0 && p.undercut != before)
        for (int k = 0; k < 50; ++k) {
          const double mid = 0.5 * (lo + hi);
          (camAt(c, mid).undercut == before ? lo : hi) = mid;
        }
      if (!before)
        begins = i == 0 ? 0 : hi;
      else
        r.undercut.emplace_back(begins, p.undercut ? end : lo);
      before = p.undercut;
    }
  }
  r.steepest = closeIn(c, steep.at, step, pressure);
  r.sharpest = closeIn(c, sharp.at, step, bulging);
  // smallest base: good above, bad below
  const auto good = [&](double base) {
    CamSpec trial = c;
    trial.base = base;
    if (!checkCam(trial, "").ok()) return false;
    CamPlace steepest = camAt(trial, 0), sharpest = steepest;
    for (int i = 0; i <= 360; ++i) {
      const CamPlace p = camAt(trial, end * i / 360);
      if (p.undercut || p.pressure > limit) return false;
      if (pressure(p) > pressure(steepest)) steepest = p;
      if (bulging(p) > bulging(sharpest)) sharpest = p;
    }
    return closeIn(trial, steepest.at, end / 360, pressure).pressure <= limit &&
           !closeIn(trial, sharpest.at, end / 360, bulging).undercut;
  };
  double high = 1e-3;
  while (high < 100 * c.base && !good(high)) high *= 1.25;
  if (!good(high)) return r;
  double low = high / 1.25;
  for (int i = 0; i < 30; ++i) {
    const double mid = 0.5 * (low + high);
    (good(mid) ? high : low) = mid;
  }
  r.smallestBase = high;
  return r;
}

}  // namespace cooperage::elements
