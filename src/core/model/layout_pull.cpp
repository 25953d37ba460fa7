// SPDX-License-Identifier: GPL-3.0-or-later
// Pivots pulled to other places.
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/index.h"
#include "model/drawn_dimensions.h"
#include "model/joint_edits.h"
#include "model/layout.h"
#include "model/layout_board.h"

namespace cooperage::model {

using namespace layout;

namespace {

/// A layout as points that are to be moved: each is where seats are pinned together.
class Puller {
 public:
  explicit Puller(const Board& b) : b_(b) {}

  Result<Mechanism> pull(Id seat, const Vec2& to) {
    const auto mine = seatOn(b_, seat);
    if (!mine.ok()) return mine.error();
    gather();
    const auto at = pointOf_.find(seat);
    if (at == pointOf_.end()) return Error{"pivot", "", "there is nothing to pull here"};
    pulled_ = at->second;
    for (const auto& l : b_.m.links)
      if (const auto s = relations(*l); !s.ok()) return s.error();
    if (fixed_[u(pulled_)] && !isGroundPoint(pulled_))
      return Error{"pivot", "", "this pivot is held by what it lies on"};
    if (fixed_[u(pulled_)]) freeOwnPoint();
    points_[u(pulled_)] = to;
    solve();
    return write();
  }

 private:
  struct Distance {
    int a, b;
    double want;
  };
  struct OnLine {
    int point;
    Vec2 at, normal;
  };
  struct Direction {
    int a, b;
    Vec2 normal;
  };

  void gather() {
    // pins unite seats, whatever their height
    std::map<Id, Id> parent;
    const std::function<Id(Id)> root = [&](Id s) {
      const auto it = parent.find(s);
      return it == parent.end() || it->second == s ? s : root(it->second);
    };
    for (const auto& j : b_.m.joints)
      if (j->enabled && j->kind == JointKind::revolute) {
        const Id a = root(j->seats[0]), z = root(j->seats[1]);
        if (a != z) parent[a] = z;
      }
    std::map<Id, int> index;
    for (const auto& l : b_.m.links)
      for (const auto& s : l->seats) {
        const auto there = seatOn(b_, s->id);
        if (!there.ok()) continue;  // axes that lie in the plane: guides
        const auto [it, fresh] = index.emplace(root(s->id), static_cast<int>(points_.size()));
        if (fresh) {
          points_.push_back(there->at);
          fixed_.push_back(false);
          ground_.push_back(false);
        }
        pointOf_[s->id] = it->second;
        if (l->ground) {
          points_[u(it->second)] = there->at;
          fixed_[u(it->second)] = ground_[u(it->second)] = true;
        }
      }
  }
  bool isGroundPoint(int p) const { return ground_[u(p)]; }
  /// A pivot of ground moves if no dimension holds it.
  void freeOwnPoint() {
    for (const auto& l : b_.m.links) {
      if (!l->ground) continue;
      for (const auto& s : l->seats)
        if (const auto it = pointOf_.find(s->id);
            it != pointOf_.end() && it->second == pulled_ && isHeldByDimension(*l, s->id))
          return;
    }
    fixed_[u(pulled_)] = false;
  }
  static bool isHeldByDimension(const Link& l, Id seat) {
    return std::any_of(l.dimensions.begin(), l.dimensions.end(), [&](const auto& d) {
      return std::any_of(d->of.begin(), d->of.end(), [&](const DimensionEnd& e) { return e.object == seat; });
    });
  }

