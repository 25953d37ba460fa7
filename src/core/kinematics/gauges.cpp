// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/gauges.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace cooperage::kinematics {

using model::Resolved;

namespace {
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
std::size_t u(int i) { return static_cast<std::size_t>(i); }
const Dimension kPerSecond{0, 0, 0, -1};
double component(const Vec3& v, int k) { return k == 3 ? v.norm() : v[k]; }
}  // namespace

std::string Column::head(const DocumentUnits& units) const {
  const std::string unit = units.label(dimension);
  return unit.empty() ? name : name + " [" + unit + "]";
}

Measurer::Measurer(TravelRun& run, ClearanceAt clearance)
    : run_(run), r_(run.resolved()), clearance_(std::move(clearance)) {
  columns_.push_back({"t", dimension::kTime});
  for (const auto& j : r_.joints)
    for (const auto& v : model::infoOf(j.kind).values) {
      const Dimension d = model::dimensionOf(v);
      const std::string name = j.name + "." + v.name;
      columns_.push_back({name, d});
      columns_.push_back({name + " rate", d + kPerSecond});
      columns_.push_back({name + " acc", d + 2.0 * kPerSecond});
    }
  firstGauge_ = static_cast<int>(columns_.size());
  for (const auto& g : r_.gauges) columns_.push_back({g.name, g.dimension});
}

void Measurer::prepare(const TravelStep& step) {
  Solver& solver = run_.solver();
  solver.forward(step.c);
  solver.motion(step.qd, step.qdd, nodes_);
  poses_.resize(r_.links.size());
  for (std::size_t i = 0; i < r_.links.size(); ++i) poses_[i] = solver.linkPose(static_cast<int>(i));
}

void Measurer::linkPoses(const TravelStep& step, std::vector<Pose>& out) {
  Solver& solver = run_.solver();
  solver.forward(step.c);
  out.resize(r_.links.size());
  for (std::size_t i = 0; i < r_.links.size(); ++i) out[i] = solver.linkPose(static_cast<int>(i));
}

Measurer::ValueMotion Measurer::value(const Resolved::ValueRef& ref, const TravelStep& step) const {
  if (ref.joint < 0) return {0, 0, 0};
  const System& s = run_.system();
  const int index = s.compiledJoint(ref.joint);
  if (index < 0) return {kNone, kNone, kNone};
  const System::Joint& j = s.joints[u(index)];
  if (j.ball >= 0) return ballValue(j, ref.value, step);
  const std::size_t dof = u(j.firstDof + ref.value);
  return {step.c.q[dof], step.qd[dof], step.qdd[dof]};
}

/// Angles of a ball and their rates. With R = Rx(a) Ry(b) Rz(c) in the first seat's axes:
/// w = ex a' + Rx ey b' + Rx Ry ez c', and its derivative gives the accelerations.
Measurer::ValueMotion Measurer::ballValue(const System::Joint& j, int value, const TravelStep& step) const {
  const Mat3& R = step.c.balls[u(j.ball)];
  const std::size_t d = u(j.firstDof);
  const Vec3 w(step.qd[d], step.qd[d + 1], step.qd[d + 2]), wd(step.qdd[d], step.qdd[d + 1], step.qdd[d + 2]);
  if (value == 3) {
    const Vec3 z = R.col(2), zd = w.cross(z), zdd = wd.cross(z) + w.cross(zd);
    const double s = std::hypot(z.x(), z.y()), angle = std::atan2(s, z.z());
    if (s < 1e-9) return {angle, kNone, kNone};
    const double rate = -zd.z() / s;
    return {angle, rate, (-zdd.z() - z.z() * rate * rate) / s};
  }
  const Vec3 angles = ballAngles(R);
  Mat3 E;
  E.col(0) = Vec3::UnitX();
  const Mat3 Rx = rotationAbout(0, angles[0]);
  E.col(1) = Rx.col(1);
  E.col(2) = Rx * rotationAbout(1, angles[1]).col(2);
  if (std::abs(E.determinant()) < 1e-9) return {angles[value], kNone, kNone};
  const Mat3 inverse = E.inverse();
  const Vec3 rate = inverse * w;
  const Vec3 wx = rate[0] * E.col(0), wxy = wx + rate[1] * E.col(1);
  const Vec3 bias = wx.cross(E.col(1)) * rate[1] + wxy.cross(E.col(2)) * rate[2];
  const Vec3 acc = inverse * (wd - bias);
  return {angles[value], rate[value], acc[value]};
}

