// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope.h"

#include <fmt/format.h>
#include <openvdb/openvdb.h>
#include <tbb/parallel_for.h>

#include <array>
#include <chrono>
#include <random>
#include <tuple>

#include "base/index.h"
#include "clearance/distance.h"
#include "clearance/outline.h"
#include "clearance/pair_travel.h"
#include "clearance/plane_sweep.h"
#include "clearance/sweep_cover.h"
#include "clearance/sweep_grid.h"
#include "clearance/sweep_parts.h"

namespace cooperage::clearance {
namespace {

using kinematics::TravelStep;
using sweep_grid::kBlock;
constexpr double kMemory = 4.0e9;  // bytes; more would not fit the machines this is for
constexpr int kSamples = 3000;     // of the surface, to see how true it is

class Sweeper {
 public:
  Sweeper(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
          shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress)
      : run_(run), measurer_(measurer), travel_(travel), store_(store), options_(options), progress_(progress) {}

  Result<Envelope> go() {
    openvdb::initialize();
    if (const Status s = prepare(); !s.ok()) return s.error();
    if (plane_) return inPlane();
    if (const Status s = fill(); !s.ok()) return s.error();
    Envelope e;
    e.voxel = h_;
    e.poses = static_cast<int>(poses_.size());
    e.prepareSeconds = prepareSeconds_;
    e.sweepSeconds = sweepSeconds_;
    // between two poses the nearest is looked for down to a sixteenth of their way
    const double way = options_.onlySteps ? 0 : spacing_ / 16;
    e.error = way + tessellation_ + 0.5 * h_;
    e.mesh = meshOf(*grid_, h_, 0);
    if (e.mesh.triangles.empty())
      return Error{"envelope", "", "the envelope is empty; is the accuracy finer than the part?"};
    e.light = meshOf(*grid_, h_, 0, 0.6);
    judgeVolume(e, way);
    if (cancelled()) return stopped();
    measure(e);
    return e;
  }

  Result<EnvelopeEstimate> estimate() {
    if (const Status s = prepare(); !s.ok()) return s.error();
    return plane_ ? estimateInPlane() : estimateNow(frameOf());
  }

 private:
  struct Frame;
  /// Box and outline of what was made.
  void measure(Envelope& e) const {
    e.boxLow = Vec3::Constant(1e300);
    e.boxHigh = -e.boxLow;
    for (const Vec3& v : e.mesh.vertices) {
      e.boxLow = e.boxLow.cwiseMin(v);
      e.boxHigh = e.boxHigh.cwiseMax(v);
    }
    if (options_.outlineAxis >= 0) e.outlineArea = outlineOf(e.mesh, options_.outlineAxis, e.voxel / 8).area;
  }

  /// The sweep of bodies that keep to a plane: by its outline.
  Result<Envelope> inPlane() {
    const EnvelopeEstimate ahead = estimateInPlane();
    if (const Status s = allowed(ahead); !s.ok()) return s.error();
    const auto started = std::chrono::steady_clock::now();
    auto made = plane_->sweep(accuracy_, spacing_, !options_.onlySteps, progress_);
    if (!made.ok()) return made.error();
    Envelope e;
    e.voxel = accuracy_;
    e.poses = ahead.poses;
    e.sweepSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    e.error = made->error;
    e.mesh = std::move(made->mesh);
    e.light = e.mesh;
    e.volume = made->volume;
    e.low = made->low;
    e.high = made->high;
    measure(e);
    return e;
  }
  EnvelopeEstimate estimateInPlane() const {
    EnvelopeEstimate out;
    out.accuracy = accuracy_;
    out.poses = static_cast<int>(poses_.size());
    // triangles along the rim, of about four times the part's size; measured on two cores
    const double cells = plane_->cells(accuracy_);
    out.bytes = 3e7 + 2000 * cells + 100.0 * out.poses;
    out.seconds = 0.3 + 3e-5 * cells + 1e-4 * out.poses;
    out.fits = out.bytes < kMemory;
    return out;
  }
  /// Refuses what won't end, and tells what is to come.
  Status allowed(const EnvelopeEstimate& ahead) const {
    if (!ahead.fits)
      return Error{"envelope", "",
                   fmt::format("an accuracy of {:.3g} mm would need about {:.1f} GB; ask for a coarser one",
                               accuracy_ * 1e3, ahead.bytes / 1e9)};
    if (ahead.seconds > options_.mostSeconds)
      return Error{
          "envelope", "",
          fmt::format("an accuracy of {:.3g} mm would take about {:.1f} hours; ask for a coarser one or a part of "
                      "the travel",
                      accuracy_ * 1e3, ahead.seconds / 3600)};
    if (options_.told) options_.told(ahead);
    return Done{};
  }

