#include "core/lens/queries.h"

#include "core/base/error.h"
#include "core/compile/caustics.h"
#include "core/compile/resting_lobes.h"
#include "core/document/edit.h"
#include "core/lens/stage.h"
#include "core/scene/scene.h"

#include <algorithm>
#include <set>

namespace ilumbra {

std::vector<const Node*> lensStages(const Document& doc) {
  std::vector<const Node*> out;
  for (const NodeId id : doc.roots())
    if (const Node* n = doc.find(id); n && n->kind->family() == "lens") out.push_back(n);
  return out;
}

static void follow(const Document& doc, NodeId id, std::vector<NodeId>& out, std::set<NodeId>& visited) {
  const Node* n = doc.find(id);
  if (!n || !visited.insert(id).second) return;
  if (const std::string& list = n->kind->standsFor; !list.empty()) {
    for (const Reference& r : Params(*n, currentFrame(doc)).references(list)) follow(doc, r.target, out, visited);
    return;
  }
  out.push_back(id);
  // A group stands for what it holds, an object for what it carries too; modifiers and points are no sources.
  for (const char* slot : {"objects", "carries"})
    if (const auto it = n->children.find(slot); it != n->children.end())
      for (const NodeId c : it->second) follow(doc, c, out, visited);
}

std::vector<NodeId> namedBy(const Document& doc, const Node& stage, std::string_view list) {
  std::vector<NodeId> out;
  std::set<NodeId> visited;
  for (const Reference& r : Params(stage, currentFrame(doc)).references(list)) follow(doc, r.target, out, visited);
  return out;
}

static LayerQuery queryOf(const Document& doc, const Node& stage, const char* list, const std::string& seen,
                          const char* in) {
  const Params p(stage, currentFrame(doc));
  LayerQuery q{.name = stage.name};
  q.direct = p.flag(seen + "direct");
  q.mirrored = p.flag(seen + "mirrored");
  q.through = p.flag(seen + "through");
  q.everything = p.references(list).empty();
  q.seenIn = namedBy(doc, stage, in);
  for (const NodeId id : namedBy(doc, stage, list)) {
    const std::string_view family = doc.find(id)->kind->family();
    if (family != "lens") (family == "material" ? q.materials : q.things).push_back(id);
  }
  return q;
}

LayerQuery sourceQuery(const Document& doc, const Node& stage) {
  LayerQuery q = queryOf(doc, stage, "sources", "", "seen_in");
  q.apart = true;
  return q;
}

LayerQuery mapQuery(const Document& doc, const Node& stage) {
  LayerQuery q{.name = stage.name + " map", .everything = true};
  if (!stage.kind->param("map_of")) return q;
  for (const NodeId id : namedBy(doc, stage, "map_of")) {
    (doc.find(id)->kind->family() == "material" ? q.materials : q.things).push_back(id);
    q.everything = false;
    q.apart = true;
  }
  return q;
}

LayerQuery maskQuery(const Document& doc, const Node& stage) {
  return queryOf(doc, stage, "acts_on", "acts_", "acts_in");
}

LayerQuery sightLayer(const Document& doc, const Node& effect) {
  const bool mirrors = effect.kind->role == seesMirrored;
  LayerQuery q{.name = effect.name, .everything = true, .direct = false};
  // Light that a clear body mirrors inside itself came through it all the same.
  q.through = !mirrors;
  q.seen = mirrors ? SeenMirrored : SeenThrough;
  q.seenIn = namedBy(doc, effect, mirrors ? "onto" : "through");
  if (q.seenIn.empty() || !Params(effect, currentFrame(doc)).flag("on")) q.everything = false;
  return q;
}

static void include(std::vector<LayerQuery>& queries, LayerQuery q) {
  if (q.nothing()) return;
  if (std::find(queries.begin(), queries.end(), q) == queries.end()) queries.push_back(std::move(q));
}

std::vector<LayerQuery> lensQueries(const Document& doc) {
  std::vector<LayerQuery> queries = {{.name = "all light", .everything = true}};
  // Gathered light is told apart, for its reading.
  if (!doc.withRole(sendsPhotons).empty()) include(queries, causticsLayer());
  for (const std::string_view role : {seesMirrored, seesThrough})
    for (const Node* n : doc.withRole(role)) include(queries, sightLayer(doc, *n));
  // One layer serves all stages that ask the same.
  for (const Node* s : lensStages(doc)) {
    include(queries, sourceQuery(doc, *s));
    if (LayerQuery map = mapQuery(doc, *s); !map.everything) include(queries, std::move(map));
  }
  return queries;
}

std::vector<LayerQuery> lensMasks(const Document& doc) {
  std::vector<LayerQuery> masks;
  for (const Node* s : lensStages(doc)) {
    if (LayerQuery q = maskQuery(doc, *s); !q.whole()) include(masks, std::move(q));
    if (LayerQuery q = sourceQuery(doc, *s); (stageOf(*s).covers || stageOf(*s).carries) && !q.whole()) {
      q.apart = false;
      include(masks, std::move(q));
    }
  }
  return masks;
}

double lensOverscan(const Document& doc) {
  for (const Node* s : lensStages(doc))
    if (!stageOf(*s).inPlace) return settingsOf(doc).number("overscan");
  return 0;
}

bool stageActs(const Document& doc, const Node& stage, double frame) {
  return Params(stage, frame).flag("on") && switchedOn(doc, stage.id, frame);
}

bool hasLayers(const Scene& scene, const Document& doc) {
  // A pass of the same question is no substitute: it is not kept apart.
  const auto among = [](const std::vector<LayerQuery>& wanted, const std::vector<LayerQuery>& there) {
    return std::all_of(wanted.begin(), wanted.end(), [&](const LayerQuery& q) {
      return std::any_of(there.begin(), there.end(),
                         [&](const LayerQuery& t) { return t == q && (t.apart || !q.apart || q.whole()); });
    });
  };
  return among(lensQueries(doc), scene.queries) && among(lensMasks(doc), scene.maskQueries);
}

bool hasSurroundings(const Scene& scene, const Document& doc) {
  return lensOverscan(doc) <= double(scene.overscan) * (1 + 1e-6);
}

int layerIndex(const Scene& scene, const LayerQuery& query) {
  const auto it = std::find(scene.queries.begin(), scene.queries.end(), query);
  if (it == scene.queries.end()) throw badInput(query.name + ": the light of its sources was not rendered");
  return int(it - scene.queries.begin());
}

} // namespace ilumbra
