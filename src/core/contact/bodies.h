// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>

#include "contact/section.h"
#include "contact/space_body.h"
#include "model/resolve.h"

namespace cooperage::contact {

/// A link as it is seen along a direction: outlines between heights, in a plane fixed in the link.
struct LinkOutlines {
  Mat3 axes = Mat3::Identity();  ///< x and y of the plane, z its normal, in link axes; its origin is the link's
  struct Part {
    double low = 0, high = 0;  ///< m, along z
    Outline outline;
    int body = -1;
  };
  std::vector<std::shared_ptr<const Part>> parts;
};

/// A link by its exact faces.
struct LinkFaces {
  std::vector<std::shared_ptr<const SpaceBody>> bodies;
};

/// Two links that push one another: by outlines where all their motion against one another turns about one direction,
/// else by faces.
struct LinkPair {
  int contact = -1;  ///< index in Resolved::contacts
  int a = -1, b = -1;
  std::shared_ptr<const LinkOutlines> outlinesA, outlinesB;
  std::shared_ptr<const LinkFaces> facesA = {}, facesB = {};
};

/// What the links of all contacts touch with.
struct ContactBodies {
  std::vector<LinkPair> pairs;
  std::vector<Message> messages;  ///< pairs that can't meet, or can't be followed
};

/// Axes about which two links turn against one another and square to which they slide, if all joints between them leave
/// that: unit normal in the axes of each. None: they move in space.
/// Judged along the fewest joints between them, whatever else holds them.
std::optional<std::pair<Vec3, Vec3>> commonNormal(const model::Resolved& resolved, int a, int b);

/// Outlines of all pairs of links of the contacts that are enabled; faces of those that move in space, and of those of
/// which more than a fifth of the height has no outline.
/// @param solidOf the solid of a body, or null if it is not there (yet)
ContactBodies contactBodies(
    const model::Resolved& resolved,
    const std::function<shape::SolidPtr(const model::Resolved::LinkR&, const model::Resolved::BodyR&)>& solidOf);

}  // namespace cooperage::contact
