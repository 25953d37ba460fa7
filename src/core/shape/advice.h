// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "shape/face_features.h"

namespace cooperage::shape {

/// The solids of one link with their placements in ground axes.
struct Part {
  std::vector<std::pair<SolidFacesPtr, Pose>> solids;
};

struct AdviceOptions {
  double play = 3e-4;          ///< m; radial play of a bore and gap of faces that still count as fitting
  double relativePlay = 0.01;  ///< of the radius
  double angle = 0.02;         ///< rad; directions that count as parallel
};

/// What the contact of two links leaves, and the joint that it makes.
struct Advice {
  std::optional<model::JointKind> kind;  ///< none: they touch, but carry no joint, or one that has no name
  bool touching = false;                 ///< any contact at all
  int freedoms = 6;
  bool swapped = false;   ///< the joint's first link is the second part: it has the slot, the line or the plane
  bool oneSided = false;  ///< holds only as long as something presses them together
  std::string leaves;     ///< "turns about the axis, slides along it"
  std::string why;        ///< "bore and pin of 16 mm, shoulders on both sides"
  double lead = 0;        ///< m a turn, of a thread-like pair: from the depth of its thread
  Vec3 at{0, 0, 0}, axis{0, 0, 1}, ref{1, 0, 0};  ///< the joint's seat, ground axes
};

/// Looks at the faces of two links that touch or share an axis. Each contact takes motions away: a pin in a bore all
/// but turn and slide, faces against one another all but a planar motion, a ball in a socket all slides. What all leave
/// together is classified. Contacts from one side only hold nothing by themselves: of these, shoulders square to a
/// bearing count, others do not.
Advice adviseJoint(const Part& a, const Part& b, const AdviceOptions& options = {});

/// How far a joint can slide from where it stands before faces meet: ends of a slot, ends of a guide.
struct SlideRange {
  std::optional<double> low, high;  ///< m, from the present place along the direction; none: nothing is in the way
};
/// @param direction of the slide, ground axes, unit length: the second part moves along it
/// @param pin axis of a pin in a slot, or zero
SlideRange slideRange(const Part& first, const Part& second, const Vec3& direction, const Vec3& at, const Vec3& pin);

struct Proposal {
  int a = 0, b = 0;  ///< indices of the parts
  Advice advice;
};
/// Every pair of parts that touches, in the order of the parts; those that carry no joint come with no kind.
std::vector<Proposal> proposeJoints(const std::vector<Part>& parts, const AdviceOptions& options = {},
                                    Progress* progress = nullptr);

}  // namespace cooperage::shape
