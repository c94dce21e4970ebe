#include "core/exchange/picture_file.h"

#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/display/view.h"
#include "core/document/units.h"
#include "core/exchange/child.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"

#include <algorithm>
#include <cctype>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <half.h>
#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>
#include <unistd.h>

namespace ilumbra {
namespace {

template <typename T> std::vector<T> quantised(const std::vector<float>& shown, int width, int channels) {
  constexpr float most = float(std::numeric_limits<T>::max());
  std::vector<T> out(shown.size());
  for (size_t i = 0; i < shown.size(); ++i) {
    const size_t pixel = i / size_t(channels);
    const int c = int(i % size_t(channels));
    // Black and white stay what they are.
    const float spread = c == 3 || shown[i] <= 0 || shown[i] >= 1
                             ? 0
                             : 0.5f * ditherAt(int(pixel % size_t(width)), int(pixel / size_t(width)), c);
    out[i] = T(std::clamp(shown[i] * most + spread + 0.5f, 0.0f, most));
  }
  return out;
}

// Writes beside the file, checks, and puts it in its place. Formats that write through memory are checked by every byte
// that goes to the disk; of the others the whole file is read again, for their libraries do not tell of a full disk.
class Output {
 public:
  Output(const std::string& path, const std::string& extension)
      : m_path(path), m_part(partOf(path) + extension), m_inMemory(extension != ".tif" && extension != ".tiff"),
        m_out(OIIO::ImageOutput::create(m_part)) { // the writer of TIFF wants a file
    if (!m_out) throw ioError(path + ": no writer for this kind of file: " + OIIO::geterror());
  }
  ~Output() {
    m_out.reset();
    std::error_code e;
    std::filesystem::remove(m_part, e);
  }
  void write(const OIIO::ImageSpec& spec, OIIO::TypeDesc type, const void* data) {
    if (m_inMemory && m_out->supports("ioproxy")) {
      OIIO::Filesystem::IOVecOutput memory;
      m_out->set_ioproxy(&memory);
      if (!m_out->open(m_part, spec) || !m_out->write_image(type, data) || !m_out->close()) fail();
      m_out.reset();
      const auto& bytes = memory.buffer();
      writeFileAtomically(m_path, {reinterpret_cast<const char*>(bytes.data()), bytes.size()});
      return;
    }
    if (!m_out->open(m_part, spec) || !m_out->write_image(type, data) || !m_out->close()) fail();
    if (!readsBack(spec)) fail();
    putInPlace(m_part, m_path);
  }

 private:
  bool readsBack(const OIIO::ImageSpec& spec) const {
    const auto in = OIIO::ImageInput::open(m_part);
    if (!in || in->spec().width != spec.width || in->spec().height != spec.height ||
        in->spec().nchannels != spec.nchannels)
      return false;
    std::vector<char> back(in->spec().image_bytes(true));
    return in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::UNKNOWN, back.data());
  }
  [[noreturn]] void fail() {
    std::string why = m_out->geterror();
    if (const size_t line = why.find('\n'); line != std::string::npos) why.resize(line);
    // The library's words name its temporary file; the system's own reason says more.
    const std::filesystem::path folder = std::filesystem::absolute(m_path).parent_path();
    std::error_code e;
    if (!std::filesystem::is_directory(folder, e))
      why = fmt::format("there is no folder {}", folder.string());
    else if (::access(folder.c_str(), W_OK) != 0)
      why = fmt::format("the folder {} may not be written to", folder.string());
    else if (std::filesystem::space(folder, e).available == 0 && !e)
      why = "the disk is full";
    for (size_t at; (at = why.find(m_part)) != std::string::npos;) why.replace(at, m_part.size(), "the file");
    throw ioError(fmt::format("{}: cannot be written: {}", m_path, why.empty() ? "the file came out cut" : why));
  }
  std::string m_path, m_part;
  bool m_inMemory;
  std::unique_ptr<OIIO::ImageOutput> m_out;
};

// AP1 with its white, as OpenEXR states primaries (AMPAS S-2014-004).
constexpr float ap1[8] = {0.713f, 0.293f, 0.165f, 0.830f, 0.128f, 0.044f, 0.32168f, 0.33767f};

void writeExr(const PictureFile& file, const std::string& path) {
  OIIO::ImageSpec spec(file.width, file.height, 0, OIIO::TypeDesc::HALF);
  if (!file.isFrame()) {
    spec.x = -file.left;
    spec.y = -file.top;
    spec.full_width = file.frameWidth;
    spec.full_height = file.frameHeight;
  }
  spec.channelnames.clear();
  struct Source {
    const FileLayer* layer;
    size_t channel;
  };
  std::vector<Source> sources;
  for (const FileLayer& l : file.layers)
    for (size_t c = 0; c < l.channels.size(); ++c) {
      spec.channelnames.push_back(l.channelName(c));
      spec.channelformats.push_back(l.fullFloat ? OIIO::TypeDesc::FLOAT : OIIO::TypeDesc::HALF);
      if (l.name.empty() && l.channels[c] == "A") spec.alpha_channel = int(sources.size());
      if (l.name.empty() && l.channels[c] == "Z") spec.z_channel = int(sources.size());
      sources.push_back({&l, c});
    }
  spec.nchannels = int(sources.size());
  spec.attribute("compression", "zip");
  spec.attribute("oiio:ColorSpace", "ACEScg");
  spec.attribute("Software", "Ilumbra");
  spec.attribute("chromaticities", OIIO::TypeDesc(OIIO::TypeDesc::FLOAT, 8), ap1);
  for (const auto& [key, value] : file.metadata) spec.attribute(key, value);
  // Native layout: each channel in its own format, interleaved.
  std::vector<char> native;
  std::vector<size_t> sizes;
  size_t pixel = 0;
  for (const auto& f : spec.channelformats) {
    sizes.push_back(f.size());
    pixel += f.size();
  }
  native.resize(pixel * size_t(file.width) * size_t(file.height));
  char* out = native.data();
  const size_t n = size_t(file.width) * size_t(file.height);
  for (size_t i = 0; i < n; ++i)
    for (size_t c = 0; c < sources.size(); ++c) {
      const FileLayer& l = *sources[c].layer;
      const float v = l.data[i * l.channels.size() + sources[c].channel];
      if (l.fullFloat) {
        std::memcpy(out, &v, 4);
      } else {
        const Imath::half h(std::clamp(v, -65504.0f, 65504.0f));
        std::memcpy(out, &h, 2);
      }
      out += sizes[c];
    }
  Output(path, ".exr").write(spec, OIIO::TypeDesc::UNKNOWN, native.data());
}

} // namespace

