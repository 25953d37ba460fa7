// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/enclosure.h"

#include <fmt/format.h>

#include <Eigen/Cholesky>
#include <algorithm>
#include <deque>
#include <map>

#include "base/index.h"

namespace cooperage::kinematics {
namespace {

constexpr int kMostUnknowns = 150;    // one factorisation an interval
constexpr double kRounding = 1e-14;   // of the coordinates: what products of placements lose
constexpr double kContraction = 0.9;  // below 1: one solution in the box

bool isSlide(model::Motion m) {
  return m == model::Motion::slideX || m == model::Motion::slideY || m == model::Motion::slideZ;
}
std::vector<int> drivenOf(TravelRun& run) {
  std::vector<int> out;
  for (std::size_t d = 0; d < run.solver().isDriven().size(); ++d)
    if (run.solver().isDriven()[d]) out.push_back(static_cast<int>(d));
  return out;
}
bool isSimpleTurn(model::Motion m) { return isTurn(m) && m != model::Motion::ball; }

using Relation = std::map<int, double>;  // dof -> coefficient; their sum stays as it is
/// What the linear couplings together say of some values alone: rows are combined so that all others drop out. (Two
/// planets are tied by the sun.)
std::vector<Relation> relationsOf(const System& s, const std::vector<int>& dofs) {
  // only rows that hang together with these values
  std::vector<Relation> rows;
  std::vector<char> taken(s.scalars.size(), 0), reached(u(s.dofCount()), 0);
  std::vector<int> queue = dofs;
  for (const int d : dofs) reached[u(d)] = 1;
  while (!queue.empty()) {
    const int dof = queue.back();
    queue.pop_back();
    for (std::size_t r = 0; r < s.scalars.size(); ++r) {
      const auto& row = s.scalars[r];
      if (taken[r] || row.absolute() || std::find(row.dofs.begin(), row.dofs.end(), dof) == row.dofs.end()) continue;
      taken[r] = 1;
      rows.emplace_back();
      for (std::size_t k = 0; k < row.dofs.size(); ++k) {
        rows.back()[row.dofs[k]] += row.coefficients[k];
        if (reached[u(row.dofs[k])]) continue;
        reached[u(row.dofs[k])] = 1;
        queue.push_back(row.dofs[k]);
      }
    }
  }
  const auto clean = [](Relation& row) {  // what is left of figures that cancel is none
    double most = 0;
    for (const auto& [dof, x] : row) most = std::max(most, std::abs(x));
    for (auto it = row.begin(); it != row.end();) it = std::abs(it->second) <= 1e-14 * most ? row.erase(it) : ++it;
  };
  std::vector<Relation> out;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    clean(rows[r]);
    const auto other = std::find_if(rows[r].begin(), rows[r].end(), [&](const auto& e) {
      return std::find(dofs.begin(), dofs.end(), e.first) == dofs.end();
    });
    if (other == rows[r].end()) {
      if (!rows[r].empty()) out.push_back(rows[r]);
      continue;
    }
    for (std::size_t k = r + 1; k < rows.size(); ++k) {
      const auto at = rows[k].find(other->first);
      if (at == rows[k].end()) continue;
      const double factor = at->second / other->second;
      for (const auto& [dof, x] : rows[r]) rows[k][dof] -= factor * x;
      rows[k].erase(other->first);
      clean(rows[k]);
    }
  }
  return out;
}

}  // namespace

