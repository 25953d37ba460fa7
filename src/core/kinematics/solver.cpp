// SPDX-License-Identifier: GPL-3.0-or-later
// Solver: what it knows in space. structure.cpp splits into blocks, blocks.cpp solves them.
#include "kinematics/solver.h"

#include <algorithm>
#include <cmath>

namespace cooperage::kinematics {

using model::Motion;

Solver::Solver(const System& system, const std::vector<int>& driven) : Solver(system, driven, Options()) {}

Solver::Solver(const System& system, const std::vector<int>& driven, Options options)
    : system_(system), options_(options) {
  const std::size_t n = system.dofs.size();
  driven_.assign(n, false);
  for (int d : driven)
    if (d >= 0) driven_[u(d)] = true;
  home_.assign(system.scalars.size(), 0);
  // A row is measured by what can still change in it: with a driven gear 10,000 times as fast as the other, the slow
  // one's share is all that there is.
  for (const System::ScalarRow& row : system.scalars) {
    double most = 0;
    for (std::size_t k = 0; !row.absolute() && k < row.dofs.size(); ++k)
      if (!driven_[u(row.dofs[k])])
        most = std::max(most, std::abs(row.coefficients[k]) * system.dofs[u(row.dofs[k])].scale);
    rowScale_.push_back(most > 0 ? most : row.scale);
  }
  pose_.resize(u(system.nodeCount));
  twist_.resize(n);
  residual_.assign(u(system.rowCount()), 0);
  loopEnd_.resize(system.loops.size());
  columns_.resize(system.loops.size());
  chain_.resize(system.loops.size());
  for (std::size_t i = 0; i < system.loops.size(); ++i) {
    columns_[i].resize(system.loops[i].members.size());
    chain_[i].resize(system.loops[i].members.size());
  }
  gradient_.resize(system.scalars.size());
  for (std::size_t i = 0; i < system.scalars.size(); ++i) gradient_[i].resize(system.scalars[i].dofs.size());
  plane_.resize(u(system.nodeCount));
  vectors_.resize(system.joints.size());
  for (const auto& dof : system.dofs) scale_.push_back(dof.scale);
  steps_.resize(system.joints.size());
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    const System::Joint& j = system.joints[i];
    const System::PlanarJoint& p = system.planarJoints[i];
    if (!p.usable) continue;
    PlanarStep& s = steps_[i];
    s.a = j.nodeA;
    s.b = j.nodeB;
    s.from = j.forward ? j.nodeA : j.nodeB;
    s.to = j.forward ? j.nodeB : j.nodeA;
    s.sign = j.forward ? 1 : -1;
    s.turn = p.turnDof;
    s.sense = p.sense;
    s.angle = p.angle;
    s.at = {p.at.x(), p.at.y()};
    s.back = {p.back.x(), p.back.y()};
    s.slides = p.slides;
    for (int k = 0; k < p.slides; ++k) {
      s.slide[k] = p.slideDof[k];
      s.direction[k] = {p.direction[k].x(), p.direction[k].y()};
    }
  }
  setHome(system.measured());
}

void Solver::setHome(const Configuration& home) {
  for (std::size_t i = 0; i < system_.scalars.size(); ++i) {
    const auto& row = system_.scalars[i];
    home_[i] = 0;
    if (row.absolute()) continue;
    for (std::size_t k = 0; k < row.dofs.size(); ++k) home_[i] += row.coefficients[k] * home.q[u(row.dofs[k])];
  }
}

void Solver::forward(const Configuration& c) {
  pose_[0] = Pose{};
  // motions of one joint from the axes of its first seat on
  const auto walk = [&](const System::Joint& j, Pose f) {
    int dof = j.firstDof;
    for (const Element& e : j.elements) {
      const int count = dofsOf(e.motion);
      Twist* t = &twist_[u(dof)];
      twistsOf(e, &c.q[u(dof)], t);
      for (int i = 0; i < count; ++i) t[i] = {f.R * t[i].w, f.R * t[i].v, f * t[i].at};
      f = f * elementary(e, &c.q[u(dof)], e.motion == Motion::ball ? c.balls[u(j.ball)] : Mat3());
      dof += count;
    }
    return f;
  };
  for (int t : system_.treeOrder) {
    const System::Joint& j = system_.joints[u(t)];
    if (j.forward) {
      pose_[u(j.nodeB)] = walk(j, pose_[u(j.nodeA)] * j.atA) * j.atB.inverse();
      continue;
    }
    Pose J;
    int dof = j.firstDof;
    for (const Element& e : j.elements) {
      J = J * elementary(e, &c.q[u(dof)], e.motion == Motion::ball ? c.balls[u(j.ball)] : Mat3());
      dof += dofsOf(e.motion);
    }
    pose_[u(j.nodeA)] = pose_[u(j.nodeB)] * j.atB * J.inverse() * j.atA.inverse();
    walk(j, pose_[u(j.nodeA)] * j.atA);
  }
  for (std::size_t i = 0; i < system_.loops.size(); ++i) {
    const System::Joint& j = system_.joints[u(system_.loops[i].joint)];
    const Pose end = walk(j, pose_[u(j.nodeA)] * j.atA), target = pose_[u(j.nodeB)] * j.atB;
    const Vec3 turn = rotationVector(end.R * target.R.transpose());
    const Vec3 gap = (end.p - target.p) / system_.size;
    for (int k = 0; k < 3; ++k) {
      residual_[6 * i + u(k)] = turn[k];
      residual_[6 * i + 3 + u(k)] = gap[k];
    }
    loopEnd_[i] = end.p;
  }
  const std::size_t base = 6 * system_.loops.size();
  for (std::size_t i = 0; i < system_.scalars.size(); ++i)
    residual_[base + i] = scalarResidual(static_cast<int>(i), c.q.data());
}

