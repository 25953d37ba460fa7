// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/edits.h"

/// Making and changing joints by picked places.
namespace cooperage::model {

/// What a pick on a link gives: a place in ground axes.
struct Place {
  Id link = 0;
  std::string name;  ///< for the new seat: "bore", "pin end"
  Vec3 at{0, 0, 0}, axis{0, 0, 1}, ref{1, 0, 0};
  Id seat = 0;                            ///< an existing seat to use again
  std::optional<SeatSource> source = {};  ///< the geometry that it comes from, and where the place is in it
  Id curve = 0;                           ///< of a point on a curve: the curve that was picked
  int face = -1;                          ///< of a point on a surface: the face
};

/// A joint as its maker has it: everything that its card shows before it is confirmed.
struct JointDraft {
  Place first, second;  ///< one pick in place: second has its link only
  bool onePick = false;
  JointKind kind = JointKind::revolute;
  bool keepInPlace = true;  ///< else one link is brought to the other, with all that is joined to it
  bool reverse = false;     ///< the axis points, and the joint counts, the other way
  Id moved = 0;             ///< the link that is brought to the other; 0: the looser of both
  double aside = 0;         ///< brought together: the moved link turned about the axis, out of the way, rad
  bool turnedOver = false;  ///< the second link comes the other way round
  double refAngle = 0;      ///< turns the reference direction about the axis, rad
  Field slideOffset, turnOffset;
  Field lead;                                            ///< of a screw
  Id joint = newId(), seatA = newId(), seatB = newId();  ///< what it makes keeps its ids while the draft changes
};

/// Frame of a seat in its link's axes.
/// @return an error if its axis and reference are parallel, or a figure can't be worked out
Result<Pose> frameOf(const Mechanism& m, const Seat& s);

/// Where a link stands, ground axes. @param poses X_GL of all links as they are seen; without its own: as it is placed
Result<Pose> poseOfLink(const Mechanism& m, Id link, const std::vector<Pose>& poses = {});
/// The same of a document that was worked out, whose links all stand somewhere.
Pose linkPose(const Mechanism& m, Id link, const std::vector<Pose>& poses = {});

/// A seat put elsewhere on its link, away from the geometry that it was picked on by as much.
/// @param linkPose X_GL of its link; @param frame the seat's, in ground axes
Mechanism withSeatMoved(const Mechanism& m, Id seat, const Pose& linkPose, const Pose& frame);

/// The mechanism with the joint of a draft. Keep in place: the second seat is put where the first is, so nothing moves
/// and all values are zero; of a slot, a line or a plane both are put at the second place, as near to it as they allow,
/// and the point of a curve or surface is the second place itself. Bring together: the looser link (or the one that the
/// draft names) is moved, with the links that are joined to it, so that the places meet; in a loop it moves alone.
/// @param linkPoses X_GL of every link, as the user sees them while picking
Result<Mechanism> withJoint(const Mechanism& m, const JointDraft& draft, const std::vector<Pose>& linkPoses);

/// Whether a joint stands between two links.
bool areJoined(const Mechanism& m, Id a, Id b);

/// Of two links the one that less holds: not ground, nor joined to it, else with fewer links joined to it, else the
/// second.
Id looserOf(const Mechanism& m, Id first, Id second);

/// Makes a joint between two places. @return the mechanism and the joint's id
Result<std::pair<Mechanism, Id>> joined(const Mechanism& m, const Place& first, const Place& second, JointKind kind,
                                        bool keepInPlace, const std::vector<Pose>& linkPoses);

/// Another kind on the same seats; home values and stops that it does not have go.
Mechanism withKind(const Mechanism& m, Id joint, JointKind kind);
/// Both seats turn over about their reference: the joint counts the other way and nothing moves. Offsets, home values
/// and stops change their signs with it, so that they mean the same poses.
Mechanism reversed(const Mechanism& m, Id joint);
/// Both reference directions turn about the axis; nothing moves.
Mechanism withReferenceTurned(const Mechanism& m, Id joint, double angle);
/// Both reference directions point along a direction (ground axes), as far as it is square to the axis.
Result<Mechanism> withReferenceAlong(const Mechanism& m, Id joint, const Vec3& direction,
                                     const std::vector<Pose>& linkPoses);
/// One of the two places picked anew, the other kept. In place, nothing moves: the other seat takes the same place on
/// its link.
Result<Mechanism> withPlace(const Mechanism& m, Id joint, int which, const Place& place, bool keepInPlace,
                            const std::vector<Pose>& linkPoses);

/// What a joint value is read between: a direction and a point on each link, ground axes.
struct Reading {
  Vec3 directionA, directionB, pointA, pointB;
};
/// The joint's turn (or slide) reads what lies between two faces or lines from now on; nothing moves. Home values and
/// stops are rewritten so that they mean the same poses.
Result<Mechanism> withReading(const Mechanism& m, Id joint, const Reading& reading, const std::vector<Pose>& linkPoses);

/// All joints and couplings of one link for another that is its equal, in place: seats lie on it as on the first, their
/// partners on the other links where it stands.
Result<Mechanism> withJointsCopied(const Mechanism& m, Id from, Id to, const std::vector<Pose>& linkPoses);

}  // namespace cooperage::model