  EnvelopeEstimate estimateNow(const Frame& frame) const {
    EnvelopeEstimate out;
    out.accuracy = accuracy_;
    out.poses = static_cast<int>(poses_.size());
    // the field and the triangles that are drawn from it, two to a voxel at the surface
    const double surface = frame.surfaceBytes / (kBlock * sizeof(float));
    out.bytes = frame.surfaceBytes * 3 + surface * 100;
    for (const SweptPart& p : parts_) out.bytes += 2 * fieldBytes(p);
    // blocks at the surface meet a share of the poses; measured on two cores, 40 ns a voxel and pose
    const double surfaceBlocks = frame.surfaceBytes / (kBlock * kBlock * kBlock * sizeof(float));
    out.seconds = 0.3 + surfaceBlocks * kBlock * kBlock * kBlock * 4e-8 * std::min<double>(out.poses, 12);
    out.fits = out.bytes < kMemory;
    return out;
  }

  bool cancelled() const { return progress_ && progress_->cancelled(); }
  static Error stopped() { return {"cancelled", "", "cancelled", true}; }

  /// Parts, poses, and how the sweep is to be done.
  Status prepare() {
    auto parts = sweptParts(run_.resolved(), options_.links, store_, progress_);
    if (!parts.ok()) return parts.error();
    parts_ = std::move(*parts);
    double size = 0;
    for (const SweptPart& p : parts_) size = std::max(size, (p.high - p.low).maxCoeff());
    accuracy_ = options_.accuracy > 0 ? options_.accuracy : size / 200;
    if (std::all_of(parts_.begin(), parts_.end(), [](const SweptPart& p) { return p.convex.has_value(); })) {
      if (const Status s = choosePoses(); !s.ok()) return s;
      std::vector<Convex> bodies;
      std::vector<std::vector<Pose>> stands;
      for (const SweptPart& p : parts_) {
        bodies.push_back(*p.convex);
        stands.emplace_back();
        for (const auto& poses : poses_) stands.back().push_back(poses[indexOf(p.link)] * p.convex->placement);
      }
      plane_ = PlaneSweep::of(bodies, stands, options_.clearance, 1e-3 * accuracy_);
      if (plane_) return Done{};
    }
    const double before = accuracy_;
    for (const SweptPart& p : parts_) {
      auto fits = thickEnough(p, store_, accuracy_, options_.accuracy <= 0 ? size / 500 : accuracy_, progress_);
      if (!fits.ok()) return fits.error();
      accuracy_ = *fits;
    }
    h_ = accuracy_;
    if (std::any_of(parts_.begin(), parts_.end(), [](const SweptPart& p) { return !p.closed; }))
      tessellation_ = 0.02 * accuracy_;
    for (SweptPart& p : parts_)
      if (const Status s = meshPart(p, store_, tessellation_, progress_); !s.ok()) return s;
    if (!poses_.empty() && accuracy_ == before) return Done{};
    poses_.clear();
    spacing_ = 0;
    return choosePoses();
  }

  /// Pose of the swept links in the target axes.
  void posesAt(double t, std::vector<Pose>& out) {
    TravelStep s;
    run_.poseAt(travel_, t, s);
    measurer_.linkPoses(s, scratch_);
    const Pose inverse = options_.in < 0 ? Pose{} : scratch_[u(options_.in)].inverse();
    out.clear();
    for (int link : options_.links) out.push_back(inverse * scratch_[u(link)]);
  }
  /// Largest way of any corner of the parts' boxes between two poses.
  double wayBetween(const std::vector<Pose>& a, const std::vector<Pose>& b) const {
    double way = 0;
    for (const SweptPart& p : parts_) {
      const std::size_t k = indexOf(p.link);
      for (int i = 0; i < 8; ++i) {
        const Vec3 c(i & 1 ? p.high.x() : p.low.x(), i & 2 ? p.high.y() : p.low.y(), i & 4 ? p.high.z() : p.low.z());
        way = std::max(way, (a[k] * c - b[k] * c).norm());
      }
    }
    return way;
  }

