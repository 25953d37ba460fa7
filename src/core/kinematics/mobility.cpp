// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/mobility.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/index.h"
#include "kinematics/dense.h"
#include "kinematics/least.h"

namespace cooperage::kinematics {

using model::JointKind;
using model::Resolved;
using Matrix = Eigen::MatrixXd;

namespace {

constexpr double kStuck = 1e-8;  // of a unit motion of all values: a drive that moves less than this moves nothing

constexpr double kRank = 1e-4;  // as the solver's: imported axes are parallel to 1e-4 at best
constexpr double kStep = 1e-2;  // of a radian or of size: finite, yet far from the next singular pose
constexpr int kDense = 200;     // columns up to which redundancy is traced over the whole mechanism

/// All rows as a dense matrix, after forward() and assemble().
Matrix denseJacobian(const Solver& solver) {
  const System& s = solver.system();
  Matrix A = Matrix::Zero(s.rowCount(), s.dofCount());
  const int loops = static_cast<int>(s.loops.size());
  for (int i = 0; i < loops; ++i)
    for (std::size_t k = 0; k < s.loops[u(i)].members.size(); ++k)
      A.block<6, 1>(6 * i, s.loops[u(i)].members[k].dof) += solver.loopColumns(i)[k];
  for (int i = 0; i < static_cast<int>(s.scalars.size()); ++i)
    for (std::size_t k = 0; k < s.scalars[u(i)].dofs.size(); ++k)
      A(6 * loops + i, s.scalars[u(i)].dofs[k]) += solver.scalarGradient(i)[k];
  return A;
}

class Analysis {
 public:
  Analysis(const System& s, const Resolved& r, const Home& home, const HomeOptions& fit)
      : s_(s), r_(r), home_(home.configuration), solver_(s, {}, fit.solver()) {
    out_.messages = home.messages;
    out_.generic = home_;
    solver_.setHome(home_);
  }

  Mobility run() {
    const Matrix N = nullVectors(home_);
    out_.instantaneous = static_cast<int>(N.cols());
    reach(N);
    out_.freedoms = static_cast<int>(reached_.cols());
    drives();
    leftOver();
    redundant();
    return std::move(out_);
  }

 private:
  /// Scaled directions in which the closures allow motion at a pose, one a column, each of greatest figure 1.
  Matrix nullVectors(const Configuration& c) {
    solver_.pick(c);
    const std::vector<int> free = solver_.leftOver();
    lead_ = free;
    Solver direct(s_, free, solver_.options());
    direct.setHome(home_);
    direct.pick(c);
    Matrix N = Matrix::Zero(s_.dofCount(), static_cast<Eigen::Index>(free.size()));
    std::vector<double> qd(u(s_.dofCount())), qdd(qd.size());
    for (std::size_t k = 0; k < free.size(); ++k) {
      std::fill(qd.begin(), qd.end(), 0.0);
      std::fill(qdd.begin(), qdd.end(), 0.0);
      qd[u(free[k])] = s_.dofs[u(free[k])].scale;
      direct.rates(c, qd, qdd);
      auto column = N.col(static_cast<Eigen::Index>(k));
      for (int i = 0; i < s_.dofCount(); ++i) column[i] = qd[u(i)] / s_.dofs[u(i)].scale;
      const double most = column.cwiseAbs().maxCoeff();
      if (most > 0) column /= most;
    }
    return N;
  }

  struct Reached {
    bool moved = false;
    Configuration pose;
    Eigen::VectorXd displacement;
    int nullity = 0;
  };
  /// A finite step along a direction, corrected with least motion and closed to rounding on the rows that count there.
  Reached stepAlong(const Eigen::VectorXd& direction) {
    Reached out;
    Configuration c = home_;
    const std::vector<double> step(direction.data(), direction.data() + direction.size());
    solver_.add(c, step, kStep);
    const std::vector<bool> none(u(s_.dofCount()), false);
    LeastMotion(solver_).close(c, none, nullptr, 40);
    solver_.pick(c);
    if (!solver_.close(c).closed) return out;
    const std::vector<double> d = difference(s_, home_, c);
    out.displacement = Eigen::Map<const Eigen::VectorXd>(d.data(), s_.dofCount()) / kStep;
    out.moved = out.displacement.cwiseAbs().maxCoeff() > 0.1;
    out.pose = std::move(c);
    out.nullity = static_cast<int>(solver_.leftOver().size());
    return out;
  }

