// SPDX-License-Identifier: GPL-3.0-or-later
// Cams and contacts.
#include "model/cam_edits.h"

#include <algorithm>

#include "elements/cam.h"
#include "model/machine_parts.h"

namespace cooperage::model {

std::vector<ProgrammeRow> firstCamRows(const Mechanism& m, bool swing, bool linear) {
  const auto row = [&](motion::LawKind law, const char* over, const char* lift) {
    ProgrammeRow r;
    r.law = law;
    r.figures["over"] = *parseField(m, over);
    if (lift) r.figures["lift"] = *parseField(m, lift);
    return r;
  };
  const char* up = swing ? "15 deg" : "20 mm";
  const char* down = swing ? "-15 deg" : "-20 mm";
  if (linear)
    return {row(motion::LawKind::poly345, "60 mm", up), row(motion::LawKind::dwell, "20 mm", nullptr),
            row(motion::LawKind::poly345, "60 mm", down)};
  return {row(motion::LawKind::poly345, "120 deg", up), row(motion::LawKind::dwell, "60 deg", nullptr),
          row(motion::LawKind::poly345, "120 deg", down), row(motion::LawKind::dwell, "60 deg", nullptr)};
}

Mechanism withCamFigure(const Mechanism& m, Id curve, std::size_t row, const std::string& key, const Field& figure) {
  return changedCurve(m, curve, [&](Curve& c) {
    const auto value = [&](std::size_t i) -> std::optional<double> {
      const auto it = c.rows[i].figures.find(key);
      const auto d = camRowDimension(c, c.rows[i].law, key);
      if (it == c.rows[i].figures.end() || !d) return std::nullopt;
      const auto v = evaluateField(m, it->second, *d);
      return v.ok() ? std::optional<double>(*v) : std::nullopt;
    };
    const auto was = value(row);
    double sum = 0;
    for (std::size_t i = 0; i < c.rows.size(); ++i) sum += value(i).value_or(0);
    c.rows[row].figures[key] = figure;
    const auto now = value(row);
    const auto d = camRowDimension(c, c.rows[row].law, key);
    if (!was || !now || !d) return;
    const bool over = key == "over";
    // a row of cams along a slide may have any length
    if (over ? std::abs(sum - 2 * kPi) > 1e-9 : std::abs(sum) > 1e-9) return;
    const double by = *now - *was, unit = m.units.factor(*d);
    for (const bool dwells : {true, false})
      for (std::size_t k = 1; k < c.rows.size(); ++k) {
        const std::size_t i = (row + k) % c.rows.size();
        const bool dwell = c.rows[i].law == motion::LawKind::dwell;
        const auto v = value(i);
        const auto& given = c.rows[i].figures[key].formula;
        if (!v || (given && !given->references().empty()) || (over ? dwell != dwells : dwell)) continue;
        if (over && !(*v - by > 1e-9)) continue;
        c.rows[i].figures[key] = Field(std::round((*v - by) / unit * 1e9) / 1e9);
        return;
      }
  });
}

namespace {

/// Where the cam's law runs.
struct CamPlane {
  Pose plane;         ///< X_GS of the cam's seat: the law's values are along y
  double offset = 0;  ///< m, of a follower that slides
  double pivot = 0;   ///< m from the cam's axis, of a follower that swings
};
Result<CamPlane> camPlane(const CamDraft& d, bool swing, const Shaft& cam, const Shaft& follower) {
  // the cam's axes: its law runs with the positive value of the joint
  const Vec3 z = cam.sign * cam.frame.R.col(2), o = cam.frame.p;
  const Vec3 way = follower.frame.R.col(2), p = follower.frame.p;
  CamPlane c;
  Pose& plane = c.plane;
  if (d.form == CamForm::barrel) {
    if (way.cross(z).norm() > 1e-3)
      return Error{"gear-axes", "", "the follower of a barrel cam slides along the drum's axis"};
    Vec3 out = (p - o) - (p - o).dot(z) * z;
    if (out.norm() < 1e-9) return Error{"gear-axes", "", "the follower stands on the drum's axis; move it outwards"};
    plane.R.col(1) = out.normalized();
    plane.R.col(2) = z;
    plane.R.col(0) = plane.R.col(1).cross(z);
    plane.p = o + (p - o).dot(z) * z;
  } else if (d.form == CamForm::linear) {
    if (std::abs(way.dot(z)) > 1e-3) return Error{"gear-axes", "", "the follower must slide square to the cam"};
    plane.R.col(0) = z;
    plane.R.col(1) = way * ((p - o).dot(way) < 0 ? -1 : 1);
    plane.R.col(2) = plane.R.col(0).cross(plane.R.col(1));
    plane.p = o;
    c.offset = (p - o).dot(z);
  } else if (swing) {
    if (way.cross(z).norm() > 1e-3) return Error{"gear-axes", "", "cam and swinging follower need parallel axes"};
    Vec3 out = (p - o) - (p - o).dot(z) * z;
    if (out.norm() < 1e-9)
      return Error{"gear-axes", "", "cam and follower turn about one axis; move the follower's pivot"};
    c.pivot = out.norm();
    plane.R.col(0) = out / out.norm();
    plane.R.col(2) = z;
    plane.R.col(1) = z.cross(plane.R.col(0));
    plane.p = o;
  } else {
    if (std::abs(way.dot(z)) > 1e-3) return Error{"gear-axes", "", "the follower must slide square to the cam's axis"};
    plane.R.col(1) = way * ((p - o).dot(way) < 0 ? -1 : 1);
    plane.R.col(2) = z;
    plane.R.col(0) = plane.R.col(1).cross(z);
    plane.p = o;
    c.offset = (p - o).dot(plane.R.col(0));
    if (std::abs(c.offset) < 1e-9) c.offset = 0;
  }
  return c;
}

/// The curve that the law makes; one that is there keeps its name and what a form doesn't know.
Curve camCurve(const Mechanism& m, const CamDraft& d, bool swing, const CamPlane& at) {
  const bool linear = d.form == CamForm::linear;
  Curve c;
  if (const auto old = findCurve(m, d.curve)) c = *old->curve;
  c.id = d.curve;
  c.kind = CurveKind::camLaw;
  c.seat = d.camSeat;
  c.form = d.form;
  c.follower = d.kind;
  c.swing = swing;
  c.hand = d.hand;
  c.rows = d.rows.empty() ? firstCamRows(m, swing, linear) : d.rows;
  c.figures = {{"base", d.base}};
  if (d.kind == ContactKind::roller) c.figures["roller"] = d.roller;
  if (!swing && at.offset != 0) c.figures["offset"] = figureOf(at.offset, dimension::kLength, m.units);
  if (swing) {
    c.figures["pivot x"] = figureOf(at.pivot, dimension::kLength, m.units);
    c.figures["pivot y"] = Field(0);
    if (d.kind != ContactKind::flat) c.figures["arm"] = d.arm;
  }
  return c;
}

/// Seat of the follower in ground axes: where it touches at home, the law's start.
Pose followerFoot(const elements::CamSpec& spec, const CamDraft& d, bool swing, double base, const CamPlane& c) {
  const Vec3 touch = elements::camPath(spec)->at(0)[0];
  Pose foot{c.plane.R, c.plane * touch};
  if (d.kind == ContactKind::flat) {  // the plane of the flat looks at the cam
    Vec3 normal = c.plane.R.col(1);
    Vec3 at = c.plane.p + c.offset * c.plane.R.col(0) + base * c.plane.R.col(1);
    if (swing) {
      const Vec3 t = elements::camPath(spec)->at(0)[1];
      normal = c.plane.R * Vec3(-t.y(), t.x(), 0).normalized();
      if (normal.dot(foot.p - c.plane.p) < 0) normal = -normal;
      at = foot.p;
    }
    foot = frameFrom(at, -normal, c.plane.R.col(2));
  }
  return foot;
}

}  // namespace

Result<Mechanism> withCam(const Mechanism& m, const CamDraft& d, const std::vector<Pose>& poses) {
  const auto resolved = resolve(m);
  if (!resolved.ok()) return resolved.error();
  const Resolved& r = *resolved;
  auto cam = shaftOf(r, d.cam, d.follower, poses), follower = shaftOf(r, d.follower, d.cam, poses);
  if (!cam.ok()) return cam.error();
  if (!follower.ok()) return follower.error();
  if (cam->link == follower->link) return Error{"same-link", "", "cam and follower are one link; choose another joint"};
  const auto& camJoint = r.joints[u(cam->joint)];
  const auto& followerJoint = r.joints[u(follower->joint)];
  const bool linear = d.form == CamForm::linear, barrel = d.form == CamForm::barrel;
  if (valueIndex(camJoint.kind, linear ? "slide" : "turn") < 0)
    return Error{"figure", camJoint.name,
                 fmt::format("joint {}: a {} cam needs a joint that {}", camJoint.name, wordFor(d.form),
                             linear ? "slides" : "turns")};
  const bool swing = valueIndex(followerJoint.kind, "turn") >= 0;
  if (!swing && valueIndex(followerJoint.kind, "slide") < 0)
    return Error{"figure", followerJoint.name,
                 fmt::format("joint {}: a follower slides or swings", followerJoint.name)};
  if (swing && d.form != CamForm::disc)
    return Error{"figure", followerJoint.name,
                 fmt::format("joint {}: a {} cam takes a follower that slides", followerJoint.name, wordFor(d.form))};
  const auto base = valueOf(m, d.base, dimension::kLength, "base"),
             roller = valueOf(m, d.roller, dimension::kLength, "roller"),
             arm = valueOf(m, d.arm, dimension::kLength, "arm"),
             thickness = valueOf(m, d.thickness, dimension::kLength, "thickness");
  for (const auto* v : {&base, &roller, &arm, &thickness})
    if (!v->ok()) return v->error();
  const auto found = camPlane(d, swing, *cam, *follower);
  if (!found.ok()) return found.error();
  const Pose& plane = found->plane;
  Mechanism out = m;
  const Id camLink = r.links[u(cam->link)].id, followerLink = r.links[u(follower->link)].id;
  out = withSeatAt(out, camLink, seatAt(d.camSeat, "cam", poses[u(cam->link)].inverse() * plane, m.units));
  Curve c = camCurve(m, d, swing, *found);
  const bool known = findCurve(out, d.curve).has_value();
  out = changedLink(out, camLink, [&](Link& l) {
    if (!known) {
      c.name = freeName(l.curves, "cam");
      l.curves.push_back(std::make_shared<const Curve>(c));
    } else {
      change<Curve>(l.curves, d.curve, [&](Curve& x) {
        c.name = x.name;
        x = c;
      });
    }
  });
  Body b = element(d.body, BodyKind::cam, barrel ? "drum" : "cam", Pose{}, m.units);
  b.curve = d.curve;
  b.figures = {{"thickness", d.thickness}};
  if (const auto old = findBody(m, d.body)) b.figures = old->body->figures;
  b.figures["thickness"] = d.thickness;
  out = withBody(out, camLink, std::move(b));
  // where the follower touches at home: the law at its start
  const auto again = resolve(out);
  if (!again.ok()) return again.error();
  std::shared_ptr<const elements::CamSpec> spec;
  for (const auto& curve : again->curveList)
    if (curve.id == d.curve) spec = curve.cam;
  if (!spec) return Error{"cam", "", "the cam's law can't be worked out"};
  const Pose foot = followerFoot(*spec, d, swing, *base, *found);
  out = withSeatAt(out, followerLink,
                   seatAt(d.followerSeat, wordFor(d.kind), poses[u(follower->link)].inverse() * foot, m.units));
  if (d.kind == ContactKind::roller) {
    const Pose pin = barrel ? frameFrom(foot.p, plane.R.col(1), plane.R.col(2)) : foot;
    const Field length =
        barrel ? figureOf(2 * std::min(*roller, 0.3 * *base), dimension::kLength, m.units) : d.thickness;
    Body wheel = element(d.rollerBody, BodyKind::roller, "roller", poses[u(follower->link)].inverse() * pin, m.units);
    wheel.figures = {{"radius", d.roller}, {"length", length}};
    out = withBody(out, followerLink, std::move(wheel));
  }
  CamPair pair;
  if (const auto old = findById(m.camPairs, d.pair)) pair = *old;
  pair.id = d.pair;
  pair.name = r.links[u(cam->link)].name + " - " + r.links[u(follower->link)].name;
  pair.kind = d.kind;
  pair.cam = d.curve;
  pair.follower = d.followerSeat;
  pair.radius = d.kind == ContactKind::roller ? d.roller : Field(0);
  putIn(out.camPairs, std::move(pair));
  return out;
}

Result<Mechanism> withContact(const Mechanism& m, Id curve, Id seat, ContactKind kind, const Field& radius, Id id) {
  const auto c = findCurve(m, curve);
  const auto s = findSeat(m, seat);
  if (!c) return Error{"missing-curve", "", "choose a curve and the seat that follows it"};
  if (!s) return Error{"missing-seat", "", "choose a curve and the seat that follows it"};
  if (c->link->id == s->link->id)
    return Error{"same-link", "",
                 fmt::format("curve and seat are both on {}; choose a seat of another link", c->link->name)};
  CamPair p;
  p.id = id;
  p.name = c->link->name + " - " + s->link->name;
  p.kind = kind;
  p.cam = curve;
  p.follower = seat;
  p.radius = kind == ContactKind::roller ? radius : Field(0);
  Mechanism out = m;
  putIn(out.camPairs, std::move(p));
  return out;
}

Result<Mechanism> withRolling(const Mechanism& m, Id first, Id second, Id id) {
  const auto a = findCurve(m, first), b = findCurve(m, second);
  if (!a || !b) return Error{"missing-curve", "", "choose two curves of two links"};
  if (a->link->id == b->link->id)
    return Error{"same-link", "", fmt::format("both curves are on {}; choose curves of two links", a->link->name)};
  CamPair p;
  p.id = id;
  p.name = a->link->name + " - " + b->link->name;
  p.kind = ContactKind::rolling;
  p.cam = first;
  p.follower = second;
  Mechanism out = m;
  putIn(out.camPairs, std::move(p));
  return out;
}

Mechanism withEdgeCurve(const Mechanism& m, Id body, const std::vector<int>& edges, const Pose& plane, Id curve,
                        Id seat) {
  const auto place = findBody(m, body);
  if (!place) return m;
  Mechanism out = withSeatAt(m, place->link->id, seatAt(seat, "outline", plane, m.units));
  return changedLink(out, place->link->id, [&](Link& l) {
    Curve c;
    c.id = curve;
    c.kind = CurveKind::edges;
    c.seat = seat;
    c.body = body;
    c.edges = edges;
    c.name = freeName(l.curves, "outline");
    l.curves.push_back(std::make_shared<const Curve>(std::move(c)));
  });
}

}  // namespace cooperage::model
