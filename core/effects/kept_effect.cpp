#include "core/effects/kept_effect.h"

#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/inputs.h"
#include "core/document/placement.h"
#include "core/document/transplant.h"
#include "core/effects/effect.h"

#include <algorithm>
#include <map>
#include <set>
#include <utility>

namespace ilumbra {
namespace {

const Node* effectOf(const Document& kept) {
  const auto all = kept.family("effect");
  return all.empty() ? nullptr : all.front();
}

// Gives what was made for a new effect the look of its counterpart in a kept one.
class Likening {
 public:
  Likening(const Document& before, Document now, const Document& kept, NodeId keptEffect, NodeId effect)
      : m_before(before), m_out(std::move(now)), m_kept(kept), m_there{{keptEffect, effect}} {}

  void like(NodeId fromId, NodeId toId) {
    const Node *from = m_kept.find(fromId), *to = m_out.find(toId);
    if (!from || !to || from->kind->id != to->kind->id || !m_done.insert({fromId, toId}).second) return;
    m_there[fromId] = toId;
    for (const ParamDef& d : to->kind->params) {
      if (places(d)) continue;
      if (d.type == ParamType::Reference)
        reference(*from, toId, d);
      else if (d.type == ParamType::References)
        references(*from, toId, d);
      else
        value(*from, toId, d);
    }
    for (const ChildSlot& slot : m_out.find(toId)->kind->slots) children(*from, toId, slot);
  }
  // Named inputs, once all counterparts are known.
  void nameInputs() {
    for (const auto& [fromId, toId] : m_there) {
      const Node* from = m_kept.find(fromId);
      if (!from || from->inputs.empty() || !m_out.find(toId)->inputs.empty()) continue;
      std::vector<NamedInput> inputs = from->inputs;
      for (NamedInput& i : inputs)
        std::erase_if(i.sets, [&](InputTarget& t) {
          if (!t.node) return false;
          const auto it = m_there.find(t.node);
          if (it == m_there.end()) return true; // it stayed behind
          t.node = it->second;
          return false;
        });
      std::erase_if(inputs, [](const NamedInput& i) { return i.sets.empty(); });
      m_out = setInputs(m_out, toId, std::move(inputs));
    }
  }
  Document take() { return std::move(m_out); }

