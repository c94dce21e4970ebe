#include "core/document/rehearsal.h"

#include "core/document/key_edit.h"
#include "core/document/mover.h"

#include <algorithm>
#include <cmath>

namespace ilumbra {

namespace {

double apart(const Constant& a, const Constant& b) {
  if (const double* x = std::get_if<double>(&a)) return std::abs(*x - std::get<double>(b));
  if (const Triple* x = std::get_if<Triple>(&a)) {
    const Triple& y = std::get<Triple>(b);
    return std::max({std::abs((*x)[0] - y[0]), std::abs((*x)[1] - y[1]), std::abs((*x)[2] - y[2])});
  }
  return a == b ? 0 : 1e30;
}

// The fewest keys on the samples from `a` to `b` whose straight lines stay within the tolerance (Ramer 1972, Douglas
// and Peucker 1973): the ends are kept.
void thin(const std::vector<Key>& all, size_t a, size_t b, double tolerance, std::vector<Key>& out) {
  double most = 0;
  size_t at = a;
  const Keys line{{all[a], all[b]}};
  for (size_t i = a + 1; i < b; ++i)
    if (const double d = apart(evaluate(line, all[i].frame), all[i].value); d > most) {
      most = d;
      at = i;
    }
  if (most <= tolerance) {
    out.push_back(all[b]);
    return;
  }
  thin(all, a, at, tolerance, out);
  thin(all, at, b, tolerance, out);
}

} // namespace

Rehearsal::Rehearsal(const Document& before, std::string family) : m_last(before), m_family(std::move(family)) {}

void Rehearsal::note(const Document& now, double frame) {
  for (const Node* n : now.family(m_family)) {
    const Node* was = m_last.find(n->id);
    for (const ParamDef& d : n->kind->params) {
      if (!d.keyable || d.type == ParamType::Reference || d.type == ParamType::References) continue;
      const Value *v = n->find(d.name), *w = was ? was->find(d.name) : nullptr;
      if ((v && w && *v == *w) || (!v && !w)) continue;
      const Address at{n->id, d.name, 0, {}};
      auto take = std::find_if(m_takes.begin(), m_takes.end(),
                               [&](const Take& t) { return t.at.node == at.node && t.at.param == at.param; });
      if (take == m_takes.end()) {
        const Constant before = w ? evaluate(*w, d, frame).value_or(d.initial) : d.initial;
        m_takes.push_back({at, before, {}});
        take = m_takes.end() - 1;
      }
      take->values[frame] = v ? evaluate(*v, d, frame).value_or(d.initial) : d.initial;
    }
  }
  m_last = now;
}

Document Rehearsal::taken(double tolerance) const {
  Document out = m_last;
  const double first = settingsOf(out).number("first_frame");
  for (const Take& t : m_takes) {
    if (!out.find(t.at.node)) continue;
    // Till the hand comes down it is what it was, then what the hand says; where the hand rests it holds.
    std::vector<Key> all;
    double least = 1e30, most = -1e30;
    if (t.values.begin()->first > first) {
      all.push_back({first, t.before, KeyShape::Linear});
      if (t.values.begin()->first - 1 > first) all.push_back({t.values.begin()->first - 1, t.before, KeyShape::Linear});
    }
    for (const auto& [frame, value] : t.values) {
      if (!all.empty() && frame - all.back().frame > 1) {
        Key rest = all.back();
        rest.frame = frame - 1;
        all.push_back(rest);
      }
      all.push_back({frame, value, KeyShape::Linear});
    }
    for (const Key& k : all)
      if (const double* v = std::get_if<double>(&k.value)) {
        least = std::min(least, *v);
        most = std::max(most, *v);
      }
    const double span = most > least ? most - least : 1;
    Keys keys{{all.front()}};
    if (all.size() > 1) thin(all, 0, all.size() - 1, tolerance * span, keys.keys);
    const bool words =
        !std::holds_alternative<double>(all.front().value) && !std::holds_alternative<Triple>(all.front().value);
    for (Key& k : keys.keys) k.shape = words ? KeyShape::Hold : KeyShape::Linear;
    out = setValue(out, t.at.node, t.at.param, keys);
  }
  return out;
}

} // namespace ilumbra
