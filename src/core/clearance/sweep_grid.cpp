// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/sweep_grid.h"

#include <openvdb/tools/SignedFloodFill.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

using namespace sweep_grid;
/// A plane that a convex body lies behind: how far a place is in front of it is no more than its distance.
struct Behind {
  double distance;  ///< m
  Vec3 normal;
};
/// The sides of a body with a closed form that face a place, own axes. @return their number
int sidesAt(const Convex& c, const Vec3& p, std::array<Behind, 3>& out) {
  int n = 0;
  const auto flat = [&](Eigen::Index k, double half) {
    out[u(n++)] = {std::abs(p[k]) - half, Vec3::Unit(k) * (p[k] < 0 ? -1 : 1)};
  };
  if (c.corners.size() == 4) {
    for (const Eigen::Index k : {0, 1}) flat(k, std::abs(c.corners[0][k]));
  } else {
    out[u(n++)] = {c.ownSignedDistance(p), c.ownOutward(p)};  // a tangent plane
  }
  if (c.half > 0) flat(2, c.half);
  return n;
}

constexpr float kLow = -static_cast<float>(kBand), kHigh = static_cast<float>(kBand);

}  // namespace

/// Voxels of one block.
struct SweptGrid::Work {
  std::array<float, kBlock * kBlock * kBlock> values;
  std::array<int, kBlock * kBlock * kBlock> nearest;
  std::array<float, 8> most;  ///< greatest value of each of the eight cubes of 4 x 4 x 4 in the block
};

std::pair<double, double> SweptBody::bounds(const Vec3& p, double h) const {
  if (closed) {
    const double d = closed->ownSignedDistance(p) / h;
    return {d, d};
  }
  const double out = (low - p).cwiseMax(p - high).cwiseMax(0.0).norm() / h;
  const double d = field.sample(p / h);
  // where the field has ended it tells no more than that
  if (d >= field.background()) return {std::max(d - kSlack, out), 1e300};
  return {std::max(d - kSlack, out), d + kSlack};
}

openvdb::FloatGrid::Ptr SweptGrid::fill(const std::array<int, 3>& from, const std::array<int, 3>& count) {
  grid_ = openvdb::FloatGrid::create(kHigh);
  grid_->setGridClass(openvdb::GRID_LEVEL_SET);
  first_ = from;
  int size = 1;
  for (std::size_t a = 0; a < 3; ++a) {
    last_[a] = from[a] + count[a];
    whole_ *= count[a];
    while (size < count[a]) size *= 2;
  }
  std::vector<Near> all;
  for (std::size_t b = 0; b < bodies_.size(); ++b)
    for (std::size_t k = 0; k < bodies_[b].inverse.size(); ++k)
      all.push_back({static_cast<int>(b), static_cast<int>(k), 0});
  cube(from, size, all);
  if (cancelled()) return grid_;
  openvdb::tools::signedFloodFill(grid_->tree());
  return grid_;
}

void SweptGrid::done(int size) {
  if (!progress_) return;
  const std::lock_guard lock(mutex_);
  finished_ += std::pow(size, 3);
  progress_->report(0.1 + 0.85 * std::min(1.0, finished_ / whole_));
}

