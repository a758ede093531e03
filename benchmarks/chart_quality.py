"""Repairs in a plane of the scene: brick and planks under a known homography, holes of 200 and 300 px grown in it.

Beside it the same hole grown straight on in the flat wall, and grown in the picture without the plane.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from benchmarks.figures import Figure
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture

Picture = NDArray[np.uint8]

SIZE = (1500, 1100)
CORNERS = [[420, 150], [1130, 220], [1440, 1020], [60, 960]]
HOLE, LARGE_HOLE = Box(650, 560, 850, 760), Box(600, 500, 900, 800)
#: Courses of the made wall: height and joint, pixels of the flat wall.
_COURSE, _JOINT, _SIDE = 56, 7, 1400


def wall(seed: int = 3) -> Picture:
    """Courses of brick with joints and grain, straight on."""
    random = np.random.default_rng(seed)
    picture = np.full((_SIDE, _SIDE, 3), (150, 92, 70), np.float32)
    for number, top in enumerate(range(0, _SIDE, _COURSE)):
        picture[top : top + _JOINT] = (196, 190, 180)
        for left in range(-70 * (number % 2), _SIDE, 140):
            picture[top + _JOINT : top + _COURSE, max(0, left) : left + 140] += random.normal(0, 6)
            picture[top : top + _COURSE, max(0, left) : max(0, left + _JOINT)] = (196, 190, 180)
    grain = cv2.GaussianBlur(random.normal(0, 20, (_SIDE, _SIDE)).astype(np.float32), (0, 0), 1.2)
    return np.clip(picture + grain[..., None], 0, 255).astype(np.uint8)


def planks(seed: int = 5) -> Picture:
    """Boards with grain along them, light joints between, and butts wherever a board ended."""
    random = np.random.default_rng(seed)
    picture = np.empty((_SIDE, _SIDE, 3), np.float32)
    for top in range(0, _SIDE, _COURSE):
        along = cv2.GaussianBlur(random.normal(0, 1, (_COURSE, _SIDE)).astype(np.float32), (0, 0), 60, sigmaY=1.3)
        board = np.array((168, 128, 88)) + random.normal(0, 9) + (along * 9 / along.std())[..., None]
        picture[top : top + _COURSE] = board[: _SIDE - top]
        picture[top : top + _JOINT] = (232, 226, 214)
        butt = int(random.integers(0, _SIDE))
        picture[top : top + _COURSE, butt : butt + 4] = (60, 44, 30)
    grain = cv2.GaussianBlur(random.normal(0, 12, (_SIDE, _SIDE)).astype(np.float32), (0, 0), 1.1)
    return np.clip(picture + grain[..., None], 0, 255).astype(np.uint8)


def photographed_brick() -> Picture:
    """The brick of scikit-image, mirrored on: no seam in it but what the photo has."""
    one = np.repeat(data.brick()[..., None], 3, axis=2)
    row = np.hstack([one, one[:, ::-1], one])
    return np.ascontiguousarray(np.vstack([row, row[::-1], row])[:_SIDE, :_SIDE])


def slanted(flat: Picture) -> tuple[Picture, NDArray[np.float64]]:
    """A picture of it under the homography, with grain of its own, and the homography."""
    square = np.array([[0, 0], [_SIDE, 0], [_SIDE, _SIDE], [0, _SIDE]], np.float32)
    to_picture = cv2.getPerspectiveTransform(square, np.array(CORNERS, np.float32))
    fine = np.diag([2.0, 2.0, 1.0]) @ to_picture
    large = cv2.warpPerspective(flat, fine, (2 * SIZE[0], 2 * SIZE[1]), flags=cv2.INTER_CUBIC)
    small = cv2.resize(large, SIZE, interpolation=cv2.INTER_AREA)
    grain = np.random.default_rng(1).normal(0, 2, small.shape)
    return np.clip(small + grain, 0, 255).astype(np.uint8), np.asarray(to_picture, np.float64)


def grown(picture: Picture, hole: Box, **more: Any) -> Picture:
    """The picture with a hole grown shut; what was in it is painted over first."""
    spoiled = picture.copy()
    spoiled[hole.top + 3 : hole.bottom - 3, hole.left + 3 : hole.right - 3] = (30, 60, 200)
    points = [[hole.left, hole.top], [hole.right, hole.top], [hole.right, hole.bottom], [hole.left, hole.bottom]]
    step = {"op": "regrow", "mask": {"kind": "outline", "points": points}, **more}
    source = ArraySource(Decoded(spoiled, srgb(), "PNG", b""))
    return np.asarray(LedgerPicture(source, "c", read_steps([step]), ByteCache(1 << 29)).deliver(np.uint8), np.uint8)


def energy(picture: Picture) -> NDArray[np.float32]:
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    return np.asarray(cv2.Sobel(grey, cv2.CV_32F, 1, 0) ** 2 + cv2.Sobel(grey, cv2.CV_32F, 0, 1) ** 2, np.float32)


def rim(picture: Picture, hole: Box) -> float:
    """Mean gradient along the hole's rim."""
    drawn = np.zeros(picture.shape[:2], np.uint8)
    drawn[hole.rows, hole.columns] = 1
    near = np.ones((5, 5), np.uint8)
    line = cv2.dilate(drawn, near) - cv2.erode(drawn, near) > 0
    return float(np.sqrt(energy(picture))[line].mean())


