#pragma once
#include "core/geometry/shape.h"

namespace ilumbra {

/// Where a texture of a model comes from, in glTF's terms.
struct ModelTexture {
  int image = -1; ///< index into Model::images; -1: none
  V2f offset{0, 0}, scale{1, 1};
  float turn = 0; ///< degrees
};

/// A material in open-standard terms (glTF 2.0 metallic-roughness and its extensions). Colours linear Rec. 709.
struct ModelMaterial {
  std::string name;
  V3f baseColor{1.0f};
  float opacity = 1;
  bool useAlpha = false;   ///< the alpha of the base colour's image counts
  float alphaCutoff = 0;   ///< above 0: opacity is 0 or 1
  float metalness = 0, roughness = 1, ior = 1.5f, transmission = 0;
  bool thin = true;        ///< no volume inside
  V3f attenuationColor{1.0f};
  float attenuationDepth = 0; ///< metres; 0: none
  V3f emission{0.0f};      ///< cd/m²
  float normalScale = 1, occlusionStrength = 1;
  ModelTexture baseColorTexture, metalRoughTexture, normalTexture, occlusionTexture, emissionTexture, transmissionTexture;
};

struct ModelPart {
  std::string name;
  Mesh mesh;
  int material = -1;
};
struct ModelLight {
  enum class Type { Point, Spot, Sun } type = Type::Point;
  V3f color{1.0f};
  float power = 0; ///< lumens; a sun: lux
  float innerCone = 0, outerCone = 45; ///< half-angles in degrees
};
struct ModelNode {
  std::string name;
  M44f matrix; ///< to the parent
  std::vector<int> parts;
  std::vector<int> children;
  int light = -1;
  float fieldOfView = 0; ///< vertical, degrees; above 0: there is a camera here
};

struct Model {
  std::vector<ModelPart> parts;
  std::vector<ModelMaterial> materials;
  std::vector<ModelLight> lights;
  std::vector<ModelNode> nodes;
  std::vector<int> roots;
  std::vector<std::string> imageFiles; ///< absolute path of each image, or empty when it is inside the file
  std::vector<std::string> notes;      ///< what was left out, a sentence each
};

} // namespace ilumbra
