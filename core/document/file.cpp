#include "core/document/file.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/document/inputs.h"
#include "core/document/json.h"
#include "core/document/mover.h"
#include "core/document/words.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

constexpr int formatVersion = 1;
constexpr int deepestNesting = 64;

Json jsonOf(const Reference& r) {
  if (!r.with || r.with->empty()) return r.target;
  Json with = Json::object();
  for (const auto& [input, v] : *r.with) with[input] = ilumbra::jsonOf(v);
  return Json{{"ref", r.target}, {"with", with}};
}

Json jsonOf(const Constant& c) {
  if (const auto* b = std::get_if<bool>(&c)) return *b;
  if (const auto* d = std::get_if<double>(&c)) {
    if (*d == std::round(*d) && std::abs(*d) < 1e15) return int64_t(*d);
    return *d;
  }
  if (const auto* s = std::get_if<std::string>(&c)) return *s;
  if (const auto* t = std::get_if<Triple>(&c)) {
    Json j = Json::array();
    for (const double v : *t) j.push_back(jsonOf(Constant(v)));
    return j;
  }
  if (const auto* r = std::get_if<Reference>(&c)) return jsonOf(*r);
  Json list = Json::array();
  for (const Reference& r : std::get<std::vector<Reference>>(c)) list.push_back(jsonOf(r));
  return list;
}

Error wrong(const std::string& place, const char* wanted) {
  return badInput(fmt::format("{}: must be {}", place, wanted));
}

NodeId idOf(const Json& j, const std::string& place) {
  if (!j.is_number_integer() || j < 0 || j > 0x7fffffff) throw wrong(place, "the number of a thing");
  return j.get<NodeId>();
}

Reference referenceOf(const Json& j, const std::string& place) {
  if (!j.is_object()) return {idOf(j, place), nullptr};
  if (!j.contains("ref")) throw wrong(place, "a number, or an object with \"ref\"");
  Reference r{idOf(j["ref"], place), nullptr};
  if (j.contains("with")) {
    if (!j["with"].is_object()) throw wrong(place + ".with", "an object");
    Overrides with;
    for (const auto& [input, v] : j["with"].items()) {
      // What an override holds is only known together with its target: shape decides, checkValue has the last word.
      ParamDef guess = number(input, input, "", 0);
      if (v.is_boolean()) guess.type = ParamType::Flag;
      if (v.is_string()) guess.type = ParamType::Text;
      if (v.is_array()) guess.type = ParamType::Vector;
      with[input] = valueOf(guess, v, place + "." + input);
    }
    if (!with.empty()) r.with = std::make_shared<const Overrides>(std::move(with));
  }
  return r;
}

double numberOf(const Json& j, const std::string& place) {
  if (!j.is_number()) throw wrong(place, "a number");
  const double v = j.get<double>();
  if (!std::isfinite(v)) throw wrong(place, "a finite number");
  return v;
}

// Which of the words it is.
size_t oneOf(const Json& j, const std::vector<std::string>& words, const std::string& place) {
  const auto it = j.is_string() ? std::find(words.begin(), words.end(), j.get<std::string>()) : words.end();
  if (it != words.end()) return size_t(it - words.begin());
  std::string all;
  for (const std::string& w : words) all += (all.empty() ? "" : ", ") + w;
  throw wrong(place, ("one of " + all).c_str());
}

Constant constantOf(const ParamDef& def, const Json& j, const std::string& place) {
  switch (def.type) {
  case ParamType::Number:
  case ParamType::Integer:
    return numberOf(j, place);
  case ParamType::Flag:
    if (!j.is_boolean()) throw wrong(place, "true or false");
    return j.get<bool>();
  case ParamType::Choice:
  case ParamType::Text:
  case ParamType::File:
    if (def.type == ParamType::Text && j.is_number_integer())
      return std::to_string(j.get<int64_t>()); // parts of models were numbers once
    if (!j.is_string()) throw wrong(place, "text");
    for (const auto& [before, now] : def.formerChoices)
      if (j == before) return now;
    return j.get<std::string>();
  case ParamType::Color:
  case ParamType::Vector: {
    if (!j.is_array() || j.size() != 3) throw wrong(place, "a list of three numbers");
    Triple t;
    for (size_t i = 0; i < 3; ++i) t[i] = numberOf(j[i], place);
    return t;
  }
  case ParamType::Reference:
    return referenceOf(j, place);
  case ParamType::References: {
    if (!j.is_array()) throw wrong(place, "a list of references");
    std::vector<Reference> list;
    for (size_t i = 0; i < j.size(); ++i) list.push_back(referenceOf(j[i], fmt::format("{}[{}]", place, i + 1)));
    return list;
  }
  }
  return 0.0;
}

