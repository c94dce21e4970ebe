#pragma once
#include <functional>
#include <memory>
#include <string>

namespace ilumbra {

/// An imported model as it comes from a file: parts, their materials, lights and cameras, in a tree (geometry/model.h).
struct Model;
class Image;
/// A line of text in a font's outlines (geometry/text_outline.h).
struct TextOutline;

/// How builders get at files; relative names start from the document's folder. What cannot be read is reported by
/// exception.
struct Assets {
  std::function<std::shared_ptr<const Model>(const std::string& file)> model;
  /// `index` picks an image inside a model file; -1: the file is an image.
  std::function<std::shared_ptr<const Image>(const std::string& file, int index)> image;
  std::function<TextOutline(const std::string& fontFile, const std::string& line, float tracking)> outline = {};
};

} // namespace ilumbra
