// SPDX-License-Identifier: GPL-3.0-or-later
#include "dynamics/inverse.h"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/index.h"

namespace cooperage::dynamics {

using kinematics::System;
using kinematics::TravelRun;
using kinematics::TravelStep;
using model::Resolved;

namespace {

std::vector<int> drivenOf(TravelRun& run) {
  std::vector<int> out;
  const auto& driven = run.solver().isDriven();
  for (std::size_t d = 0; d < driven.size(); ++d)
    if (driven[d]) out.push_back(static_cast<int>(d));
  return out;
}

}  // namespace

InverseDynamics::InverseDynamics(TravelRun& run)
    : run_(run),
      r_(run.resolved()),
      system_(run.system()),
      loads_(r_, system_),
      balance_(system_, drivenOf(run), run.solver().options(), run.home().configuration, run.mobility().generic),
      driven_(run.solver().isDriven()),
      link_(r_.links.size()),
      node_(u(system_.nodeCount)),
      given_(system_.dofs.size()) {
  for (std::size_t i = 0; i < r_.links.size(); ++i) {
    const auto& mass = r_.links[i].mass;
    const int node = system_.nodeOfLink[i];
    if (!mass || node == 0 || !(mass->value > 0 || mass->inertia.norm() > 0)) continue;
    const Pose& X = system_.linkInNode[i];
    bodies_.push_back(
        {static_cast<int>(i), node, mass->value, X * mass->centre, X.R * mass->inertia * X.R.transpose()});
  }
  centres_.resize(bodies_.size());
  for (const auto& f : r_.frictions) {
    const int dof = f.enabled && f.coefficient > 0 ? system_.dofOf(f.of) : -1;
    if (dof < 0) continue;
    coulomb_.push_back({f.of.joint, system_.compiledJoint(f.of.joint), dof, f.coefficient, f.radius,
                        kinematics::isTurn(system_.dofs[u(dof)].motion), f.name, 0});
  }
  findFixed();
}

/// Which links hang on a fixed joint alone: those that the other fixed joints and ground leave without it.
void InverseDynamics::findFixed() {
  const std::size_t n = r_.links.size();
  for (std::size_t k = 0; k < r_.joints.size(); ++k) {
    const auto& joint = r_.joints[k];
    if (!joint.enabled || joint.kind != model::JointKind::fixed) continue;
    std::vector<int> root(n);
    std::iota(root.begin(), root.end(), 0);
    const std::function<int(int)> find = [&](int i) { return root[u(i)] == i ? i : root[u(i)] = find(root[u(i)]); };
    int ground = -1;
    for (std::size_t i = 0; i < n; ++i) {
      if (!r_.links[i].ground) continue;
      if (ground >= 0) root[u(find(static_cast<int>(i)))] = find(ground);
      ground = static_cast<int>(i);
    }
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const auto& j = r_.joints[i];
      if (i != k && j.enabled && j.kind == model::JointKind::fixed) root[u(find(j.linkA))] = find(j.linkB);
    }
    Fixed made{static_cast<int>(k), {}, true};
    const int a = find(joint.linkA), b = find(joint.linkB);
    if (a != b) {
      made.onB = ground < 0 || find(ground) != b;
      const int beyond = made.onB ? b : a;
      for (std::size_t i = 0; i < n; ++i) made.beyond.push_back(find(static_cast<int>(i)) == beyond);
    }
    fixed_.push_back(std::move(made));
  }
}

/// What every link's motion takes, and what is in it.
void InverseDynamics::inertia(const std::vector<PoseJet>& nodes) {
  for (Wrench& w : link_) w = {};
  kinetic_ = 0;
  shaking_ = {};
  for (std::size_t k = 0; k < bodies_.size(); ++k) {
    const Body& b = bodies_[k];
    const PoseJet& n = nodes[u(b.node)];
    const Vec3 x = n.R[0] * b.centre + n.p[0], v = n.R[1] * b.centre + n.p[1], a = n.R[2] * b.centre + n.p[2];
    // Euler's equations in the node's own axes
    const Vec3 spin = n.R[0].transpose() * n.spin(), rate = n.R[0].transpose() * n.spinRate();
    const Vec3 angular = b.inertia * spin;
    const Vec3 moment = n.R[0] * (b.inertia * rate + spin.cross(angular));
    kinetic_ += 0.5 * (b.mass * v.squaredNorm() + spin.dot(angular));
    link_[u(b.link)] += forceAt(b.mass * a, x, moment);
    centres_[k] = x + system_.middle;
    shaking_ -= {b.mass * a, Vec3(moment + centres_[k].cross(b.mass * a))};
  }
}

