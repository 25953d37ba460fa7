// SPDX-License-Identifier: GPL-3.0-or-later
// The rooms behind the window, without a window: document, shapes, solution, pose, runs, checks.
#include "workbench/workbench.h"

#include <gmock/gmock.h>
#include <malloc.h>

#include <QApplication>
#include <QElapsedTimer>
#include <fstream>
#include <nlohmann/json.hpp>

#include "../../scratch_folder.h"

namespace cooperage::app {
namespace {

using testing::HasSubstr;

/// A slider-crank whose crank is a parameter, with bodies on crank and block, a run and a clearance.
const char* kPress = R"({"format":"cooperage","version":1,"parameters":[{"name":"throw","value":"20 mm"}],"links":[
  {"name":"frame","ground":true,"seats":[{"name":"o"},{"name":"guide","axis":[1,0,0],"ref":[0,1,0]}],
   "bodies":[{"name":"stop","element":"box","size":[10,40,10],"placement":{"at":[107,0,0]}}]},
  {"name":"crank","seats":[{"name":"o"},{"name":"pin","at":["throw",0,0]}],
   "bodies":[{"name":"arm","element":"bar","length":"throw","width":8,"thickness":4,"bore":4}]},
  {"name":"rod","placement":{"at":[20,0,0]},"seats":[{"name":"big"},{"name":"small","at":[60,0,0]}]},
  {"name":"block","placement":{"at":[80,0,0]},"seats":[{"name":"pin"},{"name":"guide","axis":[1,0,0],"ref":[0,1,0]}],
   "bodies":[{"name":"head","element":"box","size":[20,20,10]}]}],
 "joints":[{"name":"main","kind":"revolute","between":["frame/o","crank/o"]},
  {"name":"big","kind":"revolute","between":["crank/pin","rod/big"]},
  {"name":"small","kind":"revolute","between":["rod/small","block/pin"]},
  {"name":"slide","kind":"prismatic","between":["frame/guide","block/guide"]}],
 "drives":[{"name":"motor","value":"main.turn","programme":[{"law":"constant-speed","speed":"60 rpm","time":"1 s"}]}],
 "gauges":[{"name":"stroke","kind":"joint-value","of":"slide.slide"}],
 "runs":[{"name":"turn","duration":"1 s","steps":72,"axis":"motor","check":["interference"]}]})";

class WorkbenchTest : public testing::Test {
 protected:
  WorkbenchTest() {
    QObject::connect(&bench.speaker(), &Speaker::said,
                     [this](const QString& text, bool error) { (error ? lastError : lastWord) = text.toStdString(); });
    QObject::connect(&bench.document(), &Document::changed, [this] { ++changes; });
  }
  ~WorkbenchTest() override { Document::dropAutosave(); }

  bool open(const std::string& text) {
    std::ofstream(scratch / "m.coop") << text;
    const bool ok = bench.document().open(QString::fromStdString((scratch / "m.coop").string()));
    settle();
    return ok;
  }
  template <class F>
  bool waitFor(F done, int milliseconds = 30000) {
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < milliseconds) {
      QApplication::processEvents(QEventLoop::AllEvents, 5);
      if (done()) return true;
    }
    return false;
  }
  void settle() {
    EXPECT_TRUE(waitFor([this] { return bench.isSettled() && !bench.isPending(); }));
    QApplication::processEvents();
  }
  const model::Mechanism& mechanism() { return *bench.document().mechanism(); }
  /// The parameter at another value, as its slider sets it.
  bool throwTo(double mm, int merge = 0) {
    return bench.document().apply(
        "throw",
        model::changed<model::Parameter>(
            mechanism(), &model::Mechanism::parameters, mechanism().parameters[0]->id,
            [&](model::Parameter& p) { p.value = *model::parseField(mechanism(), std::to_string(mm) + " mm"); }),
        merge);
  }
  double stroke() {
    const auto& rows = bench.runs().run()->result.rows;
    const auto c = static_cast<std::size_t>(bench.runs().columnOf(mechanism().gauges[0]->id));
    double low = 1e300, high = -1e300;
    for (const auto& r : rows) {
      low = std::min(low, r[c]);
      high = std::max(high, r[c]);
    }
    return high - low;
  }
  model::Id link(const char* name) { return model::findByName(mechanism().links, name)->id; }

  Workbench bench;
  std::string lastError, lastWord;
  int changes = 0;
  const test::ScratchFolder scratch;
};

