// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <Poly_Triangulation.hxx>
#include <RWObj.hxx>
#include <RWStl.hxx>
#include <Standard_Failure.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Shell.hxx>
#include <TopoDS_Solid.hxx>
#include <algorithm>
#include <fstream>

#include "shape/readers.h"

namespace cooperage::shape {
namespace {

std::string endingOf(const std::filesystem::path& path) {
  std::string e = path.extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return e;
}

Result<std::vector<SolidPtr>> readBrep(const std::filesystem::path& path) {
  const std::string file = path.filename().string();
  TopoDS_Shape shape;
  BRep_Builder builder;
  if (!BRepTools::Read(shape, path.c_str(), builder) || shape.IsNull())
    return Error{"brep", file, fmt::format("{}: is no BREP file, or is damaged; export it again", file)};
  std::vector<SolidPtr> out;
  for (TopExp_Explorer e(shape, TopAbs_SOLID); e.More(); e.Next()) {
    auto s = std::make_shared<Solid>();
    s->shape = e.Current();
    s->name = path.stem().string();
    out.push_back(std::move(s));
  }
  if (out.size() > 1)
    for (std::size_t i = 0; i < out.size(); ++i) {
      auto named = std::make_shared<Solid>(*out[i]);
      named->name += " " + std::to_string(i + 1);
      out[i] = std::move(named);
    }
  if (out.empty()) return Error{"brep", file, fmt::format("{}: holds no solid; surfaces alone can't be a body", file)};
  return out;
}

/// Triangles as a solid of one face without a surface.
Result<std::vector<SolidPtr>> faceted(const Handle(Poly_Triangulation) & triangles, const std::filesystem::path& path) {
  const std::string file = path.filename().string();
  if (triangles.IsNull() || triangles->NbTriangles() < 4)
    return Error{"mesh", file, fmt::format("{}: holds no closed mesh of triangles", file)};
  BRep_Builder b;
  TopoDS_Face face;
  b.MakeFace(face, triangles);
  TopoDS_Shell shell;
  b.MakeShell(shell);
  b.Add(shell, face);
  TopoDS_Solid solid;
  b.MakeSolid(solid);
  b.Add(solid, shell);
  auto s = std::make_shared<Solid>();
  s->shape = solid;
  s->name = path.stem().string();
  return std::vector<SolidPtr>{s};
}

}  // namespace

std::mutex& oneReader() {
  static std::mutex one;
  return one;
}

bool isGeometryFile(const std::filesystem::path& path) {
  static const char* kEndings[] = {".step", ".stp", ".iges", ".igs", ".brep", ".stl", ".obj"};
  const std::string e = endingOf(path);
  return std::any_of(std::begin(kEndings), std::end(kEndings), [&](const char* k) { return e == k; });
}

Result<std::vector<SolidPtr>> readGeometry(const std::filesystem::path& path, Progress* progress) {
  const std::string e = endingOf(path), file = path.filename().string();
  if (!std::ifstream(path))
    return Error{"file", file, fmt::format("{}: can't be opened; is it still there?", path.string())};
  if (e != ".iges" && e != ".igs" && e != ".brep" && e != ".stl" && e != ".obj") return readStep(path, progress);
  try {
    std::unique_lock one(oneReader());
    auto solids = e == ".stl"    ? faceted(RWStl::ReadFile(path.c_str()), path)
                  : e == ".obj"  ? faceted(RWObj::ReadFile(path.c_str()), path)
                  : e == ".brep" ? readBrep(path)
                                 : readIges(path);
    one.unlock();
    if (solids.ok())
      for (const auto& s : *solids) meshForDisplay(s->shape);
    return solids;
  } catch (const Standard_Failure& failure) {
    return Error{"file", file, fmt::format("{}: can't be read ({})", file, failure.GetMessageString())};
  }
}

}  // namespace cooperage::shape
