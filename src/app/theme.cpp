// SPDX-License-Identifier: GPL-3.0-or-later
#include "theme.h"

#include <QAbstractButton>
#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QGuiApplication>
#include <QHash>
#include <QPainter>
#include <QPalette>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <QWidget>

namespace cooperage::app {
namespace {

Theme light() {
  Theme t;
  t.paper = "#F3F0E9";
  t.panel = "#FBF9F5";
  t.rail = "#EAE5DB";
  t.line = "#DED7CA";
  t.ink = "#26231E";
  t.mute = "#6E675B";
  t.accent = "#0F6B6B";
  t.accentTint = "#E1EEEC";
  t.onAccent = "#FFFFFF";
  t.field = "#FFFFFF";
  t.bad = "#B4352A";
  t.badTint = "#F7E4E0";
  t.warn = "#8A5A00";
  t.warnTint = "#F6ECD6";
  t.ok = "#2C7548";
  t.okTint = "#E3F0E7";
  t.sceneTop = "#FDFCFA";
  t.sceneBottom = "#E3DDD1";
  const char* curves[] = {"#3F7197", "#B4661F", "#6C5899", "#5F7330", "#0F6B6B", "#8C4A5E"};
  for (int i = 0; i < 6; ++i) t.curve[i] = curves[i];
  return t;
}

Theme dark() {
  Theme t;
  t.dark = true;
  t.paper = "#1F1E1C";
  t.panel = "#262522";
  t.rail = "#1A1917";
  t.line = "#3B3934";
  t.ink = "#ECE8DF";
  t.mute = "#A29B8D";
  t.accent = "#4FB3AE";
  t.accentTint = "#243B39";
  t.onAccent = "#10211F";
  t.field = "#2E2D29";
  t.bad = "#F08A7C";
  t.badTint = "#46271F";
  t.warn = "#E0B25A";
  t.warnTint = "#3E331B";
  t.ok = "#7CC596";
  t.okTint = "#20372A";
  t.sceneTop = "#34322E";
  t.sceneBottom = "#1F1E1C";
  const char* curves[] = {"#7FB0D3", "#E39A56", "#B09BDA", "#A9BC72", "#4FB3AE", "#D58FA4"};
  for (int i = 0; i < 6; ++i) t.curve[i] = curves[i];
  return t;
}

Theme current = light();

constexpr char kStyle[] = "palette style", kIcon[] = "palette icon", kInk[] = "palette ink";

/// A style sheet with the palette's colours in place of their names.
QString inColours(QString s, const Theme& t) {
  const QList<QPair<QString, QColor>> names = {
      {"@accent", t.accent}, {"@onaccent", t.onAccent}, {"@tint", t.accentTint}, {"@badtint", t.badTint},
      {"@bad", t.bad},       {"@panel", t.panel},       {"@line", t.line},       {"@ink", t.ink},
      {"@mute", t.mute},     {"@field", t.field}};
  s.replace(QStringLiteral("@shade"), t.dark ? QStringLiteral("dark") : QStringLiteral("light"));
  s.replace(QStringLiteral("@veil"),
            QStringLiteral("rgba(%1,%2,%3,238)").arg(t.panel.red()).arg(t.panel.green()).arg(t.panel.blue()));
  for (const auto& [name, colour] : names) s.replace(name, colour.name());
  return s;
}

QString styleSheet(const Theme& t) {
  const QString s = R"(
    QToolTip { background: @ink; color: @panel; border: 1px solid @ink; padding: 4px 7px; }
    QMenuBar { background: @panel; color: @ink; border: none; padding: 2px 4px; }
    QMenuBar::item { padding: 5px 9px; border-radius: 5px; background: transparent; }
    QMenuBar::item:selected { background: @tint; color: @accent; }
    QMenu { background: @panel; color: @ink; border: 1px solid @line; padding: 5px; }
    QMenu::item { padding: 5px 26px 5px 22px; border-radius: 4px; }
    QMenu::item:selected { background: @tint; color: @accent; }
    QMenu::item:disabled { color: @mute; }
    QMenu::separator { height: 1px; background: @line; margin: 5px 8px; }
    QLineEdit, QComboBox, QSpinBox { background: @field; color: @ink; border: 1px solid @line; border-radius: 5px;
      padding: 3px 7px; min-height: 18px; selection-background-color: @accent; selection-color: @onaccent; }
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus { border: 1px solid @accent; }
    QLineEdit[wrong="true"] { border: 1px solid @bad; background: @badtint; }
    QLineEdit:disabled, QComboBox:disabled { color: @mute; background: @panel; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { image: url(:/icons/app/down-@shade.svg); width: 12px; height: 12px; margin-right: 6px; }
    QComboBox QAbstractItemView { background: @panel; color: @ink; border: 1px solid @line; selection-background-color: @tint;
      selection-color: @accent; outline: none; }
    QPushButton { background: @field; color: @ink; border: 1px solid @line; border-radius: 6px; padding: 4px 11px; min-height: 18px; }
    QPushButton:hover { border-color: @accent; }
    QPushButton:focus { border: 1px solid @accent; }
    QPushButton:pressed, QPushButton:checked { background: @tint; color: @accent; border-color: @accent; }
    QPushButton:disabled { color: @mute; background: @panel; }
    QPushButton[primary="true"] { background: @accent; color: @onaccent; border-color: @accent; font-weight: 600; }
    QPushButton[primary="true"]:disabled { background: @line; color: @mute; border-color: @line; }
    QToolButton { background: transparent; color: @ink; border: none; border-radius: 5px; padding: 4px 7px; }
    QToolButton:hover { background: @tint; }
    QToolButton:checked { background: @tint; color: @accent; font-weight: 600; }
    QToolButton:focus { border: 1px solid @accent; }
    QToolButton:disabled { color: @mute; }
    QToolButton::menu-indicator { image: none; }
    QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
    QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 24px; }
    QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
    QScrollBar:horizontal { background: transparent; height: 9px; }
    QScrollBar::handle:horizontal { background: @line; border-radius: 4px; min-width: 24px; }
    QCheckBox, QRadioButton { color: @ink; spacing: 7px; }
    QCheckBox::indicator, QTreeView::indicator, QRadioButton::indicator { width: 14px; height: 14px; border: 1px solid @mute; background: @field; }
    QCheckBox::indicator, QTreeView::indicator { border-radius: 3px; }
    QRadioButton::indicator { border-radius: 7px; }
    QRadioButton::indicator:checked { background: qradialgradient(cx:0.5, cy:0.5, radius:0.5, fx:0.5, fy:0.5, stop:0 @accent, stop:0.52 @accent, stop:0.6 @field, stop:1 @field); border-color: @accent; }
    QCheckBox::indicator:checked, QTreeView::indicator:checked { background: @accent; border-color: @accent; image: url(:/icons/app/tick-@shade.svg); }
    QCheckBox:focus, QRadioButton:focus { color: @accent; }
    QProgressBar { background: @line; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; }
    QProgressBar::chunk { background: @accent; border-radius: 3px; }
    QSplitter::handle { background: @line; }
    QDialog, QMessageBox { background: @panel; }
    QLabel[mute="true"] { color: @mute; }
    QLabel[heading="true"] { font-weight: 600; font-size: 10.5pt; }
  )";
  return inColours(s, t);
}

void wear(QWidget* widget) {
  if (const QVariant style = widget->property(kStyle); style.isValid())
    widget->setStyleSheet(inColours(style.toString(), current));
  if (const QVariant name = widget->property(kIcon); name.isValid())
    if (auto* button = qobject_cast<QAbstractButton*>(widget)) {
      const Ink ink = static_cast<Ink>(widget->property(kInk).toInt());
      button->setIcon(icon(name.toString(), ink == Ink::mute       ? current.mute
                                            : ink == Ink::onAccent ? current.onAccent
                                                                   : current.ink));
    }
}

}  // namespace

