// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>
#include <QPushButton>

#include "shape_panel.h"
#include "model/drawn_dimensions.h"
#include "model/layout.h"
#include "model/sheet_edits.h"
#include "shape/extent.h"
#include "shape/solid.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

ShapePanel::ShapePanel(Workbench& bench, QWidget* parent) : StagePanel(bench, tr("Shape"), parent) {
  auto* import = tool(QStringLiteral("lucide/import"), tr("Import"), tr("Import a STEP file (Ctrl+I)"),
                      QStringLiteral("import"), [this] { importFile(); });
  auto* add = tool(QStringLiteral("lucide/plus"), tr("Add"), tr("Add a simple body by its dimensions"),
                   QStringLiteral("add"), [] {});
  auto* menu = elements_ = new QMenu(add);
  const std::pair<BodyKind, QString> kinds[] = {{BodyKind::box, tr("Box")},
                                                {BodyKind::cylinder, tr("Cylinder")},
                                                {BodyKind::sphere, tr("Sphere")},
                                                {BodyKind::bar, tr("Bar with two pivots")},
                                                {BodyKind::plate, tr("Plate with three pivots")},
                                                {BodyKind::slottedBar, tr("Slotted bar")},
                                                {BodyKind::disc, tr("Disc")},
                                                {BodyKind::roller, tr("Roller")},
                                                {BodyKind::shaft, tr("Shaft with a collar")},
                                                {BodyKind::pin, tr("Pin with a head")},
                                                {BodyKind::gear, tr("Gear")},
                                                {BodyKind::ringGear, tr("Ring gear")},
                                                {BodyKind::rack, tr("Rack")},
                                                {BodyKind::bevelGear, tr("Bevel gear")},
                                                {BodyKind::worm, tr("Worm")},
                                                {BodyKind::pulley, tr("Pulley")},
                                                {BodyKind::sprocket, tr("Sprocket")},
                                                {BodyKind::screw, tr("Screw")},
                                                {BodyKind::nut, tr("Nut")}};
  for (const auto& [kind, text] : kinds) {
    auto* a = menu->addAction(text);
    connect(a, &QAction::triggered, this, [this, k = kind] { addElement(k); });
  }
  add->setMenu(menu);
  auto* draw = tool(QStringLiteral("lucide/pencil"), {}, tr("Draw links as lines in the plane (O)"),
                    QStringLiteral("draw"), [this] { emit drawAsked(); });
  ground_ = tool(QStringLiteral("app/ground"), {}, tr("Ground or free the selected links (G)"),
                 QStringLiteral("ground"), [this] { toggleGround(); });
  show_ = tool(QStringLiteral("lucide/eye-off"), {}, tr("Hide or show the selection"), QStringLiteral("hide"),
               [this] { toggleShown(); });
  remove_ = tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"),
                 [this] { removeSelected(); });
  toolRow({import, add, draw, ground_, show_, remove_});
  rules_ = new QWidget;
  auto* rules = new QHBoxLayout(rules_);
  rules->setContentsMargins(10, 0, 10, 4);
  rules->setSpacing(4);
  const std::tuple<LinkRule, QString, QString, const char*> kRules[] = {
      {LinkRule::eachSolid, tr("Each solid"), tr("Each solid of the import becomes a link"), "rule solid"},
      {LinkRule::eachAssembly, tr("Each group"), tr("Each sub-assembly of the import becomes a link"), "rule assembly"},
      {LinkRule::allOne, tr("One link"), tr("All solids of the import become one link"), "rule one"}};
  for (const auto& [rule, text, tip, name] : kRules)
    rules->addWidget(
        tool({}, text, tip, QLatin1String(name), [this, r = rule] { bench_.importer().groupImported(r); }));
  rules->addStretch(1);
  insertAbove(rules_);
  rules_->hide();
  addFilter();
  shelf_ = new PartsShelf(bench_);
  insertBelow(shelf_);
  refresh();
}

/// Of a link that is drawn only: its lines, and what nothing holds in them.
QString ShapePanel::drawnDetail(const Link& link, qsizetype lines) const {
  const QString text = counted(lines, tr("line"), tr("lines"));
  const auto& m = *bench_.document().mechanism();
  const int free = link.ground || !isDrawnHere(m, link) ? 0 : heldOf(m, link.id).free;
  return free == 0 ? text : tr("%1, %2 missing").arg(text, counted(free, tr("figure"), tr("figures")));
}

std::pair<QString, Tone> ShapePanel::state() const {
  const auto& m = *bench_.document().mechanism();
  if (m.links.empty()) return {};
  const bool ground = std::any_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; });
  return ground ? std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good}
                : std::pair<QString, Tone>{QStringLiteral("!"), Tone::warning};
}

