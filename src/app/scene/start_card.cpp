// SPDX-License-Identifier: GPL-3.0-or-later
#include "start_card.h"

#include <QApplication>
#include <QDir>
#include <QEvent>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QStandardPaths>
#include <QToolButton>
#include <QUrl>
#include <QVBoxLayout>

#include "../theme.h"

namespace cooperage::app {

namespace {

constexpr int kPictureWidth = 118, kPictureHeight = 74, kColumns = 4, kMostRecent = 4;

QString pictureFile(const QString& document) {
  return QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + QStringLiteral("/pictures/") +
         QString::fromLatin1(QUrl::toPercentEncoding(QFileInfo(document).absoluteFilePath(), {}, "/")) +
         QStringLiteral(".png");
}

}  // namespace

QString demoFolder() {
  const QString program = QApplication::applicationDirPath();
  for (const char* beside : {"/../../demo", "/../share/cooperage/demo"})
    if (const QDir folder(program + QLatin1String(beside)); folder.exists()) return folder.canonicalPath();
  return {};
}

void StartCard::keepPicture(Scene& scene, const QString& path) {
  if (path.isEmpty() || scene.picture().isNull()) return;
  const QString file = pictureFile(path);
  QDir().mkpath(QFileInfo(file).path());
  // without a picture the tile shows a mark
  scene.picture()
      .scaled(2 * kPictureWidth, 2 * kPictureHeight, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation)
      .save(file, "PNG");
}

StartCard::StartCard(Workbench& bench, Scene& scene, QMenu* elements) : QFrame(&scene), bench_(bench), scene_(scene) {
  setObjectName(QStringLiteral("start"));
  dress(this, QStringLiteral("#start { background: @panel; border: 1px solid @line; border-radius: 12px; }"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(20, 16, 20, 14);
  column->setSpacing(10);
  auto* title = new QLabel(tr("Begin with"));
  title->setFont(uiFont(11.5, QFont::DemiBold));
  column->addWidget(title);
  ways_ = new QGridLayout;
  ways_->setSpacing(8);
  const auto way = [&](const char* iconName, const QString& text, const QString& key, const char* name) {
    auto* b = new QPushButton(key.isEmpty() ? text : QStringLiteral("%1   %2").arg(text, key));
    dressIcon(b, QLatin1String(iconName));
    dress(b, QStringLiteral("QPushButton { text-align: left; padding: 8px 12px; }"));
    b->setObjectName(QLatin1String(name));
    wayButtons_.push_back(b);
    return b;
  };
  connect(way("lucide/pencil", tr("A layout of lines in the plane"), tr("O"), "start layout"), &QPushButton::clicked,
          this, &StartCard::layoutAsked);
  connect(way("lucide/import", tr("An assembly or a part"), tr("Ctrl+I"), "start import"), &QPushButton::clicked, this,
          &StartCard::importAsked);
  connect(way("lucide/package", tr("A folder of parts"), tr("Ctrl+Shift+I"), "start folder"), &QPushButton::clicked,
          this, &StartCard::folderAsked);
  way("lucide/plus", tr("An element by its figures"), {}, "start element")->setMenu(elements);
  connect(way("lucide/folder-open", tr("An existing mechanism"), tr("Ctrl+O"), "start open"), &QPushButton::clicked,
          this, &StartCard::openAsked);
  column->addLayout(ways_);
  documents_ = new QGridLayout;
  documents_->setSpacing(8);
  column->addLayout(documents_);
  auto* drop = new QLabel(tr("Or drop a file anywhere in this window."));
  drop->setProperty("mute", true);
  column->addWidget(drop);
  connect(&bench_.document(), &Document::changed, this, &StartCard::refresh);
  connect(&bench_.jobs(), &JobRunner::started, this, &StartCard::refresh);
  connect(&bench_.jobs(), &JobRunner::finished, this, &StartCard::refresh);
  connect(&themeWatch(), &ThemeWatch::changed, this, &StartCard::fillDocuments);
  scene.installEventFilter(this);
  arrange();
  refresh();
}

/// The ways side by side, or in a narrow scene under one another.
void StartCard::arrange() {
  const int side = columns_ > 2 ? 2 : 1;
  for (QWidget* b : wayButtons_) ways_->removeWidget(b);
  for (std::size_t i = 0; i < wayButtons_.size(); ++i)
    ways_->addWidget(wayButtons_[i], static_cast<int>(i) / side, static_cast<int>(i) % side);
}

/// Recent documents, then demos.
void StartCard::fillDocuments() {
  while (QLayoutItem* item = documents_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  const auto heading = [&](const QString& text, int row) {
    auto* l = new QLabel(text);
    l->setFont(uiFont(9, QFont::DemiBold));
    documents_->addWidget(l, row, 0, 1, columns_);
  };
  int row = 0;
  const auto tiles = [&](const QString& title, const QStringList& paths) {
    if (paths.isEmpty()) return;
    heading(title, row++);
    int n = 0;
    for (const QString& path : paths) {
      auto* tile = new QToolButton;
      tile->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
      tile->setText(
          QFontMetrics(uiFont(8.5)).elidedText(QFileInfo(path).completeBaseName(), Qt::ElideMiddle, kPictureWidth - 4));
      tile->setFont(uiFont(8.5));
      tile->setToolTip(path);
      tile->setObjectName(QStringLiteral("document ") + QFileInfo(path).completeBaseName());
      const QPixmap picture(pictureFile(path));
      if (picture.isNull()) {
        dressIcon(tile, QStringLiteral("lucide/box"), Ink::mute);
        tile->setIconSize({24, 24});
      } else {
        tile->setIcon(picture);
        tile->setIconSize({kPictureWidth, kPictureHeight});
      }
      tile->setFixedSize(kPictureWidth + 10, picture.isNull() ? 56 : kPictureHeight + 30);
      dress(tile, QStringLiteral("QToolButton { border: 1px solid @line; background: @field; }"));
      connect(tile, &QToolButton::clicked, this, [this, path] { emit documentAsked(path); });
      documents_->addWidget(tile, row + n / columns_, n % columns_);
      ++n;
    }
    row += (n + columns_ - 1) / columns_;
  };
  QStringList recent, demos;
  for (const QString& path : Document::recentFiles())
    if (recent.size() < (columns_ > 2 ? kMostRecent : 2) && QFileInfo::exists(path)) recent << path;
  const QDir folder(demoFolder());
  if (!demoFolder().isEmpty())
    for (const QString& name : folder.entryList(QDir::Dirs | QDir::NoDotAndDotDot, QDir::Name))
      if (const QString path = folder.filePath(name + '/' + name + QStringLiteral(".coop"));
          QFileInfo::exists(path) && !recent.contains(path))
        demos << path;
  tiles(tr("Recent"), recent);
  constexpr int kFew = 4;  // in a narrow scene, under ways that stand one below the other
  tiles(tr("Demos"), columns_ > 2 ? demos : demos.mid(0, kFew));
}

void StartCard::refresh() {
  const auto& m = *bench_.document().mechanism();
  const bool wanted = m.links.empty() && m.sheets.empty() && !bench_.jobs().busy() && !aside_;
  if (!wanted) {  // no layout for what is not seen, at each step of a slider
    hide();
    return;
  }
  if (!isVisible()) fillDocuments();
  show();
  place();
}

void StartCard::place() {
  constexpr int kAround = 56, kTile = kPictureWidth + 18;  // pixels: margins of the card and the scene; with its gap
  const int columns = std::clamp((scene_.width() - kAround) / kTile, 2, kColumns);
  if (columns != columns_) {
    columns_ = columns;
    arrange();
    if (!isHidden()) fillDocuments();
  }
  adjustSize();
  move(std::max(8, (scene_.width() - width()) / 2), std::max(8, (scene_.height() - height()) / 2));
  lower();
}

bool StartCard::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Resize || event->type() == QEvent::Show) place();
  return QFrame::eventFilter(watched, event);
}

}  // namespace cooperage::app
