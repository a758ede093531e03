"""Kernels are there before anybody's first drag."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

#: In a process of its own, which has compiled and loaded nothing yet.
_WORK = """
import gc, json
import numpy as np
from dataclasses import replace
from numba.core.dispatcher import Dispatcher
from fern_ticket.core.inspect.specks import specks_of
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.warming import warm_kernels
from tests.skies import outdoors

def compiled():
    all_of_them = [one for one in gc.get_objects() if isinstance(one, Dispatcher)]
    return {f"{one.py_func.__module__}.{one.py_func.__name__}": len(one.signatures) for one in all_of_them}

warm_kernels()
before = compiled()
pixels = np.ascontiguousarray(outdoors("clouds", 4)[0][:260, :330])
rows, columns = pixels.shape[:2]
photo = ArraySource(Decoded(pixels, srgb(), "JPEG", b""))
other = ArraySource(Decoded(np.uint16(257) * pixels, replace(srgb(), is_srgb=False), "TIFF", b""))
place = {"kind": "strokes", "strokes": [{"points": [[200, 150, 1], [240, 170, 1]], "size": 40}]}
wide = {"kind": "outline", "points": [[100, 100], [190, 100], [190, 180], [100, 180]]}
guide = {"op": "guide", "params": {"points": [[145, 20], [145, 250]]}}
ledgers = [
    *([{"op": one, "mask": place}] for one in ("regrow", "heal", "clone", "dab", "calm", "patch", "restore")),
    *([guide, {"op": "regrow", "mask": wide, "params": {"take": take}}] for take in (0, 1)),
]
light = [
    {"op": "exposure", "params": {"ev": 0.4}, "strength": 0.5},
    {"op": "local_contrast", "params": {"amount": 12}, "strength": 0.3},
    {"op": "piece", "params": {"at": [200, 150], "scale": 0.8, "turn": 8}},
    {"op": "piece", "params": {"corners": [[20, 20], [300, 40], [260, 200], [30, 190]], "blend": "overlay"}},
    {"op": "straighten", "params": {"angle": 2}},
]
for source, ledger in (*((photo, one) for one in ledgers), (photo, light), (other, light)):
    picture = LedgerPicture(source, "photo", read_steps(ledger), ByteCache(1 << 26))
    picture.view(View(0, 0, 1, columns, rows), (0, 0, 0), fine=True)
picture = LedgerPicture(photo, "photo", [], ByteCache(1 << 26))
for kind in ("sky", "subject"):
    picture.covered(Cover.model_validate({"parts": [{"shape": {"kind": kind}}], "fine": {"band": 9}}))
specks_of(photo)
after = compiled()
print(json.dumps([name for name, count in after.items() if count > before.get(name, 0)]))
"""


def test_usual_work_compiles_and_loads_nothing_more_once_all_is_warm():
    root = Path(__file__).parents[2]
    done = subprocess.run([sys.executable, "-c", _WORK], capture_output=True, text=True, cwd=root, check=False)
    assert done.returncode == 0, done.stderr[-3000:]
    assert json.loads(done.stdout.splitlines()[-1]) == []
