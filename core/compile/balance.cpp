#include "core/compile/balance.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/light/light.h"
#include "core/surface/material.h"

#include <fmt/format.h>

namespace ilumbra {

Kind balanceKind() {
  return {.id = "balance.row",
          .label = "Balance of a light",
          .helpText = "A light's switch, stops and tint in the balance.",
          .params = {reference("source", "Light", {"light.", "material.", "air."})
                         .at(Invalidation::Mix)
                         .help("The light, or the material or air with own light"),
                     reference("object", "Of the object", {"object."})
                         .at(Invalidation::Mix)
                         .help("Of a split material: the object whose own light this row is"),
                     integer("copy", "Of the copy", 0)
                         .range(0, 1e6)
                         .at(Invalidation::Mix)
                         .fixed()
                         .help("Of a light whose copies are split: which, from 1; 0: all"),
                     flag("split", "Split", false)
                         .at(Invalidation::Shading)
                         .fixed()
                         .help("Of a material: each object has a row of its own; of a light, or a material on one "
                               "object: each copy has"),
                     flag("on", "On", true).at(Invalidation::Mix).help("Off: dark in the balance"),
                     flag("solo", "Solo", false).at(Invalidation::Mix).help("On: only lights that are solo are seen"),
                     number("stops", "Stops", "stops", 0)
                         .soft(-6, 6)
                         .range(-60, 60)
                         .at(Invalidation::Mix)
                         .help("Brighter or darker than the light itself says"),
                     color("tint", "Tint", {1, 1, 1}).soft(0, 1).at(Invalidation::Mix).help("Multiplies its colour"),
                     choice("live", "Live in play", {"by its strength", "always", "never"})
                         .at(Invalidation::Mix)
                         .fixed()
                         .help("Whether its row acts on frames that are kept while they play, or they are rendered "
                               "anew for it; each live light takes memory. By strength the three strongest are live, "
                               "if none is so always"),
                     text("layer", "Layer of files", "")
                         .at(Invalidation::Display)
                         .fixed()
                         .zero("its own")
                         .help("Lights with the same word leave as one layer of the passes lights and crossed")},
          .existence = Invalidation::Mix,
          .formerly = {"mix.row"}};
}

std::vector<Kind> allBalances() { return {balanceKind()}; }

static BalanceSource sourceOf(const Node& row, double frame) {
  const Params p(row, frame);
  return {p.reference("source").target, p.reference("object").target, uint32_t(p.number("copy"))};
}

const Node* balanceRow(const Document& doc, const BalanceSource& source) {
  for (const Node* n : doc.family("balance"))
    if (sourceOf(*n, 0) == source) return n;
  return nullptr;
}

std::map<NodeId, std::vector<NodeId>> objectsByMaterial(const Document& doc, double frame) {
  std::map<NodeId, std::vector<NodeId>> out;
  for (const Node* n : doc.family("object")) {
    if (!n->kind->param("material")) continue;
    for (const NodeId m : layersOf(doc, wornMaterial(doc, *n, frame).target, frame)) out[m].push_back(n->id);
  }
  return out;
}

Document splitBalance(const Document& doc, const BalanceSource& source, bool split, uint32_t copies) {
  const Document marked = setBalance(doc, source, "split", split);
  Document out = marked;
  if (split) {
    std::vector<BalanceSource> parts;
    const Node* of = doc.find(source.light);
    if (of && of->kind->family() == "material" && !source.object) {
      const std::vector<NodeId> objects = objectsByMaterial(doc, currentFrame(doc))[source.light];
      for (const NodeId o : objects) parts.push_back({source.light, o});
    } else {
      for (uint32_t c = 1; c <= copies; ++c) parts.push_back({source.light, source.object, c});
    }
    // What was said of all is said of each.
    const Node* row = balanceRow(marked, source);
    for (const char* param : {"on", "solo", "stops", "tint"}) {
      if (!row->find(param)) continue;
      const Constant said =
          Params(*row, currentFrame(doc)).constant(param); // keys end here: rows are set one by one from now
      for (const BalanceSource& part : parts) out = setBalance(out, part, param, said);
      out = setBalance(out, source, param, row->kind->param(param)->initial);
    }
    return out;
  }
  for (const Node* n : doc.family("balance"))
    if (const BalanceSource s = sourceOf(*n, 0);
        s.light == source.light && (!source.object || s.object == source.object) && out.find(n->id))
      out = removeNode(out, n->id);
  return out;
}

Document setBalance(const Document& doc, const BalanceSource& source, std::string_view param, const Constant& value) {
  Document out = doc;
  NodeId id = 0;
  if (const Node* row = balanceRow(doc, source)) {
    id = row->id;
  } else {
    const Node *light = doc.find(source.light), *object = doc.find(source.object);
    if (!light || (source.object && !object)) throw badInput("there is no such light");
    out = addNode(out, "balance.row",
                  "Balance of " + light->name + (object ? " on " + object->name : std::string()) +
                      (source.copy ? fmt::format(", copy {}", source.copy) : std::string()),
                  {}, &id);
    out = setValue(out, id, "source", Constant(Reference{source.light, nullptr}));
    if (object) out = setValue(out, id, "object", Constant(Reference{source.object, nullptr}));
    if (source.copy) out = setValue(out, id, "copy", Constant(double(source.copy)));
  }
  out = setValue(out, id, param, value);
  const Node* row = out.find(id);
  const bool says = std::any_of(row->kind->params.begin(), row->kind->params.end(), [&](const ParamDef& d) {
    const Value* v = row->find(d.name);
    return d.name != "source" && d.name != "object" && d.name != "copy" && v && *v != Value(d.initial);
  });
  return says ? out : removeNode(out, id);
}

Document withoutBalance(const Document& doc) {
  Document out = doc;
  for (const Node* n : doc.family("balance")) {
    if (!n->find("live") && !n->find("layer")) {
      out = removeNode(out, n->id);
      continue;
    }
    for (const char* param : {"on", "solo", "stops", "tint", "split"})
      if (out.find(n->id)) out = setBalance(out, sourceOf(*n, 0), param, n->kind->param(param)->initial);
  }
  return out;
}

std::string layerOfLight(const Document& doc, const BalanceSource& source, const std::string& name) {
  for (const BalanceSource& s : {source, BalanceSource(source.light, source.object), BalanceSource(source.light)})
    if (const Node* row = balanceRow(doc, s))
      if (std::string layer = Params(*row, 0).text("layer"); !layer.empty()) return layer;
  return name;
}

std::optional<bool> liveInPlay(const Document& doc, const BalanceSource& source) {
  for (const BalanceSource& s : {source, BalanceSource(source.light, source.object), BalanceSource(source.light)})
    if (const Node* row = balanceRow(doc, s))
      if (const std::string said = Params(*row, 0).text("live"); said != "by its strength") return said == "always";
  return {};
}

Balance::Balance(const Document& doc, double frame) {
  for (const Node* n : doc.family("balance"))
    if (Params(*n, frame).flag("split")) m_split.insert(sourceOf(*n, frame));
  // The row of a light or object that is gone says nothing, nor that of a part when the whole is not split.
  const auto meant = [&](const Node* n) {
    const BalanceSource s = sourceOf(*n, frame);
    if (!doc.find(s.light) || (s.object && (!doc.find(s.object) || !isSplit(s.light)))) return false;
    return isSplit({s.light, s.object}) == (s.copy > 0) || Params(*n, frame).flag("split");
  };
  for (const Node* n : doc.family("balance"))
    m_solo |= meant(n) && !Params(*n, frame).flag("split") && Params(*n, frame).flag("solo");
  for (const Node* n : doc.family("balance")) {
    if (!meant(n)) continue;
    const Params p(*n, frame);
    const bool heard = p.flag("on") && (!m_solo || p.flag("solo"));
    if (p.flag("split")) continue;
    m_factors[sourceOf(*n, frame)] =
        heard ? working(p.triple("tint")) * float(std::exp2(p.number("stops"))) : Color(0.0f);
  }
}

Color Balance::factor(const BalanceSource& source) const {
  const auto it = m_factors.find(source);
  return it != m_factors.end() ? it->second : Color(m_solo ? 0.0f : 1.0f);
}

namespace {

// What moves, with another rest: movers of amounts multiply it. A pattern as it is.
Value withMappedRest(const Value& v, const std::function<Value(const Value&)>& f) {
  const Moved* m = v.moved();
  if (!m) return v;
  Moved out = *m;
  const Keys* k = std::get_if<Keys>(&m->rest);
  const Value rest = f(k ? Value(*k) : Value(std::get<Constant>(m->rest)));
  if (rest.keys())
    out.rest = *rest.keys();
  else
    out.rest = *rest.constant();
  return out;
}
// Every number of a value, keyed ones too.
Value mapped(const Value& v, const std::function<double(double)>& f) {
  if (const Constant* c = v.constant()) return Constant(f(std::get<double>(*c)));
  if (const Keys* k = v.keys()) {
    Keys out = *k;
    for (Key& key : out.keys) key.value = f(std::get<double>(key.value));
    return out;
  }
  return withMappedRest(v, [&](const Value& rest) { return mapped(rest, f); });
}
Value mappedColor(const Value& v, const std::function<Triple(const Triple&)>& f) {
  if (const Constant* c = v.constant()) return Constant(f(std::get<Triple>(*c)));
  if (const Keys* k = v.keys()) {
    Keys out = *k;
    for (Key& key : out.keys) key.value = f(std::get<Triple>(key.value));
    return out;
  }
  return v; // no mover moves a colour
}
Triple tripleOf(const Color& c) { return {double(c.x), double(c.y), double(c.z)}; }

Value valueOf(const Node& n, const char* param) {
  const Value* v = n.find(param);
  return v ? *v : Value(n.kind->param(param)->initial);
}

// Writes the rows of a document's balance into its lamps and materials, one by one.
class BalanceWriter {
 public:
  explicit BalanceWriter(const Document& doc)
      : m_doc(doc), m_frame(currentFrame(doc)), m_balance(doc, m_frame), m_out(doc) {}

