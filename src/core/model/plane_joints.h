// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"

/// Joints of links that lie in parallel planes, by what was picked on their outlines: two points make a pin, a line and
/// a point a slot, two lines a slide, and what touches along a curve a contact. Depth changes none of them: what lies
/// on another level is joined where the first pick lies.
namespace cooperage::model {

/// A place on the outline of a link, or one of its seats. All directions and places in ground axes.
struct PlanePick {
  enum class Kind { point, line, curve } kind = Kind::point;
  Id link = 0;
  Id curve = 0;  ///< that was picked; 0: a seat
  Id seat = 0;   ///< that is there: the joint uses it
  std::string name;
  Vec3 at{0, 0, 0}, normal{0, 0, 1};
  Vec3 along{1, 0, 0};  ///< of a line; of a seat its reference
};

/// What two picks make.
enum class PlaneRelation { pin, slot, slide, contact };
PlaneRelation relationOf(const PlanePick& a, const PlanePick& b);

/// How far two picks are from fitting one another as they are seen: the distance of two points, of a point from a line;
/// the angle between two lines, rad. A contact closes by itself.
struct Misfit {
  double distance = 0, angle = 0;
};
Misfit misfitOf(const PlanePick& a, const PlanePick& b);
/// Two lines further off than this from being parallel make no slide, rad.
constexpr double kParallel = 1e-6;
/// Places no further apart than this are one, m.
constexpr double kOnePlace = 1e-6;

/// What becomes of a misfit.
enum class PlaneManner {
  inPlace,   ///< nothing moves: the second link is joined where the first pick is
  together,  ///< each link is joined at its own place; the looser one moves
};

struct PlaneJoint {
  Mechanism mechanism;
  std::vector<Id> made;           ///< joints, or the cam pair of a contact
  std::vector<std::string> said;  ///< what a person should know
};

/// @param poses X_GL of all links as they are seen
/// @return an error for picks on one link, lines that aren't parallel, curves of which neither is a circle or a line
Result<PlaneJoint> joinedInPlane(const Mechanism& m, const PlanePick& a, const PlanePick& b, PlaneManner manner,
                                 const std::vector<Pose>& poses);

/// Pins between all links that meet at one place: one fewer than links, those that are there counted; ground, else the
/// first, holds the others.
Result<PlaneJoint> pinned(const Mechanism& m, const std::vector<PlanePick>& points, const std::vector<Pose>& poses);
/// How many pins are missing between them.
int missingPins(const Mechanism& m, const std::vector<PlanePick>& points, const std::vector<Pose>& poses);

}  // namespace cooperage::model
