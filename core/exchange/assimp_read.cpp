// OBJ, PLY, STL, FBX, 3MF and whatever else assimp reads. Runs in the parsing child.
#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/ply_check.h"
#include "core/exchange/readers.h"
#include "core/geometry/model.h"

#include <algorithm>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <filesystem>
#include <fmt/format.h>
#include <map>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

V3f vec(const aiVector3D& v) { return {v.x, v.y, v.z}; }
V3f vec(const aiColor3D& c) { return {c.r, c.g, c.b}; }
// Rows for column vectors become rows for row vectors.
M44f matrix(const aiMatrix4x4& t) {
  return {t.a1, t.b1, t.c1, t.d1, t.a2, t.b2, t.c2, t.d2, t.a3, t.b3, t.c3, t.d3, t.a4, t.b4, t.c4, t.d4};
}
float unit(float v, float otherwise) { return std::isfinite(v) ? clamp01(v) : otherwise; }
V3f positive(const V3f& v) { return finite(v) ? vmax(v, V3f(0.0f)) : V3f(0.0f); }

const aiScene& load(Assimp::Importer& importer, const std::string& path) {
  const std::string extension = extensionOf(path);
  if (extension.empty() || !importer.IsExtensionSupported(extension) || extension == ".gltf" || extension == ".glb")
    throw badInput("is no model this version reads (.glb, .gltf, .obj, .ply, .stl, .fbx, .3mf, .dae and others)");
  if (extension == ".ply") checkPly(path);
  importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
  importer.SetPropertyBool(AI_CONFIG_IMPORT_FBX_PRESERVE_PIVOTS, false);
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_JoinIdenticalVertices |
                                                     aiProcess_SortByPType | aiProcess_LimitBoneWeights);
  if (!scene || !scene->mRootNode) {
    const std::string why = importer.GetErrorString();
    throw badInput(why.empty() ? "cannot be understood" : "cannot be understood: " + why);
  }
  return *scene;
}

class Converter {
 public:
  Converter(const std::string& path, const aiScene& scene)
      : m_path(path), m_folder(fs::path(path).parent_path().string()), m_scene(scene) {}

  Model convert() {
    for (unsigned i = 0; i < m_scene.mNumMaterials; ++i) material(*m_scene.mMaterials[i]);
    names(*m_scene.mRootNode);
    m_out.roots.push_back(node(*m_scene.mRootNode, 0));
    for (unsigned i = 0; i < m_scene.mNumMeshes; ++i) part(*m_scene.mMeshes[i]);
    for (size_t n = 0; n < m_out.nodes.size(); ++n)
      for (const int p : m_out.nodes[n].parts)
        if (m_out.parts[size_t(p)].node < 0) m_out.parts[size_t(p)].node = int(n);
    motions();
    lights();
    cameras();
    units();
    return std::move(m_out);
  }

  std::vector<int> embedded; ///< by image: which of the textures inside the file; -1: none

 private:
  void tell(const std::string& text) {
    if (std::find(m_out.notes.begin(), m_out.notes.end(), text) == m_out.notes.end()) m_out.notes.push_back(text);
  }

  int image(const std::string& file, int inside) {
    for (size_t i = 0; i < m_out.imageFiles.size(); ++i)
      if (inside >= 0 ? embedded[i] == inside : m_out.imageFiles[i] == file) return int(i);
    m_out.imageFiles.push_back(inside >= 0 ? "" : file);
    embedded.push_back(inside);
    return int(m_out.imageFiles.size()) - 1;
  }

