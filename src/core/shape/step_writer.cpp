// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <APIHeaderSection_MakeHeader.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Quantity_Color.hxx>
#include <Message_Messenger.hxx>
#include <Message_PrinterOStream.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <Standard_Failure.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <gp_Trsf.hxx>

#include "shape/placement.h"
#include "shape/solid.h"

namespace cooperage::shape {
namespace {

/// A moved shape would become an instance and lose its colour: leave what stands still alone.
bool still(const Pose& p) { return p.p.isZero(0) && p.R.isIdentity(0); }

}  // namespace

Status writeStep(const std::vector<StepPart>& parts, const std::string& name, const std::filesystem::path& path) {
  try {
    ::Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_PrinterOStream));
    Handle(TDocStd_Document) doc;
    XCAFApp_Application::GetApplication()->NewDocument("BinXCAF", doc);
    const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
    const Handle(XCAFDoc_ColorTool) colours = XCAFDoc_DocumentTool::ColorTool(doc->Main());
    const auto call = [](const TDF_Label& l, const std::string& text) {
      TDataStd_Name::Set(l, TCollection_ExtendedString(text.c_str(), true));
    };
    const bool single = parts.size() == 1;
    TDF_Label assembly;
    if (!single) {
      assembly = shapes->NewShape();
      call(assembly, name);
    }
    for (const StepPart& part : parts) {
      const TDF_Label label = shapes->AddShape(
          single && !still(part.placement) ? part.shape.Moved(toTrsf(part.placement)) : part.shape, false);
      call(label, part.name);
      if (part.colour)
        colours->SetColor(label, Quantity_Color(part.colour->r, part.colour->g, part.colour->b, Quantity_TOC_sRGB),
                          XCAFDoc_ColorSurf);
      if (!single) call(shapes->AddComponent(assembly, label, TopLoc_Location(toTrsf(part.placement))), part.name);
    }
    shapes->UpdateAssemblies();
    Interface_Static::SetCVal("write.step.schema", "AP214IS");
    STEPCAFControl_Writer writer;
    writer.SetNameMode(true);
    writer.SetColorMode(true);
    if (!writer.Transfer(doc, STEPControl_AsIs))
      return Error{"step", name, fmt::format("{}: the shapes can't be turned into STEP", name)};
    // a fixed time stamp: the same parts give the same bytes
    APIHeaderSection_MakeHeader header(writer.ChangeWriter().Model());
    header.SetTimeStamp(new TCollection_HAsciiString("2026-01-01T00:00:00"));
    header.SetName(new TCollection_HAsciiString(name.c_str()));
    if (writer.Write(path.c_str()) != IFSelect_RetDone)
      return Error{"file", path.string(), fmt::format("{}: can't be written", path.string())};
    XCAFApp_Application::GetApplication()->Close(doc);
    return Done{};
  } catch (const Standard_Failure& e) {
    return Error{"step", name, fmt::format("{}: can't be written as STEP ({})", name, e.GetMessageString())};
  }
}

}  // namespace cooperage::shape
