// SPDX-License-Identifier: GPL-3.0-or-later
#include "commands.h"

#include <fmt/format.h>

#include <csignal>
#include <filesystem>

#include "base/figure.h"
#include "clearance/envelope.h"
#include "clearance/travel_check.h"
#include "io/mesh_files.h"
#include "io/coop_file.h"
#include "io/report.h"
#include "io/xlsx.h"
#include "model/edits.h"
#include "model/sheet_edits.h"
#include "shape/refresh.h"
#include "study/studies.h"

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
  explicit Job(const std::string& file) { store.setFolder(std::filesystem::absolute(file).parent_path()); }
  study::PreparedPtr prepared;
  int run = 0;
  shape::ShapeStore store;
  clearance::GeometryCache cache;

  const model::Resolved& resolved() const { return *prepared->resolved; }
  const DocumentUnits& units() const { return prepared->mechanism->units; }
  study::Tools tools(Progress* progress) { return {store, cache, progress}; }
};
using JobPtr = std::unique_ptr<Job>;

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

/// With the run of that name, the first one without a name; a document without runs gets one that stands at home.
/// @param needRun a run will be computed; else only freedoms are counted, which asks nothing of the drives
Result<JobPtr> prepare(const Common& c, bool needRun) {
  auto m = load(c);
  if (!m.ok()) return m.error();
  if (m->runs.empty()) {
    if (const auto usable = model::resolve(*m); !usable.ok()) return usable.error();
    if (needRun) return Error{"run", "", fmt::format("{}: holds no run; add one under \"runs\"", c.file)};
    auto r = std::make_shared<model::Run>();
    r->id = model::newId();
    r->name = "home";
    r->duration = model::Field(1);
    r->steps = 1;
    m->runs.push_back(r);
  }
  auto resolved = model::resolve(*m);
  if (!resolved.ok()) return resolved.error();
  auto job = std::make_unique<Job>(c.file);
  job->run = study::runNamed(*resolved, c.run);
  if (job->run < 0) return Error{"run", c.run, fmt::format("there is no run '{}'", c.run)};
  if (!needRun)
    for (auto& r : resolved->runs) r.drives.clear();
  Error unread;
  job->prepared =
      study::prepare(std::make_shared<const model::Mechanism>(std::move(m).value()), std::move(resolved).value(),
                     needRun ? job->run : -1, [&](const auto& link, const auto& body) {
                       auto solid = job->store.body(body, link.name);
                       if (!solid.ok()) unread = solid.error();
                       return solid.ok() ? *solid : nullptr;
                     });
  if (!unread.text.empty()) return unread;
  return job;
}

}  // namespace

/// What keeps a run from starting; overlaps of contacts' links with their links and depths.
static int refuseRun(const JobPtr& job, const Error& error, bool json) {
  const auto& overlaps = job->prepared->overlaps;
  if (error.code != "overlap-at-home" || overlaps.empty()) return refuse(error, json);
  if (json) print(io::overlapsJson(overlaps, error));
  return refuse(error, false);
}

int info(const Common& c) {
  auto job = prepare(c, false);
  if (!job.ok()) return refuse(job.error(), c.json);
  // what the run switches off counts for nothing
  const auto travel = study::runOf((*job)->prepared, (*job)->run);
  if (!travel.ok()) return refuseRun(*job, travel.error(), c.json);
  const auto& m = (*travel)->mobility();
  std::vector<Message> messages = (*job)->resolved().messages;
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
    print(io::infoJson(m, (*job)->resolved(), messages));
    return kDone;
  }
  std::string out = fmt::format(
      "freedoms       {}\ndriven         {}\nleft           {}\nidle           {}\nredundant      {}\ninstantaneous  "
      "{}\n",
      m.freedoms, m.driven, m.left, m.idle, m.redundant, m.instantaneous);
  if (m.byContact > 0) out += fmt::format("by contact     {}\n", m.byContact);
  for (const auto& f : m.leftFreedoms) out += "left: " + f + "\n";
  for (const auto& f : m.contactFreedoms) out += "moved by contact: " + f + "\n";
  for (const auto& r : m.redundantJoints) out += fmt::format("redundant: {}: could be {}\n", r.joint, r.cure);
  print(out);
  return kDone;
}

