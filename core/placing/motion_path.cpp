#include "core/placing/motion_path.h"

#include "core/document/key_edit.h"
#include "core/document/placement.h"

#include <cmath>

namespace ilumbra {

MotionPath motionPath(const Document& doc, NodeId thing) {
  MotionPath path;
  const Node* n = doc.find(thing);
  if (!n || (!n->kind->param("position") && !n->kind->param("target")) || !isAnimated(doc, *n)) return path;
  const Params s = settingsOf(doc);
  const double first = s.number("first_frame"), last = std::max(first, s.number("last_frame"));
  std::vector<std::pair<double, bool>> frames;
  const double step = std::max(1.0, std::ceil((last - first) / 240));
  for (double f = first; f <= last; f += step) frames.emplace_back(f, false);
  if (const Keys* keys = keysAt(doc, {thing, "position", 0, {}}))
    for (const Key& k : keys->keys)
      if (k.frame >= first && k.frame <= last) frames.emplace_back(k.frame, true);
  std::sort(frames.begin(), frames.end());
  Box3f box;
  for (const auto& [frame, key] : frames) {
    const M44f m = standingMatrix(doc, *n, frame);
    path.stops.push_back({frame, {m[3][0], m[3][1], m[3][2]}, key});
    box.extendBy(path.stops.back().place);
  }
  if ((box.max - box.min).length() < 1e-4f) path.stops.clear();
  return path;
}

} // namespace ilumbra
