#include "core/effects/route.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/pattern/fit.h"

namespace ilumbra {

Document applyMend(const Document& doc, const Mend& mend) {
  Document out = doc;
  for (const Mend::Added& a : mend.adds) {
    const Node* holder = out.findByName(a.holder);
    if (!holder) throw badInput(a.holder + " is not there any more");
    out = addNode(out, a.kind, "", {holder->id, a.slot});
  }
  for (const auto& [address, text] : mend.sets) {
    const Address a = resolve(out, address);
    const Value present = valueAt(out, a);
    out = setAt(out, a, parseValue(out, definitionAt(out, a), text, &present));
  }
  if (!mend.fit.address.empty()) out = fitted(out, resolve(out, mend.fit.address), mend.fit.low, mend.fit.high);
  return out;
}

std::vector<EffectReading> readEffects(const Document& doc, double frame, const Scene& scene, const Film& film,
                                       const std::vector<Color>& groupScales, const LensResult& developed,
                                       const Tasks& tasks) {
  std::vector<EffectReading> out;
  for (const Node* e : doc.family("effect")) {
    // What makes no light of its own has no share of it.
    if (const EffectKind* kind = effectKind(*e); kind && !kind->share && !e->kind->param("lens")) continue;
    EffectReading r{e->id, 0, Params(*e, frame).flag("on")};
    if (const EffectKind* kind = effectKind(*e); kind && kind->share)
      r.share = kind->share({doc, *e, frame, scene, film, groupScales, developed, tasks});
    for (const NodeId stage : roleOf(doc, *e, "lens"))
      for (const StageResult& s : developed.stages)
        if (s.stage == stage) r.share += s.share;
    out.push_back(r);
  }
  return out;
}

Route measureRoute(const Document& doc, NodeId effectId, double frame, const Scene& scene, const Film& film,
                   const std::vector<Color>& groupScales, const LensResult& developed, const Tasks& tasks) {
  const Node* effect = doc.find(effectId);
  const EffectKind* kind = effect ? effectKind(*effect) : nullptr;
  if (!kind) throw badInput("there is no such effect");
  return kind->measure({doc, *effect, frame, scene, film, groupScales, developed, tasks});
}

std::string stateWord(const Route& route, bool on) {
  if (!on) return "off";
  if (route.findings.empty() || route.findings.front().weight == Finding::Weight::Note) return "works";
  return route.findings.front().weight == Finding::Weight::Broken ? "nothing shows" : "weak";
}

} // namespace ilumbra
