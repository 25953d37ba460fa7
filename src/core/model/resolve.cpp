// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/resolve.h"

#include <atomic>

#include "model/resolver_runs.h"

namespace cooperage::model {
namespace {

class Resolver : public RunResolver {
 public:
  using RunResolver::RunResolver;

  Result<Resolved> run() {
    out_.units = m_.units;
    if (!parameters() || !links() || !joints() || !couplings() || !camPairs() || !gauges() || !drives() ||
        !requirements() || !paths() || !runs())
      return error_;
    return std::move(out_);
  }
};

}  // namespace

namespace {
std::atomic<long> done{0};
}

Result<Resolved> resolve(const Mechanism& mechanism) {
  ++done;
  return Resolver(mechanism).run();
}

long resolvesDone() { return done; }

Result<double> evaluateField(const Mechanism& mechanism, const Field& field, const Dimension& wanted) {
  return Resolver(mechanism).field(field, wanted);
}

Result<Dimension> gaugeDimension(const Mechanism& mechanism, const Gauge& gauge) {
  const auto r = resolve(mechanism);
  if (!r.ok()) return r.error();
  for (const auto& g : r->gauges)
    if (g.id == gauge.id) return g.dimension;
  return Error{"gauge", gauge.name, gauge.name + ": there is no such gauge"};
}

Pose toPose(const Eigen::Vector3d& at, const Eigen::Vector4d& turn) {
  return {Quat(turn[0], turn[1], turn[2], turn[3]).normalized().toRotationMatrix(), at};
}

}  // namespace cooperage::model