Json parse(std::string_view text) {
  // The depth is bounded before parsing: the parser would recurse on hostile nesting when the value is destroyed.
  int depth = 0;
  bool inString = false;
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (inString) {
      if (c == '\\')
        ++i;
      else if (c == '"')
        inString = false;
    } else if (c == '"') {
      inString = true;
    } else if (c == '{' || c == '[') {
      if (++depth > deepestNesting) throw badInput("brackets are nested too deeply");
    } else if (c == '}' || c == ']') {
      --depth;
    }
  }
  try {
    return Json::parse(text);
  } catch (const nlohmann::json::exception& e) {
    std::string what = e.what(); // "[json.exception.parse_error.101] parse error at line 3, column 7: ..."
    const size_t at = what.find("line ");
    if (at != std::string::npos) {
      what = what.substr(at);
      if (const size_t more = what.find(": "); more != std::string::npos) {
        std::string reason = what.substr(more + 2);
        if (const size_t cut = reason.find("; last read"); cut != std::string::npos) reason = reason.substr(0, cut);
        what = what.substr(0, more) + ": " + reason;
      }
    } else if (const size_t close = what.find("] "); close != std::string::npos) {
      what = what.substr(close + 2);
    }
    throw badInput("not valid JSON, " + what);
  }
}

Json nodeJson(const Document& doc, const Node& n) {
  Json j = Json::object();
  j["id"] = n.id;
  j["kind"] = n.kind->id;
  j["name"] = n.name;
  for (const NamedInput& i : n.inputs) {
    Json sets = Json::array();
    for (const InputTarget& t : i.sets) sets.push_back(inputText(t));
    j["inputs"].push_back({{"name", i.name}, {"sets", sets}});
  }
  Json values = Json::object();
  for (const ParamDef& d : n.kind->params)
    if (const Value* v = n.find(d.name)) values[d.name] = ilumbra::jsonOf(*v);
  if (!n.unknown.empty()) {
    const Json unknown = Json::parse(n.unknown);
    if (unknown.contains("values"))
      for (const auto& [k, v] : unknown["values"].items()) values[k] = v;
    for (const auto& [k, v] : unknown.items())
      if (k != "values") j[k] = v;
  }
  if (!values.empty()) j["values"] = values;
  Json children = Json::object();
  for (const ChildSlot& s : n.kind->slots)
    if (const auto it = n.children.find(s.name); it != n.children.end())
      for (const NodeId c : it->second)
        if (const Node* child = doc.find(c)) children[s.name].push_back(nodeJson(doc, *child));
  if (!children.empty()) j["children"] = children;
  return j;
}

class Reader {
 public:
  Reader(std::shared_ptr<const Kinds> kinds, const Json& root)
      : m_kinds(kinds), m_builder(std::move(kinds)), m_root(root) {}

  Document read() {
    if (!m_root.is_object()) throw badInput("not an Ilumbra document: the top is not an object");
    if (!m_root.contains("ilumbra")) throw badInput("not an Ilumbra document: the field \"ilumbra\" is missing");
    if (!m_root["ilumbra"].is_number_integer()) throw wrong("ilumbra", "the version of the format");
    if (m_root["ilumbra"] > formatVersion)
      throw badInput(fmt::format("was written by a newer Ilumbra (format {}; this one reads {})",
                                 m_root["ilumbra"].get<int64_t>(), formatVersion));
    if (!m_root.contains("nodes") || !m_root["nodes"].is_array()) throw wrong("nodes", "a list");
    NodeId highest = 0;
    for (size_t i = 0; i < m_root["nodes"].size(); ++i) {
      const NodeId id = node(m_root["nodes"][i], fmt::format("nodes[{}]", i + 1), 0, highest);
      if (id) m_builder.roots().push_back(id);
    }
    Json unknown = Json::object();
    for (const auto& [k, v] : m_root.items())
      if (k != "ilumbra" && k != "nodes") unknown[k] = v;
    if (!m_unread.empty()) unknown["unread"] = m_unread;
    if (!unknown.empty()) m_builder.setUnknown(unknown.dump());
    m_builder.setNextId(highest + 1);
    Document doc = m_builder.take();
    size_t pictures = 0;
    for (const NodePtr& n : doc.nodes()) pictures += n->kind->id == "picture.settings";
    if (pictures != 1) throw badInput(fmt::format("has {} picture settings; one is wanted", pictures));
    const std::vector<std::string> wrongs = problems(doc);
    if (!wrongs.empty()) {
      std::string message = wrongs.front();
      if (wrongs.size() > 1) message += fmt::format(" (and {} more)", wrongs.size() - 1);
      throw badInput(message);
    }
    return doc;
  }

