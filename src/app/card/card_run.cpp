// SPDX-License-Identifier: GPL-3.0-or-later
// Card of a run: how long, in how many steps, what acts, what is checked.
#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QPushButton>
#include <algorithm>
#include <cmath>

#include "card_page.h"
#include "model/gauge_edits.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
class RunPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showRun(const Run& run);

 private:
  void runLength(QFormLayout* form, const Run& run);
  void runActing(const Run& run);
  void ghostMarks(QFormLayout* form, const Run& run);
  void runPairs(const Run& run);
};
}  // namespace

namespace {
constexpr std::size_t kManyLinks = 16;
}  // namespace

/// Length and steps, each told in the way that suits.
void RunPage::runLength(QFormLayout* form, const Run& run) {
  const auto& m = *bench_.document().mechanism();
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) {
    return changed<Run>(*bench_.document().mechanism(), &Mechanism::runs, id, edit);
  };
  const QString kSeconds = QStringLiteral("duration"), kTurns = QStringLiteral("turns"),
                kSweep = QStringLiteral("sweep"), kProgrammes = QStringLiteral("programmes");
  pickOne(form, tr("Lasts"), QStringLiteral("lasts"),
          {{kProgrammes, tr("as its programmes")},
           {kSeconds, tr("a time")},
           {kTurns, tr("turns of the drive")},
           {kSweep, tr("from value to value")}},
          run.sweep                    ? kSweep
          : run.turns && !run.duration ? kTurns
          : run.duration               ? kSeconds
                                       : kProgrammes,
          [this, change, kTurns, kSweep, kProgrammes](const QString& how) -> Result<Mechanism> {
            const auto& now = *bench_.document().mechanism();
            return change([&](Run& r) {
              const double lasts = bench_.runs().run() ? bench_.runs().run()->travel->settings().duration : 2;
              r.sweep.reset();
              r.turns.reset();
              r.duration.reset();
              if (how == kTurns) {
                r.turns = Field(1);
              } else if (how == kSweep && !now.drives.empty()) {
                const auto& d = now.drives.front();
                const bool angle =
                    d->gauge == 0 && bench_.solution().resolved().drives.front().dimension == dimension::kAngle;
                r.sweep = Sweep{d->id, Field(0), *parseField(now, angle ? "90 deg" : "20 mm"),
                                *parseField(now, angle ? "45 deg/s" : "10 mm/s")};
              } else if (how != kProgrammes) {
                r.duration = Field(std::round(lasts / now.units.factor(dimension::kTime) * 1e6) / 1e6);
              }
            });
          });
  if (run.sweep) {
    std::vector<std::pair<QString, QString>> drives;
    for (const auto& d : m.drives) drives.emplace_back(QString::number(d->id), q(d->name));
    pickOne(form, tr("Drive"), QStringLiteral("sweep drive"), drives, QString::number(run.sweep->drive),
            [change](const QString& key) -> Result<Mechanism> {
              return change([&](Run& r) { r.sweep->drive = key.toULongLong(); });
            });
    Dimension d = dimension::kAngle;
    for (const auto& known : bench_.solution().resolved().drives)
      if (known.id == run.sweep->drive) d = known.dimension;
    figure(form, tr("From"), run.sweep->from, d,
           [change](const Field& f) { return change([&](Run& r) { r.sweep->from = f; }); });
    figure(form, tr("To"), run.sweep->to, d,
           [change](const Field& f) { return change([&](Run& r) { r.sweep->to = f; }); });
    figure(form, tr("Speed"), run.sweep->speed, d + dimension::kPerSecond,
           [change](const Field& f) { return change([&](Run& r) { r.sweep->speed = f; }); });
  } else if (run.turns && !run.duration) {
    figure(form, tr("Turns"), *run.turns, dimension::kPlain,
           [change](const Field& f) { return change([&](Run& r) { r.turns = f; }); });
  } else if (run.duration) {
    figure(form, tr("Duration"), *run.duration, dimension::kTime,
           [change](const Field& f) { return change([&](Run& r) { r.duration = f; }); });
  }
  const QString kNumber = QStringLiteral("number"), kSize = QStringLiteral("size"), kRate = QStringLiteral("rate");
  Dimension axis = dimension::kTime;
  for (const auto& known : bench_.solution().resolved().drives)
    if (known.id == run.axis) axis = known.dimension;
  pickOne(form, tr("Steps by"), QStringLiteral("steps by"),
          {{kNumber, tr("their number")}, {kSize, tr("their size")}, {kRate, tr("their rate")}},
          run.stepSize   ? kSize
          : run.stepRate ? kRate
                         : kNumber,
          [this, change, kSize, kRate, axis](const QString& how) -> Result<Mechanism> {
            const auto& now = *bench_.document().mechanism();
            return change([&](Run& r) {
              r.stepSize.reset();
              r.stepRate.reset();
              if (how == kSize)
                r.stepSize = *parseField(now, axis == dimension::kAngle    ? "1 deg"
                                              : axis == dimension::kLength ? "0.5 mm"
                                                                           : "10 ms");
              if (how == kRate) r.stepRate = *parseField(now, "100 Hz");
            });
          });
  if (run.stepSize)
    figure(form, tr("Step"), *run.stepSize, axis,
           [change](const Field& f) { return change([&](Run& r) { r.stepSize = f; }); });
  else if (run.stepRate)
    figure(form, tr("Rate"), *run.stepRate, dimension::kPerSecond,
           [change](const Field& f) { return change([&](Run& r) { r.stepRate = f; }); });
  else
    figure(form, tr("Steps"), Field(run.steps), dimension::kPlain, [this, change](const Field& f) {
      const auto v = evaluateField(*bench_.document().mechanism(), f, dimension::kPlain);
      return change([&](Run& r) { r.steps = v.ok() ? static_cast<int>(std::lround(std::clamp(*v, -1e9, 1e9))) : 0; });
    });
}

