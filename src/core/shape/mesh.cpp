// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRepAdaptor_Curve.hxx>
#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Copy.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <OSD_Parallel.hxx>
#include <Poly_Triangulation.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <map>
#include <unordered_map>

#include "shape/cut.h"
#include "shape/mesh_bound.h"
#include "shape/occt_units.h"

namespace cooperage::shape {
namespace {

constexpr double kWeld = 1e-6;  // mm; nodes on a common edge are the same to rounding

/// Joins equal points so that triangles share corners.
class Welder {
 public:
  explicit Welder(Mesh& mesh) : mesh_(mesh) {}
  int add(const gp_Pnt& p) {
    const std::array<long long, 3> key{cell(p.X()), cell(p.Y()), cell(p.Z())};
    const auto [it, fresh] = known_.try_emplace(key, static_cast<int>(mesh_.vertices.size()));
    if (fresh) mesh_.vertices.emplace_back(p.X() * kFromMm, p.Y() * kFromMm, p.Z() * kFromMm);
    return it->second;
  }

 private:
  static long long cell(double x) { return std::llround(x / (10 * kWeld)); }
  Mesh& mesh_;
  std::map<std::array<long long, 3>, int> known_;
};

/// @return false if the face has no triangles: a mesh without it would be open
bool addFace(const TopoDS_Face& face, Welder& weld, Mesh& mesh) {
  TopLoc_Location location;
  const Handle(Poly_Triangulation) tri = BRep_Tool::Triangulation(face, location);
  if (tri.IsNull()) return false;
  const gp_Trsf trsf = location.Transformation();
  std::vector<int> index(static_cast<std::size_t>(tri->NbNodes()) + 1);
  for (int i = 1; i <= tri->NbNodes(); ++i)
    index[static_cast<std::size_t>(i)] = weld.add(tri->Node(i).Transformed(trsf));
  const bool reversed = face.Orientation() == TopAbs_REVERSED;
  for (int i = 1; i <= tri->NbTriangles(); ++i) {
    int a = 0, b = 0, c = 0;
    tri->Triangle(i).Get(a, b, c);
    if (reversed) std::swap(b, c);
    const int x = index[static_cast<std::size_t>(a)], y = index[static_cast<std::size_t>(b)],
              z = index[static_cast<std::size_t>(c)];
    if (x != y && y != z && z != x) mesh.triangles.push_back({x, y, z});
  }
  return true;
}

/// Chords that an arc takes.
double chords(double angle, double radius, double deflection) {
  const double half = std::acos(std::max(-1.0, 1 - deflection / std::max(radius, deflection)));
  return std::max(1.0, std::abs(angle) / std::min(0.6, 2 * half));
}

}  // namespace

double trianglesFor(const TopoDS_Shape& shape, double deflection) {
  if (isFaceted(shape)) return 0;
  const double d = deflection / kFromMm;
  double sum = 0;
  for (TopExp_Explorer f(shape, TopAbs_FACE); f.More(); f.Next()) {
    const TopoDS_Face face = TopoDS::Face(f.Current());
    const BRepAdaptor_Surface s(face);
    const double u = s.LastUParameter() - s.FirstUParameter(), v = s.LastVParameter() - s.FirstVParameter();
    double rim = 0;  // places along the edges
    for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
      if (BRep_Tool::Degenerated(TopoDS::Edge(e.Current()))) continue;
      const BRepAdaptor_Curve c(TopoDS::Edge(e.Current()));
      if (c.GetType() == GeomAbs_Circle)
        rim += chords(c.LastParameter() - c.FirstParameter(), c.Circle().Radius(), d);
      else
        rim += 2;
    }
    double inside = 0;
    switch (s.GetType()) {
      case GeomAbs_Cylinder: inside = 2 * chords(u, s.Cylinder().Radius(), d); break;
      case GeomAbs_Cone: {
        const double far = std::abs(s.LastVParameter()) + std::abs(s.FirstVParameter());
        inside = 2 * chords(u, s.Cone().RefRadius() + far * std::abs(std::sin(s.Cone().SemiAngle())), d);
        break;
      }
      case GeomAbs_Sphere: inside = 2 * chords(u, s.Sphere().Radius(), d) * chords(v, s.Sphere().Radius(), d); break;
      case GeomAbs_Torus:
        inside =
            2 * chords(u, s.Torus().MajorRadius() + s.Torus().MinorRadius(), d) * chords(v, s.Torus().MinorRadius(), d);
        break;
      default: break;
    }
    constexpr double kManyPlaces = 1e4;
    sum += inside + rim * std::max(1.0, rim / kManyPlaces * 100);
  }
  return sum;
}