TEST_F(WorkbenchTest, AnEditIsWorkedOutOnceAndToldOnce) {
  ASSERT_TRUE(open(kPress)) << lastError;
  const long before = model::resolvesDone();
  changes = 0;
  ASSERT_TRUE(throwTo(21));
  EXPECT_EQ(model::resolvesDone() - before, 1);
  EXPECT_EQ(changes, 1);
  EXPECT_NEAR(bench.pose().poses()[3].p.x(), 0.081, 1e-12);
  // what can't be worked out is refused, with nothing changed
  const auto good = bench.document().mechanism();
  EXPECT_FALSE(bench.document().apply(
      "broken", model::changed<model::Joint>(mechanism(), &model::Mechanism::joints, mechanism().joints[0]->id,
                                             [](model::Joint& j) { j.seats[0] = 123456; })));
  EXPECT_FALSE(lastError.empty());
  EXPECT_EQ(bench.document().mechanism(), good);
}

TEST_F(WorkbenchTest, ChangesOfOneGestureAreOneStepAndUndoGivesTheSameDocumentBack) {
  ASSERT_TRUE(open(kPress));
  const auto start = bench.document().mechanism();
  for (int i = 0; i < 5; ++i) ASSERT_TRUE(throwTo(21 + i, 7));
  bench.document().endGesture();
  ASSERT_TRUE(throwTo(30, 7));
  EXPECT_EQ(bench.document().undoStack()->count(), 2);
  bench.document().undoStack()->undo();
  EXPECT_NEAR(model::evaluateField(mechanism(), mechanism().parameters[0]->value, dimension::kLength).value(), 0.025,
              1e-12);
  bench.document().undoStack()->undo();
  EXPECT_EQ(bench.document().mechanism(), start);
  EXPECT_FALSE(bench.document().isChanged());
}

TEST_F(WorkbenchTest, ADistanceOfBodiesShowsNoDigitBelowTheRunsAccuracy) {
  std::string text = kPress;
  const std::string gauges = R"("gauges":[)";
  text.insert(text.find(gauges) + gauges.size(),
              R"({"name":"to the stop","kind":"clearance","of":["frame","block"]},)");
  ASSERT_TRUE(open(text)) << lastError;
  bench.runs().startRun();
  settle();
  const RunData& run = *bench.runs().run();
  const int distance = bench.runs().columnOf(mechanism().gauges[0]->id),
            stroke = bench.runs().columnOf(mechanism().gauges[1]->id);
  EXPECT_EQ(run.accuracyOf(distance), run.travel->settings().accuracy);
  EXPECT_EQ(run.accuracyOf(stroke), 0);
  EXPECT_EQ(run.accuracyOf(0), 0) << "a joint value is no gauge";
  const double v = 0.0123456789;  // the accuracy is 0.02 mm: hundredths are told
  EXPECT_EQ(run.text(distance, v, mechanism().units).toStdString(), "12.35 mm");
  EXPECT_EQ(run.text(stroke, v, mechanism().units).toStdString(), "12.346 mm");
}

TEST_F(WorkbenchTest, SolidsFollowTheFiguresAndComeBackByUndo) {
  ASSERT_TRUE(open(kPress));
  const auto body = mechanism().links[1]->bodies[0]->id;
  const auto was = bench.shapes().solid(body);
  ASSERT_TRUE(was);
  ASSERT_TRUE(throwTo(25));
  EXPECT_NE(bench.shapes().solid(body), was);
  bench.document().undoStack()->undo();
  EXPECT_EQ(bench.shapes().solid(body), was) << "not made again";
  bench.document().newDocument();
  EXPECT_FALSE(bench.shapes().solid(body));
}

TEST_F(WorkbenchTest, WhatIsChosenAndLookedAtGoesWithTheDocument) {
  ASSERT_TRUE(open(kPress));
  int told = 0;
  QObject::connect(&bench.selection(), &Selection::changed, [&] { ++told; });
  bench.selection().select({link("rod"), link("block")});
  bench.selection().select({link("rod"), link("block")});
  EXPECT_EQ(told, 1) << "the same again is no change";
  bench.selection().focusInterference(2);
  bench.selection().focusPair(0, 3);
  EXPECT_EQ(bench.selection().chosenInterference(), -1) << "one thing is looked at";
  bench.selection().focusInterference(0);
  EXPECT_EQ(bench.selection().chosenPair().first, -1);
  ASSERT_TRUE(bench.document().apply("remove", model::removed(mechanism(), {link("block")})));
  EXPECT_EQ(bench.selection().ids(), std::vector<model::Id>{link("rod")});
  EXPECT_EQ(told, 2);
  bench.document().newDocument();
  EXPECT_TRUE(bench.selection().ids().empty());
}

