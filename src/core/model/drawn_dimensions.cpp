// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/drawn_dimensions.h"

#include <fmt/format.h>

#include <Eigen/QR>
#include <cmath>

#include "base/index.h"
#include "model/resolving.h"

namespace cooperage::model {
namespace {

using Vec2 = Eigen::Vector2d;
constexpr double kMet = 1e-14;     // of the link's size: dimensions are met to rounding
constexpr double kTangent = 1e-6;  // rad: pieces that are so nearly tangent are meant to be
constexpr double kPlane = 1e-9;    // how far a curve's plane may lean from the link's

double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }

/// One figure of a link that dimensions may change, and where it stands in the document.
struct Unknown {
  double value = 0;
  bool fixed = false;
};
/// A point: two unknowns. Several places of the document may be one point.
struct Point {
  int x = -1, y = -1;
};
/// A piece of a curve by its points; a circle has a centre and a radius.
struct PieceAt {
  PieceKind kind = PieceKind::line;
  bool circle = false;
  Point from, to, centre;
  int radius = -1;
};
/// Where in the document a figure is written.
struct Spot {
  enum class What { seat, piece, centre, circle, radius } what = What::seat;
  Id object = 0;
  int piece = 0, point = 0;
  Point at;
  int radius = -1;
};

/// A relation between unknowns: how far it is from being met, and by which unknowns it changes.
struct Relation {
  double miss = 0;
  std::vector<std::pair<int, double>> slopes;
};

class Sketch {
 public:
  Sketch(Resolving& ctx, const Link& link) : ctx_(ctx), link_(link) {}

  /// Reads all points. @return false if a figure can't be worked out: the error is in the context
  bool read() {
    for (const auto& c : link_.curves) carrying_.insert(c->seat);
    for (const auto& s : link_.seats)
      if (!seat(*s)) return false;
    for (const auto& c : link_.curves)
      if (!curve(*c)) return false;
    double size = 0;
    for (const Unknown& x : unknowns_) size = std::max(size, std::abs(x.value));
    size_ = size > 0 ? size : 1e-3;
    merge();
    return true;
  }
  bool relations() {
    for (const auto& d : link_.dimensions)
      if (!add(*d)) return false;
    inner();
    return true;
  }
  void moveTo(const std::vector<PointMove>& moves) { moves_ = moves; }

  double size() const { return size_; }
  bool hasFree() const { return freeCount() > 0; }

  /// Meets all relations: at once, or where that fails by small steps from what is measured to what is asked for.
  /// @return false if they can't be met
  bool solve() {
    start();
    for (const PointMove& m : moves_)
      if (const auto p = pointOf({m.seat, 0})) {
        set(p->x, m.to.x());
        set(p->y, m.to.y());
      }
    const std::vector<Unknown> from = unknowns_;
    if (newtons()) return true;
    std::vector<double> now, want;
    unknowns_ = from;
    for (auto& w : dimensions_) {
      want.push_back(w.want);
      const double miss = relation(w).miss;
      now.push_back(w.want + (w.kind == DimensionKind::angle || w.kind == DimensionKind::pointLine ? w.side : 1) *
                                 miss / (w.kind == DimensionKind::angle ? size_ : 1));
    }
    constexpr int kSteps = 50;
    bool met = false;
    for (int k = 1; k <= kSteps; ++k) {
      for (std::size_t i = 0; i < dimensions_.size(); ++i)
        dimensions_[i].want = k == kSteps ? want[i] : now[i] + (want[i] - now[i]) * k / kSteps;
      met = newtons();
      if (!met) break;
    }
    for (std::size_t i = 0; i < dimensions_.size(); ++i) dimensions_[i].want = want[i];
    return met;
  }
  bool newtons() {
    double before = miss();
    for (int k = 0; k < 60 && before > kMet * size_; ++k) {
      const Eigen::VectorXd step = newton();
      const std::vector<Unknown> kept = unknowns_;
      double share = std::min(1.0, 0.5 * size_ / std::max(1e-300, step.size() > 0 ? step.cwiseAbs().maxCoeff() : 0.0));
      double now = before;
      for (int halves = 0; halves < 12; ++halves, share *= 0.5) {
        unknowns_ = kept;
        apply(share * step);
        now = miss();
        if (now < before) break;
      }
      if (!(now < before)) {
        unknowns_ = kept;
        break;
      }
      before = now;
    }
    return before <= 100 * kMet * size_;
  }

