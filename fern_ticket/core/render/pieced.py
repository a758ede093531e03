"""The repaired photo with pieces laid on it, readable at every level like the photo itself.

A piece is resampled once, from its own pyramid straight to the pixels that are asked for; what lies beside it keeps
every bit. Values are 16-bit, so that what is laid over an 8-bit photo is not rounded before light.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.outlining import Loops
from fern_ticket.core.balance.light import LUMINANCE
from fern_ticket.core.clean.membrane import fill_membrane
from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Decoded, Pixels
from fern_ticket.core.pictures.plane import PlaneMap, box_around, from_level, mapped, scaling, translation
from fern_ticket.core.pictures.profiles import ColourSpace, srgb, srgb_decode
from fern_ticket.core.pictures.pyramid import ArraySource, Source, level_box, level_within, tiles_meeting
from fern_ticket.core.pictures.regions import NOWHERE, Box, joined
from fern_ticket.core.pictures.values import blurred, enlarged, narrowed, rounded
from fern_ticket.core.pieces.blending import Values, blended
from fern_ticket.core.pieces.carried import Thrown, thrown_by
from fern_ticket.core.pieces.likeness import Likeness, likeness
from fern_ticket.core.pieces.matching import bands_of, blur_to_match, grain_to_match, light_to_match
from fern_ticket.core.pieces.operation import Sheet, Tuned
from fern_ticket.core.pieces.placing import inside_of, rim_lines, to_piece
from fern_ticket.core.pieces.reading import contrast_on
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.core.render.resample import Window, beyond_picture, resample, widened
from fern_ticket.core.render.seen import FineView, Keyed, SeenThrough, Way, on_the_flat
from fern_ticket.core.render.sheet_values import fitted, grain_of, in_space, in_srgb, lay_over, linear, relight
from fern_ticket.core.render.thrown import light_left, reach_of
from fern_ticket.core.source.operation import Altered

#: Long side of the window on which a piece's colours are led to its rim's, and lent light is measured.
_SMALL = 256
#: Long side of pictures that are compared to tell where a piece belongs, pixels at most.
_LOOKED_ON = 2400
#: How far around a place of its rim grain and crispness are looked at, pixels at full size.
_CLOSE = 500
#: What of the brightness of its light a piece lends, beside all of its colour.
_LENT_BRIGHTNESS = 0.35
#: Rows of a sheet on the level on which the lowest place that it covers is looked for.
_TALL = 1024
#: Side of what of a sheet is laid on at once, pixels.
_AT_ONCE = 1024
_EVERYWHERE = Box(-(2**24), -(2**24), 2**24, 2**24)
_TOP = np.float32(65535)


class Lender(Protocol):
    """The picture that a sheet shows."""

    def developed(self, to_own: PlaneMap, size: tuple[int, int], cover: Cover | None, *, fine: bool) -> Window:
        """sRGB with the sheet's own steps of light, shape (rows, columns, 3), uint16.

        At the soft edge of a cover, colours are those of what is covered, without its old ground's.
        """

    def as_it_is(
        self, space: ColourSpace, to_own: PlaneMap, size: tuple[int, int], cover: Cover | None, *, fine: bool
    ) -> Window | None:
        """The same in a space where its values mean the same; None where they do not, or it has light of its own."""

    def coverage_under(self, cover: Cover, to_own: PlaneMap, size: tuple[int, int]) -> Alpha:
        """Of a cover of its pixels."""

    def outlines_of(self, cover: Cover, wider: float = 0) -> Loops:
        """Of a cover of its pixels, in them, so far outside of it."""


#: How far each pixel of a window is covered, 0-1: `(to_source, size)` to shape (rows, columns).
Within = Callable[[PlaneMap, tuple[int, int]], Alpha]


@dataclass(frozen=True, eq=False)
class Lying:
    """A sheet on the photo.

    Attributes
    ----------
    key
        Changes when any of its pixels can have changed.
    step
        That laid it.
    lender
        None for what is drawn.
    within
        Gives how far it may lie at photo places; None for wherever it reaches.
    """

    key: str
    step: str
    sheet: Sheet
    strength: float
    lender: Lender | None
    within: Within | None

    @property
    def plain(self) -> bool:
        """Whether it is laid on as it is."""
        sheet = self.sheet
        return (
            sheet.draw is None
            and sheet.tuned == Tuned()
            and sheet.blend == "normal"
            and not (sheet.melt or sheet.glass)
        )

    @cached_property
    def plane(self) -> PlaneMap:
        """Photo places to places of the picture that it shows."""
        return translation(*self.sheet.origin) @ to_piece(self.sheet.corners, self.sheet.size)

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        return np.array(self.sheet.corners, np.float64)

    def box(self, size: tuple[int, int]) -> Box:
        """The photo's pixels that it can change."""
        whole = Box(0, 0, *size)
        if self.sheet.lends:
            return whole
        if self.sheet.view is None:
            return self._changes(whole)
        seen = self.seen(self.sheet.view, size)
        return NOWHERE if seen is None else joined(seen[0].footprint(seen[0].whole))

    def seen(self, view: ViewChart, size: tuple[int, int]) -> tuple[Chart, Lying] | None:
        """For one in a view: as much of that as it can change, and the sheet as it lies on it; None for nothing.

        How far it may lie, and the light that it lends, are the flat picture's.
        """
        fine = FineView.of(view, size)
        plain = replace(self, within=None, sheet=replace(self.sheet, view=None, lends=0.0))
        there = plain.thrown_to(scaling(fine.times, fine.times))
        room = there._changes(fine.most)
        if room.empty:
            return None
        return fine.onto(room), there.thrown_to(translation(-room.left, -room.top))

    def _changes(self, whole: Box) -> Box:
        """The pixels that it can change of what it is laid on."""
        # its foot is not known before it is drawn: what it throws may begin at any place of it
        thrown = (
            ()
            if self.sheet.shade is None
            else [part for foot in self.ends for part in thrown_by(self.sheet.shade, self.ends[0], foot)]
        )
        return joined([self.reach(0, whole), reach_of(thrown, self.corners, 0, whole)])

    @property
    def ends(self) -> tuple[float, float]:
        """The highest and the lowest y of its corners, photo pixels."""
        return float(self.corners[:, 1].min()), float(self.corners[:, 1].max())

    def thrown_to(self, onto: PlaneMap) -> Lying:
        """The same sheet laid elsewhere by a map of the photo's plane."""
        a, b, c, d = ((float(x), float(y)) for x, y in mapped(onto, *self.corners.T).T)
        return replace(self, sheet=replace(self.sheet, corners=(a, b, c, d)))

    def reach(self, level: int, box: Box) -> Box:
        """Pixels of a level that its own corners and their rim go around, within a box."""
        rim = self.sheet.softened / 2 ** (level + 1) + 1
        x, y = self.corners.T / 2.0**level
        place = box_around(x, y, rim).within(box)
        return NOWHERE if place.empty else place


