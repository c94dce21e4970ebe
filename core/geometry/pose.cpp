#include "core/geometry/pose.h"

#include <charconv>
#include <ImathMatrixAlgo.h>
#include <ImathQuat.h>

namespace ilumbra {
namespace {

const ModelMove* moveOf(const ModelMotion* motion, int node) {
  if (!motion) return nullptr;
  for (const ModelMove& m : motion->moves)
    if (m.node == node) return &m;
  return nullptr;
}

Imath::Quatf quaternion(const float* q) { return Imath::Quatf(q[3], q[0], q[1], q[2]); }

V3f weighted(const V3f& sum, float total, const V3f& rest) { return total > 0 ? sum * (1 / total) : rest; }

} // namespace

const ModelPart* findPart(const Model& model, const std::string& name) {
  for (const ModelPart& p : model.parts)
    if (p.name == name) return &p;
  size_t number = 0;
  const auto [end, error] = std::from_chars(name.data(), name.data() + name.size(), number);
  if (error != std::errc() || end != name.data() + name.size() || number < 1 || number > model.parts.size())
    return nullptr;
  return &model.parts[number - 1];
}

const ModelMotion* findMotion(const Model& model, const std::string& name) {
  for (const ModelMotion& m : model.motions)
    if (name.empty() || m.name == name) return &m;
  return nullptr;
}

bool isPosed(const Model& model, const ModelPart& part) {
  if (part.skin >= 0) return true;
  if (part.morphs.empty()) return false;
  for (const ModelMotion& motion : model.motions)
    for (const ModelMove& m : motion.moves)
      if (m.node == part.node && m.weights.width) return true;
  return false;
}

std::vector<float> sample(const ModelTrack& t, double seconds, bool rotation) {
  const size_t w = t.width, keys = t.times.size(), stride = t.shape == ModelTrack::Shape::Cubic ? 3 * w : w,
               at = t.shape == ModelTrack::Shape::Cubic ? w : 0;
  std::vector<float> out(w, 0.0f);
  if (!keys || !w) return out;
  const auto value = [&](size_t key) { return t.values.data() + key * stride + at; };
  const auto next = size_t(std::upper_bound(t.times.begin(), t.times.end(), float(seconds)) - t.times.begin());
  if (next == 0 || next == keys || t.shape == ModelTrack::Shape::Step) {
    const float* v = value(next ? next - 1 : 0);
    out.assign(v, v + w);
    return out;
  }
  const size_t a = next - 1, b = next;
  const float step = t.times[b] - t.times[a], s = step > 0 ? float((seconds - double(t.times[a])) / double(step)) : 0;
  const float *va = value(a), *vb = value(b);
  if (t.shape == ModelTrack::Shape::Cubic) {
    const float s2 = s * s, s3 = s2 * s;
    const float *leaving = va + w, *arriving = vb - w;
    for (size_t i = 0; i < w; ++i)
      out[i] = (2 * s3 - 3 * s2 + 1) * va[i] + step * (s3 - 2 * s2 + s) * leaving[i] + (3 * s2 - 2 * s3) * vb[i] +
               step * (s3 - s2) * arriving[i];
  } else if (rotation && w == 4) {
    const Imath::Quatf q = Imath::slerpShortestArc(quaternion(va).normalized(), quaternion(vb).normalized(), s);
    out = {q.v.x, q.v.y, q.v.z, q.r};
  } else {
    for (size_t i = 0; i < w; ++i) out[i] = mix(va[i], vb[i], s);
  }
  if (rotation && w == 4) {
    const Imath::Quatf q = quaternion(out.data()).normalized();
    out = {q.v.x, q.v.y, q.v.z, q.r};
  }
  return out;
}

bool takeApart(const M44f& matrix, NodePose& pose) {
  V3f scale(1.0f), shear(0.0f), angles(0.0f), place(0.0f);
  M44f m = matrix;
  if (!Imath::extractSHRT(m, scale, shear, angles, place, false)) {
    pose = {};
    pose.position = V3f(matrix[3][0], matrix[3][1], matrix[3][2]);
    pose.scale = V3f(0.0f);
    return false;
  }
  Imath::M44f turn;
  turn.setEulerAngles(angles);
  const Imath::Quatf q = Imath::extractQuat(turn).normalized();
  pose = {place, scale, {q.v.x, q.v.y, q.v.z, q.r}};
  return length(shear) < 1e-4f;
}

M44f putTogether(const NodePose& p) {
  M44f scale, place;
  scale.setScale(p.scale);
  place.setTranslation(p.position);
  const Imath::Quatf q = quaternion(p.rotation);
  const float norm = q.length();
  return norm > 1e-6f ? scale * (q / norm).toMatrix44() * place : scale * place;
}

M44f matrixAt(const Model& model, int node, const ModelMotion* motion, double seconds) {
  const ModelNode& n = model.nodes[size_t(node)];
  const ModelMove* move = moveOf(motion, node);
  if (!move || (!move->position.width && !move->rotation.width && !move->scale.width)) return n.matrix;
  NodePose pose;
  takeApart(n.matrix, pose);
  const auto triple = [&](const ModelTrack& t, V3f& v) {
    if (t.width != 3) return;
    const auto s = sample(t, seconds);
    v = {s[0], s[1], s[2]};
  };
  triple(move->position, pose.position);
  triple(move->scale, pose.scale);
  if (move->rotation.width == 4) {
    const auto s = sample(move->rotation, seconds, true);
    std::copy(s.begin(), s.end(), pose.rotation);
  }
  return putTogether(pose);
}

std::vector<M44f> matricesAt(const Model& model, const ModelMotion* motion, double seconds) {
  std::vector<M44f> all(model.nodes.size());
  std::vector<std::pair<int, M44f>> open;
  for (const int r : model.roots) open.emplace_back(r, M44f());
  while (!open.empty()) {
    const auto [node, above] = open.back();
    open.pop_back();
    all[size_t(node)] = matrixAt(model, node, motion, seconds) * above;
    for (const int c : model.nodes[size_t(node)].children) open.emplace_back(c, all[size_t(node)]);
  }
  return all;
}

Mesh posed(const Model& model, const ModelPart& part, const ModelMotion* motion, double seconds) {
  Mesh mesh = part.mesh;
  if (!part.morphs.empty()) {
    std::vector<float> weights = part.weights;
    if (const ModelMove* move = moveOf(motion, part.node); move && move->weights.width)
      weights = sample(move->weights, seconds);
    weights.resize(part.morphs.size(), 0.0f);
    for (size_t k = 0; k < part.morphs.size(); ++k) {
      const ModelPart::Morph& m = part.morphs[k];
      if (weights[k] == 0) continue;
      for (size_t i = 0; i < m.positions.size() && i < mesh.positions.size(); ++i)
        mesh.positions[i] += m.positions[i] * weights[k];
      for (size_t i = 0; i < m.normals.size() && i < mesh.normals.size(); ++i)
        mesh.normals[i] += m.normals[i] * weights[k];
    }
    for (V3f& n : mesh.normals) n = normalize(n);
  }
  if (part.skin < 0 || mesh.positions.empty()) return mesh;
  const ModelSkin& skin = model.skins[size_t(part.skin)];
  const std::vector<M44f> world = matricesAt(model, motion, seconds);
  std::vector<M44f> carry;
  std::vector<M44f> back; // for normals
  for (size_t j = 0; j < skin.joints.size(); ++j) {
    carry.push_back(skin.toJoint[j] * world[size_t(skin.joints[j])]);
    back.push_back(carry.back().inverse());
  }
  const size_t each = part.influences.size() / mesh.positions.size();
  for (size_t i = 0; i < mesh.positions.size(); ++i) {
    V3f place(0.0f), normal(0.0f);
    float total = 0;
    for (size_t k = i * each; k < (i + 1) * each; ++k) {
      const auto& [joint, weight] = part.influences[k];
      if (weight == 0) continue;
      place += transformPoint(carry[joint], mesh.positions[i]) * weight;
      if (!mesh.normals.empty()) normal += normalize(transformNormal(back[joint], mesh.normals[i])) * weight;
      total += weight;
    }
    mesh.positions[i] = weighted(place, total, mesh.positions[i]);
    if (!mesh.normals.empty() && total > 0) mesh.normals[i] = normalize(normal);
  }
  return mesh;
}

} // namespace ilumbra
