// Long, for it is one algorithm: its parts pass each other the same half-built mesh and mean nothing by themselves.
// Round edges: along each sharp edge a strip of an arc that touches both sides, where edges meet a patch of a ball.
#include "core/base/error.h"
#include "core/geometry/flat.h"
#include "core/geometry/form.h"
#include "core/geometry/mesh_tools.h"

#include <array>
#include <fmt/format.h>
#include <map>
#include <unordered_map>

namespace ilumbra {
namespace {

using V3d = Imath::V3d;
using M33d = Imath::M33d;

constexpr uint32_t none = ~0u;

// The triangles around a corner between two edges that are rounded (or rims): they move away from the edges together.
struct Sector {
  uint32_t place = none;
  V3f way{0.0f};                             ///< where the corner goes, for a corner with all its room
  V3f normal{0.0f}, first{0.0f}, last{0.0f}; ///< of all of it, and beside the edge before and the edge after it
  bool across = false;                       ///< opposite the end of an edge: it takes the arc as its outline
  uint32_t begin = 0, end = 0;               ///< triangles' corners, counter-clockwise, in `corners`
};
// The sectors around one place, counter-clockwise seen from outside. Edge i lies between sector i - 1 and sector i.
struct Fan {
  uint32_t place = none;
  std::vector<uint32_t> sectors, edges;
  bool closed = true;  ///< false: a rim runs through; then there is no edge before the first sector
  bool ends = false;   ///< one edge ends here at a flat side: sectors before it, across, and after it
  uint32_t odd = none; ///< the edge (in `edges`) that goes in where the other two stick out, or the other way around
};
struct ArcPoint {
  V3f at, normal;
};

class Rounding {
 public:
  Rounding(const Mesh& mesh, float radius, int half, float sharp, bool outward, bool inward)
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
  size_t count() const { return m_count; }
  size_t crowded() const {
    return size_t(std::count_if(m_edges.begin(), m_edges.end(), [](const MeshEdge& e) { return e.crowded; }));
  }
  /// Corners that had less room than the radius asks for, of all that are rounded.
  size_t narrow = 0, rounded = 0;

