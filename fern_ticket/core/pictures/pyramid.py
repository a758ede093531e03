"""Pictures at every scale, read window by window.

Level 0 is the picture; each further level is half the size of the one before, so that a pixel (x, y) of level n is
the mean light of the source pixels [x·2ⁿ, (x+1)·2ⁿ) × [y·2ⁿ, (y+1)·2ⁿ). A side that is odd is extended by its last row
or column.
"""

from __future__ import annotations

import base64
import json
import math
import mmap
import os
import shutil
import threading
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Protocol

import cv2
import numpy as np

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures.averaging import halved
from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.exif import focal_of
from fern_ticket.core.pictures.profiles import ColourSpace, read_profile, srgb
from fern_ticket.core.pictures.regions import Box

#: Side of a tile in pixels.
TILE = 512
#: Levels stop when the longer side is no more than this.
SMALLEST = 256
_VERSION = 2


class Source(Protocol):
    """A picture that can be read in windows at every level."""

    @property
    def size(self) -> tuple[int, int]:
        """Width and height at level 0."""

    @property
    def levels(self) -> int: ...

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]: ...

    @property
    def space(self) -> ColourSpace: ...

    def read(self, level: int, box: Box) -> Pixels:
        """Pixels of `box` at `level`, shape (rows, columns, 3). The box lies inside the level."""


def level_size(size: tuple[int, int], level: int) -> tuple[int, int]:
    """Width and height of a level: halves, rounded up."""
    return -(-size[0] >> level), -(-size[1] >> level)


class Levelled(Protocol):
    """What has levels, each half of the one before."""

    @property
    def size(self) -> tuple[int, int]: ...

    @property
    def levels(self) -> int: ...


def finest(picture: Levelled, fits: Callable[[tuple[int, int]], bool]) -> int:
    """The finest level of a size that fits; the coarsest where none does."""
    level = 0
    while not fits(level_size(picture.size, level)) and level < picture.levels - 1:
        level += 1
    return level


def level_within(picture: Levelled, side: int, place: Box | None = None) -> int:
    """The finest level whose long side, or that of a place of it, has at most so many pixels."""
    share = 1.0 if place is None else max(place.width, place.height) / max(picture.size)
    return finest(picture, lambda size: share * max(size) <= side)


def level_count(size: tuple[int, int]) -> int:
    longest = max(size)
    return 1 if longest <= SMALLEST else 1 + math.ceil(math.log2(longest / SMALLEST))


def level_box(size: tuple[int, int], level: int) -> Box:
    return Box(0, 0, *level_size(size, level))


def at_full_size(box: Box, level: int) -> Box:
    """The full-size pixels that a level's pixels stand for."""
    return Box(box.left << level, box.top << level, box.right << level, box.bottom << level)


def at_level(box: Box, level: int) -> Box:
    """The pixels of a level that a box of full-size pixels touches."""
    return Box(box.left >> level, box.top >> level, -(-box.right >> level), -(-box.bottom >> level))