  int texture(const aiMaterial& m, aiTextureType type) {
    aiString name;
    if (m.GetTexture(type, 0, &name) != AI_SUCCESS || name.length == 0) return -1;
    for (unsigned i = 0; i < m_scene.mNumTextures; ++i)
      if (m_scene.GetEmbeddedTexture(name.C_Str()) == m_scene.mTextures[i]) return image({}, int(i));
    if (name.C_Str()[0] == '*') return -1;
    std::string file = name.C_Str();
    std::replace(file.begin(), file.end(), '\\', '/');
    while (file.starts_with('/') || file.starts_with("./"))
      file = file.substr(file.find('/') + 1); // "//" is "beside the file" to some programs
    // Paths of another machine: the picture mostly lies beside the model.
    std::error_code error;
    const fs::path stated = fs::path(m_folder) / file, beside = fs::path(m_folder) / fs::path(file).filename();
    if (!fs::exists(stated, error) && fs::exists(beside, error)) return image(beside.string(), -1);
    return image(stated.string(), -1);
  }

  void material(const aiMaterial& in) {
    ModelMaterial m;
    aiString name;
    if (in.Get(AI_MATKEY_NAME, name) == AI_SUCCESS) m.name = name.C_Str();
    aiColor3D c(1, 1, 1);
    m.baseColor = V3f(0.5f);
    if (in.Get(AI_MATKEY_BASE_COLOR, c) == AI_SUCCESS || in.Get(AI_MATKEY_COLOR_DIFFUSE, c) == AI_SUCCESS)
      m.baseColor = vec(c);
    if (in.Get(AI_MATKEY_COLOR_EMISSIVE, c) == AI_SUCCESS) m.emission = vec(c);
    float v = 1;
    if (in.Get(AI_MATKEY_EMISSIVE_INTENSITY, v) == AI_SUCCESS && v > 0) m.emission *= v;
    if (in.Get(AI_MATKEY_OPACITY, v) == AI_SUCCESS) m.opacity = v;
    // Phong exponents to roughness, as both have the same highlight: alpha² = 2 / (n + 2) (Walter et al. 2007).
    m.roughness = 0.5f;
    if (in.Get(AI_MATKEY_SHININESS, v) == AI_SUCCESS && v > 0) m.roughness = std::sqrt(std::sqrt(2 / (v + 2)));
    if (in.Get(AI_MATKEY_ROUGHNESS_FACTOR, v) == AI_SUCCESS) m.roughness = v;
    if (in.Get(AI_MATKEY_METALLIC_FACTOR, v) == AI_SUCCESS) m.metalness = v;
    if (in.Get(AI_MATKEY_TRANSMISSION_FACTOR, v) == AI_SUCCESS) m.transmission = unit(v, 0);
    if (in.Get(AI_MATKEY_CLEARCOAT_FACTOR, v) == AI_SUCCESS) m.coat = unit(v, 0);
    if (in.Get(AI_MATKEY_CLEARCOAT_ROUGHNESS_FACTOR, v) == AI_SUCCESS) m.coatRoughness = unit(v, 0);
    if (in.Get(AI_MATKEY_SHEEN_COLOR_FACTOR, c) == AI_SUCCESS) m.sheenColor = positive(vec(c));
    if (in.Get(AI_MATKEY_SHEEN_ROUGHNESS_FACTOR, v) == AI_SUCCESS) m.sheenRoughness = unit(v, 0);
    // Many programs write an index of 1 for whatever is not glass; it would have no boundary that mirrors.
    if (in.Get(AI_MATKEY_REFRACTI, v) == AI_SUCCESS && v > 1.01f && v <= 10) m.ior = v;
    m.baseColorTexture.image = texture(in, aiTextureType_BASE_COLOR);
    if (m.baseColorTexture.image < 0) m.baseColorTexture.image = texture(in, aiTextureType_DIFFUSE);
    m.emissionTexture.image = texture(in, aiTextureType_EMISSIVE);
    m.normalTexture.image = texture(in, aiTextureType_NORMALS);
    if (m.emissionTexture.image >= 0 && isBlack(m.emission)) m.emission = V3f(1.0f);
    m.emission = positive(m.emission);
    m.baseColor = vmin(V3f(1.0f), positive(m.baseColor));
    m.opacity = unit(m.opacity, 1);
    m.roughness = unit(m.roughness, 0.5f);
    m.metalness = unit(m.metalness, 0);
    m_out.materials.push_back(std::move(m));
  }

