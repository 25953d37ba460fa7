// SPDX-License-Identifier: GPL-3.0-or-later
#include "dynamics/balance.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace cooperage::dynamics {

using kinematics::Configuration;
using kinematics::Solver;
using kinematics::System;

namespace {
/// A joint's node that lies beyond it in the tree, and the one before it.
int childOf(const System::Joint& j) { return j.forward ? j.nodeB : j.nodeA; }
int parentOf(const System::Joint& j) { return j.forward ? j.nodeA : j.nodeB; }
constexpr double kSingular = 1e-10;  ///< a pivot of scaled rows below it is none
}  // namespace

Balance::Balance(const System& system, const std::vector<int>& driven, const Solver::Options& options,
                 const Configuration& home, const Configuration& generic)
    : system_(system),
      solver_(system, driven, options),
      axes_(system.loops.size()),
      node_(u(system.nodeCount)),
      work_(system.dofs.size()),
      closure_(system.loops.size()) {
  solver_.setHome(home);
  solver_.pick(generic);
  readPlan();
}

void Balance::readPlan() {
  blocks_.clear();
  std::vector<std::array<bool, 6>> picked(system_.loops.size());
  for (auto& p : picked) p.fill(false);
  std::vector<bool> related(system_.scalars.size(), false);
  for (const Solver::PlanBlock& b : solver_.plan()) {
    Block& made = blocks_.emplace_back();
    made.dofs = b.dofs;
    const auto n = static_cast<Eigen::Index>(b.dofs.size());
    made.matrix.setZero(n, n);
    made.lu = Eigen::PartialPivLU<Eigen::MatrixXd>(n);
    made.rhs.setZero(n);
    made.bears.setZero(n);
    const auto columnOf = [&](int dof) {
      const auto at = std::find(b.dofs.begin(), b.dofs.end(), dof);
      return at == b.dofs.end() ? -1 : static_cast<int>(at - b.dofs.begin());
    };
    for (std::size_t r = 0; r < b.rows.size(); ++r) {
      const Solver::PlanRow& row = b.rows[r];
      if (row.scalar >= 0) {
        related[u(row.scalar)] = true;
        ScalarPart& s = made.scalars.emplace_back();
        s.scalar = row.scalar;
        s.row = static_cast<int>(r);
        const auto& dofs = system_.scalars[u(row.scalar)].dofs;
        for (std::size_t k = 0; k < dofs.size(); ++k)
          if (const int column = columnOf(dofs[k]); column >= 0) s.entries.emplace_back(column, k);
        continue;
      }
      picked[u(row.loop)][u(row.row)] = true;
      auto part = std::find_if(made.loops.begin(), made.loops.end(), [&](const auto& l) { return l.loop == row.loop; });
      if (part == made.loops.end()) {
        part = made.loops.insert(made.loops.end(), LoopPart{row.loop, {}, {}});
        const auto& members = system_.loops[u(row.loop)].members;
        for (std::size_t m = 0; m < members.size(); ++m)
          if (const int column = columnOf(members[m].dof); column >= 0)
            part->entries.push_back({column, static_cast<int>(m)});
      }
      part->rows.emplace_back(static_cast<int>(r), row.row);
    }
  }
  dropped_.clear();
  flatLoop_.assign(system_.joints.size(), -1);
  constexpr std::array<int, 3> kOfPlane{2, 3, 4};  // turn about the normal, shifts in the plane
  for (std::size_t l = 0; l < system_.loops.size(); ++l) {
    const System::Loop& loop = system_.loops[l];
    if (loop.cluster >= 0) {
      for (const int r : kOfPlane)
        if (!picked[l][u(r)]) dropped_.push_back({static_cast<int>(l), r, -1});
      flatLoop_[u(loop.joint)] = static_cast<int>(l);
      for (const auto* path : {&loop.pathA, &loop.pathB})
        for (const int j : *path) flatLoop_[u(j)] = static_cast<int>(l);
    } else {
      for (int r = 0; r < 6; ++r)
        if (!picked[l][u(r)]) dropped_.push_back({static_cast<int>(l), r, -1});
    }
  }
  for (std::size_t s = 0; s < related.size(); ++s)
    if (!related[s]) dropped_.push_back({-1, 0, static_cast<int>(s)});
}

