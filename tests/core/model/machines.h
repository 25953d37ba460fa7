// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
// Shafts, drafts and what tests of makers ask of them.
#include "../maker.h"
#include "elements/figures.h"
#include "model/cam_edits.h"
#include "model/coupling_edits.h"
#include "model/train_edits.h"

namespace cooperage::model {

using namespace cooperage::test;

inline std::vector<Pose> homePoses(const Mechanism& m) {
  const auto a = analysed(m);
  std::vector<Pose> out;
  for (std::size_t l = 0; l < a.r.links.size(); ++l) out.push_back(a.r.links[l].placement);
  return out;
}
inline Id jointOf(const Mechanism& m, const std::string& name) { return findByName(m.joints, name)->id; }

/// Two shafts on ground; the second one's axis, and whether its joint counts the other way or names its links turned
/// round, may be varied.
inline Maker shafts(double distance, const Vec3& axis = Vec3::UnitZ(), bool swapped = false, double angle = 0.3) {
  Maker m;
  m.hinge("in", "g", "a", 0, 0);
  const Vec3 at(distance * std::cos(angle), distance * std::sin(angle), 0.004);
  if (swapped)
    m.joint("out", "revolute", "b", "g", at, axis);
  else
    m.joint("out", "revolute", "g", "b", at, axis);
  m.steady("in.turn", 1);
  m.run(2, 20);
  return m;
}
inline GearDraft draft(const Mechanism& m, GearDraft::Kind kind, int za, int zb) {
  GearDraft d;
  d.kind = kind;
  d.joints = {jointOf(m, "in"), jointOf(m, "out")};
  d.module = Field(0.002);
  d.width = Field(0.012);
  d.teeth = {Field(za), Field(zb)};
  return d;
}
/// Where a body stands at a time of a run, in ground axes.
inline Pose bodyAt(const Resolved& r, const std::vector<Pose>& poses, Id body) {
  for (std::size_t l = 0; l < r.links.size(); ++l)
    for (const auto& b : r.links[l].bodies)
      if (b.id == body) return poses[l] * b.placement;
  ADD_FAILURE() << "no body";
  return {};
}

/// Teeth of a spur pair stand over spaces: the second's angle is that which the first asks for, to a fraction of a
/// pitch.
inline void expectMesh(const Mechanism& m, Id coupling, double tolerance = 1e-9) {
  const auto c = findById(m.couplings, coupling);
  auto p = prepare(m);
  ASSERT_TRUE(p.run);
  kinematics::Measurer measurer(*p.run);
  const auto result = kinematics::tabulate(*p.run, measurer);
  ASSERT_TRUE(result.travel.completed) << said(result);
  const auto look = pairLook(m, coupling, homePoses(m));
  ASSERT_TRUE(look.ok());
  EXPECT_NEAR(look->distance, elements::pairSize(look->first, look->second).centre, 1e-9);
  for (const auto& step : result.travel.steps) {
    std::vector<Pose> poses;
    measurer.linkPoses(step, poses);
    const Pose a = bodyAt(p.resolved, poses, c->bodies[0]), b = bodyAt(p.resolved, poses, c->bodies[1]);
    const Vec3 z = a.R.col(2), d = b.p - a.p;
    EXPECT_NEAR(std::abs(d.dot(z)), 0, 1e-9) << "in one plane";
    const Vec3 e1 = d.normalized(), e2 = z.cross(e1);
    const auto angle = [&](const Vec3& v) { return std::atan2(v.dot(e2), v.dot(e1)); };
    const double wanted = elements::meshingTurn(look->first, look->second, angle(a.R.col(0)), 0);
    const double pitch = 2 * kPi / look->second.teeth;
    double off = angle(b.R.col(0)) - wanted;
    off -= pitch * std::round(off / pitch);
    EXPECT_NEAR(off, 0, tolerance);
  }
}

}  // namespace cooperage::model
