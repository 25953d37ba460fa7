// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "shape/solid.h"
// OCCT last
#include <AIS_Shape.hxx>

namespace cooperage::app {

/// ms of one turn of the event loop that are given to making parts ready.
inline constexpr double kSlice = 12;

/// A body in the scene: besides OCCT's own ways to be shown it has one by its light mesh. What answers to the pointer
/// is the body itself in all of them.
class BodyObject : public AIS_Shape {
 public:
  static constexpr Standard_Integer kLight = 3;  ///< display mode

  explicit BodyObject(shape::SolidPtr solid) : AIS_Shape(solid->shape), solid_(std::move(solid)) {}

  Standard_Boolean AcceptDisplayMode(const Standard_Integer mode) const override {
    return AIS_Shape::AcceptDisplayMode(mode) || (mode == kLight && solid_->light);
  }
  void Compute(const Handle(PrsMgr_PresentationManager) & manager, const Handle(Prs3d_Presentation) & presentation,
               const Standard_Integer mode) override;

  DEFINE_STANDARD_RTTI_INLINE(BodyObject, AIS_Shape)

 private:
  shape::SolidPtr solid_;
};

}  // namespace cooperage::app
