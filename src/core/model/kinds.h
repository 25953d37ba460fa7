// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "base/words.h"

/// Enumerations of the document with their words in the file.
namespace cooperage::model {

/// What a curve of a link is made from; a text stands on a sheet only.
enum class CurveKind { circle, formula, chain, edges, camLaw, text };
constexpr std::array<std::string_view, 6> wordsOf(CurveKind) {
  return {"circle", "formula", "chain", "edges", "cam-law", "text"};
}

/// A piece of a chain curve.
enum class PieceKind { line, arc, spline, ellipse, nurbs };
constexpr std::array<std::string_view, 5> wordsOf(PieceKind) { return {"line", "arc", "spline", "ellipse", "nurbs"}; }

/// What of a link's points and curves a dimension holds: the length between two points or of a line, how far one point
/// lies from another (or from the origin) along an axis, a radius, the angle between two lines, how far a point lies
/// from a line.
enum class DimensionKind { length, x, y, radius, angle, pointLine };
constexpr std::array<std::string_view, 6> wordsOf(DimensionKind) {
  return {"length", "x", "y", "radius", "angle", "point-line"};
}

/// How a cam carries its curve.
enum class CamForm { disc, linear, barrel };
constexpr std::array<std::string_view, 3> wordsOf(CamForm) { return {"disc", "linear", "barrel"}; }

/// What touches a cam; of a cam law one of the first three.
enum class ContactKind { point, roller, flat, rolling };
constexpr std::array<std::string_view, 4> wordsOf(ContactKind) { return {"point", "roller", "flat", "rolling"}; }

/// Faces, edges and corners by their geometry.
enum class FeatureKind { plane, cylinder, cone, sphere, torus, free, line, circle, curve, corner };
constexpr std::array<std::string_view, 10> wordsOf(FeatureKind) {
  return {"plane", "cylinder", "cone", "sphere", "torus", "free", "line", "circle", "curve", "corner"};
}

/// Gears of a coupling.
enum class GearType { spur, bevel, worm, crossed };
constexpr std::array<std::string_view, 4> wordsOf(GearType) { return {"spur", "bevel", "worm", "crossed"}; }

/// The part of a planetary stage that stands still.
enum class HeldPart { sun, carrier, ring };
constexpr std::array<std::string_view, 3> wordsOf(HeldPart) { return {"sun", "carrier", "ring"}; }

/// What of a vector a gauge shows; of a reaction, forces and moments along the axes.
enum class Component { x, y, z, size, fx, fy, fz, mx, my, mz, normal };
constexpr std::array<std::string_view, 11> wordsOf(Component) {
  return {"x", "y", "z", "size", "fx", "fy", "fz", "mx", "my", "mz", "normal"};
}

/// What of a mechanism's energy a gauge shows.
enum class EnergyPart { kinetic, potential, total };
constexpr std::array<std::string_view, 3> wordsOf(EnergyPart) { return {"kinetic", "potential", "total"}; }

/// What of a gauge a requirement judges.
enum class Measure { range, min, max, mean, end, at, always };
constexpr std::array<std::string_view, 7> wordsOf(Measure) {
  return {"range", "min", "max", "mean", "end", "at", "always"};
}

/// What a check of a run looks for.
enum class RunCheck { interference, clearance, stops, requirements };
constexpr std::array<std::string_view, 4> wordsOf(RunCheck) {
  return {"interference", "clearance", "stops", "requirements"};
}

/// What a run does where it can go no farther.
enum class AtLimit { stop, reverse };
constexpr std::array<std::string_view, 2> wordsOf(AtLimit) { return {"stop", "reverse"}; }

}  // namespace cooperage::model