bool InverseDynamics::at(const TravelStep& step, const std::vector<PoseJet>& nodes) {
  inertia(nodes);
  loads_.at(step, nodes, applied_);
  for (std::size_t i = 0; i < link_.size(); ++i) link_[i] -= applied_.link[i];
  why_.clear();
  valid_ = balanceAll(step);
  return valid_;
}

void InverseDynamics::solve() {
  for (Wrench& w : node_) w = {};
  for (std::size_t i = 0; i < link_.size(); ++i) node_[u(system_.nodeOfLink[i])] += link_[i];
  for (std::size_t d = 0; d < given_.size(); ++d) given_[d] = applied_.effort[d];
  for (const Coulomb& c : coulomb_) given_[u(c.dof)] += c.effort;
  balance_.solve(node_, given_, solution_);
}

bool InverseDynamics::balanceAll(const TravelStep& step) {
  for (Coulomb& c : coulomb_) c.effort = 0;
  pressed_.clear();
  pressedKnown_ = true;
  if (!balance_.go(step.c)) {
    why_ = "the mechanism is at a dead point: no effort of its drives is enough";
    return false;
  }
  solve();
  if (run_.pushed() && !pressContacts(step)) return false;
  return coulomb_.empty() || rub(step);
}

/// With what contacts press so that nothing is left along what they push; put into what acts on the links.
bool InverseDynamics::pressContacts(const TravelStep& step) {
  const auto& pushed = run_.pushed()->dofs();
  const auto touches = run_.pushed()->touching(step.t);
  const auto rows = static_cast<Eigen::Index>(pushed.size()), columns = static_cast<Eigen::Index>(touches.size());
  Eigen::VectorXd left(rows);
  Eigen::MatrixXd press(rows, columns);
  for (Eigen::Index i = 0; i < rows; ++i) left[i] = solution_.left[u(pushed[static_cast<std::size_t>(i)])];
  const std::vector<double> none(given_.size(), 0.0);
  for (Eigen::Index k = 0; k < columns; ++k) {
    const auto& t = touches[static_cast<std::size_t>(k)];
    for (Wrench& w : node_) w = {};
    const Wrench unit = forceAt(t.direction, t.place - system_.middle);
    node_[u(system_.nodeOfLink[u(t.linkA)])] -= unit;
    node_[u(system_.nodeOfLink[u(t.linkB)])] += unit;
    balance_.solve(node_, none, trial_);
    for (Eigen::Index i = 0; i < rows; ++i) press(i, k) = trial_.left[u(pushed[static_cast<std::size_t>(i)])];
  }
  if (columns == 0) return true;  // nothing touches: what was left stays where it is
  const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(press);
  const Eigen::VectorXd force = qr.solve(-left);
  pressedKnown_ = qr.rank() == columns;
  const double scale = left.cwiseAbs().maxCoeff();
  for (Eigen::Index k = 0; k < columns; ++k) {
    const auto& t = touches[static_cast<std::size_t>(k)];
    if (force[k] < -1e-9 * std::max(scale, 1e-9) && pressedKnown_) {
      why_ = "contact " + t.contact + " would have to pull so that its links keep together";
      return false;
    }
    pressed_.emplace_back(t.contact, force[k]);
    const Wrench w = forceAt(force[k] * t.direction, t.place - system_.middle);
    link_[u(t.linkA)] -= w;
    link_[u(t.linkB)] += w;
  }
  solve();
  return true;
}

