#include "demo/pierced.h"

namespace ilumbra {
namespace {

constexpr int around = 48; // points of a hole, a multiple of 16 so that cells meet their neighbours

// A point on the border of the unit square [-1, 1]² for t in [0, around): corners are hit exactly.
V2f border(int t) {
  const int side = around / 4, s = t / side % 4;
  const float f = 2 * float(t % side) / float(side) - 1;
  switch (s) {
  case 0:
    return {1, f};
  case 1:
    return {-f, 1};
  case 2:
    return {-1, -f};
  default:
    return {f, -1};
  }
}

} // namespace

Mesh piercedShell(const PiercedShell& s) {
  Mesh m;
  const auto place = [&](float u, float v, float depth, V3f& p, V3f& n) {
    const float e = 1e-3f, v0 = std::max(0.0f, v - e), v1 = std::min(1.0f, v + e);
    const V2f here = s.profile(v), a = s.profile(v0), b = s.profile(v1);
    const V2f along = b - a;
    const float l = std::sqrt(along.x * along.x + along.y * along.y);
    const V2f out(along.y / l, -along.x / l); // right of the way up: outwards
    const float angle = 2 * pi * u, c = std::cos(angle), sn = std::sin(angle);
    const float r = here.x - out.x * depth, y = here.y - out.y * depth;
    p = {r * c, y, -r * sn};
    n = {out.x * c, out.y, -out.x * sn};
  };
  const auto vertex = [&](float u, float v, bool inner) {
    V3f p, n;
    place(u, v, inner ? s.wall : 0, p, n);
    m.positions.push_back(p);
    m.normals.push_back(inner ? -n : n);
    m.uvs.emplace_back(u, v);
    return uint32_t(m.positions.size() - 1);
  };
  const auto face = [&](uint32_t a, uint32_t b, uint32_t c, uint32_t d, bool flip) {
    if (flip) {
      m.triangles.push_back({a, c, b});
      m.triangles.push_back({a, d, c});
    } else {
      m.triangles.push_back({a, b, c});
      m.triangles.push_back({a, c, d});
    }
  };
  // The metres that a cell is wide and high, so that holes are round.
  for (int row = 0; row < s.rows; ++row) {
    const float vc = (float(row) + 0.5f) / float(s.rows);
    const V2f lo = s.profile(float(row) / float(s.rows)), hi = s.profile(float(row + 1) / float(s.rows));
    const float height = std::sqrt(sqr(hi.x - lo.x) + sqr(hi.y - lo.y)),
                width = 2 * pi * s.profile(vc).x / float(s.columns);
    const float shift = row % 2 ? s.stagger : 0;
    for (int column = 0; column < s.columns; ++column) {
      const float scale = s.size ? s.size(row, column) : 1;
      const float radius = 0.5f * s.opening * std::min(width, height) * scale;
      const bool closed = scale < 0.05f;
      uint32_t ring[2][around], frame[2][around];
      V2f edge[around];
      for (int t = 0; t < around; ++t) {
        const V2f b = border(t);
        const float angle = std::atan2(b.y, b.x);
        const float wave = 1 - s.star * 0.5f * (1 - std::cos(float(s.points) * angle));
        const float x = closed ? 0 : radius * wave * std::cos(angle) / width,
                    y = closed ? 0 : radius * wave * std::sin(angle) / height;
        const float cu = (float(column) + 0.5f + shift) / float(s.columns);
        edge[t] = {cu + x / float(s.columns), vc + y / float(s.rows)};
        const V2f outer(cu + 0.5f * b.x / float(s.columns), vc + 0.5f * b.y / float(s.rows));
        for (int side = 0; side < 2; ++side) {
          ring[side][t] = vertex(edge[t].x, edge[t].y, side == 1);
          frame[side][t] = vertex(outer.x, outer.y, side == 1);
        }
      }
      for (int t = 0; t < around; ++t) {
        const int u = (t + 1) % around;
        for (int side = 0; side < 2; ++side) {
          if (closed)
            m.triangles.push_back(side ? Mesh::Triangle{ring[side][t], frame[side][u], frame[side][t]}
                                       : Mesh::Triangle{ring[side][t], frame[side][t], frame[side][u]});
          else
            face(ring[side][t], frame[side][t], frame[side][u], ring[side][u], side == 1);
        }
        if (closed) continue;
        // The wall of the hole, with normals of its own.
        V3f p0, p1, q0, q1, n;
        place(edge[t].x, edge[t].y, 0, p0, n);
        place(edge[u].x, edge[u].y, 0, p1, n);
        place(edge[t].x, edge[t].y, s.wall, q0, n);
        place(edge[u].x, edge[u].y, s.wall, q1, n);
        const V3f wallNormal = normalize(cross(p1 - p0, q0 - p0));
        const auto base = uint32_t(m.positions.size());
        for (const V3f& p : {p0, p1, q1, q0}) {
          m.positions.push_back(p);
          m.normals.push_back(wallNormal);
          m.uvs.push_back(edge[t]);
        }
        face(base, base + 1, base + 2, base + 3, false);
      }
    }
  }
  // Rims at both ends.
  const int n = s.columns * around / 4;
  for (int end = 0; end < 2; ++end) {
    const float v = float(end);
    const bool staggered = (end ? s.rows - 1 : 0) % 2;
    const float shift = staggered ? s.stagger / float(s.columns) : 0;
    for (int i = 0; i < n; ++i) {
      V3f p[4], normal;
      const float a = float(i) / float(n) + shift, b = float(i + 1) / float(n) + shift;
      place(a, v, 0, p[0], normal);
      place(b, v, 0, p[1], normal);
      place(b, v, s.wall, p[2], normal);
      place(a, v, s.wall, p[3], normal);
      const auto base = uint32_t(m.positions.size());
      for (const V3f& q : p) {
        m.positions.push_back(q);
        m.normals.push_back({0, end ? 1.0f : -1.0f, 0});
        m.uvs.emplace_back(a, v);
      }
      face(base, base + 1, base + 2, base + 3, end == 0);
    }
  }
  return m;
}

} // namespace ilumbra
