// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/levels.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/index.h"
#include "model/thickness.h"

namespace cooperage::study {

using namespace model;

namespace {

/// Search of all levels, link by link, with what is broken so far as a bound.
class LevelSearch {
 public:
  LevelSearch(const LevelProblem& problem, Progress* progress) : p_(problem), progress_(progress) {
    order_.resize(u(problem.links));
    for (int i = 0; i < problem.links; ++i) order_[u(i)] = i;
    apart_.assign(u(problem.links), std::vector<bool>(u(problem.links), false));
    for (const auto& [a, b] : problem.apart) apart_[u(a)][u(b)] = apart_[u(b)][u(a)] = true;
    // those that are given first, then those with most rules: what breaks is seen early
    std::stable_sort(order_.begin(), order_.end(), [&](int a, int b) {
      if (given(a) != given(b)) return given(a);
      return rulesOf(a) > rulesOf(b);
    });
  }

  LevelPlan run() {
    int movers = 0, highest = 0;
    for (int i = 0; i < p_.links; ++i) {
      if (!given(i)) ++movers;
      if (given(i)) highest = std::max(highest, *p_.fixed[u(i)]);
    }
    // more levels than there are links to part are empty ones
    const int most = std::max(1, highest + movers);
    for (int n = std::max(1, highest); n <= most; ++n) {
      count_ = n;
      levels_.assign(u(p_.links), kNone);
      place(0, 0, 0);
      if (stopped_) return {};
      if (best_ && broken_ == 0) break;
    }
    LevelPlan plan;
    if (!best_) return plan;
    plan.levels = *best_;
    for (int v : plan.levels) plan.count = std::max(plan.count, v);
    for (const auto& [a, b] : p_.apart)
      if (plan.levels[u(a)] == plan.levels[u(b)]) plan.together.emplace_back(a, b);
    for (std::size_t k = 0; k < p_.pins.size(); ++k) {
      const auto [low, high] = rangeOf(p_.pins[k], plan.levels);
      for (int link : p_.pins[k].hits)
        if (plan.levels[u(link)] > low && plan.levels[u(link)] < high)
          plan.pierced.emplace_back(static_cast<int>(k), link);
    }
    return plan;
  }

 private:
  static constexpr int kNone = -1;
  bool given(int link) const { return p_.fixed[u(link)].has_value(); }
  int rulesOf(int link) const {
    int n = static_cast<int>(std::count(apart_[u(link)].begin(), apart_[u(link)].end(), true));
    for (const auto& pin : p_.pins)
      n += static_cast<int>(std::count(pin.members.begin(), pin.members.end(), link) +
                            std::count(pin.hits.begin(), pin.hits.end(), link));
    return n;
  }
  static std::pair<int, int> rangeOf(const LevelProblem::Pin& pin, const std::vector<int>& levels) {
    int low = 1 << 20, high = kNone;
    for (int m : pin.members)
      if (levels[u(m)] != kNone) {
        low = std::min(low, levels[u(m)]);
        high = std::max(high, levels[u(m)]);
      }
    return {low, high};
  }
  /// Rules that are broken for good by the links that have levels, and how far pins reach so far.
  std::pair<int, int> judge() const {
    int broken = 0, reach = 0;
    for (const auto& [a, b] : p_.apart) broken += levels_[u(a)] != kNone && levels_[u(a)] == levels_[u(b)];
    for (const auto& pin : p_.pins) {
      const auto [low, high] = rangeOf(pin, levels_);
      if (high == kNone) continue;
      reach += high - low;
      for (int link : pin.hits) broken += levels_[u(link)] > low && levels_[u(link)] < high;
    }
    return {broken, reach};
  }
  void place(std::size_t at, int broken, int reach) {
    if (stopped_ || (++steps_ % 4096 == 0 && progress_ && progress_->cancelled())) {
      stopped_ = true;
      return;
    }
    // fewer levels come first: later ones must break less
    if (best_ && (broken > broken_ || (broken == broken_ && (count_ > bestCount_ || reach >= reach_)))) return;
    if (at == order_.size()) {
      best_ = levels_;
      broken_ = broken;
      reach_ = reach;
      bestCount_ = count_;
      return;
    }
    const int link = order_[at];
    const int from = given(link) ? *p_.fixed[u(link)] : 1, to = given(link) ? from : count_;
    for (int level = from; level <= to; ++level) {
      levels_[u(link)] = level;
      const auto [b, r] = judge();
      place(at + 1, b, r);
    }
    levels_[u(link)] = kNone;
  }

