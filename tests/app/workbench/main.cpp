// SPDX-License-Identifier: GPL-3.0-or-later
// No display is needed: nothing is drawn.
#include <gtest/gtest.h>

#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <clocale>

int main(int argc, char** argv) {
  testing::InitGoogleTest(&argc, argv);
  qputenv("QT_QPA_PLATFORM", "offscreen");
  QApplication application(argc, argv);
  std::setlocale(LC_NUMERIC, "C");
  QApplication::setApplicationName(QStringLiteral("cooperage-workbench-tests"));
  QApplication::setOrganizationName(QStringLiteral("cooperage-tests"));
  QStandardPaths::setTestModeEnabled(true);  // own settings: nothing of the user's is touched
  QSettings().clear();
  return RUN_ALL_TESTS();
}
