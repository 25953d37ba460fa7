// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace cooperage::app {

/// Keys of changes that follow one another within one gesture and are one undo step.
enum Merge { kMergeStop = 100, kMergeParameter, kMergePlacing, kMergeImport, kMergeMaker, kMergeKnot, kMergePivot };

}  // namespace cooperage::app
