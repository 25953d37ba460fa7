// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <array>
#include <functional>
#include <memory>
#include <vector>

#include "base/expression.h"
#include "base/pose_jet.h"
#include "base/result.h"

namespace cooperage::curves {

/// A place on a curve and its derivatives to the parameter, order 0 to 4; m, in the axes of the curve's seat.
using CurvePoint = std::array<Vec3, 5>;

/// A curve in the plane of a seat (x = ref, y = axis x ref); formula curves may leave the plane. Immutable; threads may
/// share one.
class Curve {
 public:
  virtual ~Curve() = default;
  /// @param u parameter; a closed curve takes any (it counts on over many rounds), an open one goes straight on past
  /// its ends
  virtual CurvePoint at(double u) const = 0;
  double low() const { return low_; }
  double high() const { return high_; }
  bool closed() const { return closed_; }
  /// Lies in the plane of its seat, or at least counts as if: a contact with it may shift along the seat's axis.
  bool planar() const { return planar_; }
  /// Parameters at which the curvature may jump (joints of pieces), within low..high.
  const std::vector<double>& corners() const { return corners_; }

  /// Parameter of the place nearest to a point.
  double nearest(const Vec3& x) const;
  /// Parameter of the place farthest along a direction of the plane (first contact of a straight edge).
  double farthest(const Vec3& direction) const;
  /// Arc length from low() to u, m.
  double lengthTo(double u) const;
  /// The parameter at an arc length from low(), m.
  double atLength(double s) const;
  /// Tangent's angle in the plane and its first three derivatives to u.
  ScalarJet tangent(double u) const;
  /// Signed curvature in the plane, 1/m: positive where it turns to the left as u grows.
  double curvature(double u) const;
  /// +1 if the inside lies to the left of a closed curve (counter-clockwise), -1 if to the right.
  double windingSign() const { return winding_; }

 protected:
  /// Call at the end of a constructor: tables for the length and the winding.
  void measure();
  double low_ = 0, high_ = 1;
  bool closed_ = false, planar_ = true;
  std::vector<double> corners_;

 private:
  double winding_ = 1;
  std::vector<double> knots_, lengths_;
};
using CurvePtr = std::shared_ptr<const Curve>;

/// Parameter: the angle in rad.
CurvePtr circle(const Eigen::Vector2d& centre, double radius);

/// x, y, z as formulas of the plain number u.
/// @param evaluate works one formula out at a jet of u, in SI
struct FormulaParts {
  std::array<std::shared_ptr<const Expression>, 3> parts;  ///< null: a constant
  std::array<double, 3> constants{};
  std::function<Jet(const Symbol&)> lookup;  ///< values of the parameters, in SI
  double low = 0, high = 1;
};
CurvePtr formula(FormulaParts parts);

/// A piece of a chain.
struct Piece {
  enum class Kind { line, arc, spline, general } kind = Kind::line;
  std::vector<Eigen::Vector2d> points;  ///< ends of a line or an arc; all points of a spline
  Eigen::Vector2d centre{0, 0};
  bool ccw = true;
  std::function<CurvePoint(double)> own = {};  ///< of a general piece, by its own parameter, with four derivatives
  std::vector<double> breaks = {};             ///< its own parameter from start to end, smooth between
};
/// Pieces put end to end make one curve; its parameter is the arc length in m. A spline is a cubic through its points,
/// tangent to its neighbours; alone and closed it is periodic.
/// @param kinks   angle up to which a kink is only remarked, rad
/// @param remarks kinks that were let pass, with place and angle, if not null
/// @return an error that names the place and size of a gap, or the angle of a kink
Result<CurvePtr> chain(const std::vector<Piece>& pieces, bool closed, const std::string& name, double kinks = 1e-4,
                       std::vector<std::string>* remarks = nullptr);

/// The curve at a distance to the left (positive) or right of another, in its plane. Orders 0 to 3; order 4 is zero.
/// An offset of an offset is one of the sum: a roller on the profile made for it runs exactly on its own path.
CurvePtr offset(CurvePtr base, double distance);

/// Two planar curves that roll on one another without slip: the placement of the second curve's axes in the first's as
/// a function of the first's parameter.
class Rolling {
 public:
  /// @param u0, w0 parameters of both at the contact from which the arc lengths count
  /// @param sign   +1 if both are run through in the same sense along the common tangent, else -1
  Rolling(CurvePtr first, CurvePtr second, double u0, double w0, double sign);
  PoseJet at(double u) const;
  double partner(double u) const;  ///< the second curve's parameter
  double start() const { return u0_; }

 private:
  CurvePtr first_, second_;
  double u0_, s0_, t0_, sign_;
};

/// Placement of the moving frame on a curve: origin on it, x along its tangent, in its plane.
PoseJet contactFrame(const Curve& curve, double u);

}  // namespace cooperage::curves