TEST_F(WorkbenchTest, AHomeThatDoesNotCloseTellsWhyAtOnceAndTheRangeWhenItIsKnown) {
  ASSERT_TRUE(open(kPress));
  ASSERT_TRUE(
      bench.document().apply("home", model::changedJoint(mechanism(), mechanism().joints[0]->id,
                                                         [](model::Joint& j) { j.home["turn"] = model::Field(90); })));
  ASSERT_TRUE(bench.solution().closes());
  ASSERT_TRUE(throwTo(70));
  EXPECT_FALSE(bench.solution().closes()) << "a crank of 70 straight up is longer than the rod of 60";
  const std::string first = bench.solution().homeProblem().toStdString();
  EXPECT_THAT(first, HasSubstr("can't be assembled at home: 10 mm remain open")) << "no rounding beside it";
  settle();
  EXPECT_THAT(bench.solution().homeProblem().toStdString(), HasSubstr("throw closes at home"));
  EXPECT_EQ(bench.pose().poses().size(), 4u);
  bench.document().undoStack()->undo();
  settle();
  EXPECT_TRUE(bench.solution().closes());
}

TEST_F(WorkbenchTest, ThePoseIsThatOfHomeTheHandOrTheCursorAndAMomentaryOneIsTakenBack) {
  ASSERT_TRUE(open(kPress));
  auto& pose = bench.pose();
  const auto home = pose.poses();
  EXPECT_TRUE(pose.isAtHome());
  ASSERT_TRUE(pose.beginJog(mechanism().joints[0]->id, 0));
  EXPECT_NEAR(pose.jogTo(kPi / 2), kPi / 2, 1e-9);
  EXPECT_TRUE(pose.isByHand());
  EXPECT_NEAR(pose.poses()[3].p.x(), std::sqrt(0.06 * 0.06 - 0.02 * 0.02), 1e-9);
  pose.endJog();
  const auto byHand = pose.poses();
  pose.showPoses(home);
  pose.showPoses(std::vector<Pose>(4));
  pose.restorePoses();
  for (std::size_t l = 0; l < 4; ++l) EXPECT_EQ(pose.poses()[l].p, byHand[l].p) << "as it stood before the first";
  EXPECT_TRUE(pose.isByHand());
  bench.runs().startRun();
  settle();
  bench.runs().setCursor(0.5);
  EXPECT_TRUE(pose.isAtCursor());
  EXPECT_NEAR(pose.poses()[3].p.x(), 0.04, 1e-9) << "half a turn on";
  EXPECT_NEAR(bench.runs().cursorRow()[0], 0.5, 1e-12);
  // a joint moved by hand goes on from there
  ASSERT_TRUE(pose.beginJog(mechanism().joints[0]->id, 0));
  EXPECT_NEAR(pose.jogTo(kPi + 0.1), kPi + 0.1, 1e-9);
  EXPECT_NEAR(pose.poses()[3].p.x(), 0.02 * std::cos(kPi + 0.1) + std::sqrt(0.0036 - std::pow(0.02 * std::sin(0.1), 2)),
              1e-9);
  pose.goHome();
  EXPECT_TRUE(pose.isAtHome());
  EXPECT_EQ(pose.poses()[3].p, home[3].p);
}

TEST_F(WorkbenchTest, AShortRunFollowsEachChangeAndTheOneBeforeStaysToCompareWith) {
  ASSERT_TRUE(open(kPress));
  bench.runs().startRun();
  settle();
  ASSERT_TRUE(bench.runs().run());
  EXPECT_NEAR(stroke(), 0.040, 1e-9);
  EXPECT_FALSE(bench.runs().before());
  ASSERT_TRUE(throwTo(22));
  EXPECT_TRUE(bench.runs().isRunStale());
  ASSERT_TRUE(waitFor([&] { return !bench.runs().isRunStale(); }));
  EXPECT_NEAR(stroke(), 0.044, 1e-9);
  ASSERT_TRUE(bench.runs().before());
  bench.runs().togglePin();
  const auto* pinned = bench.runs().before();
  ASSERT_TRUE(throwTo(24));
  ASSERT_TRUE(waitFor([&] { return !bench.runs().isRunStale(); }));
  EXPECT_EQ(bench.runs().before(), pinned);
}

