"""A picture's subject: the small copy that it is looked for on, and what strokes make of what stood before.

What the picture itself suggests is `proposing`'s, what a loose outline goes around `inside`'s. The picture is divided
by the looks of both sides (`dividing`); strokes in and out are pixels whose side is known.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.cutting.beside import ColoursBeside, redrawn
from fern_ticket.core.cutting.climbing import climbed
from fern_ticket.core.cutting.counts import ColourCounts
from fern_ticket.core.cutting.dividing import Judge, apart, borders_of, divided, more_like
from fern_ticket.core.cutting.fine_edge import guided
from fern_ticket.core.cutting.focus import in_focus
from fern_ticket.core.cutting.looks import Looks
from fern_ticket.core.cutting.saliency import Features, features_of, saliency, shrunk
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.lab import pixels_to_lab

Bits = NDArray[np.bool_]

#: Long side of the picture that is divided.
SIDE = 336
#: Long side of the picture that sharpness is seen on.
SEEN = 1024
#: Rounds of models and cuts for a stroke, that begins with what stood before.
_ROUNDS_LED = 2
#: Log odds that having stood before brings.
_STOOD = 1.2
#: How much more a look must be like the strokes' than like what stood; change from one pixel to the next that is none.
_ALIKE, _FREE = 1.0, 1.0
#: What is doubted at most, and what may change at most, times what strokes mean; fewer pixels of them tell nothing.
_DOUBTED, _MOST_CHANGED, _TOO_FEW = 4, 4, 30
#: The same where what is added reaches the picture's border, as grounds do.
_MOST_TO_BORDER = 2
#: What is doubted wholly leans a little to the strokes' side.
_TURNED = 1.15
#: How far beside them strokes mean as much as under them, pixels of the small copy.
_NEAR = 5
#: Share of both sides' pixels that colours alone must give to their own side, to be all that is asked.
_TELLING = 0.88
#: What lightness, sharpness and a whole side of the picture are in a look, beside CIELAB's a and b.
_LIGHTNESS, _SHARP, _PLACE = 0.6, 0.25, 4.0
#: Parts smaller than this share of the largest are dropped, and holes smaller than this share of the picture filled.
_PART, _HOLE = 0.04, 0.003


@dataclass(frozen=True)
class Small:
    """A small copy of a picture, as it is divided.

    Attributes
    ----------
    pixels, seen
        sRGB encoded, shape (rows, columns, 3), long side `SIDE`; and what that was made of.
    stands_out
        Saliency, 0-1.
    features
        What that was found from, of `features_of`.
    looks, borders
        As `divided` takes them.
    colours
        CIELAB.
    """

    pixels: NDArray[np.uint8]
    seen: NDArray[np.uint8]
    stands_out: Alpha
    looks: Looks
    colours: NDArray[np.float32]
    borders: NDArray[np.float32]
    features: Features

    @cached_property
    def in_focus(self) -> Alpha | None:
        """How far each place is in focus, 0-1; None where the lens does not tell."""
        return in_focus(self.seen, (self.pixels.shape[1], self.pixels.shape[0]))

    @cached_property
    def counts(self) -> ColourCounts:
        """How often each of its colours lies where."""
        return ColourCounts(self.colours)

    @cached_property
    def beside(self) -> ColoursBeside:
        """Which of its colours lie near each place."""
        return ColoursBeside(self.colours)

    def more_like(self, one: Alpha, other: Alpha) -> Alpha:
        """By how much each pixel's look is likelier under the one's weights, log odds."""
        return more_like(self.looks, one, other)

    def more_like_anywhere(self, one: Alpha, other: Alpha) -> Alpha:
        """The same, wherever in the picture they lie."""
        return more_like(self._placeless, one, other)

    @cached_property
    def _placeless(self) -> Looks:
        return np.ascontiguousarray(self.looks[..., :-2])

    def surely_more_like(self, one: Alpha, other: Alpha) -> Alpha:
        """The same, less of it by luck, in twice the time."""
        return more_like(self.looks, one, other, draws=2)


def small_of(pixels: NDArray[np.uint8]) -> Small:
    """What is needed of a picture, from its sRGB; best at some times `SIDE`, so that sharpness shows."""
    seen = shrunk(pixels, SEEN, 1)
    small = shrunk(seen, SIDE, 8)
    size = (small.shape[1], small.shape[0])
    features = features_of(seen)
    colours = pixels_to_lab(np.asarray(cv2.bilateralFilter(small, 5, 20, 2), np.uint8))
    sharp, stands_out = (
        np.asarray(cv2.resize(one, size, interpolation=cv2.INTER_LINEAR), np.float32)
        for one in (features[3], saliency(features))
    )
    y, x = np.mgrid[0 : size[1], 0 : size[0]].astype(np.float32) / max(size)
    weights = np.array((_LIGHTNESS, 1, 1, _SHARP, _PLACE, _PLACE), np.float32)
    looks = np.asarray(np.dstack([colours, sharp, x, y]) * weights, np.float32)
    return Small(small, seen, stands_out, looks, colours, borders_of(colours), features)


def at_border(found: Bits) -> Bits:
    """What of it lies on the picture's border, one side after the other."""
    return np.concatenate([found[0], found[-1], found[:, 0], found[:, -1]])


