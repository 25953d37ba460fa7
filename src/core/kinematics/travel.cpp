// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/travel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kinematics/values.h"

namespace cooperage::kinematics {

using model::Resolved;

namespace {
std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr double kStopSlack = 1e-9;  // rad, or of size: a value on its stop is not past it
}  // namespace

Result<std::unique_ptr<TravelRun>> TravelRun::prepare(const Resolved& resolved, int run, const Assembled* assembled) {
  std::unique_ptr<TravelRun> r(new TravelRun(resolved, run));
  const bool whole = !r->leaveOut();
  const auto& settings = r->settings();
  if (assembled &&
      (!whole || assembled->fit.fitAngle != settings.fitAngle || assembled->fit.fitLength != settings.fitLength))
    assembled = nullptr;
  if (assembled) {
    r->system_ = assembled->system;
  } else {
    auto system = System::compile(r->resolved_);
    if (!system.ok()) return system.error();
    r->system_ = std::make_shared<const System>(std::move(system).value());
  }
  if (const Status s = r->setUp(assembled); !s.ok()) return s.error();
  return r;
}

std::unique_ptr<TravelRun> TravelRun::twin() const {
  std::unique_ptr<TravelRun> other(new TravelRun(*this));
  other->solver_ = std::make_shared<Solver>(*solver_);  // the one thing that is written while poses are asked for
  return other;
}

/// What does not act in this run: its own choice of joints, couplings and contacts, and drives that it does not name.
/// @return whether anything was left out that acts otherwise
bool TravelRun::leaveOut() {
  const auto settings = resolved_.runs[u(run_)];
  bool less = false;
  const auto off = [&](bool& enabled) {
    less = less || enabled;
    enabled = false;
  };
  for (int j : settings.offJoints) off(resolved_.joints[u(j)].enabled);
  for (int c : settings.offCouplings) off(resolved_.couplings[u(c)].enabled);
  for (int p : settings.offPairs) off(resolved_.camPairs[u(p)].enabled);
  if (settings.drives.empty()) return less;  // nothing is driven: a count of freedoms asks for all of them
  for (std::size_t d = 0; d < resolved_.drives.size(); ++d)
    if (std::find(settings.drives.begin(), settings.drives.end(), static_cast<int>(d)) == settings.drives.end())
      off(resolved_.drives[d].enabled);
  return less;
}

void TravelRun::makeWatches() {
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const auto& j = resolved_.joints[i];
    const int compiled = system_->compiledJoint(static_cast<int>(i));
    if (compiled < 0) continue;
    const auto& values = model::infoOf(j.kind).values;
    for (std::size_t v = 0; v < values.size(); ++v) {
      double low = j.low[v] ? *j.low[v] : -1e300, high = j.high[v] ? *j.high[v] : 1e300;
      if (j.kind == model::JointKind::pointCurve && v == 0 && j.curve && !j.curve->closed()) {
        low = std::max(low, j.curve->low());  // the ends of an open curve stop its point
        high = std::min(high, j.curve->high());
      }
      if (low <= -1e300 && high >= 1e300) continue;
      const int dof = system_->dofOf({static_cast<int>(i), static_cast<int>(v)});
      const double unit = values[v].angle ? 1 : values[v].plain ? std::max(1e-12, high - low) : system_->size;
      watches_.push_back({static_cast<int>(i), static_cast<int>(v), compiled, dof, low, high,
                          kStopSlack * (std::isfinite(unit) && unit < 1e100 ? unit : 1)});
    }
  }
}

std::unique_ptr<Solver> TravelRun::makeSolver(bool fine) const {
  Solver::Options options = HomeOptions{settings().fitAngle, settings().fitLength}.solver();
  if (fine) options.rankTolerance = 1e-9;
  auto solver = std::make_unique<Solver>(*system_, drivenDofs_, options);
  solver->setHome(home_.configuration);
  return solver;
}

