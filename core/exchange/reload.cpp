#include "core/base/error.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/document/transplant.h"
#include "core/exchange/import.h"
#include "core/geometry/pose.h"
#include "core/geometry/shape.h"

#include <filesystem>
#include <fmt/format.h>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

using Ids = std::map<NodeId, NodeId>;

const std::vector<NodeId>& objectsIn(const Node& n) {
  static const std::vector<NodeId> none;
  const auto it = n.children.find("objects");
  return it == n.children.end() ? none : it->second;
}

std::vector<NodeId> wayUp(const Document& doc, const Node* n) {
  std::vector<NodeId> way;
  for (; n; n = doc.find(n->parent)) way.push_back(n->id);
  return way;
}

// Things of the same place in the tree: parts by the name that they have in the file, all else by kind and name.
void match(const Document& doc, const Document& fresh, const Node& ours, const Node& theirs, Ids& there,
           std::map<std::string, std::vector<NodeId>>& byPart) {
  there[theirs.id] = ours.id;
  for (const NodeId id : objectsIn(theirs)) {
    const Node& t = *fresh.find(id);
    if (t.kind->id == "object.mesh") {
      auto& known = byPart[Params(t, 0).text("part")];
      if (known.empty()) continue;
      there[id] = known.front();
      known.erase(known.begin());
      continue;
    }
    for (const NodeId o : objectsIn(ours))
      if (const Node* n = doc.find(o); n && n->kind == t.kind && n->name == t.name)
        match(doc, fresh, *n, t, there, byPart);
  }
}

std::string listed(const std::vector<std::string>& names) {
  std::string all;
  for (size_t i = 0; i < names.size() && i < 8; ++i) all += (i ? ", " : "") + names[i];
  return names.size() > 8 ? fmt::format("{} and {} more", all, names.size() - 8) : all;
}

} // namespace

Imported reloadModel(const Document& doc, const std::string& path, AssetCache& cache) {
  const std::string absolute = fs::absolute(path).lexically_normal().string();
  const std::shared_ptr<const Model> model = cache.model(absolute);
  std::map<std::string, std::vector<NodeId>> byPart;
  std::vector<NodeId> above, gone;
  std::vector<std::string> goneNames;
  size_t kept = 0;
  for (const Node* n : doc.family("object")) {
    if (n->kind->id != "object.mesh" ||
        fs::path(resolveFile(doc, Params(*n, 0).text("file"))).lexically_normal() != absolute)
      continue;
    const std::vector<NodeId> way = wayUp(doc, doc.find(n->parent));
    if (above.empty())
      above = way;
    else
      std::erase_if(above, [&](NodeId id) { return std::find(way.begin(), way.end(), id) == way.end(); });
    if (const ModelPart* part = findPart(*model, Params(*n, 0).text("part"))) {
      byPart[part->name].push_back(n->id);
      ++kept;
    } else {
      gone.push_back(n->id);
      goneNames.push_back(n->name);
    }
  }
  if (kept + gone.size() == 0) throw badInput(absolute + ": nothing in the scene comes from it");

  const Imported anew = importModel(Document::create(doc.sharedKinds()), absolute, cache);
  const Node& root = *anew.doc.find(anew.root);
  Ids there;
  for (const Node* m : anew.doc.family("material"))
    if (const Node* ours = doc.findByName(m->name); ours && ours->kind->family() == "material") there[m->id] = ours->id;
  const NodeId home = above.empty() ? 0 : above.front();
  if (home)
    match(doc, anew.doc, *doc.find(home), root, there, byPart);
  else
    for (const NodeId id : objectsIn(root))
      if (const Node& t = *anew.doc.find(id); t.kind->id == "object.mesh")
        if (auto& known = byPart[Params(t, 0).text("part")]; !known.empty()) {
          there[id] = known.front();
          known.erase(known.begin());
        }

  Imported out{doc, home, {}};
  std::vector<std::string> added;
  // What is new goes where its group is; what is in a new group comes along with it.
  std::vector<const Node*> open{&root};
  while (!open.empty()) {
    const Node* group = open.back();
    open.pop_back();
    const auto ours = there.find(group->id);
    for (const NodeId id : objectsIn(*group)) {
      const Node& t = *anew.doc.find(id);
      if (there.count(id)) {
        if (isGroup(t)) open.push_back(&t);
        continue;
      }
      NodeId made = 0;
      out.doc = transplant(out.doc, anew.doc, id, &made, there);
      // Materials that came along with it are there for the next.
      for (const Node* m : anew.doc.family("material"))
        if (!there.count(m->id))
          if (const Node* now = out.doc.findByName(m->name); now && !doc.find(now->id)) there[m->id] = now->id;
      const NodeId holder = ours == there.end() ? home : ours->second;
      if (holder) out.doc = moveNode(out.doc, made, {holder, "objects"});
      added.push_back(out.doc.find(made)->name);
    }
  }
  for (const NodeId id : gone) out.doc = removeNode(out.doc, id);
  out.notes.push_back(fmt::format("{} of its parts hold their place, material and effects", kept));
  if (!added.empty()) out.notes.push_back("new: " + listed(added));
  if (!goneNames.empty()) out.notes.push_back("gone from the file: " + listed(goneNames));
  return out;
}

} // namespace ilumbra
