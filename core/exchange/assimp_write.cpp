// OBJ, PLY and STL, by assimp: every copy in world space, as such files have no instances.
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/readers.h"
#include "core/geometry/mesh_tools.h"
#include "core/geometry/pose.h"

#include <assimp/Exporter.hpp>
#include <assimp/scene.h>
#include <filesystem>
#include <fmt/format.h>

namespace ilumbra {
namespace {

aiMesh* meshOf(const Mesh& in, const std::string& name, unsigned material) {
  auto* out = new aiMesh;
  out->mName = name;
  out->mMaterialIndex = material;
  out->mPrimitiveTypes = aiPrimitiveType_TRIANGLE;
  const size_t n = in.positions.size();
  out->mNumVertices = unsigned(n);
  out->mVertices = new aiVector3D[n];
  for (size_t i = 0; i < n; ++i) out->mVertices[i] = {in.positions[i].x, in.positions[i].y, in.positions[i].z};
  if (!in.normals.empty()) {
    out->mNormals = new aiVector3D[n];
    for (size_t i = 0; i < n; ++i) out->mNormals[i] = {in.normals[i].x, in.normals[i].y, in.normals[i].z};
  }
  if (!in.uvs.empty()) {
    out->mTextureCoords[0] = new aiVector3D[n];
    out->mNumUVComponents[0] = 2;
    for (size_t i = 0; i < n; ++i) out->mTextureCoords[0][i] = {in.uvs[i].x, in.uvs[i].y, 0};
  }
  out->mNumFaces = unsigned(in.triangles.size());
  out->mFaces = new aiFace[in.triangles.size()];
  for (size_t i = 0; i < in.triangles.size(); ++i) {
    aiFace& f = out->mFaces[i];
    f.mNumIndices = 3;
    f.mIndices = new unsigned[3]{in.triangles[i].a, in.triangles[i].b, in.triangles[i].c};
  }
  return out;
}

aiMaterial* materialOf(const ModelMaterial& m) {
  auto* out = new aiMaterial;
  const aiString name(m.name);
  out->AddProperty(&name, AI_MATKEY_NAME);
  const auto color = [&](const V3f& c, const char* key, unsigned a, unsigned b) {
    const aiColor3D v(c.x, c.y, c.z);
    out->AddProperty(&v, 1, key, a, b);
  };
  const auto number = [&](float v, const char* key, unsigned a, unsigned b) { out->AddProperty(&v, 1, key, a, b); };
  color(m.baseColor, AI_MATKEY_COLOR_DIFFUSE);
  color(m.emission, AI_MATKEY_COLOR_EMISSIVE);
  number(m.opacity * (1 - m.transmission), AI_MATKEY_OPACITY);
  // The exponent with the same highlight as a roughness: the inverse of what the import does (Walter et al. 2007).
  const float alpha = std::max(0.001f, m.roughness * m.roughness);
  number(2 / (alpha * alpha) - 2, AI_MATKEY_SHININESS);
  number(m.ior, AI_MATKEY_REFRACTI);
  return out;
}

} // namespace

void writeWithAssimp(const Model& model, const std::string& path) {
  const std::vector<M44f> world = matricesAt(model, nullptr, 0);
  std::vector<std::pair<size_t, size_t>> stands; // node, part
  size_t triangles = 0;
  for (size_t n = 0; n < model.nodes.size(); ++n)
    for (const int p : model.nodes[n].parts) {
      stands.emplace_back(n, size_t(p));
      triangles += model.parts[size_t(p)].mesh.triangles.size();
    }
  if (stands.empty()) throw badInput("there is no surface to write");
  if (triangles > 50'000'000)
    throw badInput(
        fmt::format("with every copy written out these are {} triangles; 50 million are written", triangles));
  aiScene scene;
  scene.mNumMaterials = unsigned(model.materials.size()) + 1;
  scene.mMaterials = new aiMaterial*[scene.mNumMaterials]();
  for (size_t i = 0; i < model.materials.size(); ++i) scene.mMaterials[i] = materialOf(model.materials[i]);
  scene.mMaterials[model.materials.size()] =
      materialOf({.name = "Matte grey", .baseColor = V3f(0.5f), .roughness = 0.5f});
  scene.mNumMeshes = unsigned(stands.size());
  scene.mMeshes = new aiMesh*[stands.size()]();
  scene.mRootNode = new aiNode;
  scene.mRootNode->mNumMeshes = scene.mNumMeshes;
  scene.mRootNode->mMeshes = new unsigned[stands.size()];
  for (size_t i = 0; i < stands.size(); ++i) {
    const ModelPart& part = model.parts[stands[i].second];
    Mesh mesh = part.mesh;
    transform(mesh, world[stands[i].first]);
    scene.mMeshes[i] = meshOf(mesh, model.nodes[stands[i].first].name,
                              part.material >= 0 ? unsigned(part.material) : scene.mNumMaterials - 1);
    scene.mRootNode->mMeshes[i] = unsigned(i);
  }
  const std::string extension = std::filesystem::path(path).extension().string();
  const char* format = extension == ".obj" || extension == ".OBJ"   ? "obj"
                       : extension == ".ply" || extension == ".PLY" ? "plyb"
                                                                    : "stlb";
  Assimp::Exporter exporter;
  const aiExportDataBlob* blob = exporter.ExportToBlob(&scene, format, 0u);
  if (!blob) throw ioError(fmt::format("{}: {}", path, exporter.GetErrorString()));
  std::string main(static_cast<const char*>(blob->data), blob->size);
  if (const aiExportDataBlob* second = blob->next) {
    // The materials lie beside it, under its own name.
    const std::filesystem::path beside = std::filesystem::path(path).replace_extension(".mtl");
    if (const size_t at = main.find("mtllib "); at != std::string::npos)
      main.replace(at, main.find('\n', at) - at, "mtllib " + beside.filename().string());
    writeFileAtomically(beside.string(), std::string_view(static_cast<const char*>(second->data), second->size));
  }
  writeFileAtomically(path, main);
}

} // namespace ilumbra
