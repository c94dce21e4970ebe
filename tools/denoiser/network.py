"""The network that says kernels, and their application, as core/film/ has them in C++.

At five scales, each of half the size of the one before, every pixel has eight features, a sharpness and a trust; a
neighbour weighs exp(trust - sharpness |difference of features|^2) (Isik and others 2021, "Interactive Monte Carlo
Denoising using Affinity of Neural Features"). The scales meet from coarse to fine, by a share that each pixel says.
"""
import ctypes
import os
import subprocess

import torch
from torch import nn
from torch.nn import functional as F

SCALES, FEATURES = 5, 8
RAW_PLANES, INPUTS = 23, 18
WIDTHS = (16, 32, 48, 48, 48)


def load_filters():
    here = os.path.dirname(os.path.abspath(__file__))
    library = os.path.join(os.environ.get("ILUMBRA_TRAINING", "/tmp"), "denoiser-filters.so")
    source = os.path.join(here, "filters.cpp")
    if not os.path.exists(library) or os.path.getmtime(library) < os.path.getmtime(source):
        subprocess.check_call(["c++", "-O3", "-march=native", "-ffast-math", "-fopenmp", "-shared", "-fPIC", source, "-o", library])
    return ctypes.CDLL(library)


filters = load_filters()


def _pointers(*tensors):
    return [ctypes.c_void_p(t.data_ptr()) for t in tensors]


class Affinity(torch.autograd.Function):
    """Weighted means over 5 x 5 neighbours: f [B,8,H,W], sharpness and trust [B,1,H,W], x [B,3,H,W]."""

    @staticmethod
    def forward(ctx, f, sharpness, trust, x):
        f, sharpness, trust, x = (t.contiguous() for t in (f, sharpness, trust, x))
        out, norm = torch.empty_like(x), torch.empty_like(trust)
        b, _, h, w = x.shape
        filters.affinity_forward(b, h, w, *_pointers(f, sharpness, trust, x, out, norm))
        ctx.save_for_backward(f, sharpness, trust, x, out, norm)
        return out

    @staticmethod
    def backward(ctx, g):
        f, sharpness, trust, x, out, norm = ctx.saved_tensors
        g = g.contiguous()
        made = [torch.empty_like(t) for t in (f, sharpness, trust, x)]
        b, _, h, w = x.shape
        filters.affinity_backward(b, h, w, *_pointers(f, sharpness, trust, x, out, norm, g, *made))
        return tuple(made)


class Rise(torch.autograd.Function):
    """The coarser picture o [B,3,H/2,W/2] at the finer one's pixels, by how alike features are."""

    @staticmethod
    def forward(ctx, f, sharpness, coarse_f, o):
        f, sharpness, coarse_f, o = (t.contiguous() for t in (f, sharpness, coarse_f, o))
        b, _, h, w = f.shape
        out = torch.empty((b, 3, h, w))
        filters.rise_forward(b, h, w, *_pointers(f, sharpness, coarse_f, o, out))
        ctx.save_for_backward(f, sharpness, coarse_f, o)
        return out

    @staticmethod
    def backward(ctx, g):
        f, sharpness, coarse_f, o = ctx.saved_tensors
        g = g.contiguous()
        made = [torch.zeros_like(t) for t in (f, sharpness, coarse_f, o)]
        b, _, h, w = f.shape
        filters.rise_backward(b, h, w, *_pointers(f, sharpness, coarse_f, o, g, *made))
        return tuple(made)


def inputs_of(raw, samples):
    """The network's inputs [18,H,W], the light [3,H,W] by the picture's mean, and the albedo, of a film's planes."""
    total, variance, half = raw[0:3], raw[3:6], raw[6:9]
    seen_albedo, seen_normal, albedo, normal = raw[9:12], raw[12:15], raw[15:18], raw[18:21]
    depth, alpha = raw[21], raw[22]
    weights = torch.tensor([0.2722287, 0.6740818, 0.0536895]).view(3, 1, 1)
    lum = lambda c: (c * weights).sum(0)
    mean = max(float(lum(total).mean()), 1e-12)
    light = total / mean
    error = torch.sqrt(lum(torch.where(torch.isfinite(variance), variance, total * total))) / mean
    differs = lum(half.abs()) / mean
    tone = lambda v: torch.log(v.clamp(min=0) + 1e-3) * 0.25
    hit = depth > 0
    far = float(depth[hit].mean()) if bool(hit.any()) else 1.0
    distance = torch.where(hit, (torch.log2(depth.clamp(min=1e-6) / far) * 0.3).clamp(-2, 2), torch.full_like(depth, 2.0))
    planes = [tone(light), tone(error)[None], tone(differs)[None], seen_albedo, seen_normal, lum(albedo)[None], normal,
              distance[None], alpha[None], torch.full_like(alpha, torch.log2(torch.tensor(float(samples))) / 6)[None]]
    return torch.cat(planes, 0), light, seen_albedo, mean


