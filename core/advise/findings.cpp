#include "core/advise/findings.h"

#include "core/advise/about_patterns.h"
#include "core/compile/camera.h"
#include "core/document/units.h"
#include "core/effects/mends.h"
#include "core/effects/route_parts.h"
#include "core/scene/geometry.h"
#include "core/scene/ray_caster.h"
#include "core/scene/trace_count.h"

#include <fmt/format.h>
#include <limits>

namespace ilumbra {
namespace {

using Weight = Finding::Weight;

std::string shown(const Node& n, const char* param, double value) { return formatNumber(*n.kind->param(param), value); }

// The object that shuts a place in on all sides, or null: every ray from there meets it, and it lets no light out.
const InstancedObject* shutIn(const Scene& scene, const V3f& from, uint16_t own) {
  TraceCount count;
  const RayCaster rays(scene, count, nullptr);
  const InstancedObject* shell = nullptr;
  const Instance* copy = nullptr; // one body must do it, not many of the same form
  constexpr int ways = 48;
  for (int k = 0; k < ways; ++k) {
    Sampler sampler(0, 0, uint32_t(k), 11);
    const V3f d = sampleUniformSphere(sampler.get2());
    V3f o = from;
    Hit hit;
    bool met = false;
    // What belongs to the lamp itself is passed.
    for (int step = 0; step < 16 && !met; ++step) {
      if (!rays.intersect(o, d, std::numeric_limits<float>::infinity(), hit)) return nullptr;
      met = hit.object->light < 0 && hit.object->thing != own;
      o = offset(hit.point, dot(d, hit.geometric) > 0 ? hit.geometric : -hit.geometric);
    }
    if (!met || (copy && hit.instance != copy) || !(hit.object->switches & SwitchShadow) || dot(d, hit.geometric) < 0)
      return nullptr;
    shell = hit.object;
    copy = hit.instance;
  }
  if (!shell || !shell->geometry) return nullptr;
  const Material& m = *scene.materials[shell->material];
  return !m.layered() && m.alwaysOpaque() && !m.mayPassLight() && !m.subsurface.any() && !m.thin ? shell : nullptr;
}

void aboutMaterial(const Document& doc, const Scene& scene, const InstancedObject& i, std::vector<Finding>& out) {
  if (i.material == noMaterial) return;
  const Material& m = *scene.materials[i.material];
  const Node *object = doc.find(scene.things[i.thing].node), *matter = doc.find(m.node);
  if (!object || !matter || m.layered() || matter->kind->id != "material.surface") return;
  const bool clear = m.transmission.any();
  if (clear && i.lightThrough == LightThrough::Blocked)
    out.push_back({Weight::Weak,
                   "",
                   object->id,
                   fmt::format("{} is clear, but lamps do not shine through it", object->name),
                   {{"Let light go straight through", {{at(*object, "light_through"), "straight"}}}},
                   "light_through"});
  if (m.hasInside() && !i.closed) {
    std::vector<Mend> mends{clear ? Mend{"Take it for a thin sheet", {{at(*matter, "thin"), "on"}}}
                                  : Mend{"Make it matte", {{at(*matter, "subsurface"), "0"}}}};
    if (object->kind->id == "object.mesh")
      mends.push_back({"Close its holes", {}, {{"modifier.mend", object->name, "modifiers"}}});
    out.push_back({Weight::Weak, "", object->id,
                   fmt::format("{} is an open mesh: it has no inside that {} could fill", object->name,
                               clear ? "clear matter" : "scattering light"),
                   std::move(mends), "material"});
  }
  if (clear && !m.thin && m.ior < 1.001f)
    out.push_back(
        {Weight::Weak,
         "",
         matter->id,
         fmt::format("{} has an index of refraction of 1: it bends nothing and mirrors nothing", matter->name),
         {{"Set it to that of glass, 1.5", {{at(*matter, "ior"), "1.5"}}}},
         "ior"});
  if (m.subsurface.any() && !m.thin) {
    const Box3f box = i.geometry->bounds;
    const V3f size = box.size();
    // Through the body's thinnest extent, as it stands in the set.
    float least = std::numeric_limits<float>::infinity();
    for (int axis = 0; axis < 3; ++axis) {
      V3f v(0.0f);
      v[axis] = size[axis];
      least = std::min(least, length(transformVector(i.toWorld, v)));
    }
    const Params p(*matter, 1);
    const float depth = p.real("subsurface_depth");
    const double better = std::pow(10, std::floor(std::log10(std::max(1e-6, double(least) / 30))));
    const double round = std::max(better, std::floor(double(least) / 30 / better) * better);
    const Mend mend{"Set it to " + shown(*matter, "subsurface_depth", round),
                    {{at(*matter, "subsurface_depth"), fmt::format("{:g}", round)}}};
    if (depth > 0.6f * least)
      out.push_back(
          {Weight::Weak,
           "",
           matter->id,
           fmt::format("Light in {} goes {} before it scatters, further than {} is thick: it will look like mist",
                       matter->name, shown(*matter, "subsurface_depth", double(depth)), object->name),
           {mend},
           "subsurface_depth"});
    else if (depth < 5e-4f * least)
      out.push_back({Weight::Note,
                     "",
                     matter->id,
                     fmt::format("Light in {} goes only {} before it scatters: {} will look matte", matter->name,
                                 shown(*matter, "subsurface_depth", double(depth)), object->name),
                     {mend},
                     "subsurface_depth"});
  }
}

} // namespace

std::vector<Finding> findThings(const Document& doc, double frame, const Scene& scene) {
  std::vector<Finding> out;
  const float exposure = exposureFactor(doc, frame);
  const V3f centre = scene.bounds.isEmpty() ? V3f(0.0f) : scene.bounds.center();
  const auto weigh = [&](const Emitter& e) {
    const Node* n = doc.find(scene.things[e.thing].node);
    if (!n) return;
    LightReach reach = e.light->reach();
    if (n->kind->family() == "light") {
      const Params p(*n, frame);
      const bool dark = p.number("power") <= 0;
      if (dark && p.flag("on")) {
        const ParamDef& d = *n->kind->param("power");
        const double v = std::get<double>(d.initial);
        out.push_back({Weight::Broken,
                       "",
                       n->id,
                       fmt::format("{} has a power of 0", n->name),
                       {{"Set it to " + formatNumber(d, v), {{at(*n, "power"), fmt::format("{:g}", v)}}}},
                       "power"});
        return;
      }
      if (!p.flag("on") || dark) return;
      // What a white surface beside it would be at best, a good way off.
      const Color amount = scene.groupScales[e.group] * e.baked;
      double sum = 0;
      constexpr int rays = 32;
      V3f from = centre;
      if (!e.light->infinite() && length(from - reach.centre) < 0.05f + reach.radius)
        from = reach.centre - reach.axis * (0.5f + 2 * reach.radius);
      for (int k = 0; k < rays; ++k) {
        Sampler sampler(1, 0, uint32_t(k), 5);
        LightSample s;
        if (e.light->sample(from, sampler.get2(), s) && !(std::isfinite(e.range) && s.distance > e.range))
          sum += double(luminance(s.radiance * amount)) / (std::isfinite(s.pdf) ? double(s.pdf) : 1.0) / rays;
      }
      const double value = sum / double(pi) * double(exposure);
      if (value > 0 && value < 1.0 / 16384) {
        const double better = p.number("power") / value * 0.25, unit = std::pow(10, std::floor(std::log10(better)) - 1);
        const double tidy = std::round(better / unit) * unit;
        out.push_back({Weight::Weak,
                       "",
                       n->id,
                       fmt::format("{} gives {:.0f} stops less than white at this exposure: nothing of it will be "
                                   "seen. Is its power in {}?",
                                   n->name, -std::log2(value), n->kind->param("power")->unit),
                       {{"Set it to " + shown(*n, "power", tidy), {{at(*n, "power"), fmt::format("{:g}", tidy)}}}},
                       "power"});
      }
    }
    if (e.light->infinite()) return;
    const InstancedObject* shell = shutIn(scene, reach.centre, e.thing);
    // A bead on a wire: its body reaches out of what runs through its middle.
    if (shell && reach.radius > 0)
      for (int k = 0; k < 6 && shell; ++k) {
        V3f off(0.0f);
        off[k / 2] = k % 2 ? reach.radius : -reach.radius;
        if (!shutIn(scene, reach.centre + off, e.thing)) shell = nullptr;
      }
    if (shell) {
      const Node* by = doc.find(scene.things[shell->thing].node);
      if (by)
        out.push_back(
            {Weight::Broken, "", n->id,
             fmt::format("{} sits inside {}, which is closed and opaque: no light comes out", n->name, by->name),
             opened(doc, frame, *by), n->kind->param("position") ? "position" : ""});
    }
  };
  for (const Emitter& e : scene.emitters) weigh(e);
  for (const Emitter& e : scene.skies) weigh(e);
  for (const InstancedObject& i : scene.objects)
    if (i.light < 0) aboutMaterial(doc, scene, i, out);
  aboutPatterns(doc, frame, scene, out);
  // One sentence for each thing and parameter is enough.
  std::vector<Finding> once;
  for (Finding& f : out)
    if (std::none_of(once.begin(), once.end(),
                     [&](const Finding& o) { return o.thing == f.thing && o.param == f.param; }))
      once.push_back(std::move(f));
  return once;
}

} // namespace ilumbra
