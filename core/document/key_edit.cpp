#include "core/document/key_edit.h"

#include "core/base/error.h"
#include "core/document/inputs.h"
#include "core/document/lookup.h"
#include "core/document/mover.h"

#include <cmath>

namespace ilumbra {

namespace {

// The shared things that a value uses, in its order.
std::vector<const Reference*> usesIn(const Value& v) {
  std::vector<const Reference*> out;
  if (const PatternUse* use = v.pattern()) out.push_back(&use->pattern);
  if (const Constant* c = v.constant()) {
    if (const Reference* r = std::get_if<Reference>(c)) out.push_back(r);
    if (const auto* list = std::get_if<std::vector<Reference>>(c))
      for (const Reference& r : *list) out.push_back(&r);
  }
  return out;
}

// The value that is written at an address; null: none is, or nothing is there.
const Value* written(const Document& doc, const Address& a) {
  const Node* n = doc.find(a.node);
  const Value* v = n ? n->find(a.param) : nullptr;
  if (!v || a.input.empty()) return v;
  const std::vector<const Reference*> uses = usesIn(*v);
  if (a.index >= uses.size() || !uses[a.index]->with) return nullptr;
  const auto it = uses[a.index]->with->find(a.input);
  return it == uses[a.index]->with->end() ? nullptr : &it->second;
}

// False for what a use sets for itself where what it uses has no such input.
bool stands(const Document& doc, const Reference& use, const std::string& input) {
  const Node* shared = doc.find(use.target);
  return shared && inputDefinition(doc, *shared, input);
}
bool stands(const Document& doc, const Address& a) {
  if (a.input.empty()) return true;
  const Value* v = doc.find(a.node)->find(a.param);
  const std::vector<const Reference*> uses = v ? usesIn(*v) : std::vector<const Reference*>();
  return a.index < uses.size() && stands(doc, *uses[a.index], a.input);
}

// Calls f(address) for all that a parameter's uses of shared things set for themselves.
template <typename F> void eachOverride(const Document& doc, const Node& n, const ParamDef& d, const F& f) {
  const Value* v = n.find(d.name);
  if (!v) return;
  const std::vector<const Reference*> uses = usesIn(*v);
  for (size_t i = 0; i < uses.size(); ++i)
    if (uses[i]->with)
      for (const auto& [input, value] : *uses[i]->with)
        if (stands(doc, *uses[i], input)) f(Address{n.id, d.name, i, input});
}

} // namespace

std::vector<Address> movingValues(const Document& doc) {
  std::vector<Address> out;
  const auto moves = [&](const Address& a) {
    const Value* v = written(doc, a);
    if (v && (v->anyKeys() || v->moved())) out.push_back(a);
  };
  for (const Node* n : doc.inOrder())
    for (const ParamDef& d : n->kind->params) {
      moves({n->id, d.name, 0, {}});
      eachOverride(doc, *n, d, moves);
    }
  return out;
}

const Keys* keysAt(const Document& doc, const Address& a) {
  const Value* v = written(doc, a);
  return v ? v->anyKeys() : nullptr;
}

Value withKeys(const Value& before, Keys keys) {
  const Keys* had = before.anyKeys();
  if (keys.keys.empty()) {
    const Constant held = had && !had->keys.empty() ? had->keys.front().value : Constant(0.0);
    if (const Moved* m = before.moved()) return Moved{held, m->movers};
    return held;
  }
  if (const Moved* m = before.moved()) return Moved{std::move(keys), m->movers};
  return keys;
}

namespace {

bool named(const KeyPlaces& which, const Address& at, double frame) {
  return std::find(which.begin(), which.end(), KeyPlace{at, frame}) != which.end();
}

// What `change` makes of the keys of each parameter that is named: those that are named are taken out first.
Document changed(const Document& doc, const KeyPlaces& which,
                 const std::function<void(Keys& rest, std::vector<Key>& taken)>& change) {
  Document out = doc;
  std::vector<Address> done;
  for (const KeyPlace& k : which) {
    if (std::find(done.begin(), done.end(), k.at) != done.end()) continue;
    done.push_back(k.at);
    const Keys* keys = keysAt(doc, k.at);
    if (!keys) continue;
    Keys rest{{}, keys->beyond};
    std::vector<Key> taken;
    for (const Key& key : keys->keys) (named(which, k.at, key.frame) ? taken : rest.keys).push_back(key);
    if (taken.empty()) continue;
    change(rest, taken);
    out = setAt(out, k.at, withKeys(*written(doc, k.at), std::move(rest)));
  }
  return out;
}

void insert(Keys& keys, const Key& key) {
  const auto it = std::find_if(keys.keys.begin(), keys.keys.end(), [&](const Key& k) { return k.frame >= key.frame; });
  if (it != keys.keys.end() && it->frame == key.frame)
    *it = key;
  else
    keys.keys.insert(it, key);
}

} // namespace

Document retimed(const Document& doc, const KeyPlaces& which, const std::function<double(double)>& to) {
  return changed(doc, which, [&](Keys& rest, std::vector<Key>& taken) {
    for (Key& k : taken) {
      k.frame = to(k.frame);
      insert(rest, k);
    }
  });
}

Document mirrored(const Document& doc, const KeyPlaces& which) {
  if (which.empty()) return doc;
  double first = which.front().frame, last = first;
  for (const KeyPlace& k : which) {
    first = std::min(first, k.frame);
    last = std::max(last, k.frame);
  }
  return changed(doc, which, [&](Keys& rest, std::vector<Key>& taken) {
    for (size_t i = 0; i < taken.size(); ++i) {
      Key k = taken[i];
      k.frame = first + last - k.frame;
      // How it goes on is now how the one before went on to it.
      const Key& goesOn = i > 0 ? taken[i - 1] : taken.back();
      k.shape = goesOn.shape;
      k.ease = goesOn.ease;
      if (k.shape == KeyShape::EaseIn)
        k.shape = KeyShape::EaseOut;
      else if (k.shape == KeyShape::EaseOut)
        k.shape = KeyShape::EaseIn;
      insert(rest, k);
    }
  });
}

Document withoutKeys(const Document& doc, const KeyPlaces& which) {
  return changed(doc, which, [](Keys&, std::vector<Key>&) {});
}

Document shaped(const Document& doc, const KeyPlaces& which, KeyShape shape) {
  return changed(doc, which, [&](Keys& rest, std::vector<Key>& taken) {
    for (Key& k : taken) {
      k.shape = shape;
      insert(rest, k);
    }
  });
}

Document eased(const Document& doc, const KeyPlaces& which, double ease) {
  return changed(doc, which, [&](Keys& rest, std::vector<Key>& taken) {
    for (Key& k : taken) {
      k.ease = std::clamp(ease, 0.0, 1.0);
      insert(rest, k);
    }
  });
}

Document withBeyond(const Document& doc, const Address& a, BeyondKeys beyond) {
  const Value v = valueAt(doc, a);
  if (!v.anyKeys()) throw badInput(addressText(doc, a) + ": has no keys");
  Keys keys = *v.anyKeys();
  keys.beyond = beyond;
  return setAt(doc, a, withKeys(v, std::move(keys)));
}

Document keyedChanges(const Document& before, const Document& after, double from, std::vector<Address>* which) {
  const auto held = [](const Value& v) -> const Constant* {
    return v.moved() ? std::get_if<Constant>(&v.moved()->rest) : v.constant();
  };
  const double now = currentFrame(after);
  Document out = after;
  const auto keyed = [&](const Address& at, const ParamDef& d, const Value& x, const Value& y) {
    if (!d.keyable || d.type == ParamType::Text || d.type == ParamType::File) return;
    const Constant *c = held(x), *e = held(y);
    if (!c || !e || *c == *e) return;
    Keys keys{{{from, *c, KeyShape::Smooth}, {now, *e, KeyShape::Smooth}}};
    if (now < from) std::swap(keys.keys[0], keys.keys[1]);
    out = setAt(out, at, withKeys(y, std::move(keys)));
    if (which) which->push_back(at);
  };
  for (const NodePtr& n : after.nodes()) {
    const Node* was = before.find(n->id);
    if (!was || was == n.get() || n->id == after.settings().id) continue;
    for (const ParamDef& d : n->kind->params) {
      const Value *b = was->find(d.name), *a = n->find(d.name);
      keyed({n->id, d.name, 0, {}}, d, b ? *b : Value(d.initial), a ? *a : Value(d.initial));
      if (!a || !b || *a == *b) continue;
      // What a use sets for itself, where it uses the same as before.
      const std::vector<const Reference*> then = usesIn(*b), uses = usesIn(*a);
      eachOverride(after, *n, d, [&](const Address& at) {
        if (at.index < then.size() && then[at.index]->target == uses[at.index]->target &&
            stands(before, *then[at.index], at.input))
          keyed(at, definitionAt(after, at), valueAt(before, at), valueAt(after, at));
      });
    }
  }
  return out;
}

Document pasted(const Document& doc, const Document& from, const KeyPlaces& which, double frame) {
  if (which.empty()) return doc;
  double first = which.front().frame;
  for (const KeyPlace& k : which) first = std::min(first, k.frame);
  Document out = doc;
  for (const KeyPlace& k : which) {
    const Keys* keys = keysAt(from, k.at);
    if (!keys || !out.find(k.at.node) || !stands(out, k.at)) continue;
    const auto key =
        std::find_if(keys->keys.begin(), keys->keys.end(), [&](const Key& o) { return o.frame == k.frame; });
    if (key == keys->keys.end()) continue;
    const Keys* there = keysAt(out, k.at);
    Keys made = there ? *there : Keys{};
    Key copy = *key;
    copy.frame += frame - first;
    insert(made, copy);
    const Value* before = written(out, k.at);
    out = setAt(out, k.at, withKeys(before ? *before : Value(), std::move(made)));
  }
  return out;
}

} // namespace ilumbra
