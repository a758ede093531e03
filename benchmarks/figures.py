"""How a figure is taken and told."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from statistics import median, quantiles

import cv2
import numpy as np

from fern_ticket.core.pictures.decode import decode_file
from fern_ticket.core.pictures.encode import Encoding, encode
from fern_ticket.core.pictures.profiles import srgb_icc

DEMO = Path(__file__).parents[1] / "demo" / "pictures"


@dataclass(frozen=True)
class Figure:
    """One measured number.

    Attributes
    ----------
    name, figure, unit
        What, how much, in what.
    against
        The reference of the same run, in words with its own number, or what the figure stands alone against.
    target
        The most it may be.
    """

    name: str
    figure: float
    unit: str
    against: str
    target: float

    def line(self) -> str:
        return json.dumps({**asdict(self), "holds": self.figure <= self.target}, ensure_ascii=False)


def milliseconds(work: Callable[[], object], times: int = 9) -> float:
    """Median over several runs, after one that warms up."""
    work()
    taken = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        taken.append(1000 * (time.perf_counter() - start))
    return median(taken)


def large_photo(folder: Path, width: int = 6000, height: int = 4000) -> Path:
    """A 24-megapixel JPEG: the demo's long room enlarged, with fresh grain at full size."""
    path = folder / f"large-{width}x{height}.jpg"
    pixels = cv2.resize(decode_file(DEMO / "long-room.jpg").pixels, (width, height), interpolation=cv2.INTER_CUBIC)
    grain = np.random.default_rng(1).normal(0, 2, (height, width, 1)).astype(np.float32)
    grained = np.clip(np.asarray(pixels, np.float32) + grain, 0, 255).astype(np.uint8)
    path.write_bytes(encode(grained, Encoding("JPEG", 92, icc=srgb_icc())))
    return path


def percentile(taken: list[float], of: int) -> float:
    """Milliseconds within which as many per cent of some times lie that are given in seconds."""
    return 1000 * quantiles(taken, n=100)[of - 1]


def memory_of(process: int, kind: str = "VmRSS") -> int:
    """Bytes of memory that a process has, all of it or of a kind that the kernel tells, such as RssAnon."""
    return 1024 * int(Path(f"/proc/{process}/status").read_text().split(f"{kind}:")[1].split()[0])


Benchmark = Callable[[Path], Iterator[Figure]]
