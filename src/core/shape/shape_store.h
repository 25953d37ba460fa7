// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <map>
#include <mutex>

#include "base/recent.h"
#include "model/resolve.h"
#include "shape/axis_span.h"
#include "shape/face_features.h"

namespace cooperage::shape {

struct Extent;

/// Keeps meshes of solids. Any thread may ask.
class MeshStore {
 public:
  /// Mesh of a solid in its own axes, m, true to the deflection.
  Result<std::shared_ptr<const Mesh>> get(const SolidPtr& solid, double deflection, Progress* progress = nullptr);

 private:
  std::mutex mutex_;
  struct Entry {
    std::weak_ptr<const Solid> of;  ///< an address stands for a solid only as long as it lives
    std::shared_ptr<const Mesh> mesh;
  };
  std::map<std::pair<const Solid*, double>, Entry> known_;
};

/// Keeps the solids of a document's files and elements, each read and meshed once. Any thread may ask.
class ShapeStore {
 public:
  /// Are its solids looked at? Else gears and the like get no mesh for that: they make their own for checks.
  enum class Use { computing, looking };
  explicit ShapeStore(SolidReader reader = readGeometry, Use use = Use::computing)
      : reader_(std::move(reader)), look_(use == Use::looking) {}

  /// Folder against which file names of bodies are taken.
  void setFolder(std::filesystem::path folder);
  std::filesystem::path folder() const;

  /// All solids of a file; read anew when the file has changed on disk.
  Result<std::vector<SolidPtr>> file(const std::string& name, Progress* progress = nullptr);
  /// Those that were read last, also where the file has changed since; none: it was never read.
  std::optional<std::vector<SolidPtr>> fileAsRead(const std::string& name) const;
  /// The solid of one body. The error names the body.
  Result<SolidPtr> body(const model::Resolved::BodyR& body, const std::string& linkName, Progress* progress = nullptr);
  /// The same from the file as it was read last, so that a figure's change doesn't bring in another version of it.
  Result<SolidPtr> bodyAsRead(const model::Resolved::BodyR& body, const std::string& linkName);
  /// What its faces are, found once.
  SolidFacesPtr faces(const SolidPtr& solid);
  /// Its bores and pins, found once: much quicker than faces().
  RoundFacesPtr rounds(const SolidPtr& solid);
  /// The box around it in its own axes, measured once.
  std::shared_ptr<const Extent> extent(const SolidPtr& solid);
  /// Those of some files that are on the disk other than they were read, each once however often and in whatever
  /// spelling it is named. What is gone has not changed: what was read stays.
  std::vector<std::string> changedFiles(const std::vector<std::string>& names) const;
  /// Its mesh in body axes, m, true to the deflection.
  Result<std::shared_ptr<const Mesh>> mesh(const SolidPtr& solid, double deflection, Progress* progress = nullptr) {
    return meshes_->get(solid, deflection, progress);
  }
  /// Where those are kept: may outlive this.
  const std::shared_ptr<MeshStore>& meshes() const { return meshes_; }
  /// Puts solids in that were read already (after an import).
  void put(const std::string& name, std::vector<SolidPtr> solids);

 private:
  struct FileEntry {
    std::filesystem::file_time_type time;
    std::uintmax_t size = 0;
    std::vector<SolidPtr> solids;
    std::string name;
  };
  std::filesystem::path pathOf(const std::string& name) const;
  Result<SolidPtr> ofFile(Result<std::vector<SolidPtr>> solids, const model::Resolved::BodyR& body,
                          const std::string& object);
  /// What is left of a file's solid after its cuts, made longer or shorter.
  Result<SolidPtr> worked(const SolidPtr& solid, const model::Resolved::BodyR& body, const std::string& object);
  SolidReader reader_;
  const bool look_;
  mutable std::mutex mutex_;
  std::filesystem::path folder_;
  std::map<std::string, FileEntry> files_;
  std::map<std::string, std::shared_ptr<std::mutex>> reading_;
  /// Of elements and cuts so many are kept that no document holds: the way back by undo and a slider finds them.
  static constexpr std::size_t kSpare = 48;
  struct CutEntry {  ///< handed out as its part, so that the solid that it was cut from lives as long
    SolidPtr whole;
    Solid part;
  };
  Recent<std::pair<int, std::vector<double>>, const Solid> elements_{kSpare};
  Recent<std::pair<const Solid*, std::vector<double>>, const Solid> cuts_{kSpare};
  template <class T>
  struct Found {  ///< an address stands for a solid only as long as it lives
    std::weak_ptr<const Solid> of;
    T found;
  };
  template <class T, class Find>
  T foundOnce(std::map<const Solid*, Found<T>>& known, const SolidPtr& solid, Find find);
  std::map<const Solid*, Found<SolidFacesPtr>> faces_;
  std::map<const Solid*, Found<RoundFacesPtr>> rounds_;
  std::map<const Solid*, Found<std::shared_ptr<const Extent>>> extents_;
  std::shared_ptr<MeshStore> meshes_ = std::make_shared<MeshStore>();
};

}  // namespace cooperage::shape
