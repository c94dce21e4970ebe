#include "core/delivery/bundle.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/tasks.h"
#include "core/document/edit.h"
#include "core/document/file.h"
#include "core/pattern/playback.h"

#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

namespace ilumbra {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;

namespace {

// Files that a model names: buffers and pictures of glTF, materials and pictures of Wavefront files.
std::vector<std::string> namedBy(const std::string& path) {
  std::vector<std::string> out;
  const std::string e = extensionOf(path), folder = fs::path(path).parent_path().string();
  const auto add = [&](const std::string& name) {
    if (name.empty() || name.starts_with("data:") || name.find("://") != std::string::npos) return;
    // As URIs have blanks.
    std::string plain;
    for (size_t i = 0; i < name.size(); ++i)
      if (e == ".gltf" && name[i] == '%' && i + 2 < name.size()) {
        plain += char(std::strtol(name.substr(i + 1, 2).c_str(), nullptr, 16));
        i += 2;
      } else {
        plain += name[i];
      }
    std::error_code none;
    if (const fs::path p = fs::path(folder) / plain; fs::is_regular_file(p, none)) out.push_back(p.string());
  };
  if (e == ".gltf") {
    const Json j = Json::parse(readFile(path), nullptr, false);
    for (const char* list : {"buffers", "images"})
      if (j.is_object() && j.contains(list) && j[list].is_array())
        for (const Json& b : j[list])
          if (b.is_object() && b.contains("uri") && b["uri"].is_string()) add(b["uri"].get<std::string>());
  } else if (e == ".obj" || e == ".mtl") {
    std::istringstream in(readFile(path));
    for (std::string line; std::getline(in, line);) {
      std::istringstream words(line);
      std::string first, word, last;
      words >> first;
      if (first != "mtllib" && !first.starts_with("map_") && first != "bump" && first != "norm" && first != "disp")
        continue;
      while (words >> word) last = word;
      add(last);
    }
    for (const std::string& f : std::vector<std::string>(out))
      if (extensionOf(f) == ".mtl")
        for (const std::string& more : namedBy(f)) out.push_back(more);
  }
  return out;
}

class Writer {
 public:
  Writer(const std::string& folder, const CancelFlag* cancel) : m_folder(folder), m_cancel(cancel) {}

  // Where a file is to lie, from the folder: its own folder's files stay together.
  std::string take(const std::string& path) {
    const std::string from = fs::path(path).parent_path().lexically_normal().string();
    auto it = m_places.find(from);
    if (it == m_places.end()) {
      std::string stem = fs::path(from).filename().string();
      if (stem.empty()) stem = "files";
      std::string name = "assets/" + stem;
      for (int i = 2; m_names.count(name); ++i) name = fmt::format("assets/{}-{}", stem, i);
      m_names.insert(name);
      it = m_places.emplace(from, name).first;
    }
    const std::string to = it->second + "/" + fs::path(path).filename().string();
    if (m_done.insert(path).second) {
      copy(path, to);
      for (const std::string& f : numberedFiles(path)) // the others of a sequence
        if (m_done.insert(f).second) copy(f, it->second + "/" + fs::path(f).filename().string());
      for (const std::string& f : namedBy(path))
        if (m_done.insert(f).second) copy(f, it->second + "/" + fs::path(f).lexically_relative(from).generic_string());
    }
    return to;
  }
  Bundle bundle;
  Json list = Json::array();

 private:
  std::string m_folder;
  const CancelFlag* m_cancel;
  std::map<std::string, std::string> m_places;
  std::set<std::string> m_names, m_done;

  void copy(const std::string& path, const std::string& name) {
    if (m_cancel && m_cancel->requested()) throw cancelled();
    const fs::path to = fs::path(m_folder) / name;
    std::error_code e;
    fs::create_directories(to.parent_path(), e);
    const std::string content = readFile(path, size_t(1) << 40);
    const std::string hash = fmt::format("{:016x}", contentHash(content));
    bool there = fs::is_regular_file(to, e) && fs::file_size(to, e) == content.size();
    if (there) there = readFile(to.string(), size_t(1) << 40) == content;
    if (!there) {
      writeFileAtomically(to.string(), content);
      // What is cached by size and time stays known.
      fs::last_write_time(to, fs::last_write_time(path, e), e);
    }
    bundle.files.push_back(name);
    bundle.bytes += content.size();
    list.push_back({{"file", name}, {"bytes", content.size()}, {"hash", hash}});
  }
};

} // namespace

Bundle writeBundle(const Document& doc, const std::string& name, const std::string& folder, const CancelFlag* cancel) {
  std::error_code e;
  fs::create_directories(folder, e);
  if (!fs::is_directory(folder, e)) throw ioError(folder + ": the folder cannot be made");
  const std::string absolute = fs::absolute(folder).lexically_normal().string();
  Writer writer(absolute, cancel);
  // Names are those of the new folder from the start, so that none is followed twice.
  DocumentBuilder b(movedTo(doc, absolute));
  const Document moved = b.peek();
  for (const NodePtr& n : moved.nodes()) {
    Node changed = *n;
    bool any = false;
    for (const ParamDef& d : n->kind->params) {
      const Value* v = n->find(d.name);
      const std::string* file = v && v->constant() ? std::get_if<std::string>(v->constant()) : nullptr;
      if (d.type != ParamType::File || !file || file->empty()) continue;
      const std::string path = resolveFile(moved, *file);
      if (!fs::is_regular_file(path, e)) {
        writer.bundle.missing.push_back(fmt::format("{}: {} is not there", n->name, path));
        continue;
      }
      changed.values[d.name] = Constant(writer.take(fs::path(path).lexically_normal().string()));
      any = true;
    }
    if (any) b.put(std::move(changed));
  }
  b.setFolder(absolute);
  writer.bundle.document = absolute + "/" + name + ".ilum";
  const Document made = b.take();
  writeDocument(made, writer.bundle.document);
  const Json about = {{"document", name + ".ilum"},
                      {"hash", fmt::format("{:016x}", contentHash(readFile(writer.bundle.document)))},
                      {"files", writer.list}};
  writeFileAtomically(absolute + "/bundle.json", about.dump(2) + "\n");
  return std::move(writer.bundle);
}

std::vector<std::string> checkBundle(const std::string& folder) {
  const std::string path = folder + "/bundle.json";
  const Json j = Json::parse(readFile(path, size_t(64) << 20), nullptr, false);
  if (!j.is_object() || !j.contains("files") || !j["files"].is_array())
    throw badInput(path + ": is no list of a bundle");
  std::vector<std::string> out;
  const auto check = [&](const std::string& name, const std::string& hash) {
    try {
      if (fmt::format("{:016x}", contentHash(readFile(folder + "/" + name, size_t(1) << 40))) != hash)
        out.push_back(name + ": is not what was bundled");
    } catch (const Error& e) {
      out.push_back(e.what());
    }
  };
  for (const Json& f : j["files"])
    if (f.is_object() && f.contains("file") && f.contains("hash") && f["file"].is_string() && f["hash"].is_string())
      check(f["file"].get<std::string>(), f["hash"].get<std::string>());
  if (j.contains("document") && j.contains("hash"))
    check(j["document"].get<std::string>(), j["hash"].get<std::string>());
  return out;
}

} // namespace ilumbra
