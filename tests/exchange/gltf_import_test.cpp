// What glTF files say, and what of it arrives: written here as text, read by the real reader.
#include "core/base/colorspace.h"
#include "core/base/files.h"
#include "core/compile/compile.h"
#include "core/exchange/import.h"
#include "core/exchange/readers.h"
#include "core/geometry/no_assets.h"
#include "core/scene/ray_caster.h"
#include "tests/support/scene.h"

#include <cstring>
#include <nlohmann/json.hpp>

using namespace ilumbra;
using namespace ilumbra::test;
using Json = nlohmann::ordered_json;

namespace {

// A file under construction: accessors are appended to a buffer beside it.
class File {
 public:
  template <typename T>
  int accessor(const std::vector<T>& values, const char* type, int component, size_t perElement,
               bool normalized = false) {
    while (m_bytes.size() % 4) m_bytes += '\0';
    const size_t offset = m_bytes.size();
    m_bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T));
    json["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", offset}, {"byteLength", values.size() * sizeof(T)}});
    json["accessors"].push_back({{"bufferView", json["bufferViews"].size() - 1},
                                 {"componentType", component},
                                 {"count", values.size() / perElement},
                                 {"type", type},
                                 {"normalized", normalized}});
    return int(json["accessors"].size()) - 1;
  }
  int floats(const std::vector<float>& v, const char* type, size_t n) { return accessor(v, type, 5126, n); }
  Model read() {
    json["asset"] = {{"version", "2.0"}};
    if (!json.contains("scenes")) json["scenes"] = Json::array({Json{{"nodes", {0}}}});
    json["buffers"] = Json::array({Json{{"uri", "data.bin"}, {"byteLength", m_bytes.size()}}});
    writeFileAtomically(folder / "data.bin", m_bytes);
    writeFileAtomically(folder / "scene.gltf", json.dump());
    return readGltf(folder / "scene.gltf");
  }
  Imported import() {
    read();
    return importModel(Document::create(kinds()), folder / "scene.gltf", cache);
  }
  TemporaryFolder folder;
  AssetCache cache;
  Json json;

 private:
  std::string m_bytes;
};

const std::vector<float> square = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};

void addSquare(File& f, Json more = Json::object()) {
  Json primitive = {{"attributes", {{"POSITION", f.floats(square, "VEC3", 3)}}},
                    {"indices", f.accessor(std::vector<uint16_t>{0, 1, 2, 0, 2, 3}, "SCALAR", 5123, 1)}};
  primitive.update(more);
  f.json["meshes"] = Json::array({Json{{"name", "Square"}, {"primitives", Json::array({primitive})}}});
  f.json["nodes"] = Json::array({Json{{"name", "Square"}, {"mesh", 0}}});
}

double number(const Document& d, const std::string& address) {
  return std::get<double>(*valueAt(d, resolve(d, address)).constant());
}

} // namespace

TEST_CASE("Indices of one, two and four bytes, strips, fans and none at all give the same triangles",
          "[exchange][gltf]") {
  const auto triangles = [](const std::function<void(File&, Json&)>& set) {
    File f;
    Json p = {{"attributes", {{"POSITION", f.floats(square, "VEC3", 3)}}}};
    set(f, p);
    f.json["meshes"] = Json::array({Json{{"primitives", Json::array({p})}}});
    f.json["nodes"] = Json::array({Json{{"mesh", 0}}});
    double area = 0;
    const Model m = f.read();
    for (const auto& t : m.parts.at(0).mesh.triangles) {
      const auto& v = m.parts[0].mesh.positions;
      const V3f n = cross(v[t.b] - v[t.a], v[t.c] - v[t.a]);
      CHECK(n.z > 0);
      area += double(n.z) / 2;
    }
    return area;
  };
  CHECK(triangles([](File& f, Json& p) {
          p["indices"] = f.accessor(std::vector<uint8_t>{0, 1, 2, 0, 2, 3}, "SCALAR", 5121, 1);
        }) == Approx(1));
  CHECK(triangles([](File& f, Json& p) {
          p["indices"] = f.accessor(std::vector<uint16_t>{0, 1, 2, 0, 2, 3}, "SCALAR", 5123, 1);
        }) == Approx(1));
  CHECK(triangles([](File& f, Json& p) {
          p["indices"] = f.accessor(std::vector<uint32_t>{0, 1, 2, 0, 2, 3}, "SCALAR", 5125, 1);
        }) == Approx(1));
  CHECK(triangles([](File& f, Json& p) {
          p["indices"] = f.accessor(std::vector<uint16_t>{0, 1, 3, 2}, "SCALAR", 5123, 1);
          p["mode"] = 5;
        }) == Approx(1));
  CHECK(triangles([](File& f, Json& p) {
          p["indices"] = f.accessor(std::vector<uint16_t>{0, 1, 2, 3}, "SCALAR", 5123, 1);
          p["mode"] = 6;
        }) == Approx(1));
  CHECK(triangles([](File&, Json&) {}) == Approx(0.5)); // the first three vertices; the fourth has no company
}

