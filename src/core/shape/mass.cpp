// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/mass.h"

#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>
#include <Standard_Failure.hxx>

#include <map>
#include <mutex>

namespace cooperage::shape {

VolumeFigures volumeFigures(const TopoDS_Shape& solid) {
  VolumeFigures out;
  out.inertia.setZero();
  GProp_GProps props;
  try {
    BRepGProp::VolumeProperties(solid, props);
  } catch (const Standard_Failure&) {
    return out;
  }
  constexpr double kMm = 1e-3;
  const double sign = props.Mass() < 0 ? -1 : 1;  // faces that point inwards
  out.volume = sign * props.Mass() * kMm * kMm * kMm;
  if (!(out.volume > 0)) return out;
  const gp_Pnt c = props.CentreOfMass();
  out.centre = Vec3(c.X(), c.Y(), c.Z()) * kMm;
  const gp_Mat m = props.MatrixOfInertia();  // about the centre
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) out.inertia(i, j) = sign * m(i + 1, j + 1) * std::pow(kMm, 5);
  return out;
}

namespace {

/// Figures of solids that are there, each measured once.
class Measured {
 public:
  VolumeFigures of(const SolidPtr& solid) {
    {
      const std::lock_guard<std::mutex> lock(mutex_);
      const auto it = known_.find(solid.get());
      if (it != known_.end() && it->second.solid.lock() == solid) return it->second.figures;
    }
    const VolumeFigures figures = volumeFigures(solid->shape);
    const std::lock_guard<std::mutex> lock(mutex_);
    if (known_.size() > kMost)
      for (auto it = known_.begin(); it != known_.end();) it = it->second.solid.expired() ? known_.erase(it) : ++it;
    known_[solid.get()] = {solid, figures};
    return figures;
  }

 private:
  static constexpr std::size_t kMost = 256;  ///< then those that are gone are forgotten
  struct Entry {
    std::weak_ptr<const Solid> solid;  ///< an address stands for a solid only as long as it lives
    VolumeFigures figures;
  };
  std::mutex mutex_;
  std::map<const Solid*, Entry> known_;
};

Measured& measured() {
  static Measured all;
  return all;
}

}  // namespace

void attachMasses(model::Resolved& resolved, const SolidOf& solidOf) {
  for (auto& link : resolved.links) {
    double mass = 0;
    Vec3 first = Vec3::Zero();
    struct Part {
      double mass;
      Vec3 centre;
      Mat3 inertia;
    };
    std::vector<Part> parts;
    for (const auto& b : link.bodies) {
      if (!b.density || !(*b.density > 0)) continue;
      const SolidPtr solid = solidOf(link, b);
      if (!solid) continue;
      const VolumeFigures v = measured().of(solid);
      const Mat3& R = b.placement.R;
      parts.push_back({*b.density * v.volume, b.placement * v.centre, *b.density * (R * v.inertia * R.transpose())});
      mass += parts.back().mass;
      first += parts.back().mass * parts.back().centre;
    }
    if (!(mass > 0)) continue;
    model::Resolved::MassR out;
    out.value = mass;
    out.centre = first / mass;
    out.inertia.setZero();
    for (const Part& p : parts) {  // Steiner
      const Vec3 d = p.centre - out.centre;
      out.inertia += p.inertia + p.mass * (d.squaredNorm() * Mat3::Identity() - d * d.transpose());
    }
    link.ofSolids = out;
    if (!link.massTyped) link.mass = out;
  }
}

}  // namespace cooperage::shape