Pose Solver::linkPose(int link) const {
  Pose p = pose_[u(system_.nodeOfLink[u(link)])] * system_.linkInNode[u(link)];
  p.p += system_.middle;
  return p;
}

void Solver::assemble(const Configuration& c) {
  for (std::size_t i = 0; i < system_.loops.size(); ++i) {
    const auto& members = system_.loops[i].members;
    for (std::size_t k = 0; k < members.size(); ++k) {
      const Twist& t = twist_[u(members[k].dof)];
      const double scale = members[k].sign * system_.dofs[u(members[k].dof)].scale;
      columns_[i][k].head<3>() = scale * t.w;
      columns_[i][k].tail<3>() = (scale / system_.size) * (t.v + t.w.cross(loopEnd_[i] - t.at));
    }
  }
  for (std::size_t i = 0; i < system_.scalars.size(); ++i)
    scalarGradientAt(static_cast<int>(i), c.q.data(), gradient_[i].data());
}

double Solver::gapLength(int loop) const {
  const double* r = &residual_[6 * u(loop) + 3];
  return system_.size * std::sqrt(r[0] * r[0] + r[1] * r[1] + r[2] * r[2]);
}
double Solver::gapAngle(int loop) const {
  const double* r = &residual_[6 * u(loop)];
  return std::sqrt(r[0] * r[0] + r[1] * r[1] + r[2] * r[2]);
}

void Solver::add(Configuration& c, const std::vector<double>& step, double factor) const {
  const int n = system_.dofCount();
  for (int i = 0; i < n; ++i) {
    const auto& dof = system_.dofs[u(i)];
    if (dof.ball < 0) {
      c.q[u(i)] += factor * dof.scale * step[u(i)];
      continue;
    }
    const Vec3 turn = factor * Vec3(step[u(i)], step[u(i + 1)], step[u(i + 2)]);
    if (turn.squaredNorm() > 0) {
      Mat3& R = c.balls[u(dof.ball)];
      R = Quat(rotationOf(turn) * R).normalized().toRotationMatrix();
    }
    i += 2;
  }
}

PoseJet Solver::jointJet(const System::Joint& j, const Derivatives& d, const Configuration& c, int orders) const {
  PoseJet J;
  int dof = j.firstDof;
  for (const Element& e : j.elements) {
    ScalarJet q[3];
    const int count = dofsOf(e.motion);
    for (int k = 0; k < count; ++k) q[k] = d.jet(dof + k, orders);
    const PoseJet own = elementaryJet(e, q, e.motion == Motion::ball ? c.balls[u(j.ball)] : Mat3());
    J = &e == &j.elements.front() ? own : J * own;
    dof += count;
  }
  return J;
}

void Solver::motion(const Configuration& c, const std::vector<double>& qd, const std::vector<double>& qdd,
                    const std::vector<double>& qddd, std::vector<PoseJet>& out) const {
  out.resize(u(system_.nodeCount));
  out[0] = PoseJet();
  Derivatives d;
  d.q = c.q.data();
  d.d[1] = const_cast<double*>(qd.data());  // only read here
  d.d[2] = const_cast<double*>(qdd.data());
  d.d[3] = const_cast<double*>(qddd.data());
  for (int t : system_.treeOrder) {
    const System::Joint& j = system_.joints[u(t)];
    const PoseJet J = jointJet(j, d, c, 3);
    if (j.forward)
      out[u(j.nodeB)] = out[u(j.nodeA)] * j.atA * J * j.atB.inverse();
    else
      out[u(j.nodeA)] = out[u(j.nodeB)] * j.atB * inverse(J) * j.atA.inverse();
  }
}