  void reach(const Matrix& N) {
    const auto count = N.cols();
    if (s_.rowCount() == 0 || count == 0) {
      reached_ = N;
      return;
    }
    // all directions at once, with figures of their own: where as many freedoms are found there, all of them are real
    Eigen::VectorXd mixed = Eigen::VectorXd::Zero(N.rows());
    for (Eigen::Index k = 0; k < count; ++k) {
      // no two of them against one another: of a train up they may be all but opposite
      const double sense = mixed.dot(N.col(k)) < 0 ? -1 : 1;
      mixed += sense * (1.0 - 0.37 * static_cast<double>(k % 7) / 7) * N.col(k);
    }
    mixed /= mixed.cwiseAbs().maxCoeff();
    const std::vector<int> lead = lead_;
    const Reached all = stepAlong(mixed);
    const bool whole =
        all.moved && all.nullity == static_cast<int>(count) && std::all_of(lead.begin(), lead.end(), [&](int d) {
          return std::abs(all.displacement[d] - mixed[d]) < 0.3 * std::abs(mixed[d]);
        });
    if (whole) {
      out_.generic = all.pose;
      reached_ = N;
      return;
    }
    int most = 0;
    Matrix found(N.rows(), 0);
    Configuration best = home_;
    bool any = false;
    const auto take = [&](const Reached& x) {
      if (!x.moved) return;
      found.conservativeResize(N.rows(), found.cols() + 1);
      found.col(found.cols() - 1) = x.displacement;
      if (!any || x.nullity > most) best = x.pose;
      most = std::max(most, x.nullity);
      any = true;
    };
    take(all);
    for (Eigen::Index k = 0; k < std::min<Eigen::Index>(count, 32); ++k) {
      const Reached one = stepAlong(N.col(k));
      take(one.moved ? one : stepAlong(-N.col(k)));
    }
    if (!any) {
      reached_ = Matrix(N.rows(), 0);
      return;
    }
    out_.generic = best;
    const Matrix span = rangeOf(found, 0.2);
    const int freedoms = std::min(static_cast<int>(span.cols()), most);
    const Matrix there = nullVectors(best);
    if (there.cols() == freedoms)
      reached_ = there;
    else
      reached_ = span.leftCols(freedoms);
  }

  void drives() {
    Matrix rows(0, reached_.cols());
    const auto add = [&](int dof) {
      // by its own share: one drive may be a million times as slow as another
      const double size = reached_.row(dof).norm();
      rows.conservativeResize(rows.rows() + 1, reached_.cols());
      rows.row(rows.rows() - 1) = reached_.row(dof) / (size > kStuck ? size : 1);
    };
    int rank = 0;
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const int index = s_.compiledJoint(static_cast<int>(i));
      if (!r_.joints[i].held || index < 0) continue;
      const auto& j = s_.joints[u(index)];
      for (int k = 0; k < j.dofs; ++k) add(j.firstDof + k);
      rank = numericalRank(rows, 1e-6);
    }
    for (std::size_t i = 0; i < r_.drives.size(); ++i) {
      const auto& d = r_.drives[i];
      if (!d.enabled) continue;
      const int dof = s_.dofOfDrive(r_, static_cast<int>(i));
      if (dof < 0) continue;
      if (reached_.cols() == 0 || reached_.row(dof).norm() < kStuck) {
        out_.stuckDrives.push_back(d.name);
        continue;
      }
      add(dof);
      const int now = numericalRank(rows, 1e-6);
      if (now == rank) out_.redundantDrives.push_back(d.name);
      rank = now;
    }
    out_.driven = rank;
    out_.left = out_.freedoms - rank;
    left_ = rows.rows() == 0 ? reached_ : Matrix(reached_ * nullSpace(rows, 1e-6));
    if (left_.cols() != out_.left) left_ = Matrix(reached_.rows(), 0);
  }

