#include "core/effects/making.h"

#include "core/compile/camera.h"
#include "core/document/units.h"
#include "core/effects/effect.h"
#include "core/geometry/form.h"
#include "core/geometry/no_assets.h"
#include "core/geometry/shape.h"

#include <cmath>
#include <fmt/format.h>
#include <ImathBoxAlgo.h>

namespace ilumbra {

Framed framed(const Document& doc) {
  Framed f;
  const double frame = currentFrame(doc);
  const Node* n = activeCamera(doc);
  if (!n) return f;
  const Camera camera = cameraOf(doc, *n, frame, 160, 90);
  float far = camera.focus();
  if (n->kind->param("target")) {
    const Triple t = Params(*n, frame).triple("target");
    V3f target{float(t[0]), float(t[1]), float(t[2])};
    if (n->parent) target = transformPoint(worldMatrix(doc, *doc.find(n->parent), frame), target);
    far = std::max(0.05f, dot(target - camera.position(), camera.forward()));
  }
  f.middle = camera.position() + camera.forward() * far;
  f.height = camera.seenHeight() * far;
  f.floor = f.middle.y - 0.5f * f.height;
  if (f.floor < 0 && f.middle.y > 0) f.floor = 0; // the ground, where it is in sight
  return f;
}

Box3f boundsOf(const Document& doc, const std::vector<NodeId>& objects) {
  Box3f box;
  const NoAssets none;
  std::vector<NodeId> all; // groups by what they hold
  for (const NodeId id : objects)
    for (const NodeId held : treeOf(doc, id)) all.push_back(held);
  for (const NodeId id : all) {
    const Node* n = doc.find(id);
    if (!n || n->kind->family() != "object" || isGroup(*n)) continue;
    try {
      const Box3f own = formOf(*n, {doc, currentFrame(doc), none}).bounds();
      if (!own.isEmpty()) box.extendBy(Imath::transform(own, worldMatrix(doc, *n, currentFrame(doc))));
    } catch (const std::exception&) { // told where the scene is compiled
    }
  }
  return box;
}

void cameraFor(Document& doc, std::vector<std::string>* told) {
  if (activeCamera(doc)) return;
  std::vector<NodeId> objects;
  for (const Node* n : doc.family("object"))
    if (isShown(doc, *n, currentFrame(doc))) objects.push_back(n->id);
  const Box3f box = boundsOf(doc, objects);
  const V3f middle = box.isEmpty() ? V3f(0, 0.25f, 0) : box.center();
  const float size = box.isEmpty() ? 0.6f : std::clamp(0.5f * length(box.size()), 0.05f, 10.0f);
  const V3f from = middle + V3f(0.8f, 1.9f, 4.2f) * size;
  add(doc, "camera.lens", "Camera",
      {{"position", text(from)}, {"target", text(middle)}, {"focus", tidy(double(length(from - middle)))}});
  tell(told, "There was no camera: one was made");
}

std::string tidy(double v) {
  if (!(v > 0)) return "0";
  const double unit = std::pow(10, std::floor(std::log10(v)) - 1);
  return fmt::format("{:g}", std::round(v / unit) * unit);
}
std::string text(const V3f& p) { return fmt::format("{:.3f}, {:.3f}, {:.3f}", p.x, p.y, p.z); }

NodeId add(Document& doc, const char* kind, const std::string& name,
           const std::vector<std::pair<std::string, std::string>>& values, const Place& place) {
  NodeId id = 0;
  doc = addNode(doc, kind, name, place, &id);
  for (const auto& [param, value] : values)
    doc = setValue(doc, id, param, parseValue(doc, *doc.find(id)->kind->param(param), value));
  return id;
}

void take(Document& doc, NodeId effect, const char* role, NodeId thing) {
  std::vector<Reference> list = Params(*doc.find(effect), currentFrame(doc)).references(role);
  if (std::any_of(list.begin(), list.end(), [&](const Reference& r) { return r.target == thing; })) return;
  list.push_back({thing, nullptr});
  doc = setNow(doc, {effect, role, 0, {}}, Constant(list));
}

void tell(std::vector<std::string>* told, std::string what) {
  if (told) told->push_back(std::move(what));
}

bool farAway(const Node& light) { return light.kind->param("power") && light.kind->param("power")->unit != "lm"; }

NodeId lightFor(Document& doc, NodeId effect, const std::vector<std::string>& kinds, const char* made,
                const std::vector<std::pair<std::string, std::string>>& values, std::vector<std::string>* told) {
  if (const std::vector<NodeId> named = roleOf(doc, *doc.find(effect), "from"); !named.empty()) return named.front();
  for (const std::string& kind : kinds)
    for (const Node* n : doc.family("light"))
      if (accepted({kind}, n->kind->id)) {
        const NodeId id = n->id;
        const std::string name = n->name;
        take(doc, effect, "from", id);
        tell(told, fmt::format("{} shines into it", name));
        return id;
      }
  const NodeId id = add(doc, made, "", values);
  take(doc, effect, "from", id);
  tell(told, fmt::format("There was no light for it: {} was made", doc.find(id)->name));
  return id;
}

double white(const Document& doc) { return 1 / std::max(1e-30, double(exposureFactor(doc, currentFrame(doc)))); }

} // namespace ilumbra