class Network(nn.Module):
    def __init__(self):
        super().__init__()
        w0, w1, w2, w3, w4 = WIDTHS
        one = lambda a, b: nn.Conv2d(a, b, 1)
        three = lambda a, b: nn.Conv2d(a, b, 3, padding=1)
        self.enter = one(INPUTS, w0)
        self.fold = one(4 * w0, w1)
        self.down1 = three(w1, w1)
        self.down2, self.down2b = three(w1, w2), three(w2, w2)
        self.down3 = three(w2, w3)
        self.down4, self.down4b = three(w3, w4), three(w4, w4)
        self.join3, self.up3 = one(w4 + w3, w3), three(w3, w3)
        self.join2, self.up2 = one(w3 + w2, w2), three(w2, w2)
        self.join1, self.up1 = one(w2 + w1, w1), three(w1, w1)
        self.join0 = one(w1 + w0, w0)
        # Features, sharpness, trust and share of the coarser scale; at the finest how far albedo is divided out.
        self.says = nn.ModuleList([one(w, FEATURES + (4 if s == 0 else 3)) for s, w in enumerate(WIDTHS)])

        for say in self.says:  # to begin with, little of what is far away
            nn.init.constant_(say.bias[FEATURES + 2:FEATURES + 3], -1.5)

    def forward(self, x):
        twice = lambda t: F.interpolate(t, scale_factor=2, mode="nearest")
        e0 = F.relu(self.enter(x))
        e1 = F.relu(self.down1(F.relu(self.fold(F.pixel_unshuffle(e0, 2)))))
        e2 = F.relu(self.down2b(F.relu(self.down2(F.avg_pool2d(e1, 2)))))
        e3 = F.relu(self.down3(F.avg_pool2d(e2, 2)))
        e4 = F.relu(self.down4b(F.relu(self.down4(F.avg_pool2d(e3, 2)))))
        d3 = F.relu(self.up3(F.relu(self.join3(torch.cat([twice(e4), e3], 1)))))
        d2 = F.relu(self.up2(F.relu(self.join2(torch.cat([twice(d3), e2], 1)))))
        d1 = F.relu(self.up1(F.relu(self.join1(torch.cat([twice(d2), e1], 1)))))
        smooth = F.interpolate(d1, scale_factor=2, mode="bilinear", align_corners=False)
        d0 = F.relu(self.join0(torch.cat([smooth, e0], 1)))
        return [say(d) for say, d in zip(self.says, (d0, d1, d2, d3, e4))]


def apply(said, albedo, layer):
    """The kernels on a layer [B,3,H,W]."""
    f, sharpness, trust, share = [], [], [], []
    for s in said:
        f.append(s[:, :FEATURES])
        sharpness.append(torch.exp(s[:, FEATURES:FEATURES + 1].clamp(-6, 6)))
        trust.append(-6 * torch.sigmoid(s[:, FEATURES + 1:FEATURES + 2] - 2))
        share.append(torch.sigmoid(s[:, FEATURES + 2:FEATURES + 3]))
    divided = torch.sigmoid(said[0][:, FEATURES + 3:FEATURES + 4])
    divisor = 1 - divided + divided * (albedo + 0.02)
    x = [layer / divisor]
    for s in range(1, SCALES):
        weight = torch.exp(trust[s - 1])
        x.append(F.avg_pool2d(weight * x[-1], 2) / F.avg_pool2d(weight, 2))
    out = None
    for s in reversed(range(SCALES)):
        clean = Affinity.apply(f[s], sharpness[s], trust[s], x[s])
        if out is not None:
            risen = Rise.apply(f[s], sharpness[s], F.avg_pool2d(f[s], 2), out)
            clean = clean + share[s] * (risen - clean)
        out = clean
    return out * divisor