TEST_CASE("Sparse accessors put their values in place", "[exchange][gltf]") {
  File f;
  addSquare(f);
  const int values = f.floats({5, 5, 5}, "VEC3", 3), indices = f.accessor(std::vector<uint16_t>{2}, "SCALAR", 5123, 1);
  const auto view = [&](int accessor) { return f.json["accessors"][size_t(accessor)]["bufferView"]; };
  f.json["accessors"][0]["sparse"] = {{"count", 1},
                                      {"indices", {{"bufferView", view(indices)}, {"componentType", 5123}}},
                                      {"values", {{"bufferView", view(values)}}}};
  const Model m = f.read();
  CHECK(m.parts[0].mesh.positions[2] == V3f(5, 5, 5));
  CHECK(m.parts[0].mesh.positions[1] == V3f(1, 0, 0));
}

TEST_CASE("Materials arrive in open terms, with their textures as patterns", "[exchange][gltf][import]") {
  File f;
  addSquare(f, {{"material", 0}});
  f.json["images"] = Json::array({Json{{"uri", "bricks.png"}}, Json{{"uri", "rough.png"}}});
  f.json["textures"] = Json::array({Json{{"source", 0}}, Json{{"source", 1}}});
  f.json["extensionsUsed"] = {"KHR_materials_emissive_strength", "KHR_materials_ior", "KHR_materials_transmission",
                              "KHR_materials_volume", "KHR_texture_transform"};
  f.json["materials"] = Json::array(
      {Json{{"name", "Amber.glass, old"},
            {"pbrMetallicRoughness",
             {{"baseColorFactor", {0.5, 0.6, 0.7, 1}},
              {"metallicFactor", 0.25},
              {"roughnessFactor", 0.5},
              {"baseColorTexture",
               {{"index", 0}, {"extensions", {{"KHR_texture_transform", {{"scale", {2, 3}}, {"rotation", 0.5}}}}}}},
              {"metallicRoughnessTexture", {{"index", 1}}}}},
            {"normalTexture", {{"index", 1}, {"scale", 0.75}}},
            {"occlusionTexture", {{"index", 1}}},
            {"emissiveFactor", {0.5, 0.25, 0}},
            {"extensions",
             {{"KHR_materials_emissive_strength", {{"emissiveStrength", 40}}},
              {"KHR_materials_ior", {{"ior", 1.7}}},
              {"KHR_materials_transmission", {{"transmissionFactor", 0.9}}},
              {"KHR_materials_volume",
               {{"thicknessFactor", 1}, {"attenuationDistance", 0.2}, {"attenuationColor", {0.9, 0.4, 0.1}}}}}}}});
  const Imported in = f.import();
  const Document& d = in.doc;
  CHECK(problems(d).empty());
  const std::string name = d.family("material").front()->name;
  CHECK(name.find_first_of(".,[]") == std::string::npos);
  const Params p(*d.family("material").front(), 1);
  for (const char* driven : {"base_color", "metalness", "roughness", "normal", "occlusion"}) {
    CAPTURE(driven);
    CHECK(p.pattern(driven));
  }
  CHECK(number(d, name + ".ior") == Approx(1.7));
  CHECK(number(d, name + ".transmission") == Approx(0.9));
  CHECK(number(d, name + ".attenuation_depth") == Approx(0.2));
  CHECK(number(d, name + ".own_light") == Approx(20));
  CHECK(p.triple("own_light_color")[1] == Approx(0.5));
  CHECK_FALSE(p.flag("thin"));
  CHECK(number(d, name + ".normal_strength") == Approx(0.75));
  const Node& colour = *d.find(p.pattern("base_color")->pattern.target);
  const Params c(colour, 1);
  CHECK(c.triple("scale")[1] == 3);
  CHECK(c.number("turn") == Approx(0.5 * 180 / 3.14159265));
  CHECK(c.triple("gain")[2] == Approx(0.7));
  CHECK(c.text("file").find("bricks.png") != std::string::npos);
  CHECK(Params(*d.find(p.pattern("roughness")->pattern.target), 1).text("channel") == "green");
  CHECK(Params(*d.find(p.pattern("metalness")->pattern.target), 1).text("channel") == "blue");
  bool told = false;
  for (const std::string& n : in.notes) told |= n.find("own light of 20 cd/m²") != std::string::npos;
  CHECK(told);
}

