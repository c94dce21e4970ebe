#pragma once
#include "core/image/picture.h"

#include <map>
#include <string>

namespace ilumbra {

class CancelFlag;

class ColorViews;

/// One layer of a picture in a file: as many floats a pixel as it has channels, interleaved, rows from the top.
struct FileLayer {
  std::string name;                  ///< empty: the picture itself
  std::vector<std::string> channels; ///< "R", "G", "B", ...
  bool fullFloat = false;            ///< 32 bits in the file, else half
  std::vector<float> data;
  /// "Light of Sun core.R", or "R" for the picture itself.
  std::string channelName(size_t i) const { return name.empty() ? channels[i] : name + "." + channels[i]; }
};

/// A picture with its passes: scene-linear ACEScg with exposure applied.
struct PictureFile {
  int width = 0, height = 0;
  /// Where the frame begins in these pixels, which may reach beyond it or leave some of it out, and its size; width 0:
  /// it is all of them. In OpenEXR files: the display window in the data window.
  int left = 0, top = 0, frameWidth = 0, frameHeight = 0;
  std::vector<FileLayer> layers;
  std::map<std::string, std::string> metadata;
  const FileLayer* find(const std::string& name) const;
  /// The picture itself, from the channels R, G and B of a layer (Y alone counts as all three). Throws BadInput if they
  /// are missing.
  Picture picture(const std::string& layer = "") const;
  bool isFrame() const {
    return frameWidth == 0 || (left == 0 && top == 0 && frameWidth == width && frameHeight == height);
  }
  /// The pixels of a window that begins at x, y in these; 0 where there are none. The frame stays where it is.
  PictureFile window(int x, int y, int width, int height) const;
  /// The frame alone.
  PictureFile frame() const;
};

/// Writes by the extension, as a whole or not at all: .exr all layers, scene-linear, with what lies beside the frame;
/// .hdr the picture, scene-linear; .png (8 bits), .jpg, .tif (16 bits) through the display view by the exact processor.
/// `alpha` (may be null) is added to PNG as unassociated alpha. Throws Usage for an unknown extension, Io when it
/// cannot be written.
void writePicture(const PictureFile& file, const std::string& path, const ColorViews& views, const std::string& view,
                  const std::vector<float>* alpha = nullptr);
/// The frame as it is shown, by the exact processor: values in [0, 1], three floats a pixel; with `alpha` four, the
/// colour not associated.
std::vector<float> shownPixels(const PictureFile& file, const ColorViews& views, const std::string& view, bool alpha);
/// Eight-bit pixels as they are shown, three bytes each, as one PNG, as a whole or not at all. Throws Io.
void writeShown(const std::string& path, int width, int height, const std::vector<uint8_t>& rgb);
/// True if the extension is one that writePicture knows.
bool isPictureName(const std::string& path);

/// Reads any picture that OpenImageIO knows, in the parsing child. Eight and sixteen bit pictures are taken back
/// through the sRGB curve and Rec. 709; .exr and .hdr are taken as they are. `beside`: pixels outside the frame are
/// kept.
PictureFile readPicture(const std::string& path, const CancelFlag* cancel = nullptr, bool beside = false);

} // namespace ilumbra
