#pragma once
#include "core/base/vec.h"
#include "core/document/document.h"

namespace ilumbra {

class Film;
class Scene;
class Tasks;
struct LensResult;
struct Route;

/// An effect in a developed picture: what its share and its route are measured from. It holds nothing: all of it must
/// outlive the call.
struct DevelopedEffect {
  const Document& doc;
  const Node& effect;
  double frame;
  const Scene& scene;
  const Film& film;
  const std::vector<Color>& groupScales; ///< by light group
  const LensResult& developed;           ///< of this film by these scales
  const Tasks& tasks;
};

/// A role of a light effect: the parameter that holds who fills it, and what may.
struct Role {
  std::string param;   ///< "from", "through", "onto", "lens"
  std::string label;   ///< "From"
  std::string teaches; ///< what to put here, for an empty role
  bool main = false;   ///< what fills it is what the effect is set by: it stands first
};

/// One of the ways in which an effect may look as a whole.
struct EffectLook {
  std::string name, helpText;
  std::function<Document(const Document&, NodeId effect)> apply; ///< what it was before goes
};

/// A kind of light effect: its table and its roles in the order of the light.
struct EffectKind {
  Kind kind;
  std::vector<Role> roles;
  std::string lensStage = {}; ///< kind of the stage that the effect makes when its Lens role is empty
  /// Makes what a new effect needs and the scene lacks; null: nothing. `told` as in addEffect().
  std::function<Document(Document, NodeId effect, const std::vector<NodeId>& selection, std::vector<std::string>* told)>
      make = {};
  /// Brings what its things wear in line with its roles; called whenever those change. Null: they wear nothing of it.
  std::function<Document(const Document&, NodeId effect)> dress = {};
  /// Its share of the picture's light before the lens; null: none, or by its lens stages.
  std::function<double(const DevelopedEffect&)> share = {};
  /// Its route (route.h).
  std::function<Route(const DevelopedEffect&)> measure = {};
  std::vector<EffectLook> looks = {};
  bool fromShines = true; ///< objects in From that give no light of their own are given some when it is made
};
/// Every effect. A new one is a file in this folder and a line here.
std::vector<EffectKind> allEffects();
const EffectKind* effectKind(const Node& effect);

/// Everything that fills a role of an effect at the document's frame; nothing if it has no such role.
std::vector<NodeId> roleOf(const Document& doc, const Node& effect, const std::string& param);
/// Puts things into the roles that they fit, or into one alone; of a role with keys, from the document's frame on.
/// Objects and lights come from a selection; what fits nowhere is returned in `left` by name.
Document fillRoles(const Document& doc, NodeId effect, const std::vector<NodeId>& things,
                   std::vector<std::string>* left = nullptr, std::string_view role = {});
/// Takes one thing out of a role, likewise.
Document leaveRole(const Document& doc, NodeId effect, const std::string& param, NodeId thing);

/// A new effect with the selection in its roles, and what it lacks made: its lens stage, taking its light from the
/// effect. `told` receives a sentence for each thing that was made. Objects in From that give no light of their own get
/// some, so that the effect is seen at once.
Document addEffect(const Document& doc, std::string_view kind, const std::vector<NodeId>& selection, NodeId* made,
                   std::vector<std::string>* told);

/// The roles, by parameter, that a thing could go into and is not in, in the order of the effect's table.
std::vector<std::string> rolesFor(const Document& doc, const Node& effect, NodeId thing);
/// A second effect of the same kind and numbers with one thing alone in a role: it shares all looks, lens stages and
/// what else is in its other roles, so that a change of those shows on both. What is made for the first alone (a mask
/// that names it) is made anew. Throws BadInput where the thing fits no such role.
Document linkedEffect(const Document& doc, NodeId effect, const std::string& role, NodeId thing,
                      NodeId* made = nullptr);

} // namespace ilumbra
