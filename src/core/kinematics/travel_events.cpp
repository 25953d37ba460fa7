// SPDX-License-Identifier: GPL-3.0-or-later
// TravelRun: stops, lost contacts, and what is said where the travel can't go on.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "kinematics/least.h"
#include "base/index.h"
#include "kinematics/travel.h"
#include "kinematics/values.h"

namespace cooperage::kinematics {

/// How far a value is past its stops; negative inside.
double TravelRun::past(const TravelStep& s, const Watch& w) const {
  const double q = w.dof >= 0 ? s.c.q[u(w.dof)] : jointValue(*system_, s.c, w.joint, w.value, resolved_);
  return std::max(w.low - q, q - w.high);
}

/// The pose at which something begins or ends between two poses: `is` differs at both.
TravelStep TravelRun::edgeBetween(const TravelStep& from, const TravelStep& to,
                                  const std::function<bool(const TravelStep&)>& is) {
  const bool first = is(from);
  double low = from.t, high = to.t;
  TravelStep at = to, start = from;
  for (int k = 0; k < 64 && high - low > 4e-16 * std::max(high, settings().duration); ++k) {
    TravelStep mid = start;
    const double t = 0.5 * (low + high);
    history_ = marked_ = false;
    if (!(t > low) || !goTo(mid, t)) break;
    if (is(mid) == first) {
      low = t;
      start = std::move(mid);
    } else {
      high = t;
      at = std::move(mid);
    }
  }
  history_ = marked_ = false;
  return at;
}

/// A value that comes back between two poses: the pose where its rate vanishes.
bool TravelRun::extremeBetween(const TravelStep& from, const TravelStep& to, const Watch& w, TravelStep& at) {
  const auto rate = [&](const TravelStep& s) {  // a rate needs no jerks: accelerations stand in for them
    return w.dof >= 0 ? s.qd[u(w.dof)]
                      : valueOf(*system_, w.compiled, w.value, s.c, s.qd.data(), s.qdd.data(), s.qdd.data())[1];
  };
  const double a = rate(from), b = rate(to);
  if (!(a * b < 0)) return false;
  // far inside the stops: an arch with ends so flat, and four times as steep between them, does not come near
  const double reach = 4 * std::max(std::abs(a), std::abs(b)) * (to.t - from.t);
  if (std::max(past(from, w), past(to, w)) + reach <= w.slack) return false;
  at = edgeBetween(from, to, [&](const TravelStep& s) { return rate(s) * a > 0; });
  return true;
}

/// A place on the travel axis as a message tells it, in the document's units.
std::string TravelRun::axisText(double value) const {
  Dimension d = dimension::kTime;
  if (const int axis = settings().axis; axis >= 0 && activeDrive(axis) >= 0) d = resolved_.drives[u(axis)].dimension;
  const std::string unit = resolved_.units.label(d);
  return formatNumber(value / resolved_.units.factor(d), 8) + (unit.empty() ? "" : " " + unit);
}

/// A drive's value with its unit, to no more digits than a dead point is located to.
std::string TravelRun::valueText(int drive, double value) const {
  const Dimension d = resolved_.drives[u(drive)].dimension;
  const std::string unit = resolved_.units.label(d);
  return formatNumber(value / resolved_.units.factor(d), 8) + (unit.empty() ? "" : " " + unit);
}

/// The drives that can contradict one another: those that are one too many, and all others that act on what hangs
/// together with them.
std::vector<std::string> TravelRun::contradicting() const {
  std::vector<int> parent(u(system_->nodeCount));
  for (std::size_t i = 0; i < parent.size(); ++i) parent[i] = static_cast<int>(i);
  const std::function<int(int)> root = [&](int n) { return parent[u(n)] == n ? n : parent[u(n)] = root(parent[u(n)]); };
  const auto nodeOf = [&](int dof) {
    const auto& j = system_->joints[u(system_->dofs[u(dof)].joint)];
    return j.nodeB > 0 ? j.nodeB : j.nodeA;
  };
  const auto tie = [&](int a, int b) {
    if (a > 0 && b > 0) parent[u(root(a))] = root(b);
  };
  for (const auto& j : system_->joints) tie(j.nodeA, j.nodeB);
  for (const auto& row : system_->scalars)
    for (const int d : row.dofs) tie(nodeOf(row.dofs[0]), nodeOf(d));
  std::vector<std::string> out;
  for (const ActiveDrive& d : drives_) {
    const std::string& name = resolved_.drives[u(d.drive)].name;
    const bool with = std::any_of(drives_.begin(), drives_.end(), [&](const ActiveDrive& o) {
      const auto& redundant = mobility_.redundantDrives;
      return std::find(redundant.begin(), redundant.end(), resolved_.drives[u(o.drive)].name) != redundant.end() &&
             root(nodeOf(o.dof)) == root(nodeOf(d.dof));
    });
    if (with) out.push_back(name);
  }
  return out;
}

/// Do the rates close all rows, those too that the pose leaves out as redundant? Where they don't, drives ask for
/// different motions from here on.
bool TravelRun::ratesAgree(const TravelStep& s) {
  solver_->forward(s.c);
  solver_->assemble(s.c);
  double speed = 0, off = 0;
  for (std::size_t d = 0; d < s.qd.size(); ++d) speed = std::max(speed, std::abs(s.qd[d]) / system_->dofs[d].scale);
  for (std::size_t l = 0; l < system_->loops.size(); ++l) {
    Solver::Column sum = Solver::Column::Zero();
    const auto& members = system_->loops[l].members;
    for (std::size_t k = 0; k < members.size(); ++k)
      sum += s.qd[u(members[k].dof)] / system_->dofs[u(members[k].dof)].scale *
             solver_->loopColumns(static_cast<int>(l))[k];
    off = std::max(off, sum.norm());
  }
  for (std::size_t r = 0; r < system_->scalars.size(); ++r) {
    double sum = 0;
    const auto& dofs = system_->scalars[r].dofs;
    for (std::size_t k = 0; k < dofs.size(); ++k)
      sum += s.qd[u(dofs[k])] / system_->dofs[u(dofs[k])].scale * solver_->scalarGradient(static_cast<int>(r))[k];
    off = std::max(off, std::abs(sum));
  }
  return off <= std::max(1e-6, 10 * settings().fitAngle) * speed;
}

/// The first drive on the way whose law has no value, and where.
std::optional<Ended> TravelRun::withoutValue(double from, double to) const {
  for (const ActiveDrive& d : drives_) {
    const auto none = [&](double t) {
      int direction = 1;
      const auto m = d.programme.at(tauAt(t, direction));
      return !std::isfinite(m.position) || !std::isfinite(m.velocity) || !std::isfinite(m.acceleration);
    };
    if (!none(to)) continue;
    double low = from, high = to;
    for (int n = 0; n < 60; ++n) (none(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
    Ended e{EndKind::cannotClose, axisAt(low), low, "", 0, 0, {}, {}};
    e.drives.emplace_back(d.drive, std::numeric_limits<double>::quiet_NaN());
    return e;
  }
  return std::nullopt;
}

/// The first stop that is met on the way from one pose to the next, which is moved there.
std::optional<Ended> TravelRun::stopBetween(const TravelStep& from, TravelStep& to) {
  if (settings().pastStops) return std::nullopt;
  std::optional<Ended> first;
  for (const Watch& w : watches_) {
    if (pushed_ && std::find(pushed_->dofs().begin(), pushed_->dofs().end(), w.dof) != pushed_->dofs().end())
      continue;  // what is pushed stops at its stops by itself
    TravelStep extreme;
    const bool through = past(to, w) > w.slack;
    if (!through && (!extremeBetween(from, to, w, extreme) || past(extreme, w) <= w.slack)) continue;
    const TravelStep at =
        edgeBetween(from, through ? to : extreme, [&](const TravelStep& s) { return past(s, w) > 0; });
    if (first && at.t >= first->t) continue;
    const auto& j = resolved_.joints[u(w.joint)];
    first = Ended{EndKind::stop, axisAt(at.t), at.t, j.name, 0, 0, {}, {}};
    to = at;
  }
  return first;
}

/// Curvature of a cam at a place, 1/m: positive where it bulges towards its follower.
static double bulge(const model::Resolved::CamPairR& p, double at) {
  return p.cam->curvature(at) * p.cam->windingSign() * (p.inside ? -1 : 1);
}

/// A contact that would have to pull, or to pass through its curve: a roller larger than a hollow, a flat over a
/// hollow, a place beyond the end of an open curve.
bool TravelRun::contactLost(int joint, const TravelStep& s) const {
  const System::Joint& j = system_->joints[u(joint)];
  const auto& p = resolved_.camPairs[u(j.pair)];
  const double at = s.c.q[u(j.firstDof)];
  if (!p.cam->closed() && (at < p.cam->low() - 1e-12 || at > p.cam->high() + 1e-12)) return true;
  if (p.kind == model::ContactKind::point || p.kind == model::ContactKind::rolling) return false;
  const double bend = bulge(p, at);
  if (p.kind == model::ContactKind::flat) return bend * system_->size < -1e-9;
  return bend < 0 && -bend * p.radius > 1 + 1e-9;
}

/// The contact that is being lost where a travel can't go on: the hollow is just as round as the roller, or just flat
/// under the flat, so that the place of contact would have to turn back. @return compiled joint, or -1
int TravelRun::contactAtItsEnd(const TravelStep& s) const {
  for (std::size_t i = 0; i < system_->joints.size(); ++i) {
    const System::Joint& j = system_->joints[i];
    if (j.pair < 0) continue;
    const auto& p = resolved_.camPairs[u(j.pair)];
    const double bend = bulge(p, s.c.q[u(j.firstDof)]);
    if (p.kind == model::ContactKind::roller && bend < 0 && std::abs(1 + bend * p.radius) < 0.02)
      return static_cast<int>(i);
    if (p.kind == model::ContactKind::flat && std::abs(bend) * system_->size < 0.02) return static_cast<int>(i);
  }
  return -1;
}

void TravelRun::watchMarks(const TravelStep& from, const TravelStep& to, Travel& travel) {
  const auto follow = [&](std::size_t kind, const auto& is) {
    const auto open = std::find_if(open_.begin(), open_.end(), [&](const OpenMark& m) { return m.kind == kind; });
    const bool now = is(to), was = open != open_.end();
    if (now == was) return;
    const bool before = is(from);
    const double t = before == now ? from.t : edgeBetween(from, to, is).t;
    if (now) {
      open_.push_back({kind, t});
      return;
    }
    const bool pair = kind >= watches_.size();
    const std::string name = pair ? system_->nameOf(static_cast<int>(kind - watches_.size()), resolved_)
                                  : resolved_.joints[u(watches_[kind].joint)].name;
    travel.marks.push_back({pair ? "contact-lost" : "past-stop", name, axisAt(open->from), axisAt(t)});
    open_.erase(open);
  };
  if (settings().pastStops)
    for (std::size_t i = 0; i < watches_.size(); ++i)
      follow(i, [&, i](const TravelStep& s) { return past(s, watches_[i]) > watches_[i].slack; });
  for (std::size_t i = 0; i < system_->joints.size(); ++i)
    if (system_->joints[i].pair >= 0)
      follow(watches_.size() + i, [&, i](const TravelStep& s) { return contactLost(static_cast<int>(i), s); });
}

void TravelRun::closeMarks(double t, Travel& travel) {
  if (pushed_) tellPushes(t, travel);
  for (const OpenMark& m : open_) {
    const bool pair = m.kind >= watches_.size();
    const std::string name = pair ? system_->nameOf(static_cast<int>(m.kind - watches_.size()), resolved_)
                                  : resolved_.joints[u(watches_[m.kind].joint)].name;
    travel.marks.push_back({pair ? "contact-lost" : "past-stop", name, axisAt(m.from), axisAt(t)});
  }
  open_.clear();
  std::sort(changePoints_.begin(), changePoints_.end());
  for (double c : changePoints_)
    if (c <= t &&
        (travel.marks.empty() || travel.marks.back().code != "change-point" ||
         std::abs(travel.marks.back().from - axisAt(c)) > 1e-6 * std::abs(axisAt(settings().duration) - axisAt(0))))
      travel.marks.push_back({"change-point", "", axisAt(c), axisAt(c)});
  for (const Mark& m : travel.marks) {
    if (!m.links.empty()) continue;  // told already
    const std::string from = axisText(m.from), to = axisText(m.to);
    if (m.code == "contact-lost")
      travel.messages.push_back({Severity::warning,
                                 m.code,
                                 {m.object},
                                 fmt::format("cam pair {}: contact is lost from {} to {}", m.object, from, to)});
    else if (m.code == "past-stop")
      travel.messages.push_back({Severity::warning,
                                 m.code,
                                 {m.object},
                                 fmt::format("joint {}: past its stop from {} to {}", m.object, from, to)});
    else
      travel.messages.push_back({Severity::note,
                                 m.code,
                                 {},
                                 fmt::format("a change point is passed at {}; the mechanism could "
                                             "go another way there, the straight one was kept",
                                             from)});
  }
}

/// At a limit the programmes run back the way they came. At a dead point rates grow beyond all bounds: the pose on the
/// way back is the one on the way there, mirrored in time, until the next place that a step of some length was made to.
bool TravelRun::turnBack(TravelStep& s, double target, bool deadPoint, Travel& travel) {
  int direction = 1;
  const double limit = s.t, tau = tauAt(limit, direction);
  if (folds_.size() > 100000) return false;
  if (folds_.size() == 1)
    travel.messages.push_back(
        {Severity::note,
         "turned-back",
         {},
         fmt::format("the run turns back at {}, where it meets a limit", axisText(axisAt(limit)))});
  history_ = marked_ = false;
  if (deadPoint && anchor_.t < limit) {
    s = anchor_;
    const double mirrored = 2 * limit - target;
    if (mirrored > s.t) advanceTo(s, mirrored);
    s.t = 2 * limit - s.t;
  }
  folds_.push_back({limit, tau, -direction});
  if (pushed_) pushed_->forgetAfter(limit, settings().duration);
  for (double& v : s.qd) v = -v;
  drive(s.t, s);
  history_ = marked_ = false;
  return solver_->rates(s.c, s.qd, s.qdd);
}

/// Where the travel ends: the joint that would have to open, and by how much, with all others closed and the drives
/// where they were asked to be; at the end of the run if it can't be reached there either, else at the next step.
Ended TravelRun::failure(const TravelStep& last, double asked) {
  Ended e{EndKind::deadPoint, axisAt(last.t), last.t, "", 0, 0, {}, {}};
  for (const ActiveDrive& d : drives_)
    if (std::abs(last.qd[u(d.dof)]) > 0) e.drives.emplace_back(d.drive, last.c.q[u(d.dof)]);
  std::vector<bool> fixed(u(system_->dofCount()), false);
  for (int d : drivenDofs_) fixed[u(d)] = true;
  Solver open(*system_, {});
  open.setHome(home_.configuration);
  LeastMotion least(open);
  std::vector<double> weights(u(system_->rowCount()), 1.0);
  for (const double t : {settings().duration, asked}) {
    TravelStep s = last;
    drive(t, s);
    std::fill(weights.begin(), weights.end(), 1.0);
    if (least.close(s.c, fixed) < 1e-9) continue;
    // the loop that stays open most gives way; its turns stay closed as far as they can
    double worst = 0;
    int loop = -1;
    for (std::size_t i = 0; i < system_->loops.size(); ++i) {
      const double gap = open.gapLength(static_cast<int>(i)) / system_->size + open.gapAngle(static_cast<int>(i));
      if (gap >= worst) {
        worst = gap;
        loop = static_cast<int>(i);
      }
    }
    if (loop < 0) continue;
    for (int r = 3; r < 6; ++r) weights[6 * u(loop) + u(r)] = 1e-4;
    least.close(s.c, fixed, &weights, 400);
    e.joint = system_->nameOf(system_->loops[u(loop)].joint, resolved_);
    e.gap = open.gapLength(loop);
    e.gapAngle = open.gapAngle(loop);
    e.nearest = s.c;
    break;
  }
  if (e.joint.empty() && !system_->loops.empty())
    e.joint = system_->nameOf(system_->loops[u(std::max(0, outcome_.worstLoop))].joint, resolved_);
  if (const int lost = contactAtItsEnd(last); lost >= 0) e.joint = system_->nameOf(lost, resolved_);
  if (!mobility_.redundantDrives.empty()) e.kind = EndKind::drivesContradict;
  return e;
}

/// First time in an interval at which two drives ask different values of one joint.
std::optional<Ended> TravelRun::contradictionIn(double from, double to) const {
  for (std::size_t i = 0; i < drives_.size(); ++i)
    for (std::size_t k = i + 1; k < drives_.size(); ++k) {
      if (drives_[i].dof != drives_[k].dof) continue;
      const double scale = system_->dofs[u(drives_[i].dof)].scale;
      const auto differ = [&](double t) {
        int direction = 1;
        const double tau = tauAt(t, direction);
        return std::abs(drives_[i].programme.at(tau).position - drives_[k].programme.at(tau).position) > 1e-9 * scale;
      };
      if (!differ(to)) continue;
      double low = from, high = to;
      for (int n = 0; n < 60 && !differ(low); ++n) (differ(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
      const auto& value = resolved_.drives[u(drives_[i].drive)].value;
      const std::string name = value.joint >= 0 ? resolved_.joints[u(value.joint)].name
                                                : system_->nameOf(system_->dofs[u(drives_[i].dof)].joint, resolved_);
      return Ended{EndKind::drivesContradict, axisAt(low), low, name, 0, 0, {}, {}};
    }
  return std::nullopt;
}

void TravelRun::tellEnd(Travel& travel) const {
  const Ended& e = *travel.ended;
  const std::string at = axisText(e.at);
  std::string text;
  if (e.kind == EndKind::stop) {
    text = fmt::format("joint {} meets its stop at {}", e.joint, at);
  } else if (pushed_ && pushed_->lost() && pushed_->lost()->t == e.t) {
    text = pushed_->lost()->closure
               ? fmt::format(
                     "the travel ends at {}: a dead point, with links that are pushed; change a length, or "
                     "turn back at the limit",
                     at)
               : fmt::format(
                     "the travel ends at {}: what is pushed there can't be followed further; check the "
                     "outlines of the contacts' links there",
                     at);
  } else if (e.kind == EndKind::jammed) {
    text = fmt::format("the travel ends at {}: jammed, {}; move a link, or turn back at the limit", at, jamText(e));
  } else if (e.kind == EndKind::drivesContradict) {
    std::string names;
    for (const auto& d : contradicting()) names += (names.empty() ? "" : ", ") + d;
    text = fmt::format("the drives {} contradict one another from {} on, at joint {}; switch one off or change it",
                       names, at, e.joint);
  } else if (e.kind == EndKind::cannotClose && !e.drives.empty() && std::isnan(e.drives[0].second)) {
    text = fmt::format("the travel ends at {}: the law of drive {} has no value there", at,
                       resolved_.drives[u(e.drives[0].first)].name);
  } else if (std::any_of(travel.marks.begin(), travel.marks.end(), [&](const Mark& m) {
               return m.code == "contact-lost" && m.object == e.joint && m.from == e.at;
             })) {
    text = fmt::format(
        "the travel ends at {}: cam pair {} loses contact there, as its follower does "
        "not reach into the hollow of the curve; make the roller smaller or the hollow wider",
        at, e.joint);
  } else {
    std::string reach;
    for (const auto& [drive, value] : e.drives)
      reach +=
          fmt::format("; drive {} gets no farther than {}", resolved_.drives[u(drive)].name, valueText(drive, value));
    // what rounding leaves is no gap
    std::string open;
    if (e.gap > 1e-9 * system_->size) open = fmt::format("{:.6g} mm", e.gap * 1e3);
    if (e.gapAngle > 1e-6) open += fmt::format("{}{:.4g} deg", open.empty() ? "" : " and ", e.gapAngle * 180 / kPi);
    text = fmt::format("the travel ends at {}: a dead point{}", at, reach);
    if (!open.empty() && !e.joint.empty()) text += fmt::format("; joint {} would have to open by {}", e.joint, open);
    text += "; change a length, or turn back at the limit";
  }
  travel.messages.push_back({Severity::error, wordFor(e.kind), {e.joint}, text});
}

}  // namespace cooperage::kinematics
