// What train.py applies the network's kernels with, forwards and backwards: PyTorch's own operations would read and
// write every tap's planes. Compiled by train.py; arrays are contiguous, [image][channel][row][column].
#include <algorithm>
#include <cmath>
#include <vector>

namespace {

constexpr int radius = 2, features = 8, colors = 3;

struct Size {
  int h, w;
  size_t n() const { return size_t(h) * size_t(w); }
};

} // namespace

extern "C" {

// out = Σ w x / Σ w over 5 × 5 neighbours q of p, w = exp(trust_q − sharpness_p |f_p − f_q|²); `norm` receives Σ w.
void affinity_forward(int images, int h, int w, const float* f, const float* sharpness, const float* trust,
                      const float* x, float* out, float* norm) {
  const Size s{h, w};
#pragma omp parallel for
  for (int b = 0; b < images; ++b) {
    const float *fb = f + size_t(b) * features * s.n(), *sb = sharpness + size_t(b) * s.n(),
                *tb = trust + size_t(b) * s.n(), *xb = x + size_t(b) * colors * s.n();
    float *ob = out + size_t(b) * colors * s.n(), *nb = norm + size_t(b) * s.n();
    std::fill_n(ob, colors * s.n(), 0.0f);
    std::fill_n(nb, s.n(), 0.0f);
    std::vector<float> weight(static_cast<size_t>(w));
    for (int y = 0; y < h; ++y)
      for (int j = std::max(-radius, -y); j <= std::min(radius, h - 1 - y); ++j)
        for (int i = -radius; i <= radius; ++i) {
          const int x0 = std::max(0, -i), x1 = std::min(w, w - i);
          const size_t p = size_t(y) * size_t(w), q = size_t(long(p) + long(j) * w + i);
          float* wt = weight.data();
          std::fill_n(wt, w, 0.0f);
          for (int a = 0; a < features; ++a) {
            const float *fp = fb + size_t(a) * s.n() + p, *fq = fb + size_t(a) * s.n() + q;
            for (int c = x0; c < x1; ++c) wt[c] += (fp[c] - fq[c]) * (fp[c] - fq[c]);
          }
          for (int c = x0; c < x1; ++c) wt[c] = std::exp(tb[q + c] - sb[p + c] * wt[c]);
          for (int c = x0; c < x1; ++c) nb[p + c] += wt[c];
          for (int k = 0; k < colors; ++k) {
            const float* xq = xb + size_t(k) * s.n() + q;
            float* op = ob + size_t(k) * s.n() + p;
            for (int c = x0; c < x1; ++c) op[c] += wt[c] * xq[c];
          }
        }
    for (int k = 0; k < colors; ++k)
      for (size_t p = 0; p < s.n(); ++p) ob[size_t(k) * s.n() + p] /= nb[p];
  }
}

void affinity_backward(int images, int h, int w, const float* f, const float* sharpness, const float* trust,
                       const float* x, const float* out, const float* norm, const float* g, float* df,
                       float* dsharpness, float* dtrust, float* dx) {
  const Size s{h, w};
#pragma omp parallel for
  for (int b = 0; b < images; ++b) {
    const size_t of = size_t(b) * features * s.n(), o1 = size_t(b) * s.n(), oc = size_t(b) * colors * s.n();
    const float *fb = f + of, *sb = sharpness + o1, *tb = trust + o1, *xb = x + oc, *ob = out + oc, *nb = norm + o1,
                *gb = g + oc;
    float *dfb = df + of, *dsb = dsharpness + o1, *dtb = dtrust + o1, *dxb = dx + oc;
    std::fill_n(dfb, features * s.n(), 0.0f);
    std::fill_n(dsb, s.n(), 0.0f);
    std::fill_n(dtb, s.n(), 0.0f);
    std::fill_n(dxb, colors * s.n(), 0.0f);
    std::vector<float> apart(static_cast<size_t>(w)), weight(static_cast<size_t>(w)), pull(static_cast<size_t>(w));
    for (int y = 0; y < h; ++y)
      for (int j = std::max(-radius, -y); j <= std::min(radius, h - 1 - y); ++j)
        for (int i = -radius; i <= radius; ++i) {
          const int x0 = std::max(0, -i), x1 = std::min(w, w - i);
          const size_t p = size_t(y) * size_t(w), q = size_t(long(p) + long(j) * w + i);
          float *d = apart.data(), *wt = weight.data(), *u = pull.data();
          std::fill_n(d, w, 0.0f);
          std::fill_n(u, w, 0.0f);
          for (int a = 0; a < features; ++a) {
            const float *fp = fb + size_t(a) * s.n() + p, *fq = fb + size_t(a) * s.n() + q;
            for (int c = x0; c < x1; ++c) d[c] += (fp[c] - fq[c]) * (fp[c] - fq[c]);
          }
          for (int c = x0; c < x1; ++c) wt[c] = std::exp(tb[q + c] - sb[p + c] * d[c]) / nb[p + c];
          for (int k = 0; k < colors; ++k) {
            const float *xq = xb + size_t(k) * s.n() + q, *op = ob + size_t(k) * s.n() + p,
                        *gp = gb + size_t(k) * s.n() + p;
            float* dq = dxb + size_t(k) * s.n() + q;
            for (int c = x0; c < x1; ++c) u[c] += gp[c] * (xq[c] - op[c]);
            for (int c = x0; c < x1; ++c) dq[c] += wt[c] * gp[c];
          }
          for (int c = x0; c < x1; ++c) u[c] *= wt[c];
          for (int c = x0; c < x1; ++c) dtb[q + c] += u[c];
          for (int c = x0; c < x1; ++c) dsb[p + c] -= u[c] * d[c];
          for (int c = x0; c < x1; ++c) u[c] *= -2 * sb[p + c];
          if (i == 0 && j == 0) continue;
          for (int a = 0; a < features; ++a) {
            const float *fp = fb + size_t(a) * s.n() + p, *fq = fb + size_t(a) * s.n() + q;
            float *dp = dfb + size_t(a) * s.n() + p, *dq = dfb + size_t(a) * s.n() + q;
            for (int c = x0; c < x1; ++c) dp[c] += u[c] * (fp[c] - fq[c]);
            for (int c = x0; c < x1; ++c) dq[c] -= u[c] * (fp[c] - fq[c]);
          }
        }
  }
}

// The coarser picture at the pixels of the finer one, of twice its size: bilinear weights times how alike the
// coarser one's mean features are. exp(−sharpness |f − F|²) + 0.001.
static void rise(bool forwards, int images, int h, int w, const float* f, const float* sharpness, const float* coarse_f,
                 const float* o, float* out, const float* g, float* df, float* dsharpness, float* dcoarse_f,
                 float* d_o) {
  const Size s{h, w}, cs{h / 2, w / 2};
#pragma omp parallel for
  for (int b = 0; b < images; ++b) {
    const float *fb = f + size_t(b) * features * s.n(), *sb = sharpness + size_t(b) * s.n(),
                *Fb = coarse_f + size_t(b) * features * cs.n(), *ob = o + size_t(b) * colors * cs.n();
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        const size_t p = size_t(y) * size_t(w) + size_t(x);
        size_t at[4];
        float share[4], apart[4], kernel[4], norm = 0;
        for (int t = 0; t < 4; ++t) {
          const int X = std::clamp(x / 2 + (t & 1 ? (x & 1 ? 1 : -1) : 0), 0, cs.w - 1),
                    Y = std::clamp(y / 2 + (t & 2 ? (y & 1 ? 1 : -1) : 0), 0, cs.h - 1);
          at[t] = size_t(Y) * size_t(cs.w) + size_t(X);
          share[t] = (t & 1 ? 0.25f : 0.75f) * (t & 2 ? 0.25f : 0.75f);
          float d = 0;
          for (int a = 0; a < features; ++a) {
            const float e = fb[size_t(a) * s.n() + p] - Fb[size_t(a) * cs.n() + at[t]];
            d += e * e;
          }
          apart[t] = d;
          kernel[t] = std::exp(-sb[p] * d);
          norm += share[t] * (kernel[t] + 1e-3f);
        }
        float mean[colors];
        for (int k = 0; k < colors; ++k) {
          mean[k] = 0;
          for (int t = 0; t < 4; ++t) mean[k] += share[t] * (kernel[t] + 1e-3f) * ob[size_t(k) * cs.n() + at[t]];
          mean[k] /= norm;
          if (forwards) out[(size_t(b) * colors + size_t(k)) * s.n() + p] = mean[k];
        }
        if (forwards) continue;
        for (int t = 0; t < 4; ++t) {
          float u = 0;
          for (int k = 0; k < colors; ++k) {
            const float gp = g[(size_t(b) * colors + size_t(k)) * s.n() + p] / norm;
            u += gp * (ob[size_t(k) * cs.n() + at[t]] - mean[k]);
            d_o[(size_t(b) * colors + size_t(k)) * cs.n() + at[t]] += share[t] * (kernel[t] + 1e-3f) * gp;
          }
          u *= share[t] * kernel[t];
          dsharpness[size_t(b) * s.n() + p] -= u * apart[t];
          u *= -2 * sb[p];
          for (int a = 0; a < features; ++a) {
            const float e = u * (fb[size_t(a) * s.n() + p] - Fb[size_t(a) * cs.n() + at[t]]);
            df[(size_t(b) * features + size_t(a)) * s.n() + p] += e;
            dcoarse_f[(size_t(b) * features + size_t(a)) * cs.n() + at[t]] -= e;
          }
        }
      }
  }
}
void rise_forward(int images, int h, int w, const float* f, const float* sharpness, const float* coarse_f,
                  const float* o, float* out) {
  rise(true, images, h, w, f, sharpness, coarse_f, o, out, nullptr, nullptr, nullptr, nullptr, nullptr);
}
// Adds to the derivatives, which begin at 0.
void rise_backward(int images, int h, int w, const float* f, const float* sharpness, const float* coarse_f,
                   const float* o, const float* g, float* df, float* dsharpness, float* dcoarse_f, float* d_o) {
  rise(false, images, h, w, f, sharpness, coarse_f, o, nullptr, g, df, dsharpness, dcoarse_f, d_o);
}

} // extern "C"
