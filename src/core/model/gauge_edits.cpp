// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/gauge_edits.h"

#include "model/resolve.h"

#include <algorithm>

namespace cooperage::model {

namespace {

/// The seat of a place: the one that was picked, or a new one on its link.
Result<Id> seatFor(Mechanism& m, const Place& place, const std::vector<Pose>& linkPoses) {
  if (place.seat != 0) return place.seat;
  const auto link = findLink(m, place.link);
  if (!link) return Error{"missing-link", "", "pick a place on a link"};
  std::size_t index = 0;
  while (index < m.links.size() && m.links[index] != link) ++index;
  if (index >= linkPoses.size()) return Error{"missing-link", "", "pick a place on a link"};
  Pose there{Mat3::Identity(), place.at};
  if (!axesFrom(place.axis, place.ref, there.R))
    return Error{"seat", link->name, "the place has no direction of its own; pick another"};
  const Pose local = linkPoses[index].inverse() * there;
  Seat s;
  s.id = newId();
  s.name = freeName(link->seats, place.name);
  s.at = placementOf(local, m.units).at;
  s.axis = directionOf(local.R.col(2));
  s.ref = directionOf(local.R.col(0));
  s.source = place.source;
  m = changedLink(m, place.link, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(s)); });
  return s.id;
}

std::string placeName(const Mechanism& m, Id seat) {
  const auto s = findSeat(m, seat);
  return s ? s->link->name + " " + s->seat->name : std::string();
}

}  // namespace

int picksOf(GaugeKind kind) {
  if (isOfPoint(kind) || isOfLink(kind)) return 1;
  if (isDistance(kind) || kind == GaugeKind::angle || kind == GaugeKind::clearance) return 2;
  return 0;
}

Result<std::pair<Mechanism, Id>> withGauge(const Mechanism& m, GaugeKind kind, const std::vector<Place>& places,
                                           Component component, const std::vector<Pose>& linkPoses) {
  const int need = picksOf(kind);
  if (need == 0 || static_cast<int>(places.size()) != need)
    return Error{"gauge", wordFor(kind), "pick " + std::string(need == 2 ? "two places" : "one place")};
  if (need == 2 && places[0].link == places[1].link)
    return Error{"same-link", wordFor(kind),
                 "both places are on one link: nothing between them changes; pick another link"};
  Mechanism next = m;
  Gauge g;
  g.id = newId();
  g.kind = kind;
  std::string base;
  if (isOfLink(kind) || kind == GaugeKind::clearance) {
    for (const Place& p : places) {
      const auto l = findLink(m, p.link);
      if (!l) return Error{"missing-link", wordFor(kind), "pick a link"};
      g.of.push_back({p.link, ""});
      base += (base.empty() ? "" : " to ") + l->name;
    }
    if (kind != GaugeKind::clearance) base += kind == GaugeKind::linkRate ? " turning" : " turn acceleration";
  } else {
    for (const Place& p : places) {
      const auto seat = seatFor(next, p, linkPoses);
      if (!seat.ok()) return seat.error();
      g.of.push_back({*seat, ""});
      base += (base.empty() ? "" : " to ") + placeName(next, *seat);
    }
    if (need == 1) base += " " + wordFor(kind).substr(6);
    if (kind == GaugeKind::angle) base += " angle";
  }
  if (need == 1) g.component = component;
  g.name = freeName(m.gauges, base);
  next.gauges.push_back(std::make_shared<const Gauge>(g));
  if (const auto r = resolve(next); !r.ok()) return r.error();
  return std::pair{next, g.id};
}

Result<std::pair<Mechanism, Id>> withPath(const Mechanism& m, const Place& place, const std::vector<Pose>& linkPoses) {
  Mechanism next = m;
  const auto seat = seatFor(next, place, linkPoses);
  if (!seat.ok()) return seat.error();
  Path p;
  p.id = newId();
  p.of = *seat;
  p.name = freeName(m.paths, placeName(next, *seat));
  next.paths.push_back(std::make_shared<const Path>(p));
  if (const auto r = resolve(next); !r.ok()) return r.error();
  return std::pair{next, p.id};
}