void Solver::pointJacobian(int node, const Vec3& point, Eigen::MatrixXd& out) const {
  out.setZero(3, system_.dofCount());
  for (int at = node; at != 0;) {
    const System::Joint& j = system_.joints[u(system_.upJoint[u(at)])];
    const double sign = j.forward ? 1 : -1;
    for (int dof = j.firstDof; dof < j.firstDof + j.dofs; ++dof) {
      const Twist& t = twist_[u(dof)];
      out.col(dof) = (sign * system_.dofs[u(dof)].scale / system_.size) * (t.v + t.w.cross(point - t.at));
    }
    at = j.forward ? j.nodeA : j.nodeB;
  }
}

void Solver::nodeRates(const std::vector<double>& qd, std::vector<NodeRate>& out) const {
  out.resize(u(system_.nodeCount));
  out[0] = NodeRate();
  for (int t : system_.treeOrder) {
    const System::Joint& j = system_.joints[u(t)];
    NodeRate& to = out[u(j.forward ? j.nodeB : j.nodeA)];
    to = out[u(j.forward ? j.nodeA : j.nodeB)];
    const double sign = j.forward ? 1 : -1;
    for (int dof = j.firstDof; dof < j.firstDof + j.dofs; ++dof) {
      const Twist& twist = twist_[u(dof)];
      const double rate = sign * qd[u(dof)];
      to.w += rate * twist.w;
      to.v += rate * (twist.v - twist.w.cross(twist.at));
    }
  }
}

double Solver::scalarResidual(int index, const double* q) const {
  const System::ScalarRow& row = system_.scalars[u(index)];
  if (row.table) return (q[row.dofs[1]] - row.table->at(q[row.dofs[0]])[0]) / rowScale_[u(index)];
  if (row.formula) {
    const Jet f = row.formula->at([&](const Symbol& s) {
      for (const auto& [name, dof] : row.names)
        if (name == s) return dof < 0 ? Jet(0) : Jet(q[dof]);
      return Jet(0);
    });
    return (q[row.dofs[0]] - f.v) / rowScale_[u(index)];
  }
  double sum = -home_[u(index)];
  for (std::size_t k = 0; k < row.dofs.size(); ++k) sum += row.coefficients[k] * q[row.dofs[k]];
  return sum / rowScale_[u(index)];
}

void Solver::scalarGradientAt(int index, const double* q, double* out) const {
  const System::ScalarRow& row = system_.scalars[u(index)];
  if (row.table) {
    out[0] = -row.table->at(q[row.dofs[0]])[1];
    out[1] = 1;
  } else if (row.formula) {
    out[0] = 1;
    for (std::size_t k = 1; k < row.dofs.size(); ++k)
      out[k] = -row.formula
                    ->at([&](const Symbol& s) {
                      for (const auto& [name, dof] : row.names)
                        if (name == s) return dof < 0 ? Jet(0) : Jet(q[dof], dof == row.dofs[k] ? 1 : 0, 0, 0);
                      return Jet(0);
                    })
                    .d1;
  } else {
    for (std::size_t k = 0; k < row.dofs.size(); ++k) out[k] = row.coefficients[k];
  }
  for (std::size_t k = 0; k < row.dofs.size(); ++k) out[k] *= system_.dofs[u(row.dofs[k])].scale / rowScale_[u(index)];
}

/// Derivative of a scalar row of some order with what is known of the dofs' derivatives.
double Solver::scalarBias(int index, const Derivatives& d, int order) const {
  const System::ScalarRow& row = system_.scalars[u(index)];
  const auto jetOf = [&](int dof) {
    const ScalarJet j = d.jet(dof, order);
    return Jet(j[0], j[1], j[2], j[3]);
  };
  const auto part = [&](const Jet& j) { return order == 1 ? j.d1 : order == 2 ? j.d2 : j.d3; };
  if (row.table) {
    const Jet x = jetOf(row.dofs[0]);
    const ScalarJet f = row.table->at(x.v);
    return (d.at(order, row.dofs[1]) - part(compose(x, f[0], f[1], f[2], f[3]))) / rowScale_[u(index)];
  }
  if (row.formula) {
    const Jet f = row.formula->at([&](const Symbol& s) {
      for (const auto& [name, dof] : row.names)
        if (name == s) return dof < 0 ? Jet(0) : jetOf(dof);
      return Jet(0);
    });
    return (d.at(order, row.dofs[0]) - part(f)) / rowScale_[u(index)];
  }
  double sum = 0;
  for (std::size_t k = 0; k < row.dofs.size(); ++k) sum += row.coefficients[k] * d.at(order, row.dofs[k]);
  return sum / rowScale_[u(index)];
}

}  // namespace cooperage::kinematics
