#include "core/delivery/movie_write.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/display/view.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <thread>

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wsign-conversion"
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
}
#pragma GCC diagnostic pop

namespace ilumbra {
namespace {

struct Free {
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
  void operator()(AVFrame* f) const { av_frame_free(&f); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
};
template <typename T> using Owned = std::unique_ptr<T, Free>;

const char* encoderName(MovieOptions::Codec codec) {
  switch (codec) {
  case MovieOptions::Codec::Vp9:
    return "libvpx-vp9";
  case MovieOptions::Codec::Av1:
    return "libsvtav1";
  case MovieOptions::Codec::Ffv1:
    return "ffv1";
  }
  return "";
}

AVPixelFormat formatOf(const MovieOptions& o) {
  switch (o.codec) {
  case MovieOptions::Codec::Vp9:
    return o.alpha ? AV_PIX_FMT_YUVA420P : AV_PIX_FMT_YUV420P;
  case MovieOptions::Codec::Av1:
    return AV_PIX_FMT_YUV420P10LE;
  case MovieOptions::Codec::Ffv1:
    return o.alpha ? AV_PIX_FMT_GBRAP16LE : AV_PIX_FMT_GBRP16LE;
  }
  return AV_PIX_FMT_NONE;
}

} // namespace

struct MovieWriter::Content {
  std::string path, part;
  MovieOptions options;
  AVFormatContext* file = nullptr;
  AVStream* stream = nullptr;
  Owned<AVCodecContext> encoder;
  Owned<AVFrame> frame{av_frame_alloc()};
  Owned<AVPacket> packet{av_packet_alloc()};
  int64_t frames = 0;
  bool finished = false;

  ~Content() {
    if (file) {
      if (file->pb) avio_closep(&file->pb);
      avformat_free_context(file);
    }
    if (!finished && !part.empty()) {
      std::error_code e;
      std::filesystem::remove(part, e);
    }
  }

  [[noreturn]] void fail(const char* doing, int code) const {
    char text[AV_ERROR_MAX_STRING_SIZE] = {};
    av_strerror(code, text, sizeof text);
    std::error_code e;
    const auto folder = std::filesystem::absolute(path).parent_path();
    if (!std::filesystem::is_directory(folder, e))
      throw ioError(fmt::format("{}: cannot be written: there is no folder {}", path, folder.string()));
    throw ioError(fmt::format("{}: {}: {}", path, doing, text));
  }