class Pieced(Altered):
    """A picture with sheets on it, the lowest first; not `fine` for frames that the next one replaces."""

    def __init__(self, below: Keyed, name: str, lying: Sequence[Lying], cache: ByteCache, *, fine: bool) -> None:
        super().__init__(below)
        self._fine = fine
        self._below = below
        self._lying = tuple(lying)
        self._cache = cache
        self._name = name
        self._views: dict[int, _InView | None] = {}

    @property
    def dtype(self) -> np.dtype[np.uint8] | np.dtype[np.uint16]:
        return np.dtype(np.uint16)

    @cached_property
    def laid(self) -> dict[str, Box]:
        """What identifies each sheet as it lies, and where."""
        return {one.key: one.box(self.size) for one in self._lying}

    @cached_property
    def key(self) -> str:
        return hashlib.sha256(" ".join([self._below.key, *self.laid, str(self._fine)]).encode()).hexdigest()

    def read(self, level: int, box: Box) -> Pixels:
        pixels = widened(self._below.read(level, box))
        return self._covered_by(pixels, level, box, len(self._lying))

    def _covered_by(self, pixels: Window, level: int, box: Box, count: int) -> Window:
        """With the lowest sheets laid on, in place."""
        for number, one in enumerate(self._lying[:count]):
            if one.sheet.lends:
                self._lend(one, number, pixels, level, box)
            if one.sheet.view is not None:
                self._lay_through(one, number, pixels, level, box)
                continue
            if one.sheet.shade is not None:
                self._darken(one, number, pixels, level, box)
            self._lay(one, number, pixels, level, box)
        return pixels

    # ------------------------------------------------------------------------------------------ beside its ground

    def sheet_of(self, step: str) -> Sheet | None:
        """The first sheet that a step lays; None where it lays none."""
        found = self._of(step)
        return None if found is None else found[1].sheet

    def _of(self, step: str) -> tuple[int, Lying] | None:
        return next(((number, one) for number, one in enumerate(self._lying) if one.step == step), None)

    def outlines_of(self, step: str) -> Loops:
        """Closed outlines of a step's piece as it lies, photo pixels; none for a step that lays none."""
        found = self._of(step)
        if found is None:
            return []
        _, one = found
        if one.sheet.cover is None or one.lender is None:
            loops = [one.corners]
        else:
            to_photo = np.linalg.inv(one.plane)
            loops = [mapped(to_photo, *np.array(loop).T).T for loop in one.lender.outlines_of(one.sheet.cover)]
        if one.sheet.view is not None:
            chart = one.sheet.view.chart(self.size)
            loops = [on_the_flat(chart, loop) for loop in loops]
        return [[(float(x), float(y)) for x, y in loop] for loop in loops]

    def cut_along(self, step: str, wider: float) -> Loops:
        """Closed outlines of what a step's piece is cut to, in its picture's pixels, so far outside of it; none for one
        that is laid whole."""
        found = self._of(step)
        if found is None or found[1].sheet.cover is None or found[1].lender is None:
            return []
        return found[1].lender.outlines_of(found[1].sheet.cover, wider)

    def match(self, step: str) -> dict[str, float]:
        """What would fit a step's piece to its surroundings, by parameter; nothing where that cannot be said."""
        found = self._of(step)
        if found is None or found[1].lender is None:
            return {}
        number, one = found
        if one.sheet.view is not None:
            seen = self._seen(number)
            return {} if seen is None else seen.match(step)
        plain = replace(one.sheet, tuned=Tuned(), melt=0.0, glass=0.0, lends=0.0, opacity=1.0, blend="normal")
        return self._match(replace(one, sheet=plain, strength=1.0), number)

    def _match(self, one: Lying, number: int) -> dict[str, float]:
        level, small = self._small_place(one, 4 * _SMALL)
        if small.empty:
            return {}
        around = small.grown(max(8, max(small.width, small.height) // 2)).within(level_box(self.size, level))
        own, below, share = self._compared(one, number, level, around)
        found = light_to_match(own, below, share)
        if not found:
            return {}
        rows, columns = np.nonzero(bands_of(share)[0])
        middle = len(rows) // 2
        x, y = (around.left + int(columns[middle])) << level, (around.top + int(rows[middle])) << level
        close = Box(x, y, x, y).grown(_CLOSE).within(level_box(self.size, 0))
        own, below, share = self._compared(one, number, 0, close)
        bands = bands_of(share)
        found["grain"] = grain_to_match(own, below, *bands)
        found["blur"] = blur_to_match(own, below, *bands)
        return found

    def likeness(self, step: str) -> Likeness | None:
        """Where what a step's piece shows is seen below it: its corners as they are told, its error in photo pixels."""
        found = self._of(step)
        if found is None or found[1].lender is None:
            return None
        number, one = found
        assert one.lender is not None
        ground, larger = self._lower(number), 1.0
        if one.sheet.view is not None:
            fine = FineView.of(one.sheet.view, self.size)
            ground, larger = SeenThrough(ground, fine.chart), 1 / fine.times
        level = level_within(ground, _LOOKED_ON)
        below = narrowed(ground.read(level, level_box(ground.size, level)))
        shrink = max(1.0, max(one.sheet.size) / _LOOKED_ON)
        size = (round(one.sheet.size[0] / shrink), round(one.sheet.size[1] / shrink))
        to_own = translation(*one.sheet.origin) @ scaling(one.sheet.size[0] / size[0], one.sheet.size[1] / size[1])
        own = narrowed(one.lender.developed(to_own, size, None, fine=True))
        alike = likeness(own, below)
        if alike is None:
            return None
        times = 2.0**level
        a, b, c, d = ((larger * times * x, larger * times * y) for x, y in alike.corners)
        return replace(alike, corners=(a, b, c, d), error=alike.error * times)

    def _lower(self, number: int) -> Keyed:
        """What a sheet lies on."""
        return (
            Pieced(self._below, self._name, self._lying[:number], self._cache, fine=self._fine)
            if number
            else self._below
        )

    def standing(self, step: str) -> tuple[float, float] | None:
        """The highest and the lowest y that a step's piece covers, as its corners are told; None for one that throws
        no shadow."""
        found = self._of(step)
        if found is None or found[1].sheet.shade is None:
            return None
        number, one = found
        if one.sheet.view is None:
            return self._standing(one, number)
        seen = self._seen(number)
        ends = None if seen is None else seen.standing(step)
        if seen is None or ends is None:
            return None
        # told in the view's own pixels: the corners say how far it was moved, and by how much enlarged
        (first, last), (top, bottom) = one.ends, seen.one.ends
        times = (last - first) / (bottom - top)
        return first + times * (ends[0] - top), first + times * (ends[1] - top)

    def contrast_of_text(self, step: str) -> float | None:
        """WCAG's ratio of a step's text to what lies under it; None for a step that is none."""
        found = self._of(step)
        if found is None or found[1].sheet.draw is None:
            return None
        number, one = found
        if one.sheet.view is not None:
            seen = self._seen(number)
            return None if seen is None else seen.contrast_of_text(step)
        level, place = self._small_place(one)
        if place.empty:
            return None
        below = in_srgb(self._beneath(number, level, place), self.space)
        return contrast_on(one.sheet.colour, below, self._share(one, level, place))

    def _compared(self, one: Lying, number: int, level: int, place: Box) -> tuple[Values, Values, Alpha]:
        """A sheet, what lies under it, both sRGB encoded, and how far it covers that."""
        own = self._developed(one, level, place).astype(np.float32) / _TOP
        below = in_srgb(self._beneath(number, level, place), self.space)
        return own, below, self._share(one, level, place)

    def _beneath(self, number: int, level: int, place: Box) -> Values:
        """What lies under a sheet, encoded as the photo is, 0-1."""
        below = self._covered_by(widened(self._below.read(level, place)), level, place, number)
        return below.astype(np.float32) / _TOP

    # ------------------------------------------------------------------------------------------------ one sheet

    def _lay(self, one: Lying, number: int, pixels: Window, level: int, box: Box) -> None:
        place = one.reach(level, box)
        if place.empty:
            return
        share = self._share(one, level, place)
        # by parts, so that of one that lies askew only what it reads there is read, and nothing where it does not lie
        for part in place.blocks(_AT_ONCE, _AT_ONCE):
            inside = part.relative_to(place)
            x, y, width, height = cv2.boundingRect((share[inside.rows, inside.columns] > 0).view(np.uint8))
            if width:
                covered = Box(0, 0, width, height).moved(part.left + x, part.top + y)
                there, here = covered.relative_to(box), covered.relative_to(place)
                target, own_share = pixels[there.rows, there.columns], share[here.rows, here.columns]
                lay_over(target, self._colours(one, number, target, level, covered), own_share)

    def _colours(self, one: Lying, number: int, onto: Window | None, level: int, place: Box) -> Window:
        """What is seen at a place where a sheet covers wholly what is below it; which is read where it is not given."""
        plain = self._plain(one, level, place) if one.plain else None
        if plain is not None:
            return plain
        own = self._own(one, number, level, place)
        if one.sheet.melt:
            own = own + np.float32(one.sheet.melt) * self._melting(one, number, level, place)
        if not one.sheet.glass and one.sheet.blend == "normal":
            return rounded(own * _TOP, np.uint16)
        if onto is None:
            onto = self._covered_by(widened(self._below.read(level, place)), level, place, number)
        below = onto.astype(np.float32) / _TOP
        if one.sheet.glass:
            own = own + np.float32(one.sheet.glass) * (blended(below, np.clip(own, 0, 1), "screen") - own)
        mixed = own if one.sheet.blend == "normal" else blended(below, np.clip(own, 0, 1), one.sheet.blend)
        return rounded(mixed * _TOP, np.uint16)

    # ------------------------------------------------------------------------------------- one that lies in a view

    def _seen(self, number: int) -> _InView | None:
        """What is seen in the view that a sheet lies in, as far as it can change that, with the sheet on it."""
        if number not in self._views:
            one = self._lying[number]
            found = None if one.sheet.view is None else one.seen(one.sheet.view, self.size)
            self._views[number] = None
            if found is not None:
                chart, there = found
                view = SeenThrough(self._lower(number), chart)
                self._views[number] = _InView(view, self._name, there, self._cache, fine=self._fine)
        return self._views[number]

    def _lay_through(self, one: Lying, number: int, pixels: Window, level: int, box: Box) -> None:
        """Lay a sheet onto what is seen in its view, and bring that back to the flat picture."""
        seen = self._seen(number)
        if seen is None:
            return
        for way in seen.view.ways(level, box):
            inside = way.flat.relative_to(box)
            seen.lay_back(way, pixels[inside.rows, inside.columns], level, one.within)

    # ------------------------------------------------------------------------------------- what all are laid by

    def _share(self, one: Lying, level: int, place: Box) -> Alpha:
        """How far a sheet covers pixels of a level, 0-1."""
        sheet, size = one.sheet, (place.width, place.height)
        to_source = from_level(level, place.left, place.top)
        corners = (one.corners / 2.0**level) - (place.left, place.top)
        share = np.empty((size[1], size[0]), np.float32)
        most = np.float32(sheet.opacity * one.strength)
        inside_of(rim_lines(corners), np.float32(max(1.0, sheet.softened / 2**level)), most, share)
        to_own = one.plane @ to_source
        if sheet.draw is not None:
            share = share * self._ink(one, level, place)
        elif sheet.cover is not None and one.lender is not None:
            share = share * one.lender.coverage_under(sheet.cover, to_own, size)
        if one.within is not None:
            share = share * one.within(to_source, size)
        return share

    def _own(self, one: Lying, number: int, level: int, place: Box) -> Values:
        """A sheet's pixels, encoded as the photo's are, 0-1, with its light and structure fitted."""
        sheet, size = one.sheet, (place.width, place.height)
        if sheet.draw is not None:
            ink = np.broadcast_to(np.array(sheet.colour, np.float32) / 255, (size[1], size[0], 3))
            return in_space(np.ascontiguousarray(ink), self.space)
        tuned = sheet.tuned
        wide = read = place
        if tuned.blur:
            wide = place.grown(math.ceil(3 * tuned.blur / 2**level) + 1)
            # beyond a sheet a filter meets but the colours of its edge, however far that is in a small one's own pixels
            read = one.reach(level, wide)
        values: Values = self._developed(one, level, read).astype(np.float32) / _TOP
        if tuned.gains != (1.0, 1.0, 1.0) or tuned.contrast != 1:
            middle = self._middle(one, number) if tuned.contrast != 1 else 0.18
            values = fitted(values, tuned, middle)
        if tuned.blur:
            within, inner = read.relative_to(wide), place.relative_to(wide)
            rows, columns = (within.top, wide.height - within.bottom), (within.left, wide.width - within.right)
            values = np.pad(values, (rows, columns, (0, 0)), "edge")
            values = blurred(values, tuned.blur / 2**level)[inner.rows, inner.columns]
        if tuned.grain:
            values += np.float32(tuned.grain / 255) * grain_of(place.left, place.top, level, *size)
        return in_space(values, self.space)

    def _developed(self, one: Lying, level: int, place: Box) -> Window:
        assert one.lender is not None
        size = (place.width, place.height)
        return one.lender.developed(
            one.plane @ from_level(level, place.left, place.top), size, one.sheet.cover, fine=self._fine
        )

    def _plain(self, one: Lying, level: int, place: Box) -> Window | None:
        """A sheet's pixels in the photo's space, where they need not be converted to it."""
        assert one.lender is not None
        if self.space.is_srgb:
            return self._developed(one, level, place)
        size = (place.width, place.height)
        to_own = one.plane @ from_level(level, place.left, place.top)
        return one.lender.as_it_is(self.space, to_own, size, one.sheet.cover, fine=self._fine)

    def _ink(self, one: Lying, level: int, place: Box) -> Alpha:
        """Coverage of what is drawn, 0-1. Ink is one colour: to soften it is to soften what it covers."""
        sheet, blur = one.sheet, one.sheet.tuned.blur / 2**level

        def make() -> ArraySource:
            assert sheet.draw is not None
            ink = np.repeat(sheet.draw()[..., None], 3, axis=2)
            return ArraySource(Decoded(ink, srgb(), "", b""))

        weigh = 4 * sheet.size[0] * sheet.size[1]
        source: Source = self._cache.get_or_make(Key("ink", sheet.key), make, lambda _: weigh)
        # read beyond the place, so that it is softened the same wherever a window ends
        wide = place.grown(math.ceil(3 * blur) + 1) if blur else place
        to_own = one.plane @ from_level(level, wide.left, wide.top)
        window = resample(source, to_own, (wide.width, wide.height), fine=self._fine)
        outside = beyond_picture(to_own, (wide.width, wide.height), source.size)
        ink = window[..., 0].astype(np.float32) / _TOP
        if outside is not None:
            ink[outside] = 0
        inner = place.relative_to(wide)
        return blurred(ink, blur)[inner.rows, inner.columns]

    # ------------------------------------------------------------------------------------------ what it throws

    def _darken(self, one: Lying, number: int, pixels: Window, level: int, box: Box) -> None:
        """The shadow that a sheet throws on what lies below it."""
        parts = self._thrown(one, number)
        place = reach_of(parts, one.corners, level, box)
        if place.empty:
            return

        def share_of(onto: PlaneMap, at: int, wide: Box) -> Alpha:
            elsewhere = one.thrown_to(onto)
            share = np.zeros((wide.height, wide.width), np.float32)
            covered = elsewhere.reach(at, wide)
            if not covered.empty:
                inside = covered.relative_to(wide)
                share[inside.rows, inside.columns] = self._share(elsewhere, at, covered)
            return share

        left = light_left(parts, one.corners, share_of, level, place)
        inside = place.relative_to(box)
        relight(pixels[inside.rows, inside.columns], left, self.space)

    def _thrown(self, one: Lying, number: int) -> list[Thrown]:
        """The parts of its shadow, from the lowest place that it covers."""
        assert one.sheet.shade is not None
        top, foot = self._standing(one, number)
        return thrown_by(one.sheet.shade, top, foot)

    def _standing(self, one: Lying, number: int) -> tuple[float, float]:
        """The highest and the lowest y that a sheet covers, photo pixels; beyond the photo's edges too."""

        def make() -> tuple[float, float]:
            top, foot = one.ends
            level = max(0, math.ceil(math.log2(max(foot - top, 1) / _TALL)))
            place = one.reach(level, _EVERYWHERE)
            if place.empty or one.sheet.cover is None:
                return top, foot
            plain = replace(one, within=None, strength=1.0)
            rows = np.flatnonzero((self._share(plain, level, place) > 0.5 * one.sheet.opacity).any(axis=1))
            if not len(rows):
                return top, foot
            return float((place.top + rows[0]) << level), float((place.top + rows[-1] + 1) << level)

        return self._kept("where a piece stands", number, make)  # type: ignore[no-any-return]

    # --------------------------------------------------------------------------------- what is measured once

    def _small_place(self, one: Lying, side: int = _SMALL) -> tuple[int, Box]:
        """A level on which a sheet has at most so many pixels on its long side, and its place there."""
        own = one.reach(0, Box(0, 0, *self.size))
        level = 0
        while level < self.levels - 1 and max(own.width, own.height) >> level > side:
            level += 1
        return level, one.reach(level, level_box(self.size, level))

    def _kept(self, what: str, number: int, make: Callable[[], Any]) -> Any:
        """Measured once of a sheet as it lies on the photo and on the sheets below it."""
        keys = tuple(one.key for one in self._lying[: number + 1])
        key = Key(what, (self._name, self._below.key, keys, self._fine))
        return self._cache.get_or_make(key, make, lambda _: 12 * _SMALL * _SMALL)

    def _middle(self, one: Lying, number: int) -> float:
        """The geometric mean of a sheet's linear luminance, before its light is fitted."""

        def make() -> float:
            level, place = self._small_place(one)
            if place.empty:
                return 0.18
            share = self._share(one, level, place) + np.float32(1e-6)
            light = srgb_decode(self._developed(one, level, place) / _TOP) @ np.array(LUMINANCE)
            return float(np.exp(np.average(np.log(np.maximum(light, 1e-4)), weights=share)))

        return float(self._kept("piece's middle tone", number, make))

    def _melting(self, one: Lying, number: int, level: int, place: Box) -> Values:
        """What leads a sheet's colours to those along its rim: the membrane through the differences there."""

        def make() -> tuple[int, Box, NDArray[np.float32]]:
            small, where = self._small_place(one)
            if where.empty:
                return small, where, np.zeros((1, 1, 3), np.float32)
            covered = self._share(replace(one, strength=1.0), small, where) > 0.5 * one.sheet.opacity
            rim = covered & (cv2.erode(covered.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) == 0)
            off = self._beneath(number, small, where) - self._own(one, number, small, where)
            return small, where, fill_membrane(off, covered & ~rim, rim)

        small, where, off = self._kept("piece melted", number, make)
        if where.empty:
            return np.zeros((place.height, place.width, 3), np.float32)
        return enlarged(off, place, 2.0 ** (small - level), (where.left, where.top))

    def _lend(self, one: Lying, number: int, pixels: Window, level: int, box: Box) -> None:
        """The photo beside a sheet in the colour of the sheet's light."""
        gains = self._lent(one, number) ** (one.sheet.lends * one.strength)
        beside = 1 - self._flat_share(one, number, level, box)
        relight(pixels, 1 + beside[..., None] * (gains - 1).astype(np.float32), self.space)

    def _lent(self, one: Lying, number: int) -> NDArray[np.float64]:
        """Factors of the photo's own linear light that bring what a sheet covers to the sheet's, mostly in colour."""
        if one.sheet.view is not None:
            seen = self._seen(number)
            return np.ones(3) if seen is None else seen._lent(seen.one, 0)

        def make() -> NDArray[np.float64]:
            small, where = self._small_place(one)
            if where.empty:
                return np.ones(3)
            share = self._share(one, small, where).astype(np.float64)
            if not share.any():
                return np.ones(3)
            before, after = self._beneath(number, small, where), self._own(one, number, small, where)
            means = [
                np.average(linear(values, self.space).reshape(-1, 3), axis=0, weights=share.ravel())
                for values in (before, after)
            ]
            before, after = (np.maximum(mean, 1e-3) for mean in means)
            gains, brightness = after / before, float(np.dot(LUMINANCE, after) / np.dot(LUMINANCE, before))
            return np.asarray(gains / brightness * brightness**_LENT_BRIGHTNESS)

        return np.asarray(self._kept("light lent", number, make))

    def _flat_share(self, one: Lying, number: int, level: int, box: Box) -> Alpha:
        """How far a sheet covers pixels of a level of the flat picture, wherever it lies, 0-1."""
        share = np.zeros((box.height, box.width), np.float32)
        if one.sheet.view is None:
            place = one.reach(level, box)
            if not place.empty:
                inside = place.relative_to(box)
                share[inside.rows, inside.columns] = self._share(one, level, place)
            return share
        seen = self._seen(number)
        if seen is None:
            return share
        for way in seen.view.ways(level, box):
            inside = way.flat.relative_to(box)
            share[inside.rows, inside.columns] = seen.share_on_flat(way, level)
        return share


class _InView(Pieced):
    """A view into a flat panorama with one sheet on it."""

    def __init__(self, view: SeenThrough, name: str, one: Lying, cache: ByteCache, *, fine: bool) -> None:
        super().__init__(view, name, [one], cache, fine=fine)
        self.view, self.one = view, one

    def lay_back(self, way: Way, target: Window, level: int, within: Within | None) -> None:
        """The sheet on the flat picture's pixels, and what it throws there, in place."""
        there = self._over(level, way.place)
        if there.thrown is not None:
            target[:] = rounded(target + way.change(there.thrown), np.uint16)
        if not there.share.any():
            return
        laid = way.share(there.share)
        if within is not None:
            laid *= within(from_level(level, way.flat.left, way.flat.top), (way.flat.width, way.flat.height))
        lay_over(target, way.colours(there.colours), laid)

    def share_on_flat(self, way: Way, level: int) -> Alpha:
        """How far the sheet covers the flat picture's pixels, 0-1."""
        return way.share(self._over(level, way.place).share)

    def _over(self, level: int, place: Box) -> _Over:
        """The sheet over a place, from tiles: places that meet the same of the flat picture overlap."""
        whole = level_box(self.size, level)
        out = _Over.empty(place, throws=self.one.sheet.shade is not None)
        for _, _, tile in tiles_meeting(place):
            own = tile.within(whole)
            key = Key("seen tile", (self.key, level, own))
            made: _Over = self._cache.get_or_make(key, partial(self._made, level, own), _weight)
            out.take(made, own, place)
        return out

    def _made(self, level: int, place: Box) -> _Over:
        one, onto, thrown = self.one, None, None
        if one.sheet.shade is not None:
            lit = self.view.read(level, place)
            onto = lit.copy()
            self._darken(one, 0, onto, level, place)
            thrown = onto.astype(np.float32) - lit.astype(np.float32)
        return _Over(self._colours(one, 0, onto, level, place), self._share(one, level, place), thrown)


@dataclass(frozen=True)
class _Over:
    """A sheet over a place of what it lies on.

    Attributes
    ----------
    colours
        What is seen where it covers wholly.
    share
        How far it covers, 0-1.
    thrown
        By how much its shadow changes what is there; None for one that throws none.
    """

    colours: Window
    share: Alpha
    thrown: Values | None

    @classmethod
    def empty(cls, place: Box, *, throws: bool) -> _Over:
        rows, columns = place.height, place.width
        thrown = np.zeros((rows, columns, 3), np.float32) if throws else None
        return cls(np.zeros((rows, columns, 3), np.uint16), np.zeros((rows, columns), np.float32), thrown)

    def take(self, made: _Over, own: Box, place: Box) -> None:
        """What another has where both places meet."""
        shared = own.within(place)
        mine, theirs = shared.relative_to(place), shared.relative_to(own)
        self.colours[mine.rows, mine.columns] = made.colours[theirs.rows, theirs.columns]
        self.share[mine.rows, mine.columns] = made.share[theirs.rows, theirs.columns]
        if self.thrown is not None and made.thrown is not None:
            self.thrown[mine.rows, mine.columns] = made.thrown[theirs.rows, theirs.columns]


def _weight(one: _Over) -> int:
    return one.colours.nbytes + one.share.nbytes + (0 if one.thrown is None else one.thrown.nbytes)