  /// Poses so close that no point moves farther than a voxel between two of them, by bounds of the motion between them
  /// and not by how far apart they are: a link may have gone round. What lies between is looked for afterwards, where
  /// it matters.
  Status choosePoses() {
    const double first = options_.from.value_or(travel_.steps.front().t),
                 last = options_.to.value_or(travel_.steps.back().t);
    std::vector<double> times{first};
    for (const auto& s : travel_.steps)
      if (s.t > first && s.t < last) times.push_back(s.t);
    for (std::size_t d = 0; d < run_.resolved().drives.size() && !options_.onlySteps; ++d)
      if (const int k = run_.activeDrive(static_cast<int>(d)); k >= 0 && !run_.settings().reverseAtLimit)
        for (const double t : run_.programme(k).breaks())
          if (t > first && t < last) times.push_back(t);
    if (last > first) times.push_back(last);
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    std::vector<Pose> here;
    posesAt(times.front(), here);
    poses_.push_back(here);
    Intervals intervals(run_, travel_);
    int base = options_.in;  // a link that stands where the target axes do
    for (std::size_t l = 0; base < 0 && l < run_.resolved().links.size(); ++l)
      if (run_.resolved().links[l].ground) base = static_cast<int>(l);
    if (base < 0 && !options_.onlySteps)
      return Error{"envelope", "", "no link is ground: there is nothing that the others move against; ground one"};
    std::vector<kinematics::PairPath> paths;
    for (int link : options_.links) paths.push_back(base < 0 ? kinematics::PairPath{} : intervals.path(base, link));
    for (std::size_t i = 1; i < times.size(); ++i) {
      if (cancelled()) return stopped();
      if (!options_.onlySteps) {
        if (const Status s = goOn(intervals, base, paths, times[i - 1], times[i], 0); !s.ok()) return s.error();
      } else {
        posesAt(times[i], here);
        spacing_ = std::max(spacing_, wayBetween(poses_.back(), here));
        if (wayBetween(poses_.back(), here) > 1e-12) poses_.push_back(here);
      }
    }
    return Done{};
  }

  /// How far any point of a swept part gets from its place in the middle of an interval, at most.
  double wayIn(const kinematics::IntervalMotion& m, int base, const std::vector<kinematics::PairPath>& paths) const {
    double most = 0;
    for (const SweptPart& p : parts_) {
      if (p.link == base) continue;
      const Vec3 centre = 0.5 * (p.low + p.high);
      const double radius = 0.5 * (p.high - p.low).norm();
      const auto motion = m.pair(paths[indexOf(p.link)], base, p.link, centre, radius);
      const Vec3 c = m.links[u(base)].inverse() * (m.links[u(p.link)] * centre);
      most = std::max(
          most, (motion.shift + motion.turn.cross(c)).norm() + motion.restOf(c, radius) + motion.turn.norm() * radius);
    }
    return most;
  }

  /// Adds the poses of an interval up to its end.
  Status goOn(Intervals& intervals, int base, const std::vector<kinematics::PairPath>& paths, double from, double to,
              int depth) {
    constexpr std::size_t kMostPoses = 200000;
    if (cancelled()) return stopped();
    const auto m = intervals.over(from, to);
    const double middle = 0.5 * (from + to);
    if (m && wayIn(*m, base, paths) <= 0.5 * accuracy_) {
      std::vector<Pose> at;
      posesAt(to, at);
      const double way = wayBetween(poses_.back(), at);
      spacing_ = std::max(spacing_, way);
      if (way > 1e-12) poses_.push_back(std::move(at));
      if (poses_.size() > kMostPoses)
        return Error{"envelope", "", "the envelope needs more than 200,000 poses at this accuracy; ask for less"};
      return Done{};
    }
    if (depth > 60 || !(from < middle && middle < to))
      return Error{"envelope", "",
                   fmt::format("the motion about {:.6g} s can't be followed closely enough to sweep it", middle)};
    if (const Status s = goOn(intervals, base, paths, from, middle, depth + 1); !s.ok()) return s;
    return goOn(intervals, base, paths, middle, to, depth + 1);
  }

