// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of resolve.cpp, in its own file by length: gauges, drives, requirements.
#include <algorithm>

#include "model/gauge_kinds.h"
#include "model/resolver_motion.h"

namespace cooperage::model {

inline const Dimension kPerSecond{0, 0, 0, -1};

class MeasureResolver : public MotionResolver {
 public:
  using MotionResolver::MotionResolver;

 protected:
  bool gauge(const Gauge& g) {
    const std::string object = "gauge " + g.name;
    const GaugeKind* kind = gaugeKind(g.kind);
    if (!kind) {  // a later version's kind: keep the file usable and say so
      warn("gauge", object, fmt::format("this version can't compute the kind '{}'; it has no value", g.kind));
      Resolved::GaugeR unknown;
      unknown.id = g.id;
      unknown.name = g.name;
      out_.gauges.push_back(unknown);
      return true;
    }
    Resolved::GaugeR r;
    r.id = g.id;
    r.name = g.name;
    r.kind = g.kind;
    if (g.in) {
      const auto in = linkIndex_.find(*g.in);
      if (in == linkIndex_.end()) return fail("missing-link", object, "the link that it is measured in is gone");
      r.in = in->second;
    }
    if (!g.component.empty()) {
      const std::size_t i = std::string("xyz").find(g.component);
      if (g.component != "size" && (i == std::string::npos || g.component.size() != 1))
        return fail("figure", object, fmt::format("component '{}' is none of x, y, z, size", g.component));
      r.component = g.component == "size" ? 3 : static_cast<int>(i);
    }
    if (g.about) {
      const auto s = seatIndex_.find(g.about->id);
      if (s == seatIndex_.end()) return fail("missing-seat", object, "the seat it is measured about is gone");
      r.about = s->second;
    }
    const auto need = [&](std::size_t n, const char* what) {
      return g.of.size() == n || fail("figure", object, fmt::format("needs {} in 'of'", what));
    };
    const auto readSeats = [&]() {
      for (const Symbol& s : g.of) {
        const auto it = seatIndex_.find(s.id);
        if (it == seatIndex_.end()) return fail("missing-seat", object, "a seat that it measures is gone");
        r.seats.push_back(it->second);
      }
      return true;
    };
    const auto readLinks = [&]() {
      for (const Symbol& s : g.of) {
        const auto it = linkIndex_.find(s.id);
        if (it == linkIndex_.end()) return fail("missing-link", object, "a link that it measures is gone");
        r.links.push_back(it->second);
      }
      return true;
    };
    switch (kind->measures) {
      case Measures::jointValue:
      case Measures::jointRate:
      case Measures::jointAcceleration:
      case Measures::jointJerk:
      case Measures::ratio:
        if (!need(kind->measures == Measures::ratio ? 2 : 1, "a joint value (two for a ratio)")) return false;
        for (const Symbol& s : g.of) {
          r.values.emplace_back();
          if (!valueRef(s, object, r.values.back())) return false;
        }
        break;
      case Measures::point:
      case Measures::pointRate:
      case Measures::pointAcceleration:
        if (!need(1, "one seat") || !readSeats()) return false;
        break;
      case Measures::distance:
      case Measures::angle:
        if (!need(2, "two seats") || !readSeats()) return false;
        break;
      case Measures::linkRate:
      case Measures::linkAcceleration:
        if (!need(1, "one link") || !readLinks()) return false;
        break;
      case Measures::clearance:
        if (!need(2, "two links") || !readLinks()) return false;
        break;
      case Measures::transmission: {
        if (!need(1, "one joint")) return false;
        const auto it = jointIndex_.find(g.of[0].id);
        if (it == jointIndex_.end()) return fail("missing-joint", object, "its joint is gone");
        r.joint = it->second;
        break;
      }
      case Measures::pressureAngle:
      case Measures::curvature: {
        if (!need(1, "one cam pair")) return false;
        const auto it = pairIndex_.find(g.of[0].id);
        if (it == pairIndex_.end()) return fail("missing-pair", object, "its cam pair is gone");
        r.pair = it->second;
        break;
      }
      case Measures::formula:
        if (!g.formula.formula) return fail("formula", object, "the formula is a plain number");
        if (!formulaDimension(g, object, r.dimension) || !valueFormula(g.formula, r.dimension, object, r.formula, true))
          return false;
    }
    switch (kind->measures) {
      case Measures::jointValue: r.dimension = dimensionOfRef(r.values[0]); break;
      case Measures::jointRate: r.dimension = dimensionOfRef(r.values[0]) + kPerSecond; break;
      case Measures::jointAcceleration: r.dimension = dimensionOfRef(r.values[0]) + 2.0 * kPerSecond; break;
      case Measures::jointJerk: r.dimension = dimensionOfRef(r.values[0]) + 3.0 * kPerSecond; break;
      case Measures::ratio: r.dimension = dimensionOfRef(r.values[0]) + (-1.0 * dimensionOfRef(r.values[1])); break;
      case Measures::point:
      case Measures::distance:
      case Measures::clearance: r.dimension = dimension::kLength; break;
      case Measures::pointRate: r.dimension = dimension::kSpeed; break;
      case Measures::pointAcceleration: r.dimension = dimension::kAcceleration; break;
      case Measures::linkRate: r.dimension = dimension::kTurnSpeed; break;
      case Measures::linkAcceleration: r.dimension = dimension::kTurnAcceleration; break;
      case Measures::angle:
      case Measures::pressureAngle:
      case Measures::transmission: r.dimension = dimension::kAngle; break;
      case Measures::curvature: r.dimension = -1.0 * dimension::kLength; break;
      case Measures::formula: break;
    }
    if (!overlay(g, object, r)) return false;
    out_.gauges.push_back(std::move(r));
    return true;
  }

