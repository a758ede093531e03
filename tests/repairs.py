"""One step of every way of cleaning, for pictures of 430 × 610 and more."""

from __future__ import annotations

from typing import Any

Steps = list[dict[str, Any]]


def strokes(*points: tuple[float, float], size: float = 30.0, **more: Any) -> dict[str, Any]:
    """A mask of one stroke through the points."""
    return {"kind": "strokes", "strokes": [{"points": [[x, y, 1] for x, y in points], "size": size, **more}]}


def outline(left: float, top: float, right: float, bottom: float, feather: float = 0.0) -> dict[str, Any]:
    """A mask of a rectangle."""
    return {
        "kind": "outline",
        "points": [[left, top], [right, top], [right, bottom], [left, bottom]],
        "feather": feather,
    }


FENCE = {"op": "fence", "params": {"points": [[20, 215], [590, 225]], "snap": 0}}
AVOID = {"op": "avoid", "mask": outline(10, 300, 90, 420)}

REPAIRS: Steps = [
    FENCE,
    AVOID,
    {"op": "guide", "params": {"points": [[400, 270], [490, 285]]}},
    {"op": "clone", "params": {"source": {"dx": 60, "dy": 12}}, "mask": strokes((120, 60), (160, 70), flow=0.4)},
    {
        "op": "clone",
        "params": {"source": {"dx": 50, "dy": -60}, "turn": 25, "mirror": "across"},
        "mask": strokes((250, 330), size=44, roundness=0.5, angle=30),
    },
    {"op": "patch", "params": {"source": {"dx": 90, "dy": 0}}, "mask": outline(60, 250, 110, 300, 6)},
    {"op": "regrow", "mask": outline(420, 260, 470, 300)},
    {"op": "calm", "mask": strokes((300, 120), size=34)},
    {"op": "unthread", "params": {"width": 3}, "mask": strokes((380, 40), (520, 90), size=12, hardness=1)},
    {"op": "relocate", "params": {"dx": 70, "dy": 20}, "mask": outline(180, 260, 220, 300, 4)},
    {"op": "nudge", "mask": strokes((500, 320), (520, 326), size=50)},
    {"op": "restore", "mask": strokes((310, 210), size=20, opacity=0.5)},
    {"op": "specks", "params": {"spots": [{"x": 90, "y": 120, "size": 5}, {"x": 540, "y": 150, "size": 7}]}},
    {"op": "hide", "params": {"way": "squares"}, "mask": strokes((560, 120), size=40)},
    {"op": "faces", "params": {"places": [{"x": 560, "y": 60, "size": 30, "hidden": True}]}},
    {"op": "mirrors", "params": {"places": [{"x": 30, "y": 30}]}},
    {"op": "plane", "params": {"corners": [[200, 200], [400, 210], [420, 380], [180, 390]]}},
    {"op": "redeye", "mask": strokes((210, 90), size=24)},
    {"op": "grain", "mask": outline(240, 360, 300, 410, 8)},
]
