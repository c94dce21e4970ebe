#include "core/effects/making.h"

#include "core/compile/camera.h"
#include "core/document/units.h"
#include "core/effects/effect.h"
#include "core/geometry/form.h"
#include "core/geometry/no_assets.h"
#include "core/geometry/shape.h"
#include "core/surface/presets.h"

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

NodeId mainObject(const Document& doc, const std::vector<NodeId>& but) {
  const double frame = currentFrame(doc);
  float most = 0;
  NodeId best = 0;
  const Framed f = framed(doc);
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material") || !isShown(doc, *n, frame) ||
        std::find(but.begin(), but.end(), n->id) != but.end())
      continue;
    const Box3f box = boundsOf(doc, {n->id});
    // What the picture is about, not what it stands on.
    if (box.isEmpty() || length(box.size()) > 1.5f * f.height) continue;
    if (length(box.size()) > most) most = length(box.size()), best = n->id;
  }
  return best;
}

void lampIfNothingShines(Document& doc, NodeId effect, std::vector<std::string>* told) {
  const bool lit = !doc.family("light").empty() || !doc.family("plate").empty() ||
                   std::any_of(doc.nodes().begin(), doc.nodes().end(), [](const NodePtr& n) {
                     return n->kind->param("own_light") && Params(*n, 0).number("own_light") > 0;
                   });
  if (lit || !roleOf(doc, *doc.find(effect), "from").empty()) return;
  const Framed f = framed(doc);
  const double radius = 0.03 * double(f.height);
  const double area = 4 * 3.14159265 * radius * radius;
  const NodeId lamp = add(doc, "light.point", "Lamp",
                          {{"position", text(f.middle)},
                           {"radius", tidy(radius)},
                           {"power", tidy(250 * white(doc) * 3.14159265 * area)},
                           {"color", "1, 0.78, 0.5"}});
  take(doc, effect, "from", lamp);
  tell(told, "Nothing gave light: a lamp was made");
}

void stageFor(Document& doc, const std::vector<NodeId>& bodies, Stage how, std::vector<std::string>* told) {
  const Framed f = framed(doc);
  const Box3f box = boundsOf(doc, bodies);
  const V3f middle = box.isEmpty() ? f.middle : box.center();
  const float size = box.isEmpty() ? 0.3f * f.height : 0.5f * length(box.size());
  const auto own = [&](const Node* n) { return std::find(bodies.begin(), bodies.end(), n->id) != bodies.end(); };
  const std::vector<const Node*> objects = doc.family("object");
  const bool bare = doc.family("plate").empty() && std::none_of(objects.begin(), objects.end(), [&](const Node* n) {
                      return n->kind->param("material") && !own(n);
                    });
  const auto length = [&](float times) { return tidy(double(times * size)); };
  if (bare) {
    const float floor = box.isEmpty() ? f.floor : box.min.y;
    // Squares of space: the table's face must not run along their sides.
    double cell = 0.55 * double(size);
    const auto within = [&] { return std::abs(double(floor) / cell - std::round(double(floor) / cell)); };
    while (within() < 0.1) cell *= 1.07;
    const bool dark = how == Stage::Dark;
    const NodeId squares = add(doc, "pattern.checker", "Table squares",
                               {{"space", "world"},
                                {"cell", fmt::format("{:.4g}", cell)},
                                {"low", dark ? "0.012, 0.013, 0.018" : "0.02, 0.022, 0.032"},
                                {"high", dark ? "0.03, 0.028, 0.026" : "0.3, 0.26, 0.21"}});
    const NodeId slate = add(doc, "material.surface", "Table surface", {{"roughness", dark ? "0.3" : "0.42"}});
    doc = setValue(doc, slate, "base_color", PatternUse{{squares, nullptr}});
    add(doc, "object.plane", "Table",
        {{"width", length(40)},
         {"depth", length(40)},
         {"position", text({middle.x, floor - 0.002f * size, middle.z})},
         {"material", doc.find(slate)->name}});
    tell(told, "There was nothing around it: a table was made");
  }
  if (!doc.family("light").empty() && how != Stage::Dark) return;
  if (how == Stage::Dark) { // what comes through is the light; the rest hardly shows
    const std::vector<const Node*> lights = doc.family("light");
    if (std::none_of(lights.begin(), lights.end(), [](const Node* n) { return n->kind->id == "light.sky"; }) &&
        lights.size() < 2)
      add(doc, "light.sky", "Dusk", {{"power", tidy(0.012 * white(doc))}, {"color", "0.35, 0.5, 0.9"}});
    return;
  }
  // A cool window behind, a warm lamp before it, and what the dusk leaves.
  const double high = 2.6 * double(size), wide = 1.5 * double(size);
  const NodeId window = add(doc, "light.area", "Window",
                            {{"position", text(middle + V3f(-2.3f, 1.5f, -2.4f) * size)},
                             {"target", text(middle)},
                             {"width", tidy(wide)},
                             {"height", tidy(high)},
                             {"color", "0.72, 0.86, 1"},
                             {"seen", "off"},
                             {"power", tidy(5 * white(doc) * 3.14159265358979 * high * wide)}});
  const NodeId lamp = add(doc, "light.area", "Warm lamp",
                          {{"form", "ball"},
                           {"width", length(0.35f)},
                           {"height", length(0.35f)},
                           {"position", text(middle + V3f(2.4f, 1.7f, 1.6f) * size)},
                           {"target", text(middle)},
                           {"color", "1, 0.72, 0.42"},
                           {"power", tidy(14 * white(doc) * 4 * 3.14159265358979 * double(size) * double(size))}});
  add(doc, "light.sky", "Dusk", {{"power", tidy(0.025 * white(doc))}, {"color", "0.4, 0.55, 0.9"}});
  tell(told, fmt::format("There was no light: {} and {} were made", doc.find(window)->name, doc.find(lamp)->name));
}

NodeId ballOf(Document& doc, const std::string& name, const std::string& matter, const std::string& preset) {
  const Framed f = framed(doc);
  const NodeId material = add(doc, "material.surface", matter, {});
  doc = applyPreset(doc, material, findPreset(preset));
  return add(
      doc, "object.sphere", name,
      {{"radius", tidy(0.3 * double(f.height))}, {"position", text(f.middle)}, {"material", doc.find(material)->name}});
}

void lightIfDark(Document& doc, std::vector<std::string>* told) {
  if (!doc.family("light").empty()) return;
  const Framed f = framed(doc);
  const V3f at = f.middle + V3f(-0.8f, 1.0f, 0.9f) * f.height;
  const double away = double(length(at - f.middle));
  add(doc, "light.area", "Lamp",
      {{"position", text(at)},
       {"target", text(f.middle)},
       {"width", tidy(0.8 * double(f.height))},
       {"height", tidy(0.8 * double(f.height))},
       {"power", tidy(6 * white(doc) * 3.14159265358979 * away * away)}});
  add(doc, "light.sky", "Dusk", {{"power", tidy(0.03 * white(doc))}, {"color", "0.4, 0.55, 0.9"}});
  tell(told, "There was no light: a lamp and a dusk were made");
}

} // namespace ilumbra
