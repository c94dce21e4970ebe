#pragma once
#include "core/session/proof.h"

#include <memory>
#include <vector>

namespace ilumbra {

class CancelFlag;
class ColorViews;

/// Proofs lie beside their document: "shot.ilum" has a folder "shot.proofs" with an index (proofs.json) and, of each
/// proof, its picture (OpenEXR, half floats, ACEScg) and its document (.ilum), named by their content.
std::string proofFolder(const std::string& document);

/// What all proofs of a document may take on the disk, in bytes of their pictures before packing.
constexpr size_t proofRoom = size_t(512) << 20;
size_t proofBytes(const Proof& proof);

struct ProofSet {
  std::vector<std::shared_ptr<const Proof>> proofs; ///< by number
  int next = 1;                                     ///< number of the next one
  int parent = 0;                                   ///< that the document went on from; 0: none
  std::vector<std::string> unread =
      {}; ///< entries of the index that could not be read: they stay in it, and their files
};

/// Makes the folder hold just these; what is there already is not written again. The newest come first: those beyond
/// `room` are left out, and their numbers returned. Without proofs the folder goes, if nothing of others is in it. An
/// index that cannot be read is put aside (proofs-unreadable.json), and no file that it may name is taken away. Throws
/// Io; what was there stays then.
std::vector<int> writeProofs(const std::string& document, const ProofSet& set, const ColorViews& views,
                             size_t room = proofRoom);

/// Reads them back, file names starting from the document's folder. What cannot be read is left out and told in
/// `warnings`; no folder: none. Throws Cancelled.
ProofSet readProofs(std::shared_ptr<const Kinds> kinds, const std::string& document, std::vector<std::string>* warnings,
                    const CancelFlag* cancel = nullptr);

} // namespace ilumbra
