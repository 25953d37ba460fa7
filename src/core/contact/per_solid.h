// SPDX-License-Identifier: GPL-3.0-or-later
// Within contact/ only: what is worked out once for a solid and a placement.
#pragma once
#include <algorithm>
#include <array>
#include <map>
#include <memory>
#include <mutex>

#include "shape/solid.h"

namespace cooperage::contact {

/// Any thread may ask. What was kept goes once its solid is gone.
template <class T>
class PerSolid {
 public:
  /// @return null if it is not known
  std::shared_ptr<const T> find(const shape::SolidPtr& solid, const Pose& pose) {
    const std::lock_guard lock(mutex_);
    for (auto it = known_.begin(); it != known_.end();) it = it->second.of.expired() ? known_.erase(it) : std::next(it);
    const auto it = known_.find(keyOf(solid, pose));
    return it != known_.end() && it->second.of.lock() == solid ? it->second.made : nullptr;
  }
  std::shared_ptr<const T> keep(const shape::SolidPtr& solid, const Pose& pose, T made) {
    auto out = std::make_shared<const T>(std::move(made));
    const std::lock_guard lock(mutex_);
    known_[keyOf(solid, pose)] = {solid, out};
    return out;
  }

 private:
  using Key = std::pair<const shape::Solid*, std::array<double, 12>>;
  struct Known {
    std::weak_ptr<const shape::Solid> of;  // an address stands for a solid only as long as it lives
    std::shared_ptr<const T> made;
  };
  static Key keyOf(const shape::SolidPtr& solid, const Pose& pose) {
    Key key{solid.get(), {}};
    std::copy(pose.R.data(), pose.R.data() + 9, key.second.begin());
    std::copy(pose.p.data(), pose.p.data() + 3, key.second.begin() + 9);
    return key;
  }
  std::mutex mutex_;
  std::map<Key, Known> known_;
};

}  // namespace cooperage::contact
