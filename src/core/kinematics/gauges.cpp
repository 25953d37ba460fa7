// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/gauges.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/index.h"
#include "kinematics/values.h"

namespace cooperage::kinematics {

using model::Resolved;

namespace {
double component(const Vec3& v, int k) { return k == 3 ? v.norm() : v[k]; }
}  // namespace

std::string Column::head(const DocumentUnits& units) const {
  const std::string unit = units.label(dimension);
  return unit.empty() ? name : name + " [" + unit + "]";
}

Measurer::Measurer(TravelRun& run, ClearanceAt clearance, ClearanceAlong along, std::unique_ptr<LoadMeasure> loads)
    : run_(run),
      solver_(run.system(), {}),
      r_(run.resolved()),
      clearance_(std::move(clearance)),
      along_(std::move(along)),
      loads_(std::move(loads)),
      qddd_(run.system().dofs.size(), 0.0) {  // a value may be asked for before any pose has been prepared
  columns_.push_back({"t", dimension::kTime});
  for (const auto& j : r_.joints)
    for (const auto& v : model::infoOf(j.kind).values) {
      const Dimension d = model::dimensionOf(v);
      const std::string name = j.name + "." + v.name;
      columns_.push_back({name, d});
      columns_.push_back({name + " rate", d + dimension::kPerSecond});
      columns_.push_back({name + " acc", d + 2.0 * dimension::kPerSecond});
    }
  firstGauge_ = static_cast<int>(columns_.size());
  for (const auto& g : r_.gauges) {
    columns_.push_back({g.name, g.dimension});
    jerks_ = jerks_ || g.kind == model::GaugeKind::jointJerk;
  }
}

void Measurer::prepare(const TravelStep& step) {
  if (jerks_)
    run_.jerks(step, qddd_);
  else
    qddd_.assign(step.qd.size(), 0.0);
  solver_.motion(step.c, step.qd, step.qdd, qddd_, nodes_);
  loadsKnown_ = false;
  const System& s = run_.system();
  poses_.resize(r_.links.size());
  for (std::size_t i = 0; i < r_.links.size(); ++i) {
    poses_[i] = nodes_[u(s.nodeOfLink[i])].pose() * s.linkInNode[i];
    poses_[i].p += s.middle;
  }
}

void Measurer::linkPoses(const TravelStep& step, std::vector<Pose>& out) {
  solver_.forward(step.c);
  out.resize(r_.links.size());
  for (std::size_t i = 0; i < r_.links.size(); ++i) out[i] = solver_.linkPose(static_cast<int>(i));
}

PoseJet Measurer::linkJet(int link) const {
  const System& s = run_.system();
  PoseJet j = nodes_[u(s.nodeOfLink[u(link)])] * s.linkInNode[u(link)];
  j.p[0] += s.middle;
  return j;
}
PoseJet Measurer::relative(int link, int in) const {
  return in < 0 ? linkJet(link) : inverse(linkJet(in)) * linkJet(link);
}
PoseJet Measurer::relativeMotion(int link, int in, const TravelStep& step) {
  prepare(step);
  return relative(link, in);
}

ScalarJet Measurer::value(const Resolved::ValueRef& ref, const TravelStep& step) const {
  if (ref.joint < 0) return {0, 0, 0, 0};
  const System& s = run_.system();
  const int index = s.compiledJoint(ref.joint);
  if (index < 0) return {kNone, kNone, kNone, kNone};
  ScalarJet j = kinematics::valueOf(s, index, ref.value, step.c, step.qd.data(), step.qdd.data(), qddd_.data());
  for (double& x : j)
    if (!std::isfinite(x)) x = kNone;
  return j;
}

Pose Measurer::seatPose(const std::pair<int, int>& seat) const {
  return poses_[u(seat.first)] * r_.links[u(seat.first)].seats[u(seat.second)].frame;
}

/// Position, velocity or acceleration as seen from the link `in`, in its axes.
double Measurer::pointGauge(const Resolved::GaugeR& g) const {
  const auto& seat = g.seats[0];
  const VecJet x = relative(seat.first, g.in).point(r_.links[u(seat.first)].seats[u(seat.second)].frame.p);
  return component(x[g.kind == model::GaugeKind::pointPosition   ? 0
                     : g.kind == model::GaugeKind::pointVelocity ? 1
                                                                 : 2],
                   g.component);
}

double Measurer::linkGauge(const Resolved::GaugeR& g) const {
  const PoseJet j = relative(g.links[0], g.in);
  return component(g.kind == model::GaugeKind::linkRate ? j.spin() : j.spinRate(), g.component);
}

double Measurer::angleGauge(const Resolved::GaugeR& g) const {
  const Vec3 a = seatPose(g.seats[0]).R.col(2), b = seatPose(g.seats[1]).R.col(2);
  if (!g.about) return std::atan2(a.cross(b).norm(), a.dot(b));
  const Vec3 z = seatPose(*g.about).R.col(2);
  const Vec3 pa = a - a.dot(z) * z, pb = b - b.dot(z) * z;
  if (pa.norm() < 1e-12 || pb.norm() < 1e-12) return kNone;
  return std::atan2(pa.cross(pb).dot(z), pa.dot(pb));
}

/// In which direction a point of a follower is guided: along its slide, or square to the lever of its pivot; a roller
/// that turns about its own middle is guided by what carries it.
Vec3 Measurer::followerDirection(const Resolved::CamPairR& pair, const Vec3& at) const {
  std::vector<int> links{pair.followerLink};
  for (std::size_t k = 0; k < links.size(); ++k) {
    const int link = links[k];
    for (const auto& j : r_.joints) {
      if (!j.enabled || (j.linkA != link && j.linkB != link)) continue;
      const int other = j.linkA == link ? j.linkB : j.linkA;
      if (other == pair.camLink && !r_.links[u(other)].ground) continue;
      const Pose frame = poses_[u(j.linkA)] * j.seatA;
      if (j.kind == model::JointKind::prismatic) return frame.R.col(2);
      if (j.kind == model::JointKind::revolute) {
        const Vec3 across = frame.R.col(2).cross(at - frame.p);
        if (across.norm() > 1e-9 * run_.system().size) return across.normalized();
      }
      if (std::find(links.begin(), links.end(), other) == links.end() && !r_.links[u(other)].ground)
        links.push_back(other);
    }
  }
  return Vec3::Zero();
}

/// Pressure angle (between the normal at the contact and the follower's direction, 0 to 90 degrees) or curvature of the
/// cam at the contact, positive where it bulges towards the follower.
double Measurer::camGauge(const Resolved::GaugeR& g, const TravelStep& step) const {
  const System& s = run_.system();
  const auto& pair = r_.camPairs[u(g.pair)];
  for (const auto& j : s.joints) {
    if (j.pair != g.pair) continue;
    const double at = step.c.q[u(j.firstDof)];
    if (g.kind == model::GaugeKind::curvature)
      return pair.cam->curvature(at) * pair.cam->windingSign() * (pair.inside ? -1 : 1);
    const Pose plane = poses_[u(pair.camLink)] * pair.camSeat;
    const Vec3 tangent = plane.R * pair.cam->at(at)[1].normalized();
    const Vec3 normal = tangent.cross(plane.R.col(2));
    const bool centre = pair.kind == model::ContactKind::roller || pair.kind == model::ContactKind::point;
    const Vec3 point =
        centre ? Vec3((poses_[u(pair.followerLink)] * pair.followerSeat).p) : plane * pair.cam->at(at)[0];
    const Vec3 way = followerDirection(pair, point);
    if (way.norm() == 0) return kNone;
    return std::atan2(normal.cross(way).norm(), std::abs(normal.dot(way)));
  }
  return kNone;
}

std::optional<Vec3> instantCentre(const PoseJet& motion) {
  const Vec3 w = motion.spin();
  const double square = w.squaredNorm();
  if (!(square > 1e-24)) return std::nullopt;
  return Vec3(motion.p[0] + w.cross(motion.p[1]) / square);
}

/// The part of a direction (ground axes) that lies in the plane of a planar mechanism.
Vec3 Measurer::alongPlane(const Vec3& v) const {
  const Vec3 normal = poses_[0].R * r_.normals[0];
  return v - v.dot(normal) * normal;
}

/// Angle 0..90 degrees between the lines from the joint to the next joint of each of its two links; of a planar
/// mechanism in its plane, however deep its links lie.
double Measurer::transmission(const Resolved::GaugeR& g) const {
  const auto& j = r_.joints[u(g.joint)];
  const Vec3 centre = poses_[u(j.linkA)] * j.seatA.p;
  const auto way = [&](const Vec3& to) { return r_.normals.empty() ? Vec3(to - centre) : alongPlane(to - centre); };
  const auto toNext = [&](int link) -> Vec3 {
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& other = r_.joints[i];
      if (static_cast<int>(i) == g.joint || !other.enabled || (other.linkA != link && other.linkB != link)) continue;
      const Vec3 at = other.linkA == link ? poses_[u(link)] * other.seatA.p : poses_[u(link)] * other.seatB.p;
      if (other.kind == model::JointKind::prismatic)  // the line of a slide is its axis
        return other.linkA == link ? Vec3(poses_[u(link)].R * other.seatA.R.col(2))
                                   : Vec3(poses_[u(link)].R * other.seatB.R.col(2));
      if (const Vec3 w = way(at); w.norm() > 1e-12) return w;
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
  if (g.kind == model::GaugeKind::jointValue) return value(g.values[0], step)[0];
  if (g.kind == model::GaugeKind::jointRate) return value(g.values[0], step)[1];
  if (g.kind == model::GaugeKind::jointAcceleration) return value(g.values[0], step)[2];
  if (g.kind == model::GaugeKind::jointJerk) return value(g.values[0], step)[3];
  if (g.kind == model::GaugeKind::velocityRatio) {
    const double bottom = value(g.values[1], step)[1];
    return std::abs(bottom) < 1e-12 ? kNone : value(g.values[0], step)[1] / bottom;
  }
  if (g.kind == model::GaugeKind::pressureAngle || g.kind == model::GaugeKind::curvature) return camGauge(g, step);
  if (g.kind == model::GaugeKind::formula) return formula(*g.formula, step);
  if (isOfLoads(g.kind)) {
    if (!loads_) return kNone;
    if (!loadsKnown_) loads_->at(step, nodes_);
    loadsKnown_ = true;
    return loads_->gauge(index);
  }
  if (isOfPoint(g.kind)) return pointGauge(g);
  if (isOfLink(g.kind)) return linkGauge(g);
  if (g.kind == model::GaugeKind::distance) {
    const Vec3 way = seatPose(g.seats[0]).p - seatPose(g.seats[1]).p;
    return (g.inPlane ? alongPlane(way) : way).norm();
  }
  if (g.kind == model::GaugeKind::distancePlane) {
    const Pose a = seatPose(g.seats[0]);
    return a.R.col(2).dot(seatPose(g.seats[1]).p - a.p);
  }
  if (g.kind == model::GaugeKind::distanceAxis) {
    const Pose a = seatPose(g.seats[0]);
    return a.R.col(2).cross(seatPose(g.seats[1]).p - a.p).norm();
  }
  if (g.kind == model::GaugeKind::angle) return angleGauge(g);
  if (g.kind == model::GaugeKind::transmissionAngle) return transmission(g);
  if (g.kind == model::GaugeKind::clearance && clearance_ && !later_) return clearance_(g.links[0], g.links[1], poses_);
  return kNone;
}

double Measurer::formula(const Resolved::FormulaR& f, const TravelStep& step) const {
  const double v = f.at([&](const Symbol& s) {
                      if (s.id == 0) return Jet(step.t);
                      for (const auto& [name, ref] : f.values)
                        if (name == s) return Jet(value(ref, step)[0]);
                      return Jet(0);
                    }).v;
  return std::isfinite(v) ? v : kNone;
}

double Measurer::overlay(int index, const TravelStep& step) {
  const auto& g = r_.gauges[u(index)];
  if (g.over) {
    prepare(step);
    return formula(*g.over, step);
  }
  const auto& p = g.overPoints;
  const double x = run_.axisAt(step.t);
  if (p.empty() || x < p.front().first || x > p.back().first) return kNone;
  const auto next =
      std::upper_bound(p.begin() + 1, p.end() - 1, x, [](double v, const auto& q) { return v < q.first; });
  const auto& a = *std::prev(next);
  return a.second + (next->second - a.second) * (x - a.first) / (next->first - a.first);
}

double Measurer::gauge(int index, const TravelStep& step) {
  prepare(step);
  return gaugePrepared(index, step);
}

void Measurer::gauges(const std::vector<int>& indices, const TravelStep& step, double* out) {
  prepare(step);
  for (const int g : indices) *out++ = gaugePrepared(g, step);
}

void Measurer::row(const TravelStep& step, std::vector<double>& out) {
  prepare(step);
  out.clear();
  out.push_back(step.t);
  for (std::size_t i = 0; i < r_.joints.size(); ++i) {
    const std::size_t count = model::infoOf(r_.joints[i].kind).values.size();
    for (std::size_t v = 0; v < count; ++v) {
      const ScalarJet m = value({static_cast<int>(i), static_cast<int>(v)}, step);
      out.insert(out.end(), {m[0], m[1], m[2]});
    }
  }
  for (std::size_t g = 0; g < r_.gauges.size(); ++g) out.push_back(gaugePrepared(static_cast<int>(g), step));
}

/// Angles of balls are told between -180 and 180 degrees: in a table they count on over whole turns.
static void unwrap(TravelRun& run, const std::vector<double>& before, std::vector<double>& row) {
  std::size_t column = 1;
  const auto& joints = run.resolved().joints;
  for (std::size_t i = 0; i < joints.size(); ++i) {
    const int compiled = run.system().compiledJoint(static_cast<int>(i));
    const auto& values = model::infoOf(joints[i].kind).values;
    for (std::size_t v = 0; v < values.size(); ++v, column += 3) {
      if (compiled < 0 || !values[v].angle || run.system().dofOf({static_cast<int>(i), static_cast<int>(v)}) >= 0)
        continue;
      if (values[v].drivable) row[column] = before[column] + std::remainder(row[column] - before[column], 2 * kPi);
    }
  }
}

namespace {

/// Rows whose clearances are still to be measured, for many at once.
class Waiting {
 public:
  Waiting(const Resolved& r, const ClearanceAlong& along, int firstGauge) : along_(along) {
    if (!along_) return;
    for (std::size_t g = 0; g < r.gauges.size(); ++g)
      if (r.gauges[g].kind == model::GaugeKind::clearance)
        gauges_.push_back({r.gauges[g].links[0], r.gauges[g].links[1], u(firstGauge) + g});
  }
  bool any() const { return !gauges_.empty(); }
  /// @return true if it is time to fill them in
  bool add(const std::vector<Pose>& poses) {
    if (count_ == poses_.size()) poses_.emplace_back();
    poses_[count_++] = poses;
    return count_ == atOnce_;
  }
  /// Fills in the last rows of a table. @return the first of them
  std::size_t fill(std::vector<std::vector<double>>& rows, Progress* progress) {
    poses_.resize(count_);
    out_.assign(count_, kNone);  // what a cancel leaves open has no value
    const std::size_t first = rows.size() - count_;
    for (const auto& g : gauges_) {
      if (count_ > 0) along_(g.a, g.b, poses_, out_.data(), progress);
      for (std::size_t i = 0; i < count_; ++i) rows[first + i][g.column] = out_[i];
    }
    count_ = 0;
    atOnce_ = 256;
    return first;
  }

 private:
  struct Gauge {
    int a, b;
    std::size_t column;
  };
  const ClearanceAlong& along_;
  std::vector<Gauge> gauges_;
  std::vector<std::vector<Pose>> poses_;
  std::size_t count_ = 0, atOnce_ = 32;  ///< few at first: something is to be seen at once
  std::vector<double> out_;
};

}  // namespace

RunResult tabulate(TravelRun& run, Measurer& measurer, Progress* progress, const RowSink& sink) {
  RunResult result;
  result.columns = measurer.columns();
  for (const auto& d : run.resolved().drives) result.driveNames.push_back(d.name);
  const auto expected = u(std::min(run.settings().steps, 1000000)) + 2;
  result.rows.reserve(expected);
  result.axis.reserve(expected);
  Waiting waiting(run.resolved(), measurer.along_, measurer.firstGauge_);
  const auto tell = [&](std::size_t from) {
    for (std::size_t i = from; i < result.rows.size(); ++i) {
      if (i > 0) unwrap(run, result.rows[i - 1], result.rows[i]);
      if (sink) sink(result.rows[i], result.axis[i]);
    }
  };
  const auto take = [&](const TravelStep& s) {
    result.rows.emplace_back();
    measurer.later_ = waiting.any();
    measurer.row(s, result.rows.back());
    measurer.later_ = false;
    result.axis.push_back(run.axisAt(s.t));
    if (!waiting.any())
      tell(result.rows.size() - 1);
    else if (waiting.add(measurer.poses_))
      tell(waiting.fill(result.rows, progress));
  };
  if (!measurer.asksRun()) {  // measured as they come
    result.travel = run.run(progress, take);
  } else {  // what a jerk or a contact asks is busy until the run is over
    result.travel = run.run(progress);
    for (const TravelStep& s : result.travel.steps) {
      take(s);
      if (progress && progress->cancelled()) {
        result.travel.cancelled = true;
        break;
      }
    }
  }
  tell(waiting.fill(result.rows, progress));
  const int axis = run.settings().axis;
  const bool time = axis < 0 || run.activeDrive(axis) < 0;
  result.axisName = time ? "t" : run.resolved().drives[u(axis)].name;
  result.axisDimension = dimension::kTime;
  if (!time) {
    result.axisDimension = run.resolved().drives[u(axis)].dimension;
  }
  return result;
}

}  // namespace cooperage::kinematics
