// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/resolve.h"

#include <atomic>

#include "model/drawn_dimensions.h"
#include "model/planarity.h"
#include "model/resolving.h"

namespace cooperage::model {
namespace {
std::atomic<long> done{0};
}

static Result<Resolved> resolveSettled(const Mechanism& mechanism);

Result<Resolved> resolve(const Mechanism& given) {
  ++done;
  if (hasDimensions(given)) {
    const auto fit = settled(given);
    return fit.ok() ? resolveSettled(*fit) : Result<Resolved>(fit.error());
  }
  return resolveSettled(given);
}

static Result<Resolved> resolveSettled(const Mechanism& mechanism) {
  Resolving ctx(mechanism);
  ctx.out.units = mechanism.units;
  const bool all = ctx.parameters() && resolveLinks(ctx) && resolveSheets(ctx) && resolveJoints(ctx) &&
                   resolveLinkPlates(ctx) && resolveCouplings(ctx) && resolveCamPairs(ctx) && resolveContacts(ctx) &&
                   resolveLoads(ctx) && resolveGauges(ctx) && resolveDrives(ctx) && resolveRequirements(ctx) &&
                   resolvePaths(ctx) && resolveRuns(ctx);
  if (!all) return ctx.error;
  ctx.out.normals = planeNormals(ctx.out);
  for (auto& g : ctx.out.gauges) g.inPlane = g.kind == GaugeKind::distance && !ctx.out.normals.empty();
  return std::move(ctx.out);
}

long resolvesDone() { return done; }

Result<double> evaluateField(const Mechanism& mechanism, const Field& field, const Dimension& wanted) {
  return Resolving(mechanism).field(field, wanted);
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
