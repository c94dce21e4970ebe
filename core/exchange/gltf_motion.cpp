// Animation of glTF 2.0.
#include "core/exchange/gltf.h"

namespace ilumbra {
namespace {

size_t morphsOf(const tinygltf::Model& m, int node) {
  const int mesh = m.nodes[size_t(node)].mesh;
  if (mesh < 0 || size_t(mesh) >= m.meshes.size() || m.meshes[size_t(mesh)].primitives.empty()) return 0;
  return m.meshes[size_t(mesh)].primitives[0].targets.size();
}

ModelTrack track(const tinygltf::Model& m, const tinygltf::AnimationSampler& s, size_t width, const std::string& name) {
  ModelTrack t;
  t.width = uint32_t(width);
  t.shape = s.interpolation == "STEP"          ? ModelTrack::Shape::Step
            : s.interpolation == "CUBICSPLINE" ? ModelTrack::Shape::Cubic
                                               : ModelTrack::Shape::Linear;
  for (const double v : gltfNumbers(m, s.input, 1)) {
    if (!std::isfinite(v) || (!t.times.empty() && float(v) < t.times.back()))
      throw badInput(name + ": its times do not rise");
    t.times.push_back(float(v));
  }
  for (const double v : gltfNumbers(m, s.output, 0)) {
    if (!std::isfinite(v)) throw badInput(name + ": a value is not finite");
    t.values.push_back(float(v));
  }
  const size_t each = t.shape == ModelTrack::Shape::Cubic ? 3 * width : width;
  if (t.values.size() != t.times.size() * each)
    throw badInput(fmt::format("{}: has {} numbers where {} belong", name, t.values.size(), t.times.size() * each));
  return t;
}

} // namespace

std::vector<ModelMotion> gltfMotions(const tinygltf::Model& m, std::vector<std::string>& notes) {
  std::vector<ModelMotion> out;
  for (size_t i = 0; i < m.animations.size(); ++i) {
    const auto& in = m.animations[i];
    ModelMotion motion;
    motion.name = in.name.empty() ? fmt::format("Motion {}", i + 1) : in.name;
    for (const auto& c : in.channels) {
      if (c.target_node < 0) {
        tellOnce(notes, "animation of something else than a node is left out");
        continue;
      }
      gltfAt(m.nodes, c.target_node, "node");
      ModelMove* move = nullptr;
      for (ModelMove& known : motion.moves)
        if (known.node == c.target_node) move = &known;
      if (!move) {
        motion.moves.push_back({.node = c.target_node, .position = {}, .rotation = {}, .scale = {}, .weights = {}});
        move = &motion.moves.back();
      }
      const auto& sampler = gltfAt(in.samplers, c.sampler, "sampler");
      const std::string name = motion.name + ", " + c.target_path;
      if (c.target_path == "translation")
        move->position = track(m, sampler, 3, name);
      else if (c.target_path == "rotation")
        move->rotation = track(m, sampler, 4, name);
      else if (c.target_path == "scale")
        move->scale = track(m, sampler, 3, name);
      else if (c.target_path == "weights" && morphsOf(m, c.target_node))
        move->weights = track(m, sampler, morphsOf(m, c.target_node), name);
      else
        tellOnce(notes, "animation of " + c.target_path + " is left out");
      for (const ModelTrack* t : {&move->position, &move->rotation, &move->scale, &move->weights})
        if (!t->times.empty()) motion.length = std::max(motion.length, t->times.back());
    }
    if (!motion.moves.empty()) out.push_back(std::move(motion));
  }
  return out;
}

} // namespace ilumbra
