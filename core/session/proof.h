#pragma once
#include "core/document/document.h"
#include "core/image/picture.h"

namespace ilumbra {

class AssetCache;
class CancelFlag;

/// A kept picture with the document that made it. Immutable.
struct Proof {
  int number = 0;
  std::string name;
  Document doc;
  double frame = 1;
  int width = 0, height = 0;
  std::vector<uint16_t> half; ///< scene-linear ACEScg, three half floats a pixel, rows from the top
  uint32_t samples = 0;
  int parent = 0; ///< number of the proof that the document went on from; 0: none
  Picture picture() const;
};

Proof makeProof(int number, std::string name, const Document& doc, double frame, const Picture& picture,
                uint32_t samples, int parent);

/// What one proof changed of another, in a few words: "Halo size 17 % → 5 %", "Halo size 17 % → 5 % and 2 more"; empty:
/// nothing.
std::string nameByChange(const Document& before, const Document& after);

/// The picture of a proof at its size, with so many samples, denoised and through the lens as its document asks for.
/// Throws BadInput, Cancelled.
Picture renderProof(const Proof& proof, uint32_t samples, AssetCache& assets, const CancelFlag& cancel);

/// Scene light of `a` less that of `b`, by magnitude, channel by channel. Both of one size.
Picture differencePicture(const Picture& a, const Picture& b);

struct PictureComparison {
  bool sameSize = true;
  double rms = 0, most = 0; ///< of scene light, over all channels
  int mostX = 0, mostY = 0;
  double meanStops = 0; ///< log2 of the ratio of mean luminances, b over a
  double differing = 0; ///< share of pixels with any difference
  bool equal() const { return sameSize && most == 0; }
};
PictureComparison comparePictures(const Picture& a, const Picture& b);

} // namespace ilumbra
