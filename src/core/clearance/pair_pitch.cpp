// SPDX-License-Identifier: GPL-3.0-or-later
// PairTravel: gears and the like, which look the same again after one pitch. Two parts that turn about axes fixed in
// what lies between them, or slide along one, tied by a fixed ratio, stand to one another as one value says; if either
// looks the same after a whole turn over its teeth, what holds at all values of one pitch holds for ever. A rack looks
// the same but for its ends: it is a piece of one that goes on, and what that does not meet it does not.
#include <tbb/collaborative_call_once.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cmath>

#include "clearance/pair_travel.h"
#include "base/index.h"
#include "clearance/swept_space.h"

namespace cooperage::clearance {
namespace {

constexpr int kPitchCells = 16;         // of a pitch to begin with
constexpr int kPitchHalvings = 14;      // of one of them
constexpr std::size_t kMostLeft = 500;  // pairs of leaves that are kept for the halves of a cell
constexpr int kMostPitches = 64;        // after which both must look the same again
constexpr double kSame = 1e-9;          // rad: a row of teeth lies along its slide

bool slides(const kinematics::Twist& t) { return t.w.squaredNorm() == 0; }
Pose moved(const kinematics::Twist& t, double value, const Pose& pose) {
  if (slides(t)) return {pose.R, pose.p + value * t.v};
  const Mat3 R = rotationOf(value * t.w);
  return {R * pose.R, R * (pose.p - t.at) + t.at};
}

/// Does a part move in itself, and after how much does it look the same (0: always)?
std::optional<double> periodOf(const Part& part, const Pose& pose, const kinematics::Twist& t) {
  if (slides(t)) {
    if (part.row == 0 || (pose.R * part.rowAlong).cross(t.v).norm() > kSame) return {};
    return part.row / t.v.norm();
  }
  if ((part.fold == 0 && !part.revolves) || !part.turnsInItself(pose, t.at, t.w)) return {};
  return part.fold > 0 ? 2 * kPi / part.fold : 0;
}
/// How far a place at some distance from the axis moves for one of the value.
double armOf(const kinematics::Twist& t, double radius) { return slides(t) ? t.v.norm() : radius; }

/// Triangles of a body that may meet what moves along the other axis while it moves itself between two values.
std::vector<char> within(const shape::Mesh& mesh, const Pose& pose, const kinematics::Twist& about, double from,
                         double to, const SweptSpace& other, double margin) {
  const Pose middle = moved(about, 0.5 * (from + to), pose);
  const Vec3 axis = (slides(about) ? about.v : about.w).normalized();
  // the chord of a turn is no longer than the circle is wide
  const double half = 0.5 * std::abs(to - from), swing = slides(about) ? half : std::min(2.0, half);
  std::vector<char> out(mesh.triangles.size(), 0);
  for (std::size_t i = 0; i < out.size(); ++i) {
    std::array<Vec3, 3> t;
    double radius = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      t[k] = middle * mesh.vertices[u(mesh.triangles[i][k])];
      radius = std::max(radius, (t[k] - about.at).cross(axis).norm());
    }
    out[i] = other.reaches(t, swing * armOf(about, radius) + margin) ? 1 : 0;
  }
  return out;
}

/// Trees of those triangles alone, as they are and moved inwards.
struct Teeth {
  MeshTree whole, shrunk;
};
Teeth teethOf(const Facets& facets, double shrink, const std::vector<char>& keep) {
  shape::Mesh part;
  part.vertices = facets.mesh().vertices;
  std::vector<char> corners(part.vertices.size(), 0);
  for (std::size_t i = 0; i < keep.size(); ++i) {
    if (!keep[i]) continue;
    part.triangles.push_back(facets.mesh().triangles[i]);
    for (const int v : part.triangles.back()) corners[u(v)] = 1;
  }
  // the corners beside them say which way a corner moves: of the whole mesh
  shape::Mesh inner = clearance::shrunk(facets.mesh(), shrink, facets.distance(), &corners);
  inner.triangles = part.triangles;
  MeshTree whole(part), shrunk(whole, inner);
  return {std::move(whole), std::move(shrunk)};
}

bool whole(double x) { return std::abs(x - std::round(x)) < 1e-9; }

}  // namespace

/// Move along one of the two axes in the middle of an interval, and how far it gets from there.
std::pair<double, double> PairTravel::movesAt(const kinematics::IntervalMotion& m, std::size_t from,
                                              std::size_t to) const {
  double value = 0, linear = 0, rest = 0;
  for (std::size_t k = from; k < to; ++k) {
    const std::size_t d = u(path_.steps[k].dof);
    value += moves_->sense[k] * m.value[d];
    linear += moves_->sense[k] * m.linear[d];
    rest += m.rest[d];
  }
  return {value, std::abs(linear) + rest};
}