  void open(int threads) {
    av_log_set_level(AV_LOG_QUIET);
    ::setenv("SVT_LOG", "1", 0); // else that library talks
    const AVCodec* codec = avcodec_find_encoder_by_name(encoderName(options.codec));
    if (!codec)
      throw usageError(
          fmt::format("{}: FFmpeg's libraries here have no encoder \"{}\"", path, encoderName(options.codec)));
    part = partOf(path);
    const char* container = extensionOf(path) == ".webm" ? "webm" : "matroska";
    if (const int e = avformat_alloc_output_context2(&file, nullptr, container, part.c_str()); e < 0)
      fail("cannot be begun", e);
    stream = avformat_new_stream(file, nullptr);
    encoder.reset(avcodec_alloc_context3(codec));
    AVCodecContext* c = encoder.get();
    if (!stream || !c) throw std::bad_alloc();
    const AVRational rate = av_d2q(options.rate, 100100);
    c->width = options.width;
    c->height = options.height;
    c->pix_fmt = formatOf(options);
    c->time_base = av_inv_q(rate);
    c->framerate = rate;
    c->sample_aspect_ratio = {1, 1};
    c->thread_count = threads;
    const bool rgb = options.codec == MovieOptions::Codec::Ffv1;
    c->color_range = rgb ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
    c->colorspace = rgb ? AVCOL_SPC_RGB : AVCOL_SPC_BT709;
    c->chroma_sample_location = rgb ? AVCHROMA_LOC_UNSPECIFIED : AVCHROMA_LOC_LEFT;
    if (options.srgb) {
      c->color_primaries = AVCOL_PRI_BT709;
      c->color_trc = AVCOL_TRC_IEC61966_2_1;
    }
    if (file->oformat->flags & AVFMT_GLOBALHEADER) c->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    const auto set = [&](const char* name, const std::string& value) {
      av_opt_set(c, name, value.c_str(), AV_OPT_SEARCH_CHILDREN);
    };
    const int loss = int(std::lround(60 - 54 * std::clamp(options.quality, 0.0, 1.0)));
    if (options.codec == MovieOptions::Codec::Vp9) {
      c->bit_rate = 0; // constant quality
      set("crf", std::to_string(loss));
      set("deadline", "good");
      set("cpu-used", "4");
      set("row-mt", "1");
      if (options.alpha) set("auto-alt-ref", "0");
    } else if (options.codec == MovieOptions::Codec::Av1) {
      set("crf", std::to_string(loss));
      set("preset", "8");
      set("svtav1-params", fmt::format("lp={}", std::max(1, threads)));
    } else {
      set("level", "3");
      set("slices", "4");
      set("slicecrc", "1");
      set("context", "1");
      c->gop_size = 1; // any frame is found at once
    }
    if (const int e = avcodec_open2(c, codec, nullptr); e < 0) fail("cannot be encoded", e);
    if (const int e = avcodec_parameters_from_context(stream->codecpar, c); e < 0) fail("cannot be encoded", e);
    stream->time_base = c->time_base;
    stream->avg_frame_rate = rate;
    if (options.alpha && options.codec == MovieOptions::Codec::Vp9)
      av_dict_set(&stream->metadata, "alpha_mode", "1", 0);
    av_dict_set(&file->metadata, "encoder", "Ilumbra", 0);
    if (const int e = avio_open(&file->pb, part.c_str(), AVIO_FLAG_WRITE); e < 0) fail("cannot be written", e);
    if (const int e = avformat_write_header(file, nullptr); e < 0) fail("cannot be written", e);
    frame->format = c->pix_fmt;
    frame->width = c->width;
    frame->height = c->height;
    frame->color_range = c->color_range;
    frame->colorspace = c->colorspace;
    frame->color_primaries = c->color_primaries;
    frame->color_trc = c->color_trc;
    if (const int e = av_frame_get_buffer(frame.get(), 0); e < 0) fail("cannot be encoded", e);
  }

  // A value in [0, 1] as a code in [low, low + span], dithered; 0 and 1 of exact whites and blacks stay so.
  static int code(float v, float low, float span, int x, int y, int channel) {
    const float at = low + span * v;
    const bool exact = at == std::floor(at);
    return int(std::floor(at + (exact ? 0.0f : 0.5f * ditherAt(x, y, channel)) + 0.5f));
  }

  template <typename T> void putYuv(const std::vector<float>& shown, int bits) {
    const int w = options.width, h = options.height, stride = options.alpha ? 4 : 3;
    const float scale = float(1 << (bits - 8));
    const int most = (1 << bits) - 1;
    const auto row = [&](int plane, int y) {
      return reinterpret_cast<T*>(frame->data[plane] + ptrdiff_t(y) * frame->linesize[plane]);
    };
    const auto at = [&](int x, int y) {
      return shown.data() + (size_t(std::min(y, h - 1)) * size_t(w) + size_t(std::min(x, w - 1))) * size_t(stride);
    };
    // Rec. ITU-R BT.709-6, 3.2 and 3.4.
    constexpr float kr = 0.2126f, kb = 0.0722f, kg = 1 - kr - kb;
    const auto luma = [&](const float* p) { return kr * p[0] + kg * p[1] + kb * p[2]; };
    for (int y = 0; y < h; ++y) {
      T* out = row(0, y);
      for (int x = 0; x < w; ++x)
        out[x] = T(std::clamp(code(luma(at(x, y)), 16 * scale, 219 * scale, x, y, 0), 0, most));
      if (options.alpha) {
        T* a = row(3, y);
        for (int x = 0; x < w; ++x) a[x] = T(std::clamp(code(at(x, y)[3], 0, float(most), x, y, 3), 0, most));
      }
    }
    // Chroma lies on every other luma column, between the rows: (1 2 1)/4 across, the mean of two down.
    for (int y = 0; y < (h + 1) / 2; ++y)
      for (int x = 0; x < (w + 1) / 2; ++x) {
        float cb = 0, cr = 0;
        for (int dy = 0; dy < 2; ++dy)
          for (int dx = -1; dx <= 1; ++dx) {
            const float* p = at(std::max(0, 2 * x + dx), 2 * y + dy);
            const float weight = (dx == 0 ? 2.0f : 1.0f) / 8, l = luma(p);
            cb += weight * (p[2] - l) / (2 * (1 - kb));
            cr += weight * (p[0] - l) / (2 * (1 - kr));
          }
        row(1, y)[x] = T(std::clamp(code(cb, 128 * scale, 224 * scale, x, y, 1), 0, most));
        row(2, y)[x] = T(std::clamp(code(cr, 128 * scale, 224 * scale, x, y, 2), 0, most));
      }
  }