  // Joints and clips name nodes.
  void names(const aiNode& n, int depth = 0) {
    if (depth > 1000) throw badInput("its nodes are nested too deeply");
    m_nodes.emplace(n.mName.C_Str(), m_count++);
    for (unsigned i = 0; i < n.mNumChildren; ++i) names(*n.mChildren[i], depth + 1);
  }

  int node(const aiNode& n, int depth) {
    if (depth > 1000) throw badInput("its nodes are nested too deeply");
    const auto index = int(m_out.nodes.size());
    m_out.nodes.emplace_back();
    ModelNode out;
    out.name = n.mName.C_Str();
    out.matrix = matrix(n.mTransformation);
    for (int i = 0; i < 16; ++i)
      if (!std::isfinite((&out.matrix[0][0])[i])) {
        out.matrix = M44f();
        tell(out.name + " stands at no finite place, and is put at its parent's");
      }
    for (unsigned i = 0; i < n.mNumMeshes; ++i)
      if (n.mMeshes[i] < m_scene.mNumMeshes) out.parts.push_back(int(n.mMeshes[i]));
    for (unsigned i = 0; i < n.mNumChildren; ++i) out.children.push_back(node(*n.mChildren[i], depth + 1));
    m_out.nodes[size_t(index)] = std::move(out);
    return index;
  }

