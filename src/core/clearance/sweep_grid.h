// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <memory>
#include <mutex>
#include <optional>

#include "base/progress.h"
#include "clearance/convex.h"
#include "clearance/sweep_field.h"

namespace cooperage::clearance {

/// Figures of the grid, in voxels.
namespace sweep_grid {
inline constexpr int kBlock = 8;        ///< leaf nodes of the grid
inline constexpr double kBand = 3;      ///< of the result's narrow band
inline constexpr double kFine = 2.2;    ///< either way of the surface where fields are exact: all that it is made from
inline constexpr double kReach = 6.93;  ///< half diagonal of a block
inline constexpr double kSlack = 0.6;   ///< what a field is off where it is coarse
}  // namespace sweep_grid

/// One swept body: how far a place is from it, and where it stands in every pose.
struct SweptBody {
  std::optional<Convex> closed;        ///< boxes, cylinders and balls need no field
  std::unique_ptr<MeshDistance> body;  ///< of all others
  Field field;
  std::vector<Pose> inverse;         ///< target axes to body axes (of a closed form: its own)
  Vec3 low{0, 0, 0}, high{0, 0, 0};  ///< box about it, body axes

  /// Distance in voxels of a place in voxels, body axes.
  double sample(const Vec3& at, double h) const {
    return closed ? closed->ownSignedDistance(h * at) / h : field.sample(at);
  }
  /// m, of a place in m
  double exact(const Vec3& p) const { return closed ? closed->ownSignedDistance(p) : body->signedDistance(p); }
  /// Between what the distance lies, in voxels: fields end a little outside of the body.
  std::pair<double, double> bounds(const Vec3& p, double h) const;

  /// Least value of a function of the place in body axes while the body moves from the pose before to the pose after.
  /// Places between poses by the parabola through three of them: poses are a voxel apart at most.
  template <class Value>
  double leastAround(std::size_t pose, const Vec3& x, int halvings, const Value& value) const {
    const Vec3 here = inverse[pose] * x;
    const bool first = pose == 0, last = pose + 1 == inverse.size();
    const Vec3 before = first ? here : Vec3(inverse[pose - 1] * x), after = last ? here : Vec3(inverse[pose + 1] * x);
    const auto at = [&](double tau) {
      if (first || last) {
        const Vec3 d = first ? Vec3(after - here) : Vec3(here - before);
        return value(here + (first ? std::max(0.0, tau) : std::min(0.0, tau)) * d);
      }
      return value(here + tau * (0.5 * (after - before) + 0.5 * tau * (after - 2 * here + before)));
    };
    double best = at(0), where = 0;
    for (double step = 0.5; halvings-- > 0; step *= 0.5) {
      const double middle = where;
      for (const double tau : {middle - step, middle + step}) {
        if (tau < -1 || tau > 1) continue;
        const double v = at(tau);
        if (v < best) {
          best = v;
          where = tau;
        }
      }
    }
    return best;
  }
};

/// The space that bodies sweep as a signed distance field. Cubes are halved from one that holds all of it down to
/// blocks of 8 x 8 x 8 voxels; each goes on with the poses alone that can matter in it, and ends where it lies outside
/// of all of them or inside of one. So the work follows the surface, not the space.
class SweptGrid {
 public:
  /// @param h voxel, m @param between look for the nearest place between poses, too
  SweptGrid(const std::vector<SweptBody>& bodies, double h, double clearance, bool between, Progress* progress)
      : bodies_(bodies), h_(h), clearance_(clearance / h), between_(between), progress_(progress) {}
  /// @param from first block, count blocks along each axis
  openvdb::FloatGrid::Ptr fill(const std::array<int, 3>& from, const std::array<int, 3>& count);

 private:
  /// A pose of a body that can matter.
  struct Near {
    int body, pose;
    double least;  ///< voxels: distance of the middle at least, less the clearance
  };
  struct Work;
  bool cancelled() const { return progress_ && progress_->cancelled(); }
  void cube(const std::array<int, 3>& at, int size, const std::vector<Near>& from);
  void leaveOut(std::vector<Near>& near, const Vec3& centre, double half) const;
  void block(const std::array<int, 3>& at, std::vector<Near>& near);
  void lower(const SweptBody& s, const Vec3& corner, const Mat3& R, std::size_t cube, int id, Work& work) const;
  void lookBetween(const std::array<int, 3>& origin, Work& work) const;
  void done(int size);

  const std::vector<SweptBody>& bodies_;
  const double h_, clearance_;
  const bool between_;
  Progress* progress_;
  std::array<int, 3> first_{}, last_{};  ///< blocks, the last not among them
  double whole_ = 1, finished_ = 0;      ///< blocks
  std::mutex mutex_;
  openvdb::FloatGrid::Ptr grid_;
};

}  // namespace cooperage::clearance
