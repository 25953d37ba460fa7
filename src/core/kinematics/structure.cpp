// SPDX-License-Identifier: GPL-3.0-or-later
// Solver: rank, independent rows and columns, and the blocks to solve one after the other.
#include <algorithm>
#include <cmath>
#include <functional>
#include <queue>

#include "kinematics/solver.h"

namespace cooperage::kinematics {

void Solver::pick(const Configuration& c) { choose(c, options_.rankTolerance, false); }
void Solver::pickAgain(const Configuration& c) { choose(c, 1e-13, true); }

void Solver::choose(const Configuration& c, double tolerance, bool again) {
  forward(c);
  assemble(c);
  std::vector<Unit> units;
  if (again) {
    units = std::move(units_);
  } else {
    units.resize(system_.loops.size() + system_.scalars.size());
    for (std::size_t i = 0; i < units.size(); ++i) {
      if (i < system_.loops.size())
        units[i].loop = static_cast<int>(i);
      else
        units[i].scalar = static_cast<int>(i - system_.loops.size());
    }
  }
  eliminate(tolerance, again, units);
  makeBlocks(units, c);
  units_ = std::move(units);
}

Mat3 Solver::loopAxes(int loop) const {
  const System::Loop& l = system_.loops[u(loop)];
  const System::Joint& j = system_.joints[u(l.joint)];
  if (l.cluster < 0) return pose_[u(j.nodeA)].R * j.atA.R;
  const auto& cluster = system_.clusters[u(l.cluster)];
  return pose_[u(cluster.root)].R * cluster.basis;
}

std::vector<Solver::PlanBlock> Solver::plan() const {
  std::vector<PlanBlock> out;
  constexpr int kAngle = 2, kX = 3, kY = 4;  // of a plane
  for (const Block& b : blocks_) {
    if (b.n > 0) {
      PlanBlock& made = out.emplace_back();
      made.dofs = b.dofs;
      made.rows.resize(u(b.n));
      const auto put = [&](int at, PlanRow row) {
        if (at >= 0) made.rows[u(at)] = row;
      };
      for (const PlanarLoop& l : b.planar) {
        put(l.angleRow, {l.loop, -1, kAngle});
        put(l.row[0], {l.loop, -1, kX});
        put(l.row[1], {l.loop, -1, kY});
      }
      for (const SpaceLoop& l : b.space)
        for (int r = 0; r < 6; ++r) put(l.row[r], {l.loop, -1, r});
      for (const auto& [scalar, row] : b.scalars) put(row, {-1, scalar, 0});
    }
    for (const PlanarLoop& l : b.planar)  // a turn that follows from the angles is a block of its own
      if (l.turnsLast) out.push_back({{steps_[u(l.joint)].turn}, {{l.loop, -1, kAngle}}});
  }
  return out;
}

/// Columns of a loop in the rows that are solved: angle and position in its plane, or in the axes of the closing
/// joint's first seat, which move with the mechanism.
void Solver::projectLoop(int loop, std::vector<Column>& out) const {
  const System::Loop& l = system_.loops[u(loop)];
  const Mat3 axes = loopAxes(loop);
  out.resize(l.members.size());
  for (std::size_t k = 0; k < out.size(); ++k) {
    const Column& full = columns_[u(loop)][k];
    const Vec3 turn = axes.transpose() * full.head<3>(), shift = axes.transpose() * full.tail<3>();
    if (l.cluster >= 0)
      out[k] << turn.z(), shift.x(), shift.y(), 0, 0, 0;
    else
      out[k] << turn, shift;
  }
}

/// Elimination loop by loop: each loop's rows are reduced by the pivots found before, then pivoted completely among
/// themselves, so that the work grows with the number of loops.
void Solver::eliminate(double tolerance, bool again, std::vector<Unit>& units) {
  const int n = system_.dofCount();
  struct Pivot {
    int column;
    std::vector<std::pair<int, double>> row;  // others, over the pivot
  };
  std::vector<Pivot> pivots;
  std::vector<int> pivotOf(u(n), -1);
  std::vector<bool> excluded = driven_;
  if (again)
    for (int d : left_)
      if (system_.dofs[u(d)].ball < 0) excluded[u(d)] = true;  // a ball's spin has no axis of its own to stay on
  std::vector<std::array<double, 6>> w(u(n));
  // Of a scalar row, what went into each entry: an entry counts by that and not by the row's largest, since one
  // coupling may turn a gear a million times as fast as another.
  std::vector<double> went(u(n), 0);
  std::vector<char> seen(u(n), 0);
  std::vector<int> touched;
  std::vector<Column> projected;
  std::priority_queue<int, std::vector<int>, std::greater<>> pending;
  const auto touch = [&](int column) {
    if (seen[u(column)]) return;
    seen[u(column)] = 1;
    touched.push_back(column);
    w[u(column)] = {};
    went[u(column)] = 0;
    if (pivotOf[u(column)] >= 0) pending.push(pivotOf[u(column)]);
  };
  rank_ = 0;
  for (Unit& unit : units) {
    std::size_t rows = 1;
    if (unit.loop >= 0) {
      const auto& loop = system_.loops[u(unit.loop)];
      rows = loop.cluster >= 0 ? 3 : 6;
      projectLoop(unit.loop, projected);
      for (std::size_t k = 0; k < projected.size(); ++k) {
        const int dof = loop.members[k].dof;
        if (excluded[u(dof)]) continue;
        touch(dof);
        for (std::size_t r = 0; r < rows; ++r) w[u(dof)][r] += projected[k][static_cast<Eigen::Index>(r)];
      }
    } else {
      const auto& row = system_.scalars[u(unit.scalar)];
      for (std::size_t k = 0; k < row.dofs.size(); ++k) {
        if (excluded[u(row.dofs[k])]) continue;
        touch(row.dofs[k]);
        w[u(row.dofs[k])][0] += gradient_[u(unit.scalar)][k];
        went[u(row.dofs[k])] += std::abs(gradient_[u(unit.scalar)][k]);
      }
    }
    while (!pending.empty()) {
      const Pivot& p = pivots[u(pending.top())];
      pending.pop();
      const std::array<double, 6> f = w[u(p.column)];
      w[u(p.column)] = {};
      for (const auto& [column, value] : p.row) {
        touch(column);
        for (std::size_t r = 0; r < rows; ++r) w[u(column)][r] -= f[r] * value;
        went[u(column)] += std::abs(f[0] * value);
      }
    }
    const std::size_t most = again ? u(unit.count) : rows;
    unit.rows.clear();
    std::array<bool, 6> used{};
    while (unit.rows.size() < most) {
      int column = -1;
      std::size_t row = 0;
      double best = tolerance;
      for (int k : touched) {
        if (pivotOf[u(k)] >= 0) continue;
        for (std::size_t r = 0; r < rows; ++r)
          if (!used[r] && std::abs(w[u(k)][r]) > best * (unit.scalar >= 0 ? went[u(k)] : 1)) {
            best = std::abs(w[u(k)][r]) / (unit.scalar >= 0 ? went[u(k)] : 1);
            column = k;
            row = r;
          }
      }
      if (column < 0) break;
      Pivot p{column, {}};
      const double value = w[u(column)][row];
      pivotOf[u(column)] = static_cast<int>(pivots.size());
      used[row] = true;
      for (int k : touched)
        if (pivotOf[u(k)] < 0 && std::abs(w[u(k)][row]) > 1e-14) p.row.emplace_back(k, w[u(k)][row] / value);
      const std::array<double, 6> f = w[u(column)];
      for (const auto& [k, v] : p.row)
        for (std::size_t r = 0; r < rows; ++r)
          if (!used[r]) w[u(k)][r] -= f[r] * v;
      unit.rows.push_back(static_cast<int>(row));
      pivots.push_back(std::move(p));
    }
    std::sort(unit.rows.begin(), unit.rows.end());
    unit.count = static_cast<int>(unit.rows.size());
    rank_ += unit.count;
    for (int k : touched) seen[u(k)] = 0;
    touched.clear();
  }
  left_.clear();
  for (int k = 0; k < n; ++k)
    if (!driven_[u(k)] && pivotOf[u(k)] < 0) left_.push_back(k);
  columnOfDof_.assign(u(n), -1);
  for (std::size_t k = 0; k < pivots.size(); ++k) columnOfDof_[u(pivots[k].column)] = 0;
  matchColumns(units);
}

/// Gives every pivot column to a row unit that contains it (Kuhn's augmenting paths, with room for `count` each).
void Solver::matchColumns(std::vector<Unit>& units) const {
  const int n = system_.dofCount();
  std::vector<std::vector<int>> unitsOf(u(n));
  for (std::size_t i = 0; i < units.size(); ++i) {
    units[i].columns.clear();
    if (units[i].count == 0) continue;
    const auto add = [&](int dof) {
      auto& list = unitsOf[u(dof)];
      if (columnOfDof_[u(dof)] >= 0 && (list.empty() || list.back() != static_cast<int>(i)))
        list.push_back(static_cast<int>(i));
    };
    if (units[i].loop >= 0)
      for (const auto& m : system_.loops[u(units[i].loop)].members) add(m.dof);
    else
      for (int dof : system_.scalars[u(units[i].scalar)].dofs) add(dof);
  }
  std::vector<int> order;
  for (int k = 0; k < n; ++k)
    if (columnOfDof_[u(k)] >= 0) order.push_back(k);
  // columns with one choice first: fewer paths to follow
  std::stable_sort(order.begin(), order.end(),
                   [&](int a, int b) { return unitsOf[u(a)].size() < unitsOf[u(b)].size(); });
  std::vector<int> visited(units.size(), -1);
  const std::function<bool(int, int)> place = [&](int column, int round) {
    for (int i : unitsOf[u(column)]) {
      Unit& unit = units[u(i)];
      if (static_cast<int>(unit.columns.size()) < unit.count) {
        unit.columns.push_back(column);
        return true;
      }
    }
    for (int i : unitsOf[u(column)]) {
      if (visited[u(i)] == round) continue;
      visited[u(i)] = round;
      Unit& unit = units[u(i)];
      for (std::size_t k = 0; k < unit.columns.size(); ++k) {
        if (!place(unit.columns[k], round)) continue;
        unit.columns[k] = column;
        return true;
      }
    }
    return false;
  };
  int round = 0;
  for (int column : order) place(column, round++);
}

/// Strong components of "needs a column that another unit decides", in the order in which they can be solved.
void Solver::makeBlocks(std::vector<Unit>& units, const Configuration& c) {
  const int n = system_.dofCount(), count = static_cast<int>(units.size());
  std::vector<int> owner(u(n), -1);
  for (int i = 0; i < count; ++i)
    for (int column : units[u(i)].columns) owner[u(column)] = i;
  std::vector<std::vector<int>> needs(u(count));
  for (int i = 0; i < count; ++i) {
    if (units[u(i)].count == 0) continue;
    const auto add = [&](int dof) {
      const int o = owner[u(dof)];
      if (o >= 0 && o != i) needs[u(i)].push_back(o);
    };
    if (units[u(i)].scalar >= 0) {
      for (int dof : system_.scalars[u(units[u(i)].scalar)].dofs) add(dof);
      continue;
    }
    const auto& loop = system_.loops[u(units[u(i)].loop)];
    for (const auto& m : loop.members) add(m.dof);
    if (loop.cluster < 0) continue;
    // places in the plane count from the cluster's root: what carries the loop must be known first
    for (int node = loop.apex; system_.planarNodes[u(node)].cluster == loop.cluster;) {
      const auto& j = system_.joints[u(system_.upJoint[u(node)])];
      for (int k = 0; k < j.dofs; ++k) add(j.firstDof + k);
      node = j.forward ? j.nodeA : j.nodeB;
    }
  }
  blocks_.clear();
  blockOfDof_.assign(u(n), -1);
  std::vector<std::vector<const Unit*>> groups;
  std::vector<int> index(u(count), -1), low(u(count), 0);
  std::vector<char> onStack(u(count), 0);
  std::vector<int> stack;
  int next = 0;
  const std::function<void(int)> visit = [&](int i) {
    index[u(i)] = low[u(i)] = next++;
    stack.push_back(i);
    onStack[u(i)] = 1;
    for (int k : needs[u(i)]) {
      if (index[u(k)] < 0) {
        visit(k);
        low[u(i)] = std::min(low[u(i)], low[u(k)]);
      } else if (onStack[u(k)]) {
        low[u(i)] = std::min(low[u(i)], index[u(k)]);
      }
    }
    if (low[u(i)] != index[u(i)]) return;
    groups.emplace_back();
    while (true) {
      const int k = stack.back();
      stack.pop_back();
      onStack[u(k)] = 0;
      groups.back().push_back(&units[u(k)]);
      for (int column : units[u(k)].columns) blockOfDof_[u(column)] = static_cast<int>(groups.size()) - 1;
      if (k == i) break;
    }
    std::sort(groups.back().begin(), groups.back().end());
  };
  std::vector<const Unit*> checks;
  for (int i = 0; i < count; ++i) {
    if (units[u(i)].count == 0)
      checks.push_back(&units[u(i)]);
    else if (index[u(i)] < 0)
      visit(i);
  }
  if (!checks.empty()) groups.push_back(std::move(checks));
  // planar nodes of loops, each in the block that decides it
  stage_.assign(system_.joints.size(), -2);
  std::vector<bool> needed(u(system_.nodeCount), false);
  for (const auto& loop : system_.loops) {
    if (loop.cluster < 0) continue;
    const auto& closing = system_.joints[u(loop.joint)];
    for (int node : {closing.nodeA, closing.nodeB})
      while (system_.planarNodes[u(node)].cluster == loop.cluster && !needed[u(node)]) {
        needed[u(node)] = true;
        const auto& j = system_.joints[u(system_.upJoint[u(node)])];
        node = j.forward ? j.nodeA : j.nodeB;
      }
  }
  blocks_.resize(groups.size());
  still_.clear();
  for (int t : system_.treeOrder) {
    const auto& j = system_.joints[u(t)];
    const int child = j.forward ? j.nodeB : j.nodeA, parent = j.forward ? j.nodeA : j.nodeB;
    if (!needed[u(child)]) continue;
    int stage = -1;
    for (int k = 0; k < j.dofs; ++k) stage = std::max(stage, blockOfDof_[u(j.firstDof + k)]);
    if (needed[u(parent)] && system_.planarNodes[u(parent)].cluster == system_.planarNodes[u(child)].cluster)
      stage = std::max(stage, stage_[u(system_.upJoint[u(parent)])]);
    stage_[u(t)] = stage;
    if (stage < 0)
      still_.push_back(t);
    else
      blocks_[u(stage)].nodes.push_back(t);
  }
  for (std::size_t i = 0; i < groups.size(); ++i) fillBlock(blocks_[i], groups[i]);
  std::vector<int> movedBy(u(system_.nodeCount), -1);
  for (std::size_t i = 0; i < blocks_.size(); ++i)
    for (int t : blocks_[i].nodes) {
      const auto& j = system_.joints[u(t)];
      movedBy[u(j.forward ? j.nodeB : j.nodeA)] = static_cast<int>(i);
    }
  const auto uses = [&](std::size_t block, int node) {
    const int by = movedBy[u(node)];
    if (by >= 0 && by != static_cast<int>(block)) blocks_[u(by)].usedLater = true;
  };
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    for (int t : blocks_[i].nodes)
      uses(i, system_.joints[u(t)].forward ? system_.joints[u(t)].nodeA : system_.joints[u(t)].nodeB);
    for (const PlanarLoop& l : blocks_[i].planar) {
      uses(i, system_.joints[u(l.joint)].nodeA);
      uses(i, system_.joints[u(l.joint)].nodeB);
    }
  }
  signs_.assign(blocks_.size(), 0);
  marked_.assign(blocks_.size(), 0);
  // reference pivots, and the whole turns between the two sides of each planar loop
  Derivatives d;
  d.q = c.q.data();
  for (auto& state : plane_) state = PlanarState();
  stillNodes(d);
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    Block& b = blocks_[i];
    evaluate(b, d, c);
    for (PlanarLoop& l : b.planar) {
      const auto& j = system_.joints[u(l.joint)];
      const auto& p = system_.planarJoints[u(l.joint)];
      const double turn = p.turnDof < 0 ? 0 : p.sense * c.q[u(p.turnDof)];
      const double miss = plane_[u(j.nodeA)].w[0] + p.angle + turn - plane_[u(j.nodeB)].w[0];
      l.around = 2 * kPi * std::round(miss / (2 * kPi));
    }
    fillMatrix(b, d);
    factor(b, static_cast<int>(i));
    b.pivotAtPick = b.pivot;
  }
}

