// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/common_volume.h"

#include <BRepAlgoAPI_Common.hxx>
#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>

#include "base/aside.h"
#include "shape/cut.h"
#include "shape/occt_progress.h"
#include "shape/placement.h"
#include "shape/occt_units.h"

namespace cooperage::clearance {
namespace {

/// Bodies of a link that come near the other link, placed; an error for one that has no surfaces.
Status placed(const LinkGeometry& link, const Pose& pose, const LinkGeometry& other, const Pose& otherPose,
              TopTools_ListOfShape& out) {
  for (const PartPtr& p : link.parts()) {
    if ((pose * p->centre - otherPose * other.centre()).norm() > p->radius + other.radius()) continue;
    if (shape::isFaceted(p->solid->shape))
      return Error{"common-volume", p->name,
                   "body " + p->name + " is only triangles: its common volume can't be worked out; use its STEP file"};
    out.Append(p->solid->shape.Moved(TopLoc_Location(shape::toTrsf(pose * p->placement))));
  }
  return Done{};
}

Result<CommonVolume> common(const TopTools_ListOfShape& arguments, const TopTools_ListOfShape& tools, double deflection,
                            const std::shared_ptr<shape::OcctWork>& work) {
  CommonVolume out;
  try {
    BRepAlgoAPI_Common common;
    common.SetArguments(arguments);
    common.SetTools(tools);
    common.SetNonDestructive(true);  // shapes are shared between threads and never changed
    common.SetRunParallel(true);
    const Handle(shape::OcctProgress) told = new shape::OcctProgress(work);
    common.Build(told->Start());
    if (!common.IsDone() || common.HasErrors())
      return Error{"common-volume", "", "these bodies' faces can't be intersected; move the pose a little"};
    const TopoDS_Shape& shape = common.Shape();
    if (!TopExp_Explorer(shape, TopAbs_SOLID).More()) return out;
    GProp_GProps properties;
    BRepGProp::VolumeProperties(shape, properties);
    out.volume = properties.Mass() * shape::kFromMm * shape::kFromMm * shape::kFromMm;
    const gp_Pnt c = properties.CentreOfMass();
    out.centroid = shape::kFromMm * Vec3(c.X(), c.Y(), c.Z());
    auto mesh = shape::tessellate(shape, deflection);
    if (!mesh.ok()) return mesh.error();
    out.mesh = std::move(mesh).value();
  } catch (const Standard_Failure& e) {
    return Error{"common-volume", "", std::string("these bodies can't be intersected: ") + e.GetMessageString()};
  }
  out.boxLow = Vec3::Constant(1e300);
  out.boxHigh = -out.boxLow;
  for (const Vec3& v : out.mesh.vertices) {
    out.boxLow = out.boxLow.cwiseMin(v);
    out.boxHigh = out.boxHigh.cwiseMax(v);
  }
  return out;
}

}  // namespace

Result<CommonVolume> commonVolume(const LinkGeometry& a, const Pose& poseA, const LinkGeometry& b, const Pose& poseB,
                                  double deflection, Progress* progress) {
  TopTools_ListOfShape arguments, tools;
  if (const Status s = placed(a, poseA, b, poseB, arguments); !s.ok()) return s.error();
  if (const Status s = placed(b, poseB, a, poseA, tools); !s.ok()) return s.error();
  if (arguments.IsEmpty() || tools.IsEmpty()) return CommonVolume{};
  const auto work = std::make_shared<shape::OcctWork>();
  const auto made = std::make_shared<std::optional<Result<CommonVolume>>>();
  const bool done = doAside(
      progress, [made, work, arguments, tools, deflection] { *made = common(arguments, tools, deflection, work); },
      [&] { progress->report(work->share); });
  if (!done) {
    work->stop = true;
    return Error{"cancelled", "", "cancelled", true};
  }
  return std::move(**made);
}

}  // namespace cooperage::clearance
