// Patterns laid over each other, the first on top.
#include "core/document/edit.h"
#include "core/pattern/blend.h"

namespace ilumbra {

PatternKind layerOfPattern() {
  return {{.id = "coat.layer",
           .label = "Layer",
           .helpText = "One of the layers of a pattern.",
           .params = {flag("on", "On", true).matters().help("Off: those below show through"),
                      color("value", "Value", {0.8, 0.8, 0.8})
                          .soft(0, 1)
                          .patterned()
                          .says("with")
                          .matters()
                          .help("What it lays there; its alpha counts"),
                      number("amount", "Only where", "%", 1)
                          .range(0, 1)
                          .patterned()
                          .says("only where")
                          .matters()
                          .help("How much of it there is; by a pattern it is a mask"),
                      choice("mode", "Mode", blendNames).help("How it meets what lies below")},
           .existence = Invalidation::Shading},
          {}};
}

PatternKind layersPattern() {
  PatternKind k{
      {.id = "pattern.layers",
       .label = "Layers",
       .helpText = "Patterns laid over each other, each where its mask lets it: rust over paint, moss over "
                   "rust.",
       .params = {color("below", "Ground", {0, 0, 0})
                      .soft(0, 1)
                      .patterned()
                      .says("on")
                      .matters()
                      .help("What lies below all layers")},
       .slots = {{"layers", "Layers", {"coat.layer"}, Invalidation::Shading}},
       .existence = Invalidation::Shading},
      [](const Params& p, PatternCompiler& c) {
        int r = c.input(p, "below");
        const auto it = p.node().children.find("layers");
        if (it == p.node().children.end()) return r;
        for (auto id = it->second.rbegin(); id != it->second.rend(); ++id) {
          const Node* n = c.doc().find(*id);
          if (!n) continue;
          const Params layer = p.inside(*n);
          if (!layer.flag("on")) continue;
          r = c.emit(Mixed{choiceOf<Blend>(layer, "mode")}, {r, c.input(layer, "value"), c.amount(layer, "amount")});
        }
        return r;
      },
      PatternGroup::Operation,
      {},
      true};
  k.begin = [](const Document& doc, NodeId made) {
    NodeId layer = 0, noise = 0;
    Document out = addNode(doc, "coat.layer", "Layer", {made, "layers"}, &layer);
    out = addNode(out, "pattern.noise", doc.find(made)->name + " mask", {}, &noise);
    return setValue(out, layer, "amount", PatternUse{{noise, nullptr}});
  };
  return k;
}

} // namespace ilumbra
