// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <string>

#include "base/progress.h"
#include "drawing/outline.h"

/// Drawings as they come from a file: curves by layers, what was left out, and what is odd about them.
namespace cooperage::drawing {

struct DrawnCurve {
  Outline outline;
  std::string layer;
};

/// What a drawing says at a place.
struct Note {
  std::string text, layer;
  Vec2 at{0, 0};
  double height = 0;
};

/// A planar drawing. Lengths in its own unit until scaled() is called, then in m.
struct Drawing {
  std::vector<DrawnCurve> curves;
  std::vector<std::string> layers;      ///< in the order of the file, those with curves only
  double unit = 0;                      ///< m of one of its units; 0: the file names none
  std::map<std::string, int> leftOut;   ///< what is no curve, by kind: "text", "dimension", "hatching" ...
  std::vector<DrawnCurve> annotations;  ///< of what is left out: lines of dimensions, bounds of hatching
  std::vector<Note> notes;              ///< and its text
  std::vector<std::string> remarks;     ///< what was found odd while it was read, a sentence each
  Box box() const;
  int countOn(const std::string& layer) const;
};

/// Reads a DXF file: lines, arcs, circles, ellipses, splines, polylines with bulges, blocks with their inserts (scaled,
/// mirrored, in rows, one in another), layers, units. Only what it says of the plane x, y counts.
/// @param bytes the whole file, in the ASCII form
/// @param name  of the file, for messages
/// @return an error that names what is wrong: no DXF, cut off, blocks that hold themselves, too many curves
Result<Drawing> readDxf(const std::string& bytes, const std::string& name, Progress* progress = nullptr);

/// Reads an SVG file: paths and basic shapes with their transforms; groups of the outermost level are its layers. Its y
/// axis is turned up; lengths without a unit are CSS pixels (96 to an inch) unless its size and view box say otherwise.
Result<Drawing> readSvg(const std::string& bytes, const std::string& name, Progress* progress = nullptr);

/// Either of them, by what the file holds.
Result<Drawing> readDrawing(const std::string& bytes, const std::string& name, Progress* progress = nullptr);

/// Without its annotations and notes.
Drawing withoutAnnotations(Drawing drawing);
/// In m. @param unit m of one unit of the drawing
Drawing scaled(const Drawing& drawing, double unit);

/// Something about the ends and the shapes of a drawing's curves that a person should know.
struct Finding {
  enum class Kind { gap, twice, noLength } kind = Kind::gap;
  std::vector<std::size_t> curves;  ///< indices: of what has no length in what was given, else among what is left
  Vec2 at{0, 0};
  double size = 0;  ///< of a gap
};
struct Joined {
  Drawing drawing;
  int merged = 0;  ///< ends that were moved onto others
  std::vector<Finding> findings;
};
/// Merges ends that lie nearer to one another than a tolerance (the piece at an end is turned and stretched with it),
/// and names gaps up to `wide`, curves that lie on one another, and such as have no length, which are left out.
Joined withEndsMerged(const Drawing& drawing, double tolerance, double wide);

/// Which of the curves now there is the one that was there before, by shape and place, each at most once.
/// @return one index for each of those before; none: it is gone
std::vector<std::optional<std::size_t>> matched(const std::vector<Outline>& before, const std::vector<Outline>& now,
                                                double tolerance);

/// Whether two curves have the same shape at the same place, either way round.
bool sameShape(const Outline& a, const Outline& b, double tolerance);

}  // namespace cooperage::drawing
