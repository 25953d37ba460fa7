// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>

#include "clearance/outline.h"
#include "model/mechanism.h"

/// Swept spaces as files of other programs.
namespace cooperage::io {

/// Binary glTF 2.0 (.glb) of one mesh, in m with y up as the standard asks.
std::string gltfBinary(const shape::Mesh& mesh, const std::string& name, const model::Colour& colour);

/// STEP of one closed shell of flat triangles, mm. Error if it has more than 60,000: no reader likes that.
Status writeFacetedStep(const shape::Mesh& mesh, const std::string& name, const std::filesystem::path& path);

/// Rims of an outline as one filled path, mm.
std::string outlineSvg(const clearance::Outline& outline, const std::string& name);
/// Rims of an outline as closed polylines in the R12 form, mm.
std::string outlineDxf(const clearance::Outline& outline);

/// Writes a swept space by the file's ending: stl, glb, step or stp; svg and dxf as its outline along an axis.
/// @param light the same with fewer triangles, for STEP
/// @param cell of the outline's raster, m
Status writeSwept(const shape::Mesh& mesh, const shape::Mesh& light, int outlineAxis, double cell,
                  const std::string& name, const std::filesystem::path& path);

}  // namespace cooperage::io
