// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/sheet_edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <unordered_map>
#include <unordered_set>

#include "model/joint_edits.h"
#include "model/outlines.h"

namespace cooperage::model {
namespace {

using Curves = std::vector<std::shared_ptr<const Curve>>;

/// Names that no curve of a list bears yet; for very many at once.
class CurveNames {
 public:
  explicit CurveNames(const Curves& list) {
    for (const auto& c : list) taken_.insert(c->name);
  }
  /// The name itself if it is free, else one after it with a number.
  std::string freed(const std::string& name) {
    if (taken_.insert(name).second) return name;
    return numbered(name);
  }
  std::string numbered(const std::string& base) {
    std::size_t& n = next_[base];
    for (;;)
      if (std::string name = fmt::format("{} {}", base, ++n); taken_.insert(name).second) return name;
  }

 private:
  std::unordered_set<std::string> taken_;
  std::unordered_map<std::string, std::size_t> next_;
};

/// What is drawn about the curves: lines and text that belong to no link.
std::vector<Curve> annotationsOf(const drawing::Drawing& drawing, const DocumentUnits& units) {
  std::vector<Curve> out;
  const double unit = units.factor(dimension::kLength);
  for (const auto& a : drawing.annotations) {
    Curve c = curveOf(a.outline, units);
    c.layer = a.layer;
    c.construction = true;
    out.push_back(std::move(c));
  }
  for (const auto& n : drawing.notes) {
    Curve c;
    c.kind = CurveKind::text;
    c.text = n.text;
    c.layer = n.layer;
    c.construction = true;
    c.figures = {{"x", Field(n.at.x() / unit)}, {"y", Field(n.at.y() / unit)}, {"height", Field(n.height / unit)}};
    out.push_back(std::move(c));
  }
  return out;
}

const char* wordOf(const Curve& c) {
  if (c.kind == CurveKind::text) return "text";
  if (c.kind == CurveKind::circle) return "circle";
  if (c.kind != CurveKind::chain || c.pieces.size() != 1) return c.kind == CurveKind::chain ? "polyline" : "curve";
  switch (c.pieces[0].kind) {
    case PieceKind::line: return "line";
    case PieceKind::arc: return "arc";
    case PieceKind::ellipse: return "ellipse";
    default: return "spline";
  }
}

void append(Curves& list, CurveNames& names, Curve c) {
  if (c.id == 0) c.id = newId();
  c.name = c.name.empty() ? names.numbered(wordOf(c)) : names.freed(c.name);
  list.push_back(std::make_shared<const Curve>(std::move(c)));
}

/// What stands or falls with a curve of a link, by name; empty if nothing does.
std::string userOf(const Mechanism& m, Id curve) {
  for (const auto& p : m.camPairs)
    if (p->cam == curve || p->follower == curve) return "contact " + p->name;
  for (const auto& j : m.joints)
    if (j->curve == curve) return "joint " + j->name;
  for (const auto& l : m.links)
    for (const auto& b : l->bodies)
      if (b->curve == curve) return "body " + b->name;
  return {};
}

bool samePose(const Pose& a, const Pose& b) { return (a.p - b.p).norm() < 1e-9 && (a.R - b.R).norm() < 1e-9; }

/// The plane of a sheet on a link, as a seat: where its curves lie already, else a seat that stands so, else a new one.
class SheetSeats {
 public:
  SheetSeats(Mechanism& m, Id link, const std::vector<Pose>& poses) : m_(m), link_(link), poses_(poses) {
    for (const auto& c : findLink(m, link)->curves)
      if (c->sheet != 0) seats_.emplace(c->sheet, c->seat);
  }
  Result<Id> on(Id sheet) {
    if (const auto known = seats_.find(sheet); known != seats_.end()) return known->second;
    const auto plane = sheetPose(m_, sheet, poses_);
    const auto own = poseOfLink(m_, link_, poses_);
    if (!plane.ok()) return plane.error();
    if (!own.ok()) return own.error();
    const Pose frame = own->inverse() * *plane;
    Id seat = 0;
    for (const auto& s : findLink(m_, link_)->seats)
      if (const auto pose = frameOf(m_, *s); pose.ok() && samePose(*pose, frame)) seat = s->id;
    if (seat == 0) {
      Seat made;
      made.id = seat = newId();
      const auto list = findLink(m_, link_)->seats;
      made.name = freeName(list, findById(m_.sheets, sheet)->name);
      made.at = placementOf(frame, m_.units).at;
      made.axis = directionOf(frame.R.col(2));
      made.ref = directionOf(frame.R.col(0));
      change<Link>(m_.links, link_, [&](Link& l) { l.seats.push_back(std::make_shared<const Seat>(std::move(made))); });
    }
    seats_.emplace(sheet, seat);
    return seat;
  }

