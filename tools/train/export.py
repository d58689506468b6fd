#!/usr/bin/env python3
"""Writes a checkpoint of train.py as ONNX. Usage: export.py CHECKPOINT.pt FEATURES LAYERS SCALE OUTPUT.onnx"""
import sys

import torch

from network import Network, export

checkpoint, features, layers, scale, output = sys.argv[1:]
network = Network(int(features), int(layers), int(scale))
network.load_state_dict(torch.load(checkpoint))
export(network, output)