  void part(const aiMesh& in) {
    ModelPart p;
    p.name = in.mName.length ? in.mName.C_Str() : fs::path(m_path).stem().string();
    p.material = in.mMaterialIndex < m_out.materials.size() ? int(in.mMaterialIndex) : -1;
    for (unsigned k = 0; k < in.mNumVertices; ++k) {
      p.mesh.positions.push_back(vec(in.mVertices[k]));
      if (in.HasNormals()) {
        const V3f n = vec(in.mNormals[k]);
        p.mesh.normals.push_back(finite(n) ? normalize(n) : V3f(0.0f));
      }
      if (in.HasTextureCoords(0)) {
        const V2f uv(in.mTextureCoords[0][k].x, in.mTextureCoords[0][k].y);
        p.mesh.uvs.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
      if (in.HasTextureCoords(1)) {
        const V2f uv(in.mTextureCoords[1][k].x, in.mTextureCoords[1][k].y);
        p.mesh.uvs2.push_back(std::isfinite(uv.x) && std::isfinite(uv.y) ? uv : V2f(0, 0));
      }
      if (in.HasVertexColors(0)) {
        // As screens have them, in all of these formats.
        const auto linear = [](float x) { return std::isfinite(x) ? srgbDecoded(std::clamp(x, 0.0f, 1.0f)) : 1.0f; };
        const aiColor4D& c = in.mColors[0][k];
        p.mesh.colors.emplace_back(linear(c.r), linear(c.g), linear(c.b), std::isfinite(c.a) ? c.a : 1.0f);
      }
    }
    for (unsigned k = 0; k < in.mNumFaces; ++k) {
      const aiFace& f = in.mFaces[k];
      if (f.mNumIndices == 3) p.mesh.triangles.push_back({f.mIndices[0], f.mIndices[1], f.mIndices[2]});
    }
    if (in.HasVertexColors(0)) tell("colours of vertices are left out");
    for (unsigned k = 0; k < in.mNumAnimMeshes; ++k) {
      const aiAnimMesh& a = *in.mAnimMeshes[k];
      ModelPart::Morph m;
      if (a.mVertices && a.mNumVertices == in.mNumVertices)
        for (unsigned v = 0; v < in.mNumVertices; ++v) m.positions.push_back(vec(a.mVertices[v]) - p.mesh.positions[v]);
      if (a.mNormals && a.mNumVertices == in.mNumVertices && in.HasNormals())
        for (unsigned v = 0; v < in.mNumVertices; ++v) m.normals.push_back(vec(a.mNormals[v]) - p.mesh.normals[v]);
      p.morphs.push_back(std::move(m));
      p.weights.push_back(std::isfinite(a.mWeight) ? a.mWeight : 0);
    }
    skin(in, p);
    m_out.parts.push_back(std::move(p));
  }

  void skin(const aiMesh& in, ModelPart& p) {
    constexpr size_t each = 4; // aiProcess_LimitBoneWeights
    ModelSkin skin;
    std::vector<size_t> filled(in.mNumVertices, 0);
    for (unsigned b = 0; b < in.mNumBones; ++b) {
      const aiBone& bone = *in.mBones[b];
      const auto it = m_nodes.find(bone.mName.C_Str());
      if (it == m_nodes.end()) {
        tell(fmt::format("{} is carried by {}, which is not in its file", p.name, bone.mName.C_Str()));
        continue;
      }
      if (p.influences.empty()) p.influences.resize(each * in.mNumVertices);
      for (unsigned w = 0; w < bone.mNumWeights; ++w) {
        const unsigned v = bone.mWeights[w].mVertexId;
        if (v < in.mNumVertices && filled[v] < each)
          p.influences[each * v + filled[v]++] = {uint32_t(skin.joints.size()), bone.mWeights[w].mWeight};
      }
      skin.joints.push_back(it->second);
      skin.toJoint.push_back(matrix(bone.mOffsetMatrix));
    }
    if (skin.joints.empty()) return;
    p.skin = int(m_out.skins.size());
    m_out.skins.push_back(std::move(skin));
  }

  void motions() {
    for (unsigned i = 0; i < m_scene.mNumAnimations; ++i) {
      const aiAnimation& in = *m_scene.mAnimations[i];
      const double rate = in.mTicksPerSecond > 0 ? in.mTicksPerSecond : 25; // as the library's own notes say
      ModelMotion motion;
      motion.name = in.mName.length ? in.mName.C_Str() : fmt::format("Motion {}", i + 1);
      const auto add = [&](ModelTrack& t, double time, std::initializer_list<float> v) {
        const auto seconds = float(time / rate);
        if (!std::isfinite(seconds) || (!t.times.empty() && seconds < t.times.back())) return;
        for (const float x : v)
          if (!std::isfinite(x)) return;
        t.width = uint32_t(v.size());
        t.times.push_back(seconds);
        t.values.insert(t.values.end(), v);
        motion.length = std::max(motion.length, seconds);
      };
      for (unsigned k = 0; k < in.mNumChannels; ++k) {
        const aiNodeAnim& c = *in.mChannels[k];
        const auto it = m_nodes.find(c.mNodeName.C_Str());
        if (it == m_nodes.end()) continue;
        ModelMove move;
        move.node = it->second;
        for (unsigned n = 0; n < c.mNumPositionKeys; ++n)
          add(move.position, c.mPositionKeys[n].mTime,
              {c.mPositionKeys[n].mValue.x, c.mPositionKeys[n].mValue.y, c.mPositionKeys[n].mValue.z});
        for (unsigned n = 0; n < c.mNumScalingKeys; ++n)
          add(move.scale, c.mScalingKeys[n].mTime,
              {c.mScalingKeys[n].mValue.x, c.mScalingKeys[n].mValue.y, c.mScalingKeys[n].mValue.z});
        for (unsigned n = 0; n < c.mNumRotationKeys; ++n) {
          const aiQuaternion& q = c.mRotationKeys[n].mValue;
          add(move.rotation, c.mRotationKeys[n].mTime, {q.x, q.y, q.z, q.w});
        }
        motion.moves.push_back(std::move(move));
      }
      for (unsigned k = 0; k < in.mNumMorphMeshChannels; ++k) morphs(*in.mMorphMeshChannels[k], rate, motion);
      if (!motion.moves.empty()) m_out.motions.push_back(std::move(motion));
    }
  }

  void morphs(const aiMeshMorphAnim& in, double rate, ModelMotion& motion) {
    std::string name = in.mName.C_Str(); // of a node, or of a mesh with a number behind it
    name = name.substr(0, name.find('*'));
    int owner = -1;
    for (size_t n = 0; n < m_out.nodes.size() && owner < 0; ++n)
      for (const int p : m_out.nodes[n].parts)
        if (!m_out.parts[size_t(p)].morphs.empty() &&
            (m_out.nodes[n].name == name || m_out.parts[size_t(p)].name == name))
          owner = int(n);
    if (owner < 0) return;
    size_t width = 0;
    for (const int p : m_out.nodes[size_t(owner)].parts) width = std::max(width, m_out.parts[size_t(p)].morphs.size());
    ModelMove move;
    move.node = owner;
    move.weights.width = uint32_t(width);
    for (unsigned k = 0; k < in.mNumKeys; ++k) {
      const aiMeshMorphKey& key = in.mKeys[k];
      const auto seconds = float(key.mTime / rate);
      if (!std::isfinite(seconds) || (!move.weights.times.empty() && seconds < move.weights.times.back())) continue;
      std::vector<float> all(width, 0.0f);
      for (unsigned w = 0; w < key.mNumValuesAndWeights; ++w)
        if (key.mValues[w] < width && std::isfinite(key.mWeights[w])) all[key.mValues[w]] = float(key.mWeights[w]);
      move.weights.times.push_back(seconds);
      move.weights.values.insert(move.weights.values.end(), all.begin(), all.end());
      motion.length = std::max(motion.length, seconds);
    }
    for (ModelMove& known : motion.moves)
      if (known.node == owner) {
        known.weights = std::move(move.weights);
        return;
      }
    motion.moves.push_back(std::move(move));
  }

  // A light or camera stands in the node of its name, at a place and in a direction of its own.
  ModelNode* standIn(const aiString& name, const V3f& at, const V3f& forward) {
    const auto it = m_nodes.find(name.C_Str());
    if (it == m_nodes.end()) return nullptr;
    const V3f ahead = normalize(isBlack(forward) || !finite(forward) ? V3f(0, 0, -1) : forward);
    const Frame f(-ahead, V3f(std::abs(ahead.y) > 0.99f ? 1.0f : 0.0f, 0, std::abs(ahead.y) > 0.99f ? 0.0f : 1.0f));
    ModelNode n;
    n.name = name.C_Str();
    n.matrix = M44f(f.x.x, f.x.y, f.x.z, 0, f.y.x, f.y.y, f.y.z, 0, f.z.x, f.z.y, f.z.z, 0, at.x, at.y, at.z, 1);
    const auto index = int(m_out.nodes.size());
    m_out.nodes.push_back(std::move(n));
    m_out.nodes[size_t(it->second)].children.push_back(index);
    return &m_out.nodes.back();
  }

  void lights() {
    for (unsigned i = 0; i < m_scene.mNumLights; ++i) {
      const aiLight& in = *m_scene.mLights[i];
      if (in.mType != aiLightSource_POINT && in.mType != aiLightSource_SPOT && in.mType != aiLightSource_DIRECTIONAL) {
        tell(fmt::format("the light {} is of a kind that is left out", in.mName.C_Str()));
        continue;
      }
      ModelLight l;
      l.type = in.mType == aiLightSource_SPOT          ? ModelLight::Type::Spot
               : in.mType == aiLightSource_DIRECTIONAL ? ModelLight::Type::Sun
                                                       : ModelLight::Type::Point;
      const V3f color = positive(vec(in.mColorDiffuse));
      const float most = std::max(1e-6f, maxComponent(color));
      l.color = color * (1 / most);
      l.power = std::min(most, 1e9f) * (l.type == ModelLight::Type::Sun ? 1.0f : 4 * pi);
      l.outerCone = std::clamp(in.mAngleOuterCone * 90 / pi, 1.0f, 89.0f); // the library counts from side to side
      l.innerCone = std::clamp(in.mAngleInnerCone * 90 / pi, 0.0f, l.outerCone);
      if (ModelNode* n = standIn(in.mName, vec(in.mPosition), vec(in.mDirection))) {
        n->light = int(m_out.lights.size());
        m_out.lights.push_back(l);
      }
    }
    if (!m_out.lights.empty()) tell("its lights are taken as candelas or lux; such files do not state a unit");
  }

  void cameras() {
    for (unsigned i = 0; i < m_scene.mNumCameras; ++i) {
      const aiCamera& in = *m_scene.mCameras[i];
      const float horizontal = in.mHorizontalFOV; // half of it in some readers, all of it in others: taken as all
      if (!(horizontal > 0.01f && horizontal < 3.1f)) continue;
      const float aspect = in.mAspect > 0.01f ? in.mAspect : 1.5f;
      if (ModelNode* n = standIn(in.mName, vec(in.mPosition), vec(in.mLookAt))) {
        n->fieldOfView = 2 * std::atan(std::tan(horizontal / 2) / aspect) * 180 / pi;
        n->aspect = in.mAspect > 0.05f && in.mAspect < 20 ? in.mAspect : 0;
      }
    }
  }

  // What the file states about its unit and its axes. Where the reader has turned everything already, nothing is left
  // to do.
  void units() {
    const std::string extension = extensionOf(m_path);
    if (extension == ".dae") m_out.unit = 1; // the reader applies both
    if (extension == ".3mf") {
      m_out.unit = 0.001;
      m_out.zUp = true;
    }
    if (extension == ".stl" || extension == ".3ds" || extension == ".amf") m_out.zUp = true;
    if (extension != ".fbx" || !m_scene.mMetaData) return;
    double factor = 0;
    float narrow = 0;
    if (m_scene.mMetaData->Get("UnitScaleFactor", factor))
      m_out.unit = factor / 100;
    else if (m_scene.mMetaData->Get("UnitScaleFactor", narrow))
      m_out.unit = double(narrow) / 100;
    if (!(m_out.unit > 1e-6 && m_out.unit < 1e6)) m_out.unit = 0.01;
    int32_t up = 1;
    if (m_scene.mMetaData->Get("UpAxis", up)) m_out.zUp = up == 2;
  }

  const std::string m_path, m_folder;
  const aiScene& m_scene;
  std::map<std::string, int> m_nodes;
  int m_count = 0;
  Model m_out;
};

void putWord(std::string& to, unsigned v) {
  to += char(v & 255);
  to += char(v >> 8 & 255);
}

// Bare texels as a TGA file of version 2.
std::string targa(const aiTexture& t) {
  std::string out("\0\0\2\0\0\0\0\0\0\0\0\0", 12);
  putWord(out, t.mWidth);
  putWord(out, t.mHeight);
  out += char(32);
  out += char(0x28); // eight bits of alpha, the first row on top
  for (size_t i = 0; i < size_t(t.mWidth) * t.mHeight; ++i) {
    const aiTexel& x = t.pcData[i];
    for (const unsigned char c : {x.b, x.g, x.r, x.a}) out += char(c);
  }
  out.append(8, '\0');
  return out + std::string("TRUEVISION-XFILE.\0", 18);
}

} // namespace

Model readWithAssimp(const std::string& path) {
  Assimp::Importer importer;
  return Converter(path, load(importer, path)).convert();
}

std::string assimpImageBytes(const std::string& path, int index) {
  Assimp::Importer importer;
  const aiScene& scene = load(importer, path);
  Converter c(path, scene);
  c.convert();
  if (index < 0 || size_t(index) >= c.embedded.size() || c.embedded[size_t(index)] < 0)
    throw badInput(fmt::format("has no image {} inside", index));
  const aiTexture& t = *scene.mTextures[c.embedded[size_t(index)]];
  if (t.mHeight == 0) return std::string(reinterpret_cast<const char*>(t.pcData), t.mWidth);
  if (t.mWidth > 32768 || t.mHeight > 32768) throw badInput("an image inside is too large");
  return targa(t);
}

} // namespace ilumbra
