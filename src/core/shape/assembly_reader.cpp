// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRepBuilderAPI_MakeSolid.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepLib.hxx>
#include <BRep_Tool.hxx>
#include <IGESCAFControl_Reader.hxx>
#include <Message.hxx>
#include <Quantity_Color.hxx>
#include <Message_Messenger.hxx>
#include <Message_PrinterOStream.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <TDF_LabelSequence.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Solid.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <fstream>
#include <sstream>

#include "shape/readers.h"

namespace cooperage::shape {
namespace {

std::string labelName(const TDF_Label& label) {
  Handle(TDataStd_Name) name;
  if (!label.FindAttribute(TDataStd_Name::GetID(), name)) return {};
  const TCollection_ExtendedString& text = name->Get();
  std::string out(static_cast<std::size_t>(text.LengthOfCString()) + 1, '\0');
  Standard_PCharacter raw = out.data();
  const int length = text.ToUTF8CString(raw);
  out.resize(static_cast<std::size_t>(std::max(0, length)));
  // what the writer puts in where its user gave no name
  if (out.rfind("Open CASCADE STEP translator", 0) == 0) out.clear();
  return out;
}

/// Walks an assembly tree and lists its solids with placements, names and colours.
class Lister {
 public:
  explicit Lister(const Handle(TDocStd_Document) & doc)
      : shapes_(XCAFDoc_DocumentTool::ShapeTool(doc->Main())), colours_(XCAFDoc_DocumentTool::ColorTool(doc->Main())) {}

  std::vector<SolidPtr> run() {
    TDF_LabelSequence free;
    shapes_->GetFreeShapes(free);
    for (int i = 1; i <= free.Length(); ++i) visit(free.Value(i), TopLoc_Location(), "", std::nullopt, {});
    return std::move(out_);
  }
  int freeShapes() const {
    TDF_LabelSequence free;
    shapes_->GetFreeShapes(free);
    return free.Length();
  }

 private:
  std::optional<model::Colour> colourOf(const TDF_Label& label) const {
    Quantity_Color c;
    for (const XCAFDoc_ColorType type : {XCAFDoc_ColorSurf, XCAFDoc_ColorGen})
      if (colours_->GetColor(label, type, c)) return toColour(c);
    return std::nullopt;
  }
  std::optional<model::Colour> colourOf(const TopoDS_Shape& shape) const {
    Quantity_Color c;
    for (const XCAFDoc_ColorType type : {XCAFDoc_ColorSurf, XCAFDoc_ColorGen})
      if (colours_->GetColor(shape, type, c)) return toColour(c);
    return std::nullopt;
  }
  static model::Colour toColour(const Quantity_Color& c) {
    double r = 0, g = 0, b = 0;
    c.Values(r, g, b, Quantity_TOC_sRGB);
    return {r, g, b};
  }

  void visit(const TDF_Label& label, const TopLoc_Location& location, std::string name,
             std::optional<model::Colour> colour, std::vector<std::string> path) {
    if (path.size() > 60) return;  // an assembly that holds itself
    if (name.empty()) name = labelName(label);
    if (const auto own = colourOf(label)) colour = own;
    if (XCAFDoc_ShapeTool::IsAssembly(label)) {
      if (!name.empty()) path.push_back(fmt::format("{}#{}", name, ++assemblies_));
      TDF_LabelSequence components;
      XCAFDoc_ShapeTool::GetComponents(label, components);
      for (int i = 1; i <= components.Length(); ++i) {
        const TDF_Label component = components.Value(i);
        TDF_Label referred;
        if (!XCAFDoc_ShapeTool::GetReferredShape(component, referred)) continue;
        std::string part = labelName(component);
        // an occurrence without a name of its own is told by its number
        const bool number = part.find_first_not_of("0123456789") == std::string::npos;
        if (number || part.rfind("NAUO", 0) == 0 || part.rfind("=>", 0) == 0) part = labelName(referred);
        auto own = colourOf(component);
        visit(referred, location * XCAFDoc_ShapeTool::GetLocation(component), part, own ? own : colour, path);
      }
      return;
    }
    const TopoDS_Shape shape = XCAFDoc_ShapeTool::GetShape(label);
    if (shape.IsNull()) return;
    std::vector<TopoDS_Shape> solids;
    for (TopExp_Explorer e(shape, TopAbs_SOLID); e.More(); e.Next()) solids.push_back(e.Current());
    int n = 0;
    for (const TopoDS_Shape& s : solids) {
      auto solid = std::make_shared<Solid>();
      solid->shape = s.Moved(location);
      solid->name = solids.size() == 1 ? name : fmt::format("{} {}", name, ++n);
      const auto own = colourOf(s);
      solid->colour = own ? own : colour;
      solid->path = path;
      out_.push_back(std::move(solid));
    }
  }

