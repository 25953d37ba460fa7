// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope.h"

#include <fmt/format.h>
#include <openvdb/openvdb.h>
#include <tbb/parallel_for.h>

#include <array>
#include <chrono>
#include <random>
#include <tuple>

#include "clearance/distance.h"
#include "clearance/outline.h"
#include "clearance/pair_travel.h"
#include "clearance/sweep_grid.h"

namespace cooperage::clearance {
namespace {

using kinematics::TravelStep;
using sweep_grid::kBlock;
std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr double kMemory = 4.0e9;  // bytes; more would not fit the machines this is for
constexpr int kSamples = 3000;     // of the surface, to see how true it is

class Sweeper {
 public:
  Sweeper(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
          shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress)
      : run_(run), measurer_(measurer), travel_(travel), store_(store), options_(options), progress_(progress) {}

  Result<Envelope> go() {
    openvdb::initialize();
    if (const Status s = loadMeshes(); !s.ok()) return s.error();
    if (const Status s = choosePoses(); !s.ok()) return s.error();
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
    e.boxLow = Vec3::Constant(1e300);
    e.boxHigh = -e.boxLow;
    for (const Vec3& v : e.mesh.vertices) {
      e.boxLow = e.boxLow.cwiseMin(v);
      e.boxHigh = e.boxHigh.cwiseMax(v);
    }
    if (options_.outlineAxis >= 0) e.outlineArea = outlineOf(e.mesh, options_.outlineAxis, h_ / 8).area;
    return e;
  }

  Result<EnvelopeEstimate> estimate() {
    if (const Status s = loadMeshes(); !s.ok()) return s.error();
    if (const Status s = choosePoses(); !s.ok()) return s.error();
    return estimateNow(frameOf());
  }

 private:
  struct Frame;
  EnvelopeEstimate estimateNow(const Frame& frame) const {
    EnvelopeEstimate out;
    out.accuracy = accuracy_;
    out.poses = static_cast<int>(poses_.size());
    // the field and the triangles that are drawn from it, two to a voxel at the surface
    const double surface = frame.surfaceBytes / (kBlock * sizeof(float));
    out.bytes = frame.surfaceBytes * 3 + surface * 100;
    for (const Part& p : parts_) out.bytes += 2 * fieldBytes(p);
    // blocks at the surface meet a share of the poses; measured on two cores, 40 ns a voxel and pose
    const double surfaceBlocks = frame.surfaceBytes / (kBlock * kBlock * kBlock * sizeof(float));
    out.seconds = 0.3 + surfaceBlocks * kBlock * kBlock * kBlock * 4e-8 * std::min<double>(out.poses, 12);
    out.fits = out.bytes < kMemory;
    return out;
  }

  struct Part {
    int link = -1;
    shape::SolidPtr solid;
    Pose placement;
    std::string name;
    std::shared_ptr<const shape::Mesh> mesh;
    Vec3 low = Vec3::Zero(), high = Vec3::Zero();
    double area = 0;
    std::optional<Convex> closed;  ///< its distance is known in closed form
  };

  bool cancelled() const { return progress_ && progress_->cancelled(); }
  static Error stopped() { return {"cancelled", "", "cancelled", true}; }

  Status loadMeshes() {
    const auto& r = run_.resolved();
    double size = 0;
    std::vector<std::pair<int, shape::SolidPtr>> solids;
    for (int link : options_.links)
      for (const auto& body : r.links[u(link)].bodies) {
        auto solid = store_.body(body, r.links[u(link)].name, progress_);
        if (!solid.ok()) return solid.error();
        auto rough = store_.mesh(*solid, 1e-4, progress_);
        if (!rough.ok()) return rough.error();
        Vec3 low = Vec3::Constant(1e300), high = -low;
        for (const Vec3& v : (*rough)->vertices) {
          low = low.cwiseMin(v);
          high = high.cwiseMax(v);
        }
        size = std::max(size, (high - low).maxCoeff());
        Part part;
        part.link = link;
        part.solid = *solid;
        part.placement = body.placement;
        part.name = r.links[u(link)].name + "/" + body.name;
        if (auto convex = convexOf(body); convex && convex->hasClosedForm()) part.closed = std::move(convex);
        parts_.push_back(std::move(part));
      }
    if (parts_.empty()) return Error{"envelope", "", "the chosen link has no bodies; there is nothing to sweep"};
    accuracy_ = options_.accuracy > 0 ? options_.accuracy : size / 200;
    for (const Part& p : parts_)
      if (const Status s = thickEnough(p, size); !s.ok()) return s;
    h_ = accuracy_;
    constexpr double kRough = 1e-4;  // m: bodies with a closed form need a mesh for their size alone
    if (std::any_of(parts_.begin(), parts_.end(), [](const Part& p) { return !p.closed; }))
      tessellation_ = 0.02 * accuracy_;
    for (Part& p : parts_) {
      auto mesh = store_.mesh(p.solid, p.closed ? kRough : tessellation_, progress_);
      if (!mesh.ok()) return mesh.error();
      if (const Status closed = closedShell(**mesh, p); !closed.ok()) return closed.error();
      auto placed = std::make_shared<shape::Mesh>(**mesh);
      p.low = Vec3::Constant(1e300);
      p.high = -p.low;
      for (Vec3& v : placed->vertices) {
        v = p.placement * v;
        p.low = p.low.cwiseMin(v);
        p.high = p.high.cwiseMax(v);
      }
      if (p.closed) {
        p.low -= Vec3::Constant(kRough);
        p.high += Vec3::Constant(kRough);
      }
      for (const auto& t : placed->triangles) {
        const Vec3& a = placed->vertices[u(t[0])];
        p.area += 0.5 * (placed->vertices[u(t[1])] - a).cross(placed->vertices[u(t[2])] - a).norm();
      }
      p.mesh = placed;
    }
    return Done{};
  }

