"""Run all benchmarks, or the one that is named."""

from __future__ import annotations

import sys
import tempfile
from itertools import chain
from pathlib import Path

from benchmarks import (
    area_speed,
    area_truth,
    around,
    balance_speed,
    bench_speed,
    beside,
    chart_quality,
    delivery_speed,
    edge_places,
    guide_truth,
    heal_speed,
    kills,
    large_places,
    level_truth,
    load,
    many_repairs,
    page_speed,
    pair_quality,
    piece_speed,
    piece_truth,
    regrow_truth,
    repair_quality,
    round_speed,
    scale,
    soak,
    speck_truth,
    tiles,
    workers,
)

ALL = {
    "bench": bench_speed.run,
    "page": page_speed.run,
    "areas": lambda folder: chain(area_truth.run(folder), area_speed.run(folder), area_speed.strokes(folder)),
    "around": around.run,
    "balance": balance_speed.run,
    "beside": beside.run,
    "charts": chart_quality.run,
    "delivery": delivery_speed.run,
    "edges": edge_places.run,
    "guides": guide_truth.run,
    "heal": heal_speed.run,
    "kills": kills.run,
    "large": large_places.run,
    "load": load.run,
    "many": many_repairs.run,
    "pairs": pair_quality.run,
    "pieces": lambda folder: chain(piece_truth.run(folder), piece_speed.run(folder)),
    "repairs": repair_quality.run,
    "round": round_speed.run,
    "scale": scale.run,
    "soak": soak.run,
    "truth": lambda folder: chain(level_truth.run(folder), speck_truth.run(folder), regrow_truth.run(folder)),
    "tiles": tiles.run,
    "workers": workers.run,
}


def main(names: list[str]) -> int:
    """Print a line a figure. Returns 1 when a target does not hold, 2 for an unknown name."""
    unknown = set(names) - set(ALL)
    if unknown:
        print(f"fern: no benchmark called {', '.join(sorted(unknown))}; there are {', '.join(ALL)}", file=sys.stderr)
        return 2
    held = True
    with tempfile.TemporaryDirectory() as folder:
        for name in names or ALL:
            for figure in ALL[name](Path(folder)):
                print(figure.line(), flush=True)
                held &= figure.figure <= figure.target
    return 0 if held else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
