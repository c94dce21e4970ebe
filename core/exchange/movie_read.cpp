// Movies, by FFmpeg's libraries: how long they are, and single frames. Runs in the parsing child.
#include "core/base/error.h"
#include "core/exchange/readers.h"
#include "core/exchange/wire.h"
#include "core/pattern/assets.h"

#include <cmath>
#include <fmt/format.h>
#include <memory>

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/imgutils.h>
#include <libswscale/swscale.h>
}

namespace ilumbra {
namespace {

struct Free {
  void operator()(AVFormatContext* c) const { avformat_close_input(&c); }
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
  void operator()(AVFrame* f) const { av_frame_free(&f); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
  void operator()(SwsContext* s) const { sws_freeContext(s); }
};
template <typename T> using Owned = std::unique_ptr<T, Free>;

struct Movie {
  Owned<AVFormatContext> file;
  Owned<AVCodecContext> decoder;
  AVStream* stream = nullptr;
  double rate = 0;
  int64_t frames = 0;
};

[[noreturn]] void fail(const char* what, int code) {
  char text[AV_ERROR_MAX_STRING_SIZE] = {};
  av_strerror(code, text, sizeof text);
  throw badInput(fmt::format("{}: {}", what, text));
}

Movie open(const std::string& path) {
  av_log_set_level(AV_LOG_QUIET);
  Movie m;
  AVFormatContext* file = nullptr;
  if (const int e = avformat_open_input(&file, ("file:" + path).c_str(), nullptr, nullptr); e < 0)
    fail("is no movie", e);
  m.file.reset(file);
  if (const int e = avformat_find_stream_info(file, nullptr); e < 0) fail("has no streams", e);
  const AVCodec* codec = nullptr;
  const int index = av_find_best_stream(file, AVMEDIA_TYPE_VIDEO, -1, -1, &codec, 0);
  if (index < 0 || !codec) throw badInput("holds no pictures that this version reads");
  m.stream = file->streams[index];
  m.decoder.reset(avcodec_alloc_context3(codec));
  if (const int e = avcodec_parameters_to_context(m.decoder.get(), m.stream->codecpar); e < 0)
    fail("cannot be decoded", e);
  m.decoder->thread_count = 1;
  if (const int e = avcodec_open2(m.decoder.get(), codec, nullptr); e < 0) fail("cannot be decoded", e);
  if (m.decoder->width < 1 || m.decoder->height < 1 || m.decoder->width > 16384 || m.decoder->height > 16384)
    throw badInput(fmt::format("has frames of {} × {} pixels", m.decoder->width, m.decoder->height));
  const AVRational r = av_guess_frame_rate(file, m.stream, nullptr);
  m.rate = r.num > 0 && r.den > 0 ? double(r.num) / double(r.den) : 0;
  if (!(m.rate > 0.01 && m.rate < 1000)) throw badInput("states no rate of frames");
  const double seconds = m.stream->duration > 0 ? double(m.stream->duration) * av_q2d(m.stream->time_base)
                         : file->duration > 0   ? double(file->duration) / AV_TIME_BASE
                                                : 0;
  m.frames = m.stream->nb_frames > 0 ? m.stream->nb_frames : int64_t(std::llround(seconds * m.rate));
  m.frames = std::clamp<int64_t>(m.frames, 1, 10'000'000);
  return m;
}

} // namespace

std::string readFootageBytes(const std::string& path) {
  const Movie m = open(path);
  WireWriter w;
  w.put(int32_t(m.frames));
  w.put(m.rate);
  return w.bytes();
}

std::string readMovieFrameBytes(const std::string& path, int index) {
  const Movie m = open(path);
  // From the last frame before it that stands by itself, decoded up to the one whose time has come.
  const double base = av_q2d(m.stream->time_base),
               start = m.stream->start_time == AV_NOPTS_VALUE ? 0 : double(m.stream->start_time) * base;
  const double wanted = start + double(index) / m.rate, half = 0.5 / m.rate;
  if (index > 0) av_seek_frame(m.file.get(), m.stream->index, int64_t(std::floor(wanted / base)), AVSEEK_FLAG_BACKWARD);
  const Owned<AVPacket> packet(av_packet_alloc());
  const Owned<AVFrame> frame(av_frame_alloc()), last(av_frame_alloc());
  bool found = false, ended = false;
  while (!found) {
    int e = avcodec_receive_frame(m.decoder.get(), frame.get());
    if (e == 0) {
      av_frame_unref(last.get());
      av_frame_ref(last.get(), frame.get());
      const int64_t at = frame->best_effort_timestamp;
      found = at == AV_NOPTS_VALUE || double(at) * base > wanted - half;
      continue;
    }
    if (e == AVERROR_EOF || ended) break;
    if (e != AVERROR(EAGAIN)) fail("is broken", e);
    e = av_read_frame(m.file.get(), packet.get());
    if (e < 0) {
      avcodec_send_packet(m.decoder.get(), nullptr);
      ended = e != AVERROR_EOF;
      continue;
    }
    if (packet->stream_index == m.stream->index)
      avcodec_send_packet(m.decoder.get(), packet.get()); // a broken packet is a frame less
    av_packet_unref(packet.get());
  }
  if (last->width < 1) throw badInput(fmt::format("has no frame {}", index + 1));
  const int w = last->width, h = last->height;
  const Owned<SwsContext> scaler(sws_getContext(w, h, AVPixelFormat(last->format), w, h, AV_PIX_FMT_RGBA,
                                                SWS_BILINEAR | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT, nullptr, nullptr,
                                                nullptr));
  if (!scaler) throw badInput("has pixels of a kind that is not read");
  // High definition is coded by Rec. 709, all smaller ones by Rec. 601 where nothing is stated.
  const int space =
      last->colorspace == AVCOL_SPC_UNSPECIFIED ? (h >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601) : int(last->colorspace);
  sws_setColorspaceDetails(scaler.get(), sws_getCoefficients(space), last->color_range == AVCOL_RANGE_JPEG,
                           sws_getCoefficients(SWS_CS_DEFAULT), 1, 0, 1 << 16, 1 << 16);
  std::vector<uint8_t> texels(size_t(w) * size_t(h) * 4);
  uint8_t* rows[4] = {texels.data(), nullptr, nullptr, nullptr};
  const int strides[4] = {4 * w, 0, 0, 0};
  sws_scale(scaler.get(), last->data, last->linesize, 0, h, rows, strides);
  return encodedTexels(w, h, texels);
}

Footage decodeFootage(const std::string& bytes) {
  WireReader r(bytes);
  int32_t frames = 0;
  Footage f;
  r.get(frames);
  r.get(f.rate);
  f.frames = std::max(1, int(frames));
  return f;
}

} // namespace ilumbra
