// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/advice.h"

namespace cooperage::shape {

/// Faces of two links that meet or share an axis, in ground axes.
struct Contact {
  enum class Kind { bearing, thread, socket, track, flat, line, point, cone };
  struct Point {
    Vec3 at, normal;  ///< the second link can't move along the normal here
  };
  Kind kind = Kind::flat;
  bool twoSided = false;  ///< holds both ways along its normals
  std::vector<Point> points;
  Vec3 normal{0, 0, 0};  ///< of what holds one way: from the first link to the second
  Vec3 at{0, 0, 0}, axis{0, 0, 1};
  double radius = 0, minor = 0;  ///< of a bearing; of a thread pin and bore
  double length = 0;             ///< along the axis
  bool hostIsSecond = false;     ///< of what lies along a face or in a tube: the second link has the face or tube
  std::string words;
};

std::vector<Contact> contactsOf(const Part& a, const Part& b, const AdviceOptions& options);

}  // namespace cooperage::shape
