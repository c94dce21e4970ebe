// A softbox: a panel that shapes what a body mirrors, unseen by the camera, placed by where on the body its reflection
// is to lie.
#include "core/effects/softbox.h"

#include "core/compile/camera.h"
#include "core/compile/resting_lobes.h"
#include "core/effects/making.h"
#include "core/effects/reflection.h"
#include "core/effects/route_parts.h"
#include "core/geometry/shape.h"
#include "core/scene/ray_caster.h"
#include "core/scene/scene.h"
#include "core/surface/presets.h"

#include <fmt/format.h>

namespace ilumbra {
namespace {

// A panel square on to what comes off a face, so far away, so large.
void putPanel(Document& doc, NodeId panel, const V3f& place, const V3f& off, float away) {
  const Node& n = *doc.find(panel);
  const M44f down = n.parent ? worldMatrix(doc, *doc.find(n.parent), currentFrame(doc)).inverse() : M44f();
  const auto put = [&](const char* param, const V3f& world) {
    const V3f p = transformPoint(down, world);
    doc = setNow(doc, {panel, param, 0, {}},
                 Triple{std::round(double(p.x) * 1e4) / 1e4, std::round(double(p.y) * 1e4) / 1e4,
                        std::round(double(p.z) * 1e4) / 1e4});
  };
  put("position", place + off * away);
  put("target", place);
}

NodeId panelFor(Document& doc, const std::string& name, float wide, float high, double stops) {
  const double area = double(wide) * double(high);
  return add(doc, "light.area", name,
             {{"width", tidy(double(wide))},
              {"height", tidy(double(high))},
              {"seen", "off"},
              {"power", tidy(std::exp2(stops) * white(doc) * 3.14159265358979 * area)}});
}

// Where sight from `eye` meets a ball, and whither it goes on from there; `at` in radii from the ball's middle, to the
// right and upwards.
void offBall(const V3f& eye, const V3f& middle, float radius, const V2f& at, V3f& place, V3f& off) {
  const V3f back = normalize(eye - middle), right = normalize(cross(V3f(0, 1, 0), back)), up = cross(back, right);
  const float depth = std::sqrt(std::max(0.05f, 1 - at.x * at.x - at.y * at.y));
  const V3f normal = normalize(right * at.x + up * at.y + back * depth);
  place = middle + normal * radius;
  const V3f way = normalize(place - eye);
  off = way - normal * (2 * dot(way, normal));
}

Document makeSoftbox(Document doc, NodeId effect, const std::vector<NodeId>&, std::vector<std::string>* told) {
  // A selected panel is the softbox; the object is what mirrors it.
  for (const NodeId id : roleOf(doc, *doc.find(effect), "from"))
    if (doc.find(id)->kind->family() == "object") {
      doc = leaveRole(doc, effect, "from", id);
      take(doc, effect, "onto", id);
    }
  if (roleOf(doc, *doc.find(effect), "onto").empty()) {
    NodeId body = mainObject(doc);
    if (!body) {
      body = ballOf(doc, "Black ball", "Black lacquer", "Black lacquer");
      tell(told, "There was nothing to mirror it: a black ball was made");
    } else {
      tell(told, doc.find(body)->name + " mirrors it");
    }
    take(doc, effect, "onto", body);
  }
  const std::vector<NodeId> bodies = roleOf(doc, *doc.find(effect), "onto");
  const Box3f box = boundsOf(doc, bodies);
  const Framed f = framed(doc);
  const V3f middle = box.isEmpty() ? f.middle : box.center();
  const float radius = box.isEmpty() ? 0.25f * f.height : 0.5f * std::max({box.size().x, box.size().y, box.size().z});
  V3f eye = middle + V3f(0, 0.4f, 3) * radius;
  if (const Node* c = activeCamera(doc)) eye = cameraOf(doc, *c, currentFrame(doc), 160, 90).position();
  if (roleOf(doc, *doc.find(effect), "from").empty()) {
    // A tall one to the left, a slim one that draws the other side.
    struct Box {
      const char* name;
      V2f at;
      float wide, high, away;
      double stops;
    };
    for (const Box& b :
         {Box{"Panel", {-0.46f, 0.4f}, 1.7f, 2.6f, 3.0f, 4.3}, Box{"Strip", {0.74f, 0.12f}, 0.5f, 3.4f, 2.6f, 3.4}}) {
      V3f place, off;
      offBall(eye, middle, radius, b.at, place, off);
      const NodeId panel = panelFor(doc, b.name, b.wide * radius, b.high * radius, b.stops);
      putPanel(doc, panel, place, off, b.away * radius);
      take(doc, effect, "from", panel);
    }
    tell(told, "Two panels were placed by where they are mirrored: Panel and Strip. The camera does not see them");
  }
  stageFor(doc, treeOf(doc, bodies.front()), Stage::Dark, told);
  return doc;
}

} // namespace

Document placedPanel(const Document& doc, NodeId panel, const Scene& scene, float x, float y, std::string* why) {
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const Ray ray = scene.camera.through(x, y);
  V3f from = ray.origin;
  Hit hit;
  for (int guard = 0; guard < 32; ++guard) {
    if (!rays.intersect(from, ray.direction, std::numeric_limits<float>::infinity(), hit)) {
      if (why) *why = "there is nothing that could mirror it";
      return doc;
    }
    if ((hit.object->switches & SwitchSeen) && hit.object->light < 0) break;
    from = offset(hit.point, dot(hit.geometric, ray.direction) > 0 ? hit.geometric : -hit.geometric);
  }
  V3f n = hit.shading;
  if (dot(n, ray.direction) > 0) n = -n;
  const V3f off = ray.direction - n * (2 * dot(ray.direction, n));
  // As far away as it is; it keeps its size.
  const Node* light = doc.find(panel);
  if (!light || !light->kind->param("position") || !light->kind->param("target")) {
    if (why) *why = "it is no panel that can be placed";
    return doc;
  }
  const Triple now = Params(*light, currentFrame(doc)).triple("position");
  const M44f up = light->parent ? worldMatrix(doc, *doc.find(light->parent), currentFrame(doc)) : M44f();
  const float away = length(transformPoint(up, V3f(float(now[0]), float(now[1]), float(now[2]))) - hit.point);
  Document out = doc;
  putPanel(out, panel, hit.point, off, std::max(away, 1e-3f));
  return out;
}

EffectKind softboxEffect() {
  return {.kind = {.id = "effect.softbox",
                   .label = "Softbox",
                   .helpText = "Panels that shape what a body mirrors, unseen by the camera.",
                   .params =
                       {flag("on", "On", true).at(Invalidation::Geometry).help("Off: what mirrors them is dark there"),
                        references("from", "From", {"light."})
                            .fixed()
                            .at(Invalidation::Lens)
                            .help("The panels; each may be placed by pointing at where it is to be mirrored"),
                        references("onto", "Onto", {"object."})
                            .fixed()
                            .at(Invalidation::Geometry)
                            .help("The body that mirrors them")},
                   .existence = Invalidation::Geometry,
                   .switches = {"from"},
                   .role = seesMirrored},
          .roles = {{"from", "From", "a panel", true}, {"onto", "Onto", "a body that mirrors it"}},
          .make = makeSoftbox,
          .share = sightShare,
          .measure = measureReflection};
}

} // namespace ilumbra