std::vector<LedgerRow> ShapePanel::rows() const {
  const auto& m = *bench_.document().mechanism();
  std::vector<LedgerRow> out;
  const bool ground = std::any_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; });
  if (!m.links.empty() && !ground) {
    LedgerRow r;
    r.icon = QStringLiteral("lucide/triangle-alert");
    r.title = tr("No link is grounded");
    r.detail = tr("everything would move together");
    r.tag = tr("ground one");
    r.tone = Tone::warning;
    out.push_back(r);
  }
  for (const QString& file : bench_.shapes().changedFiles()) {
    LedgerRow r;
    r.icon = QStringLiteral("lucide/triangle-alert");
    r.title = file;
    r.detail = tr("changed on disk since it was read");
    r.tag = tr("F8 refreshes");
    r.tone = Tone::warning;
    out.push_back(r);
  }
  int index = 0;
  for (const auto& l : m.links) {
    LedgerRow r = linkRow(*l, index);
    if (l->ground) {
      r.tag = tr("ground");
      r.tone = Tone::quiet;
    }
    const auto n = static_cast<int>(l->bodies.size());
    const auto lines = std::count_if(l->curves.begin(), l->curves.end(), [](const auto& c) { return c->outline; });
    r.detail = n == 0 && lines > 0 ? drawnDetail(*l, static_cast<qsizetype>(lines))
               : n == 0            ? tr("no body")
               : n == 1            ? QString()
                                   : tr("%1 bodies").arg(n);
    if (l->hidden) r.detail += (r.detail.isEmpty() ? "" : ", ") + tr("hidden");
    for (const auto& b : l->bodies)
      if (!bench_.shapes().problem(b->id).isEmpty()) {
        r.tag = tr("broken");
        r.tone = Tone::bad;
        r.detail = bench_.shapes().problem(b->id);
      }
    out.push_back(r);
    ++index;
    if (n < 2) continue;
    for (const auto& b : l->bodies) {
      LedgerRow s;
      s.id = b->id;
      s.title = q(b->name);
      s.icon = QStringLiteral("lucide/box");
      s.indent = 1;
      s.faded = b->hidden || l->hidden;
      s.editable = true;
      out.push_back(s);
    }
  }
  for (const auto& s : m.sheets) {
    LedgerRow r;
    r.id = s->id;
    r.icon = QStringLiteral("lucide/layers");
    r.title = q(s->name);
    r.faded = s->hidden;
    r.editable = true;
    const auto loose =
        std::count_if(s->curves.begin(), s->curves.end(), [](const auto& c) { return !c->construction; });
    const auto gone = std::count_if(s->curves.begin(), s->curves.end(), [](const auto& c) { return c->gone; });
    r.detail = loose == 0 ? tr("sheet")
                          : tr("%1 of no link").arg(counted(static_cast<qsizetype>(loose), tr("curve"), tr("curves")));
    if (gone > 0) {
      r.tag = tr("%1 gone").arg(gone);
      r.tone = Tone::warning;
    }
    out.push_back(r);
  }
  return out;
}

QString ShapePanel::hint() const {
  const auto& m = *bench_.document().mechanism();
  if (const int loose = countLoose(m); loose > 0)
    return tr("%1 belong to no link: choose some and gather them with Shift+G.")
        .arg(counted(loose, tr("curve"), tr("curves")));
  if (m.links.empty())
    return tr(
        "<a href='import'>Import a file</a>, choose a <a href='parts'>folder of parts</a>, or add bodies by their "
        "dimensions.");
  if (std::none_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; }))
    return tr("Choose the link that stands still and ground it with G.");
  if (m.joints.empty()) return tr("Join the links in <a href='join'>stage Join</a>.");
  return {};
}

void ShapePanel::followHint(const QString& link) {
  if (link == QStringLiteral("import")) importFile();
  if (link == QStringLiteral("parts")) shelf_->chooseFolder();
  if (link == QStringLiteral("join")) bench_.selection().setStage(Stage::join);
}

void ShapePanel::afterRefresh() {
  if (rules_) rules_->setVisible(bench_.importer().imported().size() > 1);
  const bool any = !bench_.selection().ids().empty();
  for (QPushButton* b : {ground_, show_, remove_})
    if (b) b->setEnabled(any);
}

void ShapePanel::importFile() {
  const QString path =
      QFileDialog::getOpenFileName(this, tr("Import geometry"), {},
                                   tr("Geometry (*.step *.stp *.iges *.igs *.brep *.stl *.obj *.dxf *.svg *.STEP "
                                      "*.STP *.IGES *.IGS *.STL *.OBJ);;All files (*)"));
  if (!path.isEmpty()) bench_.importer().importFile(path);
}

