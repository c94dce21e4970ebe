#include "core/document/follow.h"

#include "core/base/curve.h"
#include "core/document/placement.h"

#include <algorithm>
#include <set>

namespace ilumbra {

std::vector<LinePoint> pathPoints(const Document& doc, const Params& path) {
  std::vector<LinePoint> c;
  if (const auto it = path.node().children.find("points"); it != path.node().children.end())
    for (const NodeId id : it->second) {
      const Params k(*doc.find(id), path.frame());
      c.push_back({vec(k.triple("place")), k.flag("sharp")});
    }
  if (c.empty())
    c = {{{-0.8f, 0, 0}, false}, {{-0.3f, 0.35f, 0}, false}, {{0.3f, 0.35f, 0}, false}, {{0.8f, 0, 0}, false}};
  return c;
}

std::vector<V3f> pathLine(const Document& doc, const Params& path, int finest) {
  const std::vector<LinePoint> c = pathPoints(doc, path);
  if (c.size() < 2) return {};
  const bool closed = path.flag("closed");
  const int steps = std::max(finest, int(path.number("steps"))), n = int(c.size());
  std::vector<V3f> out;
  for (int i = 0; i < (closed ? n : n - 1); ++i) {
    const auto at = [&](int k) { return c[size_t((k + n) % n)]; };
    const LinePoint a = at(i), b = at(i + 1);
    const bool first = !closed && i == 0, last = !closed && i == n - 2;
    const V3f p1 = a.place, p2 = b.place, p0 = first || a.sharp ? p1 * 2.0f - p2 : at(i - 1).place,
              p3 = last || b.sharp ? p2 * 2.0f - p1 : at(i + 2).place;
    const int pieces = a.sharp && b.sharp ? 1 : steps;
    for (int k = 0; k < pieces; ++k) out.push_back(k == 0 ? p1 : between(p0, p1, p2, p3, float(k) / float(pieces)));
  }
  out.push_back(closed ? out.front() : c.back().place);
  return out;
}

std::vector<ParamDef> followParams() {
  const auto one = [](ParamDef d) {
    d.stage = Invalidation::Placement;
    d.group = "Path";
    return d;
  };
  return {one(reference("path", "Follows", {"object."})
                  .help("The path that it goes along; its position and turn count from there")),
          one(number("along", "Along", "%", 0)
                  .soft(0, 1)
                  .range(-1e4, 1e4)
                  .when("path", "a thing")
                  .help("Where on the path, of its length; with keys, or moved by Run, it travels")),
          one(number("travelled", "Travelled", "m", 0)
                  .soft(0, 10)
                  .range(-1e6, 1e6)
                  .when("path", "a thing")
                  .help("Metres farther along: moved by Run, its speed is in metres")),
          one(choice("at_its_end", "At its end", {"begins anew", "stops"})
                  .when("path", "a thing")
                  .help("Of a path that is not closed: what comes after its last point")),
          one(choice("turns_along", "Turns along", {"upright", "freely", "no"})
                  .when("path", "a thing")
                  .help("Its z along the path: with y as upright as can be, or rolling as little as it can; or not at "
                        "all")),
          one(number("bank", "Bank", "°", 0)
                  .soft(0, 60)
                  .range(-1e4, 1e4)
                  .when("path", "a thing")
                  .help("How far it leans into a bend with a radius of 1 m: half as far at 2 m, never over 80°"))};
}

namespace {

// True if where a thing stands depends on what `goal` says of its place: by what holds it and by the paths that are
// followed.
bool dependsOn(const Document& doc, const Node& thing, NodeId goal, double frame, std::set<NodeId>& seen) {
  for (const Node* n = &thing; n; n = doc.find(n->parent)) {
    if (n->id == goal) return true;
    if (!seen.insert(n->id).second) return false;
    if (!n->kind->param("path") || !n->kind->param("along")) continue;
    const Node* path = doc.find(Params(*n, frame).reference("path").target);
    if (path && dependsOn(doc, *path, goal, frame, seen)) return true;
  }
  return false;
}

// Whatever is drawn as a line through places.
bool isPath(const Node& n) { return n.kind->slot("points") && n.kind->param("closed") && n.kind->param("steps"); }

struct Track {
  std::vector<V3f> line; // in the world
  std::vector<float> at; // metres from its start, of each place
  bool closed = false;

  Track(const Document& doc, const Node& path, double frame) : line(pathLine(doc, Params(path, frame), 48)) {
    const M44f world = worldMatrix(doc, path, frame);
    for (V3f& p : line) p = transformPoint(world, p);
    at.assign(line.size(), 0.0f);
    for (size_t i = 1; i < line.size(); ++i) at[i] = at[i - 1] + length(line[i] - line[i - 1]);
    closed = line.size() > 2 && Params(path, frame).flag("closed");
  }

