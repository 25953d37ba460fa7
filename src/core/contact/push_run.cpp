// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/push_run.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/push_parts.h"

namespace cooperage::contact {

using push::Configuration;
using push::has;
using push::valuesIn;

namespace {

constexpr double kTolerance = 1e-13;  // of the mechanism's size: what a gap may be below zero
constexpr double kPull = 1e-11;       // of the largest multiplier: what is no pulling yet
constexpr int kMostAtOnce = 30;       // phases that are over as they begin
constexpr double kTiny = 1e-4;        // of a step: over which it is found what is held next

}  // namespace

PushRun::PushRun(std::unique_ptr<PushModel> model) : model_(std::move(model)), held_(*model_) {
  tolerance_ = kTolerance * std::max(model_->size3(), 1e-3);
}

std::unique_ptr<kinematics::FreedomSource> PushRun::clone() const {
  auto out = std::make_unique<PushRun>(std::make_unique<PushModel>(*model_));
  out->phases_ = phases_;
  out->now_ = now_;
  out->goesOn_ = goesOn_;
  out->until_ = until_;
  out->lost_ = lost_;
  out->jam_ = jam_;
  out->events_ = events_;
  out->before_ = before_;
  out->fell_ = fell_;
  out->first_ = first_;
  out->pace_ = pace_;
  return out;
}

void PushRun::begin(double t, double until, const Configuration& c) {
  phases_.clear();
  events_.clear();
  jam_.reset();
  before_.clear();
  goesOn_ = fell_ = false;
  lost_.reset();
  first_ = true;
  shorts_ = 0;
  pace_ = 1e300;
  until_ = until;
  now_ = State{};
  now_.t = t;
  now_.c = c;
  now_.q = valuesIn(c, model_->pushed());
  now_.v = now_.a = Vector::Zero(model_->size());
}

void PushRun::forgetAfter(double t, double until) {
  State s;
  if (const Phase* p = phaseAt(t, true); p && stateAt(*p, t, s)) now_ = s;
  phases_.erase(std::remove_if(phases_.begin(), phases_.end(), [&](const Phase& p) { return p.from >= t; }),
                phases_.end());
  if (!phases_.empty()) {
    Phase& p = phases_.back();
    p.to = t;
    p.knots.erase(std::remove_if(p.knots.begin(), p.knots.end(), [&](const State& k) { return k.t > t; }),
                  p.knots.end());
    if (p.knots.back().t < t) p.knots.push_back(now_);
    before_ = p.held;
  }
  events_.erase(std::remove_if(events_.begin(), events_.end(), [&](const auto& e) { return e.t >= t; }), events_.end());
  if (jam_ && jam_->t >= t) jam_.reset();
  goesOn_ = fell_ = false;
  lost_.reset();
  pace_ = 1e300;
  until_ = until;
}

/// Does what a phase holds still hold at a state that it came to? @param to after go() there
PushRun::Why PushRun::valid(const Phase& p, State& to) {
  // nothing is deeper than points have come from where nothing overlapped
  model_->near(0, std::min(2 * model_->quarter(), 1.01 * model_->farthest(sound_) + 1e-9), rows_);
  broken_ = Break{};
  for (const GapRow& r : rows_)
    if (const double left = r.gap + 2 * tolerance_; left < broken_.measure && !has(p.held, r.key)) {
      broken_.gap = r.key;
      broken_.measure = left;
    }
  if (broken_.gap) return Why::touch;
  GapRow row;
  for (std::size_t i = 0; i < p.held.size(); ++i) {
    broken_.held = static_cast<int>(i);
    broken_.measure = std::nan("");
    if (!model_->one(p.held[i], row)) return Why::window;
    if (row.within && (!p.facing[i] || row.facing)) continue;
    if (p.facing[i]) broken_.measure = model_->room(p.held[i]);
    return Why::window;
  }
  pulls_.reset();
  determined_ = p.determined;
  const Push& push = pushOf(p.held, to.t);
  determined_ = push.determined;
  if (!push.blocked) return Why::fall;
  double most = 0, mostForce = 0;
  for (std::size_t i = 0; i < p.held.size(); ++i) {
    most = std::max(most, std::abs(push.byMotion[i]));
    mostForce = std::max(mostForce, std::abs(push.byForce[i]));
  }
  for (std::size_t i = 0; i < p.held.size(); ++i) {
    broken_.held = static_cast<int>(i);
    broken_.byForce = push.byForce[i] < -kPull * mostForce && mostForce > 0;
    broken_.measure = broken_.byForce ? push.byForce[i] + kPull * mostForce : push.byMotion[i] + kPull * most;
    if (push.byForce[i] > kPull * mostForce && mostForce > 0) continue;
    if (broken_.byForce) {
      pulls_ = p.held[i];
      return Why::pull;
    }
    if (push.byMotion[i] < -kPull * most) return Why::pull;
  }
  return Why::none;
}

/// How far a step may go: no point by more than a quarter of the thinnest part, no drive by more than 3 degrees.
double PushRun::stepFrom(const State& s) {
  const double limit = std::min(until_, model_->drives().nextKnot(s.t, until_));
  double h = limit - s.t;
  if (const double hurry = model_->hurry(1, s.v); hurry > 0) h = std::min(h, 1 / hurry);
  std::vector<double> q(u(model_->system().dofCount())), qd(q.size()), qdd(q.size());
  for (int halvings = 0; halvings < 60; ++halvings) {
    std::vector<double> start = q;
    model_->drives().at(s.t, start.data(), qd.data(), qdd.data());
    bool far = false;
    for (int k = 1; k <= 8 && !far; ++k) {
      model_->drives().at(s.t + h * k / 8, q.data(), qd.data(), qdd.data());
      for (std::size_t i = 0; i < q.size(); ++i)
        far = far || std::abs(q[i] - start[i]) > 0.05 * model_->system().dofs[i].scale;
    }
    if (!far) break;
    h *= 0.5;
  }
  return h;
}

/// The loads no longer press on one of the contacts that hold them: off it, and on to where they are held again. Just
/// here they are in balance, so that a small step off is what tells which way it goes.
/// @return whether it came to another place
bool PushRun::letGo(State& s) {
  if (!model_->go(s.t, s.q, s.c)) return false;
  std::vector<GapKey> others = before_;
  others.erase(std::remove(others.begin(), others.end(), *let_), others.end());
  const Vector own = held_.at({*let_}).byValue().row(0);
  const Vector way = held_.solved(others).leftOf(own);
  if (way.isZero(0)) return false;
  State to = s;
  to.q += way * (0.02 / model_->hurry(0, way));
  std::vector<GapKey> conflict;
  bool moved = false;
  if (!settle(to, moved, conflict) || !model_->go(s.t, s.q, s.c)) return false;
  if (model_->hurry(0, to.q - s.q) < 1e-3) return false;
  s = to;
  return true;
}

/// What is held slips off its end: it has nothing to stand on any more a moment later, and goes from there to where it
/// is held again.
/// @param goesOn whether there is anywhere to be a moment later; if not, what was held jams
bool PushRun::slipOff(State& s, bool& goesOn) {
  const double t = s.t;
  for (double later = 1e-10; later < 1e-5; later *= 10) {
    State to = s;
    to.t = std::min(until_, t + later * until_);
    std::vector<GapKey> active, conflict;
    bool moved = false;
    if (!settle(to, moved, conflict)) continue;
    goesOn = true;
    if (!model_->go(t, s.q, s.c) || model_->hurry(0, to.q - s.q) < 1e-2) continue;
    if (!catchUp(t, to.q, to, active, conflict)) continue;
    s = to;
    return true;
  }
  return false;
}

/// Leans on what holds the loads, by bits that are small against a step, so that the rows that hold them are found.
bool PushRun::lean(State& s, std::vector<GapKey>& active, std::vector<GapKey>& conflict) {
  for (int k = 0; k < 400 && model_->isLoaded(); ++k) {
    Vector f, way;
    if (!wayOfLoads(way, f, s.t)) break;
    way *= 10 * kTiny;
    const Vector before = s.q;
    if (!catchUp(s.t, before + way, s, active, conflict)) return false;
    if (!((s.q - before).dot(f) > 1e-6 * way.dot(f))) break;
  }
  return true;
}

/// What is held from here on, by a least change over a short time. @return false where nothing goes on
bool PushRun::startPhase() {
  State s = now_;
  std::vector<GapKey> conflict;
  bool moved = false;
  if (slips_) {
    slips_ = false;
    bool goesOn = false;
    moved = slipOff(s, goesOn);
    if (!goesOn) {
      halt(s.t, before_);
      return false;
    }
    if (!moved && !settle(s, moved, conflict)) {
      halt(s.t, conflict);
      return false;
    }
  } else if (let_) {
    moved = letGo(s);
    let_.reset();
  } else if (!settle(s, moved, conflict)) {
    halt(s.t, conflict);
    return false;
  }
  Phase p;
  p.from = p.to = s.t;
  p.jumps = moved && !first_;
  const double limit = std::min(until_, model_->drives().nextKnot(s.t, until_));
  s.v = s.a = Vector::Zero(model_->size());
  double tiny = kTiny * std::min(stepFrom(s), limit - s.t);
  std::vector<GapKey> active;
  bool found = false;
  for (int tries = 0; tries < 6 && !found; ++tries, tiny *= 0.1) {
    State ahead = s;
    if (!catchUp(s.t + tiny, s.q, ahead, active, conflict) || !lean(ahead, active, conflict)) {
      active.clear();
      continue;
    }
    // what is held ahead must be closed here
    if (!model_->go(s.t, s.q, s.c)) break;
    found = true;
    GapRow row;
    for (const GapKey& k : active)
      if (!model_->one(k, row) || std::abs(row.gap) > 1e-6 * model_->quarter()) found = false;
    if (!found) continue;
    // and it must hold ahead, too
    Phase trial = p;
    trial.held = active;
    if (!model_->go(s.t, s.q, s.c)) break;
    const Push& push = pushOf(active, s.t);
    trial.determined = push.determined;
    if (!push.determined) trial.open = held_.solved(active).open();
    for (const GapKey& k : active) trial.facing.push_back(model_->one(k, row) && row.facing);
    State first = s, to;
    if (!onto(s.t, active, first)) {
      found = false;
      continue;
    }
    sound_ = model_->places();
    first.v = pushOf(active, s.t).v;
    accelerations(active, first);
    if (!advance(trial, first, s.t + tiny, to) || valid(trial, to) == Why::touch) {
      found = false;
      continue;
    }
    p = trial;
    s = first;
  }
  if (!found) {
    now_ = s;
    halt(s.t, conflict);
    return false;
  }
  if (!first_) tell(before_, p.held, p.jumps || fell_, s.t);
  first_ = false;
  p.knots.push_back(s);
  now_ = s;
  phases_.push_back(std::move(p));
  goesOn_ = true;
  return true;
}

void PushRun::endPhase(State at, Why why) {
  Phase& p = phases_.back();
  p.to = at.t;
  if (p.knots.back().t < at.t) p.knots.push_back(at);
  before_ = p.held;
  fell_ = why == Why::fall || why == Why::slip;
  let_ = why == Why::pull ? pulls_ : std::nullopt;
  slips_ = why == Why::slip;
  now_ = std::move(at);
  goesOn_ = false;
}

/// One step within a phase, halved until nothing moves farther than it may. @param h as far as it would go
PushRun::Why PushRun::step(Phase& p, double knot, double& h, State& to) {
  for (int k = 0;; ++k) {
    const double end = now_.t + h >= knot ? knot : now_.t + h;
    const bool came = advance(p, now_, end, to);
    if (!came && k > 12) return Why::closure;
    if (!came || (model_->way(start_) > 2 && k < 40)) {
      h *= 0.5;
      continue;
    }
    sound_ = start_;
    const Why why = valid(p, to);
    if (!p.determined || determined_) return why;
    p.determined = false;  // at its beginning one value stood square to what pushes, by chance
    p.open = held_.solved(p.held).open();
  }
}

/// May something have touched and parted within a step? By the straight ways of corners, and gaps that close at its
/// beginning and open at its end, followed by a cubic; where anything is near, corners may also come to and go from
/// their places, so that a step may not be long.
bool PushRun::mayDip(const Phase& p, State& to) {
  const double length = to.t - now_.t;
  if (!(length > 1e-9 * until_) || !model_->go(to.t, to.q, to.c)) return false;
  model_->moving(to.v, end_);
  if (model_->mayHaveMet(start_, end_, length, p.held)) return true;
  if (model_->isFlat()) return false;
  // what was touched on the way is no farther off than the way is long
  model_->near(std::min(2 * model_->quarter(), model_->farthest(start_)), 0, edge_);
  const std::vector<GapRow>& ends = edge_;
  model_->go(now_.t, now_.q, now_.c);
  const bool isNear = std::any_of(ends.begin(), ends.end(),
                                  [&](const GapRow& e) { return !has(p.held, e.key) && e.gap < model_->quarter(); });
  if (isNear && length * model_->hurry(1, now_.v) > 0.6) return true;
  GapRow row;
  for (const GapRow& e : ends) {
    if (has(p.held, e.key) || !model_->one(e.key, row)) continue;
    const double r0 = length * (row.byTime + row.byValue.dot(now_.v)), r1 = length * (e.byTime + e.byValue.dot(to.v));
    if (!(r0 < 0 && r1 > 0) || row.gap < 0) continue;
    double least = std::min(row.gap, e.gap);
    for (int i = 1; i < 16; ++i) {
      const double x = i / 16.0, y = 1 - x;
      least = std::min(least,
                       y * y * (1 + 2 * x) * row.gap + x * y * y * r0 + x * x * (3 - 2 * x) * e.gap - x * x * y * r1);
    }
    if (least < 0.1 * std::min(row.gap, e.gap)) return true;
  }
  return false;
}

/// How much is left of what no longer holds later. @param at of the same phase
double PushRun::measureOf(const Phase& p, const Break& broken, Why why, State& at) {
  const double none = std::nan("");
  if (!(std::abs(broken.measure) > 0) || !model_->go(at.t, at.q, at.c)) return none;
  GapRow row;
  if (broken.gap) return model_->one(*broken.gap, row) ? row.gap + 2 * tolerance_ : none;
  const std::size_t i = static_cast<std::size_t>(broken.held);
  if (why == Why::window) return model_->room(p.held[i]);
  const Push& push = pushOf(p.held, at.t);
  double most = 0;
  for (const double x : broken.byForce ? push.byForce : push.byMotion) most = std::max(most, std::abs(x));
  return (broken.byForce ? push.byForce : push.byMotion)[i] + kPull * most;
}

/// The last state at which all that a phase holds still holds, before a time at which it does not: by false position
/// (the Illinois rule) on what breaks, where that has a measure, and by halving where this is no faster.
/// @param why what is broken there; what is first on the way counts, not what is broken farther on
PushRun::State PushRun::locate(const Phase& p, double upto, Why& why) {
  State low = now_;
  sound_ = start_;
  std::optional<GapKey> pulls = pulls_;
  Break broken = why == Why::closure ? Break{} : broken_;
  double left = std::nan(""), before = upto - low.t;  // measure at the low end; length three trials ago
  const double grain = 2e-16 * std::max(std::abs(upto), until_);
  bool wasLow = false, wasHigh = false;
  for (int k = 0; k < 200 && upto - low.t > grain; ++k) {
    const double length = upto - low.t;
    double at = 0.5 * (low.t + upto);
    bool halve = false;
    if (k % 3 == 2) {
      halve = length > 0.25 * before;
      before = length;
    }
    if (!halve && broken.measure < 0) {
      if (std::isnan(left)) left = measureOf(p, broken, why, low);
      if (left > 0) {
        const double room = left / (left - broken.measure) * length;
        // a little beyond the root as seen from the nearer end, so that this end comes near, too
        const double beyond = room < 0.5 * length ? 1.25 * room : length - 1.25 * (length - room);
        at = low.t + std::clamp(beyond, std::min(grain, 0.5 * length), length - std::min(grain, 0.5 * length));
      }
    }
    if (at <= low.t || at >= upto) break;
    State s;
    const Why here = advance(p, low, at, s) ? valid(p, s) : Why::closure;
    if (here == Why::none) {
      low = std::move(s);
      sound_ = model_->places();
      left = measureOf(p, broken, why, low);
      if (wasLow) broken.measure *= 0.5;
      wasLow = true;
      wasHigh = false;
      continue;
    }
    upto = at;
    Break other = here == Why::closure ? Break{} : broken_;
    if (here != why || !other.same(broken)) {
      left = std::nan("");
      wasHigh = false;
    }
    broken = other;
    if (wasHigh) left *= 0.5;
    wasHigh = true;
    wasLow = false;
    why = here;
    pulls = pulls_;
  }
  pulls_ = pulls;
  return low;
}

/// Where one event follows upon the other at the same instant, a short catch-up steps over them: a longer one where
/// that, too, stands corner on corner.
bool PushRun::leapOver(double knot, State& low) {
  std::vector<GapKey> active, conflict;
  const double most = std::min(stepFrom(low), knot - low.t);
  leap_ = std::max(1e-9 * until_, 4 * leap_);
  for (;; leap_ *= 4) {
    State s = low;
    if (catchUp(low.t + std::min(leap_, most), low.q, s, active, conflict)) {
      s.v = s.a = Vector::Zero(model_->size());
      low = std::move(s);
      return true;
    }
    if (!conflict.empty() || leap_ >= std::min(most, 1e-5 * until_)) break;
  }
  now_ = low;
  halt(low.t, conflict);
  return false;
}

void PushRun::keep(const State& s) {
  now_ = s;
  phases_.back().to = s.t;
  phases_.back().knots.push_back(s);
}

double PushRun::reach(double t, Progress* progress) {
  while (now_.t < t && !jam_ && !lost_) {
    if (progress && progress->cancelled()) break;
    if (!goesOn_ && !startPhase()) break;
    Phase& p = phases_.back();
    const double knot = std::min(until_, model_->drives().nextKnot(now_.t, until_));
    if (!model_->go(now_.t, now_.q, now_.c)) {
      lost_ = Lost{now_.t, true};
      break;
    }
    model_->moving(now_.v, start_);
    double h = std::min(stepFrom(now_), 2 * pace_);
    State to;
    Why why = step(p, knot, h, to);
    for (int halvings = 0; halvings < 40; ++halvings) {
      if (why != Why::none) to = locate(p, why == Why::closure ? std::min(knot, now_.t + h) : to.t, why);
      if (!mayDip(p, to)) break;
      const double mid = 0.5 * (now_.t + to.t);  // a shorter step first
      h = mid - now_.t;
      sound_ = start_;
      why = advance(p, now_, mid, to) ? valid(p, to) : Why::closure;
    }
    pace_ = std::max(to.t - now_.t, 1e-4 * stepFrom(now_));
    if (why == Why::none) {
      if (to.t - now_.t > 1e-4 * until_) leap_ = 0;
      shorts_ = 0;
      keep(to);
      if (to.t >= knot && to.t < until_) endPhase(to, Why::none);
      continue;
    }
    State& low = to;
    if (why == Why::closure) {
      // can the loops not be closed, or can what is held be held no longer? Then it slips off just here.
      State on = low;
      if (!model_->go(std::min(knot, low.t + 1e-9 * until_), on.q, on.c)) {
        now_ = low;
        lost_ = Lost{low.t, true};
        break;
      }
      why = Why::slip;
    }
    shorts_ = low.t - p.from < 1e-11 * until_ ? shorts_ + 1 : 0;
    if (shorts_ > kMostAtOnce) {
      if (!leapOver(knot, low)) break;
      shorts_ = 0;
    }
    endPhase(low, why);
  }
  return now_.t;
}

void PushRun::halt(double t, const std::vector<GapKey>& conflict) {
  if (!conflict.empty()) return jamAt(t, conflict);
  lost_ = Lost{t, !model_->go(now_.t, now_.q, now_.c)};
}

void PushRun::jamAt(double t, const std::vector<GapKey>& conflict) {
  kinematics::Jam jam;
  jam.t = t;
  model_->go(t, now_.q, now_.c);
  for (const GapKey& k : conflict) {
    const kinematics::Touch touch = model_->touchOf(k);
    jam.sides.push_back({model_->contactOf(k), model_->linksOf(k), touch.place});
  }
  jam_ = std::move(jam);
}

}  // namespace cooperage::contact