void ShapePanel::addElement(BodyKind kind) {
  last_ = kind;
  const auto& m = *bench_.document().mechanism();
  const double mm = 1e-3 / m.units.factor(dimension::kLength);
  Link link;
  link.id = newId();
  link.name = freeName(m.links, elementName(kind));
  link.ground = m.links.empty();  // something has to stand still
  Body body;
  body.id = newId();
  body.name = link.name;
  body.kind = kind;
  static const std::map<std::string, double> kStart{
      {"size x", 60},        {"size y", 40},      {"size z", 20},    {"radius", 20},      {"length", 80},
      {"width", 20},         {"thickness", 8},    {"bore", 8},       {"slot length", 30}, {"slot width", 8},
      {"collar radius", 10}, {"collar width", 6}, {"collar at", 37}, {"head radius", 9},  {"head height", 4}};
  if (kind == BodyKind::plate) {
    const double pivots[][2] = {{0, 0}, {80, 0}, {30, 50}};
    for (int i = 0; i < 3; ++i) {
      const std::string pivot = "pivot " + std::to_string(i + 1);
      body.figures[pivot + " x"] = Field(pivots[i][0] * mm);
      body.figures[pivot + " y"] = Field(pivots[i][1] * mm);
    }
  }
  static const std::map<std::string, double> kMachine{
      {"module", 2e-3},   {"teeth", 24},    {"cone angle", kPi / 4}, {"starts", 1}, {"lead angle", kPi / 36},
      {"pitch", 12.7e-3}, {"roller", 8e-3}, {"diameter", 16e-3},     {"lead", 4e-3}};
  for (const auto& figure : elementFigures(kind)) {
    const auto own = kMachine.find(figure.name);
    if (own != kMachine.end())
      body.figures[figure.name] = Field(std::round(own->second / m.units.factor(figure.dimension) * 1e9) / 1e9);
    else if (!figure.mayBeZero || kind <= BodyKind::pin)
      body.figures[figure.name] = Field(kStart.at(figure.name) * mm);
  }
  if (kind == BodyKind::shaft || kind == BodyKind::pin) body.figures["radius"] = Field(6 * mm);
  const Id id = body.id;
  if (kind <= BodyKind::pin) {  // makers place machine elements
    std::vector<double> figures;
    for (const auto& name : figureNames(body)) {  // of a plate its pivots, too; all of them are lengths
      const auto f = body.figures.find(name);
      figures.push_back(f == body.figures.end() ? 0 : f->second.number * m.units.factor(dimension::kLength));
    }
    shape::Extent part;
    if (const auto solid = shape::elementShape(kind, figures); solid.ok()) part.add(*solid, Pose{});
    link.placement = placementOf(bench_.importer().freePlace(part), m.units);
  }
  link.bodies.push_back(std::make_shared<const Body>(body));
  if (!bench_.document().apply(tr("Add %1").arg(QLatin1String(elementName(kind))), addLink(m, std::move(link)))) return;
  bench_.selection().select({id});
  if (m.links.empty()) bench_.say(tr("The first link stands still; G on it frees it"));
  emit added();
}

void ShapePanel::removeSelected() {
  if (bench_.selection().ids().empty()) return;
  bench_.document().apply(tr("Delete"), removed(*bench_.document().mechanism(), bench_.selection().ids()));
}

void ShapePanel::toggleShown() {
  bool anyVisible = false;
  for (Id id : bench_.selection().ids()) {
    if (const auto l = findLink(*bench_.document().mechanism(), id)) anyVisible = anyVisible || !l->hidden;
    if (const auto s = findById(bench_.document().mechanism()->sheets, id)) anyVisible = anyVisible || !s->hidden;
    if (const auto b = findBody(*bench_.document().mechanism(), id)) anyVisible = anyVisible || !b->body->hidden;
  }
  bench_.document().apply(anyVisible ? tr("Hide") : tr("Show"),
                          shown(*bench_.document().mechanism(), bench_.selection().ids(), !anyVisible));
}

void ShapePanel::toggleGround() {
  std::vector<Id> links;
  bool all = true;
  for (Id id : bench_.selection().ids())
    if (const auto l = findLink(*bench_.document().mechanism(), id)) {
      links.push_back(id);
      all = all && l->ground;
    }
  if (!links.empty())
    bench_.document().apply(all ? tr("Free links") : tr("Ground links"),
                            grounded(*bench_.document().mechanism(), links, !all));
}

}  // namespace cooperage::app
