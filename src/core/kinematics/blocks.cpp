// SPDX-License-Identifier: GPL-3.0-or-later
// Solver: one block after the other, in the plane where it can be.
#include <algorithm>
#include <cmath>

#include "kinematics/solver.h"

namespace cooperage::kinematics {

using model::Motion;

// ---- in the plane

inline Solver::Vec2 Solver::turned(const PlanarState& s, const Vec2& v, int order) {
  // derivatives of a vector that turns with a node; perp(v) = (-y, x)
  switch (order) {
    case 1: return {-s.w[1] * v.y, s.w[1] * v.x};
    case 2: {
      const double square = s.w[1] * s.w[1];
      return {-s.w[2] * v.y - square * v.x, s.w[2] * v.x - square * v.y};
    }
    case 3: {
      const double across = s.w[3] - s.w[1] * s.w[1] * s.w[1], along = 3 * s.w[1] * s.w[2];
      return {-across * v.y - along * v.x, across * v.x - along * v.y};
    }
    default: return v;
  }
}

/// Derivative of the shift from A's origin to the joint's place, which may slide.
inline Solver::Vec2 Solver::shiftRate(int joint, const Derivatives& d, int order) const {
  const PlanarStep& p = steps_[u(joint)];
  const PlanarState& a = plane_[u(p.a)];
  const PlanarVectors& v = vectors_[u(joint)];
  Vec2 out = turned(a, v.shift, order);
  static constexpr double kBinomial[4][4] = {{1, 0, 0, 0}, {1, 1, 0, 0}, {1, 2, 1, 0}, {1, 3, 3, 1}};
  for (int k = 0; k < p.slides; ++k)
    for (int m = 1; m <= order; ++m) {
      const double rate = kBinomial[order][m] * d.d[m][p.slide[k]] / system_.size;
      const Vec2 axis = turned(a, v.direction[k], order - m);
      out.x += rate * axis.x;
      out.y += rate * axis.y;
    }
  return out;
}

/// The joint's shift, turned with A; slides included.
inline void Solver::turnVectors(int joint, const Derivatives& d) {
  const PlanarStep& p = steps_[u(joint)];
  const PlanarState& a = plane_[u(p.a)];
  PlanarVectors& v = vectors_[u(joint)];
  v.shift = rotated(a, p.at.x, p.at.y);
  for (int k = 0; k < p.slides; ++k) {
    v.direction[k] = rotated(a, p.direction[k].x, p.direction[k].y);
    const double q = d.q[p.slide[k]] / system_.size;
    v.shift.x += q * v.direction[k].x;
    v.shift.y += q * v.direction[k].y;
  }
}

/// Angle and position of the node that a tree joint leads to.
/// @param again within one pose: a small change of the angle turns the sine and cosine that are there already
inline void Solver::moveNode(int joint, const Derivatives& d, bool again) {
  const PlanarStep& p = steps_[u(joint)];
  const PlanarState& from = plane_[u(p.from)];
  PlanarState& to = plane_[u(p.to)];
  PlanarVectors& v = vectors_[u(joint)];
  if (p.turn < 0) {
    to.w[0] = from.w[0];
    to.c = from.c;
    to.s = from.s;
  } else {
    const double angle = from.w[0] + p.sign * p.sense * d.q[p.turn], change = angle - to.w[0];
    to.w[0] = angle;
    if (again && std::abs(change) < 5e-6) {  // the third order is below rounding
      const double c = to.c, half = 0.5 * change * change;
      to.c -= change * to.s + half * to.c;
      to.s += change * c - half * to.s;
    } else {
      to.c = std::cos(angle);
      to.s = std::sin(angle);
    }
  }
  turnVectors(joint, d);
  v.back = rotated(plane_[u(p.b)], p.back.x, p.back.y);
  to.p[0] = {from.p[0].x + p.sign * (v.shift.x - v.back.x), from.p[0].y + p.sign * (v.shift.y - v.back.y)};
}

inline void Solver::moveNode(int joint, const Derivatives& d, int order) {
  const PlanarStep& p = steps_[u(joint)];
  const PlanarState& from = plane_[u(p.from)];
  PlanarState& to = plane_[u(p.to)];
  to.w[order] = from.w[order] + (p.turn < 0 ? 0 : p.sign * p.sense * d.d[order][p.turn]);
  const Vec2 shift = shiftRate(joint, d, order);
  const Vec2 back = turned(plane_[u(p.b)], vectors_[u(joint)].back, order);
  to.p[order] = {from.p[order].x + p.sign * (shift.x - back.x), from.p[order].y + p.sign * (shift.y - back.y)};
}

void Solver::stillNodes(const Derivatives& d) {
  for (int t : still_) moveNode(t, d, false);
  for (int order = 1; order < 4; ++order)
    if (d.d[order])
      for (int t : still_) moveNode(t, d, order);
}

// ---- in space

/// Closure of a loop and its columns, both in the axes of the closing joint's first seat, seen from the last node that
/// both sides share.
void Solver::loopChain(const System::Loop& loop, const Derivatives& d, const Configuration& c,
                       std::vector<Column>& columns, Column& residual) {
  std::size_t member = 0;
  const auto elements = [&](const System::Joint& j, Pose f, bool record) {
    int dof = j.firstDof;
    for (const Element& e : j.elements) {
      const int count = dofsOf(e.motion);
      if (record) {
        Twist t[3];
        twistsOf(e, d.q + dof, t);
        for (int i = 0; i < count; ++i) {
          const Vec3 w = f.R * t[i].w;
          columns[member].head<3>() = w;
          columns[member++].tail<3>() = f.R * t[i].v - w.cross(f * t[i].at);
        }
      }
      f = f * elementary(e, d.q + dof, e.motion == Motion::ball ? c.balls[u(j.ball)] : Mat3());
      dof += count;
    }
    return f;
  };
  const auto walk = [&](const std::vector<int>& path) {
    Pose f;
    for (int t : path) {
      const System::Joint& j = system_.joints[u(t)];
      if (j.forward) {
        f = elements(j, f * j.atA, true) * j.atB.inverse();
      } else {
        f = f * j.atB * elements(j, Pose(), false).inverse();
        elements(j, f, true);
        f = f * j.atA.inverse();
      }
    }
    return f;
  };
  const System::Joint& closing = system_.joints[u(loop.joint)];
  const Pose F = walk(loop.pathA) * closing.atA;
  const Pose T = walk(loop.pathB) * closing.atB;
  const std::size_t own = member;
  const Pose J = elements(closing, Pose(), true);
  const Pose G = F.inverse() * T;
  residual.head<3>() = rotationVector(J.R * G.R.transpose());
  residual.tail<3>() = (J.p - G.p) / system_.size;
  for (std::size_t k = 0; k < member; ++k) {
    const double scale = loop.members[k].sign * system_.dofs[u(loop.members[k].dof)].scale;
    const Vec3 w = columns[k].head<3>(), v = columns[k].tail<3>();
    const Vec3 shift = v + w.cross(k < own ? T.p : J.p);
    columns[k].head<3>() = scale * (k < own ? Vec3(F.R.transpose() * w) : w);
    columns[k].tail<3>() = (scale / system_.size) * (k < own ? Vec3(F.R.transpose() * shift) : shift);
  }
}

/// Derivative of a closure with what is known of the dofs' derivatives.
void Solver::loopBias(const System::Loop& loop, const Derivatives& d, const Configuration& c, int order,
                      Column& out) const {
  const auto walk = [&](const std::vector<int>& path) {
    PoseJet f;
    for (int t : path) {
      const System::Joint& j = system_.joints[u(t)];
      const PoseJet J = jointJet(j, d, c, order);
      f = j.forward ? f * j.atA * J * j.atB.inverse() : f * j.atB * inverse(J) * j.atA.inverse();
    }
    return f;
  };
  const System::Joint& closing = system_.joints[u(loop.joint)];
  const PoseJet F = walk(loop.pathA) * closing.atA;
  const PoseJet G = inverse(F) * (walk(loop.pathB) * closing.atB);
  const PoseJet J = jointJet(closing, d, c, order);
  const PoseJet both = J * inverse(G);
  out.head<3>() = axialOf(both.R[u(order)]);
  out.tail<3>() = (J.p[u(order)] - G.p[u(order)]) / system_.size;
}

// ---- blocks

/// Residuals of a block into its right-hand side. @return the worst that is solved
double Solver::evaluate(Block& block, const Derivatives& d, const Configuration& c, bool again) {
  for (int t : block.nodes) moveNode(t, d, again);
  double worst = 0;
  block.dropped = block.droppedSize = block.turns = 0;
  block.worstLoop = -1;
  double worstOfLoop = -1;
  const auto put = [&](int row, double value, double fit, int loop) {
    const double size = std::abs(value);
    if (row >= 0) {
      block.rhs[u(row)] = value;
      if (!(size <= worst)) worst = size;
    } else {
      if (!(size <= block.droppedSize)) block.droppedSize = size;
      if (!(size <= block.dropped * fit)) block.dropped = size / fit;
    }
    if (!(size <= worstOfLoop)) {
      worstOfLoop = size;
      block.worstLoop = loop;
    }
  };
  for (PlanarLoop& l : block.planar) {
    const PlanarStep& p = steps_[u(l.joint)];
    const PlanarState& a = plane_[u(p.a)];
    const PlanarState& b = plane_[u(p.b)];
    PlanarVectors& v = vectors_[u(l.joint)];
    block.turns = std::max({block.turns, std::abs(a.w[0]), std::abs(b.w[0])});
    turnVectors(l.joint, d);
    v.back = rotated(b, p.back.x, p.back.y);
    if (!l.turnsLast) {
      const double turn = p.turn < 0 ? 0 : p.sense * d.q[p.turn];
      put(l.angleRow, a.w[0] + p.angle + turn - b.w[0] - l.around, options_.fitAngle, l.loop);
    }
    put(l.row[0], a.p[0].x + v.shift.x - v.back.x - b.p[0].x, options_.fitLength, l.loop);
    put(l.row[1], a.p[0].y + v.shift.y - v.back.y - b.p[0].y, options_.fitLength, l.loop);
  }
  for (SpaceLoop& l : block.space) {
    Column residual;
    for (const auto& m : system_.loops[u(l.loop)].members)
      if (system_.dofs[u(m.dof)].ball < 0) block.turns = std::max(block.turns, std::abs(d.q[m.dof]));
    loopChain(system_.loops[u(l.loop)], d, c, chain_[u(l.loop)], residual);
    for (int r = 0; r < 6; ++r) put(l.row[r], residual[r], r < 3 ? options_.fitAngle : options_.fitLength, l.loop);
  }
  for (const auto& [scalar, row] : block.scalars) put(row, scalarResidual(scalar, d.q), options_.fitLength, -1);
  return worst;
}

/// The matrix at the place where the block was evaluated last.
void Solver::fillMatrix(Block& block, const Derivatives& d) {
  const int n = block.n;
  if (n == 0) return;
  std::fill(block.lu.begin(), block.lu.end(), 0.0);
  double* m = block.lu.data();
  for (const PlanarLoop& l : block.planar) {
    const PlanarState& a = plane_[u(steps_[u(l.joint)].a)];
    const Vec2 end{a.p[0].x + vectors_[u(l.joint)].shift.x, a.p[0].y + vectors_[u(l.joint)].shift.y};
    for (const PlanarEntry& e : l.entries) {
      double x, y, angle = 0;
      if (e.slide < 0) {
        const PlanarState& s = plane_[u(steps_[u(e.joint)].a)];
        const Vec2& shift = vectors_[u(e.joint)].shift;
        x = -e.sign * (end.y - s.p[0].y - shift.y);
        y = e.sign * (end.x - s.p[0].x - shift.x);
        angle = e.sign;
      } else {
        x = e.sign * vectors_[u(e.joint)].direction[e.slide].x;
        y = e.sign * vectors_[u(e.joint)].direction[e.slide].y;
      }
      if (l.row[0] >= 0) m[l.row[0] * n + e.column] = x;
      if (l.row[1] >= 0) m[l.row[1] * n + e.column] = y;
      if (l.angleRow >= 0) m[l.angleRow * n + e.column] = angle;
    }
  }
  for (const SpaceLoop& l : block.space) {
    const auto& columns = chain_[u(l.loop)];
    for (std::size_t k = 0; k < l.columns.size(); ++k) {
      if (l.columns[k] < 0) continue;
      for (int r = 0; r < 6; ++r)
        if (l.row[r] >= 0) m[l.row[r] * n + l.columns[k]] += columns[k][r];
    }
  }
  const int own = static_cast<int>(&block - blocks_.data());
  for (const auto& [scalar, row] : block.scalars) {
    if (row < 0) continue;
    auto& gradient = gradient_[u(scalar)];
    scalarGradientAt(scalar, d.q, gradient.data());
    const auto& dofs = system_.scalars[u(scalar)].dofs;
    for (std::size_t k = 0; k < dofs.size(); ++k)
      if (blockOfDof_[u(dofs[k])] == own) m[row * n + columnOfDof_[u(dofs[k])]] += gradient[k];
  }
}

bool Solver::factor(Block& block, int index) {
  const int n = block.n;
  double* m = block.lu.data();
  signed char sign = 1;
  double least = n == 0 ? 1 : 1e300;
  if (n != static_cast<int>(block.dofs.size())) {
    signs_[u(index)] = 0;
    return false;
  }
  if (n == 2) {  // most planar blocks: the inverse itself
    const double det = m[0] * m[3] - m[1] * m[2];
    const double largest = std::max({std::abs(m[0]), std::abs(m[1]), std::abs(m[2]), std::abs(m[3])});
    block.pivot = std::abs(det) / largest;  // as elimination with complete pivoting leaves it
    if (!(block.pivot > 1e-14)) {
      signs_[u(index)] = 0;
      block.pivot = 0;
      return false;
    }
    signs_[u(index)] = det > 0 ? 1 : -1;
    const double inverse = 1 / det, a = m[0];
    m[0] = m[3] * inverse;
    m[3] = a * inverse;
    m[1] *= -inverse;
    m[2] *= -inverse;
    return true;
  }
  for (int k = 0; k < n; ++k) {
    int p = k;
    for (int r = k + 1; r < n; ++r)
      if (std::abs(m[r * n + k]) > std::abs(m[p * n + k])) p = r;
    block.perm[u(k)] = p;
    if (p != k) {
      for (int i = 0; i < n; ++i) std::swap(m[p * n + i], m[k * n + i]);
      sign = static_cast<signed char>(-sign);
    }
    const double pivot = m[k * n + k];
    least = std::min(least, std::abs(pivot));
    if (!(std::abs(pivot) > 1e-14)) {
      signs_[u(index)] = 0;
      block.pivot = 0;
      return false;
    }
    if (pivot < 0) sign = static_cast<signed char>(-sign);
    const double inverse = 1 / pivot;
    for (int r = k + 1; r < n; ++r) {
      const double f = m[r * n + k] *= inverse;
      if (f == 0) continue;
      for (int i = k + 1; i < n; ++i) m[r * n + i] -= f * m[k * n + i];
    }
  }
  block.pivot = least;
  signs_[u(index)] = sign;
  return true;
}

/// Solves for the negative of the right-hand side, in place.
void Solver::substitute(Block& block) const {
  const int n = block.n;
  const double* m = block.lu.data();
  double* b = block.rhs.data();
  if (n == 2) {
    const double x = b[0], y = b[1];
    b[0] = -(m[0] * x + m[1] * y);
    b[1] = -(m[2] * x + m[3] * y);
    return;
  }
  for (int k = 0; k < n; ++k) b[k] = -b[k];
  for (int k = 0; k < n; ++k)  // rows were swapped whole, factors too: permute first, then substitute
    if (block.perm[u(k)] != k) std::swap(b[k], b[block.perm[u(k)]]);
  for (int k = 0; k < n; ++k)
    for (int r = k + 1; r < n; ++r) b[r] -= m[r * n + k] * b[k];
  for (int k = n - 1; k >= 0; --k) {
    for (int i = k + 1; i < n; ++i) b[k] -= m[k * n + i] * b[i];
    b[k] /= m[k * n + k];
  }
}

/// What the closures' derivatives are where the unknowns' own derivatives of this order are zero.
void Solver::bias(Block& block, const Derivatives& d, const Configuration& c, int order) {
  for (const PlanarLoop& l : block.planar) {
    const PlanarStep& p = steps_[u(l.joint)];
    const PlanarState& a = plane_[u(p.a)];
    const PlanarState& b = plane_[u(p.b)];
    if (l.angleRow >= 0)
      block.rhs[u(l.angleRow)] = a.w[order] + (p.turn < 0 ? 0 : p.sense * d.d[order][p.turn]) - b.w[order];
    const Vec2 shift = shiftRate(l.joint, d, order), back = turned(b, vectors_[u(l.joint)].back, order);
    if (l.row[0] >= 0) block.rhs[u(l.row[0])] = a.p[order].x + shift.x - back.x - b.p[order].x;
    if (l.row[1] >= 0) block.rhs[u(l.row[1])] = a.p[order].y + shift.y - back.y - b.p[order].y;
  }
  for (const SpaceLoop& l : block.space) {
    const System::Loop& loop = system_.loops[u(l.loop)];
    Column value = Column::Zero();
    if (order == 1) {
      for (std::size_t k = 0; k < loop.members.size(); ++k) {
        const int dof = loop.members[k].dof;
        if (l.columns[k] < 0) value += (d.d[1][dof] / system_.dofs[u(dof)].scale) * chain_[u(l.loop)][k];
      }
    } else {
      loopBias(loop, d, c, order, value);
    }
    for (int r = 0; r < 6; ++r)
      if (l.row[r] >= 0) block.rhs[u(l.row[r])] = value[r];
  }
  for (const auto& [scalar, row] : block.scalars)
    if (row >= 0) block.rhs[u(row)] = scalarBias(scalar, d, order);
}

/// Rates, accelerations and jerks (as far as they are wanted) of a block that is closed.
void Solver::deriveBlock(Block& block, const Derivatives& d, const Configuration& c) {
  for (int order = 1; order < 4 && d.d[order]; ++order) {
    double* value = d.d[order];
    for (int dof : block.dofs) value[dof] = 0;
    for (int t : block.nodes) moveNode(t, d, order);
    bias(block, d, c, order);
    substitute(block);
    for (int k = 0; k < block.n; ++k) {
      const int dof = block.dofs[u(k)];
      value[dof] = block.rhs[u(k)] * scale_[u(dof)];
    }
    if (block.usedLater) {
      for (int t : block.nodes) moveNode(t, d, order);
    } else {  // what follows here needs the angles only
      for (int t : block.nodes) {
        const PlanarStep& p = steps_[u(t)];
        plane_[u(p.to)].w[order] = plane_[u(p.from)].w[order] + (p.turn < 0 ? 0 : p.sign * p.sense * value[p.turn]);
      }
    }
    for (const PlanarLoop& l : block.planar) {
      if (!l.turnsLast) continue;
      const PlanarStep& p = steps_[u(l.joint)];
      value[p.turn] = p.sense * (plane_[u(p.b)].w[order] - plane_[u(p.a)].w[order]);
    }
  }
}

/// Adds what was solved for to the values of a block.
void Solver::correct(const Block& block, Configuration& c) const {
  for (int k = 0; k < block.n; ++k) {
    const int dof = block.dofs[u(k)];
    const int ball = system_.dofs[u(dof)].ball;
    if (ball < 0) {
      c.q[u(dof)] += block.rhs[u(k)] * scale_[u(dof)];
      continue;
    }
    // a ball's columns may lie in any order, and some may be held: each turns in the axes of the first seat
    const System::Joint& j = system_.joints[u(system_.dofs[u(dof)].joint)];
    const Vec3 turn = block.rhs[u(k)] * Vec3::Unit(dof - j.firstDof - j.ballAt);
    Mat3& R = c.balls[u(ball)];
    R = Quat(rotationOf(turn) * R).normalized().toRotationMatrix();
  }
}

/// Turns of closing joints that follow from the angles of their nodes.
void Solver::turnLast(const Block& block, Configuration& c) const {
  for (const PlanarLoop& l : block.planar) {
    if (!l.turnsLast) continue;
    const PlanarStep& p = steps_[u(l.joint)];
    c.q[u(p.turn)] = p.sense * (plane_[u(p.b)].w[0] - plane_[u(p.a)].w[0] - p.angle + l.around);
  }
}

/// The matrix at the solution. Near a singular pose a residual within the tolerance leaves values that are far from
/// rounding: there it is brought down as far as it goes.
bool Solver::refine(Block& block, int index, Configuration& c, const Derivatives& d) {
  constexpr double kPivot = 0.05, kMost = 1e-7;
  fillMatrix(block, d);
  if (!factor(block, index)) return false;
  if (block.n == 0 || block.pivot > kPivot) return true;
  substitute(block);
  double largest = 0;
  for (int k = 0; k < block.n; ++k) largest = std::max(largest, std::abs(block.rhs[u(k)]));
  if (!(largest > 1e-15 && largest < kMost)) return true;
  correct(block, c);
  evaluate(block, d, c, true);
  turnLast(block, c);
  fillMatrix(block, d);
  return factor(block, index);
}

bool Solver::newtonBlock(int index, Configuration& c, const Derivatives& d, const Configuration* from, Outcome& out) {
  Block& block = blocks_[u(index)];
  double previous = 1e300, correction = 0, moved = 0;
  if (from) {
    const auto way = [&](int dof) {
      const int ball = system_.dofs[u(dof)].ball;
      return ball < 0 ? std::abs(c.q[u(dof)] - from->q[u(dof)]) / scale_[u(dof)]
                      : (c.balls[u(ball)] - from->balls[u(ball)]).norm();
    };
    for (int dof : block.dofs) moved = std::max(moved, way(dof));
    double most = moved;  // a loop's step is no more than a radian, or its size, whatever goes into it
    for (int dof : block.inputs) most = std::max(most, way(dof));
    if (!(most <= 1) && (!block.planar.empty() || !block.space.empty())) return false;
  }
  for (int iteration = 0;; ++iteration) {
    const double size = evaluate(block, d, c, iteration > 0);
    if (!std::isfinite(size)) return false;
    const bool done =
        size <= options_.tolerance + 1e-15 * block.turns || (size <= 1e-11 && size > 0.25 * previous);  // at rounding
    if (done || iteration >= options_.iterations) {
      out.residual = std::max({out.residual, size, block.droppedSize});
      if (size > options_.accept || !(block.dropped <= 1)) {
        out.worstLoop = block.worstLoop;
        return false;
      }
      break;
    }
    previous = size;
    fillMatrix(block, d);
    if (!factor(block, index)) return false;
    substitute(block);
    double largest = 0;
    for (int k = 0; k < block.n; ++k) largest = std::max(largest, std::abs(block.rhs[u(k)]));
    // further than half a turn: no way back to this branch; of linear rows there is no other
    if (!(largest <= 3) && (!block.planar.empty() || !block.space.empty())) return false;
    if (!std::isfinite(largest)) return false;
    correction = std::max(correction, largest);
    correct(block, c);
  }
  turnLast(block, c);
  out.correction = std::max(out.correction, correction);
  out.ratio = std::max(out.ratio, correction / (0.1 * moved + 1e-7));
  return true;
}

void Solver::clearFree(const Derivatives& d) const {
  for (int order = 1; order < 4; ++order)
    if (d.d[order])
      for (int dof : left_) d.d[order][dof] = 0;
}

Solver::Outcome Solver::close(Configuration& c, const Configuration* from) {
  Outcome out;
  Derivatives d;
  d.q = c.q.data();
  stillNodes(d);
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    if (!newtonBlock(static_cast<int>(i), c, d, from, out)) return out;
    if (!refine(blocks_[i], static_cast<int>(i), c, d) && blocks_[i].n > 0) return out;
  }
  out.closed = true;
  return out;
}

