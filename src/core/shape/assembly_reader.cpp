// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRep_Tool.hxx>
#include <BinTools.hxx>
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
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <fstream>
#include <sstream>

#include "shape/solid.h"

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
    for (int i = 1; i <= free.Length(); ++i) visit(free.Value(i), TopLoc_Location(), "", std::nullopt, 0);
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
             std::optional<model::Colour> colour, int depth) {
    if (depth > 60) return;  // an assembly that holds itself
    if (name.empty()) name = labelName(label);
    if (const auto own = colourOf(label)) colour = own;
    if (XCAFDoc_ShapeTool::IsAssembly(label)) {
      TDF_LabelSequence components;
      XCAFDoc_ShapeTool::GetComponents(label, components);
      for (int i = 1; i <= components.Length(); ++i) {
        const TDF_Label component = components.Value(i);
        TDF_Label referred;
        if (!XCAFDoc_ShapeTool::GetReferredShape(component, referred)) continue;
        std::string part = labelName(component);
        if (part.empty() || part.rfind("NAUO", 0) == 0 || part.rfind("=>", 0) == 0) part = labelName(referred);
        auto own = colourOf(component);
        visit(referred, location * XCAFDoc_ShapeTool::GetLocation(component), part, own ? own : colour, depth + 1);
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
      out_.push_back(std::move(solid));
    }
  }

  Handle(XCAFDoc_ShapeTool) shapes_;
  Handle(XCAFDoc_ColorTool) colours_;
  std::vector<SolidPtr> out_;
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

}  // namespace

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
    for (const auto& s : solids) meshForDisplay(s->shape);
    XCAFApp_Application::GetApplication()->Close(doc);
    if (progress) progress->report(1);
    return solids;
  } catch (const Standard_Failure& e) {
    return Error{"step", file, fmt::format("{}: can't be read ({})", file, e.GetMessageString())};
  }
}

Status writeSolids(const std::vector<SolidPtr>& solids, const std::filesystem::path& path) {
  std::ofstream out(path, std::ios::binary);
  out << "cooperage-solids 1\n" << solids.size() << '\n';
  for (const auto& s : solids) {
    std::string name = s->name;
    for (char& c : name)
      if (c == '\n') c = ' ';
    out << name << '\n' << (s->colour ? 1 : 0);
    if (s->colour) out << ' ' << s->colour->r << ' ' << s->colour->g << ' ' << s->colour->b;
    out << '\n';
    std::ostringstream shape;
    BinTools::Write(s->shape, shape);
    const std::string bytes = shape.str();
    out << bytes.size() << '\n';
    out.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  }
  out.flush();
  if (!out) return Error{"file", path.string(), fmt::format("{}: can't be written", path.string())};
  return Done{};
}

Result<std::vector<SolidPtr>> readSolids(const std::filesystem::path& path) {
  const Error broken{"file", path.string(), "the geometry handed over by the reader is incomplete"};
  std::ifstream in(path, std::ios::binary);
  std::string line;
  if (!std::getline(in, line) || line != "cooperage-solids 1") return broken;
  std::size_t count = 0;
  if (!(in >> count) || count > 1000000) return broken;
  std::vector<SolidPtr> solids;
  std::getline(in, line);
  try {
    for (std::size_t i = 0; i < count; ++i) {
      auto s = std::make_shared<Solid>();
      int coloured = 0;
      std::size_t bytes = 0;
      if (!std::getline(in, s->name) || !(in >> coloured)) return broken;
      if (coloured) {
        model::Colour c;
        if (!(in >> c.r >> c.g >> c.b)) return broken;
        s->colour = c;
      }
      if (!(in >> bytes)) return broken;
      std::getline(in, line);
      std::string data(bytes, '\0');
      if (!in.read(data.data(), static_cast<std::streamsize>(bytes))) return broken;
      std::istringstream shape(data);
      BinTools::Read(s->shape, shape);
      if (s->shape.IsNull()) return broken;
      solids.push_back(std::move(s));
    }
  } catch (const Standard_Failure&) {
    return broken;
  }
  return solids;
}

}  // namespace cooperage::shape