  int rank() { return static_cast<int>(decomposed().rank()); }
  int freeCount() const {
    int n = 0;
    for (std::size_t i = 0; i < unknowns_.size(); ++i)
      n += root(static_cast<int>(i)) == static_cast<int>(i) && !unknowns_[i].fixed;
    return n;
  }
  int relationCount() const { return relations_; }
  /// Freedoms that move the link's lines as a whole: what stands fixed in it takes them away.
  int rigid() const {
    int fixed = 0;
    std::optional<Vec2> first;
    for (const Spot& s : spots_) {
      if (s.at.x < 0 || !isFixed(s.at)) continue;
      const Vec2 x = place(s.at);
      if (!first) {
        first = x;
        fixed = 2;
      } else if ((x - *first).norm() > 1e-9 * size_) {
        fixed = 3;
      }
    }
    return 3 - fixed;
  }
  /// Whether an unknown can't move as long as all relations hold: no free direction has a part in it.
  bool isDetermined(const std::vector<int>& which, bool turnsCount) {
    const Eigen::MatrixXd J = matrix();
    Eigen::FullPivLU<Eigen::MatrixXd> lu(J);
    lu.setThreshold(1e-9);
    if (J.cols() == 0 || lu.dimensionOfKernel() == 0) return true;
    const Eigen::MatrixXd N = lu.kernel();
    for (int w : which) {
      const int c = column_[u(root(w))];
      if (c >= 0 && N.row(c).norm() > 1e-7 * N.norm() && !(turnsCount && N.cols() <= rigid())) return false;
    }
    return true;
  }
  std::optional<Point> pointOf(const DimensionEnd& e) const {
    for (const Spot& s : spots_)
      if (s.object == e.object && s.what == Spot::What::seat) return s.at;
    return std::nullopt;
  }
  std::optional<PieceAt> pieceOf(const DimensionEnd& e) const {
    const auto it = pieces_.find({e.object, e.piece});
    return it == pieces_.end() ? std::nullopt : std::optional<PieceAt>(it->second);
  }
  std::vector<int> unknownsOf(const DimensionEnd& e) const {
    if (const auto p = pointOf(e)) return {p->x, p->y};
    const auto piece = pieceOf(e);
    if (!piece) return {};
    if (piece->circle) return {piece->centre.x, piece->centre.y, piece->radius};
    return {piece->from.x, piece->from.y, piece->to.x, piece->to.y};
  }

  std::optional<double> value(const DrawnDimension& d) const {
    const auto of = ends(d);
    if (!of) return std::nullopt;
    switch (d.kind.value()) {
      case DimensionKind::length: return (place(of->b) - place(of->a)).norm();
      case DimensionKind::x: return place(of->b).x() - (of->single ? 0 : place(of->a).x());
      case DimensionKind::y: return place(of->b).y() - (of->single ? 0 : place(of->a).y());
      case DimensionKind::radius: return of->radius >= 0 ? get(of->radius) : (place(of->a) - place(of->b)).norm();
      case DimensionKind::angle: {
        const Vec2 p = place(of->b) - place(of->a), q = place(of->d) - place(of->c);
        return std::atan2(std::abs(cross(p, q)), p.dot(q));
      }
      case DimensionKind::pointLine: {
        const Vec2 way = place(of->d) - place(of->c);
        return way.norm() > 0 ? std::abs(cross(way, place(of->a) - place(of->c))) / way.norm() : 0;
      }
    }
    return std::nullopt;
  }