const FileLayer* PictureFile::find(const std::string& name) const {
  for (const FileLayer& l : layers)
    if (l.name == name) return &l;
  return nullptr;
}

Picture PictureFile::picture(const std::string& name) const {
  const FileLayer* l = find(name);
  const auto channel = [&](const char* c) {
    return l ? std::find(l->channels.begin(), l->channels.end(), c) - l->channels.begin() : ptrdiff_t(0);
  };
  const auto has = [&](const char* c) { return l && channel(c) < ptrdiff_t(l->channels.size()); };
  const bool grey = has("Y") && !has("R");
  if (!grey && !(has("R") && has("G") && has("B")))
    throw badInput(name.empty() ? "holds no colour picture (channels R, G and B)"
                                : fmt::format("has no layer \"{}\" with R, G and B", name));
  const size_t at[3] = {size_t(channel(grey ? "Y" : "R")), size_t(channel(grey ? "Y" : "G")),
                        size_t(channel(grey ? "Y" : "B"))};
  Picture p(width, height);
  for (size_t i = 0; i < p.pixels(); ++i)
    for (size_t c = 0; c < 3; ++c) p.rgb[3 * i + c] = l->data[i * l->channels.size() + at[c]];
  return p;
}

PictureFile PictureFile::window(int x, int y, int w, int h) const {
  PictureFile out;
  out.width = w;
  out.height = h;
  out.left = left - x;
  out.top = top - y;
  out.frameWidth = frameWidth ? frameWidth : width;
  out.frameHeight = frameHeight ? frameHeight : height;
  out.metadata = metadata;
  const int x0 = std::max(0, x), x1 = std::min(width, x + w), y0 = std::max(0, y), y1 = std::min(height, y + h);
  for (const FileLayer& l : layers) {
    const size_t n = l.channels.size();
    FileLayer to{l.name, l.channels, l.fullFloat, std::vector<float>(size_t(w) * size_t(h) * n, 0.0f)};
    for (int row = y0; row < y1 && x0 < x1; ++row)
      std::copy_n(l.data.begin() + ptrdiff_t((size_t(row) * size_t(width) + size_t(x0)) * n), size_t(x1 - x0) * n,
                  to.data.begin() + ptrdiff_t((size_t(row - y) * size_t(w) + size_t(x0 - x)) * n));
    out.layers.push_back(std::move(to));
  }
  return out;
}

PictureFile PictureFile::frame() const { return isFrame() ? *this : window(left, top, frameWidth, frameHeight); }

