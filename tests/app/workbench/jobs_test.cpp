// SPDX-License-Identifier: GPL-3.0-or-later
#include "jobs.h"

#include <gtest/gtest.h>

#include <QApplication>
#include <QElapsedTimer>

namespace cooperage::app {
namespace {

/// Lets events that wait be handled, some time long.
void turnOver(int milliseconds = 50) {
  QElapsedTimer clock;
  for (clock.start(); clock.elapsed() < milliseconds;) QApplication::processEvents(QEventLoop::AllEvents, 5);
}

TEST(JobRunner, AJobThatIsWaitedForIsDoneOnceAndAtOnce) {
  JobRunner jobs;
  int worked = 0, done = 0, finished = 0;
  QObject::connect(&jobs, &JobRunner::finished, [&] { ++finished; });
  jobs.start(
      "count", [&](SharedProgress&) { ++worked; }, [&] { ++done; });
  EXPECT_TRUE(jobs.busy());
  jobs.finish();
  EXPECT_FALSE(jobs.busy());
  EXPECT_EQ(worked, 1);
  EXPECT_EQ(done, 1);
  turnOver();  // what the thread has sent meanwhile tells nothing new
  EXPECT_EQ(done, 1);
  EXPECT_EQ(finished, 1);
  jobs.finish();
  EXPECT_EQ(done, 1) << "nothing to wait for";
}

TEST(JobRunner, OfTwoTheLaterOneIsWaitedForAndTheFirstIsNeverDone) {
  JobRunner jobs;
  bool first = false, second = false;
  jobs.start(
      "until it is cancelled",
      [](SharedProgress& p) {
        while (!p.cancelled()) std::this_thread::yield();
      },
      [&] { first = true; });
  jobs.start(
      "at once", [](SharedProgress&) {}, [&] { second = true; });
  jobs.finish();
  turnOver();
  EXPECT_FALSE(first);
  EXPECT_TRUE(second);
}

TEST(JobRunner, WhatADoneStartsIsWaitedForToo) {
  JobRunner jobs;
  int steps = 0;
  std::function<void()> go = [&] {
    if (++steps < 4)
      jobs.start(
          "next", [](SharedProgress&) {}, go);
  };
  jobs.start(
      "first", [](SharedProgress&) {}, go);
  jobs.finish();
  EXPECT_EQ(steps, 4);
  EXPECT_FALSE(jobs.busy());
}

TEST(JobRunner, AStopIsFollowedByNothing) {
  JobRunner jobs;
  bool done = false;
  jobs.start(
      "until it is cancelled",
      [](SharedProgress& p) {
        while (!p.cancelled()) std::this_thread::yield();
      },
      [&] { done = true; });
  jobs.stop();
  turnOver();
  EXPECT_FALSE(done);
  EXPECT_FALSE(jobs.busy());
}

}  // namespace
}  // namespace cooperage::app
