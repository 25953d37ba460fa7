// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <vector>

#include "../scene/picks.h"

namespace cooperage::app {

/// Makes one place of one or several picks: as picked, the middle between two, the centre of three points, or the place
/// of one pick with the direction of another.
class PlaceBuilder {
 public:
  enum class Mode { single, middle, threePoints, direction };
  void setMode(Mode mode);
  Mode mode() const { return mode_; }
  void clear() { picks_.clear(); }
  const std::vector<PickedPlace>& picks() const { return picks_; }
  /// What is asked for next, as the end of a sentence.
  QString wants() const;
  /// @return the place once all picks are there; all must lie on one link, but the direction may come from anywhere
  /// @param problem why a pick was refused, or untouched
  std::optional<PickedPlace> add(const PickedPlace& pick, QString& problem);

 private:
  Mode mode_ = Mode::single;
  std::vector<PickedPlace> picks_;
};

}  // namespace cooperage::app