  /// Motion of all nodes along a direction.
  void motionAlong(const Eigen::VectorXd& y, std::vector<PoseJet>& out) {
    std::vector<double> qd(u(s_.dofCount()));
    for (int i = 0; i < s_.dofCount(); ++i) qd[u(i)] = y[i] * s_.dofs[u(i)].scale;
    const std::vector<double> zero(qd.size(), 0.0);
    solver_.motion(out_.generic, qd, zero, zero, out);
  }
  /// Velocities of all joint centres (rows) for unit motion along the left-over directions (columns), over size.
  Matrix centreVelocities(const Matrix& directions) {
    Matrix v(3 * static_cast<Eigen::Index>(s_.joints.size()), directions.cols());
    std::vector<PoseJet> motion;
    for (Eigen::Index k = 0; k < directions.cols(); ++k) {
      motionAlong(directions.col(k), motion);
      for (std::size_t j = 0; j < s_.joints.size(); ++j) {
        const auto& joint = s_.joints[j];
        v.block(3 * static_cast<Eigen::Index>(j), k, 3, 1) = motion[u(joint.nodeB)].point(joint.atB.p)[1] / s_.size;
      }
    }
    return v;
  }

  void leftOver() {
    if (out_.left == 0 || left_.cols() == 0) return;
    const Matrix idle =
        left_.cols() <= kDense ? Matrix(left_ * nullSpace(centreVelocities(left_), 1e-6)) : Matrix(left_.rows(), 0);
    out_.idle = static_cast<int>(idle.cols());
    std::vector<PoseJet> motion;
    std::set<std::string> named;
    for (Eigen::Index k = 0; k < idle.cols(); ++k) {
      motionAlong(idle.col(k), motion);
      for (std::size_t l = 0; l < r_.links.size(); ++l)
        if (motion[u(s_.nodeOfLink[l])].spin().norm() > 1e-3 * idle.col(k).norm() &&
            named.insert(r_.links[l].name).second) {
          out_.leftFreedoms.push_back("turns about its own axis: " + r_.links[l].name);
          out_.leftMotions.push_back(linkMotions(motion));
          break;
        }
    }
    // the others, each by the joint value that moves most and is not named yet
    Matrix rest = left_;
    for (Eigen::Index i = 0; i < rest.rows(); ++i)  // what only measures names nothing
      if (s_.joints[u(s_.dofs[u(static_cast<int>(i))].joint)].drive >= 0) rest.row(i).setZero();
    for (int k = 0; k < idle.cols(); ++k) {  // what is named already is taken out
      const Eigen::VectorXd y = idle.col(k).normalized();
      rest -= y * (y.transpose() * rest);
    }
    constexpr int kNamed = 60;
    for (int k = out_.idle; k < out_.left; ++k) {
      if (k - out_.idle == kNamed) {
        out_.leftFreedoms.push_back(fmt::format("and {} more", out_.left - k));
        break;
      }
      Eigen::Index row = 0;
      rest.rowwise().norm().maxCoeff(&row);
      const Eigen::RowVectorXd r = rest.row(row);
      if (name(static_cast<int>(row), named)) {
        motionAlong(left_ * r.transpose(), motion);
        out_.leftMotions.push_back(linkMotions(motion));
      }
      // take that motion out of the rest
      if (r.norm() > 1e-12) rest -= (rest * r.transpose() * r / r.squaredNorm()).eval();
    }
    movedByContact();
  }
  /// Freedoms that move links of a contact against one another are not left: contacts move them.
  void movedByContact() {
    const auto moves = [&](const std::vector<Mobility::LinkMotion>& motion) {
      const auto of = [&](int link) {
        const auto it =
            std::find_if(motion.begin(), motion.end(), [&](const auto& m) { return m.link == r_.links[u(link)].id; });
        return it == motion.end() ? Mobility::LinkMotion{} : *it;
      };
      for (const auto& c : r_.contacts)
        for (const int a : c.enabled ? c.sideA : std::vector<int>())
          for (const int b : c.sideB) {
            const auto x = of(a), y = of(b);
            const Vec3 same = x.velocity - x.spin.cross(x.at) - (y.velocity - y.spin.cross(y.at));
            if (same.norm() + s_.size * (x.spin - y.spin).norm() > 1e-9) return true;
          }
      return false;
    };
    std::size_t idle = u(out_.idle);
    for (std::size_t k = 0; k < out_.leftMotions.size();) {
      if (!moves(out_.leftMotions[k])) {
        ++k;
        continue;
      }
      out_.contactFreedoms.push_back(out_.leftFreedoms[k]);
      out_.leftFreedoms.erase(out_.leftFreedoms.begin() + static_cast<std::ptrdiff_t>(k));
      out_.leftMotions.erase(out_.leftMotions.begin() + static_cast<std::ptrdiff_t>(k));
      ++out_.byContact;
      --out_.left;
      if (k < idle) {
        --idle;
        --out_.idle;
      }
    }
  }
  std::vector<Mobility::LinkMotion> linkMotions(const std::vector<PoseJet>& motion) const {
    std::vector<Mobility::LinkMotion> out;
    for (std::size_t l = 0; l < r_.links.size(); ++l) {
      const PoseJet& node = motion[u(s_.nodeOfLink[l])];
      const auto origin = node.point(Vec3::Zero());
      const Vec3 spin = node.spin();
      if (origin[1].norm() + s_.size * spin.norm() > 1e-12) out.push_back({r_.links[l].id, origin[0], origin[1], spin});
    }
    return out;
  }
  /// Names a freedom by the motion of one dof. @return false if it has that name already
  bool name(int index, std::set<std::string>& named) {
    const auto& dof = s_.dofs[u(index)];
    const auto& joint = s_.joints[u(dof.joint)];
    std::string text;
    if (joint.pair >= 0) {
      text = fmt::format("slides in the contact {}: {}", s_.nameOf(dof.joint, r_),
                         r_.links[u(r_.camPairs[u(joint.pair)].followerLink)].name);
    } else if (joint.source < 0) {
      text = "floats free: " + s_.nameOf(dof.joint, r_);
    } else {
      const auto& source = r_.joints[u(joint.source)];
      const char* verb = isTurn(dof.motion)                   ? (dof.motion == model::Motion::turnZ ? "turns" : "tilts")
                         : dof.motion >= model::Motion::curve ? "moves along its curve"
                                                              : "slides";
      if (dof.motion == model::Motion::ball) verb = index - joint.firstDof - joint.ballAt == 2 ? "turns" : "tilts";
      text = fmt::format("{} in {}: {}", verb, source.name, r_.links[u(source.linkB)].name);
    }
    if (!named.insert(text).second) return false;
    out_.leftFreedoms.push_back(text);
    return true;
  }

