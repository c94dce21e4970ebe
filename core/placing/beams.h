#pragma once
#include "core/placing/handles.h"

namespace ilumbra {

/// An opening as it was pointed at in the picture: a hole that something far is seen through, or a face of a thing, or
/// a rectangle drawn on one.
struct FoundOpening {
  std::vector<V3f> corners; ///< in order, in one plane
  V3f centre{0.0f};
  V3f room{0, 0, 1}; ///< unit: out of its plane, to the camera's side
  float size = 0;    ///< metres from its middle to its furthest corner
  bool hole = false; ///< false: it lies on something, so that no light comes through it
};
/// What a place of the picture (pixels) points at: the hole there, by the rim at which things come nearer on all sides;
/// else the flat face there, by where it ends. Throws BadInput when neither has a rim in the picture.
FoundOpening findOpening(const Scene& scene, const V2f& at);
/// A rectangle between two places on the plane of what is seen at the first, upright where the plane stands. Throws
/// BadInput when nothing is seen there.
FoundOpening drawnOpening(const Scene& scene, const V2f& from, const V2f& to);

/// A beam that was made.
struct MadeBeam {
  NodeId beam = 0, effect = 0;
  V3f begin{0.0f}, axis{0, 0, 1}; ///< its middle line
};
/// Light, haze and reach through an opening, made together: the light behind the hole that shines through it most, or
/// one that is made; from a face, a panel on it. `told` receives a sentence for each thing that was made.
Document openBeam(const Document& doc, const Scene& scene, const FoundOpening& opening, MadeBeam& made,
                  std::vector<std::string>* told);
/// How far along its middle line a place of the picture lies, metres, 0.05 or more.
double reachAt(const MadeBeam& beam, const Camera& camera, const V2f& to);

/// Handles of air: of a beam its reach, its start and its soft edge, with its outline; none of haze, whose shape has
/// its own.
std::vector<Handle> airHandles(const Node& air, double frame, const Scene& scene);

} // namespace ilumbra