 private:
  bool fresh(NodeId id) const { return id && !m_before.find(id) && m_out.find(id); }
  // What it uses comes along; refused where that is more than looks.
  NodeId brought(NodeId id) {
    if (const auto it = m_there.find(id); it != m_there.end()) return it->second;
    NodeId made = 0;
    m_out = transplant(m_out, m_kept, id, &made, m_there);
    m_there[id] = made;
    return made;
  }
  // Where it stands is its own.
  static bool places(const ParamDef& d) {
    if (d.stage == Invalidation::Placement || d.name == "target") return true;
    static const std::vector<ParamDef> all = placementParams();
    return std::any_of(all.begin(), all.end(), [&](const ParamDef& p) { return p.name == d.name; });
  }
  void value(const Node& from, NodeId to, const ParamDef& d) {
    const Value *has = from.find(d.name), *now = m_out.find(to)->find(d.name);
    const auto target = [](const Value* v) { return v && v->pattern() ? v->pattern()->pattern.target : NodeId(0); };
    if (const NodeId pattern = target(has)) {
      const Node* other = m_kept.find(pattern);
      if (!other) return; // it stayed behind
      NodeId own = target(now);
      if (fresh(own) && m_out.find(own)->kind->id == other->kind->id)
        like(pattern, own); // the new one knows what it is about
      else
        own = brought(pattern);
      m_out = setValue(m_out, to, d.name, PatternUse{{own, overrides(has->pattern()->pattern)}});
    } else if (has) {
      m_out = setValue(m_out, to, d.name, *has);
    } else if (now) {
      m_out = resetValue(m_out, to, d.name);
    }
  }
  // What a use of a pattern sets for itself; what belongs to bodies stays behind.
  std::shared_ptr<const Overrides> overrides(const Reference& use) {
    if (!use.with) return nullptr;
    Overrides out;
    for (const auto& [input, v] : *use.with) {
      if (const PatternUse* p = v.pattern()) {
        if (m_kept.find(p->pattern.target))
          out.emplace(input, PatternUse{{brought(p->pattern.target), overrides(p->pattern)}});
      } else if (const Constant* c = v.constant();
                 !c || !(std::holds_alternative<Reference>(*c) || std::holds_alternative<std::vector<Reference>>(*c))) {
        out.emplace(input, v);
      }
    }
    return out.empty() ? nullptr : std::make_shared<const Overrides>(std::move(out));
  }
  void reference(const Node& from, NodeId to, const ParamDef& d) {
    const NodeId has = Params(from, 0).reference(d.name).target,
                 now = Params(*m_out.find(to), 0).reference(d.name).target;
    const Node* other = m_kept.find(has);
    if (!other) return;
    if (fresh(now))
      like(has, now);
    else if (!now && other->kind->shared)
      m_out = setValue(m_out, to, d.name, Constant(Reference{brought(has), nullptr}));
  }
  // By their order, those of a kind with each other; a lens stage more comes along.
  void references(const Node& from, NodeId to, const ParamDef& d) {
    std::vector<Reference> now = Params(*m_out.find(to), 0).references(d.name);
    std::set<NodeId> taken;
    bool more = false;
    for (const Reference& r : Params(from, 0).references(d.name)) {
      const Node* other = m_kept.find(r.target);
      if (!other) continue;
      NodeId mine = 0;
      for (const Reference& own : now)
        if (!mine && m_out.find(own.target)->kind->id == other->kind->id && taken.insert(own.target).second)
          mine = own.target;
      if (mine) {
        if (fresh(mine)) like(r.target, mine);
      } else if (other->kind->family() == "lens") {
        now.push_back({brought(r.target), nullptr});
        more = true;
      }
    }
    if (more) m_out = setValue(m_out, to, d.name, Constant(now));
  }
  void children(const Node& from, NodeId to, const ChildSlot& slot) {
    const auto kept = from.children.find(slot.name);
    const auto own = m_out.find(to)->children.find(slot.name);
    const std::vector<NodeId> wanted = kept == from.children.end() ? std::vector<NodeId>() : kept->second,
                              have = own == m_out.find(to)->children.end() ? std::vector<NodeId>() : own->second;
    for (size_t i = wanted.size(); i < have.size(); ++i) m_out = removeNode(m_out, have[i]);
    for (size_t i = 0; i < wanted.size(); ++i) {
      const Node* part = m_kept.find(wanted[i]);
      NodeId mine = i < have.size() ? have[i] : 0;
      if (mine && m_out.find(mine)->kind->id != part->kind->id) m_out = removeNode(m_out, std::exchange(mine, 0));
      if (!mine) m_out = addNode(m_out, part->kind->id, part->name, {to, slot.name, i}, &mine);
      like(wanted[i], mine);
    }
  }

  const Document& m_before;
  Document m_out;
  const Document& m_kept;
  std::map<NodeId, NodeId> m_there; ///< of the kept document: what stands for it here
  std::set<std::pair<NodeId, NodeId>> m_done;
};

} // namespace

Document effectCutting(const Document& doc, NodeId effect) {
  const Node* n = doc.find(effect);
  if (!n || n->kind->family() != "effect") throw badInput("it is no effect");
  return cutting(doc, effect, [](const Node& other) {
    const auto family = other.kind->family();
    return other.kind->shared || family == "lens" || family == "zone" || family == "air" || family == "light";
  });
}

Document addKeptEffect(const Document& doc, const Document& file, const std::vector<NodeId>& selection, NodeId* made,
                       std::vector<std::string>* told) {
  const Document kept = movedBeside(file, doc);
  const Node* n = effectOf(kept);
  if (!n) throw badInput("it holds no effect");
  NodeId effect = 0;
  Likening likening(doc, addEffect(doc, n->kind->id, selection, &effect, told), kept, n->id, effect);
  likening.like(n->id, effect);
  likening.nameInputs();
  Document out = likening.take();
  if (const EffectKind* kind = effectKind(*out.find(effect)); kind->dress) out = kind->dress(out, effect);
  if (made) *made = effect;
  return out;
}

} // namespace ilumbra
