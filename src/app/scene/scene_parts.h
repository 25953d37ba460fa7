// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Part of scene.cpp and scene_pointer.cpp: the objects of the picture.
#include <map>

#include "scene.h"
// OCCT last
#include "shape/extent.h"
#include <AIS_InteractiveContext.hxx>
#include <AIS_Shape.hxx>
#include "body_object.h"
#include "mesh_object.h"
#include <Graphic3d_MaterialAspect.hxx>
#include <Poly_Triangulation.hxx>
#include <Prs3d_LineAspect.hxx>
#include <Prs3d_ShadingAspect.hxx>
#include <StdSelect_BRepOwner.hxx>
#include <StdSelect_ViewerSelector3d.hxx>
#include <TopExp.hxx>
#include <V3d_View.hxx>
#include <V3d_Viewer.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <gp_Trsf.hxx>

namespace cooperage::app {

struct Scene::Entry {
  Handle(BodyObject) object, old;  ///< what is shown until the object of another solid is made
  shape::SolidPtr solid;
  int link = -1, body = -1;  // indices in the resolved mechanism
  QColor base;
  int state = -1;  // what it was last drawn as
  int mode = 0;    // what answers to the pointer: 1 the whole, 2 faces, edges and corners
  bool visible = true, dressed = false, boundary = true;
  bool light = false;  // shown by its light mesh
  shape::Extent box;   // body axes
};

struct Scene::Shown {
  std::map<const shape::Solid*, std::pair<shape::SolidPtr, std::vector<std::vector<Vec3>>>> lines;
  std::map<model::Id, Entry> bodies;
  Handle(AIS_Triangulation) envelope;
  const EnvelopeData* envelopeOf = nullptr;
  Handle(AIS_Triangulation) common;
  double commonVolume = 0;  ///< of what is shown, m^3
  bool heavy = false;       ///< too much to be drawn in full while the picture moves
};

}  // namespace cooperage::app