Measurer::PointMotion Measurer::point(const std::pair<int, int>& seat) const {
  const System& s = run_.system();
  const int node = s.nodeOfLink[u(seat.first)];
  const Pose& p = poses_[u(seat.first)];
  const Vec3 x = p * r_.links[u(seat.first)].seats[u(seat.second)].frame.p;
  const NodeMotion& m = nodes_[u(node)];
  const Vec3 d = x - (run_.solver().nodePose(node).p + s.middle);
  return {x, m.v + m.w.cross(d), m.a + m.alpha.cross(d) + m.w.cross(m.w.cross(d))};
}
Pose Measurer::seatPose(const std::pair<int, int>& seat) const {
  return poses_[u(seat.first)] * r_.links[u(seat.first)].seats[u(seat.second)].frame;
}

/// Position, velocity or acceleration as seen from the link `in`, in its axes.
double Measurer::pointGauge(const Resolved::GaugeR& g) const {
  PointMotion p = point(g.seats[0]);
  if (g.in >= 0) {
    const System& s = run_.system();
    const int node = s.nodeOfLink[u(g.in)];
    const NodeMotion& m = nodes_[u(node)];
    const Pose& frame = poses_[u(g.in)];
    const Vec3 d = p.x - (run_.solver().nodePose(node).p + s.middle);
    const Vec3 carried = m.v + m.w.cross(d);
    const Vec3 v = p.v - carried;
    const Vec3 a = p.a - (m.a + m.alpha.cross(d) + m.w.cross(m.w.cross(d))) - 2 * m.w.cross(v);
    p = {frame.inverse() * p.x, frame.R.transpose() * v, frame.R.transpose() * a};
  }
  if (g.kind == "point-position") return component(p.x, g.component);
  return component(g.kind == "point-velocity" ? p.v : p.a, g.component);
}

double Measurer::linkGauge(const Resolved::GaugeR& g) const {
  const System& s = run_.system();
  const NodeMotion& m = nodes_[u(s.nodeOfLink[u(g.links[0])])];
  Vec3 w = m.w, alpha = m.alpha;
  if (g.in >= 0) {
    const NodeMotion& f = nodes_[u(s.nodeOfLink[u(g.in)])];
    const Mat3 R = poses_[u(g.in)].R.transpose();
    alpha = R * (alpha - f.alpha - f.w.cross(w - f.w));
    w = R * (w - f.w);
  }
  return component(g.kind == "link-rate" ? w : alpha, g.component);
}

double Measurer::angleGauge(const Resolved::GaugeR& g) const {
  const Vec3 a = seatPose(g.seats[0]).R.col(2), b = seatPose(g.seats[1]).R.col(2);
  if (!g.about) return std::atan2(a.cross(b).norm(), a.dot(b));
  const Vec3 z = seatPose(*g.about).R.col(2);
  const Vec3 pa = a - a.dot(z) * z, pb = b - b.dot(z) * z;
  if (pa.norm() < 1e-12 || pb.norm() < 1e-12) return kNone;
  return std::atan2(pa.cross(pb).dot(z), pa.dot(pb));
}

/// Angle 0..90 degrees between the lines from the joint to the next joint of each of its two links.
double Measurer::transmission(const Resolved::GaugeR& g) const {
  const auto& j = r_.joints[u(g.joint)];
  const Vec3 centre = poses_[u(j.linkA)] * j.seatA.p;
  const auto toNext = [&](int link) -> Vec3 {
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& other = r_.joints[i];
      if (static_cast<int>(i) == g.joint || !other.enabled || (other.linkA != link && other.linkB != link)) continue;
      const Vec3 at = other.linkA == link ? poses_[u(link)] * other.seatA.p : poses_[u(link)] * other.seatB.p;
      if (other.kind == model::JointKind::prismatic)  // the line of a slide is its axis
        return other.linkA == link ? Vec3(poses_[u(link)].R * other.seatA.R.col(2))
                                   : Vec3(poses_[u(link)].R * other.seatB.R.col(2));
      if ((at - centre).norm() > 1e-12) return at - centre;
    }
    return Vec3::Zero();
  };
  const Vec3 a = toNext(j.linkA), b = toNext(j.linkB);
  if (a.norm() == 0 || b.norm() == 0) return kNone;
  const double angle = std::atan2(a.cross(b).norm(), a.dot(b));
  return std::min(angle, kPi - angle);
}

