// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <chrono>
#include <vector>

namespace bench {

using Clock = std::chrono::steady_clock;

/// Milliseconds gone by.
inline double since(Clock::time_point t) { return std::chrono::duration<double, std::milli>(Clock::now() - t).count(); }
template <class F>
double median(int repetitions, const F& f) {
  std::vector<double> all;
  for (int i = 0; i < repetitions; ++i) {
    const auto t = Clock::now();
    f();
    all.push_back(since(t));
  }
  std::sort(all.begin(), all.end());
  return all[all.size() / 2];
}

}  // namespace bench
