// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/recent.h"

#include <gtest/gtest.h>
#include <rapidcheck/gtest.h>

#include <map>

namespace cooperage {
namespace {

std::shared_ptr<const int> number(int i) { return std::make_shared<const int>(i); }

TEST(Recent, KeepsWhatIsHeldAndTheLastOfTheRest) {
  Recent<int, const int> known(3);
  const auto held = known.keep(0, number(0));
  for (int i = 1; i <= 100; ++i) {
    known.keep(i, number(i));
    known.find(7 < i ? 7 : i);  // asked for again and again
  }
  EXPECT_LE(known.size(), 2u * (3 + 1) + 1);
  EXPECT_EQ(known.find(0), held) << "someone holds it";
  ASSERT_TRUE(known.find(7));
  EXPECT_EQ(*known.find(7), 7);
  EXPECT_TRUE(known.find(100));
  EXPECT_FALSE(known.find(50));
}

TEST(Recent, TheFirstThatWasMadeForAKeyIsTheOneThatAllGet) {
  Recent<int, const int> known(2);
  const auto first = known.keep(1, number(10)), second = known.keep(1, number(20));
  EXPECT_EQ(first, second);
  EXPECT_EQ(*second, 10);
}

// Whatever is done, what is held can be found, nothing wrong is found, and the rest stays bounded.
RC_GTEST_PROP(Recent, NeverLosesWhatIsHeld, ()) {
  Recent<int, const int> known(5);
  std::map<int, std::shared_ptr<const int>> held;
  std::size_t most = 0;
  for (const int step : *rc::gen::container<std::vector<int>>(200, rc::gen::inRange(0, 4000))) {
    const int key = step / 4;
    if (step % 4 == 0) held[key] = known.keep(key, number(key));
    if (step % 4 == 1) held.erase(key);
    if (step % 4 == 2) known.keep(key, number(key));
    if (const auto found = known.find(key)) RC_ASSERT(*found == key);
    for (const auto& [k, p] : held) RC_ASSERT(known.find(k) == p);
    most = std::max(most, held.size());
    RC_ASSERT(known.size() <= most + 2 * 5 + 2);
  }
}

}  // namespace
}  // namespace cooperage
