// Pictures that run: movies, numbered sequences; drawings; and cards that show them.
#include "core/base/colorspace.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/assets.h"
#include "core/exchange/child.h"
#include "core/geometry/form.h"
#include "core/surface/material.h"
#include "tests/support/scene.h"

#include <fmt/format.h>

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wsign-conversion"
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
}
#pragma GCC diagnostic pop

using namespace ilumbra;
using namespace ilumbra::test;

namespace {

// A movie without loss: frame i is grey of 10 + 20 i.
void writeMovie(const std::string& path, int frames, int rate) {
  AVFormatContext* file = nullptr;
  REQUIRE(avformat_alloc_output_context2(&file, nullptr, "mov", path.c_str()) >= 0);
  const AVCodec* codec = avcodec_find_encoder(AV_CODEC_ID_PNG);
  REQUIRE(codec);
  AVStream* stream = avformat_new_stream(file, nullptr);
  AVCodecContext* c = avcodec_alloc_context3(codec);
  c->width = 16;
  c->height = 8;
  c->pix_fmt = AV_PIX_FMT_RGB24;
  c->time_base = {1, rate};
  stream->time_base = {1, rate};
  stream->avg_frame_rate = {rate, 1};
  REQUIRE(avcodec_open2(c, codec, nullptr) >= 0);
  avcodec_parameters_from_context(stream->codecpar, c);
  REQUIRE(avio_open(&file->pb, path.c_str(), AVIO_FLAG_WRITE) >= 0);
  REQUIRE(avformat_write_header(file, nullptr) >= 0);
  AVFrame* frame = av_frame_alloc();
  frame->width = 16;
  frame->height = 8;
  frame->format = AV_PIX_FMT_RGB24;
  av_frame_get_buffer(frame, 0);
  AVPacket* packet = av_packet_alloc();
  for (int i = 0; i <= frames; ++i) {
    if (i < frames) {
      av_frame_make_writable(frame);
      for (int y = 0; y < 8; ++y) std::memset(frame->data[0] + y * frame->linesize[0], 10 + 20 * i, 48);
      frame->pts = i;
    }
    avcodec_send_frame(c, i < frames ? frame : nullptr);
    while (avcodec_receive_packet(c, packet) == 0) {
      av_packet_rescale_ts(packet, c->time_base, stream->time_base);
      packet->stream_index = 0;
      packet->duration = stream->time_base.den / (rate * stream->time_base.num);
      av_interleaved_write_frame(file, packet);
    }
  }
  av_write_trailer(file);
  avio_closep(&file->pb);
  av_packet_free(&packet);
  av_frame_free(&frame);
  avcodec_free_context(&c);
  avformat_free_context(file);
}

int greyOf(const Image& image) { return int(std::lround(image.texel(4, 4, false).x * 255)); }

} // namespace

TEST_CASE("A movie's frames are found one by one, in any order", "[exchange][movie]") {
  TemporaryFolder folder;
  writeMovie(folder / "steps.mov", 10, 12);
  AssetCache cache;
  const Footage f = cache.movie(folder / "steps.mov");
  CHECK(f.frames == 10);
  CHECK(f.rate == Approx(12));
  for (const int i : {7, 0, 9, 3}) CHECK(greyOf(*cache.image(folder / "steps.mov", i)) == 10 + 20 * i);
  const auto image = cache.image(folder / "steps.mov", 2);
  CHECK(image->width() == 16);
  CHECK(image->height() == 8);
  writeFileAtomically(folder / "bad.mp4", "not at all a movie");
  const std::string why = refusal([&] { cache.movie(folder / "bad.mp4"); });
  CHECK(why.find(folder / "bad.mp4") == 0);
  std::string half = readFile(folder / "steps.mov");
  writeFileAtomically(folder / "half.mov", half.substr(0, half.size() / 2));
  CHECK_FALSE(refusal([&] { cache.movie(folder / "half.mov"); }).empty());
}

