// SPDX-License-Identifier: GPL-3.0-or-later
#include "jobs.h"

#include <QMetaObject>

namespace cooperage::app {

void JobRunner::start(const QString& title, std::function<void(SharedProgress&)> work, std::function<void()> done) {
  stop();
  progress_ = std::make_shared<SharedProgress>();
  title_ = title;
  busy_ = true;
  const int serial = ++serial_;
  auto progress = progress_;
  thread_ = std::thread([this, serial, progress, work = std::move(work), done = std::move(done)] {
    work(*progress);
    QMetaObject::invokeMethod(
        this,
        [this, serial, done] {
          if (serial != serial_) return;  // stopped meanwhile
          thread_.join();
          busy_ = false;
          done();
          emit finished();
        },
        Qt::QueuedConnection);
  });
  emit started();
}

void JobRunner::cancel() {
  if (progress_) progress_->cancel();
}

void JobRunner::stop() {
  cancel();
  ++serial_;
  const bool was = busy_;
  if (thread_.joinable()) thread_.join();
  busy_ = false;
  if (was) emit finished();
}

}  // namespace cooperage::app