  Status relations(const Link& l) {
    std::vector<std::pair<Id, int>> own;
    for (const auto& s : l.seats)
      if (const auto it = pointOf_.find(s->id); it != pointOf_.end()) own.emplace_back(s->id, it->second);
    slides(l, own);
    if (l.ground) return Done{};
    const bool onlyLengths = std::all_of(l.dimensions.begin(), l.dimensions.end(), [](const auto& d) {
      return d->kind == DimensionKind::length && d->of.size() == 2;
    });
    if (!isDrawn(l) || !onlyLengths) {
      for (std::size_t i = 0; i < own.size(); ++i)
        for (std::size_t k = i + 1; k < own.size(); ++k)
          if (own[i].second != own[k].second)
            distances_.push_back(
                {own[i].second, own[k].second, (points_[u(own[i].second)] - points_[u(own[k].second)]).norm()});
      rigid_.insert(l.id);
    } else {
      for (const auto& d : l.dimensions) {
        const auto a = pointOf_.find(d->of[0].object), z = pointOf_.find(d->of[1].object);
        if (a == pointOf_.end() || z == pointOf_.end()) continue;
        const auto want = evaluateField(b_.m, d->value, dimension::kLength);
        if (!want.ok()) return want.error();
        distances_.push_back({a->second, z->second, *want});
      }
    }
    for (const auto& j : b_.m.joints)  // a home value that was typed holds its link's direction
      if (j->enabled && j->kind == JointKind::revolute && j->home.count("turn") > 0 && own.size() > 1) {
        const auto other = findSeat(b_.m, j->seats[0]);
        const auto mine = findSeat(b_.m, j->seats[1]);
        if (!other || !mine || mine->link->id != l.id || !other->link->ground) continue;
        const int a = pointOf_.count(mine->seat->id) ? pointOf_[mine->seat->id] : -1;
        for (const auto& [seat, p] : own)
          if (a >= 0 && p != a) {
            const Vec2 way = points_[u(p)] - points_[u(a)];
            if (way.norm() > 0) directions_.push_back({a, p, Vec2(-way.y(), way.x()).normalized()});
            break;
          }
      }
    return Done{};
  }
  /// What slides on ground stays on its line.
  void slides(const Link& l, const std::vector<std::pair<Id, int>>& own) {
    for (const auto& j : b_.m.joints) {
      if (!j->enabled || j->kind != JointKind::prismatic) continue;
      const auto a = findSeat(b_.m, j->seats[0]), z = findSeat(b_.m, j->seats[1]);
      if (!a || !z || (z->link->id != l.id && a->link->id != l.id)) continue;
      const auto& other = z->link->id == l.id ? a : z;
      if (!other->link->ground) continue;
      const auto frame = frameOf(b_.m, *other->seat);
      if (!frame.ok()) continue;
      const Vec3 way = b_.plane.R.transpose() * (linkPose(b_.m, other->link->id, b_.poses) * *frame).R.col(2);
      const Vec2 normal(-way.y(), way.x());
      for (const auto& [seat, p] : own) lines_.push_back({p, points_[u(p)], normal});
    }
  }

  struct Row {
    double miss;
    std::vector<std::pair<int, Vec2>> slopes;
  };
  std::vector<Row> rows() const {
    std::vector<Row> out;
    for (const Distance& d : distances_) {
      const Vec2 v = points_[u(d.b)] - points_[u(d.a)];
      const Vec2 g = v.norm() > 0 ? Vec2(v.normalized()) : Vec2(1, 0);
      out.push_back({v.norm() - d.want, {{d.b, g}, {d.a, -g}}});
    }
    for (const OnLine& l : lines_) out.push_back({l.normal.dot(points_[u(l.point)] - l.at), {{l.point, l.normal}}});
    for (const Direction& d : directions_)
      out.push_back({d.normal.dot(points_[u(d.b)] - points_[u(d.a)]), {{d.b, d.normal}, {d.a, -d.normal}}});
    return out;
  }
  /// Least motion that meets all relations; the pulled point gives way last.
  void solve() {
    double size = 1e-9;
    for (const Vec2& p : points_) size = std::max(size, p.norm());
    for (int k = 0; k < 80; ++k) {
      const auto list = rows();
      double worst = 0;
      for (const Row& r : list) worst = std::max(worst, std::abs(r.miss));
      if (worst <= 1e-14 * size) return;
      Eigen::MatrixXd J =
          Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(list.size()), static_cast<Eigen::Index>(2 * points_.size()));
      Eigen::VectorXd r(list.size());
      for (std::size_t i = 0; i < list.size(); ++i) {
        r[static_cast<Eigen::Index>(i)] = list[i].miss;
        for (const auto& [p, g] : list[i].slopes) {
          if (fixed_[u(p)]) continue;
          const double w = weight(p);
          J(static_cast<Eigen::Index>(i), 2 * p) += w * g.x();
          J(static_cast<Eigen::Index>(i), 2 * p + 1) += w * g.y();
        }
      }
      Eigen::CompleteOrthogonalDecomposition<Eigen::MatrixXd> cod;
      cod.setThreshold(1e-9);
      cod.compute(J);
      Eigen::VectorXd step = -cod.solve(r);
      for (std::size_t p = 0; p < points_.size(); ++p)
        step.segment<2>(static_cast<Eigen::Index>(2 * p)) *= weight(static_cast<int>(p));
      const double limit = 0.3 * size / std::max(0.3 * size, step.cwiseAbs().maxCoeff());
      for (std::size_t p = 0; p < points_.size(); ++p)
        points_[p] += limit * Vec2(step[static_cast<Eigen::Index>(2 * p)], step[static_cast<Eigen::Index>(2 * p + 1)]);
    }
  }
  double weight(int p) const { return p == pulled_ ? 1e-3 : 1; }

