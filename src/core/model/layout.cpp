// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/layout.h"

#include <fmt/format.h>

#include <cmath>

#include "base/index.h"
#include "model/drawn_dimensions.h"
#include "model/joint_edits.h"
#include "model/sheet_edits.h"

namespace cooperage::model {
namespace {

using Vec2 = Eigen::Vector2d;

/// The sheet's plane and what is needed of the document to draw on it.
struct Board {
  const Mechanism& m;
  const std::vector<Pose>& poses;
  Pose plane;  ///< X_GS
  double unit = 1e-3;

  static Result<Board> on(const Mechanism& m, Id sheet, const std::vector<Pose>& poses) {
    const auto plane = sheetPose(m, sheet, poses);
    if (!plane.ok()) return plane.error();
    return Board{m, poses, *plane, m.units.factor(dimension::kLength)};
  }
  Vec3 space(const Vec2& x) const { return plane * Vec3(x.x(), x.y(), 0); }
  Vec2 flat(const Vec3& x) const { return (plane.inverse() * x).head<2>(); }
  Vec3 normal() const { return plane.R.col(2); }
  /// A frame on the sheet: origin there, x at an angle, z the sheet's normal.
  Pose frame(const Vec2& at, double angle) const { return {plane.R * rotationAbout(2, angle), space(at)}; }
};

Seat seatAt(const std::string& name, const Pose& frame, const DocumentUnits& units) {
  Seat s;
  s.id = newId();
  s.name = name;
  s.at = placementOf(frame, units).at;
  s.axis = directionOf(frame.R.col(2));
  s.ref = directionOf(frame.R.col(0));
  return s;
}

/// The link that stands still; a new one, the frame, where there is none.
Id groundOf(Mechanism& m) {
  for (const auto& l : m.links)
    if (l->ground) return l->id;
  Link frame;
  frame.id = newId();
  frame.name = freeName(m.links, "frame");
  frame.ground = true;
  m.links.push_back(std::make_shared<const Link>(frame));
  return frame.id;
}

Id addSeat(Mechanism& m, Id link, const std::string& name, const Pose& inGround, const std::vector<Pose>& poses) {
  const auto l = findLink(m, link);
  Seat s = seatAt(freeName(l->seats, name), linkPose(m, link, poses).inverse() * inGround, m.units);
  const Id id = s.id;
  change<Link>(m.links, link, [&](Link& x) { x.seats.push_back(std::make_shared<const Seat>(std::move(s))); });
  return id;
}

void dimensioned(Mechanism& m, Id link, DimensionKind kind, const std::vector<DimensionEnd>& of, const Field& value) {
  DrawnDimension d;
  d.id = newId();
  d.kind = kind;
  d.of = of;
  d.value = value;
  change<Link>(m.links, link, [&](Link& l) { l.dimensions.push_back(std::make_shared<const DrawnDimension>(d)); });
}

CurvePiece linePiece(double x1, double y1, double x2, double y2) {
  CurvePiece p;
  p.points = {Pair{Field(x1), Field(y1)}, Pair{Field(x2), Field(y2)}};
  return p;
}
Curve outlineCurve(const std::string& name, Id seat, Id sheet, std::vector<CurvePiece> pieces, bool closed) {
  Curve c;
  c.id = newId();
  c.name = name;
  c.seat = seat;
  c.sheet = sheet;
  c.kind = CurveKind::chain;
  c.outline = true;
  c.closed = closed;
  c.pieces = std::move(pieces);
  return c;
}

/// Where a seat stands on the sheet, and how: its place, its height over the sheet, whether its axis points away from
/// it.
struct SeatOnSheet {
  Vec2 at{0, 0};
  double height = 0;
  bool down = false;
  Id link = 0;
};
Result<SeatOnSheet> seatOn(const Board& b, Id seat) {
  const auto place = findSeat(b.m, seat);
  if (!place) return Error{"missing-seat", "", "the pivot is gone"};
  const auto frame = frameOf(b.m, *place->seat);
  if (!frame.ok()) return frame.error();
  const Pose at = linkPose(b.m, place->link->id, b.poses) * *frame;
  const double along = at.R.col(2).dot(b.normal());
  if (std::abs(along) < 1 - 1e-9)
    return Error{"pivot", place->seat->name,
                 fmt::format("{}/{}: its axis is not square to the sheet; no pin of the layout fits there",
                             place->link->name, place->seat->name)};
  const Vec3 local = b.plane.inverse() * at.p;
  return SeatOnSheet{local.head<2>(), local.z(), along < 0, place->link->id};
}

/// A pin between a seat that is there and one of the new link that lies on the sheet.
Id pin(Mechanism& m, const SeatOnSheet& there, Id seat, Id link, Id own) {
  Joint j;
  j.id = newId();
  j.kind = JointKind::revolute;
  j.name = freeName(m.joints, findLink(m, there.link)->name + " - " + findLink(m, link)->name);
  j.seats = {seat, own};
  j.flip = there.down;
  const double slide = there.down ? there.height : -there.height;
  if (std::abs(slide) > 1e-12) j.slideOffset = Field(slide / m.units.factor(dimension::kLength));
  m.joints.push_back(std::make_shared<const Joint>(j));
  return j.id;
}

/// How many links meet at a pivot already.
int pinsAt(const Mechanism& m, Id seat) {
  int n = 0;
  for (const auto& j : m.joints) n += j->seats[0] == seat || j->seats[1] == seat;
  return n;
}

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

namespace {

/// A layout as points that are to be moved: each is where seats are pinned together.
class Puller {
 public:
  explicit Puller(const Board& b) : b_(b) {}

