// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/thickness.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "drawing/link_plate.h"
#include "model/joint_edits.h"
#include "model/layout.h"
#include "model/outlines.h"

namespace cooperage::model {
namespace {

constexpr const char* kPitchName = "level_pitch";

/// The nearest of 1, 1.5, 2, 3, 4, 5, 6, 8 times a power of ten, in document units.
double roundFigure(double x) {
  if (!(x > 0)) return 1;
  const double ten = std::pow(10, std::floor(std::log10(x)));
  double best = ten;
  for (const double f : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0})
    if (std::abs(f * ten - x) < std::abs(best - x)) best = f * ten;
  return best;
}

/// Seats of a link at which a pin stands.
std::set<Id> pinnedSeats(const Mechanism& m) {
  std::set<Id> out;
  for (const auto& j : m.joints)
    if (j->enabled && j->kind == JointKind::revolute) out.insert(j->seats.begin(), j->seats.end());
  return out;
}
bool isPinned(const Mechanism& m, const Link& link) {
  const auto pinned = pinnedSeats(m);
  return std::any_of(link.seats.begin(), link.seats.end(), [&](const auto& s) { return pinned.count(s->id) > 0; });
}
bool hasLines(const Link& link) {
  return std::any_of(link.curves.begin(), link.curves.end(), [](const auto& c) { return c->outline; });
}

/// The plane of a link's lines, in its axes; of one that is only pinned that of its pins.
Result<Pose> planeOf(const Mechanism& m, const Link& link) {
  const auto pinned = pinnedSeats(m);
  std::shared_ptr<const Seat> seat;
  for (const auto& c : link.curves)
    if (c->outline && !seat)
      if (const auto s = findSeat(m, c->seat)) seat = s->seat;
  for (const auto& s : link.seats)
    if (!seat && pinned.count(s->id) > 0) seat = s;
  if (!seat)
    return Error{"plate", link.name, fmt::format("{}: it is not drawn as lines; draw or gather some first", link.name)};
  return frameOf(m, *seat);
}

}  // namespace

std::shared_ptr<const Body> plateOf(const Link& link) {
  for (const auto& b : link.bodies)
    if (b->kind == BodyKind::linkPlate) return b;
  return nullptr;
}

std::optional<int> levelOf(const Mechanism& m, Id link) {
  const auto l = findLink(m, link);
  const auto plate = l ? plateOf(*l) : nullptr;
  if (!plate) return std::nullopt;
  const auto it = plate->figures.find("level");
  if (it == plate->figures.end()) return 0;
  const auto v = evaluateField(m, it->second, dimension::kPlain);
  if (!v.ok() || *v != std::round(*v)) return std::nullopt;
  return static_cast<int>(*v);
}

std::vector<Id> withoutPlates(const Mechanism& m) {
  std::vector<Id> out;
  bool any = false;
  for (const auto& l : m.links)
    if (!l->ground && l->bodies.empty() && hasLines(*l)) {
      out.push_back(l->id);
      any = true;
    }
  for (const auto& l : m.links)
    if (l->ground && l->bodies.empty() && (hasLines(*l) || (any && isPinned(m, *l)))) out.insert(out.begin(), l->id);
  return out;
}

PlateSizes platesFor(const Mechanism& m, const std::vector<Id>& links) {
  const double unit = m.units.factor(dimension::kLength);
  std::vector<double> sizes;
  double least = 1e300;
  const auto pinned = pinnedSeats(m);
  for (const Id id : links) {
    const auto l = findLink(m, id);
    if (!l) continue;
    drawing::Box box;
    std::vector<drawing::Vec2> pins;
    const auto plane = planeOf(m, *l);
    if (plane.ok())
      for (const auto& s : l->seats)
        if (pinned.count(s->id) > 0)
          if (const auto f = frameOf(m, *s); f.ok()) pins.emplace_back((plane->inverse() * f->p).head<2>());
    for (const auto& c : l->curves) {
      if (!c->outline) continue;
      const auto o = outlineOf(m, *c);
      if (!o.ok()) continue;
      box.add(drawing::boxOf(*o));
      if (o->pieces.size() == 1 && drawing::isFullTurn(o->pieces[0]))
        if (const auto r = drawing::radiusOf(o->pieces[0]))
          for (const auto& p : pins)
            if ((p - o->pieces[0].centre).norm() < 1e-6) least = std::min(least, 2 * *r);
    }
    if (!l->ground && !box.empty()) sizes.push_back(box.size().norm());
  }
  std::sort(sizes.begin(), sizes.end());
  const double size = (sizes.empty() ? 0.1 : sizes[sizes.size() / 2]) / unit;
  PlateSizes out;
  const double width = roundFigure(0.14 * size), thickness = roundFigure(0.06 * size), bore = roundFigure(0.4 * width);
  out.width = Field(width);
  out.thickness = Field(thickness);
  out.bore = Field(bore);
  constexpr double kPlay = 0.98;
  const double hole = std::min(bore, least / unit);
  out.pin = Field(std::round(kPlay * hole * 1e3) / 1e3);
  out.pitch = Field(thickness + roundFigure(0.15 * thickness));
  return out;
}

Result<Mechanism> withThickness(const Mechanism& m, const std::vector<Id>& links, const PlateSizes& sizes) {
  if (links.empty())
    return Error{"plate", "", "there is no link of lines without a solid; draw some, or gather curves into links"};
  Mechanism out = m;
  auto pitch = findByName(m.parameters, kPitchName);
  if (!pitch) {
    Parameter p;
    p.id = newId();
    p.name = kPitchName;
    p.value = sizes.pitch;
    if (!p.value.formula) {
      auto f = parseField(m, formatNumber(p.value.number) + " " + m.units.label(dimension::kLength));
      if (!f.ok()) return f.error();
      p.value = std::move(f).value();
    }
    out.parameters.push_back(std::make_shared<const Parameter>(std::move(p)));
  }
  const auto pitchField = parseField(out, kPitchName);
  if (!pitchField.ok()) return pitchField.error();
  std::set<int> taken;
  for (const auto& l : m.links)
    if (const auto level = levelOf(m, l->id)) taken.insert(*level);
  int next = 1;
  for (const Id id : links) {
    const auto l = findLink(out, id);
    if (!l) return Error{"missing-link", "", "the link is gone"};
    const auto plane = planeOf(out, *l);
    if (!plane.ok()) return plane.error();
    int level = 0;
    if (!l->ground) {
      while (taken.count(next) > 0) ++next;
      level = next++;
    }
    Body b;
    b.id = newId();
    b.kind = BodyKind::linkPlate;
    b.name = freeName(l->bodies, "plate");
    b.placement = placementOf(*plane, m.units);
    b.figures = {{"width", sizes.width}, {"thickness", sizes.thickness}, {"bore", sizes.bore},
                 {"pin", sizes.pin},     {"level", Field(level)},        {"pitch", *pitchField}};
    out = changedLink(out, id, [&](Link& x) { x.bodies.push_back(std::make_shared<const Body>(std::move(b))); });
  }
  return out;
}

Mechanism withLevels(const Mechanism& m, const std::vector<std::pair<Id, int>>& levels) {
  Mechanism out = m;
  for (const auto& [link, level] : levels) {
    const auto l = findLink(out, link);
    const auto plate = l ? plateOf(*l) : nullptr;
    if (!plate || levelOf(out, link) == level) continue;
    out = changedBody(out, plate->id, [&, v = level](Body& b) { b.figures["level"] = Field(v); });
  }
  return out;
}

}  // namespace cooperage::model
