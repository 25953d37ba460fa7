// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawing_card.h"

#include <QCheckBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>

#include "../choice_box.h"
#include "../text.h"
#include "../theme.h"

namespace cooperage::app {

using namespace model;

namespace {
constexpr const char* kUnits[] = {"mm", "cm", "m", "in", "ft"};
constexpr std::size_t kMostLines = 5;
}  // namespace

DrawingCard::DrawingCard(Workbench& bench, Scene& scene)
    : FloatCard(&scene, QStringLiteral("drawing card")), bench_(bench), scene_(scene) {
  setFixedWidth(330);
  connect(&bench_.importer().drawings(), &Drawings::came, this, &DrawingCard::open);
  connect(&bench_.importer().drawings(), &Drawings::placed, this, [this] {
    hide();
    scene_.lookFrom(Vec3::UnitZ(), Vec3::UnitY());
    scene_.fitAll();
    scene_.setFocus();
  });
  connect(this, &FloatCard::confirmed, this, &DrawingCard::accept);
  connect(this, &FloatCard::cancelled, this, &DrawingCard::giveUp);
  connect(&bench_.document(), &Document::replaced, this, &DrawingCard::giveUp);
}

void DrawingCard::giveUp() {
  bench_.importer().drawings().drop();
  hide();
}

void DrawingCard::open() {
  fill();
  show();
  openBeside(QPointF(scene_.width(), 0));
  if (unit_)
    unit_->setFocus();
  else
    setFocus();
}

double DrawingCard::unit() const {
  const auto* w = bench_.importer().drawings().waiting();
  if (!w) return 1e-3;
  if (w->drawing.unit > 0) return w->drawing.unit;
  const auto chosen = findUnit(unit_->currentData().toString().toStdString());
  return chosen ? chosen->factor : 1e-3;
}

void DrawingCard::fill() {
  clear();
  unit_ = nullptr;
  const auto& w = *bench_.importer().drawings().waiting();
  setTitle(QFileInfo(w.path).fileName());
  auto* form = addForm();
  if (w.drawing.unit == 0) {
    unit_ = new ChoiceBox;
    for (const char* u : kUnits) unit_->addItem(QLatin1String(u), QLatin1String(u));
    unit_->setObjectName(QStringLiteral("drawing unit"));
    unit_->setToolTip(tr("The file names no unit; its figures are in this one"));
    const int own = unit_->findData(q(bench_.document().mechanism()->units.length));
    if (own >= 0) unit_->setCurrentIndex(own);
    connect(unit_, &QComboBox::currentIndexChanged, this, &DrawingCard::showSize);
    form->addRow(tr("Unit of the file"), unit_);
  }
  size_ = new QLabel;
  size_->setObjectName(QStringLiteral("drawing size"));
  form->addRow(tr("Size"), size_);
  auto* layers = new QLabel;
  QStringList names;
  for (std::size_t i = 0; i < w.drawing.layers.size() && i < kMostLines; ++i)
    names << tr("%1 (%2)")
                 .arg(w.drawing.layers[i].empty() ? tr("no name") : q(w.drawing.layers[i]))
                 .arg(w.drawing.countOn(w.drawing.layers[i]));
  if (w.drawing.layers.size() > kMostLines) names << tr("and %1 more").arg(w.drawing.layers.size() - kMostLines);
  layers->setText(names.join(QStringLiteral(", ")));
  layers->setWordWrap(true);
  layers->setObjectName(QStringLiteral("drawing layers"));
  form->addRow(tr("Layers"), layers);
  layers_ = new QCheckBox(tr("A sheet for each layer"));
  layers_->setObjectName(QStringLiteral("sheet a layer"));
  layers_->setEnabled(w.drawing.layers.size() > 1);
  form->addRow({}, layers_);
  annotated_ = new QCheckBox(tr("With text, dimensions, hatching"));
  annotated_->setObjectName(QStringLiteral("drawing annotated"));
  annotated_->setToolTip(tr("They come as construction, which belongs to no link"));
  if (!w.drawing.annotations.empty() || !w.drawing.notes.empty())
    form->addRow({}, annotated_);
  else
    annotated_->setParent(this), annotated_->hide();
  merge_ = new QLineEdit(
      QString::number(w.tolerance * unit() / bench_.document().mechanism()->units.factor(dimension::kLength), 'g', 2) +
      ' ' + q(bench_.document().mechanism()->units.length));
  merge_->setObjectName(QStringLiteral("drawing merge"));
  merge_->setToolTip(tr("Ends that lie nearer to one another than this become one; a smaller figure merges less"));
  form->addRow(tr("Merge ends nearer than"), merge_);
  auto* found = addText(QStringLiteral("drawing findings"));
  found->setText(findings());
  found->setVisible(!found->text().isEmpty());
  addEnd(tr("Place"));
  showSize();
  fit();
}

void DrawingCard::showSize() {
  const auto* w = bench_.importer().drawings().waiting();
  if (!w) return;
  const auto& units = bench_.document().mechanism()->units;
  const auto text = [&](double v) {
    return figureText(v * unit(), dimension::kLength, units, w->box.size().norm() * unit());
  };
  size_->setText(
      QStringLiteral("<b>%1 \u00d7 %2 %3</b>").arg(text(w->box.size().x()), text(w->box.size().y()), q(units.length)));
}

/// What was left out and what is odd, each with where: never mended silently.
QString DrawingCard::findings() const {
  const auto& w = *bench_.importer().drawings().waiting();
  const auto& units = bench_.document().mechanism()->units;
  QStringList lines;
  QStringList out;
  for (const auto& [kind, count] : w.drawing.leftOut) out << QStringLiteral("%1 %2").arg(count).arg(q(kind));
  if (!out.isEmpty()) lines << tr("Left out: %1").arg(out.join(QStringLiteral(", ")));
  if (w.joined.merged > 0) lines << tr("%1 merged").arg(counted(w.joined.merged, tr("end"), tr("ends")));
  std::size_t shown = 0, more = 0;
  for (const auto& f : w.joined.findings) {
    if (shown++ >= kMostLines) {
      ++more;
      continue;
    }
    const auto text = [&](double v) { return figureText(v * unit(), dimension::kLength, units); };
    const QString at = QStringLiteral("(%1, %2)").arg(text(f.at.x()), text(f.at.y()));
    switch (f.kind) {
      case drawing::Finding::Kind::gap:
        lines << tr("A gap of %1 %2 at %3").arg(text(f.size), q(units.length), at);
        break;
      case drawing::Finding::Kind::twice: lines << tr("Drawn twice at %1").arg(at); break;
      case drawing::Finding::Kind::noLength: lines << tr("A piece of no length at %1, left out").arg(at); break;
    }
  }
  if (more > 0) lines << tr("and %1 more like these").arg(more);
  for (const auto& r : w.drawing.remarks) lines << q(r);
  for (QString& l : lines) l = QStringLiteral("\u2022 ") + l.toHtmlEscaped();
  return lines.join(QStringLiteral("<br>"));
}

void DrawingCard::accept() {
  if (!bench_.importer().drawings().waiting()) return;
  const auto& m = *bench_.document().mechanism();
  const auto merge = parseField(m, merge_->text().toStdString());
  const auto v = merge.ok() ? evaluateField(m, *merge, dimension::kLength) : Result<double>(merge.error());
  if (!v.ok() || *v < 0) {
    bench_.say(v.ok() ? tr("The tolerance can't be negative") : q(v.error().text), true);
    merge_->setFocus();
    return;
  }
  Drawings::Choice choice;
  choice.unit = unit();
  if (unit_) choice.unitName = unit_->currentData().toString().toStdString();
  choice.merge = *v;
  choice.sheetALayer = layers_->isChecked();
  choice.annotated = annotated_->isChecked();
  bench_.importer().drawings().place(choice);
}

}  // namespace cooperage::app
