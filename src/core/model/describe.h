// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "model/mechanism.h"

/// What the file holds of an object, key by key, written once: reader, writer and the walk through number fields are
/// visitors of it, and the schema is held against it. A new figure, switch or reference goes in here and in the schema,
/// nowhere else. Keys come in the order in which they are written. What depends on an object's kind (the head of a
/// joint or gauge, rows, bodies, curves, couplings) stands in the reader and the writer.
///
/// A visitor has, for const objects or for those that it fills:
///   field(key, figure, measures)         a figure that may be absent
///   must(key, figure, measures)          one that has to be there
///   fields(key, list, measures)          a list of figures
///   points(key, list, of x, of y)        a list of pairs
///   list(key, figures, measures)         as many as there are, not written where all are zero
///   flag(key, on, normally)              not written where it is as it normally is
///   whole(key, number, normally, always) the same of a whole number, unless it is always written
///   choice(key, value, normally), word(key, word, must), words(key, list)   enumerations
///   text(key, text)                      not written where it is empty
///   ref(key, id, to, none)               another object by its name; none: the word for no object, or null
///   later(key, id, of)                   a gauge that may come after the one that names it
///   refs(key, ids, to)                   several; of a list for several kinds, those of this kind
///   pairsOf(key, pairs, to)              pairs of names
///   sides(key, first, second, to)        two lists of names
///   byName(key, figures, to, measures)   figures by the names of objects
///   byValue(key, figures, joint)         figures or stops by the names of a joint's values
///   group(key, inner)                    an object within, not written where it would be empty
///   group(key, optional, inner)          the same, for a part that may be absent
/// and says by kAll whether it goes through what the file need not hold, too.
namespace cooperage::model {

/// What a figure measures, told only where it is asked for: that may take the whole document.
struct Measures {
  enum class By { itself, drive, driveSpeed, gauge, axis, firstAxis, along };
  Dimension dimension = dimension::kPlain;
  By by = By::itself;
  Id id = 0;                 ///< of the drive, or the gauge
  std::optional<Symbol> value;  ///< along which something acts; none: between two points
  double forces = 0, ways = 0;