  /// The document's link with the figures that were found; the link itself if none has changed.
  std::shared_ptr<const Link> written(const std::shared_ptr<const Link>& link) const {
    const double unit = ctx_.m.units.factor(dimension::kLength);
    std::shared_ptr<Link> out;
    const auto write = [&](Field& f, int k, double now) {
      if (f.formula || std::abs(now - f.number * unit) <= 1e-16 * size_ || k < 0) return false;
      f.number = now / unit;
      return true;
    };
    for (const Spot& s : spots_) {
      if (!hasMoved(s)) continue;
      if (!out) out = std::make_shared<Link>(*link);
      if (s.what == Spot::What::seat) {
        change<Seat>(out->seats, s.object, [&](Seat& x) {
          write(x.at[0], s.at.x, place(s.at).x());
          write(x.at[1], s.at.y, place(s.at).y());
        });
        continue;
      }
      change<Curve>(out->curves, s.object, [&](Curve& c) {
        const Pose& frame = frames_.at(c.seat);
        const auto pair = [&](Field& fx, Field& fy) {
          const Vec2 own = toCurve(frame, place(s.at));
          write(fx, s.at.x, own.x());
          write(fy, s.at.y, own.y());
        };
        if (s.what == Spot::What::piece) {
          Pair& p = c.pieces[u(s.piece)].points[u(s.point)];
          pair(p[0], p[1]);
        } else if (s.what == Spot::What::centre) {
          pair(c.pieces[u(s.piece)].centre[0], c.pieces[u(s.piece)].centre[1]);
        } else if (s.what == Spot::What::circle) {
          pair(c.figures["centre x"], c.figures["centre y"]);
        } else {
          write(c.figures["radius"], s.radius, get(s.radius));
        }
      });
    }
    return out ? std::shared_ptr<const Link>(out) : link;
  }

 private:
  struct Ends {
    Point a, b, c, d;
    int radius = -1;
    bool single = false;
  };

  // ---- reading
  int unknown(double value, bool fixed) {
    unknowns_.push_back({value, fixed});
    parent_.push_back(static_cast<int>(parent_.size()));
    return static_cast<int>(unknowns_.size()) - 1;
  }
  Point point(const Vec2& at, bool fixedX, bool fixedY) { return {unknown(at.x(), fixedX), unknown(at.y(), fixedY)}; }

  bool seat(const Seat& s) {
    const std::string object = "seat " + link_.name + "/" + s.name;
    Pose frame;
    Vec3 axis, ref;
    if (!ctx_.read(s.at, dimension::kLength, object, "at", frame.p) || !ctx_.direction(s.axis, object, "axis", axis) ||
        !ctx_.direction(s.ref, object, "ref", ref))
      return false;
    if (!axesFrom(axis, ref, frame.R)) return true;  // told by who works the seat out
    frames_[s.id] = frame;
    // a seat that was picked on a body, and one that carries curves, stands where it is
    const bool fixed = s.source.has_value() || carrying_.count(s.id) > 0;
    Spot spot;
    spot.object = s.id;
    spot.at = point(frame.p.head<2>(), fixed || s.at[0].formula, fixed || s.at[1].formula);
    spots_.push_back(spot);
    return true;
  }
  static bool lies(const Pose& frame) { return frame.R.col(2).head<2>().norm() < kPlane; }
  static Vec2 toLink(const Pose& frame, const Vec2& x) { return (frame * Vec3(x.x(), x.y(), 0)).head<2>(); }
  static Vec2 toCurve(const Pose& frame, const Vec2& x) {
    return (frame.R.transpose() * (Vec3(x.x(), x.y(), 0) - frame.p)).head<2>();
  }
  /// Figures along turned axes go together: one that is a formula holds both.
  static bool square(const Pose& frame) { return (frame.R - Mat3::Identity()).norm() < kPlane; }

