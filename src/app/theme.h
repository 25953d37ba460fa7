// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

class QAbstractButton;
class QApplication;
class QWidget;

namespace cooperage::app {

/// Colours of the window; every widget asks here, so that light and dark differ in one place.
struct Theme {
  bool dark = false;
  QColor paper, panel, rail, line, ink, mute, accent, accentTint, onAccent, field, bad, badTint, warn, warnTint, ok,
      okTint, sceneTop, sceneBottom, curve[6];
};

const Theme& theme();
/// Light or dark palette, shipped fonts and style for the whole application; what is shown already follows at once.
void applyTheme(QApplication& application, bool dark);

/// Tells when the palette has changed, for what is not dressed by the functions below.
class ThemeWatch : public QObject {
  Q_OBJECT
 signals:
  void changed();
};
ThemeWatch& themeWatch();

/// Style sheet of a widget in the palette's colours, whichever it is: @panel, @veil (panel, let through a little),
/// @line, @ink, @mute, @accent, @onaccent, @tint, @bad, @badtint, @field.
void dress(QWidget* widget, const QString& style);
enum class Ink { plain, mute, onAccent };
/// Icon of a button in the palette's ink, whichever it is.
void dressIcon(QAbstractButton* button, const QString& name, Ink ink = Ink::plain);

/// An icon of ours ("app/check", "joints/revolute", "lucide/play") in a colour.
QIcon icon(const QString& name, const QColor& colour);
QIcon icon(const QString& name);
QPixmap iconPixmap(const QString& name, const QColor& colour, int size, double ratio);

QFont uiFont(double points = 9.5, QFont::Weight weight = QFont::Normal);

/// Tone of a tag: how a row's state is shown, by colour and by sign.
enum class Tone { none, good, warning, bad, quiet };
QColor toneColour(Tone tone);
QColor toneTint(Tone tone);
QString toneSign(Tone tone);

/// Colour of the n-th link without a colour of its own; never means a state, and told apart by colour-blind eyes.
QColor linkColour(int index);

}  // namespace cooperage::app
