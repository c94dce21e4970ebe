#include "core/geometry/rounding.h"

#include "core/base/error.h"

namespace ilumbra::rounding {

std::vector<std::vector<Rounding::OutlinePoint>> Rounding::outlines(const std::vector<uint32_t>& triangles) const {
  const uint32_t flat = m_flatOf[triangles[0]];
  const auto rim = [&](uint32_t h) {
    const uint32_t other = across(h / 3, h % 3);
    return other == none || m_flatOf[other] != flat;
  };
  std::vector<uint32_t> todo;
  for (const uint32_t t : triangles)
    for (uint32_t k = 0; k < 3; ++k)
      if (rim(3 * t + k)) todo.push_back(3 * t + k);
  std::unordered_map<uint32_t, bool> seen;
  std::vector<std::vector<OutlinePoint>> rings;
  for (const uint32_t first : todo) {
    if (seen[first]) continue;
    rings.emplace_back();
    uint32_t h = first;
    for (size_t guard = 0; guard <= todo.size(); ++guard) {
      seen[h] = true;
      const uint32_t place = vertex(h / 3, h % 3 + 1);
      uint32_t corner = 3 * (h / 3) + (h % 3 + 1) % 3;
      const uint32_t s = m_sectorOf[corner];
      if (s != none && m_sectors[s].across)
        for (const ArcPoint& q : arcAcross(s)) rings.back().push_back({{q.at, m_normals[h / 3]}, corner});
      else
        rings.back().push_back({{moved(corner), m_mesh.normals[original(corner)]}, corner});
      for (size_t turn = 0; turn < m_edges.size() && !rim(corner); ++turn) {
        const uint32_t other = across(corner / 3, corner % 3);
        corner = 3 * other + cornerIn(other, place);
      }
      h = corner;
      if (h == first) break;
    }
  }
  return rings;
}

std::vector<std::array<Rounding::OutlinePoint, 3>> Rounding::refilled(const std::vector<uint32_t>& triangles,
                                                                      std::vector<uint32_t>* clashes) const {
  const V3f n = m_normals[triangles[0]], o = at(vertex(triangles[0], 0));
  const Frame frame(n);
  Rings rings;
  std::map<std::pair<float, float>, OutlinePoint> points;
  double wanted = 0;
  bool turnedOver = false;
  struct Segment {
    V2f a, b;
    uint32_t placeA, placeB;
  };
  std::vector<Segment> segments;
  const auto placeOf = [&](uint32_t corner) { return vertex(corner / 3, corner % 3); };
  for (const auto& outline : outlines(triangles)) {
    std::vector<uint32_t> places;
    rings.emplace_back();
    for (const OutlinePoint& p : outline) {
      const V2f q(dot(p.point.at - o, frame.x), dot(p.point.at - o, frame.y));
      if (!rings.back().empty() && rings.back().back() == q) continue;
      rings.back().push_back(q);
      places.push_back(placeOf(p.corner));
      points.emplace(std::pair(q.x, q.y), p);
    }
    for (size_t i = 0; i < rings.back().size(); ++i) {
      const V2f &a = rings.back()[i], &b = rings.back()[(i + 1) % rings.back().size()];
      wanted += 0.5 * (double(a.x) * double(b.y) - double(a.y) * double(b.x));
      const uint32_t from = places[i], to = places[(i + 1) % places.size()];
      segments.push_back({a, b, from, to});
      // A side that has turned over.
      const V2f before(dot(at(to) - at(from), frame.x), dot(at(to) - at(from), frame.y));
      if (from == to || before.dot(b - a) >= 0) continue;
      turnedOver = true;
      if (clashes) clashes->insert(clashes->end(), {from, to});
    }
  }
  std::vector<std::array<OutlinePoint, 3>> out;
  if (turnedOver || !(wanted > 0)) return out;
  const Filled f = filled(rings);
  if (clashes && f.places.size() > points.size())
    for (size_t i = points.size(); i < f.places.size(); ++i)
      for (const Segment& g : segments) {
        const V2f d = g.b - g.a, q = f.places[i] - g.a;
        const float l2 = d.dot(d), t = std::clamp(l2 > 0 ? q.dot(d) / l2 : 0.0f, 0.0f, 1.0f);
        if ((q - d * t).length() < 1e-3f * (d.length() + 1e-3f * std::sqrt(float(wanted))))
          clashes->insert(clashes->end(), {g.placeA, g.placeB});
      }
  double sum = 0;
  for (const Mesh::Triangle& t : f.triangles) {
    const V2f a = f.places[t.a], b = f.places[t.b], c = f.places[t.c];
    sum += 0.5 * (double(b.x - a.x) * double(c.y - a.y) - double(b.y - a.y) * double(c.x - a.x));
    const auto pa = points.find({a.x, a.y}), pb = points.find({b.x, b.y}), pc = points.find({c.x, c.y});
    if (pa == points.end() || pb == points.end() || pc == points.end()) return {}; // lines cross
    out.push_back({pa->second, pb->second, pc->second});
  }
  if (std::abs(sum - wanted) > 1e-4 * wanted) out.clear();
  return out;
}

bool Rounding::folds(const Fan& fan) {
  if (fan.sectors.size() < 3 || fan.ends || fan.odd != none) return false;
  Mesh trial;
  m_made = &trial;
  arcs(fan);
  patch(fan);
  return std::any_of(trial.triangles.begin(), trial.triangles.end(), [&](const Mesh::Triangle& t) {
    const V3f n = cross(trial.positions[t.b] - trial.positions[t.a], trial.positions[t.c] - trial.positions[t.a]);
    return dot(n, trial.normals[t.a] + trial.normals[t.b] + trial.normals[t.c]) < 0.3f * length(n);
  });
}

void Rounding::findRoom(const BuildFrom& from) {
  std::vector<std::vector<uint32_t>> flats(m_flats);
  for (uint32_t t = 0; t < m_w.triangles.size(); ++t) flats[m_flatOf[t]].push_back(t);
  m_refill.assign(m_flats, 0);
  std::vector<char> moves(m_w.positions.size());
  for (const Fan& f : m_fans) moves[f.place] = 1;
  for (const Sector& s : m_sectors)
    if (s.across) m_refill[m_flatOf[m_corners[s.begin] / 3]] = 1;
  // Such a corner stays as it is, and its edges run out to it.
  for (const Fan& f : m_fans)
    if (folds(f)) m_room[f.place] = 0;
  std::vector<char> takes(m_w.positions.size()), looks(m_flats, 1), asItWas(m_flats);
  bool any = true;
  while (any) {
    from.stopIfCancelled();
    std::fill(takes.begin(), takes.end(), 0);
    any = false;
    const auto take = [&](uint32_t place) {
      if (m_room[place] <= 0 || !moves[place]) return false;
      takes[place] = 1;
      any = true;
      return true;
    };
    const auto takeAll = [&](uint32_t t) {
      bool some = false;
      for (uint32_t k = 0; k < 3; ++k)
        if (m_sectorOf[3 * t + k] != none) some = take(vertex(t, k)) || some;
      return some;
    };
    for (uint32_t t = 0; t < m_w.triangles.size(); ++t) {
      const uint32_t flat = m_flatOf[t];
      if (!looks[flat] || m_refill[flat] ||
          (m_sectorOf[3 * t] == none && m_sectorOf[3 * t + 1] == none && m_sectorOf[3 * t + 2] == none))
        continue;
      const V3f before = cross(at(vertex(t, 1)) - at(vertex(t, 0)), at(vertex(t, 2)) - at(vertex(t, 0)));
      float longest = 0;
      for (uint32_t k = 0; k < 3; ++k) longest = std::max(longest, (at(vertex(t, k + 1)) - at(vertex(t, k))).length2());
      if (length(before) < 1e-5f * longest) continue; // a sliver's direction says nothing
      const V3f a = moved(3 * t), after = cross(moved(3 * t + 1) - a, moved(3 * t + 2) - a);
      if (dot(after, m_normals[t]) > 0.01f * length(before) && dot(after, m_normals[t]) > 0.7f * length(after))
        continue;
      if (flats[flat].size() > 1 && !asItWas[flat])
        m_refill[flat] = 1;
      else
        takeAll(t);
    }
    for (uint32_t f = 0; f < m_flats; ++f) {
      if (!looks[f] || !m_refill[f]) continue;
      std::vector<uint32_t> clashes;
      if (!refilled(flats[f], &clashes).empty()) continue;
      bool some = false;
      for (const uint32_t place : clashes) some = take(place) || some;
      if (!some)
        for (const uint32_t t : flats[f]) some = takeAll(t) || some;
      if (!some) { // nothing of it moves: it stays as it was
        m_refill[f] = 0;
        asItWas[f] = 1;
      }
    }
    std::fill(looks.begin(), looks.end(), 0);
    for (size_t i = 0; i < takes.size(); ++i)
      if (takes[i]) m_room[i] = m_room[i] < 0.05f ? 0 : m_room[i] * 0.85f;
    for (uint32_t t = 0; t < m_w.triangles.size(); ++t)
      for (uint32_t k = 0; k < 3; ++k)
        if (takes[vertex(t, k)]) looks[m_flatOf[t]] = 1;
  }
  for (const Fan& f : m_fans) {
    ++rounded;
    if (m_room[f.place] < 0.999f) ++narrow;
  }
  for (uint32_t f = 0; f < m_flats; ++f)
    if (m_refill[f]) m_filled.push_back({flats[f][0], refilled(flats[f])});
}

void Rounding::regions() {
  std::vector<uint32_t> kept(m_mesh.positions.size(), none); // corners that have not moved are shared as before
  for (const auto& [first, triangles] : m_filled)
    for (const auto& t : triangles) {
      uint32_t v[3];
      for (size_t k = 0; k < 3; ++k) {
        const ArcPoint& p = t[k].point;
        v[k] = add(p.at, p.normal, uvAt(t[k].corner, p.at));
      }
      face(v[0], v[1], v[2], insideOf(first));
    }
  for (uint32_t t = 0; t < m_w.triangles.size(); ++t) {
    if (m_refill[m_flatOf[t]]) continue;
    uint32_t v[3];
    for (uint32_t k = 0; k < 3; ++k) {
      const uint32_t corner = 3 * t + k, o = original(corner);
      if (m_sectorOf[corner] == none) {
        if (kept[o] == none) kept[o] = add(at(vertex(t, k)), m_mesh.normals[o], uvOf(corner));
        v[k] = kept[o];
      } else {
        v[k] = add(moved(corner), m_mesh.normals[o], movedUv(corner));
      }
    }
    face(v[0], v[1], v[2], insideOf(t));
  }
}

} // namespace ilumbra::rounding