 private:
  Mechanism& m_;
  Id link_;
  const std::vector<Pose>& poses_;
  std::map<Id, Id> seats_;
};

/// Curves of a document with the sheets on which they were drawn.
struct Found {
  std::shared_ptr<const Curve> curve;
  Id sheet = 0, link = 0;
};
std::vector<Found> findAll(const Mechanism& m, const std::vector<Id>& ids) {
  std::unordered_map<Id, Found> where;
  for (const auto& s : m.sheets)
    for (const auto& c : s->curves) where.emplace(c->id, Found{c, s->id, 0});
  for (const auto& l : m.links)
    for (const auto& c : l->curves) where.emplace(c->id, Found{c, c->sheet, l->id});
  std::vector<Found> out;
  std::unordered_set<Id> seen;
  for (Id id : ids)
    if (const auto it = where.find(id); it != where.end() && seen.insert(id).second) out.push_back(it->second);
  return out;
}

void takeAway(Mechanism& m, const std::unordered_set<Id>& ids) {
  const auto is = [&](const auto& c) { return ids.count(c->id) > 0; };
  for (const auto& s : std::vector<std::shared_ptr<const Sheet>>(m.sheets))
    if (std::any_of(s->curves.begin(), s->curves.end(), is))
      change<Sheet>(m.sheets, s->id,
                    [&](Sheet& x) { dropIf(x.curves, [&](const Curve& c) { return ids.count(c.id) > 0; }); });
  for (const auto& l : std::vector<std::shared_ptr<const Link>>(m.links))
    if (std::any_of(l->curves.begin(), l->curves.end(), is))
      change<Link>(m.links, l->id,
                   [&](Link& x) { dropIf(x.curves, [&](const Curve& c) { return ids.count(c.id) > 0; }); });
}

Error goneSheet(const Curve& c) {
  return {"missing-sheet", c.name, fmt::format("curve {}: the sheet on which it was drawn is gone", c.name)};
}

Result<std::pair<Mechanism, Id>> put(const Mechanism& m, const std::vector<Found>& all, Id link,
                                     const std::string& name, const std::vector<Pose>& poses, bool copies) {
  if (all.empty()) return Error{"nothing", "", "there is no curve to gather"};
  for (const Found& f : all) {
    if (!findById(m.sheets, f.sheet)) return goneSheet(*f.curve);
    if (copies || f.link == 0 || f.link == link) continue;
    if (const auto user = userOf(m, f.curve->id); !user.empty())
      return Error{
          "in-use", f.curve->name,
          fmt::format("curve {}: {} runs on it; use it in both links, or take that away first", f.curve->name, user)};
  }
  Mechanism out = m;
  if (link == 0) {
    const auto plane = sheetPose(m, all.front().sheet, poses);
    if (!plane.ok()) return plane.error();
    Link fresh;
    fresh.id = link = newId();
    fresh.name = name.empty() ? "link" : name;
    fresh.placement = placementOf(*plane, m.units);
    out = addLink(out, std::move(fresh));
  } else if (!findLink(m, link)) {
    return Error{"missing-link", "", "the link is gone"};
  }
  SheetSeats seats(out, link, poses);
  Curves fresh;
  std::unordered_set<Id> leaving;
  for (const Found& f : all) {
    if (f.link == link) continue;
    const auto seat = seats.on(f.sheet);
    if (!seat.ok()) return seat.error();
    Curve c = *f.curve;
    if (copies)
      c.id = newId();
    else
      leaving.insert(c.id);
    c.seat = *seat;
    c.sheet = f.sheet;
    c.outline = true;
    c.construction = false;
    fresh.push_back(std::make_shared<const Curve>(std::move(c)));
  }
  takeAway(out, leaving);
  if (!fresh.empty())
    change<Link>(out.links, link, [&](Link& l) {
      CurveNames names(l.curves);
      for (const auto& c : fresh) append(l.curves, names, *c);
    });
  return std::pair{std::move(out), link};
}

}  // namespace

std::pair<Mechanism, Id> withSheet(const Mechanism& m, Sheet sheet) {
  Mechanism out = m;
  if (sheet.id == 0) sheet.id = newId();
  const Id id = sheet.id;
  sheet.name = freeName(m.sheets, sheet.name.empty() ? "sheet" : sheet.name);
  out.sheets.push_back(std::make_shared<const Sheet>(std::move(sheet)));
  return {std::move(out), id};
}

Mechanism changedSheet(const Mechanism& m, Id sheet, const std::function<void(Sheet&)>& edit) {
  return changed<Sheet>(m, &Mechanism::sheets, sheet, edit);
}

Result<Pose> sheetPose(const Mechanism& m, Id sheet, const std::vector<Pose>& poses) {
  const auto s = findById(m.sheets, sheet);
  if (!s) return Error{"missing-sheet", "", "the sheet is gone"};
  Seat plane;  // it lies as a seat does
  plane.name = s->name;
  plane.at = s->at;
  plane.axis = s->axis;
  plane.ref = s->ref;
  auto pose = frameOf(m, plane);
  if (!pose.ok()) return pose;
  const auto depth = evaluateField(m, s->depth, dimension::kLength);
  if (!depth.ok()) return depth.error();
  pose->p += *depth * pose->R.col(2);
  if (!s->on) return pose;
  const auto link = poseOfLink(m, *s->on, poses);
  if (!link.ok()) return link.error();
  return *link * *pose;
}

std::pair<Mechanism, std::vector<Id>> withDrawn(const Mechanism& m, Id sheet, std::vector<Curve> curves) {
  std::vector<Id> ids;
  Mechanism out = changedSheet(m, sheet, [&](Sheet& s) {
    CurveNames names(s.curves);
    for (Curve& c : curves) {
      append(s.curves, names, std::move(c));
      ids.push_back(s.curves.back()->id);
    }
  });
  return {std::move(out), std::move(ids)};
}

Result<Mechanism> withPieceAdded(const Mechanism& m, Id curve, const drawing::Piece& piece) {
  const auto place = findSheetCurve(m, curve);
  if (!place) return Error{"missing-curve", "", "the line is gone; begin a new one"};
  auto outline = outlineOf(m, *place->curve);
  if (!outline.ok()) return outline.error();
  outline->pieces.push_back(piece);
  outline->closed = (outline->end() - outline->start()).norm() < 1e-9;
  const Curve longer = curveOf(*outline, m.units);
  return changedSheet(m, place->sheet->id, [&](Sheet& s) {
    change<Curve>(s.curves, curve, [&](Curve& c) {
      c.pieces = longer.pieces;
      c.closed = longer.closed;
    });
  });
}

std::pair<Mechanism, std::vector<Id>> withDrawing(const Mechanism& m, const drawing::Drawing& drawing,
                                                  const Sheet& plane, bool sheetALayer) {
  Mechanism out = m;
  std::vector<Id> sheets;
  const auto onto = [&](const std::string& name, const auto& wanted) {
    Sheet s = plane;
    s.id = 0;
    s.curves.clear();
    s.name = name;
    auto [next, id] = withSheet(out, std::move(s));
    std::vector<Curve> curves;
    for (const auto& c : drawing.curves)
      if (wanted(c)) {
        curves.push_back(curveOf(c.outline, m.units));
        curves.back().layer = c.layer;
      }
    for (Curve& c : annotationsOf(drawing, m.units))
      if (wanted(c)) curves.push_back(std::move(c));
    out = withDrawn(next, id, std::move(curves)).first;
    sheets.push_back(id);
  };
  if (!sheetALayer || drawing.layers.size() < 2) {
    onto(plane.name, [](const auto&) { return true; });
  } else {
    std::vector<std::string> layers = drawing.layers;
    const auto also = [&](const std::string& layer) {
      if (std::find(layers.begin(), layers.end(), layer) == layers.end()) layers.push_back(layer);
    };
    for (const auto& a : drawing.annotations) also(a.layer);
    for (const auto& n : drawing.notes) also(n.layer);
    for (const std::string& layer : layers)
      onto(layer.empty() ? plane.name : layer, [&](const auto& c) { return c.layer == layer; });
  }
  return {std::move(out), std::move(sheets)};
}

ReadAgain withDrawingReadAgain(const Mechanism& m, const std::string& file, const drawing::Drawing& drawing,
                               double tolerance) {
  ReadAgain out{m};
  std::set<Id> sheets;
  std::map<std::string, Id> sheetOfLayer;
  std::vector<Found> before;
  for (const auto& s : m.sheets) {
    if (s->file != file) continue;
    sheets.insert(s->id);
    for (const auto& c : s->curves)
      if (!c->construction || !c->layer.empty()) before.push_back({c, s->id, 0});
  }
  if (sheets.empty()) return out;
  for (const auto& l : m.links)
    for (const auto& c : l->curves)
      if (sheets.count(c->sheet) > 0) before.push_back({c, c->sheet, l->id});
  std::vector<drawing::Outline> old, now;
  std::vector<Found> drawn;  // those that have an outline
  for (const Found& f : before)
    if (auto o = outlineOf(m, *f.curve); o.ok()) {
      old.push_back(std::move(o).value());
      drawn.push_back(f);
      sheetOfLayer.emplace(f.curve->layer, f.sheet);
    }
  const std::size_t curvesNow = drawing.curves.size();
  for (const auto* list : {&drawing.curves, &drawing.annotations})
    for (const auto& c : *list) now.push_back(c.outline);
  const auto match = drawing::matched(old, now, tolerance);
  std::vector<bool> known(now.size(), false);
  std::unordered_map<Id, bool> turned;  // curves whose mark changes
  for (std::size_t i = 0; i < drawn.size(); ++i) {
    if (match[i]) known[*match[i]] = true;
    match[i] ? ++out.same : ++out.gone;
    if (drawn[i].curve->gone == match[i].has_value()) turned.emplace(drawn[i].curve->id, !match[i]);
  }
  const auto mark = [&](Curves& list) {
    for (auto& c : list)
      if (const auto it = turned.find(c->id); it != turned.end()) {
        auto copy = std::make_shared<Curve>(*c);
        copy->gone = it->second;
        c = std::move(copy);
      }
  };
  if (!turned.empty()) {
    for (Id s : sheets) out.mechanism = changedSheet(out.mechanism, s, [&](Sheet& x) { mark(x.curves); });
    for (const auto& l : m.links)
      if (std::any_of(l->curves.begin(), l->curves.end(), [&](const auto& c) { return turned.count(c->id) > 0; }))
        out.mechanism = changedLink(out.mechanism, l->id, [&](Link& x) { mark(x.curves); });
  }
  std::map<Id, std::vector<Curve>> fresh;
  for (std::size_t i = 0; i < now.size(); ++i) {
    if (known[i]) continue;
    const auto& drawnNow = i < curvesNow ? drawing.curves[i] : drawing.annotations[i - curvesNow];
    const auto onto = sheetOfLayer.find(drawnNow.layer);
    Curve c = curveOf(now[i], m.units);
    c.layer = drawnNow.layer;
    c.construction = i >= curvesNow;
    fresh[onto == sheetOfLayer.end() ? *sheets.begin() : onto->second].push_back(std::move(c));
    ++out.fresh;
  }
  for (auto& [sheet, curves] : fresh) out.mechanism = withDrawn(out.mechanism, sheet, std::move(curves)).first;
  return out;
}

Result<std::pair<Mechanism, Id>> gathered(const Mechanism& m, const std::vector<Id>& curves, Id link,
                                          const std::string& name, const std::vector<Pose>& poses) {
  return put(m, findAll(m, curves), link, name, poses, false);
}

Result<std::pair<Mechanism, Id>> gatheredCopies(const Mechanism& m, const std::vector<Id>& curves, Id link,
                                                const std::vector<Pose>& poses) {
  return put(m, findAll(m, curves), link, "", poses, true);
}

Result<Mechanism> released(const Mechanism& m, const std::vector<Id>& curves) {
  std::map<Id, Curves> back;
  std::unordered_set<Id> leaving;
  for (const Found& f : findAll(m, curves)) {
    if (f.link == 0) continue;
    if (!findById(m.sheets, f.sheet)) return goneSheet(*f.curve);
    if (const auto user = userOf(m, f.curve->id); !user.empty())
      return Error{"in-use", f.curve->name,
                   fmt::format("curve {}: {} runs on it; take that away first", f.curve->name, user)};
    Curve c = *f.curve;
    c.seat = c.sheet = 0;
    c.outline = false;
    back[f.sheet].push_back(std::make_shared<const Curve>(std::move(c)));
    leaving.insert(f.curve->id);
  }
  Mechanism out = m;
  takeAway(out, leaving);
  for (const auto& [sheet, list] : back)
    out = changedSheet(out, sheet, [&, &list = list](Sheet& s) {
      CurveNames names(s.curves);
      for (const auto& c : list) append(s.curves, names, *c);
    });
  return out;
}

Mechanism withConstruction(const Mechanism& m, const std::vector<Id>& curves, bool on) {
  const std::unordered_set<Id> ids(curves.begin(), curves.end());
  Mechanism out = m;
  for (const auto& s : m.sheets) {
    const auto turns = [&](const auto& c) { return ids.count(c->id) > 0 && c->construction != on; };
    if (std::none_of(s->curves.begin(), s->curves.end(), turns)) continue;
    out = changedSheet(out, s->id, [&](Sheet& x) {
      for (auto& c : x.curves)
        if (turns(c)) {
          auto copy = std::make_shared<Curve>(*c);
          copy->construction = on;
          c = std::move(copy);
        }
    });
  }
  return out;
}

int countLoose(const Mechanism& m) {
  int n = 0;
  for (const auto& s : m.sheets)
    n += static_cast<int>(
        std::count_if(s->curves.begin(), s->curves.end(), [](const auto& c) { return !c->construction; }));
  return n;
}

}  // namespace cooperage::model
