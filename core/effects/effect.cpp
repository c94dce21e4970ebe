#include "core/effects/making.h"
#include "core/effects/route.h"

#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/geometry/shape.h"
#include "core/lens/stage.h"

#include <cmath>
#include <fmt/format.h>

namespace ilumbra {

// A line each, in the order of menus.
#define EACH_EFFECT(X)                                                                                                 \
  X(glowEffect)                                                                                                        \
  X(shaftsEffect)                                                                                                      \
  X(lampInMistEffect)                                                                                                  \
  X(projectorBeamEffect)                                                                                               \
  X(mistEffect)                                                                                                        \
  X(nebulaEffect)                                                                                                      \
  X(ghostLightEffect)                                                                                                  \
  X(causticsEffect)                                                                                                    \
  X(glassEffect)                                                                                                       \
  X(reflectionEffect)                                                                                                  \
  X(translucencyEffect)                                                                                                \
  X(apparitionEffect)                                                                                                  \
  X(edgeLightEffect)                                                                                                   \
  X(hologramEffect)                                                                                                    \
  X(flareEffect)                                                                                                       \
  X(screenShaftsEffect)                                                                                                \
  X(filmedWaterEffect)                                                                                                 \
  X(softboxEffect)                                                                                                     \
  X(contactLineEffect)                                                                                                 \
  X(changeoverEffect)                                                                                                  \
  X(litPanelEffect)

#define DECLARE(name) EffectKind name();
EACH_EFFECT(DECLARE)
#undef DECLARE

std::vector<EffectKind> allEffects() {
#define MADE(name) name(),
  return {EACH_EFFECT(MADE)};
#undef MADE
}

const EffectKind* effectKind(const Node& effect) {
  static const std::vector<EffectKind> all = allEffects();
  for (const EffectKind& e : all)
    if (e.kind.id == effect.kind->id) return &e;
  return nullptr;
}

std::vector<NodeId> roleOf(const Document& doc, const Node& effect, const std::string& param) {
  std::vector<NodeId> out;
  if (!effect.kind->param(param)) return out;
  for (const Reference& r : Params(effect, currentFrame(doc)).references(param)) out.push_back(r.target);
  return out;
}

Document fillRoles(const Document& doc, NodeId effect, const std::vector<NodeId>& things,
                   std::vector<std::string>* left, std::string_view only) {
  const Node* n = doc.find(effect);
  const EffectKind* kind = n ? effectKind(*n) : nullptr;
  if (!kind) throw badInput("there is no such effect");
  Document out = doc;
  for (const NodeId id : things) {
    const Node* thing = doc.find(id);
    if (!thing) continue;
    bool fits = false;
    for (const Role& role : kind->roles) {
      if (!only.empty() && role.param != only) continue;
      if (!accepted(kind->kind.param(role.param)->accepts, thing->kind->id)) continue;
      std::vector<Reference> list = Params(*out.find(effect), currentFrame(out)).references(role.param);
      if (std::none_of(list.begin(), list.end(), [&](const Reference& r) { return r.target == id; })) {
        list.push_back({id, nullptr});
        out = setNow(out, {effect, role.param, 0, {}}, Constant(list));
      }
      fits = true;
      break;
    }
    if (!fits && left) left->push_back(thing->name);
  }
  return kind->dress ? kind->dress(out, effect) : out;
}

Document leaveRole(const Document& doc, NodeId effect, const std::string& param, NodeId thing) {
  const Node* n = doc.find(effect);
  if (!n) throw badInput("there is no such effect");
  std::vector<Reference> list = Params(*n, currentFrame(doc)).references(param);
  std::erase_if(list, [&](const Reference& r) { return r.target == thing; });
  const Document out = setNow(doc, {effect, param, 0, {}}, Constant(list));
  const EffectKind* kind = effectKind(*n);
  return kind && kind->dress ? kind->dress(out, effect) : out;
}

std::vector<std::string> rolesFor(const Document& doc, const Node& effect, NodeId thing) {
  std::vector<std::string> out;
  const EffectKind* kind = effectKind(effect);
  const Node* n = doc.find(thing);
  if (!kind || !n) return out;
  for (const Role& role : kind->roles) {
    const std::vector<NodeId> there = roleOf(doc, effect, role.param);
    if (accepted(kind->kind.param(role.param)->accepts, n->kind->id) &&
        std::find(there.begin(), there.end(), thing) == there.end())
      out.push_back(role.param);
  }
  return out;
}

Document linkedEffect(const Document& doc, NodeId effect, const std::string& role, NodeId thing, NodeId* made) {
  const Node *n = doc.find(effect), *on = doc.find(thing);
  const EffectKind* kind = n ? effectKind(*n) : nullptr;
  if (!kind || !on) throw badInput("there is no such effect");
  const ParamDef* def = kind->kind.param(role);
  if (!def || !accepted(def->accepts, on->kind->id)) throw badInput(on->name + " does not fit into " + n->name);
  NodeId copy = 0;
  Document out = duplicate(doc, effect, &copy);
  out = rename(out, copy, fmt::format("{} on {}", n->name, on->name));
  out = setValue(out, copy, role, Constant(std::vector<Reference>{{thing, nullptr}}));
  for (const Role& r : kind->roles) {
    std::vector<Reference> list = Params(*out.find(copy), currentFrame(out)).references(r.param);
    bool changed = false;
    for (Reference& used : list) {
      const Node* look = out.find(used.target);
      if (!look) continue;
      // What names the first effect is made for it alone.
      std::vector<std::string> names;
      for (const ParamDef& d : look->kind->params)
        if (d.type == ParamType::Reference && Params(*look, 0).reference(d.name).target == effect)
          names.push_back(d.name);
      if (names.empty()) continue;
      NodeId own = 0;
      out = duplicate(out, used.target, &own);
      for (const std::string& name : names) out = setValue(out, own, name, Constant(Reference{copy, nullptr}));
      used.target = own;
      changed = true;
    }
    if (changed) out = setValue(out, copy, r.param, Constant(list));
  }
  if (made) *made = copy;
  return kind->dress ? kind->dress(out, copy) : out;
}

// Gives a dark object own light of its own: a material of its own, three stops above white.
static Document makeGlow(const Document& doc, const Node& object, std::vector<std::string>* told) {
  const double frame = currentFrame(doc);
  const Reference use = wornMaterial(doc, object, frame);
  Document out =
      use.target ? setValue(doc, object.id, "material", Constant(use)) : doc; // of a twin, that of its original
  NodeId material = use.target;
  if (!material) {
    out = addNode(out, "material.surface", object.name + " surface", {}, &material);
    out = setValue(out, object.id, "material", Constant(Reference{material, nullptr}));
  } else {
    // Others may share the material: only this object is meant.
    out = ownCopy(out, object.id, "material", &material);
  }
  const double luminance = 8 / std::max(1e-30, double(exposureFactor(doc, frame)));
  const double rounded = std::pow(10, std::floor(std::log10(luminance))) *
                         std::round(luminance / std::pow(10, std::floor(std::log10(luminance))));
  out = setValue(out, material, "own_light", Constant(rounded));
  const Triple base = Params(*out.find(material), frame).triple("base_color");
  const double most = std::max({base[0], base[1], base[2], 1e-6});
  out = setValue(out, material, "own_light_color", Constant(Triple{base[0] / most, base[1] / most, base[2] / most}));
  if (told)
    told->push_back(fmt::format("{} gave no light: it now has own light of {:.0f} cd/m²", object.name, rounded));
  return out;
}

Document addEffect(const Document& doc, std::string_view kindId, const std::vector<NodeId>& selection, NodeId* made,
                   std::vector<std::string>* told) {
  NodeId effect = 0;
  std::string name;
  const auto nameAfter = [&](const Node& n) {
    std::string label = doc.kinds().find(kindId)->label;
    label[0] = char(std::tolower(static_cast<unsigned char>(label[0])));
    return n.name + " " + label;
  };
  const Kind* kind = doc.kinds().find(kindId);
  if (!kind || kind->family() != "effect") throw badInput(fmt::format("there is no effect \"{}\"", kindId));
  for (const NodeId id : selection)
    if (const Node* n = doc.find(id);
        n && (n->kind->family() == "light" || n->kind->family() == "object" || n->kind->family() == "source")) {
      name = nameAfter(*n);
      break;
    }
  Document out = addNode(doc, kindId, name, {}, &effect);
  cameraFor(out, told);
  out = fillRoles(out, effect, selection);
  const EffectKind& k = *effectKind(*out.find(effect));
  if (k.make) out = k.make(std::move(out), effect, selection, told);
  // Of nothing that was selected: by what it has found or made for itself.
  std::string by = k.dress ? "onto" : "from";
  for (const Role& r : k.roles)
    if (r.main && !k.dress) by = r.param;
  std::vector<NodeId> of = roleOf(out, *out.find(effect), by);
  if (!of.empty() && out.find(of.front())->kind->family() == "material")
    of = roleOf(out, *out.find(effect), k.roles.front().param);
  if (name.empty() && !of.empty()) out = rename(out, effect, out.freeName(nameAfter(*out.find(of.front()))));
  for (const NodeId id : roleOf(out, *out.find(effect), "from")) {
    const Node* n = out.find(id);
    if (k.kind.standsFor.empty() || !k.fromShines) break; // it is there to be seen
    if (n->kind->family() != "object" || !n->kind->param("material") || n->kind->param("own_light")) continue;
    const Reference use = wornMaterial(out, *n, currentFrame(doc));
    const Node* m = out.find(use.target);
    if (!m || (m->kind->param("own_light") && Params(*m, currentFrame(doc), use.with.get()).number("own_light") <= 0))
      out = makeGlow(out, *n, told);
  }
  if (!k.lensStage.empty() && roleOf(out, *out.find(effect), "lens").empty()) {
    NodeId stage = 0;
    const Kind* stageKind = out.kinds().find(k.lensStage);
    out = addNode(out, k.lensStage, out.find(effect)->name + " lens", {}, &stage);
    out = setValue(out, stage, "sources", Constant(std::vector<Reference>{{effect, nullptr}}));
    out = setValue(out, effect, "lens", Constant(std::vector<Reference>{{stage, nullptr}}));
    if (told) told->push_back(fmt::format("The lens got a stage, {}: {}", stageKind->label, out.find(stage)->name));
  }
  if (k.dress) out = k.dress(out, effect);
  if (made) *made = effect;
  return out;
}

} // namespace ilumbra