Status TravelRun::setUp(const Assembled* assembled) {
  const auto& settings = this->settings();
  if (assembled) {
    home_ = assembled->home;
    mobility_ = assembled->mobility;
  } else {
    const HomeOptions fit{settings.fitAngle, settings.fitLength};
    auto home = assemble(*system_, resolved_, fit);
    if (!home.ok()) return home.error();
    home_ = std::move(home).value();
    mobility_ = analyse(*system_, resolved_, home_, fit);
  }
  messages_ = home_.messages;
  makeWatches();
  for (const Watch& w : watches_) {
    const auto& j = resolved_.joints[u(w.joint)];
    const double q = jointValue(*system_, home_.configuration, w.joint, w.value, resolved_);
    const auto& value = model::infoOf(j.kind).values[u(w.value)];
    if (q < w.low - w.slack || q > w.high + w.slack)
      return Error{"stop-at-home", j.name,
                   fmt::format("joint {}: {} is {:.6g}{} at home, outside its stops; move the stop or the home value",
                               j.name, value.name,
                               value.angle   ? q * 180 / kPi
                               : value.plain ? q
                                             : q * 1e3,
                               value.angle   ? " deg"
                               : value.plain ? ""
                                             : " mm")};
  }
  if (const Status s = makeDrives(); !s.ok()) return s;
  // rank is decided where it is the rank of the motion; then rows are chosen anew for home
  solver_ = makeSolver(false);
  solver_->pick(mobility_.generic);
  fullRank_ = solver_->rank();
  solver_->pickAgain(home_.configuration);
  const int floating = 6 * static_cast<int>(system_->floating.size());
  const int left = mobility_.left - mobility_.idle - floating;
  if (left > 0) {
    std::string names;
    for (const auto& text : mobility_.leftFreedoms) names += (names.empty() ? "" : "; ") + text;
    messages_.push_back({Severity::warning,
                         "left-over",
                         {},
                         fmt::format("{} freedom(s) are left without a drive and stay at home: {}", left, names)});
  }
  for (const auto& name : mobility_.redundantDrives)
    messages_.push_back({Severity::warning,
                         "redundant-drive",
                         {name},
                         fmt::format("drive {}: its joint is driven already by the others", name)});
  return Done{};
}

Status TravelRun::addDrive(int d) {
  const auto& settings = this->settings();
  const auto& drive = resolved_.drives[u(d)];
  if (!drive.enabled) return Done{};
  const std::string moved = drive.gauge >= 0 ? "gauge " + resolved_.gauges[u(drive.gauge)].name
                                             : "joint " + resolved_.joints[u(drive.value.joint)].name;
  const int dof = system_->dofOfDrive(resolved_, d);
  std::string tilts;  // what may be why nothing moves
  for (const Message& m : home_.messages)
    if (m.code == "tilted-axis") tilts += "; " + m.text;
  if (dof < 0)
    return Error{"drive", drive.name, fmt::format("drive {}: its {} is switched off or fixed", drive.name, moved)};
  if (std::find(mobility_.stuckDrives.begin(), mobility_.stuckDrives.end(), drive.name) != mobility_.stuckDrives.end())
    return Error{
        "stuck-drive", drive.name,
        fmt::format("drive {}: the {} cannot move; free a joint or drive another{}", drive.name, moved, tilts)};
  ActiveDrive active{d, dof, {}, home_.configuration.q[u(dof)]};
  double start = active.home;
  for (const auto& [index, value] : settings.start)
    if (index == d) start = value;
  std::vector<Resolved::RowR> rows = drive.rows;
  bool reverse = drive.reverse;
  if (settings.sweepDrive == d) {
    start = settings.sweepFrom;
    Resolved::RowR row;
    row.law = "linear";
    row.figures = {{"to", settings.sweepTo}, {"time", settings.duration}};
    rows = {row};
    reverse = false;
  }
  auto programme = motion::Programme::compile(rows, start, reverse, drive.name);
  if (!programme.ok()) return programme.error();
  active.programme = std::move(programme).value();
  if (const auto first = active.programme.at(0);
      !std::isfinite(first.position) || !std::isfinite(first.velocity) || !std::isfinite(first.acceleration))
    return Error{
        "law", drive.name,
        fmt::format("drive {}: its law has no value at the start of the run; change the formula or begin later",
                    drive.name)};
  drivenDofs_.push_back(dof);
  drives_.push_back(std::move(active));
  return Done{};
}

