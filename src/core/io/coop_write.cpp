// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/coop_write_parts.h"

namespace cooperage::io {
namespace {

using Json = nlohmann::ordered_json;
constexpr std::size_t kLine = 118;  // an object that fits stays on one line

class Writer : PartWriter {
 public:
  explicit Writer(const Mechanism& m) : PartWriter(m) {}

  Json run() {
    Json j;
    j["format"] = "cooperage";
    j["version"] = 1;
    j["title"] = m_.title;
    j["units"] = {{"length", m_.units.length},
                  {"angle", m_.units.angle},
                  {"mass", m_.units.mass},
                  {"time", m_.units.time},
                  {"force", m_.units.force}};
    list(j, "parameters", m_.parameters, [&](const Parameter& p) {
      Json o{{"name", p.name}, {"value", field(p.value)}};
      return with(std::move(o), p.extra);
    });
    list(j, "links", m_.links, [&](const Link& l) { return link(l); });
    list(j, "joints", m_.joints, [&](const Joint& x) { return joint(x); });
    list(j, "couplings", m_.couplings, [&](const Coupling& c) { return coupling(c); });
    list(j, "cam_pairs", m_.camPairs, [&](const CamPair& c) { return camPair(c); });
    if (!m_.contacts.empty()) list(j, "contacts", m_.contacts, [&](const Contact& c) { return contact(c); });
    if (m_.gravity) j["gravity"] = fields(*m_.gravity);
    if (!m_.materials.empty())
      list(j, "materials", m_.materials, [&](const Material& x) {
        return described(x, Json{{"name", x.name}}, [](From& from, const Material& y) { describeMaterial(from, y); });
      });
    if (!m_.springs.empty()) list(j, "springs", m_.springs, [&](const Spring& s) { return spring(s); });
    if (!m_.forces.empty()) list(j, "forces", m_.forces, [&](const Force& f) { return force(f); });
    if (!m_.frictions.empty())
      list(j, "friction", m_.frictions, [&](const Friction& x) {
        return described(x, Json{{"name", x.name}, {"of", name(x.of)}},
                         [](From& from, const Friction& y) { describeFriction(from, y); });
      });
    if (!m_.programmes.empty())
      list(j, "programmes", m_.programmes, [&](const NamedProgramme& p) {
        Json o{{"name", p.name}, {"programme", rows(p.rows)}};
        return with(std::move(o), p.extra);
      });
    list(j, "drives", m_.drives, [&](const Drive& d) { return drive(d); });
    list(j, "gauges", m_.gauges, [&](const Gauge& g) { return gauge(g); });
    list(j, "requirements", m_.requirements, [&](const Requirement& r) { return requirement(r); });
    if (!m_.sheets.empty()) list(j, "sheets", m_.sheets, [&](const Sheet& s) { return sheet(s); });
    if (!m_.paths.empty()) list(j, "paths", m_.paths, [&](const Path& p) { return path(p); });
    list(j, "runs", m_.runs, [&](const Run& r) { return oneRun(r); });
    if (!m_.groups.empty()) list(j, "groups", m_.groups, [&](const Group& g) { return group(g); });
    return with(std::move(j), m_.extra);
  }

 private:
  Json camPair(const CamPair& c) const {
    Json o{{"name", c.name}, {"kind", wordFor(c.kind)}, {"cam", name(c.cam)}, {"follower", name(c.follower)}};
    if (c.kind == ContactKind::roller) o["radius"] = field(c.radius);
    o["side"] = c.inside ? "inside" : "outside";
    if (!c.enabled) o["enabled"] = false;
    return with(std::move(o), c.extra);
  }

  Json contact(const Contact& c) const {
    Json o{{"name", c.name}};
    From from(*this, o);
    describeContact(from, c);
    return with(std::move(o), c.extra);
  }

