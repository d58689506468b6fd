#!/usr/bin/env python3
"""
Trains one network on a set made by prepare.ts and writes it as ONNX.
Usage: train.py SETS SET FEATURES LAYERS STEPS OUTPUT.onnx [--from CHECKPOINT.pt or NETWORK.onnx] [--seed NUMBER]
Needs Debian's python3-torch and python3-onnx. One thread; start several for several networks.
"""
import argparse
import json
import math
import os
import time

import numpy as np
import torch

from network import Network, export, load

arguments = argparse.ArgumentParser()
arguments.add_argument('sets')
arguments.add_argument('set')
arguments.add_argument('features', type=int)
arguments.add_argument('layers', type=int)
arguments.add_argument('steps', type=int)
arguments.add_argument('output')
arguments.add_argument('--from', dest='begin')
arguments.add_argument('--seed', type=int, default=1)
arguments = arguments.parse_args()

torch.set_num_threads(1)
torch.manual_seed(1)
random = np.random.default_rng(arguments.seed)
about = json.load(open(os.path.join(arguments.sets, f'{arguments.set}.json')))
scale, side, patches = about['scale'], about['side'], about['patches']
small = np.memmap(os.path.join(arguments.sets, f'{arguments.set}.small'), np.uint8, 'r', shape=(patches, side, side, 3))
large = np.memmap(os.path.join(arguments.sets, f'{arguments.set}.large'), np.uint8, 'r', shape=(patches, side * scale, side * scale, 3))
crop, batch = 48, 16
# Convolutions at the rim of a patch see zeros instead of neighbours; there the loss does not look.
margin = min(8, arguments.layers)


def patch():
    at = random.integers(patches)
    x, y = random.integers(side - crop + 1, size=2)
    pair = [small[at, y:y + crop, x:x + crop], large[at, y * scale:(y + crop) * scale, x * scale:(x + crop) * scale]]
    turn, flip = random.integers(4), random.integers(2)
    pair = [np.rot90(part, turn) for part in pair]
    return [part[:, ::-1] if flip else part for part in pair]


def tensors():
    pairs = [patch() for _ in range(batch)]
    return [torch.from_numpy(np.stack([pair[side] for pair in pairs]).transpose(0, 3, 1, 2).astype(np.float32) / 255) for side in (0, 1)]


network = Network(arguments.features, arguments.layers, scale)
if arguments.begin:
    load(network, arguments.begin)
peak, last = (1.5e-3 if arguments.features <= 16 else 8e-4) * (0.6 if arguments.begin else 1), 1e-6
optimizer = torch.optim.Adam(network.parameters(), lr=peak)
warm = min(200, arguments.steps // 10)
begun, total = time.time(), 0.0
for step in range(1, arguments.steps + 1):
    rate = peak * step / warm if step < warm else last + (peak - last) * (1 + math.cos(math.pi * (step - warm) / (arguments.steps - warm))) / 2
    for group in optimizer.param_groups:
        group['lr'] = rate
    before, wanted = tensors()
    inner = slice(margin, -margin)
    inner_large = slice(margin * scale, -margin * scale)
    # Squares within a patch, as PSNR has them; between patches something nearer to PSNR's logarithm, so that smooth ones count beside rough ones.
    difference = network(before)[..., inner_large, inner_large] - wanted[..., inner_large, inner_large]
    loss = ((difference * difference).mean(dim=(1, 2, 3)) + 1e-6).pow(0.25).mean()
    optimizer.zero_grad()
    loss.backward()
    torch.nn.utils.clip_grad_norm_(network.parameters(), 1.0)
    optimizer.step()
    total += loss.item()
    if step % 250 == 0 or step == arguments.steps:
        print(f'{step} steps, loss {total / (step % 250 or 250):.5f}, {(time.time() - begun) / step * 1000:.0f} ms a step', flush=True)
        total = 0.0
        torch.save(network.state_dict(), arguments.output.replace('.onnx', '.pt'))
export(network, arguments.output)
