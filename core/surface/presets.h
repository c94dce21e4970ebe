#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// A material named after real matter: what differs from the plain surface, as the command line takes it.
struct MaterialPreset {
  std::string name;  ///< "Dense flint glass"
  std::string group; ///< "Clear"
  std::string helpText;
  std::vector<std::pair<std::string, std::string>> values;
  std::vector<std::pair<double, double>> veil; ///< keys: degrees from straight on, opacity
};

/// Indices and Abbe numbers from the glass makers' and gem tables, metals as reflectance at normal incidence from their
/// optical constants (Palik 1985), scattering depths from Jensen et al. 2001 where they measured the like.
const std::vector<MaterialPreset>& materialPresets();
/// Throws BadInput naming those that exist.
const MaterialPreset& findPreset(const std::string& name);
/// Makes a surface material of this matter: everything it was is forgotten but its name and whether it shines by
/// itself.
Document applyPreset(const Document& doc, NodeId material, const MaterialPreset& preset);
/// The preset that a material still is, own light apart; null if it is none.
const MaterialPreset* presetOf(const Document& doc, NodeId material);

} // namespace ilumbra
