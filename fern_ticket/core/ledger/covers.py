"""Covers are data: where a change counts, as parts that are joined one after the other.

A cover begins with nothing where its first part adds, else with the whole picture; without parts it is the whole.
Parts join as fuzzy sets do (Zadeh 1965, doi:10.1016/S0019-9958(65)90241-X): the greater of two shares is added, what is
subtracted leaves what it does not cover, the lesser of two is where they meet. Lengths are source pixels.
"""

from __future__ import annotations

import hashlib
from functools import cached_property
from typing import Annotated, Literal, Self

from pydantic import ConfigDict, Field, model_validator

from fern_ticket.core.ledger.charts import Coordinate
from fern_ticket.core.ledger.masks import Copied, Loop, OutlineMask, Stroke, StrokesMask
from fern_ticket.core.pictures.regions import NOWHERE, Box

Corner = tuple[Coordinate, Coordinate]
Level = Annotated[int, Field(ge=0, le=255)]
#: A straight edge under a Gaussian of deviation 1 rises from a tenth to nine tenths as over a feather of this width.
RAMP = 3.2
Length = Annotated[float, Field(ge=0.1, le=1e5)]
#: So many takes a subject has at most.
TAKES = 4


class _Shape(Copied):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Straight(_Shape):
    """A straight gradient: all of it at `start` and before, nothing at `end` and beyond."""

    kind: Literal["straight"] = "straight"
    start: Corner
    end: Corner

    @model_validator(mode="after")
    def _goes_somewhere(self) -> Straight:
        if self.start == self.end:
            raise ValueError("a straight gradient ends elsewhere than it starts")
        return self


class Round(_Shape):
    """A round gradient: all of it in the middle, nothing beyond the radii.

    Attributes
    ----------
    soft
        Share of the way from rim to middle over which it rises: 0 is a crisp edge.
    angle
        Of the first radius, degrees clockwise from level.
    """

    kind: Literal["round"] = "round"
    middle: Corner
    radii: tuple[Length, Length]
    soft: float = Field(default=0.5, ge=0, le=1)
    angle: float = Field(default=0.0, ge=-180, le=180)


class Tones(_Shape):
    """A range of tone of the repaired photo, before light: luminance, sRGB encoded, per cent.

    All of it from `low` to `high`, nothing `soft` beyond. So a cover stays where it is when light changes.
    """

    kind: Literal["tones"] = "tones"
    low: float = Field(default=0.0, ge=0, le=100)
    high: float = Field(default=100.0, ge=0, le=100)
    soft: float = Field(default=10.0, ge=0, le=100)

    @model_validator(mode="after")
    def _in_order(self) -> Tones:
        if self.high < self.low:
            raise ValueError("a range of tones ends above where it begins")
        return self


class Colours(_Shape):
    """Colours of the repaired photo, before light, that are near to one that was picked.

    Attributes
    ----------
    picks
        8-bit sRGB.
    tolerance
        Difference in CIELAB within which all of it counts, lightness by half, so that shading is let pass.
    soft
        Further difference at which nothing counts any more.
    """

    kind: Literal["colours"] = "colours"
    picks: list[tuple[Level, Level, Level]] = Field(min_length=1, max_length=24)
    tolerance: float = Field(default=15.0, ge=0, le=200)
    soft: float = Field(default=10.0, ge=0, le=200)


class Bitmap(_Shape):
    """A stored picture of the photo's size: white counts, black does not. One of the ticket's, or a file."""

    kind: Literal["bitmap"] = "bitmap"
    file: str = Field(min_length=1, max_length=400)


class Edged(_Shape):
    """Strokes that stay inside the edges around the middle of their tip: one along a boundary does not spill over it.

    Edges are those of the photo as it came, so that a cover stays where it is when the photo is repaired.

    Attributes
    ----------
    hold
        How weak an edge stops them: 0 none, 1 the faintest.
    """

    kind: Literal["edged"] = "edged"
    strokes: list[Stroke] = Field(min_length=1, max_length=10_000)
    hold: float = Field(default=0.5, ge=0, le=1)


class Led(_Shape):
    """A stroke that says of a place whether what is looked for is there.

    Attributes
    ----------
    inside
        It is; else it is not.
    """

    inside: bool = True
    stroke: Stroke


class _Found(_Shape):
    """Found in the photo as it came, and led by strokes, each of which corrects what those before left."""

    led: list[Led] = Field(default_factory=list, max_length=400)

    @cached_property
    def digest(self) -> str:
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()

    @property
    def before(self) -> Self:
        """The same without its last stroke."""
        return self.model_copy(update={"led": self.led[:-1]})


class Subject(_Found):
    """What the photo is of, or what a loose outline goes around.

    Attributes
    ----------
    around
        Outside of it nothing belongs to the subject, and tells what the ground looks like; None for the whole photo.
    take
        Which of the proposals for the whole photo; where there are fewer, they begin again.
    """

    kind: Literal["subject"] = "subject"
    around: Loop | None = None
    take: int = Field(default=0, ge=0, le=TAKES - 1)

    @cached_property
    def outlined(self) -> Box:
        """What `around` goes around, source pixels; empty without one."""
        return NOWHERE if self.around is None else OutlineMask(points=self.around).extent

    @cached_property
    def struck(self) -> list[Box]:
        """What each of its strokes reaches, source pixels."""
        return [one.stroke.extent for one in self.led]


class Sky(_Found):
    """The sky; nothing where there is none."""

    kind: Literal["sky"] = "sky"


Shape = Annotated[
    StrokesMask | OutlineMask | Edged | Straight | Round | Tones | Colours | Subject | Sky | Bitmap,
    Field(discriminator="kind"),
]


class CoverPart(_Shape):
    """A shape and how it joins those before it.

    Attributes
    ----------
    feather
        Width over which its edge is softened, source pixels.
    enabled
        Off, it is as if it were not there.
    """

    enabled: bool = True
    mode: Literal["add", "subtract", "intersect"] = "add"
    invert: bool = False
    feather: float = Field(default=0.0, ge=0, le=4_000)
    shape: Shape

    @cached_property
    def digest(self) -> str:
        """Of the shape with its feather: how it is joined does not change what is drawn."""
        return hashlib.sha256(f"{self.shape.model_dump_json()} {self.feather}".encode()).hexdigest()


class Fine(_Shape):
    """An edge refined to hair, fur and grass.

    Attributes
    ----------
    band
        Width of the band along the edge that is solved for, source pixels.
    """

    band: float = Field(default=31.0, ge=2, le=800)


class Cover(_Shape):
    """Where a change counts: its parts and how they join.

    Attributes
    ----------
    fine
        Refines the edge of the whole; None leaves it as the parts draw it.
    """

    parts: list[CoverPart] = Field(default_factory=list, max_length=64)
    fine: Fine | None = None

    @cached_property
    def active(self) -> list[CoverPart]:
        return [part for part in self.parts if part.enabled]

    @cached_property
    def crisp(self) -> Cover:
        """The same without its fine edge."""
        return self if self.fine is None else self.model_copy(update={"fine": None})

    @cached_property
    def _digest(self) -> str:
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()

    def key(self) -> str:
        return self._digest

    @property
    def of_pixels(self) -> bool:
        """Whether what it covers depends on the photo's pixels."""
        return any(isinstance(part.shape, Tones | Colours) for part in self.active)

    @property
    def whole(self) -> bool:
        """Whether it is the whole picture, for want of parts."""
        return not self.active
