// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <fstream>
#include <map>
#include <random>
#include <sstream>

#include "sample_assemblies.h"
#include "shape/advice.h"
#include "../support.h"

namespace cooperage::shape {
namespace {

using demo::Sample;
using model::JointKind;

/// One assembly as the proposal sees it; the order of the parts is shuffled, so that nothing hangs on it.
struct Trial {
  std::vector<Part> parts;
  std::vector<int> original;  ///< index of the part in the sample
};
Trial trialOf(const Sample& sample, const std::function<TopoDS_Shape(const TopoDS_Shape&)>& change, unsigned shuffle) {
  Trial t;
  for (std::size_t i = 0; i < sample.parts.size(); ++i) t.original.push_back(static_cast<int>(i));
  std::mt19937 random(shuffle);
  if (shuffle) std::shuffle(t.original.begin(), t.original.end(), random);
  for (int i : t.original) {
    const TopoDS_Shape shape = change(sample.parts[static_cast<std::size_t>(i)].shape);
    meshForDisplay(shape);
    // the whole stands anywhere in space
    const Pose place{rotationOf(Vec3(0.3, -0.2, 0.5)), Vec3(1.2, -0.4, 0.3)};
    t.parts.push_back({{{facesOf(shape), place}}});
  }
  return t;
}

struct Score {
  int right = 0, all = 0;
};
using Table = std::map<std::string, std::map<std::string, Score>>;  // variant, kind

std::string kindName(const std::optional<JointKind>& kind) { return kind ? model::infoOf(*kind).name : "no joint"; }

void judge(const std::string& variant, const Sample& sample, const Trial& trial, Table& table, int& rigid,
           std::string& wrong) {
  const auto proposals = proposeJoints(trial.parts);
  std::map<std::pair<int, int>, std::optional<JointKind>> truth, said;
  for (const auto& j : sample.joints) truth[{j.a, j.b}] = j.kind;
  for (const auto& n : sample.none) truth[n] = std::nullopt;
  for (const auto& p : proposals) {
    const auto pair =
        std::minmax(trial.original[static_cast<std::size_t>(p.a)], trial.original[static_cast<std::size_t>(p.b)]);
    said[pair] = p.advice.kind;
    truth.try_emplace(pair, std::nullopt);  // a pair that is told to touch and has no joint counts as well
    if (p.advice.kind == JointKind::fixed && truth[pair] != JointKind::fixed) ++rigid;
  }
  for (const auto& [pair, kind] : truth) {
    const auto& answer = said[pair];  // none if it was not told
    Score& score = table[variant][kindName(kind)];
    ++score.all;
    if (answer == kind)
      ++score.right;
    else
      wrong += fmt::format("{}, {}: {} - {} is {}, said {}\n", variant, sample.name,
                           sample.parts[static_cast<std::size_t>(pair.first)].name,
                           sample.parts[static_cast<std::size_t>(pair.second)].name, kindName(kind), kindName(answer));
  }
}

std::string markdown(const Table& table) {
  std::vector<std::string> kinds;
  for (const auto& [variant, row] : table)
    for (const auto& [kind, s] : row)
      if (std::find(kinds.begin(), kinds.end(), kind) == kinds.end()) kinds.push_back(kind);
  std::sort(kinds.begin(), kinds.end());
  std::string out = "| kind |";
  for (const auto& [variant, row] : table) out += " " + variant + " |";
  out += "\n|---|";
  for (std::size_t i = 0; i < table.size(); ++i) out += "---|";
  out += "\n";
  std::map<std::string, Score> sums;
  for (const auto& kind : kinds) {
    out += "| " + kind + " |";
    for (const auto& [variant, row] : table) {
      const auto it = row.find(kind);
      const Score s = it == row.end() ? Score{} : it->second;
      sums[variant].right += s.right;
      sums[variant].all += s.all;
      out += fmt::format(" {}/{} |", s.right, s.all);
    }
    out += "\n";
  }
  out += "| all |";
  for (const auto& [variant, row] : table) out += fmt::format(" {}/{} |", sums[variant].right, sums[variant].all);
  return out + "\n";
}

TEST(Advice, ProposesTheRightJointsOnTenAssembliesAlsoChangedOnes) {
  const auto same = [](const TopoDS_Shape& s) { return s; };
  Table table;
  int rigid = 0;
  std::string wrong;
  const auto exact = demo::sampleAssemblies(0), loose = demo::sampleAssemblies(0.2);
  for (const auto& s : exact) {
    judge("1 as drawn", s, trialOf(s, same, 0), table, rigid, wrong);
    judge("2 half rounds", s, trialOf(s, demo::withHalfRounds, 0), table, rigid, wrong);
    judge("3 splines", s, trialOf(s, demo::asSplines, 0), table, rigid, wrong);
    judge("5 shuffled", s, trialOf(s, same, 17), table, rigid, wrong);
  }
  for (const auto& s : loose) judge("4 play 0.2 mm", s, trialOf(s, same, 0), table, rigid, wrong);
  EXPECT_EQ(rigid, 0) << "nothing that moves may be called rigid\n" << wrong;
  for (const auto& [variant, row] : table) {
    Score sum;
    for (const auto& [kind, s] : row) {
      sum.right += s.right;
      sum.all += s.all;
    }
    EXPECT_GE(sum.right, 0.9 * sum.all) << variant << "\n" << wrong;
  }
  // the table in the documentation is this one
  std::ifstream file(std::string(COOPERAGE_DOCS) + "/proposals.md");
  std::ostringstream text;
  text << file.rdbuf();
  EXPECT_THAT(text.str(), testing::HasSubstr(markdown(table))) << wrong;
}

Part partOf(const TopoDS_Shape& shape, const Pose& at = {}) {
  meshForDisplay(shape);
  return {{{facesOf(shape), at}}};
}

TEST(Advice, StopsComeFromSlotEndsAndGuideEnds) {
  const auto samples = demo::sampleAssemblies(0);
  // the yoke's slot: its ends are 34 mm to either side of the pin
  const auto& yoke = samples[4];
  const auto slot = slideRange(partOf(yoke.parts[2].shape), partOf(yoke.parts[1].shape), Vec3::UnitY(),
                               Vec3(0.030, 0, 0.027), Vec3::UnitZ());
  ASSERT_TRUE(slot.low && slot.high);
  EXPECT_NEAR(*slot.low, -0.034, 1e-6);
  EXPECT_NEAR(*slot.high, 0.034, 1e-6);
  // seen from the other link, off the middle: the pin's link stands still and the slot moves the other way
  const Pose up{Mat3::Identity(), Vec3(0, 0.010, 0)};
  const auto other = slideRange(partOf(yoke.parts[1].shape), partOf(yoke.parts[2].shape, up), Vec3::UnitY(),
                                Vec3(0.030, 0, 0.027), Vec3::UnitZ());
  ASSERT_TRUE(other.low && other.high);
  EXPECT_NEAR(*other.low, -0.044, 1e-6);
  EXPECT_NEAR(*other.high, 0.024, 1e-6);
  // a block between two walls
  const auto wall = *elementShape(model::BodyKind::box, {0.01, 0.1, 0.1});
  Part walls = partOf(wall, {Mat3::Identity(), Vec3(-0.05, 0, 0)});
  walls.solids.push_back(partOf(wall, {Mat3::Identity(), Vec3(0.08, 0, 0)}).solids[0]);
  const auto guide = slideRange(walls, partOf(*elementShape(model::BodyKind::box, {0.02, 0.02, 0.02})), Vec3::UnitX(),
                                Vec3::Zero(), Vec3::Zero());
  ASSERT_TRUE(guide.low && guide.high);
  EXPECT_NEAR(*guide.low, -0.035, 1e-9);
  EXPECT_NEAR(*guide.high, 0.065, 1e-9);
  // and beside them nothing is in the way
  const auto free = slideRange(walls, partOf(*elementShape(model::BodyKind::box, {0.02, 0.02, 0.02})), Vec3::UnitY(),
                               Vec3::Zero(), Vec3::Zero());
  EXPECT_FALSE(free.low || free.high);
}

TEST(Advice, TheSlotTheLineAndThePlaneAreOfTheFirstLink) {
  const auto samples = demo::sampleAssemblies(0);
  const auto swapped = [&](std::size_t sample, std::size_t a, std::size_t b) {
    return adviseJoint(partOf(samples[sample].parts[a].shape), partOf(samples[sample].parts[b].shape)).swapped;
  };
  EXPECT_TRUE(swapped(4, 1, 2)) << "the yoke has the slot";
  const auto pin = adviseJoint(partOf(samples[4].parts[1].shape), partOf(samples[4].parts[2].shape));
  EXPECT_NEAR(pin.at.x(), 0.030, 1e-9) << "and the pin is where the joint is";
  EXPECT_NEAR(pin.at.y(), 0, 1e-9);
  EXPECT_FALSE(swapped(4, 2, 1));
  EXPECT_FALSE(swapped(6, 0, 2)) << "the bed has the planes";
  EXPECT_TRUE(swapped(6, 2, 0));
  EXPECT_FALSE(swapped(8, 2, 3)) << "the boom has the tube";
  EXPECT_TRUE(swapped(8, 3, 2));
}

TEST(Advice, SaysWhyAndWhatIsHeldFromOneSide) {
  const auto pin = *elementShape(model::BodyKind::pin, {0.006, 0.03, 0.01, 0.004});
  const auto disc = *elementShape(model::BodyKind::disc, {0.02, 0.02, 0.012});
  // the pin's shank lies within the disc, its head 0.005 above
  const auto loose = adviseJoint(partOf(disc), partOf(pin));
  EXPECT_EQ(loose.kind, model::JointKind::cylindrical);
  EXPECT_THAT(loose.why, testing::HasSubstr("no shoulders"));
  // down on the disc: one shoulder
  const auto seated = adviseJoint(partOf(disc), partOf(pin, {Mat3::Identity(), Vec3(0, 0, -0.005)}));
  EXPECT_EQ(seated.kind, model::JointKind::revolute);
  EXPECT_TRUE(seated.oneSided);
  EXPECT_THAT(seated.why, testing::HasSubstr("one side"));
  // a thread has the lead of its depth: Tr20x4
  const auto nut = *elementShape(model::BodyKind::disc, {0.02, 0.02, 0.016});
  const auto screw = *elementShape(model::BodyKind::cylinder, {0.010, 0.08});
  const auto thread = adviseJoint(partOf(nut), partOf(screw));
  EXPECT_EQ(thread.kind, model::JointKind::screw);
  EXPECT_NEAR(thread.lead, 0.004, 1e-12);
  EXPECT_FALSE(adviseJoint(partOf(nut), partOf(screw, {Mat3::Identity(), Vec3(0.1, 0, 0)})).touching);
}

}  // namespace
}  // namespace cooperage::shape