double Measurer::gaugePrepared(int index, const TravelStep& step) {
  const auto& g = r_.gauges[u(index)];
  if (g.kind == "joint-value") return value(g.values[0], step).q;
  if (g.kind == "joint-rate") return value(g.values[0], step).qd;
  if (g.kind == "joint-acceleration") return value(g.values[0], step).qdd;
  if (g.kind == "velocity-ratio") {
    const double bottom = value(g.values[1], step).qd;
    return std::abs(bottom) < 1e-12 ? kNone : value(g.values[0], step).qd / bottom;
  }
  if (g.kind.rfind("point-", 0) == 0) return pointGauge(g);
  if (g.kind.rfind("link-", 0) == 0) return linkGauge(g);
  if (g.kind == "distance") return (seatPose(g.seats[0]).p - seatPose(g.seats[1]).p).norm();
  if (g.kind == "distance-plane") {
    const Pose a = seatPose(g.seats[0]);
    return a.R.col(2).dot(seatPose(g.seats[1]).p - a.p);
  }
  if (g.kind == "distance-axis") {
    const Pose a = seatPose(g.seats[0]);
    return a.R.col(2).cross(seatPose(g.seats[1]).p - a.p).norm();
  }
  if (g.kind == "angle") return angleGauge(g);
  if (g.kind == "transmission-angle") return transmission(g);
  if (g.kind == "clearance" && clearance_) return clearance_(g.links[0], g.links[1], poses_);
  return kNone;
}

double Measurer::gauge(int index, const TravelStep& step) {
  prepare(step);
  return gaugePrepared(index, step);
}

void Measurer::row(const TravelStep& step, std::vector<double>& out) {
  prepare(step);
  out.clear();
  out.push_back(step.t);
  for (std::size_t i = 0; i < r_.joints.size(); ++i) {
    const std::size_t count = model::infoOf(r_.joints[i].kind).values.size();
    for (std::size_t v = 0; v < count; ++v) {
      const ValueMotion m = value({static_cast<int>(i), static_cast<int>(v)}, step);
      out.push_back(m.q);
      out.push_back(m.qd);
      out.push_back(m.qdd);
    }
  }
  for (std::size_t g = 0; g < r_.gauges.size(); ++g) out.push_back(gaugePrepared(static_cast<int>(g), step));
}

RunResult tabulate(TravelRun& run, Measurer& measurer, Progress* progress) {
  RunResult result;
  result.travel = run.run(progress);
  result.columns = measurer.columns();
  result.rows.reserve(result.travel.steps.size());
  for (const TravelStep& s : result.travel.steps) {
    result.rows.emplace_back();
    measurer.row(s, result.rows.back());
    result.axis.push_back(run.axisAt(s.t));
    if (progress && progress->cancelled()) {
      result.travel.cancelled = true;
      break;
    }
  }
  const int axis = run.settings().axis;
  const bool time = axis < 0 || run.activeDrive(axis) < 0;
  result.axisName = time ? "t" : run.resolved().drives[u(axis)].name;
  result.axisDimension = dimension::kTime;
  if (!time) {
    const auto& ref = run.resolved().drives[u(axis)].value;
    const auto& j = run.resolved().joints[u(ref.joint)];
    result.axisDimension = model::dimensionOf(model::infoOf(j.kind).values[u(ref.value)]);
  }
  return result;
}