TEST_CASE("Glass without a volume is a thin pane", "[exchange][gltf][import]") {
  File f;
  addSquare(f, {{"material", 0}});
  f.json["extensionsUsed"] = {"KHR_materials_transmission"};
  f.json["materials"] = Json::array(
      {Json{{"name", "Pane"}, {"extensions", {{"KHR_materials_transmission", {{"transmissionFactor", 1}}}}}}});
  const Document d = f.import().doc;
  CHECK(Params(*d.findByName("Pane"), 1).flag("thin"));
}

TEST_CASE("Things keep the names of their file: what is called the same has the word for what it is behind it",
          "[exchange][gltf][import]") {
  File f;
  addSquare(f, {{"material", 0}});
  f.json["materials"] = Json::array({Json{{"name", "Square"}}});
  f.json["nodes"] = Json::array({Json{{"name", "Square"}, {"mesh", 0}}, Json{{"name", "scene"}, {"mesh", 0}}});
  f.json["scenes"] = Json::array({Json{{"nodes", {0, 1}}}});
  const Imported in = f.import();
  const auto kindOf = [&](const char* name) {
    const Node* n = in.doc.findByName(name);
    return n ? n->kind->id : "";
  };
  CHECK(kindOf("Square") == "object.mesh");
  CHECK(kindOf("Square material") == "material.surface");
  CHECK(kindOf("scene") == "object.mesh");
  CHECK(kindOf("scene model") == "object.group");
  for (const NodePtr& n : in.doc.nodes()) CHECK_FALSE(n->name.ends_with(" 2"));
}

TEST_CASE("The tree keeps its places: matrices, and translation, rotation and scale alike",
          "[exchange][gltf][import]") {
  File f;
  addSquare(f);
  f.json["nodes"] = Json::array(
      {Json{{"name", "Top"}, {"translation", {1, 2, 3}}, {"children", {1, 2}}},
       Json{{"name", "Turned"}, {"rotation", {0, 0.70710678, 0, 0.70710678}}, {"scale", {2, 2, 2}}, {"mesh", 0}},
       Json{{"name", "Matrix"}, {"matrix", {0, 0, -2, 0, 0, 2, 0, 0, 2, 0, 0, 0, 0, 0, 0, 1}}, {"mesh", 0}}});
  const Document d = f.import().doc;
  const auto corner = [&](const char* name) {
    return transformPoint(worldMatrix(d, *d.findByName(name), 1), {1, 1, 0});
  };
  CHECK(length(corner("Turned") - corner("Matrix")) < 1e-4f);
  CHECK(length(corner("Turned") - V3f(1, 4, 1)) < 1e-4f);
  CHECK(d.findByName("Turned")->parent == d.findByName("Top")->id);
}

