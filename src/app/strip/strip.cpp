// SPDX-License-Identifier: GPL-3.0-or-later
#include "strip.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "../choice_box.h"
#include "../shrinking_label.h"
#include "../text.h"
#include "lane_list.h"
#include "../theme.h"

namespace cooperage::app {

namespace {
constexpr double kSpeeds[] = {0.05, 0.1, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0};
QPixmap mirrored(const char* name, const QColor& colour) {
  return iconPixmap(QLatin1String(name), colour, 16, 2).transformed(QTransform().scale(-1, 1));
}
}  // namespace

Strip::Strip(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  auto* row = new QHBoxLayout;
  row->setContentsMargins(10, 4, 12, 4);
  row->setSpacing(3);
  makeTransport(row);
  row->addStretch(1);
  makeRight(row);
  column->addLayout(row);
  auto* line = new QFrame;
  line->setFixedHeight(1);
  dress(line, QStringLiteral("background: @line"));
  column->addWidget(line);
  lanes_ = new Lanes(bench_);
  column->addWidget(lanes_, 1);
  camLanes_ = new CamLanes(bench_);
  programmeLanes_ = new ProgrammeLanes(bench_);
  for (QWidget* w : std::initializer_list<QWidget*>{camLanes_, programmeLanes_}) {
    w->hide();
    column->addWidget(w, 1);
  }
  connect(difference_, &QToolButton::toggled, lanes_, &Lanes::setDifference);
  timer_.setInterval(15);
  timer_.setTimerType(Qt::PreciseTimer);
  connect(&timer_, &QTimer::timeout, this, &Strip::tick);
  jobTimer_.setInterval(60);
  connect(&jobTimer_, &QTimer::timeout, this, &Strip::refreshJob);
  connect(&bench_.jobs(), &JobRunner::started, this, &Strip::refreshJob);
  connect(&bench_.jobs(), &JobRunner::finished, this, &Strip::refreshJob);
  connect(&bench_, &Workbench::resultsChanged, this, &Strip::refresh);
  connect(&themeWatch(), &ThemeWatch::changed, this, &Strip::refresh);
  connect(&bench_.document(), &Document::changed, this, &Strip::refresh);
  connect(&bench_.runs(), &RunBook::cursorChanged, this, &Strip::refreshCursor);
  connect(programmeLanes_, &ProgrammeLanes::driveChanged, this, &Strip::fitLaw);
  connect(runs_, &QComboBox::activated, this,
          [this] { bench_.runs().setCurrentRun(runs_->currentData().toULongLong()); });
  connect(position_, &QLineEdit::returnPressed, this, &Strip::goToTyped);
  refresh();
  refreshJob();
}

void Strip::makeTransport(QHBoxLayout* row) {
  const auto key = [&](const char* name, const char* iconName, const QString& tip) {
    auto* b = new QToolButton;
    b->setObjectName(QLatin1String(name));
    dressIcon(b, QStringLiteral("lucide/") + QLatin1String(iconName));
    b->setIconSize({16, 16});
    b->setFixedSize(27, 26);
    b->setToolTip(tip);
    b->setAccessibleName(tip);
    b->setFocusPolicy(Qt::TabFocus);
    row->addWidget(b);
    return b;
  };
  connect(key("to start", "skip-back", tr("To the start (Home)")), &QToolButton::clicked, this, &Strip::toStart);
  connect(key("step back", "step-back", tr("One step back (Ctrl+Left)")), &QToolButton::clicked, this,
          [this] { step(-1); });
  back_ = key("play back", "play", tr("Play backwards or pause (Shift+Space)"));
  back_->setIcon(QIcon(mirrored("lucide/play", theme().ink)));
  connect(back_, &QToolButton::clicked, this, &Strip::togglePlayBack);
  play_ = key("play", "play", tr("Play or pause (Space)"));
  play_->setFixedSize(34, 26);
  dress(play_, QStringLiteral("QToolButton { background: @accent; border-radius: 6px; } QToolButton:disabled { "
                              "background: @line; }"));
  connect(play_, &QToolButton::clicked, this, &Strip::togglePlay);
  connect(key("step on", "step-forward", tr("One step on (Ctrl+Right)")), &QToolButton::clicked, this,
          [this] { step(1); });
  connect(key("to end", "skip-forward", tr("To the end (End)")), &QToolButton::clicked, this, &Strip::toEnd);
  loop_ = key("loop", "repeat", tr("Loop (L)"));
  fro_ = key("back and forth", "arrow-left-right", tr("Back and forth (Shift+L)"));
  for (auto* b : {loop_, fro_}) b->setCheckable(true);
  connect(loop_, &QToolButton::clicked, this, [this](bool on) { setAtEnd(on ? AtEnd::loop : AtEnd::stop); });
  connect(fro_, &QToolButton::clicked, this, [this](bool on) { setAtEnd(on ? AtEnd::toAndFro : AtEnd::stop); });
  connect(key("home", "house", tr("Return to the home pose (H)")), &QToolButton::clicked, this,
          [this] { bench_.pose().goHome(); });
  row->addSpacing(6);
  position_ = new QLineEdit;
  position_->setObjectName(QStringLiteral("position"));
  position_->setAccessibleName(tr("Place on the travel axis"));
  position_->setToolTip(tr("Type a place on the travel axis, or a time, to go there"));
  position_->setFixedWidth(100);
  position_->setFocusPolicy(Qt::ClickFocus);
  row->addWidget(position_);
  of_ = new ShrinkingLabel;
  of_->setProperty("mute", true);
  of_->setMinimumWidth(108);
  row->addWidget(of_);
  row->addSpacing(4);
  speed_ = new ChoiceBox;
  speed_->setObjectName(QStringLiteral("speed"));
  for (double s : kSpeeds) speed_->addItem(QStringLiteral("%1\u00d7").arg(s), s);
  speed_->setCurrentIndex(3);
  speed_->setToolTip(tr("Speed of playing, against real time ([ and ])"));
  row->addWidget(speed_);
  row->addSpacing(4);
  runs_ = new ChoiceBox;
  runs_->setObjectName(QStringLiteral("runs"));
  runs_->setMinimumWidth(104);
  runs_->setToolTip(tr("The run that is shown and computed"));
  runs_->setAccessibleName(tr("Run"));
  row->addWidget(runs_);
}

void Strip::makeRight(QHBoxLayout* row) {
  job_ = new QLabel;
  job_->setProperty("mute", true);
  bar_ = new QProgressBar;
  bar_->setFixedWidth(96);
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  cancel_ = new QPushButton(tr("Cancel"));
  cancel_->setObjectName(QStringLiteral("cancel"));
  connect(cancel_, &QPushButton::clicked, this, [this] { bench_.jobs().cancel(); });
  info_ = new ShrinkingLabel;
  info_->setObjectName(QStringLiteral("info"));
  info_->setProperty("mute", true);
  refine_ = new QPushButton(tr("Refine"));
  refine_->setObjectName(QStringLiteral("refine"));
  refine_->setToolTip(tr("Compute with so many steps that the curves are as smooth as the motion"));
  connect(refine_, &QPushButton::clicked, &bench_.runs(), &RunBook::refineRun);
  const auto key = [&](const char* name, const char* iconName, const QString& text, const QString& tip) {
    auto* b = new QToolButton;
    b->setObjectName(QLatin1String(name));
    if (iconName) dressIcon(b, QLatin1String(iconName));
    b->setText(text);
    b->setToolButtonStyle(iconName ? Qt::ToolButtonTextBesideIcon : Qt::ToolButtonTextOnly);
    b->setFixedHeight(26);
    b->setToolTip(tip);
    b->setCheckable(true);
    b->setFocusPolicy(Qt::TabFocus);
    return b;
  };
  pin_ = key("pin", "lucide/pin", tr("Pin"), tr("Keep these curves to compare all later ones with (Ctrl+B)"));
  connect(pin_, &QToolButton::clicked, &bench_.runs(), &RunBook::togglePin);
  difference_ = key("difference", nullptr, tr("\u0394"), tr("Show the difference to the curves compared with"));
  for (QLabel* l : {job_, info_}) l->setMinimumWidth(10);  // words give way before the window grows
  for (QWidget* w : std::initializer_list<QWidget*>{job_, bar_, cancel_, info_, refine_, pin_, difference_})
    row->addWidget(w);
}

double Strip::speed() const { return speed_->currentData().toDouble(); }

void Strip::changeSpeed(int by) {
  speed_->setCurrentIndex(std::clamp(speed_->currentIndex() + by, 0, speed_->count() - 1));
}

void Strip::setAtEnd(AtEnd how) {
  atEnd_ = how;
  loop_->setChecked(how == AtEnd::loop);
  fro_->setChecked(how == AtEnd::toAndFro);
}

/// "acceleration of ram jumps at 1 s from 2 to -3 mm/s²: drive main: its programme jumps there".
QString Strip::jumpText(const RunData& run, const kinematics::Jump& j) const {
  const auto& g = run.travel->resolved().gauges[static_cast<std::size_t>(j.gauge)];
  const auto& units = bench_.document().mechanism()->units;
  const double size = std::max(std::abs(j.from), std::abs(j.to));
  const auto& axis = run.result.axis;
  QString text =
      tr("%1 jumps at %2 from %3 to %4")
          .arg(q(g.name), figureText(j.at, run.result.axisDimension, units, std::abs(axis.back() - axis.front())),
               figureText(j.from, g.dimension, units, size), figureText(j.to, g.dimension, units, size));
  if (!j.cause.empty()) text += QStringLiteral(" (%1)").arg(q(j.cause));
  return text;
}

/// "360 steps \u00b7 complete \u00b7 checked"
QString Strip::stateText(const RunData& run) const {
  const auto& travel = run.result.travel;
  const bool checked = bench_.checks().check() && !bench_.checks().isCheckStale();
  return QStringList{counted(static_cast<qsizetype>(run.result.rows.size()) - 1, tr("step"), tr("steps")),
                     travel.completed || !travel.ended ? tr("complete") : endWords(*travel.ended),
                     checked ? tr("checked") : tr("not checked")}
      .join(ShrinkingLabel::separator());
}

void Strip::refresh() {
  const RunData* run = bench_.runs().run();
  if (!run) timer_.stop();
  runs_->clear();
  for (const auto& r : bench_.document().mechanism()->runs)
    runs_->addItem(q(r->name), QVariant::fromValue<qulonglong>(r->id));
  if (const int current = bench_.runs().currentRun(); current >= 0) runs_->setCurrentIndex(current);
  QString info;
  bool coarse = false;
  QStringList jumps;
  if (run && !run->result.rows.empty()) {
    const bool fresh = !bench_.runs().isRunStale();
    info = fresh ? stateText(*run) : tr("out of date");
    coarse = fresh && !run->steps.coarse.empty();
    const auto gauge = [&](int g) { return q(run->travel->resolved().gauges[static_cast<std::size_t>(g)].name); };
    if (fresh)
      for (const auto& j : run->steps.jumps) jumps << jumpText(*run, j);
    if (coarse) {
      const auto worst = std::max_element(run->steps.coarse.begin(), run->steps.coarse.end(),
                                          [](const auto& a, const auto& b) { return a.share < b.share; });
      info = tr("steps too coarse: %1 off by %2 %")
                 .arg(gauge(worst->gauge))
                 .arg(100 * worst->share, 0, 'f', worst->share < 0.1 ? 1 : 0);
    } else if (!jumps.isEmpty()) {
      info = tr("%1 jumps").arg(gauge(run->steps.jumps.front().gauge));
    }
  }
  info_->setText(info);
  info_->setToolTip(jumps.join(QLatin1Char('\n')));
  info_->setStyleSheet(coarse || !jumps.isEmpty() ? QStringLiteral("color: %1").arg(theme().warn.name()) : QString());
  refine_->setVisible(coarse && !bench_.jobs().busy());
  const bool comparable = bench_.runs().before() != nullptr && bench_.runs().before() != run;
  pin_->setEnabled(run != nullptr);
  pin_->setChecked(bench_.runs().isPinned());
  difference_->setEnabled(comparable);
  if (!comparable && difference_->isChecked()) difference_->setChecked(false);
  refreshCursor();
}

void Strip::refreshCursor() {
  const RunData* run = bench_.runs().run();
  for (auto* b : {play_, back_}) b->setEnabled(run != nullptr);
  position_->setEnabled(run != nullptr);
  const QString pause = QStringLiteral("lucide/pause"), go = QStringLiteral("lucide/play");
  play_->setIcon(icon(isPlaying() && direction_ > 0 ? pause : go, theme().onAccent));
  back_->setIcon(isPlaying() && direction_ < 0 ? icon(pause) : QIcon(mirrored("lucide/play", theme().ink)));
  if (!run || run->result.axis.empty()) {
    position_->clear();
    of_->clear();
    return;
  }
  const auto& units = bench_.document().mechanism()->units;
  const auto d = run->result.axisDimension;
  if (!position_->hasFocus() || isPlaying()) showPosition();
  of_->setText(tr("of %1 \u00b7 %2")
                   .arg(figureText(run->result.axis.back(), d, units),
                        exactText(bench_.runs().cursor(), dimension::kTime, units, 1e-3)));
}

void Strip::showPosition() {
  const RunData* run = bench_.runs().run();
  if (!run) return;
  const auto& units = bench_.document().mechanism()->units;
  const auto d = run->result.axisDimension;
  position_->setText(QStringLiteral("%1 %2")
                         .arg(run->travel->axisAt(bench_.runs().cursor()) / units.factor(d), 0, 'f', 2)
                         .arg(q(units.label(d))));
  position_->setCursorPosition(0);
}

/// A place on the axis in its own unit, or a time where the axis is none.
void Strip::goToTyped() {
  RunData* run = bench_.runs().run();
  if (!run) return;
  const auto& m = *bench_.document().mechanism();
  const auto f = model::parseField(m, position_->text().trimmed().toStdString());
  auto v = f.ok() ? model::evaluateField(m, *f, run->result.axisDimension) : Result<double>(f.error());
  if (v.ok()) {
    bench_.runs().setCursor(run->travel->timeOf(*v));
  } else if (const auto t = f.ok() ? model::evaluateField(m, *f, dimension::kTime) : Result<double>(f.error());
             t.ok()) {
    bench_.runs().setCursor(*t);
  } else {
    bench_.say(q(v.error().text), true);
  }
  showPosition();
}

void Strip::refreshJob() {
  const bool busy = bench_.jobs().busy();
  if (busy && !jobTimer_.isActive()) jobTimer_.start();
  if (!busy) jobTimer_.stop();
  for (QWidget* w : std::initializer_list<QWidget*>{job_, bar_, cancel_}) w->setVisible(busy);
  info_->setVisible(!busy);
  if (busy) refine_->hide();
  for (QWidget* w : std::initializer_list<QWidget*>{pin_, difference_}) w->setVisible(!busy);
  if (!busy) return;
  job_->setText(bench_.jobs().title());
  const double share = bench_.jobs().share();
  bar_->setValue(static_cast<int>(1000 * share));
}

void Strip::setCompact(bool on) {
  compact_ = on;
  fitLaw();
}

void Strip::fitLaw() {
  lanes_->setVisible(!compact_ && !showsLaw());
  camLanes_->setVisible(showsCam());
  programmeLanes_->setVisible(programmeLanes_->drive() != 0 && !showsCam());
  setMaximumHeight(compact_ && !showsLaw() ? 36 : QWIDGETSIZE_MAX);
}

void Strip::play(int direction) {
  RunData* run = bench_.runs().run();
  if (!run || run->result.travel.steps.empty()) return;
  haltAt_.reset();
  if (isPlaying() && direction == direction_) {
    timer_.stop();
  } else {
    direction_ = direction;
    const double end = run->result.travel.steps.back().t;
    if (direction > 0 && bench_.runs().cursor() >= end) bench_.runs().setCursor(0);
    if (direction < 0 && bench_.runs().cursor() <= 0) bench_.runs().setCursor(end);
    clock_.start();
    timer_.start();
  }
  refreshCursor();
}

void Strip::playToContact() {
  const CheckData* check = bench_.checks().check();
  const RunData* run = bench_.runs().run();
  if (!run || !check || bench_.checks().isCheckStale()) {
    bench_.say(tr("Check the run first (F6): then it can be played up to a contact"), true);
    return;
  }
  const double now = bench_.runs().cursor(), small = 1e-9 * std::max(1.0, now);
  const clearance::Interference* next = nullptr;
  for (const auto& i : check->result.interference)
    if (i.fromTime > now + small && (!next || i.fromTime < next->fromTime)) next = &i;
  if (!next) {
    bench_.say(check->result.interference.empty() ? tr("No links meet in this run")
                                                  : tr("No contact begins after the cursor"));
    return;
  }
  timer_.stop();
  play(1);
  haltAt_ = next->fromTime;
}

void Strip::tick() {
  if (!bench_.runs().run()) {
    timer_.stop();
    refreshCursor();
    return;
  }
  const double seconds = static_cast<double>(clock_.restart()) * 1e-3;
  if (bench_.runs().isRunStale()) {  // a run that follows a change is on its way
    if (bench_.runs().live().busy()) return;
    timer_.stop();
    refreshCursor();
    return;
  }
  advance(seconds);
}

void Strip::advance(double seconds) {
  const RunData* run = bench_.runs().run();
  if (!run || run->result.travel.steps.empty()) return;
  const double end = run->result.travel.steps.back().t;
  double t = bench_.runs().cursor() + direction_ * seconds * speed();
  if (haltAt_ && t >= *haltAt_) {
    t = *haltAt_;
    haltAt_.reset();
    timer_.stop();
    for (const auto& i : bench_.checks().check() ? bench_.checks().check()->result.interference
                                                 : std::vector<clearance::Interference>{})
      if (i.fromTime == t) {
        const auto& links = run->travel->resolved().links;
        bench_.say(tr("%1 and %2 meet here")
                       .arg(q(links[static_cast<std::size_t>(i.linkA)].name),
                            q(links[static_cast<std::size_t>(i.linkB)].name)));
        break;
      }
  } else if (end <= 0) {
    timer_.stop();
    t = 0;
  } else if (t >= end || t <= 0) {
    if (atEnd_ == AtEnd::loop && (t > end || t < 0)) {
      t = t - end * std::floor(t / end);
    } else if (atEnd_ == AtEnd::toAndFro) {
      const double over = std::fmod(t < 0 ? -t : t - end, end);
      t = t < 0 || (t == 0 && direction_ < 0) ? over : end - over;
      direction_ = -direction_;
    } else if ((direction_ > 0 && t >= end) || (direction_ < 0 && t <= 0)) {
      t = std::clamp(t, 0.0, end);
      timer_.stop();
    }
  }
  bench_.runs().setCursor(t);
}

void Strip::toStart() { bench_.runs().setCursor(0); }
void Strip::toEnd() {
  if (const RunData* run = bench_.runs().run(); run && !run->result.travel.steps.empty())
    bench_.runs().setCursor(run->result.travel.steps.back().t);
}
void Strip::step(int by) {
  const RunData* run = bench_.runs().run();
  if (!run) return;
  timer_.stop();
  const double dt = run->travel->settings().duration / run->travel->settings().steps;
  bench_.runs().setCursor((std::round(bench_.runs().cursor() / dt) + by) * dt);
}

void Strip::toMark(int by) {
  const RunData* run = bench_.runs().run();
  if (!run || run->result.rows.empty()) return;
  std::vector<double> marks;
  for (const Lane& l : lanes_->lanes()) {
    marks.insert(marks.end(), l.knots.begin(), l.knots.end());
    for (const Band& b : l.bands)
      for (const Violation& v : b.violations) marks.insert(marks.end(), {v.from, v.to});
    if (bench_.checks().check())
      for (int i : l.interference)
        marks.push_back(bench_.checks().check()->result.interference[static_cast<std::size_t>(i)].from);
    for (int i : l.mark) marks.push_back(run->result.travel.marks[static_cast<std::size_t>(i)].from);
  }
  std::vector<double> times;
  for (double m : marks) times.push_back(run->travel->timeOf(m));
  std::sort(times.begin(), times.end());
  const double now = bench_.runs().cursor(), small = 1e-9 * std::max(1.0, now);
  std::optional<double> to;
  for (double t : times) {
    if (by > 0 && t > now + small && !to) to = t;
    if (by < 0 && t < now - small) to = t;
  }
  if (to) bench_.runs().setCursor(*to);
}

}  // namespace cooperage::app