/// Which drives, joints, couplings and contacts act in it.
/// Ghosts at places of the travel axis, put there at the cursor.
void RunPage::ghostMarks(QFormLayout* form, const Run& run) {
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) {
    return changed<Run>(*bench_.document().mechanism(), &Mechanism::runs, id, edit);
  };
  for (std::size_t i = 0; i < run.ghostMarks.size(); ++i)
    optionalFigure(form, tr("Ghost at"), QStringLiteral("ghost mark %1").arg(i + 1), run.ghostMarks[i],
                   [change, i](const std::optional<Field>& f) {
                     return change([&](Run& r) {
                       if (f)
                         r.ghostMarks[i] = *f;
                       else
                         r.ghostMarks.erase(r.ghostMarks.begin() + static_cast<std::ptrdiff_t>(i));
                     });
                   });
  button(form, tr("Ghost at the cursor"), [this, change] {
    const RunData* now = bench_.runs().run();
    if (!now) return bench_.say(tr("Compute the run first: the ghost is put where its cursor is"), true);
    const double unit = bench_.document().mechanism()->units.factor(now->result.axisDimension);
    const double at = std::round(now->travel->axisAt(bench_.runs().cursor()) / unit * 1e4) / 1e4;
    bench_.document().apply(tr("Add ghost"), change([&](Run& r) { r.ghostMarks.emplace_back(at); }));
  });
}

void RunPage::runActing(const Run& run) {
  const auto& m = *bench_.document().mechanism();
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) {
    return changed<Run>(*bench_.document().mechanism(), &Mechanism::runs, id, edit);
  };
  auto* form = section(tr("Drives that act"));
  for (const auto& d : m.drives) {
    const Id drive = d->id;
    const bool acts =
        d->enabled && (!run.drives || std::find(run.drives->begin(), run.drives->end(), drive) != run.drives->end());
    check(form, q(d->name), QStringLiteral("acts ") + q(d->name), acts, [this, change, drive](bool on) {
      std::vector<Id> all;
      for (const auto& x : bench_.document().mechanism()->drives)
        if (x->enabled) all.push_back(x->id);
      return change([&](Run& r) {
        if (!r.drives) r.drives = all;
        r.drives->erase(std::remove(r.drives->begin(), r.drives->end(), drive), r.drives->end());
        if (on) r.drives->push_back(drive);
      });
    });
    if (!acts) continue;
    const auto start =
        std::find_if(run.start.begin(), run.start.end(), [&](const auto& s) { return s.first == drive; });
    optionalFigure(form, tr("starts at"), QStringLiteral("start ") + q(d->name),
                   start == run.start.end() ? std::nullopt : std::optional<Field>(start->second),
                   [change, drive](const std::optional<Field>& f) {
                     return change([&](Run& r) {
                       r.start.erase(std::remove_if(r.start.begin(), r.start.end(),
                                                    [&](const auto& s) { return s.first == drive; }),
                                     r.start.end());
                       if (f) r.start.emplace_back(drive, *f);
                     });
                   });
  }
  auto* other = section(tr("Left out of this run"));
  const auto nameOfOff = [&](Id off) { return q(nameOf(m, {off, ""}, false)); };
  for (Id off : run.off)
    check(other, nameOfOff(off), QStringLiteral("off ") + nameOfOff(off), true, [change, off](bool) {
      return change([&](Run& r) { r.off.erase(std::remove(r.off.begin(), r.off.end(), off), r.off.end()); });
    });
  std::vector<std::pair<QString, QString>> more{{QStringLiteral("0"), tr("leave out\u2026")}};
  const auto offer = [&](Id x, const std::string& name, const QString& what) {
    if (std::find(run.off.begin(), run.off.end(), x) == run.off.end())
      more.emplace_back(QString::number(x), what + QStringLiteral(" ") + q(name));
  };
  for (const auto& j : m.joints) offer(j->id, j->name, tr("joint"));
  for (const auto& c : m.couplings) offer(c->id, c->name, tr("coupling"));
  for (const auto& c : m.camPairs) offer(c->id, c->name, tr("contact"));
  for (const auto& c : m.contacts) offer(c->id, c->name, tr("contact that pushes"));
  pickOne(other, tr("Also"), QStringLiteral("leave out"), more, QStringLiteral("0"),
          [change](const QString& key) -> Result<Mechanism> {
            return change([&](Run& r) {
              if (const Id x = key.toULongLong()) r.off.push_back(x);
            });
          });
}

