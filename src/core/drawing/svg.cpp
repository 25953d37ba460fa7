// SPDX-License-Identifier: GPL-3.0-or-later
// SVG by pugixml, which reads the XML; paths and transforms stand here (W3C, Scalable Vector Graphics 1.1).
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <pugixml.hpp>
#include <set>

#include "base/geometry.h"
#include "drawing/drawing.h"

namespace cooperage::drawing {
namespace {

constexpr int kDeepest = 200;
constexpr std::size_t kMostDrawn = 2000000;

struct Halt {
  Error error;
};

/// Figures of an attribute one after another; commas and blanks part them, and need not.
class Figures {
 public:
  explicit Figures(const char* text) : at_(text), end_(text + std::strlen(text)) {}
  bool atEnd() {
    skip();
    return at_ == end_;
  }
  /// A letter, if one comes next.
  char letter() {
    skip();
    return at_ != end_ && std::isalpha(static_cast<unsigned char>(*at_)) ? *at_++ : '\0';
  }
  bool number(double& v) {
    skip();
    if (at_ != end_ && *at_ == '+') ++at_;
    const auto r = std::from_chars(at_, end_, v);
    if (r.ec != std::errc() || !std::isfinite(v)) return false;
    at_ = r.ptr;
    return true;
  }
  /// 0 or 1, which may stand without a blank after it.
  bool flag(bool& on) {
    skip();
    if (at_ == end_ || (*at_ != '0' && *at_ != '1')) return false;
    on = *at_++ == '1';
    return true;
  }
  std::string_view rest() {
    skip();
    return {at_, static_cast<std::size_t>(end_ - at_)};
  }

 private:
  void skip() {
    while (at_ != end_ && (std::isspace(static_cast<unsigned char>(*at_)) || *at_ == ',')) ++at_;
  }
  const char *at_, *end_;
};

/// The elliptical arc between two points (SVG 1.1, appendix F.6).
std::optional<Piece> arcBetween(const Vec2& a, const Vec2& b, double rx, double ry, double turn, bool large,
                                bool sweep) {
  if ((b - a).norm() == 0) return std::nullopt;
  rx = std::abs(rx);
  ry = std::abs(ry);
  if (rx == 0 || ry == 0) return Piece::line(a, b);
  const Vec2 ex(std::cos(turn), std::sin(turn)), ey(-ex.y(), ex.x());
  const Vec2 h = 0.5 * (a - b);
  const Vec2 x(ex.dot(h) / rx, ey.dot(h) / ry);  // where the ellipse is a unit circle
  const double n = x.squaredNorm();
  if (n > 1) {
    rx *= std::sqrt(n);
    ry *= std::sqrt(n);
  }
  const Vec2 unit = n > 1 ? Vec2(x / std::sqrt(n)) : x;
  const double off = std::sqrt(std::max(0.0, 1 / unit.squaredNorm() - 1)) * (large == sweep ? -1 : 1);
  const Vec2 c(off * unit.y(), -off * unit.x());
  const double from = std::atan2(unit.y() - c.y(), unit.x() - c.x());
  double angle = std::atan2(-unit.y() - c.y(), -unit.x() - c.x()) - from;
  if (sweep && angle < 0) angle += 2 * kPi;
  if (!sweep && angle > 0) angle -= 2 * kPi;
  const Vec2 centre = 0.5 * (a + b) + c.x() * rx * ex + c.y() * ry * ey;
  return Piece::conic(centre, rx * ex, ry * ey, from, from + angle);
}

Piece bezier(std::vector<Vec2> points) {
  Nurbs s;
  s.degree = static_cast<int>(points.size()) - 1;
  s.knots.assign(points.size(), 0);
  s.knots.insert(s.knots.end(), points.size(), 1);
  s.points = std::move(points);
  return Piece::of(std::move(s));
}

/// The figures of one path as outlines, each of its parts one.
class PathReader {
 public:
  explicit PathReader(const char* text) : in_(text) {}

  /// @return false if it ends in something that can't be read: what came before is drawn
  bool read(std::vector<Outline>& out) {
    bool good = true;
    char command = '\0';
    while (!in_.atEnd()) {
      if (const char next = in_.letter())
        command = next;
      else if (command == '\0' || command == 'Z' || command == 'z') {
        good = false;
        break;
      }
      if (!step(command, out)) {
        good = false;
        break;
      }
      if (command == 'M') command = 'L';
      if (command == 'm') command = 'l';
    }
    finish(out);
    return good;
  }