TEST_CASE("Punctual lights and cameras come along, in lumens and millimetres", "[exchange][gltf][import]") {
  File f;
  addSquare(f);
  f.json["extensionsUsed"] = {"KHR_lights_punctual"};
  f.json["extensions"]["KHR_lights_punctual"]["lights"] = Json::array(
      {Json{{"type", "point"}, {"intensity", 100}},
       Json{{"type", "spot"}, {"intensity", 100}, {"spot", {{"innerConeAngle", 0.2}, {"outerConeAngle", 0.4}}}},
       Json{{"type", "directional"}, {"intensity", 8000}}});
  for (int i = 0; i < 3; ++i)
    f.json["nodes"].push_back({{"name", "Lamp " + std::string(1, char('A' + i))},
                               {"translation", {i, 1, 0}},
                               {"extensions", {{"KHR_lights_punctual", {{"light", i}}}}}});
  f.json["cameras"] = Json::array({Json{{"type", "perspective"}, {"perspective", {{"yfov", 0.5}, {"znear", 0.1}}}}});
  f.json["nodes"].push_back({{"name", "View"}, {"camera", 0}});
  f.json["scenes"] = Json::array({Json{{"nodes", {0, 1, 2, 3, 4}}}});
  const Document d = f.import().doc;
  CHECK(number(d, "Lamp A.power") == Approx(100 * 4 * 3.14159265).epsilon(1e-4));
  CHECK(d.findByName("Lamp B")->kind->id == "light.spot");
  // The candelas on the axis are kept.
  const double ci = std::cos(0.2), co = std::cos(0.4), solid = 2 * 3.14159265 * ((1 - ci) + 0.5 * (ci - co));
  CHECK(number(d, "Lamp B.power") / solid == Approx(100).epsilon(1e-3));
  CHECK(number(d, "Lamp C.power") == Approx(8000));
  CHECK(number(d, "View.focal_length") == Approx(36 * 720.0 / 1280 / (2 * std::tan(0.25))).epsilon(1e-3));
}

TEST_CASE("The picture takes the proportions of the first camera that a model brings along",
          "[exchange][gltf][import]") {
  File f;
  addSquare(f);
  f.json["cameras"] = Json::array(
      {Json{{"type", "perspective"}, {"perspective", {{"yfov", 0.5}, {"znear", 0.1}, {"aspectRatio", 2.0}}}}});
  f.json["nodes"].push_back({{"name", "View"}, {"camera", 0}});
  f.json["scenes"] = Json::array({Json{{"nodes", {0, 1}}}});
  const Imported in = f.import();
  CHECK(settingsOf(in.doc).number("width") == 1280);
  CHECK(settingsOf(in.doc).number("height") == 640);
  CHECK(number(in.doc, "View.focal_length") == Approx(18 / (2 * std::tan(0.25))).epsilon(1e-3));
  CHECK(std::any_of(in.notes.begin(), in.notes.end(),
                    [](const std::string& n) { return n.find("proportions of View") != std::string::npos; }));
}

TEST_CASE("What is left out is told", "[exchange][gltf][import]") {
  File f;
  addSquare(f);
  f.json["extensionsUsed"] = {"EXT_unheard_of"};
  const Model m = f.read();
  std::string all;
  for (const std::string& n : m.notes) all += n + ";";
  CHECK(all.find("EXT_unheard_of is left out") != std::string::npos);
}

