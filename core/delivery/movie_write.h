#pragma once
#include <memory>
#include <string>
#include <vector>

namespace ilumbra {

class CancelFlag;

/// How a movie is written.
struct MovieOptions {
  int width = 0, height = 0;
  double rate = 24; ///< frames a second
  enum class Codec { Vp9, Av1, Ffv1 } codec = Codec::Vp9;
  double quality = 0.8; ///< 0 to 1, of the codecs with loss
  bool alpha = false;   ///< VP9 and FFV1
  bool srgb = true;     ///< the pixels are Rec. 709 with the sRGB curve, and are tagged so; else the tags stay open
};

/// Encodes pictures by FFmpeg's libraries into a WebM or Matroska file, which takes its place as a whole when it is
/// finished: nothing is there before, and nothing is left of one that is not.
///
/// VP9 and AV1: Y'CbCr by Rec. 709, narrow range, 4:2:0, 8 bits (AV1: 10), every component dithered by less than a step
/// before it is rounded, so that halos show no bands. FFV1 (version 3, with checksums): 16 bits a component, without
/// loss.
class MovieWriter {
 public:
  /// Throws Usage where a codec cannot do what is asked, Io where the file cannot be written.
  MovieWriter(const std::string& path, const MovieOptions& options, int threads = 0);
  ~MovieWriter();
  /// One frame: display-referred values in [0, 1], three floats a pixel, rows from the top, with alpha four, not
  /// associated. Throws Io, and Usage where the size is another.
  void add(const std::vector<float>& shown);
  /// Ends the file and puts it in its place. Throws Io.
  void finish();

 private:
  struct Content;
  std::unique_ptr<Content> m_content;
};

} // namespace ilumbra