  Result<Mechanism> pull(Id seat, const Vec2& to) {
    const auto mine = seatOn(b_, seat);
    if (!mine.ok()) return mine.error();
    gather();
    const auto at = pointOf_.find(seat);
    if (at == pointOf_.end()) return Error{"pivot", "", "there is nothing to pull here"};
    pulled_ = at->second;
    for (const auto& l : b_.m.links)
      if (const auto s = relations(*l); !s.ok()) return s.error();
    if (fixed_[u(pulled_)] && !isGroundPoint(pulled_))
      return Error{"pivot", "", "this pivot is held by what it lies on"};
    if (fixed_[u(pulled_)]) freeOwnPoint();
    points_[u(pulled_)] = to;
    solve();
    return write();
  }

 private:
  struct Distance {
    int a, b;
    double want;
  };
  struct OnLine {
    int point;
    Vec2 at, normal;
  };
  struct Direction {
    int a, b;
    Vec2 normal;
  };

  void gather() {
    // pins unite seats, whatever their height
    std::map<Id, Id> parent;
    const std::function<Id(Id)> root = [&](Id s) {
      const auto it = parent.find(s);
      return it == parent.end() || it->second == s ? s : root(it->second);
    };
    for (const auto& j : b_.m.joints)
      if (j->enabled && j->kind == JointKind::revolute) {
        const Id a = root(j->seats[0]), z = root(j->seats[1]);
        if (a != z) parent[a] = z;
      }
    std::map<Id, int> index;
    for (const auto& l : b_.m.links)
      for (const auto& s : l->seats) {
        const auto there = seatOn(b_, s->id);
        if (!there.ok()) continue;  // axes that lie in the plane: guides
        const auto [it, fresh] = index.emplace(root(s->id), static_cast<int>(points_.size()));
        if (fresh) {
          points_.push_back(there->at);
          fixed_.push_back(false);
          ground_.push_back(false);
        }
        pointOf_[s->id] = it->second;
        if (l->ground) {
          points_[u(it->second)] = there->at;
          fixed_[u(it->second)] = ground_[u(it->second)] = true;
        }
      }
  }
  bool isGroundPoint(int p) const { return ground_[u(p)]; }
  /// A pivot of ground moves if no dimension holds it.
  void freeOwnPoint() {
    for (const auto& l : b_.m.links) {
      if (!l->ground) continue;
      for (const auto& s : l->seats)
        if (const auto it = pointOf_.find(s->id);
            it != pointOf_.end() && it->second == pulled_ && isHeldByDimension(*l, s->id))
          return;
    }
    fixed_[u(pulled_)] = false;
  }
  static bool isHeldByDimension(const Link& l, Id seat) {
    return std::any_of(l.dimensions.begin(), l.dimensions.end(), [&](const auto& d) {
      return std::any_of(d->of.begin(), d->of.end(), [&](const DimensionEnd& e) { return e.object == seat; });
    });
  }

