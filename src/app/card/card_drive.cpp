// SPDX-License-Identifier: GPL-3.0-or-later
// Card of a drive: what it moves, and its programme as rows with exact figures.
#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QToolButton>

#include "../choice_box.h"
#include "../strip/programme_lanes.h"
#include "../text.h"
#include "../theme.h"
#include "card_page.h"
#include "io/curve_table.h"
#include "model/programme_edits.h"

namespace cooperage::app {

using namespace model;

namespace {
class DrivePage : public CardPage {
 public:
  using CardPage::CardPage;
  void showDrive(const Drive& drive);

 private:
  void programmeRow(const Drive& drive, const std::vector<ProgrammeRow>& rows, std::size_t row, const Dimension& value);
  void tablePoints(QFormLayout* form, const Drive& drive, const std::vector<ProgrammeRow>& rows, std::size_t row);
};
}  // namespace

namespace {

/// Laws as they are offered, moves first.
const std::vector<motion::LawKind>& lawsOffered() {
  using Law = motion::LawKind;
  static const std::vector<Law> kLaws = [] {
    std::vector<Law> laws{Law::dwell, Law::constantSpeed, Law::runUp, Law::runDown};
    const auto& moves = motion::Law::kinds();
    laws.insert(laws.end(), moves.begin(), moves.end());
    for (const Law l :
         {Law::quintic, Law::spline, Law::polynomial, Law::sine, Law::table, Law::formula, Law::speedFormula})
      laws.push_back(l);
    return laws;
  }();
  return kLaws;
}

QString keyText(const std::string& key) {
  QString s = q(key).replace('_', ' ');
  s[0] = s[0].toUpper();
  return s;
}
}  // namespace

void DrivePage::showDrive(const Drive& drive) {
  const auto& m = *bench_.document().mechanism();
  heading(q(drive.name), tr("drive"));
  auto* form = section();
  nameField(form, drive.id, drive.name);
  const Id id = drive.id;
  const auto gauge = findById(m.gauges, drive.gauge);
  note(form, tr("Moves %1").arg(gauge ? tr("the gauge %1").arg(q(gauge->name)) : q(nameOf(m, drive.value, false))));
  const auto flag = [&](const QString& text, const char* name, bool on, bool Drive::*member) {
    check(form, text, QLatin1String(name), on, [this, id, member](bool now) {
      return changed<Drive>(*bench_.document().mechanism(), &Mechanism::drives, id, [&](Drive& d) { d.*member = now; });
    });
  };
  flag(tr("reversed"), "reversed", drive.reverse, &Drive::reverse);
  flag(tr("enabled"), "enabled", drive.enabled, &Drive::enabled);
  if (const auto joint = findJoint(m, drive.value.id))
    if (const int v = valueIndex(joint->kind, drive.value.member); v >= 0)
      jogSlider(form, *joint, static_cast<std::size_t>(v));
  // whose rows
  std::vector<std::pair<QString, QString>> programmes{{QStringLiteral("0"), tr("its own")}};
  const Dimension value = drivenDimension(m, drive);
  for (const auto& p : m.programmes) programmes.emplace_back(QString::number(p->id), q(p->name));
  pickOne(form, tr("Programme"), QStringLiteral("programme"), programmes, QString::number(drive.shared),
          [this, id](const QString& key) -> Result<Mechanism> {
            return withShared(*bench_.document().mechanism(), id, key.toULongLong());
          });
  if (drive.shared == 0) {
    button(form, tr("Name it, to share it"), [this, id] {
      const auto d = findById(bench_.document().mechanism()->drives, id);
      if (d)
        bench_.document().apply(tr("Name programme"),
                                withNamedProgramme(*bench_.document().mechanism(), id, d->name + " programme"));
    });
  } else if (const auto shared = findById(m.programmes, drive.shared)) {
    auto* edit = new QLineEdit(q(shared->name));
    edit->setObjectName(QStringLiteral("programme name"));
    const Id programme = shared->id;
    const std::string was = shared->name;
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, programme, was] {
      const QString text = edit->text().trimmed();
      if (text == q(was)) return;
      if (!bench_.document().apply(tr("Rename"),
                                   renamed(*bench_.document().mechanism(), programme, text.toStdString())))
        edit->setText(q(was));
    });
    form->addRow(formLabel(tr("Its name")), edit);
    int users = 0;
    for (const auto& d : m.drives) users += d->shared == programme ? 1 : 0;
    if (users > 1) note(form, tr("%1 drives follow this programme; changes are for all of them.").arg(users));
  }
  const auto& rows = rowsOf(m, drive);
  for (std::size_t i = 0; i < rows.size(); ++i) programmeRow(drive, rows, i, value);
  auto* last = section();
  const int n = static_cast<int>(rows.size());
  auto* line = new QHBoxLayout;
  for (const auto& [text, name, law] : {std::tuple{tr("Add move"), "add move", motion::LawKind::poly345},
                                        {tr("Add dwell"), "add dwell", motion::LawKind::dwell}}) {
    auto* b = new QPushButton(text);
    b->setObjectName(QLatin1String(name));
    connect(b, &QPushButton::clicked, this, [this, id, n, l = law] {
      bench_.document().apply(tr("Add row"), withRowAfter(*bench_.document().mechanism(), id, n - 1, l));
    });
    line->addWidget(b);
  }
  last->addRow(line);
}

