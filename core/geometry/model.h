#pragma once
#include "core/geometry/mesh.h"

namespace ilumbra {

/// Where a texture of a model comes from, in glTF's terms.
struct ModelTexture {
  int image = -1; ///< index into Model::imageFiles; -1: none
  V2f offset{0, 0}, scale{1, 1};
  float turn = 0; ///< degrees
};

/// A material in open-standard terms (glTF 2.0 metallic-roughness and its extensions). Colours linear Rec. 709. A
/// texture multiplies the number or colour that it stands behind.
struct ModelMaterial {
  std::string name;
  V3f baseColor{1.0f};
  float opacity = 1;
  bool useAlpha = false; ///< the alpha of the base colour's image counts
  float alphaCutoff = 0; ///< above 0: opacity is 0 or 1
  float metalness = 0, roughness = 1, ior = 1.5f, transmission = 0;
  bool thin = true; ///< no volume inside
  V3f attenuationColor{1.0f};
  float attenuationDepth = 0; ///< metres; 0: none
  float abbe = 0;             ///< 0: no dispersion
  float specular = 1;
  V3f specularTint{1.0f};
  float anisotropy = 0, grainTurn = 0; ///< degrees
  float coat = 0, coatRoughness = 0;
  V3f sheenColor{0.0f};
  float sheenRoughness = 0;
  float film = 0, filmIor = 1.3f, filmThickness = 400; ///< nm
  float translucency = 0;                              ///< of a thin sheet
  V3f translucencyColor{1.0f};
  V3f emission{0.0f}; ///< cd/m²
  float normalScale = 1, occlusionStrength = 1;
  ModelTexture baseColorTexture, metalRoughTexture, normalTexture, occlusionTexture, emissionTexture,
      transmissionTexture, specularTexture, specularTintTexture, coatTexture, coatRoughTexture, sheenTexture,
      sheenRoughTexture, filmTexture, translucencyTexture, translucencyColorTexture;
  std::string extra; ///< JSON object that travels along (glTF's extras); empty: none
};
/// Every texture of a material.
inline constexpr ModelTexture ModelMaterial::*modelTextures[] = {
    &ModelMaterial::baseColorTexture, &ModelMaterial::metalRoughTexture,   &ModelMaterial::normalTexture,
    &ModelMaterial::occlusionTexture, &ModelMaterial::emissionTexture,     &ModelMaterial::transmissionTexture,
    &ModelMaterial::specularTexture,  &ModelMaterial::specularTintTexture, &ModelMaterial::coatTexture,
    &ModelMaterial::coatRoughTexture, &ModelMaterial::sheenTexture,        &ModelMaterial::sheenRoughTexture,
    &ModelMaterial::filmTexture,      &ModelMaterial::translucencyTexture, &ModelMaterial::translucencyColorTexture};

struct ModelPart {
  std::string name; ///< no two parts of a model have the same
  Mesh mesh;        ///< at rest
  int material = -1;
  /// Another form of the mesh, as the way of each vertex to it.
  struct Morph {
    std::vector<V3f> positions, normals; ///< as many as the mesh has, or none
  };
  std::vector<Morph> morphs;
  std::vector<float> weights; ///< of the morphs at rest
  /// How much a joint of the skin carries a vertex along.
  struct Influence {
    uint32_t joint = 0; ///< index into ModelSkin::joints
    float weight = 0;
  };
  int skin = -1;                     ///< index into Model::skins; such a part stands in the space of the whole model
  std::vector<Influence> influences; ///< the same number for each vertex, one after the other
  int node = -1;                     ///< whose motion has the weights of its morphs
};
struct ModelSkin {
  std::vector<int> joints;   ///< nodes
  std::vector<M44f> toJoint; ///< from the mesh at rest to each joint
};
struct ModelLight {
  enum class Type { Point, Spot, Sun } type = Type::Point;
  V3f color{1.0f};
  float power = 0;                     ///< lumens; a sun: lux
  float innerCone = 0, outerCone = 45; ///< half-angles in degrees
};

/// Numbers over time, as glTF's samplers hold them.
struct ModelTrack {
  enum class Shape { Step, Linear, Cubic } shape = Shape::Linear;
  uint32_t width = 0;        ///< numbers a key; 0: there is no such track
  std::vector<float> times;  ///< seconds, ascending
  std::vector<float> values; ///< `width` a key; Cubic: slope before, value, slope after
};
/// What one clip does to one node.
struct ModelMove {
  int node = -1;
  ModelTrack position, rotation, scale, weights; ///< rotation: x, y, z, w
};
/// A clip of animation.
struct ModelMotion {
  std::string name;
  float length = 0; ///< seconds
  std::vector<ModelMove> moves;
};

struct ModelNode {
  std::string name;
  M44f matrix; ///< to the parent, at rest
  std::vector<int> parts;
  std::vector<int> children;
  int light = -1;
  float fieldOfView = 0; ///< vertical, degrees; above 0: there is a camera here
  float aspect = 0;      ///< of its picture, width ÷ height; 0: it states none
  std::string extra;     ///< JSON object that travels along (glTF's extras); empty: none
};

struct Model {
  std::vector<ModelPart> parts;
  std::vector<ModelMaterial> materials;
  std::vector<ModelLight> lights;
  std::vector<ModelSkin> skins;
  std::vector<ModelMotion> motions;
  std::vector<ModelNode> nodes;
  std::vector<int> roots;
  std::vector<std::string> imageFiles; ///< absolute path of each image, or empty when it is inside the file
  double unit = 0;                     ///< metres; 0: the file does not tell
  bool zUp = false;
  std::vector<std::string> notes; ///< what was left out, a sentence each
  std::string extra;              ///< JSON object that travels along; empty: none
};

} // namespace ilumbra
