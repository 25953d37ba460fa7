// SPDX-License-Identifier: GPL-3.0-or-later
// PushRun: what is told of what was worked out: poses, events, play; overlaps and free poses.
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "contact/push_parts.h"

namespace cooperage::contact {

using push::Configuration;
using push::has;
using push::valuesIn;

static constexpr double kDeep = 8;  // quarters of the thinnest part: what overlaps deeper shows otherwise

static bool sameLinks(const GapKey& a, const GapKey& b) { return a.pair == b.pair && a.stop == b.stop; }

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
  const auto goesOn = [&](const GapKey& k) {
    return std::any_of(before.begin(), before.end(), [&](const GapKey& o) { return model_->goesOn(o, k); });
  };
  for (const GapKey& k : after)
    if (!has(before, k) && ofSame(before, k) && (fell || !goesOn(k))) {
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

std::vector<PushRun::Open> PushRun::open() const {
  std::vector<Open> out;
  for (const Phase& p : phases_)
    for (const int dof : p.open)
      if (p.to > p.from) out.push_back({p.from, p.to, dof});
  return out;
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

std::vector<GapRow> PushRun::overlaps(double t, const Configuration& c) {
  Configuration at = c;
  const Vector q = valuesIn(c, model_->pushed());
  std::vector<GapRow> out;
  if (!model_->go(t, q, at)) return out;
  model_->near(0, kDeep * model_->quarter(), rows_);
  for (const GapRow& r : rows_)
    if (r.gap < 0 && r.key.stop < 0 && r.nearest) out.push_back(r);
  model_->crossings(out);
  std::sort(out.begin(), out.end(), [](const GapRow& a, const GapRow& b) { return a.gap < b.gap; });
  return out;
}

bool PushRun::free(double t, Configuration& c) {
  const Vector start = valuesIn(c, model_->pushed());
  Configuration home = c;
  if (!model_->go(t, start, home)) return false;
  const PushModel::Places from = model_->places();
  const double size = model_->size3();
  // how deep is looked: what lies deeper has another way out, or none near by
  for (const double share : {0.01, 0.03, 0.08, 0.25, 1.0}) {
    const double depth = std::min(share * size, 4 * kDeep * model_->quarter());
    State s;
    s.c = c;
    s.q = start;
    bool going = true;
    for (int round = 0; round < 60 && going; ++round) {
      if (!model_->go(t, s.q, s.c)) break;
      model_->near(2 * model_->quarter(), depth, rows_);
      model_->metric(metric_);
      const auto [step, worst] = push::linearStep(metric_, start - s.q, rows_, 0.5 * tolerance_);
      if (!step.possible) break;
      const double hurry = model_->hurry(0, step.x);
      s.q += step.x / std::max(1.0, 0.25 * hurry);
      if (hurry < 1e-9 && worst > -1e3 * tolerance_) going = false;
    }
    if (going) continue;
    // judged whatever lies how deep
    if (!model_->go(t, s.q, s.c)) continue;
    model_->near(0, kDeep * model_->quarter(), rows_);
    model_->crossings(rows_);
    if (std::any_of(rows_.begin(), rows_.end(), [&](const GapRow& r) { return r.gap < -1e4 * tolerance_; })) continue;
    if (!model_->isNear(from)) continue;
    c = s.c;
    return true;
  }
  return false;
}

}  // namespace cooperage::contact
