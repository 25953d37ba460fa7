// SPDX-License-Identifier: GPL-3.0-or-later
#include "solution.h"

#include <algorithm>

#include "study/closing_range.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

Solution::Solution(BodyShapes& shapes)
    : shapes_(shapes), prepared_(study::prepare(std::make_shared<const Mechanism>(), {}, -1, {})) {}

bool Solution::standsOnSolids() const {
  const auto& r = resolved();
  return std::any_of(r.joints.begin(), r.joints.end(),
                     [](const auto& j) { return j.kind == JointKind::pointSurface; }) ||
         std::any_of(r.curveList.begin(), r.curveList.end(), [](const auto& c) { return !c.edges.empty(); }) ||
         !r.contacts.empty() || std::any_of(r.links.begin(), r.links.end(), [](const auto& l) {
           return std::any_of(l.bodies.begin(), l.bodies.end(), [](const auto& b) { return b.density.has_value(); });
         });
}

void Solution::make(const MechanismPtr& mechanism, Resolved figures, int run) {
  stop();
  shapes_.take(figures, BodyShapes::make(figures, shapes_.store()));
  const double start = processorTime();
  auto prepared = study::prepare(mechanism, std::move(figures), run,
                                 [this](const auto&, const auto& body) { return shapes_.solid(body.id); });
  seconds_ = processorTime() - start;
  take(std::move(prepared));
}

bool Solution::wantsAside(const Resolved& figures) const {
  constexpr double kFrame = 0.010;  // s: what fits between two pictures is done at once
  if (seconds_ < kFrame && !shapes_.hasSlowOnes(figures)) return false;
  const auto& now = resolved();
  const auto same = [](const auto& a, const auto& b, auto like) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), like);
  };
  const auto sameId = [](const auto& x, const auto& y) { return x.id == y.id; };
  return same(now.links, figures.links, sameId) &&
         same(now.joints, figures.joints,
              [](const auto& x, const auto& y) {
                return x.id == y.id && x.kind == y.kind && x.enabled == y.enabled && x.linkA == y.linkA &&
                       x.linkB == y.linkB;
              }) &&
         same(now.couplings, figures.couplings, sameId) && same(now.camPairs, figures.camPairs, sameId) &&
         same(now.contacts, figures.contacts, sameId) && same(now.drives, figures.drives, sameId);
}

void Solution::makeAside(const MechanismPtr& mechanism, Resolved figures, int run) {
  wanted_ = Ask{mechanism, std::make_shared<const Resolved>(std::move(figures)), run};
  hold(*wanted_, *prepared_);
  if (!maker_.busy()) next();
}

/// The document's figures with the system, home and poses of the last one that was worked out.
void Solution::hold(const Ask& ask, const study::Prepared& shown) {
  auto held = std::make_shared<study::Prepared>(shown);
  held->mechanism = ask.mechanism;
  held->resolved = ask.figures;
  prepared_ = std::move(held);
}

void Solution::next() {
  const Ask ask = *wanted_;
  wanted_.reset();
  auto made = std::make_shared<Made>();
  maker_.start(
      tr("Following the change"),
      [this, ask, made, known = shapes_.solids()](SharedProgress&) {
        made->elements = BodyShapes::make(*ask.figures, shapes_.store());
        const double start = processorTime();
        made->prepared =
            study::prepare(ask.mechanism, *ask.figures, ask.run, [&](const auto&, const auto& body) -> shape::SolidPtr {
              const auto fresh = made->elements.solids.find(body.id);
              if (fresh != made->elements.solids.end()) return fresh->second;
              const auto file = known.find(body.id);
              return file == known.end() ? nullptr : file->second;
            });
        made->seconds = processorTime() - start;
      },
      [this, ask, made] {
        seconds_ = made->seconds;
        shapes_.take(*ask.figures, std::move(made->elements));
        if (!wanted_) {
          take(made->prepared);
          emit followed(true);
          return;
        }
        if (made->prepared->closes()) hold(*wanted_, *made->prepared);
        emit followed(false);
        if (wanted_) next();
      });
}

void Solution::settle() {
  if (!wanted_) return maker_.finish();
  const auto held = prepared_;
  make(held->mechanism, *held->resolved, wanted_->run);
  emit followed(true);
}

void Solution::stop() {
  wanted_.reset();
  maker_.stop();
  closer_.stop();
}

void Solution::take(study::PreparedPtr prepared) {
  homeProblem_.clear();
  prepared_ = std::move(prepared);
  if (closer_.busy()) closer_.stop();
  if (prepared_->problem) {
    homeProblem_ = q(prepared_->problem->text);
    if (prepared_->system) tellClosingRange();
  }
  if (prepared_->closes()) closed_ = prepared_;
}

void Solution::remake(int run) {
  const auto mechanism = prepared_->mechanism;
  make(mechanism, resolved(), run);
  emit changed();
}

/// Where the one figure that was changed would close, found once while it is played with; told when it is known.
void Solution::tellClosingRange() {
  if (!closed_) return;
  // placed as they stood, so that a figure can be tried without the way from the placements
  const auto good = std::make_shared<const Mechanism>(withPlacements(*closed_->mechanism, closed_->poses));
  const std::string figure = study::changedFigure(*good, *prepared_->mechanism);
  if (figure.empty()) return;
  const auto tell = [this] {
    if (!closing_.empty()) homeProblem_ += QStringLiteral("; ") + q(closing_);
  };
  if (closingOf_ == closed_ && closingFigure_ == figure) return tell();
  auto found = std::make_shared<std::string>();
  closer_.start(
      tr("Looking where it closes"),
      [this, found, good, bad = prepared_->mechanism](SharedProgress& progress) {
        *found = study::closingRange(*good, *bad, shapes_.store(), &progress);
      },
      [this, found, tell, figure, of = closed_, bad = prepared_] {
        closing_ = *found;
        closingOf_ = of;
        closingFigure_ = figure;
        if (prepared_ != bad) return;
        tell();
        emit changed();
      });
}

void Solution::clear() {
  stop();
  closed_.reset();
  closingOf_.reset();
}

}  // namespace cooperage::app