 private:
  bool point(bool relative, Vec2& p) {
    if (!in_.number(p.x()) || !in_.number(p.y())) return false;
    if (relative) p += now_;
    return true;
  }
  void line(const Vec2& to) {
    if ((to - now_).norm() > 0) o_.pieces.push_back(Piece::line(now_, to));
    now_ = to;
  }
  void curve(std::vector<Vec2> control) {
    const bool still = std::all_of(control.begin(), control.end(), [&](const Vec2& p) { return p == control[0]; });
    now_ = control.back();
    if (!still) o_.pieces.push_back(bezier(std::move(control)));
  }
  void finish(std::vector<Outline>& out) {
    if (!o_.pieces.empty()) out.push_back(std::move(o_));
    o_ = {};
  }
  bool step(char command, std::vector<Outline>& out) {
    const bool relative = std::islower(static_cast<unsigned char>(command)) != 0;
    const char kind = static_cast<char>(std::toupper(static_cast<unsigned char>(command)));
    Vec2 a, b, to;
    const Vec2 mirrored = smooth_ == kind || (kind == 'S' && smooth_ == 'C') || (kind == 'T' && smooth_ == 'Q')
                              ? Vec2(2 * now_ - handle_)
                              : now_;
    const Vec2 start = now_;
    char smooth = '\0';
    switch (kind) {
      case 'M':
        if (!point(relative, to)) return false;
        finish(out);
        now_ = first_ = to;
        break;
      case 'Z':
        line(first_);
        o_.closed = !o_.pieces.empty();
        finish(out);
        break;
      case 'L':
        if (!point(relative, to)) return false;
        line(to);
        break;
      case 'H':
      case 'V': {
        double v = 0;
        if (!in_.number(v)) return false;
        const int axis = kind == 'H' ? 0 : 1;
        to = now_;
        to[axis] = relative ? now_[axis] + v : v;
        line(to);
        break;
      }
      case 'C':
        if (!point(relative, a) || !point(relative, b) || !point(relative, to)) return false;
        curve({start, a, b, to});
        handle_ = b;
        smooth = 'C';
        break;
      case 'S':
        if (!point(relative, b) || !point(relative, to)) return false;
        curve({start, mirrored, b, to});
        handle_ = b;
        smooth = 'C';
        break;
      case 'Q':
        if (!point(relative, a) || !point(relative, to)) return false;
        curve({start, a, to});
        handle_ = a;
        smooth = 'Q';
        break;
      case 'T':
        if (!point(relative, to)) return false;
        curve({start, mirrored, to});
        handle_ = mirrored;
        smooth = 'Q';
        break;
      case 'A': {
        double rx = 0, ry = 0, turn = 0;
        bool large = false, sweep = false;
        if (!in_.number(rx) || !in_.number(ry) || !in_.number(turn) || !in_.flag(large) || !in_.flag(sweep) ||
            !point(relative, to))
          return false;
        if (auto p = arcBetween(now_, to, rx, ry, turn * kDegree, large, sweep)) o_.pieces.push_back(std::move(*p));
        now_ = to;
        break;
      }
      default: return false;
    }
    smooth_ = smooth;
    return true;
  }

  Figures in_;
  Outline o_;
  Vec2 now_{0, 0}, first_{0, 0}, handle_{0, 0};
  char smooth_ = '\0';
};

/// "translate(3) rotate(30)": applied from the right.
bool transformOf(const char* text, Affine& map) {
  std::string_view rest(text);
  map = {};
  for (;;) {
    const std::size_t word = rest.find_first_not_of(" \t\r\n,");
    if (word == std::string_view::npos) return true;
    const std::size_t open = rest.find('(', word), close = rest.find(')', word);
    if (open == std::string_view::npos || close == std::string_view::npos || close < open) return false;
    std::string name(rest.substr(word, open - word));
    while (!name.empty() && name.back() == ' ') name.pop_back();
    const std::string inside(rest.substr(open + 1, close - open - 1));
    Figures f(inside.c_str());
    std::vector<double> v;
    double x = 0;
    while (f.number(x)) v.push_back(x);
    if (!f.atEnd() || v.empty()) return false;
    const auto value = [&](std::size_t i, double otherwise) { return i < v.size() ? v[i] : otherwise; };
    Affine a;
    if (name == "matrix" && v.size() == 6) {
      a.M << v[0], v[2], v[1], v[3];
      a.p = {v[4], v[5]};
    } else if (name == "translate") {
      a.p = {v[0], value(1, 0)};
    } else if (name == "scale") {
      a.M << v[0], 0, 0, value(1, v[0]);
    } else if (name == "rotate") {
      const double c = std::cos(v[0] * kDegree), s = std::sin(v[0] * kDegree);
      a.M << c, -s, s, c;
      const Vec2 about(value(1, 0), value(2, 0));
      a.p = about - a.M * about;
    } else if (name == "skewX") {
      a.M(0, 1) = std::tan(v[0] * kDegree);
    } else if (name == "skewY") {
      a.M(1, 0) = std::tan(v[0] * kDegree);
    } else {
      return false;
    }
    map = map * a;
    rest = rest.substr(close + 1);
  }
}

/// A length with its unit. @param unit receives m, 0 if there is none
bool lengthWithUnit(const char* text, double& value, double& unit) {
  Figures f(text);
  if (!f.number(value)) return false;
  const std::string_view u = f.rest();
  unit = u == "mm"   ? 1e-3
         : u == "cm" ? 1e-2
         : u == "in" ? 0.0254
         : u == "pt" ? 0.0254 / 72
         : u == "pc" ? 0.0254 / 6
         : u == "m"  ? 1.0
                     : 0;
  return u.empty() || u == "px" || unit > 0;
}

class SvgReader {
 public:
  SvgReader(std::string name, Progress* progress) : name_(std::move(name)), progress_(progress) {}

