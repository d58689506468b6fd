"""The networks: plain convolutions that add detail to a bicubic enlargement, and their export to ONNX."""
import numpy as np
import onnx
import torch
from onnx import TensorProto, helper, numpy_helper
from torch import nn

# Catmull-Rom weights (a = -0.5) of the five neighbours for the two phases of a 2x enlargement, at distances of a quarter pixel.
_phase = np.array([-0.0234375, 0.2265625, 0.8671875, -0.0703125, 0.0])
PHASES = np.stack([_phase, _phase[::-1]])


def skip_weights(scale):
    """Fixed weights of the plain enlargement: (3 * scale ** 2, 1, 5, 5), channels in groups of their colour."""
    if scale == 1:
        centre = np.zeros((5, 5))
        centre[2, 2] = 1
        return np.stack([centre[None]] * 3)
    kernels = [np.outer(PHASES[y], PHASES[x])[None] for y in range(2) for x in range(2)]
    return np.stack(kernels * 3)


class Network(nn.Module):
    """Small RGB picture (values 0 to 1) to one `scale` times as large."""

    def __init__(self, features, layers, scale):
        super().__init__()
        self.scale = scale
        widths = [3] + [features] * (layers - 1) + [3 * scale * scale]
        self.convolutions = nn.ModuleList(nn.Conv2d(i, o, 3, padding=1) for i, o in zip(widths, widths[1:]))
        # The usual start of convolutions shrinks the signal at every ReLU; through eight of them nothing is left to learn from.
        for convolution in self.convolutions:
            nn.init.kaiming_normal_(convolution.weight, nonlinearity='relu')
            nn.init.zeros_(convolution.bias)
        with torch.no_grad():
            self.convolutions[-1].weight.mul_(0.1)
        self.register_buffer('skip', torch.tensor(skip_weights(scale), dtype=torch.float32))

    def forward(self, picture):
        x = picture
        for convolution in self.convolutions[:-1]:
            x = torch.relu(convolution(x))
        x = self.convolutions[-1](x)
        plain = nn.functional.conv2d(nn.functional.pad(picture, (2, 2, 2, 2), mode='replicate'), self.skip, groups=3)
        x = x + plain
        return nn.functional.pixel_shuffle(x, self.scale) if self.scale > 1 else x


def load(network, path):
    """Takes weights from a checkpoint (.pt), or back from what `export` wrote (.onnx), which is how training goes on from a network that ships."""
    if not path.endswith('.onnx'):
        network.load_state_dict(torch.load(path))
        return
    weights = {entry.name: torch.tensor(numpy_helper.to_array(entry)) for entry in onnx.load(path).graph.initializer}
    last = len(network.convolutions) - 1
    order = channel_order(network.scale)
    with torch.no_grad():
        for index, convolution in enumerate(network.convolutions):
            weight, bias = weights[f'w{index}'], weights[f'b{index}']
            if index == last:
                convolution.weight[order], convolution.bias[order] = weight / 255, bias / 255
            else:
                convolution.weight.copy_(weight * 255 if index == 0 else weight)
                convolution.bias.copy_(bias)


def channel_order(scale):
    """Channels of a result in the order of their place in memory: row, column, colour."""
    return [colour * scale * scale + place for place in range(scale * scale) for colour in range(3)]


def export(network, path):
    """
    Writes a network as ONNX: uint8 RGB (1, height, width, 3) of any size in, the lines of the large picture out, and the part of the learned detail that is
    added (0 to 1). The scaling of values is folded into the first and last weights. Built by hand, so that the graph holds nothing else.
    """
    scale = network.scale
    layers = [(c.weight.detach().numpy().copy(), c.bias.detach().numpy().copy()) for c in network.convolutions]
    layers[0] = (layers[0][0] / 255, layers[0][1])
    layers[-1] = (layers[-1][0] * 255, layers[-1][1] * 255)
    # The fixed weights are spread over all three colours, which the runtime does faster than groups.
    order = channel_order(scale)
    layers[-1] = (layers[-1][0][order], layers[-1][1][order])
    fixed = skip_weights(scale)
    dense = np.zeros((3 * scale * scale, 3, 5, 5))
    for channel in range(3 * scale * scale):
        dense[channel, channel // (scale * scale)] = fixed[channel, 0]
    dense = dense[order]
    weights, nodes = [], []

    def constant(name, value, kind=np.float32):
        weights.append(numpy_helper.from_array(np.asarray(value, dtype=kind), name))
        return name

    def node(operation, inputs, output, **attributes):
        nodes.append(helper.make_node(operation, inputs, [output], **attributes))
        return output

    planes = node('Transpose', [node('Cast', ['small'], 'floats', to=TensorProto.FLOAT)], 'planes', perm=[0, 3, 1, 2])
    x = planes
    for index, (weight, bias) in enumerate(layers):
        x = node('Conv', [x, constant(f'w{index}', weight), constant(f'b{index}', bias)], f'c{index}', pads=[1, 1, 1, 1])
        if index < len(layers) - 1:
            x = node('Relu', [x], f'r{index}')
    x = node('Mul', [x, 'strength'], 'detail')
    padded = node('Pad', [planes, constant('margins', [0, 0, 2, 2, 0, 0, 2, 2], np.int64)], 'padded', mode='edge')
    # Half a code is added so that the cut to whole codes rounds.
    plain = node('Conv', [padded, constant('skip', dense), constant('half', np.full(len(dense), 0.5))], 'plain')
    x = node('Clip', [node('Add', [x, plain], 'sum'), constant('low', 0), constant('high', 255)], 'clipped')
    x = node('Transpose', [node('Cast', [x], 'codes', to=TensorProto.UINT8)], 'pixels', perm=[0, 2, 3, 1])
    if scale > 1:
        # (height, width, row, column and colour) to (height, row, width, column and colour): lines of the large picture one after another.
        x = node('Transpose', [node('Reshape', [x, constant('blocks', [0, 0, 0, scale, 3 * scale], np.int64)], 'blocked')], 'lines', perm=[0, 1, 3, 2, 4])
    nodes[-1].output[0] = 'large'
    graph = helper.make_graph(
        nodes, 'network',
        [helper.make_tensor_value_info('small', TensorProto.UINT8, [1, 'height', 'width', 3]), helper.make_tensor_value_info('strength', TensorProto.FLOAT, [1])],
        [helper.make_tensor_value_info('large', TensorProto.UINT8, [1, 'height', scale, 'width', 3 * scale] if scale > 1 else [1, 'height', 'width', 3])], weights)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid('', 13)], producer_name='hematine')
    model.ir_version = 8
    onnx.checker.check_model(model)
    onnx.save(model, path)
