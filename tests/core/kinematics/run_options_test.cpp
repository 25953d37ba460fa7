// SPDX-License-Identifier: GPL-3.0-or-later
// How long a run is, what acts in it, rows as they come, and poses that do not depend on the way to them.
#include <malloc.h>

#include <rapidcheck/gtest.h>

#include "../support.h"
#include "model/edits.h"

namespace cooperage::test {
namespace {

using namespace kinematics;

std::string withRun(const std::string& run, const std::string& drives = "") {
  auto json = sliderCrank(20, 70, 5, 30);
  const auto at = json.find(R"("runs":[)");
  json = json.substr(0, at) + R"("runs":[)" + run + "]}";
  if (!drives.empty()) {
    const auto d = json.find(R"("drives":[)"), e = json.find(R"("gauges":[)");
    json.replace(d, e - d, drives + ",");
  }
  return json;
}
Result<std::unique_ptr<TravelRun>> prepared(const std::string& json, int run = 0) {
  return TravelRun::prepare(model::resolve(read(json)).value(), run);
}

TEST(RunOptions, TurnsGiveTheDurationAndStepsTheirSize) {
  // 60 rpm after a run-up at 720 deg/s^2: 0.5 s and 90 degrees, then a turn a second
  const std::string drives =
      R"("drives":[{"name":"motor","value":"main.turn","programme":[{"law":"run-up","speed":"60 rpm","acceleration":"720 deg/s^2"},
         {"law":"constant-speed","speed":"60 rpm","time":"20 s"}]}])";
  const auto r = runFirst(read(withRun(R"({"name":"r","turns":2,"axis":"motor","step":"5 deg"})", drives)));
  ASSERT_TRUE(r.travel.completed) << said(r);
  EXPECT_NEAR(r.rows.back()[0], 0.5 + 630.0 / 360, 1e-12);
  EXPECT_NEAR(r.axis.back() - r.axis.front(), 4 * kPi, 1e-11);
  EXPECT_EQ(r.rows.size(), 145u);
  const auto rate = runFirst(read(withRun(R"({"name":"r","duration":"0.25 s","rate":"120 Hz"})")));
  EXPECT_EQ(rate.rows.size(), 31u);
  const auto few = prepared(withRun(R"({"name":"r","turns":50,"axis":"motor"})", drives));
  ASSERT_FALSE(few.ok());
  EXPECT_THAT(few.error().text, testing::HasSubstr("motor makes 20.2"));
  const auto slide = prepared(withRun(
      R"({"name":"r","turns":1})",
      R"("drives":[{"name":"push","value":"slide.slide","programme":[{"law":"linear","by":"1 mm","time":"1 s"}]}])"));
  ASSERT_FALSE(slide.ok());
  EXPECT_THAT(slide.error().text, testing::HasSubstr("a drive that turns"));
}

TEST(RunOptions, ARunLastsAsLongAsItsProgrammesUnlessItSaysOtherwise) {
  const std::string drives =
      R"("drives":[{"name":"motor","value":"main.turn","programme":[{"law":"linear","by":"20 deg","time":"1 s"},
         {"law":"dwell","time":"3 s"}]}])";
  const auto whole = runFirst(read(withRun(R"({"name":"r","steps":10})", drives)));
  ASSERT_TRUE(whole.travel.completed) << said(whole);
  EXPECT_EQ(whole.rows.back()[0], 4);
  EXPECT_EQ(said(whole), "");
  const auto half = runFirst(read(withRun(R"({"name":"r","steps":10,"duration":"2 s"})", drives)));
  EXPECT_EQ(half.rows.back()[0], 2);
  EXPECT_THAT(said(half), testing::HasSubstr("run r ends at 2 s; the programme of drive motor goes on to 4 s"));
  const auto endless = prepared(withRun(
      R"({"name":"r","steps":10})",
      R"("drives":[{"name":"motor","value":"main.turn","programme":[{"law":"sine","amplitude":"5 deg","frequency":"1 Hz"}]}])"));
  ASSERT_FALSE(endless.ok());
  EXPECT_THAT(endless.error().text, testing::HasSubstr("the programme of drive motor has no end"));
}

// A drive that swings, or stands, is no travel axis: all would be drawn on one spot.
TEST(RunOptions, AnAxisRisesOrFallsAllAlongElseTimeIsTakenAndTold) {
  const auto with = [](const std::string& rows) {
    return runFirst(read(withRun(R"({"name":"r","duration":"2 s","axis":"motor","steps":40})",
                                 R"("drives":[{"name":"motor","value":"main.turn","programme":[)" + rows + "]}]")));
  };
  const auto risen = with(R"({"law":"linear","by":"-90 deg","time":"1 s"},{"law":"dwell","time":"1 s"})");
  EXPECT_NEAR(risen.axis.back() - risen.axis.front(), -kPi / 2, 1e-12);
  EXPECT_EQ(said(risen), "");
  for (const char* rows :
       {R"({"law":"sine","mean":"30 deg","amplitude":"20 deg","frequency":"1 Hz","time":"2 s"})",
        R"({"law":"dwell","time":"2 s"})",
        R"({"law":"poly-345","by":"20 deg","time":"1 s"},{"law":"poly-345","by":"-5 deg","time":"1 s"})"}) {
    const auto r = with(rows);
    ASSERT_TRUE(r.travel.completed) << said(r);
    EXPECT_EQ(r.axis.front(), 0) << rows;
    EXPECT_NEAR(r.axis.back(), 2, 1e-12) << rows;
    EXPECT_TRUE(r.axisDimension == dimension::kTime) << rows;
    EXPECT_THAT(said(r), testing::HasSubstr("time is taken as the travel axis")) << rows;
  }
}

