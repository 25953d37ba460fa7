// SPDX-License-Identifier: GPL-3.0-or-later
// PushRun: states on what is held, their rates and accelerations, and least changes to them.
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/push_parts.h"

namespace cooperage::contact {

using push::Index;
using push::MatrixXd;

namespace push {

constexpr double kSame = 1e-4;  // by which two gaps may grow otherwise and yet be the same place's

LinearStep linearStep(const MatrixXd& metric, const VectorXd& way, std::vector<GapRow>& rows, double tolerance) {
  // an edge that has just been left stands for the same place as the face beside it, but does not face there any more
  for (GapRow& r : rows)
    if (!r.facing && std::any_of(rows.begin(), rows.end(), [&](const GapRow& o) {
          return o.facing && o.key.pair == r.key.pair && o.key.stop < 0 && std::abs(o.gap - r.gap) <= 8 * tolerance &&
                 (o.byValue - r.byValue).norm() <= kSame * o.byValue.norm();
        }))
      r.nearest = false;
  rows.erase(std::remove_if(rows.begin(), rows.end(), [](const GapRow& r) { return !r.nearest; }), rows.end());
  const Index m = static_cast<Index>(rows.size());
  MatrixXd A(m, way.size());
  VectorXd b(m);
  LinearStep out;
  for (Index i = 0; i < m; ++i) {
    const GapRow& row = rows[static_cast<std::size_t>(i)];
    A.row(i) = row.byValue;
    b[i] = row.gap;
    out.worst = std::min(out.worst, row.gap);
  }
  out.change = leastChange(metric, way, A, b, tolerance);
  return out;
}

}  // namespace push

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
    model_->metric(metric_);
    auto [step, worst] = push::linearStep(metric_, anchor - s.q, rows_, 0.5 * tolerance_);
    active.clear();
    for (const int i : step.active) active.push_back(rows_[u(i)].key);
    if (!step.possible) {
      for (const int i : step.conflict) conflict.push_back(rows_[u(i)].key);
      return false;
    }
    const double size = model_->hurry(0, step.x);  // in quarters of the thinnest part
    if (size > 1) step.x /= size;
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
    Vector f, way;
    if (!wayOfLoads(way, f, s.t)) return true;
    way *= 0.4;  // a tenth of the thinnest part
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

/// Where the loads would move the values, by a quarter of the thinnest part. @return whether they move any
bool PushRun::wayOfLoads(Vector& way, Vector& f, double t) {
  f = model_->loads(t);
  if (f.cwiseAbs().maxCoeff() == 0) return false;
  model_->metric(metric_);
  way = metric_.llt().solve(f);
  const double hurry = model_->hurry(0, way);
  if (hurry > 0) way /= hurry;
  return hurry > 0;
}

/// Rates that the held gaps make, with what each pushes: min 1/2 v'Mv with J v + g_t = 0. After go().
const PushRun::Push& PushRun::pushOf(const std::vector<GapKey>& held, double t) {
  if (pushedAt_ == model_->stamp() && pushedBy_ == held) return push_;
  pushedAt_ = model_->stamp();
  pushedBy_ = held;
  push_.determined = push_.blocked = true;
  push_.byForce.assign(held.size(), 0.0);
  push_.byMotion.assign(held.size(), 0.0);
  if (model_->isLoaded()) load_ = model_->loads(t);
  const bool loaded = model_->isLoaded() && load_.cwiseAbs().maxCoeff() > 0;
  if (held.empty()) {
    push_.v = Vector::Zero(model_->size());
    push_.blocked = !loaded;
    return push_;
  }
  const HeldGaps& gaps = held_.solved(held);
  const Vector motion = gaps.multipliers(-gaps.byTime());
  push_.v = gaps.least(-gaps.byTime());
  std::copy(motion.begin(), motion.end(), push_.byMotion.begin());
  if (loaded) {
    const Vector force = gaps.against(load_, push_.blocked);
    std::copy(force.begin(), force.end(), push_.byForce.begin());
  }
  push_.determined = gaps.determine();
  return push_;
}

/// Sets a state on the held gaps, by least change.
bool PushRun::onto(double t, const std::vector<GapKey>& held, State& s) {
  s.t = t;
  double last = 1e300;
  for (int round = 0; round < 12; ++round) {
    if (!model_->go(t, s.q, s.c)) return false;
    if (held.empty()) return true;
    const double worst = held_.at(held).gaps().cwiseAbs().maxCoeff();
    if (worst < 1e-3 * tolerance_ || (worst >= last && worst < tolerance_)) return true;
    if (round == 11) return worst < 10 * tolerance_;
    last = worst;
    const HeldGaps& gaps = held_.solved(held);
    s.q += gaps.least(-gaps.gaps());
  }
  return false;
}

/// Accelerations of a state that is on the held gaps, its rates known; after go() there.
bool PushRun::accelerations(const std::vector<GapKey>& held, State& s) {
  s.a = Vector::Zero(model_->size());
  if (held.empty()) return true;
  if (!model_->accelerate(s.v)) return false;
  Vector bias(static_cast<Index>(held.size()));
  for (Index i = 0; i < bias.size(); ++i) bias[i] = model_->acceleration(held[u(static_cast<int>(i))]);
  s.a = held_.solved(held).least(-bias);
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

constexpr double kSure = 0.01;  // of a quarter of the thinnest part: corrections so small are never doubted

/// From a state of a phase to another time in it.
bool PushRun::advance(const Phase& p, const State& from, double t, State& out) {
  if (!p.determined) {
    if (!integrate(p, from, t, out)) return false;
  } else {
    out = from;
    const double h = t - from.t;
    out.q += h * from.v + 0.5 * h * h * from.a;
    const Vector guess = out.q;
    if (!onto(t, p.held, out)) return false;
    // as far off as that it may be on another branch
    if (model_->hurry(0, out.q - guess) > 0.5 * std::max(model_->hurry(0, guess - from.q), kSure)) return false;
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
  // between both ends, or beyond them where it turns back
  const auto strays = [&] {
    for (Index i = 0; i < out.q.size(); ++i) {
      const double room = 0.02 * std::abs(b.q[i] - a.q[i]) + 1e-12 +
                          (v0[i] * v1[i] < 0 ? 0.5 * std::min(std::abs(v0[i]), std::abs(v1[i])) : 0);
      if (out.q[i] < std::min(a.q[i], b.q[i]) - room || out.q[i] > std::max(a.q[i], b.q[i]) + room) return true;
    }
    return false;
  };
  out.q = a.q + x * (v0 + x * (0.5 * a0 + x * (c3 + x * (c4 + x * c5))));
  if (!strays() && onto(t, p.held, out) && !strays()) {
    out.v = pushOf(p.held, t).v;
    return accelerations(p.held, out);
  }
  // where rates grow beyond all bounds (a pawl about to fall, a jam) the quintic swings far out: step by step
  bool came = false;
  for (int steps = 4; steps <= 256; steps *= 4) {
    State s = a, to;
    came = true;
    for (int i = 1; i <= steps && came; ++i) {
      came = advance(p, s, i == steps ? t : a.t + (t - a.t) * i / steps, to);
      s = to;
    }
    out = s;
    if (came && !strays()) return true;
  }
  return came;
}

}  // namespace cooperage::contact
