// SPDX-License-Identifier: GPL-3.0-or-later
#include "mesh_object.h"

#include <Graphic3d_MaterialAspect.hxx>
#include <Poly_Triangulation.hxx>
#include <Prs3d_ShadingAspect.hxx>

namespace cooperage::app {

Handle(AIS_Triangulation) meshObject(const shape::Mesh& mesh, const QColor& colour, double transparency) {
  Handle(Poly_Triangulation) tri = new Poly_Triangulation(static_cast<int>(mesh.vertices.size()),
                                                          static_cast<int>(mesh.triangles.size()), false, true);
  std::vector<Vec3> normals(mesh.vertices.size(), Vec3::Zero());
  int i = 1;
  for (const Vec3& v : mesh.vertices) tri->SetNode(i++, gp_Pnt(v.x() * 1e3, v.y() * 1e3, v.z() * 1e3));
  i = 1;
  for (const auto& t : mesh.triangles) {
    const auto at = [&](int k) { return mesh.vertices[static_cast<std::size_t>(t[static_cast<std::size_t>(k)])]; };
    const Vec3 n = (at(1) - at(0)).cross(at(2) - at(0));
    for (int k : t) normals[static_cast<std::size_t>(k)] += n;
    tri->SetTriangle(i++, Poly_Triangle(t[0] + 1, t[1] + 1, t[2] + 1));
  }
  i = 1;
  for (const Vec3& n : normals) {
    const Vec3 u = n.norm() > 0 ? Vec3(n.normalized()) : Vec3::UnitZ();
    tri->SetNormal(i++, gp_Dir(u.x(), u.y(), u.z()));
  }
  Handle(AIS_Triangulation) object = new AIS_Triangulation(tri);
  object->Attributes()->SetShadingAspect(new Prs3d_ShadingAspect());
  const auto& aspect = object->Attributes()->ShadingAspect();
  Graphic3d_MaterialAspect material(Graphic3d_NOM_PLASTIC);
  material.SetTransparency(static_cast<float>(transparency));
  aspect->SetMaterial(material);
  aspect->SetColor({colour.redF(), colour.greenF(), colour.blueF(), Quantity_TOC_sRGB});
  aspect->SetTransparency(transparency);
  return object;
}

}  // namespace cooperage::app
