#include "core/placing/beams.h"

#include "core/air/beam.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/placing/handle_parts.h"
#include "core/scene/media.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

constexpr float infinite = std::numeric_limits<float>::infinity();
constexpr int fan = 60; // rays are cast on the interface thread: some five thousand

// What is seen along a ray, by its distance and plane.
struct Look {
  float distance = infinite;
  V3f point, normal;
  const Instance* copy = nullptr;
};
Look lookAlong(const Scene& scene, const V2f& at) {
  const Ray ray = scene.camera.through(at.x, at.y);
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  Look out;
  V3f o = ray.origin;
  for (int guard = 0; guard < 32; ++guard) {
    Hit hit;
    if (!rays.intersect(o, ray.direction, infinite, hit)) return {};
    if (hit.object->switches & SwitchSeen) {
      out.distance = dot(hit.point - ray.origin, ray.direction);
      out.point = hit.point;
      out.normal = dot(hit.geometric, ray.direction) < 0 ? hit.geometric : -hit.geometric;
      out.copy = hit.instance;
      return out;
    }
    o = offset(hit.point, dot(ray.direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
  }
  return {};
}

// What is seen along a line across the picture, from a place to the frame's edge.
struct Spoke {
  V2f at, way;
  std::vector<std::pair<float, Look>> seen; ///< by pixels from the place
};
std::vector<Spoke> spokesFrom(const Scene& scene, const V2f& at, const Look& first) {
  std::vector<Spoke> out;
  for (int k = 0; k < fan; ++k) {
    const float angle = 2 * pi * float(k) / fan;
    Spoke s{at, {std::cos(angle), std::sin(angle)}, {{0, first}}};
    for (float r = 2;; r *= 1.08f) {
      const V2f p = at + s.way * r;
      if (p.x < 0 || p.y < 0 || p.x > float(scene.width) || p.y > float(scene.height)) break;
      s.seen.emplace_back(r, lookAlong(scene, p));
    }
    out.push_back(std::move(s));
  }
  return out;
}
// Where `outside` of two that follow one another is first true, closed in on: what is seen on both sides of it. False:
// nowhere.
template <typename F> bool rimOf(const Scene& scene, const Spoke& s, const F& outside, Look& in, Look& out) {
  for (size_t i = 1; i < s.seen.size(); ++i) {
    if (!outside(s.seen[i - 1].second, s.seen[i].second)) continue;
    float inner = s.seen[i - 1].first, outer = s.seen[i].first;
    const Look before = in = s.seen[i - 1].second;
    out = s.seen[i].second;
    for (int k = 0; k < 12; ++k) {
      const float middle = 0.5f * (inner + outer);
      const Look l = lookAlong(scene, s.at + s.way * middle);
      if (outside(before, l))
        outer = middle, out = l;
      else
        inner = middle, in = l;
    }
    return true;
  }
  return false;
}

// Points that lie within a share of the size of the line between their neighbours go.
std::vector<V3f> simpler(std::vector<V3f> p, float tolerance) {
  for (bool gone = true; gone && p.size() > 4;) {
    gone = false;
    size_t flattest = 0;
    float least = tolerance;
    for (size_t i = 0; i < p.size(); ++i) {
      const V3f &a = p[(i + p.size() - 1) % p.size()], &b = p[(i + 1) % p.size()], ab = b - a;
      const float off = length(cross(p[i] - a, ab)) / std::max(1e-9f, length(ab));
      if (off < least) {
        least = off;
        flattest = i;
        gone = true;
      }
    }
    if (gone) p.erase(p.begin() + std::ptrdiff_t(flattest));
  }
  return p;
}

FoundOpening openingOf(const Scene& scene, const std::vector<V3f>& points, bool hole) {
  const Opening o(points);
  FoundOpening f;
  f.corners = o.corners;
  f.hole = hole;
  f.centre = V3f(0.0f);
  for (const V3f& c : f.corners) f.centre += c * (1 / float(f.corners.size()));
  f.room = dot(o.normal, scene.camera.position() - f.centre) > 0 ? o.normal : -o.normal;
  for (const V3f& c : f.corners) f.size = std::max(f.size, length(c - f.centre));
  f.corners = simpler(f.corners, 0.03f * f.size);
  return f;
}

Constant place(const V3f& v) { return Constant(Triple{tidy(double(v.x)), tidy(double(v.y)), tidy(double(v.z))}); }
double rounded(double v) {
  const double unit = std::pow(10, std::floor(std::log10(std::max(1e-9, v))) - 1);
  return std::round(v / unit) * unit;
}

} // namespace

FoundOpening findOpening(const Scene& scene, const V2f& at) {
  const Look first = lookAlong(scene, at);
  const std::vector<Spoke> spokes = spokesFrom(scene, at, first);
  std::vector<V3f> rim;
  Look in, out;
  // What bounds a hole is nearer than what is seen through it, a horizon there included: first how near that is, then
  // where it begins.
  const auto nearer = [&](const Look& a, const Look& b) {
    return b.distance < 0.93f * std::min(a.distance, first.distance);
  };
  std::vector<float> nearest;
  for (const Spoke& s : spokes) {
    float least = infinite;
    for (size_t i = 1; i < s.seen.size(); ++i)
      if (nearer(s.seen[i - 1].second, s.seen[i].second)) least = std::min(least, s.seen[i].second.distance);
    nearest.push_back(least);
  }
  std::nth_element(nearest.begin(), nearest.begin() + fan / 2, nearest.end());
  const float wall = 1.6f * nearest[fan / 2];
  for (const Spoke& s : spokes)
    if (rimOf(
            scene, s, [&](const Look& a, const Look& b) { return b.distance < wall && nearer(a, b); }, in, out))
      rim.push_back(out.point);
  // Almost all around, and not farther than the things seen through it.
  if (rim.size() > size_t(fan * 0.8)) {
    const FoundOpening f = openingOf(scene, rim, true);
    if (!(first.distance < infinite) || dot(first.point - f.centre, f.room) < -0.02f * f.size) return f;
  }
  if (!first.copy) throw badInput("there is nothing in the picture that bounds an opening there");
  rim.clear();
  const auto leaves = [&](const Look&, const Look& l) {
    return l.copy != first.copy || dot(l.normal, first.normal) < 0.999f ||
           std::abs(dot(l.point - first.point, first.normal)) > 2e-3f * first.distance;
  };
  for (const Spoke& s : spokes)
    if (rimOf(scene, s, leaves, in, out)) rim.push_back(in.point);
  if (rim.size() < size_t(fan * 0.9))
    throw badInput("what is seen there has no rim in the picture: hold Shift and draw a rectangle on it");
  return openingOf(scene, rim, false);
}

FoundOpening drawnOpening(const Scene& scene, const V2f& from, const V2f& to) {
  const Look first = lookAlong(scene, from);
  if (!first.copy) throw badInput("there is nothing to draw an opening on");
  const V3f up = std::abs(first.normal.y) < 0.9f
                     ? normalize(V3f(0, 1, 0) - first.normal * first.normal.y)
                     : normalize(scene.camera.up() - first.normal * dot(scene.camera.up(), first.normal));
  const V3f right = cross(up, first.normal);
  const Ray ray = scene.camera.through(to.x, to.y);
  const float down = dot(ray.direction, first.normal), t = dot(first.point - ray.origin, first.normal) / down;
  if (!(std::abs(down) > 1e-5f) || !(t > 0)) throw badInput("the other corner lies beside the plane of what is seen");
  const V3f d = ray.origin + ray.direction * t - first.point;
  const V3f x = right * dot(d, right), y = up * dot(d, up);
  if (length(x) < 1e-4f || length(y) < 1e-4f)
    throw badInput("the opening has no area: draw from one corner to the other");
  return openingOf(scene, {first.point, first.point + x, first.point + x + y, first.point + y}, false);
}

namespace {

// The light that shines through an opening most, and whither; node 0: none does.
struct Through {
  NodeId light = 0;
  V3f axis{0.0f};
};
Through strongestThrough(const Document& doc, const Scene& scene, const FoundOpening& o) {
  Through out;
  double most = 0;
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const auto weigh = [&](const Emitter& e) {
    double sum = 0;
    V3f direction(0.0f);
    for (int k = 0; k < 64; ++k) {
      Sampler sampler(3, 1, uint32_t(k), 9);
      const V3f& corner = o.corners[size_t(k) % o.corners.size()];
      const V3f x = o.centre + (corner - o.centre) * (0.9f * sampler.get1());
      LightSample s;
      if (!e.light->sample(x, sampler.get2(), s) || dot(s.direction, o.room) >= -0.02f) continue;
      if (rays.occluded(x + s.direction * (1e-3f * o.size), s.direction,
                        std::isfinite(s.distance) ? s.distance * 0.999f - 1e-3f * o.size : infinite))
        continue;
      const double l = double(luminance(s.radiance * scene.groupScales[e.group] * e.baked)) /
                       (std::isfinite(s.pdf) ? double(s.pdf) : 1.0);
      sum += l;
      direction += s.direction * float(l);
    }
    if (sum <= most) return;
    most = sum;
    out = {scene.things[e.thing].node, normalize(-direction)};
  };
  for (const Emitter& e : scene.emitters)
    if (const Node* n = doc.find(scene.things[e.thing].node); n && n->kind->family() == "light") weigh(e);
  for (const Emitter& e : scene.skies) weigh(e);
  return out;
}

// A document on its way, with what is told of it.
struct Opened {
  Document doc;
  std::vector<std::string>* told;
  double white; ///< cd/m² of white

  void set(NodeId id, const char* param, const Constant& v) { doc = setValue(doc, id, param, v); }
  NodeId add(const char* kind, const char* name, const Place& place = {}) {
    NodeId id = 0;
    doc = addNode(doc, kind, name, place, &id);
    return id;
  }
  void tell(std::string what) const {
    if (told) told->push_back(std::move(what));
  }
};

NodeId drawPath(Opened& out, const FoundOpening& o) {
  const NodeId path = out.add("object.path", "Opening");
  out.set(path, "closed", Constant(true));
  out.set(path, "thickness", Constant(0.0));
  for (const V3f& c : o.corners) {
    const NodeId point = out.add("path.point", "Corner", {path, "points", size_t(-1)});
    out.set(point, "place", place(c));
    out.set(point, "sharp", Constant(true));
  }
  return path;
}

// A disc behind an opening through which no light came.
NodeId lightBehind(Opened& out, const FoundOpening& o) {
  const double size = double(o.size);
  const NodeId light = out.add("light.area", "Light behind");
  out.set(light, "form", Constant(std::string("disc")));
  out.set(light, "width", Constant(rounded(0.35 * size)));
  out.set(light, "height", Constant(rounded(0.35 * size)));
  out.set(light, "spread", Constant(40.0));
  out.set(light, "position", place(o.centre - o.room * (3 * o.size) + V3f(0, 1.2f, 0) * o.size));
  out.set(light, "target", place(o.centre));
  out.set(light, "power", Constant(rounded(out.white * 400 * size * size)));
  out.set(light, "seen", Constant(false));
  out.tell(fmt::format("No light came through it: {} was made", out.doc.find(light)->name));
  return light;
}

// A panel on a closed face, as wide and high as the opening.
NodeId lightOn(Opened& out, const FoundOpening& o) {
  const V3f up = std::abs(o.room.y) < 0.9f ? normalize(V3f(0, 1, 0) - o.room * o.room.y)
                                           : normalize(V3f(0, 0, -1) - o.room * o.room.z),
            right = cross(up, o.room);
  float w = 0, h = 0;
  for (const V3f& c : o.corners) {
    w = std::max(w, std::abs(dot(c - o.centre, right)));
    h = std::max(h, std::abs(dot(c - o.centre, up)));
  }
  const NodeId light = out.add("light.area", "Opening light");
  out.set(light, "width", Constant(rounded(2 * double(w))));
  out.set(light, "height", Constant(rounded(2 * double(h))));
  out.set(light, "spread", Constant(25.0));
  out.set(light, "position", place(o.centre + o.room * (0.01f * o.size)));
  out.set(light, "target", place(o.centre + o.room * o.size));
  out.set(light, "power", Constant(rounded(out.white * 30 * double(w) * double(h))));
  out.tell(fmt::format("It is closed, so {} shines from it", out.doc.find(light)->name));
  return light;
}

} // namespace

Document openBeam(const Document& doc, const Scene& scene, const FoundOpening& o, MadeBeam& made,
                  std::vector<std::string>* told) {
  Opened out{doc, told, 1 / std::max(1e-30, double(exposureFactor(doc, currentFrame(doc))))};
  made.begin = o.centre;
  made.axis = o.room;
  NodeId light = 0, path = 0;
  if (!o.hole) {
    light = lightOn(out, o);
  } else {
    const Through through = strongestThrough(doc, scene, o);
    path = drawPath(out, o);
    if (through.light) {
      light = through.light;
      made.axis = through.axis;
      out.tell(fmt::format("{} shines through it", doc.find(light)->name));
    } else {
      light = lightBehind(out, o);
      made.axis = normalize(o.room * 3.0f - V3f(0, 1.2f, 0));
    }
  }
  const double reach = rounded(4 * double(o.size));
  made.beam = out.add("air.beam", "Beam");
  out.set(made.beam, "light", Constant(Reference{light, nullptr}));
  if (path) out.set(made.beam, "opening", Constant(Reference{path, nullptr}));
  out.set(made.beam, "reach", Constant(reach));
  out.set(made.beam, "density", Constant(rounded(0.6 / reach)));
  out.set(made.beam, "edge", Constant(path ? 0.15 : 0.2));
  out.set(made.beam, "fade", Constant(0.85)); // it thins out instead of ending
  made.effect = out.add("effect.shafts", "");
  out.set(made.effect, "from", Constant(std::vector<Reference>{{light, nullptr}}));
  out.set(made.effect, "through", Constant(std::vector<Reference>{{made.beam, nullptr}}));
  out.tell(fmt::format("{} shows its light: drag its reach, and press on what it is to light",
                       out.doc.find(made.beam)->name));
  return out.doc;
}

double reachAt(const MadeBeam& b, const Camera& camera, const V2f& to) {
  // The place of its middle line that the ray passes closest to.
  const Ray ray = camera.through(to.x, to.y);
  const V3f w = b.begin - ray.origin;
  const float along = dot(b.axis, ray.direction), bottom = 1 - along * along;
  if (bottom < 1e-6f) return 0.05;
  return std::max(0.05, double((along * dot(w, ray.direction) - dot(w, b.axis)) / bottom));
}

namespace {

// The handles of a beam where it stands: how far it reaches, where it begins, how soft its sides are.
class BeamHandles {
 public:
  BeamHandles(const Node& air, const MediumPlace& place, const Camera& camera)
      : m_air(air), m_place(place), m_camera(camera), m_sides(place.region.sided()), m_begin(place.beam->begin),
        m_axis(m_sides ? place.beam->axis : camera.right()), m_around(m_axis) {}

  std::vector<Handle> all(double softness) {
    const float reach = m_place.beam->reach, start = m_place.beam->start;
    const MadeBeam line{m_air.id, 0, m_begin, m_axis};
    const auto along = [line, camera = m_camera](const V2f& to) { return reachAt(line, camera, to); };
    const std::vector<V3f> rim = across(0.98f * reach, 1), mouth = across(std::max(start, 0.02f * reach), 1);
    std::vector<std::vector<V3f>> lines{rim};
    if (m_sides)
      for (size_t k = 0; k < rim.size() && k < mouth.size(); k += 16) lines.push_back({mouth[k], rim[k]});
    add("reach", m_begin + m_axis * reach, lines, true, along);
    if (start > 0) add("start", m_begin + m_axis * start, {mouth}, false, along);
    if (m_sides && !rim.empty()) edge(0.6f * reach, float(softness));
    return std::move(m_out);
  }

 private:
  // Across it at a distance along its axis.
  std::vector<V3f> across(float at, float share) const {
    std::vector<V3f> ring;
    for (int k = 0; k <= 64; ++k) {
      const float a = 2 * pi * float(k) / 64;
      const V3f from = m_begin + m_axis * at, d = m_sides
                                                      ? m_around.x * std::cos(a) + m_around.y * std::sin(a)
                                                      : m_camera.right() * std::cos(a) + m_camera.up() * std::sin(a);
      float near = 0, far = 4 * m_place.beam->reach;
      if (m_sides && m_place.region.clip(from, d, near, far)) ring.push_back(from + d * (far * share));
      if (!m_sides) ring.push_back(m_begin + d * at);
    }
    return ring;
  }

  void add(const char* param, const V3f& at, const std::vector<std::vector<V3f>>& lines, bool area,
           const std::function<double(const V2f&)>& amount) {
    const ParamDef* def = m_air.kind->param(param);
    Handle handle;
    handle.id = handle.param = param;
    handle.label = def->label;
    handle.area = area;
    if (!m_camera.project(at, handle.at.x, handle.at.y)) return;
    for (const auto& l : lines) {
      std::vector<V2f> seen;
      for (const V3f& v : l)
        if (V2f s; m_camera.project(v, s.x, s.y)) seen.push_back(s);
      handle.lines.push_back(std::move(seen));
    }
    handle.drag = [id = m_air.id, param, amount, def](const Document& d, const V2f& to, const std::optional<Seen>&) {
      return setNow(d, {id, param, 0, {}}, Constant(std::clamp(tidy(amount(to)), def->hardMin, def->hardMax)));
    };
    m_out.push_back(std::move(handle));
  }

  // On the side where the beam is seen widest at a distance along its axis.
  void edge(float at, float softness) {
    const std::vector<V3f> inner = across(at, 1 - softness), outer = across(at, 1);
    V2f middle;
    if (!m_camera.project(m_begin + m_axis * at, middle.x, middle.y)) return;
    V2f side = middle;
    size_t best = inner.size();
    float widest = -1;
    for (size_t k = 0; k < inner.size(); ++k) {
      V2f s;
      if (!m_camera.project(outer[k], s.x, s.y) || std::hypot(s.x - middle.x, s.y - middle.y) <= widest) continue;
      widest = std::hypot(s.x - middle.x, s.y - middle.y);
      side = s;
      best = k;
    }
    if (best == inner.size()) return;
    add("edge", inner[best], {inner}, false, [middle, side](const V2f& to) {
      const V2f d = side - middle, q = to - middle;
      const double l2 = double(d.x * d.x + d.y * d.y);
      return l2 > 0 ? std::clamp(1 - double(d.x * q.x + d.y * q.y) / l2, 0.0, 1.0) : 0.0;
    });
  }

  const Node& m_air;
  const MediumPlace& m_place;
  const Camera& m_camera;
  const bool m_sides;
  const V3f m_begin, m_axis;
  const Frame m_around;
  std::vector<Handle> m_out;
};

} // namespace

std::vector<Handle> airHandles(const Node& air, double frame, const Scene& scene) {
  if (airForm(air) != AirForm::Beam || !scene.media) return {};
  for (size_t i = 0; i < scene.media->size(); ++i) {
    const Medium& h = (*scene.media)[i];
    if (scene.things[h.thing].node != air.id || h.places.empty() || !h.places.front().beam) continue;
    return BeamHandles(air, h.places.front(), scene.camera).all(Params(air, frame).number("edge"));
  }
  return {};
}

} // namespace ilumbra
