// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <clocale>

#include "theme.h"

int main(int argc, char** argv) {
  testing::InitGoogleTest(&argc, argv);
  QApplication application(argc, argv);
  std::setlocale(LC_NUMERIC, "C");
  QApplication::setApplicationName(QStringLiteral("cooperage-tests"));
  QApplication::setOrganizationName(QStringLiteral("cooperage-tests"));
  QStandardPaths::setTestModeEnabled(true);  // own settings: nothing of the user's is touched
  QSettings().clear();
  cooperage::app::applyTheme(application, false);
  return RUN_ALL_TESTS();
}