ThemeWatch& themeWatch() {
  static ThemeWatch watch;
  return watch;
}

void dress(QWidget* widget, const QString& style) {
  widget->setProperty(kStyle, style);
  wear(widget);
}

void dressIcon(QAbstractButton* button, const QString& name, Ink ink) {
  button->setProperty(kIcon, name);
  button->setProperty(kInk, static_cast<int>(ink));
  wear(button);
}

const Theme& theme() { return current; }

QFont uiFont(double points, QFont::Weight weight) {
  QFont f(QStringLiteral("Cooperage Sans"));
  f.setPointSizeF(points);
  f.setWeight(weight);
  return f;
}

void applyTheme(QApplication& application, bool useDark) {
  static const bool kFonts = [] {
    for (const char* weight : {"Regular", "Medium", "SemiBold", "Bold"})
      QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/CooperageSans-%1.otf").arg(QLatin1String(weight)));
    return true;
  }();
  Q_UNUSED(kFonts);
  current = useDark ? dark() : light();
  application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  QPalette p;
  p.setColor(QPalette::Window, current.panel);
  p.setColor(QPalette::WindowText, current.ink);
  p.setColor(QPalette::Base, current.field);
  p.setColor(QPalette::AlternateBase, current.paper);
  p.setColor(QPalette::Text, current.ink);
  p.setColor(QPalette::Button, current.panel);
  p.setColor(QPalette::ButtonText, current.ink);
  p.setColor(QPalette::Highlight, current.accent);
  p.setColor(QPalette::HighlightedText, current.onAccent);
  p.setColor(QPalette::PlaceholderText, current.mute);
  p.setColor(QPalette::ToolTipBase, current.ink);
  p.setColor(QPalette::ToolTipText, current.panel);
  application.setPalette(p);
  application.setFont(uiFont());
  application.setStyleSheet(styleSheet(current));
  for (QWidget* widget : QApplication::allWidgets()) {
    wear(widget);
    widget->update();
  }
  emit themeWatch().changed();
}

