// SPDX-License-Identifier: GPL-3.0-or-later
// TravelRun: freedoms that contacts move.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "kinematics/travel.h"

namespace cooperage::kinematics {

Status TravelRun::makePushed(const MakePushed& make, std::vector<int> left) {
  auto made = make(*this, drivenDofs_, left);
  if (!made.ok()) return made.error();
  messages_.insert(messages_.end(), made->messages.begin(), made->messages.end());
  if (!made->source) return Done{};
  pushed_ = std::move(made->source);
  followRun();
  // from here on they are driven, by what pushes
  for (const int d : pushed_->dofs()) drivenDofs_.push_back(d);
  solver_ = makeSolver(false);
  solver_->pick(mobility_.generic);
  fullRank_ = solver_->rank();
  solver_->pickAgain(home_.configuration);
  return Done{};
}

void TravelRun::followRun() {
  pushed_->follow({[this](double t, double* q, double* qd, double* qdd) {
                     for (const int d : drivenDofs_)
                       if (std::none_of(drives_.begin(), drives_.end(), [d](const auto& a) { return a.dof == d; })) {
                         const auto& own = pushed_->dofs();
                         if (std::find(own.begin(), own.end(), d) != own.end()) continue;
                         q[d] = home_.configuration.q[u(d)];
                         qd[d] = qdd[d] = 0;
                       }
                     driveOnly(t, q, qd, qdd);
                   },
                   [this](double t, double limit) { return nextProgrammeKnot(t, limit); }});
}

/// From home to the start values of the programmes: what is on the way is pushed. What came before the run is not told.
bool TravelRun::goToStartPushing(TravelStep& s, Travel& travel) {
  const double end = settings().duration;
  Configuration c = home_.configuration;
  const bool moves = std::any_of(drives_.begin(), drives_.end(), [](const ActiveDrive& d) {
    return std::abs(d.programme.at(0).position - d.home) > 1e-12;
  });
  if (moves) {
    pushed_->follow({[this](double t, double* q, double* qd, double* qdd) {
                       for (const int d : drivenDofs_) {
                         const auto& own = pushed_->dofs();
                         if (std::find(own.begin(), own.end(), d) != own.end()) continue;
                         q[d] = home_.configuration.q[u(d)];
                         qd[d] = qdd[d] = 0;
                       }
                       for (const ActiveDrive& d : drives_) {
                         const double way = d.programme.at(0).position - d.home;
                         q[d.dof] = d.home + way * t;
                         qd[d.dof] = way;
                         qdd[d.dof] = 0;
                       }
                     },
                     [](double, double limit) { return limit; }});
    if (settings().freeStart) pushed_->free(0, c);
    pushed_->begin(0, 1, c);
    const double reached = pushed_->reach(1, nullptr);
    c = pushed_->last();
    if (reached < 1) {
      Ended e{pushed_->jam() ? EndKind::jammed : EndKind::cannotClose, axisAt(0), 0, "", 0, 0, {}, {}, pushed_->jam()};
      travel.messages.push_back({Severity::error,
                                 wordFor(e.kind),
                                 {},
                                 fmt::format("the start of run {} can't be reached from home{}", settings().name,
                                             e.jam ? ": " + jamText(e) : "")});
      travel.ended = std::move(e);
      followRun();
      return false;
    }
  }
  followRun();
  if (settings().freeStart && !moves) pushed_->free(0, c);
  pushed_->begin(0, end, c);
  pushed_->reach(std::min(end, 1e-300), nullptr);
  s.c = pushed_->last();
  return true;
}

/// Over a knot of what pushes: where places jump, everything else follows along a straight way between them.
void TravelRun::passKnot(TravelStep& s) {
  const double t = s.t;
  TravelStep after = s;
  drive(t, after);
  if (pushed_->jumpsAt(t)) {
    const TravelStep before = s;
    const auto& dofs = pushed_->dofs();
    s.t = 0;
    history_ = marked_ = false;
    for (const int d : dofs) {
      s.qd[u(d)] = after.c.q[u(d)] - before.c.q[u(d)];
      s.qdd[u(d)] = 0;
    }
    for (const ActiveDrive& d : drives_) s.qd[u(d.dof)] = s.qdd[u(d.dof)] = 0;
    advance(s, 1, 1e-12, [&](double x, TravelStep& step) {
      step.t = x;
      for (const ActiveDrive& d : drives_) {
        step.c.q[u(d.dof)] = before.c.q[u(d.dof)];
        step.qd[u(d.dof)] = step.qdd[u(d.dof)] = 0;
      }
      for (const int d : dofs) {
        step.c.q[u(d)] = before.c.q[u(d)] + x * (after.c.q[u(d)] - before.c.q[u(d)]);
        step.qd[u(d)] = after.c.q[u(d)] - before.c.q[u(d)];
        step.qdd[u(d)] = 0;
      }
    });
    s.t = t;
  }
  drive(t, s);
  solver_->close(s.c);
  finish(s);
  history_ = false;
}

/// Jerks of what is pushed are differences of accelerations: contacts give two derivatives in closed form.
void TravelRun::pushedJerks(double t, std::vector<double>& qddd) const {
  std::vector<double> q(qddd.size()), qd(qddd.size()), before(qddd.size()), after(qddd.size());
  const double end = settings().duration, h = 1e-6 * end;
  double low = std::max(0.0, t - h), high = std::min(end, t + h);
  if (pushed_->nextKnot(t, high) < high) high = t;
  if (pushed_->nextKnot(low, t) < t) low = t;
  if (!(high > low)) return;
  pushed_->at(low, false, q.data(), qd.data(), before.data());
  pushed_->at(high, true, q.data(), qd.data(), after.data());
  for (const int d : pushed_->dofs()) qddd[u(d)] = (after[u(d)] - before[u(d)]) / (high - low);
}

std::optional<Ended> TravelRun::jamIn(double from, double to) const {
  if (const auto& lost = pushed_->lost(); lost && lost->t >= from && lost->t <= to)
    return Ended{lost->closure ? EndKind::deadPoint : EndKind::cannotClose, axisAt(lost->t), lost->t, "", 0, 0, {}, {}};
  const auto& jam = pushed_->jam();
  if (!jam || jam->t < from || jam->t > to) return std::nullopt;
  Ended e{EndKind::jammed, axisAt(jam->t), jam->t, "", 0, 0, {}, {}, jam};
  std::vector<double> q(u(system_->dofCount())), qd(q.size()), qdd(q.size());
  driveOnly(jam->t, q.data(), qd.data(), qdd.data());
  for (const ActiveDrive& d : drives_)
    if (qd[u(d.dof)] != 0) e.drives.emplace_back(d.drive, q[u(d.dof)]);
  return e;
}

std::string TravelRun::jamText(const Ended& e) const {
  std::string sides;
  std::vector<std::string> told;
  for (const Jam::Side& s : e.jam->sides) {
    const std::string text = s.links.empty() ? fmt::format("the stop of joint {}", s.contact)
                                             : fmt::format("{} and {} (contact {})", s.links[0], s.links[1], s.contact);
    if (std::find(told.begin(), told.end(), text) != told.end()) continue;
    told.push_back(text);
    sides += (sides.empty() ? "" : " against ") + text;
  }
  std::string back;
  for (const auto& [drive, value] : e.drives) {
    std::vector<double> q(u(system_->dofCount())), qd(q.size()), qdd(q.size());
    driveOnly(e.t, q.data(), qd.data(), qdd.data());
    const int k = activeDrive(drive);
    const bool rising = k >= 0 && qd[u(drives_[u(k)].dof)] > 0;
    back += fmt::format("; drive {} gets no farther than {} and would have to go back, to {} values",
                        resolved_.drives[u(drive)].name, valueText(drive, value), rising ? "smaller" : "greater");
  }
  return sides + back;
}

void TravelRun::tellPushes(double t, Travel& travel) const {
  tellOpen(t, travel);
  for (const PushEvent& e : pushed_->events()) {
    if (e.t > t) continue;
    const double at = axisAt(e.t);
    travel.marks.push_back({wordFor(e.kind), e.contact, at, at, e.links, e.place, e.gap});
    if (e.kind == PushEvent::Kind::falls)
      travel.messages.push_back(
          {Severity::note,
           "falls",
           {e.contact},
           fmt::format("contact {}: {} falls at {}", e.contact, fmt::join(e.links, " or "), axisText(at))});
  }
}

/// Where contacts leave a link that they move other ways, the least motion is weighed by masses.
void TravelRun::tellOpen(double t, Travel& travel) const {
  std::vector<std::pair<int, double>> told;  // joint, and when first
  for (const FreedomSource::Open& o : pushed_->open()) {
    const int joint = system_->dofs[u(o.dof)].joint;
    if (o.from > t || system_->joints[u(joint)].source < 0 ||
        std::any_of(told.begin(), told.end(), [&](const auto& x) { return x.first == joint; }))
      continue;
    told.emplace_back(joint, o.from);
    const auto& j = resolved_.joints[u(system_->joints[u(joint)].source)];
    const std::string& link = resolved_.links[u(j.linkB)].name;
    travel.messages.push_back(
        {Severity::note,
         "depends-on-masses",
         {link, j.name},
         fmt::format("{} depends on masses: from {} on contacts don't determine how joint {} moves; volumes stand for "
                     "masses",
                     link, axisText(axisAt(o.from)), j.name)});
  }
}

/// What is left without a drive, and what contacts move.
void TravelRun::tellLeft() {
  const int floating = 6 * static_cast<int>(system_->floating.size());
  const int left = mobility_.left - mobility_.idle - floating;
  const auto list = [](const std::vector<std::string>& texts) {
    std::string names;
    for (const auto& text : texts) names += (names.empty() ? "" : "; ") + text;
    return names;
  };
  if (left > 0)
    messages_.push_back({Severity::warning,
                         "left-over",
                         {},
                         fmt::format("{} freedom(s) are left without a drive and stay at home: {}", left,
                                     list(mobility_.leftFreedoms))});
  if (mobility_.byContact > 0)
    messages_.push_back({Severity::note,
                         "by-contact",
                         {},
                         pushed_ ? fmt::format("{} freedom(s) are moved by contact: {}", mobility_.byContact,
                                               list(mobility_.contactFreedoms))
                                 : fmt::format("{} freedom(s) that contacts would move stay at home: {}",
                                               mobility_.byContact, list(mobility_.contactFreedoms))});
}

}  // namespace cooperage::kinematics
