// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/mesh_files.h"

#include <fmt/format.h>

#include <BRepBuilderAPI_MakePolygon.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Geom_Plane.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <Standard_Failure.hxx>
#include <TopoDS.hxx>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <nlohmann/json.hpp>

#include "base/index.h"
#include "io/coop_file.h"
#include "io/report.h"

namespace cooperage::io {
namespace {

constexpr std::size_t kMostFacets = 60000;

template <class T>
void put(std::string& out, T value) {
  char bytes[sizeof(T)];
  std::memcpy(bytes, &value, sizeof(T));
  out.append(bytes, sizeof(T));
}

}  // namespace

std::string gltfBinary(const shape::Mesh& mesh, const std::string& name, const model::Colour& colour) {
  std::vector<Vec3> normals(mesh.vertices.size(), Vec3::Zero());
  for (const auto& t : mesh.triangles) {
    const Vec3 n =
        (mesh.vertices[u(t[1])] - mesh.vertices[u(t[0])]).cross(mesh.vertices[u(t[2])] - mesh.vertices[u(t[0])]);
    for (int k : t) normals[u(k)] += n;  // by area
  }
  std::string data;
  Vec3 low = Vec3::Constant(1e300), high = -low;
  // z up becomes y up: (x, z, -y)
  const auto turned = [](const Vec3& v) { return Vec3(v.x(), v.z(), -v.y()); };
  for (const Vec3& v : mesh.vertices) {
    const Vec3 p = turned(v);
    for (int k = 0; k < 3; ++k) {
      const auto x = static_cast<float>(p[k]);
      put(data, x);
      low[k] = std::min(low[k], static_cast<double>(x));
      high[k] = std::max(high[k], static_cast<double>(x));
    }
  }
  const std::size_t positions = data.size();
  for (const Vec3& n : normals) {
    const Vec3 p = turned(n.norm() > 0 ? Vec3(n.normalized()) : Vec3::UnitZ());
    for (int k = 0; k < 3; ++k) put(data, static_cast<float>(p[k]));
  }
  const std::size_t vectors = data.size();
  for (const auto& t : mesh.triangles)
    for (int k : t) put(data, static_cast<std::uint32_t>(k));
  using nlohmann::json;
  const json file = {
      {"asset", {{"version", "2.0"}, {"generator", "Cooperage"}}},
      {"scene", 0},
      {"scenes", {{{"nodes", {0}}}}},
      {"nodes", {{{"mesh", 0}, {"name", name}}}},
      {"meshes",
       {{{"name", name},
         {"primitives", {{{"attributes", {{"POSITION", 0}, {"NORMAL", 1}}}, {"indices", 2}, {"material", 0}}}}}}},
      {"materials",
       {{{"name", name},
         {"alphaMode", "BLEND"},
         {"pbrMetallicRoughness",
          {{"baseColorFactor", {std::pow(colour.r, 2.2), std::pow(colour.g, 2.2), std::pow(colour.b, 2.2), 0.5}},
           {"metallicFactor", 0.0}}}}}},
      {"buffers", {{{"byteLength", data.size()}}}},
      {"bufferViews",
       {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", positions}, {"target", 34962}},
        {{"buffer", 0}, {"byteOffset", positions}, {"byteLength", vectors - positions}, {"target", 34962}},
        {{"buffer", 0}, {"byteOffset", vectors}, {"byteLength", data.size() - vectors}, {"target", 34963}}}},
      {"accessors",
       {{{"bufferView", 0},
         {"componentType", 5126},
         {"count", mesh.vertices.size()},
         {"type", "VEC3"},
         {"min", {low.x(), low.y(), low.z()}},
         {"max", {high.x(), high.y(), high.z()}}},
        {{"bufferView", 1}, {"componentType", 5126}, {"count", mesh.vertices.size()}, {"type", "VEC3"}},
        {{"bufferView", 2}, {"componentType", 5125}, {"count", 3 * mesh.triangles.size()}, {"type", "SCALAR"}}}}};
  std::string text = file.dump();
  text.resize((text.size() + 3) / 4 * 4, ' ');
  data.resize((data.size() + 3) / 4 * 4, '\0');
  std::string out = "glTF";
  put(out, std::uint32_t{2});
  put(out, static_cast<std::uint32_t>(12 + 8 + text.size() + 8 + data.size()));
  put(out, static_cast<std::uint32_t>(text.size()));
  out += "JSON" + text;
  put(out, static_cast<std::uint32_t>(data.size()));
  out += std::string("BIN\0", 4) + data;
  return out;
}

Status writeFacetedStep(const shape::Mesh& mesh, const std::string& name, const std::filesystem::path& path) {
  if (mesh.triangles.size() > kMostFacets)
    return Error{"step", name,
                 fmt::format("{} would have {} flat faces in STEP, more than {}: sweep it with a coarser accuracy, or "
                             "save STL or glTF",
                             name, mesh.triangles.size(), kMostFacets)};
  try {
    BRep_Builder builder;
    TopoDS_Shell shell;
    builder.MakeShell(shell);
    std::vector<TopoDS_Vertex> corners;
    for (const Vec3& v : mesh.vertices)
      corners.push_back(BRepBuilderAPI_MakeVertex(gp_Pnt(v.x() * 1e3, v.y() * 1e3, v.z() * 1e3)));
    std::map<std::pair<int, int>, TopoDS_Edge> edges;
    const auto edge = [&](int a, int b) {
      auto& e = edges[{std::min(a, b), std::max(a, b)}];
      if (e.IsNull()) e = BRepBuilderAPI_MakeEdge(corners[u(std::min(a, b))], corners[u(std::max(a, b))]).Edge();
      return a < b ? e : TopoDS::Edge(e.Reversed());
    };
    for (const auto& t : mesh.triangles) {
      const Vec3 &a = mesh.vertices[u(t[0])], &b = mesh.vertices[u(t[1])], &c = mesh.vertices[u(t[2])];
      const Vec3 n = (b - a).cross(c - a);
      if (!(n.norm() > 1e-16) || edge(t[0], t[1]).IsNull() || edge(t[1], t[2]).IsNull() || edge(t[2], t[0]).IsNull())
        return Error{"step", name, name + " has a triangle without area; save STL or glTF"};
      BRepBuilderAPI_MakeWire wire;
      for (std::size_t k = 0; k < 3; ++k) wire.Add(edge(t[k], t[(k + 1) % 3]));
      const Handle(Geom_Plane) plane =
          new Geom_Plane(gp_Pnt(a.x() * 1e3, a.y() * 1e3, a.z() * 1e3), gp_Dir(n.x(), n.y(), n.z()));
      builder.Add(shell, BRepBuilderAPI_MakeFace(plane, wire.Wire()).Face());
    }
    shell.Closed(true);
    TopoDS_Solid solid;
    builder.MakeSolid(solid);
    builder.Add(solid, shell);
    return shape::writeStep({{solid, name, std::nullopt, Pose{}}}, name, path);
  } catch (const Standard_Failure& e) {
    return Error{"step", name, fmt::format("{} can't be written as STEP: {}", name, e.GetMessageString())};
  }
}

std::string outlineSvg(const clearance::Outline& outline, const std::string& name) {
  Eigen::Vector2d low = Eigen::Vector2d::Constant(1e300), high = -low;
  for (const auto& rim : outline.rims)
    for (const auto& p : rim) {
      low = low.cwiseMin(p);
      high = high.cwiseMax(p);
    }
  if (outline.rims.empty()) low = high = Eigen::Vector2d::Zero();
  const double w = (high.x() - low.x()) * 1e3, h = (high.y() - low.y()) * 1e3;
  std::string escaped;
  for (char c : name) escaped += c == '<' ? "&lt;" : c == '&' ? "&amp;" : c == '>' ? "&gt;" : std::string(1, c);
  std::string out = fmt::format(
      "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{:.4f}mm\" height=\"{:.4f}mm\" viewBox=\"{:.4f} {:.4f} {:.4f} "
      "{:.4f}\">\n<title>{}</title>\n<path fill=\"#bcd4d0\" fill-rule=\"evenodd\" stroke=\"#1f6f6b\" "
      "stroke-width=\"0.25\" d=\"",
      w, h, low.x() * 1e3, -high.y() * 1e3, w, h, escaped);
  for (const auto& rim : outline.rims) {
    for (std::size_t i = 0; i < rim.size(); ++i)
      out += fmt::format("{}{:.4f} {:.4f}", i == 0 ? "M" : "L", rim[i].x() * 1e3, -rim[i].y() * 1e3);  // y goes down
    out += "Z";
  }
  return out + "\"/>\n</svg>\n";
}

std::string outlineDxf(const clearance::Outline& outline) {
  std::string out = "0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1009\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
  for (const auto& rim : outline.rims) {
    out += "0\nPOLYLINE\n8\n0\n66\n1\n70\n1\n10\n0.0\n20\n0.0\n30\n0.0\n";
    for (const auto& p : rim)
      out += fmt::format("0\nVERTEX\n8\n0\n10\n{:.6f}\n20\n{:.6f}\n30\n0.0\n", p.x() * 1e3, p.y() * 1e3);
    out += "0\nSEQEND\n8\n0\n";
  }
  return out + "0\nENDSEC\n0\nEOF\n";
}

Status writeSwept(const shape::Mesh& mesh, const shape::Mesh& light, int outlineAxis, double cell,
                  const std::string& name, const std::filesystem::path& path) {
  std::string ending = path.extension().string();
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  if (ending == ".stl") return writeFile(path, stlBinary(mesh, name));
  if (ending == ".glb") return writeFile(path, gltfBinary(mesh, name, {0.74, 0.83, 0.82}));
  if (ending == ".step" || ending == ".stp") return writeFacetedStep(light, name, path);
  if (ending == ".svg" || ending == ".dxf") {
    const auto outline = clearance::outlineOf(mesh, outlineAxis < 0 ? 2 : outlineAxis, cell);
    return writeFile(path, ending == ".svg" ? outlineSvg(outline, name) : outlineDxf(outline));
  }
  return Error{"file", path.filename().string(),
               fmt::format("'{}': a swept space is saved as .stl, .glb, .step, or its outline as .svg or .dxf",
                           path.filename().string())};
}

}  // namespace cooperage::io