  Json force(const Force& f) const {
    Json o{{"name", f.name}};
    const auto some = [](const Triple& t) {
      return std::any_of(t.begin(), t.end(), [](const Field& x) { return x.formula || x.number != 0; });
    };
    if (f.of) {
      o["of"] = name(*f.of);
      o["effort"] = field(f.effort);
    } else {
      o["on"] = name(f.on);
      if (some(f.force)) o["force"] = fields(f.force);
      if (some(f.moment)) o["moment"] = fields(f.moment);
    }
    From from(*this, o);
    describeForce(from, f);
    return with(std::move(o), f.extra);
  }

  /// An object by its description, after what stands at its head.
  template <class T, class F>
  Json described(const T& x, Json head, F describe) const {
    From from(*this, head);
    describe(from, x);
    return with(std::move(head), x.extra);
  }

  Json spring(const Spring& s) const {
    Json o{{"name", s.name}};
    if (s.of)
      o["of"] = name(*s.of);
    else
      o["between"] = Json::array({name(s.seats[0]), name(s.seats[1])});
    return described(s, std::move(o), [](From& from, const Spring& x) { describeSpring(from, x); });
  }

  Json joint(const Joint& x) const {
    Json o{{"name", x.name}, {"kind", infoOf(x.kind).name}, {"between", {name(x.seats[0]), name(x.seats[1])}}};
    From from(*this, o);
    describeJoint(from, x);
    if (x.kind == JointKind::screw) o["lead"] = field(x.lead);
    if (x.kind == JointKind::pointCurve) {
      const auto c = findCurve(m_, x.curve);
      o["curve"] = c ? c->curve->name : "";
    }
    if (x.kind == JointKind::pointSurface) {
      const auto b = findBody(m_, x.surfaceBody);
      o["surface"] = {{"body", b ? b->body->name : ""}, {"face", x.surfaceFace}};
    }
    return with(std::move(o), x.extra);
  }

  Json coupling(const Coupling& c) const {
    static const char* kKinds[] = {"linear", "gear", "ratio", "rack", "belt", "screw", "table", "formula"};
    Json o{{"name", c.name}, {"kind", kKinds[static_cast<int>(c.kind)]}};
    Json figures = Json::array(), values = Json::array();
    for (const Field& f : c.figures) figures.push_back(field(f));
    for (const Symbol& s : c.values) values.push_back(name(s));
    if (c.kind == CouplingKind::linear) {
      Json terms = Json::array();
      for (std::size_t i = 0; i < c.values.size(); ++i) terms.push_back(Json::array({values[i], figures[i]}));
      o["terms"] = std::move(terms);
    } else if (c.kind == CouplingKind::formula) {
      o["value"] = values[0];
      o["formula"] = field(c.formula);
    } else {
      o["values"] = values;
    }
    switch (c.kind) {
      case CouplingKind::gear:
        o["teeth"] = figures;
        if (c.internal) o["internal"] = true;
        if (c.flip) o["flip"] = true;
        if (c.carrier != 0) o["carrier"] = name(c.carrier);
        if (!c.type.empty()) o["type"] = c.type.text();
        if (c.module) o["module"] = field(*c.module);
        break;
      case CouplingKind::table:
        o["points"] = Json::array();
        for (const Pair& p : c.points) o["points"].push_back(fields(p));
        o["interpolation"] = c.interpolation.text();
        break;
      case CouplingKind::ratio: o["ratio"] = figures[0]; break;
      case CouplingKind::rack:
        o["radius"] = figures[0];
        if (c.flip) o["flip"] = true;
        break;
      case CouplingKind::screw: o["lead"] = figures[0]; break;
      case CouplingKind::belt:
        o[c.teeth ? "teeth" : "radii"] = figures;
        if (c.flip) o["crossed"] = true;
        if (!c.sides.empty()) o["sides"] = c.sides;
        break;
      case CouplingKind::formula:
      case CouplingKind::linear: break;
    }
    for (Id id : c.bodies)
      if (const auto b = findBody(m_, id)) o["bodies"].push_back(b->link->name + "/" + b->body->name);
    if (!c.enabled) o["enabled"] = false;
    return with(std::move(o), c.extra);
  }