void DrivePage::programmeRow(const Drive& drive, const std::vector<ProgrammeRow>& rows, std::size_t i,
                             const Dimension& value) {
  const auto& row = rows[i];
  const Id id = drive.id;
  auto* form = section();
  // number, law with its picture, and where it stands among the rows
  auto* head = new QHBoxLayout;
  head->setSpacing(3);
  auto* number = new QLabel(QString::number(i + 1));
  number->setFont(uiFont(9, QFont::DemiBold));
  number->setFixedWidth(16);
  head->addWidget(number);
  auto* law = new ChoiceBox;
  law->setObjectName(QStringLiteral("law %1").arg(i + 1));
  law->setAccessibleName(tr("Law of row %1").arg(i + 1));
  law->setIconSize({18, 16});
  for (const auto kind : lawsOffered())
    law->addItem(QIcon(lawPicture(kind, {18, 16}, theme().accent, card_.devicePixelRatioF())), lawText(kind),
                 q(wordFor(kind)));
  law->setCurrentIndex(law->findData(q(row.law.text())));
  law->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  law->setMinimumContentsLength(8);
  connect(law, &QComboBox::activated, this, [this, id, i, law, value] {
    const auto d = findById(bench_.document().mechanism()->drives, id);
    if (!d) return;
    auto next = rowsOf(*bench_.document().mechanism(), *d);
    if (i >= next.size()) return;
    next[i] = rowWithLaw(*bench_.document().mechanism(), next[i],
                         Word<motion::LawKind>::read(law->currentData().toString().toStdString()), value);
    bench_.document().apply(tr("Change law"), withRows(*bench_.document().mechanism(), id, next));
  });
  head->addWidget(law, 1);
  const auto key = [&](const char* iconName, const QString& tip, const QString& name, std::function<void()> press) {
    auto* b = new QToolButton;
    b->setObjectName(name);
    b->setIcon(icon(QLatin1String(iconName)));
    b->setIconSize({14, 14});
    b->setFixedSize(22, 24);
    b->setAutoRaise(true);
    b->setToolTip(tip);
    connect(b, &QToolButton::clicked, this, [press] { press(); });
    head->addWidget(b);
  };
  const int at = static_cast<int>(i);
  if (i > 0)
    key("lucide/chevron-down", tr("Before the row above"), QStringLiteral("up %1").arg(i + 1), [this, id, at] {
      bench_.document().apply(tr("Move row"), withRowMoved(*bench_.document().mechanism(), id, at, -1));
    });
  key("lucide/x", tr("Remove this row"), QStringLiteral("remove %1").arg(i + 1), [this, id, at] {
    bench_.document().apply(tr("Remove row"), withoutRow(*bench_.document().mechanism(), id, at));
  });
  form->addRow(head);
  if (auto* up = form->parentWidget()->findChild<QToolButton*>(QStringLiteral("up %1").arg(i + 1)))
    up->setIcon(QIcon(
        iconPixmap(QStringLiteral("lucide/chevron-down"), theme().ink, 14, 2).transformed(QTransform().scale(1, -1))));
  for (const auto& [name, field] : row.figures) {
    const auto d = motion::figureDimension(row.law, name, value);
    if (!d) continue;
    const std::string figureName = name;
    const auto change = [this, id, i, figureName](const Field& f) {
      const auto now = findById(bench_.document().mechanism()->drives, id);
      if (!now) return *bench_.document().mechanism();
      auto next = rowsOf(*bench_.document().mechanism(), *now);
      if (i < next.size()) next[i].figures[figureName] = f;
      return withRows(*bench_.document().mechanism(), id, next);
    };
    if (name == "formula") {  // of the time: no single value
      optionalFigure(form, tr("Formula"), QStringLiteral("formula %1").arg(i + 1), field,
                     [change](const std::optional<Field>& f) { return change(f.value_or(Field(0))); });
      continue;
    }
    const auto before = form->rowCount();
    figure(form, keyText(name), field, *d, change);
    Q_UNUSED(before);
    if (auto* edit = form->parentWidget()->findChild<QLineEdit*>(keyText(name)))
      edit->setObjectName(QStringLiteral("%1 %2").arg(q(name)).arg(i + 1));
  }
  if (row.figures.count("to") + row.figures.count("by") == 1) {
    const bool by = row.figures.count("by");
    pickOne(form, tr("Counts"), QStringLiteral("counts %1").arg(i + 1),
            {{QStringLiteral("to"), tr("to a value")}, {QStringLiteral("by"), tr("by an amount")}},
            by ? QStringLiteral("by") : QStringLiteral("to"),
            [this, id, i, value](const QString& which) -> Result<Mechanism> {
              // the same motion, told the other way
              const auto& now = *bench_.document().mechanism();
              const auto d = findById(now.drives, id);
              auto next = rowsOf(now, *d);
              const auto& r = bench_.solution().resolved();
              for (std::size_t k = 0; k < r.drives.size(); ++k) {
                if (r.drives[k].id != id || !bench_.solution().home() || !bench_.solution().system()) continue;
                const int dof = bench_.solution().system()->dofOfDrive(r, static_cast<int>(k));
                const double start =
                    dof < 0 ? 0 : bench_.solution().home()->configuration.q[static_cast<std::size_t>(dof)];
                const auto p = motion::Programme::compile(r.drives[k].rows, start, false, d->name);
                if (!p.ok() || i + 1 >= p->knots().size()) return p.ok() ? Result<Mechanism>(now) : p.error();
                const double a = p->at(p->knots()[i]).position, b = p->at(p->knots()[i + 1]).position;
                const double v = which == QStringLiteral("by") ? b - a : b;
                next[i].figures.erase("to");
                next[i].figures.erase("by");
                next[i].figures[which.toStdString()] = Field(std::round(v / now.units.factor(value) * 1e9) / 1e9);
              }
              return withRows(now, id, next);
            });
  }
  if (row.law == motion::LawKind::table || row.law == motion::LawKind::spline) tablePoints(form, drive, rows, i);
}

