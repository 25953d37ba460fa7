// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <array>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/geometry.h"
#include "base/progress.h"
#include "base/result.h"
#include "elements/cam.h"
#include "model/mechanism.h"
#include "shape/light_mesh.h"

namespace cooperage::shape {

/// Closed triangle mesh in m, corners shared between triangles, counter-clockwise seen from outside.
struct Mesh {
  std::vector<Vec3> vertices;
  std::vector<std::array<int, 3>> triangles;
  /// Greatest distance from the true surface, m, where that is proven; else the mesher is taken at its word.
  std::optional<double> bound = {};
};

/// A solid as a file or an element gives it. OCCT stays in mm. Never changed after it was made.
struct Solid {
  TopoDS_Shape shape;  ///< mm, in the axes of the file or the element; carries the mesh for display
  std::string name;
  std::optional<model::Colour> colour;
  std::vector<std::string> path = {};  ///< names of the sub-assemblies that hold it, outermost first, "#n" for the n-th
  /// Of an element whose surface is known in closed form: its triangles true to a deflection, m (see element_mesh.h).
  std::function<std::optional<Mesh>(double)> mesher = {};
  LightMeshPtr light = {};  ///< where it is to be looked at, and its mesh is not small
};
using SolidPtr = std::shared_ptr<const Solid>;

/// Reads a geometry file into its solids, in the file's order, placements applied.
/// The error names the file and what is wrong: empty, cut off, damaged with faces missing, no solid in it.
using SolidReader = std::function<Result<std::vector<SolidPtr>>(const std::filesystem::path&, Progress*)>;

/// Reads a STEP file in this process.
Result<std::vector<SolidPtr>> readStep(const std::filesystem::path& path, Progress* progress = nullptr);

/// Reads an IGES, BREP, STL or OBJ file by its ending, or STEP. STL and OBJ hold no unit: their figures are taken as
/// mm; they become one solid of triangles without surfaces.
Result<std::vector<SolidPtr>> readGeometry(const std::filesystem::path& path, Progress* progress = nullptr);
/// True for the endings that readGeometry() knows, in capitals too.
bool isGeometryFile(const std::filesystem::path& path);

/// Looks a STEP text over without the reader: header and end, entities that are referred to and missing.
Status stepTextHealth(const std::string& text, const std::string& fileName);
/// Number of faces that the text defines.
int stepFaceCount(const std::string& text);

/// Solids as one binary file, to hand over between processes.
Status writeSolids(const std::vector<SolidPtr>& solids, const std::filesystem::path& path);
Result<std::vector<SolidPtr>> readSolids(const std::filesystem::path& path);

/// Parts of a STEP file to write: shape in mm, name, colour, placement.
struct StepPart {
  TopoDS_Shape shape;
  std::string name;
  std::optional<model::Colour> colour;
  Pose placement;
};
/// Writes an assembly of named, coloured, placed parts (one part alone is written without an assembly).
Status writeStep(const std::vector<StepPart>& parts, const std::string& name, const std::filesystem::path& path);

/// Shape of a drawn element; figures in SI as model::elementFigures() orders them. Box, cylinder and sphere are
/// centred; a bar has its first pivot at the origin, the second at (length, 0, 0), its thickness centred in z, bore =
/// diameter. Gears and the like have their middle at the origin and their axis on z.
/// @param profile, cam of a cam: its profile, and its law if it has one
Result<TopoDS_Shape> elementShape(model::BodyKind kind, const std::vector<double>& figures,
                                  const curves::CurvePtr& profile = nullptr, const elements::CamSpec* cam = nullptr);

/// About how many triangles a shape takes at a deflection, m: by the curvature of its planes, cylinders, cones, spheres
/// and tori, and the area of other faces. Faces with very many places along their edges count for more, as meshing them
/// takes more than linear time and memory.
double trianglesFor(const TopoDS_Shape& shape, double deflection);
/// More than this is not meshed.
inline constexpr double kMostTriangles = 4e6;
/// Tessellates a copy of the shape; deflection in m is the greatest distance of mesh and surface, proven where the mesh
/// has a bound (see mesh_bound.h). Error, with the
/// figure, where that would take more triangles than memory holds, or a face can't be meshed.
Result<Mesh> tessellate(const TopoDS_Shape& shape, double deflection);
/// Gives the shape itself a mesh fine enough to look at.
void meshForDisplay(const TopoDS_Shape& shape);
/// The solids with their meshes for display and their light meshes.
std::vector<SolidPtr> readyToShow(const std::vector<SolidPtr>& solids);
/// Greatest distance of that mesh and the surface, m; 0 if the shape is triangles itself.
double displayDeflection(const TopoDS_Shape& shape);
/// That mesh; none where a face has none.
std::optional<Mesh> displayMesh(const TopoDS_Shape& shape);
/// Volume enclosed by a mesh, m^3 (divergence theorem).
double volumeOf(const Mesh& mesh);

/// What the middle of a bore or a pin is called.
inline constexpr const char* kAxisMiddle = "axis middle";
/// The faces of a solid that share an edge.
std::vector<TopoDS_Face> facesBeside(const TopoDS_Shape& solid, const TopoDS_Edge& edge);

/// A place that a picked face, edge or vertex offers, in the shape's axes, m.
struct Snap {
  std::string word;  ///< "axis middle", "axis end", "centre", "middle", "end", "corner"
  Vec3 at, axis, ref;
};
/// All places of a sub-shape, the most likely first.
std::vector<Snap> snapsOf(const TopoDS_Shape& subShape);

}  // namespace cooperage::shape
