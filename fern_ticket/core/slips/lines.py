"""The lines of a slip. Each says what it asks; given the measures of a picture it says how they stand."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from fern_ticket.core.frame.geometry import fits_exactly
from fern_ticket.core.pictures.encode import Format
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.slips.measures import Measures, Places
from fern_ticket.core.slips.naming import follows

State = Literal["holds", "short", "measuring", "open", "later"]
Judged = Literal["measured", "by eye"]

#: Metadata that a line may ask for, and the words for it.
FIELDS = {
    "title": "title",
    "caption": "caption",
    "keywords": "keywords",
    "creator": "creator",
    "credit": "credit line",
    "copyright": "copyright",
}
MetadataField = Literal["title", "caption", "keywords", "creator", "credit", "copyright"]


class Verdict(BaseModel):
    """How one line stands.

    `open` means that a person has to do something before it can be measured; `later`, that it is measured on the
    written file.
    """

    requirement: str
    what: str
    value: str
    state: State
    asks: str
    judged: Judged = "measured"
    where: tuple[int, int, int, int] | None = None
    explained: str = ""


def all_hold(verdicts: Iterable[Verdict]) -> bool:
    return all(verdict.state == "holds" for verdict in verdicts)


class _Line(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)

    judged: ClassVar[Judged] = "measured"
    what: ClassVar[str]
    #: Whether a person may have to tick it, by the name that it is called.
    ticked_by_eye: ClassVar[bool] = False
    #: What its numbers mean, where they do not speak for themselves.
    explained: ClassVar[str] = ""
    #: What this kind of line is called where slips are written; empty where it is as on the slip.
    kind: ClassVar[str] = ""
    #: Whether a slip may have more than one of it, each for something else.
    several: ClassVar[bool] = False
    requirement: str

    @property
    def called(self) -> str:
        return self.what

    @property
    def asks(self) -> str:
        raise NotImplementedError

    def verdict(self, measures: Measures) -> Verdict:
        raise NotImplementedError

    def _says(self, value: str, state: State | bool, where: Box | None = None) -> Verdict:
        said: State = state if isinstance(state, str) else ("holds" if state else "short")
        return Verdict(
            requirement=self.requirement,
            what=self.called,
            value=value,
            state=said,
            asks=self.asks,
            judged=self.judged,
            explained=self.explained,
            where=None if said != "short" or where is None else (where.left, where.top, where.width, where.height),
        )

    def _by_eye(self, measures: Measures, why: str) -> Verdict:
        """What a person ticks by the name of the line, as nothing can be measured."""
        ticked = self.called in measures.ticked
        said = self._says("ticked" if ticked else why, "holds" if ticked else "open")
        return said.model_copy(update={"judged": "by eye"})

    @property
    def _measuring(self) -> Verdict:
        return self._says("measuring", "measuring")

    @property
    def _later(self) -> Verdict:
        return self._says("when written", "later")


class _Limited(_Line):
    """A number with a limit, in whose own unit a tolerance says by how much it may be passed."""

    tolerance: float = Field(default=0, ge=0, le=1000, description="By how much the limit may be passed.")

    @property
    def asks(self) -> str:
        usual = type(self).model_fields["tolerance"].default
        return self._limit if self.tolerance == usual else f"{self._limit} (± {self.tolerance:g})"

    @property
    def _limit(self) -> str:
        raise NotImplementedError

    def _within(self, found: float, least: float = -math.inf, most: float = math.inf) -> bool:
        return least - self.tolerance <= found <= most + self.tolerance


class RatioLine(_Limited):
    what = "ratio"
    requirement: Literal["ratio"] = "ratio"
    across: int = Field(ge=1, le=100, examples=[3])
    down: int = Field(ge=1, le=100, examples=[2])
    either_way: bool = Field(default=False, description="Portrait or landscape, as the picture wants.")
    tolerance: float = Field(default=1, ge=0, le=100, description="Pixels; one is as exact as whole pixels can be.")

    @property
    def _asked(self) -> list[tuple[int, int]]:
        return [(self.across, self.down)] + ([(self.down, self.across)] if self.either_way else [])

    @property
    def _limit(self) -> str:
        return " or ".join(f"{a}:{d}" for a, d in self._asked)

    def verdict(self, measures: Measures) -> Verdict:
        width, height = measures.width, measures.height
        fits = [(a, d) for a, d in self._asked if self._within(abs(width * d - height * a) / max(a, d), most=0)]
        return self._says(f"{fits[0][0]}:{fits[0][1]}" if fits else _nearest_ratio(width, height), bool(fits))


class LongSideLine(_Limited):
    what = "long side"
    requirement: Literal["long_side"] = "long_side"
    pixels: int = Field(ge=16, le=50_000, examples=[2400])

    @property
    def _limit(self) -> str:
        return f"{self.pixels} px, not enlarged"

    def verdict(self, measures: Measures) -> Verdict:
        """Before delivery the crop must hold enough pixels; it is reduced to the measure, never enlarged."""
        long = max(measures.width, measures.height)
        holds = self._within(long, self.pixels, self.pixels) or max(measures.crop_size or (0,)) >= self.pixels
        return self._says(f"{min(long, self.pixels) if holds else long} px", holds)


class ExactSizeLine(_Limited):
    what = "size"
    kind = "exact size"
    requirement: Literal["exact_size"] = "exact_size"
    width: int = Field(ge=16, le=50_000, examples=[1200])
    height: int = Field(ge=16, le=50_000, examples=[800])

    @property
    def _limit(self) -> str:
        return f"{self.width} × {self.height} px, not enlarged"

    def verdict(self, measures: Measures) -> Verdict:
        """A file has exactly these pixels; before delivery the crop has what they can be made of."""
        size = (measures.width, measures.height)
        crop = measures.crop_size
        reducible = crop is not None and fits_exactly(crop, (self.width, self.height))
        near = self._within(size[0], self.width, self.width) and self._within(size[1], self.height, self.height)
        holds = near or reducible
        shown = (self.width, self.height) if reducible else size
        return self._says(f"{shown[0]} × {shown[1]} px", holds)


class MegapixelsLine(_Limited):
    what = "pixels"
    kind = "minimum megapixels"
    requirement: Literal["megapixels"] = "megapixels"
    at_least: float = Field(gt=0, le=300, examples=[6])

    @property
    def _limit(self) -> str:
        return f"≥ {self.at_least:g} MP"

    def verdict(self, measures: Measures) -> Verdict:
        found = measures.width * measures.height / 1e6
        return self._says(f"{math.floor(found * 100) / 100:g} MP", self._within(found, self.at_least))


class NoEnlargementLine(_Line):
    what = "enlarged"
    kind = "no enlargement"
    requirement: Literal["no_enlargement"] = "no_enlargement"

    @property
    def asks(self) -> str:
        return "never"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.crop_long_side is None:
            return self._says("not told by the file", "later")
        times = max(measures.width, measures.height) / measures.crop_long_side
        return self._says("no" if times <= 1.0005 else f"{times:.2f} ×", times <= 1.0005)


class PpiLine(_Limited):
    what = "print density"
    kind = "pixels per inch"
    requirement: Literal["ppi"] = "ppi"
    ppi: float = Field(default=300, ge=1, le=5000)
    tolerance: float = Field(default=0.1, ge=0, le=1000, description="A PNG counts pixels per whole metre.")

    @property
    def _limit(self) -> str:
        return f"{self.ppi:g} ppi"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.ppi is None:
            return self._says("not said", False)
        return self._says(f"{round(measures.ppi, 1):g} ppi", self._within(measures.ppi, self.ppi, self.ppi))


class FormatLine(_Line):
    what = "file format"
    requirement: Literal["format"] = "format"
    format: Format = "JPEG"
    quality: int = Field(default=100, ge=1, le=100)

    @property
    def asks(self) -> str:
        return f"{self.format} {self.quality}" if self.format == "JPEG" else self.format

    def verdict(self, measures: Measures) -> Verdict:
        if measures.format != self.format:
            return self._says(measures.format, False)
        if self.format != "JPEG" or measures.quality is None:
            return self._says(self.asks, True)
        if measures.quality >= self.quality:
            return self._says(f"JPEG {measures.quality}", True)
        said = f"JPEG {measures.quality}, to fit the file size" if measures.made_to_fit else f"JPEG {measures.quality}"
        return self._says(said, measures.made_to_fit)


class BitDepthLine(_Line):
    what = "bit depth"
    requirement: Literal["bit_depth"] = "bit_depth"
    bits: Literal[8, 16] = 8

    @property
    def asks(self) -> str:
        return f"{self.bits} bits"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.bits is None:
            return self._later
        return self._says(f"{measures.bits} bits", measures.bits == self.bits)


class ProfileLine(_Line):
    what = "colour profile"
    requirement: Literal["profile"] = "profile"
    profile: Literal["sRGB"] = "sRGB"

    @property
    def asks(self) -> str:
        return self.profile

    def verdict(self, measures: Measures) -> Verdict:
        holds = measures.profile == self.profile
        return self._says(self.profile if holds else measures.profile, holds)


class FileSizeLine(_Limited):
    what = "file size"
    requirement: Literal["file_size"] = "file_size"
    at_most: float = Field(gt=0, le=2000, examples=[5], description="Megabytes of a million bytes.")

    @property
    def _limit(self) -> str:
        return f"≤ {self.at_most:g} MB"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.file_bytes is None:
            return self._later
        found = measures.file_bytes / 1e6
        # as everywhere, but what is over the limit is not to look as if it were not
        shown = math.ceil(found * 100) / 100 if found > self.at_most else round(found, 2)
        return self._says(f"{shown:g} MB", self._within(found, most=self.at_most))


class NamePatternLine(_Line):
    what = "file name"
    requirement: Literal["name_pattern"] = "name_pattern"
    pattern: str = Field(min_length=1, max_length=120, examples=["{ticket}_{number:02}"])

    @property
    def asks(self) -> str:
        return self.pattern

    def verdict(self, measures: Measures) -> Verdict:
        if measures.name is None:
            return self._later
        return self._says(measures.name, follows(self.pattern, measures.name))


class CastLine(_Limited):
    what = "cast at neutrals"
    explained = "The worst colour difference (CIEDE2000) of a marked neutral from the grey of its lightness."
    requirement: Literal["cast"] = "cast"
    at_most: float = Field(default=2.0, gt=0, le=50, description="CIEDE2000 from the grey of the same lightness.")

    @property
    def _limit(self) -> str:
        return f"ΔE ≤ {self.at_most:.1f}"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.casts is None:
            return self._measuring
        if not measures.casts:
            return self._says("pick a neutral", "open")
        worst = max(measures.casts)
        return self._says(f"ΔE {worst:.1f}", self._within(worst, most=self.at_most))


class ClippedLine(_Limited):
    what = "clipped whites"
    explained = (
        "Share of the picture where red, green or blue can only be 255; and where all three are, which is white."
    )
    requirement: Literal["clipped_whites"] = "clipped_whites"
    at_most: float = Field(default=0.5, ge=0, le=100, description="Per cent of the picture.")

    @property
    def _limit(self) -> str:
        return f"≤ {self.at_most:g} %"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.clipped is None:
            return self._measuring
        percent = 100 * measures.clipped
        through = (
            "" if not percent or measures.clipped_through is None else f", all {100 * measures.clipped_through:.2f}"
        )
        return self._says(f"{percent:.2f} %{through}", self._within(percent, most=self.at_most), measures.clipped_where)


class LevelLine(_Limited):
    what = "level"
    ticked_by_eye = True
    explained = "How far level and upright edges are off. Where nothing tells, a person looks and ticks."
    requirement: Literal["level"] = "level"
    at_most: float = Field(default=0.3, gt=0, le=10, description="Degrees off.")

    @property
    def _limit(self) -> str:
        return f"≤ {self.at_most:g}°"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.level is None:
            return self._measuring
        if math.isnan(measures.level):
            return self._by_eye(measures, "nothing tells")
        return self._says(f"{abs(measures.level):.2f}° off", self._within(abs(measures.level), most=self.at_most))


class WhiteGroundLine(_Limited):
    what = "white ground"
    requirement: Literal["white_ground"] = "white_ground"
    at_least: float = Field(default=99, gt=0, le=100, description="Per cent of the picture's outer band.")

    @property
    def _limit(self) -> str:
        return f"≥ {self.at_least:g} % of the rim"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.ground is None:
            return self._measuring
        percent = 100 * measures.ground
        return self._says(
            f"{math.floor(10 * percent) / 10:g} %", self._within(percent, self.at_least), measures.ground_where
        )


class SubjectShareLine(_Limited):
    what = "subject"
    kind = "subject's share"
    requirement: Literal["subject_share"] = "subject_share"
    at_least: float = Field(default=70, ge=0, le=100, description="Per cent of the frame's side.")
    at_most: float = Field(default=95, gt=0, le=100)

    @model_validator(mode="after")
    def _ordered(self) -> SubjectShareLine:
        if self.at_least > self.at_most:
            raise ValueError("at_least is more than at_most")
        return self

    @property
    def _limit(self) -> str:
        return f"{self.at_least:g}–{self.at_most:g} % of the frame"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.subject is None:
            return self._measuring
        percent = 100 * measures.subject
        return self._says(
            f"{percent:.0f} %", self._within(percent, self.at_least, self.at_most), measures.subject_where
        )


class SaturationChangeLine(_Limited):
    what = "saturation"
    kind = "saturation change"
    explained = (
        "How much farther from grey the colours are than in the original, on the average, in points of CIELAB chroma. "
        "Both are compared as if they were equally light, so exposure alone counts for nothing."
    )
    requirement: Literal["saturation_change"] = "saturation_change"
    at_most: float = Field(
        default=5,
        ge=0,
        le=100,
        description="Points of mean CIELAB chroma above the original at equal lightness; 5 is common practice.",
    )

    @property
    def _limit(self) -> str:
        return f"≤ +{self.at_most:g}"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.saturation_change is None:
            return self._measuring
        return self._says(
            f"{measures.saturation_change:+.1f}", self._within(measures.saturation_change, most=self.at_most)
        )


class _CountLine(_Limited):
    """So many places at most."""

    at_most: int = Field(default=0, ge=0, le=10_000)

    words: ClassVar[str] = "{}"

    @property
    def _limit(self) -> str:
        return "none" if self.at_most == 0 else f"≤ {self.at_most}"

    def verdict(self, measures: Measures) -> Verdict:
        places: Places | None = getattr(measures, self.requirement)
        if places is None:
            return self._measuring
        said = "none" if places.count == 0 else self.words.format(places.count)
        return self._says(said, self._within(places.count, most=self.at_most), places.where)


class SpecksLine(_CountLine):
    requirement: Literal["specks"] = "specks"
    what = "specks"
    kind = "specks left"
    explained = (
        "Spots that stand alone on plain ground and that nobody accepted or refused yet; a glaze's own do not count."
    )
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


class MetadataLine(_Line):
    what = "metadata"
    kind = "required metadata"
    requirement: Literal["metadata"] = "metadata"
    fields: tuple[MetadataField, ...] = Field(min_length=1, examples=[["title"]])

    @property
    def asks(self) -> str:
        return ", ".join(FIELDS[field] for field in self.fields)

    def verdict(self, measures: Measures) -> Verdict:
        if measures.metadata is None:
            return self._later
        missing = [FIELDS[field] for field in self.fields if not measures.metadata.has(field)]
        return self._says(f"no {', '.join(missing)}" if missing else "all said", not missing)


class NoLocationLine(_Line):
    what = "location"
    kind = "location removed"
    requirement: Literal["no_location"] = "no_location"

    @property
    def asks(self) -> str:
        return "not told"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.metadata is None:
            return self._later
        return self._says("told" if measures.metadata.located else "not told", not measures.metadata.located)


class ProjectionLine(_Line):
    """A flat panorama with its projection data (Photo Sphere XMP Metadata), not a view into one."""

    what = "projection"
    kind = "flat panorama with its data"
    requirement: Literal["projection"] = "projection"
    whole: bool = Field(default=True, description="All of the sphere, 2:1; else a part of it will do.")
    pose: Literal["pixels", "data"] = Field(
        default="pixels", description="Whether a leaning horizon is mended in the picture, or told in its data."
    )

    @property
    def asks(self) -> str:
        return "flat 2:1, with its data" if self.whole else "flat, with its data"

    def verdict(self, measures: Measures) -> Verdict:
        if self.whole and measures.width != 2 * measures.height:
            return self._says(_nearest_ratio(measures.width, measures.height), False)
        if measures.metadata is None:
            return self._later
        told = measures.metadata.panorama
        if told is None:
            return self._says("no data", False)
        if told.shown[2:] != (measures.width, measures.height):
            return self._says("data of another size", False)
        if self.whole and not told.complete:
            return self._says("a part of it", False)
        if told.complete and measures.closes is False:
            return self._says("a view: its sides do not meet", False)
        return self._says("flat 2:1" if told.complete else "flat, a part", True)


class DecidedLine(_Line):
    """Places of a kind in which each has to be decided by a person: faces hidden or let be, mirrors looked at."""

    kind = "faces or mirrors decided"
    several = True
    what = "faces"
    requirement: Literal["decided"] = "decided"
    places: Literal["faces", "mirrors"] = "faces"

    @property
    def called(self) -> str:
        return self.places

    @property
    def asks(self) -> str:
        return "each hidden or let be" if self.places == "faces" else "each looked at"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.decided is None:
            return self._later
        found = measures.decided.get(self.places)
        if found is None:
            return self._says("not looked for" if self.places == "faces" else "none marked", "open")
        done, count = found
        return self._says(f"{done} of {count}" if count else "none", done == count)


class AlterationsLine(_Line):
    what = "alterations"
    kind = "declared alterations"
    requirement: Literal["alterations"] = "alterations"

    @property
    def asks(self) -> str:
        return "declared"

    def verdict(self, measures: Measures) -> Verdict:
        if measures.metadata is None:
            return self._later
        said = measures.metadata
        if measures.altered is None:
            holds = bool(said.source_type)
        else:
            holds = said.alterations == measures.altered and bool(said.source_type)
        return self._says(f"{len(said.alterations)} declared" if holds else "not declared", holds)


class ByEyeLine(_Line):
    """What no measure tells: a person looks and ticks."""

    judged: ClassVar[Judged] = "by eye"
    ticked_by_eye = True
    kind = "by eye"
    several = True
    requirement: Literal["by_eye"] = "by_eye"
    words: str = Field(
        min_length=3, max_length=120, examples=["what the person ticks"], description="What the person says by ticking."
    )

    @property
    def called(self) -> str:
        return self.words

    @property
    def asks(self) -> str:
        return self.words

    def verdict(self, measures: Measures) -> Verdict:
        return self._by_eye(measures, "look, then tick")


#: Lines that need a close look at the whole picture, which takes a second or more.
CLOSE = ("specks", "repeats", "joins", "grain", "bleed")
#: Lines that need the whole picture, small.
WHOLE = ("level", "white_ground", "subject_share")

Line = Annotated[
    RatioLine
    | LongSideLine
    | ExactSizeLine
    | MegapixelsLine
    | NoEnlargementLine
    | PpiLine
    | FormatLine
    | BitDepthLine
    | ProfileLine
    | FileSizeLine
    | NamePatternLine
    | CastLine
    | ClippedLine
    | LevelLine
    | WhiteGroundLine
    | SubjectShareLine
    | SaturationChangeLine
    | SpecksLine
    | RepeatsLine
    | JoinsLine
    | GrainLine
    | BleedLine
    | MetadataLine
    | NoLocationLine
    | ProjectionLine
    | DecidedLine
    | AlterationsLine
    | ByEyeLine,
    Field(discriminator="requirement"),
]


def _nearest_ratio(width: int, height: int) -> str:
    """The ratio in small whole numbers when there is one, else as a decimal to one."""
    for down in range(1, 17):
        across = round(width * down / height)
        if 1 <= across <= 16 and abs(width * down - height * across) <= max(across, down):
            return f"{across}:{down}"
    return f"{width / height:.3f}:1" if width >= height else f"1:{height / width:.3f}"
