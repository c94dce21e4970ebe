#pragma once
// For the sources that read glTF: the library's header is heavy. Its implementation is in gltf_library.cpp.
#include "core/geometry/model.h"

#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_INCLUDE_STB_IMAGE
#define TINYGLTF_NO_INCLUDE_STB_IMAGE_WRITE
#define TINYGLTF_NO_INCLUDE_JSON
#define TINYGLTF_ENABLE_DRACO
#include <nlohmann/json.hpp>
#include <tiny_gltf.h>

#include "core/base/error.h"

#include <fmt/format.h>

namespace ilumbra {

/// Of a list in the file, or BadInput: "names skin 7, but there are 2".
template <typename T> const T& gltfAt(const std::vector<T>& v, int i, const char* what) {
  if (i < 0 || size_t(i) >= v.size()) throw badInput(fmt::format("names {} {}, but there are {}", what, i, v.size()));
  return v[size_t(i)];
}
double gltfNumber(const tinygltf::Value& v, const char* key, double fallback);
/// The numbers of an accessor, one after the other; `wanted` components each, 0: as many as there are.
std::vector<double> gltfNumbers(const tinygltf::Model& m, int accessor, int wanted);
/// A material with its extensions; `notes` gets what is left out.
ModelMaterial gltfMaterial(const tinygltf::Model& m, const tinygltf::Material& in, std::vector<std::string>& notes);
/// The clips of animation.
std::vector<ModelMotion> gltfMotions(const tinygltf::Model& m, std::vector<std::string>& notes);
void tellOnce(std::vector<std::string>& notes, const std::string& text);

} // namespace ilumbra
