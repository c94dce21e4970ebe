// OBJ, PLY and STL, by assimp. Runs in the parsing child.
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/geometry/model.h"

#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>

namespace ilumbra {
namespace {

int textureOf(const aiMaterial& m, aiTextureType type, const std::string& folder, Model& out) {
  aiString name;
  if (m.GetTexture(type, 0, &name) != AI_SUCCESS || name.length == 0 || name.C_Str()[0] == '*') return -1;
  std::string file = name.C_Str();
  std::replace(file.begin(), file.end(), '\\', '/');
  file = (std::filesystem::path(folder) / file).string();
  for (size_t i = 0; i < out.imageFiles.size(); ++i)
    if (out.imageFiles[i] == file) return int(i);
  out.imageFiles.push_back(file);
  return int(out.imageFiles.size()) - 1;
}

int convertNode(const aiNode& n, Model& out, int depth) {
  if (depth > 1000) throw badInput("its nodes are nested too deeply");
  const auto index = int(out.nodes.size());
  out.nodes.emplace_back();
  ModelNode node;
  node.name = n.mName.C_Str();
  const aiMatrix4x4& t = n.mTransformation; // rows for column vectors
  node.matrix = M44f(t.a1, t.b1, t.c1, t.d1, t.a2, t.b2, t.c2, t.d2, t.a3, t.b3, t.c3, t.d3, t.a4, t.b4, t.c4, t.d4);
  for (unsigned i = 0; i < n.mNumMeshes; ++i) node.parts.push_back(int(n.mMeshes[i]));
  for (unsigned i = 0; i < n.mNumChildren; ++i) node.children.push_back(convertNode(*n.mChildren[i], out, depth + 1));
  out.nodes[size_t(index)] = std::move(node);
  return index;
}

// The library reads a PLY header until it ends, also where it never does.
void checkPlyHeader(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  std::string line;
  for (size_t read = 0; read < 65536 && std::getline(file, line); read += line.size() + 1) {
    if (!line.empty() && line.back() == '\r') line.pop_back();
    if (read == 0 && line != "ply") throw badInput("is no PLY file: it does not begin with \"ply\"");
    if (line == "end_header") return;
  }
  throw badInput("has a header without an end");
}

} // namespace

Model readWithAssimp(const std::string& path) {
  if (std::filesystem::path(path).extension() == ".ply" || std::filesystem::path(path).extension() == ".PLY") checkPlyHeader(path);
  Assimp::Importer importer;
  importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_JoinIdenticalVertices | aiProcess_SortByPType);
  if (!scene || !scene->mRootNode) {
    std::string why = importer.GetErrorString();
    throw badInput(why.empty() ? "cannot be understood" : "cannot be understood: " + why);
  }
  Model out;
  const std::string folder = std::filesystem::path(path).parent_path().string();
  for (unsigned i = 0; i < scene->mNumMaterials; ++i) {
    const aiMaterial& in = *scene->mMaterials[i];
    ModelMaterial m;
    aiString name;
    if (in.Get(AI_MATKEY_NAME, name) == AI_SUCCESS) m.name = name.C_Str();
    aiColor3D c(1, 1, 1);
    m.baseColor = V3f(0.5f);
    if (in.Get(AI_MATKEY_COLOR_DIFFUSE, c) == AI_SUCCESS) m.baseColor = {c.r, c.g, c.b};
    if (in.Get(AI_MATKEY_COLOR_EMISSIVE, c) == AI_SUCCESS) m.emission = {c.r, c.g, c.b};
    float v = 1;
    if (in.Get(AI_MATKEY_OPACITY, v) == AI_SUCCESS) m.opacity = v;
    // Phong exponents to roughness, as both have the same highlight: alpha² = 2 / (n + 2) (Walter et al. 2007).
    m.roughness = 0.5f;
    if (in.Get(AI_MATKEY_SHININESS, v) == AI_SUCCESS && v > 0) m.roughness = std::sqrt(std::sqrt(2 / (v + 2)));
    m.baseColorTexture.image = textureOf(in, aiTextureType_DIFFUSE, folder, out);
    m.emissionTexture.image = textureOf(in, aiTextureType_EMISSIVE, folder, out);
    for (int k = 0; k < 3; ++k) {
      m.baseColor[k] = std::isfinite(m.baseColor[k]) ? clamp01(m.baseColor[k]) : 0;
      m.emission[k] = std::isfinite(m.emission[k]) ? std::max(0.0f, m.emission[k]) : 0;
    }
    m.opacity = std::isfinite(m.opacity) ? clamp01(m.opacity) : 1;
    m.roughness = std::isfinite(m.roughness) ? clamp01(m.roughness) : 0.5f;
    out.materials.push_back(std::move(m));
  }
  for (unsigned i = 0; i < scene->mNumMeshes; ++i) {
    const aiMesh& in = *scene->mMeshes[i];
    ModelPart p;
    p.name = in.mName.length ? in.mName.C_Str() : std::filesystem::path(path).stem().string();
    p.material = in.mMaterialIndex < out.materials.size() ? int(in.mMaterialIndex) : -1;
    for (unsigned k = 0; k < in.mNumVertices; ++k) {
      p.mesh.positions.emplace_back(in.mVertices[k].x, in.mVertices[k].y, in.mVertices[k].z);
      if (in.HasNormals()) {
        const V3f n(in.mNormals[k].x, in.mNormals[k].y, in.mNormals[k].z);
        p.mesh.normals.push_back(finite(n) ? normalize(n) : V3f(0.0f));
      }
      if (in.HasTextureCoords(0)) {
        const V2f uv(in.mTextureCoords[0][k].x, in.mTextureCoords[0][k].y);
        p.mesh.uvs.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
    }
    for (unsigned k = 0; k < in.mNumFaces; ++k) {
      const aiFace& f = in.mFaces[k];
      if (f.mNumIndices == 3) p.mesh.triangles.push_back({f.mIndices[0], f.mIndices[1], f.mIndices[2]});
    }
    if (in.HasVertexColors(0)) out.notes.emplace_back("colours of vertices are left out");
    out.parts.push_back(std::move(p));
  }
  out.roots.push_back(convertNode(*scene->mRootNode, out, 0));
  return out;
}

} // namespace ilumbra
