// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/thread_pitch.h"

#include <cmath>

namespace cooperage::model {

std::optional<double> coarsePitch(double diameter) {
  struct Row {
    double diameter, pitch;  // mm
  };
  static constexpr Row kRows[] = {{1, 0.25}, {1.2, 0.25}, {1.6, 0.35}, {2, 0.4},  {2.5, 0.45}, {3, 0.5},  {3.5, 0.6},
                                  {4, 0.7},  {5, 0.8},    {6, 1},      {7, 1},    {8, 1.25},   {10, 1.5}, {12, 1.75},
                                  {14, 2},   {16, 2},     {18, 2.5},   {20, 2.5}, {22, 2.5},   {24, 3},   {27, 3},
                                  {30, 3.5}, {33, 3.5},   {36, 4},     {39, 4},   {42, 4.5},   {45, 4.5}, {48, 5},
                                  {52, 5},   {56, 5.5},   {60, 5.5},   {64, 6}};
  constexpr double kOff = 0.04;
  const Row* best = nullptr;
  for (const Row& r : kRows)
    if (!best || std::abs(r.diameter - diameter * 1e3) < std::abs(best->diameter - diameter * 1e3)) best = &r;
  if (std::abs(best->diameter - diameter * 1e3) > kOff * best->diameter) return std::nullopt;
  return best->pitch * 1e-3;
}

std::optional<double> likelyPitch(const std::optional<SeatSource>& first, const std::optional<SeatSource>& second) {
  const SeatSource* from = nullptr;
  for (const auto* s : {&first, &second})
    if (*s && (*s)->feature.kind == FeatureKind::cylinder && (!from || (from->feature.inward && !(*s)->feature.inward)))
      from = &**s;
  return from ? coarsePitch(2 * from->feature.radius) : std::nullopt;
}

std::optional<double> likelyPitch(const Mechanism& m, const Joint& joint) {
  const auto a = findSeat(m, joint.seats[0]), b = findSeat(m, joint.seats[1]);
  return likelyPitch(a ? a->seat->source : std::nullopt, b ? b->seat->source : std::nullopt);
}

}  // namespace cooperage::model
