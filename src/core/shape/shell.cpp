// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/shell.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRep_Tool.hxx>
#include <Poly_Triangulation.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Wire.hxx>
#include <cmath>
#include <gp_Pln.hxx>
#include <map>

#include "base/index.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

using Vec2 = Eigen::Vector2d;
using Triangles = std::vector<std::array<int, 3>>;

/// Triangles between closed outlines, their corners alone; numbers run through all of them. Empty if it can't be done.
Triangles filled(const std::vector<const Loop*>& loops) {
  std::map<std::pair<double, double>, int> corners;
  const auto wireOf = [&](const Loop& loop) {
    BRepBuilderAPI_MakePolygon wire;
    for (const Vec2& p : loop) {
      corners.try_emplace({kToMm * p.x(), kToMm * p.y()}, static_cast<int>(corners.size()));
      wire.Add(gp_Pnt(kToMm * p.x(), kToMm * p.y(), 0));
    }
    wire.Close();
    return wire.Wire();
  };
  BRepBuilderAPI_MakeFace make(gp_Pln(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), wireOf(*loops[0]));
  std::size_t size = loops[0]->size();
  for (std::size_t i = 1; i < loops.size(); ++i) {
    make.Add(TopoDS::Wire(wireOf(*loops[i]).Reversed()));
    size += loops[i]->size();
  }
  if (corners.size() != size || !make.IsDone()) return {};
  const TopoDS_Face face = make.Face();
  IMeshTools_Parameters parameters;
  parameters.Deflection = 1;
  parameters.MinSize = 1e-9;
  BRepMesh_IncrementalMesh(face, parameters);
  TopLoc_Location location;
  const Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(face, location);
  if (tri.IsNull()) return {};
  std::vector<int> number(u(tri->NbNodes()) + 1);
  for (int i = 1; i <= tri->NbNodes(); ++i) {
    const gp_Pnt p = tri->Node(i);
    const auto it = corners.find({p.X(), p.Y()});
    if (it == corners.end()) return {};
    number[u(i)] = it->second;
  }
  // a plane figure of n corners and h holes has n + 2 h - 2 triangles
  if (u(tri->NbTriangles()) != size + 2 * (loops.size() - 1) - 2) return {};
  Triangles out;
  const auto at = [&](int k) {
    const gp_Pnt p = tri->Node(k);
    return Vec2(p.X(), p.Y());
  };
  for (int i = 1; i <= tri->NbTriangles(); ++i) {
    int a = 0, b = 0, c = 0;
    tri->Triangle(i).Get(a, b, c);
    const Vec2 x = at(b) - at(a), y = at(c) - at(a);
    if (x.x() * y.y() - x.y() * y.x() < 0) std::swap(b, c);
    out.push_back({number[u(a)], number[u(b)], number[u(c)]});
  }
  return out;
}

double turnFrom(const Vec2& a, const Vec2& b) { return std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b)); }
double twice(const Vec2& a, const Vec2& b, const Vec2& c) {
  return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x();
}

