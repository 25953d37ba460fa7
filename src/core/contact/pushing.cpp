// SPDX-License-Identifier: GPL-3.0-or-later
#include "contact/pushing.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"
#include "base/units.h"

namespace cooperage::contact {

using kinematics::Configuration;
using model::Resolved;

namespace {

constexpr double kRounding = 1e-6;  // m: overlaps at home that are moved free without a word

/// Only pairs of contacts that act.
ContactBodiesPtr acting(const ContactBodiesPtr& all, const Resolved& r) {
  auto out = std::make_shared<ContactBodies>(*all);
  out->pairs.erase(std::remove_if(out->pairs.begin(), out->pairs.end(),
                                  [&](const LinkPair& p) { return !r.contacts[u(p.contact)].enabled; }),
                   out->pairs.end());
  return out;
}

/// Drives that stand where a configuration has them.
kinematics::DrivenMotion standing(const Configuration& c, const std::vector<int>& driven) {
  return {[c, driven](double, double* q, double* qd, double* qdd) {
            for (const int d : driven) {
              q[d] = c.q[u(d)];
              qd[d] = qdd[d] = 0;
            }
          },
          [](double, double limit) { return limit; }};
}

/// A pusher of those of the left-over dofs that move links of contacts; null if there are none.
std::unique_ptr<PushRun> pusherOf(const std::shared_ptr<const kinematics::System>& system, const Resolved& resolved,
                                  const ContactBodiesPtr& bodies, const std::vector<int>& driven,
                                  const std::vector<int>& left, const kinematics::Solver::Options& options,
                                  const kinematics::Home& home, const Configuration& generic) {
  const ContactBodiesPtr used = acting(bodies, resolved);
  std::vector<int> candidates;
  for (const int d : left)
    if (system->dofs[u(d)].ball < 0) candidates.push_back(d);
  if (used->pairs.empty() || candidates.empty()) return nullptr;
  const auto figures = std::make_shared<const Resolved>(resolved);
  const auto make = [&](const std::vector<int>& dofs) {
    return std::make_unique<PushModel>(system, figures, used, driven, dofs, options, home.configuration, generic);
  };
  auto model = make(candidates);
  model->follow(standing(home.configuration, driven));
  Eigen::VectorXd q(static_cast<Eigen::Index>(candidates.size()));
  for (std::size_t k = 0; k < candidates.size(); ++k)
    q[static_cast<Eigen::Index>(k)] = home.configuration.q[u(candidates[k])];
  Configuration c = home.configuration;
  if (!model->go(0, q, c)) return nullptr;
  std::vector<int> moved;
  for (std::size_t k = 0; k < candidates.size(); ++k)
    if (model->moves(static_cast<int>(k))) moved.push_back(candidates[k]);
  if (moved.empty()) return nullptr;
  if (moved.size() < candidates.size()) model = make(moved);
  model->follow(standing(home.configuration, driven));
  return std::make_unique<PushRun>(std::move(model));
}

std::vector<Overlap> overlapsIn(PushRun& run, const Configuration& home) {
  std::vector<Overlap> out;
  for (const GapRow& r : run.overlaps(0, home)) {
    if (r.gap > -kRounding) continue;
    Overlap o{run.model().contactOf(r.key), run.model().linksOf(r.key), -r.gap};
    if (std::none_of(out.begin(), out.end(), [&](const Overlap& x) { return x.links == o.links; }))
      out.push_back(std::move(o));
  }
  return out;
}

std::string textOf(const std::vector<Overlap>& overlaps) {
  std::string text;
  for (const Overlap& o : overlaps)
    text += fmt::format("{}{} and {} overlap by {} at home (contact {})", text.empty() ? "" : "; ", o.links[0],
                        o.links[1], millimetres(o.depth), o.contact);
  return text;
}

/// Drives and what is held, as they stand in a run of all drives.
std::unique_ptr<PushRun> atHome(const Resolved& resolved, const std::shared_ptr<const kinematics::System>& system,
                                const kinematics::Home& home, const kinematics::Mobility& mobility,
                                const ContactBodiesPtr& bodies) {
  std::vector<int> driven;
  for (std::size_t d = 0; d < resolved.drives.size(); ++d)
    if (const int dof = system->dofOfDrive(resolved, static_cast<int>(d)); dof >= 0 && resolved.drives[d].enabled)
      driven.push_back(dof);
  const auto hold = [&](int joint) {
    const auto& j = system->joints[u(joint)];
    for (int k = 0; k < j.dofs; ++k) driven.push_back(j.firstDof + k);
  };
  for (std::size_t j = 0; j < resolved.joints.size(); ++j)
    if (const int c = system->compiledJoint(static_cast<int>(j)); resolved.joints[j].held && c >= 0) hold(c);
  for (const int f : system->floating) hold(f);
  const auto options = kinematics::HomeOptions{}.solver();
  kinematics::Solver solver(*system, driven, options);
  solver.setHome(home.configuration);
  solver.pick(mobility.generic);
  return pusherOf(system, resolved, bodies, driven, solver.leftOver(), options, home, mobility.generic);
}

}  // namespace

kinematics::MakePushed pushedBy(ContactBodiesPtr bodies) {
  return [bodies = std::move(bodies)](const kinematics::TravelRun& run, const std::vector<int>& driven,
                                      const std::vector<int>& left) -> Result<kinematics::Pushed> {
    kinematics::Pushed out;
    if (!bodies) return out;
    out.messages = bodies->messages;
    const auto& settings = run.settings();
    const auto options = kinematics::HomeOptions{settings.fitAngle, settings.fitLength}.solver();
    auto pusher =
        pusherOf(run.systemPtr(), run.resolved(), bodies, driven, left, options, run.home(), run.mobility().generic);
    if (!pusher) return out;
    const Configuration& home = run.home().configuration;
    const auto overlaps = overlapsIn(*pusher, home);
    if (!overlaps.empty()) {
      Configuration c = home;
      const bool free = pusher->free(0, c);
      if (!free || !settings.freeStart)
        return Error{"overlap-at-home", overlaps.front().contact,
                     textOf(overlaps) + (free ? "; take the nearest free pose, or move a link"
                                              : "; there is no free pose near by: move a link")};
      out.messages.push_back(
          {Severity::note,
           "free-start",
           {overlaps.front().contact},
           textOf(overlaps) + fmt::format("; run {} begins at the nearest free pose", settings.name)});
    }
    out.source = std::move(pusher);
    return out;
  };
}

std::vector<Overlap> overlapsAtHome(const Resolved& resolved, const std::shared_ptr<const kinematics::System>& system,
                                    const kinematics::Home& home, const kinematics::Mobility& mobility,
                                    const ContactBodiesPtr& bodies) {
  const auto pusher = bodies ? atHome(resolved, system, home, mobility, bodies) : nullptr;
  return pusher ? overlapsIn(*pusher, home.configuration) : std::vector<Overlap>();
}

Result<FreePose> nearestFree(const Resolved& resolved, const std::shared_ptr<const kinematics::System>& system,
                             const kinematics::Home& home, const kinematics::Mobility& mobility,
                             const ContactBodiesPtr& bodies) {
  const auto pusher = bodies ? atHome(resolved, system, home, mobility, bodies) : nullptr;
  if (!pusher) return Error{"free-pose", "", "no contact moves anything here"};
  const auto overlaps = overlapsIn(*pusher, home.configuration);
  FreePose out;
  out.configuration = home.configuration;
  if (!pusher->free(0, out.configuration))
    return Error{"free-pose", overlaps.empty() ? "" : overlaps.front().contact,
                 textOf(overlaps) + ": no free pose near by; move a link"};
  kinematics::Solver all(*system, {});
  all.forward(out.configuration);
  for (std::size_t l = 0; l < resolved.links.size(); ++l) out.poses.push_back(all.linkPose(static_cast<int>(l)));
  return out;
}

}  // namespace cooperage::contact