 private:
  NodeId node(const Json& j, const std::string& place, NodeId parent, NodeId& highest) {
    if (!j.is_object()) throw wrong(place, "an object");
    Node n;
    if (!j.contains("id")) throw badInput(place + ": has no \"id\"");
    n.id = idOf(j["id"], place + ".id");
    if (n.id == 0 || !m_ids.insert(n.id).second)
      throw badInput(fmt::format("{}: the id {} is 0 or used twice", place, n.id));
    highest = std::max(highest, n.id);
    if (!j.contains("name") || !j["name"].is_string() || j["name"].get<std::string>().empty())
      throw wrong(place + ".name", "a name");
    n.name = j["name"];
    if (n.name.find_first_of(".[],\n\t") != std::string::npos)
      throw badInput(fmt::format("{}.name: {} has a dot, a comma or square brackets", place, quotation(n.name)));
    if (!m_names.insert(n.name).second)
      throw badInput(fmt::format("{}.name: {} is used twice", place, quotation(n.name)));
    const std::string here = fmt::format("{} ({})", place, n.name);
    if (!j.contains("kind") || !j["kind"].is_string()) throw wrong(here + ".kind", "a kind");
    n.kind = m_kinds->find(j["kind"].get<std::string>());
    if (!n.kind)
      throw badInput(fmt::format("{}.kind: there is no kind {}", here, quotation(j["kind"].get<std::string>())));
    n.parent = parent;
    Json unknown = Json::object();
    for (const auto& [k, v] : j.items())
      if (k != "id" && k != "name" && k != "kind" && k != "values" && k != "children" && k != "inputs") unknown[k] = v;
    if (j.contains("inputs")) {
      if (!j["inputs"].is_array()) throw wrong(here + ".inputs", "a list");
      for (size_t i = 0; i < j["inputs"].size(); ++i) {
        const Json& in = j["inputs"][i];
        const std::string at = fmt::format("{}.inputs[{}]", here, i + 1);
        if (!in.is_object() || !in.contains("name") || !in["name"].is_string() || !in.contains("sets") ||
            !in["sets"].is_array() || in["sets"].empty())
          throw wrong(at, "an object with a name and a list of what it sets");
        NamedInput made{in["name"], {}};
        for (const Json& t : in["sets"]) {
          if (!t.is_string()) throw wrong(at + ".sets", "a list of parameters");
          made.sets.push_back(inputTarget(t.get<std::string>()));
        }
        n.inputs.push_back(std::move(made));
      }
    }
    if (j.contains("values")) {
      if (!j["values"].is_object()) throw wrong(here + ".values", "an object");
      for (const auto& [name, v] : j["values"].items()) {
        if (const ParamDef* d = n.kind->param(name))
          n.values[d->name] = valueOf(*d, v, here + "." + name);
        else
          unknown["values"][name] = v;
      }
    }
    if (!unknown.empty()) n.unknown = unknown.dump();
    const NodeId id = n.id;
    std::map<std::string, std::vector<NodeId>> children;
    if (j.contains("children")) {
      if (!j["children"].is_object()) throw wrong(here + ".children", "an object");
      for (const auto& [slotName, list] : j["children"].items()) {
        const ChildSlot* slot = n.kind->slot(slotName);
        if (!slot) throw badInput(fmt::format("{}.{}: a {} has no such place", here, slotName, n.kind->label));
        if (!list.is_array()) throw wrong(here + "." + slotName, "a list");
        for (size_t i = 0; i < list.size(); ++i) {
          const std::string at = fmt::format("{}.{}[{}]", here, slotName, i + 1);
          const NodeId child = node(list[i], at, id, highest);
          if (!accepted(slot->accepts, m_builder.peek().find(child)->kind->id))
            throw badInput(fmt::format("{}: a {} does not go here", at, m_builder.peek().find(child)->kind->label));
          children[slotName].push_back(child);
        }
      }
    }
    n.children = std::move(children);
    m_builder.put(std::move(n));
    return id;
  }

