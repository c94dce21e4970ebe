// ilumbra-bench errors [--region X,Y,W,H] A B PICTURE...: how far pictures are from the truth, as two references of the
// same light have it that know nothing of each other: the mean of (x − a)(x − b) ÷ (m² + 1e-4), m their mean, in scene
// light. Their own noise falls out of it. Over all pixels, without the worst thousandth, and as the screen shows it: 1
// less the mean structural similarity of lightness (Wang and others 2004) over 7 × 7 pixels.
// ilumbra-bench sheet OUT.png COLUMNS PICTURE...: pictures of one size as the screen shows them, in rows.
#include "bench/parts.h"
#include "core/base/error.h"
#include "core/display/view.h"
#include "core/exchange/picture_file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

using namespace ilumbra;

namespace {

std::vector<double> errors(const Picture& x, const Picture& a, const Picture& b) {
  std::vector<double> e(x.pixels(), 0.0);
  for (size_t i = 0; i < x.rgb.size(); ++i) {
    const double m = 0.5 * (double(a.rgb[i]) + double(b.rgb[i]));
    e[i / 3] += (double(x.rgb[i]) - double(a.rgb[i])) * (double(x.rgb[i]) - double(b.rgb[i])) / (m * m + 1e-4) / 3;
  }
  return e;
}

double mean(const std::vector<double>& v, size_t count) {
  double sum = 0;
  for (size_t i = 0; i < count; ++i) sum += v[i];
  return sum / double(count);
}

std::vector<float> lightness(const Picture& p, const ViewTable& view) {
  std::vector<float> l(p.pixels());
  for (size_t i = 0; i < l.size(); ++i) {
    const Color c = view.apply(Color(p.rgb[3 * i], p.rgb[3 * i + 1], p.rgb[3 * i + 2]));
    l[i] = 0.2126f * c.x + 0.7152f * c.y + 0.0722f * c.z;
  }
  return l;
}

double unlike(const std::vector<float>& x, const std::vector<float>& y, int width, int height) {
  constexpr int side = 7;
  constexpr double n = side * side, c1 = 1e-4, c2 = 9e-4;
  double sum = 0;
  for (int top = 0; top + side <= height; ++top)
    for (int left = 0; left + side <= width; ++left) {
      double mx = 0, my = 0, xx = 0, yy = 0, xy = 0;
      for (int j = top; j < top + side; ++j)
        for (int i = left; i < left + side; ++i) {
          const size_t k = size_t(j) * size_t(width) + size_t(i);
          const double a = double(x[k]), b = double(y[k]);
          mx += a;
          my += b;
          xx += a * a;
          yy += b * b;
          xy += a * b;
        }
      mx /= n;
      my /= n;
      sum += (2 * mx * my + c1) * (2 * (xy / n - mx * my) + c2) /
             ((mx * mx + my * my + c1) * (xx / n - mx * mx + yy / n - my * my + c2));
    }
  return 1 - sum / (double(width - side + 1) * double(height - side + 1));
}

} // namespace

static bool pictureSheet(int argc, char** argv) {
  if (argc < 2 || std::string(argv[1]) != "sheet") return false;
  const int columns = argc > 4 ? std::atoi(argv[3]) : 0;
  if (columns < 1) throw usageError("ilumbra-bench sheet OUT.png COLUMNS PICTURE...");
  Picture sheet;
  for (int k = 4; k < argc; ++k) {
    const Picture p = readPicture(argv[k]).picture();
    if (k == 4) sheet = Picture(columns * p.width, (argc - 5 + columns) / columns * p.height);
    const int left = (k - 4) % columns * p.width, top = (k - 4) / columns * p.height;
    if (left + p.width > sheet.width || top + p.height > sheet.height)
      throw badInput(fmt::format("{}: not as large as the first", argv[k]));
    for (int y = 0; y < p.height; ++y) std::copy_n(p.at(0, y), 3 * p.width, sheet.at(left, top + y));
  }
  PictureFile out;
  out.width = sheet.width;
  out.height = sheet.height;
  out.layers.push_back({"", {"R", "G", "B"}, false, std::move(sheet.rgb)});
  writePicture(out, argv[2], ColorViews(), "ACES SDR");
  return true;
}

bool pictureErrors(int argc, char** argv) {
  if (pictureSheet(argc, argv)) return true;
  if (argc < 2 || std::string(argv[1]) != "errors") return false;
  const bool part = argc > 3 && std::string(argv[2]) == "--region";
  Region region;
  if (part && std::sscanf(argv[3], "%d,%d,%d,%d", &region.x, &region.y, &region.width, &region.height) != 4)
    throw usageError(fmt::format("{}: a region is X,Y,W,H in pixels", argv[3]));
  if (part) argc -= 2, argv += 2;
  if (argc < 5) throw usageError("ilumbra-bench errors [--region X,Y,W,H] A B PICTURE...");
  const Tasks tasks;
  const ViewTable view(ColorViews(), "ACES SDR", tasks);
  const auto read = [&](const char* path) {
    const PictureFile f = readPicture(path);
    return (part ? f.window(region.x, region.y, region.width, region.height) : f).picture();
  };
  const Picture a = read(argv[2]), b = read(argv[3]);
  Picture both = a;
  for (size_t i = 0; i < both.rgb.size(); ++i) both.rgb[i] = 0.5f * (a.rgb[i] + b.rgb[i]);
  const std::vector<float> shown = lightness(both, view);
  for (int k = 4; k < argc; ++k) {
    const Picture x = read(argv[k]);
    if (x.width != a.width || x.height != a.height || b.width != a.width || b.height != a.height)
      throw badInput(fmt::format("{}: not as large as the references", argv[k]));
    std::vector<double> e = errors(x, a, b);
    if (!std::all_of(e.begin(), e.end(), [](double v) { return std::isfinite(v); }))
      throw badInput(fmt::format("{}: a pixel of it, or of the references, is no number", argv[k]));
    std::sort(e.begin(), e.end(), [](double p, double q) { return std::abs(p) < std::abs(q); });
    fmt::print("{} {:.6g} {:.6g} {:.6g}\n", argv[k], mean(e, e.size()), mean(e, e.size() - e.size() / 1000),
               unlike(lightness(x, view), shown, x.width, x.height));
  }
  return true;
}
