#include "core/geometry/rounding.h"

namespace ilumbra::rounding {

uint32_t Rounding::add(const V3f& position, const V3f& normal, const V2f& uv) {
  m_made->positions.push_back(position);
  m_made->normals.push_back(normal);
  if (!m_mesh.uvs.empty()) m_made->uvs.push_back(uv);
  return uint32_t(m_made->positions.size() - 1);
}

void Rounding::face(uint32_t a, uint32_t b, uint32_t c, uint8_t inside) {
  const auto& p = m_made->positions;
  if (p[a] == p[b] || p[b] == p[c] || p[c] == p[a]) return;
  m_made->triangles.push_back({a, b, c});
  if (!m_mesh.inside.empty()) m_made->inside.push_back(inside);
}

V2f Rounding::uvAt(uint32_t corner, const V3f& position) const {
  const V2f uv = uvOf(corner);
  if (m_mesh.uvs.empty() || m_sectorOf[corner] == none) return uv;
  const Sector& s = m_sectors[m_sectorOf[corner]];
  const V3f way = position - at(s.place);
  V2f best = uv;
  float bestMiss = 1e30f;
  for (uint32_t c = s.begin; c < s.end; ++c) {
    const uint32_t q = m_corners[c], t = q / 3, k = q % 3;
    if (uvOf(q) != uv) continue; // beyond a seam
    const V3f e1 = at(vertex(t, k + 1)) - at(s.place), e2 = at(vertex(t, k + 2)) - at(s.place), n = cross(e1, e2);
    const float area = dot(n, n);
    if (area < 1e-20f * e1.length2() * e2.length2()) continue;
    const float u = dot(cross(way, e2), n) / area, v = dot(cross(e1, way), n) / area,
                miss = std::max({0.0f, -u, -v, u + v - 1});
    if (miss >= bestMiss) continue;
    bestMiss = miss;
    best = uv + (uvOf(3 * t + (k + 1) % 3) - uv) * u + (uvOf(3 * t + (k + 2) % 3) - uv) * v;
  }
  return best;
}

float Rounding::arcRadius(uint32_t from, uint32_t to, const V3f& along) const {
  V3f d = m_sectors[to].first - m_sectors[from].last, chord = sectorAt(to) - sectorAt(from);
  d -= along * dot(along, d);
  chord -= along * dot(along, chord);
  const float l = dot(d, d);
  return l < 1e-8f ? 0 : dot(chord, d) / l;
}

std::vector<ArcPoint> Rounding::arc(uint32_t from, uint32_t to, uint32_t edge, bool mayBeCut) const {
  const V3f along = alongOf(edge), p0 = sectorAt(from), p1 = sectorAt(to), n0 = m_sectors[from].last,
            n1 = m_sectors[to].first, corner = at(m_sectors[from].place);
  const float r = arcRadius(from, to, along);
  const V3f plane = cross(p0 - corner, p1 - corner);
  const float slant = dot(plane, along);
  const bool cut = mayBeCut && std::abs(slant) > 0.2f * length(plane);
  std::vector<ArcPoint> points;
  for (int i = 0; i <= 2 * m_half; ++i) {
    const float t = float(i) / float(2 * m_half);
    const V3f n = turned(n0, n1, t);
    V3f p = (p0 - n0 * r) * (1 - t) + (p1 - n1 * r) * t + n * r;
    if (cut) p -= along * (dot(plane, p - corner) / slant);
    points.push_back({p, n});
  }
  points.front().at = p0; // to the bit
  points.back().at = p1;
  if (p0 == p1)
    for (ArcPoint& q : points) q.at = p0;
  return points;
}

std::vector<ArcPoint> Rounding::arcAcross(uint32_t sector) const {
  if (const auto it = m_fanOf.find(sector); it != m_fanOf.end()) {
    std::vector<ArcPoint> outline;
    for (const auto& row : ringAt(m_fans[it->second])) outline.push_back(row.back());
    return outline;
  }
  return arc(sector + 1, sector - 1, m_edgeOf[m_corners[m_sectors[sector - 1].begin]], true);
}

void Rounding::arcs(const Fan& fan) {
  const size_t k = fan.edges.size(), n = fan.sectors.size();
  if (fan.odd != none) {
    const auto rows = ringAt(fan);
    auto& first = m_arcs[key(fan.edges[(fan.odd + 2) % 3], fan.place)] =
        rows.front(); // from across to the sector before
    std::reverse(first.begin(), first.end());
    m_arcs[key(fan.edges[(fan.odd + 1) % 3], fan.place)] = rows.back();
    for (const auto& row : rows) m_arcs[key(fan.edges[fan.odd], fan.place)].push_back(row.front());
    return;
  }
  for (size_t i = 0; i < k; ++i) {
    const uint32_t before = fan.closed ? fan.sectors[(i + n - 1) % n] : fan.sectors[i],
                   after = fan.closed ? fan.sectors[i] : fan.sectors[i + 1];
    std::vector<ArcPoint> points = arc(before, after, fan.edges[i], fan.ends || (fan.closed && k == 2));
    if (fan.closed && k == 2 && i == 1) { // the same places as the first edge's, each with its own normals
      const std::vector<ArcPoint>& same = m_arcs.at(key(fan.edges[0], fan.place));
      for (size_t j = 0; j < points.size(); ++j) points[j].at = same[points.size() - 1 - j].at;
    }
    m_arcs[key(fan.edges[i], fan.place)] = std::move(points);
  }
}

void Rounding::strip(uint32_t edge) {
  const MeshEdge& e = m_edges[edge];
  // From the left triangle's side to the right one's.
  std::vector<ArcPoint> a = m_arcs.at(key(edge, e.a)), b = m_arcs.at(key(edge, e.b));
  std::reverse(a.begin(), a.end());
  for (const bool left : {true, false}) {
    const uint32_t t = left ? e.left : e.right, ca = 3 * t + cornerIn(t, e.a), cb = 3 * t + cornerIn(t, e.b);
    const V2f a0 = movedUv(ca), a1 = uvOf(ca), b0 = movedUv(cb), b1 = uvOf(cb);
    uint32_t lastA = none, lastB = none;
    for (int j = left ? 0 : m_half; j <= (left ? m_half : 2 * m_half); ++j) {
      const float s = float(left ? j : 2 * m_half - j) / float(m_half); // 1 in the middle
      const uint32_t va = add(a[size_t(j)].at, a[size_t(j)].normal, a0 * (1 - s) + a1 * s),
                     vb = add(b[size_t(j)].at, b[size_t(j)].normal, b0 * (1 - s) + b1 * s);
      if (lastA != none) {
        face(lastB, lastA, va, insideOf(t));
        face(lastB, va, vb, insideOf(t));
      }
      lastA = va;
      lastB = vb;
    }
  }
}

void Rounding::oddPatch(const Fan& fan) {
  const uint32_t corner = m_corners[m_sectors[fan.sectors[(fan.odd + 1) % 3]].begin];
  const auto rows = ringAt(fan);
  std::vector<std::vector<uint32_t>> v;
  for (const auto& row : rows) {
    v.emplace_back();
    for (const ArcPoint& p : row) v.back().push_back(add(p.at, p.normal, uvAt(corner, row.back().at)));
  }
  for (size_t j = 0; j + 1 < v.size(); ++j)
    for (size_t i = 0; i + 1 < v[j].size(); ++i) {
      face(v[j][i], v[j + 1][i], v[j + 1][i + 1], insideOf(corner / 3));
      face(v[j][i], v[j + 1][i + 1], v[j][i + 1], insideOf(corner / 3));
    }
}

std::vector<std::vector<ArcPoint>> Rounding::sidesOf(const Fan& fan, std::vector<float>& radius) const {
  const size_t n = fan.sectors.size();
  const int h = m_half;
  std::vector<std::vector<ArcPoint>> sides(n);
  radius.assign(n, 0.0f);
  for (size_t i = 0; i < n; ++i) {
    const uint32_t before = fan.sectors[(i + n - 1) % n], after = fan.sectors[i];
    if (fan.closed || i > 0) {
      sides[i] = m_arcs.at(key(fan.edges[fan.closed ? i : i - 1], fan.place));
      radius[i] = arcRadius(before, after, alongOf(fan.edges[fan.closed ? i : i - 1]));
    } else {
      for (int j = 0; j <= 2 * h; ++j) {
        const float t = float(j) / float(2 * h);
        sides[i].push_back({sectorAt(before) * (1 - t) + sectorAt(after) * t,
                            normalize(m_sectors[before].normal * (1 - t) + m_sectors[after].normal * t)});
      }
      sides[i].front().at = sectorAt(before);
      sides[i].back().at = sectorAt(after);
    }
  }
  return sides;
}

void Rounding::patch(const Fan& fan) {
  const size_t n = fan.sectors.size();
  if (n < 3 || fan.ends || m_room[fan.place] <= 0) return;
  if (fan.odd != none) return oddPatch(fan);
  const int h = m_half;
  std::vector<float> radius;
  const std::vector<std::vector<ArcPoint>> sides = sidesOf(fan, radius);
  const auto corner = [&](size_t i) {
    const float a = 2 * pi * float(i) / float(n);
    return V2f(std::cos(a), std::sin(a));
  };
  // A point of the regular polygon to a point of the patch.
  const auto place = [&](const V2f& x) {
    std::vector<float> distance(n), along(n);
    for (size_t i = 0; i < n; ++i) {
      const V2f p = corner((i + n - 1) % n), d = corner(i) - p;
      along[i] = std::clamp((x - p).dot(d) / d.dot(d), 0.0f, 1.0f);
      distance[i] = std::max(1e-6f, (d.x * (x.y - p.y) - d.y * (x.x - p.x)) / d.length());
    }
    V3f normal(0.0f);
    for (size_t j = 0; j < n; ++j) { // Wachspress's coordinates: of all sides but the two at the corner
      float weight = 1;
      for (size_t i = 0; i < n; ++i)
        if (i != j && i != (j + 1) % n) weight *= distance[i];
      normal += m_sectors[fan.sectors[j]].normal * weight;
    }
    normal = normalize(normal);
    V3f sum(0.0f);
    float weights = 0;
    for (size_t i = 0; i < n; ++i) {
      const uint32_t before = fan.sectors[(i + n - 1) % n], after = fan.sectors[i];
      const V3f centre = (sectorAt(before) - m_sectors[before].normal * radius[i]) * (1 - along[i]) +
                         (sectorAt(after) - m_sectors[after].normal * radius[i]) * along[i];
      const float w = 1 / distance[i];
      sum += (centre + normal * radius[i]) * w;
      weights += w;
    }
    return ArcPoint{sum * (1 / weights), normal};
  };
  const ArcPoint middle = place({0, 0});
  const uint32_t firstCorner = m_corners[m_sectors[fan.sectors[0]].begin];
  const uint8_t inside = insideOf(firstCorner / 3);
  std::vector<std::vector<ArcPoint>> spokes(n); // from the middle of side i to the middle
  for (size_t i = 0; i < n; ++i) {
    const V2f m = (corner(i) + corner((i + n - 1) % n)) * 0.5f;
    for (int j = 0; j <= h; ++j)
      spokes[i].push_back(j == 0 ? sides[i][size_t(h)] : j == h ? middle : place(m * (1 - float(j) / float(h))));
  }
  for (size_t i = 0; i < n; ++i) {
    const size_t next = (i + 1) % n;
    // Rows from the sector's corner along the next side to its middle; columns along this side, backwards, to its
    // middle.
    const V2f s = corner(i), mNext = (corner(i) + corner(next)) * 0.5f,
              mThis = (corner(i) + corner((i + n - 1) % n)) * 0.5f;
    const uint32_t own = m_corners[m_sectors[fan.sectors[i]].begin];
    const V2f uvFrom = movedUv(own), uvTo = uvOf(own);
    std::vector<uint32_t> v;
    for (int a = 0; a <= h; ++a)
      for (int b = 0; b <= h; ++b) {
        const float u = float(a) / float(h), w = float(b) / float(h);
        const ArcPoint q = b == 0   ? sides[next][size_t(a)]
                           : a == 0 ? sides[i][size_t(2 * h - b)]
                           : a == h ? spokes[next][size_t(b)]
                           : b == h ? spokes[i][size_t(a)]
                                    : place(s * ((1 - u) * (1 - w)) + mNext * (u * (1 - w)) + mThis * ((1 - u) * w));
        v.push_back(add(q.at, q.normal, uvFrom + (uvTo - uvFrom) * std::max(u, w)));
      }
    const auto index = [&](int a, int b) { return v[size_t(a * (h + 1) + b)]; };
    for (int a = 0; a < h; ++a)
      for (int b = 0; b < h; ++b) {
        face(index(a, b), index(a + 1, b), index(a + 1, b + 1), inside);
        face(index(a, b), index(a + 1, b + 1), index(a, b + 1), inside);
      }
  }
}

Mesh Rounding::run(const BuildFrom& from) {
  gatherFans();
  from.stopIfCancelled();
  findRoom(from);
  Mesh out;
  m_made = &out;
  regions();
  for (const Fan& fan : m_fans) arcs(fan);
  for (uint32_t i = 0; i < m_edges.size(); ++i)
    if (m_turn[i] > 0) strip(i);
  for (const Fan& fan : m_fans) patch(fan);
  return out;
}

} // namespace ilumbra::rounding
