"""Balance with every ruler in use: frames of 24 and 128 megapixels, and delivery."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from statistics import median

import simplejpeg

from benchmarks.figures import Figure, large_photo
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.pictures.pyramid import TiledSource, write_pyramid
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import SMALL_MOVING, LedgerPicture, View

#: All twelve rulers of the deck away from rest, and a curve.
RULERS = (
    {"op": "white_balance", "params": {"temperature": 5200, "tint": 4}},
    {"op": "exposure", "params": {"ev": 0.35}},
    {"op": "haze", "params": {"amount": 15}},
    {"op": "highlights_shadows", "params": {"highlights": -28, "shadows": 14}},
    {"op": "local_contrast", "params": {"amount": 12}},
    {"op": "contrast", "params": {"amount": 12}},
    {"op": "end_points", "params": {"white": 1.5, "black": -2}},
    {"op": "curve", "params": {"all": [[0, 0], [0.3, 0.28], [1, 1]]}},
    {"op": "saturation", "params": {"amount": 3}},
    {"op": "gentle_saturation", "params": {"amount": 8}},
    {"op": "hue_bands", "params": {"bands": [{"hue": 110, "turn": -8, "saturation": -20}]}},
)
_DRAGGED = {"exposure": ("ev", 0.5), "highlights_shadows": ("shadows", 20), "saturation": ("amount", 4)}


def run(folder: Path) -> Iterator[Figure]:
    times = {}
    for megapixels, size in ((24, (6000, 4000)), (128, (13860, 9240))):
        path = large_photo(folder, *size)
        write_pyramid(decode_file(path), folder / str(megapixels))
        source = TiledSource(folder / str(megapixels))
        cache = ByteCache(512 << 20)
        view = View(0, 0, 1280 / size[0], 1280, 800)
        LedgerPicture(source, "p", _steps(), cache).view(view, (119,) * 3, fine=False)
        for op, (name, until) in _DRAGGED.items():
            taken, encoding = [], []
            for step in range(24):
                steps = _steps(op, name, round(until * step / 24, 4))
                start = time.perf_counter()
                frame = LedgerPicture(source, "p", steps, cache, small=SMALL_MOVING).view(view, (119,) * 3, fine=False)
                rendered = time.perf_counter()
                simplejpeg.encode_jpeg(frame, 82, "RGB", colorsubsampling="420")
                taken.append(1000 * (rendered - start))
                encoding.append(1000 * (time.perf_counter() - rendered))
            times[megapixels, op] = median(taken)
            if megapixels == 24:
                # each frame beside its own encoding: a shared machine changes pace within seconds
                against = f"bare JPEG encoding of the same frame, {median(encoding):.1f} ms"
                ratio = median(a / b for a, b in zip(taken, encoding, strict=True))
                yield Figure(f"{op} drag, every ruler in use", round(ratio, 2), "×", against, 8)
    for op in _DRAGGED:
        against = f"the same of 24 MP, {times[24, op]:.0f} ms"
        yield Figure(f"{op} drag of 128 MP", round(times[128, op] / times[24, op], 2), "×", against, 1.3)


def _steps(op: str | None = None, name: str = "", value: float = 0) -> list[Step]:
    raw = [
        {"id": f"r{k}", **ruler, "params": {**ruler["params"], **({name: value} if ruler["op"] == op else {})}}  # type: ignore[dict-item]
        for k, ruler in enumerate(RULERS)
    ]
    return read_steps(raw)