  Mesh run(const BuildFrom& from) {
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

 private:
  uint32_t vertex(uint32_t t, uint32_t k) const {
    const Mesh::Triangle& q = m_w.triangles[t];
    k %= 3;
    return k == 0 ? q.a : k == 1 ? q.b : q.c;
  }
  // The mesh's own vertex at a corner of a welded triangle.
  uint32_t original(uint32_t corner) const {
    const Mesh::Triangle& q = m_mesh.triangles[m_w.origin[corner / 3]];
    return corner % 3 == 0 ? q.a : corner % 3 == 1 ? q.b : q.c;
  }
  const V3f& at(uint32_t place) const { return m_w.positions[place]; }

  void chooseEdges() {
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
  // Triangles that lie in one plane side by side.
  void findFlats() {
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
  // The triangle beyond edge k of t.
  uint32_t across(uint32_t t, uint32_t k) const {
    const MeshEdge& e = m_edges[m_edgeOf[3 * t + k]];
    return e.crowded ? none : e.left == t ? e.right : e.left;
  }
  uint32_t cornerIn(uint32_t t, uint32_t place) const {
    return vertex(t, 0) == place ? 0u : vertex(t, 1) == place ? 1u : 2u;
  }

  // How far from the edge the arc touches: radius · tan(half the turn), for a knife's edge that of 160°.
  float reach(uint32_t edge) const { return m_radius * std::tan(0.5f * std::min(m_turn[edge], 160 * pi / 180)); }

  void gatherFans() {
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

  // Where an edge ends at a flat side between two sharp edges that are not rounded, the round is cut off by that side.
  bool splitAtEnd(Fan& fan) {
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

  // Where an inner edge meets two outer ones (or the other way around) at a right angle to the side between those, the
  // outline of that side is an arc, and the corner a piece of a ring.
  void findOdd(Fan& fan) {
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
  // Of such a corner: for each point of the odd edge's arc, from the sector before it to the one after, an arc from
  // there to the side across.
  std::vector<std::vector<ArcPoint>> ringAt(const Fan& fan) const {
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
  // From one direction to another, by equal angles.
  static V3f turned(const V3f& from, const V3f& to, float t) {
    const float turn = std::acos(std::clamp(dot(from, to), -1.0f, 1.0f));
    return turn < 1e-4f ? normalize(from * (1 - t) + to * t)
                        : normalize((from * std::sin((1 - t) * turn) + to * std::sin(t * turn)) * (1 / std::sin(turn)));
  }

  // The normal of the corners from `begin` up to `end`, by their angles: the mesh's own if it is near to it.
  V3f normalAround(uint32_t place, uint32_t begin, uint32_t end) const {
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

  // The place that keeps its distance from the edges on both sides and stays in the faces beside them: least squares in
  // three unknowns, exact wherever that can be had (flat sectors, and the straight lines between two flats).
  void solve(Sector& s, bool stays) {
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

  V3f moved(uint32_t corner) const {
    const uint32_t s = m_sectorOf[corner], place = vertex(corner / 3, corner % 3);
    return s == none ? at(place) : at(place) + m_sectors[s].way * m_room[place];
  }

  // A flat's outline after its corners have moved, counter-clockwise around it. Of every point: the place in the mesh.
  struct OutlinePoint {
    ArcPoint point;
    uint32_t corner;
  };
  std::vector<std::vector<OutlinePoint>> outlines(const std::vector<uint32_t>& triangles) const {
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
  // The flat filled anew, of points of its outline; empty if the outline crosses itself or has turned over: then
  // `clashes` are the places of the mesh at which it does.
  std::vector<std::array<OutlinePoint, 3>> refilled(const std::vector<uint32_t>& triangles,
                                                    std::vector<uint32_t>* clashes = nullptr) const {
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

  // True if the patch of a corner folds over: more than three sides that no ball touches.
  bool folds(const Fan& fan) {
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

  // Where a triangle would turn over, its flat is filled anew; where that is no way out, its corners get less of the
  // radius.
  void findRoom(const BuildFrom& from) {
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
        for (uint32_t k = 0; k < 3; ++k)
          longest = std::max(longest, (at(vertex(t, k + 1)) - at(vertex(t, k))).length2());
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

  uint32_t add(const V3f& position, const V3f& normal, const V2f& uv) {
    m_made->positions.push_back(position);
    m_made->normals.push_back(normal);
    if (!m_mesh.uvs.empty()) m_made->uvs.push_back(uv);
    return uint32_t(m_made->positions.size() - 1);
  }
  void face(uint32_t a, uint32_t b, uint32_t c, uint8_t inside) {
    const auto& p = m_made->positions;
    if (p[a] == p[b] || p[b] == p[c] || p[c] == p[a]) return;
    m_made->triangles.push_back({a, b, c});
    if (!m_mesh.inside.empty()) m_made->inside.push_back(inside);
  }
  uint8_t insideOf(uint32_t triangle) const {
    return m_mesh.inside.empty() ? uint8_t(0) : m_mesh.inside[m_w.origin[triangle]];
  }

  V2f uvOf(uint32_t corner) const { return m_mesh.uvs.empty() ? V2f(0, 0) : m_mesh.uvs[original(corner)]; }
  // Where the corner has gone to in the texture, read off the triangle of its sector under that place.
  V2f movedUv(uint32_t corner) const { return uvAt(corner, moved(corner)); }
  V2f uvAt(uint32_t corner, const V3f& position) const {
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

  void regions() {
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

  V3f sectorAt(uint32_t sector) const {
    return at(m_sectors[sector].place) + m_sectors[sector].way * m_room[m_sectors[sector].place];
  }
  // Of the arc between two sectors, across an edge along `along`: more than 0 where it bulges.
  float arcRadius(uint32_t from, uint32_t to, const V3f& along) const {
    V3f d = m_sectors[to].first - m_sectors[from].last, chord = sectorAt(to) - sectorAt(from);
    d -= along * dot(along, d);
    chord -= along * dot(along, chord);
    const float l = dot(d, d);
    return l < 1e-8f ? 0 : dot(chord, d) / l;
  }
  V3f alongOf(uint32_t edge) const { return normalize(at(m_edges[edge].b) - at(m_edges[edge].a)); }
  // It lies on the cylinder about the edge that touches both sides; where only two meet or one ends, it may be cut at a
  // slant, in the plane of its ends and the corner.
  std::vector<ArcPoint> arc(uint32_t from, uint32_t to, uint32_t edge, bool mayBeCut) const {
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
  // The outline that the end of a round gives the sector across from it, as the sector's outline runs.
  std::vector<ArcPoint> arcAcross(uint32_t sector) const {
    if (const auto it = m_fanOf.find(sector); it != m_fanOf.end()) {
      std::vector<ArcPoint> outline;
      for (const auto& row : ringAt(m_fans[it->second])) outline.push_back(row.back());
      return outline;
    }
    return arc(sector + 1, sector - 1, m_edgeOf[m_corners[m_sectors[sector - 1].begin]], true);
  }
  // Each edge's arc at each of its ends, from the sector before it to the one after, as the fan runs.
  void arcs(const Fan& fan) {
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
  uint64_t key(uint32_t edge, uint32_t place) const { return 2 * uint64_t(edge) + (m_edges[edge].b == place); }

  void strip(uint32_t edge) {
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

  // Where three edges or more meet (or two at a rim): from each sector's corner to the middles of the arcs beside it
  // and to the middle of the patch. A place in it is as far from the centres of its arcs as they are, along the normal
  // between the sectors'; for one radius that is the ball that touches all sides.
  void patch(const Fan& fan) {
    const size_t n = fan.sectors.size();
    if (n < 3 || fan.ends || m_room[fan.place] <= 0) return;
    const int h = m_half;
    if (fan.odd != none) {
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
      return;
    }
    // Side i runs from sector i - 1 to sector i; at a rim the last is a straight one.
    std::vector<std::vector<ArcPoint>> sides(n);
    std::vector<float> radius(n);
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

  const Mesh& m_mesh;
  const Welded m_w;
  const std::vector<MeshEdge> m_edges;
  const float m_radius;
  const int m_half; ///< facets from a side to the middle of the arc
  const float m_least;
  const bool m_outward, m_inward;
  std::vector<uint32_t> m_edgeOf; ///< by corner of a triangle: the edge that begins there
  std::vector<V3f> m_normals;     ///< by triangle
  std::vector<float> m_turn;      ///< by edge: radians; 0: it is not rounded
  size_t m_count = 0;
  std::vector<uint32_t> m_corners, m_sectorOf;
  std::vector<Sector> m_sectors;
  std::vector<Fan> m_fans;
  std::unordered_map<uint32_t, uint32_t> m_fanOf; ///< by sector across from an odd edge
  std::vector<char> m_out;                        ///< by edge: it sticks out
  std::vector<char> m_sharp;                      ///< by edge: it turns by more, rounded or not
  std::vector<uint32_t> m_flatOf;                 ///< by triangle: the flat that it is part of
  uint32_t m_flats = 0;
  std::vector<char> m_refill; ///< by flat
  std::vector<std::pair<uint32_t, std::vector<std::array<OutlinePoint, 3>>>>
      m_filled;              ///< a triangle of the flat, and those in its stead
  std::vector<float> m_room; ///< by place: the share of the radius
  std::unordered_map<uint64_t, std::vector<ArcPoint>> m_arcs;
  Mesh* m_made = nullptr;
};

} // namespace

ModifierKind roundModifier() {
  return {
      {.id = "modifier.round",
       .label = "Round edges",
       .helpText = "Makes sharp edges round, so that they catch the light, and the corners where they meet.",
       .params = modifierParams({number("radius", "Radius", "m", 0.005)
                                     .soft(0.0002, 0.1)
                                     .range(1e-6, 1e4)
                                     .log()
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Of the round; where there is no room for it, less"),
                                 choice("edges", "Edges", {"outer", "inner", "both"})
                                     .at(Invalidation::Geometry)
                                     .matters()
                                     .help("Those that stick out, those that a brush would not reach into, or both"),
                                 number("sharp", "Sharp from", "°", 30)
                                     .soft(1, 90)
                                     .range(0.1, 179)
                                     .at(Invalidation::Geometry)
                                     .help("How much the surface turns at an edge that is made round, at least"),
                                 integer("steps", "Steps", 4)
                                     .soft(1, 12)
                                     .range(1, 64)
                                     .at(Invalidation::Geometry)
                                     .help("Facets from a side to the middle of the round")})},
      [](Form& form, const Params& p, const BuildFrom& from) {
        Mesh mesh = meshOf(form);
        if (mesh.normals.empty()) smooth(mesh, 0.5f); // facets stay facets
        const std::string which = p.text("edges");
        Rounding rounding(mesh, p.real("radius"), int(p.number("steps")), p.real("sharp"), which != "inner",
                          which != "outer");
        if (rounding.crowded() > 0)
          throw badInput(
              fmt::format("{}: {} edges have more than two faces; Mend may help", p.node().name, rounding.crowded()));
        if (rounding.count() == 0)
          throw badInput(fmt::format("{}.edges: the object has no such edges that turn by {}° or more", p.node().name,
                                     p.number("sharp")));
        Mesh made = rounding.run(from);
        if (rounding.narrow > 0 && from.warnings)
          from.warnings->push_back(fmt::format("{}.radius: {} of {} corners have no room for it and are rounded less",
                                               p.node().name, rounding.narrow, rounding.rounded));
        meshOf(form) = std::move(made);
      },
      {}};
}

} // namespace ilumbra
