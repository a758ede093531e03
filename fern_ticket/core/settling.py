"""Decide what a new step leaves open: a healing source, the white at a neutral mark, the angle of a line.

Done once, when the step is made, and written into the step, so that nothing moves when other steps change.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.clean.charting import charted_ground, offset_out_of
from fern_ticket.core.clean.heal import Offset
from fern_ticket.core.clean.repair import CleanOperation, Ground, needed_mask
from fern_ticket.core.frame.geometry import FrameOperation, FrameState
from fern_ticket.core.inspect.measures import area_mean
from fern_ticket.core.ledger.masks import Drawn, anchor
from fern_ticket.core.ledger.operation import Makes, Parameters
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import held_by, operation_of, parameters_of
from fern_ticket.core.pictures.pyramid import ArraySource, Source, TiledSource
from fern_ticket.core.pieces.operation import PieceOperation
from fern_ticket.core.planes import in_planes
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.plan import Framing, Repair, planned, view_of
from fern_ticket.core.source.operation import Opener, SourceOperation, no_other


def settle(
    source: Source, name: str, before: Sequence[Step], step: Step, cache: ByteCache, other: Opener = no_other
) -> Step:
    """The step with nothing left open.

    Parameters
    ----------
    source, name
        The picture, and the name its cached results go by.
    before
        The steps of the ledger that come before this one.
    step
        The new or changed step.
    cache
        Where results may be kept.
    other
        Opens other pictures that steps name.
    """
    scene = _Scene(source, name, tuple(before), cache, other)
    step = _with_held_settled(step, scene)
    operation, params = operation_of(step), parameters_of(step)
    if operation.settle is None:  # type: ignore[attr-defined]
        return step
    settled: Step = _SETTLING[operation.makes](step, operation, params, scene)  # type: ignore[operator]
    return settled


@dataclass(frozen=True)
class _Scene:
    """What a new step comes upon."""

    source: Source
    name: str
    before: tuple[Step, ...]
    cache: ByteCache
    other: Opener

    @property
    def picture(self) -> LedgerPicture:
        return LedgerPicture(self.source, self.name, self.before, self.cache, self.other)


def _decided(step: Step, params: Parameters) -> Step:
    return step.model_copy(update={"params": params.model_dump(mode="json", exclude_none=True)})


def _settle_source(step: Step, operation: SourceOperation[Parameters], params: Parameters, scene: _Scene) -> Step:
    assert operation.settle is not None
    return _decided(step, operation.settle(params, scene.source, scene.other))


def _settle_repair(step: Step, operation: CleanOperation[Parameters], params: Parameters, scene: _Scene) -> Step:
    assert operation.settle is not None
    mask = needed_mask(step.mask, operation.title) if operation.masked else step.mask
    picture = scene.picture if step.above else scene.picture.base
    ground = replace(picture.repaired.ground(), focal=_focal_of(scene.source))
    if step.chart is not None:
        (laid,) = in_planes([*scene.before, step])[-1:]
        return _settle_charted(step, laid, operation, params, ground)
    decided, mask = operation.settle(params, mask, ground)
    return _decided(step.model_copy(update={"mask": mask}), decided)


def _settle_charted(
    step: Step, laid: Step, operation: CleanOperation[Parameters], params: Parameters, ground: Ground
) -> Step:
    """Decided in the plane that it works in, that of `laid`; a source that was found is told in source pixels."""
    assert operation.settle is not None
    (repair,) = planned(laid, ground.size)
    assert isinstance(repair, Repair)
    chart = repair.chart
    if chart is None or (getattr(params, "source", None) is not None and not getattr(params, "snap", False)):
        return step
    inner, place = repair.charted
    decided, placed = operation.settle(inner, place, charted_ground(ground, chart, repair.reads))
    source = getattr(decided, "source", None)
    view = step.mask.view if isinstance(step.mask, Drawn) else None
    if isinstance(placed, Drawn) and placed is not place and view is not None:
        # a line that was found lies in the chart: back to the pixels of the view that it was drawn in
        drawn = placed.scaled(view.size[0] / chart.size[0]).model_copy(update={"view": view})
        return _decided(step.model_copy(update={"mask": drawn}), decided)
    if source is None or step.mask is None:
        return step
    dx, dy = offset_out_of(chart, (source.dx, source.dy), anchor(step.mask, ground.size))
    return _decided(step, params.model_copy(update={"source": Offset(dx=dx, dy=dy)}))


def _settle_piece(step: Step, operation: PieceOperation[Parameters], params: Parameters, scene: _Scene) -> Step:
    assert operation.settle is not None
    (laid,) = in_planes([*scene.before, step])[-1:]
    picture, view = scene.picture, view_of(laid)
    onto = picture.size_of("") if view is None else view.size
    return _decided(step, operation.settle(params, picture.size_of, onto))


def _focal_of(source: Source) -> float | None:
    """The focal length of the photo's lens, source pixels, where its camera says it."""
    return source.focal if isinstance(source, ArraySource | TiledSource) else None


def _settle_frame(step: Step, operation: FrameOperation[Parameters], params: Parameters, scene: _Scene) -> Step:
    assert operation.settle is not None
    state = FrameState.whole(scene.source.size, _focal_of(scene.source))
    for earlier in scene.before:
        for one in planned(earlier, scene.source.size):
            if isinstance(one, Framing) and earlier.active:
                state = one.operation.apply(state, one.params, earlier.strength)
    return _decided(step, operation.settle(state, params))


def _settle_light(step: Step, operation: BalanceOperation[Parameters], params: Parameters, scene: _Scene) -> Step:
    assert operation.settle is not None
    picture = scene.picture
    return _decided(step, operation.settle(params, lambda mark: area_mean(picture, mark, picture.light)))


def _with_held_settled(step: Step, scene: _Scene) -> Step:
    """Steps of light that it holds settled, each after those before it, as if they stood on the whole picture."""
    held, settled = held_by(step), list[Step]()
    for one in held:
        operation = operation_of(one)
        if isinstance(operation, BalanceOperation) and operation.settle is not None:
            around = replace(scene, before=(*scene.before, *settled))
            one = _settle_light(one, operation, parameters_of(one), around)
        settled.append(one)
    if settled == list(held):
        return step
    said = [one.model_dump(mode="json", exclude_none=True) for one in settled]
    return step.model_copy(update={"params": {**step.params, "steps": said}})


#: How a step is settled, by what its operation makes.
_SETTLING = {
    Makes.SOURCE: _settle_source,
    Makes.PATCHES: _settle_repair,
    Makes.PIECES: _settle_piece,
    Makes.LIGHT: _settle_light,
    Makes.FRAME: _settle_frame,
}
