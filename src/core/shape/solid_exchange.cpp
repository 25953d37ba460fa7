// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <BRep_Builder.hxx>
#include <BinTools.hxx>
#include <Standard_Failure.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Iterator.hxx>
#include <fstream>

#include "shape/solid.h"

namespace cooperage::shape {
namespace {

std::string oneLine(std::string s) {
  for (char& c : s)
    if (c == '\n') c = ' ';
  return s;
}

}  // namespace

Status writeSolids(const std::vector<SolidPtr>& solids, const std::filesystem::path& path) {
  std::ofstream out(path, std::ios::binary);
  out << "cooperage-solids 2\n" << solids.size() << '\n';
  TopoDS_Compound all;
  BRep_Builder builder;
  builder.MakeCompound(all);
  for (const auto& s : solids) {
    out << oneLine(s->name) << '\n' << (s->colour ? 1 : 0);
    if (s->colour) out << ' ' << s->colour->r << ' ' << s->colour->g << ' ' << s->colour->b;
    out << '\n' << s->path.size() << '\n';
    for (const std::string& p : s->path) out << oneLine(p) << '\n';
    builder.Add(all, s->shape);
  }
  BinTools::Write(all, out);  // in one piece: what repeated parts share is written once
  out.flush();
  if (!out) return Error{"file", path.string(), fmt::format("{}: can't be written", path.string())};
  return Done{};
}

Result<std::vector<SolidPtr>> readSolids(const std::filesystem::path& path) {
  const Error broken{"file", path.string(), "the geometry handed over by the reader is incomplete"};
  std::ifstream in(path, std::ios::binary);
  std::string line;
  if (!std::getline(in, line) || line != "cooperage-solids 2") return broken;
  std::size_t count = 0;
  if (!(in >> count) || count > 1000000) return broken;
  std::getline(in, line);
  std::vector<std::shared_ptr<Solid>> solids;
  for (std::size_t i = 0; i < count; ++i) {
    auto s = std::make_shared<Solid>();
    int coloured = 0;
    std::size_t depth = 0;
    if (!std::getline(in, s->name) || !(in >> coloured)) return broken;
    if (coloured) {
      model::Colour c;
      if (!(in >> c.r >> c.g >> c.b)) return broken;
      s->colour = c;
    }
    if (!(in >> depth) || depth > 1000) return broken;
    std::getline(in, line);
    for (std::size_t k = 0; k < depth; ++k) {
      if (!std::getline(in, line)) return broken;
      s->path.push_back(line);
    }
    solids.push_back(std::move(s));
  }
  try {
    TopoDS_Shape all;
    BinTools::Read(all, in);
    if (all.IsNull()) return broken;
    std::size_t i = 0;
    for (TopoDS_Iterator it(all); it.More(); it.Next()) {
      if (i >= solids.size()) return broken;
      solids[i++]->shape = it.Value();
    }
    if (i != solids.size()) return broken;
  } catch (const Standard_Failure&) {
    return broken;
  }
  return std::vector<SolidPtr>(solids.begin(), solids.end());
}

}  // namespace cooperage::shape