PairMotion IntervalMotion::pair(const PairPath& path, int first, int second, const Vec3& centre, double radius) const {
  PairMotion m;
  m.rest = kRounding * (size + radius);
  const Pose& a = links[u(first)];
  const Vec3 c = links[u(second)] * centre;
  if (proven) {
    if (path.steps.size() == 1 || path.onePin) {
      // one value alone: all that it does is along its own motion, and a turn bends the way by the arm of the point
      const Twist& t = twists[u(path.steps[0].dof)];
      double rate = 0, most = 0;
      for (const auto& s : path.steps) {
        const double same = path.onePin ? t.w.dot(twists[u(s.dof)].w) : 1;
        rate += s.sign * same * linear[u(s.dof)];
        most += rest[u(s.dof)];
      }
      most += std::abs(rate);
      m.turn = a.R.transpose() * (most * t.w);
      m.shift = a.R.transpose() * (most * (t.v - t.w.cross(t.at)) + (most * t.w).cross(a.p));
      if (t.w.squaredNorm() > 0) {
        m.bend = 0.5 * most * most;
        m.axis = a.R.transpose() * t.w;
        m.axisAt = a.inverse() * t.at;
      }
      return m;
    }
    // from the second link towards the first: what lies nearer to it moves inside what lies farther away
    double moved = 0;
    Vec3 w = Vec3::Zero(), v = Vec3::Zero(), normal = Vec3::Zero();
    for (const auto& s : path.steps)
      if (twists[u(s.dof)].w.squaredNorm() > 0) normal = twists[u(s.dof)].w;
    for (const auto& s : path.steps) {
      const Twist& t = twists[u(s.dof)];
      // parallel to what rounding leaves of parallel axes: a slope of 1e-9 is none
      if (t.w.cross(normal).norm() > 1e-9 || std::abs(t.v.dot(normal)) > 1e-9 * t.v.norm()) normal = Vec3::Zero();
    }
    m.normal = a.R.transpose() * normal;
    for (const auto& s : path.steps) {
      const Twist& t = twists[u(s.dof)];
      const double rate = linear[u(s.dof)], extra = rest[u(s.dof)], most = std::abs(rate) + extra;
      if (most == 0) continue;
      w += s.sign * rate * t.w;
      v += s.sign * rate * (t.v - t.w.cross(t.at));
      if (t.w.squaredNorm() > 0) {
        const double arm = t.w.cross(c - t.at).norm() + radius + moved;
        m.rest += extra * arm + 0.5 * most * most * arm + most * moved;
        moved += most * arm;
      } else {
        m.rest += extra * t.v.norm();
        moved += most * t.v.norm();
      }
    }
    m.turn = a.R.transpose() * w;
    m.shift = a.R.transpose() * (v + w.cross(a.p));
    return m;
  }
  const double half = 0.5 * (t1 - t0);
  double most = 0;
  for (int k = 0; k < 3; ++k) {
    const PoseJet &ja = jets[k][u(first)], &jb = jets[k][u(second)];
    // the second as seen from the first: B = A^-1 B
    PoseJet inverse;
    for (std::size_t n = 0; n < 4; ++n) inverse.R[n] = ja.R[n].transpose();
    inverse.p[0] = -(inverse.R[0] * ja.p[0]);
    inverse.p[1] = -(inverse.R[1] * ja.p[0] + inverse.R[0] * ja.p[1]);
    inverse.p[2] = -(inverse.R[2] * ja.p[0] + 2 * inverse.R[1] * ja.p[1] + inverse.R[0] * ja.p[2]);
    const PoseJet r = inverse * jb;
    most = std::max(most, (r.R[2] * centre + r.p[2]).norm() + r.R[2].norm() * radius);
    if (k == 1) {
      m.turn = half * r.spin();
      m.shift = half * (r.p[1] - r.spin().cross(r.p[0]));
    }
  }
  m.rest += 0.5 * half * half * 2 * most;
  return m;
}

Enclosure::Enclosure(TravelRun& run, const Travel& travel)
    : run_(run), travel_(travel), solver_(run.system(), drivenOf(run)), measurer_(run) {
  const System& s = run.system();
  solver_.setHome(run.home().configuration);
  solver_.forward(run.home().configuration);
  for (int d = 0; d < s.dofCount(); ++d) homeTwists_.push_back(solver_.dofTwist(d));
  for (const auto& row : s.scalars)
    if (obstacle_.empty() && row.absolute()) obstacle_ = "a table or a formula couples two joints";
  if (run.pushed() && obstacle_.empty()) obstacle_ = "links are moved by contact";
  if (run.settings().reverseAtLimit && obstacle_.empty()) obstacle_ = "the drives turn back at a limit";
  std::vector<bool> known = run.solver().isDriven();
  for (int d : run.solver().leftOver()) known[u(d)] = true;
  columnOf_.assign(u(s.dofCount()), -1);
  for (int d = 0; d < s.dofCount(); ++d) {
    if (known[u(d)]) continue;
    columnOf_[u(d)] = static_cast<int>(unknown_.size());
    unknown_.push_back(d);
  }
  if (obstacle_.empty() && static_cast<int>(unknown_.size()) > kMostUnknowns)
    obstacle_ = fmt::format("there are more than {} joint values to enclose", kMostUnknowns);
  driven_.assign(u(s.dofCount()), -1);
  const auto& drives = run.resolved().drives;
  for (std::size_t i = 0; i < drives.size(); ++i) {
    const int k = run.activeDrive(static_cast<int>(i));
    if (k < 0) continue;
    const int dof = s.dofOfDrive(run.resolved(), static_cast<int>(i));
    if (dof < 0) continue;
    driven_[u(dof)] = k;
    for (const auto& row : drives[i].rows)
      if (obstacle_.empty() && (row.law == motion::LawKind::formula || row.law == motion::LawKind::speedFormula))
        obstacle_ = fmt::format("drive {} follows a {}", drives[i].name, row.law.text());
  }
  for (int d = 0; d < s.dofCount(); ++d) {
    const auto& dof = s.dofs[u(d)];
    const bool still = known[u(d)] && driven_[u(d)] < 0;  // of a link that nothing holds, or a held joint
    if (obstacle_.empty() && !still && !isSlide(dof.motion) && !isSimpleTurn(dof.motion))
      obstacle_ = fmt::format("{} is no turn and no slide", s.nameOf(dof.joint, run.resolved()));
  }
  jacobian_.resize(s.rowCount(), static_cast<Eigen::Index>(unknown_.size()));
}

