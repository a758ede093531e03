"""A slip and its lines. Each line says what it asks; given the measures of a picture it says how they stand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from fern_ticket.core.pictures.encode import Format
from fern_ticket.core.pictures.regions import Box

State = Literal["holds", "short", "measuring", "open"]


@dataclass(frozen=True)
class Places:
    """How many, and the box of result pixels of the first; None where there is none or it cannot be seen."""

    count: int
    where: Box | None = None


@dataclass(frozen=True)
class Measures:
    """What a picture measures. None where it has not been measured (yet).

    Attributes
    ----------
    width, height
        Result pixels.
    crop_long_side
        Pixels the crop holds on its long side before any output size.
    format, profile
        As written, or as it will be.
    casts
        CIEDE2000 at each neutral mark.
    clipped
        Share of whites without texture, 0-1, and where most are.
    specks, repeats, joins, grain, bleed
        How many specks are left, textures stand twice, repairs show a rim, are too smooth, lie across a fence; and
        where the first is.
    """

    width: int
    height: int
    crop_long_side: int
    format: str
    profile: str
    casts: tuple[float, ...] | None = None
    clipped: float | None = None
    clipped_where: Box | None = None
    specks: Places | None = None
    repeats: Places | None = None
    joins: Places | None = None
    grain: Places | None = None
    bleed: Places | None = None


class Verdict(BaseModel):
    """How one line stands.

    `open` means that a person has to do something before it can be measured.
    """

    requirement: str
    what: str
    value: str
    state: State
    asks: str
    where: tuple[int, int, int, int] | None = None


class _Line(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    def verdict(self, measures: Measures) -> Verdict:
        raise NotImplementedError


class RatioLine(_Line):
    requirement: Literal["ratio"] = "ratio"
    across: int = Field(ge=1, le=100)
    down: int = Field(ge=1, le=100)
    either_way: bool = Field(default=False, description="Portrait or landscape, as the picture wants.")

    def verdict(self, measures: Measures) -> Verdict:
        width, height = measures.width, measures.height
        asked = [(self.across, self.down)] + ([(self.down, self.across)] if self.either_way else [])
        # one pixel either way is as exact as whole pixels can be
        fits = [(a, d) for a, d in asked if abs(width * d - height * a) <= max(a, d)]
        words = " or ".join(f"{a}:{d}" for a, d in asked)
        value = f"{fits[0][0]}:{fits[0][1]}" if fits else _nearest_ratio(width, height)
        return Verdict(requirement="ratio", what="ratio", value=value, state="holds" if fits else "short", asks=words)


class LongSideLine(_Line):
    requirement: Literal["long_side"] = "long_side"
    pixels: int = Field(ge=16, le=50_000)

    def verdict(self, measures: Measures) -> Verdict:
        """Before delivery the crop must hold enough pixels; it is reduced to the measure, never enlarged."""
        long = max(measures.width, measures.height)
        holds = long == self.pixels or measures.crop_long_side >= self.pixels
        return Verdict(
            requirement="long_side",
            what="long side",
            value=f"{min(long, self.pixels) if holds else long} px",
            state="holds" if holds else "short",
            asks=f"{self.pixels} px, not enlarged",
        )


class FormatLine(_Line):
    requirement: Literal["format"] = "format"
    format: Format = "JPEG"
    quality: int = Field(default=100, ge=1, le=100)

    def verdict(self, measures: Measures) -> Verdict:
        holds = measures.format == self.format
        words = f"{self.format} {self.quality}" if self.format == "JPEG" else self.format
        return Verdict(
            requirement="format",
            what="file format",
            value=words if holds else measures.format,
            state="holds" if holds else "short",
            asks=words,
        )


class ProfileLine(_Line):
    requirement: Literal["profile"] = "profile"
    profile: Literal["sRGB"] = "sRGB"

    def verdict(self, measures: Measures) -> Verdict:
        holds = measures.profile.startswith(self.profile)
        return Verdict(
            requirement="profile",
            what="colour profile",
            value=self.profile if holds else measures.profile,
            state="holds" if holds else "short",
            asks=self.profile,
        )


class CastLine(_Line):
    requirement: Literal["cast"] = "cast"
    at_most: float = Field(default=2.0, gt=0, le=50, description="CIEDE2000 from the grey of the same lightness.")

    def verdict(self, measures: Measures) -> Verdict:
        asks = f"ΔE ≤ {self.at_most:.1f}"
        common = {"requirement": "cast", "what": "cast at neutrals", "asks": asks}
        if measures.casts is None:
            return Verdict(**common, value="measuring", state="measuring")
        if not measures.casts:
            return Verdict(**common, value="pick a neutral", state="open")
        worst = max(measures.casts)
        return Verdict(**common, value=f"ΔE {worst:.1f}", state="holds" if worst <= self.at_most else "short")


class ClippedLine(_Line):
    requirement: Literal["clipped_whites"] = "clipped_whites"
    at_most: float = Field(default=0.5, ge=0, le=100, description="Per cent of the picture.")

    def verdict(self, measures: Measures) -> Verdict:
        common = {"requirement": "clipped_whites", "what": "clipped whites", "asks": f"≤ {self.at_most:g} %"}
        if measures.clipped is None:
            return Verdict(**common, value="measuring", state="measuring")
        percent = 100 * measures.clipped
        box = measures.clipped_where
        holds = percent <= self.at_most
        return Verdict(
            **common,
            value=f"{percent:.2f} %",
            state="holds" if holds else "short",
            where=None if holds or box is None else (box.left, box.top, box.width, box.height),
        )


class _CountLine(_Line):
    """So many places at most."""

    at_most: int = Field(default=0, ge=0, le=10_000)

    requirement: str
    what: ClassVar[str]
    words: ClassVar[str] = "{}"

    def verdict(self, measures: Measures) -> Verdict:
        places: Places | None = getattr(measures, self.requirement)
        asks = "none" if self.at_most == 0 else f"≤ {self.at_most}"
        common = {"requirement": self.requirement, "what": self.what, "asks": asks}
        if places is None:
            return Verdict(**common, value="measuring", state="measuring")
        holds, box = places.count <= self.at_most, places.where
        return Verdict(
            **common,
            value="none" if places.count == 0 else self.words.format(places.count),
            state="holds" if holds else "short",
            where=None if holds or box is None else (box.left, box.top, box.width, box.height),
        )


class SpecksLine(_CountLine):
    requirement: Literal["specks"] = "specks"
    what = "specks"
    words = "{} left"


class RepeatsLine(_CountLine):
    requirement: Literal["repeats"] = "repeats"
    what = "repeats"


class JoinsLine(_CountLine):
    requirement: Literal["joins"] = "joins"
    what = "visible joins"


class GrainLine(_CountLine):
    requirement: Literal["grain"] = "grain"
    what = "grain lost"
    words = "{} too smooth"


class BleedLine(_CountLine):
    requirement: Literal["bleed"] = "bleed"
    what = "across fences"


#: Lines that need a close look at the whole picture, which takes a second or more.
CLOSE = ("specks", "repeats", "joins", "grain", "bleed")

Line = Annotated[
    RatioLine
    | LongSideLine
    | FormatLine
    | ProfileLine
    | CastLine
    | ClippedLine
    | SpecksLine
    | RepeatsLine
    | JoinsLine
    | GrainLine
    | BleedLine,
    Field(discriminator="requirement"),
]


class Slip(BaseModel):
    """A delivery measure: who asks, what a file is named, and the lines."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(min_length=1, max_length=80)
    name_pattern: str = Field(default="{ticket}_{number:02}", min_length=1, max_length=120)
    lines: list[Line] = Field(min_length=1, max_length=60)

    @property
    def long_side(self) -> int | None:
        return next((line.pixels for line in self.lines if isinstance(line, LongSideLine)), None)

    @property
    def close(self) -> set[str]:
        """Its lines that need a close look."""
        return {line.requirement for line in self.lines if line.requirement in CLOSE}

    @property
    def file(self) -> FormatLine:
        return next((line for line in self.lines if isinstance(line, FormatLine)), FormatLine())

    def verdicts(self, measures: Measures) -> list[Verdict]:
        return [line.verdict(measures) for line in self.lines]


def _nearest_ratio(width: int, height: int) -> str:
    """The ratio in small whole numbers when there is one, else as a decimal to one."""
    for down in range(1, 17):
        across = round(width * down / height)
        if 1 <= across <= 16 and abs(width * down - height * across) <= max(across, down):
            return f"{across}:{down}"
    return f"{width / height:.3f}:1" if width >= height else f"1:{height / width:.3f}"


@dataclass(frozen=True)
class NameParts:
    """What a name pattern may use."""

    ticket: str
    number: int
    client: str
    photo: str