  void redundant() {
    int naive = 6 * (s_.nodeCount - 1);
    for (const auto& j : s_.joints)
      if (j.source >= 0 || j.pair >= 0) naive -= 6 - j.dofs;
    naive -= static_cast<int>(s_.scalars.size());
    out_.redundant = out_.freedoms - naive;
    if (out_.redundant <= 0) return;
    solver_.forward(out_.generic);
    solver_.assemble(out_.generic);
    out_.planar = isPlanar();
    const bool whole = s_.dofCount() <= kDense;
    if (whole) A_ = denseJacobian(solver_);
    const int rank = whole ? numericalRank(A_, kRank) : 0;
    std::set<int> done;
    for (std::size_t i = 0; i < s_.loops.size(); ++i) {
      int own = rank;
      std::vector<int> loops{static_cast<int>(i)};
      if (!whole) {
        A_ = Matrix(6, static_cast<Eigen::Index>(s_.loops[i].members.size()));
        for (Eigen::Index k = 0; k < A_.cols(); ++k)
          A_.col(k) = solver_.loopColumns(loops[0])[static_cast<std::size_t>(k)];
        own = numericalRank(A_, kRank);
      } else {
        loops.clear();
        for (std::size_t k = 0; k < s_.loops.size(); ++k) loops.push_back(static_cast<int>(k));
      }
      std::set<int> joints;
      for (const auto& m : s_.loops[i].members) joints.insert(s_.dofs[u(m.dof)].joint);
      for (int j : joints)
        if (done.insert(j).second) trace(j, own, loops);
    }
  }

