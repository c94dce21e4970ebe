#pragma once
#include "core/exchange/picture_file.h"

namespace ilumbra {

/// How the layers of a picture with passes go together again, for the next department.
struct Recipe {
  /// A layer that is the sum of others, less some. "" is the picture itself.
  struct Sum {
    std::string result;
    std::vector<std::string> adds, takes = {};
    bool operator==(const Sum&) const = default;
  };
  std::vector<Sum> sums;          ///< in the order in which they are put together
  std::vector<std::string> notes; ///< what is part of what, lies over what, masks what: a sentence each
};

/// The recipe of what pictureFile() made.
Recipe recipeOf(const PictureFile& file);
/// The field of a file's metadata that has it.
inline constexpr const char* recipeAs = "ilumbra/recipe";
/// As it goes with the files: in their metadata and as a text beside them.
std::string recipeText(const Recipe& recipe);
/// The sums of such a text.
std::vector<Recipe::Sum> readRecipe(const std::string& text);

/// What came of putting the layers of a written file together.
struct RecipeProof {
  double error = 0; ///< the largest of any sum, as a share of white or of the pixel's own value, whichever is more
  std::vector<std::string> doubts; ///< sums that do not hold within the rounding of the file, and what is wrong there
};
/// Puts the layers of a file that was read back together, and compares.
RecipeProof proveRecipe(const PictureFile& file, const Recipe& recipe);

} // namespace ilumbra