  bool curve(const Curve& c) {
    const auto frame = frames_.find(c.seat);
    if (!c.outline || frame == frames_.end() || !lies(frame->second)) return true;
    const std::string object = "curve " + link_.name + "/" + c.name;
    const auto read = [&](const Field& fx, const Field& fy, Spot spot) {
      Vec2 at;
      if (!ctx_.read(fx, dimension::kLength, object, "x", at[0]) ||
          !ctx_.read(fy, dimension::kLength, object, "y", at[1]))
        return false;
      bool fixX = fx.formula != nullptr, fixY = fy.formula != nullptr;
      if (!square(frame->second)) fixX = fixY = fixX || fixY;
      spot.object = c.id;
      spot.at = point(toLink(frame->second, at), fixX, fixY);
      spots_.push_back(spot);
      return true;
    };
    if (c.kind == CurveKind::circle) {
      static const Field kZero;
      const auto figure = [&](const char* key) -> const Field& {
        const auto it = c.figures.find(key);
        return it == c.figures.end() ? kZero : it->second;
      };
      Spot spot;
      spot.what = Spot::What::circle;
      if (!read(figure("centre x"), figure("centre y"), spot)) return false;
      PieceAt p;
      p.circle = true;
      p.centre = spots_.back().at;
      double r = 0;
      if (!ctx_.read(figure("radius"), dimension::kLength, object, "radius", r)) return false;
      spot.what = Spot::What::radius;
      spot.object = c.id;
      spot.radius = p.radius = unknown(r, figure("radius").formula != nullptr);
      spots_.push_back(spot);
      pieces_[{c.id, 0}] = p;
      return true;
    }
    if (c.kind != CurveKind::chain) return true;
    for (std::size_t i = 0; i < c.pieces.size(); ++i) {
      const CurvePiece& given = c.pieces[i];
      if (given.kind != PieceKind::line && given.kind != PieceKind::arc) continue;
      PieceAt p;
      p.kind = given.kind;
      for (int k : {0, 1}) {
        Spot spot;
        spot.what = Spot::What::piece;
        spot.piece = static_cast<int>(i);
        spot.point = k;
        if (!read(given.points[u(k)][0], given.points[u(k)][1], spot)) return false;
        (k == 0 ? p.from : p.to) = spots_.back().at;
      }
      if (given.kind == PieceKind::arc) {
        Spot spot;
        spot.what = Spot::What::centre;
        spot.piece = static_cast<int>(i);
        if (!read(given.centre[0], given.centre[1], spot)) return false;
        p.centre = spots_.back().at;
      }
      pieces_[{c.id, static_cast<int>(i)}] = p;
    }
    return true;
  }
  /// Points at one place are one.
  void merge() {
    std::vector<Point> points;
    for (const Spot& s : spots_)
      if (s.at.x >= 0) points.push_back(s.at);
    std::sort(points.begin(), points.end(),
              [&](const Point& a, const Point& b) { return unknowns_[u(a.x)].value < unknowns_[u(b.x)].value; });
    const double near = 1e-9 * size_;
    for (std::size_t i = 0; i < points.size(); ++i)
      for (std::size_t k = i + 1; k < points.size(); ++k) {
        if (unknowns_[u(points[k].x)].value - unknowns_[u(points[i].x)].value > near) break;
        if (std::abs(unknowns_[u(points[k].y)].value - unknowns_[u(points[i].y)].value) > near) continue;
        unite(points[i].x, points[k].x);
        unite(points[i].y, points[k].y);
      }
  }
  void unite(int a, int b) {
    a = root(a);
    b = root(b);
    if (a == b) return;
    if (unknowns_[u(b)].fixed && !unknowns_[u(a)].fixed) std::swap(a, b);
    parent_[u(b)] = a;
    unknowns_[u(a)].fixed = unknowns_[u(a)].fixed || unknowns_[u(b)].fixed;
  }
  int root(int i) const {
    while (parent_[u(i)] != i) i = parent_[u(i)];
    return i;
  }
  double get(int i) const { return unknowns_[u(root(i))].value; }
  void set(int i, double v) {
    Unknown& x = unknowns_[u(root(i))];
    if (!x.fixed) x.value = v;
  }
  bool isFixed(const Point& p) const { return unknowns_[u(root(p.x))].fixed && unknowns_[u(root(p.y))].fixed; }
  Vec2 place(const Point& p) const { return {get(p.x), get(p.y)}; }
  bool hasMoved(const Spot& s) const {
    const auto moved = [&](int i) { return i >= 0 && std::abs(get(i) - first_[u(i)]) > 1e-16 * size_; };
    return !first_.empty() && (moved(s.at.x) || moved(s.at.y) || moved(s.radius));
  }

