// SPDX-License-Identifier: GPL-3.0-or-later
// The cards of a sheet, and of a curve that lies on one and belongs to no link.
#include <QFormLayout>
#include <map>

#include "../text.h"
#include "card_page.h"
#include "model/outlines.h"
#include "model/sheet_edits.h"

namespace cooperage::app {

using namespace model;

namespace {

class SheetPage : public CardPage {
 public:
  using CardPage::CardPage;
  void showSheet(const Sheet& sheet);
  void showCurve(const Sheet& sheet, const Curve& curve);

 private:
  void where(const Sheet& sheet);
  void contents(const Sheet& sheet);
  Mechanism with(Id sheet, const std::function<void(Sheet&)>& edit) const {
    return changedSheet(*bench_.document().mechanism(), sheet, edit);
  }
};

void SheetPage::showSheet(const Sheet& sheet) {
  heading(q(sheet.name), tr("sheet"));
  auto* form = section();
  const Id id = sheet.id;
  nameField(form, id, sheet.name);
  figure(form, tr("Depth"), sheet.depth, dimension::kLength,
         [this, id](const Field& f) { return with(id, [&](Sheet& s) { s.depth = f; }); });
  std::vector<std::pair<QString, QString>> carriers{{QString(), tr("ground")}};
  QString now;
  for (const auto& l : bench_.document().mechanism()->links) {
    if (l->ground) continue;
    carriers.emplace_back(QString::number(l->id), q(l->name));
    if (sheet.on == l->id) now = carriers.back().first;
  }
  pickOne(form, tr("Carried by"), QStringLiteral("sheet on"), carriers, now,
          [this, id](const QString& chosen) -> Result<Mechanism> {
            return with(id, [&](Sheet& s) {
              s.on = chosen.isEmpty() ? std::nullopt : std::optional<Id>(chosen.toULongLong());
            });
          });
  check(form, tr("Shown"), QStringLiteral("sheet shown"), !sheet.hidden,
        [this, id](bool on) { return with(id, [&](Sheet& s) { s.hidden = !on; }); });
  note(form, tr("V looks square on it, O draws on it, Shift+G gathers its curves into links."));
  where(sheet);
  contents(sheet);
}

/// Its origin, and which way it looks.
void SheetPage::where(const Sheet& sheet) {
  auto* form = section(tr("Plane"));
  const Id id = sheet.id;
  const struct {
    QString text;
    Triple Sheet::*part;
    const Dimension& dimension;
  } rows[] = {{tr("Origin %1"), &Sheet::at, dimension::kLength},
              {tr("Normal %1"), &Sheet::axis, dimension::kPlain},
              {tr("Its x axis %1"), &Sheet::ref, dimension::kPlain}};
  const QString axes[] = {QStringLiteral("x"), QStringLiteral("y"), QStringLiteral("z")};
  for (const auto& row : rows)
    for (std::size_t i = 0; i < 3; ++i)
      figure(form, row.text.arg(axes[i]), (sheet.*row.part)[i], row.dimension,
             [this, id, part = row.part, i](const Field& f) { return with(id, [&](Sheet& s) { (s.*part)[i] = f; }); });
}

/// What lies on it, and where it was read from.
void SheetPage::contents(const Sheet& sheet) {
  const auto& m = *bench_.document().mechanism();
  std::map<std::string, int> loose;
  int construction = 0;
  for (const auto& c : sheet.curves) c->construction ? ++construction : ++loose[c->layer];
  std::map<QString, int> links;
  for (const auto& l : m.links)
    for (const auto& c : l->curves)
      if (c->sheet == sheet.id) ++links[q(l->name)];
  auto* form = section(tr("Curves"));
  for (const auto& [link, count] : links) figureLine(form, link, QString::number(count), QStringLiteral("of ") + link);
  for (const auto& [layer, count] : loose)
    figureLine(form, layer.empty() ? tr("Of no link") : tr("Of no link, %1").arg(q(layer)), QString::number(count),
               QStringLiteral("loose ") + q(layer));
  if (construction > 0)
    figureLine(form, tr("Construction"), QString::number(construction), QStringLiteral("construction"));
  if (links.empty() && sheet.curves.empty()) note(form, tr("None yet."));
  if (sheet.file.empty()) return;
  note(form, tr("Read from %1").arg(q(sheet.file)));
  button(form, tr("Read it again"), [this] { bench_.importer().readDrawingsAgain(); });
}

void SheetPage::showCurve(const Sheet& sheet, const Curve& curve) {
  heading(q(curve.name), tr("of no link, on %1").arg(q(sheet.name)));
  auto* form = section();
  const Id id = curve.id;
  nameField(form, id, curve.name);
  check(form, tr("Construction"), QStringLiteral("construction"), curve.construction,
        [this, id](bool on) { return withConstruction(*bench_.document().mechanism(), {id}, on); });
  if (!curve.layer.empty()) figureLine(form, tr("Layer"), q(curve.layer), QStringLiteral("layer"));
  const auto& m = *bench_.document().mechanism();
  if (const auto outline = outlineOf(m, curve); outline.ok()) {
    figureLine(form, tr("Length"), figureText(drawing::lengthOf(*outline), dimension::kLength, m.units),
               QStringLiteral("curve length"));
    if (outline->pieces.size() == 1)
      if (const auto radius = drawing::radiusOf(outline->pieces[0]))
        figureLine(form, tr("Radius"), figureText(*radius, dimension::kLength, m.units),
                   QStringLiteral("curve radius"));
  }
  if (curve.gone) note(form, tr("Its drawing, read again, holds it no more."));
  note(form, tr("Shift+G gathers it into a link."));
}

}  // namespace

PagePtr sheetPage(Card& card, Id id) {
  return filled<SheetPage>(card, findById(shownIn(card).sheets, id),
                           [](SheetPage& p, const auto& s) { p.showSheet(s); });
}

PagePtr sheetCurvePage(Card& card, Id id) {
  return filled<SheetPage>(card, findSheetCurve(shownIn(card), id),
                           [](SheetPage& p, const auto& place) { p.showCurve(*place.sheet, *place.curve); });
}

}  // namespace cooperage::app
