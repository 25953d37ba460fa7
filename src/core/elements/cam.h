// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "curves/curve.h"
#include "motion/programme.h"

namespace cooperage::elements {

/// A cam made from a motion law. Axes of the cam's seat: z is its axis, the follower lies on +y when the cam stands at
/// 0, and the law runs over the positive turn (disc, barrel) or the positive slide along x (linear).
struct CamSpec {
  enum class Form { disc, linear, barrel };
  enum class Follower { point, roller, flat };
  Form form = Form::disc;
  Follower follower = Follower::roller;
  bool swing = false;  ///< the follower turns about a pivot; else it slides along y
  double base = 0;    ///< radius of the base circle of the profile (disc), height (linear), radius of the groove's path
  double roller = 0;  ///< radius of the roller, m
  double offset = 0;  ///< of the follower's line in x; of a swinging flat, from its pivot
  Eigen::Vector2d pivot{0, 0};                   ///< of a swinging follower
  double arm = 0;                                ///< pivot to the middle of the roller
  int hand = 1;                                  ///< +1: lift turns a swinging follower counter-clockwise
  std::shared_ptr<const motion::Programme> law;  ///< m (slide) or rad (swing) over rad (m if linear)
};

/// What can't be made: a base too small for the arm or the offset, a law that doesn't close, a flat on a linear cam.
Status checkCam(const CamSpec& spec, const std::string& name);

/// The follower's path seen from the cam: of a roller its middle (pitch curve), of a point and a flat the profile.
/// Parameter: the turn of the cam in rad, or its slide in m. All derivatives in closed form.
/// Translating followers as in Norton, ch. 7 to 8; the flats by the envelope of their lines.
curves::CurvePtr camPath(const CamSpec& spec);
/// The profile that the follower touches. The spec must have passed checkCam().
curves::CurvePtr camProfile(const CamSpec& spec);

/// The cam at one of its turns.
struct CamPlace {
  double at = 0;                ///< turn, rad (slide, m)
  motion::Derivatives lift{};   ///< with its derivatives to the turn
  double pressure = 0;          ///< angle of the contact's normal and the follower's way, 0 to pi/2
  double pathCurvature = 0;     ///< of the follower's path, 1/m, positive where it bulges out
  double profileCurvature = 0;  ///< of the profile, positive where it bulges out; infinite at a cusp
  bool undercut = false;        ///< the profile runs backwards: the cam can't be cut so
};
CamPlace camAt(const CamSpec& spec, double at);

/// What is notable along the whole cam.
struct CamReport {
  CamPlace steepest;                                ///< greatest pressure angle
  CamPlace sharpest;                                ///< smallest radius of curvature of the profile where it bulges out
  std::vector<std::pair<double, double>> undercut;  ///< stretches of the turn that are undercut
  double smallestBase = 0;  ///< base without undercut and with a pressure angle within the limit; 0 if there is none
};
/// @param pressureLimit rad
/// @param places        how many turns are looked at before the extremes are closed in on
CamReport camReport(const CamSpec& spec, double pressureLimit, int places = 720);

}  // namespace cooperage::elements
