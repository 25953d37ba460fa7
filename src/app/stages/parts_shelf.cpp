// SPDX-License-Identifier: GPL-3.0-or-later
#include "parts_shelf.h"

#include <QDir>
#include <QDrag>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QSettings>
#include <QUrl>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "../step_process.h"
#include "../theme.h"
// OCCT last
#include <BRep_Tool.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace cooperage::app {

namespace {

constexpr int kPicture = 64;

/// A list whose items can be dragged into the scene as files.
class ShelfList : public QListWidget {
 public:
  using QListWidget::QListWidget;

 protected:
  QMimeData* mimeData(const QList<QListWidgetItem*>& items) const override {
    auto* drag = new QMimeData;
    QList<QUrl> urls;
    for (const auto* i : items) urls << QUrl::fromLocalFile(i->data(Qt::UserRole).toString());
    drag->setUrls(urls);
    drag->setData(QStringLiteral("application/x-cooperage-part"), "part");
    return drag;
  }
};

}  // namespace

QImage pictureOf(const std::vector<shape::SolidPtr>& solids, int size, const QColor& colour, const QColor& line) {
  const Vec3 eye = Vec3(-0.42, -1, 0.5).normalized(), right = Vec3::UnitZ().cross(eye).normalized(),
             up = eye.cross(right);
  struct Triangle {
    std::array<Eigen::Vector2d, 3> p;
    double depth, light;
  };
  std::vector<Triangle> all;
  Eigen::Vector2d low = Eigen::Vector2d::Constant(1e300), high = -low;
  for (const auto& s : solids)
    for (TopExp_Explorer e(s->shape, TopAbs_FACE); e.More(); e.Next()) {
      TopLoc_Location location;
      const auto tri = BRep_Tool::Triangulation(TopoDS::Face(e.Current()), location);
      if (tri.IsNull()) continue;
      const gp_Trsf t = location.Transformation();
      for (int i = 1; i <= tri->NbTriangles(); ++i) {
        int n[3];
        tri->Triangle(i).Get(n[0], n[1], n[2]);
        if (e.Current().Orientation() == TopAbs_REVERSED) std::swap(n[1], n[2]);
        Vec3 p[3];
        Triangle out{};
        for (int k = 0; k < 3; ++k) {
          const gp_Pnt x = tri->Node(n[k]).Transformed(t);
          p[k] = Vec3(x.X(), x.Y(), x.Z());
          out.p[static_cast<std::size_t>(k)] = {p[k].dot(right), -p[k].dot(up)};
          out.depth += p[k].dot(eye) / 3;
          low = low.cwiseMin(out.p[static_cast<std::size_t>(k)]);
          high = high.cwiseMax(out.p[static_cast<std::size_t>(k)]);
        }
        const Vec3 normal = (p[1] - p[0]).cross(p[2] - p[0]).normalized();
        if (normal.dot(eye) <= 0) continue;  // looks away
        out.light = 0.45 + 0.55 * std::max(0.0, normal.dot(Vec3(-0.3, -0.6, 0.75).normalized()));
        all.push_back(out);
      }
    }
  QImage image(2 * size, 2 * size, QImage::Format_ARGB32_Premultiplied);
  image.fill(Qt::transparent);
  image.setDevicePixelRatio(2);
  if (all.empty()) return image;
  std::sort(all.begin(), all.end(), [](const Triangle& a, const Triangle& b) { return a.depth < b.depth; });
  QPainter p(&image);
  p.setRenderHint(QPainter::Antialiasing);
  const double scale = (size - 8) / std::max(1e-9, (high - low).maxCoeff());
  const Eigen::Vector2d middle = 0.5 * (low + high);
  for (const Triangle& t : all) {
    QPolygonF poly;
    for (const auto& x : t.p)
      poly << QPointF(size / 2.0 + (x.x() - middle.x()) * scale, size / 2.0 + (x.y() - middle.y()) * scale);
    const QColor c =
        QColor::fromRgbF(static_cast<float>(colour.redF() * t.light), static_cast<float>(colour.greenF() * t.light),
                         static_cast<float>(colour.blueF() * t.light));
    p.setPen(QPen(c, 0.4));
    p.setBrush(c);
    p.drawPolygon(poly);
  }
  Q_UNUSED(line);
  return image;
}

