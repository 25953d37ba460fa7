// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QObject>
#include <QString>
#include <cmath>
#include <string>

#include "base/figure.h"

namespace cooperage::app {

/// Text of the core as the window's.
inline QString q(const std::string& s) { return QString::fromStdString(s); }

/// "1 joint", "7 joints": English plurals without a translation file.
inline QString counted(qsizetype n, const QString& one, const QString& many) {
  return QStringLiteral("%1 %2").arg(n).arg(n == 1 ? one : many);
}

/// A unit as people write it: mm/s\u00b2 for mm/s^2, the sign for degrees.
inline QString unitText(const std::string& label) {
  QString s = QString::fromStdString(label);
  s.replace(QStringLiteral("^2"), QStringLiteral("\u00b2")).replace(QStringLiteral("^3"), QStringLiteral("\u00b3"));
  return s == QStringLiteral("deg") ? QStringLiteral("\u00b0") : s;
}

/// A figure with its unit: "3.1 mm", but "41.3\u00b0".
inline QString withUnit(const QString& figure, const std::string& label) {
  const QString unit = unitText(label);
  return unit.isEmpty() || unit == QStringLiteral("\u00b0") ? figure + unit : figure + QLatin1Char(' ') + unit;
}

/// A figure as people read it: enough digits for its size within a range, none below its accuracy, and its unit.
inline QString figureText(double si, const Dimension& d, const DocumentUnits& units, double range = 0,
                          double accuracy = 0) {
  if (!std::isfinite(si)) return QObject::tr("no value");
  return withUnit(QString::fromStdString(figure(si, d, units, {range, accuracy})), units.label(d));
}
/// A figure of a closed form, down to a step (SI) that people check: 1e-7 shows 101.3456 mm.
inline QString exactText(double si, const Dimension& d, const DocumentUnits& units, double step) {
  return QString::fromStdString(figureWithUnit(si, d, units, {0, 0, step}))
      .replace(QStringLiteral("^2"), QStringLiteral("\u00b2"));
}
/// A volume in cm\u00b3; no digit finer than half the accuracy (m\u00b3).
inline QString volumeText(double si, double accuracy = 0) {
  DocumentUnits units;
  units.length = "cm";
  return figureText(si, {3, 0, 0, 0}, units, 0, accuracy);
}
/// The same without its unit, where it stands in a row of others.
inline QString plainFigure(double si, const Dimension& d, const DocumentUnits& units, double range = 0,
                           double accuracy = 0) {
  if (!std::isfinite(si)) return QObject::tr("no value");
  return QString::fromStdString(figure(si, d, units, {range, accuracy}));
}

}  // namespace cooperage::app
