// SPDX-License-Identifier: GPL-3.0-or-later
#include "model/mechanism.h"

#include <atomic>
#include <charconv>

namespace cooperage::model {

Id newId() {
  static std::atomic<Id> next{1};
  return next++;
}

std::shared_ptr<const Link> findLink(const Mechanism& m, Id id) { return findById(m.links, id); }
std::shared_ptr<const Joint> findJoint(const Mechanism& m, Id id) { return findById(m.joints, id); }

std::optional<SeatPlace> findSeat(const Mechanism& m, Id id) {
  for (const auto& link : m.links)
    if (auto seat = findById(link->seats, id)) return SeatPlace{link, seat};
  return std::nullopt;
}

std::optional<CurvePlace> findCurve(const Mechanism& m, Id id) {
  for (const auto& link : m.links)
    if (auto curve = findById(link->curves, id)) return CurvePlace{link, curve};
  return std::nullopt;
}

std::optional<SheetCurvePlace> findSheetCurve(const Mechanism& m, Id id) {
  for (const auto& sheet : m.sheets)
    if (auto curve = findById(sheet->curves, id)) return SheetCurvePlace{sheet, curve};
  return std::nullopt;
}

const std::vector<ProgrammeRow>& rowsOf(const Mechanism& m, const Drive& drive) {
  const auto shared = findById(m.programmes, drive.shared);
  return shared ? shared->rows : drive.programme;
}

std::optional<BodyPlace> findBody(const Mechanism& m, Id id) {
  for (const auto& link : m.links)
    if (auto body = findById(link->bodies, id)) return BodyPlace{link, body};
  return std::nullopt;
}

std::string nameOf(const Mechanism& m, const Symbol& s, bool quotes) {
  const auto wrap = [&](const std::string& name) { return quotes ? quoted(name) : name; };
  if (const auto p = findById(m.parameters, s.id)) return p->name;
  if (const auto j = findJoint(m, s.id)) return wrap(j->name) + (s.member.empty() ? "" : "." + s.member);
  if (const auto l = findLink(m, s.id)) return wrap(l->name);
  if (const auto seat = findSeat(m, s.id)) return wrap(seat->link->name + "/" + seat->seat->name);
  if (const auto d = findById(m.drives, s.id)) return wrap(d->name);
  if (const auto c = findCurve(m, s.id)) return wrap(c->link->name + "/" + c->curve->name);
  if (const auto p = findById(m.sheets, s.id)) return wrap(p->name);
  if (const auto c = findSheetCurve(m, s.id)) return wrap(c->sheet->name + "/" + c->curve->name);
  if (const auto p = findById(m.camPairs, s.id)) return wrap(p->name);
  if (const auto p = findById(m.contacts, s.id)) return wrap(p->name);
  if (const auto p = findById(m.forces, s.id)) return wrap(p->name);
  if (const auto p = findById(m.springs, s.id)) return wrap(p->name);
  if (const auto p = findById(m.frictions, s.id)) return wrap(p->name);
  if (const auto g = findById(m.gauges, s.id)) return wrap(g->name);
  if (const auto p = findById(m.programmes, s.id)) return wrap(p->name);
  if (const auto c = findById(m.couplings, s.id)) return wrap(c->name);
  return s.member.empty() ? "?" : s.member;
}

std::optional<Symbol> findJointValue(const Mechanism& m, const std::string& text) {
  const std::size_t dot = text.rfind('.');
  if (dot == std::string::npos) return std::nullopt;
  const auto joint = findByName(m.joints, text.substr(0, dot));
  if (!joint || valueIndex(joint->kind, text.substr(dot + 1)) < 0) return std::nullopt;
  return Symbol{joint->id, text.substr(dot + 1)};
}

std::optional<Symbol> resolveName(const Mechanism& m, std::string_view name) {
  const std::string text(name);
  if (const auto p = findByName(m.parameters, text)) return Symbol{p->id, ""};
  return findJointValue(m, text);
}

Result<Field> parseField(const Mechanism& m, std::string_view text) {
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.front()))) text.remove_prefix(1);
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.remove_suffix(1);
  double number = 0;
  const auto end = std::from_chars(text.data(), text.data() + text.size(), number);
  if (end.ec == std::errc() && end.ptr == text.data() + text.size() && std::isfinite(number)) return Field(number);
  auto formula = Expression::parse(text, [&](std::string_view name) { return resolveName(m, name); });
  if (!formula.ok()) return formula.error();
  return Field(std::move(formula).value());
}

std::string fieldText(const Mechanism& m, const Field& field) {
  if (!field.formula) return formatNumber(field.number);
  return field.formula->text([&](const Symbol& s) { return nameOf(m, s, true); });
}

