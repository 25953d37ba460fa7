// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/mobility.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "kinematics/dense.h"

namespace cooperage::kinematics {

using model::JointKind;
using model::Resolved;
using Matrix = Eigen::MatrixXd;

namespace {

constexpr double kRank = 1e-7;  // relative to rows of size 1; imported axes are parallel to 1e-5 at best
constexpr double kStep = 2e-3;  // of a radian or of size: finite, yet far from the next singular pose
std::size_t u(int i) { return static_cast<std::size_t>(i); }

Matrix jacobianAt(Solver& solver, const Configuration& c) {
  solver.forward(c);
  solver.assemble(c);
  const System& s = solver.system();
  using RowMajor = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  return Eigen::Map<const RowMajor>(solver.jacobian().data(), s.rowCount(), s.dofCount());
}

/// Scaled displacement between two configurations.
Eigen::VectorXd difference(const System& s, const Configuration& from, const Configuration& to) {
  Eigen::VectorXd d(s.dofCount());
  for (int i = 0; i < s.dofCount(); ++i) {
    const auto& dof = s.dofs[u(i)];
    if (dof.ball < 0) {
      d[i] = (to.q[u(i)] - from.q[u(i)]) / dof.scale;
      continue;
    }
    const Vec3 turn = rotationVector(to.balls[u(dof.ball)] * from.balls[u(dof.ball)].transpose());
    for (int k = 0; k < 3; ++k) d[i + k] = turn[k];
    i += 2;
  }
  return d;
}

class Analysis {
 public:
  Analysis(const System& s, const Resolved& r, const Home& home)
      : s_(s), r_(r), home_(home.configuration), solver_(s, {}) {
    out_.messages = home.messages;
    solver_.setHome(home_);
  }

  Mobility run() {
    A_ = jacobianAt(solver_, home_);
    const Matrix N = nullSpace(A_, kRank);
    out_.instantaneous = static_cast<int>(N.cols());
    reach(N);
    out_.freedoms = static_cast<int>(reached_.cols());
    drives();
    leftOver();
    redundant();
    return std::move(out_);
  }

 private:
  /// Steps along each null direction, corrects with least motion, and keeps what is really reached.
  void reach(const Matrix& N) {
    if (s_.rowCount() == 0) {
      reached_ = N;
      return;
    }
    Matrix found(N.rows(), N.cols());
    const std::vector<bool> none(u(s_.dofCount()), false);
    for (Eigen::Index k = 0; k < N.cols(); ++k) {
      found.col(k).setZero();
      for (const double side : {1.0, -1.0}) {
        Configuration c = home_;
        const Eigen::VectorXd direction = side * N.col(k);
        const std::vector<double> step(direction.data(), direction.data() + direction.size());
        solver_.add(c, step, kStep);
        const double worst = closeFromAfar(s_, solver_, c, none);
        if (worst > 1e-9) continue;
        const Eigen::VectorXd moved = difference(s_, home_, c) / (side * kStep);
        if (moved.norm() > 0.1) {
          found.col(k) = moved;
          break;
        }
      }
    }
    reached_ = rangeOf(found, 0.1);
    // first order is enough for what follows, and it is exact: project on the null space again
    if (reached_.cols() == N.cols()) reached_ = N;
  }