TEST_CASE("Every material extension that a surface can express arrives as its own parameters",
          "[exchange][gltf][import]") {
  File f;
  addSquare(f, {{"material", 0}});
  f.json["materials"] = Json::array(
      {Json{{"name", "All"},
            {"pbrMetallicRoughness", {{"metallicFactor", 0}, {"roughnessFactor", 0.25}}},
            {"extensions",
             {{"KHR_materials_clearcoat", {{"clearcoatFactor", 0.75}, {"clearcoatRoughnessFactor", 0.125}}},
              {"KHR_materials_sheen", {{"sheenColorFactor", {0.5, 0.25, 0}}, {"sheenRoughnessFactor", 0.375}}},
              {"KHR_materials_specular", {{"specularFactor", 0.5}, {"specularColorFactor", {1, 0.5, 0.25}}}},
              {"KHR_materials_anisotropy", {{"anisotropyStrength", 0.625}, {"anisotropyRotation", 0.5}}},
              {"KHR_materials_iridescence",
               {{"iridescenceFactor", 1}, {"iridescenceIor", 1.5}, {"iridescenceThicknessMaximum", 320}}},
              {"KHR_materials_transmission", {{"transmissionFactor", 0.5}}},
              {"KHR_materials_dispersion", {{"dispersion", 0.5}}},
              {"KHR_materials_volume",
               {{"thicknessFactor", 1}, {"attenuationDistance", 0.25}, {"attenuationColor", {1, 0.5, 0.5}}}}}}}});
  const Document d = f.import().doc;
  CHECK(number(d, "All.coat") == 0.75);
  CHECK(number(d, "All.coat_roughness") == 0.125);
  CHECK(number(d, "All.sheen") == 0.5);
  CHECK(number(d, "All.sheen_roughness") == 0.375);
  CHECK(number(d, "All.specular") == 0.5);
  CHECK(number(d, "All.anisotropy") == 0.625);
  CHECK(number(d, "All.grain_turn") == Approx(0.5 * 180 / 3.14159265).epsilon(1e-5));
  CHECK(number(d, "All.film") == 1);
  CHECK(number(d, "All.film_ior") == 1.5);
  CHECK(number(d, "All.film_thickness") == 320);
  CHECK(number(d, "All.abbe") == 40);
  CHECK(number(d, "All.attenuation_depth") == 0.25);
  CHECK(std::get<Triple>(*valueAt(d, resolve(d, "All.sheen_color")).constant()) == Triple{1, 0.5, 0});
  CHECK(std::get<Triple>(*valueAt(d, resolve(d, "All.specular_tint")).constant()) == Triple{1, 0.5, 0.25});
}

TEST_CASE("A leaf passes light, the older workflow of gloss becomes metal and roughness", "[exchange][gltf][import]") {
  File f;
  addSquare(f, {{"material", 0}});
  f.json["materials"] = Json::array(
      {Json{{"name", "Leaf"},
            {"extensions",
             {{"KHR_materials_diffuse_transmission",
               {{"diffuseTransmissionFactor", 0.5}, {"diffuseTransmissionColorFactor", {0.25, 1, 0.25}}}}}}},
       Json{{"name", "Gold"},
            {"extensions",
             {{"KHR_materials_pbrSpecularGlossiness",
               {{"diffuseFactor", {0, 0, 0, 1}}, {"specularFactor", {1, 0.75, 0.25}}, {"glossinessFactor", 0.75}}}}}},
       Json{{"name", "Clay"},
            {"extensions",
             {{"KHR_materials_pbrSpecularGlossiness",
               {{"diffuseFactor", {0.5, 0.25, 0.125, 1}},
                {"specularFactor", {0.04, 0.04, 0.04}},
                {"glossinessFactor", 0}}}}}}});
  const Document d = f.import().doc;
  CHECK(number(d, "Leaf.translucency") == 0.5);
  CHECK(std::get<bool>(*valueAt(d, resolve(d, "Leaf.thin")).constant()));
  CHECK(number(d, "Gold.metalness") > 0.95);
  CHECK(number(d, "Gold.roughness") == 0.25);
  CHECK(number(d, "Clay.metalness") < 0.01);
  CHECK(number(d, "Clay.roughness") == 1);
  CHECK(std::get<Triple>(*valueAt(d, resolve(d, "Clay.base_color")).constant())[0] == Approx(0.5).epsilon(0.01));
}

TEST_CASE("Copies by instancing stand as nodes of their own and share one part", "[exchange][gltf][import]") {
  File f;
  addSquare(f);
  const int places = f.floats({0, 0, 0, 5, 0, 0, 0, 7, 0}, "VEC3", 3);
  f.json["nodes"][0]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"] = places;
  const Document d = f.import().doc;
  size_t meshes = 0;
  double reach = 0;
  for (const Node* n : d.family("object"))
    if (n->kind->id == "object.mesh") {
      ++meshes;
      reach += Params(*n, 1).triple("position")[0] + Params(*n, 1).triple("position")[1];
      CHECK(Params(*n, 1).text("part") == "Square");
    }
  CHECK(meshes == 3);
  CHECK(reach == Approx(12));
}

