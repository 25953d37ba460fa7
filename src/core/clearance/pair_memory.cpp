// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/pair_memory.h"

#include <limits>
#include <numeric>

#include "base/index.h"

namespace cooperage::clearance {
namespace {

constexpr std::size_t kMost = 4000, kMostOfOne = 4;
constexpr int kMostChecks = 6;  ///< that an outcome nobody asked for lasts

/// Takes figures one after another, each list with its length before it.
class Writer {
 public:
  explicit Writer(MotionFigures& out) : out_(out) {}
  void operator()(double x) { out_.figures.push_back(x); }
  void operator()(const Pose& p) {
    out_.figures.insert(out_.figures.end(), p.R.data(), p.R.data() + 9);
    out_.figures.insert(out_.figures.end(), p.p.data(), p.p.data() + 3);
  }
  void operator()(const std::string& s) {
    (*this)(static_cast<double>(s.size()));
    for (const char c : s) (*this)(static_cast<double>(c));
  }
  template <class T>
  void operator()(const std::shared_ptr<T>& p) {
    (*this)(p ? 1.0 : 0.0);
    if (p) out_.objects.push_back(p);
  }
  /// Like nothing else.
  void unknown() { (*this)(std::numeric_limits<double>::quiet_NaN()); }

 private:
  MotionFigures& out_;
};

void write(const motion::RowFigures& row, Writer& w) {
  w(row.law.text());
  w(row.interpolation.text());
  w(static_cast<double>(row.figures.size()));
  for (const auto& [name, value] : row.figures) {
    w(name);
    w(value);
  }
  w(static_cast<double>(row.list.size()));
  for (double x : row.list) w(x);
  w(static_cast<double>(row.points.size()));
  for (const auto& [t, v] : row.points) {
    w(t);
    w(v);
  }
  if (row.formula) w.unknown();
}

}  // namespace

MotionSources::MotionSources(kinematics::TravelRun& run) : run_(run), parent_(u(run.system().nodeCount)) {
  std::iota(parent_.begin(), parent_.end(), 0);
  const auto& s = run.system();
  const auto tie = [&](int a, int b) {
    if (a > 0 && b > 0) parent_[u(root(a))] = root(b);  // ground ties nothing together
  };
  const auto nodeOf = [&](int dof) {
    const auto& j = s.joints[u(s.dofs[u(dof)].joint)];
    return j.nodeA > 0 ? j.nodeA : j.nodeB;
  };
  for (const auto& j : s.joints) tie(j.nodeA, j.nodeB);
  for (const auto& row : s.scalars)
    for (const int d : row.dofs) tie(nodeOf(row.dofs[0]), nodeOf(d));
}

int MotionSources::root(int node) {
  while (parent_[u(node)] != node) node = parent_[u(node)] = parent_[u(parent_[u(node)])];
  return node;
}

std::shared_ptr<const MotionFigures> MotionSources::of(int linkA, int linkB) {
  const auto& nodes = run_.system().nodeOfLink;
  const std::pair<int, int> key = std::minmax({root(nodes[u(linkA)]), root(nodes[u(linkB)])});
  auto& known = known_[key];
  if (!known) known = std::make_shared<const MotionFigures>(gather(key.first, key.second));
  return known;
}

MotionFigures MotionSources::gather(int groupA, int groupB) {
  MotionFigures out;
  Writer w(out);
  const auto& s = run_.system();
  const auto& r = run_.resolved();
  const auto& run = run_.settings();
  for (const double x : {run.duration, static_cast<double>(run.steps), run.fitAngle, run.fitLength,
                         run.reverseAtLimit ? 1.0 : 0.0, run.pastStops ? 1.0 : 0.0, s.size})
    w(x);
  if (run_.pushed()) w.unknown();  // how it moves depends on the forms of what pushes
  w(Pose{Mat3::Identity(), s.middle});
  const auto ours = [&](int node) { return node > 0 && (root(node) == groupA || root(node) == groupB); };
  const auto& home = run_.home().configuration;
  for (std::size_t i = 0; i < s.joints.size(); ++i) {
    const auto& j = s.joints[i];
    if (!ours(j.nodeA) && !ours(j.nodeB)) continue;
    for (const int x : {static_cast<int>(i), j.nodeA, j.nodeB, j.firstDof, j.dofs, j.inTree ? 1 : 0}) w(x);
    w(j.atA);
    w(j.atB);
    for (const auto& e : j.elements) {
      w(static_cast<double>(e.motion));
      w(e.curve);
      w(e.rolling);
      w(e.surface);
    }
    for (int k = 0; k < j.dofs; ++k) w(home.q[u(j.firstDof + k)]);
    if (j.ball >= 0) w(Pose{home.balls[u(j.ball)], Vec3::Zero()});
  }
  for (const auto& row : s.scalars) {
    const auto& joint = s.joints[u(s.dofs[u(row.dofs[0])].joint)];
    if (!ours(joint.nodeA) && !ours(joint.nodeB)) continue;
    for (std::size_t k = 0; k < row.dofs.size(); ++k) {
      w(row.dofs[k]);
      w(k < row.coefficients.size() ? row.coefficients[k] : 0);
    }
    w(row.table);
    if (row.formula) w.unknown();
  }
  for (std::size_t d = 0; d < r.drives.size(); ++d) {
    if (run_.activeDrive(static_cast<int>(d)) < 0) continue;
    const auto& drive = r.drives[d];
    w(s.dofOfDrive(r, static_cast<int>(d)));
    w(drive.reverse ? 1 : 0);
    w(static_cast<double>(drive.rows.size()));
    for (const auto& row : drive.rows) write(row, w);
    for (const auto& [index, start] : run.start)
      if (index == static_cast<int>(d)) w(start);
    if (run.sweepDrive == static_cast<int>(d)) {
      w(run.sweepFrom);
      w(run.sweepTo);
    }
  }
  for (const auto& link : s.nodeOfLink) w(link);
  for (std::size_t l = 0; l < s.linkInNode.size(); ++l)
    if (ours(s.nodeOfLink[l])) w(s.linkInNode[l]);
  return out;
}

void PairMemory::begin() {
  ++checks_;
  count_ = 0;
  for (auto it = known.begin(); it != known.end();) {
    it->second.remove_if([this](const Entry& e) { return e.asked < checks_ - kMostChecks; });
    count_ += it->second.size();
    it = it->second.empty() ? known.erase(it) : std::next(it);
  }
}

const PairMemory::Entry* PairMemory::find(const Key& key, const Way& way) {
  const auto it = known.find(key);
  if (it == known.end()) return nullptr;
  for (Entry& e : it->second)
    if (e.way == way) {
      e.asked = checks_;
      return &e;
    }
  return nullptr;
}

void PairMemory::keep(const Key& key, Entry entry) {
  if (count_ > kMost) {
    known.clear();
    count_ = 0;
  }
  entry.asked = checks_;
  auto& list = known[key];
  list.push_front(std::move(entry));
  if (list.size() > kMostOfOne)
    list.pop_back();
  else
    ++count_;
}

}  // namespace cooperage::clearance