  Json drive(const Drive& d) const {
    Json o{{"name", d.name}};
    if (d.gauge != 0)
      o["gauge"] = name(d.gauge);
    else
      o["value"] = name(d.value);
    if (d.shared != 0)
      o["programme"] = name(d.shared);
    else
      o["programme"] = rows(d.programme);
    From from(*this, o);
    describeDrive(from, d);
    return with(std::move(o), d.extra);
  }

  Json gauge(const Gauge& g) const {
    Json o{{"name", g.name}, {"kind", g.kind.text()}};
    if (g.kind == GaugeKind::formula) {
      o["formula"] = field(g.formula);
    } else if (g.of.size() == 1) {
      o["of"] = name(g.of[0]);
    } else if (!g.of.empty()) {
      o["of"] = Json::array();
      for (const Symbol& s : g.of) o["of"].push_back(name(s));
    }
    From from(*this, o);
    describeGauge(from, g);
    return with(std::move(o), g.extra);
  }

  Json path(const Path& p) const {
    Json o{{"name", p.name}};
    From from(*this, o);
    describePath(from, p);
    return with(std::move(o), p.extra);
  }

  Json requirement(const Requirement& r) const {
    Json o{{"name", r.name}};
    From from(*this, o);
    describeRequirement(from, r);
    return with(std::move(o), r.extra);
  }

  Json oneRun(const Run& r) const {
    Json o{{"name", r.name}};
    From from(*this, o);
    describeRun(from, r);
    return with(std::move(o), r.extra);
  }

  Json group(const Group& g) const {
    Json o{{"name", g.name}};
    if (!g.file.empty()) o["file"] = g.file;
    const auto put = [&](const char* key, const auto& objects) {
      for (const auto& member : g.members)
        if (const auto x = findById(objects, member.id)) o[key][x->name] = member.of;
    };
    for (const auto& member : g.members)
      if (const auto p = findById(m_.parameters, member.id))
        o["parameters"][p->name] = Json::array({member.of, member.value});
    put("links", m_.links);
    put("joints", m_.joints);
    put("couplings", m_.couplings);
    put("cam_pairs", m_.camPairs);
    put("contacts", m_.contacts);
    return with(std::move(o), g.extra);
  }
};

void print(const Json& j, int indent, std::string& out) {
  const std::string flat = j.dump(-1, ' ', false, Json::error_handler_t::replace);
  std::string spaced;
  bool quoted = false;
  for (std::size_t i = 0; i < flat.size(); ++i) {
    spaced += flat[i];
    if (quoted && flat[i] == '\\') {
      spaced += flat[++i];
      continue;
    }
    if (flat[i] == '"') quoted = !quoted;
    if (!quoted && (flat[i] == ',' || flat[i] == ':')) spaced += ' ';
  }
  const bool nested = j.is_structured() && !j.empty();
  if (!nested || (indent > 0 && spaced.size() + static_cast<std::size_t>(indent) <= kLine)) {
    out += spaced;
    return;
  }
  const std::string pad(static_cast<std::size_t>(indent) + 1, ' ');
  out += j.is_object() ? "{" : "[";
  bool first = true;
  for (const auto& [key, value] : j.items()) {
    out += first ? "\n" : ",\n";
    first = false;
    out += pad;
    if (j.is_object()) out += Json(key).dump() + ": ";
    print(value, indent + 1, out);
  }
  out += "\n" + std::string(static_cast<std::size_t>(indent), ' ') + (j.is_object() ? "}" : "]");
}

}  // namespace

std::string writeCoop(const Mechanism& mechanism) {
  std::string out;
  print(Writer(mechanism).run(), 0, out);
  return out + "\n";
}

}  // namespace cooperage::io
