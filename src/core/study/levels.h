// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "study/studies.h"

/// Levels on which the plates of a planar mechanism run past one another over the whole travel: the least number.
namespace cooperage::study {

/// What the levels of links must keep to. Links are numbers; the ones that stand still are on level 0, the others on
/// whole levels above.
struct LevelProblem {
  int links = 0;
  std::vector<std::pair<int, int>> apart;  ///< pairs that can't share a level: they are joined, or meet somewhere
  /// A pin reaches over all levels between those of the links on its axis.
  struct Pin {
    std::vector<int> members;
    std::vector<int> hits;  ///< links whose path it would cross
  };
  std::vector<Pin> pins;
  std::vector<std::optional<int>> fixed;  ///< levels that are given, one entry a link
};

struct LevelPlan {
  std::vector<int> levels;  ///< one a link
  int count = 0;            ///< of levels above ground
  /// Where no levels keep to all: what the best ones break. Pairs on one level, and pins with the links they hit.
  std::vector<std::pair<int, int>> together;
  std::vector<std::pair<int, int>> pierced;  ///< index of the pin, link
};
/// The plan with the fewest broken rules, of these with the fewest levels, of these with the shortest pins: by search
/// of all. @return cancelled plans are empty
LevelPlan leastLevels(const LevelProblem& problem, Progress* progress = nullptr);

/// The rules of a mechanism whose links have plates, with the links that they number.
struct PlateRules {
  LevelProblem problem;
  std::vector<model::Id> links;
  std::vector<std::string> pins;  ///< names: the links on each pin's axis
  int unproven = 0;               ///< pairs free at all poses, but not proven so between them
  std::string notProven;          ///< why, in words
};
/// Lays all plates onto one level, and each pin by itself, drives them through a run and checks them as a check of that
/// run does: two that meet, or come nearer than the accuracy, are kept apart.
/// @param fixed links that keep the level they have
/// @return an error if the mechanism has no plates, they lie in planes of their own, or the run can't be computed
Result<PlateRules> plateRules(const model::MechanismPtr& mechanism, int run, const std::vector<model::Id>& fixed,
                              const Tools& tools);

}  // namespace cooperage::study