  // ---- relations
  std::optional<Ends> ends(const DrawnDimension& d) const {
    Ends e;
    std::vector<Point> points;
    std::vector<PieceAt> pieces;
    for (const DimensionEnd& end : d.of) {
      if (const auto p = pointOf(end))
        points.push_back(*p);
      else if (const auto piece = pieceOf(end))
        pieces.push_back(*piece);
      else
        return std::nullopt;
    }
    const auto line = [&](std::size_t i) {
      return i < pieces.size() && !pieces[i].circle && pieces[i].kind == PieceKind::line;
    };
    if (!d.kind.known()) return std::nullopt;
    switch (d.kind.value()) {
      case DimensionKind::length:
        if (points.size() == 2)
          e.a = points[0], e.b = points[1];
        else if (points.empty() && pieces.size() == 1 && line(0))
          e.a = pieces[0].from, e.b = pieces[0].to;
        else
          return std::nullopt;
        return e;
      case DimensionKind::x:
      case DimensionKind::y:
        if (points.empty() || points.size() > 2 || !pieces.empty()) return std::nullopt;
        e.single = points.size() == 1;
        e.b = points.back();
        if (!e.single) e.a = points[0];
        return e;
      case DimensionKind::radius:
        if (pieces.size() != 1 || !points.empty() || line(0)) return std::nullopt;
        e.a = pieces[0].from;
        e.b = pieces[0].centre;
        e.radius = pieces[0].radius;
        return e;
      case DimensionKind::angle:
        if (pieces.size() != 2 || !line(0) || !line(1)) return std::nullopt;
        e.a = pieces[0].from, e.b = pieces[0].to, e.c = pieces[1].from, e.d = pieces[1].to;
        return e;
      case DimensionKind::pointLine:
        if (points.size() != 1 || pieces.size() != 1 || !line(0)) return std::nullopt;
        e.a = points[0], e.c = pieces[0].from, e.d = pieces[0].to;
        return e;
    }
    return std::nullopt;
  }
  bool add(const DrawnDimension& d) {
    const std::string object = "dimension of link " + link_.name;
    if (!d.kind.known())
      return ctx_.warn("dimension", object, fmt::format("this version knows no kind '{}'", d.kind.text())), true;
    const auto of = ends(d);
    if (!of)
      return ctx_.fail("dimension", object, fmt::format("'{}' can't be measured on what it names", d.kind.text()));
    double want = 0;
    if (!ctx_.read(d.value, d.kind == DimensionKind::angle ? dimension::kAngle : dimension::kLength, object,
                   std::string(d.kind.text()), want))
      return false;
    const bool mayBeNegative = d.kind == DimensionKind::x || d.kind == DimensionKind::y;
    if (!mayBeNegative && !(want > 0) && !(d.kind == DimensionKind::pointLine && want == 0))
      return ctx_.fail("dimension", object, fmt::format("'{}' must be greater than zero", d.kind.text()));
    dimensions_.push_back({d.kind.value(), *of, want, 1});
    return true;
  }
  /// What pieces hold by themselves: an arc's ends are as far from its centre, and tangent pieces stay so.
  void inner() {
    for (const auto& [key, p] : pieces_) {
      if (!p.circle && p.kind == PieceKind::arc) arcs_.push_back(p);
      const auto next = pieces_.find({key.first, key.second + 1});
      if (next != pieces_.end() && !p.circle) tangent(p, next->second);
    }
  }
  void tangent(const PieceAt& a, const PieceAt& b) {
    if (a.kind == b.kind && a.kind == PieceKind::line) return;
    const auto way = [&](const PieceAt& p, const Point& at) {
      if (p.kind == PieceKind::line) return Vec2(place(p.to) - place(p.from));
      const Vec2 r = place(at) - place(p.centre);
      return Vec2(-r.y(), r.x());
    };
    const Vec2 u1 = way(a, a.to), u2 = way(b, b.from);
    if (!(u1.norm() > 0) || !(u2.norm() > 0) || std::abs(cross(u1, u2)) > kTangent * u1.norm() * u2.norm()) return;
    tangents_.push_back({a, b});
  }
  /// The side on which an angle or a point lies stays the one on which it is drawn.
  void start() {
    first_.clear();
    for (std::size_t i = 0; i < unknowns_.size(); ++i) first_.push_back(unknowns_[i].value);
    for (auto& d : dimensions_) {
      if (d.kind == DimensionKind::angle)
        d.side = cross(place(d.of.b) - place(d.of.a), place(d.of.d) - place(d.of.c)) < 0 ? -1 : 1;
      if (d.kind == DimensionKind::pointLine)
        d.side = cross(place(d.of.d) - place(d.of.c), place(d.of.a) - place(d.of.c)) < 0 ? -1 : 1;
    }
  }