  Document run() {
    for (const BalanceSource& s : m_balance.split())
      if (const Node* light = m_doc.find(s.light), *object = m_doc.find(s.object);
          light && (object || light->kind->family() == "light"))
        throw badInput((object ? object->name : light->name) +
                       ": its copies have rows of their own, which cannot be written into it; join them first");
    for (const NodePtr& node : m_doc.nodes()) {
      const Node& n = *node;
      const bool light = n.kind->family() == "light", glows = n.kind->param("own_light") != nullptr;
      if (!light && !glows) continue;
      if (m_balance.isSplit(n.id)) {
        const std::vector<NodeId> objects = objectsByMaterial(m_doc, m_frame)[n.id];
        for (const NodeId object : objects) splitMaterial(n, object);
        continue;
      }
      const Color f = m_balance.factor(n.id);
      if (f == Color(1.0f)) continue;
      if (isBlack(f))
        off(n, light);
      else if (light)
        lamp(n);
      else
        ownLight(n);
    }
    return withoutBalance(m_out);
  }

 private:
  struct Row {
    double stops;
    Color tint;
    bool tinted() const { return tint != working({1, 1, 1}); }
  };
  Row row(const BalanceSource& source) const {
    const Params p(*balanceRow(m_doc, source), m_frame);
    return {p.number("stops"), working(p.triple("tint"))};
  }
  void set(NodeId id, const char* param, Value v) { m_out = setValue(m_out, id, param, std::move(v)); }

