"""What a picture or a file measures, for the lines of a slip."""

from __future__ import annotations

from dataclasses import dataclass

from fern_ticket.core.pictures.metadata import Metadata
from fern_ticket.core.pictures.regions import Box


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
    format, profile
        As written, or as it will be.
    quality, made_to_fit
        Of a JPEG, 1-100, and whether a limit of its size explains that. Before it is written, None.
    crop_long_side, crop_size
        Pixels that the crop holds before any output size; of a file, None: it does not tell.
    bits
        A channel.
    ppi
        Pixels per inch that the file says.
    file_bytes
        Size of the file.
    casts
        CIEDE2000 at each neutral mark.
    clipped, clipped_through
        Share of whites without texture in any of red, green and blue, 0-1, and where most are; and in all three.
    level
        Degrees that the picture's level and upright edges are off; NaN where it has none.
    ground
        Share of the picture's outer band that is white, 0-1, and where it is not.
    subject
        Share of the frame that the subject takes up on the side it fills most, 0-1, and the subject's box.
    saturation_change
        Points of mean CIELAB chroma above the original, at equal lightness.
    specks, repeats, joins, grain, bleed
        How many specks are left, textures stand twice, repairs show a rim, are too smooth, lie across a fence; and
        where the first is.
    metadata
        What the file says of itself, or will.
    altered
        What the ledger did, in words; of a file alone, None.
    closes
        Whether a flat panorama's left and right sides meet; None where that was not looked at.
    decided
        Of each kind of place that a person decides about, how many are decided and how many there are; of a file alone,
        None.
    name
        The file's name without its folder.
    ticked
        Words of by-eye lines that a person ticked.
    """

    width: int
    height: int
    format: str
    profile: str
    quality: int | None = None
    made_to_fit: bool = False
    crop_long_side: int | None = None
    crop_size: tuple[int, int] | None = None
    bits: int | None = None
    ppi: float | None = None
    file_bytes: int | None = None
    casts: tuple[float, ...] | None = None
    clipped: float | None = None
    clipped_through: float | None = None
    clipped_where: Box | None = None
    level: float | None = None
    ground: float | None = None
    ground_where: Box | None = None
    subject: float | None = None
    subject_where: Box | None = None
    saturation_change: float | None = None
    specks: Places | None = None
    repeats: Places | None = None
    joins: Places | None = None
    grain: Places | None = None
    bleed: Places | None = None
    metadata: Metadata | None = None
    altered: tuple[str, ...] | None = None
    closes: bool | None = None
    decided: dict[str, tuple[int, int]] | None = None
    name: str | None = None
    ticked: frozenset[str] = frozenset()
