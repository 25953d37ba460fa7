// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "io/coop_file.h"

/// Another document's links, joints, couplings and parameters put into one, as a group: copied, and if its file is
/// named refreshed from it. What it drives, measures and runs stays there.
namespace cooperage::io {

struct ReuseHow {
  std::string name;       ///< of the group; put before the names of its objects
  std::string file;       ///< relative to the document's folder, of a copy that is to be refreshed; else empty
  model::Id onto = 0;     ///< seat of the document on which it is placed
  std::string seat;       ///< of its ground links, that comes to lie on that one; empty: the origin
  bool mirrored = false;  ///< turned over, so that its plane is seen from behind; planar mechanisms only
};

/// A document with another one in it. Its ground links become links that are fixed to the link of the seat by joints;
/// names that are taken, and those of parameters, are told apart by the group's name.
/// @param source freshly read: its ids must not be in use; its files named relative to the document's folder
/// @return the document and the group's id; or an error: no ground in it, no such seat, not planar where it is to be
///         mirrored, parameters without a unit where the documents' units differ
Result<std::pair<model::Mechanism, model::Id>> withReused(const model::Mechanism& m, const model::Mechanism& source,
                                                          const ReuseHow& how);

/// A group as its source is now. Names of the document stay, and so do parameters that were changed in it, joints and
/// gauges that were added to the group's links, and where it stands. All ids are new.
/// @param source freshly read, its files named relative to the document's folder
/// @return an error that names what the source doesn't have any more and what in the document needs it
Result<model::Mechanism> withRefreshed(const model::Mechanism& m, model::Id group, const model::Mechanism& source);

/// Whether a document may be put into another: not into itself, nor into one that it holds itself by way of others.
/// @return an error that names the documents on the way; files that can't be read are passed over
Status mayReuse(const std::filesystem::path& document, const std::filesystem::path& source);

}  // namespace cooperage::io