// As it is shown; what covers it beside it, where it is given.
static std::vector<float> shownOf(Picture p, const ColorViews& views, const std::string& view,
                                  const std::vector<float>* alpha) {
  if (!alpha) return views.exact(p, view);
  for (size_t i = 0; i < p.pixels(); ++i)
    if (const float a = (*alpha)[i]; a > 1e-4f)
      for (size_t c = 0; c < 3; ++c) p.rgb[3 * i + c] /= a;
  const std::vector<float> shown = views.exact(p, view);
  std::vector<float> four(p.pixels() * 4);
  for (size_t i = 0; i < p.pixels(); ++i) {
    std::copy_n(shown.begin() + ptrdiff_t(3 * i), 3, four.begin() + ptrdiff_t(4 * i));
    four[4 * i + 3] = clamp01((*alpha)[i]);
  }
  return four;
}

std::vector<float> shownPixels(const PictureFile& given, const ColorViews& views, const std::string& view, bool alpha) {
  const PictureFile file = given.frame();
  if (!alpha) return shownOf(file.picture(), views, view, nullptr);
  const FileLayer* l = file.find("");
  const size_t n = l->channels.size(),
               at = size_t(std::find(l->channels.begin(), l->channels.end(), "A") - l->channels.begin());
  std::vector<float> covered(l->data.size() / n, 1.0f);
  for (size_t i = 0; at < n && i < covered.size(); ++i) covered[i] = l->data[n * i + at];
  return shownOf(file.picture(), views, view, &covered);
}

void writeShown(const std::string& path, int width, int height, const std::vector<uint8_t>& rgb) {
  OIIO::ImageSpec spec(width, height, 3, OIIO::TypeDesc::UINT8);
  spec.attribute("oiio:ColorSpace", "sRGB");
  spec.attribute("Software", "Ilumbra");
  Output(path, ".png").write(spec, OIIO::TypeDesc::UINT8, rgb.data());
}

bool isPictureName(const std::string& path) {
  const std::string e = extensionOf(path);
  return e == ".exr" || e == ".png" || e == ".jpg" || e == ".jpeg" || e == ".tif" || e == ".tiff" || e == ".hdr";
}

void writePicture(const PictureFile& file, const std::string& path, const ColorViews& views, const std::string& view,
                  const std::vector<float>* alpha) {
  if (!isPictureName(path)) throw usageError(path + ": a picture is written as .exr, .png, .jpg, .tif or .hdr");
  const std::string e = extensionOf(path);
  if (e == ".exr") return writeExr(file, path);
  Picture p = file.isFrame() ? file.picture() : file.frame().picture();
  const int width = p.width, height = p.height;
  if (e == ".hdr") {
    for (size_t i = 0; i < p.pixels(); ++i) {
      const Color c = vmax(rec709FromAcescg({p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]}), Color(0.0f));
      for (int k = 0; k < 3; ++k) p.rgb[3 * i + size_t(k)] = c[k];
    }
    OIIO::ImageSpec spec(p.width, p.height, 3, OIIO::TypeDesc::FLOAT);
    return Output(path, e).write(spec, OIIO::TypeDesc::FLOAT, p.rgb.data());
  }
  const bool withAlpha = alpha && e == ".png";
  const std::vector<float> shown = shownOf(std::move(p), views, view, withAlpha ? alpha : nullptr);
  const int channels = withAlpha ? 4 : 3;
  const bool sixteen = e == ".tif" || e == ".tiff";
  OIIO::ImageSpec spec(width, height, channels, sixteen ? OIIO::TypeDesc::UINT16 : OIIO::TypeDesc::UINT8);
  spec.attribute("oiio:ColorSpace", "sRGB");
  spec.attribute("Software", "Ilumbra");
  if (withAlpha) spec.attribute("oiio:UnassociatedAlpha", 1);
  if (e == ".jpg" || e == ".jpeg") spec.attribute("Compression", "jpeg:95");
  if (const auto it = file.metadata.find("ImageDescription"); it != file.metadata.end())
    spec.attribute(it->first, it->second);
  if (e == ".png")
    spec.attribute("png:compressionLevel", 4); // far quicker than the usual 6, for a few percent more bytes
  Output out(path, e);
  if (sixteen)
    out.write(spec, OIIO::TypeDesc::UINT16, quantised<uint16_t>(shown, width, channels).data());
  else
    out.write(spec, OIIO::TypeDesc::UINT8, quantised<uint8_t>(shown, width, channels).data());
}

// --- Reading, in the child -------------------------------------------------------------------------------------------