PairPath Enclosure::path(int first, int second) const {
  const System& s = run_.system();
  const int from = s.nodeOfLink[u(first)], to = s.nodeOfLink[u(second)];
  std::vector<int> by(u(s.nodeCount), -1);
  std::vector<char> seen(u(s.nodeCount), 0);
  std::deque<int> queue{from};
  seen[u(from)] = 1;
  while (!queue.empty() && !seen[u(to)]) {
    const int node = queue.front();
    queue.pop_front();
    for (std::size_t j = 0; j < s.joints.size(); ++j) {
      const auto& joint = s.joints[j];
      const int other = joint.nodeA == node ? joint.nodeB : joint.nodeB == node ? joint.nodeA : -1;
      if (other < 0 || seen[u(other)]) continue;
      seen[u(other)] = 1;
      by[u(other)] = static_cast<int>(j);
      queue.push_back(other);
    }
  }
  PairPath p;
  p.connected = seen[u(to)] != 0;
  if (!p.connected) return p;
  int joints = 0;
  for (int node = to; node != from;) {
    const auto& joint = s.joints[u(by[u(node)])];
    const bool outward = joint.nodeB == node;
    ++joints;
    p.turnJoint = joint.dofs == 1 && isSimpleTurn(joint.elements[0].motion) ? by[u(node)] : -1;
    // the joint's own motions from its second seat back to the first
    for (int k = 0; k < joint.dofs; ++k)
      p.steps.push_back({outward ? joint.firstDof + joint.dofs - 1 - k : joint.firstDof + k, outward ? 1.0 : -1.0});
    node = outward ? joint.nodeA : joint.nodeB;
  }
  if (joints != 1) p.turnJoint = -1;
  p.onePin = p.turnJoint >= 0;
  p.oneSlide = joints == 1 && p.steps.size() == 1 && isSlide(s.dofs[u(p.steps[0].dof)].motion);
  if (joints == 2 && p.steps.size() == 2 && isSimpleTurn(s.dofs[u(p.steps[0].dof)].motion) &&
      isSimpleTurn(s.dofs[u(p.steps[1].dof)].motion)) {
    // both axes are fixed in the link between: if they are one at home, they always are
    const Twist &x = homeTwists_[u(p.steps[0].dof)], &y = homeTwists_[u(p.steps[1].dof)];
    p.onePin = x.w.cross(y.w).norm() < 1e-9 && (x.at - y.at).cross(x.w).norm() < 1e-9 * s.size;
  }
  return p;
}

std::optional<CoupledMoves> Enclosure::coupledMoves(const PairPath& path) const {
  const System& s = run_.system();
  if (path.steps.size() < 2) return {};
  const auto twist = [&](std::size_t k) -> const Twist& { return homeTwists_[u(path.steps[k].dof)]; };
  const auto slides = [&](std::size_t k) { return isSlide(s.dofs[u(path.steps[k].dof)].motion); };
  const auto coaxial = [&](std::size_t i, std::size_t k) {
    const Twist &x = twist(i), &y = twist(k);
    if (slides(i) != slides(k)) return false;
    if (slides(i)) return x.v.cross(y.v).norm() < 1e-9;
    return x.w.cross(y.w).norm() < 1e-9 && (x.at - y.at).cross(x.w).norm() < 1e-9 * s.size;
  };
  for (const auto& step : path.steps)
    if (!isSimpleTurn(s.dofs[u(step.dof)].motion) && !isSlide(s.dofs[u(step.dof)].motion)) return {};
  CoupledMoves c;
  while (c.split < path.steps.size() && coaxial(0, c.split)) ++c.split;
  if (c.split == path.steps.size()) return {};
  for (std::size_t k = c.split; k < path.steps.size(); ++k)
    if (!coaxial(c.split, k)) return {};
  const auto along = [&](std::size_t k) -> const Vec3& { return slides(k) ? twist(k).v : twist(k).w; };
  for (std::size_t k = 0; k < path.steps.size(); ++k)
    c.sense.push_back(path.steps[k].sign * (along(k).dot(along(k < c.split ? 0 : c.split)) > 0 ? 1 : -1));
  // a linear relation of exactly these values, with one share for each of the two moves
  std::vector<int> dofs;
  for (const auto& step : path.steps) dofs.push_back(step.dof);
  for (const auto& row : relationsOf(s, dofs)) {
    double share[2] = {0, 0};
    bool fits = true;
    for (std::size_t k = 0; fits && k < path.steps.size(); ++k) {
      const auto at = row.find(path.steps[k].dof);
      const double own = at == row.end() ? 0 : at->second * c.sense[k];
      double& whole = share[k < c.split ? 0 : 1];
      if (whole == 0) whole = own;
      fits = own != 0 && std::abs(own - whole) <= 1e-13 * std::abs(whole);
    }
    if (!fits) continue;
    c.ratio = -share[1] / share[0];
    return c;
  }
  return {};
}

