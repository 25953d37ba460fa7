// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing/drawing.h"

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/index.h"

namespace cooperage::drawing {
namespace {

/// Places by cells of a grid: what lies within a distance is in one of nine.
class Grid {
 public:
  explicit Grid(double cell) : cell_(cell) {}
  void add(const Vec2& x, std::size_t what) { cells_[key(place(x))].push_back(what); }
  template <class F>
  void near(const Vec2& x, F visit) const {
    const auto [i, j] = place(x);
    for (std::int64_t a = i - 1; a <= i + 1; ++a)
      for (std::int64_t b = j - 1; b <= j + 1; ++b)
        if (const auto it = cells_.find(key({a, b})); it != cells_.end())
          for (std::size_t what : it->second) visit(what);
  }

 private:
  using Cell = std::pair<std::int64_t, std::int64_t>;
  Cell place(const Vec2& x) const {
    const auto one = [&](double v) {
      return static_cast<std::int64_t>(std::floor(std::clamp(v / cell_, -1e15, 1e15)));
    };
    return {one(x.x()), one(x.y())};
  }
  /// Cells that share a key only cost time: whoever looks compares the places themselves.
  static std::uint64_t key(const Cell& c) {
    return static_cast<std::uint64_t>(c.first) * 0x9E3779B97F4A7C15ull + static_cast<std::uint64_t>(c.second);
  }
  double cell_;
  std::unordered_map<std::uint64_t, std::vector<std::size_t>> cells_;
};

bool near(const Vec2& a, const Vec2& b, double tolerance) { return (a - b).norm() <= tolerance; }

/// Places along a curve by which two are compared, in the same sense.
std::array<Vec2, 5> probes(const Outline& o) {
  std::array<Vec2, 5> out;
  const std::size_t n = o.pieces.size();
  for (std::size_t k = 0; k < out.size(); ++k) {
    const double share = static_cast<double>(k) / 4 * static_cast<double>(n);
    const std::size_t i = std::min(static_cast<std::size_t>(share), n - 1);
    const Piece& p = o.pieces[i];
    out[k] = p.at(p.low() + (p.high() - p.low()) * (share - static_cast<double>(i)))[0];
  }
  return out;
}

bool samePiece(const Piece& a, const Piece& b, double tolerance) {
  if (a.kind != b.kind || !near(a.start(), b.start(), tolerance) || !near(a.end(), b.end(), tolerance)) return false;
  if (a.kind == Piece::Kind::line) return true;
  for (double share : {0.25, 0.5, 0.75})
    if (!near(a.at(a.low() + share * (a.high() - a.low()))[0], b.at(b.low() + share * (b.high() - b.low()))[0],
              tolerance))
      return false;
  return true;
}

/// A whole circle or ellipse may begin anywhere.
bool sameRound(const Piece& a, const Piece& b, double tolerance) {
  if (!near(a.centre, b.centre, tolerance)) return false;
  const auto ra = radiusOf(a), rb = radiusOf(b);
  if (ra && rb) return std::abs(*ra - *rb) <= tolerance;
  const auto shape = [](const Piece& p) -> Eigen::Matrix2d { return p.u * p.u.transpose() + p.v * p.v.transpose(); };
  return (shape(a) - shape(b)).norm() <= 2 * tolerance * (a.u.norm() + a.v.norm());
}

/// Where twins of a curve are looked for: the same whichever way round it runs and wherever it begins.
Vec2 place(const Outline& o) {
  if (o.pieces.size() == 1 && isFullTurn(o.pieces[0]))
    return Vec2(o.pieces[0].centre + Vec2(std::hypot(o.pieces[0].u.norm(), o.pieces[0].v.norm()), 0));
  if (!o.closed) return Vec2(0.5 * (o.start() + o.end()) + Vec2((o.end() - o.start()).norm(), 0));
  Vec2 sum(0, 0);
  for (const Piece& p : o.pieces) sum += p.start();
  return Vec2(sum / static_cast<double>(o.pieces.size()));
}

}  // namespace

Box Drawing::box() const {
  Box all;
  for (const auto& c : curves) all.add(boxOf(c.outline));
  return all;
}

int Drawing::countOn(const std::string& layer) const {
  return static_cast<int>(std::count_if(curves.begin(), curves.end(), [&](const auto& c) { return c.layer == layer; }));
}

Drawing withoutAnnotations(Drawing drawing) {
  drawing.annotations.clear();
  drawing.notes.clear();
  return drawing;
}

Drawing scaled(const Drawing& drawing, double unit) {
  Drawing out = drawing;
  Affine map;
  map.M *= unit;
  for (auto* list : {&out.curves, &out.annotations})
    for (auto& c : *list) c.outline = mapped(map, c.outline);
  for (Note& n : out.notes) {
    n.at *= unit;
    n.height *= unit;
  }
  out.unit = 1;
  return out;
}

bool sameShape(const Outline& a, const Outline& b, double tolerance) {
  if (a.pieces.size() != b.pieces.size() || a.closed != b.closed) return false;
  const std::size_t n = a.pieces.size();
  if (n == 1 && isFullTurn(a.pieces[0]) && isFullTurn(b.pieces[0]))
    return sameRound(a.pieces[0], b.pieces[0], tolerance);
  const auto matches = [&](const Outline& other, std::size_t shift) {
    for (std::size_t i = 0; i < n; ++i)
      if (!samePiece(a.pieces[i], other.pieces[(i + shift) % n], tolerance)) return false;
    return true;
  };
  const Outline back = reversed(b);
  for (std::size_t shift = 0; shift < (a.closed ? n : 1); ++shift)
    if (matches(b, shift) || matches(back, shift)) return true;
  return false;
}

std::vector<std::optional<std::size_t>> matched(const std::vector<Outline>& before, const std::vector<Outline>& now,
                                                double tolerance) {
  Grid grid(std::max(4 * tolerance, 1e-9));
  for (std::size_t i = 0; i < now.size(); ++i) grid.add(place(now[i]), i);
  std::vector<std::optional<std::size_t>> out(before.size());
  std::vector<bool> taken(now.size(), false);
  for (std::size_t i = 0; i < before.size(); ++i)
    grid.near(place(before[i]), [&](std::size_t k) {
      if (out[i] || taken[k] || !sameShape(now[k], before[i], tolerance)) return;
      out[i] = k;
      taken[k] = true;
    });
  return out;
}

namespace {

/// One end of an open curve.
struct End {
  std::size_t curve = 0;
  bool last = false;
  Vec2 at{0, 0};
};

class EndMerger {
 public:
  EndMerger(const Drawing& drawing, double tolerance, double wide) : tolerance_(tolerance), wide_(wide) {
    out_.drawing = drawing;
    out_.drawing.curves.clear();
    std::vector<DrawnCurve>& kept = out_.drawing.curves;
    for (std::size_t i = 0; i < drawing.curves.size(); ++i) {
      const auto& c = drawing.curves[i];
      if (lengthOf(c.outline) <= tolerance)
        out_.findings.push_back({Finding::Kind::noLength, {i}, c.outline.start(), 0});
      else
        kept.push_back(c);
    }
  }
  Joined run() {
    merge();
    gaps();
    doubles();
    return std::move(out_);
  }

