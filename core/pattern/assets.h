#pragma once
#include <functional>
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
/// A line of text in a font's outlines (geometry/text_outline.h).
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

/// How builders get at files; relative names start from the document's folder. What cannot be read is reported by
/// exception.
struct Assets {
  std::function<std::shared_ptr<const Model>(const std::string& file)> model;
  /// `index` picks an image inside a model file, or the frame of a movie, from 0; -1: the file is an image.
  std::function<std::shared_ptr<const Image>(const std::string& file, int index)> image;
  std::function<TextOutline(const std::string& fontFile, const std::string& line, float tracking)> outline = {};
  /// The movie, or the sequence that a numbered file belongs to: the file alone where it has no number.
  std::function<Footage(const std::string& file)> footage = {};
  /// Voxels of an OpenVDB file.
  std::function<std::shared_ptr<const VoxelGrid>(const std::string& file, const GridNames& names)> volume = {};
  /// How far places are from things (objects, or groups of them) at a frame.
  std::function<std::shared_ptr<const DistanceField>(const Document& doc, const std::vector<uint32_t>& things,
                                                     double frame)>
      distanceField = {};
  /// What share of a picture's light, by channel, is in one of its layers: a layer of light, a mask, or what a
  /// Cryptomatte names. Rows from the top. Throws BadInput where the file has none of that name.
  std::function<std::shared_ptr<const Picture>(const std::string& file, const std::string& layer)> share = {};
};

} // namespace ilumbra
