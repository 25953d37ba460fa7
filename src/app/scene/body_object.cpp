// SPDX-License-Identifier: GPL-3.0-or-later
#include "body_object.h"

#include <Graphic3d_ArrayOfSegments.hxx>
#include <Graphic3d_ArrayOfTriangles.hxx>
#include <Prs3d_LineAspect.hxx>
#include <Prs3d_Presentation.hxx>
#include <Prs3d_ShadingAspect.hxx>

namespace cooperage::app {

void BodyObject::Compute(const Handle(PrsMgr_PresentationManager) & manager,
                         const Handle(Prs3d_Presentation) & presentation, const Standard_Integer mode) {
  if (mode != kLight) {
    AIS_Shape::Compute(manager, presentation, mode);
    return;
  }
  const shape::LightMesh& light = *solid_->light;
  Handle(Graphic3d_ArrayOfTriangles) triangles =
      new Graphic3d_ArrayOfTriangles(static_cast<int>(light.points.size()), static_cast<int>(light.triangles.size()),
                                     /*normals*/ true);
  for (std::size_t i = 0; i < light.points.size(); ++i) {
    const auto &p = light.points[i], &n = light.normals[i];
    triangles->AddVertex(p[0], p[1], p[2], n[0], n[1], n[2]);
  }
  for (const unsigned k : light.triangles) triangles->AddEdge(static_cast<int>(k) + 1);
  const Handle(Graphic3d_Group) faces = presentation->NewGroup();
  faces->SetGroupPrimitivesAspect(myDrawer->ShadingAspect()->Aspect());
  faces->AddPrimitiveArray(triangles);
  faces->SetClosed(true);  // a section caps it
  if (!myDrawer->FaceBoundaryDraw()) return;
  std::size_t points = 0, segments = 0;
  for (const auto& line : light.edges) {
    points += line.size();
    segments += line.size() - 1;
  }
  if (segments == 0) return;
  Handle(Graphic3d_ArrayOfSegments) lines =
      new Graphic3d_ArrayOfSegments(static_cast<int>(points), static_cast<int>(2 * segments));
  int first = 1;
  for (const auto& line : light.edges) {
    for (const auto& p : line) lines->AddVertex(p[0], p[1], p[2]);
    for (int k = 0; k + 1 < static_cast<int>(line.size()); ++k) lines->AddEdges(first + k, first + k + 1);
    first += static_cast<int>(line.size());
  }
  const Handle(Graphic3d_Group) edges = presentation->NewGroup();
  edges->SetGroupPrimitivesAspect(myDrawer->FaceBoundaryAspect()->Aspect());
  edges->AddPrimitiveArray(lines);
}

}  // namespace cooperage::app