  struct Wanted {
    DimensionKind kind;
    Ends of;
    double want, side;
  };
  static void slope(Relation& r, const Point& p, const Vec2& g) {
    r.slopes.emplace_back(p.x, g.x());
    r.slopes.emplace_back(p.y, g.y());
  }
  static Vec2 left(const Vec2& v) { return {-v.y(), v.x()}; }

  Relation relation(const Wanted& w) const {
    Relation r;
    const Ends& e = w.of;
    switch (w.kind) {
      case DimensionKind::length: distance(r, e.a, e.b, w.want); break;
      case DimensionKind::x:
      case DimensionKind::y: {
        const int axis = w.kind == DimensionKind::x ? 0 : 1;
        const Vec2 g = axis == 0 ? Vec2(1, 0) : Vec2(0, 1);
        r.miss = place(e.b)[axis] - (e.single ? 0 : place(e.a)[axis]) - w.want;
        slope(r, e.b, g);
        if (!e.single) slope(r, e.a, -g);
        break;
      }
      case DimensionKind::radius:
        if (e.radius >= 0) {
          r.miss = get(e.radius) - w.want;
          r.slopes.emplace_back(e.radius, 1);
        } else {
          distance(r, e.a, e.b, w.want);
        }
        break;
      case DimensionKind::angle: {  // scaled by the size, so that it counts as a length
        const Vec2 p = place(e.b) - place(e.a), q = place(e.d) - place(e.c);
        const double angle = std::atan2(cross(p, q), p.dot(q));
        r.miss = size_ * std::remainder(angle - w.side * w.want, 2 * kPi);
        const Vec2 gp = -size_ * left(p) / p.squaredNorm(), gq = size_ * left(q) / q.squaredNorm();
        slope(r, e.b, gp);
        slope(r, e.a, -gp);
        slope(r, e.d, gq);
        slope(r, e.c, -gq);
        break;
      }
      case DimensionKind::pointLine: {
        const Vec2 way = place(e.d) - place(e.c), arm = place(e.a) - place(e.c);
        const double n = way.norm(), h = cross(way, arm) / n;
        const Vec2 normal = left(way) / n;
        const double along = way.dot(arm) / (n * n);
        r.miss = h - w.side * w.want;
        slope(r, e.a, normal);
        slope(r, e.c, -(1 - along) * normal);
        slope(r, e.d, -along * normal);
        break;
      }
    }
    return r;
  }
  void distance(Relation& r, const Point& a, const Point& b, double want) const {
    const Vec2 d = place(b) - place(a);
    const double n = d.norm();
    const Vec2 g = n > 1e-12 * size_ ? Vec2(d / n) : Vec2(1, 0);
    r.miss = n - want;
    slope(r, b, g);
    slope(r, a, -g);
  }
  std::vector<Relation> all() const {
    std::vector<Relation> out;
    for (const Wanted& w : dimensions_) out.push_back(relation(w));
    for (const PieceAt& p : arcs_) {
      Relation r;
      const Vec2 a = place(p.from) - place(p.centre), b = place(p.to) - place(p.centre);
      r.miss = a.norm() - b.norm();
      slope(r, p.from, a.normalized());
      slope(r, p.to, -b.normalized());
      slope(r, p.centre, b.normalized() - a.normalized());
      out.push_back(std::move(r));
    }
    for (const auto& [a, b] : tangents_) {
      Relation r;  // the radius of an arc is square to the line, or to the other arc's at the place where they meet
      const auto& line = a.kind == PieceKind::line ? a : b;
      const auto& arc = a.kind == PieceKind::line ? b : a;
      const Point at = a.to;
      if (line.kind == PieceKind::line) {
        const Vec2 d = place(line.to) - place(line.from), arm = place(at) - place(arc.centre);
        const double n = d.norm();
        r.miss = d.dot(arm) / n;
        const Vec2 across = arm / n - d * (d.dot(arm) / (n * n * n));
        slope(r, line.to, across);
        slope(r, line.from, -across);
        slope(r, at, d / n);
        slope(r, arc.centre, -d / n);
      } else {
        const Vec2 p = place(at) - place(a.centre), q = place(at) - place(b.centre);
        r.miss = cross(p, q) / size_;
        slope(r, a.centre, -Vec2(q.y(), -q.x()) / size_);
        slope(r, b.centre, -Vec2(-p.y(), p.x()) / size_);
        slope(r, at, (Vec2(q.y(), -q.x()) + Vec2(-p.y(), p.x())) / size_);
      }
      out.push_back(std::move(r));
    }
    return out;
  }
  double miss() const {
    double worst = 0;
    for (const Relation& r : all()) worst = std::max(worst, std::abs(r.miss));
    return worst;
  }
  /// Moved points stay where they were put, as far as relations let them: they are heavy.
  double weight(int i) const {
    for (const PointMove& m : moves_)
      if (const auto p = pointOf({m.seat, 0}); p && (root(p->x) == i || root(p->y) == i)) return 1e-3;
    return 1;
  }
  Eigen::MatrixXd matrix() {
    column_.assign(unknowns_.size(), -1);
    columns_.clear();
    for (std::size_t i = 0; i < unknowns_.size(); ++i)
      if (root(static_cast<int>(i)) == static_cast<int>(i) && !unknowns_[i].fixed) {
        column_[i] = static_cast<int>(columns_.size());
        columns_.push_back(static_cast<int>(i));
      }
    const auto rows = all();
    relations_ = static_cast<int>(rows.size());
    Eigen::MatrixXd J = Eigen::MatrixXd::Zero(relations_, static_cast<Eigen::Index>(columns_.size()));
    rhs_ = Eigen::VectorXd::Zero(relations_);
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const auto row = static_cast<Eigen::Index>(k);
      rhs_[row] = rows[k].miss;
      for (const auto& [i, g] : rows[k].slopes)
        if (const int c = column_[u(root(i))]; c >= 0) J(row, c) += g;
    }
    return J;
  }
  Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> decomposed() {
    Eigen::MatrixXd J = matrix();
    for (Eigen::Index c = 0; c < J.cols(); ++c) J.col(c) *= weight(columns_[static_cast<std::size_t>(c)]);
    Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> cod;
    cod.setThreshold(1e-9);
    cod.compute(J);
    return cod;
  }
  Eigen::VectorXd newton() {
    auto cod = decomposed();
    Eigen::VectorXd step = -cod.solve(rhs_);
    for (Eigen::Index c = 0; c < step.size(); ++c) step[c] *= weight(columns_[static_cast<std::size_t>(c)]);
    return step;
  }
  void apply(const Eigen::VectorXd& step) {
    for (Eigen::Index c = 0; c < step.size(); ++c) unknowns_[u(columns_[static_cast<std::size_t>(c)])].value += step[c];
  }