Status TravelRun::makeDrives() {
  for (int d : settings().drives)
    if (const Status s = addDrive(d); !s.ok()) return s;
  if (const Status s = makeDuration(); !s.ok()) return s;
  const auto hold = [&](const System::Joint& j) {
    for (int k = 0; k < j.dofs; ++k) drivenDofs_.push_back(j.firstDof + k);
  };
  for (std::size_t i = 0; i < resolved_.joints.size(); ++i) {
    const int index = system_->compiledJoint(static_cast<int>(i));
    if (resolved_.joints[i].held && index >= 0) hold(system_->joints[u(index)]);
  }
  for (int f : system_->floating) hold(system_->joints[u(f)]);
  return Done{};
}

int TravelRun::activeDrive(int drive) const {
  for (std::size_t i = 0; i < drives_.size(); ++i)
    if (drives_[i].drive == drive) return static_cast<int>(i);
  return -1;
}

/// First time after t and before a limit at which a programme's row begins (going back: at which it ends), or at which
/// the programmes' start is reached going back; the limit if there is none.
double TravelRun::nextKnot(double t, double limit) const {
  int direction = 1;
  const double tau = tauAt(t, direction), smallest = 1e-13 * settings().duration;
  double next = limit;
  if (direction > 0) {
    const auto k = std::upper_bound(knots_.begin(), knots_.end(), tau + smallest);
    if (k != knots_.end()) next = std::min(next, t + (*k - tau));
  } else {
    const auto k = std::lower_bound(knots_.begin(), knots_.end(), tau - smallest);
    const double knot = k == knots_.begin() ? 0 : *std::prev(k);
    next = std::min(next, t + (tau - knot));
  }
  return next < limit - smallest ? next : limit;
}

void TravelRun::drive(double t, TravelStep& s) const {
  s.t = t;
  int direction = 1;
  double tau = tauAt(t, direction);
  if (direction < 0) tau = std::max(0.0, std::nextafter(tau, 0.0));  // at a knot: the row that is gone through now
  for (const ActiveDrive& d : drives_) {
    const motion::MotionState m = d.programme.at(tau);
    s.c.q[u(d.dof)] = m.position;
    s.qd[u(d.dof)] = direction * m.velocity;
    s.qdd[u(d.dof)] = m.acceleration;
  }
}

bool TravelRun::jerks(const TravelStep& step, std::vector<double>& qddd) {
  if (const Crossing* c = crossingAt(step.t)) {
    onCrossing(*c, step.t, &qddd);
    return true;
  }
  qddd.assign(step.qd.size(), 0.0);
  int direction = 1;
  const double tau = tauAt(step.t, direction);
  std::vector<double> qd = step.qd, qdd = step.qdd;
  for (const ActiveDrive& d : drives_) qddd[u(d.dof)] = direction * d.programme.at(tau).jerk;
  marked_ = false;
  if (solver_->rates(step.c, qd, qdd, &qddd)) return true;
  pickAgain(step.c);
  return solver_->rates(step.c, qd, qdd, &qddd);
}

void TravelRun::approach(double share, TravelStep& s) const {
  s.t = share;
  for (const ActiveDrive& d : drives_) {
    const double way = d.programme.at(0).position - d.home;
    s.c.q[u(d.dof)] = d.home + way * share;
    s.qd[u(d.dof)] = way;
    s.qdd[u(d.dof)] = 0;
  }
}

