"""Prepared copies: each photo's pyramid and thumbnail, made from its blob and made again when lost.

Beside them lies each photo small as its newest revision makes it, where somebody has looked at that.
"""

from __future__ import annotations

import os
import shutil
import threading
from pathlib import Path
from uuid import UUID

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures import preparing
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.plane import scaling
from fern_ticket.core.pictures.pyramid import Source, TiledSource
from fern_ticket.core.render.light import LightChain, Where
from fern_ticket.core.render.resample import resample
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.trimming import touch

#: Long side of a photo that is shown small, pixels.
THUMBNAIL = 360


class Prepared:
    """The folder of prepared copies, by the blob they were made from. Decoding may take `memory` bytes."""

    def __init__(self, folder: Path, blobs: Blobs, memory: int = preparing.MEMORY) -> None:
        self._folder = folder
        self._memory = memory
        self._blobs = blobs

    def prepare(self, blob: str) -> preparing.Prepared:
        """Decode the blob and write its pyramid and thumbnail.

        Raises
        ------
        PictureError
            The file cannot be read as a picture.
        """
        made = preparing.prepare(self._blobs.path(blob), self._folder / blob, self._memory)
        self._write_thumbnail(TiledSource(self._folder / blob), blob)
        return made

    def open(self, blob: str) -> Source:
        """The photo's pyramid, prepared again when it is missing or damaged."""
        try:
            opened = TiledSource(self._folder / blob)
            touch(self._folder / blob / "pyramid.json")
            return opened
        except PictureError:
            self.prepare(blob)
            return TiledSource(self._folder / blob)

    def forget(self, blob: str) -> None:
        """Take away what was prepared of a photo that is deleted."""
        shutil.rmtree(self._folder / blob, ignore_errors=True)

    def thumbnail(self, blob: str) -> Path:
        path = self._folder / blob / "thumbnail.jpg"
        if not path.exists():
            self.prepare(blob)
        return path

    def has_pyramid(self, blob: str) -> bool:
        """Whether the pyramid lies on disk, so that opening the photo does not decode it."""
        return (self._folder / blob / "pyramid.json").exists()

    def small(self, blob: str, photo: UUID, revision: int) -> Path | None:
        """The photo small, as a revision makes it; None where that was not kept."""
        path = self._small_path(blob, photo, revision)
        return path if path.exists() else None

    def keep_small(self, blob: str, photo: UUID, revision: int, data: bytes) -> Path:
        """Keep the photo small, as a revision makes it, in the place of what was kept of it before.

        Two photos of the same bytes lie side by side.
        """
        path = self._small_path(blob, photo, revision)
        before = [one for one in path.parent.glob(f"{photo}.*.jpg") if one != path]
        _write(path, data)
        for one in before:
            one.unlink(missing_ok=True)
        return path

    def _small_path(self, blob: str, photo: UUID, revision: int) -> Path:
        return self._folder / blob / f"{photo}.{revision}.jpg"

    def _write_thumbnail(self, source: Source, blob: str) -> None:
        width, height = source.size
        factor = THUMBNAIL / max(width, height)
        size = (max(1, round(width * factor)), max(1, round(height * factor)))
        to_source = scaling(width / size[0], height / size[1])
        window = resample(source, to_source, size, fine=True)
        pixels = LightChain(source.space, []).develop(window, Where(to_source), np.uint8)
        _write(self._folder / blob / "thumbnail.jpg", small_file(np.asarray(pixels, np.uint8)))


def small_file(pixels: NDArray[np.uint8]) -> bytes:
    """A small picture as it is shown: a JPEG, a little sharpened."""
    sharp = cv2.addWeighted(pixels, 1.25, cv2.GaussianBlur(pixels, (0, 0), 0.8), -0.25, 0)
    return encode(np.asarray(sharp, np.uint8), Encoding("JPEG", quality=86))


def _write(path: Path, data: bytes) -> None:
    part = path.with_suffix(f".{os.getpid()}.{threading.get_ident()}.part")
    part.write_bytes(data)
    part.replace(path)
