"""Soften texture: fine structure weaker, edges as they are, by a guided filter of the picture by itself.

He, Sun, Tang 2013, "Guided image filtering", doi:10.1109/TPAMI.2012.213.
"""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from pydantic import Field

from fern_ticket.core.balance.light import BalanceOperation, PixelFunction, Planes, Position, Surroundings
from fern_ticket.core.ledger.controls import Ruler
from fern_ticket.core.ledger.operation import Parameters


class SoftenTexture(Parameters):
    amount: float = Field(default=0.0, ge=0, le=100, description="Per cent of the texture that is taken off.")
    radius: float = Field(default=8, ge=1, le=100, description="Of what counts as texture, source pixels.")
    edges: float = Field(default=6, ge=1, le=30, description="Differences that count as edges and stay, % of white.")


def transform(params: SoftenTexture, _: Surroundings) -> PixelFunction | None:
    if not params.amount:
        return None
    return PixelFunction(partial(_work, params=params), encoded=True, reach=2 * params.radius + 2)


def _work(planes: Planes, place: Position, *, params: SoftenTexture) -> None:
    radius = round(params.radius * place.scale)
    if radius < 1:
        return
    smooth_by_edges(planes, radius, params.edges / 100, params.amount / 100)


def smooth_by_edges(planes: Planes, radius: int, edges: float, share: float) -> None:
    """Move encoded planes by a share toward themselves smoothed between edges, in place.

    Parameters
    ----------
    radius
        Of the windows, plane pixels.
    edges
        Deviation in a window from which on it holds an edge, 0-1.
    """
    # OpenCV takes covariances of colours for none where values are as small as 0-1
    values = np.ascontiguousarray(np.moveaxis(planes, 0, -1)) * np.float32(255)
    smooth = cv2.ximgproc.guidedFilter(values, values, radius, (255 * edges) ** 2)
    planes += np.float32(share) * (np.moveaxis(smooth, -1, 0) / np.float32(255) - planes)


OPERATION = BalanceOperation(
    name="soften_texture",
    title="Soften texture",
    summary="Takes fine structure off between edges, which stay.",
    parameters=SoftenTexture,
    transform=transform,
    rank=91,
    controls=(
        Ruler("amount", "%", name="soften texture"),
        Ruler("radius", "px", scale="logarithmic"),
        Ruler("edges", "%"),
    ),
    example={"amount": 60},
    group="Detail",
)