int run(const Common& c, const std::string& table) {
  Interrupt interrupt;
  if (const Status s = notOver(c.file, table); !s.ok()) return refuse(s.error(), c.json);
  auto job = prepare(c, true);
  if (!job.ok()) return refuse(job.error(), c.json);
  auto done = study::runStudy((*job)->prepared, (*job)->run, (*job)->tools(&interrupt));
  if (!done.ok()) return refuseRun(*job, done.error(), c.json);
  const auto& result = done->result;
  say((*job)->resolved().messages);
  say(result.travel.messages);
  if (result.travel.cancelled || interrupt.cancelled()) return cancelledBy(c.json);
  if (!table.empty()) {
    const bool workbook = table.size() > 5 && table.compare(table.size() - 5, 5, ".xlsx") == 0;
    const std::string csv = workbook ? std::string() : io::tableCsv(result, (*job)->units());
    if (table == "-") {
      print(csv);
    } else if (workbook) {
      if (const Status s = io::saveXlsx(result, (*job)->units(), {}, done->travel->settings().name, table); !s.ok())
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
  const auto& r = (*job)->resolved();
  auto done = study::runStudy((*job)->prepared, (*job)->run, (*job)->tools(&interrupt));
  if (!done.ok()) return refuse(done.error(), c.json);
  if (done->result.travel.cancelled) return cancelledBy(c.json);
  const auto found = study::checkStudy(done.value(), (*job)->tools(&interrupt));
  if (!found.ok()) return refuse(found.error(), c.json);
  const auto& checked = *found;
  const auto& result = done->result;
  if (checked.cancelled || interrupt.cancelled()) return cancelledBy(c.json);
  say(r.messages);
  say(checked.messages);
  const auto& units = (*job)->units();
  const double span = result.axis.empty() ? 0 : std::abs(result.axis.back() - result.axis.front());
  const auto place = [&](double x) { return figureWithLabel(x, result.axisDimension, units, {span}); };
  const auto length = [&](double v, double accuracy) {
    return figureWithLabel(v, dimension::kLength, units, {0, accuracy});
  };
  bool met = result.travel.completed;
  std::string report;
  for (const auto& i : checked.interference) {
    met = false;
    const std::string& a = r.links[static_cast<std::size_t>(i.linkA)].name;
    const std::string& b = r.links[static_cast<std::size_t>(i.linkB)].name;
    report +=
        fmt::format("interference: {} - {}: {} to {}, deepest {} at {}{}\n", a, b, place(i.from), place(i.to),
                    length(i.deepest.depth, checked.accuracy), place(i.deepest.at),
                    i.deepest.atMost > i.deepest.depth + checked.accuracy && i.deepest.atMost > 1.02 * i.deepest.depth
                        ? fmt::format(" ({} {})", i.deepest.proven ? "at most" : "checked to",
                                      length(i.deepest.atMost, checked.accuracy))
                        : "");
  }
  for (const auto& [a, b] : checked.unsure) {  // whether they overlap isn't known: that is not "none"
    met = false;
    report += fmt::format(
        "within the accuracy: {} - {}: they come nearer than can be told at {}; ask for a finer "
        "accuracy\n",
        r.links[static_cast<std::size_t>(a)].name, r.links[static_cast<std::size_t>(b)].name,
        length(checked.accuracy, checked.accuracy / 5));
  }
  for (const auto& q : checked.requirements) {
    met = met && !q.fails();
    report += fmt::format("requirement: {}: {}: {}\n", q.name, figureWithLabel(q.value, q.dimension, units),
                          !q.isBounded() ? "no bound"
                          : q.met        ? "met"
                                         : "not met");
  }
  report += fmt::format(
      "{} pairs free ({} of them proven between the steps too), {} touching, {} joined with play, {} nearer than the "
      "accuracy, {} left out; "
      "accuracy {}\n",
      checked.pairsFree, checked.pairsProven, checked.touching.size(), checked.withPlay.size(), checked.unsure.size(),
      checked.leftOut.size(), length(checked.accuracy, checked.accuracy / 5));
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
  const auto& r = (*job)->resolved();
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
    const auto f = model::parseField(*(*job)->prepared->mechanism, text);
    if (!f.ok()) return f.error();
    const auto v = model::evaluateField(*(*job)->prepared->mechanism, *f, dimension::kLength);
    if (!v.ok()) return v.error();
    if (!(*v >= 0)) return Error{"figure", text, fmt::format("'{}' should not be negative", text)};
    into = *v;
    return Done{};
  };
  if (const Status s = length(a.clearance, options.clearance); !s.ok()) return refuse(s.error(), c.json);
  if (const Status s = length(a.accuracy, options.accuracy); !s.ok()) return refuse(s.error(), c.json);
  if (!a.outline.empty()) options.outlineAxis = static_cast<int>(std::string("xyz").find(a.outline));
  options.told = [](const clearance::EnvelopeEstimate& ahead) {
    fmt::print(stderr, "{} poses, accuracy {:.3g} mm: about {:.0f} MB and {:.0f} s\n", ahead.poses,
               ahead.accuracy * 1e3, ahead.bytes / 1e6, std::max(1.0, ahead.seconds));
  };
  if (a.anyway) options.mostSeconds = 1e300;
  const auto done = study::envelopeStudy((*job)->prepared, (*job)->run, (*job)->tools(&interrupt), options, false);
  if (!done.ok()) return refuse(done.error(), c.json);
  if (done->travel.cancelled) return cancelledBy(c.json);
  const auto* e = &done->envelope;
  say(done->travel.messages);
  if (const Status s = io::writeSwept(e->mesh, e->light, options.outlineAxis, e->voxel / 8, a.links, a.out); !s.ok())
    return refuse(s.error(), c.json);
  if (c.json)
    print(io::envelopeJson(*e, options.outlineAxis >= 0));
  else
    fmt::print(stderr, "volume {:.6g} cm^3, between {:.6g} and {:.6g}; accuracy of the surface {:.3g} mm; {} poses\n",
               e->volume * 1e6, e->low * 1e6, e->high * 1e6, e->error * 1e3, e->poses);
  return done->travel.completed ? kDone : kNotMet;
}

/// A drawing onto sheets, one a layer.
int importDrawing(const std::string& in, const std::string& out, const std::string& file, bool json) {
  Interrupt interrupt;
  const auto bytes = io::readFile(in);
  if (!bytes.ok()) return refuse(bytes.error(), json);
  const auto read = drawing::readDrawing(*bytes, std::filesystem::path(in).filename().string(), &interrupt);
  if (!read.ok()) return refuse(read.error(), json);
  std::vector<Message> messages;
  for (const auto& r : read->remarks) messages.push_back({Severity::warning, "drawing", {in}, in + ": " + r});
  for (const auto& [kind, count] : read->leftOut)
    messages.push_back({Severity::note, "left-out", {in}, fmt::format("{}: left out: {} {}", in, count, kind)});
  if (read->unit == 0)
    messages.push_back({Severity::warning, "unit", {in}, in + ": names no unit; its figures are taken as mm"});
  const double unit = read->unit == 0 ? 1e-3 : read->unit, size = read->box().size().norm();
  const auto joined = drawing::withEndsMerged(drawing::withoutAnnotations(*read), 1e-6 * size, 1e-4 * size);
  for (const auto& f : joined.findings) {
    const char* what = f.kind == drawing::Finding::Kind::gap     ? "a gap"
                       : f.kind == drawing::Finding::Kind::twice ? "drawn twice"
                                                                 : "a piece of no length, left out,";
    messages.push_back(
        {Severity::warning, "drawing", {in}, fmt::format("{}: {} at ({:.6g}, {:.6g})", in, what, f.at.x(), f.at.y())});
  }
  model::Mechanism m;
  m.title = std::filesystem::path(in).stem().string();
  model::Sheet plane;
  plane.name = m.title;
  plane.file = file;
  if (read->unit == 0) plane.unit = "mm";
  plane.merge = model::Field(1e-6 * size * unit / m.units.factor(dimension::kLength));
  m = model::withDrawing(m, drawing::scaled(joined.drawing, unit), plane, true).first;
  if (const Status s = io::saveCoop(m, out); !s.ok()) return refuse(s.error(), json);
  say(messages);
  if (json) print(io::messagesJson(messages));
  return kDone;
}

int importStep(const std::string& in, const std::string& out, bool json) {
  if (const Status s = notOver(in, out); !s.ok()) return refuse(s.error(), json);
  std::string suffix = std::filesystem::path(in).extension().string();
  for (char& c : suffix) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  if (suffix == ".dxf" || suffix == ".svg") {
    std::error_code none;
    const auto beside =
        std::filesystem::relative(std::filesystem::absolute(in), std::filesystem::absolute(out).parent_path(), none);
    return importDrawing(
        in, out, none || beside.empty() ? std::filesystem::absolute(in).generic_string() : beside.generic_string(),
        json);
  }
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
  const auto ready = study::runOf((*job)->prepared, (*job)->run);
  if (!ready.ok()) return refuse(ready.error(), c.json);
  kinematics::TravelRun& run = **ready;
  const model::Mechanism& m = *(*job)->prepared->mechanism;
  const auto& r = run.resolved();
  kinematics::Measurer measurer(run);
  kinematics::TravelStep step{0, run.home().configuration, {}, {}};
  if (!at.empty()) {
    const auto f = model::parseField(m, at);
    if (!f.ok()) return refuse(f.error(), c.json);
    Dimension d = dimension::kTime;
    if (run.settings().axis >= 0) d = r.drives[static_cast<std::size_t>(run.settings().axis)].dimension;
    const auto v = model::evaluateField(m, *f, d);
    if (!v.ok()) return refuse(v.error(), c.json);
    const auto travel = run.run();
    say(travel.messages);
    if (!run.poseAt(travel, run.timeOf(*v), step))
      return refuse({"at", at, fmt::format("the pose at {} can't be reached", at)}, c.json);
  }
  std::vector<Pose> poses;
  measurer.linkPoses(step, poses);
  std::vector<shape::StepPart> parts;
  for (std::size_t i = 0; i < r.links.size(); ++i)
    for (std::size_t b = 0; b < r.links[i].bodies.size(); ++b) {
      const auto& body = r.links[i].bodies[b];
      auto solid = (*job)->store.body(body, r.links[i].name);
      if (!solid.ok()) return refuse(solid.error(), c.json);
      const auto& source = *m.links[i]->bodies[b];
      parts.push_back({(*solid)->shape, r.links[i].name + (r.links[i].bodies.size() > 1 ? " " + body.name : ""),
                       source.colour ? source.colour : (*solid)->colour, poses[i] * body.placement});
    }
  if (parts.empty()) return refuse({"export", "", "the mechanism has no bodies to export"}, c.json);
  const std::string title = m.title.empty() ? "mechanism" : m.title;
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
