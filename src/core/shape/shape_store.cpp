// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/shape_store.h"

#include <fmt/format.h>

namespace cooperage::shape {

void ShapeStore::setFolder(std::filesystem::path folder) {
  const std::lock_guard lock(mutex_);
  folder_ = std::move(folder);
}
std::filesystem::path ShapeStore::folder() const {
  const std::lock_guard lock(mutex_);
  return folder_;
}

Result<std::vector<SolidPtr>> ShapeStore::file(const std::string& name, Progress* progress) {
  std::filesystem::path path;
  {
    const std::lock_guard lock(mutex_);
    path = std::filesystem::path(name).is_absolute() ? std::filesystem::path(name) : folder_ / name;
  }
  std::error_code ec;
  const auto time = std::filesystem::last_write_time(path, ec);
  const auto size = ec ? 0 : std::filesystem::file_size(path, ec);
  const std::string key = path.lexically_normal().string();
  if (ec) return Error{"file", name, fmt::format("{}: can't be opened; is it still there?", path.string())};
  {
    const std::lock_guard lock(mutex_);
    const auto it = files_.find(key);
    if (it != files_.end() && it->second.time == time && it->second.size == size) return it->second.solids;
  }
  auto solids = reader_(path, progress);
  if (!solids.ok()) return solids;
  const std::lock_guard lock(mutex_);
  files_[key] = {time, size, *solids};
  return solids;
}

void ShapeStore::put(const std::string& name, std::vector<SolidPtr> solids) {
  const std::lock_guard lock(mutex_);
  const std::filesystem::path path =
      std::filesystem::path(name).is_absolute() ? std::filesystem::path(name) : folder_ / name;
  std::error_code ec;
  const auto time = std::filesystem::last_write_time(path, ec);
  const auto size = ec ? 0 : std::filesystem::file_size(path, ec);
  if (!ec) files_[path.lexically_normal().string()] = {time, size, std::move(solids)};
}

Result<SolidPtr> ShapeStore::body(const model::Resolved::BodyR& body, const std::string& linkName, Progress* progress) {
  const std::string object = linkName + "/" + body.name;
  if (body.kind == model::BodyKind::file) {
    auto solids = file(body.file, progress);
    if (!solids.ok()) {
      Error e = solids.error();
      e.text = fmt::format("body {}: {}", object, e.text);
      return e;
    }
    if (body.solid >= static_cast<int>(solids->size()))
      return Error{
          "solid", object,
          fmt::format("body {}: {} holds {} solids and no number {}", object, body.file, solids->size(), body.solid)};
    return (*solids)[static_cast<std::size_t>(body.solid)];
  }
  const auto key = std::make_pair(static_cast<int>(body.kind), body.figures);
  {
    const std::lock_guard lock(mutex_);
    const auto it = elements_.find(key);
    if (it != elements_.end()) return it->second;
  }
  auto made = elementShape(body.kind, body.figures);
  if (!made.ok()) {
    Error e = made.error();
    e.text = fmt::format("body {}: {}", object, e.text);
    return e;
  }
  meshForDisplay(*made);
  auto solid = std::make_shared<Solid>();
  solid->shape = *made;
  solid->name = body.name;
  const std::lock_guard lock(mutex_);
  elements_[key] = solid;
  return SolidPtr(solid);
}

Result<std::shared_ptr<const Mesh>> ShapeStore::mesh(const SolidPtr& solid, double deflection) {
  const auto key = std::make_pair(solid.get(), deflection);
  {
    const std::lock_guard lock(mutex_);
    const auto it = meshes_.find(key);
    if (it != meshes_.end()) return it->second.second;
  }
  auto made = tessellate(solid->shape, deflection);
  if (!made.ok()) return made.error();
  auto mesh = std::make_shared<const Mesh>(std::move(made).value());
  const std::lock_guard lock(mutex_);
  meshes_[key] = {solid, mesh};
  return mesh;
}

}  // namespace cooperage::shape