/// Coulomb's friction against each motion, of what its joint bears across; that depends on the friction in turn.
bool InverseDynamics::rub(const TravelStep& step) {
  constexpr int kMost = 200;
  double before = 0;
  for (int n = 0; n < kMost; ++n) {
    double change = 0, most = 0;
    for (Coulomb& c : coulomb_) {
      const double rate = step.qd[u(c.dof)];
      const kinematics::Twist& t = balance_.solver().dofTwist(c.dof);
      const Vec3 axis = (c.turns ? t.w : t.v).normalized();
      Vec3 across = solution_.joint[u(c.compiled)].f;
      across -= across.dot(axis) * axis;
      // what is not decided of it does not count
      Vec3 normal;
      if (balance_.flat(c.compiled, normal) && std::abs(across.dot(normal)) > 0) {
        partlyRubbing_.insert(c.name);
        across -= across.dot(normal) * normal;
      }
      const double effort =
          rate == 0 ? 0 : -std::copysign(c.coefficient * across.norm() * (c.turns ? c.radius : 1), rate);
      change = std::max(change, std::abs(effort - c.effort));
      most = std::max(most, std::abs(effort));
      c.effort = effort;
    }
    if (change == 0) break;
    solve();
    if (change <= 1e-13 * most) break;
    if (n + 1 == kMost || (n > 20 && change > before)) {
      why_ = "friction locks: what joints bear grows with what brakes them";
      return false;
    }
    before = change;
  }
  for (const Coulomb& c : coulomb_) applied_.lost -= c.effort * step.qd[u(c.dof)];
  return true;
}

std::optional<double> InverseDynamics::driveForce(int drive) {
  const int dof = valid_ ? system_.dofOfDrive(r_, drive) : -1;
  if (dof < 0 || run_.activeDrive(drive) < 0) return std::nullopt;
  for (const auto& s : balance_.selfBalanced())
    if (std::abs(s.left[u(dof)]) > balance_.noPart() / system_.dofs[u(dof)].scale) return std::nullopt;
  return solution_.left[u(dof)];
}

std::optional<double> InverseDynamics::drivePower(int drive, const TravelStep& step) {
  const auto force = driveForce(drive);
  if (!force) return std::nullopt;
  return *force * step.qd[u(system_.dofOfDrive(r_, drive))];
}

/// The links between which a compiled joint lies.
std::pair<int, int> InverseDynamics::linksOf(const System::Joint& j) const {
  if (j.source >= 0) return {r_.joints[u(j.source)].linkA, r_.joints[u(j.source)].linkB};
  if (j.pair >= 0) return {r_.camPairs[u(j.pair)].camLink, r_.camPairs[u(j.pair)].followerLink};
  if (j.drive >= 0) {
    const auto& seats = r_.gauges[u(r_.drives[u(j.drive)].gauge)].seats;
    return {seats[0].first, seats[1].first};
  }
  return {-1, -1};
}

/// What goes through a joint itself: springs, efforts and couplings along its values apart.
Wrench InverseDynamics::ofJoint(int compiled) const {
  Wrench w = solution_.joint[u(compiled)];
  const System::Joint& j = system_.joints[u(compiled)];
  const auto less = [&](int dof, double effort) {
    if (effort == 0) return;
    const kinematics::Twist& t = balance_.solver().dofTwist(dof);
    const Vec3 seat = balance_.solver().nodePose(j.nodeB) * j.atB.p;
    // along a turn a couple; along a slide a force through the second seat
    w -= kinematics::isTurn(system_.dofs[u(dof)].motion) ? Wrench{Vec3::Zero(), Vec3(effort * t.w)}
                                                         : forceAt(effort * t.v, seat);
  };
  for (int d = j.firstDof; d < j.firstDof + j.dofs; ++d) less(d, applied_.effort[u(d)]);
  for (std::size_t r = 0; r < system_.scalars.size(); ++r) {
    if (system_.scalars[r].coupling < 0) continue;  // a screw's own
    const auto& dofs = system_.scalars[r].dofs;
    for (std::size_t k = 0; k < dofs.size(); ++k)
      if (dofs[k] >= j.firstDof && dofs[k] < j.firstDof + j.dofs)
        less(dofs[k], balance_.relationEffort(solution_, static_cast<int>(r), k));
  }
  return w;
}

InverseDynamics::Reaction InverseDynamics::reaction(int joint, int onLink) {
  Reaction out;
  if (!valid_) return out;
  const auto& j = r_.joints[u(joint)];
  const int compiled = system_.compiledJoint(joint);
  const int nodeB = system_.nodeOfLink[u(j.linkB)];
  const Vec3 seat = balance_.solver().nodePose(nodeB) * (system_.linkInNode[u(j.linkB)] * j.seatB.p);
  Wrench onB;
  if (compiled >= 0) {
    onB = ofJoint(compiled);
  } else {
    const auto f = std::find_if(fixed_.begin(), fixed_.end(), [&](const Fixed& x) { return x.joint == joint; });
    if (f == fixed_.end()) return out;
    if (!f->beyond.empty()) {
      for (std::size_t i = 0; i < link_.size(); ++i)
        if (f->beyond[i]) onB += link_[i];
      for (std::size_t k = 0; k < system_.joints.size(); ++k) {
        const auto [a, b] = linksOf(system_.joints[k]);
        if (a < 0) continue;
        // all that acts between the two links, along the joint's values too
        if (f->beyond[u(b)]) onB -= solution_.joint[k];
        if (f->beyond[u(a)]) onB += solution_.joint[k];
      }
      if (!f->onB) onB = -onB;
    }
  }
  out.known = true;
  out.force = onB.f;
  out.moment = onB.about(seat);
  if (onLink == j.linkA) {
    out.force = -out.force;
    out.moment = -out.moment;
  }
  return out;
}