  Measures(const Dimension& d)
      : dimension(d) {}  // NOLINT(google-explicit-constructor): a dimension is what it measures
  Measures(By from, Id of = 0) : by(from), id(of) {}
  /// Of what acts along a joint value, or between two points: powers of its force, its way, and more.
  static Measures along(const std::optional<Symbol>& of, double forces, double ways, const Dimension& more = {}) {
    Measures m(more);
    m.by = By::along;
    m.value = of;
    m.forces = forces;
    m.ways = ways;
    return m;
  }
};

/// What a reference names.
enum class Ref { link, seat, joint, coupling, camPair, contact, drive, gauge, value };

template <class A, class T>
void describeJoint(A& a, T& j) {
  a.byValue("home", j.home, j);
  a.byValue("stops", j.stops, j);
  a.flag("held", j.held, false);
  a.flag("enabled", j.enabled, true);
  a.flag("flip", j.flip, false);
  a.group("offset", [&](auto& in) {
    in.field("slide", j.slideOffset, dimension::kLength);
    in.field("turn", j.turnOffset, dimension::kAngle);
  });
}

template <class A, class T>
void describeContact(A& a, T& c) {
  a.sides("between", c.sideA, c.sideB, Ref::link);
  a.flag("enabled", c.enabled, true);
}

/// Its effort with the joint value, or its seat with force and moment, are written by hand.
template <class A, class T>
void describeForce(A& a, T& f) {
  a.ref("in", f.in, Ref::link, "ground");
  a.group("times", [&](auto& in) {
    in.ref("over", f.over, Ref::value, nullptr);
    in.points("points", f.overPoints, Measures::along(f.over, 0, 1), dimension::kPlain);
    in.word("interpolation", f.overInterpolation, false);
  });
  a.flag("enabled", f.enabled, true);
}

/// Between which seats it lies, or along which value, is written by hand.
template <class A, class T>
void describeSpring(A& a, T& s) {
  a.field("stiffness", s.stiffness, Measures::along(s.of, 1, -1));
  a.field("free", s.free, Measures::along(s.of, 0, 1));
  a.points("points", s.points, Measures::along(s.of, 0, 1), Measures::along(s.of, 1, 0));
  a.word("interpolation", s.interpolation, false);
  a.field("preload", s.preload, Measures::along(s.of, 1, 0));
  a.field("damping", s.damping, Measures::along(s.of, 1, -1, dimension::kTime));
  a.flag("enabled", s.enabled, true);
}

template <class A, class T>
void describeFriction(A& a, T& f) {
  a.field("coefficient", f.coefficient, dimension::kPlain);
  a.field("radius", f.radius, dimension::kLength);
  a.field("viscous", f.viscous, Measures::along(f.of, 1, -1, dimension::kTime));
  a.flag("enabled", f.enabled, true);
}

template <class A, class T>
void describeMaterial(A& a, T& m) {
  a.must("density", m.density, dimension::kDensity);
}

template <class A, class T>
void describeMass(A& a, T& m) {
  a.must("value", m.value, dimension::kMass);
  a.list("centre", m.centre, dimension::kLength);
  a.list("inertia", m.inertia, dimension::kInertia);
}

template <class A, class T>
void describeDrive(A& a, T& d) {
  a.flag("reverse", d.reverse, false);
  a.flag("enabled", d.enabled, true);
}

template <class A, class T>
void describeGauge(A& a, T& g) {
  const Measures own(Measures::By::gauge, g.id);
  a.ref("in", g.in, Ref::link, "ground");
  a.word("component", g.component, false);
  a.ref("on", g.on, Ref::link, "ground");
  a.word("part", g.part, false);
  a.ref("about", g.about, Ref::seat, nullptr);
  a.group("over", [&](auto& in) {
    in.field("formula", g.overFormula, own);
    in.text("file", g.overFile);
    if (A::kAll || g.overFile.empty()) in.points("points", g.overPoints, Measures::By::firstAxis, own);
  });
  a.later("lane", g.lane, g.id);
  a.field("dwell_within", g.dwellWithin, own);
  a.flag("flag", g.flagged, false);
}

template <class A, class T>
void describeRequirement(A& a, T& r) {
  a.ref("gauge", r.gauge, Ref::gauge, nullptr);
  const Measures of(Measures::By::gauge, r.gauge);
  a.word("measure", r.measure, true);
  a.field("at", r.at, Measures::By::firstAxis);
  a.field("min", r.min, of);
  a.field("max", r.max, of);
}

template <class A, class T>
void describePath(A& a, T& p) {
  a.ref("of", p.of, Ref::seat, nullptr);
  a.ref("in", p.in, Ref::link, "ground");
  a.field("ticks", p.tick, dimension::kTime);
  a.flag("by_speed", p.bySpeed, false);
}

template <class A, class T>
void describeSheet(A& a, T& s) {
  a.ref("on", s.on, Ref::link, "ground");
  a.field("depth", s.depth, dimension::kLength);
  a.flag("hidden", s.hidden, false);
  a.text("file", s.file);
  a.text("unit", s.unit);
  a.field("merge", s.merge, dimension::kLength);
  a.flag("annotated", s.annotated, false);
}

template <class A, class T>
void describeRun(A& a, T& r) {
  a.field("duration", r.duration, dimension::kTime);
  a.field("turns", r.turns, dimension::kPlain);
  a.group("sweep", r.sweep, [](auto& in, auto& s) {
    in.ref("drive", s.drive, Ref::drive, nullptr);
    in.must("from", s.from, Measures(Measures::By::drive, s.drive));
    in.must("to", s.to, Measures(Measures::By::drive, s.drive));
    in.must("speed", s.speed, Measures(Measures::By::driveSpeed, s.drive));
  });
  a.whole("steps", r.steps, 360, true);
  const Measures axis(Measures::By::axis, r.axis);
  a.field("step", r.stepSize, axis);
  a.field("rate", r.stepRate, -1.0 * dimension::kTime);
  a.ref("axis", r.axis, Ref::drive, "time");
  a.refs("drives", r.drives, Ref::drive);
  a.group("off", [&](auto& in) {
    in.refs("joints", r.off, Ref::joint);
    in.refs("couplings", r.off, Ref::coupling);
    in.refs("cam_pairs", r.off, Ref::camPair);
    in.refs("contacts", r.off, Ref::contact);
  });
  a.byName("start", r.start, Ref::drive);
  a.group("ghosts", [&](auto& in) {
    in.whole("every", r.ghostEvery, 0, false);
    in.fields("at", r.ghostMarks, axis);
  });
  a.choice("at_limit", r.atLimit, AtLimit::stop);
  a.flag("past_stops", r.pastStops, false);
  a.flag("stop_at_contact", r.stopAtContact, false);
  a.flag("free_start", r.freeStart, false);
  a.field("accuracy", r.accuracy, dimension::kLength);
  a.field("fit_depth", r.fitDepth, dimension::kLength);
  a.group("fit", [&](auto& in) {
    in.field("angle", r.fitAngle, dimension::kAngle);
    in.field("length", r.fitLength, dimension::kPlain);  // a share of the size
  });
  a.words("check", r.check);
  a.group("pairs", [&](auto& in) {
    in.pairsOf("leave_out", r.leaveOut, Ref::link);
    in.sides("between", r.sideA, r.sideB, Ref::link);
  });
}

}  // namespace cooperage::model
