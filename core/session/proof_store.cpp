#include "core/session/proof_store.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/base/tasks.h"
#include "core/display/view.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* indexName = "proofs.json";

std::string contentName(std::string_view bytes, const char* extension) {
  return fmt::format("{:016x}{}", contentHash(bytes), extension);
}

std::string pictureName(const Proof& p) {
  const uint64_t size = uint64_t(p.width) << 32 | uint64_t(p.height);
  return fmt::format("{:016x}.exr",
                     contentHash({reinterpret_cast<const char*>(p.half.data()), 2 * p.half.size()}, size));
}

void writeHalf(const Proof& p, const std::string& path, const ColorViews& views) {
  PictureFile file;
  file.width = p.width;
  file.height = p.height;
  file.layers.push_back({.name = {}, .channels = {"R", "G", "B"}, .data = p.picture().rgb});
  writePicture(file, path, views, {});
}

} // namespace

static std::optional<Json> readIndex(const fs::path& folder, std::string& why) {
  try {
    Json index = Json::parse(readFile((folder / indexName).string(), size_t(16) << 20));
    if (!index.at("proofs").is_array()) throw badInput("\"proofs\" is no list");
    return index;
  } catch (const std::exception& error) {
    why = error.what();
    return {};
  }
}

// Names inside the folder alone.
static std::string plainName(const Json& entry, const char* key) {
  const std::string file = entry.at(key).get<std::string>();
  if (fs::path(file).filename() != fs::path(file)) throw badInput(file + ": is no file of this folder");
  return file;
}

// What an index names, as far as it can be read.
static std::set<std::string> filesOf(const Json& proofs) {
  std::set<std::string> out;
  for (const Json& j : proofs)
    for (const char* key : {"picture", "document"}) try {
        out.insert(plainName(j, key));
      } catch (const std::exception&) {
      }
  return out;
}

std::string proofFolder(const std::string& document) {
  return fs::path(document).replace_extension(".proofs").string();
}

size_t proofBytes(const Proof& proof) { return 2 * proof.half.size(); }

std::vector<int> writeProofs(const std::string& document, const ProofSet& set, const ColorViews& views, size_t room) {
  const fs::path folder = fs::absolute(proofFolder(document));
  std::error_code e;
  const bool none = set.proofs.empty() && set.unread.empty();
  std::set<std::string> before;
  if (fs::exists(folder / indexName, e)) {
    std::string why;
    if (const std::optional<Json> index = readIndex(folder, why))
      before = filesOf((*index)["proofs"]);
    else if (none)
      return {};
    else
      fs::rename(folder / indexName, folder / "proofs-unreadable.json", e);
  }
  const auto removeAll = [&](const std::set<std::string>& but) {
    std::error_code ignored;
    for (const std::string& name : before)
      if (!but.count(name)) fs::remove(folder / name, ignored);
  };
  if (none) {
    fs::remove(folder / indexName, e);
    removeAll({});
    fs::remove(folder, e); // if it is empty now
    return {};
  }
  fs::create_directories(folder, e);
  if (e) throw ioError(fmt::format("{}: cannot be made: {}", folder.string(), e.message()));
  std::vector<int> left;
  std::vector<Json> entries;
  size_t taken = 0;
  for (auto it = set.proofs.rbegin(); it != set.proofs.rend(); ++it) {
    const Proof& p = **it;
    if ((taken += proofBytes(p)) > room) {
      left.push_back(p.number);
      continue;
    }
    const std::string picture = pictureName(p), text = toJson(movedTo(p.doc, folder.string())),
                      doc = contentName(text, ".ilum");
    if (!fs::exists(folder / picture, e)) writeHalf(p, (folder / picture).string(), views);
    if (!fs::exists(folder / doc, e)) writeFileAtomically((folder / doc).string(), text);
    entries.push_back(Json{{"number", p.number},
                           {"name", p.name},
                           {"frame", p.frame},
                           {"samples", p.samples},
                           {"parent", p.parent},
                           {"picture", picture},
                           {"document", doc}});
  }
  Json index{{"ilumbra_proofs", 1}, {"next", set.next}, {"parent", set.parent}, {"proofs", Json::array()}};
  for (const std::string& entry : set.unread) index["proofs"].push_back(Json::parse(entry));
  for (auto it = entries.rbegin(); it != entries.rend(); ++it) index["proofs"].push_back(std::move(*it));
  writeFileAtomically((folder / indexName).string(), index.dump(2) + "\n");
  removeAll(filesOf(index["proofs"]));
  return left;
}

ProofSet readProofs(std::shared_ptr<const Kinds> kinds, const std::string& document, std::vector<std::string>* warnings,
                    const CancelFlag* cancel) {
  ProofSet set;
  const fs::path folder = fs::absolute(proofFolder(document));
  std::error_code e;
  if (!fs::exists(folder / indexName, e)) return set;
  const auto trouble = [&](const std::string& what) {
    if (warnings) warnings->push_back(what);
  };
  std::string why;
  const std::optional<Json> index = readIndex(folder, why);
  if (!index) {
    trouble(fmt::format("{}: the proofs cannot be read: {}", (folder / indexName).string(), why));
    return set;
  }
  const auto whole = [](const Json& j, const char* key, int otherwise) {
    return j.contains(key) && j[key].is_number_integer() ? j[key].get<int>() : otherwise;
  };
  set.next = whole(*index, "next", 1);
  set.parent = whole(*index, "parent", 0);
  const std::string home = fs::absolute(document).parent_path().lexically_normal().string();
  for (const Json& j : (*index)["proofs"]) {
    if (cancel && cancel->requested()) throw cancelled();
    std::string name = "a proof";
    const auto lost = [&](const std::exception& error) {
      set.unread.push_back(j.dump());
      if (j.is_object()) set.next = std::max(set.next, whole(j, "number", 0) + 1);
      trouble(fmt::format("{} cannot be read: {}", name, error.what()));
    };
    try {
      name = j.at("name").get<std::string>();
      const Document doc = movedTo(readDocument(kinds, (folder / plainName(j, "document")).string()), home);
      const Picture picture = readPicture((folder / plainName(j, "picture")).string(), cancel).picture();
      set.proofs.push_back(
          std::make_shared<const Proof>(makeProof(j.at("number").get<int>(), name, doc, j.value("frame", 1.0), picture,
                                                  j.value("samples", 0u), j.value("parent", 0))));
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::Cancelled) throw;
      lost(error);
    } catch (const std::exception& error) {
      lost(error);
    }
  }
  for (const auto& p : set.proofs) set.next = std::max(set.next, p->number + 1);
  return set;
}

} // namespace ilumbra