/// The same of a wheel, tooth by tooth: strips across each tooth between its two flanks, and a ring between their feet
/// and a circle (or the middle, which then is the last corner). Triangles that all turn the same way round and whose
/// free edges are the outlines cover the figure once; where one does not, this gives up.
/// @param outline of the wheel at some height @param round the circle
Triangles toothed(const Wheel& wheel, const Loop& outline, const Loop& round, bool internal) {
  Triangles out;
  std::vector<Vec2> corners = outline;
  corners.insert(corners.end(), round.begin(), round.end());
  if (round.empty()) corners.emplace_back(0, 0);
  bool whole = true;
  const auto add = [&](int a, int b, int c) {
    whole = whole && twice(corners[u(a)], corners[u(b)], corners[u(c)]) > 0;
    out.push_back({a, b, c});
  };
  const int n = static_cast<int>(outline.size()), points = wheel.points, root = wheel.root, top = points / 2;
  std::vector<int> feet;  // the ring's side towards the teeth
  for (int first = 0; first < n; first += points) {
    const auto right = [&](int i) { return first + i; };
    const auto left = [&](int i) { return (first + points - i) % n; };
    for (int i = 0; i <= root; ++i) feet.push_back(right(i));
    for (int i = root; i > 0; --i) feet.push_back(left(i));
    for (int i = root; i < wheel.neck; ++i) {
      int a = right(i), b = right(i + 1), c = left(i + 1), d = left(i);
      if (internal) {
        std::swap(a, d);
        std::swap(b, c);
      }
      if (a != d) add(a, b, d);
      if (b != c) add(b, c, d);
    }
    for (int i = wheel.neck + 1; i < top; ++i) {  // a hollow tip
      add(right(wheel.neck), right(i + 1), right(i));
      add(left(wheel.neck), left(i), left(i + 1));
    }
    if (wheel.neck < top) add(right(wheel.neck), left(wheel.neck), right(top));
  }
  const int m = static_cast<int>(round.size()), f = static_cast<int>(feet.size());
  if (m == 0) {
    for (int i = 0; i < f; ++i) add(feet[u(i)], feet[u((i + 1) % f)], n);
    return whole ? out : Triangles{};
  }
  // both go once round: which of the two goes on is told by the angle
  int k = 0;
  for (int j = 1; j < m; ++j)
    if (std::abs(turnFrom(outline[u(feet[0])], round[u(j)])) < std::abs(turnFrom(outline[u(feet[0])], round[u(k)])))
      k = j;
  double foot = 0, other = turnFrom(outline[u(feet[0])], round[u(k)]);
  for (int i = 0, j = 0; i < f || j < m;) {
    const int a = feet[u(i % f)], b = feet[u((i + 1) % f)], c = n + (k + j) % m, d = n + (k + j + 1) % m;
    const double nextFoot = foot + turnFrom(corners[u(a)], corners[u(b)]),
                 nextOther = other + turnFrom(corners[u(c)], corners[u(d)]);
    if (i < f && (j == m || nextFoot < nextOther)) {
      internal ? add(a, c, b) : add(a, b, c);
      foot = nextFoot;
      ++i;
    } else {
      internal ? add(a, c, d) : add(a, d, c);
      other = nextOther;
      ++j;
    }
  }
  return whole ? out : Triangles{};
}

}  // namespace

Loop Shell::loop(int which) const {
  Loop out;
  if (which >= 0)
    for (const int i : loops_[u(which)]) out.push_back(mesh_.vertices[u(i)].head<2>());
  return out;
}

int Shell::corner(const Vec3& at) {
  mesh_.vertices.push_back(at);
  return static_cast<int>(mesh_.vertices.size()) - 1;
}

int Shell::put(std::vector<int> corners) {
  loops_.push_back(std::move(corners));
  return static_cast<int>(loops_.size()) - 1;
}

int Shell::put(const Loop& loop, double z) {
  std::vector<int> corners;
  for (const Vec2& p : loop) corners.push_back(corner({p.x(), p.y(), z}));
  return put(std::move(corners));
}

void Shell::wall(int lower, int upper, bool inward) {
  const auto &a = loops_[u(lower)], &b = loops_[u(upper)];
  for (std::size_t i = 0; i < a.size(); ++i) {
    const std::size_t k = (i + 1) % a.size();
    add(a[i], a[k], b[k], inward);
    add(a[i], b[k], b[i], inward);
  }
}

bool Shell::lid(int outer, const std::vector<int>& holes, bool up) {
  std::vector<Loop> flat{loop(outer)};
  std::vector<int> numbers = loops_[u(outer)];
  for (const int h : holes) {
    flat.push_back(loop(h));
    numbers.insert(numbers.end(), loops_[u(h)].begin(), loops_[u(h)].end());
  }
  std::vector<const Loop*> loops;
  for (const Loop& l : flat) loops.push_back(&l);
  const auto triangles = filled(loops);
  for (const auto& t : triangles) add(numbers[u(t[0])], numbers[u(t[1])], numbers[u(t[2])], !up);
  return !triangles.empty();
}

bool Shell::toothedLid(const Wheel& made, int wheel, int round, bool internal, bool up) {
  const Loop outline = loop(wheel);
  const auto triangles = toothed(made, outline, loop(round), internal);
  if (triangles.empty()) {
    if (internal) return lid(round, {wheel}, up);
    return lid(wheel, round < 0 ? std::vector<int>{} : std::vector<int>{round}, up);
  }
  std::vector<int> numbers = loops_[u(wheel)];
  if (round >= 0)
    numbers.insert(numbers.end(), loops_[u(round)].begin(), loops_[u(round)].end());
  else
    numbers.push_back(corner({0, 0, at(numbers[0]).z()}));
  for (const auto& t : triangles) add(numbers[u(t[0])], numbers[u(t[1])], numbers[u(t[2])], !up);
  return true;
}

}  // namespace cooperage::shape
