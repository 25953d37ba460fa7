// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/distance.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "base/index.h"
#include "base/principal_axes.h"
#include "clearance/triangles.h"

namespace cooperage::clearance {
namespace {

constexpr int kLeaf = 4;

double boxDistance2(const Vec3& low, const Vec3& high, const Vec3& p) {
  const Vec3 d = (low - p).cwiseMax(p - high).cwiseMax(0.0);
  return d.squaredNorm();
}

}  // namespace

MeshDistance::MeshDistance(const shape::Mesh& mesh) : vertices_(mesh.vertices), triangles_(mesh.triangles) {
  const std::size_t n = triangles_.size();
  faceNormal_.resize(n);
  centre_.resize(n);
  edgeNormal_.resize(n);
  cornerNormal_.assign(vertices_.size(), Vec3::Zero());
  std::map<std::pair<int, int>, Vec3> edges;
  const auto key = [](int a, int b) { return std::make_pair(std::min(a, b), std::max(a, b)); };
  low_ = Vec3::Constant(1e300);
  high_ = -low_;
  for (std::size_t i = 0; i < n; ++i) {
    const auto& t = triangles_[i];
    const Vec3 &a = vertices_[u(t[0])], &b = vertices_[u(t[1])], &c = vertices_[u(t[2])];
    const Vec3 normal = (b - a).cross(c - a);
    faceNormal_[i] = normal.norm() > 0 ? Vec3(normal.normalized()) : Vec3::Zero();
    centre_[i] = (a + b + c) / 3;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec3 &x = vertices_[u(t[k])], &y = vertices_[u(t[(k + 1) % 3])], &z = vertices_[u(t[(k + 2) % 3])];
      const Vec3 e = y - x, f = z - x;
      cornerNormal_[u(t[k])] += std::atan2(e.cross(f).norm(), e.dot(f)) * faceNormal_[i];
      const auto at = edges.try_emplace(key(t[k], t[(k + 1) % 3]), Vec3::Zero()).first;
      at->second += faceNormal_[i];
      low_ = low_.cwiseMin(x);
      high_ = high_.cwiseMax(x);
    }
  }
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t k = 0; k < 3; ++k) edgeNormal_[i][k] = edges[key(triangles_[i][k], triangles_[i][(k + 1) % 3])];
  order_.resize(n);
  std::iota(order_.begin(), order_.end(), 0);
  nodes_.reserve(n);
  if (n > 0) build(0, static_cast<int>(n));
}

int MeshDistance::build(int first, int count) {
  const int index = static_cast<int>(nodes_.size());
  nodes_.emplace_back();
  Vec3 low = Vec3::Constant(1e300), high = -low, cl = low, ch = high;
  for (int i = first; i < first + count; ++i) {
    const int t = order_[u(i)];
    for (int k : triangles_[u(t)]) {
      low = low.cwiseMin(vertices_[u(k)]);
      high = high.cwiseMax(vertices_[u(k)]);
    }
    cl = cl.cwiseMin(centre_[u(t)]);
    ch = ch.cwiseMax(centre_[u(t)]);
  }
  nodes_[u(index)].low = low;
  nodes_[u(index)].high = high;
  if (count <= kLeaf) {
    nodes_[u(index)].first = first;
    nodes_[u(index)].count = count;
    return index;
  }
  Eigen::Index axis = 0;
  (ch - cl).maxCoeff(&axis);
  const int half = count / 2;
  std::nth_element(order_.begin() + first, order_.begin() + first + half, order_.begin() + first + count,
                   [&](int a, int b) { return centre_[u(a)][axis] < centre_[u(b)][axis]; });
  build(first, half);
  const int right = build(first + half, count - half);
  nodes_[u(index)].right = right;
  return index;
}

void MeshDistance::nearest(int index, const Vec3& p, double& best, Vec3& at, int& triangle, int& feature) const {
  const Node& node = nodes_[u(index)];
  if (node.right < 0) {
    for (int i = node.first; i < node.first + node.count; ++i) {
      const int t = order_[u(i)];
      const auto& c = triangles_[u(t)];
      int f = 6;
      const Vec3 x = nearestOnTriangle(p, vertices_[u(c[0])], vertices_[u(c[1])], vertices_[u(c[2])], f);
      const double d = (x - p).squaredNorm();
      if (d < best) {
        best = d;
        at = x;
        triangle = t;
        feature = f;
      }
    }
    return;
  }
  const int a = index + 1, b = node.right;
  const double da = boxDistance2(nodes_[u(a)].low, nodes_[u(a)].high, p);
  const double db = boxDistance2(nodes_[u(b)].low, nodes_[u(b)].high, p);
  const int near = da <= db ? a : b, far = da <= db ? b : a;
  if (std::min(da, db) < best) nearest(near, p, best, at, triangle, feature);
  if (std::max(da, db) < best) nearest(far, p, best, at, triangle, feature);
}

