// SPDX-License-Identifier: GPL-3.0-or-later
#include "jobs.h"

#include <QMetaObject>
#include <ctime>

namespace cooperage::app {

double processorTime() {
  timespec t{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

void JobRunner::start(const QString& title, std::function<void(SharedProgress&)> work, std::function<void()> done) {
  cancel();
  ++serial_;
  progress_ = std::make_shared<SharedProgress>();
  title_ = title;
  busy_ = true;
  next_ = Job{std::move(work), std::move(done)};
  if (running_ == 0) launch();  // else when the one before has seen that it is cancelled
  emit started();
}

void JobRunner::launch() {
  done_ = std::move(next_->done);
  running_ = serial_;
  thread_ = std::thread([this, work = std::move(next_->work), serial = running_, progress = progress_] {
    work(*progress);
    QMetaObject::invokeMethod(
        this, [this, serial] { end(serial); }, Qt::QueuedConnection);
  });
  next_.reset();
}

void JobRunner::end(int serial) {
  if (serial != running_) return;  // stopped or finished meanwhile
  thread_.join();
  running_ = 0;
  if (next_) {
    launch();
    return;
  }
  busy_ = false;
  const auto done = std::move(done_);  // it may start the next
  done();
  emit finished();
}

void JobRunner::finish() {
  while (busy_) end(running_);
}

void JobRunner::cancel() {
  if (progress_) progress_->cancel();
}

void JobRunner::stop() {
  cancel();
  next_.reset();
  if (thread_.joinable()) thread_.join();
  running_ = 0;
  const bool was = busy_;
  busy_ = false;
  if (was) emit finished();
}

}  // namespace cooperage::app
