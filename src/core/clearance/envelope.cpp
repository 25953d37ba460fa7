// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/envelope.h"

#include <fmt/format.h>
#include <openvdb/openvdb.h>
#include <openvdb/tools/Dense.h>
#include <openvdb/tools/MeshToVolume.h>
#include <openvdb/tools/SignedFloodFill.h>
#include <openvdb/tools/VolumeToMesh.h>
#include <tbb/parallel_for.h>

#include <array>
#include <atomic>
#include <mutex>

namespace cooperage::clearance {
namespace {

using kinematics::TravelStep;
std::size_t u(int i) { return static_cast<std::size_t>(i); }
constexpr int kBlock = 8;          // leaf nodes of the grid
constexpr double kBand = 3;        // voxels of the result's narrow band
constexpr double kReach = 6.93;    // half diagonal of a block, voxels
constexpr double kMemory = 4.0e9;  // bytes; more would not fit the machines this is for

/// A body's signed distance field in link axes, voxel h.
openvdb::FloatGrid::Ptr fieldOf(const shape::Mesh& mesh, double h, double outside, double inside) {
  std::vector<openvdb::Vec3s> points;
  points.reserve(mesh.vertices.size());
  for (const Vec3& v : mesh.vertices)
    points.emplace_back(static_cast<float>(v.x() / h), static_cast<float>(v.y() / h), static_cast<float>(v.z() / h));
  std::vector<openvdb::Vec3I> triangles;
  triangles.reserve(mesh.triangles.size());
  for (const auto& t : mesh.triangles)
    triangles.emplace_back(static_cast<unsigned>(t[0]), static_cast<unsigned>(t[1]), static_cast<unsigned>(t[2]));
  const openvdb::tools::QuadAndTriangleDataAdapter<openvdb::Vec3s, openvdb::Vec3I> adapter(points, triangles);
  return openvdb::tools::meshToVolume<openvdb::FloatGrid>(
      adapter, *openvdb::math::Transform::createLinearTransform(1.0), static_cast<float>(outside / h),
      static_cast<float>(inside / h));
}

shape::Mesh meshOf(const openvdb::FloatGrid& grid, double h, double iso) {
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  std::vector<openvdb::Vec4I> quads;
  openvdb::tools::volumeToMesh(grid, points, triangles, quads, iso / h, 0.0);
  shape::Mesh mesh;
  for (const auto& p : points) mesh.vertices.emplace_back(h * p.x(), h * p.y(), h * p.z());
  // its faces are wound clockwise seen from outside
  const auto add = [&](unsigned a, unsigned b, unsigned c) {
    mesh.triangles.push_back({static_cast<int>(a), static_cast<int>(c), static_cast<int>(b)});
  };
  for (const auto& t : triangles) add(t[0], t[1], t[2]);
  for (const auto& q : quads) {
    add(q[0], q[1], q[2]);
    add(q[0], q[2], q[3]);
  }
  return mesh;
}

/// A field as a dense array in voxels: trilinear samples cost a tenth of what they do in the tree.
class Field {
 public:
  Field() = default;
  Field(const openvdb::FloatGrid& grid, double background) : background_(background) {
    const openvdb::CoordBBox box = grid.evalActiveVoxelBoundingBox();
    low_ = Vec3(box.min().x(), box.min().y(), box.min().z());
    nx_ = box.dim().x();
    ny_ = box.dim().y();
    nz_ = box.dim().z();
    openvdb::tools::Dense<float, openvdb::tools::LayoutZYX> dense(box);
    openvdb::tools::copyToDense(grid, dense);
    values_.assign(dense.data(), dense.data() + dense.valueCount());
  }
  static double bytes(const Vec3& size, double h, double band) {
    const Vec3 n = size / h + Vec3::Constant(2 * band / h);
    return n.prod() * sizeof(float);
  }
  /// Distance in voxels at a place in voxels.
  double sample(const Vec3& at) const {
    const Vec3 p = at - low_;
    const double fx = std::floor(p.x()), fy = std::floor(p.y()), fz = std::floor(p.z());
    if (!(fx >= 0 && fy >= 0 && fz >= 0 && fx < nx_ - 1 && fy < ny_ - 1 && fz < nz_ - 1)) return background_;
    const float x = static_cast<float>(p.x() - fx), y = static_cast<float>(p.y() - fy),
                z = static_cast<float>(p.z() - fz);
    const std::size_t plane = static_cast<std::size_t>(ny_) * u(nz_);
    const float* v = values_.data() + (static_cast<std::size_t>(fx) * u(ny_) + static_cast<std::size_t>(fy)) * u(nz_) +
                     static_cast<std::size_t>(fz);
    const auto along = [z](const float* a) { return a[0] + z * (a[1] - a[0]); };
    const float a = along(v), b = along(v + nz_), c = along(v + plane), d = along(v + plane + u(nz_));
    const float low = a + y * (b - a), high = c + y * (d - c);
    return static_cast<double>(low + x * (high - low));
  }