TEST_CASE("Painted colours and a second set of texture coordinates come along, and patterns find them",
          "[exchange][gltf][import][painted]") {
  File f;
  addSquare(f);
  Json& attributes = f.json["meshes"][0]["primitives"][0]["attributes"];
  // Red to the right, green upwards; and the second set turned by a quarter.
  attributes["COLOR_0"] = f.floats({0, 0, 0.25f, 1, 0, 0.25f, 1, 1, 0.25f, 0, 1, 0.25f}, "VEC3", 3);
  attributes["TEXCOORD_0"] = f.floats({0, 1, 1, 1, 1, 0, 0, 0}, "VEC2", 2);
  attributes["TEXCOORD_1"] = f.floats({0, 1, 0, 0, 1, 0, 1, 1}, "VEC2", 2);
  const Model m = f.read();
  REQUIRE(m.parts.size() == 1);
  const Mesh& mesh = m.parts[0].mesh;
  REQUIRE(mesh.colors.size() == 4);
  CHECK(mesh.colors[2] == V4f(1, 1, 0.25f, 1));
  REQUIRE(mesh.uvs2.size() == 4);
  CHECK(mesh.uvs2[1] == V2f(0, 1));
  Document doc = f.import().doc;
  const NodeId square = doc.findByName("Square")->id;
  NodeId painted = 0, red = 0, place = 0, second = 0, camera = 0;
  doc = addNode(doc, "pattern.painted", "Painted", {}, &painted);
  doc = addNode(doc, "pattern.painted", "Red", {}, &red);
  doc = setValue(doc, red, "gives", Constant(std::string("red")));
  doc = addNode(doc, "pattern.coordinates", "Place", {}, &place);
  doc = setValue(doc, place, "space", Constant(std::string("texture")));
  doc = addNode(doc, "pattern.second_coordinates", "Second", {}, &second);
  doc = setValue(doc, second, "value", PatternUse{{place, nullptr}});
  doc = addNode(doc, "camera.lens", "Eye", {}, &camera);
  doc = setValue(doc, camera, "position", Constant(Triple{0.5, 0.5, 3}));
  doc = setValue(doc, camera, "target", Constant(Triple{0.5, 0.5, 0}));
  doc = setValue(doc, doc.settings().id, "camera", Constant(Reference{camera, nullptr}));
  SceneCache scenes;
  const ScenePtr scene =
      compileScene(doc, {.width = 32, .height = 32, .queries = {}}, f.cache.assets(f.folder / "", nullptr), scenes);
  TraceCount count;
  const RayCaster rays(*scene, count, nullptr);
  const auto compiled = [&](NodeId id) { return Program::compile(doc, {id, nullptr}, 1, NoAssets(), false); };
  const Program colours = compiled(painted), channel = compiled(red), turned = compiled(second);
  for (const float x : {0.2f, 0.6f, 0.9f})
    for (const float y : {0.1f, 0.45f, 0.8f}) {
      Hit hit;
      REQUIRE(rays.intersect({x, y, 2}, {0, 0, -1}, 10, hit));
      CHECK(scene->things[hit.object->thing].node == square);
      const PatternPoint at = patternPoint(*scene, hit, rays.shutterTime(), {0, 0, -1}, 0);
      CHECK(colours.evaluate(at).x == Approx(x).margin(1e-4));
      CHECK(colours.evaluate(at).y == Approx(y).margin(1e-4));
      CHECK(colours.evaluate(at).z == Approx(0.25));
      CHECK(channel.evaluate(at).z == Approx(x).margin(1e-4));
      CHECK(turned.evaluate(at).x == Approx(y).margin(1e-4));
      CHECK(turned.evaluate(at).y == Approx(x).margin(1e-4));
    }
  // What has none says what it says elsewhere.
  CHECK(colours.evaluate(PatternPoint()).x == Approx(0.5));
}
