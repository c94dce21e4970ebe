#include "core/compile/sight.h"

#include "core/compile/camera.h"
#include "core/geometry/shape.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

namespace ilumbra {
namespace {

// Where a thing stands by its parameters alone: enough to tell how far it moves from frame to frame.
V3f standsAt(const Document& doc, const Node& n, double frame) {
  V3f own(0.0f);
  if (n.kind->param("position") && !n.kind->param("turn")) {
    const Triple t = Params(n, frame).triple("position");
    own = {float(t[0]), float(t[1]), float(t[2])};
  }
  return transformPoint(worldMatrix(doc, n, frame), own);
}

struct Ball {
  V3f centre{0.0f};
  float radius = 0;
  bool found = false;
};

// Around all that belongs to a thing.
Ball ballOf(const Document& doc, const Scene& scene, NodeId thing, const std::set<NodeId>& all) {
  Ball b;
  Box3f box;
  for (const InstancedObject& i : scene.objects)
    if (scene.things[i.thing].among(all) || (i.material != noMaterial && scene.materials[i.material]->node == thing))
      box.extendBy(i.bounds);
  const Node* n = doc.find(thing);
  if (box.isEmpty())
    for (const std::vector<Emitter>* list : {&scene.emitters, &scene.skies})
      for (const Emitter& e : *list)
        if (!b.found && scene.things[e.thing].among(all)) {
          const LightReach reach = e.light->reach();
          if (!std::isfinite(reach.radius)) continue;
          b = {reach.centre, reach.radius, true};
          if (e.light->infinite()) b.centre += scene.camera.position();
        }
  if (!box.isEmpty()) b = {(box.min + box.max) * 0.5f, 0.5f * length(box.max - box.min), true};
  if (!b.found && n) b = {standsAt(doc, *n, currentFrame(doc)), 0, true};
  return b;
}

bool looksThrough(const Scene& scene, const InstancedObject& in) {
  if (!(in.switches & SwitchSeen) || (in.switches & SwitchCatches)) return true;
  if (in.material == noMaterial) return false;
  const Material& m = *scene.materials[in.material];
  return !m.layered() && (m.transmission.real({}) > 0.5f || (!m.opacity.program && m.opacity.constant.x < 0.5f) ||
                          (!m.veil.keys.empty() && m.veil.at(1) < 0.5f));
}

} // namespace

std::set<NodeId> heldBy(const Document& doc, NodeId thing) {
  std::set<NodeId> all{thing};
  if (const Node* n = doc.find(thing))
    for (const char* slot : {"objects", "carries"})
      if (const auto it = n->children.find(slot); it != n->children.end())
        for (const NodeId c : it->second) all.merge(heldBy(doc, c));
  return all;
}

SeenAt seenAt(const Document& doc, const Scene& scene, NodeId thing, const V3f& place, double frame) {
  SeenAt s;
  const double now = currentFrame(doc);
  Ball ball{place, 0, true};
  const std::set<NodeId> all = thing ? heldBy(doc, thing) : std::set<NodeId>();
  if (thing) {
    ball = ballOf(doc, scene, thing, all);
    if (const Node* n = doc.find(thing); n && frame != now)
      ball.centre += standsAt(doc, *n, frame) - standsAt(doc, *n, now);
  }
  Camera moved;
  const Node* node = activeCamera(doc);
  if (frame != now && node) moved = cameraOf(doc, *node, frame, scene.width, scene.height);
  const Camera& camera = frame != now && node ? moved : scene.camera;
  const V3f way = ball.centre - camera.position();
  s.depth = dot(way, camera.forward());
  float x, y;
  if (!camera.project(ball.centre, x, y)) {
    // Behind the camera: far out on the side where it lies.
    s.at = V2f(0.5f * float(scene.width), 0.5f * float(scene.height)) +
           V2f(dot(way, camera.right()), -dot(way, camera.up())).normalized() * float(4 * (scene.width + scene.height));
    return s;
  }
  s.at = {x, y};
  s.share = 1;
  if (frame != now) return s;
  // Rays over the ball's disc: of those that would meet the thing, which do so unhindered.
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const V3f eye = camera.position();
  const float distance = length(way);
  if (distance <= ball.radius) return s;
  const Imath::Vec3<float> towards = way * (1 / distance);
  const ilumbra::Frame side(towards);
  const bool body = thing && std::any_of(scene.objects.begin(), scene.objects.end(),
                                         [&](const InstancedObject& i) { return scene.things[i.thing].among(all); });
  constexpr int most = 64;
  const int n = ball.radius > 0 ? most : 1;
  int would = 0, does = 0;
  for (int i = 0; i < n; ++i) {
    const V2f d = n == 1 ? V2f(0, 0)
                         : sampleDisc({(float(i) + 0.5f) / most, sampling::toUnit(sampling::reverseBits(uint32_t(i)))});
    const V3f to = ball.centre + (side.x * d.x + side.y * d.y) * ball.radius;
    const V3f direction = normalize(to - eye);
    float left = body ? std::numeric_limits<float>::infinity() : length(to - eye) * 0.9999f;
    V3f from = eye;
    bool hidden = false, met = !body;
    for (int guard = 0; guard < 64; ++guard) {
      Hit hit;
      if (!rays.intersect(from, direction, left, hit)) break;
      const InstancedObject& in = *hit.object;
      if (thing && scene.things[in.thing].among(all)) {
        met = true;
        break;
      }
      if (!looksThrough(scene, in)) {
        hidden = true;
        if (!body) break;
      }
      left -= hit.distance;
      from = offset(hit.point, dot(direction, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
    }
    would += met;
    does += met && !hidden;
  }
  s.share = would ? float(does) / float(would) : 1;
  return s;
}

} // namespace ilumbra