def led(small: Small, before: Bits, inside: Bits, outside: Bits) -> Bits:
    """The subject as strokes correct it, its edge drawn anew.

    Parameters
    ----------
    before
        What stood before the strokes.
    inside, outside
        Where strokes say that the subject is, and is not; the latter has the last word.
    """
    stood = np.where(before, _STOOD, -_STOOD).astype(np.float32)
    fixed = np.where(outside, -1, np.where(inside, 1, 0)).astype(np.float32)
    taken, given = before & outside, ~before & inside & ~outside
    against = taken | given
    judge = _judge(small, (before | inside) & ~outside)

    def meant(found: Bits) -> Bits:
        found = tidied(found, keep=inside, leave=outside)
        # who only takes away wants nothing added, and the other way round
        if taken.any() and not given.any():
            return found & before
        return found | before & ~outside if given.any() and not taken.any() else found

    def answer(lean: Alpha) -> Bits:
        return meant(divided(judge, small.borders, lean, fixed, _ROUNDS_LED))

    found = None
    if np.count_nonzero(against) >= _TOO_FEW:
        found = answer(stood * (1 - _TURNED * _doubt(small, judge, before, against)))
        if _has_run_away(before, found, against):
            found = None
    return meant(redrawn(small.beside, small.borders, answer(stood) if found is None else found, fixed))


def _has_run_away(before: Bits, found: Bits, against: Bits) -> bool:
    """Whether doubt changed more than strokes can mean, as on white before white."""
    most = _MOST_TO_BORDER if at_border(found & ~before).any() else _MOST_CHANGED
    return bool(np.count_nonzero(found != before) > most * _meant(against, ~against))


def _judge(small: Small, said: Bits) -> Judge:
    """Counts of colours where they alone tell what is said to be the subject from the rest, else models of looks."""
    counted = small.counts.more_often
    tells = said.any() and not said.all() and min(apart(counted, said)) > _TELLING
    return counted if tells else small.surely_more_like


def _doubt(small: Small, judge: Judge, before: Bits, against: Bits) -> Alpha:
    """How much of what stood before is doubted since strokes say otherwise in places, 0-1.

    A stroke seldom covers all that is wrong: what looks like it is doubted too, and what is reached from it without an
    edge between; of either no more than some times what the strokes mean.
    """
    doubt = np.zeros(before.shape, np.float32)
    contrast = _contrast(small.colours, before)
    for stood in (before, ~before):
        said, rest = against & stood, stood & ~against
        if min(np.count_nonzero(said), np.count_nonzero(rest)) < _TOO_FEW:
            continue
        share = min(1.0, _DOUBTED * _meant(said, stood) / np.count_nonzero(rest))
        like = judge(said.astype(np.float32), rest.astype(np.float32))
        alike = like - max(_ALIKE, float(np.quantile(like[rest], 1 - share)))
        climb = climbed(small.colours, said, np.float32(_FREE))
        reach = min(contrast, float(np.quantile(climb[rest], share))) + 1e-3
        own = np.maximum(1 / (1 + np.exp(-np.clip(alike, -20, 20))), np.exp(-np.square(climb / reach)))
        doubt[rest] = own[rest]
    return doubt


def _meant(said: Bits, stood: Bits) -> int:
    """Pixels that strokes mean at least: those that they cover, and near ones that stood alike, as tips are thin."""
    near = cv2.dilate(said.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _NEAR + 1,) * 2)) > 0
    return int(np.count_nonzero(said | near & stood))


def _contrast(colours: NDArray[np.float32], found: Bits) -> float:
    """Median difference in CIELAB between what lies within and beyond the border of what was found."""
    bits, near = found.astype(np.uint8), np.ones((5, 5), np.uint8)
    rims = [(cv2.dilate(one, near) > 0) & (one == 0) for one in (bits, 1 - bits)]
    means = []
    for rim in rims:
        share = cv2.blur(rim.astype(np.float32), (7, 7))
        means.append(cv2.blur(colours * rim[..., None], (7, 7)) / (share + np.float32(1e-6))[..., None])
    along = rims[0] | rims[1]
    steps = np.sqrt(np.square(means[0] - means[1]).sum(axis=2))[along]
    return float(np.median(steps)) if steps.size else 0.0


def tidied(found: Bits, keep: Bits | None = None, leave: Bits | None = None) -> Bits:
    """Without crumbs and pinholes; what strokes say stays."""
    out = _without_small(found, _PART, keep)
    gaps = ~out
    count, labels, stats, _ = cv2.connectedComponentsWithStats(gaps.astype(np.uint8), connectivity=4)
    for one in range(1, count):
        if stats[one, cv2.CC_STAT_AREA] < _HOLE * found.size and (leave is None or not leave[labels == one].any()):
            out |= labels == one
    return out


def _without_small(found: Bits, share: float, keep: Bits | None) -> Bits:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(found.astype(np.uint8), connectivity=8)
    if count < 3:
        return found.copy()
    areas = stats[1:, cv2.CC_STAT_AREA]
    wanted = [0, *(areas >= share * areas.max())]
    if keep is not None:
        for one in np.unique(labels[keep]):
            wanted[one] = one > 0
    return np.asarray(np.array(wanted, np.bool_)[labels])


def grown(pixels: NDArray[np.uint8], small: Bits, radius: int = 2) -> Alpha:
    """A small answer on a larger picture, its edge drawn to the picture's own.

    Parameters
    ----------
    pixels
        sRGB encoded, shape (rows, columns, 3).
    small
        Of a smaller copy of the same picture.
    radius
        Of the guided filter (He, Sun, Tang 2010), pixels of the small copy.
    """
    size = (pixels.shape[1], pixels.shape[0])
    step = max(1.0, max(size) / max(small.shape))
    soft = np.asarray(cv2.resize(small.astype(np.float32), size, interpolation=cv2.INTER_LINEAR), np.float32)
    found = guided(pixels, soft, max(2, round(radius * step)))
    # crisp again: what is soft is the business of the fine edge
    return np.asarray(np.clip((found - 0.5) * 3 + 0.5, 0, 1), np.float32)
