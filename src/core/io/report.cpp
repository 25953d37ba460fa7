// SPDX-License-Identifier: GPL-3.0-or-later
#include "io/report.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/figure.h"

namespace cooperage::io {

using Json = nlohmann::ordered_json;

namespace {

Json number(double x) { return std::isfinite(x) ? Json(x) : Json(); }
Json triple(const Vec3& v) { return Json::array({number(v.x()), number(v.y()), number(v.z())}); }

Json messageList(const std::vector<Message>& messages) {
  Json list = Json::array();
  static const char* kSeverity[] = {"note", "warning", "error"};
  for (const Message& m : messages)
    list.push_back({{"severity", kSeverity[static_cast<int>(m.severity)]},
                    {"code", m.code},
                    {"objects", m.objects},
                    {"text", m.text}});
  return list;
}
std::string text(const Json& j) { return j.dump(1, ' ', false, Json::error_handler_t::replace) + "\n"; }
std::string nameOf(const model::Resolved& r, int link) { return r.links[static_cast<std::size_t>(link)].name; }

std::string escaped(const std::string& s) {
  std::string out;
  for (char c : s) switch (c) {
      case '&': out += "&amp;"; break;
      case '<': out += "&lt;"; break;
      case '>': out += "&gt;"; break;
      case '"': out += "&quot;"; break;
      default: out += c;
    }
  return out;
}

}  // namespace

std::string messagesJson(const std::vector<Message>& messages) { return text({{"messages", messageList(messages)}}); }

std::string overlapsJson(const std::vector<contact::Overlap>& overlaps, const Error& error) {
  Json list = Json::array();
  for (const auto& o : overlaps)
    list.push_back({{"severity", "error"},
                    {"code", error.code},
                    {"objects", {o.contact}},
                    {"text", error.text},
                    {"links", o.links},
                    {"depth", number(o.depth)}});
  return text({{"messages", std::move(list)}});
}

std::string infoJson(const kinematics::Mobility& m, const model::Resolved& resolved,
                     const std::vector<Message>& messages) {
  Json mass = Json::array();
  for (const auto& l : resolved.links) {
    Json o{{"link", l.name},
           {"mass", l.mass ? number(l.mass->value) : Json(0.0)},
           {"centre", Json()},
           {"inertia", Json()}};
    if (l.mass) {
      const Mat3& i = l.mass->inertia;
      o["centre"] = triple(l.mass->centre);
      o["inertia"] = {number(i(0, 0)), number(i(1, 1)), number(i(2, 2)),
                      number(i(0, 1)), number(i(0, 2)), number(i(1, 2))};
    }
    mass.push_back(std::move(o));
  }
  Json redundant = Json::array();
  for (const auto& r : m.redundantJoints) redundant.push_back({{"joint", r.joint}, {"rows", r.rows}, {"cure", r.cure}});
  return text({{"freedoms", m.freedoms},
               {"driven", m.driven},
               {"left", m.left},
               {"idle", m.idle},
               {"redundant", m.redundant},
               {"instantaneous", m.instantaneous},
               {"left_freedoms", m.leftFreedoms},
               {"by_contact", m.byContact},
               {"contact_freedoms", m.contactFreedoms},
               {"redundant_joints", redundant},
               {"mass", std::move(mass)},
               {"messages", messageList(messages)}});
}

std::string runJson(const kinematics::RunResult& result) {
  const DocumentUnits si{"m", "rad", "kg", "s", "N"};
  Json columns = Json::array(), rows = Json::array();
  for (const auto& c : result.columns) columns.push_back(c.head(si));
  for (const auto& r : result.rows) {
    Json row = Json::array();
    for (double x : r) row.push_back(number(x));
    rows.push_back(std::move(row));
  }
  Json j{{"completed", result.travel.completed},
         {"from", result.axis.empty() ? Json() : number(result.axis.front())},
         {"to", result.axis.empty() ? Json() : number(result.axis.back())}};
  if (result.travel.ended) {
    const auto& e = *result.travel.ended;
    j["ended"] = {{"kind", wordFor(e.kind)}, {"at", number(e.at)}, {"joint", e.joint}, {"gap", number(e.gap)}};
    if (!e.drives.empty()) {
      Json drives = Json::array();
      for (const auto& [drive, value] : e.drives)
        drives.push_back({{"drive", result.driveNames[static_cast<std::size_t>(drive)]}, {"value", number(value)}});
      j["ended"]["drives"] = std::move(drives);
    }
  } else {
    j["ended"] = Json();
  }
  if (result.travel.ended && result.travel.ended->jam) {
    Json sides = Json::array();
    for (const auto& s : result.travel.ended->jam->sides)
      sides.push_back({{"object", s.contact}, {"links", s.links}, {"point", triple(s.place)}});
    j["ended"]["jammed"] = std::move(sides);
  }
  Json marks = Json::array();
  for (const auto& m : result.travel.marks) {
    Json mark{{"code", m.code}, {"object", m.object}, {"from", number(m.from)}, {"to", number(m.to)}};
    if (!m.links.empty()) {
      mark["links"] = m.links;
      mark["point"] = triple(m.place);
      mark["gap"] = number(m.gap);
    }
    marks.push_back(std::move(mark));
  }
  j["marks"] = std::move(marks);
  j["columns"] = std::move(columns);
  j["rows"] = std::move(rows);
  j["messages"] = messageList(result.travel.messages);
  return text(j);
}

std::string checkJson(const clearance::CheckResult& c, const model::Resolved& r) {
  Json interference = Json::array(), clearances = Json::array(), requirements = Json::array(), stops = Json::array(),
       left = Json::array(), touching = Json::array(), play = Json::array(), unsure = Json::array();
  for (const auto& i : c.interference)
    interference.push_back({{"links", {nameOf(r, i.linkA), nameOf(r, i.linkB)}},
                            {"from", number(i.from)},
                            {"to", number(i.to)},
                            {"first", number(i.first)},
                            {"deepest",
                             {{"at", number(i.deepest.at)},
                              {"depth", number(i.deepest.depth)},
                              {"at_most", number(i.deepest.atMost)},
                              {"proven", i.deepest.proven},
                              {"point", triple(i.deepest.point)}}}});
  for (const auto& p : c.clearances)
    clearances.push_back({{"links", {nameOf(r, p.linkA), nameOf(r, p.linkB)}},
                          {"least", number(p.least)},
                          {"at", number(p.at)},
                          {"within", number(p.within)},
                          {"proven", p.proven}});
  for (const auto& q : c.requirements)
    requirements.push_back({{"name", q.name},
                            {"value", number(q.value)},
                            {"met", q.isBounded() ? Json(q.met) : Json()},
                            {"where", number(q.where)}});
  for (const auto& s : c.stops)
    stops.push_back({{"joint", s.joint},
                     {"value", s.value},
                     {"least", number(s.least)},
                     {"greatest", number(s.greatest)},
                     {"low", s.low ? number(*s.low) : Json()},
                     {"high", s.high ? number(*s.high) : Json()}});
  for (const auto& l : c.leftOut) left.push_back({{"links", {nameOf(r, l.linkA), nameOf(r, l.linkB)}}, {"why", l.why}});
  for (const auto& t : c.touching) touching.push_back({nameOf(r, t.first), nameOf(r, t.second)});
  for (const auto& t : c.withPlay) play.push_back({nameOf(r, t.first), nameOf(r, t.second)});
  for (const auto& t : c.unsure) unsure.push_back({nameOf(r, t.first), nameOf(r, t.second)});
  return text({{"interference", interference},
               {"clearances", clearances},
               {"requirements", requirements},
               {"stops", stops},
               {"touching", touching},
               {"with_play", play},
               {"within_accuracy", unsure},
               {"free", {{"pairs", c.pairsFree}, {"proven", c.pairsProven}, {"why_not", c.notProven}}},
               {"proven_share", number(c.provenShare)},
               {"accuracy", number(c.accuracy)},
               {"left_out", left},
               {"messages", messageList(c.messages)}});
}

std::string envelopeJson(const clearance::Envelope& e, bool outline) {
  return text({{"volume", number(e.volume)},
               {"bound", {number(e.low), number(e.high)}},
               {"box", {triple(e.boxLow), triple(e.boxHigh)}},
               {"outline_area", outline ? number(e.outlineArea) : Json()},
               {"error", number(e.error)},
               {"poses", e.poses}});
}

std::string checkJunit(const clearance::CheckResult& c, const model::Resolved& r, const kinematics::RunResult& run,
                       const DocumentUnits& units) {
  const auto figure = [&](double si, const Dimension& d) { return figureWithLabel(si, d, units); };
  const double span = run.axis.empty() ? 0 : std::abs(run.axis.back() - run.axis.front());
  const auto at = [&](double axis) { return figureWithLabel(axis, run.axisDimension, units, {span}); };
  const auto asked = [&](double bound, const Dimension& d) {  // as it was given, to the last digit
    const std::string label = units.label(d);
    return formatNumber(bound / units.factor(d), 12) + (label.empty() ? "" : " " + label);
  };
  std::size_t failures = c.interference.size(), skipped = 0;
  for (const auto& q : c.requirements) {
    failures += q.fails() ? 1 : 0;
    skipped += q.isBounded() ? 0 : 1;
  }
  std::string out = fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuite name=\"cooperage\" tests=\"{}\" failures=\"{}\" "
      "skipped=\"{}\">\n",
      c.requirements.size() + std::max<std::size_t>(1, c.interference.size()), failures, skipped);
  if (c.interference.empty()) out += "  <testcase classname=\"interference\" name=\"no links overlap\"/>\n";
  for (const auto& i : c.interference)
    out += fmt::format(
        "  <testcase classname=\"interference\" name=\"{} - {}\"><failure message=\"overlap from {} to {}, {} "
        "deep at {}\"/></testcase>\n",
        escaped(nameOf(r, i.linkA)), escaped(nameOf(r, i.linkB)), at(i.from), at(i.to),
        figureWithLabel(i.deepest.depth, dimension::kLength, units, {0, c.accuracy}), at(i.deepest.at));
  for (const auto& q : c.requirements) {
    out += fmt::format("  <testcase classname=\"requirement\" name=\"{}\"", escaped(q.name));
    if (!q.isBounded()) {
      out += "><skipped message=\"no bound\"/></testcase>\n";
      continue;
    }
    std::string bound;
    if (q.min) bound = "at least " + asked(*q.min, q.dimension);
    if (q.max) bound += (bound.empty() ? "at most " : ", at most ") + asked(*q.max, q.dimension);
    out += q.met ? "/>\n"
                 : fmt::format("><failure message=\"{} at {}; asked for: {}\"/></testcase>\n",
                               std::isfinite(q.value) ? figure(q.value, q.dimension) : "no value", at(q.where), bound);
  }
  return out + "</testsuite>\n";
}

}  // namespace cooperage::io
