#include "core/placing/framing.h"

#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/geometry/form.h"
#include "core/geometry/no_assets.h"
#include "core/light/light.h"
#include "core/scene/geometry.h"

#include <fmt/format.h>
#include <ImathBoxAlgo.h>
#include <set>

namespace ilumbra {
namespace {

Triple rounded(const V3f& v) {
  Triple t;
  for (size_t i = 0; i < 3; ++i) t[i] = std::round(double(v[int(i)]) * 1e4) / 1e4;
  return t;
}

// Lights as they are without their slide or picture.
struct WithoutPictures : NoAssets {
  std::shared_ptr<const Image> image(const std::string&, int) const override { return nullptr; }
};

// Illuminance that one unit of a light's power gives at a point that faces it.
double unitIlluminance(const Node& light, double frame, const V3f& at) {
  if (const LightKind* k = lightKind(light)) {
    const WithoutPictures none;
    const auto made = k->build(Params(light, frame), M44f(), none);
    double sum = 0;
    constexpr int n = 64;
    for (int i = 0; i < n; ++i) {
      Sampler sampler(0, 0, uint32_t(i), 1);
      LightSample s;
      if (made->sample(at, sampler.get2(), s))
        sum += double(luminance(s.radiance)) / (std::isfinite(s.pdf) ? double(s.pdf) : 1.0);
    }
    // Of a sky, half lies behind any surface, and the other half comes at a slant.
    return std::max(1e-12, sum / n * (made->infinite() ? 0.5 : 1.0));
  }
  return 1;
}

} // namespace

double twoDigits(double v) {
  if (!(v > 0)) return v;
  const double unit = std::pow(10, std::floor(std::log10(v)) - 1);
  return std::round(v / unit) * unit;
}

Box3f boundsOf(const Scene& scene, const Document& doc, const std::vector<NodeId>& things) {
  std::set<NodeId> wanted;
  for (const NodeId id : things)
    for (const NodeId part : treeOf(doc, id)) wanted.insert(part);
  Box3f box;
  for (const InstancedObject& i : scene.objects)
    if (things.empty() ? i.light < 0
                       : wanted.count(scene.things[i.thing].node) > 0 ||
                             (i.thingByInstance.empty() && scene.things[i.thing].among(wanted))) {
      box.extendBy(i.bounds);
    } else if (!i.thingByInstance.empty()) { // parts: copy by copy
      const Box3f own = i.geometry->bounds;
      for (uint32_t c = 0; c < i.instanceCount && !own.isEmpty(); ++c)
        if (scene.things[i.thingAt(c)].among(wanted))
          box.extendBy(Imath::transform(own, scene.instances[i.firstInstance + c].toWorld));
    }
  for (const NodeId id : wanted) {
    const Node* n = doc.find(id);
    if (n && n->kind->family() == "light" && n->kind->param("position")) {
      const Triple t = Params(*n, currentFrame(doc)).triple("position");
      const M44f m = n->parent ? worldMatrix(doc, *doc.find(n->parent), currentFrame(doc)) : M44f();
      box.extendBy(transformPoint(m, {float(t[0]), float(t[1]), float(t[2])}));
    }
  }
  return box;
}

Document frameBox(const Document& doc, NodeId camera, const Box3f& box) {
  const Node* n = doc.find(camera);
  if (!n || box.isEmpty()) return doc;
  const double frame = currentFrame(doc);
  const Params p(*n, frame), settings = settingsOf(doc);
  const M44f up = n->parent ? worldMatrix(doc, *doc.find(n->parent), frame) : M44f();
  const auto v3 = [](const Triple& t) { return V3f(float(t[0]), float(t[1]), float(t[2])); };
  const V3f from = transformPoint(up, v3(p.triple("position"))), to = transformPoint(up, v3(p.triple("target")));
  V3f back = normalize(from - to);
  if (isBlack(back)) back = {0, 0, 1};
  V3f side = cross(V3f(0, 1, 0), back);
  side = dot(side, side) < 1e-10f ? V3f(1, 0, 0) : normalize(side);
  const V3f above = cross(back, side), centre = box.center();
  const float halfWidth = 0.5f * p.real("film_width") / p.real("focal_length");
  const float halfHeight = halfWidth * float(settings.number("height") / settings.number("width"));
  // Every corner must fall inside 85 % of the frame.
  float distance = 0.01f;
  for (int c = 0; c < 8; ++c) {
    const V3f d =
        V3f(c & 1 ? box.max.x : box.min.x, c & 2 ? box.max.y : box.min.y, c & 4 ? box.max.z : box.min.z) - centre;
    const float towards = dot(d, back);
    distance = std::max({distance, towards + std::abs(dot(d, side)) / (0.85f * halfWidth),
                         towards + std::abs(dot(d, above)) / (0.85f * halfHeight)});
  }
  const float size = length(box.size());
  distance = std::max(distance, size > 0 ? 0.6f * size : 1.0f);
  const M44f down = up.inverse();
  Document out = setValue(doc, camera, "position", Constant(rounded(transformPoint(down, centre + back * distance))));
  out = setValue(out, camera, "target", Constant(rounded(transformPoint(down, centre))));
  return setValue(out, camera, "focus", Constant(std::clamp(twoDigits(double(distance)), 0.001, 1e6)));
}

Document standUp(const Document& doc, const Scene& scene, std::vector<std::string>* told) {
  const auto tell = [&](const std::string& text) {
    if (told) told->push_back(text);
  };
  Document out = doc;
  const Box3f box = scene.bounds;
  if (!activeCamera(out)) {
    NodeId camera = 0;
    out = addNode(out, "camera.lens", "Camera", {}, &camera);
    out = setValue(out, camera, "position", Constant(Triple{0.55, 0.32, 1}));
    out = setValue(out, camera, "target", Constant(Triple{0, 0, 0}));
    out = frameBox(out, camera, box);
    tell("A camera was placed and framed on what there is");
  }
  if (out.family("light").empty() && !box.isEmpty()) {
    const double white = 1 / double(exposureFactor(out, currentFrame(out)));
    const V3f centre = box.center(), size = box.size();
    const float reach = std::max(length(size), 1e-3f);
    NodeId sky = 0, key = 0;
    out = addNode(out, "light.sky", "Sky", {}, &sky);
    out = setValue(out, sky, "power", Constant(twoDigits(0.12 * white)));
    out = setValue(out, sky, "color", Constant(Triple{0.75, 0.86, 1}));
    out = setValue(out, sky, "seen", Constant(false));
    out = addNode(out, "light.area", "Key light", {}, &key);
    const V3f at = centre + normalize(V3f(-0.7f, 0.9f, 0.6f)) * (1.3f * reach);
    const double distance = double(length(at - centre));
    out = setValue(out, key, "position", Constant(rounded(at)));
    out = setValue(out, key, "target", Constant(rounded(centre)));
    out = setValue(out, key, "width", Constant(twoDigits(0.7 * double(reach))));
    out = setValue(out, key, "height", Constant(twoDigits(0.7 * double(reach))));
    // A grey of 50 % under it comes out one stop below white: E = 2 π L ρ⁻¹ ..., Φ = π d² E on the axis.
    out = setValue(out, key, "power", Constant(twoDigits(3.14159265 * distance * distance * 3.14159265 * white)));
    out = setValue(out, key, "seen", Constant(false));
    tell("A sky and an area light were placed, since there was no light");
  }
  return out;
}

Document addFramed(const Document& doc, const Scene& scene, std::string_view kind, NodeId* made) {
  NodeId id = 0;
  Document out = addNode(doc, kind, "", {}, &id);
  if (made) *made = id;
  const Kind& what = *out.find(id)->kind; // the node itself changes with every edit below
  const Camera& camera = scene.camera;
  V3f centre(0.0f);
  float distance = 4;
  if (const Node* c = activeCamera(doc)) distance = std::max(0.01f, Params(*c, currentFrame(doc)).real("focus"));
  centre = camera.position() + camera.forward() * distance;
  const float height = distance * camera.pixelAngle() * float(scene.height), size = 0.2f * height;
  const double white = 1 / double(exposureFactor(doc, currentFrame(doc)));
  if (what.family() == "camera") {
    // It stands where the view is; without one, where it sees the scene.
    if (const Node* view = activeCamera(doc)) {
      for (const auto& [param, value] : view->values)
        if (what.param(param)) out = setValue(out, id, param, value);
      return out;
    }
    return scene.bounds.isEmpty() ? out : frameBox(out, id, scene.bounds);
  }
  if (what.family() == "zone") {
    out = setValue(out, id, "position", Constant(rounded(centre)));
    const double side = twoDigits(2 * double(size));
    out = setValue(out, id, "size", Constant(Triple{side, side, side}));
    return setValue(out, id, "edge", Constant(twoDigits(0.05 * side)));
  }
  if (what.family() == "object") {
    if (what.param("position")) out = setValue(out, id, "position", Constant(rounded(centre)));
    // Every length of the shape in proportion to its default.
    double largest = 0;
    for (const ParamDef& d : what.params)
      if (d.unit == "m" && d.stage == Invalidation::Geometry)
        if (const double* v = std::get_if<double>(&d.initial)) largest = std::max(largest, *v);
    for (const ParamDef& d : what.params)
      if (d.unit == "m" && d.stage == Invalidation::Geometry)
        if (const double* v = std::get_if<double>(&d.initial); v && largest > 0)
          out = setValue(out, id, d.name,
                         Constant(std::clamp(twoDigits(*v / largest * double(size)), d.hardMin, d.hardMax)));
    // What does not follow its lengths (a wall is its only one, say) is sized as a whole.
    const auto extent = [&](const Document& d) {
      const NoAssets none;
      try {
        const Box3f b = formOf(*d.find(id), {d, currentFrame(d), none}).bounds();
        return b.isEmpty() ? 0.0f : maxComponent(b.size());
      } catch (const Error&) {
        return 0.0f;
      }
    };
    if (!what.param("material")) return out;
    if (const float now = extent(out); now > 0.5f * size && now < 6 * size) return out;
    for (const ParamDef& d : what.params)
      if (d.unit == "m" && d.stage == Invalidation::Geometry) out = resetValue(out, id, d.name);
    if (const float now = extent(out); now > 0)
      out =
          setValue(out, id, "size",
                   Constant(Triple{twoDigits(2 * double(size) / double(now)), twoDigits(2 * double(size) / double(now)),
                                   twoDigits(2 * double(size) / double(now))}));
    return out;
  }
  const V3f at =
      centre + camera.up() * (0.42f * height) - camera.right() * (0.25f * height) - camera.forward() * (0.15f * height);
  const double d = std::max(0.05, double(length(at - centre)));
  if (what.param("bearing")) {
    // Over the camera's shoulder.
    const V3f back = -camera.forward();
    out =
        setValue(out, id, "bearing", Constant(std::round(double(std::atan2(back.x, -back.z)) * 180 / 3.14159265 - 40)));
  }
  if (what.param("target")) out = setValue(out, id, "target", Constant(rounded(centre)));
  if (what.param("position")) out = setValue(out, id, "position", Constant(rounded(at)));
  if (what.family() == "light") {
    // Lengths as their defaults stand to a lamp two metres away.
    for (const ParamDef& def : what.params)
      if (const double* v = std::get_if<double>(&def.initial); v && def.unit == "m")
        out = setValue(out, id, def.name, Constant(std::clamp(twoDigits(*v * d / 2), def.hardMin, def.hardMax)));
    out = setValue(out, id, "power",
                   Constant(std::clamp(
                       twoDigits(pi * white / unitIlluminance(*out.find(id), currentFrame(doc), centre)), 1e-6, 1e12)));
  }
  if (kind == "camera.lens") {
    out = setValue(out, id, "position", Constant(rounded(camera.position())));
    out = setValue(out, id, "target", Constant(rounded(centre)));
  }
  return out;
}

} // namespace ilumbra