std::unique_ptr<Pitch> PairTravel::makePitch(PartPair& p, const kinematics::IntervalMotion& m) {
  const Pose &pa = m.links[u(a_)], &pb = m.links[u(b_)];
  const auto& second = m.twists[u(path_.steps[0].dof)];
  const auto& first = m.twists[u(path_.steps[moves_->split].dof)];
  if (slides(first) && slides(second)) return nullptr;  // either would have to go on for ever
  const double ratio = moves_->ratio;
  const auto periodX = periodOf(*p.x, pa, first), periodY = periodOf(*p.y, pb, second);
  if (!periodX || !periodY || (*periodX == 0 && *periodY == 0)) return nullptr;
  // the least move after which both look the same
  auto pitch = std::make_unique<Pitch>();
  const double one = *periodX > 0 ? *periodX : *periodY / std::abs(ratio);
  for (int k = 1; k <= kMostPitches && pitch->length == 0; ++k)
    if (*periodY == 0 || whole(k * one * ratio / *periodY)) pitch->length = k * one;
  if (pitch->length == 0) return nullptr;
  pitch->from = movesAt(m, moves_->split, path_.steps.size()).first;
  pitch->offset = movesAt(m, 0, moves_->split).first - ratio * pitch->from;
  // racks that go on, as far as the other can reach in the whole pitch
  PartPtr longX, longY;
  PartPair q;
  q.x = p.x;
  q.y = p.y;
  q.fx = p.fx;
  q.fy = p.fy;
  const auto goOn = [&](const Part& rack, const Pose& toRack, const Part& other, double way, PartPtr& made) {
    const double reach = 2 * (other.radius + way) + (other.centre - other.axisAt).norm();
    made = rack.longer(toRack * other.centre, 2 * static_cast<int>(std::ceil(reach / rack.row)) + 4);
    return made != nullptr;
  };
  if (slides(first)) {
    if (!goOn(*p.x, pa.inverse() * pb, *p.y, pitch->length, longX)) return nullptr;
    q.x = longX.get();
    q.fx = &longX->fine();
  }
  if (slides(second)) {
    if (!goOn(*p.y, pb.inverse() * pa, *p.x, std::abs(ratio) * pitch->length, longY)) return nullptr;
    q.y = longY.get();
    q.fy = &longY->fine();
  }
  const Part &x = *q.x, &y = *q.y;

  // the same motion, along the axes as they lie here: the second moves by the ratio against the first
  kinematics::IntervalMotion still;
  still.proven = true;
  still.size = m.size;
  still.twists = {second, first};
  still.rest = {0, 0};
  still.value = {0, 0};
  still.links.resize(2);
  kinematics::PairPath path;
  path.steps = {{0, 1}, {1, 1}};
  path.connected = true;
  const double margin = p.errors + 1e-7;
  // a corner moves inwards by four times what its mesh is shrunk by at most, see shrunk()
  constexpr double kMostShrunk = 4;
  std::optional<Teeth> teethX, teethY;
  // Whoever waits here must not take up another piece of the same pair's travel, which would wait for this one.
  tbb::this_task_arena::isolate([&] {
    tbb::parallel_invoke(
        [&] {
          const SweptSpace y2(q.fy->mesh(), pb, second);
          teethX = teethOf(*q.fx, p.shrinkX,
                           within(q.fx->mesh(), pa, first, -pitch->length, 0, y2, margin + kMostShrunk * p.shrinkX));
        },
        [&] {
          const SweptSpace x2(q.fx->mesh(), pa, first);
          teethY =
              teethOf(*q.fy, p.shrinkY,
                      within(q.fy->mesh(), pb, second, 0, ratio * pitch->length, x2, margin + kMostShrunk * p.shrinkY));
        });
  });
  struct Piece {  // of the pitch
    std::vector<double> ends;
    std::vector<int> found;
    MeshTree::Hot whole;
  };
  using Leaves = std::vector<MeshTree::LeafPair>;  // that could overlap; none where there are too many to keep
  const auto look = [&](double low, double high, Piece& piece, const Leaves& before, Leaves& left) {
    const double middle = 0.5 * (low + high), half = 0.5 * (high - low);
    // seen from what lies between, the first moves back
    kinematics::IntervalMotion at = still;
    at.links[0] = moved(first, -middle, pa);
    at.links[1] = moved(second, ratio * middle, pb);
    at.linear = {ratio * half, half};
    const Motion motion = at.pair(path, 0, 1, y.centre, y.radius);
    const Pose bInA = at.links[0].inverse() * at.links[1];
    const bool in = inside(q, at.links[0], at.links[1], 0);
    if (!in && MeshTree::apart(teethX->whole, teethY->whole, bInA, motion, margin, &piece.whole)) return 0;
    if (in && inside(q, at.links[0], at.links[1], p.shrinkX + p.shrinkY)) return 2;
    const Leaves* only = before.empty() ? nullptr : &before;
    return MeshTree::apart(only, teethX->shrunk, teethY->shrunk, bInA, motion, 0, kMostLeft, left) ? 1 : 2;
  };
  using Go = std::function<void(double, double, int, const Leaves&, Piece&)>;
  const Go go = [&](double low, double high, int depth, const Leaves& before, Piece& piece) {
    if (cancelled()) return;
    Leaves left;
    const int found = look(low, high, piece, before, left);
    const double way = (high - low) * (armOf(first, x.radius) + std::abs(ratio) * armOf(second, y.radius));
    if (found == 2 && depth < kPitchHalvings && way > 0.25 * (p.shrinkX + p.shrinkY)) {
      go(low, 0.5 * (low + high), depth + 1, left, piece);
      go(0.5 * (low + high), high, depth + 1, left, piece);
      return;
    }
    piece.ends.push_back(high);
    piece.found.push_back(found);
  };
  std::vector<Piece> pieces(kPitchCells);
  tbb::this_task_arena::isolate([&] {
    tbb::parallel_for(0, kPitchCells, [&](int k) {
      go(pitch->length * k / kPitchCells, pitch->length * (k + 1) / kPitchCells, 0, {}, pieces[u(k)]);
    });
  });
  pitch->ends = {0};
  for (const Piece& piece : pieces) {
    pitch->ends.insert(pitch->ends.end(), piece.ends.begin(), piece.ends.end());
    pitch->found.insert(pitch->found.end(), piece.found.begin(), piece.found.end());
  }
  if (std::find(pitch->found.begin(), pitch->found.end(), 0) == pitch->found.end()) p.shared->neverFree = true;
  return pitch;
}

