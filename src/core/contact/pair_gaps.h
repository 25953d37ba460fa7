// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <vector>

#include "contact/planar_gap.h"
#include "contact/relative_motion.h"

namespace cooperage::contact {

inline constexpr double kSlack = 1e-9;  // m: how far a foot may lie beyond the end of what it stands on

/// Which features of which parts of two links.
struct PlaceKey {
  int partA = -1, partB = -1;
  FeaturePair features;
  bool operator==(const PlaceKey& o) const { return partA == o.partA && partB == o.partB && features == o.features; }
};

/// Distance of two features along their common normal, negative where they overlap; in the axes of B.
struct PairGap {
  double size = 0;
  Vec3 normal{0, 0, 1};  ///< from B to A
  Vec3 onA{0, 0, 0};     ///< A's point of contact
  double acceleration = 0;
  bool within = false;  ///< the foot lies on both features
  bool facing = false;  ///< within, and the normal is one of the corner's or edge's own too
};

/// What stands for a link's mass in the metric of least motion: its volume, m^3 for kg.
struct LinkWeight {
  double mass = 0;
  Vec3 centre{0, 0, 0};
  Mat3 second = Mat3::Zero();  ///< over the mass, m^2: for a turn w about the centre, w.second w
};

/// Two links that may touch: their gaps at a placement. Immutable; any thread may ask with a workspace of its own.
class PairGaps {
 public:
  struct Workspace {
    std::vector<int> list;
  };
  struct Found {
    PlaceKey key;
    PairGap gap;
    bool nearest = true;  ///< of an overlap: the way out
  };
  virtual ~PairGaps() = default;
  /// Features that come within a reach of one another, and whose normals can be opposed once the two have turned
  /// against one another by so much: what find() has to look at until they have moved on.
  virtual void candidates(const RelativeMotion& m, double reach, double turn, std::vector<PlaceKey>& out) const = 0;
  /// Appends the gaps no wider than `ahead`, and the real overlaps no deeper than `depth`, among candidates.
  virtual void find(const RelativeMotion& m, double ahead, double depth, const std::vector<PlaceKey>& among,
                    Workspace& work, std::vector<Found>& out) const = 0;
  /// One gap, wherever its foot lies. @param second whether its acceleration is wanted, and m has accelerations
  /// @return false if it has none
  virtual bool at(const PlaceKey& key, const RelativeMotion& m, bool second, PairGap& out) const = 0;
  /// How far the foot of a gap lies within what makes it `facing`, m: negative where it isn't; NaN if that isn't known.
  virtual double room(const PlaceKey& key, const RelativeMotion& m) const = 0;
  /// May something have touched and parted on the way from one placement to the other, which is short, though nothing
  /// overlaps at either? Followed by cubics through both ends' rates, which are those of the motion itself.
  /// @param duration s  @param among candidates that come within the way's length  @param held what touches all the way
  virtual bool mayHaveMet(const RelativeMotion&, const RelativeMotion&, double, const std::vector<PlaceKey>&,
                          const std::vector<PlaceKey>&, Workspace&) const {
    return false;
  }
  /// How far the one would have to go to be clear of the other, m, where they overlap so that no feature's own gap
  /// tells: one inside the other, or bars that cross; 0 if they don't. Of hulls: at least what is needed.
  virtual double crossing(const RelativeMotion&) const { return 0; }
  /// Do both lie on surfaces that go smoothly on into one another?
  virtual bool goesOn(const PlaceKey& from, const PlaceKey& to) const = 0;
  /// Where a touch is drawn, axes of B.
  virtual Vec3 placeOf(const PlaceKey&, const PairGap& gap) const { return gap.onA; }

  // axes of either side in those of its link; outlines are seen along z, whose places don't count
  Mat3 axesA = Mat3::Identity(), axesB = Mat3::Identity();
  bool flat = false;
  double quarter = 0;  ///< m: of the thinnest part
  Vec3 centreA{0, 0, 0}, centreB{0, 0, 0};
  double reachA = 0, reachB = 0;  ///< m: how far points lie from the centre
  LinkWeight weightA, weightB;    ///< in link axes
};

struct LinkOutlines;
struct LinkFaces;
/// Links seen along a direction about which all turns. @param height of A's plane over B's, m
/// @return null if they pass one another at other heights
std::shared_ptr<const PairGaps> planarPair(std::shared_ptr<const LinkOutlines> a, std::shared_ptr<const LinkOutlines> b,
                                           double height);
/// Links that move in space.
std::shared_ptr<const PairGaps> spacePair(std::shared_ptr<const LinkFaces> a, std::shared_ptr<const LinkFaces> b);

}  // namespace cooperage::contact