  /// Joints that hold their links in parallel planes by three rows each: of a loop of them, three rows are redundant.
  /// With as many as that in all, the motion within the plane is held once.
  bool isPlanar() const {
    Vec3 normal = Vec3::Zero();
    int joints = 0;
    for (const bool slides : {false, true})
      for (const auto& j : s_.joints) {
        if (j.pair >= 0) return false;
        if (j.source < 0) continue;
        const JointKind kind = r_.joints[u(j.source)].kind;
        if (kind != JointKind::revolute && kind != JointKind::prismatic && kind != JointKind::planar &&
            kind != JointKind::pinSlot && kind != JointKind::fixed)
          return false;
        if (!slides) ++joints;
        if (kind == JointKind::fixed || slides != (kind == JointKind::prismatic)) continue;
        const Vec3 axis = (solver_.nodePose(j.nodeA) * j.atA).R.col(2);
        constexpr double kParallel = 1e-9;
        if (slides ? std::abs(axis.dot(normal)) > kParallel
                   : normal.squaredNorm() > 0 && axis.cross(normal).norm() > kParallel)
          return false;
        if (!slides) normal = axis;
      }
    return normal.squaredNorm() > 0 && out_.redundant == 3 * (joints - (s_.nodeCount - 1));
  }

  /// Whether a kind lets its links turn about, or slide along, an axis of its own.
  static bool frees(JointKind kind, bool turn, int axis) {
    if (axis != 2) return false;
    return turn ? kind == JointKind::revolute || kind == JointKind::cylindrical
                : kind == JointKind::prismatic || kind == JointKind::cylindrical;
  }
  /// How many redundant rows go if the joint's kind gives more freedom: rank with the added columns less rank without.
  void trace(int index, int rank, const std::vector<int>& loops) {
    const auto& joint = s_.joints[u(index)];
    if (joint.source < 0) return;
    const auto& source = r_.joints[u(joint.source)];
    const Pose f = solver_.nodePose(joint.nodeA) * joint.atA;
    struct Freer {
      JointKind kind;
      std::vector<std::pair<bool, int>> motions;  // turn?, axis
    };
    std::vector<Freer> cures;
    if (source.kind == JointKind::revolute)
      cures = {{JointKind::cylindrical, {{false, 2}}}, {JointKind::spherical, {{true, 0}, {true, 1}}}};
    else if (source.kind == JointKind::prismatic)
      cures = {{JointKind::cylindrical, {{true, 2}}}};
    else if (source.kind == JointKind::cylindrical)
      cures = {{JointKind::pointLine, {{true, 0}, {true, 1}}}};
    else if (source.kind == JointKind::pinSlot || source.kind == JointKind::universal)
      cures = {
          {source.kind == JointKind::universal ? JointKind::spherical : JointKind::planar,
           {source.kind == JointKind::universal ? std::pair<bool, int>{true, 2} : std::pair<bool, int>{false, 1}}}};
    Mobility::Redundant found{source.name, 0, "", {}};
    for (const Freer& cure : cures) {
      Matrix wide(A_.rows(), A_.cols() + static_cast<Eigen::Index>(cure.motions.size()));
      wide.leftCols(A_.cols()) = A_;
      for (std::size_t k = 0; k < cure.motions.size(); ++k)
        wide.col(A_.cols() + static_cast<Eigen::Index>(k)) = column(index, f, cure.motions[k], loops);
      const int gain = numericalRank(wide, kRank) - rank;
      if (gain <= 0) continue;
      found.rows = std::max(found.rows, gain);
      found.cure += fmt::format("{}{} ({} less)", found.cure.empty() ? "" : ", ", infoOf(cure.kind).name, gain);
      found.cures.push_back({cure.kind, gain});
    }
    // all that it holds is held by others: without it nothing gets free
    std::vector<std::pair<bool, int>> held;
    for (const bool turn : {true, false})
      for (int axis = 0; axis < 3; ++axis)
        if (!frees(source.kind, turn, axis)) held.emplace_back(turn, axis);
    if (source.kind == JointKind::revolute || source.kind == JointKind::prismatic ||
        source.kind == JointKind::cylindrical) {
      Matrix wide(A_.rows(), A_.cols() + static_cast<Eigen::Index>(held.size()));
      wide.leftCols(A_.cols()) = A_;
      for (std::size_t k = 0; k < held.size(); ++k)
        wide.col(A_.cols() + static_cast<Eigen::Index>(k)) = column(index, f, held[k], loops);
      const int gain = numericalRank(wide, kRank) - rank;
      if (gain == static_cast<int>(held.size())) {
        found.rows = std::max(found.rows, gain);
        found.cure += fmt::format("{}left out ({} less)", found.cure.empty() ? "" : ", ", gain);
        found.cures.push_back({std::nullopt, gain});
      }
    }
    if (found.rows > 0) out_.redundantJoints.push_back(std::move(found));
  }
  Eigen::VectorXd column(int joint, const Pose& f, const std::pair<bool, int>& motion, const std::vector<int>& loops) {
    Eigen::VectorXd c = Eigen::VectorXd::Zero(A_.rows());
    for (std::size_t i = 0; i < loops.size(); ++i) {
      const auto& loop = s_.loops[u(loops[i])];
      double sign = 0;
      for (const auto& m : loop.members)
        if (s_.dofs[u(m.dof)].joint == joint) sign = m.sign;
      if (sign == 0) continue;
      const auto& closing = s_.joints[u(loop.joint)];
      const Vec3 end = (solver_.nodePose(closing.nodeB) * closing.atB).p;
      const Vec3 axis = sign * f.R.col(motion.second);
      const Eigen::Index row = 6 * static_cast<Eigen::Index>(i);
      if (motion.first) {
        c.segment(row, 3) = axis;
        c.segment(row + 3, 3) = axis.cross(end - f.p) / s_.size;
      } else {
        c.segment(row + 3, 3) = axis;
      }
    }
    return c;
  }

