#include "core/document/drawn_curve.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

std::vector<Kind> curvePointKinds() {
  const auto kind = [](const char* id, const char* label, const char* help, ParamDef at, ParamDef value) {
    return Kind{.id = id,
                .label = label,
                .helpText = help,
                .params = {std::move(at), std::move(value)},
                .existence = at.stage == Invalidation::Lens ? at.stage : Invalidation::Shading};
  };
  const auto distance = [] {
    return number("at", "Distance", "%", 0).range(0, 1).at(Invalidation::Lens).help("From the line, of the reach");
  };
  const auto stops = [](const char* name, const char* label, const char* help) {
    return number(name, label, "stops", 0).soft(-8, 4).range(-40, 40).at(Invalidation::Lens).help(help);
  };
  return {kind("curve.thinning", "Point of thinning", "A point that the curve of a copy's opacity runs through.",
               distance(),
               number("value", "Opacity", "%", 1).range(0, 1).at(Invalidation::Lens).help("Of the copy there")),
          kind("curve.lean", "Point of lean", "A point that the curve of a copy's lean runs through.", distance(),
               number("value", "Lean", "%", 0)
                   .soft(-0.5, 0.5)
                   .range(-10, 10)
                   .at(Invalidation::Lens)
                   .help("Along the line, by the frame's height")),
          kind("curve.values", "Point of values",
               "A point that the curve runs through which gives each value of a pattern another.",
               number("at", "Value in", "", 0).range(0, 1).help("What the pattern has"),
               number("value", "Value out", "", 0).soft(0, 1).range(-1e6, 1e6).help("What becomes of it")),
          kind("curve.tone", "Point of tone",
               "A point that a tone curve runs through: -2 becoming -1 makes what lies two stops below white one stop "
               "brighter.",
               stops("at", "Stops in", "About white: what is there"),
               stops("value", "Stops out", "About white: what becomes of it"))};
}

bool isCurve(const ChildSlot& slot) { return slot.accepts.size() == 1 && slot.accepts.front().starts_with("curve."); }

DrawnCurve::DrawnCurve(const Document& doc, const Node& owner, std::string_view slot, double frame) {
  const std::string& of = owner.kind->slot(slot)->accepts.front();
  m_tone = of == "curve.tone";
  m_straight = m_tone || of == "curve.values";
  m_level = std::get<double>(doc.kinds().find(of)->param("value")->initial);
  const auto it = owner.children.find(std::string(slot));
  if (it == owner.children.end()) return;
  std::vector<std::pair<double, double>> points;
  for (const NodeId id : it->second) {
    const Params p(*doc.find(id), frame);
    points.emplace_back(p.number("at"), p.number("value"));
  }
  std::stable_sort(points.begin(), points.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (const auto& [x, y] : points) {
    if (!m_x.empty() && x - m_x.back() < 1e-9)
      m_y.back() = y;
    else {
      m_x.push_back(x);
      m_y.push_back(y);
    }
  }
  const size_t n = m_x.size();
  m_slope.assign(n, m_tone ? 1.0 : 0.0);
  if (n < 2) return;
  std::vector<double> secant;
  for (size_t i = 0; i + 1 < n; ++i) secant.push_back((m_y[i + 1] - m_y[i]) / (m_x[i + 1] - m_x[i]));
  m_slope.front() = secant.front();
  m_slope.back() = secant.back();
  for (size_t i = 1; i + 1 < n; ++i)
    m_slope[i] = secant[i - 1] * secant[i] <= 0 ? 0 : 0.5 * (secant[i - 1] + secant[i]);
  for (size_t i = 0; i + 1 < n; ++i) {
    if (secant[i] == 0) {
      m_slope[i] = m_slope[i + 1] = 0;
      continue;
    }
    const double a = m_slope[i] / secant[i], b = m_slope[i + 1] / secant[i], r = a * a + b * b;
    if (r > 9) {
      m_slope[i] = 3 / std::sqrt(r) * a * secant[i];
      m_slope[i + 1] = 3 / std::sqrt(r) * b * secant[i];
    }
  }
}

double DrawnCurve::at(double x) const {
  if (m_x.empty()) return m_straight ? x : m_level;
  const auto beyond = [&](size_t end) {
    return m_y[end] + (m_tone ? (x - m_x[end]) * std::max(0.0, m_slope[end]) : 0);
  };
  if (x <= m_x.front()) return beyond(0);
  if (x >= m_x.back()) return beyond(m_x.size() - 1);
  const size_t i = size_t(std::upper_bound(m_x.begin(), m_x.end(), x) - m_x.begin()) - 1;
  const double h = m_x[i + 1] - m_x[i], t = (x - m_x[i]) / h, t2 = t * t, t3 = t2 * t;
  return (2 * t3 - 3 * t2 + 1) * m_y[i] + (t3 - 2 * t2 + t) * h * m_slope[i] + (3 * t2 - 2 * t3) * m_y[i + 1] +
         (t3 - t2) * h * m_slope[i + 1];
}

std::pair<double, double> DrawnCurve::bounds(double from, double to) const {
  const double a = at(from), b = at(to);
  double low = std::min(a, b), high = std::max(a, b);
  // Between two points it only rises or only falls.
  for (size_t i = 0; i < m_x.size(); ++i)
    if (m_x[i] > from && m_x[i] < to) {
      low = std::min(low, m_y[i]);
      high = std::max(high, m_y[i]);
    }
  return {low, high};
}

} // namespace ilumbra
