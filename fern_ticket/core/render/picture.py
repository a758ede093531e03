"""A photo under a ledger: views for the bench, the whole for delivery."""

from __future__ import annotations

import hashlib
import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.areas.covering import covered, covered_on
from fern_ticket.core.areas.ground import Window as Asked
from fern_ticket.core.areas.outlining import Loops, outlines_of
from fern_ticket.core.balance.light import Covered, Layer, LocalGain, Overview, PixelFunction, Transform
from fern_ticket.core.cutting.edge_colours import edge_colours
from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.ledger.covers import Cover, CoverPart, Sky
from fern_ticket.core.ledger.masks import Alpha
from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.plane import PlaneMap, magnification, mapped_corners, scaling, translation
from fern_ticket.core.pictures.profiles import ColourSpace
from fern_ticket.core.pictures.pyramid import Source, TiledSource, level_box, level_within
from fern_ticket.core.pictures.regions import NOWHERE, Box
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.pictures.values import narrowed, rounded
from fern_ticket.core.pieces.corner_finding import corners_at, softness_of
from fern_ticket.core.pieces.edge_finding import Edge, end_of_sky, straight_edges
from fern_ticket.core.pieces.operation import Sheet
from fern_ticket.core.pieces.placing import Corners
from fern_ticket.core.pieces.skies import PREFIX, opened_sky
from fern_ticket.core.render.around import Developed, FlatTurned, looked
from fern_ticket.core.render.cache import ByteCache, Key, Shelf
from fern_ticket.core.render.cover_ground import CoverGround
from fern_ticket.core.render.developed import DevelopedTiles, lit_key
from fern_ticket.core.render.light import Depth, LightChain, Where, as_small, fused, small_picture
from fern_ticket.core.render.pieced import Lying, Pieced
from fern_ticket.core.render.plan import Lighting, Plan, make_plan
from fern_ticket.core.render.repaired import Pending, Repaired
from fern_ticket.core.render.resample import Window, beyond_picture, nearest, resample, widened
from fern_ticket.core.render.seen import SeenThrough
from fern_ticket.core.source.operation import Keep, Opener, Weakened, no_other
from fern_ticket.core.threads import one_ahead

T = TypeVar("T")

#: Rows of the result that a delivery holds beside the result itself.
_BAND = 256
#: Long side of the small picture that bases and veils are measured on; and of a smaller one for frames under a moving
#: hand, which the next one replaces.
SMALL, SMALL_MOVING = 768, 192
#: Coverage from which on a pixel's own colour is that of what is covered; and the long side of the level, at most, on
#: which colours of an edge are worked out.
_ALL_BUT_WHOLE, _COLOURS_ON = 0.98, 2400
#: Long side of the level that four corners are found on, at most.
_FOUND_ON = 1600
#: The same for edges that pieces are brought onto.
_EDGES_ON = 2000
#: Bands of a delivery after which what was loaded of the source is let go: it is not needed again.
_RELEASED_AFTER = 4
#: Times as many pixels as the photo has from which on they are what lies between those; how many about a view tell
#: that: two on each side; by what share the photo's and the result's pixels differ at most to be as large; and from how
#: many of an enlarged result's pixels on a filter reaches far.
_CLOSER, _BETWEEN, _AS_LARGE, _FAR = 1.5, 3, 0.02, 256
#: Columns of a turned panorama that are made at once.
_TURNED_AT_ONCE = 1024


@dataclass(frozen=True)
class View:
    """What a page looks at.

    Attributes
    ----------
    left, top
        Of the view, in result pixels (or level coordinates when `whole`).
    scale
        Screen pixels for one such pixel.
    width, height
        Of the view in screen pixels.
    whole
        Show the straightened picture with everything the crop leaves out.
    """

    left: float
    top: float
    scale: float
    width: int
    height: int
    whole: bool = False

    def to_framed(self) -> PlaneMap:
        return translation(self.left, self.top) @ scaling(1 / self.scale, 1 / self.scale)


@dataclass(frozen=True)
class _Seen:
    """A resampled view, what of it lies outside the picture, and the repairs that it shows."""

    window: Window
    outside: NDArray[np.bool_] | None
    laid: dict[str, Box]


