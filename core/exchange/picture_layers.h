#pragma once
#include "core/exchange/picture_file.h"

namespace ilumbra {

/// What a picture can be divided by: the names of its layers of light (three channels or more), of its masks (one
/// channel), and of what its Cryptomattes name.
std::vector<std::string> layerNames(const PictureFile& file);
/// What share of the picture's light, by channel, is in one of these; 0 where the picture is black. `path` is for
/// messages. Throws BadInput.
Picture layerShare(const PictureFile& file, const std::string& name, const std::string& path);
/// Coverage of one name by the Cryptomattes of a file, decoded by the public specification (version 1.2); 0 where there
/// is none.
std::vector<float> decodeCryptomatte(const PictureFile& file, const std::string& name);
/// The identity that the specification gives to a name: its hash as a float.
float cryptomatteId(const std::string& name);

} // namespace ilumbra
