"""What goes over the bench's socket. The page's types are made from these models.

From the page: `Look`, where it looks and perhaps a step under the hand, and `MeasureAgain`. To the page: frames,
binary, as a 4-byte big-endian length, a `FrameHead` as JSON of that length, and a JPEG; and as texts `SlipMessage`,
`BusyMessage` and `ProblemMessage`.
"""

from __future__ import annotations

import struct
from typing import Annotated, Any, Literal

from pydantic import BaseModel, Field, TypeAdapter
from pydantic.json_schema import models_json_schema

from fern_ticket.core.areas.showing import CoverLook
from fern_ticket.core.inspect.lamps import Lamp
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.slips.lines import Verdict

PlaneRows = tuple[float, float, float, float, float, float, float, float, float]
#: Left, top, width, height.
Rectangle = tuple[float, float, float, float]


class AroundAsked(BaseModel):
    """A view into a panorama, degrees: to the right of its middle, upward from its horizon, across the view's width."""

    heading: float = Field(ge=-360, le=360)
    pitch: float = Field(ge=-90, le=90)
    field: float = Field(ge=5, le=150)


class ViewAsked(BaseModel):
    """A window on the result, or with `whole` on the straightened picture with all that the crop leaves out.

    With `around` a view into a panorama instead; of the window only width and height count then.
    """

    left: float = Field(ge=-1e6, le=1e6)
    top: float = Field(ge=-1e6, le=1e6)
    scale: float = Field(gt=1e-4, le=32)
    width: int = Field(ge=1, le=4096)
    height: int = Field(ge=1, le=4096)
    whole: bool = False
    around: AroundAsked | None = None


class CoverShown(CoverLook):
    """A step whose cover is shown over the frame, and how."""

    step: str = Field(max_length=64)


class Look(BaseModel):
    """Where the page looks. The newest one counts: one that arrives while a frame is made replaces any that waits."""

    type: Literal["look"]
    serial: int
    revision: int
    view: ViewAsked
    draft: Step | None = Field(default=None, description="A step that is being dragged and not saved yet.")
    original: bool = False
    beside: bool = Field(default=False, description="Send the original first, as a frame of its own.")
    lamp: Lamp | None = None
    cover: CoverShown | None = None
    fine: bool = True
    surround: int = Field(default=0x77, ge=0, le=255)


class MeasureAgain(BaseModel):
    """Something was said of the photo that no pixel tells."""

    type: Literal["measure"]


Asked = Annotated[Look | MeasureAgain, Field(discriminator="type")]
asked: TypeAdapter[Look | MeasureAgain] = TypeAdapter(Asked)


class PrintSize(BaseModel):
    """A print size in inches that the crop serves as it is."""

    across: float
    down: float
    ppi: int


class Milliseconds(BaseModel):
    render: float
    encode: float


class FrameHead(BaseModel):
    """What is said of a frame.

    `crop`, and `room`, the largest rectangle without a blank corner, lie in the straightened picture, whose size before
    it was turned by `angle` is `turned`. `drawn`: lines of steps that are drawn, by step and name. `turn`: by rows,
    what takes directions in a turned panorama to those in the photo's own. `planes`: of the scene, by their steps; what
    takes places in each, in true proportion, to those that its corners were set in.
    """

    serial: int
    revision: int
    draft: bool
    fine: bool
    original: bool
    beside: bool
    cover: str | None
    lamp: Lamp | None
    view: ViewAsked
    size: tuple[int, int]
    crop: Rectangle
    room: Rectangle
    turned: tuple[float, float]
    angle: float
    to_source: PlaneRows
    level_to_source: PlaneRows
    turn: PlaneRows | None
    prints: list[PrintSize]
    drawn: dict[str, dict[str, list[float]]]
    planes: dict[str, PlaneRows]
    milliseconds: Milliseconds


class NeutralMark(BaseModel):
    """A place that should be neutral, and the cast that is left there, ΔE 2000."""

    x: float
    y: float
    size: float
    cast: float


class SlipMessage(BaseModel):
    """How the slip's lines stand, and what was measured with them."""

    type: Literal["slip"] = "slip"
    verdicts: list[Verdict]
    neutrals: list[NeutralMark]
    histogram: list[list[int]]


class BusyMessage(BaseModel):
    """Repairs that are made in the background, and the share of each that is done."""

    type: Literal["busy"] = "busy"
    steps: dict[str, float]


class ProblemMessage(BaseModel):
    """What went wrong; with the number of the look that gets no frame for it."""

    type: Literal["problem"] = "problem"
    sentence: str
    hint: str
    serial: int | None = None


def frame_bytes(head: FrameHead, jpeg: bytes) -> bytes:
    """A frame as it is sent."""
    text = head.model_dump_json().encode()
    return struct.pack(">I", len(text)) + text + jpeg


def message_schemas() -> dict[str, Any]:
    """JSON schemas of all messages, by name, for the page's types."""
    models = (Look, MeasureAgain, FrameHead, SlipMessage, BusyMessage, ProblemMessage)
    _, found = models_json_schema(
        [(model, "validation" if model in (Look, MeasureAgain) else "serialization") for model in models],
        ref_template="#/components/schemas/{model}",
    )
    schemas: dict[str, Any] = found["$defs"]
    return schemas
