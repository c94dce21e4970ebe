#include "core/exchange/importer.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/compile/camera.h"
#include "core/document/edit.h"
#include "core/document/transplant.h"
#include "core/exchange/extras.h"
#include "core/geometry/pose.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {

M44f Importer::matrixOf(const Chain& chain, const ModelMotion* motion, double seconds) const {
  M44f m;
  for (const int n : chain) m = matrixAt(m_model, n, motion, seconds) * m;
  return m;
}

bool Importer::moves(const Chain& chain) const {
  return m_motion && std::any_of(m_motion->moves.begin(), m_motion->moves.end(), [&](const ModelMove& m) {
           return std::find(chain.begin(), chain.end(), m.node) != chain.end() &&
                  (m.position.width || m.rotation.width || m.scale.width);
         });
}

std::vector<double> Importer::momentsOf(const Chain& chain, bool& steps) {
  std::set<double> all;
  steps = true;
  for (const ModelMove& m : m_motion->moves)
    if (std::find(chain.begin(), chain.end(), m.node) != chain.end())
      for (const ModelTrack* t : {&m.position, &m.rotation, &m.scale}) {
        if (!t->width) continue;
        steps &= t->shape == ModelTrack::Shape::Step;
        for (const float s : t->times) all.insert(double(s));
      }
  if (all.empty()) return {};
  const double first = *all.begin(), last = *all.rbegin();
  if (!steps) {
    if ((last - first) * m_rate > 20'000) {
      note("a motion of more than 20 000 frames is taken by its keys alone");
    } else {
      for (double f = std::ceil(first * m_rate); f < last * m_rate; ++f) all.insert(f / m_rate);
    }
  }
  // Keys that fall on a frame but for rounding are one.
  std::vector<double> moments;
  for (const double s : all)
    if (moments.empty() || (s - moments.back()) * m_rate > 1e-3) moments.push_back(s);
  return moments;
}

Keys Importer::keysThrough(const std::vector<double>& frames, const std::vector<Triple>& values, bool steps,
                           double allowed) {
  std::vector<char> keep(frames.size(), steps ? 1 : 0);
  if (!steps) {
    keep.front() = keep.back() = 1;
    std::vector<std::pair<size_t, size_t>> open{{0, frames.size() - 1}};
    while (!open.empty()) {
      const auto [a, b] = open.back();
      open.pop_back();
      double worst = 0;
      size_t at = a;
      for (size_t i = a + 1; i < b; ++i) {
        const double t = (frames[i] - frames[a]) / (frames[b] - frames[a]);
        for (size_t k = 0; k < 3; ++k)
          if (const double off = std::abs(values[i][k] - (values[a][k] * (1 - t) + values[b][k] * t)); off > worst) {
            worst = off;
            at = i;
          }
      }
      if (worst <= allowed) continue;
      keep[at] = 1;
      open.emplace_back(a, at);
      open.emplace_back(at, b);
    }
  }
  Keys keys;
  for (size_t i = 0; i < frames.size(); ++i)
    if (keep[i] && (!steps || keys.keys.empty() || std::get<Triple>(keys.keys.back().value) != values[i]))
      keys.keys.push_back({frames[i], values[i], steps ? KeyShape::Hold : KeyShape::Linear});
  return keys;
}

void Importer::setKeys(Node& n, const char* param, const std::vector<double>& frames, const std::vector<Triple>& values,
                       bool steps, double allowed) {
  Keys keys = keysThrough(frames, values, steps, allowed);
  const bool still = std::all_of(keys.keys.begin(), keys.keys.end(), [&](const Key& k) {
    const Triple &a = std::get<Triple>(k.value), &b = std::get<Triple>(keys.keys.front().value);
    return std::abs(a[0] - b[0]) <= allowed && std::abs(a[1] - b[1]) <= allowed && std::abs(a[2] - b[2]) <= allowed;
  });
  if (still)
    set(n, param, keys.keys.front().value);
  else
    n.values[param] = std::move(keys);
}

V3f Importer::nearestTurn(const V3f& turn, const V3f& last) {
  V3f best = turn;
  float least = 1e30f;
  for (const V3f& same : {turn, V3f(turn.x + 180, 180 - turn.y, turn.z + 180)}) {
    V3f t = same;
    for (int i = 0; i < 3; ++i) t[i] -= 360 * std::round((t[i] - last[i]) / 360);
    if (const float way = length(t - last); way < least) {
      least = way;
      best = t;
    }
  }
  return best;
}

Triple Importer::clean(const V3f& v) {
  Triple t = triple(v);
  for (double& x : t) x = std::abs(x) < 1e-7 ? 0 : x;
  return t;
}

void Importer::place(Node& n, const Chain& chain) {
  V3f position, turn, size;
  if (!unplace(matrixOf(chain, m_motion && moves(chain) ? m_motion : nullptr, 0), position, turn, size))
    note(fmt::format("{} is sheared in its file, which is left out", n.name));
  set(n, "position", clean(position));
  set(n, "turn", clean(turn));
  if (length(size - V3f(1.0f)) > 1e-6f) set(n, "size", triple(size));
  if (!moves(chain)) return;
  bool steps = false;
  const std::vector<double> moments = momentsOf(chain, steps);
  if (moments.size() < 2) return;
  std::vector<double> frames;
  std::vector<Triple> positions, turns, sizes;
  float reach = length(position);
  for (const double s : moments) {
    V3f p, t, z;
    unplace(matrixOf(chain, m_motion, s), p, t, z);
    turn = nearestTurn(t, turn);
    frames.push_back(m_begin + s * m_rate);
    if (std::abs(frames.back() - std::round(frames.back())) < 1e-3) frames.back() = std::round(frames.back());
    positions.push_back(clean(p));
    turns.push_back(clean(turn));
    sizes.push_back(triple(z));
    reach = std::max(reach, length(p));
  }
  setKeys(n, "position", frames, positions, steps, std::max(1e-6, 1e-4 * double(reach)));
  setKeys(n, "turn", frames, turns, steps, 0.01);
  setKeys(n, "size", frames, sizes, steps, 1e-4);
}

void Importer::motions() {
  if (m_model.motions.empty()) return;
  double length = m_motion ? double(m_motion->length) : 0;
  if (m_model.motions.size() > 1) {
    std::string all;
    for (size_t i = 0; i < m_model.motions.size() && i < 12; ++i) all += (i ? ", " : "") + m_model.motions[i].name;
    note(fmt::format("it has {} motions ({}{}); {} plays", m_model.motions.size(), all,
                     m_model.motions.size() > 12 ? ", ..." : "", m_motion->name));
  }
  const Params settings = settingsOf(m_doc);
  const double end = std::ceil(m_begin + length * m_rate);
  if (end > settings.number("last_frame") && end < 1e6) {
    Node n = settings.node();
    n.values["last_frame"] = Constant(end);
    m_builder.put(std::move(n));
    note(fmt::format("its motion lasts to frame {:.0f}, where the frame range now ends", end));
  }
}
} // namespace ilumbra
