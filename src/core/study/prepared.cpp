// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/prepared.h"

#include <algorithm>

#include "model/mesh_check.h"
#include "shape/mass.h"
#include "shape/surface.h"

namespace cooperage::study {

using model::Resolved;

namespace {

/// Drives as they act in a run: two runs may drive one joint in two ways.
Resolved withActingDrives(const Resolved& resolved, int run) {
  Resolved r = resolved;
  const auto& acting = r.runs[static_cast<std::size_t>(run)].drives;
  for (std::size_t d = 0; d < r.drives.size(); ++d)
    if (std::find(acting.begin(), acting.end(), static_cast<int>(d)) == acting.end()) r.drives[d].enabled = false;
  return r;
}

kinematics::HomeOptions fitOf(const Resolved& resolved, int run) {
  if (run < 0) return {};
  const auto& r = resolved.runs[static_cast<std::size_t>(run)];
  return {r.fitAngle, r.fitLength};
}

}  // namespace

kinematics::Assembled Prepared::assembled() const { return {system, *home, *mobility, fitOf(*resolved, run)}; }

namespace {

/// System, home, freedoms, as far as it goes.
Status workOut(Prepared& out) {
  const Resolved& r = *out.resolved;
  auto system = kinematics::System::compile(r);
  if (!system.ok()) return system.error();
  out.system = std::make_shared<const kinematics::System>(std::move(system).value());
  const kinematics::HomeOptions fit = fitOf(r, out.run);
  kinematics::OpenLoop open;
  auto home = kinematics::assemble(*out.system, r, fit, &open);
  if (!home.ok()) {
    if (open.joint >= 0) out.open = std::move(open);
    return home.error();
  }
  out.home = std::move(home).value();
  out.mobility = out.run < 0 ? kinematics::analyse(*out.system, r, *out.home, fit)
                             : kinematics::analyse(*out.system, withActingDrives(r, out.run), *out.home, fit);
  kinematics::Solver solver(*out.system, {});
  solver.forward(out.home->configuration);
  for (std::size_t i = 0; i < out.poses.size(); ++i) out.poses[i] = solver.linkPose(static_cast<int>(i));
  return Done{};
}

}  // namespace

PreparedPtr prepare(model::MechanismPtr mechanism, Resolved resolved, int run, const SolidOf& solidOf) {
  auto out = std::make_shared<Prepared>();
  out->mechanism = std::move(mechanism);
  out->run = run < static_cast<int>(resolved.runs.size()) ? run : -1;
  Status done = shape::attachGeometry(resolved, solidOf);
  if (solidOf) shape::attachMasses(resolved, solidOf);
  for (const auto& l : resolved.links) out->poses.push_back(l.placement);
  out->resolved = std::make_shared<const Resolved>(std::move(resolved));
  if (done.ok()) done = workOut(*out);
  if (!out->resolved->contacts.empty() && solidOf)
    out->contacts = std::make_shared<const contact::ContactBodies>(contact::contactBodies(*out->resolved, solidOf));
  if (out->contacts && out->home)
    out->overlaps = contact::overlapsAtHome(*out->resolved, out->system, *out->home, *out->mobility, out->contacts);
  if (!done.ok()) out->problem = done.error();
  out->meshProblems = model::meshProblems(*out->mechanism, out->poses);
  return out;
}

Result<model::Mechanism> withFreePose(const Prepared& p) {
  if (!p.closes()) return Error{"free-pose", "", "the mechanism doesn't close at home"};
  const auto free = contact::nearestFree(*p.resolved, p.system, *p.home, *p.mobility, p.contacts);
  if (!free.ok()) return free.error();
  model::Mechanism out = model::withPlacements(*p.mechanism, free->poses);
  for (std::size_t j = 0; j < p.resolved->joints.size(); ++j) {
    const auto& joint = p.resolved->joints[j];
    const auto& values = model::infoOf(joint.kind).values;
    for (std::size_t v = 0; v < values.size(); ++v) {
      const int dof = p.system->dofOf({static_cast<int>(j), static_cast<int>(v)});
      if (dof < 0) continue;
      const double was = p.home->configuration.q[static_cast<std::size_t>(dof)],
                   now = free->configuration.q[static_cast<std::size_t>(dof)];
      if (was == now || !joint.home[v]) continue;  // what was not imposed follows from the placements
      out = model::changedJoint(out, joint.id, [&](model::Joint& x) {
        x.home[values[v].name] = model::Field(now / p.mechanism->units.factor(model::dimensionOf(values[v])));
      });
    }
  }
  return out;
}

int runNamed(const Resolved& resolved, const std::string& name) {
  if (name.empty()) return resolved.runs.empty() ? -1 : 0;
  for (std::size_t i = 0; i < resolved.runs.size(); ++i)
    if (resolved.runs[i].name == name) return static_cast<int>(i);
  return -1;
}

}  // namespace cooperage::study
