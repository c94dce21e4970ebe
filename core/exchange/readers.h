#pragma once
#include <memory>
#include <string>
#include <vector>

namespace ilumbra {

struct Model;
class Image;
struct TextOutline;
struct Footage;
struct VoxelGrid;

// In the child: they read a file that nobody vouches for, and throw BadInput.
std::string readModelBytes(const std::string& path);
/// `index` >= 0 picks an image inside a model, or a frame of a movie.
std::string readImageBytes(const std::string& path, int index);
std::string readDrawingBytes(const std::string& path);
std::string readMovieFrameBytes(const std::string& path, int index);
/// Of a movie: how many frames, and how many a second.
std::string readFootageBytes(const std::string& path);
/// All channels of a picture as floats.
std::string readLayersBytes(const std::string& path);
/// `request`: the name of the density grid, a line's end, and that of the heat grid; either may be empty.
std::string readVolumeBytes(const std::string& path, const std::string& request);
/// `request`: spacing in ems, a colon, and the line of text.
std::string readOutlineBytes(const std::string& path, const std::string& request);

/// The two kinds of model files, by library.
Model readGltf(const std::string& path);
Model readWithAssimp(const std::string& path);
/// The encoded bytes of an image inside a model, or the path of the file it names.
std::string modelImageBytes(const std::string& path, int index, std::string& externalPath);
std::string assimpImageBytes(const std::string& path, int index);
std::string gltfImageBytes(const std::string& path, int index, std::string& externalPath);

/// The bytes of a picture file as they are, or of the `index`th picture inside a model.
std::string readEncodedBytes(const std::string& path, int index);

/// Writes a model as .obj (with its .mtl), .ply or .stl, in world space.
void writeWithAssimp(const Model& model, const std::string& path);

/// Eight-bit texels with alpha by the sRGB curve, rows from the top, as the parent takes them.
std::string encodedTexels(int width, int height, const std::vector<uint8_t>& rgba);

// In the parent: what the child returned, checked.
std::shared_ptr<const Model> decodeModel(const std::string& bytes);
std::shared_ptr<const Image> decodeImage(const std::string& bytes);
TextOutline decodeOutline(const std::string& bytes);
Footage decodeFootage(const std::string& bytes);
std::shared_ptr<const VoxelGrid> decodeVolume(const std::string& bytes);
std::string encode(const Model& model);

} // namespace ilumbra
