// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinematics/extremes.h"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "base/numeric.h"

namespace cooperage::kinematics {
namespace {

constexpr int kHalvings = 12;      // of an interval between two steps
constexpr double kMargin = 0.5;    // of a second difference: four times what a parabola rises by
constexpr double kNoGain = 1e-12;  // of the range: less is rounding

class Search {
 public:
  Search(const Course& course, double sign) : course_(course), sign_(sign) {}

  Extreme go() {
    const auto& t = course_.times;
    const auto& v = course_.values;
    double low = 1e300, high = -1e300;
    for (std::size_t i = 0; i < t.size(); ++i) {
      if (!std::isfinite(v[i])) continue;
      take(t[i], v[i]);
      low = std::min(low, v[i]);
      high = std::max(high, v[i]);
    }
    if (!(low <= high)) return {};
    noise_ = kNoGain * std::max({high - low, std::abs(low) * 1e-3, std::abs(high) * 1e-3});
    width_ = 0;
    for (std::size_t i = 0; i + 1 < t.size(); ++i) width_ = std::max(width_, t[i + 1] - t[i]);
    if (course_.dear)
      lookWhereItBends();
    else
      lookEverywhere();
    place();
    return best_;
  }

 private:
  /// Times the sign, so that the greatest is looked for; far below all where there is no value.
  double at(double t) {
    const double v = course_.at(t);
    if (!std::isfinite(v)) return -std::numeric_limits<double>::infinity();
    take(t, v);
    return sign_ * v;
  }
  bool take(double t, double v) {
    if (std::isfinite(best_.value) && !(sign_ * v > sign_ * best_.value)) return false;
    best_ = {v, t};
    return true;
  }
  double best() const { return sign_ * best_.value; }

  void lookEverywhere() {
    std::vector<std::pair<double, double>> ends;  // times and values
    for (std::size_t i = 0; i < course_.times.size(); ++i)
      ends.emplace_back(course_.times[i], std::isfinite(course_.values[i]) ? sign_ * course_.values[i]
                                                                           : -std::numeric_limits<double>::infinity());
    for (const double b : course_.breaks)
      if (b > course_.times.front() && b < course_.times.back()) ends.emplace_back(b, at(b));
    std::sort(ends.begin(), ends.end());
    for (std::size_t i = 0; i + 1 < ends.size(); ++i)
      if (ends[i + 1].first > ends[i].first)
        halve(ends[i].first, ends[i].second, ends[i + 1].first, ends[i + 1].second, 0);
  }

  void halve(double t0, double v0, double t1, double v1, int depth) {
    const double t = 0.5 * (t0 + t1);
    if (!(t0 < t && t < t1)) return;
    const double before = best(), v = at(t);
    if (best() > before) width_ = t1 - t0;
    const double bend = std::abs(v0 - 2 * v + v1);
    // two intervals at least are looked at: three samples of a wave may lie on a line
    const bool sure = !(std::max({v0, v, v1}) + kMargin * bend > best() + noise_);
    if (depth >= kHalvings || (sure && depth > 0)) return;
    halve(t0, v0, t, v, depth + 1);
    halve(t, v, t1, v1, depth + 1);
  }

  /// Intervals whose end values and the second differences there could hold more than is known.
  void lookWhereItBends() {
    const auto& t = course_.times;
    const auto value = [&](std::size_t i) { return sign_ * course_.values[i]; };
    const auto bend = [&](std::size_t i) {
      return i == 0 || i + 1 >= t.size() ? 0 : std::abs(value(i - 1) - 2 * value(i) + value(i + 1));
    };
    for (std::size_t i = 0; i + 1 < t.size(); ++i) {
      const double most = std::max(value(i), value(i + 1)) + kMargin * std::max(bend(i), bend(i + 1));
      if (!(most > best() + noise_)) continue;
      const double before = best();
      golden(t[i], t[i + 1], 24);
      if (best() > before) width_ = 0.25 * (t[i + 1] - t[i]);
    }
  }

  void golden(double a, double b, int times) {
    goldenSection(
        a, b, [this](double t) { return at(t); }, [&times](double) { return times-- > 0; });
  }

  /// From the best place to the peak beside it: golden section first, since a curve may have a corner there, then the
  /// polynomial of sixth degree through seven samples, as wide as it takes for rounding not to matter.
  void place() {
    const double first = course_.times.front(), last = course_.times.back();
    golden(std::max(first, best_.t - width_), std::min(last, best_.t + width_), course_.dear ? 24 : 50);
    double low = first, high = last;
    for (const double b : course_.breaks) {
      if (b < best_.t - 1e-9 * (last - first)) low = std::max(low, b);
      if (b > best_.t + 1e-9 * (last - first)) high = std::min(high, b);
    }
    for (double reach = 0.25 * width_; reach > 1e-6 * width_ && !course_.dear; reach *= 0.25)
      if (best_.t - reach > low && best_.t + reach < high && placeWithin(reach)) return;
  }
  bool placeWithin(double reach) {
    constexpr int kSamples = 7;
    const double middle = best_.t;
    Eigen::Matrix<double, kSamples, kSamples> powers;
    Eigen::Matrix<double, kSamples, 1> values;
    for (int i = 0; i < kSamples; ++i) {
      const double x = std::cos(3.14159265358979 * (i + 0.5) / kSamples);
      double p = 1;
      for (int k = 0; k < kSamples; ++k, p *= x) powers(i, k) = p;
      values[i] = at(middle + reach * x);
    }
    if (!values.allFinite()) return false;
    const Eigen::Matrix<double, kSamples, 1> c = powers.colPivHouseholderQr().solve(values);
    const auto derivative = [&](double x, int order) {
      double sum = 0;
      for (int k = kSamples - 1; k >= order; --k) {
        double f = c[k];
        for (int j = 0; j < order; ++j) f *= k - j;
        sum = sum * x + f;
      }
      return sum;
    };
    double x = 0;
    for (int k = 0; k < 30; ++k) {
      const double bend = derivative(x, 2);
      if (!(bend < 0)) return false;
      const double step = -derivative(x, 1) / bend;
      x += step;
      if (std::abs(x) > 0.5) return false;
      if (std::abs(step) < 1e-15) break;
    }
    // does the polynomial tell the curve? then its highest place is the curve's
    const double there = derivative(x, 0), real = at(middle + reach * x), beside = at(middle + 0.37 * reach);
    const double scale = std::max(std::abs(values.maxCoeff()), std::abs(values.minCoeff()));
    const double off = std::max(std::abs(there - real), std::abs(derivative(0.37, 0) - beside));
    if (!(off <= 1e-13 * scale + 1e-9 * (values.maxCoeff() - values.minCoeff()))) return false;
    best_ = {sign_ * real, middle + reach * x};
    return true;
  }

  const Course& course_;
  double sign_;
  Extreme best_;
  double noise_ = 0;
  double width_ = 0;  // of the interval that the best value was found in
};

}  // namespace

Extreme extremeOf(const Course& course, double sign) { return Search(course, sign).go(); }

}  // namespace cooperage::kinematics