void RunPage::showRun(const Run& run) {
  const auto& m = *bench_.document().mechanism();
  heading(q(run.name), tr("run"));
  auto* form = section();
  nameField(form, run.id, run.name);
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) {
    return changed<Run>(*bench_.document().mechanism(), &Mechanism::runs, id, edit);
  };
  runLength(form, run);
  std::vector<std::pair<QString, QString>> axes{{QStringLiteral("0"), tr("time")}};
  for (const auto& d : m.drives) axes.emplace_back(QString::number(d->id), q(d->name));
  pickOne(form, tr("Axis"), QStringLiteral("axis"), axes, QString::number(run.axis),
          [change](const QString& key) -> Result<Mechanism> {
            return change([&](Run& r) {
              r.axis = key.toULongLong();
              r.stepSize.reset();  // it was one of the other axis
            });
          });
  pickOne(form, tr("At a limit"), QStringLiteral("at limit"),
          {{QStringLiteral("stop"), tr("stop")}, {QStringLiteral("reverse"), tr("turn back")}}, q(wordFor(run.atLimit)),
          [change](const QString& how) -> Result<Mechanism> {
            return change([&](Run& r) { r.atLimit = *valueNamed<AtLimit>(how.toStdString()); });
          });
  check(form, tr("stops at contact"), QStringLiteral("stop at contact"), run.stopAtContact,
        [change](bool on) { return change([&](Run& r) { r.stopAtContact = on; }); });
  if (!m.contacts.empty())
    check(
        form, tr("starts free"), QStringLiteral("free start"), run.freeStart,
        [change](bool on) { return change([&](Run& r) { r.freeStart = on; }); },
        tr("Where links of contacts overlap at home, the run begins at the nearest pose without overlap"));
  check(form, tr("passes stops"), QStringLiteral("past stops"), run.pastStops,
        [change](bool on) { return change([&](Run& r) { r.pastStops = on; }); });
  figure(form, tr("Accuracy"), run.accuracy.value_or(Field(2e-5 / m.units.factor(dimension::kLength))),
         dimension::kLength, [change](const Field& f) { return change([&](Run& r) { r.accuracy = f; }); });
  figure(form, tr("Ghost every"), Field(run.ghostEvery), dimension::kPlain, [this, change](const Field& f) {
    const auto v = evaluateField(*bench_.document().mechanism(), f, dimension::kPlain);
    return change([&](Run& r) { r.ghostEvery = v.ok() ? static_cast<int>(std::lround(std::clamp(*v, 0.0, 1e6))) : 0; });
  });
  ghostMarks(form, run);
  button(
      form, tr("Compute"), [this] { bench_.runs().startRun(); }, true);
  runActing(run);
  auto* checks = section(tr("Checked"));
  for (const auto& [what, text] : {std::pair{RunCheck::interference, tr("interference")},
                                   {RunCheck::clearance, tr("least gaps")},
                                   {RunCheck::stops, tr("stops")},
                                   {RunCheck::requirements, tr("requirements")}}) {
    const bool on = std::find(run.check.begin(), run.check.end(), what) != run.check.end();
    check(checks, text, QStringLiteral("check ") + q(wordFor(what)), on, [change, what = what](bool now) {
      return change([&](Run& r) {
        r.check.erase(std::remove(r.check.begin(), r.check.end(), what), r.check.end());
        if (now) r.check.push_back(what);
      });
    });
  }
  runPairs(run);
}