  struct Frame {
    std::array<int, 3> from{0, 0, 0}, count{0, 0, 0};
    double surfaceBytes = 0;
  };
  double fieldOuter() const { return options_.clearance + (sweep_grid::kBand + sweep_grid::kReach + 3) * h_; }
  double fieldBytes(const SweptPart& p) const {
    return p.closed ? 0 : Field::bytes(p.high - p.low, p.area, h_, fieldOuter(), sweep_grid::kFine);
  }
  Frame frameOf() const {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const SweptPart& p : parts_) {
      const std::size_t k = indexOf(p.link);
      for (const auto& poses : poses_)
        for (int i = 0; i < 8; ++i) {
          const Vec3 c = poses[k] * Vec3(i & 1 ? p.high.x() : p.low.x(), i & 2 ? p.high.y() : p.low.y(),
                                         i & 4 ? p.high.z() : p.low.z());
          low = low.cwiseMin(c);
          high = high.cwiseMax(c);
        }
    }
    Frame f;
    const double grow = options_.clearance + (sweep_grid::kBand + 1) * h_;
    const auto index = [&](double x) { return static_cast<int>(std::floor(x / (kBlock * h_))); };
    for (int a = 0; a < 3; ++a) {
      f.from[u(a)] = index(low[a] - grow);
      f.count[u(a)] = index(high[a] + grow) - f.from[u(a)] + 1;
    }
    // only blocks at the surface keep their voxels: about the area of the box in blocks
    const double a = f.count[0], b = f.count[1], c = f.count[2];
    f.surfaceBytes = 2 * (a * b + b * c + c * a) * kBlock * kBlock * kBlock * sizeof(float);
    return f;
  }

  std::size_t indexOf(int link) const {
    return static_cast<std::size_t>(std::find(options_.links.begin(), options_.links.end(), link) -
                                    options_.links.begin());
  }
  Status fill() {
    const Frame frame = frameOf();
    const auto& from = frame.from;
    const auto& count = frame.count;
    if (const Status s = allowed(estimateNow(frame)); !s.ok()) return s;
    const auto started = std::chrono::steady_clock::now();
    const auto seconds = [](auto begin) {
      return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    };
    for (const SweptPart& p : parts_) {
      SweptBody s;
      const std::size_t k = indexOf(p.link);
      if (p.closed) {
        s.closed = p.closed;
        std::tie(s.low, s.high) = s.closed->ownBox();
        for (const auto& poses : poses_) s.inverse.push_back((poses[k] * p.closed->placement).inverse());
      } else {
        s.body = std::make_unique<MeshDistance>(*p.mesh);
        if (cancelled()) return stopped();
        s.field = Field(*s.body, p.low, p.high, h_, fieldOuter(), options_.clearance, sweep_grid::kFine, progress_);
        s.low = p.low;
        s.high = p.high;
        for (const auto& poses : poses_) s.inverse.push_back(poses[k].inverse());
      }
      swept_.push_back(std::move(s));
      if (cancelled()) return stopped();
    }
    prepareSeconds_ = seconds(started);
    const auto sweeping = std::chrono::steady_clock::now();
    SweptGrid grid(swept_, h_, options_.clearance, !options_.onlySteps, progress_);
    grid_ = grid.fill(from, count);
    if (cancelled()) return stopped();
    sweepSeconds_ = seconds(sweeping);
    return covered();
  }

  /// Every pose's own surface must lie in what was found.
  Status covered() const {
    std::vector<std::vector<Vec3>> places;
    for (std::size_t b = 0; b < parts_.size(); ++b)
      places.push_back(
          placesOn(swept_[b], *parts_[b].mesh, parts_[b].closed ? parts_[b].closed->placement.inverse() : Pose{}));
    const auto out = uncovered(*grid_, h_, options_.clearance, swept_, places, progress_);
    if (cancelled()) return stopped();
    if (!out) return Done{};
    return Error{"envelope", parts_[u(out->body)].name,
                 fmt::format("the envelope misses a place of body {} by {:.2g} mm: ask for another accuracy",
                             parts_[u(out->body)].name, out->out * 1e3)};
  }

