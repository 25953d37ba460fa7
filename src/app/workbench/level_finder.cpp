// SPDX-License-Identifier: GPL-3.0-or-later
#include "level_finder.h"

#include "../text.h"
#include "model/thickness.h"
#include "study/levels.h"

namespace cooperage::app {

using namespace model;

/// What the search has brought.
struct FoundLevels {
  Result<study::PlateRules> rules{Error{}};
  study::LevelPlan plan;
};

LevelFinder::LevelFinder(Document& document, Selection& selection, BodyShapes& shapes, Solution& solution,
                         PoseControl& pose, RunBook& runs, JobRunner& jobs, Speaker& speaker)
    : document_(document),
      selection_(selection),
      shapes_(shapes),
      solution_(solution),
      pose_(pose),
      runs_(runs),
      jobs_(jobs),
      speaker_(speaker) {
  connect(&document_, &Document::changed, this, [this] { spread_ = false; });
  connect(&document_, &Document::replaced, this, [this] { spread_ = false; });
}

void LevelFinder::giveThickness() {
  const auto& m = *document_.mechanism();
  std::vector<Id> links = withoutPlates(m), chosen;
  for (const Id id : links)
    if (selection_.isSelected(id)) chosen.push_back(id);
  if (chosen.size() > 1) links = chosen;
  auto made = withThickness(m, links, platesFor(m, links));
  if (!made.ok()) {
    speaker_.say(q(made.error().text), true);
    return;
  }
  document_.endGesture();
  if (!document_.apply(tr("Give thickness"), std::move(made))) return;
  speaker_.say(tr("%1 have plates, each on a level of its own; Shift+K finds the least number of levels")
                   .arg(counted(static_cast<qsizetype>(links.size()), tr("link"), tr("links"))));
}

void LevelFinder::findLevels() {
  const int run = runs_.currentRun();
  if (run < 0) {
    speaker_.say(tr("Levels are found for a run: drive a joint first (Shift+D)"), true);
    return;
  }
  std::vector<Id> fixed;
  for (const Id id : selection_.ids())
    if (findLink(*document_.mechanism(), id)) fixed.push_back(id);
  auto found = std::make_shared<FoundLevels>();
  jobs_.start(
      tr("Finding levels"),
      [this, found, run, fixed, mechanism = document_.mechanism()](SharedProgress& progress) {
        clearance::GeometryCache cache;
        found->rules = study::plateRules(mechanism, run, fixed, {shapes_.store(), cache, &progress});
        if (found->rules.ok()) found->plan = study::leastLevels(found->rules->problem, &progress);
      },
      [this, found, before = document_.mechanism()] {
        if (!found->rules.ok()) {
          const auto& e = found->rules.error();
          speaker_.say(e.cancelled ? tr("Cancelled") : q(e.text), !e.cancelled);
          return;
        }
        if (found->plan.levels.empty()) {
          speaker_.say(tr("Cancelled"));
          return;
        }
        if (document_.mechanism() != before) {
          speaker_.say(tr("The mechanism was changed meanwhile; find the levels again"), true);
          return;
        }
        const bool works = found->plan.together.empty() && found->plan.pierced.empty();
        std::vector<std::pair<Id, int>> levels;
        for (std::size_t i = 0; i < found->plan.levels.size(); ++i)
          levels.emplace_back(found->rules->links[i], found->plan.levels[i]);
        const QString words = wordsOf(*found);
        if (works) {
          document_.endGesture();
          const auto next = withLevels(*before, levels);
          if (!document_.apply(tr("Find levels"), next)) return;
        }
        speaker_.say(words, !works);
      });
}

/// How many levels, and which link is where; or what stands in the way of any.
QString LevelFinder::wordsOf(const FoundLevels& found) const {
  const auto& rules = *found.rules;
  const auto name = [&](int i) {
    const auto l = findLink(*document_.mechanism(), rules.links[static_cast<std::size_t>(i)]);
    return l ? q(l->name) : QString();
  };
  QStringList wrong;
  for (const auto& [a, b] : found.plan.together) wrong << tr("%1 and %2 meet").arg(name(a), name(b));
  for (const auto& [pin, link] : found.plan.pierced)
    wrong << tr("the pin of %1 lies in the path of %2").arg(q(rules.pins[static_cast<std::size_t>(pin)]), name(link));
  if (!wrong.isEmpty())
    return tr("No levels part them all: %1. Change a length or a width, or let a chosen link go")
        .arg(wrong.join(QStringLiteral("; ")));
  QStringList on;
  for (std::size_t i = 0; i < found.plan.levels.size(); ++i)
    on << tr("%1 %2").arg(name(static_cast<int>(i))).arg(found.plan.levels[i]);
  QString text = tr("%1: %2").arg(counted(found.plan.count, tr("level"), tr("levels")), on.join(QStringLiteral(", ")));
  if (rules.unproven > 0)
    text += tr("; %1 not proven between the steps: %2")
                .arg(counted(rules.unproven, tr("pair"), tr("pairs")), q(rules.notProven));
  return text;
}

void LevelFinder::toggleSpread() {
  const auto& m = *document_.mechanism();
  const auto& r = solution_.resolved();
  if (spread_) {
    spread_ = false;
    pose_.restorePoses();
    return;
  }
  std::vector<Pose> poses = pose_.poses();
  if (r.normals.size() != poses.size() || poses.size() != m.links.size()) {
    speaker_.say(tr("Only a planar mechanism whose links have plates has levels"), true);
    return;
  }
  constexpr double kSpread = 5;  // times as far apart
  bool any = false;
  for (std::size_t i = 0; i < poses.size(); ++i) {
    const auto level = levelOf(m, m.links[i]->id);
    const auto plate = plateOf(*m.links[i]);
    if (!level || !plate || !plate->figures.count("pitch")) continue;
    const auto pitch = evaluateField(m, plate->figures.at("pitch"), dimension::kLength);
    for (const auto& b : r.links[i].bodies)
      if (b.id == plate->id && pitch.ok())
        poses[i].p += kSpread * *level * *pitch * (poses[i].R * b.placement.R.col(2));
    any = true;
  }
  if (!any) {
    speaker_.say(tr("Give the links thickness first (Shift+H)"), true);
    return;
  }
  spread_ = true;
  pose_.showPoses(poses);
  speaker_.say(tr("Levels are shown %1 times as far apart; once more brings them back").arg(kSpread + 1));
}

}  // namespace cooperage::app