  float whole() const { return at.empty() ? 0 : at.back(); }
  size_t pieceAt(float s) const {
    const size_t i = size_t(std::upper_bound(at.begin(), at.end(), s) - at.begin());
    return std::clamp<size_t>(i, 1, line.size() - 1);
  }
  // Beyond the ends of what is not closed it goes on straight, so that its way is known there.
  V3f place(float s) const {
    if (closed) s -= whole() * std::floor(s / whole());
    const size_t i = pieceAt(s);
    const float piece = at[i] - at[i - 1];
    return piece > 0 ? mix(line[i - 1], line[i], (s - at[i - 1]) / piece) : line[i];
  }
  // Over a little of it, so that it turns steadily where one piece ends and the next begins.
  V3f way(float s) const {
    const float reach = whole() * 0.005f;
    return normalize(place(s + reach) - place(s - reach));
  }

  // An upright at a place, carried there from the start with as little roll as can be (Wang et al. 2008, double
  // reflection); on a closed one what is left over after a round is spread over all of it.
  V3f carriedUp(float s) const {
    const auto upright = [](const V3f& t) {
      const V3f up = V3f(0, 1, 0) - t * t.y;
      return dot(up, up) > 1e-8f ? normalize(up) : Frame(t).x;
    };
    const auto carry = [](const V3f& up, const V3f& from, const V3f& to, const V3f& t0, const V3f& t1) {
      const V3f v1 = to - from;
      const float c1 = dot(v1, v1);
      if (!(c1 > 0)) return up;
      const V3f u = up - v1 * (2 / c1 * dot(v1, up)), t = t0 - v1 * (2 / c1 * dot(v1, t0)), v2 = t1 - t;
      const float c2 = dot(v2, v2);
      return c2 > 0 ? normalize(u - v2 * (2 / c2 * dot(v2, u))) : normalize(u);
    };
    const V3f start = upright(way(0));
    V3f up = start, here = place(0), t = way(0);
    const auto to = [&](float next) {
      const V3f there = place(next), then = way(next);
      up = carry(up, here, there, t, then);
      here = there;
      t = then;
    };
    constexpr int steps = 256;
    const int full = int(s / whole() * steps);
    for (int k = 1; k <= full; ++k) to(whole() * float(k) / steps);
    to(s);
    if (!closed) return up;
    const V3f found = up, along = t;
    for (int k = full + 1; k <= steps; ++k) to(whole() * float(k) / steps);
    const float over = std::atan2(dot(cross(up, start), way(0)), dot(up, start)), a = over * s / whole();
    return found * std::cos(a) + cross(along, found) * std::sin(a);
  }
};

} // namespace

const Node* followedPath(const Document& doc, const Node& thing, double frame) {
  if (!thing.kind->param("path") || !thing.kind->param("along")) return nullptr;
  const Node* path = doc.find(Params(thing, frame).reference("path").target);
  if (!path || !isPath(*path)) return nullptr;
  std::set<NodeId> seen;
  return dependsOn(doc, *path, thing.id, frame, seen) ? nullptr : path;
}

M44f followMatrix(const Document& doc, const Node& thing, double frame) {
  const Node* path = followedPath(doc, thing, frame);
  if (!path) return M44f();
  const Track track(doc, *path, frame);
  const float whole = track.whole();
  if (track.line.size() < 2 || !(whole > 0) || !std::isfinite(whole)) return M44f();
  const Params p(thing, frame);
  double round = p.number("along") + p.number("travelled") / double(whole);
  if (track.closed || p.text("at_its_end") == "begins anew") {
    // The end of an open path is its end, not its start.
    if (track.closed || round < 0 || round > 1) round -= std::floor(round);
  } else {
    round = std::clamp(round, 0.0, 1.0);
  }
  const float s = float(round) * whole;
  const V3f at = track.place(s), z = track.way(s);
  M44f m;
  const std::string turns = p.text("turns_along");
  if (turns != "no" && !isBlack(z)) {
    V3f up = turns == "freely" ? track.carriedUp(s) : V3f(0, 1, 0);
    V3f x = cross(up, z);
    x = dot(x, x) > 1e-8f ? normalize(x) : Frame(z).x;
    V3f y = cross(z, x);
    if (const float bank = p.real("bank"); bank != 0) {
      // Curvature to its left (+x) over a fiftieth of the path.
      const float reach = whole * 0.02f;
      const float bend = dot(track.way(s + reach) - track.way(s - reach), x) / (2 * reach);
      const float a = std::clamp(-bank * bend, -80.0f, 80.0f) * pi / 180, c = std::cos(a), sn = std::sin(a);
      const V3f leant = x * c + y * sn;
      y = y * c - x * sn;
      x = leant;
    }
    m = M44f(x.x, x.y, x.z, 0, y.x, y.y, y.z, 0, z.x, z.y, z.z, 0, at.x, at.y, at.z, 1);
  } else {
    m.setTranslation(at);
  }
  return thing.parent ? m * worldMatrix(doc, *doc.find(thing.parent), frame).inverse() : m;
}

double pathLength(const Document& doc, const Node& thing, double frame) {
  const Node* path = followedPath(doc, thing, frame);
  return path ? double(Track(doc, *path, frame).whole()) : 0;
}

} // namespace ilumbra
