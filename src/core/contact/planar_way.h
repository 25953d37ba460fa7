// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>

#include "contact/planar_gap.h"

namespace cooperage::contact {

/// A short way of a plane A in a plane B, known at both ends: between them the turn and the shift follow cubics through
/// both ends' places and rates. It is cut into parts in which points go nearly straight.
class PlanarWay {
 public:
  /// @param from,to with the rates of the motion itself  @param duration s
  /// @param middle place of A whose shift is followed  @param reach how far A's points lie from it, m
  /// @param part how far a point may come in one part, m
  PlanarWay(const PlanarMotion& from, const PlanarMotion& to, double duration, const Vec2& middle, double reach,
            double part);
  /// Does it turn by more than the cubics bear?
  bool isLong() const { return long_; }
  /// May two features that overlap at neither end touch on the way? By the straight ways of corners and rounds in each
  /// part, by gaps that close and open again, and by overlaps between the ends. What is no deeper than the cubics are
  /// sure of is not seen.
  bool mayMeet(const Outline& a, const Outline& b, const FeaturePair& pair, std::vector<int>& work) const;

 private:
  bool passesBy(const Feature& a, const Feature& b) const;
  static constexpr int kMost = 32;
  std::array<PlanarMotion, kMost + 1> at_;  ///< rates per part
  int parts_ = 1;
  double slack_ = 0;  ///< m
  bool long_ = false;
};

}  // namespace cooperage::contact
