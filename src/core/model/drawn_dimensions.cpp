// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/drawn_dimensions.h"

#include <fmt/format.h>

#include <Eigen/QR>
#include <cmath>

#include "base/index.h"
#include "model/sketch_points.h"

namespace cooperage::model {
namespace {

using Vec2 = Eigen::Vector2d;
constexpr double kMet = 1e-14;     // of the link's size: dimensions are met to rounding
constexpr double kTangent = 1e-6;  // rad: pieces that are so nearly tangent are meant to be
constexpr double kRank = 1e-9;     // of the largest pivot

double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }

/// A relation between unknowns: how far it is from being met, and by which unknowns it changes.
struct Relation {
  double miss = 0;
  std::vector<std::pair<int, double>> slopes;
};

/// The dimensions of one link as relations between its points.
class Sketch {
 public:
  Sketch(Resolving& ctx, const Link& link) : ctx_(ctx), link_(link), points_(ctx, link) {}

  /// @return false if a figure can't be worked out, or a dimension not be measured: the error is in the context
  bool read() {
    if (!points_.read()) return false;
    size_ = points_.size();
    return true;
  }
  bool relations() {
    for (const auto& d : link_.dimensions)
      if (!add(*d)) return false;
    inner();
    return true;
  }
  void moveTo(const std::vector<PointMove>& moves) { moves_ = moves; }

  /// Meets all relations: at once, or where that fails by small steps from what is measured to what is asked for.
  /// @return false if they can't be met
  bool solve() {
    start();
    for (const PointMove& m : moves_)
      if (const auto p = points_.pointOf({m.seat, 0})) {
        points_.set(p->x, m.to.x());
        points_.set(p->y, m.to.y());
      }
    keepTouched();
    const std::vector<double> from = points_.values();
    if (newtons()) return true;
    std::vector<double> now, want;
    points_.restore(from);
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
      const std::vector<double> kept = points_.values();
      double share = std::min(1.0, 0.5 * size_ / std::max(1e-300, step.size() > 0 ? step.cwiseAbs().maxCoeff() : 0.0));
      double now = before;
      for (int halves = 0; halves < 12; ++halves, share *= 0.5) {
        points_.restore(kept);
        apply(share * step);
        now = miss();
        if (now < before) break;
      }
      if (!(now < before)) {
        points_.restore(kept);
        break;
      }
      before = now;
    }
    return before <= 100 * kMet * size_;
  }

  Held held() {
    const int rank = rankOf(matrix());
    return {std::max(0, points_.freeCount() - rank - points_.rigidFreedoms()), static_cast<int>(rhs_.size()) - rank};
  }
  /// Whether a seat or a piece can't move within the link as long as all relations hold: no free direction has a part
  /// in it, but for those that move all lines together.
  bool isDetermined(const DimensionEnd& end) {
    const Eigen::MatrixXd J = matrix();
    if (points_.freeCount() - rankOf(J) <= points_.rigidFreedoms()) return true;
    Eigen::MatrixXd N;
    if (J.size() > 0) {
      Eigen::FullPivLU<Eigen::MatrixXd> lu(J);
      lu.setThreshold(kRank);
      N = lu.kernel();
    }
    constexpr double kPart = 1e-7;
    for (int w : points_.unknownsOf(end)) {
      if (points_.isFixed(w)) continue;
      const auto c = column_.find(points_.root(w));
      if (c == column_.end() || N.row(c->second).norm() > kPart * N.norm()) return false;
    }
    return true;
  }
  std::shared_ptr<const Link> written(const std::shared_ptr<const Link>& link) const { return points_.written(link); }

  std::optional<double> value(const DrawnDimension& d) const {
    const auto of = ends(d);
    if (!of) return std::nullopt;
    switch (d.kind.value()) {
      case DimensionKind::length: return (points_.place(of->b) - points_.place(of->a)).norm();
      case DimensionKind::x: return points_.place(of->b).x() - (of->single ? 0 : points_.place(of->a).x());
      case DimensionKind::y: return points_.place(of->b).y() - (of->single ? 0 : points_.place(of->a).y());
      case DimensionKind::radius:
        return of->radius >= 0 ? points_.get(of->radius) : (points_.place(of->a) - points_.place(of->b)).norm();
      case DimensionKind::angle: {
        const Vec2 p = points_.place(of->b) - points_.place(of->a), q = points_.place(of->d) - points_.place(of->c);
        return std::atan2(std::abs(cross(p, q)), p.dot(q));
      }
      case DimensionKind::pointLine: {
        const Vec2 way = points_.place(of->d) - points_.place(of->c);
        return way.norm() > 0 ? std::abs(cross(way, points_.place(of->a) - points_.place(of->c))) / way.norm() : 0;
      }
    }
    return std::nullopt;
  }

 private:
  struct Ends {
    SketchPoint a, b, c, d;
    int radius = -1;
    bool single = false;
  };