namespace {

struct Element {
  BodyKind kind;
  const char* name;
  std::vector<ElementFigure> figures;
};
const ElementFigure kTeeth{"teeth", false, dimension::kPlain};
const ElementFigure kPressure{"pressure angle", true, dimension::kAngle, false, 20 * kPi / 180};
const ElementFigure kHelix{"helix angle", true, dimension::kAngle, true};
const ElementFigure kShift{"shift", true, dimension::kPlain, true};
const ElementFigure kAddendum{"addendum", true, dimension::kPlain, false, 1};
const ElementFigure kDedendum{"dedendum", true, dimension::kPlain, false, 1.25};
const ElementFigure kFillet{"fillet", true, dimension::kPlain, false, 0.38};

const std::vector<Element>& elements() {
  static const std::vector<Element> kElements{
      {BodyKind::box, "box", {{"size x"}, {"size y"}, {"size z"}}},
      {BodyKind::cylinder, "cylinder", {{"radius"}, {"length"}}},
      {BodyKind::sphere, "sphere", {{"radius"}}},
      {BodyKind::bar, "bar", {{"length"}, {"width"}, {"thickness"}, {"bore", true}}},
      {BodyKind::plate, "plate", {{"width"}, {"thickness"}, {"bore", true}}},
      {BodyKind::slottedBar,
       "slotted-bar",
       {{"length"}, {"width"}, {"thickness"}, {"bore", true}, {"slot length"}, {"slot width"}}},
      {BodyKind::disc, "disc", {{"radius"}, {"thickness"}, {"bore", true}}},
      {BodyKind::roller, "roller", {{"radius"}, {"length"}, {"bore", true}}},
      {BodyKind::shaft,
       "shaft",
       {{"radius"}, {"length"}, {"collar radius", true}, {"collar width", true}, {"collar at", true}}},
      {BodyKind::pin, "pin", {{"radius"}, {"length"}, {"head radius", true}, {"head height", true}}},
      {BodyKind::gear,
       "gear",
       {{"module"},
        kTeeth,
        kPressure,
        kHelix,
        {"width"},
        kShift,
        {"bore", true},
        {"hub radius", true},
        {"hub length", true},
        {"backlash", true},
        {"chamfer", true},
        kAddendum,
        kDedendum,
        kFillet}},
      {BodyKind::ringGear,
       "ring-gear",
       {{"module"},
        kTeeth,
        kPressure,
        kHelix,
        {"width"},
        kShift,
        {"rim radius", true},
        {"backlash", true},
        kAddendum,
        kDedendum,
        kFillet}},
      {BodyKind::rack,
       "rack",
       {{"module"},
        kTeeth,
        kPressure,
        kHelix,
        {"width"},
        {"height", true},
        {"backlash", true},
        kAddendum,
        kDedendum,
        kFillet}},
      {BodyKind::bevelGear,
       "bevel-gear",
       {{"module"},
        kTeeth,
        {"cone angle", false, dimension::kAngle},
        kPressure,
        {"width"},
        {"bore", true},
        {"backlash", true},
        kAddendum,
        kDedendum}},
      {BodyKind::worm,
       "worm",
       {{"module"},
        {"starts", false, dimension::kPlain},
        {"lead angle", false, dimension::kAngle, true},
        kPressure,
        {"length"},
        {"bore", true},
        {"backlash", true},
        kAddendum,
        kDedendum}},
      {BodyKind::pulley, "pulley", {{"radius"}, {"width"}, {"bore", true}, {"flange", true}, {"groove", true}}},
      {BodyKind::sprocket, "sprocket", {{"pitch"}, kTeeth, {"roller"}, {"width"}, {"bore", true}}},
      {BodyKind::screw,
       "screw",
       {{"diameter"},
        {"lead", false, dimension::kLength, true},
        {"starts", true, dimension::kPlain, false, 1},
        {"length"},
        {"plain length", true},
        {"opposed", true, dimension::kPlain}}},
      {BodyKind::nut, "nut", {{"width"}, {"length"}, {"bore"}}},
      {BodyKind::cam,
       "cam",
       {{"thickness"}, {"bore", true}, {"hub radius", true}, {"hub length", true}, {"depth", true}}},
      {BodyKind::linkPlate,
       "link-plate",
       {{"width"},
        {"thickness"},
        {"bore", true},
        {"pin", true},
        {"level", true, dimension::kPlain, true},
        {"pitch", true}}},
  };
  return kElements;
}

}  // namespace

const char* elementName(BodyKind kind) {
  for (const Element& e : elements())
    if (e.kind == kind) return e.name;
  return "file";
}

std::optional<BodyKind> elementNamed(std::string_view name) {
  for (const Element& e : elements())
    if (name == e.name) return e.kind;
  return std::nullopt;
}

const std::vector<ElementFigure>& elementFigures(BodyKind kind) {
  static const std::vector<ElementFigure> kNone;
  for (const Element& e : elements())
    if (e.kind == kind) return e.figures;
  return kNone;
}

int pivotCount(const Body& plate) {
  int n = 0;
  while (plate.figures.count("pivot " + std::to_string(n + 1) + " x")) ++n;
  return n;
}

std::vector<std::string> figureNames(const Body& body) {
  std::vector<std::string> out;
  if (body.kind == BodyKind::plate)
    for (int i = 1; i <= pivotCount(body); ++i)
      for (const char* axis : {" x", " y"}) out.push_back("pivot " + std::to_string(i) + axis);
  for (const ElementFigure& f : elementFigures(body.kind)) out.emplace_back(f.name);
  return out;
}

}  // namespace cooperage::model
