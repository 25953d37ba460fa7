// SPDX-License-Identifier: GPL-3.0-or-later
#include "commands.h"

#include <fmt/format.h>

#include <csignal>
#include <filesystem>

#include "clearance/envelope.h"
#include "clearance/travel_check.h"
#include "io/mesh_files.h"
#include "io/coop_file.h"
#include "io/report.h"
#include "io/xlsx.h"
#include "model/edits.h"
#include "shape/refresh.h"
#include "shape/surface.h"

namespace cooperage::cli {
namespace {

volatile std::sig_atomic_t interrupted = 0;

/// Ctrl+C cancels cleanly.
class Interrupt : public Progress {
 public:
  Interrupt() {
    std::signal(SIGINT, [](int) { interrupted = 1; });
    std::signal(SIGTERM, [](int) { interrupted = 1; });
  }
  bool cancelled() const override { return interrupted != 0; }
};

constexpr int kDone = 0, kNotMet = 1, kUnusable = 2, kCancelled = 3;

/// What doesn't arrive (a full disk, a closed pipe) is told by finish().
void print(const std::string& text) { std::fwrite(text.data(), 1, text.size(), stdout); }
void say(const Message& m) {
  if (m.severity != Severity::note)
    fmt::print(stderr, "{}: {}\n", m.severity == Severity::error ? "error" : "warning", m.text);
}
void say(const std::vector<Message>& messages) {
  for (const Message& m : messages) say(m);
}

/// Ends a command that was cancelled: with a word, and with JSON where that was asked for.
int cancelledBy(bool json) {
  fmt::print(stderr, "cancelled\n");
  if (json) print(io::messagesJson({{Severity::error, "cancelled", {}, "cancelled"}}));
  return kCancelled;
}

/// Refuses to write over what is read.
Status notOver(const std::string& input, const std::string& output) {
  std::error_code none;
  if (output.empty() || output == "-" || !std::filesystem::equivalent(input, output, none)) return Done{};
  return Error{"output", output,
               fmt::format("{}: is read by this command and would be overwritten; give another name", output)};
}

int refuse(const Error& e, bool json) {
  if (e.cancelled) return cancelledBy(json);
  const Message m{Severity::error, e.code,
                  e.object.empty() ? std::vector<std::string>{} : std::vector<std::string>{e.object}, e.text};
  say(m);
  if (json) print(io::messagesJson({m}));
  return kUnusable;
}

/// A document made ready for a run.
struct Job {
  model::Mechanism mechanism;
  std::unique_ptr<kinematics::TravelRun> travel;
};

Result<model::Mechanism> load(const Common& c) {
  auto m = io::loadCoop(c.file);
  if (!m.ok()) return m;
  auto set = model::withParameters(*m, c.set);
  if (c.set.empty() || !set.ok()) return set;
  // what can't be worked out is said by whoever works it out next
  const auto before = model::resolve(*m), after = model::resolve(*set);
  if (!before.ok() || !after.ok()) return set;
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  return shape::withSeatsOfElements(*m, *before, *set, *after, store);
}

/// The run of that name, the first one without a name; a document without runs gets one that stands at home.
Result<Job> prepare(const Common& c, bool needRun) {
  auto m = load(c);
  if (!m.ok()) return m.error();
  Job job{std::move(m).value(), nullptr};
  if (job.mechanism.runs.empty()) {
    if (const auto usable = model::resolve(job.mechanism); !usable.ok()) return usable.error();
    if (needRun) return Error{"run", "", fmt::format("{}: holds no run; add one under \"runs\"", c.file)};
    auto r = std::make_shared<model::Run>();
    r->id = model::newId();
    r->name = "home";
    r->duration = model::Field(1);
    r->steps = 1;
    job.mechanism.runs.push_back(r);
  }
  auto read = model::resolve(job.mechanism);
  if (!read.ok()) return read.error();
  model::Resolved resolved = std::move(read).value();
  int index = c.run.empty() ? 0 : -1;
  for (std::size_t i = 0; i < resolved.runs.size(); ++i)
    if (resolved.runs[i].name == c.run) index = static_cast<int>(i);
  if (index < 0) return Error{"run", c.run, fmt::format("there is no run '{}'", c.run)};
  if (!needRun) {  // a count of freedoms asks nothing of the drives: only the home pose must close
    for (auto& r : resolved.runs) r.drives.clear();
  }
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  Error unread;
  const Status surfaces = shape::attachGeometry(resolved, [&](const auto& link, const auto& body) {
    auto solid = store.body(body, link.name);
    if (!solid.ok()) unread = solid.error();
    return solid.ok() ? *solid : nullptr;
  });
  if (!surfaces.ok()) return surfaces.error();
  if (!unread.text.empty()) return unread;
  auto travel = kinematics::TravelRun::prepare(resolved, index);
  if (!travel.ok()) return travel.error();
  job.travel = std::move(travel).value();
  return job;
}

std::vector<Message> messagesOf(const Job& job) { return job.travel->resolved().messages; }

bool asksForClearance(const model::Resolved& r) {
  return std::any_of(r.gauges.begin(), r.gauges.end(), [](const auto& g) { return g.kind == "clearance"; });
}

}  // namespace

int info(const Common& c) {
  auto job = prepare(c, false);
  if (!job.ok()) return refuse(job.error(), c.json);
  const auto& m = job->travel->mobility();
  std::vector<Message> messages = messagesOf(*job);
  for (const Message& x : m.messages) messages.push_back(x);
  for (const auto& d : m.stuckDrives)
    messages.push_back({Severity::warning, "stuck-drive", {d}, fmt::format("drive {}: its joint cannot move", d)});
  for (const auto& d : m.redundantDrives)
    messages.push_back({Severity::warning,
                        "redundant-drive",
                        {d},
                        fmt::format("drive {}: its joint is driven already by the others", d)});
  say(messages);
  if (c.json) {
    print(io::infoJson(m, messages));
    return kDone;
  }
  std::string out = fmt::format(
      "freedoms       {}\ndriven         {}\nleft           {}\nidle           {}\nredundant      {}\ninstantaneous  "
      "{}\n",
      m.freedoms, m.driven, m.left, m.idle, m.redundant, m.instantaneous);
  for (const auto& f : m.leftFreedoms) out += "left: " + f + "\n";
  for (const auto& r : m.redundantJoints) out += fmt::format("redundant: {}: could be {}\n", r.joint, r.cure);
  print(out);
  return kDone;
}

int run(const Common& c, const std::string& table) {
  Interrupt interrupt;
  if (const Status s = notOver(c.file, table); !s.ok()) return refuse(s.error(), c.json);
  auto job = prepare(c, true);
  if (!job.ok()) return refuse(job.error(), c.json);
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  clearance::GeometryCache cache;
  kinematics::ClearanceAt clearanceAt;
  kinematics::ClearanceAlong clearanceAlong;
  std::optional<clearance::CheckGeometry> geometry;
  if (asksForClearance(job->travel->resolved()) || job->travel->settings().stopAtContact) {
    int index = 0;
    for (std::size_t i = 0; i < job->travel->resolved().runs.size(); ++i)
      if (job->travel->resolved().runs[i].id == job->travel->settings().id) index = static_cast<int>(i);
    auto g =
        clearance::geometryFor(job->travel->resolved(), index, store, cache, &interrupt, clearance::Need::measures);
    if (!g.ok()) return refuse(g.error(), c.json);
    geometry = std::move(g).value();
    clearanceAt = clearance::clearanceWith(*geometry);
    clearanceAlong = clearance::clearanceAlong(*geometry);
  }
  kinematics::Measurer measurer(*job->travel, clearanceAt, clearanceAlong);
  auto result = kinematics::tabulate(*job->travel, measurer, &interrupt);
  if (geometry) clearance::stopAtContact(*job->travel, measurer, *geometry, result, &interrupt);
  say(messagesOf(*job));
  say(result.travel.messages);
  if (result.travel.cancelled || interrupt.cancelled()) return cancelledBy(c.json);
  if (!table.empty()) {
    const bool workbook = table.size() > 5 && table.compare(table.size() - 5, 5, ".xlsx") == 0;
    const std::string csv = workbook ? std::string() : io::tableCsv(result, job->mechanism.units);
    if (table == "-") {
      print(csv);
    } else if (workbook) {
      if (const Status s = io::saveXlsx(result, job->mechanism.units, {}, job->travel->settings().name, table); !s.ok())
        return refuse(s.error(), c.json);
    } else if (const Status s = io::writeFile(table, csv); !s.ok()) {
      return refuse(s.error(), c.json);
    }
  }
  if (c.json) print(io::runJson(result));
  return result.travel.completed ? kDone : kNotMet;
}

int check(const Common& c, const std::string& junit) {
  Interrupt interrupt;
  if (const Status s = notOver(c.file, junit); !s.ok()) return refuse(s.error(), c.json);
  auto job = prepare(c, true);
  if (!job.ok()) return refuse(job.error(), c.json);
  const auto& r = job->travel->resolved();
  int index = 0;
  for (std::size_t i = 0; i < r.runs.size(); ++i)
    if (r.runs[i].id == job->travel->settings().id) index = static_cast<int>(i);
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  clearance::GeometryCache cache;
  auto geometry = clearance::geometryFor(r, index, store, cache, &interrupt);
  if (!geometry.ok()) return refuse(geometry.error(), c.json);
  kinematics::Measurer measurer(*job->travel, clearance::clearanceWith(*geometry),
                                clearance::clearanceAlong(*geometry));
  auto result = kinematics::tabulate(*job->travel, measurer, &interrupt);
  if (result.travel.cancelled) return cancelledBy(c.json);
  clearance::stopAtContact(*job->travel, measurer, *geometry, result, &interrupt);
  const auto checked = clearance::checkTravel(*job->travel, measurer, result, *geometry, &interrupt);
  if (checked.cancelled || interrupt.cancelled()) return cancelledBy(c.json);
  say(messagesOf(*job));
  say(checked.messages);
  const auto& units = job->mechanism.units;
  const double axis = units.factor(result.axisDimension), mm = units.factor(dimension::kLength);
  const std::string axisUnit = units.label(result.axisDimension);
  bool met = result.travel.completed;
  std::string report;
  for (const auto& i : checked.interference) {
    met = false;
    const auto &a = r.links[static_cast<std::size_t>(i.linkA)].name,
               &b = r.links[static_cast<std::size_t>(i.linkB)].name;
    report += fmt::format(
        "interference: {} - {}: {:.6g} to {:.6g} {}, deepest {:.4g} {} at {:.6g} {}{}\n", a, b, i.from / axis,
        i.to / axis, axisUnit, i.deepest.depth / mm, units.length, i.deepest.at / axis, axisUnit,
        i.deepest.atMost > i.deepest.depth + checked.accuracy && i.deepest.atMost > 1.02 * i.deepest.depth
            ? fmt::format(" ({} {:.4g} {})", i.deepest.proven ? "at most" : "checked to", i.deepest.atMost / mm,
                          units.length)
            : "");
  }
  for (const auto& [a, b] : checked.unsure) {  // whether they overlap isn't known: that is not "none"
    met = false;
    report += fmt::format(
        "within the accuracy: {} - {}: they come nearer than can be told at {:.3g} {}; ask for a finer "
        "accuracy\n",
        r.links[static_cast<std::size_t>(a)].name, r.links[static_cast<std::size_t>(b)].name, checked.accuracy / mm,
        units.length);
  }
  for (const auto& q : checked.requirements) {
    met = met && !q.fails();
    report += fmt::format("requirement: {}: {:.8g} {}: {}\n", q.name, q.value / units.factor(q.dimension),
                          units.label(q.dimension),
                          !q.isBounded() ? "no bound"
                          : q.met        ? "met"
                                         : "not met");
  }
  report += fmt::format(
      "{} pairs free ({} of them proven between the steps too), {} touching, {} joined with play, {} nearer than the "
      "accuracy, {} left out; "
      "true to {:.3g} {}\n",
      checked.pairsFree, checked.pairsProven, checked.touching.size(), checked.withPlay.size(), checked.unsure.size(),
      checked.leftOut.size(), checked.accuracy / mm, units.length);
  if (!checked.notProven.empty()) report += fmt::format("only checked, not proven: {}\n", checked.notProven);
  for (const auto& l : checked.leftOut)
    report += fmt::format("left out: {} - {}: {}\n", r.links[static_cast<std::size_t>(l.linkA)].name,
                          r.links[static_cast<std::size_t>(l.linkB)].name, l.why);
  if (!junit.empty())
    if (const Status s = io::writeFile(junit, io::checkJunit(checked, r, result, units)); !s.ok())
      return refuse(s.error(), c.json);
  if (c.json)
    print(io::checkJson(checked, r));
  else
    fmt::print(stderr, "{}", report);
  return met ? kDone : kNotMet;
}

int envelope(const Common& c, const EnvelopeArguments& a) {
  Interrupt interrupt;
  if (const Status s = notOver(c.file, a.out); !s.ok()) return refuse(s.error(), c.json);
  auto job = prepare(c, true);
  if (!job.ok()) return refuse(job.error(), c.json);
  const auto& r = job->travel->resolved();
  clearance::EnvelopeOptions options;
  const auto link = [&](const std::string& name) {
    for (std::size_t i = 0; i < r.links.size(); ++i)
      if (r.links[i].name == name) return static_cast<int>(i);
    return -1;
  };
  for (std::size_t from = 0; from <= a.links.size();) {
    const std::size_t comma = std::min(a.links.find(',', from), a.links.size());
    const std::string name = a.links.substr(from, comma - from);
    const int index = link(name);
    if (index < 0) return refuse({"link", name, fmt::format("there is no link '{}'", name)}, c.json);
    options.links.push_back(index);
    from = comma + 1;
  }
  if (!a.in.empty() && a.in != "ground" && (options.in = link(a.in)) < 0)
    return refuse({"link", a.in, fmt::format("there is no link '{}'", a.in)}, c.json);
  const auto length = [&](const std::string& text, double& into) -> Status {
    if (text.empty()) return Done{};
    const auto f = model::parseField(job->mechanism, text);
    if (!f.ok()) return f.error();
    const auto v = model::evaluateField(job->mechanism, *f, dimension::kLength);
    if (!v.ok()) return v.error();
    if (!(*v >= 0)) return Error{"figure", text, fmt::format("'{}' should not be negative", text)};
    into = *v;
    return Done{};
  };
  if (const Status s = length(a.clearance, options.clearance); !s.ok()) return refuse(s.error(), c.json);
  if (const Status s = length(a.accuracy, options.accuracy); !s.ok()) return refuse(s.error(), c.json);
  if (!a.outline.empty()) options.outlineAxis = static_cast<int>(std::string("xyz").find(a.outline));
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  kinematics::Measurer measurer(*job->travel);
  const auto travel = job->travel->run(&interrupt);
  if (travel.cancelled) return cancelledBy(c.json);
  say(travel.messages);
  options.told = [](const clearance::EnvelopeEstimate& ahead) {
    fmt::print(stderr, "{} poses, true to {:.3g} mm: about {:.0f} MB and {:.0f} s\n", ahead.poses, ahead.accuracy * 1e3,
               ahead.bytes / 1e6, std::max(1.0, ahead.seconds));
  };
  if (a.anyway) options.mostSeconds = 1e300;
  const auto e = clearance::sweep(*job->travel, measurer, travel, store, options, &interrupt);
  if (!e.ok()) return refuse(e.error(), c.json);
  if (const Status s = io::writeSwept(e->mesh, e->light, options.outlineAxis, e->voxel / 8, a.links, a.out); !s.ok())
    return refuse(s.error(), c.json);
  if (c.json)
    print(io::envelopeJson(*e, options.outlineAxis >= 0));
  else
    fmt::print(stderr, "volume {:.6g} cm^3, between {:.6g} and {:.6g}; surface true to {:.3g} mm; {} poses\n",
               e->volume * 1e6, e->low * 1e6, e->high * 1e6, e->error * 1e3, e->poses);
  return travel.completed ? kDone : kNotMet;
}

int importStep(const std::string& in, const std::string& out, bool json) {
  if (const Status s = notOver(in, out); !s.ok()) return refuse(s.error(), json);
  const auto solids = shape::readGeometry(in);
  if (!solids.ok()) return refuse(solids.error(), json);
  model::Mechanism m;
  m.title = std::filesystem::path(in).stem().string();
  const auto folder = std::filesystem::absolute(out).parent_path();
  std::error_code ec;
  auto relative = std::filesystem::relative(std::filesystem::absolute(in), folder, ec);
  if (ec || relative.empty()) relative = std::filesystem::absolute(in);
  int index = 0;
  for (const auto& solid : *solids) {
    model::Link link;
    link.name = solid->name.empty() ? "part" : solid->name;
    model::Body body;
    body.id = model::newId();
    body.name = link.name;
    body.kind = model::BodyKind::file;
    body.file = relative.generic_string();
    body.solid = index++;
    body.colour = solid->colour;
    for (char& ch : body.name)
      if (ch == '/') ch = '-';
    link.bodies.push_back(std::make_shared<const model::Body>(body));
    m = model::addLink(m, std::move(link));
  }
  if (const Status s = io::saveCoop(m, out); !s.ok()) return refuse(s.error(), json);
  return kDone;
}

int exportStep(const Common& c, const std::string& at, const std::string& out) {
  if (const Status s = notOver(c.file, out); !s.ok()) return refuse(s.error(), c.json);
  auto job = prepare(c, !at.empty());
  if (!job.ok()) return refuse(job.error(), c.json);
  shape::ShapeStore store;
  store.setFolder(std::filesystem::absolute(c.file).parent_path());
  kinematics::Measurer measurer(*job->travel);
  kinematics::TravelStep step{0, job->travel->home().configuration, {}, {}};
  if (!at.empty()) {
    const auto f = model::parseField(job->mechanism, at);
    if (!f.ok()) return refuse(f.error(), c.json);
    Dimension d = dimension::kTime;
    const auto& r = job->travel->resolved();
    if (job->travel->settings().axis >= 0) {
      d = r.drives[static_cast<std::size_t>(job->travel->settings().axis)].dimension;
    }
    const auto v = model::evaluateField(job->mechanism, *f, d);
    if (!v.ok()) return refuse(v.error(), c.json);
    const auto travel = job->travel->run();
    say(travel.messages);
    if (!job->travel->poseAt(travel, job->travel->timeOf(*v), step))
      return refuse({"at", at, fmt::format("the pose at {} can't be reached", at)}, c.json);
  }
  std::vector<Pose> poses;
  measurer.linkPoses(step, poses);
  std::vector<shape::StepPart> parts;
  const auto& r = job->travel->resolved();
  for (std::size_t i = 0; i < r.links.size(); ++i)
    for (std::size_t b = 0; b < r.links[i].bodies.size(); ++b) {
      const auto& body = r.links[i].bodies[b];
      auto solid = store.body(body, r.links[i].name);
      if (!solid.ok()) return refuse(solid.error(), c.json);
      const auto& source = *job->mechanism.links[i]->bodies[b];
      parts.push_back({(*solid)->shape, r.links[i].name + (r.links[i].bodies.size() > 1 ? " " + body.name : ""),
                       source.colour ? source.colour : (*solid)->colour, poses[i] * body.placement});
    }
  if (parts.empty()) return refuse({"export", "", "the mechanism has no bodies to export"}, c.json);
  const std::string title = job->mechanism.title.empty() ? "mechanism" : job->mechanism.title;
  if (const Status s = shape::writeStep(parts, title, out); !s.ok()) return refuse(s.error(), c.json);
  return kDone;
}

int finish(int code) {
  const bool failed = std::fflush(stdout) != 0 || std::ferror(stdout) != 0;
  if (!failed) return code;
  fmt::print(stderr, "error: the result can't be written to standard output: the disk is full, or nobody reads it\n");
  return code == kDone || code == kNotMet ? kCancelled : code;
}

int solids(const std::string& in, const std::string& out) {
  if (const Status s = notOver(in, out); !s.ok()) return refuse(s.error(), false);
  const auto read = shape::readGeometry(in);
  if (!read.ok()) {
    fmt::print(stderr, "{}\n", read.error().text);
    return kUnusable;
  }
  const Status s = shape::writeSolids(*read, out);
  if (!s.ok()) fmt::print(stderr, "{}\n", s.error().text);
  return s.ok() ? kDone : kUnusable;
}

}  // namespace cooperage::cli