QPixmap iconPixmap(const QString& name, const QColor& colour, int size, double ratio) {
  static QHash<QString, QPixmap> cache;
  const QString key = QStringLiteral("%1 %2 %3 %4").arg(name, colour.name()).arg(size).arg(ratio);
  if (const auto it = cache.constFind(key); it != cache.constEnd()) return *it;
  QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
  QPixmap pixmap(QSize(size, size) * ratio);
  pixmap.fill(Qt::transparent);
  if (file.open(QIODevice::ReadOnly)) {
    QByteArray svg = file.readAll();
    svg.replace("currentColor", colour.name().toLatin1());
    QSvgRenderer renderer(svg);
    QPainter painter(&pixmap);
    renderer.render(&painter);
  }
  pixmap.setDevicePixelRatio(ratio);
  cache.insert(key, pixmap);
  return pixmap;
}

QIcon icon(const QString& name, const QColor& colour) {
  QIcon i;
  for (int size : {16, 20, 24, 32, 48}) {
    i.addPixmap(iconPixmap(name, colour, size, 1.0));
    i.addPixmap(iconPixmap(name, current.mute, size, 1.0), QIcon::Disabled);
  }
  return i;
}
QIcon icon(const QString& name) { return icon(name, current.ink); }

QColor toneColour(Tone tone) {
  switch (tone) {
    case Tone::good: return current.ok;
    case Tone::warning: return current.warn;
    case Tone::bad: return current.bad;
    case Tone::quiet: return current.mute;
    case Tone::none: break;
  }
  return current.ink;
}
QColor toneTint(Tone tone) {
  switch (tone) {
    case Tone::good: return current.okTint;
    case Tone::warning: return current.warnTint;
    case Tone::bad: return current.badTint;
    default: return current.paper;
  }
}
QString toneSign(Tone tone) {
  switch (tone) {
    case Tone::good: return QStringLiteral("\u2713 ");
    case Tone::warning: return QStringLiteral("! ");
    case Tone::bad: return QStringLiteral("\u2715 ");
    default: return {};
  }
}

QColor linkColour(int index) {
  static const char* kColours[] = {"#C2762E", "#7C69A6", "#5E8C82", "#4B789B",
                                   "#83934F", "#B6925C", "#8AA7B5", "#A8626F"};
  return QColor(QLatin1String(kColours[index % 8]));
}

}  // namespace cooperage::app
