// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <cstddef>

namespace cooperage {

/// An index as containers want it. Indices are ints: -1 stands for none.
inline std::size_t u(int i) { return static_cast<std::size_t>(i); }

}  // namespace cooperage
