// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <atomic>
#include <functional>
#include <memory>
#include <optional>
#include <thread>

#include "base/progress.h"

namespace cooperage::app {

/// Of this thread, s: how dear a piece of work is, whatever else runs on the machine.
double processorTime();

/// Progress that crosses threads: the work writes, the window reads on its own clock.
class SharedProgress : public Progress {
 public:
  void report(double share) override { share_ = share; }
  bool cancelled() const override { return cancelled_; }
  double share() const { return share_; }
  void cancel() { cancelled_ = true; }

 private:
  std::atomic<double> share_{0};
  std::atomic<bool> cancelled_{false};
};

/// Runs one piece of work at a time off the interface thread. A new job cancels the one before, whose done() is not
/// called, and begins when that one has seen it: nobody waits. Only stop() and the destructor do, so that no work
/// outlives what it reads.
class JobRunner : public QObject {
  Q_OBJECT
 public:
  explicit JobRunner(QObject* parent = nullptr) : QObject(parent) {}
  ~JobRunner() override { stop(); }

  /// @param work runs in another thread @param done runs in the interface thread, not after a cancel by stop()
  void start(const QString& title, std::function<void(SharedProgress&)> work, std::function<void()> done);
  void cancel();
  /// Waits until the job has come to its end; its done() is called.
  void finish();
  /// Cancels and waits; done() is not called.
  void stop();
  bool busy() const { return busy_; }
  QString title() const { return title_; }
  double share() const { return progress_ ? progress_->share() : 0; }

 signals:
  void started();
  void finished();

 private:
  struct Job {
    std::function<void(SharedProgress&)> work;
    std::function<void()> done;
  };
  void launch();
  void end(int serial);
  std::optional<Job> next_;
  std::function<void()> done_;  ///< of the one in the thread
  std::thread thread_;
  std::shared_ptr<SharedProgress> progress_;
  QString title_;
  bool busy_ = false;
  int serial_ = 0, running_ = 0;  ///< number of the last job, and of the one in the thread; 0: none
};

}  // namespace cooperage::app