/// Which pairs of links are checked: each against each, or one side against the other; and which are left out.
void RunPage::runPairs(const Run& run) {
  const auto& m = *bench_.document().mechanism();
  const Id id = run.id;
  const auto change = [this, id](std::function<void(Run&)> edit) {
    return changed<Run>(*bench_.document().mechanism(), &Mechanism::runs, id, edit);
  };
  const auto nameOfLink = [&](Id link) {
    const auto l = findLink(m, link);
    return l ? q(l->name) : QString();
  };
  auto* form = section(tr("Pairs that are checked"));
  const bool sided = !run.sideA.empty() || !run.sideB.empty();
  const QString kEach = QStringLiteral("each"), kSides = QStringLiteral("sides");
  pickOne(form, tr("Links"), QStringLiteral("pairs"),
          {{kEach, tr("each against each")}, {kSides, tr("one side against the other")}}, sided ? kSides : kEach,
          [this, change, kSides](const QString& how) -> Result<Mechanism> {
            const auto& links = bench_.document().mechanism()->links;
            return change([&](Run& r) {
              r.sideA.clear();
              r.sideB.clear();
              // what moves against what stands: to be sorted out link by link
              if (how == kSides)
                for (const auto& l : links) (l->ground ? r.sideB : r.sideA).push_back(l->id);
            });
          });
  if (sided)
    for (const auto& l : m.links) {
      const Id link = l->id;
      const auto on = [&](const std::vector<Id>& side) {
        return std::find(side.begin(), side.end(), link) != side.end();
      };
      pickOne(form, q(l->name), QStringLiteral("side ") + q(l->name),
              {{QStringLiteral("a"), tr("first side")},
               {QStringLiteral("b"), tr("other side")},
               {QStringLiteral("ab"), tr("both sides")},
               {QStringLiteral("-"), tr("not checked")}},
              on(run.sideA) ? (on(run.sideB) ? QStringLiteral("ab") : QStringLiteral("a"))
                            : (on(run.sideB) ? QStringLiteral("b") : QStringLiteral("-")),
              [change, link](const QString& key) -> Result<Mechanism> {
                return change([&](Run& r) {
                  for (auto* side : {&r.sideA, &r.sideB})
                    side->erase(std::remove(side->begin(), side->end(), link), side->end());
                  if (key.contains(QLatin1Char('a'))) r.sideA.push_back(link);
                  if (key.contains(QLatin1Char('b'))) r.sideB.push_back(link);
                });
              });
    }
  for (const auto& pair : run.leaveOut) {
    const QString name = nameOfLink(pair.first) + QStringLiteral(" \u2013 ") + nameOfLink(pair.second);
    check(form, tr("without %1").arg(name), QStringLiteral("pair ") + name, true, [change, pair](bool) {
      return change(
          [&](Run& r) { r.leaveOut.erase(std::remove(r.leaveOut.begin(), r.leaveOut.end(), pair), r.leaveOut.end()); });
    });
  }
  if (m.links.size() > kManyLinks) return;  // too many pairs for a list: they are left out in the list of stage Check
  std::vector<std::pair<QString, QString>> more{{QStringLiteral("-"), tr("leave out\u2026")}};
  std::vector<std::pair<Id, Id>> pairs;
  for (std::size_t a = 0; a < m.links.size(); ++a)
    for (std::size_t b = a + 1; b < m.links.size(); ++b) {
      const std::pair<Id, Id> pair{m.links[a]->id, m.links[b]->id}, turned{pair.second, pair.first};
      if (std::any_of(run.leaveOut.begin(), run.leaveOut.end(),
                      [&](const auto& p) { return p == pair || p == turned; }))
        continue;
      more.emplace_back(QString::number(pairs.size()),
                        q(m.links[a]->name) + QStringLiteral(" \u2013 ") + q(m.links[b]->name));
      pairs.push_back(pair);
    }
  pickOne(form, tr("Without"), QStringLiteral("leave pair out"), more, QStringLiteral("-"),
          [change, pairs](const QString& key) -> Result<Mechanism> {
            bool number = false;
            const auto i = static_cast<std::size_t>(key.toUInt(&number));
            return change([&](Run& r) {
              if (number && i < pairs.size()) r.leaveOut.push_back(pairs[i]);
            });
          });
}

PagePtr runPage(Card& card, Id id) {
  return filled<RunPage>(card, findById(shownIn(card).runs, id), [](auto& page, const auto& x) { page.showRun(x); });
}

}  // namespace cooperage::app