  Status relations(const Link& l) {
    std::vector<std::pair<Id, int>> own;
    for (const auto& s : l.seats)
      if (const auto it = pointOf_.find(s->id); it != pointOf_.end()) own.emplace_back(s->id, it->second);
    slides(l, own);
    if (l.ground) return Done{};
    const bool onlyLengths = std::all_of(l.dimensions.begin(), l.dimensions.end(), [](const auto& d) {
      return d->kind == DimensionKind::length && d->of.size() == 2;
    });
    if (!isDrawn(l) || !onlyLengths) {
      for (std::size_t i = 0; i < own.size(); ++i)
        for (std::size_t k = i + 1; k < own.size(); ++k)
          if (own[i].second != own[k].second)
            distances_.push_back(
                {own[i].second, own[k].second, (points_[u(own[i].second)] - points_[u(own[k].second)]).norm()});
      rigid_.insert(l.id);
    } else {
      for (const auto& d : l.dimensions) {
        const auto a = pointOf_.find(d->of[0].object), z = pointOf_.find(d->of[1].object);
        if (a == pointOf_.end() || z == pointOf_.end()) continue;
        const auto want = evaluateField(b_.m, d->value, dimension::kLength);
        if (!want.ok()) return want.error();
        distances_.push_back({a->second, z->second, *want});
      }
    }
    for (const auto& j : b_.m.joints)  // a home value that was typed holds its link's direction
      if (j->enabled && j->kind == JointKind::revolute && j->home.count("turn") > 0 && own.size() > 1) {
        const auto other = findSeat(b_.m, j->seats[0]);
        const auto mine = findSeat(b_.m, j->seats[1]);
        if (!other || !mine || mine->link->id != l.id || !other->link->ground) continue;
        const int a = pointOf_.count(mine->seat->id) ? pointOf_[mine->seat->id] : -1;
        for (const auto& [seat, p] : own)
          if (a >= 0 && p != a) {
            const Vec2 way = points_[u(p)] - points_[u(a)];
            if (way.norm() > 0) directions_.push_back({a, p, Vec2(-way.y(), way.x()).normalized()});
            break;
          }
      }
    return Done{};
  }
  /// What slides on ground stays on its line.
  void slides(const Link& l, const std::vector<std::pair<Id, int>>& own) {
    for (const auto& j : b_.m.joints) {
      if (!j->enabled || j->kind != JointKind::prismatic) continue;
      const auto a = findSeat(b_.m, j->seats[0]), z = findSeat(b_.m, j->seats[1]);
      if (!a || !z || (z->link->id != l.id && a->link->id != l.id)) continue;
      const auto& other = z->link->id == l.id ? a : z;
      if (!other->link->ground) continue;
      const auto frame = frameOf(b_.m, *other->seat);
      if (!frame.ok()) continue;
      const Vec3 way = b_.plane.R.transpose() * (linkPose(b_.m, other->link->id, b_.poses) * *frame).R.col(2);
      const Vec2 normal(-way.y(), way.x());
      for (const auto& [seat, p] : own) lines_.push_back({p, points_[u(p)], normal});
    }
  }

