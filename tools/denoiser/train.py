#!/usr/bin/env python3
"""Trains the denoiser's network on films of ilumbra-denoiser-films and writes its weights. See README.md.

    train.py FILMS WEIGHTS [--minutes 60] [--threads 2] [--seed 1] [--start WEIGHTS.state] [--check]
"""
import argparse
import glob
import os
import time

import numpy
import torch

import network

HELD_OUT = 6  # the first scenes, with a film of many samples for reference


def read(path):
    """Entries of a scene: (samples, planes [23,H,W])."""
    data = numpy.fromfile(path, dtype=numpy.float32)
    height, width = 128, 192
    size = 1 + network.RAW_PLANES * height * width
    return [(int(data[i]), torch.from_numpy(data[i + 1:i + size].reshape(network.RAW_PLANES, height, width).copy()))
            for i in range(0, len(data), size)]


class Scene:
    """What training reads of a scene: inputs, light and albedo at each number of samples, light in units of its mean."""

    def __init__(self, path):
        self.name = os.path.basename(path)
        self.entries = []
        for samples, raw in read(path):
            raw = torch.where(torch.isfinite(raw) | (torch.arange(network.RAW_PLANES).view(-1, 1, 1) < 6), raw, torch.zeros(()))
            inputs, light, albedo, mean = network.inputs_of(raw, samples)
            variance = raw[3:6].mean(0) / mean ** 2
            self.entries.append((samples, inputs.half(), light, albedo.half(), mean, variance.half()))

    def pair(self, which):
        """An entry to clean and one of independent chance to come near to, in its units, and the latter's expected
        variance by the former's film."""
        entry = self.entries[which]
        goal = self.entries[5 if which == 6 else 6]
        last = self.entries[6 if which == 6 else 5]
        expected = last[5].float() * (last[0] / goal[0]) * (last[4] / entry[4]) ** 2
        return entry, goal[2] * (goal[4] / entry[4]), expected