bool TravelRun::finish(TravelStep& s) {
  marked_ = false;
  return solver_->rates(s.c, s.qd, s.qdd);
}

/// Predicts all dofs at a time h after a pose: quintic through the last two poses with their rates and accelerations,
/// else by Taylor from the last one.
void TravelRun::predict(const TravelStep& from, double h, TravelStep& out) const {
  const std::size_t n = system_->dofs.size();
  const double back = from.t - before_.t;
  const bool two = history_ && back > 0 && h <= 2.5 * back;
  const double* q = from.c.q.data();
  const double* v = from.qd.data();
  const double* a = from.qdd.data();
  if (two) {
    const double x = h / back, x3 = x * x * x, b2 = back * back;
    const double* q0 = before_.c.q.data();
    const double* v0 = before_.qd.data();
    const double* a0 = before_.qdd.data();
    for (std::size_t i = 0; i < n; ++i) {
      const double A = q0[i] - (q[i] - back * v[i] + 0.5 * b2 * a[i]);
      const double B = back * (v0[i] - v[i] + back * a[i]);
      const double D = b2 * (a0[i] - a[i]);
      const double X = -(0.5 * D + 4 * B + 10 * A), Z = X + B + 4 * A, Y = A + X + Z;
      out.c.q[i] = q[i] + h * v[i] + 0.5 * h * h * a[i] + x3 * (X + x * (Y + x * Z));
    }
  } else {
    for (std::size_t i = 0; i < n; ++i) out.c.q[i] = q[i] + h * v[i] + 0.5 * h * h * a[i];
  }
  for (std::size_t i = 0; system_->ballCount > 0 && i < n; ++i) {
    const auto& dof = system_->dofs[i];
    if (dof.ball < 0) continue;
    const Vec3 turn = Vec3(v[i], v[i + 1], v[i + 2]) * h + 0.5 * h * h * Vec3(a[i], a[i + 1], a[i + 2]);
    out.c.balls[u(dof.ball)] = Quat(rotationOf(turn) * from.c.balls[u(dof.ball)]).normalized().toRotationMatrix();
    out.c.q[i] = out.c.q[i + 1] = out.c.q[i + 2] = 0;
    i += 2;
  }
}

/// One step from a closed pose with rates to a time: predict, then correct. It is refused if a block's correction is
/// large against its step or a determinant changes sign: then another branch may have been met, and half the step
/// tells.
bool TravelRun::trial(const TravelStep& from, double to, const DriveAt& drive, TravelStep& out) {
  signsOnly_ = false;
  out.qd.resize(from.qd.size());
  out.qdd.resize(from.qdd.size());
  out.c.q.resize(from.c.q.size());
  out.c.balls.resize(from.c.balls.size());
  predict(from, to - from.t, out);
  for (int d : drivenDofs_) {  // held values have no rate of their own
    out.c.q[u(d)] = from.c.q[u(d)];
    out.qd[u(d)] = out.qdd[u(d)] = 0;
  }
  for (int d : solver_->leftOver()) out.c.q[u(d)] = from.c.q[u(d)];
  drive(to, out);
  outcome_ = solver_->step(out.c, out.qd, out.qdd, &from.c);
  if (!outcome_.closed || outcome_.ratio > 1) return false;
  if (solver_->signsKept()) return true;
  signsOnly_ = true;
  return false;
}

/// Between two poses on one smooth path a determinant has changed its sign: then it was zero in between, and the path
/// goes straight through a change point. Sure only if the step is short and its correction tiny against it, so that the
/// pose can't lie on the other branch, which leaves the point in another direction.
bool TravelRun::changesBranchPoint(const TravelStep& from, const TravelStep& to) const {
  double moved = 0;
  for (std::size_t i = 0; i < from.c.q.size(); ++i)
    moved = std::max(moved, std::abs(to.c.q[i] - from.c.q[i]) / system_->dofs[i].scale);
  return signsOnly_ && outcome_.ratio < 0.1 && moved < 4e-3;
}