  std::optional<Ends> ends(const DrawnDimension& d) const {
    Ends e;
    std::vector<SketchPoint> points;
    std::vector<SketchPiece> pieces;
    for (const DimensionEnd& end : d.of) {
      if (const auto p = points_.pointOf(end))
        points.push_back(*p);
      else if (const auto piece = points_.pieceOf(end))
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
    if (!d.kind.known()) return true;  // of a later version: kept, not met
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
    const auto& pieces = points_.pieces();
    for (const auto& [key, p] : pieces) {
      if (!p.circle && p.kind == PieceKind::arc) arcs_.push_back(p);
      const auto next = pieces.find({key.first, key.second + 1});
      if (next != pieces.end() && !p.circle) tangent(p, next->second);
    }
  }
  void tangent(const SketchPiece& a, const SketchPiece& b) {
    if (a.kind == b.kind && a.kind == PieceKind::line) return;
    const auto way = [&](const SketchPiece& p, const SketchPoint& at) {
      if (p.kind == PieceKind::line) return Vec2(points_.place(p.to) - points_.place(p.from));
      const Vec2 r = points_.place(at) - points_.place(p.centre);
      return Vec2(-r.y(), r.x());
    };
    const Vec2 u1 = way(a, a.to), u2 = way(b, b.from);
    if (!(u1.norm() > 0) || !(u2.norm() > 0) || std::abs(cross(u1, u2)) > kTangent * u1.norm() * u2.norm()) return;
    tangents_.push_back({a, b});
  }
  /// The side on which an angle or a point lies stays the one on which it is drawn.
  void start() {
    for (auto& d : dimensions_) {
      if (d.kind == DimensionKind::angle)
        d.side = cross(points_.place(d.of.b) - points_.place(d.of.a), points_.place(d.of.d) - points_.place(d.of.c)) < 0
                     ? -1
                     : 1;
      if (d.kind == DimensionKind::pointLine)
        d.side = cross(points_.place(d.of.d) - points_.place(d.of.c), points_.place(d.of.a) - points_.place(d.of.c)) < 0
                     ? -1
                     : 1;
    }
  }

  struct Wanted {
    DimensionKind kind;
    Ends of;
    double want, side;
  };
  static void slope(Relation& r, const SketchPoint& p, const Vec2& g) {
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
        r.miss = points_.place(e.b)[axis] - (e.single ? 0 : points_.place(e.a)[axis]) - w.want;
        slope(r, e.b, g);
        if (!e.single) slope(r, e.a, -g);
        break;
      }
      case DimensionKind::radius:
        if (e.radius >= 0) {
          r.miss = points_.get(e.radius) - w.want;
          r.slopes.emplace_back(e.radius, 1);
        } else {
          distance(r, e.a, e.b, w.want);
        }
        break;
      case DimensionKind::angle: {  // scaled by the size, so that it counts as a length
        const Vec2 p = points_.place(e.b) - points_.place(e.a), q = points_.place(e.d) - points_.place(e.c);
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
        const Vec2 way = points_.place(e.d) - points_.place(e.c), arm = points_.place(e.a) - points_.place(e.c);
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
  void distance(Relation& r, const SketchPoint& a, const SketchPoint& b, double want) const {
    const Vec2 d = points_.place(b) - points_.place(a);
    const double n = d.norm();
    const Vec2 g = n > 1e-12 * size_ ? Vec2(d / n) : Vec2(1, 0);
    r.miss = n - want;
    slope(r, b, g);
    slope(r, a, -g);
  }
  std::vector<Relation> all() const {
    std::vector<Relation> out;
    for (const Wanted& w : dimensions_) out.push_back(relation(w));
    for (const SketchPiece& p : arcs_) {
      Relation r;
      const Vec2 a = points_.place(p.from) - points_.place(p.centre), b = points_.place(p.to) - points_.place(p.centre);
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
      const SketchPoint at = a.to;
      if (line.kind == PieceKind::line) {
        const Vec2 d = points_.place(line.to) - points_.place(line.from),
                   arm = points_.place(at) - points_.place(arc.centre);
        const double n = d.norm();
        r.miss = d.dot(arm) / n;
        const Vec2 across = arm / n - d * (d.dot(arm) / (n * n * n));
        slope(r, line.to, across);
        slope(r, line.from, -across);
        slope(r, at, d / n);
        slope(r, arc.centre, -d / n);
      } else {
        const Vec2 p = points_.place(at) - points_.place(a.centre), q = points_.place(at) - points_.place(b.centre);
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
      if (const auto p = points_.pointOf({m.seat, 0}); p && (points_.root(p->x) == i || points_.root(p->y) == i))
        return 1e-3;
    return 1;
  }
  /// One column for each unknown that a relation names and nothing fixes.
  Eigen::MatrixXd matrix() {
    const auto rows = all();
    column_.clear();
    columns_.clear();
    for (const Relation& r : rows)
      for (const auto& [i, g] : r.slopes)
        if (!points_.isFixed(i) && column_.emplace(points_.root(i), static_cast<int>(columns_.size())).second)
          columns_.push_back(points_.root(i));
    Eigen::MatrixXd J =
        Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(rows.size()), static_cast<Eigen::Index>(columns_.size()));
    rhs_ = Eigen::VectorXd::Zero(J.rows());
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const auto row = static_cast<Eigen::Index>(k);
      rhs_[row] = rows[k].miss;
      for (const auto& [i, g] : rows[k].slopes)
        if (!points_.isFixed(i)) J(row, column_.at(points_.root(i))) += g;
    }
    return J;
  }
  /// What arcs and tangent pieces hold matters only where a dimension or a pull reaches them: an imported outline may
  /// have thousands of them.
  void keepTouched() {
    std::set<int> touched;
    const auto addPoint = [&](const SketchPoint& p) {
      if (p.x >= 0) touched.insert({points_.root(p.x), points_.root(p.y)});
    };
    for (const Wanted& w : dimensions_) {
      for (const SketchPoint& p : {w.of.a, w.of.b, w.of.c, w.of.d}) addPoint(p);
      if (w.of.radius >= 0) touched.insert(points_.root(w.of.radius));
    }
    for (const PointMove& m : moves_)
      if (const auto p = points_.pointOf({m.seat, 0})) addPoint(*p);
    const auto isTouched = [&](const SketchPiece& p) {
      for (const SketchPoint& x : {p.from, p.to, p.centre})
        if (x.x >= 0 && (touched.count(points_.root(x.x)) > 0 || touched.count(points_.root(x.y)) > 0)) return true;
      return false;
    };
    std::vector<SketchPiece> arcs;
    std::vector<std::pair<SketchPiece, SketchPiece>> tangents;
    const auto moveTouched = [&](auto& from, auto& into, const auto& pieces) {
      const auto far = std::stable_partition(from.begin(), from.end(), [&](const auto& x) {
        const auto parts = pieces(x);
        return std::none_of(parts.begin(), parts.end(), isTouched);
      });
      for (auto it = far; it != from.end(); ++it) {
        for (const SketchPiece& p : pieces(*it))
          for (const SketchPoint& x : {p.from, p.to, p.centre}) addPoint(x);
        into.push_back(*it);
      }
      const bool any = far != from.end();
      from.erase(far, from.end());
      return any;
    };
    for (bool grown = true; grown;) {
      grown = moveTouched(arcs_, arcs, [](const SketchPiece& p) { return std::vector<SketchPiece>{p}; });
      grown = moveTouched(tangents_, tangents,
                          [](const auto& t) {
                            return std::vector<SketchPiece>{t.first, t.second};
                          }) ||
              grown;
    }
    arcs_ = std::move(arcs);
    tangents_ = std::move(tangents);
  }
  static int rankOf(const Eigen::MatrixXd& J) {
    if (J.size() == 0) return 0;
    Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(J);
    qr.setThreshold(kRank);
    return static_cast<int>(qr.rank());
  }
  Eigen::VectorXd newton() {
    Eigen::MatrixXd J = matrix();
    if (J.size() == 0) return Eigen::VectorXd();  // nothing may move
    for (Eigen::Index c = 0; c < J.cols(); ++c) J.col(c) *= weight(columns_[static_cast<std::size_t>(c)]);
    Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> cod;
    cod.setThreshold(kRank);
    cod.compute(J);
    Eigen::VectorXd step = -cod.solve(rhs_);
    for (Eigen::Index c = 0; c < step.size(); ++c) step[c] *= weight(columns_[static_cast<std::size_t>(c)]);
    return step;
  }
  void apply(const Eigen::VectorXd& step) {
    for (Eigen::Index c = 0; c < step.size(); ++c) {
      const int i = columns_[static_cast<std::size_t>(c)];
      points_.set(i, points_.get(i) + step[c]);
    }
  }

  Resolving& ctx_;
  const Link& link_;
  SketchPoints points_;
  std::vector<Wanted> dimensions_;
  std::vector<SketchPiece> arcs_;
  std::vector<std::pair<SketchPiece, SketchPiece>> tangents_;
  std::vector<PointMove> moves_;
  std::map<int, int> column_;  ///< of a root
  std::vector<int> columns_;
  Eigen::VectorXd rhs_;
  double size_ = 1;
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

bool hasDimensions(const Mechanism& m) {
  return std::any_of(m.links.begin(), m.links.end(), [](const auto& l) { return !l->dimensions.empty(); });
}

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
  return sketch.held();
}

bool isHeld(const Mechanism& m, Id link, const DimensionEnd& end) {
  const auto l = findLink(m, link);
  if (!l) return false;
  Resolving ctx(m);
  Sketch sketch(ctx, *l);
  if (!sketch.read() || !sketch.relations()) return false;
  return sketch.isDetermined(end);
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
