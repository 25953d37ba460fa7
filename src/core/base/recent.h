// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <utility>
#include <vector>

namespace cooperage {

/// What was made once, by its key: what someone else still holds stays; of the rest only the most recently asked for,
/// so that a slider that is moved for an hour does not fill the memory. Not for two threads at once.
template <class Key, class T>
class Recent {
 public:
  using Pointer = std::shared_ptr<T>;
  /// @param spare how many are kept that nobody holds
  explicit Recent(std::size_t spare) : spare_(spare) {}

  /// What was made for a key, or null.
  Pointer find(const Key& key) {
    const auto it = known_.find(key);
    if (it == known_.end()) return nullptr;
    it->second.asked = ++clock_;
    return it->second.made;
  }
  /// Keeps what was made, unless another was made for the key meanwhile. @return what is kept
  Pointer keep(const Key& key, Pointer made) {
    const auto [it, fresh] = known_.try_emplace(key, Entry{std::move(made), 0});
    it->second.asked = ++clock_;
    const Pointer out = it->second.made;
    if (fresh && known_.size() > limit_) prune();
    return out;
  }
  std::size_t size() const { return known_.size(); }
  void clear() { known_.clear(); }

 private:
  struct Entry {
    Pointer made;
    std::uint64_t asked = 0;
  };
  void prune() {
    std::vector<std::uint64_t> idle;
    for (const auto& [key, entry] : known_)
      if (entry.made.use_count() == 1) idle.push_back(entry.asked);
    if (idle.size() > spare_) {
      const auto last = idle.end() - static_cast<std::ptrdiff_t>(spare_);
      std::nth_element(idle.begin(), last, idle.end());
      const std::uint64_t oldest = *last;
      for (auto it = known_.begin(); it != known_.end();)
        it = it->second.made.use_count() == 1 && it->second.asked < oldest ? known_.erase(it) : std::next(it);
    }
    // not at every new one: it looks through all
    limit_ = known_.size() + spare_ + 1;
  }

  std::size_t spare_, limit_ = 0;
  std::uint64_t clock_ = 0;
  std::map<Key, Entry> known_;
};

}  // namespace cooperage
