// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/solver.h"

#include <algorithm>
#include <cmath>

namespace cooperage::kinematics {

using model::Motion;

namespace {
std::size_t u(int i) { return static_cast<std::size_t>(i); }
}  // namespace

Solver::Solver(const System& system, const std::vector<int>& driven) : Solver(system, driven, Options()) {}

Solver::Solver(const System& system, const std::vector<int>& driven, Options options)
    : system_(system), options_(options), columns_(system.dofCount()), rowsAll_(system.rowCount()) {
  driven_.assign(u(columns_), false);
  for (int d : driven)
    if (d >= 0) driven_[u(d)] = true;
  home_.assign(system.linear.size(), 0);
  pose_.resize(u(system.nodeCount));
  axis_.resize(u(columns_));
  origin_.resize(u(columns_));
  A_.assign(u(rowsAll_ * columns_), 0);
  residual_.assign(u(rowsAll_), 0);
  loopPoint_.resize(system.loops.size());
  bias_.resize(u(system.nodeCount));
  gamma_.assign(u(rowsAll_), 0);
  step_.assign(u(columns_), 0);
  zero_.assign(u(columns_), 0);
  setHome(system.measured());
}

void Solver::setHome(const Configuration& home) {
  for (std::size_t i = 0; i < system_.linear.size(); ++i) {
    const auto& row = system_.linear[i];
    home_[i] = 0;
    for (std::size_t k = 0; k < row.dofs.size(); ++k) home_[i] += row.coefficients[k] * home.q[u(row.dofs[k])];
  }
}

void Solver::forward(const Configuration& c) {
  pose_[0] = Pose{Mat3::Identity(), Vec3::Zero()};
  // axes of one joint from the axes of its first seat on
  const auto walk = [&](const System::Joint& j, Pose f) {
    for (std::size_t k = 0; k < j.motions.size(); ++k) {
      const int dof = j.firstDof + static_cast<int>(k);
      if (j.motions[k] == Motion::ball) {
        for (int i = 0; i < 3; ++i) {
          axis_[u(dof + i)] = f.R.col(i);
          origin_[u(dof + i)] = f.p;
        }
        f.R = f.R * c.balls[u(j.ball)];
        continue;
      }
      axis_[u(dof)] = f.R.col(axisOf(j.motions[k]));
      origin_[u(dof)] = f.p;
      f = f * elementary(j.motions[k], c.q[u(dof)]);
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
    for (std::size_t k = 0; k < j.motions.size(); ++k)
      J = J * (j.motions[k] == Motion::ball ? Pose{c.balls[u(j.ball)], Vec3::Zero()}
                                            : elementary(j.motions[k], c.q[u(j.firstDof + static_cast<int>(k))]));
    pose_[u(j.nodeA)] = pose_[u(j.nodeB)] * j.atB * J.inverse() * j.atA.inverse();
    walk(j, pose_[u(j.nodeA)] * j.atA);
  }
  for (std::size_t i = 0; i < system_.loops.size(); ++i) {
    const System::Joint& j = system_.joints[u(system_.loops[i].joint)];
    const Pose end = walk(j, pose_[u(j.nodeA)] * j.atA), target = pose_[u(j.nodeB)] * j.atB;
    const Vec3 turn = rotationVector(end.R * target.R.transpose());
    const Vec3 gap = (end.p - target.p) / system_.size;
    for (std::size_t k = 0; k < 3; ++k) {
      residual_[6 * i + k] = turn[static_cast<Eigen::Index>(k)];
      residual_[6 * i + 3 + k] = gap[static_cast<Eigen::Index>(k)];
    }
    loopPoint_[i] = end.p;
  }
  const std::size_t base = 6 * system_.loops.size();
  for (std::size_t i = 0; i < system_.linear.size(); ++i) {
    const auto& row = system_.linear[i];
    double sum = -home_[i], scale = 0;
    for (std::size_t k = 0; k < row.dofs.size(); ++k) {
      sum += row.coefficients[k] * c.q[u(row.dofs[k])];
      scale = std::max(scale, std::abs(row.coefficients[k] * system_.dofs[u(row.dofs[k])].scale));
    }
    residual_[base + i] = sum / scale;
  }
}

Pose Solver::linkPose(int link) const {
  Pose p = pose_[u(system_.nodeOfLink[u(link)])] * system_.linkInNode[u(link)];
  p.p += system_.middle;
  return p;
}

void Solver::assemble(const Configuration&) {
  std::fill(A_.begin(), A_.end(), 0.0);
  for (std::size_t i = 0; i < system_.loops.size(); ++i) {
    const int row = static_cast<int>(6 * i);
    for (const auto& m : system_.loops[i].members) {
      const auto& dof = system_.dofs[u(m.dof)];
      const Vec3 axis = m.sign * axis_[u(m.dof)];
      if (isTurn(dof.motion)) {
        const Vec3 lever = axis.cross(loopPoint_[i] - origin_[u(m.dof)]) / system_.size;
        for (int k = 0; k < 3; ++k) {
          at(row + k, m.dof) = axis[k];
          at(row + 3 + k, m.dof) = lever[k];
        }
      } else {
        for (int k = 0; k < 3; ++k) at(row + 3 + k, m.dof) = axis[k];  // slide in units of size
      }
    }
  }
  const int base = 6 * static_cast<int>(system_.loops.size());
  for (std::size_t i = 0; i < system_.linear.size(); ++i) {
    const auto& row = system_.linear[i];
    double scale = 0;
    for (std::size_t k = 0; k < row.dofs.size(); ++k)
      scale = std::max(scale, std::abs(row.coefficients[k] * system_.dofs[u(row.dofs[k])].scale));
    for (std::size_t k = 0; k < row.dofs.size(); ++k)
      at(base + static_cast<int>(i), row.dofs[k]) += row.coefficients[k] * system_.dofs[u(row.dofs[k])].scale / scale;
  }
}

double Solver::gapLength(int loop) const {
  const std::size_t b = 6 * u(loop) + 3;
  return system_.size * std::sqrt(residual_[b] * residual_[b] + residual_[b + 1] * residual_[b + 1] +
                                  residual_[b + 2] * residual_[b + 2]);
}
double Solver::gapAngle(int loop) const {
  const std::size_t b = 6 * u(loop);
  return std::sqrt(residual_[b] * residual_[b] + residual_[b + 1] * residual_[b + 1] +
                   residual_[b + 2] * residual_[b + 2]);
}

void Solver::pick(const Configuration& c) {
  forward(c);
  assemble(c);
  // Gaussian elimination with complete pivoting: rank, and the best conditioned rows and columns in one sweep
  work_ = A_;
  std::vector<int> rows(u(rowsAll_)), cols;
  for (int i = 0; i < rowsAll_; ++i) rows[u(i)] = i;
  for (int i = 0; i < columns_; ++i)
    if (!driven_[u(i)]) cols.push_back(i);
  const int free = static_cast<int>(cols.size());
  const auto w = [&](int r, int col) -> double& { return work_[u(rows[u(r)] * columns_ + cols[u(col)])]; };
  int rank = 0;
  for (; rank < std::min(rowsAll_, free); ++rank) {
    int pr = rank, pc = rank;
    double best = 0;
    for (int r = rank; r < rowsAll_; ++r)
      for (int k = rank; k < free; ++k)
        if (std::abs(w(r, k)) > best) {
          best = std::abs(w(r, k));
          pr = r;
          pc = k;
        }
    if (best < options_.rankTolerance) break;
    std::swap(rows[u(rank)], rows[u(pr)]);
    std::swap(cols[u(rank)], cols[u(pc)]);
    for (int r = rank + 1; r < rowsAll_; ++r) {
      const double f = w(r, rank) / w(rank, rank);
      if (f == 0) continue;
      for (int k = rank; k < free; ++k) w(r, k) -= f * w(rank, k);
    }
  }
  rows_.assign(rows.begin(), rows.begin() + rank);
  cols_.assign(cols.begin(), cols.begin() + rank);
  left_.assign(cols.begin() + rank, cols.end());
  std::sort(left_.begin(), left_.end());
  lu_.assign(u(rank * rank), 0);
  rhs_.assign(u(rank), 0);
  perm_.assign(u(rank), 0);
}

bool Solver::factor() {
  const int n = rank();
  for (int r = 0; r < n; ++r)
    for (int k = 0; k < n; ++k) lu_[u(r * n + k)] = at(rows_[u(r)], cols_[u(k)]);
  sign_ = 1;
  smallestPivot_ = n == 0 ? 1 : 1e300;
  for (int k = 0; k < n; ++k) {
    int p = k;
    for (int r = k + 1; r < n; ++r)
      if (std::abs(lu_[u(r * n + k)]) > std::abs(lu_[u(p * n + k)])) p = r;
    perm_[u(k)] = p;
    if (p != k) {
      for (int i = 0; i < n; ++i) std::swap(lu_[u(p * n + i)], lu_[u(k * n + i)]);
      sign_ = -sign_;
    }
    const double pivot = lu_[u(k * n + k)];
    smallestPivot_ = std::min(smallestPivot_, std::abs(pivot));
    if (!(std::abs(pivot) > 1e-14)) {
      sign_ = 0;
      return false;
    }
    if (pivot < 0) sign_ = -sign_;
    for (int r = k + 1; r < n; ++r) {
      const double f = lu_[u(r * n + k)] /= pivot;
      if (f == 0) continue;
      for (int i = k + 1; i < n; ++i) lu_[u(r * n + i)] -= f * lu_[u(k * n + i)];
    }
  }
  return true;
}

void Solver::solve(std::vector<double>& b) const {
  const int n = rank();
  for (int k = 0; k < n; ++k) {  // rows were swapped whole, factors too: permute first, then substitute
    std::swap(b[u(k)], b[u(perm_[u(k)])]);
  }
  for (int k = 0; k < n; ++k)
    for (int r = k + 1; r < n; ++r) b[u(r)] -= lu_[u(r * n + k)] * b[u(k)];
  for (int k = n - 1; k >= 0; --k) {
    for (int i = k + 1; i < n; ++i) b[u(k)] -= lu_[u(k * n + i)] * b[u(i)];
    b[u(k)] /= lu_[u(k * n + k)];
  }
}

void Solver::add(Configuration& c, const std::vector<double>& step, double factor) const {
  for (int i = 0; i < columns_; ++i) {
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

std::pair<double, int> Solver::worst() const {
  double worst = 0;
  int row = -1;
  for (std::size_t i = 0; i < residual_.size(); ++i)
    if (!(std::abs(residual_[i]) <= worst)) {
      worst = std::abs(residual_[i]);
      row = static_cast<int>(i);
    }
  return {worst, row};
}

Solver::Outcome Solver::close(Configuration& c) {
  Outcome out;
  const int n = rank();
  double previous = 1e300;
  for (int iteration = 0;; ++iteration) {
    forward(c);
    double size = 0;
    for (int r = 0; r < n; ++r) size = std::max(size, std::abs(residual_[u(rows_[u(r)])]));
    if (!std::isfinite(size)) break;
    const bool done = size <= options_.tolerance || (size <= 1e-11 && size > 0.25 * previous);  // at rounding
    if (done || iteration >= options_.iterations) {
      const auto [residual, row] = worst();
      out.residual = residual;
      out.worstLoop = row < 0 || row >= 6 * static_cast<int>(system_.loops.size()) ? -1 : row / 6;
      out.closed = size <= options_.accept && residual <= options_.misfit;
      assemble(c);
      if (!factor()) out.closed = out.closed && n == 0;
      return out;
    }
    previous = size;
    assemble(c);
    if (!factor()) break;
    for (int r = 0; r < n; ++r) rhs_[u(r)] = -residual_[u(rows_[u(r)])];
    solve(rhs_);
    double largest = 0;
    std::fill(step_.begin(), step_.end(), 0.0);
    for (int k = 0; k < n; ++k) {
      step_[u(cols_[u(k)])] = rhs_[u(k)];
      largest = std::max(largest, std::abs(rhs_[u(k)]));
    }
    if (!std::isfinite(largest) || largest > 3) break;  // further than half a turn: no way back to this branch
    out.correction = std::max(out.correction, largest);
    add(c, step_, 1);
  }
  const auto [residual, row] = worst();
  out.residual = residual;
  out.worstLoop = row < 0 || row >= 6 * static_cast<int>(system_.loops.size()) ? -1 : row / 6;
  out.closed = false;
  return out;
}

void Solver::motion(const std::vector<double>& qd, const std::vector<double>& qdd, std::vector<NodeMotion>& out) const {
  out.resize(u(system_.nodeCount));
  out[0] = NodeMotion();
  const auto moved = [](const NodeMotion& m, const Vec3& from, const Vec3& to) {  // same body, other point
    const Vec3 d = to - from;
    NodeMotion r = m;
    r.v = m.v + m.w.cross(d);
    r.a = m.a + m.alpha.cross(d) + m.w.cross(m.w.cross(d));
    return r;
  };
  for (int t : system_.treeOrder) {
    const System::Joint& j = system_.joints[u(t)];
    const int parent = j.forward ? j.nodeA : j.nodeB, child = j.forward ? j.nodeB : j.nodeA;
    // motion of the frame before each elementary motion, taken at that motion's origin
    NodeMotion m = out[u(parent)];
    Vec3 at = pose_[u(parent)].p;
    const double sign = j.forward ? 1 : -1;
    const int count = static_cast<int>(j.motions.size());
    for (int i = 0; i < count; ++i) {
      const int k = j.forward ? i : count - 1 - i;
      const int dof = j.firstDof + k;
      const Motion kind = j.motions[u(k)];
      m = moved(m, at, origin_[u(dof)]);
      at = origin_[u(dof)];
      if (kind == Motion::ball) {
        Vec3 w = Vec3::Zero(), wd = Vec3::Zero();
        for (int e = 0; e < 3; ++e) {
          w += qd[u(dof + e)] * axis_[u(dof + e)];
          wd += qdd[u(dof + e)] * axis_[u(dof + e)];
        }
        // w, wd are of B against A in the axes of A: d/dt of (w in A) = wd + wA x w
        if (j.forward) {
          m.alpha += wd + m.w.cross(w);
          m.w += w;
        } else {
          const Vec3 wA = m.w - w;
          m.alpha -= wd + wA.cross(w);
          m.w = wA;
        }
      } else if (isTurn(kind)) {
        const Vec3& z = axis_[u(dof)];
        const Vec3 w = sign * qd[u(dof)] * z;
        m.alpha += sign * qdd[u(dof)] * z + m.w.cross(w);  // z is fixed in the frame before and in the one after
        m.w += w;
      } else {
        const Vec3& z = axis_[u(dof)];
        // the point of the next frame that is at the origin now slides along z, which turns with m.w
        m.v += sign * qd[u(dof)] * z;
        m.a += sign * qdd[u(dof)] * z + 2 * sign * qd[u(dof)] * m.w.cross(z);
      }
    }
    out[u(child)] = moved(m, at, pose_[u(child)].p);
  }
}

void Solver::biases(const std::vector<double>& qd) {
  motion(qd, zero_, bias_);
  for (std::size_t i = 0; i < system_.loops.size(); ++i) {
    const System::Joint& j = system_.joints[u(system_.loops[i].joint)];
    NodeMotion m = bias_[u(j.nodeA)];
    Vec3 at = pose_[u(j.nodeA)].p;
    const auto shift = [&](const Vec3& to) {
      const Vec3 d = to - at;
      m.a += m.alpha.cross(d) + m.w.cross(m.w.cross(d));
      at = to;
    };
    for (std::size_t k = 0; k < j.motions.size(); ++k) {
      const int dof = j.firstDof + static_cast<int>(k);
      shift(origin_[u(dof)]);
      if (j.motions[k] == Motion::ball) {
        Vec3 w = Vec3::Zero();
        for (int e = 0; e < 3; ++e) w += qd[u(dof + e)] * axis_[u(dof + e)];
        m.alpha += m.w.cross(w);
        m.w += w;
      } else if (isTurn(j.motions[k])) {
        const Vec3 w = qd[u(dof)] * axis_[u(dof)];
        m.alpha += m.w.cross(w);
        m.w += w;
      } else {
        m.a += 2 * qd[u(dof)] * m.w.cross(axis_[u(dof)]);
      }
    }
    shift(loopPoint_[i]);
    const NodeMotion& b = bias_[u(j.nodeB)];
    const Vec3 d = loopPoint_[i] - pose_[u(j.nodeB)].p;
    const Vec3 alpha = m.alpha - b.alpha;
    const Vec3 a = (m.a - b.a - b.alpha.cross(d) - b.w.cross(b.w.cross(d))) / system_.size;
    for (std::size_t k = 0; k < 3; ++k) {
      gamma_[6 * i + k] = alpha[static_cast<Eigen::Index>(k)];
      gamma_[6 * i + 3 + k] = a[static_cast<Eigen::Index>(k)];
    }
  }
}

bool Solver::rates(const Configuration& c, std::vector<double>& qd, std::vector<double>& qdd) {
  forward(c);
  assemble(c);
  if (!factor()) return false;
  const int n = rank();
  const auto clear = [&](std::vector<double>& v) {
    for (int k : cols_) v[u(k)] = 0;
    for (int k : left_) v[u(k)] = 0;
  };
  const auto finish = [&](std::vector<double>& v, const std::vector<double>* bias) {
    clear(v);
    for (int r = 0; r < n; ++r) {
      double sum = bias ? (*bias)[u(rows_[u(r)])] : 0;
      for (int k = 0; k < columns_; ++k)
        if (driven_[u(k)]) sum += at(rows_[u(r)], k) * v[u(k)] / system_.dofs[u(k)].scale;
      rhs_[u(r)] = -sum;
    }
    solve(rhs_);
    for (int k = 0; k < n; ++k) v[u(cols_[u(k)])] = rhs_[u(k)] * system_.dofs[u(cols_[u(k)])].scale;
  };
  finish(qd, nullptr);
  biases(qd);
  finish(qdd, &gamma_);
  return true;
}

}  // namespace cooperage::kinematics