/// Rows that were dropped within the fit don't agree to rounding: they may be misfit, or needed after all. If all of
/// them can be kept over this step, they are needed.
void TravelRun::tryFiner(const TravelStep& from, const TravelStep& to) {
  finerTried_ = true;
  auto fine = makeSolver(true);
  fine->pick(from.c);
  if (fine->rank() <= solver_->rank()) return;
  TravelStep s = to;
  const Solver::Outcome o = fine->step(s.c, s.qd, s.qdd, &from.c);
  if (!o.closed || o.residual > 1e-10 || o.ratio > 10) return;
  solver_ = std::move(fine);
  fine_ = true;
  fullRank_ = solver_->rank();
}

/// Chooses rows anew for a pose. At a singular one some are lost: the next time the choice begins at the generic pose.
void TravelRun::pickAgain(const Configuration& c) {
  solver_->pickAgain(c);
  if (solver_->rank() >= fullRank_) return;
  auto fresh = makeSolver(fine_);
  fresh->pick(mobility_.generic);
  fresh->pickAgain(c);
  if (fresh->rank() > solver_->rank()) solver_ = std::move(fresh);
}

/// Goes on from s towards a time, halving where a step is refused. @return the time reached
double TravelRun::advance(TravelStep& s, double to, double smallest, const DriveAt& drive) {
  double h = to - s.t;
  bool again = false;
  if (!marked_) {
    history_ = false;
    if (!solver_->rates(s.c, s.qd, s.qdd)) {
      pickAgain(s.c);
      solver_->rates(s.c, s.qd, s.qdd);
    }
    solver_->markSigns();
    marked_ = true;
  }
  while (s.t < to) {
    const double target = s.t + h >= to - smallest ? to : s.t + h;
    bool ok = trial(s, target, drive, next_);
    if (!ok && changesBranchPoint(s, next_)) {
      changePoints_.push_back(target);
      ok = true;
    }
    if (ok && !finerTried_ && outcome_.residual > 1e-9 + 2 * home_.misfit) {
      const Solver* coarse = solver_.get();
      tryFiner(s, next_);
      if (solver_.get() != coarse) {  // go this step again with all rows
        solver_->rates(s.c, s.qd, s.qdd);
        solver_->markSigns();
        history_ = false;
        continue;
      }
    }
    if (ok) {
      std::swap(before_, s);
      std::swap(s, next_);
      history_ = true;
      if (settings().reverseAtLimit && target - before_.t > 1e-6 * settings().duration) anchor_ = s;
      solver_->markSigns();
      h = std::min(to - s.t, 2 * (target - before_.t));
      again = false;
      if (solver_->pivotShare() < 0.1 && solver_->leastPivot() > 1e-8) {  // the rows chosen elsewhere are badly placed
        pickAgain(s.c);
        solver_->rates(s.c, s.qd, s.qdd);
        solver_->markSigns();
      }
      continue;
    }
    if (!again) {
      again = true;
      const int rank = solver_->rank();
      pickAgain(s.c);
      if (!solver_->rates(s.c, s.qd, s.qdd) || solver_->rank() < rank) break;
      solver_->markSigns();
      continue;
    }
    h *= 0.5;
    if (h < smallest) break;
  }
  return s.t;
}

double TravelRun::advanceTo(TravelStep& s, double t) {
  const auto driveNow = [this](double x, TravelStep& step) { drive(x, step); };
  return advance(s, t, 1e-13 * settings().duration, driveNow);
}

bool TravelRun::stepTo(TravelStep& s, double t) { return advanceTo(s, t) >= t; }