 private:
  Vec3 low_ = Vec3::Zero();
  int nx_ = 0, ny_ = 0, nz_ = 0;
  double background_ = 0;
  std::vector<float> values_;
};

/// One swept body: its field and where it stands in every pose.
struct Swept {
  Field field;
  std::vector<Pose> inverse;  // target axes to body axes
  Vec3 low, high;             // of the mesh
  double inner;               // depth to which the field is exact
};

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
    e.error = 0.5 * spacing_ + tessellation_ + 0.5 * h_;
    e.mesh = meshOf(*grid_, h_, 0);
    if (e.mesh.triangles.empty())
      return Error{"envelope", "", "the envelope is empty; is the accuracy finer than the part?"};
    e.volume = shape::volumeOf(e.mesh);
    const double shift = std::min(e.error, 0.9 * kBand * h_);
    e.low = std::min(e.volume, std::max(0.0, shape::volumeOf(meshOf(*grid_, h_, -shift))));
    e.high = std::max(e.volume, shape::volumeOf(meshOf(*grid_, h_, shift)));
    e.boxLow = Vec3::Constant(1e300);
    e.boxHigh = -e.boxLow;
    for (const Vec3& v : e.mesh.vertices) {
      e.boxLow = e.boxLow.cwiseMin(v);
      e.boxHigh = e.boxHigh.cwiseMax(v);
    }
    if (options_.outlineAxis >= 0) e.outlineArea = outline(e.mesh);
    return e;
  }