TEST_F(WorkbenchTest, ACheckTakesTheRunThatIsThereAndItsOverlapsGoWithThePose) {
  ASSERT_TRUE(open(kPress));
  bench.runs().startRun();
  settle();
  const auto rows = bench.runs().run()->result.rows;
  const double seconds = bench.runs().run()->seconds;
  bench.checks().startCheck();
  settle();
  ASSERT_TRUE(bench.checks().check()) << lastError;
  EXPECT_EQ(bench.runs().run()->seconds, seconds) << "not computed again";
  EXPECT_EQ(bench.runs().run()->result.rows, rows);
  // head to 90 + throw - 20 + ..., the stop from 102 on: they never meet
  EXPECT_TRUE(bench.checks().check()->result.interference.empty());
  // a longer crank drives the head into the stop; a short check follows by itself
  ASSERT_TRUE(throwTo(35));
  ASSERT_TRUE(waitFor([&] { return !bench.checks().isCheckStale(); }));
  ASSERT_EQ(bench.checks().check()->result.interference.size(), 2u) << "at the start and at the end of the turn";
  EXPECT_NEAR(bench.checks().check()->result.interference[0].deepest.depth, 0.003, 1e-4);
  bench.checks().chooseInterference(0);
  EXPECT_EQ(bench.checks().lookedAtPair(), (std::pair{0, 3}));
  EXPECT_NEAR(bench.pose().poses()[3].p.x(), 0.095, 1e-5) << "the cursor goes to the deepest place";
  bench.checks().checkPose();
  settle();
  ASSERT_EQ(bench.checks().poseOverlaps().size(), 1u);
  bench.runs().setCursor(0.5);
  EXPECT_TRUE(bench.checks().poseOverlaps().empty()) << "they are of another pose";
}

TEST_F(WorkbenchTest, FreedomsAreThoseOfTheDrivesOfTheChosenRun) {
  auto json = nlohmann::json::parse(kPress);
  json["drives"].push_back({{"name", "push"},
                            {"value", "slide.slide"},
                            {"programme", {{{"law", "linear"}, {"by", "-5 mm"}, {"time", "1 s"}}}}});
  json["joints"][0]["home"] = {{"turn", "60 deg"}};
  json["runs"][0]["drives"] = {"motor"};
  json["runs"].push_back({{"name", "both"}, {"drives", {"push", "motor"}}, {"duration", "1 s"}, {"steps", 4}});
  ASSERT_TRUE(open(json.dump())) << lastError;
  EXPECT_TRUE(bench.solution().mobility()->redundantDrives.empty());
  int told = 0;
  QObject::connect(&bench.solution(), &Solution::changed, [&] { ++told; });
  bench.runs().setCurrentRun(mechanism().runs[1]->id);
  EXPECT_EQ(bench.solution().mobility()->redundantDrives.size(), 1u) << "both drives act in that run";
  EXPECT_EQ(told, 1);
  settle();
}

// A slider that is moved for long must not fill the memory: gears are made, meshed and forgotten.
TEST_F(WorkbenchTest, AThousandStepsOfAGearsModuleDoNotFillTheMemory) {
  ASSERT_TRUE(open(R"({"format":"cooperage","version":1,"links":[{"name":"g","ground":true,"seats":[{"name":"o"}]},
    {"name":"wheel","seats":[{"name":"o"}],"bodies":[{"name":"gear","element":"gear","module":2,"teeth":6,"width":2}]}],
   "joints":[{"name":"in","kind":"revolute","between":["g/o","wheel/o"]}]})"));
  const auto body = mechanism().links[1]->bodies[0]->id;
  const auto slide = [&](int i) {
    ASSERT_TRUE(bench.document().apply(
        "module",
        model::changedBody(mechanism(), body,
                           [&](model::Body& b) { b.figures["module"] = model::Field(2 + 1e-3 * i); }),
        5));
    // of steps that follow one another quickly those in between are left out
    if (i % 4 == 0) {
      ASSERT_TRUE(waitFor([&] { return bench.isSettled(); }));
    } else {
      QApplication::processEvents();
    }
    if (i % 100 == 0) bench.shapes().store().faces(bench.shapes().solid(body));
  };
  const auto used = [] {
    malloc_trim(0);
    long pages = 0, resident = 0;
    std::ifstream("/proc/self/statm") >> pages >> resident;
    return static_cast<double>(resident) * 4096e-6;  // MB
  };
  for (int i = 0; i < 100; ++i) slide(i);  // what is kept to come back to is there
  const double before = used();
  for (int i = 100; i < 1100; ++i) slide(i);
  EXPECT_LT(used() - before, 50);
}

}  // namespace
}  // namespace cooperage::app