/// From home to the start values of the programmes, unrecorded.
bool TravelRun::goToStart(TravelStep& s, Travel& travel) {
  if (std::none_of(drives_.begin(), drives_.end(),
                   [](const ActiveDrive& d) { return std::abs(d.programme.at(0).position - d.home) > 1e-12; }))
    return true;
  approach(0, s);
  finish(s);
  const auto come = [this](double t, TravelStep& x) { approach(t, x); };
  for (int k = 1; k <= 64; ++k) {
    if (advance(s, k / 64.0, 1e-12, come) >= k / 64.0) continue;
    Ended e = failure(s, 0);
    e.at = axisAt(0);
    e.t = 0;
    std::string open = e.gap > 1e-9 * system_->size && !e.joint.empty()
                           ? fmt::format("; joint {} would have to open by {:.6g} mm", e.joint, e.gap * 1e3)
                           : "";
    for (const auto& [d, value] : e.drives)
      open += fmt::format("; drive {} gets no farther than {}", resolved_.drives[u(d)].name, valueText(d, value));
    travel.messages.push_back({Severity::error,
                               e.kind,
                               {e.joint},
                               fmt::format("the start of run {} can't be reached from home{}", settings().name, open)});
    travel.ended = std::move(e);
    return false;
  }
  return true;
}

/// Do the rates of a pose have nothing to do with those of the pose before? A pose on a change point closes, but its
/// rates are what rounding makes of them.
static bool ratesJump(const TravelStep& from, const TravelStep& to) {
  const double h = to.t - from.t;
  double most = 0, off = 0;
  for (std::size_t i = 0; i < to.qd.size(); ++i) {
    most = std::max({most, std::abs(from.qd[i]), std::abs(to.qd[i])});
    off = std::max(off, std::abs(to.qd[i] - from.qd[i] - h * from.qdd[i]));
  }
  return off > 0.05 * most;
}

Travel TravelRun::run(Progress* progress, const StepSink& sink) {
  Travel travel;
  travel.messages = messages_;
  const auto& settings = this->settings();
  folds_ = {{0, 0, 1}};
  changePoints_.clear();
  crossings_.clear();
  largestPivot_ = 0;
  open_.clear();
  history_ = marked_ = false;
  TravelStep s;
  s.c = home_.configuration;
  s.qd.assign(system_->dofs.size(), 0.0);
  s.qdd = s.qd;
  if (!goToStart(s, travel)) return travel;
  drive(0, s);
  pickAgain(s.c);
  solver_->close(s.c);
  if (!finish(s) || solver_->rank() < fullRank_)
    travel.messages.push_back(
        {Severity::warning,
         "singular-start",
         {settings.name},
         fmt::format("run {}: it starts at a singular pose, where the links can go more than one way and rates are not "
                     "defined; move the home pose off it",
                     settings.name)});
  const auto disagree = [&](const TravelStep& at) {
    if (mobility_.redundantDrives.empty() || ratesAgree(at)) return false;
    travel.ended = failure(at, settings.duration);
    tellEnd(travel);
    return true;
  };
  travel.steps.reserve(u(std::min(settings.steps, 1000000)) + 2);
  const auto record = [&] {
    travel.steps.push_back(s);
    if (sink) sink(s);
  };
  record();
  if (disagree(s)) return travel;
  anchor_ = s;
  TravelStep before;
  for (int k = 1; k <= settings.steps; ++k) {
    const double t = k == settings.steps ? settings.duration : settings.duration * k / settings.steps;
    while (s.t < t) {
      double target = nextKnot(s.t, t);
      const auto contradiction = contradictionIn(s.t, target);
      if (contradiction) target = contradiction->t;
      before = s;
      const auto none = contradiction ? std::nullopt : withoutValue(s.t, target);
      bool reached = !none;
      if (none) {
        // the poses up to here stand
      } else {
        const Crossing* on = crossingAt(s.t);
        reached = goTo(s, target);
        if (const Crossing* c = crossingAt(s.t); c && c != on) changePoints_.push_back(s.t);
        const bool doubtful = !crossingAt(s.t) && (!reached || nearSingular() || ratesJump(before, s));
        if (doubtful && !settings.reverseAtLimit && cross(travel.steps, s)) {
          s = onCrossing(*crossingAt(s.t), s.t);
          if (s.t < target && !stopBetween(before, s)) continue;
          reached = s.t >= target;
        }
      }
      const auto stop = stopBetween(before, s);
      watchMarks(before, s, travel);
      if (!stop && reached && !contradiction) {
        if (target < t) {  // a knot: rates of the row that begins
          int direction = 1;
          if (tauAt(target, direction) <= 1e-13 * settings.duration && direction < 0) folds_.push_back({target, 0, 1});
          if (const Crossing* c = crossingAt(target)) {
            s = onCrossing(*c, target);
          } else {
            drive(target, s);
            finish(s);
          }
          if (disagree(s)) {
            if (s.t > travel.steps.back().t) record();
            closeMarks(s.t, travel);
            return travel;
          }
        }
        continue;
      }
      if (!contradiction && !none && settings.reverseAtLimit && s.t > folds_.back().t && turnBack(s, t, !stop, travel))
        continue;
      travel.ended = stop ? stop : contradiction ? contradiction : none ? none : std::optional<Ended>(failure(s, t));
      if (s.t > travel.steps.back().t || stop) record();
      if (!stop && !contradiction && contactAtItsEnd(s) >= 0)
        travel.marks.push_back({"contact-lost", travel.ended->joint, travel.ended->at, travel.ended->at});
      closeMarks(s.t, travel);
      tellEnd(travel);
      return travel;
    }
    if (k == settings.steps && !crossingAt(t)) {
      drive(t, s);
      finish(s);
    }
    record();
    if (progress) {
      progress->report(static_cast<double>(k) / settings.steps);
      if (progress->cancelled()) {
        travel.cancelled = true;
        return travel;
      }
    }
  }
  closeMarks(s.t, travel);
  travel.completed = true;
  return travel;
}

