// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>
#include <unistd.h>

#include <fstream>
#include <sstream>

#include "io/coop_file.h"
#include "io/curve_table.h"

namespace cooperage::io {

Result<std::string> readFile(const std::filesystem::path& path) {
  std::error_code ec;
  if (std::filesystem::is_directory(path, ec))
    return Error{"file", path.string(), fmt::format("{}: is a folder, not a file", path.string())};
  std::ifstream in(path, std::ios::binary);
  std::ostringstream out;
  if (!in) return Error{"file", path.string(), fmt::format("{}: can't be opened; is the name right?", path.string())};
  out << in.rdbuf();
  if (in.bad()) return Error{"file", path.string(), fmt::format("{}: can't be read", path.string())};
  return out.str();
}

namespace {

/// Writes straight into what can't be replaced: a device, a pipe.
Status writeInto(const std::filesystem::path& path, std::string_view content) {
  std::ofstream out(path, std::ios::binary);
  out.write(content.data(), static_cast<std::streamsize>(content.size()));
  out.flush();
  if (out) return Done{};
  return Error{"file", path.string(), fmt::format("{}: can't be written", path.string())};
}

}  // namespace

Status writeFile(const std::filesystem::path& name, std::string_view content) {
  std::error_code none;
  // a link stays a link: what it leads to is written
  std::filesystem::path path = name;
  for (int k = 0; k < 32 && std::filesystem::is_symlink(path, none); ++k) {
    const auto target = std::filesystem::read_symlink(path, none);
    path = target.is_absolute() ? target : path.parent_path() / target;
  }
  const auto status = std::filesystem::status(path, none);
  if (std::filesystem::exists(status) && !std::filesystem::is_regular_file(status)) {
    if (std::filesystem::is_directory(status))
      return Error{"file", path.string(), fmt::format("{}: is a folder, not a file", path.string())};
    return writeInto(path, content);
  }
  const std::filesystem::path part = path.string() + fmt::format(".{}.part", ::getpid());
  {
    std::ofstream out(part, std::ios::binary | std::ios::trunc);
    out.write(content.data(), static_cast<std::streamsize>(content.size()));
    out.flush();
    if (!out) {
      std::error_code ignored;
      std::filesystem::remove(part, ignored);
      return Error{"file", path.string(),
                   fmt::format("{}: can't be written; is the folder there and writable?", path.string())};
    }
  }
  std::error_code ec;
  if (std::filesystem::exists(status)) std::filesystem::permissions(part, status.permissions(), ec);
  std::filesystem::rename(part, path, ec);
  if (ec) {
    std::filesystem::remove(part, ec);
    return Error{"file", path.string(), fmt::format("{}: can't be replaced", path.string())};
  }
  return Done{};
}

Result<model::Mechanism> loadCoop(const std::filesystem::path& path) {
  auto text = readFile(path);
  if (!text.ok()) return text.error();
  auto m = readCoop(*text);
  if (!m.ok()) {
    Error e = m.error();
    e.text = path.filename().string() + ": " + e.text;
    return e;
  }
  return withTables(*m, path.parent_path());
}

Status saveCoop(const model::Mechanism& mechanism, const std::filesystem::path& path) {
  return writeFile(path, writeCoop(mechanism));
}

}  // namespace cooperage::io