double MeshDistance::signedDistance(const Vec3& p, double limit) const {
  double best = limit < 1e150 ? limit * limit : 1e300;
  Vec3 at = p;
  int triangle = -1, feature = 6;
  nearest(0, p, best, at, triangle, feature);
  if (triangle < 0) return limit;
  return withSign(p, best, at, triangle, feature);
}

double MeshDistance::signedDistanceFrom(const Vec3& p, int& triangle) const {
  double best = 1e300;
  Vec3 at = p;
  int feature = 6;
  if (triangle >= 0) {
    const auto& c = triangles_[u(triangle)];
    at = nearestOnTriangle(p, vertices_[u(c[0])], vertices_[u(c[1])], vertices_[u(c[2])], feature);
    best = (at - p).squaredNorm();
  }
  nearest(0, p, best, at, triangle, feature);
  return withSign(p, best, at, triangle, feature);
}

double MeshDistance::withSign(const Vec3& p, double best, const Vec3& at, int triangle, int feature) const {
  const Vec3& normal = feature == 6  ? faceNormal_[u(triangle)]
                       : feature < 3 ? cornerNormal_[u(triangles_[u(triangle)][u(feature)])]
                                     : edgeNormal_[u(triangle)][u(feature - 3)];
  const double d = std::sqrt(best);
  return (p - at).dot(normal) < 0 ? -d : d;
}

namespace {

/// How far a corner may go along a way, as a share of it: twice as far it is still as deep inside as the way is meant
/// to bring it, so that nothing is nearer from the other side than the corner's own faces.
double shareOf(const MeshDistance& field, const Vec3& from, const Vec3& way, double distance) {
  // a way along a ridge is longer than it is deep
  for (double share = 1; share > 1e-6; share *= 0.5)
    if (field.signedDistance(from + 2 * share * way) <= -1.5 * share * distance) return share;
  return 0;
}

}  // namespace

shape::Mesh shrunk(const shape::Mesh& mesh, double distance, const MeshDistance& field,
                   const std::vector<char>* wanted) {
  std::vector<std::vector<Vec3>> normals(mesh.vertices.size());
  for (const auto& t : mesh.triangles) {
    const Vec3 &a = mesh.vertices[u(t[0])], &b = mesh.vertices[u(t[1])], &c = mesh.vertices[u(t[2])];
    const Vec3 n = (b - a).cross(c - a);
    if (!(n.norm() > 0)) continue;
    const Vec3 unit = n.normalized();
    for (int k : t) {
      auto& list = normals[u(k)];
      // one vote for each direction, however many triangles share it
      if (std::none_of(list.begin(), list.end(), [&](const Vec3& o) { return o.dot(unit) > 0.9999; }))
        list.push_back(unit);
    }
  }
  shape::Mesh out = mesh;
  std::vector<Vec3> ways(mesh.vertices.size(), Vec3::Zero());
  for (std::size_t i = 0; i < mesh.vertices.size(); ++i) {
    if (wanted && !(*wanted)[i]) continue;
    Mat3 A = Mat3::Zero();
    Vec3 b = Vec3::Zero();
    for (const Vec3& n : normals[i]) {
      A += n * n.transpose();
      b -= distance * n;
    }
    const PrincipalAxes principal = principalAxes(A);
    Vec3 d = Vec3::Zero();
    for (int k = 0; k < 3; ++k)
      if (principal.values[k] > 0.05) d += principal.axes.col(k).dot(b) / principal.values[k] * principal.axes.col(k);
    if (d.norm() > 4 * distance) d *= 4 * distance / d.norm();  // a needle's tip
    ways[i] = d;
  }
  // asked for under locks: whoever waits here must not take up other work that would wait for the same
  tbb::this_task_arena::isolate([&] {
    tbb::parallel_for(std::size_t(0), ways.size(), [&](std::size_t i) {
      if (ways[i].squaredNorm() > 0) out.vertices[i] += shareOf(field, mesh.vertices[i], ways[i], distance) * ways[i];
    });
  });
  return out;
}

}  // namespace cooperage::clearance
