#include "core/geometry/rounding.h"

#include "core/base/error.h"

namespace ilumbra::rounding {

Rounding::Rounding(const Mesh& mesh, float radius, int half, float sharp, bool outward, bool inward)
    : m_mesh(mesh), m_w(weld(mesh)), m_edges(edgesOf(m_w)), m_radius(radius), m_half(half),
      m_least(std::cos(sharp * pi / 180)), m_outward(outward), m_inward(inward) {
  m_edgeOf.assign(3 * m_w.triangles.size(), none);
  for (uint32_t i = 0; i < m_edges.size(); ++i)
    for (const uint32_t t : {m_edges[i].left, m_edges[i].right})
      if (t != none)
        for (uint32_t k = 0; k < 3; ++k)
          if (const uint32_t a = vertex(t, k), b = vertex(t, k + 1);
              std::min(a, b) == m_edges[i].a && std::max(a, b) == m_edges[i].b)
            m_edgeOf[3 * t + k] = i;
  m_normals.resize(m_w.triangles.size());
  for (uint32_t t = 0; t < m_w.triangles.size(); ++t) m_normals[t] = normalOf(m_w, t);
  chooseEdges();
  findFlats();
}

uint32_t Rounding::vertex(uint32_t t, uint32_t k) const {
  const Mesh::Triangle& q = m_w.triangles[t];
  k %= 3;
  return k == 0 ? q.a : k == 1 ? q.b : q.c;
}

uint32_t Rounding::original(uint32_t corner) const {
  const Mesh::Triangle& q = m_mesh.triangles[m_w.origin[corner / 3]];
  return corner % 3 == 0 ? q.a : corner % 3 == 1 ? q.b : q.c;
}

void Rounding::chooseEdges() {
  m_turn.assign(m_edges.size(), 0);
  m_sharp.assign(m_edges.size(), 0);
  m_out.assign(m_edges.size(), 0);
  for (uint32_t i = 0; i < m_edges.size(); ++i) {
    const MeshEdge& e = m_edges[i];
    if (e.open() || e.crowded) continue;
    const float c = dot(m_normals[e.left], m_normals[e.right]);
    if (c >= m_least) continue;
    m_sharp[i] = 1;
    const bool out = dot(at(oppositeOf(m_w.triangles[e.right], e)) - at(e.a), m_normals[e.left]) < 0;
    m_out[i] = out;
    if (out ? !m_outward : !m_inward) continue;
    m_turn[i] = std::acos(std::clamp(c, -1.0f, 1.0f));
    ++m_count;
  }
}

void Rounding::findFlats() {
  m_flatOf.assign(m_w.triangles.size(), none);
  std::vector<uint32_t> todo;
  for (uint32_t seed = 0; seed < m_w.triangles.size(); ++seed) {
    if (m_flatOf[seed] != none) continue;
    const uint32_t number = m_flats++;
    m_flatOf[seed] = number;
    todo.push_back(seed);
    const V3f n = m_normals[seed], o = at(vertex(seed, 0));
    while (!todo.empty()) {
      const uint32_t t = todo.back();
      todo.pop_back();
      for (uint32_t k = 0; k < 3; ++k) {
        const uint32_t other = across(t, k);
        if (other == none || m_flatOf[other] != none || m_turn[m_edgeOf[3 * t + k]] > 0 ||
            dot(m_normals[other], n) < 0.99999f)
          continue;
        const V3f far = at(oppositeOf(m_w.triangles[other], m_edges[m_edgeOf[3 * t + k]])) - o;
        if (std::abs(dot(far, n)) > 1e-4f * length(far)) continue;
        m_flatOf[other] = number;
        todo.push_back(other);
      }
    }
  }
}

uint32_t Rounding::across(uint32_t t, uint32_t k) const {
  const MeshEdge& e = m_edges[m_edgeOf[3 * t + k]];
  return e.crowded ? none : e.left == t ? e.right : e.left;
}

void Rounding::gatherFans() {
  m_sectorOf.assign(3 * m_w.triangles.size(), none);
  std::vector<char> rounds(m_w.positions.size());
  for (uint32_t i = 0; i < m_edges.size(); ++i)
    if (m_turn[i] > 0) rounds[m_edges[i].a] = rounds[m_edges[i].b] = 1;
  std::vector<char> seen(3 * m_w.triangles.size());
  for (uint32_t first = 0; first < seen.size(); ++first) {
    const uint32_t place = vertex(first / 3, first % 3);
    if (!rounds[place] || seen[first]) continue;
    // Clockwise to where a fan may begin: a rim, or else any edge that is rounded.
    uint32_t start = first, firstRounded = none;
    bool closed = true;
    for (size_t guard = 0; guard < seen.size(); ++guard) {
      const uint32_t t = start / 3, k = start % 3;
      if (m_turn[m_edgeOf[3 * t + k]] > 0 && firstRounded == none) firstRounded = start;
      const uint32_t next = across(t, k);
      if (next == none) {
        closed = false;
        break;
      }
      start = 3 * next + cornerIn(next, place);
      if (start == first) break;
    }
    if (closed) start = firstRounded == none ? first : firstRounded;
    Fan fan{.place = place, .sectors = {}, .edges = {}, .closed = closed};
    uint32_t corner = start;
    bool whole = true; // begin a sector here
    for (size_t guard = 0; guard < seen.size(); ++guard) {
      const uint32_t t = corner / 3, k = corner % 3, edge = m_edgeOf[3 * t + k];
      if (whole || m_turn[edge] > 0) {
        if (m_turn[edge] > 0) fan.edges.push_back(edge);
        fan.sectors.push_back(uint32_t(m_sectors.size()));
        m_sectors.push_back({.place = place, .begin = uint32_t(m_corners.size()), .end = uint32_t(m_corners.size())});
      }
      whole = false;
      seen[corner] = 1;
      m_sectorOf[corner] = fan.sectors.back();
      m_corners.push_back(corner);
      m_sectors.back().end = uint32_t(m_corners.size());
      const uint32_t next = across(t, (k + 2) % 3);
      if (next == none) break;
      corner = 3 * next + cornerIn(next, place);
      if (corner == start) break;
    }
    if (fan.edges.empty()) {
      // Another sheet that touches the same place: it stays.
      for (uint32_t s = m_sectors[fan.sectors[0]].begin; s < m_corners.size(); ++s) m_sectorOf[m_corners[s]] = none;
      m_corners.resize(m_sectors[fan.sectors[0]].begin);
      m_sectors.pop_back();
      continue;
    }
    bool stays = closed && fan.edges.size() == 1; // an edge that ends within a surface runs out to a point
    if (stays && splitAtEnd(fan)) stays = false;
    findOdd(fan);
    for (const uint32_t s : fan.sectors) solve(m_sectors[s], stays || m_sectors[s].across);
    m_fans.push_back(std::move(fan));
  }
  m_room.assign(m_w.positions.size(), 1);
}

bool Rounding::splitAtEnd(Fan& fan) {
  const Sector whole = m_sectors[fan.sectors[0]];
  uint32_t first = none, last = none;
  for (uint32_t c = whole.begin + 1; c < whole.end; ++c)
    if (m_sharp[m_edgeOf[m_corners[c]]]) {
      if (first == none) first = c;
      last = c;
    }
  if (first == none || first == last) return false;
  for (uint32_t c = first; c < last; ++c)
    if (m_flatOf[m_corners[c] / 3] != m_flatOf[m_corners[first] / 3]) return false;
  const uint32_t bounds[4] = {whole.begin, first, last, whole.end};
  m_sectors.resize(m_sectors.size() + 2, whole);
  for (uint32_t i = 0; i < 3; ++i) {
    const uint32_t s = fan.sectors[0] + i;
    if (i > 0) fan.sectors.push_back(s);
    m_sectors[s].begin = bounds[i];
    m_sectors[s].end = bounds[i + 1];
    m_sectors[s].across = i == 1;
    for (uint32_t c = bounds[i]; c < bounds[i + 1]; ++c) m_sectorOf[m_corners[c]] = s;
  }
  fan.ends = true;
  return true;
}

void Rounding::findOdd(Fan& fan) {
  if (!fan.closed || fan.edges.size() != 3) return;
  for (uint32_t o = 0; o < 3; ++o) {
    const uint32_t e = fan.edges[o], f = fan.edges[(o + 1) % 3], g = fan.edges[(o + 2) % 3];
    if (m_out[f] != m_out[g] || m_out[e] == m_out[f]) continue;
    Sector& s = m_sectors[fan.sectors[(o + 1) % 3]];
    const uint32_t t = m_corners[s.begin] / 3;
    for (uint32_t c = s.begin; c < s.end; ++c)
      if (m_flatOf[m_corners[c] / 3] != m_flatOf[t]) return;
    if (std::abs(dot(alongOf(e), m_normals[t])) < 0.9999f) return;
    fan.odd = o;
    s.across = true;
    m_fanOf[fan.sectors[(o + 1) % 3]] = uint32_t(m_fans.size());
  }
}

std::vector<std::vector<ArcPoint>> Rounding::ringAt(const Fan& fan) const {
  const uint32_t e = fan.edges[fan.odd], other = fan.edges[(fan.odd + 1) % 3];
  const float r = m_radius * m_room[fan.place] * (m_out[other] ? 1.0f : -1.0f);
  const V3f z = m_normals[m_corners[m_sectors[fan.sectors[(fan.odd + 1) % 3]].begin] / 3];
  std::vector<std::vector<ArcPoint>> rows;
  for (const ArcPoint& p : arc(fan.sectors[(fan.odd + 2) % 3], fan.sectors[fan.odd], e, false)) {
    rows.emplace_back();
    for (int i = 0; i <= 2 * m_half; ++i) {
      const V3f n = turned(p.normal, z, float(i) / float(2 * m_half));
      rows.back().push_back({i == 0 ? p.at : p.at + (n - p.normal) * r, n});
    }
  }
  return rows;
}

V3f Rounding::turned(const V3f& from, const V3f& to, float t) {
  const float turn = std::acos(std::clamp(dot(from, to), -1.0f, 1.0f));
  return turn < 1e-4f ? normalize(from * (1 - t) + to * t)
                      : normalize((from * std::sin((1 - t) * turn) + to * std::sin(t * turn)) * (1 / std::sin(turn)));
}

V3f Rounding::normalAround(uint32_t place, uint32_t begin, uint32_t end) const {
  V3f sum(0.0f), shaded(0.0f);
  for (uint32_t c = begin; c < end; ++c) {
    const uint32_t t = m_corners[c] / 3, k = m_corners[c] % 3;
    const V3f e1 = normalize(at(vertex(t, k + 1)) - at(place)), e2 = normalize(at(vertex(t, k + 2)) - at(place));
    const float angle = std::acos(std::clamp(dot(e1, e2), -1.0f, 1.0f));
    sum += m_normals[t] * angle;
    shaded += m_mesh.normals[original(m_corners[c])] * angle;
  }
  const V3f n = normalize(sum);
  return !isBlack(shaded) && dot(normalize(shaded), n) > 0.7f ? normalize(shaded) : n;
}

void Rounding::solve(Sector& s, bool stays) {
  s.normal = normalAround(s.place, s.begin, s.end);
  // Up to sharp edges within it, which are not rounded.
  uint32_t upTo = s.begin + 1, from = s.end - 1;
  while (upTo < s.end && !m_sharp[m_edgeOf[m_corners[upTo]]]) ++upTo;
  while (from > s.begin && !m_sharp[m_edgeOf[m_corners[from]]]) --from;
  s.first = upTo == s.end ? s.normal : normalAround(s.place, s.begin, upTo);
  s.last = upTo == s.end ? s.normal : normalAround(s.place, from, s.end);
  if (stays) return;
  M33d m(0.0);
  V3d r(0.0);
  float most = 0;
  const auto ask = [&](const V3f& direction, float distance) {
    const V3d d(direction);
    for (int i = 0; i < 3; ++i) {
      for (int j = 0; j < 3; ++j) m[i][j] += d[i] * d[j];
      r[i] += d[i] * double(distance);
    }
  };
  const uint32_t first = m_corners[s.begin], last = m_corners[s.end - 1];
  const auto side = [&](uint32_t corner, bool begin) {
    const uint32_t t = corner / 3, k = corner % 3, edge = m_edgeOf[3 * t + (begin ? k : (k + 2) % 3)];
    const V3f along = normalize(at(vertex(t, begin ? k + 1 : k + 2)) - at(s.place));
    ask(m_normals[t], 0);
    const float d = m_turn[edge] > 0 ? reach(edge) : 0;
    most = std::max(most, d);
    ask(begin ? cross(m_normals[t], along) : cross(along, m_normals[t]), d);
  };
  side(first, true);
  side(last, false);
  for (int i = 0; i < 3; ++i) m[i][i] += 1e-6;
  const V3d x = r * m.inverse(); // symmetric
  s.way = V3f(x);
  // Needles would send it far away.
  if (const float l = length(s.way); l > 8 * most) s.way *= 8 * most / l;
}

V3f Rounding::moved(uint32_t corner) const {
  const uint32_t s = m_sectorOf[corner], place = vertex(corner / 3, corner % 3);
  return s == none ? at(place) : at(place) + m_sectors[s].way * m_room[place];
}

} // namespace ilumbra::rounding
