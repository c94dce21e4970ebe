#pragma once
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

namespace ilumbra {

struct Picture;

/// An imported model as it comes from a file: parts, their materials, lights and cameras, in a tree (geometry/model.h).
struct Model;
class Document;
class Image;
class DistanceField;
struct VoxelGrid;
/// A line of text in a font's outlines (text/text_outline.h).
struct TextOutline;

/// What runs over time: a movie, or files with a number in their names ("wave.0001.obj").
struct Footage {
  std::vector<std::string> files; ///< of a numbered sequence, by number; empty: a movie
  int frames = 1;
  double rate = 0; ///< frames a second that it states; 0: none
};

/// The grids of an OpenVDB file; empty: those with the usual names.
struct GridNames {
  std::string density, heat, color;
};

/// How builders get at files; relative names start from the document's folder. Throws BadInput, naming the file, for
/// what cannot be read. Safe to use from several threads.
class Assets {
 public:
  virtual ~Assets() = default;
  virtual std::shared_ptr<const Model> model(const std::string& file) const = 0;
  /// `index` picks an image inside a model file, or the frame of a movie, from 0; -1: the file is an image.
  virtual std::shared_ptr<const Image> image(const std::string& file, int index) const = 0;
  virtual TextOutline outline(const std::string& fontFile, const std::string& line, float tracking) const = 0;
  /// The movie, or the sequence that a numbered file belongs to: no files and one frame where it has no number.
  virtual Footage footage(const std::string& file) const = 0;
  /// Voxels of an OpenVDB file.
  virtual std::shared_ptr<const VoxelGrid> volume(const std::string& file, const GridNames& names) const = 0;
  /// How far places are from things (objects, or groups of them) at a frame. Null: what they are made of is not at
  /// hand.
  virtual std::shared_ptr<const DistanceField> distanceField(const Document& doc, const std::vector<uint32_t>& things,
                                                             double frame) const = 0;
  /// What share of a picture's light, by channel, is in one of its layers: a layer of light, a mask, or what a
  /// Cryptomatte names. Rows from the top. Throws BadInput where the file has none of that name.
  virtual std::shared_ptr<const Picture> share(const std::string& file, const std::string& layer) const = 0;
};

} // namespace ilumbra
