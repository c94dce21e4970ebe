#include "core/geometry/grid.h"

#include <limits>

namespace ilumbra {

ParamDef sizeParam(const char* name, const char* label, double initial, const char* help) {
  return number(name, label, "m", initial)
      .soft(0.001, 10)
      .range(1e-6, 1e6)
      .log()
      .at(Invalidation::Geometry)
      .matters()
      .help(help);
}

ParamDef segmentsParam(const char* name, const char* label, const char* help) {
  return integer(name, label, 0)
      .soft(0, 512)
      .range(0, 4096)
      .at(Invalidation::Geometry)
      .help(help + std::string("; 0: as many as its size asks for"));
}

uint32_t segmentsFor(double wanted, float radius) {
  if (wanted > 0) return std::max(3u, uint32_t(wanted));
  // r (1 - cos(pi / n)) is how far the middle of a facet lies inside.
  const double error = std::max(2e-5, double(radius) / 25000);
  return uint32_t(std::clamp(std::ceil(M_PI * std::sqrt(double(radius) / (2 * error))), 48.0, 1024.0));
}

void circle(float u, uint32_t n, float& c, float& s) {
  const uint32_t i = uint32_t(std::lround(u * float(n))) % n;
  const float a = 2 * pi * float(i) / float(n);
  c = std::cos(a);
  s = std::sin(a);
}

void appendDisc(Mesh& m, float radius, float inner, float y, uint32_t n, bool up) {
  if (!(radius > inner)) return;
  const size_t from = m.positions.size();
  appendGrid(m, n, 1, [&](float u, float v, V3f& p, V3f& normal) {
    float c, s;
    circle(u, n, c, s);
    const float r = up == (v > 0) ? inner : radius;
    p = {r * c, y, -r * s};
    normal = {0, up ? 1.0f : -1.0f, 0};
  });
  for (size_t i = from; i < m.positions.size(); ++i)
    m.uvs[i] = {0.5f + 0.5f * m.positions[i].x / radius, 0.5f - 0.5f * m.positions[i].z / radius};
}

void appendTurned(Mesh& m, const std::vector<ProfilePoint>& profile, bool ring, uint32_t around) {
  const size_t n = profile.size(), pieces = ring ? n : n - 1;
  if (n < 2) return;
  std::vector<V2f> out(pieces); // of each piece, to the outside
  std::vector<float> along(pieces + 1, 0);
  for (size_t i = 0; i < pieces; ++i) {
    const ProfilePoint &a = profile[i], &b = profile[(i + 1) % n];
    const V2f d(b.radius - a.radius, b.height - a.height);
    const float l = d.length();
    out[i] = l > 0 ? V2f(d.y / l, -d.x / l) : V2f(0, 0);
    along[i + 1] = along[i] + l;
  }
  const float whole = std::max(along.back(), 1e-30f);
  const auto normalAt = [&](size_t piece, bool atEnd) -> V2f {
    const size_t p = (piece + (atEnd ? 1 : 0)) % n;
    const bool end = !ring && (p == 0 || p == n - 1);
    if (profile[p].sharp) return out[piece];
    if (profile[p].radius <= 0) return {0, out[piece].y < 0 ? -1.0f : 1.0f}; // round over the axis
    if (end) return out[piece];
    const size_t other = atEnd ? (piece + 1) % pieces : (piece + pieces - 1) % pieces;
    const V2f sum = out[piece] + out[other];
    return sum.length() > 0 ? sum : out[piece];
  };
  for (size_t i = 0; i < pieces; ++i) {
    const ProfilePoint &a = profile[i], &b = profile[(i + 1) % n];
    if (a.radius <= 0 && b.radius <= 0) continue;
    const size_t from = m.positions.size();
    appendGrid(m, around, 1, [&](float u, float v, V3f& p, V3f& normal) {
      float c, s;
      circle(u, around, c, s);
      const ProfilePoint& at = v > 0 ? b : a;
      const V2f o = normalAt(i, v > 0);
      p = {at.radius * c, at.height, -at.radius * s};
      normal = {o.x * c, o.y, -o.x * s};
    });
    for (size_t k = from; k < m.uvs.size(); ++k) m.uvs[k].y = mix(along[i], along[i + 1], m.uvs[k].y) / whole;
  }
}

void appendClosedTube(Mesh& m, const std::vector<V3f>& line, const std::vector<V3f>& up, float radius, float flat,
                      uint32_t sides) {
  const auto n = uint32_t(line.size());
  std::vector<V3f> across(n), rise(n);
  for (uint32_t i = 0; i < n; ++i) {
    const V3f tangent = normalize(line[(i + 1) % n] - line[(i + n - 1) % n]);
    rise[i] = normalize(up[i] - tangent * dot(up[i], tangent));
    across[i] = cross(tangent, rise[i]);
  }
  appendGrid(m, n, sides, [&](float u, float v, V3f& p, V3f& normal) {
    const uint32_t i = uint32_t(std::lround(u * float(n))) % n;
    float c, s;
    circle(v, sides, c, s);
    p = line[i] + across[i] * (radius * c) + rise[i] * (radius * flat * s);
    normal = across[i] * (c * flat) + rise[i] * s;
  });
}

HalfSpace through(const V3d& a, const V3d& b, const V3d& c) {
  const V3d n = (b - a).cross(c - a).normalized();
  return {n, n.dot(a)};
}

Mesh convexBody(const std::vector<HalfSpace>& sides) {
  const size_t n = sides.size();
  double size = 0;
  for (const HalfSpace& s : sides) size = std::max(size, std::abs(s.distance));
  const double close = 1e-7 * size;
  std::vector<V3d> corners;
  std::vector<std::vector<size_t>> of(n); // corners of each side
  const auto inside = [&](const V3d& p) {
    for (const HalfSpace& s : sides)
      if (s.normal.dot(p) > s.distance + close) return false;
    return true;
  };
  for (size_t i = 0; i < n; ++i)
    for (size_t j = i + 1; j < n; ++j) {
      const V3d line = sides[i].normal.cross(sides[j].normal);
      if (line.length2() < 1e-16) continue;
      for (size_t k = j + 1; k < n; ++k) {
        const double det = line.dot(sides[k].normal);
        if (std::abs(det) < 1e-9) continue;
        const V3d p = (sides[j].normal.cross(sides[k].normal) * sides[i].distance +
                       sides[k].normal.cross(sides[i].normal) * sides[j].distance + line * sides[k].distance) /
                      det;
        if (!inside(p)) continue;
        size_t c = 0;
        while (c < corners.size() && (corners[c] - p).length2() > sqr(float(10 * close))) ++c;
        if (c == corners.size()) corners.push_back(p);
      }
    }
  Mesh m;
  for (size_t i = 0; i < n; ++i) {
    const HalfSpace& s = sides[i];
    bool twice = false;
    for (size_t j = 0; j < i; ++j)
      twice |= (sides[j].normal - s.normal).length2() < 1e-14 && std::abs(sides[j].distance - s.distance) < close;
    if (twice) continue;
    V3d centre(0);
    std::vector<size_t> list;
    for (size_t c = 0; c < corners.size(); ++c)
      if (std::abs(s.normal.dot(corners[c]) - s.distance) < 20 * close) {
        list.push_back(c);
        centre += corners[c];
      }
    if (list.size() < 3) continue;
    centre /= double(list.size());
    const V3d x = (corners[list[0]] - centre).normalized(), y = s.normal.cross(x);
    std::sort(list.begin(), list.end(), [&](size_t a, size_t b) {
      const V3d p = corners[a] - centre, q = corners[b] - centre;
      return std::atan2(p.dot(y), p.dot(x)) < std::atan2(q.dot(y), q.dot(x));
    });
    const auto base = uint32_t(m.positions.size());
    double reach = 1e-300;
    for (const size_t c : list) reach = std::max(reach, (corners[c] - centre).length());
    for (const size_t c : list) {
      m.positions.emplace_back(corners[c]);
      m.normals.emplace_back(s.normal);
      const V3d p = corners[c] - centre;
      m.uvs.emplace_back(0.5 + 0.5 * p.dot(x) / reach, 0.5 + 0.5 * p.dot(y) / reach);
    }
    for (uint32_t k = 1; k + 1 < list.size(); ++k) m.triangles.push_back({base, base + k, base + k + 1});
  }
  return m;
}

Mesh convexHull(const std::vector<V3d>& points) {
  double size = 0;
  for (const V3d& p : points) size = std::max(size, p.length());
  std::vector<HalfSpace> sides;
  for (size_t i = 0; i < points.size(); ++i)
    for (size_t j = i + 1; j < points.size(); ++j)
      for (size_t k = j + 1; k < points.size(); ++k) {
        const V3d n = (points[j] - points[i]).cross(points[k] - points[i]);
        if (n.length() < 1e-12 * size * size) continue;
        HalfSpace s = through(points[i], points[j], points[k]);
        double most = -std::numeric_limits<double>::infinity(), least = -most;
        for (const V3d& p : points) {
          most = std::max(most, s.normal.dot(p) - s.distance);
          least = std::min(least, s.normal.dot(p) - s.distance);
        }
        if (most > 1e-9 * size && least < -1e-9 * size) continue;
        if (most > 1e-9 * size) s = {-s.normal, -s.distance};
        bool known = false;
        for (const HalfSpace& o : sides)
          known |= (o.normal - s.normal).length2() < 1e-14 && std::abs(o.distance - s.distance) < 1e-9 * size;
        if (!known) sides.push_back(s);
      }
  return convexBody(sides);
}

void append(Mesh& to, const Mesh& from) {
  const auto fillNormals = [](Mesh& m) {
    if (!m.normals.empty() || m.positions.empty()) return;
    smooth(m, 0.5f);
  };
  if (to.positions.empty()) {
    to = from;
    return;
  }
  Mesh add = from;
  if (to.normals.empty() != add.normals.empty()) {
    fillNormals(to);
    fillNormals(add);
  }
  const auto both = [&](auto& a, auto& b, const auto& missing) {
    if (a.empty() == b.empty()) return;
    a.resize(to.positions.size(), missing);
    b.resize(add.positions.size(), missing);
  };
  both(to.uvs, add.uvs, V2f(0, 0));
  both(to.uvs2, add.uvs2, V2f(0, 0));
  both(to.colors, add.colors, V4f(1, 1, 1, 1));
  const auto first = uint32_t(to.positions.size());
  to.positions.insert(to.positions.end(), add.positions.begin(), add.positions.end());
  to.normals.insert(to.normals.end(), add.normals.begin(), add.normals.end());
  to.uvs.insert(to.uvs.end(), add.uvs.begin(), add.uvs.end());
  to.uvs2.insert(to.uvs2.end(), add.uvs2.begin(), add.uvs2.end());
  to.colors.insert(to.colors.end(), add.colors.begin(), add.colors.end());
  if (!to.inside.empty() || !add.inside.empty()) {
    to.inside.resize(to.triangles.size());
    add.inside.resize(add.triangles.size());
    to.inside.insert(to.inside.end(), add.inside.begin(), add.inside.end());
  }
  for (const Mesh::Triangle& t : add.triangles) to.triangles.push_back({t.a + first, t.b + first, t.c + first});
}

} // namespace ilumbra
