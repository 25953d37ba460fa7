// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstdlib>
#include <filesystem>
#include <stdexcept>
#include <string>

namespace cooperage::test {

/// A folder of its own for one test, gone with it: tests run side by side and must not share one.
class ScratchFolder {
 public:
  ScratchFolder() {
    std::string name = (std::filesystem::temp_directory_path() / "cooperage-test-XXXXXX").string();
    if (!::mkdtemp(name.data())) throw std::runtime_error("no folder for a test at " + name);
    path_ = name;
  }
  ~ScratchFolder() {
    std::error_code ignored;  // what can't be removed is the system's to clear, and no fault of the test
    std::filesystem::remove_all(path_, ignored);
  }
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;
  operator const std::filesystem::path&() const { return path_; }
  const std::filesystem::path& path() const { return path_; }
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }

 private:
  std::filesystem::path path_;
};

}  // namespace cooperage::test
