#include "core/document/key_edit.h"

#include "core/base/error.h"
#include "core/document/lookup.h"
#include "core/document/mover.h"

#include <cmath>

namespace ilumbra {

bool operator==(const KeyPlace& a, const KeyPlace& b) {
  return a.frame == b.frame && a.at.node == b.at.node && a.at.param == b.at.param;
}

std::vector<Address> movingValues(const Document& doc) {
  std::vector<Address> out;
  for (const Node* n : doc.inOrder())
    for (const ParamDef& d : n->kind->params)
      if (const Value* v = n->find(d.name); v && (v->anyKeys() || v->moved())) out.push_back({n->id, d.name, 0, {}});
  return out;
}

const Keys* keysAt(const Document& doc, const Address& a) {
  const Node* n = doc.find(a.node);
  const Value* v = n ? n->find(a.param) : nullptr;
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
    if (std::any_of(done.begin(), done.end(),
                    [&](const Address& a) { return a.node == k.at.node && a.param == k.at.param; }))
      continue;
    done.push_back(k.at);
    const Keys* keys = keysAt(doc, k.at);
    if (!keys) continue;
    Keys rest{{}, keys->beyond};
    std::vector<Key> taken;
    for (const Key& key : keys->keys) (named(which, k.at, key.frame) ? taken : rest.keys).push_back(key);
    if (taken.empty()) continue;
    change(rest, taken);
    out = setValue(out, k.at.node, k.at.param, withKeys(*doc.find(k.at.node)->find(k.at.param), std::move(rest)));
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
  for (const NodePtr& n : after.nodes()) {
    const Node* was = before.find(n->id);
    if (!was || was == n.get() || n->id == after.settings().id) continue;
    for (const ParamDef& d : n->kind->params) {
      if (!d.keyable || d.type == ParamType::Text || d.type == ParamType::File || d.type == ParamType::Reference ||
          d.type == ParamType::References)
        continue;
      const Value *b = was->find(d.name), *a = n->find(d.name);
      const Value x = b ? *b : Value(d.initial), y = a ? *a : Value(d.initial);
      const Constant *c = held(x), *e = held(y);
      if (!c || !e || *c == *e) continue;
      Keys keys{{{from, *c, KeyShape::Smooth}, {now, *e, KeyShape::Smooth}}};
      if (now < from) std::swap(keys.keys[0], keys.keys[1]);
      out = setValue(out, n->id, d.name, withKeys(y, std::move(keys)));
      if (which) which->push_back({n->id, d.name, 0, {}});
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
    const Node* n = out.find(k.at.node);
    const Keys* keys = keysAt(from, k.at);
    if (!n || !keys) continue;
    const auto key =
        std::find_if(keys->keys.begin(), keys->keys.end(), [&](const Key& o) { return o.frame == k.frame; });
    if (key == keys->keys.end()) continue;
    const Keys* there = keysAt(out, k.at);
    Keys made = there ? *there : Keys{};
    Key copy = *key;
    copy.frame += frame - first;
    insert(made, copy);
    const Value* before = n->find(k.at.param);
    out = setValue(out, k.at.node, k.at.param, withKeys(before ? *before : Value(), std::move(made)));
  }
  return out;
}

} // namespace ilumbra