TEST(RunOptions, WhatIsLeftOutDoesNotAct) {
  const std::string off = R"({"name":"open","duration":"1 s","steps":10,"off":{"joints":["slide"]}})";
  auto with = prepared(withRun(R"({"name":"closed","duration":"1 s","steps":10})"));
  auto without = prepared(withRun(off));
  ASSERT_TRUE(with.ok() && without.ok());
  EXPECT_EQ((*with)->mobility().freedoms, 1);
  EXPECT_EQ((*without)->mobility().freedoms, 3) << "crank, rod and block hang as a chain";
  EXPECT_TRUE((*without)->run().completed);
}

TEST(RunOptions, TwoDrivesOfOneJointActInRunsOfTheirOwn) {
  const std::string drives =
      R"("programmes":[{"name":"both","programme":[{"law":"poly-345","by":"40 deg","time":"1 s"}]}],
       "drives":[{"name":"a","value":"main.turn","programme":"both"},{"name":"b","value":"main.turn","programme":"both","reverse":true}])";
  const auto json = withRun(R"({"name":"one","duration":"1 s","steps":10,"drives":["a"]},
                               {"name":"two","duration":"1 s","steps":10,"drives":["b"]})",
                            drives);
  const auto m = read(json);
  const auto r = model::resolve(m).value();
  double ends[2];
  for (int k = 0; k < 2; ++k) {
    auto run = TravelRun::prepare(r, k);
    ASSERT_TRUE(run.ok()) << run.error().text;
    const auto travel = (*run)->run();
    EXPECT_TRUE(travel.completed);
    EXPECT_TRUE(travel.messages.empty()) << travel.messages.front().text;
    ends[k] = jointValue((*run)->system(), travel.steps.back().c, 0, 0, r);
  }
  EXPECT_NEAR(ends[0], 70 * kDegree, 1e-12);
  EXPECT_NEAR(ends[1], -10 * kDegree, 1e-12);
  EXPECT_EQ(io::writeCoop(read(io::writeCoop(m))), io::writeCoop(m));
}

TEST(RunOptions, RowsComeAsTheyAreMeasuredAndAreTheSame) {
  const auto r = model::resolve(read(sliderCrank(20, 70, 5))).value();
  auto one = TravelRun::prepare(r, 0), two = TravelRun::prepare(r, 0);
  Measurer a(**one), b(**two);
  std::vector<std::vector<double>> rows;
  std::vector<double> axis;
  const auto streamed = tabulate(**one, a, nullptr, [&](const std::vector<double>& row, double x) {
    rows.push_back(row);
    axis.push_back(x);
  });
  const auto whole = (*two)->run();
  ASSERT_EQ(rows.size(), whole.steps.size());
  EXPECT_EQ(axis, streamed.axis);
  for (std::size_t i = 0; i < rows.size(); ++i) {
    std::vector<double> row;
    b.row(whole.steps[i], row);
    EXPECT_EQ(rows[i], row) << "to the bit, in row " << i;
  }
}

RC_GTEST_PROP(RunOptions, APoseIsTheSameHoweverOneCameThere, ()) {
  static const auto r = model::resolve(read(sliderCrank(20, 70, 5))).value();
  static auto run = TravelRun::prepare(r, 0).value();
  static const auto travel = run->run();
  const auto share = [] { return *rc::gen::inRange(0, 100001) / 100000.0; };
  const double t = share();
  TravelStep first, again;
  RC_ASSERT(run->poseAt(travel, t, first));
  for (int k = *rc::gen::inRange(0, 6); k > 0; --k) {
    TravelStep other;
    RC_ASSERT(run->poseAt(travel, share(), other));
  }
  RC_ASSERT(run->poseAt(travel, t, again));
  RC_ASSERT(first.c.q == again.c.q && first.qd == again.qd && first.qdd == again.qdd);
}

TEST(RunOptions, AHundredThousandStepsTakeLittleMemory) {
  auto m = read(sliderCrank(20, 70, 5));
  m = model::changed<model::Run>(m, &model::Mechanism::runs, m.runs[0]->id, [](model::Run& r) { r.steps = 100000; });
  const auto r = model::resolve(m).value();
  auto run = TravelRun::prepare(r, 0).value();
  Measurer measurer(*run);
  const auto used = [] {
    const auto info = mallinfo2();
    return info.uordblks + info.hblkhd;
  };
  const auto before = used();
  const auto result = tabulate(*run, measurer);
  const double bytes = static_cast<double>(used() - before);
  ASSERT_EQ(result.rows.size(), 100001u);
#if defined(__SANITIZE_ADDRESS__)
  EXPECT_GE(bytes, 0) << "the sanitizer keeps its own books";
#else
  EXPECT_LT(bytes / (100001.0 * 4), 200) << "bytes per link and step";
  EXPECT_GT(bytes, 0);
#endif
}

}  // namespace
}  // namespace cooperage::test
