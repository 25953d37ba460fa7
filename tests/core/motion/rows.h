// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include "motion/programme.h"

namespace cooperage::motion {

/// A row of a programme from its law's word and figures.
inline RowFigures row(const std::string& law, std::map<std::string, double> figures) {
  return {Word<LawKind>::read(law), std::move(figures), {}, {}, {}, nullptr};
}

}  // namespace cooperage::motion