namespace {

struct Extreme {
  double value = kNone, t = 0;
};

/// Greatest (sign 1) or least (-1) of a gauge over the travel: the best step, then golden section between its
/// neighbours; smooth gauges have their extreme there.
Extreme extreme(TravelRun& run, Measurer& measurer, const RunResult& result, int gauge, double sign) {
  const std::size_t column = u(measurer.firstGauge() + gauge);
  std::size_t best = result.rows.size();
  for (std::size_t i = 0; i < result.rows.size(); ++i) {
    const double v = result.rows[i][column];
    if (std::isfinite(v) && (best == result.rows.size() || sign * v > sign * result.rows[best][column])) best = i;
  }
  if (best == result.rows.size()) return {};
  Extreme e{result.rows[best][column], result.rows[best][0]};
  const double a0 = result.rows[best == 0 ? 0 : best - 1][0];
  const double b0 = result.rows[std::min(best + 1, result.rows.size() - 1)][0];
  const auto at = [&](double t) {
    TravelStep s;
    if (!run.poseAt(result.travel, t, s)) return -std::numeric_limits<double>::infinity();
    const double v = measurer.gauge(gauge, s);
    if (std::isfinite(v) && sign * v > sign * e.value) e = {v, t};
    return std::isfinite(v) ? sign * v : -std::numeric_limits<double>::infinity();
  };
  const double g = 0.5 * (std::sqrt(5.0) - 1);
  double a = a0, b = b0, x = b - g * (b - a), y = a + g * (b - a);
  double fx = at(x), fy = at(y);
  for (int i = 0; i < 60 && b - a > 1e-10 * std::max(b0 - a0, 1e-300); ++i) {
    if (fx > fy) {
      b = y;
      y = x;
      fy = fx;
      fx = at(x = b - g * (b - a));
    } else {
      a = x;
      x = y;
      fx = fy;
      fy = at(y = a + g * (b - a));
    }
  }
  return e;
}

double mean(const RunResult& result, std::size_t column) {
  double sum = 0, time = 0;
  for (std::size_t i = 1; i < result.rows.size(); ++i) {
    const double dt = result.rows[i][0] - result.rows[i - 1][0];
    const double v = 0.5 * (result.rows[i][column] + result.rows[i - 1][column]);
    if (!std::isfinite(v)) continue;
    sum += v * dt;
    time += dt;
  }
  return time > 0 ? sum / time : kNone;
}

}  // namespace

std::vector<RequirementResult> judge(TravelRun& run, Measurer& measurer, const RunResult& result) {
  std::vector<RequirementResult> out;
  if (result.rows.empty()) return out;
  for (const auto& q : run.resolved().requirements) {
    RequirementResult r{q.name, kNone, false, run.axisAt(result.rows.back()[0]),
                        run.resolved().gauges[u(q.gauge)].dimension};
    const std::size_t column = u(measurer.firstGauge() + q.gauge);
    const auto low = [&] { return extreme(run, measurer, result, q.gauge, -1); };
    const auto high = [&] { return extreme(run, measurer, result, q.gauge, 1); };
    if (q.measure == "range") {
      const Extreme a = low(), b = high();
      r.value = b.value - a.value;
      r.where = run.axisAt(b.t);
    } else if (q.measure == "min" || q.measure == "max") {
      const Extreme e = q.measure == "min" ? low() : high();
      r.value = e.value;
      r.where = run.axisAt(e.t);
    } else if (q.measure == "mean") {
      r.value = mean(result, column);
    } else if (q.measure == "end") {
      r.value = result.rows.back()[column];
    } else if (q.measure == "at") {
      TravelStep s;
      const double t = run.timeOf(*q.at);
      r.where = *q.at;
      if (t <= result.rows.back()[0] + 1e-12 && run.poseAt(result.travel, t, s)) r.value = measurer.gauge(q.gauge, s);
    } else {  // always: the worst place against either bound
      const Extreme a = low(), b = high();
      const double below = q.min ? *q.min - a.value : -std::numeric_limits<double>::infinity();
      const double above = q.max ? b.value - *q.max : -std::numeric_limits<double>::infinity();
      const Extreme& e = above >= below ? b : a;
      r.value = e.value;
      r.where = run.axisAt(e.t);
      r.met = std::isfinite(e.value) && below <= 0 && above <= 0;
      out.push_back(r);
      continue;
    }
    r.met = std::isfinite(r.value) && (!q.min || r.value >= *q.min) && (!q.max || r.value <= *q.max);
    out.push_back(r);
  }
  return out;
}

}  // namespace cooperage::kinematics