  const System& s_;
  const Resolved& r_;
  const Configuration home_;
  Solver solver_;
  Mobility out_;
  Matrix A_, reached_, left_;
  std::vector<int> lead_;  ///< the dof that each null vector has for itself
};

/// Links that nothing joins to anything: six freedoms each, three of them about their own middle. Hundreds of them
/// stand there after an import, and cost nothing if they are not analysed with the rest.
std::vector<int> loneLinks(const System& s) {
  std::vector<int> uses(u(s.nodeCount), 0);
  for (const auto& j : s.joints)
    if (j.source >= 0 || j.pair >= 0) {
      ++uses[u(j.nodeA)];
      ++uses[u(j.nodeB)];
    }
  std::vector<int> out;
  for (std::size_t f = 0; f < s.floating.size(); ++f) {
    const int node = s.joints[u(s.floating[f])].nodeB;
    if (uses[u(node)] == 0) out.push_back(s.floatLinks[f]);
  }
  return out;
}

/// Joint values of one system in the order of another that has the same joints.
void copyValues(const System& from, const Configuration& c, const System& to, Configuration& out) {
  const auto find = [&](const System::Joint& j) -> const System::Joint* {
    for (const auto& k : from.joints)
      if (k.source == j.source && k.pair == j.pair && k.drive == j.drive &&
          (j.source >= 0 || j.pair >= 0 || j.drive >= 0))
        return &k;
    return nullptr;
  };
  for (const auto& j : to.joints) {
    const auto* k = find(j);
    if (!k) continue;
    for (int i = 0; i < j.dofs; ++i) out.q[u(j.firstDof + i)] = c.q[u(k->firstDof + i)];
    if (j.ball >= 0) out.balls[u(j.ball)] = c.balls[u(k->ball)];
  }
}

}  // namespace

Mobility analyse(const System& system, const Resolved& resolved, const Home& home, const HomeOptions& options) {
  const std::vector<int> lone = loneLinks(system);
  constexpr std::size_t kFew = 8;
  if (lone.size() <= kFew) return Analysis(system, resolved, home, options).run();
  Resolved joined = resolved;
  for (int l : lone) joined.links[u(l)].ground = true;
  const auto rest = System::compile(joined);
  if (!rest.ok()) return Analysis(system, resolved, home, options).run();
  Home there = home;
  there.configuration = rest->measured();
  copyValues(system, home.configuration, *rest, there.configuration);
  Mobility out = Analysis(*rest, joined, there, options).run();
  Configuration generic = home.configuration;
  copyValues(*rest, out.generic, system, generic);
  out.generic = std::move(generic);
  const int n = static_cast<int>(lone.size());
  out.freedoms += 6 * n;
  out.left += 6 * n;
  out.instantaneous += 6 * n;
  out.idle += 3 * n;
  constexpr int kNamed = 30;
  for (int k = 0; k < std::min(n, kNamed); ++k)
    for (const char* text : {"floats free: ", "turns about its own axis: "})
      out.leftFreedoms.push_back(text + resolved.links[u(lone[u(k)])].name);
  if (n > kNamed) out.leftFreedoms.push_back(fmt::format("and {} links more that float free", n - kNamed));
  return out;
}

}  // namespace cooperage::kinematics