bool Enclosure::valuesAt(double t, std::vector<double>& out) {
  for (const EndValues& e : ends_)
    if (e.t == t) {
      out = e.q;
      return true;
    }
  if (!run_.poseAt(travel_, t, end_)) return false;
  out = end_.c.q;
  ends_[nextEnd_] = {t, out};
  nextEnd_ = (nextEnd_ + 1) % ends_.size();
  return true;
}

/// Do the poses at both ends lie in the box? Then they are on the branch of the pose in the middle.
bool Enclosure::endsInside(const IntervalMotion& m) {
  std::vector<double> q;
  for (const double sign : {-1.0, 1.0}) {
    if (!valuesAt(sign < 0 ? m.t0 : m.t1, q)) return false;
    for (const int d : unknown_) {
      const double off = std::abs(q[u(d)] - m.value[u(d)] - sign * m.linear[u(d)]);
      const double slack = 1e-12 * (run_.system().dofs[u(d)].scale + std::abs(q[u(d)]));
      if (!(off <= m.rest[u(d)] + slack)) return false;
    }
  }
  return true;
}

bool Enclosure::poses(double t, std::vector<Pose>& out) {
  if (!run_.poseAt(travel_, t, step_)) return false;
  measurer_.linkPoses(step_, out);
  return true;
}

bool Enclosure::over(double t0, double t1, IntervalMotion& out, bool onlyProven) {
  const double t = 0.5 * (t0 + t1), half = 0.5 * (t1 - t0);
  out.t0 = t0;
  out.t1 = t1;
  out.proven = false;
  if (onlyProven && !obstacle_.empty()) return false;
  if (!poses(t, out.links)) return false;
  out.size = 0;
  for (const Pose& p : out.links) out.size = std::max(out.size, p.p.cwiseAbs().maxCoeff());
  out.size += run_.system().size;
  if (obstacle_.empty() && enclose(step_, half, out) && (unknown_.empty() || endsInside(out))) {
    out.proven = true;
    return true;
  }
  if (onlyProven) return false;
  const double at[3] = {t0, t, t1};
  for (int k = 0; k < 3; ++k) {
    TravelStep s;
    if (!run_.poseAt(travel_, at[k], s)) return false;
    out.jets[k].clear();
    for (std::size_t l = 0; l < out.links.size(); ++l)
      out.jets[k].push_back(measurer_.relativeMotion(static_cast<int>(l), -1, s));
  }
  return true;
}