  Resolving& ctx_;
  const Link& link_;
  std::set<Id> carrying_;
  std::map<Id, Pose> frames_;
  std::vector<Unknown> unknowns_;
  std::vector<int> parent_;
  std::vector<double> first_;
  std::vector<Spot> spots_;
  std::map<std::pair<Id, int>, PieceAt> pieces_;
  std::vector<Wanted> dimensions_;
  std::vector<PieceAt> arcs_;
  std::vector<std::pair<PieceAt, PieceAt>> tangents_;
  std::vector<PointMove> moves_;
  std::vector<int> column_, columns_;
  Eigen::VectorXd rhs_;
  double size_ = 1;
  int relations_ = 0;
};

Result<Mechanism> solved(const Mechanism& m, Id link, const std::vector<PointMove>& moves) {
  const auto l = findLink(m, link);
  if (!l) return Error{"missing-link", "", "the link is gone"};
  Resolving ctx(m);
  Sketch sketch(ctx, *l);
  if (!sketch.read() || !sketch.relations()) return ctx.error;
  sketch.moveTo(moves);
  if (!sketch.solve())
    return Error{
        "dimensions", l->name,
        fmt::format("link {}: its dimensions can't all be met; change one of them, or take one away", l->name)};
  const auto fit = sketch.written(l);
  if (fit == l) return m;
  Mechanism out = m;
  out.links[*indexOf(m, link)] = fit;
  return out;
}

}  // namespace