def batch_of(scenes, random, count, size):
    made = []
    for _ in range(count):
        scene = scenes[random.integers(len(scenes))]
        entry, goal, expected = scene.pair(random.choice(7, p=(0.06, 0.08, 0.1, 0.14, 0.19, 0.22, 0.21)))
        _, inputs, light, albedo, _, _ = entry
        _, h, w = light.shape
        y, x = random.integers((h - size) // 16 + 1) * 16, random.integers((w - size) // 16 + 1) * 16
        cut = lambda t: t[..., y:y + size, x:x + size].float()
        parts = [cut(t) for t in (inputs, light, albedo, goal, expected[None])]
        # Colours change places; the picture is turned and mirrored.
        order = torch.from_numpy(random.permutation(3))
        parts[0] = torch.cat([parts[0][:3][order], parts[0][3:5], parts[0][5:8][order], parts[0][8:]], 0)
        parts[1], parts[2], parts[3] = (parts[i][order] for i in (1, 2, 3))
        turns, flip = int(random.integers(4)), bool(random.integers(2))
        parts = [torch.rot90(p, turns, (1, 2)) for p in parts]
        if flip:
            parts = [p.flip(2) for p in parts]
        made.append(parts)
    return [torch.stack(p) for p in zip(*made)]


LUMINANCE = torch.tensor([0.2722287, 0.6740818, 0.0536895]).view(1, 3, 1, 1)


def held_back(e, scale):
    """Squares of e relative to scale (both squared outside), growing linearly beyond three times it: one firefly of a
    goal is not to steer a step."""
    ratio = e.abs() / scale.sqrt()
    return torch.where(ratio < 3, ratio * ratio, 6 * ratio - 9)


def loss_of(out, goal, expected):
    """Squared error relative to what is there, at four scales and of slopes. The goal is noisy: nothing that divides
    may know its noise, or the mean of many goals is not what is learnt (Lehtinen and others 2018)."""
    pool = torch.nn.functional.avg_pool2d
    with torch.no_grad():
        around = pool(goal, 9, 1, 4, count_include_pad=False)
        there = (0.5 * ((out.clamp(min=0) + around) * LUMINANCE).sum(1, keepdim=True)) ** 2 + 2.5e-3
        noise = pool(torch.nan_to_num(expected, 0, 1e4, 0).clamp(max=1e4), 5, 1, 2, count_include_pad=False)
    error, total = out - goal, 0
    for scale, share in ((1, 1.0), (2, 0.5), (4, 0.5), (8, 0.5)):
        e, t, n = error, there, noise / scale ** 2
        if scale > 1:
            e, t, n = pool(e, scale), pool(t, scale), pool(n, scale)
        total = total + share * held_back(e, t + 2 * n).mean()
    for d in (2, 3):
        e = error.narrow(d, 1, error.shape[d] - 1) - error.narrow(d, 0, error.shape[d] - 1)
        t = 0.5 * (there.narrow(d, 1, error.shape[d] - 1) + there.narrow(d, 0, error.shape[d] - 1))
        n = 0.5 * (noise.narrow(d, 1, error.shape[d] - 1) + noise.narrow(d, 0, error.shape[d] - 1))
        total = total + 0.25 * held_back(e, t + 4 * n).mean()
    return total


def relative(a, truth):
    """As bench/quality has it, without the worst thousandth."""
    e = ((a - truth) ** 2).mean(0) / ((truth * LUMINANCE[0]).sum(0) ** 2 + 2.5e-3)
    e = e.flatten().sort()[0]
    return float(e[:len(e) - len(e) // 1000].mean())


def check(model, held):
    """By number of samples: geometric mean over the scenes held out of the error denoised / raw, and of the light."""
    rows = []
    with torch.no_grad():
        for which in range(7):
            ratios, light = [], []
            for scene in held:
                samples, inputs, noisy, albedo, mean, _ = scene.entries[which]
                truth = scene.entries[7][2] * (scene.entries[7][4] / mean)
                out = network.apply(model(inputs[None].float()), albedo[None].float(), noisy[None])[0]
                ratios.append(relative(out, truth) / relative(noisy, truth))
                light.append(float(out.mean() / noisy.mean()))
            rows.append("%d: %.3f (light %.3f)" % (samples, numpy.exp(numpy.mean(numpy.log(ratios))), numpy.mean(light)))
    return "  ".join(rows)


def check_denoised(held, folder):
    """The same of pictures that ilumbra-denoiser-films --denoised wrote."""
    rows = []
    for which in range(6):
        ratios = []
        for scene in held:
            path = os.path.join(folder, scene.name.replace(".films", ".denoised"))
            out = torch.from_numpy(numpy.fromfile(path, dtype=numpy.float32).reshape(6, 3, 128, 192)[which])
            samples, _, noisy, _, mean, _ = scene.entries[which]
            truth = scene.entries[7][2] * (scene.entries[7][4] / mean)
            ratios.append(relative(out / mean, truth) / relative(noisy, truth))
        rows.append("%d: %.3f (worst %.3f)" % (samples, numpy.exp(numpy.mean(numpy.log(ratios))), max(ratios)))
    return "  ".join(rows)


def save(model, path):
    """Half floats, in the order of the modules, each with its bias after it."""
    numbers = numpy.concatenate([p.detach().numpy().flatten() for p in model.parameters()])
    numbers.astype("<f2").tofile(path)


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("films")
    parser.add_argument("weights")
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--threads", type=int, default=2)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--start")
    parser.add_argument("--rate", type=float, default=1e-3)
    parser.add_argument("--check", action="store_true", help="only how good WEIGHTS.state is")
    parser.add_argument("--denoised", help="only how good the pictures of ilumbra-denoiser-films --denoised in a folder are")
    args = parser.parse_args()
    torch.set_num_threads(args.threads)
    torch.manual_seed(args.seed)
    random = numpy.random.default_rng(args.seed)
    held = [Scene(os.path.join(args.films, "%04d.films" % i)) for i in range(HELD_OUT)]
    if args.denoised:
        print(check_denoised(held, args.denoised))
        return
    model = network.Network()
    average = network.Network()
    print("numbers:", sum(p.numel() for p in model.parameters()), flush=True)
    if args.start or args.check:
        model.load_state_dict(torch.load(args.start or args.weights + ".state"))
    average.load_state_dict(model.state_dict())
    if args.check:
        print(check(model, held))
        save(model, args.weights)
        return
    read_in, scenes = set(), []

    def read_more():  # films may still be rendered beside it
        for path in sorted(glob.glob(os.path.join(args.films, "*.films"))):
            if path not in read_in and int(os.path.basename(path)[:4]) >= HELD_OUT:
                read_in.add(path)
                scenes.append(Scene(path))
        print("scenes:", len(scenes), flush=True)

    read_more()
    optimizer = torch.optim.Adam(model.parameters(), lr=args.rate, betas=(0.9, 0.99))
    start, step, recent, told = time.time(), 0, [], 0
    while time.time() - start < 60 * args.minutes:
        done = (time.time() - start) / (60 * args.minutes)
        rate = args.rate * min(1, (step + 1) / 100) * (0.5 + 0.5 * numpy.cos(numpy.pi * done) + 0.01)
        for group in optimizer.param_groups:
            group["lr"] = rate
        inputs, light, albedo, goal, expected = batch_of(scenes, random, 8, 96)
        loss = loss_of(network.apply(model(inputs), albedo, light), goal, expected)
        optimizer.zero_grad()
        loss.backward()
        norm = torch.nn.utils.clip_grad_norm_(model.parameters(), 1.0)
        if torch.isfinite(norm):
            optimizer.step()
        with torch.no_grad():
            keep = min(0.999, step / (step + 10))
            for a, p in zip(average.parameters(), model.parameters()):
                a.mul_(keep).add_(p, alpha=1 - keep)
        step += 1
        recent.append(float(loss))
        if time.time() - start > told:
            told += 150
            read_more()
            print("%5.0f s, step %d, loss %.4f | %s" % (time.time() - start, step, numpy.mean(recent), check(average, held)), flush=True)
            recent = []
            torch.save(average.state_dict(), args.weights + ".state")
            save(average, args.weights)
    torch.save(average.state_dict(), args.weights + ".state")
    save(average, args.weights)
    print(check(average, held))


if __name__ == "__main__":
    main()
