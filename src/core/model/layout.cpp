// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/layout.h"

#include <fmt/format.h>

#include <cmath>

#include "base/index.h"
#include "model/joint_edits.h"
#include "model/layout_board.h"

namespace cooperage::model {

using namespace layout;

namespace {

/// What a new link is called after: what it hangs on and where it leads to.
std::string roleName(bool fromGround, bool toGround) {
  return fromGround ? (toGround ? "bar" : "crank") : toGround ? "rocker" : "coupler";
}

/// The slider at the end of a stroke on a line, with its slide and its pin.
void addSlider(LayoutStep& step, const Board& b, Id sheet, const LayoutSpot::Line& line, const Vec2& end, double size) {
  Mechanism& m = step.mechanism;
  const Id carrier = line.link != 0 ? line.link : groundOf(m);
  const Vec2 way = (line.to - line.from).normalized();
  Pose along;  // z along the line, x the sheet's normal
  along.R.col(2) = b.plane.R * Vec3(way.x(), way.y(), 0);
  along.R.col(0) = b.normal();
  along.R.col(1) = along.R.col(2).cross(along.R.col(0));
  along.p = b.space(end);
  const Id guide = addSeat(m, carrier, "guide", along, b.poses);
  Link slider;
  slider.id = newId();
  slider.name = freeName(m.links, "slider");
  const Pose pose = b.frame(end, std::atan2(way.y(), way.x()));
  slider.placement = placementOf(pose, m.units);
  Seat own = seatAt("pin", {}, m.units);
  Seat guided = seatAt("guide", pose.inverse() * along, m.units);
  const double h = 0.5 * size / b.unit, w = 0.5 * h;
  slider.curves.push_back(std::make_shared<const Curve>(outlineCurve(
      "outline", own.id, sheet,
      {linePiece(-h, -w, h, -w), linePiece(h, -w, h, w), linePiece(h, w, -h, w), linePiece(-h, w, -h, -w)}, true)));
  slider.seats = {std::make_shared<const Seat>(own), std::make_shared<const Seat>(guided)};
  const std::string name = slider.name;
  const Id id = slider.id;
  m.links.push_back(std::make_shared<const Link>(std::move(slider)));
  step.joints.push_back(pin(m, {end, 0, false, step.link}, step.end, id, own.id));
  Joint j;
  j.id = newId();
  j.kind = JointKind::prismatic;
  j.name = freeName(m.joints, findLink(m, carrier)->name + " - " + name);
  j.seats = {guide, guided.id};
  m.joints.push_back(std::make_shared<const Joint>(j));
  step.joints.push_back(j.id);
  step.end = 0;
}

}  // namespace

bool isDrawn(const Link& link) {
  return link.bodies.empty() &&
         std::any_of(link.curves.begin(), link.curves.end(), [](const auto& c) { return c->outline; });
}

bool isDrawnHere(const Mechanism& m, const Link& link) {
  return isDrawn(link) && std::none_of(link.curves.begin(), link.curves.end(), [&](const auto& c) {
           const auto sheet = findById(m.sheets, c->sheet);
           return sheet && !sheet->file.empty();
         });
}

Result<std::pair<Mechanism, Id>> withGroundPivot(const Mechanism& m, Id sheet, const Vec2& at) {
  const std::vector<Pose> none;
  const auto board = Board::on(m, sheet, none);
  if (!board.ok()) return board.error();
  Mechanism out = m;
  const Id ground = groundOf(out);
  const Id seat = addSeat(out, ground, "pivot", board->frame(at, 0), none);
  return std::pair{std::move(out), seat};
}

Result<LayoutStep> withLinkDrawn(const Mechanism& m, Id sheet, const LinkStroke& stroke,
                                 const std::vector<Pose>& poses) {
  const auto board = Board::on(m, sheet, poses);
  if (!board.ok()) return board.error();
  const Board& b = *board;
  LayoutStep step;
  step.mechanism = m;
  // what was typed
  const auto figure = [&](const std::optional<Field>& f, const Dimension& d) -> Result<std::optional<double>> {
    if (!f) return std::optional<double>();
    const auto v = evaluateField(m, *f, d);
    return v.ok() ? Result<std::optional<double>>(*v) : Result<std::optional<double>>(v.error());
  };
  const auto length = figure(stroke.length, dimension::kLength), angle = figure(stroke.angle, dimension::kAngle),
             x = figure(stroke.x, dimension::kLength), y = figure(stroke.y, dimension::kLength);
  for (const auto* f : {&length, &angle, &x, &y})
    if (!f->ok()) return f->error();
  if (*length && !(**length > 0)) return Error{"length", "", "the length must be greater than zero"};

  // where it begins
  Id first = stroke.from.seat;
  if (first == 0) {
    auto pivot = withGroundPivot(m, sheet, stroke.from.at);
    if (!pivot.ok()) return pivot.error();
    step.mechanism = std::move(pivot).value().first;
    first = step.mechanism.links[*indexOf(step.mechanism, groundOf(step.mechanism))]->seats.back()->id;
  }
  const auto begin = seatOn(Board{step.mechanism, poses, b.plane, b.unit}, first);
  if (!begin.ok()) return begin.error();

  // where it ends
  Vec2 to = stroke.to.at;
  std::optional<SeatOnSheet> onto;
  if (stroke.to.seat != 0) {
    const auto there = seatOn(b, stroke.to.seat);
    if (!there.ok()) return there.error();
    if (there->link == begin->link)
      return Error{
          "same-link", "",
          fmt::format("both ends lie on {}; a link joins two others", findLink(step.mechanism, there->link)->name)};
    onto = *there;
    to = there->at;
  } else {
    if (*length && *angle) {
      to = begin->at + **length * Vec2(std::cos(**angle), std::sin(**angle));
    } else if (*angle) {
      to = begin->at + (to - begin->at).norm() * Vec2(std::cos(**angle), std::sin(**angle));
    } else if (*length && !stroke.to.ground && !stroke.to.line) {  // along x where the pointer gives no direction
      const Vec2 towards = to - begin->at;
      to = begin->at + **length * (towards.norm() > 0 ? Vec2(towards.normalized()) : Vec2(1, 0));
    }
    if (*x) to.x() = **x;
    if (*y) to.y() = **y;
  }
  const Vec2 way = to - begin->at;
  if (!(way.norm() > 1e-9)) return Error{"length", "", "both ends lie at one place; move on before the next click"};
  const double long_ = *length ? **length : way.norm(), turn = std::atan2(way.y(), way.x());

  Mechanism& out = step.mechanism;
  const bool fromGround = findLink(out, begin->link)->ground;
  const bool toGround = stroke.to.ground || (onto && findLink(out, onto->link)->ground);
  Link link;
  step.link = link.id = newId();
  link.name = freeName(out.links, stroke.name.empty() ? roleName(fromGround, toGround) : stroke.name);
  link.placement = placementOf(b.frame(begin->at, turn), m.units);
  const Seat a = seatAt("first pivot", {}, m.units);
  const Seat z = seatAt("second pivot", {Mat3::Identity(), Vec3(long_, 0, 0)}, m.units);
  step.end = z.id;
  link.seats = {std::make_shared<const Seat>(a), std::make_shared<const Seat>(z)};
  Curve line = outlineCurve("line", a.id, sheet, {linePiece(0, 0, 0, 0)}, false);
  line.pieces[0].points[1][0] = z.at[0];
  link.curves.push_back(std::make_shared<const Curve>(std::move(line)));
  out.links.push_back(std::make_shared<const Link>(std::move(link)));
  if (stroke.length) dimensioned(out, step.link, DimensionKind::length, {{a.id, 0}, {z.id, 0}}, *stroke.length);
  if (pinsAt(out, first) > 0 || (onto && pinsAt(out, stroke.to.seat) > 0))
    step.said.push_back("three links meet here: two pins");
  step.joints.push_back(pin(out, *begin, first, step.link, a.id));
  if (stroke.angle && fromGround)
    change<Joint>(out.joints, step.joints.back(), [&](Joint& j) {
      // the joint counts from the seat's own reference, about its axis
      const auto seat = findSeat(out, first)->seat;
      const auto frame = frameOf(out, *seat);
      const Vec3 ref = linkPose(out, begin->link, poses).R * (frame.ok() ? Vec3(frame->R.col(0)) : Vec3(Vec3::UnitX()));
      const double base = std::atan2(ref.dot(b.plane.R.col(1)), ref.dot(b.plane.R.col(0)));
      if (std::abs(base) < 1e-12 && !begin->down)
        j.home["turn"] = *stroke.angle;
      else
        j.home["turn"] = Field((begin->down ? -1 : 1) * (turn - base) / m.units.factor(dimension::kAngle));
    });

  if (onto) {
    step.joints.push_back(pin(out, *onto, stroke.to.seat, step.link, z.id));
    step.end = 0;
  } else if (stroke.to.ground) {
    const Id ground = groundOf(out);
    const Id seat = addSeat(out, ground, "pivot", b.frame(to, 0), poses);
    if (stroke.x) dimensioned(out, ground, DimensionKind::x, {{seat, 0}}, *stroke.x);
    if (stroke.y) dimensioned(out, ground, DimensionKind::y, {{seat, 0}}, *stroke.y);
    step.joints.push_back(pin(out, {to, 0, false, ground}, seat, step.link, z.id));
    step.end = 0;
  } else if (stroke.to.line) {
    addSlider(step, b, sheet, *stroke.to.line, to, 0.15 * long_);
  }
  return step;
}

Result<std::pair<Mechanism, Id>> withPivotAdded(const Mechanism& m, Id sheet, Id link, const Vec2& at,
                                                const std::vector<Pose>& poses) {
  const auto board = Board::on(m, sheet, poses);
  if (!board.ok()) return board.error();
  const auto l = findLink(m, link);
  if (!l) return Error{"missing-link", "", "the link is gone"};
  Mechanism out = m;
  const Id seat = addSeat(out, link, "pivot", board->frame(at, 0), poses);
  const auto carrier = std::find_if(l->curves.begin(), l->curves.end(), [](const auto& c) { return c->outline; });
  if (carrier == l->curves.end()) return std::pair{std::move(out), seat};
  // lines from the two pivots that lie nearest, in the axes of the seat that carries the outline
  const auto frame = frameOf(m, *findSeat(m, (*carrier)->seat)->seat);
  if (!frame.ok()) return frame.error();
  const Pose toCurve = (linkPose(m, link, poses) * *frame).inverse();
  const auto own = [&](const Vec3& inGround) { return Vec2((toCurve * inGround).head<2>() / board->unit); };
  std::vector<std::pair<double, Vec2>> near;
  for (const auto& s : l->seats)
    if (const auto there = seatOn(*board, s->id); there.ok())
      near.emplace_back((there->at - at).norm(), own(board->space(there->at)));
  std::sort(near.begin(), near.end(), [](const auto& p, const auto& q) { return p.first < q.first; });
  const Vec2 end = own(board->space(at));
  change<Link>(out.links, link, [&](Link& x) {
    for (std::size_t i = 0; i < std::min<std::size_t>(2, near.size()); ++i) {
      const Vec2 from = near[i].second;
      Curve c = outlineCurve(freeName(x.curves, "line"), (*carrier)->seat, sheet,
                             {linePiece(from.x(), from.y(), end.x(), end.y())}, false);
      x.curves.push_back(std::make_shared<const Curve>(std::move(c)));
    }
  });
  return std::pair{std::move(out), seat};
}

Result<LayoutStep> withPlateDrawn(const Mechanism& m, Id sheet, const std::vector<LayoutSpot>& corners,
                                  const std::vector<Pose>& poses) {
  const auto board = Board::on(m, sheet, poses);
  if (!board.ok()) return board.error();
  const Board& b = *board;
  if (corners.size() < 3) return Error{"plate", "", "a plate needs three corners; click one more"};
  std::vector<std::optional<SeatOnSheet>> there(corners.size());
  std::vector<Vec2> at;
  for (std::size_t i = 0; i < corners.size(); ++i) {
    at.push_back(corners[i].at);
    if (corners[i].seat == 0) continue;
    const auto seat = seatOn(b, corners[i].seat);
    if (!seat.ok()) return seat.error();
    there[i] = *seat;
    at.back() = seat->at;
  }
  for (std::size_t i = 0; i < at.size(); ++i)
    if (!((at[(i + 1) % at.size()] - at[i]).norm() > 1e-9))
      return Error{"plate", "", "two corners lie at one place; move on before the next click"};
  LayoutStep step;
  step.mechanism = m;
  Mechanism& out = step.mechanism;
  const Vec2 way = at[1] - at[0];
  const Pose pose = b.frame(at[0], std::atan2(way.y(), way.x()));
  Link link;
  step.link = link.id = newId();
  link.name = freeName(out.links, "plate");
  link.placement = placementOf(pose, m.units);
  std::vector<Vec2> own;  // document units, in the link's axes
  for (std::size_t i = 0; i < at.size(); ++i) {
    own.push_back((pose.inverse() * b.space(at[i])).head<2>() / b.unit);
    const Vec3 local(own.back().x() * b.unit, own.back().y() * b.unit, 0);
    link.seats.push_back(
        std::make_shared<const Seat>(seatAt(freeName(link.seats, "pivot"), {Mat3::Identity(), local}, m.units)));
  }
  std::vector<CurvePiece> pieces;
  for (std::size_t i = 0; i < own.size(); ++i) {
    const Vec2 &p = own[i], &q = own[(i + 1) % own.size()];
    pieces.push_back(linePiece(p.x(), p.y(), q.x(), q.y()));
  }
  const auto seats = link.seats;
  link.curves.push_back(
      std::make_shared<const Curve>(outlineCurve("outline", seats[0]->id, sheet, std::move(pieces), true)));
  out.links.push_back(std::make_shared<const Link>(std::move(link)));
  for (std::size_t i = 0; i < corners.size(); ++i) {
    if (there[i]) {
      if (pinsAt(out, corners[i].seat) > 0 && step.said.empty()) step.said.push_back("three links meet here: two pins");
      step.joints.push_back(pin(out, *there[i], corners[i].seat, step.link, seats[i]->id));
    } else if (corners[i].ground) {
      const Id ground = groundOf(out);
      const Id seat = addSeat(out, ground, "pivot", b.frame(at[i], 0), poses);
      step.joints.push_back(pin(out, {at[i], 0, false, ground}, seat, step.link, seats[i]->id));
    }
  }
  return step;
}

}  // namespace cooperage::model