  std::shared_ptr<const Kinds> m_kinds;
  DocumentBuilder m_builder;
  const Json& m_root;
  Json m_unread;
  std::set<NodeId> m_ids;
  std::set<std::string> m_names;
};

// Calls f on every file name in the document and stores what it returns.
Document mapFiles(const Document& doc, const std::function<std::string(const std::string&)>& f) {
  DocumentBuilder b(doc);
  for (const NodePtr& n : doc.nodes()) {
    Node copy = *n;
    bool changed = false;
    for (auto& [name, value] : copy.values) {
      const ParamDef* d = n->kind->param(name);
      if (!d || d->type != ParamType::File) continue;
      if (auto* c = std::get_if<Constant>(&value.v))
        if (auto* s = std::get_if<std::string>(c); s && !s->empty()) {
          std::string mapped = f(*s);
          changed |= mapped != *s;
          *s = std::move(mapped);
        }
    }
    if (changed) b.put(std::move(copy));
  }
  return b.take();
}

} // namespace

Json jsonOf(const Value& value) {
  if (const Constant* c = value.constant()) return jsonOf(*c);
  if (const Keys* k = value.keys()) {
    Json list = Json::array();
    for (const Key& key : k->keys) {
      Json one{{"frame", jsonOf(Constant(key.frame))},
               {"value", jsonOf(key.value)},
               {"shape", keyShapeNames()[size_t(key.shape)]}};
      if (eases(key.shape) && key.ease != 1) one["ease"] = key.ease;
      list.push_back(std::move(one));
    }
    Json all{{"keys", list}};
    if (k->beyond != BeyondKeys::Hold) all["beyond"] = beyondNames()[size_t(k->beyond)];
    return all;
  }
  if (const Moved* m = value.moved()) {
    Json list = Json::array();
    for (const Mover& mover : m->movers) {
      Json one{{"kind", mover.kind}};
      for (const auto& [name, set] : mover.values) one[name] = jsonOf(set);
      list.push_back(std::move(one));
    }
    const Keys* k = std::get_if<Keys>(&m->rest);
    return Json{{"value", k ? jsonOf(Value(*k)) : jsonOf(std::get<Constant>(m->rest))}, {"movers", list}};
  }
  return Json{{"pattern", jsonOf(value.pattern()->pattern)}};
}

// What a mover sets; what this version does not know is refused by checkMovers().
static Mover moverOf(const Json& j, const std::string& place) {
  if (!j.is_object() || !j.contains("kind") || !j["kind"].is_string()) throw wrong(place, "an object with a kind");
  Mover m{j["kind"].get<std::string>(), {}};
  const MoverKind* kind = moverKind(m.kind);
  for (const auto& [name, value] : j.items()) {
    if (name == "kind") continue;
    const auto of = [&](const ParamDef& d) { return d.name == name; };
    const auto d =
        kind ? std::find_if(kind->params.begin(), kind->params.end(), of) : std::vector<ParamDef>::const_iterator();
    if (!kind || d == kind->params.end())
      throw badInput(fmt::format("{}: a mover {} has no {}", place, quotation(m.kind), quotation(name)));
    if (Constant c = constantOf(*d, value, place + "." + name); c != d->initial) m.values[name] = std::move(c);
  }
  return m;
}

Value valueOf(const ParamDef& def, const Json& j, const std::string& place) {
  if (j.is_object() && j.contains("movers")) {
    if (!j["movers"].is_array()) throw wrong(place + ".movers", "a list");
    if (!j.contains("value")) throw wrong(place, "an object with value and movers");
    const Value rest = valueOf(def, j["value"], place + ".value");
    Moved moved;
    if (const Keys* k = rest.keys())
      moved.rest = *k;
    else if (const Constant* c = rest.constant())
      moved.rest = *c;
    else
      throw wrong(place + ".value", "a constant or keys");
    for (size_t i = 0; i < j["movers"].size(); ++i)
      moved.movers.push_back(moverOf(j["movers"][i], fmt::format("{}.movers[{}]", place, i + 1)));
    return moved;
  }
  if (j.is_object() && j.contains("keys")) {
    if (!j["keys"].is_array()) throw wrong(place + ".keys", "a list");
    Keys keys;
    for (size_t i = 0; i < j["keys"].size(); ++i) {
      const Json& k = j["keys"][i];
      const std::string at = fmt::format("{}.keys[{}]", place, i + 1);
      if (!k.is_object() || !k.contains("frame") || !k.contains("value"))
        throw wrong(at, "an object with frame and value");
      Key key{numberOf(k["frame"], at + ".frame"), constantOf(def, k["value"], at + ".value"), KeyShape::Linear};
      if (k.contains("shape")) key.shape = KeyShape(oneOf(k["shape"], keyShapeNames(), at + ".shape"));
      if (k.contains("ease")) {
        key.ease = numberOf(k["ease"], at + ".ease");
        if (key.ease < 0 || key.ease > 1) throw wrong(at + ".ease", "from 0 to 1");
      }
      keys.keys.push_back(std::move(key));
    }
    if (j.contains("beyond")) keys.beyond = BeyondKeys(oneOf(j["beyond"], beyondNames(), place + ".beyond"));
    return keys;
  }
  if (j.is_object() && j.contains("pattern")) return PatternUse{referenceOf(j["pattern"], place + ".pattern")};
  return constantOf(def, j, place);
}