  /// A curve of one's own: a formula, or points over the travel axis (time where a plain number is meant).
  bool overlay(const Gauge& g, const std::string& object, Resolved::GaugeR& r) {
    if (double within = 0; g.dwellWithin && !read(*g.dwellWithin, r.dimension, object, "dwell within", within))
      return false;
    if (g.overFormula) {
      if (!g.overFormula->formula) {
        double v = 0;  // a plain number is a level
        if (!read(*g.overFormula, r.dimension, object, "over", v)) return false;
        r.overPoints = {{-1e300, v}, {1e300, v}};
      } else if (!valueFormula(*g.overFormula, r.dimension, object, r.over, true)) {
        return false;
      }
    }
    for (const Pair& p : g.overPoints) {
      r.overPoints.emplace_back();
      if (!readOnAxis(p[0], axisDimension(), object, "over", r.overPoints.back().first) ||
          !read(p[1], r.dimension, object, "over", r.overPoints.back().second))
        return false;
    }
    return true;
  }
  /// A place on a travel axis: a plain number in the axis' own unit, else what its unit says.
  bool readOnAxis(const Field& f, const Dimension& axis, const std::string& object, const char* what, double& into) {
    if (!f.formula) {
      into = f.number * m_.units.factor(axis);
      return true;
    }
    for (const Dimension& d : {axis, dimension::kTime, dimension::kAngle, dimension::kLength})
      if (const auto v = field(f, d); v.ok()) {
        into = *v;
        return true;
      }
    return fail("figure", object, std::string(what) + ": " + field(f, axis).error().text);
  }

  /// What a formula of joint values measures: its own dimension.
  bool formulaDimension(const Gauge& g, const std::string& object, Dimension& d) {
    const auto q = g.formula.formula->evaluate([&](const Symbol& s) -> Result<Quantity> {
      Resolved::ValueRef ref;
      if (findById(m_.parameters, s.id)) return symbol(s);
      if (s.id == 0) return Quantity{0.37, {}, false};
      if (!valueRef(s, object, ref)) return error_;
      return Quantity{0.4321, dimensionOfRef(ref), true};
    });
    if (!q.ok() && q.error().text.find("finite") == std::string::npos) return fail("formula", object, q.error().text);
    if (q.ok()) d = q->dimension;
    return true;
  }

  bool gauges() {
    for (const auto& g : m_.gauges) {
      gaugeIndex_[g->id] = static_cast<int>(out_.gauges.size());
      if (!gauge(*g)) return false;
    }
    return true;
  }

