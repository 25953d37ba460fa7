// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <memory>
#include <mutex>
#include <vector>

#include "clearance/distance.h"
#include "clearance/mesh_tree.h"

namespace cooperage::clearance {

/// The surface of a body as triangles in link axes, true to a known distance. Trees and fields are made when first
/// asked for; any thread may ask.
class Facets {
 public:
  /// @param error greatest distance of mesh and body, m; 0 where the mesh is the body
  /// @param certain is that proven? Else it is the mesher's word.
  Facets(shape::Mesh mesh, double error, bool certain = true);

  const shape::Mesh& mesh() const { return mesh_; }
  double error() const { return error_; }
  bool certain() const { return certain_; }
  /// Box about the mesh.
  const Vec3& low() const { return low_; }
  const Vec3& high() const { return high_; }
  /// A corner of each piece of the surface that hangs together: where one lies inside another body, all of it does.
  const std::vector<Vec3>& samples() const { return samples_; }

  const MeshTree& whole() const;
  /// Tree of the mesh with its faces moved inwards, but never by more than a quarter of the wall behind them: what is
  /// moved less is only asked for more.
  const MeshTree& shrunk(double distance) const;
  const MeshDistance& distance() const;

 private:
  shape::Mesh mesh_;
  double error_;
  bool certain_;
  Vec3 low_, high_;
  std::vector<Vec3> samples_;
  mutable std::once_flag distanceOnce_, wholeOnce_;
  mutable std::unique_ptr<MeshDistance> distance_;
  mutable std::unique_ptr<MeshTree> whole_;
  mutable std::mutex mutex_;
  mutable std::map<double, std::unique_ptr<MeshTree>> shrunk_;
};

}  // namespace cooperage::clearance