  void drives() {
    Matrix rows(0, reached_.cols());
    const auto add = [&](int dof) {
      rows.conservativeResize(rows.rows() + 1, reached_.cols());
      rows.row(rows.rows() - 1) = reached_.row(dof);
    };
    int rank = 0;
    for (std::size_t i = 0; i < r_.joints.size(); ++i) {
      const int index = s_.compiledJoint(static_cast<int>(i));
      if (!r_.joints[i].held || index < 0) continue;
      const auto& j = s_.joints[u(index)];
      for (int k = 0; k < j.dofs; ++k) add(j.firstDof + k);
      rank = numericalRank(rows, 1e-6);
    }
    for (const auto& d : r_.drives) {
      if (!d.enabled) continue;
      const int dof = s_.dofOf(d.value);
      if (dof < 0) continue;
      if (reached_.cols() == 0 || reached_.row(dof).norm() < 1e-6) {
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
    left_ = rows.rows() == 0 ? reached_ : Matrix(reached_ * nullSpace(rows, kRank));
    if (left_.cols() != out_.left) left_ = Matrix(reached_.rows(), 0);
  }

  /// Velocities of all joint centres (rows) for unit motion along the left-over directions (columns).
  Matrix centreVelocities(const Matrix& directions) {
    Matrix v(3 * static_cast<Eigen::Index>(s_.joints.size()), directions.cols());
    std::vector<NodeMotion> motion;
    const std::vector<double> zero(u(s_.dofCount()), 0.0);
    for (Eigen::Index k = 0; k < directions.cols(); ++k) {
      solver_.motion(scaled(directions.col(k)), zero, motion);
      for (std::size_t j = 0; j < s_.joints.size(); ++j) {
        const auto& joint = s_.joints[j];
        const Pose& p = solver_.nodePose(joint.nodeB);
        const NodeMotion& m = motion[u(joint.nodeB)];
        v.block(3 * static_cast<Eigen::Index>(j), k, 3, 1) = (m.v + m.w.cross((p * joint.atB).p - p.p)) / s_.size;
      }
    }
    return v;
  }
  std::vector<double> scaled(const Eigen::VectorXd& y) const {
    std::vector<double> qd(u(s_.dofCount()));
    for (int i = 0; i < s_.dofCount(); ++i) qd[u(i)] = y[i] * s_.dofs[u(i)].scale;
    return qd;
  }

  void leftOver() {
    if (out_.left == 0) return;
    solver_.forward(home_);
    const Matrix idle = left_ * nullSpace(centreVelocities(left_), kRank);
    out_.idle = static_cast<int>(idle.cols());
    std::vector<NodeMotion> motion;
    const std::vector<double> zero(u(s_.dofCount()), 0.0);
    std::set<std::string> named;
    for (Eigen::Index k = 0; k < idle.cols(); ++k) {
      solver_.motion(scaled(idle.col(k)), zero, motion);
      for (std::size_t l = 0; l < r_.links.size(); ++l)
        if (motion[u(s_.nodeOfLink[l])].w.norm() > 1e-6 && named.insert(r_.links[l].name).second) {
          out_.leftFreedoms.push_back(r_.links[l].name + " turns about its own axis");
          break;
        }
    }
    // the others, each by the joint value that moves most and is not named yet
    Matrix rest = left_;
    for (int k = out_.idle; k < out_.left; ++k) {
      Eigen::Index row = 0;
      rest.rowwise().norm().maxCoeff(&row);
      const auto& dof = s_.dofs[u(static_cast<int>(row))];
      const auto& joint = s_.joints[u(dof.joint)];
      if (joint.source < 0) {
        const auto at = std::find(s_.floating.begin(), s_.floating.end(), dof.joint) - s_.floating.begin();
        const std::string text = r_.links[u(s_.floatLinks[static_cast<std::size_t>(at)])].name + " floats free";
        if (named.insert(text).second) out_.leftFreedoms.push_back(text);
      } else {
        const auto& source = r_.joints[u(joint.source)];
        const int value = dof.ball < 0 ? static_cast<int>(row) - joint.firstDof : 2;
        out_.leftFreedoms.push_back(
            fmt::format("{}: {}", source.name, model::infoOf(source.kind).values[u(value)].name));
      }
      // take that motion out of the rest
      const Eigen::RowVectorXd r = rest.row(row);
      if (r.norm() > 1e-12) rest -= rest * r.transpose() * r / r.squaredNorm();
    }
  }

  void redundant() {
    std::set<int> nodes(s_.nodeOfLink.begin(), s_.nodeOfLink.end());
    nodes.insert(0);
    int naive = 6 * (static_cast<int>(nodes.size()) - 1);
    for (const auto& j : s_.joints)
      if (j.source >= 0) naive -= 6 - j.dofs;
    naive -= static_cast<int>(s_.linear.size());
    out_.redundant = out_.freedoms - naive;
    if (out_.redundant <= 0) return;
    const int rank = numericalRank(A_, kRank);
    for (const auto& loop : s_.loops) {
      std::set<int> joints;
      for (const auto& m : loop.members) joints.insert(s_.dofs[u(m.dof)].joint);
      for (int j : joints) trace(j, rank);
    }
  }

  /// How many redundant rows go if the joint's kind gives more freedom: rank with the added columns less rank without.
  void trace(int index, int rank) {
    const auto& joint = s_.joints[u(index)];
    if (joint.source < 0) return;
    const auto& source = r_.joints[u(joint.source)];
    for (const auto& done : out_.redundantJoints)
      if (done.joint == source.name) return;
    const Pose f = solver_.nodePose(joint.nodeA) * joint.atA;
    struct Cure {
      const char* kind;
      std::vector<std::pair<bool, int>> motions;  // turn?, axis
    };
    std::vector<Cure> cures;
    if (source.kind == JointKind::revolute)
      cures = {{"cylindrical", {{false, 2}}}, {"spherical", {{true, 0}, {true, 1}}}};
    else if (source.kind == JointKind::prismatic)
      cures = {{"cylindrical", {{true, 2}}}};
    else if (source.kind == JointKind::cylindrical)
      cures = {{"spherical on a slide", {{true, 0}, {true, 1}}}};
    Mobility::Redundant found{source.name, 0, ""};
    for (const Cure& cure : cures) {
      Matrix wide(A_.rows(), A_.cols() + static_cast<Eigen::Index>(cure.motions.size()));
      wide.leftCols(A_.cols()) = A_;
      for (std::size_t k = 0; k < cure.motions.size(); ++k)
        wide.col(A_.cols() + static_cast<Eigen::Index>(k)) = column(index, f, cure.motions[k]);
      const int gain = numericalRank(wide, kRank) - rank;
      if (gain <= 0) continue;
      found.rows = std::max(found.rows, gain);
      found.cure += fmt::format("{}{} ({} less)", found.cure.empty() ? "" : ", ", cure.kind, gain);
    }
    if (found.rows > 0) out_.redundantJoints.push_back(std::move(found));
  }
  Eigen::VectorXd column(int joint, const Pose& f, const std::pair<bool, int>& motion) {
    Eigen::VectorXd c = Eigen::VectorXd::Zero(A_.rows());
    for (std::size_t i = 0; i < s_.loops.size(); ++i) {
      double sign = 0;
      for (const auto& m : s_.loops[i].members)
        if (s_.dofs[u(m.dof)].joint == joint) sign = m.sign;
      if (sign == 0) continue;
      const auto& closing = s_.joints[u(s_.loops[i].joint)];
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
};

}  // namespace

Mobility analyse(const System& system, const Resolved& resolved, const Home& home) {
  return Analysis(system, resolved, home).run();
}

}  // namespace cooperage::kinematics
