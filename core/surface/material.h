#pragma once
#include "core/pattern/program.h"
#include "core/surface/microfacet.h"

#include <optional>

namespace ilumbra {

/// A parameter of a compiled material: a constant, or a program over the surface.
struct Driven {
  Color constant{0.0f};
  std::shared_ptr<const Program> program;
  Imath::Vec4<float> at(const PatternPoint& p) const {
    if (!program) return {constant.x, constant.y, constant.z, 1};
    return program->evaluate(p);
  }
  float real(const PatternPoint& p) const { return program ? program->evaluate(p).x : constant.x; }
  Color color(const PatternPoint& p) const {
    if (!program) return constant;
    const auto v = program->evaluate(p);
    return {v.x, v.y, v.z};
  }
};

/// A layered material, ready to be asked. Colours in the working space.
struct Material {
  std::string name;
  NodeId node = 0; ///< 0: what objects without a material are made of
  Driven baseColor, metalness, roughness, transmission, opacity, occlusion, normal;
  float normalStrength = 1;
  float ior = 1.5f;
  bool thin = false;
  Color absorption{0.0f}; ///< per metre
  bool emits = false;
  Color emission{0.0f};   ///< cd/m² in the working space: the weight of its light group
  Driven emissionColor;   ///< what varies over the surface, times `emission`
  std::shared_ptr<const CoatAlbedo> coat;

  bool alwaysOpaque() const { return !opacity.program && opacity.constant.x >= 1; }
};

Kind surfaceMaterialKind();
std::vector<Kind> allMaterials();
/// Compiles one use of a material node. Throws BadInput naming the parameter at fault.
Material compileMaterial(const Document& doc, const Reference& use, double frame, const Assets& assets);
/// Matte grey of reflectance 0.5.
Material defaultMaterial();
/// What the own light of this use sends out, cd/m² per channel of the working space (0 when it has none).
Color ownLight(const Document& doc, const Reference& use, double frame);

/// A material at one point: its parameters evaluated, in a local frame whose z is the shading normal on the side of
/// the viewer.
struct Surface {
  Color base{0.0f};
  float metalness = 0, roughness = 1, transmission = 0, occlusion = 1;
  float eta = 1.5f; ///< index on the far side ÷ index on the viewer's side
  bool thin = false;
  const CoatAlbedo* coat = nullptr;

  /// To be called once all of the above is set, before anything below: the direction of the viewer, wo.z > 0.
  void view(const V3f& wo);
  /// f cos(wi) of everything that is not (nearly) a mirror; unbiased, may draw random numbers.
  Color evaluate(const V3f& wi, RandomStream& random) const;
  /// Density for multiple importance sampling; consistent with sample().
  float density(const V3f& wi) const;
  struct Sample {
    V3f wi{0.0f};
    Color weight{0.0f};    ///< f cos / pdf
    float density = 0;     ///< infinite for mirror-like lobes
    bool specular = false; ///< a mirror, clear glass, or nearly so
    bool through = false;
    bool diffuse = false;
  };
  bool sample(const V2f& u, float choose, RandomStream& random, Sample& s) const;
  /// True if nothing but mirror-like lobes is there: a light need not be sampled.
  bool onlySpecular() const;
  Color albedo() const;

private:
  struct Weights {
    float metal, coat, diffuse, glass;
  };
  // What depends on the viewer only.
  V3f m_wo{0, 0, 1};
  Weights m_weights{};
  float m_body = 0, m_coatOut = 0, m_diffuseScale = 0, m_lambdaOut = 0;
  float alpha() const { return std::max(1e-4f, roughness * roughness); }
  bool mirrorLike() const { return alpha() < 0.01f; }
};

/// Lobes with alpha below this are perfect mirrors.
inline constexpr float smoothAlpha = 1e-3f;

} // namespace ilumbra