Result<Mechanism> settled(const Mechanism& m) {
  Mechanism out = m;
  for (const auto& l : m.links) {
    if (l->dimensions.empty()) continue;
    auto next = solved(out, l->id, {});
    if (!next.ok()) return next;
    out = std::move(next).value();
  }
  return out;
}

Held heldOf(const Mechanism& m, Id link) {
  const auto l = findLink(m, link);
  if (!l) return {};
  Resolving ctx(m);
  Sketch sketch(ctx, *l);
  if (!sketch.read() || !sketch.relations()) return {};
  const int rank = sketch.rank();
  Held h;
  h.free = std::max(0, sketch.freeCount() - rank - sketch.rigid());
  h.surplus = sketch.relationCount() - rank;
  return h;
}

bool isHeld(const Mechanism& m, Id link, const DimensionEnd& end) {
  const auto l = findLink(m, link);
  if (!l) return false;
  Resolving ctx(m);
  Sketch sketch(ctx, *l);
  if (!sketch.read() || !sketch.relations()) return false;
  return sketch.isDetermined(sketch.unknownsOf(end), true);
}

std::optional<double> measured(const Mechanism& m, Id link, const DrawnDimension& d) {
  const auto l = findLink(m, link);
  if (!l || !d.kind.known()) return std::nullopt;
  Resolving ctx(m);
  Sketch sketch(ctx, *l);
  if (!sketch.read()) return std::nullopt;
  return sketch.value(d);
}

std::shared_ptr<const DrawnDimension> findDimension(const Link& link, DimensionKind kind,
                                                    const std::vector<DimensionEnd>& of) {
  const auto same = [](const DimensionEnd& a, const DimensionEnd& b) {
    return a.object == b.object && a.piece == b.piece;
  };
  for (const auto& d : link.dimensions) {
    if (!(d->kind == kind) || d->of.size() != of.size()) continue;
    if (std::equal(of.begin(), of.end(), d->of.begin(), same) ||
        (kind != DimensionKind::x && kind != DimensionKind::y &&
         std::equal(of.rbegin(), of.rend(), d->of.begin(), same)))
      return d;
  }
  return nullptr;
}

Result<Mechanism> withDimension(const Mechanism& m, Id link, DimensionKind kind, const std::vector<DimensionEnd>& of,
                                const Field& value, const std::optional<Field>& step) {
  const auto l = findLink(m, link);
  if (!l) return Error{"missing-link", "", "the link is gone"};
  const auto known = findDimension(*l, kind, of);
  const Mechanism out = changedLink(m, link, [&](Link& x) {
    const auto fill = [&](DrawnDimension& d) {
      d.value = value;
      if (step) d.step = step;
    };
    if (known) {
      change<DrawnDimension>(x.dimensions, known->id, fill);
      return;
    }
    DrawnDimension d;
    d.id = newId();
    d.kind = kind;
    d.of = of;
    fill(d);
    x.dimensions.push_back(std::make_shared<const DrawnDimension>(std::move(d)));
  });
  return settled(out);
}

Mechanism withoutDimensions(const Mechanism& m, const std::vector<Id>& dimensions) {
  const std::set<Id> gone(dimensions.begin(), dimensions.end());
  Mechanism out = m;
  for (const auto& l : m.links)
    if (std::any_of(l->dimensions.begin(), l->dimensions.end(), [&](const auto& d) { return gone.count(d->id) > 0; }))
      out = changedLink(out, l->id, [&](Link& x) {
        dropIf(x.dimensions, [&](const DrawnDimension& d) { return gone.count(d.id) > 0; });
      });
  return out;
}

Result<Mechanism> withPointsMoved(const Mechanism& m, Id link, const std::vector<PointMove>& moves) {
  return solved(m, link, moves);
}

}  // namespace cooperage::model