def tiles_meeting(box: Box) -> Iterator[tuple[int, int, Box]]:
    """Row, column and whole box of each tile that meets `box`."""
    for row in range(box.top // TILE, (box.bottom - 1) // TILE + 1):
        for column in range(box.left // TILE, (box.right - 1) // TILE + 1):
            yield row, column, Box(column * TILE, row * TILE, (column + 1) * TILE, (row + 1) * TILE)


class ArraySource:
    """A decoded picture in memory; levels are made when first asked for."""

    def __init__(self, decoded: Decoded) -> None:
        self._pixels: list[Pixels] = [decoded.pixels]
        self._space = decoded.space
        #: Focal length in pixels, where the camera says it.
        self.focal = focal_of(decoded.exif, self.size)
        self._lock = threading.Lock()

    @property
    def size(self) -> tuple[int, int]:
        rows, columns = self._pixels[0].shape[:2]
        return columns, rows

    @property
    def levels(self) -> int:
        return level_count(self.size)

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return self._pixels[0].dtype

    @property
    def space(self) -> ColourSpace:
        return self._space

    def read(self, level: int, box: Box) -> Pixels:
        with self._lock:
            while len(self._pixels) <= level:
                self._pixels.append(halved(self._pixels[-1], self._space))
        return self._pixels[level][box.rows, box.columns]


class TiledSource:
    """A pyramid on disk: one memory-mapped file of tiles a level. Only what is read is loaded."""

    def __init__(self, folder: Path) -> None:
        try:
            about = json.loads((folder / "pyramid.json").read_text())
            if about["version"] != _VERSION:
                raise KeyError("version")
            self._size = (int(about["width"]), int(about["height"]))
            self._dtype: np.dtype[np.uint8] | np.dtype[np.uint16] = np.dtype(about["dtype"])
            #: Focal length in pixels, where the camera says it.
            self.focal: float | None = about.get("focal")
            space = read_profile(base64.b64decode(about["icc"])) if about["icc"] else srgb()
            self._maps = [
                np.memmap(folder / f"level-{level}.tiles", self._dtype, "r", shape=_tiled_shape(self._size, level))
                for level in range(level_count(self._size))
            ]
        except (OSError, ValueError, KeyError) as error:
            raise PictureError("The prepared copy of this photo is damaged.", "It will be made again.") from error
        if space is None:
            raise PictureError("The prepared copy of this photo is damaged.", "It will be made again.")
        self._space = space

    def release(self) -> None:
        """Let what was loaded go from this process's memory: it is read again where it is asked for again."""
        for level in self._maps:
            mapped = getattr(level, "_mmap", None)
            if mapped is not None:
                mapped.madvise(mmap.MADV_DONTNEED)

    @property
    def size(self) -> tuple[int, int]:
        return self._size

    @property
    def levels(self) -> int:
        return len(self._maps)

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return self._dtype

    @property
    def space(self) -> ColourSpace:
        return self._space

    def read(self, level: int, box: Box) -> Pixels:
        out: Pixels = np.empty((box.height, box.width, 3), self._dtype)
        # as a plain array: of a mapped one each part is told where it is mapped, which takes as long as the reading
        tiles = np.asarray(self._maps[level])
        for row, column, tile in tiles_meeting(box):
            part = tile.within(box)
            inside, target = part.relative_to(tile), part.relative_to(box)
            out[target.rows, target.columns] = tiles[row, column, inside.rows, inside.columns]
        return out


def _tiled_shape(size: tuple[int, int], level: int) -> tuple[int, ...]:
    width, height = level_size(size, level)
    return (-(-height // TILE), -(-width // TILE), TILE, TILE, 3)


def write_pyramid(decoded: Decoded, folder: Path) -> None:
    """Write a picture's pyramid to `folder`, whole or not at all.

    Tiles at the right and bottom are filled up by repeating the last column and row. Tiles are written row by row; two
    rows of a level make one of the next. So memory stays at the decoded picture and two rows of tiles a level.
    """
    rows, columns = decoded.pixels.shape[:2]
    size = (columns, rows)
    building = folder.with_name(f"{folder.name}.{os.getpid()}.{threading.get_ident()}.part")
    shutil.rmtree(building, ignore_errors=True)
    building.mkdir(parents=True)
    try:
        first = _LevelFile(building, size, 0, decoded.space)
        with closing(first):
            for row in range(_tiled_shape(size, 0)[0]):
                first.add(_cut(decoded.pixels, row))
        about = {
            "version": _VERSION,
            "width": columns,
            "height": rows,
            "dtype": decoded.pixels.dtype.name,
            "focal": focal_of(decoded.exif, size),
            "icc": "" if decoded.space.icc == srgb().icc else base64.b64encode(decoded.space.icc).decode(),
        }
        (building / "pyramid.json").write_text(json.dumps(about))
        if folder.exists():
            shutil.rmtree(folder)
        building.rename(folder)
    finally:
        shutil.rmtree(building, ignore_errors=True)


class _LevelFile:
    """A level being written, a row of tiles at a time, and the next one after it."""

    def __init__(self, folder: Path, size: tuple[int, int], level: int, space: ColourSpace) -> None:
        self._space = space
        self._file = (folder / f"level-{level}.tiles").open("wb")
        last = level + 1 == level_count(size)
        self._next = None if last else _LevelFile(folder, size, level + 1, space)
        self._waiting: list[Pixels] | None = None

    def add(self, tiles: list[Pixels]) -> None:
        """One row of tiles."""
        for tile in tiles:
            self._file.write(np.ascontiguousarray(tile).data)
        if self._next is None:
            return
        if self._waiting is None:
            self._waiting = tiles
        else:
            self._next.add(_reduce_rows(self._waiting, tiles, self._space))
            self._waiting = None

    def close(self) -> None:
        if self._next is not None:
            if self._waiting is not None:
                below = [np.broadcast_to(tile[-1:], tile.shape) for tile in self._waiting]
                self._next.add(_reduce_rows(self._waiting, below, self._space))
            self._next.close()
        self._file.close()


def _cut(pixels: Pixels, row: int) -> list[Pixels]:
    """A row of level 0's tiles: views, where the picture fills them."""
    tiles = []
    for left in range(0, pixels.shape[1], TILE):
        part = pixels[row * TILE : (row + 1) * TILE, left : left + TILE]
        below, right = TILE - part.shape[0], TILE - part.shape[1]
        if below or right:
            part = cv2.copyMakeBorder(part, 0, below, 0, right, cv2.BORDER_REPLICATE)  # type: ignore[assignment]
        tiles.append(part)
    return tiles


def _reduce_rows(upper: list[Pixels], lower: list[Pixels], space: ColourSpace) -> list[Pixels]:
    """One row of the next level's tiles from two of this one."""
    reduced = []
    quad = np.empty((2 * TILE, 2 * TILE, 3), upper[0].dtype)
    for column in range(0, len(upper), 2):
        for tiles, rows in ((upper, slice(0, TILE)), (lower, slice(TILE, None))):
            quad[rows, :TILE] = tiles[column]
            quad[rows, TILE:] = tiles[column + 1] if column + 1 < len(tiles) else tiles[column][:, -1:]
        reduced.append(halved(quad, space))
    return reduced