Solver::Outcome Solver::step(Configuration& c, std::vector<double>& qd, std::vector<double>& qdd,
                             const Configuration* from) {
  Outcome out;
  Derivatives d;
  d.q = c.q.data();
  d.d[1] = qd.data();
  d.d[2] = qdd.data();
  clearFree(d);
  stillNodes(d);
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    Block& block = blocks_[i];
    if (!newtonBlock(static_cast<int>(i), c, d, from, out)) return out;
    if (block.n == 0 && block.planar.empty()) continue;
    if (!refine(block, static_cast<int>(i), c, d)) return out;
    deriveBlock(block, d, c);
  }
  out.closed = true;
  return out;
}

bool Solver::rates(const Configuration& c, std::vector<double>& qd, std::vector<double>& qdd,
                   std::vector<double>* qddd) {
  Derivatives d;
  d.q = c.q.data();
  d.d[1] = qd.data();
  d.d[2] = qdd.data();
  d.d[3] = qddd ? qddd->data() : nullptr;
  clearFree(d);
  stillNodes(d);
  for (std::size_t i = 0; i < blocks_.size(); ++i) {
    Block& block = blocks_[i];
    evaluate(block, d, c);
    fillMatrix(block, d);
    if (!factor(block, static_cast<int>(i))) return false;
    deriveBlock(block, d, c);
  }
  return true;
}

}  // namespace cooperage::kinematics