  Drawing run(const pugi::xml_node& root) {
    root_ = root;
    Affine map;
    map.M(1, 1) = -1;  // y upwards
    scale(root, map);
    for (const auto& child : root.children()) walk(child, map, "", 0);
    std::set<std::string> known;
    for (const auto& c : d_.curves)
      if (known.insert(c.layer).second) d_.layers.push_back(c.layer);
    return std::move(d_);
  }

 private:
  void scale(const pugi::xml_node& root, Affine& map) {
    double width = 0, height = 0, unit = 0, unitY = 0;
    const bool sized = lengthWithUnit(root.attribute("width").value(), width, unit) && width > 0;
    const bool tall = lengthWithUnit(root.attribute("height").value(), height, unitY) && height > 0;
    std::array<double, 4> box{};
    Figures f(root.attribute("viewBox").value());
    bool view = true;
    for (double& v : box) view = view && f.number(v);
    view = view && box[2] > 0 && box[3] > 0;
    if (view)
      map.p = {-box[0], box[1] + box[3]};
    else if (tall)
      map.p = {0, height};
    if (!sized || unit == 0) return;
    d_.unit = unit;
    if (!view) return;
    double share = width / box[2];  // drawn as large as fits
    if (tall && unitY > 0) share = std::min(share, height * unitY / unit / box[3]);
    d_.unit = unit * share;
  }

  void walk(const pugi::xml_node& node, const Affine& outer, const std::string& layer, int depth) {
    if (node.type() != pugi::node_element) return;
    if (depth > kDeepest) throw Halt{{"drawing", name_, name_ + ": its groups lie too deep in one another"}};
    if (++seen_ % 256 == 0 && progress_ && progress_->cancelled()) throw Halt{{"cancelled", name_, "cancelled", true}};
    std::string tag = node.name();
    if (const auto colon = tag.find(':'); colon != std::string::npos) tag = tag.substr(colon + 1);
    static const std::set<std::string> kUnseen{"defs",   "symbol",    "clipPath",       "mask",           "pattern",
                                               "marker", "metadata",  "title",          "desc",           "style",
                                               "script", "namedview", "linearGradient", "radialGradient", "filter"};
    if (kUnseen.count(tag) > 0) return;
    const std::string style = node.attribute("style").value();
    if (std::strcmp(node.attribute("display").value(), "none") == 0 ||
        style.find("display:none") != std::string::npos) {
      ++d_.leftOut["hidden part"];
      return;
    }
    Affine own;
    if (!transformOf(node.attribute("transform").value(), own))
      remark(fmt::format("the transform '{}' can't be read; it was left out", node.attribute("transform").value()));
    const Affine map = outer * own;
    if (tag == "g" || tag == "a" || tag == "switch" || tag == "svg") {
      std::string mine = layer;
      if (depth == 0 && tag == "g") {
        mine = node.attribute("inkscape:label").value();
        if (mine.empty()) mine = node.attribute("id").value();
      }
      Affine shift;
      if (tag == "svg") shift.p = {node.attribute("x").as_double(), node.attribute("y").as_double()};
      for (const auto& child : node.children()) walk(child, map * shift, mine, depth + 1);
    } else if (tag == "use") {
      use(node, map, layer, depth);
    } else if (tag == "text") {
      ++d_.leftOut["text"];
    } else if (tag == "image") {
      ++d_.leftOut["picture"];
    } else {
      shape(node, tag, map, layer);
    }
  }

