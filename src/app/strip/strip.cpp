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

#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

Strip::Strip(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  auto* row = new QHBoxLayout;
  row->setContentsMargins(10, 4, 12, 4);
  row->setSpacing(3);
  const auto key = [&](const char* name, const char* iconName, const QString& tip) {
    auto* b = new QToolButton;
    b->setObjectName(QLatin1String(name));
    b->setIcon(icon(QStringLiteral("lucide/") + QLatin1String(iconName)));
    b->setIconSize({16, 16});
    b->setFixedSize(28, 26);
    b->setToolTip(tip);
    b->setAccessibleName(tip);
    b->setFocusPolicy(Qt::TabFocus);
    row->addWidget(b);
    return b;
  };
  connect(key("to start", "skip-back", tr("To the start (Home)")), &QToolButton::clicked, this, &Strip::toStart);
  connect(key("step back", "step-back", tr("One step back (Left)")), &QToolButton::clicked, this, [this] { step(-1); });
  play_ = key("play", "play", tr("Play or pause (Space)"));
  play_->setFixedSize(34, 26);
  play_->setStyleSheet(
      QStringLiteral("QToolButton { background: %1; border-radius: 6px; } QToolButton:disabled { background: %2; }")
          .arg(theme().accent.name(), theme().line.name()));
  connect(play_, &QToolButton::clicked, this, &Strip::togglePlay);
  connect(key("step on", "step-forward", tr("One step on (Right)")), &QToolButton::clicked, this, [this] { step(1); });
  connect(key("to end", "skip-forward", tr("To the end (End)")), &QToolButton::clicked, this, &Strip::toEnd);
  loop_ = key("loop", "repeat", tr("Loop (L)"));
  loop_->setCheckable(true);
  connect(key("home", "house", tr("Return to the home pose (H)")), &QToolButton::clicked, this,
          [this] { session_.goHome(); });
  row->addSpacing(8);
  position_ = new QLineEdit;
  position_->setObjectName(QStringLiteral("position"));
  position_->setAccessibleName(tr("Place on the travel axis"));
  position_->setToolTip(tr("Type a place on the travel axis to go there"));
  position_->setFixedWidth(92);
  row->addWidget(position_);
  of_ = new QLabel;
  of_->setProperty("mute", true);
  row->addWidget(of_);
  row->addSpacing(10);
  auto* speedLabel = new QLabel(tr("speed"));
  speedLabel->setProperty("mute", true);
  row->addWidget(speedLabel);
  speed_ = new QComboBox;
  speed_->setObjectName(QStringLiteral("speed"));
  for (double s : {0.05, 0.1, 0.25, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0})
    speed_->addItem(QStringLiteral("%1\u00d7").arg(s), s);
  speed_->setCurrentIndex(3);
  speed_->setToolTip(tr("Speed of playing, against real time"));
  row->addWidget(speed_);
  auto* runLabel = new QLabel(tr("run"));
  runLabel->setProperty("mute", true);
  row->addSpacing(8);
  row->addWidget(runLabel);
  runs_ = new QComboBox;
  runs_->setObjectName(QStringLiteral("runs"));
  runs_->setMinimumWidth(110);
  row->addWidget(runs_);
  row->addStretch(1);
  job_ = new QLabel;
  job_->setProperty("mute", true);
  bar_ = new QProgressBar;
  bar_->setFixedWidth(120);
  bar_->setRange(0, 1000);
  bar_->setTextVisible(false);
  cancel_ = new QPushButton(tr("Cancel"));
  cancel_->setObjectName(QStringLiteral("cancel"));
  connect(cancel_, &QPushButton::clicked, this, [this] { session_.jobs().cancel(); });
  info_ = new QLabel;
  info_->setObjectName(QStringLiteral("info"));
  info_->setProperty("mute", true);
  for (QWidget* w : std::initializer_list<QWidget*>{job_, bar_, cancel_, info_}) row->addWidget(w);
  column->addLayout(row);
  auto* line = new QFrame;
  line->setFixedHeight(1);
  line->setStyleSheet(QStringLiteral("background: %1").arg(theme().line.name()));
  column->addWidget(line);
  lanes_ = new Lanes(session_);
  column->addWidget(lanes_, 1);
  camLanes_ = new CamLanes(session_);
  camLanes_->hide();
  column->addWidget(camLanes_, 1);

  timer_.setInterval(15);
  connect(&timer_, &QTimer::timeout, this, &Strip::tick);
  jobTimer_.setInterval(60);
  connect(&jobTimer_, &QTimer::timeout, this, &Strip::refreshJob);
  connect(&session_.jobs(), &JobRunner::started, this, &Strip::refreshJob);
  connect(&session_.jobs(), &JobRunner::finished, this, &Strip::refreshJob);
  connect(&session_, &Session::resultsChanged, this, &Strip::refresh);
  connect(&session_, &Session::documentChanged, this, &Strip::refresh);
  connect(&session_, &Session::cursorChanged, this, &Strip::refreshCursor);
  connect(runs_, &QComboBox::activated, this, [this] { session_.setCurrentRun(runs_->currentData().toULongLong()); });
  connect(position_, &QLineEdit::returnPressed, this, [this] {
    RunData* run = session_.run();
    if (!run) return;
    const auto& m = *session_.mechanism();
    const auto f = model::parseField(m, position_->text().trimmed().toStdString());
    const auto v = f.ok() ? model::evaluateField(m, *f, run->result.axisDimension) : Result<double>(f.error());
    if (!v.ok()) {
      session_.say(q(v.error().text), true);
      refreshCursor();
      return;
    }
    session_.setCursor(run->travel->timeOf(*v));
  });
  refresh();
  refreshJob();
}

