// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <atomic>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "clearance/convex.h"
#include "clearance/facets.h"
#include "shape/shape_store.h"

namespace cooperage::clearance {

/// One body of a link, ready to be checked. It has a mesh at once, at least the one that is shown on a screen; the one
/// that the accuracy asks for is made when that does not tell enough. Shared between checks as long as its body does
/// not change. Any thread may ask.
class Part {
 public:
  /// @param deflection of the fine mesh, m
  static Result<std::shared_ptr<const Part>> make(const model::Resolved::BodyR& body, const std::string& linkName,
                                                  shape::ShapeStore& store, double deflection, Progress* progress);

  shape::SolidPtr solid;         ///< the body itself
  Pose placement;                ///< X_LB: body axes to link axes
  std::optional<Convex> convex;  ///< its exact figures, if it is simple enough
  std::string name;
  Vec3 low{0, 0, 0}, high{0, 0, 0}, centre{0, 0, 0};  ///< of a box that holds the body; link axes
  double radius = 0;                                  ///< of a sphere about `centre` that holds it
  bool revolves = false;                              ///< a body of revolution, about its own axis
  int fold = 0;  ///< looks the same turned by a whole turn over this about its own axis (teeth, starts); 0: it doesn't
  Vec3 axisAt{0, 0, 0}, axis{0, 0, 1};
  double row = 0;          ///< m: looks the same moved by this along `rowAlong`, but for its ends (a rack)
  Vec3 rowAlong{1, 0, 0};  ///< link axes
  /// A rack that goes on: the same teeth in the same places, but `teeth` of them about the one that lies nearest to a
  /// place (link axes). Finely meshed.
  std::shared_ptr<const Part> longer(const Vec3& about, int teeth) const;

  /// What is at hand at once.
  const Facets& rough() const { return *rough_; }
  /// True to the deflection; the first time it may take seconds. What can't be meshed so finely stays as it is, see
  /// fault(). After a cancel it is the rough mesh, too.
  const Facets& fine(Progress* progress = nullptr) const;
  const std::string& object() const { return object_; }  ///< link/body
  double deflection() const { return deflection_; }      ///< that the fine mesh is asked for, m
  bool isFine() const { return fine_ != nullptr; }
  /// The best that is at hand.
  const Facets& now() const { return fine_ ? *fine_ : *rough_; }
  /// Why its fine mesh can't be made, if so.
  std::optional<Message> fault() const;
  /// Is an axis its own? @param pose of its link @param at, about a place on it and its unit direction, both in the
  /// axes of the pose
  bool turnsInItself(const Pose& pose, const Vec3& at, const Vec3& about) const;
  /// Signed distance of a point in link axes, m, negative inside: in closed form for boxes, cylinders and spheres, else
  /// to a mesh.
  double signedDistance(const Facets& facets, const Vec3& point) const;
  /// Is that the closed form?
  bool hasClosedForm() const { return convex && convex->hasClosedForm(); }

 private:
  std::unique_ptr<Facets> placed(shape::Mesh mesh, double error) const;
  void bound();                  ///< box and sphere about the rough mesh
  std::vector<double> figures_;  ///< of a rack
  std::string object_;           ///< link/body, for messages
  double deflection_ = 0;
  std::shared_ptr<shape::MeshStore> meshes_;
  std::unique_ptr<Facets> rough_;
  mutable std::mutex making_;
  mutable std::unique_ptr<Facets> made_;
  mutable std::atomic<const Facets*> fine_{nullptr};
  mutable std::optional<Message> fault_;
};
using PartPtr = std::shared_ptr<const Part>;

/// Geometry of one link for checks.
class LinkGeometry {
 public:
  LinkGeometry() = default;
  explicit LinkGeometry(std::vector<PartPtr> parts);
  const std::vector<PartPtr>& parts() const { return parts_; }
  bool empty() const { return parts_.empty(); }
  /// Sphere about all parts, in link axes.
  Vec3 centre() const { return centre_; }
  double radius() const { return radius_; }

 private:
  std::vector<PartPtr> parts_;
  Vec3 centre_{0, 0, 0};
  double radius_ = 0;
};

/// What is kept between checks: parts by body, so that only what changed is made anew. Any thread may ask.
class GeometryCache {
 public:
  Result<std::shared_ptr<const LinkGeometry>> get(const model::Resolved::LinkR& link, shape::ShapeStore& store,
                                                  double deflection, Progress* progress);
  /// How many parts were made so far: what a change has cost.
  int made() const { return made_; }

 private:
  std::mutex mutex_;
  Recent<std::string, const Part> known_{64};  ///< a slider that moves a part in its link makes one each time
  int made_ = 0;
};

/// Geometry of all links for a run. Deflection of the fine meshes is a quarter of the run's accuracy: two bodies
/// together are true to half of it.
struct CheckGeometry {
  std::vector<std::shared_ptr<const LinkGeometry>> links;
  bool whole = false;  ///< of every link; else those that were not wanted are empty
  double deflection = 0;
  double tolerance = 0;  ///< what jointed and coupled links may overlap: both tessellation errors and fit_depth
};
/// What a run's geometry is wanted for: meshes of gears and threads take seconds.
enum class Need {
  measures,  ///< to compute it: links of clearance gauges, or all if it stops at contact
  checks,    ///< what it is asked to check, too
  all,       ///< every link
  fine       ///< every link, finely meshed
};
Result<CheckGeometry> geometryFor(const model::Resolved& resolved, int run, shape::ShapeStore& store,
                                  GeometryCache& cache, Progress* progress, Need need = Need::checks);

}  // namespace cooperage::clearance
