#include "core/session/proof_store.h"

#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/base/tasks.h"
#include "core/color/view.h"
#include "core/document/file.h"
#include "core/exchange/picture_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>

namespace ilumbra {
namespace fs = std::filesystem;
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* indexName = "proofs.json";

std::string contentName(std::string_view bytes, const char* extension) { return fmt::format("{:016x}{}", contentHash(bytes), extension); }

std::string pictureName(const Proof& p) {
  const uint64_t size = uint64_t(p.width) << 32 | uint64_t(p.height);
  return fmt::format("{:016x}.exr", contentHash({reinterpret_cast<const char*>(p.half.data()), 2 * p.half.size()}, size));
}

void writeHalf(const Proof& p, const std::string& path, const ColorViews& views) {
  PictureFile file;
  file.width = p.width;
  file.height = p.height;
  file.layers.push_back({.name = {}, .channels = {"R", "G", "B"}, .data = p.picture().rgb});
  writePicture(file, path, views, {});
}

} // namespace

std::string proofFolder(const std::string& document) { return fs::path(document).replace_extension(".proofs").string(); }

size_t proofBytes(const Proof& proof) { return 2 * proof.half.size(); }

std::vector<int> writeProofs(const std::string& document, const ProofSet& set, const ColorViews& views, size_t room) {
  const fs::path folder = fs::absolute(proofFolder(document));
  std::error_code e;
  if (set.proofs.empty()) {
    if (fs::exists(folder / indexName, e)) fs::remove_all(folder, e);
    return {};
  }
  fs::create_directories(folder, e);
  if (e) throw ioError(fmt::format("{}: cannot be made: {}", folder.string(), e.message()));
  std::vector<int> left;
  std::set<std::string> names{indexName};
  std::vector<Json> entries;
  size_t taken = 0;
  for (auto it = set.proofs.rbegin(); it != set.proofs.rend(); ++it) {
    const Proof& p = **it;
    if ((taken += proofBytes(p)) > room) {
      left.push_back(p.number);
      continue;
    }
    const std::string picture = pictureName(p), text = toJson(movedTo(p.doc, folder.string())), doc = contentName(text, ".ilum");
    if (!fs::exists(folder / picture, e)) writeHalf(p, (folder / picture).string(), views);
    if (!fs::exists(folder / doc, e)) writeFileAtomically((folder / doc).string(), text);
    names.insert({picture, doc});
    entries.push_back(Json{{"number", p.number}, {"name", p.name}, {"frame", p.frame}, {"samples", p.samples}, {"parent", p.parent}, {"picture", picture}, {"document", doc}});
  }
  Json index{{"ilumbra_proofs", 1}, {"next", set.next}, {"parent", set.parent}, {"proofs", Json::array()}};
  for (auto it = entries.rbegin(); it != entries.rend(); ++it) index["proofs"].push_back(std::move(*it));
  writeFileAtomically((folder / indexName).string(), index.dump(2) + "\n");
  // What the index does not name any more; nothing that is not ours.
  for (const auto& entry : fs::directory_iterator(folder, e)) {
    const std::string name = entry.path().filename().string(), stem = entry.path().stem().string(), extension = entry.path().extension().string();
    const bool ours = stem.size() == 16 && stem.find_first_not_of("0123456789abcdef") == std::string::npos && (extension == ".exr" || extension == ".ilum");
    std::error_code ignored;
    if (ours && !names.count(name)) fs::remove(entry.path(), ignored);
  }
  return left;
}

ProofSet readProofs(std::shared_ptr<const Kinds> kinds, const std::string& document, std::vector<std::string>* troubles, const CancelFlag* cancel) {
  ProofSet set;
  const fs::path folder = fs::absolute(proofFolder(document));
  std::error_code e;
  if (!fs::exists(folder / indexName, e)) return set;
  const auto trouble = [&](const std::string& what) {
    if (troubles) troubles->push_back(what);
  };
  Json index;
  try {
    index = Json::parse(readFile((folder / indexName).string(), size_t(16) << 20));
    set.next = index.value("next", 1);
    set.parent = index.value("parent", 0);
    index.at("proofs");
  } catch (const std::exception& error) {
    trouble(fmt::format("{}: the proofs cannot be read: {}", (folder / indexName).string(), error.what()));
    return {};
  }
  const std::string home = fs::absolute(document).parent_path().lexically_normal().string();
  for (const Json& j : index["proofs"]) {
    if (cancel && cancel->requested()) throw cancelled();
    std::string name = "a proof";
    try {
      name = j.at("name").get<std::string>();
      const auto plain = [](const std::string& file) { // names inside the folder alone
        if (fs::path(file).filename() != fs::path(file)) throw badInput(file + ": is no file of this folder");
        return file;
      };
      const Document doc = movedTo(readDocument(kinds, (folder / plain(j.at("document").get<std::string>())).string()), home);
      const Picture picture = readPicture((folder / plain(j.at("picture").get<std::string>())).string(), cancel).picture();
      set.proofs.push_back(std::make_shared<const Proof>(makeProof(j.at("number").get<int>(), name, doc, j.value("frame", 1.0), picture, j.value("samples", 0u), j.value("parent", 0))));
    } catch (const Error& error) {
      if (error.kind() == Refusal::Cancelled) throw;
      trouble(fmt::format("{} cannot be read: {}", name, error.what()));
    } catch (const std::exception& error) {
      trouble(fmt::format("{} cannot be read: {}", name, error.what()));
    }
  }
  for (const auto& p : set.proofs) set.next = std::max(set.next, p->number + 1);
  return set;
}

} // namespace ilumbra