std::string valueToJson(const ParamDef&, const Value& value) { return jsonOf(value).dump(); }

Value valueFromJson(const Document& doc, const ParamDef& def, std::string_view json) {
  const Value v = valueOf(def, parse(json), def.label);
  checkValue(doc, def, v, def.label);
  return v;
}

std::string toJson(const Document& doc) {
  Json root = Json::object();
  root["ilumbra"] = formatVersion;
  Json nodes = Json::array();
  for (const NodeId id : doc.roots())
    if (const Node* n = doc.find(id)) nodes.push_back(nodeJson(doc, *n));
  root["nodes"] = nodes;
  if (!doc.unknown().empty()) {
    const Json unknown = Json::parse(doc.unknown());
    for (const auto& [k, v] : unknown.items()) root[k] = v;
  }
  return root.dump(2) + "\n";
}

Document fromJson(std::shared_ptr<const Kinds> kinds, std::string_view json) {
  const Json root = parse(json);
  return Reader(std::move(kinds), root).read();
}

std::string resolveFile(const Document& doc, const std::string& name) {
  if (name.empty() || fs::path(name).is_absolute() || doc.folder().empty()) return name;
  return (fs::path(doc.folder()) / name).lexically_normal().string();
}

Document readDocument(std::shared_ptr<const Kinds> kinds, const std::string& path) {
  const std::string content = readFile(path, size_t(256) << 20);
  try {
    DocumentBuilder b(fromJson(std::move(kinds), content));
    b.setFolder(fs::absolute(path).parent_path().string());
    return b.take();
  } catch (const Error& e) {
    throw Error(e.kind(), path + ": " + e.what());
  }
}

Document movedTo(const Document& doc, const std::string& folder) {
  const std::string from = doc.folder().empty() ? fs::current_path().string() : doc.folder();
  const Document moved = mapFiles(doc, [&](const std::string& name) {
    const fs::path absolute = fs::path(name).is_absolute() ? fs::path(name) : fs::path(from) / name;
    return absolute.lexically_normal().lexically_relative(folder).string();
  });
  DocumentBuilder b(moved);
  b.setFolder(folder);
  return b.take();
}

Document movedBeside(const Document& doc, const Document& other) {
  if (doc.folder().empty() || doc.folder() == other.folder()) return doc;
  return movedTo(doc, other.folder().empty() ? fs::current_path().string() : other.folder());
}

Document writeDocument(const Document& doc, const std::string& path) {
  if (extensionOf(path) == ".exr")
    throw usageError(path + ": is the name of a picture; a document is written as .ilum");
  Document moved = movedTo(doc, fs::absolute(path).parent_path().lexically_normal().string());
  writeFileAtomically(path, toJson(moved));
  return moved;
}

std::vector<std::string> unknownParameters(const Document& doc) {
  std::vector<std::string> out;
  for (const NodePtr& n : doc.nodes()) {
    if (n->unknown.empty()) continue;
    const Json unknown = Json::parse(n->unknown);
    if (!unknown.contains("values")) continue;
    std::vector<std::string> names;
    for (const ParamDef& d : n->kind->params) names.push_back(d.name);
    for (const auto& [name, value] : unknown["values"].items()) {
      const std::string near = nearestWord(name, names);
      out.push_back(
          fmt::format("{}: a {} has no parameter {}{}", n->name, n->kind->label, quotation(name),
                      near.empty() ? "; it is kept and does nothing" : fmt::format("; the nearest is {}", near)));
    }
  }
  return out;
}

} // namespace ilumbra