  const LevelProblem& p_;
  Progress* progress_;
  std::vector<int> order_, levels_;
  std::vector<std::vector<bool>> apart_;
  std::optional<std::vector<int>> best_;
  int count_ = 0, broken_ = 0, reach_ = 0, bestCount_ = 0;
  long steps_ = 0;
  bool stopped_ = false;
};

/// Whether a joint leads from one link to the other.
bool joined(const Resolved& r, int a, int b) {
  return std::any_of(r.joints.begin(), r.joints.end(), [&](const auto& j) {
    return j.enabled && ((j.linkA == a && j.linkB == b) || (j.linkA == b && j.linkB == a));
  });
}

/// A mechanism of which all plates lie on one level, and each pin is a link of its own.
struct Flat {
  Mechanism mechanism;
  std::vector<std::pair<Id, Id>> pairs;  ///< to be checked: two plates, or a pin and a plate
};

Result<Flat> flattened(const Mechanism& m, const Resolved& r, const std::vector<Pose>& poses, int run,
                       const std::vector<int>& plates) {
  Flat out{m, {}};
  for (const int i : plates) {
    const auto& link = *m.links[u(i)];
    const Id plate = plateOf(link)->id;
    out.mechanism = changedLink(out.mechanism, link.id, [&](Link& l) {
      dropIf(l.bodies, [&](const Body& b) { return b.id != plate; });
      change<Body>(l.bodies, plate, [](Body& b) {  // about the plane of its lines, whichever way its normal points
        b.figures["pin"] = Field(0);
        b.figures["level"] = Field(-0.5);
        b.figures["pitch"] = b.figures["thickness"];
      });
    });
  }
  for (const auto& l : m.links)
    if (!plateOf(*l)) out.mechanism = changedLink(out.mechanism, l->id, [](Link& x) { x.bodies.clear(); });
  for (std::size_t i = 0; i < plates.size(); ++i)
    for (std::size_t k = i + 1; k < plates.size(); ++k)
      if (!joined(r, plates[i], plates[k]))
        out.pairs.emplace_back(m.links[u(plates[i])]->id, m.links[u(plates[k])]->id);
  const double unit = m.units.factor(dimension::kLength);
  for (const auto& axis : r.pinAxes) {
    const auto& first = axis.members.front();
    const auto plate = std::find_if(r.links[u(first.link)].bodies.begin(), r.links[u(first.link)].bodies.end(),
                                    [](const auto& b) { return b.kind == BodyKind::linkPlate; });
    Link pin;
    pin.id = newId();
    pin.name = freeName(out.mechanism.links, "pin");
    const Pose stands = poses[u(first.link)] * first.frame;
    pin.placement = placementOf(stands, m.units);
    Seat own, on;
    own.id = newId();
    own.name = "foot";
    pin.seats = {std::make_shared<const Seat>(own)};
    Body body;
    body.id = newId();
    body.kind = BodyKind::cylinder;
    body.name = "pin";
    const double radius = plate->figures[3] > 0 ? 0.5 * plate->figures[3] : 0.49 * plate->figures[2];
    if (!(radius > 0)) return Error{"pin", plate->name, "pins and bores have no size; give the plates a bore"};
    body.figures = {{"radius", Field(radius / unit)}, {"length", Field(plate->figures[1] / unit)}};
    pin.bodies = {std::make_shared<const Body>(body)};
    const Id id = pin.id;
    out.mechanism.links.push_back(std::make_shared<const Link>(std::move(pin)));
    on.id = newId();
    on.at = placementOf(first.frame, m.units).at;
    on.axis = directionOf(first.frame.R.col(2));
    on.ref = directionOf(first.frame.R.col(0));
    out.mechanism = changedLink(out.mechanism, m.links[u(first.link)]->id, [&](Link& l) {
      on.name = freeName(l.seats, "pin");
      l.seats.push_back(std::make_shared<const Seat>(on));
    });
    Joint j;
    j.id = newId();
    j.kind = JointKind::fixed;
    j.name = freeName(out.mechanism.joints, "pin");
    j.seats = {on.id, own.id};
    out.mechanism.joints.push_back(std::make_shared<const Joint>(j));
    for (const int i : plates)
      if (std::none_of(axis.members.begin(), axis.members.end(), [&](const auto& x) { return x.link == i; }))
        out.pairs.emplace_back(id, m.links[u(i)]->id);
  }
  out.mechanism.requirements.clear();
  dropIf(out.mechanism.gauges, [&](const Gauge& g) {
    return g.kind == GaugeKind::clearance &&
           std::none_of(m.drives.begin(), m.drives.end(), [&](const auto& d) { return d->gauge == g.id; });
  });
  std::set<std::pair<Id, Id>> wanted(out.pairs.begin(), out.pairs.end());
  change<Run>(out.mechanism.runs, m.runs[u(run)]->id, [&](Run& x) {
    x.check = {RunCheck::interference};
    x.stopAtContact = false;
    x.leaveOut.clear();
    x.sideA.clear();
    x.sideB.clear();
    const auto& links = out.mechanism.links;
    for (std::size_t a = 0; a < links.size(); ++a)
      for (std::size_t b = a + 1; b < links.size(); ++b)
        if (wanted.count({links[a]->id, links[b]->id}) == 0 && wanted.count({links[b]->id, links[a]->id}) == 0)
          x.leaveOut.emplace_back(links[a]->id, links[b]->id);
  });
  return out;
}

}  // namespace

LevelPlan leastLevels(const LevelProblem& problem, Progress* progress) { return LevelSearch(problem, progress).run(); }

Result<PlateRules> plateRules(const MechanismPtr& mechanism, int run, const std::vector<Id>& fixed,
                              const Tools& tools) {
  const Mechanism& m = *mechanism;
  const auto r = resolve(m);
  if (!r.ok()) return r.error();
  std::vector<int> plates;
  PlateRules out;
  for (std::size_t i = 0; i < m.links.size(); ++i)
    if (plateOf(*m.links[i])) {
      plates.push_back(static_cast<int>(i));
      out.links.push_back(m.links[i]->id);
    }
  if (plates.size() < 2) return Error{"levels", "", "give the links thickness first: there are no plates to part"};
  if (r->normals.empty())
    return Error{"levels", "",
                 "levels are found of planar mechanisms only: all axes parallel, all slides square to them"};
  const auto solidOf = [&](const auto& link, const auto& body) {
    const auto s = tools.store.body(body, link.name);
    return s.ok() ? *s : shape::SolidPtr();
  };
  const auto home = prepare(mechanism, *r, run, solidOf);
  if (!home->closes()) return *home->problem;
  // all lines in one plane, or a level would not be one
  const auto heightOf = [&](int link) {
    for (const auto& b : r->links[u(link)].bodies)
      if (b.kind == BodyKind::linkPlate) {
        const Vec3 normal = home->poses[u(link)].R * r->normals[u(link)];
        return normal.dot((home->poses[u(link)] * b.placement).p);
      }
    return 0.0;
  };
  for (const int i : plates)
    if (const double off = std::abs(heightOf(i) - heightOf(plates.front())); off > 1e-9)
      return Error{"levels", m.links[u(i)]->name,
                   fmt::format("{}: its lines lie {:.4g} mm over those of {}; put the sheets at one depth first",
                               m.links[u(i)]->name, off * 1e3, m.links[u(plates.front())]->name)};
  const auto flat = flattened(m, *r, home->poses, run, plates);
  if (!flat.ok()) return flat.error();
  auto flatResolved = resolve(flat->mechanism);
  if (!flatResolved.ok()) return flatResolved.error();
  const auto prepared =
      prepare(std::make_shared<const Mechanism>(flat->mechanism), std::move(flatResolved).value(), run, solidOf);
  if (!prepared->closes()) return *prepared->problem;
  auto made = runStudy(prepared, run, tools);
  if (!made.ok()) return made.error();
  RunStudy study = std::move(made).value();
  if (study.result.travel.cancelled) return Error{"cancelled", "", "cancelled", true};
  const auto checked = checkStudy(study, tools);
  if (!checked.ok()) return checked.error();
  if (checked->cancelled) return Error{"cancelled", "", "cancelled", true};

  // what the check has proven free may share a level
  out.notProven = checked->notProven;
  std::map<std::pair<Id, Id>, const clearance::PairReport*> found;
  const auto& links = prepared->mechanism->links;
  const auto pairOf = [](Id a, Id b) { return std::pair<Id, Id>(std::min(a, b), std::max(a, b)); };
  for (const auto& pair : checked->pairs) found[pairOf(links[u(pair.linkA)]->id, links[u(pair.linkB)]->id)] = &pair;
  const auto number = [&](Id link) {
    return static_cast<int>(std::find(out.links.begin(), out.links.end(), link) - out.links.begin());
  };
  LevelProblem& p = out.problem;
  p.links = static_cast<int>(plates.size());
  p.fixed.resize(plates.size());
  for (std::size_t i = 0; i < plates.size(); ++i) {
    const Id id = out.links[i];
    if (m.links[u(plates[i])]->ground)
      p.fixed[i] = 0;
    else if (std::find(fixed.begin(), fixed.end(), id) != fixed.end())
      if (const auto level = levelOf(m, id); level && *level > 0) p.fixed[i] = *level;
  }
  for (const auto& axis : r->pinAxes) {
    auto& pin = p.pins.emplace_back();
    std::string name;
    for (const auto& x : axis.members) {
      pin.members.push_back(number(m.links[u(x.link)]->id));
      name += (name.empty() ? "" : " and ") + m.links[u(x.link)]->name;
    }
    out.pins.push_back(std::move(name));
  }
  for (const auto& [a, b] : flat->pairs) {
    const auto it = found.find(pairOf(a, b));
    const bool isPin = !findLink(m, a);
    if (it != found.end() && it->second->worst == clearance::Verdict::free) {
      if (!it->second->proven) ++out.unproven;
      continue;
    }
    if (!isPin) {
      p.apart.emplace_back(number(a), number(b));
      continue;
    }
    // the pins come after the links of the document, in the order of their axes
    const auto at = std::find_if(links.begin(), links.end(), [&, id = a](const auto& l) { return l->id == id; });
    const auto index = static_cast<std::size_t>(at - links.begin()) - m.links.size();
    p.pins[index].hits.push_back(number(b));
  }
  for (std::size_t i = 0; i < plates.size(); ++i)
    for (std::size_t k = i + 1; k < plates.size(); ++k)
      if (joined(*r, plates[i], plates[k])) p.apart.emplace_back(static_cast<int>(i), static_cast<int>(k));
  return out;
}

}  // namespace cooperage::study
