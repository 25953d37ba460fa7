// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Message_ProgressIndicator.hxx>
#include <atomic>
#include <memory>

namespace cooperage::shape {

/// Between OCCT's work on a thread of its own and who waits for it.
struct OcctWork {
  std::atomic<double> share{0};
  std::atomic<bool> stop{false};
};

/// What OCCT's algorithms tell and ask.
class OcctProgress : public Message_ProgressIndicator {
 public:
  explicit OcctProgress(std::shared_ptr<OcctWork> work) : work_(std::move(work)) {}
  Standard_Boolean UserBreak() override { return work_->stop; }
  void Show(const Message_ProgressScope& scope, const Standard_Boolean force) override {
    (void)scope;
    (void)force;
    work_->share = GetPosition();
  }

 private:
  std::shared_ptr<OcctWork> work_;
};

}  // namespace cooperage::shape
