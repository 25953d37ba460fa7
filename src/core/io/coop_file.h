// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <filesystem>
#include <string>
#include <string_view>

#include "base/result.h"
#include "model/mechanism.h"

namespace cooperage::io {

/// Reads the text of a .coop document. Names become ids; keys that are not known are kept. The error names the object
/// and the key: "joint main: there is no seat 'crank/pin'".
Result<model::Mechanism> readCoop(std::string_view text);

/// The document as text: stable key order, one object a line where it is short; the same document gives the same bytes.
std::string writeCoop(const model::Mechanism& mechanism);

/// Reads a file; the error names it.
Result<model::Mechanism> loadCoop(const std::filesystem::path& path);
/// Writes beside the target first and renames then, so that a crash leaves the old file or the new one, never half.
Status saveCoop(const model::Mechanism& mechanism, const std::filesystem::path& path);

/// Whole content of a file, or an error that names it.
Result<std::string> readFile(const std::filesystem::path& path);
/// Atomic write of a whole file.
Status writeFile(const std::filesystem::path& path, std::string_view content);

}  // namespace cooperage::io
