// SPDX-License-Identifier: GPL-3.0-or-later
#include "shape/fasteners.h"

#include <gtest/gtest.h>

#include "../support.h"
#include "fastened_stand.h"
#include "sample_assemblies.h"

namespace cooperage::shape {
namespace {

using demo::FastenedStand;

std::vector<std::pair<TopoDS_Shape, Pose>> placed(const std::vector<StepPart>& parts, const Pose& pose) {
  std::vector<std::pair<TopoDS_Shape, Pose>> out;
  for (const auto& p : parts) out.emplace_back(p.shape, pose);
  return out;
}

struct Drawn {
  FastenedStand how;
  std::vector<StepPart> parts;
};

/// Ways in which the stand can be drawn, each made once: every pair of choices meets in one of them.
const std::vector<Drawn>& variants() {
  static const std::vector<Drawn> kAll = [] {
    std::vector<Drawn> out;
    for (const auto& [washers, socket, tapped, splines, chamfers] : {std::tuple{true, false, false, true, true},
                                                                     {true, false, false, false, false},
                                                                     {true, true, false, false, true},
                                                                     {true, true, false, true, false},
                                                                     {false, false, false, false, true},
                                                                     {false, true, false, true, true},
                                                                     {false, false, true, true, false},
                                                                     {false, true, true, false, false},
                                                                     {false, true, true, true, true}}) {
      FastenedStand s;
      s.washers = washers;
      s.socket = socket;
      s.tapped = tapped;
      s.splines = splines;
      s.chamfers = chamfers;
      s.bolt = out.size() % 3 == 0 ? 6 : out.size() % 3 == 1 ? 8 : 12;
      s.rod = out.size() % 2 ? 12 : 20;
      out.push_back({s, demo::fastenedStand(s)});
    }
    return out;
  }();
  return kAll;
}

TEST(Fasteners, AreToldByTheirFacesWhateverTheyAreCalled) {
  for (const auto& [how, parts] : variants()) {
    const auto count = [&all = parts](FastenerKind kind) {
      return std::count_if(all.begin(), all.end(), [&](const auto& p) { return fastenerOf(p.shape).kind == kind; });
    };
    EXPECT_EQ(count(FastenerKind::bolt), 4);
    EXPECT_EQ(count(FastenerKind::nut), how.tapped ? 2 : 6);
    EXPECT_EQ(count(FastenerKind::washer), how.washers ? 4 : 0);
    EXPECT_EQ(count(FastenerKind::none), 4) << "base, brackets, rod";
    for (const auto& p : parts) {
      const Fastener f = fastenerOf(p.shape);
      if (f.kind != FastenerKind::bolt) continue;
      EXPECT_NEAR(f.radius, 0.5e-3 * how.bolt, 1e-6);
      EXPECT_NEAR(f.axis.z(), -1, 1e-6) << "from the head to the tip";
      EXPECT_NEAR(f.at.z() - f.seat, 0.018, 1e-6) << "the head lies on the brackets";
    }
  }
}

TEST(Fasteners, WhatTheyClampIsOneLinkAndTheRodWithItsNutsTheOther) {
  const Pose turned{rotationOf(Vec3(0.4, -0.7, 0.2)), Vec3(0.3, 0.1, -0.2)};
  for (const auto& [how, parts] : variants())
    for (const Pose& pose : {Pose{}, turned}) {
      if (!how.tapped && how.washers) {
        EXPECT_EQ(parts.size(), 18u);
      }
      const auto links = proposeLinks(placed(parts, pose));
      ASSERT_EQ(links.size(), 2u) << how.bolt << how.splines << how.socket << how.tapped << how.chamfers;
      EXPECT_EQ(links[0].solids.size(), parts.size() - 3);
      EXPECT_TRUE(links[0].ground);
      EXPECT_EQ(links[0].reasons.size(), 4u) << "one a bolt";
      EXPECT_NE(links[0].reasons[0].find(how.tapped ? "screwed into" : "clamps 2 parts"), std::string::npos)
          << links[0].reasons[0];
      const int last = static_cast<int>(parts.size()) - 1;
      EXPECT_EQ(links[1].solids, (std::vector<int>{last - 2, last - 1, last}));
      EXPECT_FALSE(links[1].ground);
    }
}

TEST(Fasteners, ABoltWithRoomUnderItsHeadClampsNothing) {
  const auto parts = variants()[1].parts;
  // the first bolt is drawn out by 2 mm: what it holds is held by the other three
  gp_Trsf up;
  up.SetTranslation(gp_Vec(0, 0, 2));
  std::vector<StepPart> few{parts[0], parts[1], parts[3], parts[7], parts[11]};
  EXPECT_EQ(proposeLinks(placed(few, {})).size(), 1u);
  few[2].shape = few[2].shape.Moved(TopLoc_Location(up));
  const auto links = proposeLinks(placed(few, {}));
  ASSERT_EQ(links.size(), 3u) << "base, bracket, the bolt with nut and washer";
  EXPECT_EQ(links[2].solids, (std::vector<int>{2, 3, 4}));
  EXPECT_NE(links[2].reasons.at(0).find("room"), std::string::npos);
}

TEST(Fasteners, WithoutFastenersEverySolidIsALinkOfItsOwn) {
  for (const auto& sample : demo::sampleAssemblies(0)) {
    std::vector<std::pair<TopoDS_Shape, Pose>> solids;
    for (const auto& p : sample.parts) solids.emplace_back(p.shape, Pose{});
    for (const auto& link : proposeLinks(solids)) {
      if (link.solids.size() == 1) continue;
      // only what is drawn as a bolt that holds its parts may be put together
      for (const auto& j : sample.joints)
        if (j.kind != model::JointKind::fixed) {
          EXPECT_FALSE(std::count(link.solids.begin(), link.solids.end(), j.a) &&
                       std::count(link.solids.begin(), link.solids.end(), j.b))
              << sample.name << ": " << sample.parts[static_cast<std::size_t>(j.a)].name << ", "
              << sample.parts[static_cast<std::size_t>(j.b)].name << " move against one another";
        }
    }
  }
}

}  // namespace
}  // namespace cooperage::shape
