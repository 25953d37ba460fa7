// SPDX-License-Identifier: GPL-3.0-or-later
#include "dynamics/loads.h"

#include <cmath>

#include "base/index.h"
#include "kinematics/values.h"

namespace cooperage::dynamics {

using kinematics::TravelStep;
using model::Resolved;

namespace {

/// What a spring's table has taken up between zero and a place: Simpson's rule is exact on its cubic pieces.
double workOf(const curves::Table& table, double to) {
  const double low = std::min(0.0, to), high = std::max(0.0, to);
  double sum = 0, from = low;
  const auto piece = [&](double end) {
    const double middle = 0.5 * (from + end);
    sum += (end - from) / 6 * (table.at(from)[0] + 4 * table.at(middle)[0] + table.at(end)[0]);
    from = end;
  };
  for (const double x : table.places())
    if (x > low && x < high) piece(x);
  piece(high);
  return to < 0 ? -sum : sum;
}

/// Pull of a spring that is longer than free by some, without its damper, and what it has taken up.
std::pair<double, double> pullOf(const Resolved::SpringR& s, double longer) {
  if (s.table) return {s.preload + s.table->at(longer)[0], s.preload * longer + workOf(*s.table, longer)};
  return {s.preload + s.stiffness * longer, (s.preload + 0.5 * s.stiffness * longer) * longer};
}

}  // namespace

Loads::Loads(const Resolved& resolved, const kinematics::System& system) : r_(resolved), system_(system) {
  for (const auto& s : r_.springs) {
    if (!s.enabled) continue;
    Spring made{&s, -1, {}};
    if (s.of.joint >= 0) {
      made.dof = system_.dofOf(s.of);
      if (made.dof < 0) continue;  // its joint is switched off
    } else {
      for (std::size_t k = 0; k < 2; ++k) made.ends[k] = pointOf(s.seats[k]);
    }
    springs_.push_back(made);
  }
  for (const auto& f : r_.forces) {
    if (!f.enabled) continue;
    Force made{&f, -1, {}};
    if (f.of.joint >= 0) {
      made.dof = system_.dofOf(f.of);
      if (made.dof < 0) continue;
    } else {
      made.at = pointOf(f.seat);
    }
    forces_.push_back(made);
  }
  for (const auto& f : r_.frictions)
    if (const int dof = f.enabled && f.viscous > 0 ? system_.dofOf(f.of) : -1; dof >= 0)
      viscous_.push_back({dof, f.viscous});
  if (r_.gravity.norm() > 0)
    for (std::size_t i = 0; i < r_.links.size(); ++i)
      if (const auto& mass = r_.links[i].mass; mass && mass->value > 0)
        weights_.push_back(
            {static_cast<int>(i), system_.nodeOfLink[i], mass->value, system_.linkInNode[i] * mass->centre});
}

Loads::Point Loads::pointOf(const std::pair<int, int>& seat) const {
  const auto& link = r_.links[u(seat.first)];
  return {seat.first, system_.nodeOfLink[u(seat.first)],
          system_.linkInNode[u(seat.first)] * link.seats[u(seat.second)].frame.p};
}

std::pair<double, double> Loads::value(const Resolved::ValueRef& ref, const TravelStep& step) const {
  const int dof = system_.dofOf(ref);
  if (dof >= 0) return {step.c.q[u(dof)], step.qd[u(dof)]};
  const int joint = ref.joint < 0 ? -1 : system_.compiledJoint(ref.joint);
  if (joint < 0) return {0, 0};
  const std::vector<double> none(step.qd.size(), 0.0);  // angles of balls only
  const ScalarJet j =
      kinematics::valueOf(system_, joint, ref.value, step.c, step.qd.data(), step.qdd.data(), none.data());
  return {j[0], j[1]};
}

double Loads::figure(const Resolved::LoadR& load, const TravelStep& step) const {
  if (!load.formula) return load.value;
  return load.formula
      ->at([&](const Symbol& s) {
        if (s.id == 0) return Jet(step.t);
        for (const auto& [name, ref] : load.formula->values)
          if (name == s) return Jet(value(ref, step).first);
        return Jet(0);
      })
      .v;
}

void Loads::pull(const Spring& spring, const TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const {
  const auto& s = *spring.of;
  if (spring.dof >= 0) {
    const double rate = step.qd[u(spring.dof)];
    const auto [force, energy] = pullOf(s, step.c.q[u(spring.dof)] - s.free);
    out.effort[u(spring.dof)] -= force + s.damping * rate;
    out.potential += energy;
    out.lost += s.damping * rate * rate;
    return;
  }
  Vec3 x[2], v[2];
  for (std::size_t k = 0; k < 2; ++k) {
    const Point& p = spring.ends[k];
    const PoseJet& n = nodes[u(p.node)];
    x[k] = n.R[0] * p.at + n.p[0];
    v[k] = n.R[1] * p.at + n.p[1];
  }
  const Vec3 way = x[1] - x[0];
  const double length = way.norm();
  const auto [force, energy] = pullOf(s, length - s.free);
  out.potential += energy;
  if (!(length > 1e-12 * system_.size)) return;  // it has no direction
  const Vec3 axis = way / length;
  const double rate = axis.dot(v[1] - v[0]);
  const Vec3 f = (force + s.damping * rate) * axis;
  out.link[u(spring.ends[0].link)] += forceAt(f, x[0]);
  out.link[u(spring.ends[1].link)] -= forceAt(f, x[1]);
  out.lost += s.damping * rate * rate;
}

void Loads::push(const Force& force, const TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const {
  const auto& f = *force.of;
  const double times = f.times ? f.times->at(value(f.over, step).first)[0] : 1;
  if (force.dof >= 0) {
    out.effort[u(force.dof)] += times * figure(f.effort, step);
    return;
  }
  Vec3 push, moment;
  for (std::size_t k = 0; k < 3; ++k) {
    push[static_cast<Eigen::Index>(k)] = times * figure(f.force[k], step);
    moment[static_cast<Eigen::Index>(k)] = times * figure(f.moment[k], step);
  }
  if (f.in >= 0) {
    const Mat3 axes = nodes[u(system_.nodeOfLink[u(f.in)])].R[0] * system_.linkInNode[u(f.in)].R;
    push = axes * push;
    moment = axes * moment;
  }
  const PoseJet& n = nodes[u(force.at.node)];
  out.link[u(force.at.link)] += forceAt(push, n.R[0] * force.at.at + n.p[0], moment);
}

void Loads::at(const TravelStep& step, const std::vector<PoseJet>& nodes, Applied& out) const {
  out.link.assign(r_.links.size(), {});
  out.effort.assign(system_.dofs.size(), 0);
  out.potential = out.lost = 0;
  for (const Weight& w : weights_) {
    const PoseJet& n = nodes[u(w.node)];
    const Vec3 x = n.R[0] * w.centre + n.p[0];
    out.link[u(w.link)] += forceAt(w.mass * r_.gravity, x);
    if (w.node != 0) out.potential -= w.mass * r_.gravity.dot(x + system_.middle);
  }
  for (const Spring& s : springs_) pull(s, step, nodes, out);
  for (const Force& f : forces_) push(f, step, nodes, out);
  for (const Viscous& v : viscous_) {
    const double rate = step.qd[u(v.dof)];
    out.effort[u(v.dof)] -= v.factor * rate;
    out.lost += v.factor * rate * rate;
  }
}

}  // namespace cooperage::dynamics
