#pragma once
#include "core/geometry/model.h"

namespace ilumbra {

/// The part of a model by its name, or by its number from 1 where none is named so; null if there is none.
const ModelPart* findPart(const Model& model, const std::string& name);
/// The clip of that name; empty: the first. Null if there is none.
const ModelMotion* findMotion(const Model& model, const std::string& name);
/// True if the form of a part may change over time: it has a skin, or morphs that a clip moves.
bool isPosed(const Model& model, const ModelPart& part);

/// A track at a time, `width` numbers: before the first and after the last key it holds. Rotations go the shorter way
/// round (Shoemake 1985). Cubic is glTF's Hermite spline.
std::vector<float> sample(const ModelTrack& track, double seconds, bool rotation = false);
/// Node-to-parent matrix at a time; without a clip, or where it does not move the node, that at rest.
M44f matrixAt(const Model& model, int node, const ModelMotion* motion, double seconds);
/// Node-to-model matrices of all nodes.
std::vector<M44f> matricesAt(const Model& model, const ModelMotion* motion, double seconds);
/// A part at a time: morphed, then carried by its joints (linear blend). Throws Cancelled.
Mesh posed(const Model& model, const ModelPart& part, const ModelMotion* motion, double seconds);

/// Scale, then rotation, then place: what a node's matrix is made of. False if it is sheared, and then it is made of
/// the nearest.
struct NodePose {
  V3f position{0.0f}, scale{1.0f};
  float rotation[4] = {0, 0, 0, 1};
};
bool takeApart(const M44f& matrix, NodePose& pose);
M44f putTogether(const NodePose& pose);

} // namespace ilumbra