  /// Volume of the mesh, set right by what a sample of its surface is off the true one: distances to the bodies'
  /// triangles themselves, nearest over all poses. Bounds: four standard errors, the tessellation and what lies between
  /// poses, times the area.
  void judgeVolume(Envelope& e, double way) const {
    std::vector<double> upTo;
    double area = 0;
    const auto corner = [&](const std::array<int, 3>& t, std::size_t k) { return e.mesh.vertices[u(t[k])]; };
    for (const auto& t : e.mesh.triangles) {
      area += 0.5 * (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).norm();
      upTo.push_back(area);
    }
    std::mt19937_64 random(20);
    std::vector<std::pair<std::size_t, std::array<double, 2>>> picks;
    for (int i = 0; i < kSamples; ++i) {
      // stratified over the area: fewer samples tell as much
      const double share = (i + static_cast<double>(random() >> 11) * 0x1p-53) / kSamples;
      const auto t =
          std::min(static_cast<std::size_t>(std::lower_bound(upTo.begin(), upTo.end(), share * area) - upTo.begin()),
                   upTo.size() - 1);
      const double a = std::sqrt(static_cast<double>(random() >> 11) * 0x1p-53),
                   b = static_cast<double>(random() >> 11) * 0x1p-53;
      picks.push_back({t, {a, b}});
    }
    std::vector<double> off(picks.size());
    tbb::parallel_for(std::size_t(0), picks.size(), [&](std::size_t i) {
      if (cancelled()) return;
      const auto& t = e.mesh.triangles[picks[i].first];
      const double a = picks[i].second[0], b = picks[i].second[1];
      const Vec3 at = (1 - a) * corner(t, 0) + a * (1 - b) * corner(t, 1) + a * b * corner(t, 2);
      const Vec3 normal = (corner(t, 1) - corner(t, 0)).cross(corner(t, 2) - corner(t, 0)).normalized();
      off[i] = wayToSurface(at, normal);
    });
    double sum = 0, squares = 0;
    for (double x : off) {
      sum += x;
      squares += x * x;
    }
    const double n = static_cast<double>(off.size()), mean = sum / n;
    const double deviation = std::sqrt(std::max(0.0, squares / n - mean * mean));
    e.volume = shape::volumeOf(e.mesh) - area * mean;
    const double bound = area * (4 * deviation / std::sqrt(n) + tessellation_ + 0.1 * way);
    e.low = std::max(0.0, e.volume - bound);
    e.high = e.volume + bound;
  }

  /// How far the true surface lies behind a place of the mesh, along its normal, m. (Inside a sweep the distance to the
  /// nearest pose is less than that to the surface: only its zero is to be trusted.)
  double wayToSurface(const Vec3& at, const Vec3& normal) const {
    const double most = 1.5 * h_;
    double s = 0, f = exactValue(at);
    double next = std::clamp(-f, -most, most);
    for (int k = 0; k < 4 && std::abs(next - s) > 1e-4 * h_; ++k) {
      const double g = exactValue(at + next * normal);
      const double slope = (g - f) / (next - s);
      s = next;
      f = g;
      if (!(slope > 0.1)) break;
      next = std::clamp(s - f / slope, -most, most);
    }
    return -next;
  }

  /// Signed distance of a place to the swept space, m; its zero is exact.
  double exactValue(const Vec3& x) const {
    double best = 1e300;
    for (const SweptBody& s : swept_) {
      std::vector<std::pair<double, std::size_t>> order;
      for (std::size_t k = 0; k < s.inverse.size(); ++k) {
        const double d = h_ * s.sample(s.inverse[k] * x / h_, h_) - options_.clearance;
        if (d < best + 2 * h_) order.emplace_back(d, k);
      }
      std::sort(order.begin(), order.end());
      int tried = 0;
      for (const auto& [d, k] : order) {
        // half a voxel of the field's own error, half a pose to either side
        if (d - 1.1 * h_ > best || ++tried > 12) break;
        const auto value = [&](const Vec3& p) { return s.exact(p) - options_.clearance; };
        best = std::min(best, options_.onlySteps ? value(s.inverse[k] * x) : s.leastAround(k, x, 7, value));
      }
    }
    return best;
  }

  kinematics::TravelRun& run_;
  kinematics::Measurer& measurer_;
  const kinematics::Travel& travel_;
  shape::ShapeStore& store_;
  const EnvelopeOptions& options_;
  Progress* progress_;
  std::vector<SweptPart> parts_;
  std::optional<PlaneSweep> plane_;
  std::vector<std::vector<Pose>> poses_;
  std::vector<Pose> scratch_;
  double prepareSeconds_ = 0, sweepSeconds_ = 0;
  double accuracy_ = 0, h_ = 0, tessellation_ = 0, spacing_ = 0;
  openvdb::FloatGrid::Ptr grid_;
  std::vector<SweptBody> swept_;
};

}  // namespace

Result<Envelope> sweep(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
                       shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress) {
  if (travel.steps.empty()) return Error{"envelope", "", "the run has no poses to sweep"};
  return Sweeper(run, measurer, travel, store, options, progress).go();
}

Result<EnvelopeEstimate> estimateSweep(kinematics::TravelRun& run, kinematics::Measurer& measurer,
                                       const kinematics::Travel& travel, shape::ShapeStore& store,
                                       const EnvelopeOptions& options, Progress* progress) {
  if (travel.steps.empty()) return Error{"envelope", "", "the run has no poses to sweep"};
  return Sweeper(run, measurer, travel, store, options, progress).estimate();
}

}  // namespace cooperage::clearance
