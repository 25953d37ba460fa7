// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFileDialog>
#include <QMenu>
#include <QPushButton>

#include "panels.h"
#include "../text.h"

namespace cooperage::app {

using namespace model;

namespace {
QString q(const std::string& s) { return QString::fromStdString(s); }
}  // namespace

ShapePanel::ShapePanel(Session& session, QWidget* parent) : StagePanel(session, tr("Shape"), parent) {
  auto* import = tool(QStringLiteral("lucide/import"), tr("Import"), tr("Import a STEP file (Ctrl+I)"),
                      QStringLiteral("import"), [this] { importFile(); });
  auto* add = tool(QStringLiteral("lucide/plus"), tr("Add"), tr("Add a simple body by its dimensions"),
                   QStringLiteral("add"), [] {});
  auto* menu = new QMenu(add);
  const std::pair<BodyKind, QString> kinds[] = {{BodyKind::box, tr("Box")},
                                                {BodyKind::cylinder, tr("Cylinder")},
                                                {BodyKind::sphere, tr("Sphere")},
                                                {BodyKind::bar, tr("Bar with two pivots")}};
  for (const auto& [kind, text] : kinds) {
    auto* a = menu->addAction(text);
    connect(a, &QAction::triggered, this, [this, k = kind] { addElement(k); });
  }
  add->setMenu(menu);
  ground_ = tool(QStringLiteral("app/ground"), {}, tr("Ground or free the selected links (G)"),
                 QStringLiteral("ground"), [this] { toggleGround(); });
  show_ = tool(QStringLiteral("lucide/eye-off"), {}, tr("Hide or show the selection"), QStringLiteral("hide"),
               [this] { toggleShown(); });
  remove_ = tool(QStringLiteral("lucide/trash-2"), {}, tr("Delete the selection (Del)"), QStringLiteral("remove"),
                 [this] { removeSelected(); });
  toolRow({import, add, ground_, show_, remove_});
  refresh();
}

std::pair<QString, Tone> ShapePanel::state() const {
  const auto& m = *session_.mechanism();
  if (m.links.empty()) return {};
  const bool ground = std::any_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; });
  return ground ? std::pair<QString, Tone>{QStringLiteral("\u2713"), Tone::good}
                : std::pair<QString, Tone>{QStringLiteral("!"), Tone::warning};
}

std::vector<LedgerRow> ShapePanel::rows() const {
  const auto& m = *session_.mechanism();
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
  int index = 0;
  for (const auto& l : m.links) {
    LedgerRow r;
    r.id = l->id;
    r.title = q(l->name);
    r.faded = l->hidden;
    r.editable = true;
    if (l->ground) {
      r.icon = QStringLiteral("app/ground");
      r.tag = tr("ground");
      r.tone = Tone::quiet;
    } else {
      const auto body = l->bodies.empty() ? nullptr : l->bodies.front();
      const auto solid = body ? session_.solid(body->id) : nullptr;
      const auto c = l->colour              ? l->colour
                     : body && body->colour ? body->colour
                     : solid                ? solid->colour
                                            : std::optional<Colour>();
      r.patch = c ? QColor::fromRgbF(static_cast<float>(c->r), static_cast<float>(c->g), static_cast<float>(c->b))
                  : linkColour(index);
    }
    const auto n = static_cast<int>(l->bodies.size());
    r.detail = n == 0 ? tr("no body") : n == 1 ? QString() : tr("%1 bodies").arg(n);
    if (l->hidden) r.detail += (r.detail.isEmpty() ? "" : ", ") + tr("hidden");
    for (const auto& b : l->bodies)
      if (!session_.bodyProblem(b->id).isEmpty()) {
        r.tag = tr("broken");
        r.tone = Tone::bad;
        r.detail = session_.bodyProblem(b->id);
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
  return out;
}

QString ShapePanel::hint() const {
  const auto& m = *session_.mechanism();
  if (m.links.empty()) return tr("<a href='import'>Import a STEP file</a> or add simple bodies by their dimensions.");
  if (std::none_of(m.links.begin(), m.links.end(), [](const auto& l) { return l->ground; }))
    return tr("Choose the link that stands still and ground it with G.");
  if (m.joints.empty()) return tr("Join the links in <a href='join'>stage Join</a>.");
  return {};
}

void ShapePanel::followHint(const QString& link) {
  if (link == QStringLiteral("import")) importFile();
  if (link == QStringLiteral("join")) session_.setStage(Stage::join);
}

void ShapePanel::afterRefresh() {
  const bool any = !session_.selection().empty();
  for (QPushButton* b : {ground_, show_, remove_})
    if (b) b->setEnabled(any);
}

void ShapePanel::importFile() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Import a STEP file"), {},
                                                    tr("STEP files (*.step *.stp *.STEP *.STP);;All files (*)"));
  if (!path.isEmpty()) session_.importStep(path);
}

void ShapePanel::addElement(BodyKind kind) {
  const auto& m = *session_.mechanism();
  const double mm = 1e-3 / m.units.factor(dimension::kLength);
  Link link;
  link.id = newId();
  link.name = freeName(m.links, elementName(kind));
  Body body;
  body.id = newId();
  body.name = link.name;
  body.kind = kind;
  static const std::map<std::string, double> kStart{{"size x", 60}, {"size y", 40}, {"size z", 20},   {"radius", 20},
                                                    {"length", 80}, {"width", 20},  {"thickness", 8}, {"bore", 8}};
  for (const auto& key : elementFigures(kind)) body.figures[key] = Field(kStart.at(key) * mm);
  const Id id = body.id;
  link.bodies.push_back(std::make_shared<const Body>(body));
  if (session_.apply(tr("Add %1").arg(QLatin1String(elementName(kind))), addLink(m, std::move(link))))
    session_.select({id});
}

void ShapePanel::removeSelected() {
  if (session_.selection().empty()) return;
  session_.apply(tr("Delete"), removed(*session_.mechanism(), session_.selection()));
}

void ShapePanel::toggleShown() {
  bool anyVisible = false;
  for (Id id : session_.selection()) {
    if (const auto l = findLink(*session_.mechanism(), id)) anyVisible = anyVisible || !l->hidden;
    if (const auto b = findBody(*session_.mechanism(), id)) anyVisible = anyVisible || !b->body->hidden;
  }
  session_.apply(anyVisible ? tr("Hide") : tr("Show"), shown(*session_.mechanism(), session_.selection(), !anyVisible));
}

void ShapePanel::toggleGround() {
  std::vector<Id> links;
  bool all = true;
  for (Id id : session_.selection())
    if (const auto l = findLink(*session_.mechanism(), id)) {
      links.push_back(id);
      all = all && l->ground;
    }
  if (!links.empty())
    session_.apply(all ? tr("Free links") : tr("Ground links"), grounded(*session_.mechanism(), links, !all));
}

}  // namespace cooperage::app
