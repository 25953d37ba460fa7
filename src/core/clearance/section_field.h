// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <memory>
#include <optional>

#include "clearance/sweep_grid.h"

namespace cooperage::clearance {

/// Least distance of a place of a plane from the sections of bodies in all their poses. Squares of the plane know the
/// poses that can be nearest in them. m.
class SectionField {
 public:
  using Vec2 = Eigen::Vector2d;
  /// @param bodies their sections lie in z = 0 of the plane's axes @param level of the rim that is looked for
  /// @param way between one pose and the next, at most @param between look for the nearest place between poses, too
  SectionField(const std::vector<SweptBody>& bodies, double level, double accuracy, double way, bool between,
               Progress* progress)
      : bodies_(bodies),
        level_(level),
        same_(1e-4 * accuracy),
        least_(4 * accuracy),
        way_(way),
        between_(between),
        progress_(progress) {}

  /// Divides a square of the plane. @param everywhere also where no rim is: the top is asked for there
  /// @return false after a cancel: then nothing may be asked of it
  bool build(const Vec2& middle, double half, bool everywhere);
  /// From outside positive.
  double value(const Vec2& x) const;

 private:
  struct Near {
    int body, pose;
    double least;
  };
  struct Square {
    Vec2 middle{0, 0};
    std::vector<Near> near;
    std::unique_ptr<std::array<Square, 4>> parts;
  };
  /// Where a round end or a bore of a section lies, plane axes, if it alone tells the section's distance in a square.
  struct Round {
    Vec2 at;
    double radius;
    bool bore;
  };

  bool cancelled() const { return progress_ && progress_->cancelled(); }
  double distance(const Near& n, const Vec3& at) const;
  void divide(Square& s, const Vec2& middle, double half, const std::vector<Near>& from) const;
  std::optional<Round> roundIn(const Near& n, const Vec3& centre, double half) const;
  void leaveOutSame(std::vector<Near>& near, const Vec2& middle, double half) const;
  void leaveOut(std::vector<Near>& near, const Vec2& middle, double half, double best) const;

  const std::vector<SweptBody>& bodies_;
  const double level_, same_, least_, way_;
  const bool between_;
  Progress* progress_;
  bool everywhere_ = false;
  std::unique_ptr<Square> root_;
};

}  // namespace cooperage::clearance