def off_the_lines(picture: Picture, to_picture: NDArray[np.float64], hole: Box) -> float:
    """How far the courses' joints in the hole lie from where the wall has them, picture pixels, the 90th of 100."""
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    reach = np.linspace(-9, 9, 73)
    off = []
    for top in range(0, _SIDE, _COURSE):
        for across in np.arange(0, _SIDE, 4.0):
            x, y, depth = to_picture @ (across, top + _JOINT / 2, 1)
            x, y = x / depth, y / depth
            if hole.left + 8 < x < hole.right - 8 and hole.top + 8 < y < hole.bottom - 8:
                at = (np.full((73, 1), x - 0.5, np.float32), (y - 0.5 + reach)[:, None].astype(np.float32))
                line = cv2.remap(grey, *at, cv2.INTER_LINEAR)[:, 0]
                weight = np.maximum(line - np.percentile(line, 60), 0)
                off.append(9.0 if weight.sum() == 0 else abs(float((weight * reach).sum() / weight.sum())))
    return float(np.percentile(off, 90))


def run(_: Path) -> Iterator[Figure]:
    for name, flat in (("brick", wall()), ("brick", wall(4)), ("planks", planks()), ("planks", planks(9))):
        truth, to_picture = slanted(flat)
        for hole in (HOLE, LARGE_HOLE):
            made, plain = grown(truth, hole, chart={"corners": CORNERS}), grown(truth, hole)
            off, own, without = (round(off_the_lines(one, to_picture, hole), 2) for one in (made, truth, plain))
            against = f"{own} px in the picture itself, {without} px without the plane"
            yield Figure(f"joints of {name} off their lines, {hole.width} px in the plane", off, "px", against, 1.5)
    truth, _ = slanted(wall())
    made = grown(truth, HOLE, chart={"corners": CORNERS})
    outside = np.ones(truth.shape[:2], np.bool_)
    outside[HOLE.top - 1 : HOLE.bottom + 1, HOLE.left - 1 : HOLE.right + 1] = False
    yield Figure("pixels changed outside", int((made != truth)[outside].sum()), "values", "none allowed", 0)
    for name, flat in (("made brick", wall()), ("photographed brick", photographed_brick())):
        truth, _ = slanted(flat)
        made = grown(truth, HOLE, chart={"corners": CORNERS})
        hole = Box(600, 600, 800, 800)
        straight = grown(flat, hole)
        for what, own, same in (
            (
                "gradient energy",
                energy(made)[HOLE.rows, HOLE.columns].mean() / energy(truth)[HOLE.rows, HOLE.columns].mean(),
                energy(straight)[hole.rows, hole.columns].mean() / energy(flat)[hole.rows, hole.columns].mean(),
            ),
            ("rim", rim(made, HOLE) / rim(truth, HOLE), rim(straight, hole) / rim(flat, hole)),
        ):
            off = round(abs(float(own) - 1), 2)
            yield Figure(f"{what} off 1 in the plane, {name}", off, "", f"{abs(float(same) - 1):.2f} straight on", 0.3)
