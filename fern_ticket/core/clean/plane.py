"""Plane: a floor, wall or roof by its four corners, in which other steps work. It changes no pixel."""

from __future__ import annotations

from pydantic import Field

from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.repair import CleanOperation, Ground
from fern_ticket.core.ledger.charts import CornersChart, FourCorners, ViewChart
from fern_ticket.core.ledger.masks import Mask
from fern_ticket.core.ledger.operation import Parameters
from fern_ticket.core.pictures.regions import NOWHERE


class Plane(Parameters):
    corners: FourCorners = Field(
        description="Upper left, upper right, lower right, lower left: source pixels, or those of the view."
    )
    view: ViewChart | None = Field(default=None, description="The view into a panorama in which they were set.")
    focal: float | None = Field(
        default=None,
        gt=0,
        le=1e7,
        description="Focal length of the lens, source pixels, which tells the plane's shape; the camera's by itself.",
    )
    name: str = Field(default="", max_length=40)


def settle(params: Plane, mask: Mask | None, ground: Ground) -> tuple[Plane, Mask | None]:
    """With the lens that the photo names."""
    if params.focal is not None or params.view is not None:
        return params, mask
    return params.model_copy(update={"focal": ground.focal}), mask


OPERATION = CleanOperation(
    name="plane",
    title="Plane",
    summary="Names a plane of the scene by four corners, for steps that work in it.",
    parameters=Plane,
    covers=lambda *_: NOWHERE,
    limit=lambda *_: Limits(),
    plane=lambda params: CornersChart(corners=params.corners, view=params.view, focal=params.focal),
    settle=settle,
    everywhere=True,
    alters=False,
    elsewhere=lambda _: None,
    gesture="corners",
    example={"corners": [[20, 20], [80, 24], [90, 90], [10, 80]]},
    rank=128,
    label=lambda params: params.name or "Plane",
    how="Set four corners of something rectangular that lies in it.",
)