bool TravelRun::poseAt(const Travel& travel, double t, TravelStep& out) {
  if (travel.steps.empty()) return false;
  const auto& steps = travel.steps;
  t = std::clamp(t, steps.front().t, steps.back().t);
  auto it = std::lower_bound(steps.begin(), steps.end(), t, [](const TravelStep& s, double x) { return s.t < x; });
  if (it == steps.end()) --it;
  if (it->t == t) {
    out = *it;
    return true;
  }
  // rows chosen at the nearest step: what was asked before must not show in the last digit
  history_ = marked_ = false;
  if (const Crossing* c = crossingAt(t)) {
    out = onCrossing(*c, t);
    return true;
  }
  if (it != steps.begin() && t - std::prev(it)->t <= it->t - t) --it;
  // nearest stored step; going back works as going on does, with a negative step, unless a knot lies between
  out = *it;
  if (const Crossing* c = crossingAt(out.t)) out = leave(*c, out.t, t);
  if (out.t == t) return true;
  pickAgain(out.c);
  if (t > out.t) {
    const bool reached = goTo(out, t);
    history_ = marked_ = false;
    return reached;
  }
  const double nearest = out.t;
  TravelStep back = out;
  const auto driveNow = [this](double x, TravelStep& s) { drive(x, s); };
  if (nextKnot(t, nearest) >= nearest && solver_->rates(back.c, back.qd, back.qdd)) {
    solver_->markSigns();
    if (trial(back, t, driveNow, out)) return true;
  }
  if (it == steps.begin()) return false;
  out = *std::prev(it);
  marked_ = false;
  while (out.t < t) {
    const double target = nextKnot(out.t, t);
    if (!goTo(out, target)) break;
    if (target < t && !crossingAt(target)) {
      drive(target, out);
      finish(out);
    }
  }
  history_ = marked_ = false;
  return out.t >= t;
}

}  // namespace cooperage::kinematics
