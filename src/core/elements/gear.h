// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <string>
#include <vector>

namespace cooperage::elements {

using Vec2 = Eigen::Vector2d;

/// An involute gear of the standard rack (ISO 53 figures unless told otherwise). Lengths in m, angles in rad.
struct GearSpec {
  double module = 0;         ///< normal module
  int teeth = 0;             ///< starts of a worm
  double pressureAngle = 0;  ///< in the normal section
  double helix = 0;          ///< at the pitch cylinder, positive: right hand
  double shift = 0;          ///< profile shift in normal modules
  double backlash = 0;       ///< by which a tooth is thinner than with no play, on the pitch circle, transverse section
  double chamfer = 0;        ///< of the tip corner, m
  double addendum = 1, dedendum = 1.25, fillet = 0.38;  ///< of the rack, in modules
  bool internal = false;                                ///< a ring; positive shift moves its teeth outwards
  double width = 0;                                     ///< of the face, m
};

/// Involute function, tan a - a.
double involute(double angle);
/// The angle with a given involute function, by Newton.
double inverseInvolute(double value);

/// What follows from the figures of one gear (ISO 21771; Dudley, Handbook of Practical Gear Design). Transverse
/// section.
struct GearSize {
  double module = 0, pressureAngle = 0;  ///< transverse
  double pitchRadius = 0, baseRadius = 0, tipRadius = 0, rootRadius = 0;
  double formRadius = 0;    ///< where the involute ends at the root side
  double thickness = 0;     ///< of a tooth on the pitch circle (arc)
  double tipThickness = 0;  ///< at the tip circle (arc), without chamfer; negative: the flanks cross before
  double basePitch = 0;
  bool undercut = false;  ///< the rack's corner cuts the involute away
  double leastShift = 0;  ///< shift from which on there is no undercut (external)
  double pin = 0,
         overPins = 0;  ///< measuring pins of 1.728 modules (1.68 between them in a ring), and the size over them
};
GearSize gearSize(const GearSpec& spec);
/// Teeth from which on a gear without shift is not undercut: 2 ha / sin^2 a; a full number is the next above (17 for
/// 20 degrees, as the textbooks round it down to the practical limit; the exact figure is 17.097).
double undercutTeeth(double pressureAngle, double addendum);

/// One flank of a tooth as exact curves, from the middle of the space to the middle of the tooth. The tooth's middle
/// lies on +x, the flank on its counter-clockwise side; the other flank is its mirror image.
class GearProfile {
 public:
  enum class Kind { rootArc, fillet, involute, chamfer, tipArc };
  struct Part {
    Kind kind;
    double from, to;  ///< own parameter: polar angle, trochoid's slope or turn, roll angle, share
  };
  struct Place {
    Vec2 at, slope;  ///< m; derivative to the parameter of at()
  };
  explicit GearProfile(const GearSpec& spec);
  const GearSpec& spec() const { return spec_; }
  const GearSize& size() const { return size_; }
  const std::vector<Part>& parts() const { return parts_; }
  /// @param share 0 at the part's root side, 1 at its tip side
  Place at(const Part& part, double share) const;
  /// Bounds of the first and second derivative to the share between two shares, m: closed forms of each kind of part.
  /// Chords of steps h are true to h^2 / 8 of the second.
  struct Bounds {
    double first, second;
  };
  Bounds bounds(const Part& part, double from, double to) const;
  /// Half the angle of the tooth at a radius between root and form radius of the tip, by its involute alone.
  double halfAngle(double radius) const;
  /// The closed outline of the whole gear, counter-clockwise, `n` points a part.
  std::vector<Vec2> outline(int n) const;

 private:
  Place trochoid(double parameter) const;
  void makeExternal();
  void makeInternal();
  GearSpec spec_;
  GearSize size_;
  std::vector<Part> parts_;
  double baseHalf_ = 0;                   ///< half angle of the tooth (of a ring, of its space) at the base circle
  double rounding_ = 0;                   ///< radius of the cutter's corner
  double cornerX_ = 0, cornerDepth_ = 0;  ///< its middle on the rack
  double cutterRadius_ = 0, cornerRadius_ = 0, cornerAngle_ = 0;  ///< pinion cutter of a ring
};

/// A rack of straight flanks: half a tooth from the middle of the space to the middle of the tooth, the pitch line on
/// x, teeth towards +y. Lines and arcs as points with the bulge of the piece that follows (tangent of a quarter of its
/// angle; 0: straight).
struct RackPoint {
  Vec2 at;
  double bulge = 0;
};
std::vector<RackPoint> rackHalfTooth(const GearSpec& spec);

/// What is to be said against a gear, with figures; empty if nothing.
std::vector<std::string> gearWarnings(const GearSpec& spec);

}  // namespace cooperage::elements