/// A row of a loop's axes as a direction among its six ground figures.
Balance::Column Balance::direction(int loop, int row) const {
  Column d = Column::Zero();
  if (row < 3)
    d.head<3>() = axes_[u(loop)].col(row);
  else
    d.tail<3>() = axes_[u(loop)].col(row - 3);
  return d;
}

bool Balance::factor() {
  for (Block& b : blocks_) {
    b.matrix.setZero();
    for (const LoopPart& part : b.loops) {
      const auto& columns = solver_.loopColumns(part.loop);
      for (const auto& [at, row] : part.rows) {
        const Vec3 axis = axes_[u(part.loop)].col(row % 3);
        for (const Entry& e : part.entries)
          b.matrix(e.column, at) +=
              row < 3 ? axis.dot(columns[u(e.member)].head<3>()) : axis.dot(columns[u(e.member)].tail<3>());
      }
    }
    for (const ScalarPart& s : b.scalars)
      for (const auto& [column, k] : s.entries) b.matrix(column, s.row) += solver_.scalarGradient(s.scalar)[k];
    b.lu.compute(b.matrix);
    b.pivot = b.lu.matrixLU().diagonal().cwiseAbs().minCoeff();
    if (!(b.pivot > kSingular)) return false;
  }
  return true;
}

bool Balance::go(const Configuration& c) {
  selfKnown_ = false;
  const auto there = [&] {
    solver_.forward(c);
    solver_.assemble(c);
    for (std::size_t l = 0; l < axes_.size(); ++l) axes_[l] = solver_.loopAxes(static_cast<int>(l));
    return factor();
  };
  bool good = there();
  const bool worse = std::any_of(blocks_.begin(), blocks_.end(),
                                 [](const Block& b) { return !(b.pivot > 0.1 * b.pivotAtPick) || b.pivotAtPick == 0; });
  if (!good || worse) {  // other rows may be better here
    solver_.pickAgain(c);
    readPlan();
    good = there();
    for (Block& b : blocks_) b.pivotAtPick = b.pivot;
  }
  return good;
}

/// What the closures and relations bear of `work_`, with what they bear already; both are brought up to date.
void Balance::borne(Solution& out) {
  for (auto b = blocks_.rbegin(); b != blocks_.rend(); ++b) {
    for (std::size_t k = 0; k < b->dofs.size(); ++k) b->rhs[static_cast<Eigen::Index>(k)] = work_[u(b->dofs[k])];
    if (b->dofs.size() == 1)
      b->bears[0] = b->rhs[0] / b->matrix(0, 0);
    else
      b->bears = b->lu.solve(b->rhs);  // not in place: that would take memory for a copy
    for (const LoopPart& part : b->loops) {
      Column bears = Column::Zero();
      for (const auto& [at, row] : part.rows) bears += b->bears[at] * direction(part.loop, row);
      closure_[u(part.loop)] += bears;
      const auto& columns = solver_.loopColumns(part.loop);
      const auto& members = system_.loops[u(part.loop)].members;
      for (std::size_t m = 0; m < members.size(); ++m) work_[u(members[m].dof)] -= bears.dot(columns[m]);
    }
    for (const ScalarPart& s : b->scalars) {
      const double bears = b->bears[s.row];
      out.relation[u(s.scalar)] += bears;
      const auto& dofs = system_.scalars[u(s.scalar)].dofs;
      for (std::size_t k = 0; k < dofs.size(); ++k) work_[u(dofs[k])] -= bears * solver_.scalarGradient(s.scalar)[k];
    }
    for (const int dof : b->dofs) work_[u(dof)] = 0;  // but for rounding it is
  }
  for (std::size_t d = 0; d < work_.size(); ++d) out.left[d] = work_[d] / system_.dofs[d].scale;
}