void SweptGrid::cube(const std::array<int, 3>& at, int size, const std::vector<Near>& from) {
  if (cancelled()) return;
  for (std::size_t a = 0; a < 3; ++a)
    if (at[a] >= last_[a]) return;
  const double half = 0.5 * (size * kBlock - 1), reach = std::sqrt(3.0) * half;
  const Vec3 centre = h_ * (kBlock * Vec3(at[0], at[1], at[2]) + Vec3::Constant(half));
  std::vector<Near> near;
  double best = 1e300;  // what the distance of the middle is at most
  for (const Near& n : from) {
    const SweptBody& s = bodies_[u(n.body)];
    const auto [least, most] = s.bounds(s.inverse[u(n.pose)] * centre, h_);
    best = std::min(best, most - clearance_);
    if (least - clearance_ - reach < kBand) near.push_back({n.body, n.pose, least - clearance_});
  }
  // all of it outside of all, or inside of one
  if (near.empty() || best + reach <= -kBand) {
    if (size > 2) done(size);
    return;
  }
  // what is farther than the nearest by the whole of the cube comes nowhere first
  near.erase(std::remove_if(near.begin(), near.end(), [&](const Near& n) { return n.least > best + 2 * reach; }),
             near.end());
  leaveOut(near, centre, half);
  if (size == 1) {
    block(at, near);
    return;
  }
  const int step = size / 2;
  const auto child = [&](int k) {
    cube({at[0] + (k & 1 ? step : 0), at[1] + (k & 2 ? step : 0), at[2] + (k & 4 ? step : 0)}, step, near);
  };
  if (size >= 8)
    tbb::parallel_for(0, 8, child);
  else
    for (int k = 0; k < 8; ++k) child(k);
  if (size == 2) done(size);
}

/// Leaves out poses that come nowhere in a cube nearer than one of them: on a flat side all poses are as near. The
/// distance f of a convex body is a convex function: that of the one is no more in the cube than between its corners,
/// those of others no less than how far in front of one of their sides a place lies. So the corners tell.
void SweptGrid::leaveOut(std::vector<Near>& near, const Vec3& centre, double half) const {
  constexpr double kSame = 1e-4;  // voxels: what is lost by all cubes together is a few of that
  if (near.size() < 3) return;
  const auto corner = [&](std::size_t c) { return Vec3(half * Vec3(c & 1 ? 1 : -1, c & 2 ? 1 : -1, c & 4 ? 1 : -1)); };
  const auto best =
      std::min_element(near.begin(), near.end(), [](const Near& x, const Near& y) { return x.least < y.least; });
  const double tie = best->least + kSame;
  std::array<double, 8> most{}, one{};
  double least = 1e300;
  Near champion{-1, -1, 0};  // of those that are as near in the middle the one that is nearest at the corners
  for (const Near& n : near) {
    const SweptBody& s = bodies_[u(n.body)];
    if (n.least > tie || !s.closed) continue;
    double sum = 0;
    for (std::size_t c = 0; c < 8; ++c) {
      one[c] = s.sample(s.inverse[u(n.pose)] * (centre + h_ * corner(c)) / h_, h_) - clearance_;
      sum += one[c];
    }
    if (sum >= least) continue;
    least = sum;
    most = one;
    champion = n;
  }
  if (champion.body < 0) return;
  const auto beaten = [&](const Near& n) {
    const SweptBody& s = bodies_[u(n.body)];
    if (!s.closed || (n.body == champion.body && n.pose == champion.pose)) return false;
    const Pose& inverse = s.inverse[u(n.pose)];
    std::array<Behind, 3> sides;
    const int count = sidesAt(*s.closed, inverse * centre, sides);
    for (int k = 0; k < count; ++k) {
      const double middle = sides[u(k)].distance / h_ - clearance_ + kSame;
      const Vec3 slope = inverse.R.transpose() * sides[u(k)].normal;
      bool behind = true;
      for (std::size_t c = 0; c < 8 && behind; ++c) behind = most[c] <= middle + slope.dot(corner(c));
      if (behind) return true;
    }
    return false;
  };
  near.erase(std::remove_if(near.begin(), near.end(), beaten), near.end());
}

