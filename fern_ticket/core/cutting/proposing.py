"""What may be a picture's subject, from the picture alone.

Seeds come from what stands out (`saliency`) and, where the lens tells, from what is in focus (`focus`), by several
tries; the picture is divided by the looks of both sides
(`dividing`), and what is most of a piece is proposed. Other takes are what else may be meant, such as what stands out
although it reaches the picture's border (`boundary`).
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cached_property
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.beside import redrawn
from fern_ticket.core.cutting.boundary import off_the_border
from fern_ticket.core.cutting.dividing import apart, divided, plain_border
from fern_ticket.core.cutting.subject import Small, at_border, tidied
from fern_ticket.core.ledger.covers import TAKES
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.threads import cores

Bits = NDArray[np.bool_]

#: How much must stand out, by several tries; and what counts for and against what comes of each.
_LIMITS = (0.22, 0.4, 0.62)
_PLAIN, _CUT_OFF, _LARGE = 0.04, 1.5, 0.06
#: How far in focus something must be, by several tries; what is so little in focus is no subject; and what counts for
#: one that is what the lens has in focus, and against one for what of it is not.
_FOCUS_LIMITS, _OUT_OF_FOCUS, _FOCUSED, _BLURRED = (0.25, 0.4, 0.6), 0.15, 0.3, 1.0
#: Log odds that standing out brings at most; rounds of models and cuts.
_STANDS_OUT, _ROUNDS = 3.0, 3
#: How much nothing, and all of a picture, are one thing.
_NO_THING = -10.0
#: How much must stand out for other takes: once more as for the first, and off the picture's border.
_MORE, _OFF_BORDER = (0.1,), (0.1, 0.22, 0.4)
#: How much two takes share at most, and if need be; what counts for one that others are like, and for a large one: the
#: first mostly lacks something.
_SHARED, _NEARLY, _LIKE_OTHERS, _LARGER = 0.8, 0.92, 0.3, 0.1
#: Other parts that end so near to the picture's border, as a share of its long side, are what it happens to cut off.
_RIM = 0.03


class _Candidate(NamedTuple):
    """What may be the subject, and how much it is one thing; less than 0 for nothing and for all."""

    found: Bits
    piece: float


class _Try(NamedTuple):
    """How much must stand out of a copy, and what of it is none of the subject."""

    small: Small
    limit: float
    never: Bits | None = None


class Proposals:
    """What a picture suggests; worked out when it is asked for.

    Parameters
    ----------
    small
        The picture's small copy.
    """

    def __init__(self, small: Small) -> None:
        self._small = small

    @cached_property
    def first(self) -> Bits:
        """Of several, the one that is most of a piece."""
        return self._edged(max(self._standing_out, key=lambda one: one.piece).found)

    @cached_property
    def takes(self) -> list[Bits]:
        """The first and what else may be the subject, each unlike those before, the likeliest first."""
        small = self._small
        size = (small.pixels.shape[1], small.pixels.shape[0])
        off = np.asarray(cv2.resize(off_the_border(small.features), size, interpolation=cv2.INTER_LINEAR), np.float32)
        other = replace(small, stands_out=off)
        more = self._candidates([*(_Try(small, one) for one in _MORE), *(_Try(other, one) for one in _OFF_BORDER)])
        tried = [one for one in self._standing_out + more if one.piece > 0]
        odds = [_likely(one, tried) for one in tried]
        likeliest = [tried[place].found for place in np.argsort(odds)[::-1]]
        made = [self.first]
        # where few are unlike one another, others are better than the same again
        for most in (_SHARED, _NEARLY):
            for found in likeliest:
                if len(made) < TAKES and all(_shared(found, other) < most for other in made):
                    made.append(self._edged(found))
        return made

    @cached_property
    def _standing_out(self) -> list[_Candidate]:
        small = self._small
        asked = [_Try(small, limit) for limit in _LIMITS]
        if small.in_focus is not None:
            sharp, never = replace(small, stands_out=small.in_focus), _out_of(small.in_focus)
            asked += [_Try(sharp, limit, never) for limit in _FOCUS_LIMITS]
        return self._candidates(asked)

    def _candidates(self, asked: list[_Try]) -> list[_Candidate]:
        with ThreadPoolExecutor(cores()) as threads:
            made = list(threads.map(_candidate, asked))
        focus = self._small.in_focus
        if focus is None:
            return made
        return [_Candidate(one.found, one.piece + _focused(one.found, focus)) for one in made]

    def _edged(self, found: Bits) -> Bits:
        free = np.zeros(found.shape, np.float32)
        return tidied(redrawn(self._small.beside, self._small.borders, found, free))


def _likely(one: _Candidate, tried: list[_Candidate]) -> float:
    like = float(np.mean([_shared(one.found, other.found) for other in tried]))
    return one.piece + _LIKE_OTHERS * like + _LARGER * math.log2(one.found.mean())


def _shared(one: Bits, other: Bits) -> float:
    """Intersection over union."""
    return int((one & other).sum()) / max(1, int((one | other).sum()))


def _focused(found: Bits, focus: Alpha) -> float:
    """What it counts for something that the lens has it in focus."""
    if not found.any():
        return 0.0
    bits = found.astype(np.float32)
    covers = float(np.minimum(bits, focus).sum() / np.maximum(bits, focus).sum())
    return _FOCUSED * covers - _BLURRED * float(_out_of(focus)[found].mean())


def _out_of(focus: Alpha) -> Bits:
    return focus < _OUT_OF_FOCUS


def _candidate(asked: _Try) -> _Candidate:
    """What stands out by more than a limit.

    One thing has looks of its own, ends where colour changes, is seldom cut off by the picture's border, and is not
    small.
    """
    small, limit, never = asked
    out = small.stands_out
    lean = _STANDS_OUT * np.where(out > limit, (out - limit) / (1 - limit), out / limit - 1)
    fixed = np.zeros(out.shape, np.float32) if never is None else -never.astype(np.float32)
    found = tidied(_without_cut_off(divided(small.more_like, small.borders, lean.astype(np.float32), fixed, _ROUNDS)))
    if not found.any() or found.all():
        return _Candidate(found, _NO_THING)
    own, around = apart(small.more_like, found)
    against = _PLAIN * plain_border(small.borders, found) + _CUT_OFF * at_border(found).mean()
    return _Candidate(found, own + around - against + _LARGE * math.log2(found.mean()))


def _without_cut_off(found: Bits) -> Bits:
    """Without parts that lie at the border, but for the largest."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    if count < 3:
        return found
    rows, columns = found.shape
    rim = _RIM * max(rows, columns)
    left, top, width, height, area = stats.T
    at_rim = (left < rim) | (top < rim) | (left + width > columns - rim) | (top + height > rows - rim)
    wanted = ~at_rim | (area == area[1:].max())
    wanted[0] = False
    return np.asarray(wanted[labels])
