// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/push_run.h"

#include <Eigen/Cholesky>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/least_change.h"

namespace cooperage::contact {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;
using kinematics::Configuration;

namespace {

constexpr double kTolerance = 1e-13;  // of the mechanism's size: what a gap may be below zero
constexpr double kPull = 1e-11;       // of the largest multiplier: what is no pulling yet
constexpr double kTiny = 1e-4;        // of a step: over which it is found what is held next

bool has(const std::vector<GapKey>& list, const GapKey& k) {
  return std::find(list.begin(), list.end(), k) != list.end();
}
bool sameLinks(const GapKey& a, const GapKey& b) { return a.pair == b.pair && a.stop == b.stop; }

/// Only rows that lead out of an overlap.
void keepNearest(std::vector<GapRow>& rows) {
  rows.erase(std::remove_if(rows.begin(), rows.end(), [](const GapRow& r) { return !r.nearest; }), rows.end());
}

MatrixXd pseudoInverse(const MatrixXd& N) { return N.completeOrthogonalDecomposition().pseudoInverse(); }

}  // namespace

PushRun::PushRun(std::unique_ptr<PushModel> model) : model_(std::move(model)) {
  tolerance_ = kTolerance * std::max(model_->size3(), 1e-3);
}

std::unique_ptr<kinematics::FreedomSource> PushRun::clone() const {
  auto out = std::make_unique<PushRun>(std::make_unique<PushModel>(*model_));
  out->phases_ = phases_;
  out->now_ = now_;
  out->open_ = open_;
  out->until_ = until_;
  out->lost_ = lost_;
  out->jam_ = jam_;
  out->events_ = events_;
  out->before_ = before_;
  out->fell_ = fell_;
  out->first_ = first_;
  return out;
}

void PushRun::begin(double t, double until, const Configuration& c) {
  phases_.clear();
  events_.clear();
  jam_.reset();
  before_.clear();
  open_ = fell_ = false;
  lost_.reset();
  first_ = true;
  shorts_ = 0;
  until_ = until;
  now_ = State{};
  now_.t = t;
  now_.c = c;
  now_.q.resize(model_->size());
  for (int k = 0; k < model_->size(); ++k) now_.q[k] = c.q[u(model_->pushed()[u(k)])];
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
  open_ = fell_ = false;
  lost_.reset();
  until_ = until;
}

/// The least change from the anchor that leaves no overlap, by a sequence of linear ones.
bool PushRun::catchUp(double t, const Vector& anchor, State& s, std::vector<GapKey>& active,
                      std::vector<GapKey>& conflict) {
  const double reach = 2 * model_->quarter();
  conflict.clear();
  double last = 1e300;
  for (int round = 0; round < 60; ++round) {
    if (!model_->go(t, s.q, s.c)) return false;
    s.t = t;
    model_->near(reach, reach, rows_);
    keepNearest(rows_);
    metric_ = model_->metric();
    const Index m = static_cast<Index>(rows_.size()), n = s.q.size();
    MatrixXd A(m, n);
    VectorXd b(m);
    double worst = 0;
    for (Index i = 0; i < m; ++i) {
      A.row(i) = rows_[u(static_cast<int>(i))].byValue;
      b[i] = rows_[u(static_cast<int>(i))].gap;
      worst = std::min(worst, b[i]);
    }
    LeastChange step = leastChange(metric_, anchor - s.q, A, b, 0.5 * tolerance_);
    active.clear();
    for (const int i : step.active) active.push_back(rows_[u(i)].key);
    if (!step.possible) {
      for (const int i : step.conflict) conflict.push_back(rows_[u(i)].key);
      return false;
    }
    const double hurry = model_->hurry(0, step.x);
    const double size = hurry;  // in quarters of the thinnest part
    if (hurry > 1) step.x /= hurry;
    s.q += step.x;
    if (size < 1e-13 || (size >= last && size < 1e-11 && worst > -2 * tolerance_)) {
      if (worst < -10 * tolerance_) {
        last = size;
        continue;
      }
      return model_->go(t, s.q, s.c);
    }
    last = size;
  }
  return false;
}

/// Moves along the loads, a bit at a time, until contacts and stops hold them.
bool PushRun::settle(State& s, bool& moved, std::vector<GapKey>& conflict) {
  moved = false;
  std::vector<GapKey> active;
  if (!catchUp(s.t, s.q, s, active, conflict)) return false;
  if (!model_->isLoaded()) return true;
  for (int k = 0; k < 4000; ++k) {
    const Vector f = model_->loads(s.t);
    if (f.cwiseAbs().maxCoeff() == 0) return true;
    Vector way = model_->metric().llt().solve(f);
    const double hurry = model_->hurry(0, way);
    if (!(hurry > 0)) return true;
    way *= 0.4 / hurry;  // a tenth of the thinnest part
    State to = s;
    if (!catchUp(s.t, s.q + way, to, active, conflict)) return false;
    const double gained = (to.q - s.q).dot(f), asked = way.dot(f);
    const bool far = model_->hurry(0, to.q - s.q) > 1e-9;
    if (gained > 1e-9 * asked && far) moved = true;
    s = to;
    if (!(gained > 1e-12 * asked) || !far) return true;
  }
  return true;  // it falls without end: stays where it is by now
}

void PushRun::rowsOf(const std::vector<GapKey>& held, MatrixXd& J, Vector& byTime, Vector& gaps) {
  const Index m = static_cast<Index>(held.size());
  J.resize(m, model_->size());
  byTime.resize(m);
  gaps.resize(m);
  GapRow row;
  for (Index i = 0; i < m; ++i) {
    if (!model_->one(held[u(static_cast<int>(i))], row)) {
      J.row(i).setZero();
      byTime[i] = gaps[i] = 0;
      continue;
    }
    J.row(i) = row.byValue;
    byTime[i] = row.byTime;
    gaps[i] = row.gap;
  }
}

/// Rates that the held gaps make, with what each pushes: min 1/2 v'Mv with J v + g_t = 0.
PushRun::Push PushRun::pushOf(const std::vector<GapKey>& held, double t) {
  Push out;
  const Index n = model_->size(), m = static_cast<Index>(held.size());
  out.v = Vector::Zero(n);
  load_ = model_->isLoaded() ? model_->loads(t) : Vector::Zero(n);
  const bool loaded = load_.size() > 0 && load_.cwiseAbs().maxCoeff() > 0;
  if (m == 0) {
    out.blocked = !loaded;
    out.determined = true;
    return out;
  }
  MatrixXd J;
  Vector byTime, gaps;
  rowsOf(held, J, byTime, gaps);
  const Eigen::LLT<MatrixXd> llt(model_->metric());
  const MatrixXd N = llt.matrixL().solve(J.transpose());
  const MatrixXd inverse = pseudoInverse(N);  // m x n
  const Vector y = inverse.transpose() * (-byTime);
  const Vector motion = inverse * y;
  out.v = llt.matrixU().solve(y);
  out.byMotion.assign(motion.data(), motion.data() + m);
  out.byForce.assign(u(static_cast<int>(m)), 0.0);
  if (loaded) {
    const Vector f = llt.matrixL().solve(load_), force = inverse * (-f);
    out.byForce.assign(force.data(), force.data() + m);
    out.blocked = (f + N * force).norm() < 1e-7 * f.norm();
  }
  // moving values: those that a held gap depends on
  const double size = J.cwiseAbs().maxCoeff();
  Index moving = 0;
  for (Index k = 0; k < n; ++k)
    if (J.col(k).cwiseAbs().maxCoeff() > 1e-12 * size) ++moving;
  Eigen::ColPivHouseholderQR<MatrixXd> qr(N);
  qr.setThreshold(1e-9);
  out.determined = qr.rank() >= moving;
  return out;
}

/// Sets a state on the held gaps, by least change.
bool PushRun::onto(double t, const std::vector<GapKey>& held, State& s) {
  s.t = t;
  double last = 1e300;
  for (int round = 0; round < 12; ++round) {
    if (!model_->go(t, s.q, s.c)) return false;
    if (held.empty()) return true;
    MatrixXd J;
    Vector byTime, gaps;
    rowsOf(held, J, byTime, gaps);
    const double worst = gaps.cwiseAbs().maxCoeff();
    if (worst < 1e-3 * tolerance_ || (worst >= last && worst < tolerance_)) return true;
    if (round == 11) return worst < 10 * tolerance_;
    last = worst;
    const Eigen::LLT<MatrixXd> llt(model_->metric());
    const MatrixXd N = llt.matrixL().solve(J.transpose());
    s.q += llt.matrixU().solve(pseudoInverse(N).transpose() * (-gaps));
  }
  return false;
}

/// Accelerations of a state that is on the held gaps, its rates known; after go() there.
bool PushRun::accelerations(const std::vector<GapKey>& held, State& s) {
  s.a = Vector::Zero(model_->size());
  if (held.empty()) return true;
  if (!model_->accelerate(s.v)) return false;
  MatrixXd J;
  Vector byTime, gaps;
  rowsOf(held, J, byTime, gaps);
  Vector bias(gaps.size());
  for (Index i = 0; i < bias.size(); ++i) bias[i] = model_->acceleration(held[u(static_cast<int>(i))]);
  const Eigen::LLT<MatrixXd> llt(model_->metric());
  const MatrixXd N = llt.matrixL().solve(J.transpose());
  s.a = llt.matrixU().solve(pseudoInverse(N).transpose() * (-bias));
  return true;
}

/// Dormand and Prince, Journal of Computational and Applied Mathematics 6 (1980): only where the held gaps leave a way.
bool PushRun::integrate(const Phase& p, const State& from, double t, State& out) {
  static constexpr double c[7] = {0, 0.2, 0.3, 0.8, 8.0 / 9, 1, 1};
  static constexpr double a[7][6] = {{},
                                     {0.2},
                                     {3.0 / 40, 9.0 / 40},
                                     {44.0 / 45, -56.0 / 15, 32.0 / 9},
                                     {19372.0 / 6561, -25360.0 / 2187, 64448.0 / 6561, -212.0 / 729},
                                     {9017.0 / 3168, -355.0 / 33, 46732.0 / 5247, 49.0 / 176, -5103.0 / 18656},
                                     {35.0 / 384, 0, 500.0 / 1113, 125.0 / 192, -2187.0 / 6784, 11.0 / 84}};
  static constexpr double low[7] = {5179.0 / 57600, 0,       7571.0 / 16695, 393.0 / 640, -92097.0 / 339200,
                                    187.0 / 2100,   1.0 / 40};
  State s = from;
  double h = t - s.t;
  const double sense = h < 0 ? -1 : 1;
  for (int guard = 0; guard < 20000 && sense * (t - s.t) > 0; ++guard) {
    if (sense * (s.t + h - t) > 0) h = t - s.t;
    Vector k[7];
    State stage = s;
    for (int i = 0; i < 7; ++i) {
      stage.q = s.q;
      for (int j = 0; j < i; ++j) stage.q += h * a[i][j] * k[j];
      if (!model_->go(s.t + c[i] * h, stage.q, stage.c)) return false;
      k[i] = pushOf(p.held, s.t + c[i] * h).v;
    }
    Vector error = Vector::Zero(s.q.size());
    for (int i = 0; i < 6; ++i) error += h * (a[6][i] - low[i]) * k[i];
    error -= h * low[6] * k[6];
    const double off = model_->hurry(0, error) * model_->quarter() / model_->size3();
    const double share = off / 1e-13;
    if (share > 1 && std::abs(h) > 1e-12 * std::abs(t)) {
      h *= std::max(0.2, 0.9 * std::pow(share, -0.2));
      continue;
    }
    s.q = stage.q;  // the last stage is the step of fifth order
    s.c = stage.c;
    s.t += h;
    if (sense * (t - s.t) < 1e-15 * std::abs(t)) s.t = t;
    if (!onto(s.t, p.held, s)) return false;
    h *= std::min(4.0, 0.9 * std::pow(std::max(share, 1e-4), -0.2));
  }
  out = s;
  return true;
}

/// From a state of a phase to another time in it.
bool PushRun::advance(const Phase& p, const State& from, double t, State& out) {
  if (!p.determined) {
    if (!integrate(p, from, t, out)) return false;
  } else {
    out = from;
    const double h = t - from.t;
    out.q += h * from.v + 0.5 * h * h * from.a;
    if (!onto(t, p.held, out)) return false;
  }
  out.t = t;
  out.v = pushOf(p.held, t).v;
  return accelerations(p.held, out);
}

/// The state at a time of a phase that was worked out: between two knots by the quintic through both, then on the gaps.
bool PushRun::stateAt(const Phase& p, double t, State& out) {
  const auto& k = p.knots;
  auto it = std::upper_bound(k.begin(), k.end(), t, [](double x, const State& s) { return x < s.t; });
  const State& a = it == k.begin() ? *it : *std::prev(it);
  if (a.t == t) {
    out = a;
    return true;
  }
  if (it == k.end()) return advance(p, a, t, out);
  const State& b = *it;
  if (!p.determined) return advance(p, t - a.t <= b.t - t ? a : b, t, out);
  const double T = b.t - a.t, x = (t - a.t) / T;
  out = t - a.t <= b.t - t ? a : b;
  const Vector v0 = T * a.v, v1 = T * b.v, a0 = T * T * a.a, a1 = T * T * b.a;
  const Vector P = b.q - a.q - v0 - 0.5 * a0, Q = v1 - v0 - a0, R = a1 - a0;
  const Vector c3 = 10 * P - 4 * Q + 0.5 * R, c4 = -15 * P + 7 * Q - R, c5 = 6 * P - 3 * Q + 0.5 * R;
  // where rates grow beyond all bounds (a pawl about to fall) the quintic swings far out
  const Vector straight = a.q + x * (b.q - a.q), way = (b.q - a.q).cwiseAbs();
  out.q = a.q + x * (v0 + x * (0.5 * a0 + x * (c3 + x * (c4 + x * c5))));
  for (Index i = 0; i < out.q.size(); ++i)
    if (!(std::abs(out.q[i] - straight[i]) <= 2 * way[i])) out.q[i] = straight[i];
  if (!onto(t, p.held, out)) return false;
  out.v = pushOf(p.held, t).v;
  return accelerations(p.held, out);
}

/// Does what a phase holds still hold at a state that it came to? @param to after go() there
PushRun::Why PushRun::valid(const Phase& p, const State& from, State& to) {
  const double reach = 2 * model_->quarter();
  (void)from;
  model_->near(reach, reach, rows_);
  for (const GapRow& r : rows_)
    if (r.gap < -2 * tolerance_ && !has(p.held, r.key)) {
      // the same bodies at the same place: the other side of a corner that is held
      return Why::touch;
    }
  GapRow row;
  for (std::size_t i = 0; i < p.held.size(); ++i)
    if (!model_->one(p.held[i], row) || !row.within || (p.facing[i] && !row.facing)) return Why::window;
  pulls_.reset();
  determined_ = p.determined;
  const Push push = pushOf(p.held, to.t);
  determined_ = push.determined;
  if (!push.blocked) return Why::fall;
  double most = 0, mostForce = 0;
  for (std::size_t i = 0; i < p.held.size(); ++i) {
    most = std::max(most, std::abs(push.byMotion[i]));
    mostForce = std::max(mostForce, std::abs(push.byForce[i]));
  }
  for (std::size_t i = 0; i < p.held.size(); ++i) {
    if (push.byForce[i] > kPull * mostForce && mostForce > 0) continue;
    if (push.byForce[i] < -kPull * mostForce && mostForce > 0) {
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
  MatrixXd J, own;
  Vector byTime, gaps;
  rowsOf({*let_}, own, byTime, gaps);
  rowsOf(others, J, byTime, gaps);
  const Eigen::LLT<MatrixXd> llt(model_->metric());
  Vector y = llt.matrixL().solve(own.transpose());
  const double whole = y.norm();
  if (!others.empty()) {
    const MatrixXd N = llt.matrixL().solve(J.transpose());
    y -= N * (pseudoInverse(N) * y);
  }
  if (!(y.norm() > 1e-9 * whole)) return false;
  const Vector way = llt.matrixU().solve(y);
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
bool PushRun::slipOff(State& s) {
  const double t = s.t;
  for (double later = 1e-10; later < 1e-5; later *= 10) {
    State to = s;
    to.t = std::min(until_, t + later * until_);
    std::vector<GapKey> active, conflict;
    bool moved = false;
    if (!settle(to, moved, conflict)) continue;
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
    const Vector f = model_->loads(s.t);
    if (f.cwiseAbs().maxCoeff() == 0) break;
    Vector way = model_->metric().llt().solve(f);
    const double hurry = model_->hurry(0, way);
    if (!(hurry > 0)) break;
    way *= 10 * kTiny / hurry;
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
    moved = slipOff(s);
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
    const Push push = pushOf(active, s.t);
    trial.determined = push.determined;
    for (const GapKey& k : active) trial.facing.push_back(model_->one(k, row) && row.facing);
    State first = s, to;
    if (!onto(s.t, active, first)) {
      found = false;
      continue;
    }
    first.v = pushOf(active, s.t).v;
    accelerations(active, first);
    if (!advance(trial, first, s.t + tiny, to) || valid(trial, first, to) == Why::touch) {
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
  open_ = true;
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
  open_ = false;
}

double PushRun::reach(double t, Progress* progress) {
  while (now_.t < t && !jam_ && !lost_) {
    if (progress && progress->cancelled()) break;
    if (!open_ && !startPhase()) break;
    Phase& p = phases_.back();
    const double knot = std::min(until_, model_->drives().nextKnot(now_.t, until_));
    if (!model_->go(now_.t, now_.q, now_.c)) {
      lost_ = Lost{now_.t, true};
      break;
    }
    model_->remember();
    double h = stepFrom(now_);
    State to;
    Why why = Why::none;
    for (int k = 0;; ++k) {
      const double end = now_.t + h >= knot ? knot : now_.t + h;
      why = advance(p, now_, end, to) ? Why::none : Why::closure;
      if (why == Why::none && model_->wayFromRemembered() > 2 && k < 40) {
        h *= 0.5;
        continue;
      }
      if (why == Why::none) why = valid(p, now_, to);
      if (p.determined && !determined_) {  // at its beginning one value stood square to what pushes, by chance
        p.determined = false;
        continue;
      }
      break;
    }
    if (why == Why::none) {
      // gaps that open again within the step may have closed in it
      bool dip = false;
      const double step = to.t - now_.t;
      if (step > 1e-9 * until_) {
        std::vector<GapRow> ends = rows_;
        model_->go(now_.t, now_.q, now_.c);
        GapRow row;
        // where something is near, corners may come to and go from their places within a step: shorter ones there
        const bool isNear = std::any_of(ends.begin(), ends.end(), [&](const GapRow& e) {
          return !has(p.held, e.key) && e.gap < model_->quarter();
        });
        if (isNear && step * model_->hurry(1, now_.v) > 0.15) dip = true;
        for (const GapRow& e : ends) {
          if (has(p.held, e.key) || !model_->one(e.key, row)) continue;
          const double r0 = step * (row.byTime + row.byValue.dot(now_.v)), r1 = step * (e.byTime + e.byValue.dot(to.v));
          if (!(r0 < 0 && r1 > 0) || row.gap < 0) continue;
          // the cubic between both ends, at its lowest
          double least = std::min(row.gap, e.gap);
          for (int i = 1; i < 16; ++i) {
            const double x = i / 16.0, y = 1 - x;
            least = std::min(
                least, y * y * (1 + 2 * x) * row.gap + x * y * y * r0 + x * x * (3 - 2 * x) * e.gap - x * x * y * r1);
          }
          if (least < 0.1 * std::min(row.gap, e.gap)) dip = true;
        }
      }
      if (dip) {
        State mid;
        if (advance(p, now_, now_.t + 0.5 * step, mid)) {
          why = valid(p, now_, mid);
          if (why == Why::none) {  // a shorter step first
            now_ = mid;
            p.to = mid.t;
            p.knots.push_back(mid);
            continue;
          }
          to = mid;
        }
      }
    }
    if (why == Why::none) {
      if (to.t - now_.t > 1e-4 * until_) leap_ = 0;
      now_ = to;
      p.to = to.t;
      p.knots.push_back(to);
      if (to.t >= knot && to.t < until_) endPhase(to, Why::none);
      shorts_ = 0;
      continue;
    }
    // the last time at which all still holds
    State low = now_;
    std::optional<GapKey> pulls = pulls_;
    double from = now_.t, upto = to.t > now_.t ? to.t : std::min(knot, now_.t + h);
    for (int k = 0; k < 70 && upto - from > 2e-16 * std::max(std::abs(upto), until_); ++k) {
      const double mid = 0.5 * (from + upto);
      if (mid <= from || mid >= upto) break;
      State s;
      const Why here = advance(p, low, mid, s) ? valid(p, low, s) : Why::closure;
      if (here == Why::none) {
        from = mid;
        low = s;
      } else {  // what is first on the way counts, not what is broken farther on
        upto = mid;
        why = here;
        pulls = pulls_;
      }
    }
    pulls_ = pulls;
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
    if (shorts_ > 30) {  // events upon events: a short catch-up steps over them
      State s = low;
      std::vector<GapKey> active, conflict;
      leap_ = std::min(std::max(1e-9 * until_, 4 * leap_), stepFrom(low));
      if (!catchUp(std::min(knot, low.t + leap_), low.q, s, active, conflict)) {
        now_ = low;
        halt(low.t, conflict);
        break;
      }
      s.v = s.a = Vector::Zero(model_->size());
      low = s;
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

/// What has changed from one phase to the next, by pairs of links.
void PushRun::tell(const std::vector<GapKey>& before, const std::vector<GapKey>& after, bool fell, double t) {
  using Kind = kinematics::PushEvent::Kind;
  const auto event = [&](Kind kind, const GapKey& k) {
    if (k.stop >= 0) return;  // a stop that holds is no contact
    kinematics::PushEvent e;
    e.kind = kind;
    e.t = t;
    e.contact = model_->contactOf(k);
    e.links = model_->linksOf(k);
    const kinematics::Touch touch = model_->touchOf(k);
    e.place = touch.place;
    e.gap = touch.gap;
    if (std::none_of(events_.rbegin(), events_.rend(), [&](const auto& o) {
          return o.t == t && o.kind == kind && o.contact == e.contact && o.links == e.links;
        }))
      events_.push_back(std::move(e));
  };
  const auto ofSame = [](const std::vector<GapKey>& list, const GapKey& k) {
    return std::any_of(list.begin(), list.end(), [&](const GapKey& o) { return sameLinks(o, k); });
  };
  bool told = false;
  for (const GapKey& k : before)
    if (!has(after, k) && !ofSame(after, k)) {
      event(fell && !told ? Kind::falls : Kind::leaves, k);
      told = true;
    }
  for (const GapKey& k : after)
    if (!ofSame(before, k)) event(Kind::touches, k);
  for (const GapKey& k : after)
    if (!has(before, k) && ofSame(before, k)) {
      event(fell && !told ? Kind::falls : Kind::handsOver, k);
      told = true;
    }
}

const PushRun::Phase* PushRun::phaseAt(double t, bool arriving) const {
  if (phases_.empty()) return nullptr;
  auto it = std::upper_bound(phases_.begin(), phases_.end(), t, [](double x, const Phase& p) { return x < p.from; });
  if (it == phases_.begin()) return &*it;
  --it;
  while (arriving && it->from == t && it != phases_.begin()) --it;
  return &*it;
}

double PushRun::nextKnot(double t, double limit) const {
  const auto it =
      std::upper_bound(phases_.begin(), phases_.end(), t, [](double x, const Phase& p) { return x < p.from; });
  double next = it == phases_.end() ? limit : std::min(limit, it->from);
  if ((jam_ || lost_) && now_.t > t) next = std::min(next, now_.t);
  return next;
}

bool PushRun::jumpsAt(double t) const {
  return std::any_of(phases_.begin(), phases_.end(), [&](const Phase& p) { return p.from == t && p.jumps; });
}

bool PushRun::isKnot(double t) const {
  const auto it =
      std::lower_bound(phases_.begin(), phases_.end(), t, [](const Phase& p, double x) { return p.from < x; });
  return it != phases_.end() && it->from == t && it != phases_.begin();
}

void PushRun::at(double t, bool arriving, double* q, double* qd, double* qdd) {
  State s;
  const Phase* p = phaseAt(t, arriving);
  const bool beyond = !p || t > p->to;
  if (!p) {
    s = now_;
  } else if (!stateAt(*p, std::clamp(t, p->from, p->to), s)) {
    s = p->knots.back();
    for (const State& k : p->knots)
      if (k.t <= t) s = k;
  }
  for (int k = 0; k < model_->size(); ++k) {
    const std::size_t dof = u(model_->pushed()[u(k)]);
    q[dof] = s.q[k];
    qd[dof] = beyond ? 0 : s.v[k];
    qdd[dof] = beyond ? 0 : s.a[k];
  }
}

std::vector<kinematics::Touch> PushRun::touching(double t) {
  std::vector<kinematics::Touch> out;
  State s;
  const Phase* p = phaseAt(t, false);
  if (!p || !stateAt(*p, std::clamp(t, p->from, p->to), s) || !model_->go(s.t, s.q, s.c)) return out;
  for (const GapKey& k : p->held)
    if (k.stop < 0) out.push_back(model_->touchOf(k));
  return out;
}

std::pair<double, double> PushRun::play(double t, int dof, double most) {
  const int k = model_->coordinateOf(dof);
  State s;
  const Phase* p = phaseAt(t, false);
  if (k < 0 || !p || !stateAt(*p, std::clamp(t, p->from, p->to), s)) return {0, 0};
  const double reach = 2 * model_->quarter();
  const auto isFree = [&](double by) {
    State x = s;
    x.q[k] += by;
    if (!model_->go(s.t, x.q, x.c)) return false;
    model_->near(0, reach, rows_);
    return std::none_of(rows_.begin(), rows_.end(), [&](const GapRow& r) { return r.gap < -20 * tolerance_; });
  };
  const auto far = [&](double sense) {
    if (!model_->go(s.t, s.q, s.c)) return 0.0;
    Vector unit = Vector::Zero(model_->size());
    unit[k] = 1;
    const double hurry = model_->hurry(0, unit), step = hurry > 0 ? 0.5 / hurry : most;
    double low = 0, high = 0;
    while (high < most) {
      high = std::min(most, low + step);
      if (!isFree(sense * high)) break;
      low = high;
    }
    if (low >= most) return most;
    for (int n = 0; n < 60 && high - low > 1e-13 * most; ++n)
      (isFree(sense * 0.5 * (low + high)) ? low : high) = 0.5 * (low + high);
    return low;
  };
  const double down = far(-1), up = far(1);
  return {-down, up};
}

std::vector<GapRow> PushRun::overlaps(double t, const Configuration& c, double deepest) {
  Configuration at = c;
  Vector q(model_->size());
  for (int k = 0; k < model_->size(); ++k) q[k] = c.q[u(model_->pushed()[u(k)])];
  std::vector<GapRow> out;
  if (!model_->go(t, q, at)) return out;
  model_->near(0, deepest, rows_);
  for (const GapRow& r : rows_)
    if (r.gap < 0 && r.key.stop < 0 && r.nearest) out.push_back(r);
  std::sort(out.begin(), out.end(), [](const GapRow& a, const GapRow& b) { return a.gap < b.gap; });
  return out;
}

bool PushRun::free(double t, Configuration& c) {
  Vector start(model_->size());
  for (int k = 0; k < model_->size(); ++k) start[k] = c.q[u(model_->pushed()[u(k)])];
  Configuration home = c;
  if (!model_->go(t, start, home)) return false;
  model_->remember();
  const double size = model_->size3();
  // how deep is looked: what lies deeper has another way out, or none near by
  for (const double depth : {0.01 * size, 0.03 * size, 0.08 * size, 0.25 * size, size}) {
    State s;
    s.c = c;
    s.q = start;
    bool going = true;
    for (int round = 0; round < 60 && going; ++round) {
      if (!model_->go(t, s.q, s.c)) break;
      model_->near(2 * model_->quarter(), depth, rows_);
      keepNearest(rows_);
      const Index m = static_cast<Index>(rows_.size());
      MatrixXd A(m, s.q.size());
      VectorXd b(m);
      double worst = 0;
      for (Index i = 0; i < m; ++i) {
        A.row(i) = rows_[u(static_cast<int>(i))].byValue;
        b[i] = rows_[u(static_cast<int>(i))].gap;
        worst = std::min(worst, b[i]);
      }
      const LeastChange step = leastChange(model_->metric(), start - s.q, A, b, 0.5 * tolerance_);
      if (!step.possible) break;
      const double hurry = model_->hurry(0, step.x);
      s.q += step.x / std::max(1.0, 0.25 * hurry);
      if (hurry < 1e-9 && worst > -1e3 * tolerance_) going = false;
    }
    if (going) continue;
    // judged whatever lies how deep
    if (!model_->go(t, s.q, s.c)) continue;
    model_->near(0, 1e3 * size, rows_);
    if (std::any_of(rows_.begin(), rows_.end(), [&](const GapRow& r) { return r.gap < -1e4 * tolerance_; })) continue;
    if (!model_->isNearRemembered()) continue;
    c = s.c;
    return true;
  }
  return false;
}

}  // namespace cooperage::contact
