// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/sketch_points.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "model/edits.h"

namespace cooperage::model {
namespace {

using Vec2 = SketchPoints::Vec2;
constexpr double kPlane = 1e-9;  // how far a curve's plane may lean from the link's
constexpr double kOne = 1e-9;    // of the link's size: points so near are one
constexpr double kStill = 1e-16;

Vec2 toLink(const Pose& frame, const Vec2& x) { return (frame * Vec3(x.x(), x.y(), 0)).head<2>(); }
Vec2 toCurve(const Pose& frame, const Vec2& x) {
  return (frame.R.transpose() * (Vec3(x.x(), x.y(), 0) - frame.p)).head<2>();
}
const Field& figureOf(const Curve& c, const char* key) {
  static const Field kZero;
  const auto it = c.figures.find(key);
  return it == c.figures.end() ? kZero : it->second;
}

}  // namespace

bool SketchPoints::read() {
  for (const auto& c : link_.curves) carrying_.insert(c->seat);
  for (const auto& s : link_.seats)
    if (!readSeat(*s)) return false;
  for (const auto& c : link_.curves)
    if (!readCurve(*c)) return false;
  double size = 0;
  for (double v : values_) size = std::max(size, std::abs(v));
  if (size > 0) size_ = size;
  merge();
  read_ = values_;
  return true;
}

int SketchPoints::unknown(double value, bool fixed) {
  values_.push_back(value);
  fixed_.push_back(fixed);
  parent_.push_back(static_cast<int>(parent_.size()));
  return count() - 1;
}
SketchPoint SketchPoints::point(const Vec2& at, bool fixedX, bool fixedY) {
  const int x = unknown(at.x(), fixedX);
  return {x, unknown(at.y(), fixedY)};
}

bool SketchPoints::readSeat(const Seat& s) {
  Pose frame;
  if (!ctx_.frame(s.at, s.axis, s.ref, "seat " + link_.name + "/" + s.name, frame)) return false;
  frames_[s.id] = frame;
  const bool fixed = s.source.has_value() || carrying_.count(s.id) > 0;
  Spot spot;
  spot.object = s.id;
  spot.at = point(frame.p.head<2>(), fixed || s.at[0].formula, fixed || s.at[1].formula);
  spots_.push_back(spot);
  return true;
}

bool SketchPoints::readCurve(const Curve& c) {
  const auto frame = frames_.find(c.seat);
  if (!c.outline || frame == frames_.end() || frame->second.R.col(2).head<2>().norm() >= kPlane) return true;
  if (c.kind == CurveKind::circle) return readCircle(c, frame->second);
  if (c.kind != CurveKind::chain) return true;
  for (std::size_t i = 0; i < c.pieces.size(); ++i)
    if ((c.pieces[i].kind == PieceKind::line || c.pieces[i].kind == PieceKind::arc) && !readPiece(c, i, frame->second))
      return false;
  return true;
}

bool SketchPoints::readPoint(const Pair& given, const Pose& frame, Id curve, Spot spot) {
  const std::string object = "curve of link " + link_.name;
  Vec2 at;
  if (!ctx_.read(given[0], dimension::kLength, object, "x", at[0]) ||
      !ctx_.read(given[1], dimension::kLength, object, "y", at[1]))
    return false;
  bool fixX = given[0].formula != nullptr, fixY = given[1].formula != nullptr;
  // figures along turned axes go together: one that is a formula holds both
  if ((frame.R - Mat3::Identity()).norm() >= kPlane) fixX = fixY = fixX || fixY;
  spot.object = curve;
  spot.at = point(toLink(frame, at), fixX, fixY);
  spots_.push_back(spot);
  return true;
}

bool SketchPoints::readCircle(const Curve& c, const Pose& frame) {
  Spot spot;
  spot.what = Spot::What::circle;
  if (!readPoint({figureOf(c, "centre x"), figureOf(c, "centre y")}, frame, c.id, spot)) return false;
  SketchPiece p;
  p.circle = true;
  p.centre = spots_.back().at;
  double r = 0;
  if (!ctx_.read(figureOf(c, "radius"), dimension::kLength, "curve of link " + link_.name, "radius", r)) return false;
  spot.what = Spot::What::radius;
  spot.object = c.id;
  spot.radius = p.radius = unknown(r, figureOf(c, "radius").formula != nullptr);
  spots_.push_back(spot);
  pieces_[{c.id, 0}] = p;
  return true;
}

bool SketchPoints::readPiece(const Curve& c, std::size_t index, const Pose& frame) {
  const CurvePiece& given = c.pieces[index];
  SketchPiece p;
  p.kind = given.kind;
  Spot spot;
  spot.piece = static_cast<int>(index);
  spot.what = Spot::What::piece;
  for (int k : {0, 1}) {
    spot.point = k;
    if (!readPoint(given.points[u(k)], frame, c.id, spot)) return false;
    (k == 0 ? p.from : p.to) = spots_.back().at;
  }
  if (given.kind == PieceKind::arc) {
    spot.what = Spot::What::centre;
    if (!readPoint(given.centre, frame, c.id, spot)) return false;
    p.centre = spots_.back().at;
  }
  pieces_[{c.id, static_cast<int>(index)}] = p;
  return true;
}

void SketchPoints::merge() {
  std::vector<SketchPoint> points;
  for (const Spot& s : spots_)
    if (s.at.x >= 0) points.push_back(s.at);
  const auto value = [this](int i) { return values_[u(i)]; };
  std::sort(points.begin(), points.end(),
            [&](const SketchPoint& a, const SketchPoint& b) { return value(a.x) < value(b.x); });
  const double near = kOne * size_;
  for (std::size_t i = 0; i < points.size(); ++i)
    for (std::size_t k = i + 1; k < points.size(); ++k) {
      if (value(points[k].x) - value(points[i].x) > near) break;
      if (std::abs(value(points[k].y) - value(points[i].y)) > near) continue;
      unite(points[i].x, points[k].x);
      unite(points[i].y, points[k].y);
    }
}
void SketchPoints::unite(int a, int b) {
  a = root(a);
  b = root(b);
  if (a == b) return;
  if (fixed_[u(b)] && !fixed_[u(a)]) std::swap(a, b);
  parent_[u(b)] = a;
}
int SketchPoints::root(int i) const {
  while (parent_[u(i)] != i) i = parent_[u(i)];
  return i;
}
void SketchPoints::set(int unknown, double value) {
  if (!isFixed(unknown)) values_[u(root(unknown))] = value;
}

std::optional<SketchPoint> SketchPoints::pointOf(const DimensionEnd& e) const {
  for (const Spot& s : spots_)
    if (s.object == e.object && s.what == Spot::What::seat) return s.at;
  return std::nullopt;
}
std::optional<SketchPiece> SketchPoints::pieceOf(const DimensionEnd& e) const {
  const auto it = pieces_.find({e.object, e.piece});
  return it == pieces_.end() ? std::nullopt : std::optional<SketchPiece>(it->second);
}
std::vector<int> SketchPoints::unknownsOf(const DimensionEnd& e) const {
  if (const auto p = pointOf(e)) return {p->x, p->y};
  const auto piece = pieceOf(e);
  if (!piece) return {};
  if (piece->circle) return {piece->centre.x, piece->centre.y, piece->radius};
  std::vector<int> out{piece->from.x, piece->from.y, piece->to.x, piece->to.y};
  if (piece->kind == PieceKind::arc) out.insert(out.end(), {piece->centre.x, piece->centre.y});
  return out;
}

int SketchPoints::freeCount() const {
  int n = 0;
  for (int i = 0; i < count(); ++i) n += root(i) == i && !isFixed(i);
  return n;
}
int SketchPoints::rigidFreedoms() const {
  int held = 0;
  std::optional<Vec2> first;
  for (const Spot& s : spots_) {
    if (s.at.x < 0 || !isFixed(s.at.x) || !isFixed(s.at.y)) continue;
    const Vec2 x = place(s.at);
    if (!first) {
      first = x;
      held = 2;
    } else if ((x - *first).norm() > kOne * size_) {
      held = 3;
    }
  }
  return 3 - held;
}

bool SketchPoints::hasMoved(const Spot& s) const {
  const auto moved = [&](int i) { return i >= 0 && std::abs(get(i) - read_[u(i)]) > kStill * size_; };
  return moved(s.at.x) || moved(s.at.y) || moved(s.radius);
}

std::shared_ptr<const Link> SketchPoints::written(const std::shared_ptr<const Link>& link) const {
  const double unit = ctx_.m.units.factor(dimension::kLength);
  std::shared_ptr<Link> out;
  const auto write = [&](Field& f, double now) {
    if (!f.formula && std::abs(now - f.number * unit) > kStill * size_) f.number = now / unit;
  };
  for (const Spot& s : spots_) {
    if (!hasMoved(s)) continue;
    if (!out) out = std::make_shared<Link>(*link);
    if (s.what == Spot::What::seat) {
      change<Seat>(out->seats, s.object, [&](Seat& x) {
        write(x.at[0], place(s.at).x());
        write(x.at[1], place(s.at).y());
      });
      continue;
    }
    change<Curve>(out->curves, s.object, [&](Curve& c) {
      const Pose& frame = frames_.at(c.seat);
      const auto pair = [&](Field& fx, Field& fy) {
        const Vec2 own = toCurve(frame, place(s.at));
        write(fx, own.x());
        write(fy, own.y());
      };
      if (s.what == Spot::What::piece) {
        Pair& p = c.pieces[u(s.piece)].points[u(s.point)];
        pair(p[0], p[1]);
      } else if (s.what == Spot::What::centre) {
        pair(c.pieces[u(s.piece)].centre[0], c.pieces[u(s.piece)].centre[1]);
      } else if (s.what == Spot::What::circle) {
        pair(c.figures["centre x"], c.figures["centre y"]);
      } else {
        write(c.figures["radius"], get(s.radius));
      }
    });
  }
  return out ? std::shared_ptr<const Link>(out) : link;
}

}  // namespace cooperage::model