void Strip::refresh() {
  const RunData* run = session_.run();
  if (!run) timer_.stop();
  runs_->clear();
  for (const auto& r : session_.mechanism()->runs) runs_->addItem(q(r->name), QVariant::fromValue<qulonglong>(r->id));
  if (const int current = session_.currentRun(); current >= 0) runs_->setCurrentIndex(current);
  info_->setText(
      run ? tr("%1 steps \u00b7 solved in %2 ms").arg(run->result.rows.size() - 1).arg(run->milliseconds, 0, 'f', 1)
          : QString());
  refreshCursor();
}

void Strip::refreshCursor() {
  const RunData* run = session_.run();
  play_->setEnabled(run != nullptr);
  position_->setEnabled(run != nullptr);
  play_->setIcon(icon(isPlaying() ? QStringLiteral("lucide/pause") : QStringLiteral("lucide/play"), theme().onAccent));
  if (!run || run->result.axis.empty()) {
    position_->clear();
    of_->clear();
    return;
  }
  const auto& units = session_.mechanism()->units;
  const auto d = run->result.axisDimension;
  const QString unit = q(units.label(d));
  if (!position_->hasFocus() || isPlaying()) {
    position_->setText(
        QStringLiteral("%1 %2").arg(run->travel->axisAt(session_.cursor()) / units.factor(d), 0, 'f', 2).arg(unit));
  }
  of_->setText(tr("of %1%2 \u00b7 %3 s")
                   .arg(run->result.axis.back() / units.factor(d), 0, 'f', 0)
                   .arg(unit == QStringLiteral("deg") ? QStringLiteral("\u00b0") : QLatin1Char(' ') + unit)
                   .arg(session_.cursor(), 0, 'f', 3));
}

void Strip::refreshJob() {
  const bool busy = session_.jobs().busy();
  if (busy && !jobTimer_.isActive()) jobTimer_.start();
  if (!busy) jobTimer_.stop();
  for (QWidget* w : std::initializer_list<QWidget*>{job_, bar_, cancel_}) w->setVisible(busy);
  info_->setVisible(!busy);
  if (!busy) return;
  job_->setText(session_.jobs().title());
  const double share = session_.jobs().share();
  bar_->setValue(static_cast<int>(1000 * share));
}

void Strip::setCompact(bool on) {
  compact_ = on;
  lanes_->setVisible(!on && !showsCam());
  camLanes_->setVisible(showsCam());
  setMaximumHeight(on && !showsCam() ? 36 : QWIDGETSIZE_MAX);
}

void Strip::togglePlay() {
  RunData* run = session_.run();
  if (!run) return;
  if (isPlaying()) {
    timer_.stop();
  } else {
    if (session_.cursor() >= run->result.travel.steps.back().t) session_.setCursor(0);
    clock_.start();
    timer_.start();
  }
  refreshCursor();
}

void Strip::tick() {
  RunData* run = session_.run();
  if (!run || session_.isRunStale()) {
    timer_.stop();
    refreshCursor();
    return;
  }
  const double dt = static_cast<double>(clock_.restart()) * 1e-3 * speed_->currentData().toDouble();
  const double end = run->result.travel.steps.back().t;
  double t = session_.cursor() + dt;
  if (t >= end) {
    if (loop_->isChecked() && end > 0) {
      t = std::fmod(t, end);
    } else {
      t = end;
      timer_.stop();
    }
  }
  session_.setCursor(t);
}

void Strip::toStart() { session_.setCursor(0); }
void Strip::toEnd() {
  if (const RunData* run = session_.run()) session_.setCursor(run->result.travel.steps.back().t);
}
void Strip::step(int by) {
  const RunData* run = session_.run();
  if (!run) return;
  timer_.stop();
  const double dt = run->travel->settings().duration / run->travel->settings().steps;
  session_.setCursor((std::round(session_.cursor() / dt) + by) * dt);
}
void Strip::setLoop(bool on) { loop_->setChecked(on); }

}  // namespace cooperage::app
