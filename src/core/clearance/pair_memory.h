// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <list>
#include <map>
#include <memory>
#include <mutex>
#include <vector>

#include "clearance/travel_check.h"

namespace cooperage::clearance {

/// All that the motion of some links depends on, as figures that are compared one by one: nothing of it is hashed, and
/// what can't be compared (a formula) is like nothing else, itself included.
struct MotionFigures {
  std::vector<double> figures;
  std::vector<std::shared_ptr<const void>> objects;  ///< curves, tables, surfaces: the same only if they are one object
  bool operator==(const MotionFigures& o) const { return figures == o.figures && objects == o.objects; }
};

/// What makes links move in a run: the joints, couplings, contacts and drives of everything that they hang together
/// with (over anything but ground), home values, and the run's own figures.
class MotionSources {
 public:
  explicit MotionSources(kinematics::TravelRun& run);
  /// Figures of what two links hang together with.
  std::shared_ptr<const MotionFigures> of(int linkA, int linkB);

 private:
  int root(int node);
  MotionFigures gather(int groupA, int groupB);
  kinematics::TravelRun& run_;
  std::vector<int> parent_;  ///< of nodes, by what ties them
  std::map<std::pair<int, int>, std::shared_ptr<const MotionFigures>> known_;
};

/// Outcome of pairs that need not be checked again: the same parts on the same way.
class PairMemory {
 public:
  struct Key {
    std::vector<const void*> parts;  ///< kept alive by the entry, so that an address stands for one part
    double tolerance = 0;
    bool operator<(const Key& o) const { return std::tie(tolerance, parts) < std::tie(o.tolerance, o.parts); }
  };
  /// The way of a pair: placements at all steps, and all that decides what happens between them.
  struct Way {
    std::shared_ptr<const std::vector<double>> a, b;  ///< times and placements of either link
    std::shared_ptr<const MotionFigures> sources;
    bool operator==(const Way& o) const { return *a == *o.a && *b == *o.b && *sources == *o.sources; }
  };
  struct Entry {
    std::vector<std::shared_ptr<const LinkGeometry>> keep;
    Way way;
    PairReport report;
    std::vector<Interference> windows;
    int asked = 0;  ///< number of the last check that asked for it
  };
  std::mutex mutex;
  std::map<Key, std::list<Entry>> known;
  int reused = 0;  ///< pairs that came out of it in the last check

  /// Begins a check: what none of the last ones asked for is forgotten, with the geometry that it keeps alive.
  void begin();
  const Entry* find(const Key& key, const Way& way);
  void keep(const Key& key, Entry entry);

 private:
  std::size_t count_ = 0;
  int checks_ = 0;
};

}  // namespace cooperage::clearance