  void putRgb(const std::vector<float>& shown) {
    const int w = options.width, h = options.height, channels = options.alpha ? 4 : 3;
    constexpr int planeOf[4] = {2, 0, 1, 3}; // green, blue, red
    for (int y = 0; y < h; ++y)
      for (int c = 0; c < channels; ++c) {
        auto* out = reinterpret_cast<uint16_t*>(frame->data[planeOf[c]] + ptrdiff_t(y) * frame->linesize[planeOf[c]]);
        for (int x = 0; x < w; ++x)
          out[x] = uint16_t(std::lround(
              std::clamp(shown[(size_t(y) * size_t(w) + size_t(x)) * size_t(channels) + size_t(c)], 0.0f, 1.0f) *
              65535));
      }
  }

  void encode(AVFrame* f) {
    if (const int e = avcodec_send_frame(encoder.get(), f); e < 0) fail("cannot be encoded", e);
    for (;;) {
      const int e = avcodec_receive_packet(encoder.get(), packet.get());
      if (e == AVERROR(EAGAIN) || e == AVERROR_EOF) return;
      if (e < 0) fail("cannot be encoded", e);
      if (packet->duration == 0) packet->duration = 1;
      av_packet_rescale_ts(packet.get(), encoder->time_base, stream->time_base);
      packet->stream_index = stream->index;
      if (const int w = av_interleaved_write_frame(file, packet.get()); w < 0) fail("cannot be written", w);
    }
  }
};

MovieWriter::MovieWriter(const std::string& path, const MovieOptions& options, int threads)
    : m_content(std::make_unique<Content>()) {
  if (options.width < 1 || options.height < 1 || options.width > 16384 || options.height > 16384)
    throw usageError(
        fmt::format("{}: a movie is at most 16384 pixels a side, not {} × {}", path, options.width, options.height));
  if (options.alpha && options.codec == MovieOptions::Codec::Av1)
    throw usageError(path + ": AV1 carries no alpha; take VP9 or FFV1");
  if (options.codec == MovieOptions::Codec::Av1 && std::min(options.width, options.height) < 64)
    throw usageError(path + ": AV1 is for pictures of 64 pixels a side and more");
  m_content->path = path;
  m_content->options = options;
  m_content->open(threads > 0 ? threads : std::max(1, int(std::thread::hardware_concurrency())));
}

MovieWriter::~MovieWriter() = default;

void MovieWriter::add(const std::vector<float>& shown) {
  Content& c = *m_content;
  const size_t wanted = size_t(c.options.width) * size_t(c.options.height) * (c.options.alpha ? 4 : 3);
  if (shown.size() != wanted)
    throw usageError(
        fmt::format("{}: a frame of another size than {} × {}", c.path, c.options.width, c.options.height));
  if (const int e = av_frame_make_writable(c.frame.get()); e < 0) c.fail("cannot be encoded", e);
  switch (c.options.codec) {
  case MovieOptions::Codec::Vp9:
    c.putYuv<uint8_t>(shown, 8);
    break;
  case MovieOptions::Codec::Av1:
    c.putYuv<uint16_t>(shown, 10);
    break;
  case MovieOptions::Codec::Ffv1:
    c.putRgb(shown);
    break;
  }
  c.frame->pts = c.frames++;
  c.encode(c.frame.get());
}

void MovieWriter::finish() {
  Content& c = *m_content;
  c.encode(nullptr);
  if (const int e = av_write_trailer(c.file); e < 0) c.fail("cannot be written", e);
  avio_flush(c.file->pb);
  const int error = c.file->pb->error;
  if (const int e = avio_closep(&c.file->pb); e < 0 || error < 0) c.fail("cannot be written", error < 0 ? error : e);
  putInPlace(c.part, c.path);
  c.finished = true;
}

} // namespace ilumbra