  bool requirements() {
    for (const auto& q : m_.requirements) {
      const std::string object = "requirement " + q->name;
      const auto g = gaugeIndex_.find(q->gauge);
      if (g == gaugeIndex_.end()) return fail("missing-gauge", object, "its gauge is gone; choose another");
      Resolved::RequirementR r{q->id, q->name, g->second, q->measure, {}, {}, {}};
      static const std::vector<std::string> kMeasures{"range", "min", "max", "mean", "end", "at", "always"};
      if (std::find(kMeasures.begin(), kMeasures.end(), q->measure) == kMeasures.end())
        return fail("figure", object, fmt::format("there is no measure '{}'", q->measure));
      const Dimension d = out_.gauges[static_cast<std::size_t>(g->second)].dimension;
      const auto bound = [&](const std::optional<Field>& f, const char* what, std::optional<double>& into) {
        double v = 0;
        if (!f) return true;
        if (!read(*f, d, object, what, v)) return false;
        into = v;
        return true;
      };
      if (!bound(q->min, "min", r.min) || !bound(q->max, "max", r.max)) return false;
      if (q->measure == "at") {
        if (!q->at) return fail("missing", object, "measure 'at' needs a place on the travel axis");
        double v = 0;
        if (!readOnAxis(*q->at, axisDimension(), object, "at", v)) return false;
        r.at = v;
      }
      out_.requirements.push_back(std::move(r));
    }
    return true;
  }
  /// Of the travel axis of the first run, which is the one that a place on the axis means.
  Dimension axisDimension() const {
    const auto d = m_.runs.empty() ? nullptr : findById(m_.drives, m_.runs[0]->axis);
    if (!d) return dimension::kTime;
    if (d->gauge == 0) return jointValueDimension(d->value);
    const auto g = findById(m_.gauges, d->gauge);
    return g && g->kind == "angle" ? dimension::kAngle : dimension::kLength;
  }
  Dimension jointValueDimension(const Symbol& s) const {
    const auto j = findJoint(m_, s.id);
    const int v = j ? valueIndex(j->kind, s.member) : -1;
    return v < 0 ? dimension::kTime : dimensionOf(infoOf(j->kind).values[static_cast<std::size_t>(v)]);
  }

  /// What a drive moves: a joint value, or a gauge that is an angle or a distance.
  bool driven(const Drive& d, const std::string& object, Resolved::DriveR& r) {
    if (d.gauge == 0) {
      if (!valueRef(d.value, object, r.value)) return false;
      if (r.value.joint < 0) return fail("missing-joint", object, "ground can't be driven");
      const auto& kind = infoOf(out_.joints[static_cast<std::size_t>(r.value.joint)].kind);
      if (!kind.values[static_cast<std::size_t>(r.value.value)].drivable)
        return fail("figure", object, "this value can only be read, not driven");
      r.dimension = dimensionOfRef(r.value);
      return true;
    }
    const auto g = gaugeIndex_.find(d.gauge);
    if (g == gaugeIndex_.end()) return fail("missing-gauge", object, "its gauge is gone; choose another");
    const auto& gauge = out_.gauges[static_cast<std::size_t>(g->second)];
    r.dimension = gauge.dimension;
    if (gauge.kind == "joint-value") {
      r.value = gauge.values[0];
      return true;
    }
    if (gauge.kind.rfind("distance", 0) != 0 && gauge.kind != "angle")
      return fail("figure", object,
                  fmt::format("the gauge {} can't be driven: only angles, distances and joint values can", gauge.name));
    if (gauge.seats[0].first == gauge.seats[1].first)
      return fail("figure", object, fmt::format("both seats of the gauge {} are on one link", gauge.name));
    if (gauge.about && gauge.about->first != gauge.seats[0].first && gauge.about->first != gauge.seats[1].first)
      return fail("figure", object,
                  fmt::format("the gauge {} turns about a seat of a third link; choose one of the two", gauge.name));
    r.gauge = g->second;
    return true;
  }
  bool drives() {
    for (const auto& d : m_.drives) {
      const std::string object = "drive " + d->name;
      Resolved::DriveR r{d->id, d->name, {}, {}, d->reverse, d->enabled, -1, {}};
      if (!driven(*d, object, r)) return false;
      if (d->shared != 0 && !findById(m_.programmes, d->shared))
        return fail("missing-programme", object, "its programme is gone; choose another");
      for (const ProgrammeRow& given : rowsOf(m_, *d)) {
        r.rows.emplace_back();
        if (!row(given, r.dimension, object, r.rows.back())) return false;
      }
      driveIndex_[d->id] = static_cast<int>(out_.drives.size());
      out_.drives.push_back(std::move(r));
    }
    return true;
  }
};

}  // namespace cooperage::model