void SweptGrid::block(const std::array<int, 3>& at, std::vector<Near>& near) {
  Work work;
  work.values.fill(kHigh);
  work.nearest.fill(-1);
  work.most.fill(kHigh);
  // nearest pose first: once no pose can come lower than the values already there, the rest are skipped
  std::sort(near.begin(), near.end(), [](const Near& x, const Near& y) { return x.least < y.least; });
  const std::array<int, 3> origin{at[0] * kBlock, at[1] * kBlock, at[2] * kBlock};
  for (const Near& n : near) {
    const double highest = *std::max_element(work.most.begin(), work.most.end());
    if (highest <= -kBand || n.least - kReach >= highest) break;
    const SweptBody& s = bodies_[u(n.body)];
    const Pose& inverse = s.inverse[u(n.pose)];
    const Vec3 corner = inverse * (h_ * Vec3(origin[0], origin[1], origin[2])) / h_;
    // poses of one body are the same in number for all
    const int id = n.body * static_cast<int>(s.inverse.size()) + n.pose;
    for (std::size_t c = 0; c < 8; ++c) lower(s, corner, inverse.R, c, id, work);
  }
  if (between_) lookBetween(origin, work);
  const auto [least, most] = std::minmax_element(work.values.begin(), work.values.end());
  if (*least >= kHigh || *most <= kLow) return;  // no surface near it
  const std::lock_guard lock(mutex_);
  auto* leaf = grid_->tree().touchLeaf(openvdb::Coord(origin[0], origin[1], origin[2]));
  std::size_t n = 0;
  for (int i = 0; i < kBlock; ++i)
    for (int j = 0; j < kBlock; ++j)
      for (int k = 0; k < kBlock; ++k, ++n)
        leaf->setValueOn(openvdb::Coord(origin[0] + i, origin[1] + j, origin[2] + k),
                         std::clamp(work.values[n], kLow, kHigh));
}

/// Lowers the values of one cube of a block to the field of one pose, if it can lower any.
void SweptGrid::lower(const SweptBody& s, const Vec3& corner, const Mat3& R, std::size_t cube, int id,
                      Work& work) const {
  constexpr int kCube = kBlock / 2;
  constexpr double kCubeReach = 2.6;  // half diagonal of 3 voxels
  const int i0 = cube & 4 ? kCube : 0, j0 = cube & 2 ? kCube : 0, k0 = cube & 1 ? kCube : 0;
  if (work.most[cube] <= kLow) return;
  const double middle = s.sample(corner + R * Vec3(i0 + 1.5, j0 + 1.5, k0 + 1.5), h_) - clearance_;
  if (middle - kCubeReach - kSlack >= static_cast<double>(work.most[cube])) return;
  float highest = kLow;
  for (int i = i0; i < i0 + kCube; ++i)
    for (int j = j0; j < j0 + kCube; ++j) {
      Vec3 at = corner + R * Vec3(i, j, k0);
      const std::size_t first = u((i * kBlock + j) * kBlock + k0);
      for (std::size_t n = first; n < first + kCube; ++n, at += R.col(2)) {
        const float x = static_cast<float>(s.sample(at, h_) - clearance_);
        if (x < work.values[n]) {
          work.values[n] = x;
          work.nearest[n] = id;
        }
        highest = std::max(highest, work.values[n]);
      }
    }
  work.most[cube] = highest;
}

/// Values at the surface are lowered to the nearest of all poses between the neighbours of the nearest one.
void SweptGrid::lookBetween(const std::array<int, 3>& origin, Work& work) const {
  constexpr float kNear = 1.8F;  // voxels: what the surface is made from, and as far as a value can fall
  const std::size_t poses = bodies_[0].inverse.size();
  std::size_t n = 0;
  for (int i = 0; i < kBlock; ++i)
    for (int j = 0; j < kBlock; ++j)
      for (int k = 0; k < kBlock; ++k, ++n) {
        if (work.nearest[n] < 0 || std::abs(work.values[n]) > kNear) continue;
        const SweptBody& s = bodies_[u(work.nearest[n]) / poses];
        const Vec3 x = h_ * Vec3(origin[0] + i, origin[1] + j, origin[2] + k);
        const double least = s.leastAround(u(work.nearest[n]) % poses, x, 4,
                                           [&](const Vec3& p) { return s.sample(p / h_, h_) - clearance_; });
        work.values[n] = std::min(work.values[n], static_cast<float>(least));
      }
}

}  // namespace cooperage::clearance