  Handle(XCAFDoc_ShapeTool) shapes_;
  Handle(XCAFDoc_ColorTool) colours_;
  std::vector<SolidPtr> out_;
  int assemblies_ = 0;
};

int countFaces(const std::vector<SolidPtr>& solids) {
  TopTools_IndexedMapOfShape faces;  // repeated parts share their faces but for the placement
  for (const auto& s : solids)
    for (TopExp_Explorer e(s->shape, TopAbs_FACE); e.More(); e.Next())
      faces.Add(e.Current().Located(TopLoc_Location()));
  return faces.Extent();
}

/// Edges that bound only one face: the skin of a solid has none.
int openEdges(const TopoDS_Shape& solid) {
  TopTools_IndexedDataMapOfShapeListOfShape map;
  TopExp::MapShapesAndAncestors(solid, TopAbs_EDGE, TopAbs_FACE, map);
  int open = 0;
  for (int i = 1; i <= map.Extent(); ++i) {
    const TopoDS_Edge& edge = TopoDS::Edge(map.FindKey(i));
    if (BRep_Tool::Degenerated(edge)) continue;
    const auto& faces = map.FindFromIndex(i);
    if (faces.Extent() >= 2) continue;
    if (faces.Extent() == 1 && BRep_Tool::IsClosed(edge, TopoDS::Face(faces.First()))) continue;  // a seam
    ++open;
  }
  return open;
}

Status checkWhole(const std::vector<SolidPtr>& solids, const std::string& text, const std::string& file) {
  const int wanted = stepFaceCount(text), found = countFaces(solids);
  if (found < wanted)
    return Error{
        "step", file,
        fmt::format("{}: is damaged: only {} of its {} faces could be read; export it again", file, found, wanted)};
  for (const auto& s : solids)
    if (const int open = openEdges(s->shape); open > 0)
      return Error{
          "step", file,
          fmt::format("{}: the solid '{}' is not closed: {} open edges; export it again", file, s->name, open)};
  return Done{};
}

/// Surfaces that close to solids once they are sewn.
std::vector<SolidPtr> sewn(const std::vector<TopoDS_Shape>& shapes, const std::string& name) {
  BRepBuilderAPI_Sewing sewing(0.01);
  for (const TopoDS_Shape& s : shapes) sewing.Add(s);
  sewing.Perform();
  std::vector<SolidPtr> out;
  for (TopExp_Explorer e(sewing.SewedShape(), TopAbs_SHELL); e.More(); e.Next()) {
    if (!BRep_Tool::IsClosed(e.Current())) continue;
    TopoDS_Solid solid = BRepBuilderAPI_MakeSolid(TopoDS::Shell(e.Current())).Solid();
    BRepLib::OrientClosedSolid(solid);
    auto s = std::make_shared<Solid>();
    s->shape = solid;
    s->name = name;
    out.push_back(std::move(s));
  }
  return out;
}

}  // namespace

Result<std::vector<SolidPtr>> readIges(const std::filesystem::path& path) {
  const std::string file = path.filename().string();
  try {
    ::Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
    Handle(TDocStd_Document) doc;
    XCAFApp_Application::GetApplication()->NewDocument("BinXCAF", doc);
    IGESCAFControl_Reader reader;
    if (reader.ReadFile(path.c_str()) != IFSelect_RetDone)
      return Error{"iges", file, fmt::format("{}: the IGES reader can't make sense of it; export it again", file)};
    if (!reader.Transfer(doc)) return Error{"iges", file, fmt::format("{}: holds no shape that can be read", file)};
    auto solids = Lister(doc).run();
    if (solids.empty()) solids = sewn({reader.OneShape()}, path.stem().string());
    XCAFApp_Application::GetApplication()->Close(doc);
    if (solids.empty())
      return Error{"iges", file,
                   fmt::format("{}: its surfaces do not close to a solid; export it as solids, or as STEP", file)};
    for (const auto& s : solids)
      if (const int open = openEdges(s->shape); open > 0)
        return Error{
            "iges", file,
            fmt::format("{}: the solid '{}' is not closed: {} open edges; export it again", file, s->name, open)};
    return solids;
  } catch (const Standard_Failure& e) {
    return Error{"iges", file, fmt::format("{}: can't be read ({})", file, e.GetMessageString())};
  }
}

Result<std::vector<SolidPtr>> readStep(const std::filesystem::path& path, Progress* progress) {
  const std::string file = path.filename().string();
  std::ifstream in(path, std::ios::binary);
  if (!in) return Error{"file", file, fmt::format("{}: can't be opened; is it still there?", path.string())};
  std::ostringstream buffer;
  buffer << in.rdbuf();
  const std::string text = buffer.str();
  if (const Status s = stepTextHealth(text, file); !s.ok()) return s.error();
  if (progress) progress->report(0.1);
  try {
    std::unique_lock one(oneReader());
    if (progress && progress->cancelled()) return Error{"cancelled", file, "cancelled", true};
    ::Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
    Handle(TDocStd_Document) doc;
    XCAFApp_Application::GetApplication()->NewDocument("BinXCAF", doc);
    STEPCAFControl_Reader reader;
    reader.SetNameMode(true);
    reader.SetColorMode(true);
    if (reader.ReadFile(path.c_str()) != IFSelect_RetDone)
      return Error{"step", file, fmt::format("{}: the STEP reader can't make sense of it; export it again", file)};
    if (progress) progress->report(0.5);
    if (progress && progress->cancelled()) return Error{"cancelled", file, "cancelled", true};
    if (!reader.Transfer(doc)) return Error{"step", file, fmt::format("{}: holds no shape that can be read", file)};
    auto solids = Lister(doc).run();
    if (solids.empty())
      return Error{"step", file, fmt::format("{}: holds no solid; surfaces alone can't be a body", file)};
    if (const Status s = checkWhole(solids, text, file); !s.ok()) return s.error();
    XCAFApp_Application::GetApplication()->Close(doc);
    one.unlock();
    for (const auto& s : solids) meshForDisplay(s->shape);
    if (progress) progress->report(1);
    return solids;
  } catch (const Standard_Failure& e) {
    return Error{"step", file, fmt::format("{}: can't be read ({})", file, e.GetMessageString())};
  }
}

}  // namespace cooperage::shape
