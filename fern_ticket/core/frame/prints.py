"""Print sizes that a picture serves with no further cropping, and at how many pixels per inch."""

from __future__ import annotations

from dataclasses import dataclass

#: Usual print sizes in inches, short side first (F1).
SIZES = (
    (4, 6), (8, 12), (12, 18), (16, 24), (20, 30),
    (6, 8), (9, 12), (12, 16), (18, 24),
    (8, 10), (16, 20),
    (5, 7), (10, 14),
    (12, 36),
    (8, 8), (10, 10), (12, 12), (20, 20),
)  # fmt: skip
#: A print hides so much of its edge that a pixel or two of ratio do not matter.
_TOLERANCE = 0.003


@dataclass(frozen=True)
class Print:
    """A print size in inches, as the picture lies, and the pixels per inch that the picture has on it."""

    across: int
    down: int
    ppi: int


def prints_of(width: int, height: int) -> list[Print]:
    """The sizes whose ratio a picture has, smallest first.

    Parameters
    ----------
    width, height
        Pixels.

    Returns
    -------
    Sizes turned as the picture is; pixels per inch rounded down.

    >>> [(p.across, p.down, p.ppi) for p in prints_of(3600, 2400)][:2]
    [(6, 4, 600), (12, 8, 300)]
    """
    long, short = max(width, height), min(width, height)
    found = []
    for low, high in sorted(SIZES):
        if abs(long / short / (high / low) - 1) < _TOLERANCE:
            across, down = (high, low) if width >= height else (low, high)
            found.append(Print(across, down, int(min(long / high, short / low) + 1e-6)))
    return found
