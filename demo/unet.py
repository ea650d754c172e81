"""The network that the finder's are taught as, and how it learns."""

import copy
from collections.abc import Callable
from itertools import pairwise

import numpy as np
import torch
from torch import Tensor, nn
from torch.nn import functional

from retouch.segment.net import Layer, Net
from retouch.types import Floats

RATE, DECAY, DROPPED, THREADS = 2e-3, 2e-2, 0.25, 2
"""Of AdamW; share of what is left out within."""
AVERAGE = 0.998
"""The model is the mean over its last steps, each step before counting by this much less."""


class Taught(nn.Module):
    """The network of :class:`retouch.segment.net.Net`, as it is taught."""

    def __init__(self, features: int, widths: tuple[int, ...], classes: int) -> None:
        super().__init__()
        self.first = nn.Conv2d(features + 1, widths[0], 1)
        self.down = nn.ModuleList([nn.Conv2d(widths[0], widths[0], 3, padding=1)])
        for above, wide in pairwise(widths):
            self.down += [nn.Conv2d(above, wide, 3, padding=1), nn.Conv2d(wide, wide, 3, padding=1)]
        self.up = nn.ModuleList(nn.Conv2d(wide + below, wide, 3, padding=1) for wide, below in pairwise(widths))
        self.last = nn.Conv2d(widths[0], classes, 1)

    def forward(self, maps: Tensor) -> Tensor:
        """Scores (n × classes × h × w) of features (n × f + 1 × h × w)."""
        sizes = [functional.relu(self.down[0](functional.relu(self.first(maps))))]
        for one, two in zip(self.down[1::2], self.down[2::2], strict=True):
            sizes.append(functional.relu(two(functional.relu(one(functional.avg_pool2d(sizes[-1], 2))))))
        out = functional.dropout2d(sizes.pop(), DROPPED, self.training)
        for layer in reversed(self.up):
            out = functional.relu(layer(torch.cat([sizes.pop(), functional.interpolate(out, scale_factor=2)], 1)))
        return self.last(out)

    def plain(self, mean: Floats, spread: Floats) -> Net:
        """As the application evaluates it."""

        def layer(of: nn.Module) -> Layer:
            weights = of.weight.detach().numpy()
            plain = weights[..., 0, 0].T if weights.shape[-1] == 1 else weights.transpose(2, 3, 1, 0)
            return np.ascontiguousarray(plain), of.bias.detach().numpy()

        return Net(mean, spread, layer(self.first), [*map(layer, self.down)], [*map(layer, self.up)], layer(self.last))


def learnt(
    net: Taught, batch: Callable[[], list[tuple[np.ndarray, ...]]], loss: Callable[..., Tensor], steps: int
) -> Taught:
    """The network after so many steps: each one's ``batch`` is of maps first and then what ``loss`` is told."""
    torch.set_num_threads(THREADS)
    net = net.to(memory_format=torch.channels_last)
    average = copy.deepcopy(net).eval()
    way = torch.optim.AdamW(net.parameters(), lr=RATE, weight_decay=DECAY)
    for step in range(steps):
        for group in way.param_groups:
            group["lr"] = RATE * min(1, step / 100 + 0.05) * (0.49 * (1 + np.cos(np.pi * step / steps)) + 0.02)
        maps, *told = (torch.from_numpy(np.stack(part)) for part in zip(*batch(), strict=True))
        now = loss(net(maps.contiguous(memory_format=torch.channels_last)), *told)
        way.zero_grad()
        now.backward()
        nn.utils.clip_grad_norm_(net.parameters(), 2.0)
        way.step()
        with torch.no_grad():
            for kept, new in zip(average.parameters(), net.parameters(), strict=True):
                kept.lerp_(new, 1 - min(AVERAGE, step / (step + 10)))
        if step % 250 == 0:
            print(f"step {step} of {steps}: {now.item():.3f}", flush=True)
    return average