PartsShelf::PartsShelf(Workbench& bench, QWidget* parent)
    : QWidget(parent), bench_(bench), store_(readStepInProcess, shape::ShapeStore::Use::looking) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 4, 10, 4);
  column->setSpacing(4);
  auto* head = new QHBoxLayout;
  name_ = new QLabel(tr("Parts folder"));
  name_->setFont(uiFont(9, QFont::DemiBold));
  head->addWidget(name_, 1);
  auto* choose = new QPushButton;
  dressIcon(choose, QStringLiteral("lucide/folder-open"));
  choose->setObjectName(QStringLiteral("choose folder"));
  choose->setToolTip(tr("Choose a folder of parts (Ctrl+Shift+I)"));
  choose->setAccessibleName(tr("Choose a folder of parts"));
  choose->setFixedWidth(30);
  choose->setStyleSheet(QStringLiteral("QPushButton { padding: 4px 0; }"));
  connect(choose, &QPushButton::clicked, this, &PartsShelf::chooseFolder);
  head->addWidget(choose);
  column->addLayout(head);
  list_ = new ShelfList;
  list_->setObjectName(QStringLiteral("shelf"));
  list_->setAccessibleName(tr("Parts of the folder"));
  list_->setViewMode(QListView::IconMode);
  list_->setIconSize({kPicture, kPicture});
  list_->setGridSize({kPicture + 12, kPicture + 26});
  list_->setResizeMode(QListView::Adjust);
  list_->setMovement(QListView::Static);
  list_->setDragEnabled(true);
  list_->setFrameShape(QFrame::NoFrame);
  list_->setWordWrap(false);
  list_->setTextElideMode(Qt::ElideRight);
  dress(list_,
        QStringLiteral("QListWidget { background: transparent; } QListWidget::item:selected { background: @tint; "
                       "color: @ink; border-radius: 6px; }"));
  connect(&themeWatch(), &ThemeWatch::changed, this, [this] {
    if (!folder_.isEmpty()) setFolder(folder_);
  });
  list_->setMinimumHeight(2 * (kPicture + 26) + 4);
  connect(list_, &QListWidget::itemActivated, this, &PartsShelf::insert);
  column->addWidget(list_, 1);
  list_->hide();
  const QString last = QSettings().value(QStringLiteral("parts")).toString();
  if (!last.isEmpty() && QDir(last).exists()) setFolder(last);  // that of the last time
}

PartsShelf::~PartsShelf() { reader_.stop(); }

void PartsShelf::chooseFolder() {
  const QString path = QFileDialog::getExistingDirectory(this, tr("Choose a folder of parts"),
                                                         QSettings().value(QStringLiteral("parts")).toString());
  if (!path.isEmpty()) setFolder(path);
}

void PartsShelf::setFolder(const QString& folder) {
  reader_.stop();
  folder_ = folder;
  QSettings().setValue(QStringLiteral("parts"), folder);
  name_->setText(tr("Parts: %1").arg(QDir(folder).dirName()));
  name_->setToolTip(folder);
  list_->clear();
  int n = 0;
  for (const QFileInfo& f : QDir(folder).entryInfoList(QDir::Files, QDir::Name | QDir::IgnoreCase)) {
    if (!shape::isGeometryFile(f.filePath().toStdString())) continue;
    auto* item = new QListWidgetItem(icon(QStringLiteral("lucide/box"), theme().mute), f.completeBaseName(), list_);
    item->setData(Qt::UserRole, f.absoluteFilePath());
    item->setToolTip(tr("%1 \u2013 Enter or a drag puts it in").arg(f.fileName()));
    item->setTextAlignment(Qt::AlignHCenter | Qt::AlignBottom);
    ++n;
  }
  list_->setVisible(true);
  if (n == 0 && isVisible())
    bench_.say(tr("%1 holds no STEP, IGES, BREP, STL or OBJ files").arg(folder));
  else if (n > 0)
    readPictures();
}

void PartsShelf::readPictures() {
  auto files = std::make_shared<QStringList>();
  for (int i = 0; i < list_->count(); ++i) *files << list_->item(i)->data(Qt::UserRole).toString();
  const QColor colour = theme().dark ? QColor("#B9B2A4") : QColor("#C9C1B2"), line = theme().mute;
  reader_.start(
      tr("Drawing parts"),
      [this, files, colour, line](SharedProgress& progress) {
        for (int i = 0; i < files->size() && !progress.cancelled(); ++i) {
          const QString path = (*files)[i];
          const auto solids = store_.file(path.toStdString(), &progress);
          if (progress.cancelled()) return;
          QString problem;
          QImage image;
          if (solids.ok())
            image = pictureOf(*solids, kPicture, colour, line);
          else
            problem = QString::fromStdString(solids.error().text);
          QMetaObject::invokeMethod(
              this,
              [this, path, image, problem] {
                for (int k = 0; k < list_->count(); ++k) {
                  auto* item = list_->item(k);
                  if (item->data(Qt::UserRole).toString() != path) continue;
                  if (problem.isEmpty())
                    item->setIcon(QIcon(QPixmap::fromImage(image)));
                  else
                    item->setToolTip(problem);
                  if (!problem.isEmpty()) item->setIcon(icon(QStringLiteral("lucide/triangle-alert"), theme().warn));
                }
              },
              Qt::QueuedConnection);
          progress.report(static_cast<double>(i + 1) / static_cast<double>(files->size()));
        }
      },
      [] {});
}

void PartsShelf::insert(QListWidgetItem* item) { bench_.importer().insertPart(item->data(Qt::UserRole).toString()); }

}  // namespace cooperage::app