/// Points of a table as text, one a line, or read from a file beside the document.
void DrivePage::tablePoints(QFormLayout* form, const Drive& drive, const std::vector<ProgrammeRow>& rows,
                            std::size_t i) {
  const auto& m = *bench_.document().mechanism();
  const auto& row = rows[i];
  const Id id = drive.id;
  const auto change = [this, id, i](std::function<void(ProgrammeRow&)> edit) {
    const auto d = findById(bench_.document().mechanism()->drives, id);
    auto next = rowsOf(*bench_.document().mechanism(), *d);
    if (i < next.size()) edit(next[i]);
    return withRows(*bench_.document().mechanism(), id, next);
  };
  auto* text = new QPlainTextEdit;
  text->setObjectName(QStringLiteral("points %1").arg(i + 1));
  text->setAccessibleName(tr("Points of the table, time and value"));
  text->setFixedHeight(84);
  text->setReadOnly(!row.file.empty());
  QStringList lines;
  for (const Pair& p : row.points) lines << q(fieldText(m, p[0])) + QStringLiteral(", ") + q(fieldText(m, p[1]));
  text->setPlainText(lines.join('\n'));
  form->addRow(text);
  if (row.file.empty()) {
    auto* take = new QPushButton(tr("Take these points"));
    take->setObjectName(QStringLiteral("take points %1").arg(i + 1));
    connect(take, &QPushButton::clicked, this, [this, text, change] {
      std::vector<Pair> points;
      int n = 0;
      for (const QString& line : text->toPlainText().split('\n', Qt::SkipEmptyParts)) {
        ++n;
        const auto cells = line.split(',');
        Pair p;
        for (std::size_t k = 0; k < 2; ++k) {
          const auto f = cells.size() == 2 ? parseField(*bench_.document().mechanism(),
                                                        cells[static_cast<int>(k)].trimmed().toStdString())
                                           : Result<Field>(Error{"table", "", "time and value are parted by a comma"});
          if (!f.ok()) {
            bench_.say(tr("Line %1: %2").arg(n).arg(q(f.error().text)), true);
            return;
          }
          p[k] = *f;
        }
        points.push_back(p);
      }
      bench_.document().apply(tr("Change table"), change([&](ProgrammeRow& r) { r.points = points; }));
    });
    form->addRow(take);
  } else {
    note(form, tr("From %1").arg(q(row.file)));
  }
  if (row.law != motion::LawKind::table) return;
  button(form, row.file.empty() ? tr("Read from a file\u2026") : tr("Read another file\u2026"), [this, change] {
    readTable(tr("Table of time and value"), [this, change](const auto& points, const std::string& file) {
      bench_.document().apply(tr("Read table"), change([&](ProgrammeRow& r) {
                                r.points = points;
                                r.file = file;
                              }));
    });
  });
  pickOne(
      form, tr("Between"), QStringLiteral("interpolation %1").arg(i + 1),
      {{QStringLiteral("spline"), tr("smooth")}, {QStringLiteral("linear"), tr("straight")}},
      row.interpolation.empty() ? QStringLiteral("spline") : q(row.interpolation.text()),
      [change](const QString& how) -> Result<Mechanism> {
        return change([&](ProgrammeRow& r) { r.interpolation = Word<curves::Interpolation>::read(how.toStdString()); });
      });
}

PagePtr drivePage(Card& card, Id id) {
  return filled<DrivePage>(card, findById(shownIn(card).drives, id),
                           [](auto& page, const auto& x) { page.showDrive(x); });
}

}  // namespace cooperage::app
