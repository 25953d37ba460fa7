// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact_remarks.h"

#include <fmt/format.h>

namespace cooperage::app {

using namespace model;

namespace {

constexpr std::size_t kMost = 120;  // joints; more are looked at when they are proposed

/// Freedoms of the mechanism, with one joint of another kind; -1 if it can't be told.
int freedomsWith(Resolved r, std::size_t joint, JointKind kind) {
  auto& j = r.joints[joint];
  j.kind = kind;
  const std::size_t n = infoOf(kind).values.size();
  j.home.assign(n, std::nullopt);
  j.low.assign(n, std::nullopt);
  j.high.assign(n, std::nullopt);
  r.drives.clear();
  r.couplings.clear();  // they name values by their place
  r.gauges.clear();
  const auto system = kinematics::System::compile(r);
  if (!system.ok()) return -1;
  const auto home = kinematics::assemble(*system, r);
  return home.ok() ? kinematics::analyse(*system, r, *home).freedoms : -1;
}

}  // namespace

std::vector<Message> contactRemarks(const Resolved& r, const std::vector<shape::Part>& parts, Progress* progress) {
  std::vector<Message> out;
  for (std::size_t i = 0; i < r.joints.size(); ++i) {
    if (progress && progress->cancelled()) return out;
    const auto& j = r.joints[i];
    if (!j.enabled) continue;
    const auto advice =
        shape::adviseJoint(parts[static_cast<std::size_t>(j.linkA)], parts[static_cast<std::size_t>(j.linkB)]);
    if (!advice.kind) continue;
    if (j.kind == JointKind::revolute && *advice.kind == JointKind::cylindrical) {
      // only where the rest of the mechanism does not hold it
      const int now = freedomsWith(r, i, JointKind::revolute), freer = freedomsWith(r, i, JointKind::cylindrical);
      if (now >= 0 && freer > now)
        out.push_back({Severity::warning,
                       "slides",
                       {j.name},
                       fmt::format("joint {}: its faces would let it slide ({}) and nothing else holds it; add a "
                                   "shoulder or make it cylindrical",
                                   j.name, advice.why)});
    }
    if (j.kind == JointKind::cylindrical && *advice.kind == JointKind::revolute && !advice.oneSided)
      out.push_back({Severity::warning,
                     "only-turns",
                     {j.name},
                     fmt::format("joint {}: its faces let it turn only ({}); make it revolute", j.name, advice.why)});
  }
  return out;
}

ContactRemarks::ContactRemarks(Workbench& bench, QObject* parent) : QObject(parent), bench_(bench) {
  delay_.setSingleShot(true);
  delay_.setInterval(700);  // after a pause in the work, not at every step of a slider
  connect(&delay_, &QTimer::timeout, this, &ContactRemarks::start);
  connect(&bench_.document(), &Document::changed, this, [this] { delay_.start(); });
}

void ContactRemarks::start() {
  if (bench_.shapes().isLoading() || bench_.pose().isByHand()) {
    delay_.start();
    return;
  }
  struct Work {
    Resolved resolved;
    std::vector<std::vector<std::pair<shape::SolidPtr, Pose>>> solids;
    std::vector<Message> found;
  };
  auto work = std::make_shared<Work>();
  work->resolved = bench_.solution().resolved();
  if (work->resolved.joints.empty() || work->resolved.joints.size() > kMost || !bench_.solution().home()) {
    if (!messages_.empty()) {
      messages_.clear();
      emit changed();
    }
    return;
  }
  std::vector<bool> joined(work->resolved.links.size(), false);
  for (const auto& j : work->resolved.joints)
    joined[static_cast<std::size_t>(j.linkA)] = joined[static_cast<std::size_t>(j.linkB)] = true;
  kinematics::Solver solver(*bench_.solution().system(), {});
  solver.forward(bench_.solution().home()->configuration);
  for (std::size_t l = 0; l < work->resolved.links.size(); ++l) {
    work->solids.emplace_back();
    if (!joined[l]) continue;
    for (const auto& b : work->resolved.links[l].bodies)
      if (const auto s = bench_.shapes().solid(b.id))
        work->solids.back().emplace_back(s, solver.linkPose(static_cast<int>(l)) * b.placement);
  }
  runner_.start(
      tr("Comparing joints with their faces"),
      [this, work](SharedProgress& progress) {
        std::vector<shape::Part> parts;
        for (const auto& solids : work->solids) {
          parts.emplace_back();
          for (const auto& [s, pose] : solids) {
            if (progress.cancelled()) return;
            parts.back().solids.emplace_back(bench_.shapes().store().faces(s), pose);
          }
        }
        work->found = contactRemarks(work->resolved, parts, &progress);
      },
      [this, work] {
        messages_ = work->found;
        emit changed();
      });
}

}  // namespace cooperage::app