bool InverseDynamics::isDecided(int joint, const Vec3& direction, bool moment) {
  const int compiled = system_.compiledJoint(joint);
  if (compiled < 0) {
    const auto f = std::find_if(fixed_.begin(), fixed_.end(), [&](const Fixed& x) { return x.joint == joint; });
    if (f == fixed_.end() || f->beyond.empty()) return false;
    // what the joints around bear of themselves goes through it
    for (std::size_t k = 0; k < system_.joints.size(); ++k) {
      const auto [a, b] = linksOf(system_.joints[k]);
      if (a < 0 || f->beyond[u(a)] == f->beyond[u(b)]) continue;
      const int source = system_.joints[k].source;
      Vec3 normal;
      if (source >= 0 && !isDecided(source, direction, moment)) return false;
      if (source < 0 && balance_.flat(static_cast<int>(k), normal)) return false;
    }
    return true;
  }
  constexpr double kPart = 1e-9;
  Vec3 normal;
  if (balance_.flat(compiled, normal)) {
    const double square = direction.dot(normal);
    if (moment ? (direction - square * normal).norm() > kPart : std::abs(square) > kPart) return false;
  }
  const System::Joint& j = system_.joints[u(compiled)];
  const Vec3 seat = balance_.solver().nodePose(j.nodeB) * j.atB.p;
  for (const auto& s : balance_.selfBalanced()) {
    const Wrench& w = s.joint[u(compiled)];
    const double part = moment ? direction.dot(w.about(seat)) : direction.dot(w.f) * system_.size;
    if (std::abs(part) > balance_.noPart()) return false;
  }
  return true;
}

std::optional<double> InverseDynamics::camForce(int pair, const TravelStep& step) {
  if (!valid_) return std::nullopt;
  const auto& p = r_.camPairs[u(pair)];
  for (std::size_t k = 0; k < system_.joints.size(); ++k) {
    const System::Joint& j = system_.joints[k];
    if (j.pair != pair) continue;
    const Pose plane = balance_.solver().nodePose(j.nodeA) * j.atA;
    const Vec3 tangent = plane.R * p.cam->at(step.c.q[u(j.firstDof)])[1].normalized();
    // out of the cam, or towards what it goes round
    const Vec3 towards = tangent.cross(plane.R.col(2)) * p.cam->windingSign() * (p.inside ? -1 : 1);
    for (const auto& s : balance_.selfBalanced())
      if (std::abs(towards.dot(s.joint[k].f)) * system_.size > balance_.noPart()) return std::nullopt;
    return towards.dot(solution_.joint[k].f);
  }
  return std::nullopt;
}

std::optional<double> InverseDynamics::contactForce(int contact) const {
  if (!valid_ || !pressedKnown_) return std::nullopt;
  double sum = 0;
  for (const auto& [name, force] : pressed_)
    if (name == r_.contacts[u(contact)].name) sum += force;
  return sum;
}

std::optional<Vec3> InverseDynamics::massCentre(int link) const {
  Vec3 sum = Vec3::Zero();
  double mass = 0;
  for (std::size_t k = 0; k < bodies_.size(); ++k) {
    if (link >= 0 && bodies_[k].link != link) continue;
    sum += bodies_[k].mass * centres_[k];
    mass += bodies_[k].mass;
  }
  if (mass > 0) return Vec3(sum / mass);
  if (link >= 0 && system_.nodeOfLink[u(link)] == 0 && r_.links[u(link)].mass)  // it stands still
    return Vec3(system_.linkInNode[u(link)] * r_.links[u(link)].mass->centre + system_.middle);
  return std::nullopt;
}

}  // namespace cooperage::dynamics