  void use(const pugi::xml_node& node, const Affine& map, const std::string& layer, int depth) {
    std::string id = node.attribute("href").value();
    if (id.empty()) id = node.attribute("xlink:href").value();
    if (id.size() < 2 || id[0] != '#') return;
    id = id.substr(1);
    const auto target = root_.find_node([&](const pugi::xml_node& n) { return id == n.attribute("id").value(); });
    if (!target) return remark(fmt::format("a part '{}' is used that is not there", id));
    if (!open_.insert(id).second)
      throw Halt{{"drawing", name_, fmt::format("{}: the part '{}' holds itself", name_, id)}};
    Affine shift;
    shift.p = {node.attribute("x").as_double(), node.attribute("y").as_double()};
    if (std::strcmp(target.name(), "symbol") == 0)
      for (const auto& child : target.children()) walk(child, map * shift, layer, depth + 1);
    else
      walk(target, map * shift, layer, depth + 1);
    open_.erase(id);
  }

  void shape(const pugi::xml_node& node, const std::string& tag, const Affine& map, const std::string& layer) {
    const auto number = [&](const char* key) {
      double v = 0, unit = 0;
      lengthWithUnit(node.attribute(key).value(), v, unit);
      return v;
    };
    std::vector<Outline> out;
    if (tag == "path") {
      if (!PathReader(node.attribute("d").value()).read(out))
        remark("a path can't be read to its end; what came before is drawn");
    } else if (tag == "line") {
      out.push_back({{Piece::line({number("x1"), number("y1")}, {number("x2"), number("y2")})}, false});
    } else if (tag == "circle" || tag == "ellipse") {
      const double rx = number(tag == "circle" ? "r" : "rx"), ry = number(tag == "circle" ? "r" : "ry");
      if (!(rx > 0) || !(ry > 0)) return;
      out.push_back({{Piece::conic({number("cx"), number("cy")}, {rx, 0}, {0, ry}, 0, 2 * kPi)}, true});
    } else if (tag == "rect") {
      rectangle(node, number("x"), number("y"), number("width"), number("height"), out);
    } else if (tag == "polyline" || tag == "polygon") {
      std::string path(node.attribute("points").value());
      if (path.empty()) return;
      path = "M" + path + (tag == "polygon" ? "Z" : "");
      if (!PathReader(path.c_str()).read(out)) remark("a polyline can't be read to its end; what came before is drawn");
    }
    for (Outline& o : out) {
      if (d_.curves.size() >= kMostDrawn)
        throw Halt{{"drawing", name_, fmt::format("{}: it grows to more than {} curves", name_, kMostDrawn)}};
      d_.curves.push_back({mapped(map, o), layer});
    }
  }

  static void rectangle(const pugi::xml_node& node, double x, double y, double w, double h, std::vector<Outline>& out) {
    if (!(w > 0) || !(h > 0)) return;
    double rx = node.attribute("rx").as_double(-1), ry = node.attribute("ry").as_double(-1);
    if (rx < 0) rx = ry;
    if (ry < 0) ry = rx;
    rx = std::clamp(rx, 0.0, w / 2);
    ry = std::clamp(ry, 0.0, h / 2);
    std::vector<Piece> pieces;
    const auto side = [&](const Vec2& a, const Vec2& b) {
      if ((b - a).norm() > 0) pieces.push_back(Piece::line(a, b));
    };
    const auto corner = [&](const Vec2& c, double from) {
      if (rx > 0 && ry > 0) pieces.push_back(Piece::conic(c, {rx, 0}, {0, ry}, from, from + kPi / 2));
    };
    side({x + rx, y}, {x + w - rx, y});
    corner({x + w - rx, y + ry}, -kPi / 2);
    side({x + w, y + ry}, {x + w, y + h - ry});
    corner({x + w - rx, y + h - ry}, 0);
    side({x + w - rx, y + h}, {x + rx, y + h});
    corner({x + rx, y + h - ry}, kPi / 2);
    side({x, y + h - ry}, {x, y + ry});
    corner({x + rx, y + ry}, kPi);
    out.push_back({std::move(pieces), true});
  }
  void remark(std::string text) {
    constexpr std::size_t kMost = 50;
    if (d_.remarks.size() < kMost) d_.remarks.push_back(std::move(text));
  }

  std::string name_;
  Progress* progress_;
  pugi::xml_node root_;
  std::set<std::string> open_;
  Drawing d_;
  long seen_ = 0;
};

}  // namespace

Result<Drawing> readSvg(const std::string& bytes, const std::string& name, Progress* progress) {
  pugi::xml_document doc;
  const auto read = doc.load_buffer(bytes.data(), bytes.size());
  if (!read)
    return Error{"drawing", name,
                 fmt::format("{}: is no readable SVG: {} at byte {}", name, read.description(), read.offset)};
  const auto root = doc.document_element();
  std::string tag = root.name();
  if (const auto colon = tag.find(':'); colon != std::string::npos) tag = tag.substr(colon + 1);
  if (tag != "svg") return Error{"drawing", name, name + ": is no SVG"};
  try {
    return SvgReader(name, progress).run(root);
  } catch (const Halt& h) {
    return h.error;
  }
}

}  // namespace cooperage::drawing
