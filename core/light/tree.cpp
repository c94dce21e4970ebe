#include "core/light/tree.h"

#include <limits>
#include <numeric>

namespace ilumbra {

LightTree::LightTree(const std::vector<Entry>& lights) : m_path(lights.size()) {
  if (lights.empty()) return;
  std::vector<size_t> all(lights.size());
  std::iota(all.begin(), all.end(), size_t(0));
  build(std::move(all), lights);
}

LightTree::Item LightTree::cover(std::vector<size_t> lights, const std::vector<Entry>& all) {
  Item item{all[lights[0]].reach, all[lights[0]].weight * all[lights[0]].reach.flux, {}};
  if (lights.size() > 1) {
    Box3f box;
    V3f axis(0.0f);
    item.weight = 0;
    for (const size_t i : lights) {
      box.extendBy(all[i].reach.centre);
      axis += all[i].reach.axis;
      item.weight += all[i].weight * all[i].reach.flux;
    }
    LightReach& r = item.reach;
    r.centre = box.center();
    r.axis = normalize(axis);
    const bool scattered = isBlack(r.axis);
    if (scattered) r.axis = {0, 0, 1};
    r.radius = r.spread = r.fall = r.range = 0;
    for (const size_t i : lights) {
      const LightReach& l = all[i].reach;
      r.radius = std::max(r.radius, length(l.centre - r.centre) + l.radius);
      r.spread =
          std::max(r.spread, scattered ? pi : std::acos(std::clamp(dot(l.axis, r.axis), -1.0f, 1.0f)) + l.spread);
      r.fall = std::max(r.fall, l.fall);
      r.range = std::max(r.range, l.range);
    }
  }
  item.lights = std::move(lights);
  return item;
}

int LightTree::build(std::vector<size_t> lights, const std::vector<Entry>& all) {
  std::vector<Item> items;
  items.push_back(cover(std::move(lights), all));
  while (items.size() < size_t(width)) {
    // The widest and brightest cluster is halved along its longest side.
    size_t at = items.size();
    float most = -1;
    for (size_t i = 0; i < items.size(); ++i) {
      const float cost = items[i].weight * sqr(items[i].reach.radius);
      if (items[i].lights.size() > 1 && cost > most) {
        most = cost;
        at = i;
      }
    }
    if (at == items.size()) break;
    std::vector<size_t> list = std::move(items[at].lights);
    Box3f box;
    for (const size_t i : list) box.extendBy(all[i].reach.centre);
    const unsigned axis = box.majorAxis();
    const auto half = list.begin() + std::ptrdiff_t(list.size() / 2);
    std::nth_element(list.begin(), half, list.end(), [&](size_t a, size_t b) {
      const float x = all[a].reach.centre[int(axis)], y = all[b].reach.centre[int(axis)];
      return x != y ? x < y : a < b;
    });
    items.push_back(cover({half, list.end()}, all));
    items[at] = cover({list.begin(), half}, all);
  }
  const int index = int(m_nodes.size());
  m_nodes.emplace_back();
  for (size_t k = 0; k < items.size(); ++k) {
    const Item& item = items[k];
    const LightReach& r = item.reach;
    for (const size_t i : item.lights) m_path[i].emplace_back(index, int(k));
    const int child = item.lights.size() == 1 ? int(item.lights[0]) : ~build(item.lights, all);
    Node& n = m_nodes[size_t(index)];
    n.x[k] = r.centre.x;
    n.y[k] = r.centre.y;
    n.z[k] = r.centre.z;
    n.radius[k] = r.radius;
    n.axisX[k] = r.axis.x;
    n.axisY[k] = r.axis.y;
    n.axisZ[k] = r.axis.z;
    const float spread = std::min(r.spread, pi);
    n.cosSpread[k] = spread >= pi ? -1 : std::cos(spread);
    n.sinSpread[k] = spread >= pi ? 0 : std::sin(spread);
    n.cosFall[k] = r.fall >= pi ? -2 : std::cos(r.fall) - 1e-4f;
    n.reach2[k] = std::isfinite(r.range) ? sqr(r.range + r.radius) : std::numeric_limits<float>::max();
    n.weight[k] = item.weight;
    n.child[k] = child;
    n.count = int(k) + 1;
  }
  return index;
}

// By value and without a branch, so that eight lights are weighed at once.
static inline float most(float a, float b) { return a > b ? a : b; }
static inline float least(float a, float b) { return a < b ? a : b; }

float LightTree::weigh(const Node& n, const V3f& p, const V3f& normal, std::array<float, width>& out) {
  const float px = p.x, py = p.y, pz = p.z, nx = normal.x, ny = normal.y, nz = normal.z;
  const float both = isBlack(normal) ? 1.0f : 0.0f;
  const int lanes = (n.count + 7) & ~7;
  float* const result = out.data();
  for (int i = 0; i < lanes; ++i) {
    const auto k = size_t(i);
    const float dx = px - n.x[k], dy = py - n.y[k], dz = pz - n.z[k], r = n.radius[k];
    const float d2 = dx * dx + dy * dy + dz * dz, r2 = r * r;
    const float near2 = most(most(d2, r2), 1e-20f), inverse = 1 / std::sqrt(near2);
    // The angle under which the cluster's ball is seen; from within it is everything.
    const float sinSize = least(r * inverse, 1.0f), cosSize = std::sqrt(1 - sinSize * sinSize);
    // Angle between the way here and the cluster's axis, less the spread of its axes, less its size.
    const float ct = most(-1.0f, least(1.0f, (dx * n.axisX[k] + dy * n.axisY[k] + dz * n.axisZ[k]) * inverse)),
                st = std::sqrt(1 - ct * ct);
    const float cs = n.cosSpread[k], ss = n.sinSpread[k];
    const float turnedC = ct * cs + st * ss, turnedS = most(st * cs - ct * ss, 0.0f);
    const float c1 = ct >= cs ? 1.0f : turnedC, s1 = ct >= cs ? 0.0f : turnedS;
    const float smallerC = c1 * cosSize + s1 * sinSize;
    const float c2 = c1 >= cosSize ? 1.0f : smallerC;
    // The receiver's horizon, in the same manner.
    const float ci = most(-1.0f, least(1.0f, -(dx * nx + dy * ny + dz * nz) * inverse)), si = std::sqrt(1 - ci * ci);
    const float above = ci * cosSize + si * sinSize;
    const float c3 = ci >= cosSize ? 1.0f : above;
    const float inside = d2 <= r2 ? 1.0f : 0.0f, anywhere = most(inside, both);
    const float shines = c2 < n.cosFall[k] ? inside : 1.0f, near = d2 > n.reach2[k] ? 0.0f : 1.0f,
                up = c3 <= 0.0f ? anywhere : 1.0f;
    const float emitted = most(inside, most(c2, 0.05f)), taken = most(anywhere, 0.1f + 0.9f * most(c3, 0.0f));
    result[k] = n.weight[k] * shines * near * up * emitted * taken / near2;
  }
  float total = 0;
  for (int i = 0; i < n.count; ++i) total += result[i];
  return total;
}

void LightTree::Chooser::moveTo(const V3f& point, const V3f& normal) {
  m_point = point;
  m_normal = normal;
  m_total = m_tree.empty() ? 0 : weigh(m_tree.m_nodes[0], point, normal, m_root);
}

// The lane in which u falls; u is rescaled within it.
static size_t lane(const std::array<float, LightTree::width>& weights, int count, float total, float& u) {
  float x = u * total;
  size_t last = 0;
  for (size_t k = 0; k < size_t(count); ++k) {
    if (!(weights[k] > 0)) continue;
    last = k;
    if (x < weights[k]) {
      u = std::min(x / weights[k], 0x1.fffffep-1f);
      return k;
    }
    x -= weights[k];
  }
  u = 0x1.fffffep-1f; // by rounding only
  return last;
}

bool LightTree::Chooser::pick(float u, size_t& index, float& probability) const {
  if (!(m_total > 0)) return false;
  const Node* n = &m_tree.m_nodes[0];
  size_t k = lane(m_root, n->count, m_total, u);
  probability = m_root[k] / m_total;
  while (n->child[k] < 0) {
    n = &m_tree.m_nodes[size_t(~n->child[k])];
    std::array<float, width> w;
    const float total = weigh(*n, m_point, m_normal, w);
    if (!(total > 0)) return false;
    k = lane(w, n->count, total, u);
    probability *= w[k] / total;
  }
  index = size_t(n->child[k]);
  return probability > 0;
}

float LightTree::Chooser::probability(size_t index) const {
  if (!(m_total > 0)) return 0;
  const auto& path = m_tree.m_path[index];
  float p = m_root[size_t(path[0].second)] / m_total;
  for (size_t level = 1; level < path.size() && p > 0; ++level) {
    std::array<float, width> w;
    const float total = weigh(m_tree.m_nodes[size_t(path[level].first)], m_point, m_normal, w);
    p *= total > 0 ? w[size_t(path[level].second)] / total : 0;
  }
  return p;
}

} // namespace ilumbra
