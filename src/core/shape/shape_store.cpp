// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/shape_store.h"
#include "shape/extent.h"

#include <fmt/format.h>

#include <filesystem>
#include <set>

#include "base/aside.h"
#include "shape/cut.h"
#include "shape/stretch.h"
#include "shape/element_mesh.h"
#include "shape/machine_elements.h"

namespace cooperage::shape {

namespace {
/// One name a file, whatever the way to it: links and steps up and down are followed.
std::string keyOf(const std::filesystem::path& path) {
  std::error_code ec;
  const auto whole = std::filesystem::weakly_canonical(path, ec);
  return ec ? path.lexically_normal().string() : whole.string();
}

/// What was made of solids that are gone goes too.
template <class Map>
void dropGone(Map& known) {
  for (auto it = known.begin(); it != known.end();) it = it->second.of.expired() ? known.erase(it) : std::next(it);
}
}  // namespace

void ShapeStore::setFolder(std::filesystem::path folder) {
  const std::lock_guard lock(mutex_);
  folder_ = std::move(folder);
}
std::filesystem::path ShapeStore::folder() const {
  const std::lock_guard lock(mutex_);
  return folder_;
}

std::filesystem::path ShapeStore::pathOf(const std::string& name) const {
  return std::filesystem::path(name).is_absolute() ? std::filesystem::path(name) : folder_ / name;
}

Result<std::vector<SolidPtr>> ShapeStore::file(const std::string& name, Progress* progress) {
  std::filesystem::path path;
  {
    const std::lock_guard lock(mutex_);
    path = pathOf(name);
  }
  std::error_code ec;
  const auto time = std::filesystem::last_write_time(path, ec);
  const auto size = ec ? 0 : std::filesystem::file_size(path, ec);
  const std::string key = keyOf(path);
  if (ec) return Error{"file", name, fmt::format("{}: can't be opened; is it still there?", path.string())};
  const auto known = [&]() -> std::optional<std::vector<SolidPtr>> {
    const std::lock_guard lock(mutex_);
    const auto it = files_.find(key);
    if (it != files_.end() && it->second.time == time && it->second.size == size) return it->second.solids;
    return {};
  };
  if (auto solids = known()) return *solids;
  // who waits for another to read the file finds it read
  std::shared_ptr<std::mutex> reading;
  {
    const std::lock_guard lock(mutex_);
    auto& mine = reading_[key];
    if (!mine) mine = std::make_shared<std::mutex>();
    reading = mine;
  }
  const std::lock_guard one(*reading);
  if (auto solids = known()) return *solids;
  auto solids = reader_(path, progress);
  if (!solids.ok()) return solids;
  const std::lock_guard lock(mutex_);
  files_[key] = {time, size, *solids, name};
  return solids;
}

void ShapeStore::put(const std::string& name, std::vector<SolidPtr> solids) {
  const std::lock_guard lock(mutex_);
  const std::filesystem::path path = pathOf(name);
  std::error_code ec;
  const auto time = std::filesystem::last_write_time(path, ec);
  const auto size = ec ? 0 : std::filesystem::file_size(path, ec);
  if (!ec) files_[keyOf(path)] = {time, size, std::move(solids), name};
}

std::optional<std::vector<SolidPtr>> ShapeStore::fileAsRead(const std::string& name) const {
  const std::lock_guard lock(mutex_);
  const auto it = files_.find(keyOf(pathOf(name)));
  if (it == files_.end()) return std::nullopt;
  return it->second.solids;
}

Result<SolidPtr> ShapeStore::bodyAsRead(const model::Resolved::BodyR& body, const std::string& linkName) {
  if (body.kind == model::BodyKind::file)
    if (auto solids = fileAsRead(body.file)) return ofFile(std::move(*solids), body, linkName + "/" + body.name);
  return this->body(body, linkName);
}

Result<SolidPtr> ShapeStore::ofFile(Result<std::vector<SolidPtr>> solids, const model::Resolved::BodyR& body,
                                    const std::string& object) {
  if (!solids.ok()) {
    Error e = solids.error();
    e.text = fmt::format("body {}: {}", object, e.text);
    return e;
  }
  if (body.solid >= static_cast<int>(solids->size()))
    return Error{
        "solid", object,
        fmt::format("body {}: {} holds {} solids and no number {}", object, body.file, solids->size(), body.solid)};
  return worked((*solids)[static_cast<std::size_t>(body.solid)], body, object);
}

Result<SolidPtr> ShapeStore::body(const model::Resolved::BodyR& body, const std::string& linkName, Progress* progress) {
  const std::string object = linkName + "/" + body.name;
  if (body.kind == model::BodyKind::file) return ofFile(file(body.file, progress), body, object);
  auto key = std::make_pair(static_cast<int>(body.kind), body.figures);
  if (body.profile) {
    const auto source = camSource(body.profile, body.cam.get());
    key.second.insert(key.second.end(), source.begin(), source.end());
  }
  {
    const std::lock_guard lock(mutex_);
    if (const auto known = elements_.find(key)) return known;
  }
  // a gear takes tenths of a second
  struct Made {
    std::optional<Result<TopoDS_Shape>> shape;
    LightMeshPtr light;
  };
  const auto made = std::make_shared<Made>();
  const bool done =
      doAside(progress, [made, kind = body.kind, figures = body.figures, profile = body.profile,
                         cam = body.cam ? std::make_shared<elements::CamSpec>(*body.cam) : nullptr, look = look_] {
        made->shape = elementShape(kind, figures, profile, cam.get());
        if (!made->shape->ok()) return;
        if (look || !hasElementMesh(kind)) meshForDisplay(made->shape->value());
        if (look) made->light = lightMesh(made->shape->value());
      });
  if (!done) return Error{"cancelled", object, "cancelled", true};
  if (!made->shape->ok()) {
    Error e = made->shape->error();
    e.text = fmt::format("body {}: {}", object, e.text);
    return e;
  }
  auto solid = std::make_shared<Solid>();
  solid->shape = made->shape->value();
  solid->name = body.name;
  solid->light = made->light;
  if (hasElementMesh(body.kind))
    solid->mesher = [kind = body.kind, figures = body.figures](double d) { return elementMesh(kind, figures, d); };
  const std::lock_guard lock(mutex_);
  return elements_.keep(key, solid);  // another thread may have made it meanwhile
}

Result<SolidPtr> ShapeStore::worked(const SolidPtr& solid, const model::Resolved::BodyR& body,
                                    const std::string& object) {
  if (body.cuts.empty() && body.stretches.empty()) return solid;
  std::vector<double> key{static_cast<double>(body.cuts.size())};
  const auto add = [&key](const Vec3& v) { key.insert(key.end(), {v.x(), v.y(), v.z()}); };
  for (const model::Cut& c : body.cuts) {
    key.push_back(static_cast<double>(c.tools.size()));
    key.push_back(c.inside ? 1 : 0);
    for (const model::CutTool& t : c.tools) {
      key.push_back(t.cylinder ? 1 : 0);
      add(t.at);
      add(t.axis);
      key.push_back(t.radius);
    }
  }
  for (const auto& s : body.stretches) {
    add(s.at);
    add(s.axis);
    key.push_back(s.by);
  }
  const auto whole = std::make_pair(solid.get(), std::move(key));
  {
    const std::lock_guard lock(mutex_);
    if (const auto known = cuts_.find(whole)) return known;
  }
  auto entry = std::make_shared<CutEntry>(CutEntry{solid, *solid});
  Solid& part = entry->part;
  part.mesher = nullptr;
  for (const model::Cut& c : body.cuts) {
    auto made = cutShape(part.shape, c);
    if (!made.ok()) return Error{"cut", object, fmt::format("body {}: {}", object, made.error().text)};
    part.shape = *made;
  }
  const auto longer = stretched(part.shape, body.stretches);
  if (!longer.ok())
    return Error{"stretch", object,
                 fmt::format("body {} can't be made longer or shorter: {}", object, longer.error().text)};
  part.shape = *longer;
  meshForDisplay(part.shape);
  part.light = look_ ? lightMesh(part.shape) : nullptr;
  const std::lock_guard lock(mutex_);
  return cuts_.keep(whole, SolidPtr(entry, &part));
}

template <class T, class Find>
T ShapeStore::foundOnce(std::map<const Solid*, Found<T>>& known, const SolidPtr& solid, Find find) {
  {
    const std::lock_guard lock(mutex_);
    const auto it = known.find(solid.get());
    if (it != known.end() && it->second.of.lock() == solid) return it->second.found;
  }
  T found = find(solid->shape);
  const std::lock_guard lock(mutex_);
  dropGone(known);
  known[solid.get()] = {solid, found};
  return found;
}

SolidFacesPtr ShapeStore::faces(const SolidPtr& solid) { return foundOnce(faces_, solid, facesOf); }

std::shared_ptr<const Extent> ShapeStore::extent(const SolidPtr& solid) {
  return foundOnce(extents_, solid, [](const TopoDS_Shape& shape) {
    auto box = std::make_shared<Extent>();
    box->add(shape, Pose{});
    return std::shared_ptr<const Extent>(box);
  });
}

RoundFacesPtr ShapeStore::rounds(const SolidPtr& solid) { return foundOnce(rounds_, solid, roundFacesOf); }

std::vector<std::string> ShapeStore::changedFiles(const std::vector<std::string>& names) const {
  std::vector<std::string> out;
  std::set<std::string> seen;
  const std::lock_guard lock(mutex_);
  for (const std::string& name : names) {
    const std::string key = keyOf(pathOf(name));
    const auto entry = files_.find(key);
    if (entry == files_.end() || !seen.insert(key).second) continue;
    std::error_code ec;
    const auto time = std::filesystem::last_write_time(key, ec);
    if (ec) continue;
    if (time != entry->second.time || std::filesystem::file_size(key, ec) != entry->second.size) out.push_back(name);
  }
  return out;
}

Result<std::shared_ptr<const Mesh>> MeshStore::get(const SolidPtr& solid, double deflection, Progress* progress) {
  const auto key = std::make_pair(solid.get(), deflection);
  {
    const std::lock_guard lock(mutex_);
    const auto it = known_.find(key);
    if (it != known_.end() && it->second.of.lock() == solid) return it->second.mesh;
  }
  const auto made = std::make_shared<std::optional<Result<Mesh>>>();
  const bool done = doAside(progress, [made, solid, deflection] {
    std::optional<Mesh> own;
    if (solid->mesher) own = solid->mesher(deflection);
    if (own) own->bound = deflection;
    *made = own ? Result<Mesh>(std::move(*own)) : tessellate(solid->shape, deflection);
  });
  if (!done) return Error{"cancelled", "", "cancelled", true};
  if (!(*made)->ok()) return (*made)->error();
  auto mesh = std::make_shared<const Mesh>(std::move(**made).value());
  const std::lock_guard lock(mutex_);
  dropGone(known_);
  known_[key] = {solid, mesh};
  return mesh;
}

}  // namespace cooperage::shape
