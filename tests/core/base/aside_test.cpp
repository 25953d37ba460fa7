// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/aside.h"

#include <gmock/gmock.h>

#include <atomic>
#include <future>
#include <memory>
#include <stdexcept>

namespace cooperage {
namespace {

struct Wish : Progress {
  bool cancelled() const override { return stop; }
  std::atomic<bool> stop{false};
};

TEST(Aside, WorkIsDoneAndItsErrorsComeBack) {
  Wish wish;
  int made = 0;
  EXPECT_TRUE(doAside(&wish, [&] { made = 7; }));
  EXPECT_EQ(made, 7);
  EXPECT_TRUE(doAside(nullptr, [&] { made = 8; }));
  EXPECT_EQ(made, 8);
  EXPECT_THROW(doAside(&wish, [] { throw std::runtime_error("no"); }), std::runtime_error);
}

TEST(Aside, ACancelIsAnsweredWhileTheWorkGoesOn) {
  Wish wish;
  wish.stop = true;
  const auto gate = std::make_shared<std::promise<void>>();
  const auto ended = std::make_shared<std::promise<void>>();
  auto open = gate->get_future().share();
  auto end = ended->get_future();
  // the work can't end before the call has come back: only then is its gate opened
  EXPECT_FALSE(doAside(&wish, [open, ended] {
    open.wait();
    ended->set_value();
  }));
  gate->set_value();
  end.wait();
}

TEST(Aside, WhoWaitsIsToldMeanwhile) {
  Wish wish;
  const auto gate = std::make_shared<std::promise<void>>();
  auto open = gate->get_future().share();
  int told = 0;
  EXPECT_TRUE(doAside(
      &wish, [open] { open.wait(); },
      [&] {
        if (++told == 2) gate->set_value();
      }));
  EXPECT_GE(told, 2);
}

}  // namespace
}  // namespace cooperage