  // Of a split material: what one object has for itself.
  void splitMaterial(const Node& material, NodeId id) {
    const Color f = m_balance.factor({material.id, id});
    if (f == Color(1.0f)) return;
    const Node& object = *m_doc.find(id);
    const Reference use = wornMaterial(m_doc, object, m_frame);
    // A twin wears its original's material: what it has for itself needs a use of its own.
    if (!Params(object, m_frame).reference("material").target) set(id, "material", Constant(use));
    if (use.target != material.id)
      throw badInput(object.name + ": its material is layered, so the balance of " + material.name +
                     " on it cannot be written into it; join that row first");
    const Params p(material, m_frame, use.with.get());
    const auto put = [&](const char* param, const Constant& v) {
      const Value value(v);
      m_out = setOverride(m_out, id, "material", 0, param, &value);
    };
    if (isBlack(f)) {
      if (p.number("own_light") > 0) put("own_light_on", false);
      return;
    }
    const Row r = row({material.id, id});
    if (r.tinted()) {
      if (p.pattern("own_light_color"))
        throw badInput(object.name + ".material.own_light_color: is driven by a pattern, so the balance's tint "
                                     "cannot be written into it; take the tint off first");
      put("own_light_color", tripleOf(rec709FromAcescg(working(p.triple("own_light_color")) * r.tint)));
    }
    if (r.stops != 0) put("own_light", p.number("own_light") * std::exp2(r.stops));
  }

  void off(const Node& n, bool light) {
    if (light)
      set(n.id, "on", Constant(false));
    else if (Params(n, m_frame).number("own_light") > 0)
      set(n.id, "own_light_on", Constant(false));
  }

  void lamp(const Node& n) {
    const Row r = row(n.id);
    double lift = r.stops;
    if (r.tinted()) {
      const Color amount = lightAmount(m_doc, n, m_frame), after = amount * r.tint;
      if (!isBlack(amount)) {
        lift += std::log2(double(luminance(after) / luminance(amount)));
        set(n.id, "color", Constant(tripleOf(rec709FromAcescg(after * (1 / maxComponent(after))))));
        set(n.id, "by_temperature", Constant(false));
      }
    }
    set(n.id, "stops", mapped(valueOf(n, "stops"), [&](double v) { return v + lift; }));
  }

  void ownLight(const Node& n) {
    const Row r = row(n.id);
    const Value color = valueOf(n, "own_light_color");
    if (r.tinted() && color.pattern())
      throw badInput(n.name + ".own_light_color: is driven by a pattern, so the balance's tint cannot be written "
                              "into it; take the tint off first");
    set(n.id, "own_light", mapped(valueOf(n, "own_light"), [&](double v) { return v * std::exp2(r.stops); }));
    if (r.tinted())
      set(n.id, "own_light_color",
          mappedColor(color, [&](const Triple& t) { return tripleOf(rec709FromAcescg(working(t) * r.tint)); }));
  }

  const Document& m_doc;
  const double m_frame;
  const Balance m_balance;
  Document m_out;
};

} // namespace

Document writeBalance(const Document& doc) { return BalanceWriter(doc).run(); }

} // namespace ilumbra
