"""The demo pictures with what is known of them: their faults, and for a pair the picture without them."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.pictures.decode import Pixels, decode_file

PICTURES = Path(__file__).parents[1] / "demo" / "pictures"


@dataclass(frozen=True)
class Frame:
    """One frame of a bracketed series: its exposure in EV against the first, and how the hand had moved.

    The shift is in pixels, right and down; the turn in degrees counter-clockwise about the middle.
    """

    path: Path
    ev: float
    shift: tuple[float, float]
    turn: float


@dataclass(frozen=True)
class Truth:
    """One demo picture.

    Attributes
    ----------
    path
        The picture that the editor gets.
    kind
        As a ticket's.
    straighten
        The turn in degrees, clockwise, that makes it level.
    gains
        The cast: what linear red, green and blue were multiplied by.
    specks
        Known specks: x, y, radius in pixels and depth 0-1.
    faults
        In words.
    clean_path, mask_path
        The same picture without the faults that a repair takes out, and where they are.
    series
        Further exposures of the same view, from the hand.
    darker_path, sixteen_path
        A frame of the same moment that holds the whites, and one of half the size in 16 bits.
    roll
        How far a panorama's horizon leans, degrees.
    """

    path: Path
    kind: str
    straighten: float
    gains: tuple[float, float, float]
    faults: tuple[str, ...]
    specks: tuple[tuple[float, float, float, float], ...] = ()
    clean_path: Path | None = None
    mask_path: Path | None = None
    series: tuple[Frame, ...] = ()
    darker_path: Path | None = None
    sixteen_path: Path | None = None
    roll: float = 0.0

    @property
    def name(self) -> str:
        return self.path.stem

    @cached_property
    def pixels(self) -> Pixels:
        return decode_file(self.path).pixels

    @cached_property
    def clean(self) -> Pixels:
        assert self.clean_path is not None
        return decode_file(self.clean_path).pixels

    @cached_property
    def mask(self) -> NDArray[np.bool_]:
        assert self.mask_path is not None
        return np.asarray(cv2.imread(str(self.mask_path), cv2.IMREAD_GRAYSCALE)) > 127


def load(path: Path) -> Truth:
    """The truth beside a picture."""
    said = json.loads(path.read_text())
    picture = path.with_name(path.name.removesuffix(".truth.json") + ".jpg")

    def beside(key: str) -> Path | None:
        return picture.with_name(said[key]) if key in said else None

    return Truth(
        path=picture,
        kind=said["kind"],
        straighten=said["straighten"],
        gains=tuple(said["gains"]),
        faults=tuple(said["faults"]),
        specks=tuple(tuple(speck) for speck in said.get("specks", ())),
        clean_path=beside("clean"),
        mask_path=beside("mask"),
        series=tuple(
            Frame(picture.with_name(f["file"]), f["ev"], tuple(f["shift"]), f["turn"]) for f in said.get("series", ())
        ),
        darker_path=beside("darker"),
        sixteen_path=beside("sixteen"),
        roll=said.get("roll", 0.0),
    )


def all_truths() -> list[Truth]:
    return [load(path) for path in sorted(PICTURES.glob("*.truth.json"))]