struct Guided::Of::Together {
  tbb::collaborative_once_flag flag;
};
Guided::Of::Of() : pitchOnce(std::make_unique<Together>()) {}
Guided::Of::~Of() = default;

const Pitch* PairTravel::pitchOf(PartPair& p, const kinematics::IntervalMotion& m) {
  tbb::collaborative_call_once(p.shared->pitchOnce->flag, [&] { p.shared->pitch = makePitch(p, m); });
  return p.shared->pitch.get();
}

/// Two of the parts touch at every move of their pitch.
bool PairTravel::neverFree() const {
  return std::any_of(parts_.begin(), parts_.end(), [](const PartPair& p) { return p.shared->neverFree.load(); });
}

/// What is known of the angles that an interval goes through; none where this isn't such a pair.
std::optional<PairTravel::Found> PairTravel::byPitch(PartPair& p, const kinematics::IntervalMotion& m) {
  if (!moves_ || !m.proven || !p.fine || (p.x->fold == 0 && p.y->fold == 0)) return {};
  const Pitch* pitch = pitchOf(p, m);
  if (!pitch || cancelled()) return {};
  const auto [turn, way] = movesAt(m, moves_->split, path_.steps.size());
  // the coupling is solved to rounding: were it not, the table would not hold
  const double off = movesAt(m, 0, moves_->split).first - moves_->ratio * turn - pitch->offset;
  if (!(std::abs(off) < 1e-9 * (1 + std::abs(turn)))) return {};
  int worst = 0;
  const auto over = [&](double low, double high) {
    auto k =
        static_cast<std::size_t>(std::upper_bound(pitch->ends.begin(), pitch->ends.end(), low) - pitch->ends.begin());
    for (k = k > 0 ? k - 1 : 0; k < pitch->found.size() && pitch->ends[k] <= high; ++k)
      worst = std::max(worst, pitch->found[k]);
  };
  constexpr double kSlack = 1e-9;  // rad or m: an end of a cell is in both
  double low = turn - way - pitch->from - kSlack;
  const double high = low + 2 * way + 2 * kSlack;
  if (high - low >= pitch->length) {
    over(0, pitch->length);
  } else {
    const double begin = low - pitch->length * std::floor(low / pitch->length), end = begin + (high - low);
    over(begin, std::min(end, pitch->length));
    if (end > pitch->length) over(0, end - pitch->length);
  }
  return worst == 0 ? Found::free : worst == 1 ? Found::meeting : Found::open;
}

}  // namespace cooperage::clearance