 private:
  std::vector<End> ends() const {
    std::vector<End> list;
    const auto& curves = out_.drawing.curves;
    for (std::size_t i = 0; i < curves.size(); ++i) {
      if (curves[i].outline.closed) continue;
      list.push_back({i, false, curves[i].outline.start()});
      list.push_back({i, true, curves[i].outline.end()});
    }
    return list;
  }
  void merge() {
    const auto list = ends();
    Grid grid(std::max(tolerance_, 1e-12));
    std::vector<std::size_t> keeper(list.size());
    for (std::size_t i = 0; i < list.size(); ++i) {
      keeper[i] = i;
      double best = tolerance_;
      grid.near(list[i].at, [&](std::size_t k) {
        const double d = (list[k].at - list[i].at).norm();
        if (d <= best &&
            !(list[k].curve == list[i].curve && out_.drawing.curves[list[k].curve].outline.pieces.size() == 1)) {
          best = d;
          keeper[i] = k;
        }
      });
      if (keeper[i] == i) grid.add(list[i].at, i);
    }
    for (std::size_t i = 0; i < list.size(); ++i) {
      const Vec2 to = list[keeper[i]].at;
      if ((to - list[i].at).norm() == 0) continue;
      Piece& p = list[i].last ? out_.drawing.curves[list[i].curve].outline.pieces.back()
                              : out_.drawing.curves[list[i].curve].outline.pieces.front();
      p = list[i].last ? mapped(similarity(p.start(), p.end(), p.start(), to), p)
                       : mapped(similarity(p.start(), p.end(), to, p.end()), p);
      if (p.kind == Piece::Kind::line) (list[i].last ? p.b : p.a) = to;
      ++out_.merged;
    }
    for (auto& c : out_.drawing.curves)
      if (!c.outline.closed && c.outline.pieces.size() > 1 &&
          near(c.outline.start(), c.outline.end(), 1e-12 + 1e-9 * tolerance_))
        c.outline.closed = true;
  }
  /// Open ends that meet no other, and have one not far off.
  void gaps() {
    const auto list = ends();
    Grid grid(wide_);
    for (std::size_t i = 0; i < list.size(); ++i) grid.add(list[i].at, i);
    std::vector<std::pair<double, std::size_t>> nearest(list.size());
    std::vector<bool> met(list.size(), false);
    for (std::size_t i = 0; i < list.size(); ++i) {
      nearest[i] = {wide_, i};
      grid.near(list[i].at, [&](std::size_t k) {
        if (k == i) return;
        const double d = (list[k].at - list[i].at).norm();
        if (d <= tolerance_) met[i] = true;
        if (d < nearest[i].first && d > 0) nearest[i] = {d, k};
      });
    }
    for (std::size_t i = 0; i < list.size(); ++i) {
      const auto [size, other] = nearest[i];
      if (!met[i] && other != i && (other > i || met[other] || nearest[other].second != i))
        report(list[i], list[other], size);
    }
  }
  void report(const End& a, const End& b, double size) {
    out_.findings.push_back({Finding::Kind::gap, {a.curve, b.curve}, Vec2(0.5 * (a.at + b.at)), size});
  }
  void doubles() {
    const auto& curves = out_.drawing.curves;
    Grid grid(std::max(4 * tolerance_, 1e-9));
    for (std::size_t i = 0; i < curves.size(); ++i) {
      const Vec2 m = place(curves[i].outline);
      std::optional<std::size_t> twin;
      grid.near(m, [&](std::size_t k) {
        if (!twin && sameShape(curves[k].outline, curves[i].outline, std::max(tolerance_, 1e-12))) twin = k;
      });
      if (twin)
        out_.findings.push_back({Finding::Kind::twice, {*twin, i}, probes(curves[i].outline)[2], 0});
      else
        grid.add(m, i);
    }
  }

  double tolerance_, wide_;
  Joined out_;
};

}  // namespace

Joined withEndsMerged(const Drawing& drawing, double tolerance, double wide) {
  return EndMerger(drawing, tolerance, std::max(wide, tolerance)).run();
}

Result<Drawing> readDrawing(const std::string& bytes, const std::string& name, Progress* progress) {
  const std::size_t first = bytes.find_first_not_of(" \t\r\n\xEF\xBB\xBF");
  if (first != std::string::npos && bytes[first] == '<') return readSvg(bytes, name, progress);
  return readDxf(bytes, name, progress);
}

}  // namespace cooperage::drawing
