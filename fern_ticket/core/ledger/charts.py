"""Where a repair works, as a step says it: a plane of the scene by four corners, or a view into a flat panorama."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag, field_validator

from fern_ticket.core.ledger.masks import Coordinate
from fern_ticket.core.pictures.perspective import is_outline

Corner = tuple[Coordinate, Coordinate]


class _Chart(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    def key(self) -> str:
        return self.model_dump_json()


class CornersChart(_Chart):
    """A plane of the scene, on which four corners make a rectangle.

    Attributes
    ----------
    corners
        Source pixels: upper left, upper right, lower right, lower left.
    """

    kind: Literal["corners"] = "corners"
    corners: tuple[Corner, Corner, Corner, Corner]

    @field_validator("corners")
    @classmethod
    def _goes_round(cls, corners: tuple[Corner, Corner, Corner, Corner]) -> tuple[Corner, Corner, Corner, Corner]:
        if not is_outline(corners):
            raise ValueError("the corners cross, or make no four-sided outline: go round from the upper left")
        return corners


class ViewChart(_Chart):
    """A view into a flat 2:1 panorama.

    Attributes
    ----------
    heading
        Degrees to the right of the picture's middle.
    pitch
        Degrees upward from the horizon.
    field
        Degrees across the view's width.
    size
        Width and height of the view, pixels.
    """

    kind: Literal["view"] = "view"
    heading: float = Field(default=0.0, ge=-360, le=360)
    pitch: float = Field(default=0.0, ge=-90, le=90)
    field: float = Field(default=90.0, gt=0, le=150)
    size: tuple[Annotated[int, Field(ge=16, le=8192)], Annotated[int, Field(ge=16, le=8192)]] = (1400, 1400)


def _kind(raw: object) -> str | None:
    """Which chart a JSON object means; the kind may be left out, as the fields tell."""
    if isinstance(raw, dict):
        return str(raw.get("kind") or ("corners" if "corners" in raw else "view"))
    return getattr(raw, "kind", None)


ChartSpec = Annotated[Annotated[CornersChart, Tag("corners")] | Annotated[ViewChart, Tag("view")], Discriminator(_kind)]