  struct Row {
    double miss;
    std::vector<std::pair<int, Vec2>> slopes;
  };
  std::vector<Row> rows() const {
    std::vector<Row> out;
    for (const Distance& d : distances_) {
      const Vec2 v = points_[u(d.b)] - points_[u(d.a)];
      const Vec2 g = v.norm() > 0 ? Vec2(v.normalized()) : Vec2(1, 0);
      out.push_back({v.norm() - d.want, {{d.b, g}, {d.a, -g}}});
    }
    for (const OnLine& l : lines_) out.push_back({l.normal.dot(points_[u(l.point)] - l.at), {{l.point, l.normal}}});
    for (const Direction& d : directions_)
      out.push_back({d.normal.dot(points_[u(d.b)] - points_[u(d.a)]), {{d.b, d.normal}, {d.a, -d.normal}}});
    return out;
  }
  /// Least motion that meets all relations; the pulled point gives way last.
  void solve() {
    double size = 1e-9;
    for (const Vec2& p : points_) size = std::max(size, p.norm());
    for (int k = 0; k < 80; ++k) {
      const auto list = rows();
      double worst = 0;
      for (const Row& r : list) worst = std::max(worst, std::abs(r.miss));
      if (worst <= 1e-14 * size) return;
      Eigen::MatrixXd J =
          Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(list.size()), static_cast<Eigen::Index>(2 * points_.size()));
      Eigen::VectorXd r(list.size());
      for (std::size_t i = 0; i < list.size(); ++i) {
        r[static_cast<Eigen::Index>(i)] = list[i].miss;
        for (const auto& [p, g] : list[i].slopes) {
          if (fixed_[u(p)]) continue;
          const double w = weight(p);
          J(static_cast<Eigen::Index>(i), 2 * p) += w * g.x();
          J(static_cast<Eigen::Index>(i), 2 * p + 1) += w * g.y();
        }
      }
      Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> cod;
      cod.setThreshold(1e-9);
      cod.compute(J);
      Eigen::VectorXd step = -cod.solve(r);
      for (std::size_t p = 0; p < points_.size(); ++p)
        step.segment<2>(static_cast<Eigen::Index>(2 * p)) *= weight(static_cast<int>(p));
      const double limit = 0.3 * size / std::max(0.3 * size, step.cwiseAbs().maxCoeff());
      for (std::size_t p = 0; p < points_.size(); ++p)
        points_[p] += limit * Vec2(step[static_cast<Eigen::Index>(2 * p)], step[static_cast<Eigen::Index>(2 * p + 1)]);
    }
  }
  double weight(int p) const { return p == pulled_ ? 1e-3 : 1; }

  /// Links stand on their points: the first pivot is the origin, the second gives the direction.
  Result<Mechanism> write() {
    Mechanism out = b_.m;
    for (const auto& l : b_.m.links) {
      std::vector<std::pair<Id, Vec2>> own;
      for (const auto& s : l->seats)
        if (const auto it = pointOf_.find(s->id); it != pointOf_.end()) own.emplace_back(s->id, points_[u(it->second)]);
      if (own.empty()) continue;
      Pose pose = linkPose(b_.m, l->id, b_.poses);
      if (!l->ground) {
        const Vec2 before0 = seatOn(b_, own[0].first)->at;
        double turn = 0;
        if (own.size() > 1) {
          const Vec2 before = seatOn(b_, own[1].first)->at - before0, now = own[1].second - own[0].second;
          if (before.norm() > 0 && now.norm() > 0)
            turn = std::atan2(before.x() * now.y() - before.y() * now.x(), before.dot(now));
        }
        const Pose inSheet = b_.plane.inverse() * pose;
        Pose moved;
        moved.R = rotationAbout(2, turn) * inSheet.R;
        const Vec3 arm = rotationAbout(2, turn) * (inSheet.p - Vec3(before0.x(), before0.y(), 0));
        moved.p = Vec3(own[0].second.x(), own[0].second.y(), 0) + arm;
        pose = b_.plane * moved;
        const auto stands = poseOf(b_.m, l->placement);
        if (!stands.ok() || (stands->p - pose.p).norm() > 1e-13 || (stands->R - pose.R).norm() > 1e-13)
          out = changedLink(out, l->id, [&](Link& x) { x.placement = placementOf(pose, b_.m.units); });
        if (rigid_.count(l->id) > 0) continue;
      }
      std::vector<PointMove> moves;
      for (const auto& [seat, at] : own) {
        const Vec2 there = (pose.inverse() * b_.space(at)).head<2>();
        const auto frame = frameOf(b_.m, *findSeat(b_.m, seat)->seat);
        if (frame.ok() && (frame->p.head<2>() - there).norm() > 1e-13) moves.push_back({seat, there});
      }
      if (moves.empty()) continue;
      auto next = withPointsMoved(out, l->id, moves);
      if (!next.ok()) return next;
      out = std::move(next).value();
    }
    return out;
  }

  const Board& b_;
  std::map<Id, int> pointOf_;
  std::vector<Vec2> points_;
  std::vector<bool> fixed_, ground_;
  std::vector<Distance> distances_;
  std::vector<OnLine> lines_;
  std::vector<Direction> directions_;
  std::set<Id> rigid_;
  int pulled_ = -1;
};

}  // namespace

Result<Mechanism> withPivotPulled(const Mechanism& m, Id sheet, Id seat, const Vec2& to,
                                  const std::vector<Pose>& poses) {
  const auto board = Board::on(m, sheet, poses);
  if (!board.ok()) return board.error();
  return Puller(*board).pull(seat, to);
}

}  // namespace cooperage::model