TEST_CASE("An SVG drawing is a sharp picture with alpha, true to its aspect", "[exchange][drawing]") {
  TemporaryFolder folder;
  writeFileAtomically(
      folder / "star.svg",
      R"(<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><rect width="100" height="100" fill="#ff0000" fill-opacity="0.5"/></svg>)");
  AssetCache cache;
  const auto image = cache.image(folder / "star.svg", -1);
  CHECK(image->width() == 4096);
  CHECK(image->height() == 2048);
  const auto inside = image->texel(1000, 1000, false), outside = image->texel(3000, 1000, false);
  CHECK(inside.x == Approx(1).margin(0.01));
  CHECK(inside.w == Approx(0.5).margin(0.01));
  CHECK(outside.w == 0);
  writeFileAtomically(folder / "bad.svg", "<svg");
  CHECK(refusal([&] { cache.image(folder / "bad.svg", -1); }).find("is no SVG drawing") != std::string::npos);
}

TEST_CASE("A card has its picture's aspect, opacity by its alpha, and plays a movie at the movie's own rate",
          "[exchange][card]") {
  TemporaryFolder folder;
  writeMovie(folder / "steps.mov", 10, 12);
  writeFileAtomically(
      folder / "star.svg",
      R"(<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100"><rect width="150" height="100" fill="#ffffff"/></svg>)");
  AssetCache cache;
  Set s;
  const NodeId movie =
      s.add("object.card", "Movie",
            {{"file", (folder / "steps.mov").c_str()}, {"height", "0.5"}, {"play", "once"}, {"own_light", "100"}});
  const NodeId star =
      s.add("object.card", "Star", {{"file", (folder / "star.svg").c_str()}, {"height", "1"}, {"card_opacity", "0.5"}});
  const Document doc = s.take();
  const FileAssets assets = cache.assets("");
  const auto form = [&](NodeId id) { return formOf(*doc.find(id), {doc, 1, assets}).shape.bounds(); };
  CHECK(form(movie).size().x == Approx(1));
  CHECK(form(movie).size().y == Approx(0.5));
  CHECK(form(star).size().x == Approx(3).epsilon(1e-3)); // whole texels
  CHECK(form(star).min.y == Approx(0).margin(1e-6));
  const auto look = [&](NodeId id, double frame) {
    return compileMaterial(doc, {id, nullptr}, frame, assets, [](const Reference&) { return -1; });
  };
  PatternPoint middle, right;
  middle.uv = {0.25f, 0.5f};
  right.uv = {0.75f, 0.5f};
  const auto opacityAt = [&](const Material& m, const PatternPoint& at) {
    return m.opacity.program ? m.opacity.program->evaluate(at).x : m.opacity.constant.x;
  };
  CHECK(opacityAt(look(star, 1), middle) == Approx(0.5).margin(0.01));
  CHECK(opacityAt(look(star, 1), right) == Approx(0).margin(0.01));
  // In frame 1 + 2 k of a document of 24 a movie of 12 shows its frame k.
  const auto shade = [&](double frame) {
    const Material m = look(movie, frame);
    REQUIRE(m.baseColor.program);
    return double(m.baseColor.program->evaluate(middle).y);
  };
  const auto linear = [](int v) { return srgbDecoded<double>(v / 255.0); };
  CHECK(shade(1) == Approx(linear(10)).epsilon(0.02));
  CHECK(shade(7) == Approx(linear(70)).epsilon(0.02));
  CHECK(shade(500) == Approx(linear(190)).epsilon(0.02));
  CHECK(luminance(ownLight(doc, {movie, nullptr}, 1)) == Approx(100));
  CHECK(isAnimated(*doc.find(movie)));
  CHECK_FALSE(isAnimated(*doc.find(star)));
  CHECK(wornMaterial(doc, *doc.find(movie), 1).target == movie);
}

TEST_CASE("An image pattern shows the frame of a numbered sequence", "[exchange][card]") {
  TemporaryFolder folder;
  for (int i = 0; i < 3; ++i) {
    std::string bytes = "P6\n1 1\n255\n";
    bytes.append(3, char(50 * (i + 1)));
    writeFileAtomically(folder / fmt::format("s{}.ppm", i + 8), bytes);
  }
  AssetCache cache;
  Set s;
  const NodeId id =
      s.add("pattern.image", "Run", {{"file", (folder / "s8.ppm").c_str()}, {"numbered", "on"}, {"play", "loop"}});
  const Document doc = s.take();
  const auto value = [&](double frame) {
    return int(std::lround(
        255 * double(Program::compile(doc, {id, nullptr}, frame, cache.assets(""), false).evaluate(PatternPoint{}).x)));
  };
  CHECK(value(1) == 50);
  CHECK(value(2) == 100);
  CHECK(value(3) == 150);
  CHECK(value(4) == 50);
}
