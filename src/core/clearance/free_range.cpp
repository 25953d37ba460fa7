// SPDX-License-Identifier: GPL-3.0-or-later
#include "clearance/free_range.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"
#include "clearance/contact_stop.h"

namespace cooperage::clearance {
namespace {

constexpr int kSteps = 180;

}  // namespace

Result<FreeRange> findFreeRange(const model::Resolved& resolved, int run, int drive, shape::ShapeStore& store,
                                GeometryCache& cache, Progress* progress) {
  const auto& d = resolved.drives[u(drive)];
  if (d.value.joint < 0)
    return Error{"free-range", d.name, fmt::format("drive {} is on a gauge; choose one on a joint value", d.name)};
  const auto& joint = resolved.joints[u(d.value.joint)];
  FreeRange out;
  out.joint = d.value.joint;
  out.value = d.value.value;
  out.dimension = d.dimension;
  const bool turn = d.dimension == dimension::kAngle;
  for (const bool up : {false, true}) {
    model::Resolved r = resolved;
    auto& settings = r.runs[u(run)];
    settings.stopAtContact = true;
    settings.reverseAtLimit = settings.pastStops = false;
    settings.start.clear();
    settings.sweepDrive = drive;
    settings.axis = drive;
    if (std::find(settings.drives.begin(), settings.drives.end(), drive) == settings.drives.end())
      settings.drives.push_back(drive);
    settings.steps = kSteps;
    settings.stepSize = settings.stepRate = settings.turns = 0;
    settings.duration = 1;
    // the others stand: their programmes are taken out
    for (std::size_t k = 0; k < r.drives.size(); ++k)
      if (static_cast<int>(k) != drive) {
        model::Resolved::RowR stand;
        stand.law = motion::LawKind::dwell;
        stand.figures["time"] = 1;
        r.drives[k].rows = {stand};
      }
    // home first: where the sweep starts
    settings.sweepFrom = settings.sweepTo = 0;
    auto at = kinematics::TravelRun::prepare(r, run);
    if (!at.ok()) return at.error();
    const int dof = (*at)->system().dofOfDrive(r, drive);
    if (dof < 0) return Error{"free-range", d.name, fmt::format("drive {} can't move its joint", d.name)};
    out.home = (*at)->home().configuration.q[u(dof)];
    const auto& stop = up ? joint.high[u(out.value)] : joint.low[u(out.value)];
    FreeEnd& end = up ? out.high : out.low;
    end.stop = stop;
    const double reach = turn ? 2 * kPi : 2 * (*at)->system().size;
    const double goal = stop && std::abs(*stop - out.home) < reach ? *stop : out.home + (up ? reach : -reach);
    if (std::abs(goal - out.home) < 1e-9) {
      end.value = out.home;
      end.kind = kinematics::EndKind::stop;
      end.by = joint.name;
      continue;
    }
    settings.sweepFrom = out.home;
    settings.sweepTo = goal;
    auto travelRun = kinematics::TravelRun::prepare(r, run);
    if (!travelRun.ok()) return travelRun.error();
    auto geometry = geometryFor(r, run, store, cache, progress, Need::all);
    if (!geometry.ok()) return geometry.error();
    kinematics::Measurer measurer(**travelRun);
    kinematics::RunResult result;
    result.travel = (*travelRun)->run(progress);
    const auto& travel = result.travel;
    const auto ended = travel.ended;  // what stopped it before any contact did
    const auto contact = travel.steps.size() < 2 ? std::optional<Interference>()
                                                 : stopAtContact(**travelRun, measurer, *geometry, result, progress);
    if (progress && progress->cancelled()) return Error{"cancelled", "", "cancelled", true};
    end.value = (*travelRun)->axisAt(travel.steps.empty() ? 0 : travel.steps.back().t);
    const auto linkNames = [&](const Interference& w) {
      return r.links[u(w.linkA)].name + " - " + r.links[u(w.linkB)].name;
    };
    if (contact) {
      if (contact->fromTime <= 0)
        return Error{"free-range", d.name,
                     fmt::format("{} overlap at home already; fix that first", linkNames(*contact))};
      end.kind = kinematics::EndKind::contact;
      end.by = linkNames(*contact);
    } else if (ended) {
      end.kind = ended->kind;
      end.by = ended->joint;
    } else if (stop && goal == *stop) {
      end.kind = kinematics::EndKind::stop;
      end.by = joint.name;
    } else {
      end.kind = turn ? kinematics::EndKind::turn : kinematics::EndKind::search;
    }
  }
  return out;
}

}  // namespace cooperage::clearance
