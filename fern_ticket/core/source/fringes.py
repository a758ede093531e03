"""Colour fringes: bring red and blue to the size of green, as the lens did not."""

from __future__ import annotations

import math

import cv2
import numpy as np
from pydantic import Field

from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.pyramid import Source, level_box
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.source.operation import Altered, Keep, Opener, SourceOperation


class Fringes(Parameters):
    red: float = Field(default=0.0, ge=-12, le=12, description="Source pixels, outward, at the corners.")
    blue: float = Field(default=0.0, ge=-12, le=12, description="Source pixels, outward, at the corners.")


class Defringed(Altered):
    """A source whose red and blue are scaled about the middle of the picture."""

    def __init__(self, base: Source, params: Fringes) -> None:
        super().__init__(base)
        half = math.hypot(*base.size) / 2
        self._scales = (1 + params.red / half, 1.0, 1 + params.blue / half)

    def read(self, level: int, box: Box) -> Pixels:
        width, height = self.size
        middle = (width / 2 / 2**level, height / 2 / 2**level)
        reach = 3 + max(math.ceil(abs(scale - 1) * max(middle)) for scale in self._scales)
        wide = box.grown(reach).within(level_box(self.size, level))
        pixels = self.base.read(level, wide)
        inside = box.relative_to(wide)
        out = pixels[inside.rows, inside.columns].copy()
        for channel, scale in enumerate(self._scales):
            if scale == 1:
                continue
            # a channel that moves outward takes its values from farther in
            k = 1 / scale
            across = k * (box.left + 0.5 - middle[0]) + middle[0] - 0.5 - wide.left
            down = k * (box.top + 0.5 - middle[1]) + middle[1] - 0.5 - wide.top
            warp = np.array([[k, 0, across], [0, k, down]])
            out[..., channel] = cv2.warpAffine(
                np.ascontiguousarray(pixels[..., channel]),
                warp,
                (box.width, box.height),
                flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                borderMode=cv2.BORDER_REPLICATE,
            )
        return out


def alter(params: Fringes, base: Source, _: Opener, __: Keep) -> Source:
    return Defringed(base, params) if params.red or params.blue else base


OPERATION = SourceOperation(
    name="fringes",
    title="Colour fringes",
    summary="Scales red and blue about the middle, against lateral colour fringes of the lens.",
    parameters=Fringes,
    alter=alter,
    proposed=True,
    controls=(
        Ruler("red", "px", 0.1, low=-8, high=8, name="red fringe"),
        Ruler("blue", "px", 0.1, low=-8, high=8, name="blue fringe"),
    ),
    example={"red": 1.0},
    group="Source",
    rank=30,
)
