#pragma once
#include "core/document/edit.h"
#include "core/exchange/import.h"

#include <map>
#include <set>

namespace ilumbra {

/// Makes nodes of a model that was read: import.cpp its tree, import_material.cpp what its surfaces wear,
/// import_motion.cpp its keys.
class Importer {
 public:
  Importer(const Document& doc, std::string file, const Model& model, const ImportOptions& options);
  Imported run();

  // Onto the document that the file brought along: what another program has changed in it and added to it.
  Imported onto(const std::vector<std::pair<int, NodeId>>& materials);

 private:
  static Triple triple(const V3f& v) { return {double(v.x), double(v.y), double(v.z)}; }

  // What the library makes for parts without a material, where there are none.
  bool isFiller(size_t material) const;
  int parentOf(int node) const;

  // The topmost nodes that no thing of the document stands for.
  void unknown(int index, std::vector<int>& out) const;
  void note(const std::string& text);
  std::string freeName(const std::string& wanted);
  Node make(const char* kind, const std::string& name);

  // Only what differs from the default, as all documents have it; out-of-range numbers are clamped and told.
  void set(Node& n, const char* param, Constant value);
  void texture(Node& n, const char* param, const ModelTexture& t, const char* channel, const V3f& gain,
               const std::string& suffix);

  // A number, and the texture that multiplies it.
  void driven(Node& n, const char* param, float value, const ModelTexture& t, const char* channel,
              const std::string& suffix);
  void driven(Node& n, const char* param, const V3f& value, const ModelTexture& t, const std::string& suffix);
  // The one node above all, if it only holds the others: the group of the import stands for it. Null: there is none.
  const ModelNode* soleTop() const;
  // Where a thing of the file has the name, that keeps it: what stands beside it has the word behind its name.
  std::string beside(const std::string& name, const char* word) const;
  std::string materialName(size_t index) const;
  NodeId material(size_t index);
  void fill(Node& n, const ModelMaterial& in);

  // A run of nodes of the model, of which each stands in the one before: where a thing stands in what holds it here.
  using Chain = std::vector<int>;
  M44f matrixOf(const Chain& chain, const ModelMotion* motion, double seconds) const;
  bool moves(const Chain& chain) const;

  // The moments at which a moving thing is looked at: every frame of the clip, and every key.
  std::vector<double> momentsOf(const Chain& chain, bool& steps);

  // Keys through all values, without those that a straight line between their neighbours meets anyhow.
  static Keys keysThrough(const std::vector<double>& frames, const std::vector<Triple>& values, bool steps,
                          double allowed);
  void setKeys(Node& n, const char* param, const std::vector<double>& frames, const std::vector<Triple>& values,
               bool steps, double allowed);

  // Of the turns that are the same, the one nearest to the last: no thing whirls about between two keys.
  static V3f nearestTurn(const V3f& turn, const V3f& last);
  static Triple clean(const V3f& v);
  void place(Node& n, const Chain& chain);
  void motions();
  Node mesh(int part, const std::string& name = {});
  void hold(Node& parent, Node child);
  void light(const ModelNode& in, const Chain& chain, Node& parent);
  void camera(const ModelNode& in, const Chain& chain, Node& parent);

  // Place and target of a moving lamp or camera.
  void aim(Node& n, const Chain& chain);

  bool isSkinned(int part) const { return m_model.parts[size_t(part)].skin >= 0; }

  // Skinned parts stand in the space of the whole model, wherever their nodes are.
  void skinned(Node& root);
  void node(int index, Chain chain, Node& parent, int depth);

  // Bare joints and empty groups hold nothing that is seen or shines.
  bool worthHolding(int index) const;

  const Document& m_doc;
  bool m_shaped = false; ///< the first camera has told the picture's proportions
  DocumentBuilder m_builder;
  std::string m_file;
  const Model& m_model;
  const ImportOptions& m_options;
  const ModelMotion* m_motion = nullptr;
  double m_begin = 1, m_rate = 24; ///< frame at which a clip begins, frames a second
  std::set<std::string> m_names;
  std::map<std::string, int> m_counts;
  std::vector<NodeId> m_materials;
  std::vector<std::string> m_notes;
};

} // namespace ilumbra