/// Wrenches of all joints, of what is in `node_` and what closures bear.
void Balance::wrenches(Solution& out) {
  for (std::size_t l = 0; l < closure_.size(); ++l) {
    const System::Joint& j = system_.joints[u(system_.loops[l].joint)];
    const Wrench w =
        forceAt(closure_[l].tail<3>() / system_.size, solver_.loopEnd(static_cast<int>(l)), closure_[l].head<3>());
    out.joint[u(system_.loops[l].joint)] = -w;  // the closure's end is carried by the first node
    node_[u(j.nodeA)] -= w;
    node_[u(j.nodeB)] += w;
  }
  for (auto t = system_.treeOrder.rbegin(); t != system_.treeOrder.rend(); ++t) {
    const System::Joint& j = system_.joints[u(*t)];
    const Wrench& beyond = node_[u(childOf(j))];
    out.joint[u(*t)] = j.forward ? beyond : -beyond;
    node_[u(parentOf(j))] += beyond;
  }
}

void Balance::solve(const std::vector<Wrench>& required, const std::vector<double>& given, Solution& out) {
  out.joint.resize(system_.joints.size());
  out.left.resize(system_.dofs.size());
  out.relation.assign(system_.scalars.size(), 0);
  node_ = required;
  for (std::size_t d = 0; d < work_.size(); ++d) work_[d] = -given[d] * system_.dofs[d].scale;
  for (auto t = system_.treeOrder.rbegin(); t != system_.treeOrder.rend(); ++t) {
    const System::Joint& j = system_.joints[u(*t)];
    const Wrench& beyond = node_[u(childOf(j))];
    const double sign = j.forward ? 1 : -1;
    for (int d = j.firstDof; d < j.firstDof + j.dofs; ++d)
      work_[u(d)] += sign * system_.dofs[u(d)].scale * along(beyond, solver_.dofTwist(d));
    node_[u(parentOf(j))] += beyond;
  }
  for (Column& c : closure_) c.setZero();
  borne(out);
  node_ = required;
  wrenches(out);
}

double Balance::relationEffort(const Solution& s, int row, std::size_t k) const {
  return s.relation[u(row)] * solver_.scalarGradient(row)[k] / system_.dofs[u(system_.scalars[u(row)].dofs[k])].scale;
}

const std::vector<Balance::Solution>& Balance::selfBalanced() {
  if (selfKnown_) return self_;
  selfKnown_ = true;
  self_.resize(dropped_.size());
  double misfit = 0;
  for (const double r : solver_.residual()) misfit = std::max(misfit, std::abs(r));
  noPart_ = 1e-6 + 20 * misfit;
  for (std::size_t k = 0; k < dropped_.size(); ++k) {
    const Dropped& d = dropped_[k];
    Solution& s = self_[k];
    s.joint.resize(system_.joints.size());
    s.left.resize(system_.dofs.size());
    s.relation.assign(system_.scalars.size(), 0);
    for (Wrench& w : node_) w = {};
    std::fill(work_.begin(), work_.end(), 0.0);
    for (Column& c : closure_) c.setZero();
    if (d.loop >= 0) {
      const Column unit = direction(d.loop, d.row);
      closure_[u(d.loop)] = unit;
      const auto& members = system_.loops[u(d.loop)].members;
      for (std::size_t m = 0; m < members.size(); ++m)
        work_[u(members[m].dof)] -= unit.dot(solver_.loopColumns(d.loop)[m]);
    } else {
      s.relation[u(d.scalar)] = 1;
      const auto& dofs = system_.scalars[u(d.scalar)].dofs;
      for (std::size_t i = 0; i < dofs.size(); ++i) work_[u(dofs[i])] -= solver_.scalarGradient(d.scalar)[i];
    }
    borne(s);
    wrenches(s);
    double most = 0;
    for (std::size_t j = 0; j < s.joint.size(); ++j) {
      const Vec3 at = solver_.nodePose(system_.joints[j].nodeB) * system_.joints[j].atB.p;
      most = std::max({most, s.joint[j].f.norm() * system_.size, s.joint[j].about(at).norm()});
    }
    for (std::size_t r = 0; r < s.relation.size(); ++r) most = std::max(most, std::abs(s.relation[r]));
    if (!(most > 0)) continue;
    for (Wrench& w : s.joint) w = {w.f / most, w.m / most};
    for (double& x : s.left) x /= most;
    for (double& x : s.relation) x /= most;
  }
  return self_;
}

bool Balance::flat(int joint, Vec3& normal) const {
  const int loop = flatLoop_[u(joint)];
  if (loop < 0) return false;
  normal = axes_[u(loop)].col(2);
  return true;
}

}  // namespace cooperage::dynamics