Result<Mesh> tessellate(const TopoDS_Shape& shape, double deflection) {
  Mesh mesh;
  try {
    if (const double many = trianglesFor(shape, deflection); many > kMostTriangles)
      return Error{"mesh", "",
                   fmt::format("a mesh with an accuracy of {:.3g} mm would take the memory of about {:.2g} triangles, "
                               "more than there is; ask for "
                               "a coarser accuracy",
                               deflection * 1e3, many)};
    // a copy without the display mesh: shapes are shared between threads and never changed; triangles are what they are
    const bool faceted = isFaceted(shape);
    TopoDS_Shape copy = shape;
    if (faceted) mesh.bound = 0;
    // where the bound that is proven is more than what was asked for, once more and finer
    double asked = deflection / kFromMm;
    for (int round = 0; !faceted && round < 2; ++round) {
      copy = BRepBuilderAPI_Copy(shape, true, false).Shape();
      IMeshTools_Parameters parameters;
      parameters.Deflection = asked;
      parameters.Angle = 0.6;
      parameters.InParallel = true;  // face by face: the mesh is the same
      BRepMesh_IncrementalMesh(copy, parameters);
      const auto bound = meshBound(copy);
      if (!bound) break;
      mesh.bound = *bound * kFromMm;
      if (*mesh.bound <= deflection) break;
      asked *= std::max(0.4, 0.9 * deflection / *mesh.bound);
    }
    Welder weld(mesh);
    int number = 0;
    for (TopExp_Explorer e(copy, TopAbs_FACE); e.More(); e.Next(), ++number)
      if (!addFace(TopoDS::Face(e.Current()), weld, mesh) && !faceted)
        return Error{"mesh", "",
                     fmt::format("face {} of a solid can't be tessellated; repair it where it was made", number)};
  } catch (const Standard_Failure& e) {
    return Error{"mesh", "", std::string("a solid can't be tessellated: ") + e.GetMessageString()};
  } catch (const std::bad_alloc&) {
    return Error{"mesh", "",
                 "a solid can't be tessellated: there is not enough memory for it; ask for a coarser accuracy"};
  }
  if (mesh.triangles.empty()) return Error{"mesh", "", "a solid has no faces to tessellate"};
  return mesh;
}

namespace {
/// mm
double displayMm(const TopoDS_Shape& shape) {
  Bnd_Box box;
  BRepBndLib::Add(shape, box, false);
  const double size = box.IsVoid() ? 1 : std::sqrt(box.SquareExtent());
  return std::max(0.02, size / 1500);
}
}  // namespace

void meshForDisplay(const TopoDS_Shape& shape) {
  if (isFaceted(shape)) return;
  IMeshTools_Parameters parameters;
  parameters.Deflection = displayMm(shape);
  parameters.Angle = 0.3;
  parameters.InParallel = true;  // face by face: the mesh is the same
  BRepMesh_IncrementalMesh(shape, parameters);
}

std::vector<SolidPtr> readyToShow(const std::vector<SolidPtr>& solids) {
  std::vector<std::shared_ptr<Solid>> out;
  for (const auto& s : solids) {
    meshForDisplay(s->shape);  // one after another: repeated parts share their faces
    out.push_back(std::make_shared<Solid>(*s));
  }
  OSD_Parallel::For(0, static_cast<int>(out.size()), [&](int i) {
    Solid& s = *out[static_cast<std::size_t>(i)];
    s.light = lightMesh(s.shape);
  });
  return {out.begin(), out.end()};
}

double displayDeflection(const TopoDS_Shape& shape) { return isFaceted(shape) ? 0 : displayMm(shape) * kFromMm; }

std::optional<Mesh> displayMesh(const TopoDS_Shape& shape) {
  Mesh mesh;
  Welder weld(mesh);
  for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next()) {
    TopLoc_Location location;
    if (BRep_Tool::Triangulation(TopoDS::Face(e.Current()), location).IsNull()) return {};
    addFace(TopoDS::Face(e.Current()), weld, mesh);
  }
  if (mesh.triangles.empty()) return {};
  if (isFaceted(shape))
    mesh.bound = 0;
  else if (const auto bound = meshBound(shape))
    mesh.bound = *bound * kFromMm;
  return mesh;
}

double volumeOf(const Mesh& mesh) {
  double six = 0;
  for (const auto& t : mesh.triangles)
    six += mesh.vertices[static_cast<std::size_t>(t[0])].dot(
        mesh.vertices[static_cast<std::size_t>(t[1])].cross(mesh.vertices[static_cast<std::size_t>(t[2])]));
  return six / 6;
}

}  // namespace cooperage::shape