  /// Fields of cubes tell nothing of walls thinner than one of them: where the accuracy was not asked for it is made
  /// finer, else it is refused.
  Status thickEnough(const Part& p, double size) {
    constexpr double kThinShare = 0.02;  // of the surface: an edge is thin everywhere
    constexpr int kPlaces = 1500;
    auto rough = store_.mesh(p.solid, 1e-4, progress_);
    if (!rough.ok()) return rough.error();
    const MeshDistance field(**rough);
    std::vector<double> upTo;
    double area = 0;
    for (const auto& t : (*rough)->triangles) {
      const auto& v = (*rough)->vertices;
      area += 0.5 * (v[u(t[1])] - v[u(t[0])]).cross(v[u(t[2])] - v[u(t[0])]).norm();
      upTo.push_back(area);
    }
    const auto shareThinnerThan = [&](double wall) {
      int thin = 0;
      for (int i = 0; i < kPlaces; ++i) {
        const auto k =
            std::min(static_cast<std::size_t>(std::lower_bound(upTo.begin(), upTo.end(), (i + 0.5) / kPlaces * area) -
                                              upTo.begin()),
                     upTo.size() - 1);
        const auto& t = (*rough)->triangles[k];
        const Vec3 &a = (*rough)->vertices[u(t[0])], &b = (*rough)->vertices[u(t[1])], &c = (*rough)->vertices[u(t[2])];
        const Vec3 n = (b - a).cross(c - a);
        if (n.norm() > 0 && field.signedDistance((a + b + c) / 3 - wall * n.normalized()) > 0) ++thin;
      }
      return static_cast<double>(thin) / kPlaces;
    };
    if (shareThinnerThan(accuracy_) <= kThinShare) return Done{};
    double fits = accuracy_;
    while (shareThinnerThan(fits) > kThinShare && fits > 1e-7) fits *= 0.8;
    if (options_.accuracy <= 0 && fits >= size / 500) {
      accuracy_ = fits;
      return Done{};
    }
    return Error{"envelope", p.name,
                 fmt::format("body {} has walls thinner than a cube of {:.3g} mm; ask for an accuracy of {:.2g} mm or "
                             "finer",
                             p.name, accuracy_ * 1e3, fits * 1e3)};
  }

  static Status closedShell(const shape::Mesh& mesh, const Part& part) {
    std::vector<std::pair<int, int>> there, back;
    for (const auto& t : mesh.triangles)
      for (std::size_t k = 0; k < 3; ++k) {
        there.emplace_back(t[k], t[(k + 1) % 3]);
        back.emplace_back(t[(k + 1) % 3], t[k]);
      }
    std::sort(there.begin(), there.end());
    std::sort(back.begin(), back.end());
    if (there == back) return Done{};
    return Error{
        "open-shell", part.name,
        fmt::format("body {} is an open shell: it has no inside to sweep; close it, or leave its link out", part.name)};
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
    for (const Part& p : parts_) {
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
    for (const Part& p : parts_) {
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
  double fieldBytes(const Part& p) const {
    return p.closed ? 0 : Field::bytes(p.high - p.low, p.area, h_, fieldOuter(), sweep_grid::kFine);
  }
  Frame frameOf() const {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const Part& p : parts_) {
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
  Error tooMuch(double bytes) const {
    return {"envelope", "",
            fmt::format("an accuracy of {:.3g} mm would need about {:.1f} GB; ask for a coarser one", accuracy_ * 1e3,
                        bytes / 1e9)};
  }

  Status fill() {
    const Frame frame = frameOf();
    const auto& from = frame.from;
    const auto& count = frame.count;
    const EnvelopeEstimate ahead = estimateNow(frame);
    if (!ahead.fits) return tooMuch(ahead.bytes);
    if (ahead.seconds > options_.mostSeconds)
      return Error{
          "envelope", "",
          fmt::format("an accuracy of {:.3g} mm would take about {:.1f} hours; ask for a coarser one or a part of "
                      "the travel",
                      accuracy_ * 1e3, ahead.seconds / 3600)};
    if (options_.told) options_.told(ahead);
    const auto started = std::chrono::steady_clock::now();
    const auto seconds = [](auto begin) {
      return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    };
    for (const Part& p : parts_) {
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
    return Done{};
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
  std::vector<Part> parts_;
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
