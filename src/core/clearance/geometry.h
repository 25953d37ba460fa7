// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "clearance/convex.h"
#include "clearance/distance.h"
#include "clearance/mesh_tree.h"
#include "shape/shape_store.h"

namespace cooperage::clearance {

/// One body of a link, ready to be checked: mesh in link axes, trees and fields made when first asked for. Shared
/// between checks as long as its body does not change. Any thread may ask.
class Part {
 public:
  /// @param deflection of the mesh, m
  static Result<std::shared_ptr<const Part>> make(const model::Resolved::BodyR& body, const std::string& linkName,
                                                  shape::ShapeStore& store, double deflection, Progress* progress);

  shape::Mesh mesh;              ///< link axes
  double error = 0;              ///< greatest distance of mesh and body, m; 0 where all faces are flat
  shape::SolidPtr solid;         ///< the body itself
  Pose placement;                ///< X_LB: body axes to link axes
  std::optional<Convex> convex;  ///< its exact figures, if it is simple enough
  std::string name;
  Vec3 low = Vec3::Zero(), high = Vec3::Zero(), centre = Vec3::Zero();
  double radius = 0;      ///< of the sphere about `centre`
  bool revolves = false;  ///< a body of revolution, about its own axis
  Vec3 axisAt = Vec3::Zero(), axis = Vec3::UnitZ();
  /// A corner of each piece of the surface that hangs together: where one lies inside another body, all of it does.
  std::vector<Vec3> samples;

  const MeshTree& whole() const;
  /// Tree of the mesh with its faces moved inwards, but never by more than a quarter of its least thickness.
  const MeshTree& shrunk(double distance) const;
  const MeshDistance& distance() const;
  /// Signed distance of a point in link axes, m, negative inside: in closed form for boxes, cylinders and spheres, else
  /// to the mesh.
  double signedDistance(const Vec3& point) const;

 private:
  double thickness_ = 0;  ///< least extent in body axes
  mutable std::once_flag distanceOnce_, wholeOnce_;
  mutable std::unique_ptr<MeshDistance> distance_;
  mutable std::unique_ptr<MeshTree> whole_;
  mutable std::mutex mutex_;
  mutable std::map<double, std::unique_ptr<MeshTree>> shrunk_;
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
  Vec3 centre_ = Vec3::Zero();
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
  std::map<std::string, PartPtr> known_;
  int made_ = 0;
};

/// Geometry of all links for a run. Deflection of the meshes is a quarter of the run's accuracy: two bodies together
/// are true to half of it.
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
  all        ///< every link
};
Result<CheckGeometry> geometryFor(const model::Resolved& resolved, int run, shape::ShapeStore& store,
                                  GeometryCache& cache, Progress* progress, Need need = Need::checks);

}  // namespace cooperage::clearance