std::string readLayersBytes(const std::string& path) {
  OIIO::attribute("threads", 1);
  const auto in = OIIO::ImageInput::open(path);
  if (!in) throw badInput("is no picture this version reads");
  const OIIO::ImageSpec spec = in->spec();
  if (spec.width < 1 || spec.height < 1 || spec.nchannels < 1) throw badInput("is an empty picture");
  if (spec.width > 32768 || spec.height > 32768 || spec.depth > 1 || spec.nchannels > 1024 ||
      size_t(spec.width) * size_t(spec.height) * size_t(spec.nchannels) > size_t(1) << 30)
    throw badInput(
        fmt::format("is {} × {} pixels with {} channels, which is too large", spec.width, spec.height, spec.nchannels));
  std::vector<float> data(size_t(spec.width) * size_t(spec.height) * size_t(spec.nchannels));
  if (!in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, data.data()))
    throw badInput("is broken: " + in->geterror());
  WireWriter w;
  w.put(int32_t(spec.width));
  w.put(int32_t(spec.height));
  for (const int v : {spec.full_x - spec.x, spec.full_y - spec.y, spec.full_width, spec.full_height}) w.put(int32_t(v));
  w.put(uint8_t(spec.format == OIIO::TypeDesc::UINT8 || spec.format == OIIO::TypeDesc::UINT16));
  std::vector<std::string> names(spec.channelnames.begin(), spec.channelnames.end());
  w.put(names);
  std::vector<std::string> keys, values;
  for (const auto& a : spec.extra_attribs)
    if (a.type() == OIIO::TypeDesc::STRING) {
      keys.push_back(a.name().string());
      values.push_back(a.get_string());
    }
  w.put(keys);
  w.put(values);
  w.put(data);
  return w.bytes();
}

PictureFile readPicture(const std::string& path, const CancelFlag* cancel, bool beside) {
  const std::string bytes = parseInChild("picture", path, -1, {}, cancel);
  WireReader r(bytes);
  int32_t width = 0, height = 0, window[4] = {};
  uint8_t integers = 0;
  std::vector<std::string> names, keys, values;
  std::vector<float> data;
  r.get(width);
  r.get(height);
  for (int32_t& v : window) r.get(v);
  r.get(integers);
  r.get(names);
  r.get(keys);
  r.get(values);
  r.get(data);
  PictureFile f;
  f.width = width;
  f.height = height;
  const size_t n = size_t(width) * size_t(height), stride = names.size();
  if (width < 1 || height < 1 || stride < 1 || data.size() != n * stride || keys.size() != values.size())
    throw badInput(path + ": its reader returned nonsense");
  // A frame that lies elsewhere, or is out of all proportion, is not meant.
  const bool meant = window[2] > 0 && window[3] > 0 && window[2] <= 32768 && window[3] <= 32768 && window[0] < width &&
                     window[1] < height && int64_t(window[0]) + window[2] > 0 && int64_t(window[1]) + window[3] > 0 &&
                     size_t(window[2]) * size_t(window[3]) * stride <= size_t(1) << 30;
  if (meant) {
    f.left = window[0];
    f.top = window[1];
    f.frameWidth = window[2];
    f.frameHeight = window[3];
  }
  for (size_t i = 0; i < keys.size(); ++i) f.metadata[keys[i]] = values[i];
  std::vector<std::vector<size_t>> from;
  for (size_t c = 0; c < stride; ++c) {
    const size_t dotAt = names[c].rfind('.');
    const std::string layer = dotAt == std::string::npos ? "" : names[c].substr(0, dotAt),
                      channel = names[c].substr(dotAt == std::string::npos ? 0 : dotAt + 1);
    auto it = std::find_if(f.layers.begin(), f.layers.end(), [&](const FileLayer& l) { return l.name == layer; });
    if (it == f.layers.end()) {
      f.layers.push_back({layer, {}, true, {}});
      from.emplace_back();
      it = f.layers.end() - 1;
    }
    it->channels.push_back(channel);
    from[size_t(it - f.layers.begin())].push_back(c);
  }
  for (size_t l = 0; l < f.layers.size(); ++l) {
    f.layers[l].data.resize(n * from[l].size());
    for (size_t i = 0; i < n; ++i)
      for (size_t c = 0; c < from[l].size(); ++c)
        f.layers[l].data[i * from[l].size() + c] = data[i * stride + from[l][c]];
  }
  if (integers)
    for (FileLayer& l : f.layers) {
      const size_t k = l.channels.size();
      for (size_t i = 0; i < n; ++i) {
        float* p = l.data.data() + i * k;
        for (size_t c = 0; c < std::min<size_t>(3, k); ++c) p[c] = float(srgbDecoded<double>(double(p[c])));
        if (k >= 3) {
          const Color c = acescgFrom709({p[0], p[1], p[2]});
          for (int j = 0; j < 3; ++j) p[j] = c[j];
        }
      }
    }
  return beside || f.isFrame() ? f : f.frame();
}

} // namespace ilumbra
