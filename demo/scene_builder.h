#pragma once
#include "core/document/edit.h"
#include "core/document/units.h"
#include "core/effects/effect.h"
#include "core/surface/presets.h"

#include <initializer_list>
#include <stdexcept>

namespace ilumbra {

/// Puts a scene together as a person would type it: kinds, names and values as text.
class SceneBuilder {
 public:
  explicit SceneBuilder(const std::shared_ptr<const Kinds>& kinds) : m_doc(Document::create(kinds)) {}

  using Values = std::initializer_list<std::pair<const char*, const char*>>;
  NodeId add(const char* kind, const char* name, Values values, const Place& place = {}) {
    NodeId id = 0;
    m_doc = addNode(m_doc, kind, name, place, &id);
    set(id, values);
    return id;
  }
  /// A surface material of a preset's matter.
  NodeId preset(const char* name, const char* matter) {
    const NodeId id = add("material.surface", name, {});
    m_doc = applyPreset(m_doc, id, findPreset(matter));
    return id;
  }
  void set(NodeId id, Values values) {
    for (const auto& [param, text] : values) {
      const ParamDef* d = m_doc.find(id)->kind->param(param);
      if (!d) throw std::logic_error(m_doc.find(id)->kind->id + " has no parameter " + param);
      m_doc = setValue(m_doc, id, param, parseValue(m_doc, *d, text));
    }
  }
  /// Keys of one parameter, each at its frame, passing smoothly to the next.
  void keys(NodeId id, const char* param, const std::vector<std::pair<double, std::string>>& at) {
    Keys k;
    for (const auto& [frame, text] : at) {
      const Value v = parseValue(m_doc, *m_doc.find(id)->kind->param(param), text);
      k.keys.push_back({frame, *v.constant(), KeyShape::Smooth});
    }
    m_doc = setValue(m_doc, id, param, k);
  }
  /// An effect with these things in its roles, and what it makes.
  NodeId effect(const char* kind, const char* name, std::initializer_list<const char*> things) {
    std::vector<NodeId> ids;
    for (const char* t : things) ids.push_back(find(t));
    NodeId id = 0;
    m_doc = addEffect(m_doc, kind, ids, &id, nullptr);
    m_doc = rename(m_doc, id, name);
    return id;
  }
  void settings(Values values) { set(m_doc.settings().id, values); }
  NodeId find(const char* name) const { return m_doc.findByName(name)->id; }
  Place in(NodeId group) const { return {group, "objects", size_t(-1)}; }
  const Document& peek() const { return m_doc; }
  Document take() { return std::move(m_doc); }

 private:
  Document m_doc;
};

} // namespace ilumbra