bool Enclosure::enclose(const TravelStep& mid, double half, IntervalMotion& out) {
  const System& s = run_.system();
  const int dofs = s.dofCount();
  solver_.forward(mid.c);
  out.twists.resize(u(dofs));
  for (int d = 0; d < dofs; ++d) {
    out.twists[u(d)] = solver_.dofTwist(d);
    out.twists[u(d)].at += s.middle;
  }
  out.linear.assign(u(dofs), 0);
  out.rest.assign(u(dofs), 0);
  out.value.assign(mid.c.q.begin(), mid.c.q.end());
  for (int d = 0; d < dofs; ++d) out.linear[u(d)] = half * mid.qd[u(d)];
  for (int d = 0; d < dofs; ++d)
    if (driven_[u(d)] >= 0) out.rest[u(d)] = run_.programme(driven_[u(d)]).deviation(mid.t - half, mid.t + half);
  if (unknown_.empty()) return true;
  solver_.assemble(mid.c);
  jacobian_.setZero();
  const auto n = static_cast<Eigen::Index>(unknown_.size());
  // of the closures by what the driven values differ from their tangent, and by what the rates leave of them
  double pushed = 0;
  for (std::size_t l = 0; l < s.loops.size(); ++l) {
    const auto& members = s.loops[l].members;
    Solver::Column left = Solver::Column::Zero();
    for (std::size_t k = 0; k < members.size(); ++k) {
      const int dof = members[k].dof;
      const auto& column = solver_.loopColumns(static_cast<int>(l))[k];
      left += out.linear[u(dof)] / s.dofs[u(dof)].scale * column;
      if (columnOf_[u(dof)] >= 0)
        jacobian_.block<6, 1>(static_cast<Eigen::Index>(6 * l), columnOf_[u(dof)]) += column;
      else
        pushed += out.rest[u(dof)] / s.dofs[u(dof)].scale * column.norm();
    }
    pushed += left.norm();
  }
  const auto base = static_cast<Eigen::Index>(6 * s.loops.size());
  for (std::size_t r = 0; r < s.scalars.size(); ++r) {
    double left = 0;
    for (std::size_t k = 0; k < s.scalars[r].dofs.size(); ++k) {
      const int dof = s.scalars[r].dofs[k];
      const double g = solver_.scalarGradient(static_cast<int>(r))[k];
      left += out.linear[u(dof)] / s.dofs[u(dof)].scale * g;
      if (columnOf_[u(dof)] >= 0)
        jacobian_(base + static_cast<Eigen::Index>(r), columnOf_[u(dof)]) += g;
      else
        pushed += out.rest[u(dof)] / s.dofs[u(dof)].scale * std::abs(g);
    }
    pushed += std::abs(left);
  }
  normal_.noalias() = jacobian_.transpose() * jacobian_;
  const Eigen::LLT<Eigen::MatrixXd> llt(normal_);
  if (llt.info() != Eigen::Success) return false;
  const auto diagonal = llt.matrixLLT().diagonal();
  if (!(diagonal.minCoeff() > 1e-6 * diagonal.maxCoeff())) return false;  // near a singular pose
  // with the pivots of such a factor its inverse is true to four digits
  lever_ = 1.001 * llt.solve(Eigen::MatrixXd::Identity(n, n)).diagonal().cwiseMax(0.0).cwiseSqrt();
  double varied = 0;  // square of what the derivatives of the closures change by over the box
  // second order of all closures over the box that the rests span
  const auto remainder = [&] {
    double sum = 0;
    varied = 0;
    for (const auto& loop : s.loops) {
      const Vec3 end = (solver_.nodePose(s.joints[u(loop.joint)].nodeB) * s.joints[u(loop.joint)].atB).p + s.middle;
      double turns = 0, slides = 0, arm = 0;
      for (const auto& m : loop.members) {
        const double most = std::abs(out.linear[u(m.dof)]) + out.rest[u(m.dof)];
        if (out.twists[u(m.dof)].w.squaredNorm() > 0) {
          turns += most;
          arm = std::max(arm, (end - out.twists[u(m.dof)].at).norm() / s.size);
        } else {
          slides += most / s.size;
        }
      }
      if (turns > 0.5) return 1e300;
      // the farthest that the end gets from any axis: r <= arm + slides + turns r
      arm = (arm + slides) / (1 - turns);
      const double position = 0.5 * turns * turns * arm + turns * slides;
      const double angle = loop.cluster >= 0 ? 0 : turns * turns;
      sum += position * position + angle * angle;
      const double column = turns * arm + slides + (loop.cluster >= 0 ? 0 : 2 * turns);
      varied += static_cast<double>(loop.members.size()) * column * column;
    }
    return std::sqrt(sum);
  };
  const auto fill = [&](double residual) {
    for (Eigen::Index i = 0; i < n; ++i) {
      const int dof = unknown_[static_cast<std::size_t>(i)];
      out.rest[u(dof)] = lever_[i] * residual * s.dofs[u(dof)].scale;
    }
  };
  // what redundant rows are out in the middle already
  for (std::size_t r = 0; r < u(s.rowCount()); ++r) pushed += 2 * std::abs(solver_.residual()[r]);
  double guess = remainder() + pushed + 1e-14;
  for (int k = 0; k < 4; ++k) {
    if (!(guess < 1e3)) return false;
    const double box = 2 * guess;
    fill(box);
    const double got = remainder() + pushed + 1e-14;
    if (got < box) {
      fill(got);  // no motion leaves the smaller box either
      return lever_.norm() * std::sqrt(varied) < kContraction;
    }
    guess = got;
  }
  return false;
}

}  // namespace cooperage::kinematics