Result<std::pair<Mechanism, Id>> withGauges(const Mechanism& m, const std::vector<GaugeKind>& kinds,
                                            const std::vector<Place>& places, Component component,
                                            const std::vector<Pose>& linkPoses) {
  std::pair<Mechanism, Id> all{m, 0};
  std::vector<Place> shared = places;
  for (const GaugeKind kind : kinds) {
    auto made = withGauge(all.first, kind, shared, component, linkPoses);
    if (!made.ok()) return made.error();
    all = {std::move(made->first), all.second ? all.second : made->second};
    // the others are of the seats that the first has made
    const auto first = findById(all.first.gauges, all.second);
    for (std::size_t i = 0; i < shared.size() && first->of.size() == shared.size(); ++i)
      if (findSeat(all.first, first->of[i].id)) shared[i].seat = first->of[i].id;
  }
  return all;
}

std::pair<Mechanism, Id> withRatioGauge(const Mechanism& m, const Symbol& value, const Symbol& per) {
  Gauge g;
  g.id = newId();
  g.kind = GaugeKind::velocityRatio;
  g.of = {value, per};
  const auto jointName = [&](const Symbol& s) {
    const auto j = findJoint(m, s.id);
    return j ? j->name : std::string("joint");
  };
  g.name = freeName(m.gauges, jointName(value) + " to " + jointName(per));
  Mechanism next = m;
  next.gauges.push_back(std::make_shared<const Gauge>(g));
  return {next, g.id};
}

Result<std::pair<Mechanism, Id>> withDifference(const Mechanism& m, Id first, Id second) {
  const auto a = findById(m.gauges, first), b = findById(m.gauges, second);
  if (!a || !b) return Error{"missing-gauge", "", "choose two gauges"};
  const auto term = [&](const Gauge& g) -> Result<std::string> {
    if (g.kind == GaugeKind::jointValue && !g.of.empty()) return nameOf(m, g.of[0], true);
    if (g.kind == GaugeKind::formula) return "(" + fieldText(m, g.formula) + ")";
    return Error{"gauge-kind", g.name,
                 "gauge " + g.name + ": a difference is worked out of joint values and formulas of them only"};
  };
  const auto ta = term(*a), tb = term(*b);
  if (!ta.ok()) return ta.error();
  if (!tb.ok()) return tb.error();
  auto formula = parseField(m, *ta + " - " + *tb);
  if (!formula.ok()) return formula.error();
  Gauge g;
  g.id = newId();
  g.kind = GaugeKind::formula;
  g.formula = *formula;
  g.name = freeName(m.gauges, a->name + " less " + b->name);
  Mechanism next = m;
  next.gauges.push_back(std::make_shared<const Gauge>(g));
  if (const auto r = resolve(next); !r.ok()) return r.error();
  return std::pair{next, g.id};
}

std::shared_ptr<const Requirement> boundsOf(const Mechanism& m, Id gauge) {
  for (const auto& r : m.requirements)
    if (r->gauge == gauge && r->measure == Measure::always) return r;
  return nullptr;
}

Mechanism withBound(const Mechanism& m, Id gauge, std::optional<Field> Requirement::*member,
                    const std::optional<Field>& bound) {
  auto there = boundsOf(m, gauge);
  if (!there && !bound) return m;
  Mechanism next = m;
  Id id = there ? there->id : 0;
  if (!there) std::tie(next, id) = withRequirement(m, gauge, Measure::always);
  change<Requirement>(next.requirements, id, [&](Requirement& r) { r.*member = bound; });
  there = boundsOf(next, gauge);
  if (!there->min && !there->max) dropIf(next.requirements, [&](const Requirement& r) { return r.id == id; });
  return next;
}

std::pair<Mechanism, Id> withRequirement(const Mechanism& m, Id gauge, Measure measure) {
  Mechanism next = m;
  Requirement r;
  r.id = newId();
  r.gauge = gauge;
  r.measure = measure;
  const auto g = findById(m.gauges, gauge);
  r.name = freeName(m.requirements, (g ? g->name : std::string("gauge")) + " " + wordFor(measure));
  next.requirements.push_back(std::make_shared<const Requirement>(r));
  return {next, r.id};
}

Result<std::pair<Mechanism, Id>> withRunCopied(const Mechanism& m, Id run) {
  const auto given = findById(m.runs, run);
  if (!given) return Error{"run", "", "the run is gone"};
  Mechanism next = m;
  Run copy = *given;
  copy.id = newId();
  copy.name = freeName(m.runs, given->name);
  const auto at = std::find_if(next.runs.begin(), next.runs.end(), [&](const auto& r) { return r->id == run; });
  next.runs.insert(at + 1, std::make_shared<const Run>(copy));
  return std::pair{next, copy.id};
}

}  // namespace cooperage::model
