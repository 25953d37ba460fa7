// SPDX-License-Identifier: GPL-3.0-or-later
// One step of a run: predict, correct, halve; rows chosen anew where they are badly placed.
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "kinematics/travel.h"

namespace cooperage::kinematics {

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
  isPicked_ = false;
  fine_ = true;
  fullRank_ = solver_->rank();
}

/// Chooses rows anew for a pose. At a singular one some are lost: the next time the choice begins at the generic pose.
void TravelRun::pickAgain(const Configuration& c) {
  isPicked_ = false;
  solver_->pickAgain(c);
  if (solver_->rank() >= fullRank_) return;
  auto fresh = makeSolver(fine_);
  fresh->pick(mobility_.generic);
  fresh->pickAgain(c);
  if (fresh->rank() > solver_->rank()) solver_ = std::move(fresh);
}

/// pickAgain(), left out where the rows stand as it last chose them for this very pose: many poses are asked for
/// beside one step.
void TravelRun::pickAt(const Configuration& c) {
  if (isPicked_ && picked_.q == c.q && picked_.balls == c.balls) return;
  pickAgain(c);
  if (solver_->rank() < fullRank_) return;
  picked_ = c;
  isPicked_ = true;
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

}  // namespace cooperage::kinematics
