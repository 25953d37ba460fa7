// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace cooperage {

/// How long work tells where it stands and learns that it should end. The default does nothing. Calls come from the
/// thread that does the work, about once a pose; an implementation must be cheap and may be asked from several threads.
class Progress {
 public:
  virtual ~Progress() = default;
  /// @param share 0 to 1
  virtual void report(double share) { (void)share; }
  virtual bool cancelled() const { return false; }
};

}  // namespace cooperage
