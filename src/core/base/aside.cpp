// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/aside.h"

#include <chrono>
#include <future>
#include <list>
#include <mutex>

namespace cooperage {
namespace {

/// Work that goes on unheeded.
class Left {
 public:
  void add(std::future<void> f) {
    const std::lock_guard lock(mutex_);
    all_.remove_if([](const auto& x) { return x.wait_for(std::chrono::seconds(0)) == std::future_status::ready; });
    all_.push_back(std::move(f));  // a future of std::async waits for its thread when it goes
  }

 private:
  std::mutex mutex_;
  std::list<std::future<void>> all_;
};

}  // namespace

bool doAside(Progress* progress, std::function<void()> work, const std::function<void()>& meanwhile) {
  if (!progress) {
    work();
    return true;
  }
  static Left left;
  std::future<void> f = std::async(std::launch::async, std::move(work));
  while (f.wait_for(std::chrono::milliseconds(15)) != std::future_status::ready) {
    if (progress->cancelled()) {
      left.add(std::move(f));
      return false;
    }
    if (meanwhile) meanwhile();
  }
  f.get();  // what the work has thrown is thrown here
  return true;
}

}  // namespace cooperage
