// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <set>
#include <utility>

#include "model/resolve.h"

namespace cooperage::clearance {

/// Two links, by their indices in the resolved document; smaller index first.
using LinkPair = std::pair<int, int>;
inline LinkPair ordered(int a, int b) { return {std::min(a, b), std::max(a, b)}; }

/// Pairs of links that are made to meet: joined by a joint, coupled, in contact, or hinged on one pin.
std::set<LinkPair> joinedLinks(const model::Resolved& resolved);

}  // namespace cooperage::clearance
