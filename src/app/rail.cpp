// SPDX-License-Identifier: GPL-3.0-or-later
#include "rail.h"

#include <QAbstractButton>
#include <QPainter>
#include <QVBoxLayout>

namespace cooperage::app {

class RailButton : public QAbstractButton {
 public:
  RailButton(const QString& iconName, const QString& text, QWidget* parent) : QAbstractButton(parent), icon_(iconName) {
    setText(text);
    setCheckable(true);
    setAutoExclusive(true);
    setFixedHeight(62);
    setAccessibleName(QString(text).replace('\n', ' '));
    setFocusPolicy(Qt::TabFocus);
  }
  void setState(const QString& sign, Tone tone) {
    sign_ = sign;
    tone_ = tone;
    update();
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF box = QRectF(rect()).adjusted(5, 1, -5, -1);
    const QColor c = isChecked() ? t.accent : t.ink;
    if (isChecked() || underMouse()) {
      QColor fill = t.panel;
      if (!isChecked()) fill.setAlphaF(0.5f);
      p.setPen(isChecked() ? QPen(t.line, 1) : QPen(Qt::NoPen));
      p.setBrush(fill);
      p.drawRoundedRect(box, 8, 8);
    }
    if (hasFocus()) {
      p.setPen(QPen(t.accent, 1, Qt::DotLine));
      p.setBrush(Qt::NoBrush);
      p.drawRoundedRect(box.adjusted(2, 2, -2, -2), 7, 7);
    }
    p.drawPixmap(QPointF(width() / 2.0 - 11, 8), iconPixmap(icon_, c, 22, devicePixelRatioF()));
    p.setPen(c);
    p.setFont(uiFont(8.2, isChecked() ? QFont::DemiBold : QFont::Normal));
    p.drawText(QRectF(9, 31, width() - 18, 26), Qt::AlignHCenter | Qt::AlignTop | Qt::TextWordWrap, text());
    p.setPen(toneColour(tone_));
    p.setFont(uiFont(8, QFont::Bold));
    p.drawText(QRectF(width() - 24, 5, 16, 13), Qt::AlignRight, sign_);
  }

 private:
  QString icon_, sign_;
  Tone tone_ = Tone::none;
};

Rail::Rail(Workbench& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setFixedWidth(66);
  setAutoFillBackground(true);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 8, 0, 8);
  column->setSpacing(4);
  const std::pair<const char*, QString> stages[] = {{"app/shape", tr("Shape")}, {"app/join", tr("Join")},
                                                    {"app/drive", tr("Drive")}, {"app/run", tr("Run")},
                                                    {"app/check", tr("Check")}, {"app/handover", tr("Hand over")}};
  int i = 0;
  for (const auto& [iconName, text] : stages) {
    auto* b = new RailButton(QLatin1String(iconName), text, this);
    b->setObjectName(QStringLiteral("stage %1").arg(i));
    b->setToolTip(tr("%1 (Alt+%2)").arg(text).arg(i + 1));
    const auto stage = static_cast<Stage>(i++);
    connect(b, &QAbstractButton::clicked, this, [this, stage] { bench_.selection().setStage(stage); });
    buttons_.push_back(b);
    column->addWidget(b);
  }
  column->addStretch(1);
  connect(&bench_.selection(), &Selection::stageChanged, this, &Rail::refresh);
  connect(&bench_.document(), &Document::changed, this, &Rail::refresh);
  connect(&bench_.solution(), &Solution::changed, this, &Rail::refresh);
  connect(&bench_, &Workbench::resultsChanged, this, &Rail::refresh);
  refresh();
}

void Rail::watch(const std::vector<StagePanel*>& panels) {
  panels_ = panels;
  connect(&themeWatch(), &ThemeWatch::changed, this, &Rail::refresh);
  refresh();
}

void Rail::refresh() {
  QPalette p = palette();
  p.setColor(QPalette::Window, theme().rail);
  setPalette(p);
  for (std::size_t i = 0; i < buttons_.size(); ++i) {
    buttons_[i]->setChecked(static_cast<Stage>(i) == bench_.selection().stage());
    if (i < panels_.size()) {
      const auto [sign, tone] = panels_[i]->state();
      buttons_[i]->setState(sign, tone);
    }
  }
}

}  // namespace cooperage::app
