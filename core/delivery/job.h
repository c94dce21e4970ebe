#pragma once
#include "core/document/document.h"

namespace ilumbra {

/// The parameters of what is rendered and written, declared once: the command line, the queue's file and the window's
/// form derive from it.
const Kind& deliveryKind();

/// What is to be rendered and written.
class Job {
 public:
  Job();
  /// As the document has it: its range of frames, size, samples, noise and camera.
  static Job of(const Document& doc);
  Params params() const { return {m_node, 0}; }
  /// Checks the value as setValue() does; throws BadInput.
  void set(std::string_view name, const Constant& value);
  /// The same of text, as parseValue() reads it.
  void setText(std::string_view name, std::string_view text);
  std::string textOf(std::string_view name) const;
  /// One JSON object with what differs from the defaults. Read again, unknown fields are left out.
  std::string json() const;
  static Job fromJson(std::string_view json);
  bool operator==(const Job& o) const { return m_node.values == o.m_node.values; }

  /// Of a test strip: the numbers of its pictures, from 1.
  std::vector<double> frames() const;
  bool isStrip() const;
  /// Its PNGs and movies are transparent where nothing is: asked for, or a mist plate.
  bool withAlpha() const;
  /// That a test strip tries, as they are typed.
  std::vector<std::string> values() const;
  /// More than one frame, or names that count them.
  bool sequence() const;
  /// Its frames follow one another in time: it can be a movie.
  bool plays() const { return sequence() && !isStrip(); }
  /// The names to write to, with their tokens.
  std::vector<std::string> outputs() const;
  std::vector<std::string> passes() const;
  /// Throws Usage for what cannot be: a kind of file that is not written, passes into a PNG, a movie of one frame.
  void check() const;

 private:
  Node m_node;
};

/// The document as the job renders it: its size, samples, camera and so on, or a turn of its camera. Throws BadInput.
Document documentFor(const Document& doc, const Job& job);

/// What documentFor() has made, at one of the job's frames; of a test strip with the value that this picture tries.
/// Throws BadInput where the address or the value is none.
Document pictureFor(const Document& rendered, const Job& job, double frame);

bool isMovieName(const std::string& path);

/// A sequence's file for a frame: "shot.png" is "shot.0012.png".
std::string frameName(const std::string& output, int frame);
/// The name with its tokens filled in: {name}, {frame} ({frame:06}: so many digits), {camera}, {width}, {height},
/// {samples}. A sequence's name without {frame} counts as frameName() does, but a movie's. `document`: its path, for
/// {name}. Throws Usage for an unknown token.
std::string fileName(const std::string& output, const Document& doc, const Job& job, const std::string& document,
                     double frame);
/// The tokens that fileName() knows, with what they stand for.
std::vector<std::pair<std::string, std::string>> nameTokens();

/// 16 hexadecimal digits by which a frame is known again: of the document as it is rendered, the job's own settings,
/// the files that the document names (by size and time of change) and the frame.
std::string frameIdentity(const Document& rendered, const Job& job, double frame);

} // namespace ilumbra
