// SPDX-License-Identifier: GPL-3.0-or-later
#include "step_process.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QProcess>
#include <QTemporaryDir>

namespace cooperage::app {

Result<std::vector<shape::SolidPtr>> readStepInProcess(const std::filesystem::path& path, Progress* progress) {
  const std::string file = path.filename().string();
  const QString reader = QCoreApplication::applicationDirPath() + QStringLiteral("/cooperage-cli");
  if (!QFileInfo::exists(reader))
    return shape::readGeometry(path, progress);  // an installation without the command line
  QTemporaryDir folder;
  const QString out = folder.filePath(QStringLiteral("solids"));
  QProcess process;
  process.setStandardOutputFile(QProcess::nullDevice());
  process.start(reader, {QStringLiteral("solids"), QString::fromStdString(path.string()), out});
  if (!process.waitForStarted(5000)) return Error{"step", file, file + ": the STEP reader can't be started"};
  while (!process.waitForFinished(50)) {
    if (process.state() == QProcess::NotRunning) break;
    if (progress && progress->cancelled()) {
      process.kill();
      process.waitForFinished(1000);
      return Error{"cancelled", file, "cancelled", true};
    }
  }
  if (process.exitStatus() == QProcess::CrashExit)
    return Error{"step", file, file + ": the STEP reader crashed on it; export the file again"};
  if (process.exitCode() != 0) {
    const QString said = QString::fromUtf8(process.readAllStandardError()).trimmed();
    return Error{"step", file, said.isEmpty() ? file + ": can't be read" : said.toStdString()};
  }
  const auto solids = shape::readSolids(out.toStdString());
  if (!solids.ok()) return solids;
  return shape::readyToShow(*solids);
}

}  // namespace cooperage::app