 private:
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
        auto rough = store_.mesh(*solid, 1e-4);
        if (!rough.ok()) return rough.error();
        Vec3 low = Vec3::Constant(1e300), high = -low;
        for (const Vec3& v : (*rough)->vertices) {
          low = low.cwiseMin(v);
          high = high.cwiseMax(v);
        }
        size = std::max(size, (high - low).maxCoeff());
        parts_.push_back({link, *solid, body.placement, nullptr});
      }
    if (parts_.empty()) return Error{"envelope", "", "the chosen link has no bodies; there is nothing to sweep"};
    accuracy_ = options_.accuracy > 0 ? options_.accuracy : size / 200;
    h_ = accuracy_;
    tessellation_ = 0.15 * accuracy_;
    for (Part& p : parts_) {
      auto mesh = store_.mesh(p.solid, tessellation_);
      if (!mesh.ok()) return mesh.error();
      auto placed = std::make_shared<shape::Mesh>(**mesh);
      p.low = Vec3::Constant(1e300);
      p.high = -p.low;
      for (Vec3& v : placed->vertices) {
        v = p.placement * v;
        p.low = p.low.cwiseMin(v);
        p.high = p.high.cwiseMax(v);
      }
      p.mesh = placed;
    }
    return Done{};
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
      const std::size_t k = static_cast<std::size_t>(std::find(options_.links.begin(), options_.links.end(), p.link) -
                                                     options_.links.begin());
      for (int i = 0; i < 8; ++i) {
        const Vec3 c(i & 1 ? p.high.x() : p.low.x(), i & 2 ? p.high.y() : p.low.y(), i & 4 ? p.high.z() : p.low.z());
        way = std::max(way, (a[k] * c - b[k] * c).norm());
      }
    }
    return way;
  }

  /// Poses so close that no point moves farther than half the accuracy between two of them.
  Status choosePoses() {
    const double most = 0.5 * accuracy_;
    std::vector<Pose> here, next;
    posesAt(travel_.steps.front().t, here);
    poses_.push_back(here);
    for (std::size_t i = 1; i < travel_.steps.size(); ++i) {
      if (cancelled()) return stopped();
      const double from = travel_.steps[i - 1].t, to = travel_.steps[i].t;
      posesAt(to, next);
      const int pieces = std::max(1, static_cast<int>(std::ceil(wayBetween(here, next) / most)));
      if (poses_.size() + u(pieces) > 200000)
        return Error{"envelope", "", "the envelope needs more than 200,000 poses at this accuracy; ask for less"};
      std::vector<Pose> last = here;
      for (int k = 1; k <= pieces; ++k) {
        std::vector<Pose> at;
        posesAt(from + (to - from) * k / pieces, at);
        const double way = wayBetween(last, at);
        spacing_ = std::max(spacing_, way);
        if (way > 0 || poses_.empty()) poses_.push_back(at);
        last = std::move(at);
      }
      here = next;
    }
    return Done{};
  }

  Status fill() {
    const double grow = options_.clearance + (kBand + 1) * h_;
    Vec3 low = Vec3::Constant(1e300), high = -low;
    std::vector<Swept> swept;
    for (const Part& p : parts_) {
      Swept s;
      s.inner = (kBand + kReach + 2) * h_;
      const double outer = options_.clearance + (kBand + kReach + 3) * h_;
      if (const double need = Field::bytes(p.high - p.low, h_, outer); need > kMemory)
        return Error{"envelope", "",
                     fmt::format("an accuracy of {:.3g} mm would need about {:.1f} GB; ask for a coarser one",
                                 accuracy_ * 1e3, need * 2 / 1e9)};
      s.field = Field(*fieldOf(*p.mesh, h_, outer, s.inner), outer / h_);
      s.low = p.low;
      s.high = p.high;
      const std::size_t k = static_cast<std::size_t>(std::find(options_.links.begin(), options_.links.end(), p.link) -
                                                     options_.links.begin());
      for (const auto& poses : poses_) {
        s.inverse.push_back(poses[k].inverse());
        for (int i = 0; i < 8; ++i) {
          const Vec3 c = poses[k] * Vec3(i & 1 ? p.high.x() : p.low.x(), i & 2 ? p.high.y() : p.low.y(),
                                         i & 4 ? p.high.z() : p.low.z());
          low = low.cwiseMin(c);
          high = high.cwiseMax(c);
        }
      }
      swept.push_back(std::move(s));
    }
    const auto index = [&](double x) { return static_cast<int>(std::floor(x / (kBlock * h_))); };
    int from[3], count[3];
    double blocks = 1;
    for (int a = 0; a < 3; ++a) {
      from[a] = index(low[a] - grow);
      count[a] = index(high[a] + grow) - from[a] + 1;
      blocks *= count[a];
    }
    // only blocks at the surface keep their voxels: about the area of the box in blocks, a few times over
    const double surface = 6 * std::pow(blocks, 2.0 / 3) * kBlock * kBlock * kBlock * sizeof(float);
    if (surface > kMemory || blocks > 4e8)
      return Error{"envelope", "",
                   fmt::format("an accuracy of {:.3g} mm would need about {:.1f} GB; ask for a coarser one",
                               accuracy_ * 1e3, surface * 3 / 1e9)};
    grid_ = openvdb::FloatGrid::create(static_cast<float>(kBand));
    grid_->setGridClass(openvdb::GRID_LEVEL_SET);
    std::atomic<int> done{0};
    std::mutex mutex;
    tbb::parallel_for(0, count[0], [&](int bx) {
      std::vector<float> values(kBlock * kBlock * kBlock);
      for (int by = 0; by < count[1]; ++by)
        for (int bz = 0; bz < count[2]; ++bz) {
          if (cancelled()) return;
          const openvdb::Coord origin((from[0] + bx) * kBlock, (from[1] + by) * kBlock, (from[2] + bz) * kBlock);
          block(swept, origin, values, mutex);
        }
      const int finished = ++done;
      if (progress_) progress_->report(0.1 + 0.85 * finished / count[0]);
    });
    if (cancelled()) return stopped();
    openvdb::tools::signedFloodFill(grid_->tree());
    return Done{};
  }

  void block(const std::vector<Swept>& swept, const openvdb::Coord& origin, std::vector<float>& values,
             std::mutex& mutex) {
    const Vec3 centre =
        h_ * Vec3(origin.x() + 0.5 * (kBlock - 1), origin.y() + 0.5 * (kBlock - 1), origin.z() + 0.5 * (kBlock - 1));
    const double near = options_.clearance + (kBand + kReach) * h_;
    std::fill(values.begin(), values.end(), static_cast<float>(kBand));
    bool active = false, full = false;
    std::vector<std::pair<double, const Pose*>> order;
    std::array<float, 8> most;  // greatest value of each of the eight cubes of 4 x 4 x 4 in the block
    most.fill(static_cast<float>(kBand));
    const double clearance = options_.clearance / h_;
    for (const Swept& s : swept) {
      order.clear();
      for (const Pose& inverse : s.inverse) {
        const Vec3 p = inverse * centre;
        const Vec3 out = (s.low - p).cwiseMax(p - s.high).cwiseMax(0.0);
        if (out.squaredNorm() > near * near) continue;
        const double d = s.field.sample(p / h_) - clearance;
        if (d < kBand + kReach) order.emplace_back(d, &inverse);
      }
      // nearest pose first: once no pose can come lower than the values already there, the rest are skipped
      std::sort(order.begin(), order.end(), [](const auto& x, const auto& y) { return x.first < y.first; });
      if (!order.empty() && order.front().first <= -(kBand + kReach)) {
        full = true;  // the whole block lies inside
        break;
      }
      for (const auto& [d, inverse] : order) {
        const double highest = *std::max_element(most.begin(), most.end());
        if (highest <= -kBand || d - kReach >= highest) break;
        active = true;
        const Vec3 corner = *inverse * (h_ * Vec3(origin.x(), origin.y(), origin.z())) / h_;
        for (std::size_t cube = 0; cube < 8; ++cube) lower(s.field, corner, inverse->R, cube, clearance, values, most);
      }
    }
    if (!full && !active) return;
    const std::lock_guard lock(mutex);
    auto* leaf = grid_->tree().touchLeaf(origin);
    std::size_t n = 0;
    for (int i = 0; i < kBlock; ++i)
      for (int j = 0; j < kBlock; ++j)
        for (int k = 0; k < kBlock; ++k, ++n) {
          const float v = full ? -static_cast<float>(kBand)
                               : std::clamp(values[n], -static_cast<float>(kBand), static_cast<float>(kBand));
          leaf->setValueOn(openvdb::Coord(origin.x() + i, origin.y() + j, origin.z() + k), v);
        }
  }

  /// Lowers the values of one cube of a block to the field of one pose, if it can lower any.
  static void lower(const Field& field, const Vec3& corner, const Mat3& R, std::size_t cube, double clearance,
                    std::vector<float>& values, std::array<float, 8>& most) {
    constexpr int kCube = kBlock / 2;
    constexpr double kCubeReach = 2.6;  // half diagonal of 3 voxels
    const int i0 = cube & 4 ? kCube : 0, j0 = cube & 2 ? kCube : 0, k0 = cube & 1 ? kCube : 0;
    if (most[cube] <= -static_cast<float>(kBand)) return;
    const double middle = field.sample(corner + R * Vec3(i0 + 1.5, j0 + 1.5, k0 + 1.5)) - clearance;
    if (middle - kCubeReach >= static_cast<double>(most[cube])) return;
    float highest = -static_cast<float>(kBand);
    for (int i = i0; i < i0 + kCube; ++i)
      for (int j = j0; j < j0 + kCube; ++j) {
        Vec3 at = corner + R * Vec3(i, j, k0);
        float* v = values.data() + (i * kBlock + j) * kBlock + k0;
        for (int k = 0; k < kCube; ++k, at += R.col(2)) {
          v[k] = std::min(v[k], static_cast<float>(field.sample(at) - clearance));
          highest = std::max(highest, v[k]);
        }
      }
    most[cube] = highest;
  }

  /// Area of the shadow along an axis: triangles painted on a fine raster.
  double outline(const shape::Mesh& mesh) const {
    const int a = (options_.outlineAxis + 1) % 3, b = (options_.outlineAxis + 2) % 3;
    double low[2] = {1e300, 1e300}, high[2] = {-1e300, -1e300};
    for (const Vec3& v : mesh.vertices) {
      low[0] = std::min(low[0], v[a]);
      high[0] = std::max(high[0], v[a]);
      low[1] = std::min(low[1], v[b]);
      high[1] = std::max(high[1], v[b]);
    }
    const double cell = std::max(std::max(high[0] - low[0], high[1] - low[1]) / 4000, h_ / 8);
    const int w = static_cast<int>((high[0] - low[0]) / cell) + 2,
              hgt = static_cast<int>((high[1] - low[1]) / cell) + 2;
    std::vector<bool> lit(static_cast<std::size_t>(w) * u(hgt), false);
    for (const auto& t : mesh.triangles) {
      double x[3], y[3];
      for (int k = 0; k < 3; ++k) {
        x[k] = (mesh.vertices[u(t[u(k)])][a] - low[0]) / cell;
        y[k] = (mesh.vertices[u(t[u(k)])][b] - low[1]) / cell;
      }
      const int y0 = static_cast<int>(std::ceil(std::min({y[0], y[1], y[2]}) - 0.5)),
                y1 = static_cast<int>(std::floor(std::max({y[0], y[1], y[2]}) - 0.5));
      for (int row = std::max(0, y0); row <= std::min(hgt - 1, y1); ++row) {
        double left = 1e300, right = -1e300;
        for (int k = 0; k < 3; ++k) {
          const int m = (k + 1) % 3;
          const double yc = row + 0.5;
          if ((y[k] > yc) == (y[m] > yc)) continue;
          const double xc = x[k] + (yc - y[k]) / (y[m] - y[k]) * (x[m] - x[k]);
          left = std::min(left, xc);
          right = std::max(right, xc);
        }
        for (int c = std::max(0, static_cast<int>(std::ceil(left - 0.5)));
             c <= std::min(w - 1.0, std::floor(right - 0.5)); ++c)
          lit[static_cast<std::size_t>(row) * u(w) + u(c)] = true;
      }
    }
    return static_cast<double>(std::count(lit.begin(), lit.end(), true)) * cell * cell;
  }

  struct Part {
    int link;
    shape::SolidPtr solid;
    Pose placement;
    std::shared_ptr<const shape::Mesh> mesh;
    Vec3 low = Vec3::Zero(), high = Vec3::Zero();
  };
  kinematics::TravelRun& run_;
  kinematics::Measurer& measurer_;
  const kinematics::Travel& travel_;
  shape::ShapeStore& store_;
  const EnvelopeOptions& options_;
  Progress* progress_;
  std::vector<Part> parts_;
  std::vector<std::vector<Pose>> poses_;
  std::vector<Pose> scratch_;
  double accuracy_ = 0, h_ = 0, tessellation_ = 0, spacing_ = 0;
  openvdb::FloatGrid::Ptr grid_;
};

}  // namespace

Result<Envelope> sweep(kinematics::TravelRun& run, kinematics::Measurer& measurer, const kinematics::Travel& travel,
                       shape::ShapeStore& store, const EnvelopeOptions& options, Progress* progress) {
  if (travel.steps.empty()) return Error{"envelope", "", "the run has no poses to sweep"};
  return Sweeper(run, measurer, travel, store, options, progress).go();
}

}  // namespace cooperage::clearance
