#pragma once
#include "core/pattern/program.h"
#include "core/surface/bsdf.h"

#include <functional>
#include <set>

namespace ilumbra {

class SurfaceTables;

/// What lies above in a layer: with the opacity of what is below, where the layer keeps openings.
Reference aboveOf(const Document& doc, const Params& layer);

/// Walks the materials that a use is made of: itself first, then below before above of what is layered; each use once,
/// to a depth of 64. `layered`: it is made of others, which follow.
void forEachLayer(const Document& doc, const Reference& use, double frame,
                  const std::function<void(const Reference& use, bool layered)>& visit);
/// All that a material is made of, itself among it; none if there is no such node.
std::set<NodeId> layersOf(const Document& doc, NodeId material, double frame);
/// The material that the others of a file are parts of, or the first one; null: there is none.
const Node* wholeMaterial(const Document& file);

/// A parameter of a compiled material: a constant, or a program over the surface.
struct Driven {
  Color constant{0.0f};
  std::shared_ptr<const Program> program;
  Sample4 at(const PatternPoint& p) const {
    if (!program) return {constant.x, constant.y, constant.z, 1};
    return program->evaluate(p);
  }
  /// As a number: the mean of the channels.
  float real(const PatternPoint& p) const {
    if (!program) return constant.x;
    const Sample4 v = program->evaluate(p);
    return (v.x + v.y + v.z) * (1 / 3.0f);
  }
  Color color(const PatternPoint& p) const {
    if (!program) return constant;
    const Sample4 v = program->evaluate(p);
    return {v.x, v.y, v.z};
  }
  /// False if it is 0 everywhere.
  bool any() const { return program || !isBlack(constant); }
  bool always(float value) const { return !program && constant.x == value; }
};

/// Opacity by the angle between the surface's normal and the way to the viewer: straight lines between keys.
struct VeilCurve {
  std::vector<std::pair<float, float>> keys; ///< degrees ascending, opacity; empty: no veil
  bool flip = false;                         ///< the curve runs from the rim
  float additive = 0;                        ///< share that adds to what is behind instead of covering it
  bool frontOnly = false;                    ///< only its first surface that faces the viewer is there
  float at(float cosine) const;
};

/// What light goes through inside a body.
struct Interior {
  Color absorption{0.0f}; ///< per metre; where a pattern tints, the most of it
  Color extinction{0.0f}; ///< of a scattering body, per metre; 0: clear
  Color albedo{0.0f};     ///< of one scattering
  float anisotropy = 0;   ///< mean cosine of a scattering
  bool scatters() const { return !isBlack(extinction); }
};

/// A layered material, ready to be asked. Colours in the working space.
struct Material {
  std::string name;
  NodeId node = 0;    ///< 0: what objects without a material are made of
  uint16_t index = 0; ///< in its scene
  // One shared material over another, by a mask: then nothing below counts. Indices are the scene's.
  int below = -1, above = -1;
  Driven mask;

  Driven baseColor, metalness, roughness, anisotropy, grainTurn, specular, specularTint;
  Driven transmission, clearRoughness, translucency, translucencyColor, subsurface;
  Driven coat, coatRoughness, coatColor, sheen, sheenColor, sheenRoughness;
  Driven film, filmThickness, opacity, occlusion, normal, bump, lightWrap;
  float normalStrength = 1, bumpDepth = 0;
  float ior = 1.5f, coatIor = 1.5f, abbe = 0; ///< abbe 0: no dispersion
  int priority = 0;                           ///< among bodies that overlap, the highest is there
  bool thin = false, ownClearRoughness = false;
  VeilCurve veil;
  Interior interior;
  Driven subsurfaceColor, subsurfaceDepth, subsurfaceAnisotropy;
  Triple subsurfaceSpread{1, 1, 1};
  bool interiorVaries = false;         ///< `interior` is asked for at the place where light enters
  std::shared_ptr<const Program> tint; ///< at `tintDepth` metres, from place to place inside; null: even
  float tintDepth = 0;
  bool patterned = false; ///< some pattern asks the point for something
  bool emits = false, emitsBack = true;
  Color emission{0.0f}; ///< cd/m² in the working space: the weight of its light group
  Driven emissionColor; ///< what varies over the surface, times `emission`
  std::shared_ptr<const CoatAlbedo> boundaryAlbedo, coatAlbedo;
  std::shared_ptr<const ThinFilm> filmTable;
  std::shared_ptr<const MetalFilm> metalFilm;

  bool layered() const { return below >= 0; }
  bool alwaysOpaque() const { return opacity.always(1) && veil.keys.empty(); }
  /// Bodies that light enters: they have an inside.
  bool hasInside() const { return !thin && (transmission.any() || subsurface.any()); }
  bool mayPassLight() const { return transmission.any(); }
  /// Nothing of light from elsewhere comes back off it or goes through its body: only its own light and its opacity
  /// count.
  bool onlyShines() const {
    return !baseColor.any() && (ior < 1.001f || !specular.any()) && !metalness.any() && !coat.any() && !sheen.any() &&
           !film.any() && !transmission.any() && !subsurface.any() && !translucency.any();
  }
  /// Of the body for light of this wavelength; 0: the yellow d line.
  float indexAt(float wavelength) const;
  /// What it sends out at a place, times `emission`: never less than nothing.
  Color emitted(const PatternPoint& at) const {
    const Color c = emissionColor.color(at);
    return {std::max(0.0f, c.x), std::max(0.0f, c.y), std::max(0.0f, c.z)};
  }
  /// Of a scattering body where light enters it.
  Interior interiorAt(const PatternPoint& at) const;
  /// Fills in what the material has at a point. `eta` of clear matter (far ÷ near) is the caller's to know.
  void describe(const PatternPoint& at, bool inside, float clearEta, Bsdf& s) const;
};

/// "material.surface" and "material.layer".
std::vector<Kind> allMaterials();
Kind surfaceMaterialKind();
Kind layerMaterialKind();
/// A key of a veil's curve.
Kind veilKeyKind();
/// Compiles one use of a material node. `indexOf` gives the scene's index of another use, for layers. Throws BadInput
/// naming the parameter at fault. `tables`: of lobes, to share; null: they are made anew.
Material compileMaterial(const Document& doc, const Reference& use, double frame, const Assets& assets,
                         const std::function<int(const Reference&)>& indexOf, SurfaceTables* tables = nullptr);
/// The look of a card without a material: its picture as colour, opacity and own light of a sheet. Throws BadInput.
Material compileCard(const Document& doc, const Node& card, double frame, const Assets& assets,
                     SurfaceTables* tables = nullptr);
/// Matte grey of reflectance 0.5.
Material defaultMaterial(SurfaceTables* tables = nullptr);
/// What the own light of this use sends out, cd/m² per channel of the working space (0 when it has none).
Color ownLight(const Document& doc, const Reference& use, double frame, bool evenIfOff = false);
/// Single-scattering albedo of a body that gives back `reflectance` of light from all around, and its inverse: van de
/// Hulst 1980 for a thick slab without a boundary, (1 − s)(1 − 0.139 s) / (1 + 1.17 s), s² = (1 − albedo) / (1 − g
/// albedo).
float scatteringAlbedo(float reflectance, float anisotropy);
float slabReflectance(float albedo, float anisotropy);

} // namespace ilumbra
