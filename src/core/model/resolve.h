// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/geometry.h"
#include "model/mechanism.h"

namespace cooperage::model {

/// A mechanism in figures: all formulas worked out, all names turned into indices, all in SI. What the solvers read.
struct Resolved {
  struct SeatR {
    Id id;
    std::string name;
    Pose frame;  ///< X_LS: seat axes to link axes
  };
  struct BodyR {
    Id id;
    std::string name;
    BodyKind kind;
    std::string file;
    int solid;
    std::vector<double> figures;  ///< as elementFigures() orders them, m
    Pose placement;               ///< X_LB: body axes to link axes
  };
  struct LinkR {
    Id id;
    std::string name;
    bool ground;
    Pose placement;  ///< X_GL, the start guess
    std::vector<SeatR> seats;
    std::vector<BodyR> bodies;
  };
  struct JointR {
    Id id;
    std::string name;
    JointKind kind;
    int linkA, linkB;
    Pose seatA, seatB;  ///< in their links' axes
    Pose offset;        ///< slide along and turn about the axis
    bool flip, held, enabled;
    std::vector<std::optional<double>> home, low, high;  ///< one a value; rad or m
    double lead;                                         ///< m a turn, of a screw
  };
  struct ValueRef {
    int joint = -1, value = -1;  ///< joint -1: a grounded link's, always zero
  };
  struct CouplingR {
    Id id;
    std::string name;
    std::vector<ValueRef> values;
    std::vector<double> coefficients;  ///< sum of coefficient * (value - home value) = 0
    bool enabled;
  };
  struct RowR {
    std::string law;
    std::map<std::string, double> figures;  ///< SI
    std::vector<double> list;
    std::shared_ptr<const Expression> formula;
  };
  struct DriveR {
    Id id;
    std::string name;
    ValueRef value;
    std::vector<RowR> rows;
    bool reverse, enabled;
  };
  struct GaugeR {
    Id id;
    std::string name, kind;
    std::vector<ValueRef> values;            ///< of joint gauges
    std::vector<std::pair<int, int>> seats;  ///< link, index among its seats
    std::vector<int> links;                  ///< of link gauges
    int in = -1;                             ///< link, or -1 for ground
    int component = 3;                       ///< 0 x, 1 y, 2 z, 3 size
    int joint = -1;                          ///< of a transmission angle
    std::optional<std::pair<int, int>> about;
    Dimension dimension;
  };
  struct RequirementR {
    Id id;
    std::string name;
    int gauge;
    std::string measure;
    std::optional<double> min, max, at;
  };
  struct RunR {
    Id id;
    std::string name;
    double duration;  ///< s
    int steps;
    int axis = -1;            ///< index of a drive, or -1 for time
    std::vector<int> drives;  ///< those that act
    std::vector<std::pair<int, double>> start;
    int sweepDrive = -1;
    double sweepFrom = 0, sweepTo = 0;
    bool reverseAtLimit, pastStops, stopAtContact;
    double accuracy, fitDepth, fitAngle, fitLength;
    std::vector<std::string> check;
    std::vector<std::pair<int, int>> leaveOut;  ///< links
  };

  DocumentUnits units;
  std::vector<std::pair<Id, Quantity>> parameters;
  std::vector<LinkR> links;
  std::vector<JointR> joints;
  std::vector<CouplingR> couplings;
  std::vector<DriveR> drives;
  std::vector<GaugeR> gauges;
  std::vector<RequirementR> requirements;
  std::vector<RunR> runs;
  std::vector<Message> messages;  ///< what is odd but usable
};

/// Works a mechanism out. The error names the first object that can't be used and what is wrong with it: a formula of
/// the wrong dimension, parameters that go in a circle (by name), a zero axis, an unknown law.
Result<Resolved> resolve(const Mechanism& mechanism);

/// A single number field, for read-outs beside the field.
Result<double> evaluateField(const Mechanism& mechanism, const Field& field, const Dimension& wanted);

/// Dimension of a figure of a programme row, by the law's key ("to", "time", "speed"), or none if the law has no such.
std::optional<Dimension> figureDimension(const std::string& law, const std::string& key, const Dimension& value);
/// The keys that a law must have; empty if there is no such law.
const std::vector<std::string>& figuresOf(const std::string& law);
bool isLaw(const std::string& law);

/// Dimension of what a gauge measures.
Result<Dimension> gaugeDimension(const Mechanism& mechanism, const Gauge& gauge);

/// Figures to plain poses; the placement must be resolvable.
Pose toPose(const Eigen::Vector3d& at, const Eigen::Vector4d& turn);

}  // namespace cooperage::model