  /// Links stand on their points: the first pivot is the origin, the second gives the direction.
  Result<Mechanism> write() {
    Mechanism out = b_.m;
    for (const auto& l : b_.m.links) {
      std::vector<std::pair<Id, Vec2>> own;
      for (const auto& s : l->seats)
        if (const auto it = pointOf_.find(s->id); it != pointOf_.end()) own.emplace_back(s->id, points_[u(it->second)]);
      if (own.empty()) continue;
      Pose pose = linkPose(b_.m, l->id, b_.poses);
      if (!l->ground) {
        const Vec2 before0 = seatOn(b_, own[0].first)->at;
        double turn = 0;
        if (own.size() > 1) {
          const Vec2 before = seatOn(b_, own[1].first)->at - before0, now = own[1].second - own[0].second;
          if (before.norm() > 0 && now.norm() > 0)
            turn = std::atan2(before.x() * now.y() - before.y() * now.x(), before.dot(now));
        }
        const Pose inSheet = b_.plane.inverse() * pose;
        Pose moved;
        moved.R = rotationAbout(2, turn) * inSheet.R;
        const Vec3 arm = rotationAbout(2, turn) * (inSheet.p - Vec3(before0.x(), before0.y(), 0));
        moved.p = Vec3(own[0].second.x(), own[0].second.y(), 0) + arm;
        pose = b_.plane * moved;
        const auto stands = poseOf(b_.m, l->placement);
        if (!stands.ok() || (stands->p - pose.p).norm() > 1e-13 || (stands->R - pose.R).norm() > 1e-13)
          out = changedLink(out, l->id, [&](Link& x) { x.placement = placementOf(pose, b_.m.units); });
        if (rigid_.count(l->id) > 0) continue;
      }
      std::vector<PointMove> moves;
      for (const auto& [seat, at] : own) {
        const Vec2 there = (pose.inverse() * b_.space(at)).head<2>();
        const auto frame = frameOf(b_.m, *findSeat(b_.m, seat)->seat);
        if (frame.ok() && (frame->p.head<2>() - there).norm() > 1e-13) moves.push_back({seat, there});
      }
      if (moves.empty()) continue;
      auto next = withPointsMoved(out, l->id, moves);
      if (!next.ok()) return next;
      out = std::move(next).value();
    }
    return out;
  }

  const Board& b_;
  std::map<Id, int> pointOf_;
  std::vector<Vec2> points_;
  std::vector<bool> fixed_, ground_;
  std::vector<Distance> distances_;
  std::vector<OnLine> lines_;
  std::vector<Direction> directions_;
  std::set<Id> rigid_;
  int pulled_ = -1;
};

}  // namespace

Result<Mechanism> withPivotPulled(const Mechanism& m, Id sheet, Id seat, const Vec2& to,
                                  const std::vector<Pose>& poses) {
  const auto board = Board::on(m, sheet, poses);
  if (!board.ok()) return board.error();
  return Puller(*board).pull(seat, to);
}

}  // namespace cooperage::model
