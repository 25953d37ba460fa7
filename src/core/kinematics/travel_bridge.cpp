// SPDX-License-Identifier: GPL-3.0-or-later
// TravelRun: over change points that a step falls on. There the closures have no rates of their own, but the path has.
#include <algorithm>
#include <cmath>

#include "kinematics/travel.h"

namespace cooperage::kinematics {

namespace {
constexpr double kReach = 1e-3;  // rad, or of size: from the point to either side
}  // namespace

/// The fastest of all values, in rad or size a second.
double TravelRun::speedOf(const TravelStep& s) const {
  double most = 0;
  for (std::size_t i = 0; i < s.qd.size(); ++i) most = std::max(most, std::abs(s.qd[i]) / system_->dofs[i].scale);
  return most;
}

/// The pose at a time on a bridge: the quintic through both its ends with their rates and accelerations. Over 2e-3 rad
/// what it leaves out is below rounding.
TravelStep TravelRun::onBridge(const Bridge& b, double t) const {
  TravelStep out = b.from;
  out.t = t;
  const double T = b.to.t - b.from.t, x = (t - b.from.t) / T;
  for (std::size_t i = 0; i < out.c.q.size(); ++i) {
    const double q0 = b.from.c.q[i], v0 = b.from.qd[i] * T, a0 = b.from.qdd[i] * T * T;
    const double v1 = b.to.qd[i] * T, a1 = b.to.qdd[i] * T * T;
    const double p = b.to.c.q[i] - q0 - v0 - 0.5 * a0, q = v1 - v0 - a0, r = a1 - a0;
    const double c3 = 10 * p - 4 * q + 0.5 * r, c4 = -15 * p + 7 * q - r, c5 = 6 * p - 3 * q + 0.5 * r;
    out.c.q[i] = q0 + x * (v0 + x * (0.5 * a0 + x * (c3 + x * (c4 + x * c5))));
    out.qd[i] = (v0 + x * (a0 + x * (3 * c3 + x * (4 * c4 + x * 5 * c5)))) / T;
    out.qdd[i] = (a0 + x * (6 * c3 + x * (12 * c4 + x * 20 * c5))) / (T * T);
  }
  drive(t, out);
  return out;
}

const TravelRun::Bridge* TravelRun::bridgeAt(double t) const {
  for (const Bridge& b : bridges_)
    if (t > b.from.t && t < b.to.t) return &b;
  return nullptr;
}

/// Where a step was halved down to nothing: is it a change point that the path goes straight through? Then a pose short
/// of it leads by one step to one beyond it, with a correction that is nothing against the step.
/// @param steps the poses so far, to go back to; stuck: where it halted
bool TravelRun::bridge(const std::vector<TravelStep>& steps, const TravelStep& stuck) {
  if (system_->ballCount > 0) return false;
  for (const double share : {1.0, 0.3, 2.0}) {
    const double speed = std::max(speedOf(stuck), steps.empty() ? 0 : speedOf(steps.back()));
    if (!(speed > 0)) return false;
    const double reach = share * kReach / speed;
    const double from = stuck.t - reach, to = stuck.t + reach;
    // rows of a programme that begin there may jump in speed: no smooth path goes across
    const bool knot = std::any_of(drives_.begin(), drives_.end(), [&](const ActiveDrive& d) {
      const auto& knots = d.programme.knots();
      return std::any_of(knots.begin(), knots.end(), [&](double k) { return k > from && k < to; });
    });
    if (knot) continue;
    auto it = std::find_if(steps.rbegin(), steps.rend(), [&](const TravelStep& s) { return s.t <= from; });
    if (it == steps.rend()) continue;
    if (bridgeAt(it->t)) continue;
    Bridge b{*it, {}};
    history_ = marked_ = false;
    if (b.from.t < from && advanceTo(b.from, from) < from) continue;
    if (!solver_->rates(b.from.c, b.from.qd, b.from.qdd)) continue;
    solver_->markSigns();
    history_ = false;
    // a determinant has changed its sign on the way, and nothing else stands against the step
    if (trialTo(b.from, to, b.to) || !signsOnly_ || !(outcome_.ratio < 0.1)) continue;
    history_ = marked_ = false;
    changePoints_.push_back(stuck.t);
    bridges_.push_back(std::move(b));
    return true;
  }
  history_ = marked_ = false;
  return false;
}

}  // namespace cooperage::kinematics
