// SPDX-License-Identifier: GPL-3.0-or-later
// TravelRun: change points that a pose falls on. There the closures determine neither the pose to rounding nor any
// rates; but the path goes straight on, and is known on both sides.
#include <algorithm>
#include <cmath>

#include "base/index.h"

#include "kinematics/travel.h"

namespace cooperage::kinematics {

namespace {
constexpr double kReach = 4e-3;     // rad, or of size: from the point to either side
constexpr double kSingular = 2e-3;  // of the largest pivot so far: nearer than that to a change point
}  // namespace

/// The fastest of all values, in rad or size a second (or a unit of the parameter).
double TravelRun::speedOf(const TravelStep& s) const {
  double most = 0;
  for (std::size_t i = 0; i < s.qd.size(); ++i) most = std::max(most, std::abs(s.qd[i]) / system_->dofs[i].scale);
  return most;
}

/// What the path is a function of, at a time: the value of the drive if there is only one, so that a path that stops or
/// turns back on the point is the same path; else time.
double TravelRun::parameterAt(double t) const {
  int direction = 1;
  return drives_.size() == 1 ? drives_[0].programme.at(tauAt(t, direction)).position : t;
}

const TravelRun::Crossing* TravelRun::crossingAt(double t) const {
  if (crossings_.empty()) return nullptr;
  const double p = parameterAt(t);
  for (const Crossing& c : crossings_)
    if (p > c.low && p < c.high) return &c;
  return nullptr;
}

/// The pose at a time on a crossing: the quintic through both its ends with their first and second derivatives. Over
/// 8e-3 rad what it leaves out is below rounding: the sixth derivative times 4e-3^6 / 720. @param third of all values,
/// or null
TravelStep TravelRun::onCrossing(const Crossing& c, double t, std::vector<double>* third) const {
  TravelStep out = c.from;
  drive(t, out);
  double rate = 1, second = 0, jerk = 0;
  if (drives_.size() == 1) {
    int direction = 1;
    const double tau = tauAt(t, direction);
    const std::size_t dof = u(drives_[0].dof);
    rate = out.qd[dof];
    second = out.qdd[dof];
    jerk = direction * drives_[0].programme.at(tau).jerk;
  }
  const double T = c.high - c.low, x = (parameterAt(t) - c.low) / T;
  if (third) third->assign(out.qd.size(), 0.0);
  for (std::size_t i = 0; i < out.c.q.size(); ++i) {
    const double q0 = c.from.c.q[i], v0 = c.from.qd[i] * T, a0 = c.from.qdd[i] * T * T;
    const double v1 = c.to.qd[i] * T, a1 = c.to.qdd[i] * T * T;
    const double p = c.to.c.q[i] - q0 - v0 - 0.5 * a0, q = v1 - v0 - a0, r = a1 - a0;
    const double c3 = 10 * p - 4 * q + 0.5 * r, c4 = -15 * p + 7 * q - r, c5 = 6 * p - 3 * q + 0.5 * r;
    const double d1 = (v0 + x * (a0 + x * (3 * c3 + x * (4 * c4 + x * 5 * c5)))) / T;
    const double d2 = (a0 + x * (6 * c3 + x * (12 * c4 + x * 20 * c5))) / (T * T);
    const double d3 = (6 * c3 + x * (24 * c4 + x * 60 * c5)) / (T * T * T);
    out.c.q[i] = q0 + x * (v0 + x * (0.5 * a0 + x * (c3 + x * (c4 + x * c5))));
    out.qd[i] = d1 * rate;
    out.qdd[i] = d2 * rate * rate + d1 * second;
    if (third) (*third)[i] = d3 * rate * rate * rate + 3 * d2 * rate * second + d1 * jerk;
  }
  drive(t, out);
  return out;
}

/// The end of a crossing by which the path leaves it on the way from a time on it to one that is not, at the time of
/// that.
TravelStep TravelRun::leave(const Crossing& c, double on, double beyond) const {
  const TravelStep& end = parameterAt(beyond) >= c.high ? c.to : c.from;
  for (int k = 0; k < 200; ++k) {
    const double mid = 0.5 * (on + beyond), p = parameterAt(mid);
    if (mid == on || mid == beyond) break;
    (p > c.low && p < c.high ? on : beyond) = mid;
  }
  TravelStep out = end;
  drive(beyond, out);
  if (drives_.size() > 1) return out;
  const std::size_t dof = u(drives_[0].dof);
  const double rate = out.qd[dof], second = out.qdd[dof];
  for (std::size_t i = 0; i < out.qd.size(); ++i) {
    out.qd[i] = end.qd[i] * rate;
    out.qdd[i] = end.qdd[i] * rate * rate + end.qd[i] * second;
  }
  drive(beyond, out);
  return out;
}

/// Goes on to a time, by way of crossings that are known. @return false if something else stands in the way
bool TravelRun::goTo(TravelStep& s, double t) {
  constexpr int kMost = 16;  // crossings on the way
  for (int k = 0; k < kMost && s.t < t; ++k) {
    if (const Crossing* c = crossingAt(t)) {
      s = onCrossing(*c, t);
      history_ = marked_ = false;
      return true;
    }
    if (const Crossing* c = crossingAt(s.t)) {
      s = leave(*c, s.t, t);
      history_ = marked_ = false;
    }
    if (s.t >= t || advanceTo(s, t) >= t) return true;
    if (!crossingAt(s.t)) return false;
  }
  return s.t >= t;
}

/// Is a pose so near to a singular one that neither it nor its rates are true to more than a few digits?
bool TravelRun::nearSingular() {
  const double pivot = solver_->leastPivot();
  largestPivot_ = std::max(largestPivot_, pivot);
  return pivot < kSingular * largestPivot_;
}

/// Where a step was halved down to nothing, or came to a singular pose: is it a change point that the path goes
/// straight through? Then a pose short of it leads by one step to one beyond it, with a correction that is nothing
/// against the step. Beyond the point it goes on as the drive came, whatever that does next.
/// @param steps the poses so far, to go back to; at: where it is
bool TravelRun::cross(const std::vector<TravelStep>& steps, const TravelStep& at) {
  if (system_->ballCount > 0 || steps.empty() || drives_.empty()) return false;
  if (crossingAt(at.t)) return true;
  const bool byValue = drives_.size() == 1;
  const std::size_t dof = u(drives_[0].dof);
  double middle = parameterAt(at.t);
  // along the parameter at unit speed, from a pose on it
  const auto along = [&](double from, double sense) {
    return [this, byValue, dof, from, sense](double x, TravelStep& s) {
      if (!byValue) {
        drive(from + x, s);
      } else {
        s.c.q[dof] = from + sense * x;
        s.qd[dof] = sense;
        s.qdd[dof] = 0;
      }
      s.t = x;
    };
  };
  bool centred = false;
  for (const double share : {1.0, 1.0, 0.3, 0.3, 2.0}) {
    double speed = std::max(speedOf(at), speedOf(steps.back()));
    if (byValue) {
      TravelStep one = steps.back();
      along(parameterAt(one.t), 1)(0, one);
      pickAgain(one.c);
      if (!solver_->rates(one.c, one.qd, one.qdd)) return false;
      speed = speedOf(one);
    }
    if (!(speed > 0)) return false;
    Crossing c;
    c.low = middle - share * kReach / speed;
    c.high = middle + share * kReach / speed;
    if (const double here = parameterAt(at.t); here <= c.low || here >= c.high) continue;
    // rows of a programme that begin there may jump in speed: of several drives no smooth path goes across
    if (!byValue && std::any_of(drives_.begin(), drives_.end(), [&](const ActiveDrive& d) {
          const auto& knots = d.programme.knots();
          return std::any_of(knots.begin(), knots.end(), [&](double k) { return k > c.low && k < c.high; });
        }))
      continue;
    const auto outside = [&](const TravelStep& s) {
      const double p = parameterAt(s.t);
      return byValue ? p <= c.low || p >= c.high : p <= c.low;
    };
    const auto it = std::find_if(steps.rbegin(), steps.rend(), outside);
    if (it == steps.rend() || crossingAt(it->t)) continue;
    const double begin = parameterAt(it->t), sense = begin <= c.low ? 1 : -1;
    const double near = sense > 0 ? c.low : c.high, far = sense > 0 ? c.high : c.low;
    const auto path = along(begin, sense);
    TravelStep first = *it, second;
    pickAgain(first.c);
    history_ = marked_ = false;
    path(0, first);
    const double smallest = 1e-13 * std::max(std::abs(begin), std::abs(far - begin));
    const double toNear = sense * (near - begin), toFar = sense * (far - begin);
    if (toNear > 0 && advance(first, toNear, smallest, path) < toNear) continue;
    if (!solver_->rates(first.c, first.qd, first.qdd)) continue;
    solver_->markSigns();
    history_ = false;
    // a determinant has changed its sign on the way, and nothing else stands against the step
    const double before = solver_->leastPivot();
    if (trial(first, toFar, path, second) || !signsOnly_ || !(outcome_.ratio < 0.1)) continue;
    // both ends as far from the point as can be: about linear, the determinant has its zero there
    const double zero = near + (far - near) * before / (before + solver_->leastPivot());
    if (!centred && std::abs(zero - middle) > 0.1 * (c.high - middle)) {
      middle = zero;
      centred = true;
      continue;
    }
    for (TravelStep* s : {&first, &second})
      for (double& v : s->qd) v *= sense;
    c.from = sense > 0 ? first : second;
    c.to = sense > 0 ? second : first;
    history_ = marked_ = false;
    changePoints_.push_back(at.t);
    crossings_.push_back(std::move(c));
    return true;
  }
  history_ = marked_ = false;
  return false;
}

}  // namespace cooperage::kinematics
