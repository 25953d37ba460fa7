// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/travel.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "kinematics/values.h"

namespace cooperage::kinematics {

using model::Resolved;

int TravelRun::activeDrive(int drive) const {
  for (std::size_t i = 0; i < drives_.size(); ++i)
    if (drives_[i].drive == drive) return static_cast<int>(i);
  return -1;
}

/// First time after t and before a limit at which a programme's row begins (going back: at which it ends), or at which
/// the programmes' start is reached going back; the limit if there is none.
double TravelRun::nextProgrammeKnot(double t, double limit) const {
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

double TravelRun::nextKnot(double t, double limit) const {
  const double next = nextProgrammeKnot(t, limit);
  return pushed_ ? std::min(next, pushed_->nextKnot(t, next)) : next;
}

void TravelRun::driveOnly(double t, double* q, double* qd, double* qdd) const {
  int direction = 1;
  double tau = tauAt(t, direction);
  if (direction < 0) tau = std::max(0.0, std::nextafter(tau, 0.0));  // at a knot: the row that is gone through now
  for (const ActiveDrive& d : drives_) {
    const motion::MotionState m = d.programme.at(tau);
    q[d.dof] = m.position;
    qd[d.dof] = direction * m.velocity;
    qdd[d.dof] = m.acceleration;
  }
}

void TravelRun::drive(double t, TravelStep& s, bool arriving) const {
  s.t = t;
  driveOnly(t, s.c.q.data(), s.qd.data(), s.qdd.data());
  if (pushed_) pushed_->at(t, arriving, s.c.q.data(), s.qd.data(), s.qdd.data());
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
  if (pushed_) pushedJerks(step.t, qddd);
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

double TravelRun::advanceTo(TravelStep& s, double t) {
  const auto driveNow = [this](double x, TravelStep& step) { drive(x, step, true); };
  return advance(s, t, 1e-13 * settings().duration, driveNow);
}

bool TravelRun::stepTo(TravelStep& s, double t) { return advanceTo(s, t) >= t; }

/// From home to the start values of the programmes, unrecorded.
bool TravelRun::goToStart(TravelStep& s, Travel& travel) {
  if (pushed_) return goToStartPushing(s, travel);
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
                               wordFor(e.kind),
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
      if (pushed_ && pushed_->reach(t, progress) < t && progress && progress->cancelled()) {
        travel.cancelled = true;
        return travel;
      }
      double target = nextKnot(s.t, t);
      auto contradiction = contradictionIn(s.t, target);
      if (const auto jam = pushed_ ? jamIn(s.t, target) : std::nullopt;
          jam && (!contradiction || jam->t < contradiction->t))
        contradiction = jam;
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
        const bool doubtful = !pushed_ && !crossingAt(s.t) && (!reached || nearSingular() || ratesJump(before, s));
        if (doubtful && !settings.reverseAtLimit && cross(travel.steps, s)) {
          s = onCrossing(*crossingAt(s.t), s.t);
          if (s.t < target && !stopBetween(before, s)) continue;
          reached = s.t >= target;
        }
      }
      const auto stop = stopBetween(before, s);
      watchMarks(before, s, travel);
      if (!stop && reached && !contradiction) {
        if (pushed_ && pushed_->isKnot(target)) passKnot(s);
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
      const bool jammed = contradiction && contradiction->kind == EndKind::jammed;
      if ((!contradiction || jammed) && !none && settings.reverseAtLimit && s.t > folds_.back().t &&
          turnBack(s, t, !stop && !jammed, travel))
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
      drive(t, s, true);
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
  pickAt(out.c);
  if (t > out.t) {
    const bool reached = pushed_ ? onwards(out, t) : goTo(out, t);
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
  const bool reached = onwards(out, t);
  history_ = marked_ = false;
  return reached;
}

/// From a pose of the travel on to a later time, from knot to knot.
bool TravelRun::onwards(TravelStep& out, double t) {
  marked_ = false;
  while (out.t < t) {
    const double target = nextKnot(out.t, t);
    if (!goTo(out, target)) break;
    if (pushed_ && pushed_->isKnot(target)) passKnot(out);
    if (target < t && !crossingAt(target)) {
      drive(target, out);
      finish(out);
    }
  }
  return out.t >= t;
}

}  // namespace cooperage::kinematics