class LedgerPicture:
    """A source with a ledger applied. Cheap to make: everything costly is computed on reading and cached."""

    def __init__(
        self,
        source: Source,
        name: str,
        steps: Sequence[Step],
        cache: ByteCache,
        other: Opener = no_other,
        small: int = SMALL,
        *,
        background: bool = False,
        shelf: Shelf | None = None,
    ) -> None:
        self._small = small
        other = self._other = _with_skies(other, cache)
        self._source, self._source_name = source, name
        self.plan: Plan = make_plan(steps, source.size)
        self._covers_pending: dict[str, Pending] = {}
        beside: dict[str, Any] = {"background": background, "shelf": shelf}
        #: The photo under its pieces; itself where there are none.
        self.base = self
        self.pieced: Pieced | None = None
        if self.plan.pieces or self.plan.above:
            self.base = LedgerPicture(source, name, _under(steps), cache, other, small, **beside)
        for one in self.plan.sourcing:
            name = f"{name} {one.step.key()}"
            altered = one.operation.alter(one.params, source, other, _keeper(cache, name))
            if altered is not source and one.step.strength < 1:
                altered, name = Weakened(source, altered, one.step.strength), f"{name} {one.step.strength}"
            source = altered
        self._name = name
        self._cache = cache
        self._shelf = shelf
        self._background = background
        self._lent: list[LedgerPicture] = []
        #: Of the photo itself, whatever is laid on it.
        self.depth = source.dtype
        if self.base is self:
            self.repaired = Repaired(source, name, self.plan.repairs, cache, **beside)
        else:
            pieced = self.pieced = Pieced(
                self.base.repaired, name, self._lying(steps), cache, fine=small != SMALL_MOVING
            )
            under: dict[str, Any] = {"under": self.base.repaired, "on_it": pieced.laid}
            self.repaired = Repaired(pieced, f"{name} {pieced.key}", self.plan.above, cache, **under, **beside)

    @property
    def pending(self) -> list[Pending]:
        """Slow repairs and fine edges that what was read so far does without."""
        others = [] if self.base is self else [self.base, *self._lent]
        return [
            *self.repaired.pending,
            *self._covers_pending.values(),
            *(pending for one in others for pending in one._covers_pending.values()),
        ]

    def size_of(self, name: str) -> tuple[int, int]:
        """Of a picture by the name that steps know it by; of the photo itself for no name."""
        return self._other(name).size if name else self.repaired.size

    def _lying(self, steps: Sequence[Step]) -> list[Lying]:
        """The sheets that pieces lay on the photo, with the pictures that they show."""
        found: list[Lying] = []
        for one in self.plan.pieces:
            for sheet in one.sheets(self.base.size_of):
                lender = self._lender(sheet, steps, one.step.id)
                within = None if sheet.within is None else self._within(sheet.within, one.step.id)
                key = self._sheet_key(sheet, one.step.strength, lender)
                found.append(Lying(key, one.step.id, sheet, one.step.strength, lender, within))
        return found

    def _lender(self, sheet: Sheet, steps: Sequence[Step], step: str) -> _Lent | None:
        if sheet.draw is not None:
            return None
        beside: dict[str, Any] = {"small": self._small, "background": self._background}
        source, name = self._source, self._source_name
        if sheet.picture:
            source, name = self._other(sheet.picture), sheet.picture
        under = [] if sheet.picture else _cut_from(steps, step)
        if sheet.cut_in is not None:
            flat = LedgerPicture(source, name, under, self._cache, self._other, **beside).repaired
            source, name = SeenThrough(flat, sheet.cut_in.chart(flat.size)), f"{flat.key} {sheet.cut_in.key()}"
            under = []
        shown = LedgerPicture(source, name, [*under, *sheet.steps], self._cache, self._other, **beside)
        self._lent.append(shown)
        return _Lent(shown, step)

    def _within(self, cover: Cover, step: str) -> Callable[[PlaneMap, tuple[int, int]], Alpha]:
        return lambda to_source, size: self.base.coverage_under(cover, to_source, size, step)

    def _sheet_key(self, sheet: Sheet, strength: float, lender: _Lent | None) -> str:
        """What identifies a sheet as it lies: also by the photo under it where it goes by that, and by which of its
        fine edges are made."""
        base = self.base
        parts = [sheet.key, str(strength)]
        if lender is not None:
            parts.append(lender.shown.repaired.key)
        if sheet.melt or sheet.lends or sheet.within is not None:
            parts.append(base.repaired.key)
        if sheet.within is not None:
            parts.append(str(base._ground().made(sheet.within)))
        if sheet.cover is not None and lender is not None:
            parts.append(str(lender.shown._ground().made(sheet.cover)))
        return hashlib.sha256(" ".join(parts).encode()).hexdigest()

    def coverage_under(self, cover: Cover, to_source: PlaneMap, size: tuple[int, int], step: str = "") -> Alpha:
        """How far a cover covers each pixel of a window, 0-1, shape (rows, columns)."""
        window: Window = np.broadcast_to(np.uint16(0), (size[1], size[0], 3))
        if cover.of_pixels:
            window = resample(self.repaired, to_source, size, fine=True)
        return self._coverage(cover, step)(window, to_source)

    def window_under(
        self, to_source: PlaneMap, size: tuple[int, int], cover: Cover | None, step: str, *, fine: bool
    ) -> Window:
        """The repaired picture on a window, as it is encoded.

        At the soft edge of a cover that is fine the colours are those of what it covers, without its ground's.
        """
        window = resample(self.repaired, to_source, size, fine=fine)
        if cover is None or cover.whole or cover.fine is None:
            return window
        share = self._coverage(cover, step)(window, to_source)
        edge = (share > 0) & (share < _ALL_BUT_WHOLE)
        if not edge.any():
            return window
        return np.where(edge[..., None], self._colours_under(cover, to_source, size, step), window)

    def developed_under(
        self, to_source: PlaneMap, size: tuple[int, int], cover: Cover | None, step: str, *, fine: bool
    ) -> Window:
        """The picture with its light on a window, as `window_under`, sRGB, uint16."""
        where = Where(to_source)
        reach = math.ceil(self.light.reach * where.place().scale) if self.light.reach else 0
        wide = where.moved(-reach, -reach)
        full = (size[0] + 2 * reach, size[1] + 2 * reach)
        window = self.window_under(wide.to_source, full, cover, step, fine=fine)
        lit = self.light.develop(window, wide, np.uint16)[reach : reach + size[1], reach : reach + size[0]]
        return np.asarray(lit, np.uint16)

    @cached_property
    def light(self) -> LightChain:
        """All steps on light and colour. Transforms are kept from frame to frame.

        One that looks at the whole picture holds for it as the steps before leave it; any other for its step alone.
        """
        transforms: list[Transform] = []
        digest = hashlib.sha256(f"{self.repaired.key} {self._small}".encode())
        for lighting in self.plan.lighting:
            around = _Around(self, tuple(transforms), digest.hexdigest())
            transforms += self._transforms(lighting, around)
            digest.update(f"{lighting.step.key()} {lighting.step.strength}".encode())
        return LightChain(self.repaired.space, transforms)

    def _transforms(self, lighting: Lighting, around: _Around) -> list[Transform]:
        """What a step does to light; nothing where it changes nothing."""
        step = lighting.step
        if lighting.operation.layers is not None:
            parts = lighting.operation.layers(lighting.params)
            return [Covered((part.transform,), self._coverage_of_layer(part, step.id), step.strength) for part in parts]
        transform = self._transform(lighting, around)
        return [] if transform is None else [transform]

    def _coverage_of_layer(self, layer: Layer, step: str) -> Callable[[Window, PlaneMap], Alpha]:
        covered = self._coverage(layer.cover, step)
        without = None if layer.without is None else self._coverage(layer.without, step)

        def of(window: Window, to_source: PlaneMap) -> Alpha:
            share = covered(window, to_source if layer.moved is None else layer.moved @ to_source)
            return share if without is None else np.minimum(share, 1 - without(window, to_source))

        return of

    def _transform(self, lighting: Lighting, around: _Around) -> Transform | None:
        if lighting.cover is None:
            return self._uncovered(lighting, around)
        if lighting.operation.within is None:
            transform = self._uncovered(lighting, around)
            coverage = self._coverage(lighting.cover, lighting.step.id)
            return None if transform is None else Covered((transform,), coverage)
        found: list[Transform] = []
        said = ""
        for one in lighting.inner:
            inner = self._uncovered(one, around.after(tuple(found), said))
            said += f" {one.step.key()} {one.step.strength}"
            if inner is not None:
                found.append(inner)
        covered = Covered(tuple(fused(found)), self._coverage(lighting.cover, lighting.step.id), lighting.step.strength)
        return covered if found else None

    def _uncovered(self, lighting: Lighting, around: _Around) -> Transform | None:
        step = lighting.step
        own = f"{step.op} {step.params} {step.strength}"
        key = Key("transform", (own, around.key) if lighting.operation.looks else own)

        def make() -> _Made:
            transform = lighting.operation.transform(lighting.params, around if lighting.operation.looks else _blind)
            return _Made(transform if transform is None or step.strength == 1 else transform.weakened(step.strength))

        return self._cache.get_or_make(key, make, lambda made: _weight(made.transform)).transform

    def _ground(self, step: str = "") -> CoverGround:
        """The photo as covers see it, for a step that has one."""
        pend = self._will_be_made if self._background else None
        return CoverGround(self.repaired, self._name, self._cache, self._other, self._shelf, pend, step)

    def _will_be_made(self, pending: Pending) -> None:
        self._covers_pending[pending.key] = pending

    def _coverage(self, cover: Cover, step: str = "") -> Callable[[Window, PlaneMap], Alpha]:
        ground = self._ground(step)
        unlit = LightChain(self.repaired.space, ())

        # of each cover the window that was looked at last is kept: while a ruler moves, it stays
        key = Key("coverage", (self._name, cover.key()))

        def of(window: Window, to_source: PlaneMap) -> Alpha:
            size = (window.shape[1], window.shape[0])
            place = (to_source.tobytes(), size, self.repaired.key if cover.of_pixels else "", ground.made(cover))
            last: tuple[object, Alpha] | None = self._cache.get(key)
            if last is not None and last[0] == place:
                return last[1]
            asked = Asked(to_source, size, lambda: unlit.linear(window, Where(to_source)))
            found = covered(cover, ground, asked)
            self._cache.put(key, (place, found), found.nbytes)
            return found

        return of

    def cover_of(self, step: str, view: View) -> tuple[Alpha, NDArray[np.bool_]] | None:
        """How far the cover of a step of light covers each pixel of a view, and which of them show the picture.

        None where the step has no cover, or is off.
        """
        cover = self._cover_of(step)
        if cover is None:
            return None
        to_source, size = self.to_source(view), (view.width, view.height)
        if self.plan.frame.state.turn is not None:
            share = self._seen_turned(lambda level, box: self.covered_in(step, level, box), to_source, size)
            outside = beyond_picture(to_source, size, self.repaired.size)
        else:
            seen = self._window(to_source, size, fine=True)
            share, outside = self._coverage(cover, step)(seen.window, to_source), seen.outside
        inside = np.ones((view.height, view.width), np.bool_) if outside is None else ~outside
        if not view.whole:
            inside &= ~_beyond(view, self.plan.frame.size)
        return share, inside

    def covered(self, cover: Cover) -> Alpha:
        """How far a cover covers each pixel of the source at full size, 0-1, shape (rows, columns)."""
        width, height = self.repaired.size
        out = np.empty((height, width), np.float32)
        for band in Box(0, 0, width, height).blocks(width, _BAND):
            window = widened(self.repaired.read(0, band))
            out[band.rows] = self._coverage(cover)(window, translation(0, band.top))
        return out

    def _colours_under(self, cover: Cover, to_source: PlaneMap, size: tuple[int, int], step: str) -> Window:
        """Colours of what a cover covers, smooth along its edge, on a window; encoded as in the source."""
        ground = self._ground(step)
        level = level_within(self.repaired, _COLOURS_ON)

        def make() -> Pixels:
            pixels = self.repaired.read(level, level_box(self.repaired.size, level))
            return widened(edge_colours(pixels, covered_on(level, cover, ground)))

        key = Key("colours of an edge", (self.repaired.key, cover.key(), ground.made(cover)))
        found: Pixels = self._cache.get_or_make(key, make, lambda made: made.nbytes)
        shrink = 2.0**-level
        centred = translation(-0.5, -0.5) @ scaling(shrink, shrink) @ to_source @ translation(0.5, 0.5)
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        warped = cv2.warpPerspective(found, centred, size, flags=flags, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(warped, np.uint16)

    def corners_at(self, at: tuple[float, float], view: ViewChart | None = None) -> tuple[Corners, float] | None:
        """The four corners of what a place lies in, and how wide its edges rise; None where nothing of four sides goes
        around it. Source pixels, or those of the `view` into a panorama that is looked through."""
        seen = self.repaired if view is None else SeenThrough(self.repaired, view.chart(self.repaired.size))
        level = level_within(seen, _FOUND_ON)
        scale = 2.0**level
        found = corners_at(narrowed(seen.read(level, level_box(seen.size, level))), (at[0] / scale, at[1] / scale))
        if found is None:
            return None
        a, b, c, d = ((x * scale, y * scale) for x, y in found)
        low, high = np.min([a, b, c, d], axis=0), np.max([a, b, c, d], axis=0)
        near = Box(int(low[0]), int(low[1]), int(high[0]) + 1, int(high[1]) + 1).grown(16)
        near = near.within(level_box(seen.size, 0))
        grey = np.asarray(widened(seen.read(0, near)).mean(axis=2) / 257, np.float32)
        return (a, b, c, d), softness_of(grey, np.array([a, b, c, d]) - (near.left, near.top))

    def edges(self) -> list[Edge]:
        """The longest straight edges of the repaired photo, the longest first, source pixels."""
        level = level_within(self.repaired, _EDGES_ON)
        scale = 2.0**level
        found = straight_edges(self._ground().shown(level))
        return [(scale * x0, scale * y0, scale * x1, scale * y1) for x0, y0, x1, y1 in found]

    def horizon(self) -> float | None:
        """How far down the photo its sky ends, source pixels; None where it has none, or nothing but sky."""
        level = level_within(self.repaired, _FOUND_ON)
        sky = covered_on(level, Cover(parts=[CoverPart(shape=Sky())]), self._ground()) > 0.5
        ends = end_of_sky(sky)
        return None if ends is None or ends >= sky.shape[0] else ends * 2.0**level

    def outlines_of(self, cover: Cover, wider: float = 0) -> Loops:
        """A cover as closed outlines that run so far outside of it, source pixels.

        Raises LedgerError where it has no edge.
        """
        return outlines_of(cover, self._ground(), wider)

    def view(self, view: View, surround: tuple[int, int, int], *, fine: bool) -> NDArray[np.uint8]:
        """An sRGB frame of the view, shape (height, width, 3); outside the picture lies the surround."""
        frame = self.plan.frame
        if frame.state.turn is not None:
            return self._turned_view(view, surround, fine=fine)
        closer = self._times_closer(view)
        if closer > _CLOSER:
            outside = beyond_picture(self.to_source(view), (view.width, view.height), self.repaired.size)
            return self._edged(view, self._enlarged(view, closer, np.uint8, fine=fine), outside, surround)
        return self._edged(view, *self._lit(view, np.uint8, fine=fine), surround)

    def _lit(self, view: View, depth: Depth, *, fine: bool) -> tuple[Pixels, NDArray[np.bool_] | None]:
        """The picture with its light, on a view; and what of that lies outside the picture."""
        where = self._where(view)
        reach = math.ceil(self.light.reach * where.place().scale) if self.light.reach else 0
        size = (view.width + 2 * reach, view.height + 2 * reach)
        # at its own size the result is seen as it is delivered
        as_delivered = fine and view.scale >= 1
        seen = self._window(where.moved(-reach, -reach).to_source, size, fine=fine, delivered=as_delivered)
        inside = (slice(reach, reach + view.height), slice(reach, reach + view.width))
        pixels = self.light.develop(seen.window, where.moved(-reach, -reach), depth)[inside]
        return pixels, None if seen.outside is None else seen.outside[inside]

    def _where(self, view: View) -> Where:
        to_share = np.eye(3) if view.whole else self.plan.frame.to_share
        return Where(self.to_source(view), to_share @ view.to_framed(), view.scale)

    def _times_closer(self, view: View) -> float:
        """Pixels of a view for one of the photo's; or for one of the result's, where that is made of its own: where it
        is no reduction, and no enlargement in which a filter reaches far."""
        closer = self._where(view).place().scale
        enlarged = closer / view.scale
        far = enlarged > _CLOSER and self.light.reach * enlarged > _FAR
        return closer if far or enlarged < 1 - _AS_LARGE else view.scale

    def _enlarged(self, view: View, times: float, depth: Depth, *, fine: bool) -> Pixels:
        """A view that comes so many times closer than the photo has pixels: those, and smoothly what is between.

        What filters reach, told in the photo's pixels, would else be so many times as much each way: more than there
        is time and memory for, and nothing more to be seen.
        """
        scale = view.scale / times
        left, top = view.left * scale, view.top * scale
        whole = Box(
            math.floor(left) - _BETWEEN,
            math.floor(top) - _BETWEEN,
            math.ceil(left + view.width / times) + _BETWEEN,
            math.ceil(top + view.height / times) + _BETWEEN,
        )
        there = View(whole.left / scale, whole.top / scale, scale, whole.width, whole.height, view.whole)
        pixels, _ = self._lit(there, depth, fine=fine)
        # a pixel's middle lies half of one in
        to_pixels = translation(-0.5, -0.5) @ translation(left - whole.left, top - whole.top)
        to_pixels = to_pixels @ scaling(1 / times, 1 / times) @ translation(0.5, 0.5)
        size, flags = (view.width, view.height), cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        return np.asarray(
            cv2.warpAffine(pixels, to_pixels[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE), depth
        )

    def _turned_view(self, view: View, surround: tuple[int, int, int], *, fine: bool) -> NDArray[np.uint8]:
        """A view of a panorama whose sphere is turned."""
        to_turned = self.to_source(view)
        flat = self._flat_turned(to_turned, (view.width, view.height))
        pixels = looked(flat, self.developed, self.repaired.levels, surround, fine=fine)
        outside = beyond_picture(to_turned, flat.size, flat.picture)
        return self._edged(view, np.asarray(pixels, np.uint8), outside, surround)

    def _flat_turned(self, to_turned: PlaneMap, size: tuple[int, int]) -> FlatTurned:
        state = self.plan.frame.state
        assert state.turn is not None
        picture = self.repaired.size
        return FlatTurned(to_turned, state.turn, size, picture, state.sphere or Sphere.whole(picture))

    def _edged(
        self, view: View, pixels: NDArray[np.uint8], outside: NDArray[np.bool_] | None, surround: tuple[int, int, int]
    ) -> NDArray[np.uint8]:
        """A view with its border and what lies around it."""
        frame = self.plan.frame
        if not view.whole:
            if frame.state.border:
                pixels = np.ascontiguousarray(pixels)
                pixels[_beyond(view, frame.size, frame.margin)] = frame.state.border.colour
                outside = None
            beyond = _beyond(view, frame.size)
            outside = outside | beyond if outside is not None else beyond if beyond.any() else None
        if outside is not None:
            pixels[outside] = surround
        return np.ascontiguousarray(pixels)

    @cached_property
    def tiles(self) -> DevelopedTiles:
        """The picture before it is framed, developed tile by tile."""
        ground = self._ground()
        return DevelopedTiles(
            self.repaired,
            self.light,
            self._cache,
            (self._name, self._small, lit_key(self.plan.lighting, self.repaired.key, ground)),
        )

    def developed(self, level: int, box: Box) -> Pixels:
        """8-bit sRGB of pixels of a level before it is framed, shape (rows, columns, 3)."""
        return self.tiles.read(level, box, np.uint8)

    def covered_by_repairs(self, level: int, box: Box) -> Pixels:
        """How far pixels of a level lie in the mask of a repair, 8 bits, shape (rows, columns, 3)."""
        return self.tiles.grey(("repairs",), level, box, self._coverage_on)

    def has_cover(self, step: str) -> bool:
        """Whether a step of light that is on has a cover."""
        return self._cover_of(step) is not None

    def covered_in(self, step: str, level: int, box: Box) -> Pixels:
        """How far the cover of a step of light covers pixels of a level, as `covered_by_repairs`."""
        cover = self._cover_of(step)
        assert cover is not None
        what = ("cover", cover.key(), self._ground(step).made(cover))
        return self.tiles.grey(
            what, level, box, lambda to_source, size: self.coverage_under(cover, to_source, size, step)
        )

    def _cover_of(self, step: str) -> Cover | None:
        return next((one.cover for one in self.plan.lighting if one.step.id == step), None)

    def reduced(self, long_side: int) -> tuple[NDArray[np.uint8], float]:
        """The whole result with a long side of at most so many pixels, and how many of its pixels one of them is."""
        width, height = self.plan.frame.size
        scale = min(1.0, long_side / max(width, height))
        view = View(0, 0, scale, max(1, round(width * scale)), max(1, round(height * scale)), False)
        return self.view(view, (255, 255, 255), fine=True), 1 / scale

    def to_source(self, view: View) -> PlaneMap:
        """Screen pixels of a view to source pixels."""
        frame = self.plan.frame
        return (frame.state.level_to_source if view.whole else frame.to_source) @ view.to_framed()

    def coverage(self, view: View) -> NDArray[np.float32]:
        """How far each screen pixel of a view lies in the mask of a repair, 0-1, shape (height, width)."""
        to_source, size = self.to_source(view), (view.width, view.height)
        if self.plan.frame.state.turn is not None:
            return self._seen_turned(self.covered_by_repairs, to_source, size)
        return self._coverage_on(to_source, size)

    def _seen_turned(self, covered: Developed, to_turned: PlaneMap, size: tuple[int, int]) -> Alpha:
        """How far pixels of a level are covered, as a panorama whose sphere is turned shows it."""
        flat = self._flat_turned(to_turned, size)
        seen = looked(flat, covered, self.repaired.levels, (0, 0, 0), fine=False)
        return np.asarray(seen[..., 0], np.float32) / np.float32(255)

    def _coverage_on(self, to_source: PlaneMap, size: tuple[int, int]) -> NDArray[np.float32]:
        covered = np.zeros((size[1], size[0]), np.float32)
        for repair in self.plan.repairs:
            place = repair.place
            if place is None or repair.is_limit:
                continue
            box = place.box(self.repaired.size)
            seen = NOWHERE if box.empty else _touched(box, to_source, size)
            if seen.empty:
                continue
            shift = translation(-0.5 - box.left, -0.5 - box.top)
            warp = shift @ to_source @ translation(seen.left + 0.5, seen.top + 0.5)
            flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
            alpha = np.asarray(place.alpha(box), np.float32)
            part = cv2.warpPerspective(alpha, warp, (seen.width, seen.height), flags=flags)
            np.maximum(covered[seen.rows, seen.columns], part, out=covered[seen.rows, seen.columns])
        return covered

    def small_window(self) -> tuple[Window, float]:
        """The whole repaired source, small, encoded as in the source; and its pixels for one source pixel."""

        def read(to_source: PlaneMap, size: tuple[int, int]) -> Window:
            return resample(self.repaired, to_source, size, fine=True)

        return self._cache.get_or_make(
            Key("small", (self.repaired.key, self._small)),
            lambda: small_picture(read, self.repaired.size, self._small),
            lambda made: made[0].nbytes,
        )

    def kept(self, what: str, measure: Callable[[], T]) -> T:
        """Something small that is measured on the repaired source, once for a state of its repairs."""
        return self._cache.get_or_make(Key(what, self.repaired.key), measure, lambda _: 4096)

    def kept_of_source(self, what: str, measure: Callable[[], T], weight: Callable[[T], int] = lambda _: 4096) -> T:
        """Something that is measured on the photo before any repair; small, or of a `weight` in bytes."""
        return self._cache.get_or_make(Key(what, self._name), measure, weight)

    def has(self, what: str) -> bool:
        """Whether something is kept for the repaired source as it is now."""
        return self._cache.get(Key(what, self.repaired.key)) is not None

    def result_box(self, box: Box) -> Box:
        """The result pixels that source pixels lie on; empty where the crop leaves them out."""
        frame = self.plan.frame
        x, y = mapped_corners(np.linalg.inv(frame.to_source) @ translation(box.left, box.top), (box.width, box.height))
        whole = Box(0, 0, *frame.size)
        return Box(math.floor(x.min()), math.floor(y.min()), math.ceil(x.max()), math.ceil(y.max())).within(whole)

    def samples(self, size: tuple[int, int]) -> tuple[Window, Where]:
        """Single full-size pixels of the result in a regular grid of `size`, encoded as in the source, before light."""
        frame = self.plan.frame
        grid = scaling((frame.size[0] - 2 * frame.margin) / size[0], (frame.size[1] - 2 * frame.margin) / size[1])
        to_source = frame.to_source @ translation(frame.margin, frame.margin) @ grid
        window = self._cache.get_or_make(
            Key("samples", (self.repaired.key, to_source.tobytes(), size)),
            lambda: nearest(self.repaired, to_source, size),
            lambda window: window.nbytes,
        )
        return window, Where(to_source, scaling(1 / size[0], 1 / size[1]))

    def _window(self, to_source: PlaneMap, size: tuple[int, int], *, fine: bool, delivered: bool = False) -> _Seen:
        """The resampled view. When only repairs changed since it was last seen, only their places are made anew."""
        key = Key("view", (self._name, to_source.tobytes(), size, fine, delivered))
        seen: _Seen | None = self._cache.get(key)
        changed = None if seen is None else dict(seen.laid.items() ^ self.repaired.laid.items())
        if seen is not None and not changed:
            return seen
        places = [_touched(box, to_source, size) for box in (changed or {}).values()]
        if seen is None or 2 * sum(place.width * place.height for place in places) > size[0] * size[1]:
            window = resample(self.repaired, to_source, size, fine=fine, delivered=delivered)
            outside = beyond_picture(to_source, size, self.repaired.size)
        else:
            window, outside = seen.window.copy(), seen.outside
            for place in places:
                if place.empty:
                    continue
                there = to_source @ translation(place.left, place.top)
                part = resample(self.repaired, there, (place.width, place.height), fine=fine, delivered=delivered)
                window[place.rows, place.columns] = part
        made = _Seen(window, outside, self.repaired.laid)
        self._cache.put(key, made, window.nbytes + (0 if outside is None else outside.nbytes))
        return made

    def deliver(
        self,
        depth: Depth,
        progress: Callable[[float], None] = lambda _: None,
    ) -> Pixels:
        """The whole result, rendered in bands of rows so that only the result itself is held.

        Parameters
        ----------
        depth
            Of the result.
        progress
            Told the share done, 0-1, after each band; may raise to stop.

        Returns
        -------
        sRGB, shape (rows, columns, 3).

        Raises
        ------
        LedgerError
            The crop is enlarged beyond what is made.
        """
        frame = self.plan.frame
        frame.check()
        margin = frame.margin
        out: Pixels = np.empty((frame.size[1], frame.size[0], 3), depth)
        if frame.state.border:
            out[:] = np.multiply(frame.state.border.colour, 1 if depth is np.uint8 else 257)
        width, height = frame.size[0] - 2 * margin, frame.size[1] - 2 * margin
        self.base.repaired.make_all()
        self.repaired.make_all()
        bands = Box(0, 0, width, height).blocks(width, _BAND)
        for number, (band, made) in enumerate(zip(bands, self._bands(bands, depth), strict=True)):
            if number % _RELEASED_AFTER == 0 and isinstance(self._source, TiledSource):
                self._source.release()
            out[margin + band.top : margin + band.bottom, margin : margin + width] = made
            progress(band.bottom / height)
        return out

    def _bands(self, bands: Sequence[Box], depth: Depth) -> Iterator[Pixels]:
        """Bands of the result within its margin.

        The next one is read while one is developed: neither keeps all cores busy all the time.
        """
        frame = self.plan.frame
        margin = frame.margin
        if frame.state.turn is not None:
            yield from (self._turned_band(band.top + margin, band.height, band.width, depth) for band in bands)
            return
        begins = View(margin, margin, 1, 1, 1)
        where, closer = self._where(begins), self._times_closer(begins)
        if closer > _CLOSER:
            for band in bands:
                view = View(margin, margin + band.top, 1, band.width, band.height)
                yield self._enlarged(view, closer, depth, fine=True)
            return
        reach = math.ceil(self.light.reach * where.place().scale) if self.light.reach else 0

        def read(band: Box) -> tuple[Window, Where]:
            wide = where.moved(-reach, band.top - reach)
            size = (band.width + 2 * reach, band.height + 2 * reach)
            return resample(self.repaired, wide.to_source, size, fine=True, delivered=True), wide

        for (window, wide), band in zip(one_ahead(read, bands), bands, strict=True):
            yield self.light.develop(window, wide, depth)[reach : reach + band.height, reach : reach + band.width]

    def _turned_band(self, top: int, rows: int, width: int, depth: Depth) -> Pixels:
        """Rows of a panorama whose sphere is turned: one resampling of what was developed."""
        frame = self.plan.frame
        out: Pixels = np.empty((rows, width, 3), np.uint16)
        for left in range(0, width, _TURNED_AT_ONCE):
            columns = min(_TURNED_AT_ONCE, width - left)
            flat = self._flat_turned(frame.to_source @ translation(frame.margin + left, top), (columns, rows))
            out[:, left : left + columns] = looked(flat, self.tiles.deep, 1, (0, 0, 0), fine=True)
        return out if depth is np.uint16 else rounded(out / np.float32(257), np.uint8)


def _under(steps: Sequence[Step]) -> list[Step]:
    """The steps that the photo under its pieces has."""
    return [one for one in steps if not one.above and operation_of(one).makes in (Makes.SOURCE, Makes.PATCHES)]


def _cut_from(steps: Sequence[Step], step: str) -> list[Step]:
    """The steps of the photo that a piece of it was cut from: what is repaired afterwards, such as its old place that
    is grown shut, leaves the piece as it is."""
    before = {one.id for one in itertools.takewhile(lambda one: one.id != step, steps)}
    return [one for one in _under(steps) if one.id in before or not _repairs(one)]


def _repairs(step: Step) -> bool:
    operation = operation_of(step)
    return operation.makes is Makes.PATCHES and operation.alters


@dataclass(frozen=True)
class _Lent:
    """A picture that a sheet shows, for the step that laid it."""

    shown: LedgerPicture
    step: str

    def developed(self, to_own: PlaneMap, size: tuple[int, int], cover: Cover | None, *, fine: bool) -> Window:
        return self.shown.developed_under(to_own, size, cover, self.step, fine=fine)

    def outlines_of(self, cover: Cover, wider: float = 0) -> Loops:
        return self.shown.outlines_of(cover, wider)

    def as_it_is(
        self, space: ColourSpace, to_own: PlaneMap, size: tuple[int, int], cover: Cover | None, *, fine: bool
    ) -> Window | None:
        if self.shown.plan.lighting or not self.shown.repaired.space.means_the_same(space):
            return None
        return self.shown.window_under(to_own, size, cover, self.step, fine=fine)

    def coverage_under(self, cover: Cover, to_own: PlaneMap, size: tuple[int, int]) -> Alpha:
        return self.shown.coverage_under(cover, to_own, size, self.step)


def _with_skies(other: Opener, cache: ByteCache) -> Opener:
    """An opener that knows the made skies too."""

    def opened(name: str) -> Source:
        if not name.startswith(PREFIX):
            return other(name)
        # with its levels about four bytes a pixel
        return cache.get_or_make(Key("made sky", name), lambda: opened_sky(name), lambda sky: 4 * math.prod(sky.size))

    return opened


def _keeper(cache: ByteCache, name: str) -> Keep:
    return lambda part, make, weigh: cache.get_or_make(Key("source part", (name, part)), make, weigh)


class _Around:
    """What a transform may know of the whole picture: it, small, after the transforms before."""

    def __init__(self, picture: LedgerPicture, before: tuple[Transform, ...], key: str) -> None:
        self._picture = picture
        self._before = before
        self.key = key

    def after(self, transforms: tuple[Transform, ...], said: str) -> _Around:
        """The same after further transforms; `said` tells which."""
        if not transforms:
            return self
        key = hashlib.sha256(f"{self.key}{said}".encode()).hexdigest()
        return _Around(self._picture, (*self._before, *transforms), key)

    def _small(self) -> Overview:
        def make() -> Overview:
            window, scale = self._picture.small_window()
            return as_small(LightChain(self._picture.repaired.space, self._before), window, scale)

        return self._picture._cache.get_or_make(Key("lit small", self.key), make, lambda made: made.planes.nbytes)

    def kept(self, what: str, measure: Callable[[Overview], T]) -> T:
        return self._picture._cache.get_or_make(
            Key("measured", (self.key, what)), lambda: measure(self._small()), lambda _: 8 * SMALL * SMALL
        )


class _Blind:
    """The surroundings of a transform whose operation does not say that it looks at them."""

    def kept(self, what: str, measure: Callable[[Overview], T]) -> T:
        raise RuntimeError(f"{measure} ({what}) needs the whole picture: its operation has to say that it looks at it")


_blind = _Blind()


@dataclass(frozen=True)
class _Made:
    """A transform in the cache; None is one that changes nothing."""

    transform: Transform | None


def _weight(transform: Transform | None) -> int:
    """Bytes that a transform holds, roughly: maps of the small picture, or tables."""
    return 8 * SMALL * SMALL if isinstance(transform, LocalGain | PixelFunction) else 64 << 10


def _touched(box: Box, to_source: PlaneMap, size: tuple[int, int]) -> Box:
    """The result pixels that source pixels of `box` can have a share in, with the reach of every filter."""
    reduction = max(1.0, magnification(to_source, size[0] / 2, size[1] / 2))
    wide = box.grown(math.ceil(6 * reduction) + 2)
    from_source = np.linalg.inv(to_source) @ translation(wide.left, wide.top)
    x, y = mapped_corners(from_source, (wide.width, wide.height))
    reached = Box(math.floor(x.min()), math.floor(y.min()), math.ceil(x.max()), math.ceil(y.max()))
    inside = reached.within(Box(0, 0, *size))
    return NOWHERE if inside.empty else inside


def _beyond(view: View, size: tuple[int, int], margin: int = 0) -> NDArray[np.bool_]:
    """Screen pixels whose centre lies off the result, or in its margin."""
    x = view.left + (np.arange(view.width) + 0.5) / view.scale
    y = view.top + (np.arange(view.height) + 0.5) / view.scale
    off_x, off_y = (x < margin) | (x > size[0] - margin), (y < margin) | (y > size[1] - margin)
    return np.asarray(off_x[None] | off_y[:, None])
