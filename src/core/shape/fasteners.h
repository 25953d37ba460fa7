// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"
#include "shape/axis_span.h"

/// Bolts, nuts and washers among the solids of an assembly, and what they hold together.
namespace cooperage::shape {

enum class FastenerKind { none, bolt, nut, washer };

/// What a solid is among fasteners, in its own axes, m.
struct Fastener {
  FastenerKind kind = FastenerKind::none;
  Vec3 at{0, 0, 0}, axis{0, 0, 1};  ///< on its axis; of a bolt from its head to its tip, unit length
  double radius = 0;                ///< of a bolt's shank, of a nut's or a washer's bore
  double low = 0, high = 0;         ///< how far it reaches from `at` along the axis
  double seat = 0;                  ///< of a bolt: where its head ends
};

/// By its faces and corners alone, whatever it is called. A bolt is a shank about one axis with a wider head at one
/// end; a nut a short polygon with four or more equal flats about a bore; a washer a flat ring. Solids of more than 80
/// faces are none.
Fastener fastenerOf(const TopoDS_Shape& solid);

/// Solids that move as one.
struct LinkProposal {
  std::vector<int> solids;           ///< indices, ascending
  std::vector<std::string> reasons;  ///< "bolt of 8 mm with its nut clamps 2 parts"
  bool ground = false;               ///< the one that stands still: of the greatest volume
};

/// Puts solids together to links:
/// - what a bolt clamps: bored parts that fill the space between its head and its nut, or between its head and the part
///   that it is screwed into (a bore no wider than the shank); with nut and washers;
/// - a bolt with room between head and nut holds its nut and washers only: what is on it may turn;
/// - a nut without a bolt goes with the pin that fills its bore, a washer with the nut or the head that it lies
/// against. Every other solid is a link of its own. @return in the order of their first solids
std::vector<LinkProposal> proposeLinks(const std::vector<std::pair<TopoDS_Shape, Pose>>& solids,
                                       Progress* progress = nullptr);

}  // namespace cooperage::shape