void Solver::fillBlock(Block& block, const std::vector<const Unit*>& units) {
  std::vector<int> coupled;
  for (const Unit* unit : units)
    if (unit->scalar >= 0)
      for (int dof : system_.scalars[u(unit->scalar)].dofs) coupled.push_back(dof);
  std::vector<int> byAngle;  // closing turns that follow from the other angles
  for (const Unit* unit : units) {
    if (unit->loop < 0 || system_.loops[u(unit->loop)].cluster < 0 || unit->count == 0) continue;
    const int turn = system_.planarJoints[u(system_.loops[u(unit->loop)].joint)].turnDof;
    if (turn < 0 || columnOfDof_[u(turn)] < 0 || unit->rows.front() != 0) continue;
    if (std::find(coupled.begin(), coupled.end(), turn) == coupled.end()) byAngle.push_back(turn);
  }
  for (const Unit* unit : units)
    for (int dof : unit->columns)
      if (std::find(byAngle.begin(), byAngle.end(), dof) == byAngle.end()) {
        columnOfDof_[u(dof)] = static_cast<int>(block.dofs.size());
        block.dofs.push_back(dof);
      }
  const int own = static_cast<int>(&block - blocks_.data());
  const auto columnIn = [&](int dof) {
    if (blockOfDof_[u(dof)] != own || std::find(byAngle.begin(), byAngle.end(), dof) != byAngle.end()) return -1;
    return columnOfDof_[u(dof)];
  };
  int row = 0;
  for (const Unit* unit : units) {
    if (unit->scalar >= 0) {
      block.scalars.emplace_back(unit->scalar, unit->count > 0 ? row++ : -1);
      continue;
    }
    const auto& loop = system_.loops[u(unit->loop)];
    if (loop.cluster < 0) {
      SpaceLoop s;
      s.loop = unit->loop;
      std::fill(std::begin(s.row), std::end(s.row), -1);
      for (int r : unit->rows) s.row[r] = row++;
      for (const auto& m : loop.members) s.columns.push_back(columnIn(m.dof));
      block.space.push_back(std::move(s));
      continue;
    }
    PlanarLoop p;
    p.loop = unit->loop;
    p.joint = loop.joint;
    const int turn = system_.planarJoints[u(loop.joint)].turnDof;
    p.turnsLast = std::find(byAngle.begin(), byAngle.end(), turn) != byAngle.end();
    for (int r : unit->rows) {
      if (r == 0 && p.turnsLast) continue;
      (r == 0 ? p.angleRow : p.row[r - 1]) = row++;
    }
    for (const auto& m : loop.members) {
      const int column = columnIn(m.dof);
      if (column < 0) continue;
      const int joint = system_.dofs[u(m.dof)].joint;
      const auto& pj = system_.planarJoints[u(joint)];
      PlanarEntry e{column, joint, -1, m.sign};
      if (m.dof == pj.turnDof)
        e.sign *= pj.sense;
      else
        e.slide = m.dof == pj.slideDof[0] ? 0 : 1;
      p.entries.push_back(e);
    }
    block.planar.push_back(std::move(p));
  }
  for (const Unit* unit : units)
    if (unit->loop >= 0)
      for (const auto& m : system_.loops[u(unit->loop)].members)
        if (columnIn(m.dof) < 0) block.inputs.push_back(m.dof);
  std::sort(block.inputs.begin(), block.inputs.end());
  block.inputs.erase(std::unique(block.inputs.begin(), block.inputs.end()), block.inputs.end());
  block.n = row;
  block.lu.assign(u(row) * u(row), 0);
  block.rhs.assign(u(row), 0);
  block.perm.assign(u(row), 0);
}

double Solver::leastPivot() const {
  double least = 1e300;
  for (const Block& b : blocks_)
    if (b.n > 0) least = std::min(least, b.pivot);
  return least;
}

double Solver::pivotShare() const {
  double least = 1;
  for (const Block& b : blocks_)
    if (b.n > 0 && b.pivot < least * b.pivotAtPick) least = b.pivot / b.pivotAtPick;
  return least;
}

}  // namespace cooperage::kinematics
