"""Prepared copies: each photo's pyramid and thumbnail, made from its blob and made again when lost."""

from __future__ import annotations

import os
import shutil
import threading
from pathlib import Path

import cv2
import numpy as np

from fern_ticket.core.errors import PictureError
from fern_ticket.core.pictures import preparing
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.plane import scaling
from fern_ticket.core.pictures.pyramid import Source, TiledSource
from fern_ticket.core.render.light import LightChain, Where
from fern_ticket.core.render.resample import resample
from fern_ticket.store.blobs import Blobs
from fern_ticket.store.trimming import touch

_THUMBNAIL = 360


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

    def _write_thumbnail(self, source: Source, blob: str) -> None:
        width, height = source.size
        factor = _THUMBNAIL / max(width, height)
        size = (max(1, round(width * factor)), max(1, round(height * factor)))
        to_source = scaling(width / size[0], height / size[1])
        window = resample(source, to_source, size, fine=True)
        pixels = LightChain(source.space, []).develop(window, Where(to_source), np.uint8)
        sharp = cv2.addWeighted(pixels, 1.25, cv2.GaussianBlur(pixels, (0, 0), 0.8), -0.25, 0)
        data = encode(np.asarray(sharp, np.uint8), Encoding("JPEG", quality=86))
        path = self._folder / blob / "thumbnail.jpg"
        part = path.with_suffix(f".{os.getpid()}.{threading.get_ident()}.part")
        part.write_bytes(data)
        part.replace(path)
