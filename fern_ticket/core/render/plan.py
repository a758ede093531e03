"""A ledger, made ready: its steps sorted into stations and checked.

What a step comes to is worked out once for a step and kept with it, so that planning a long ledger again costs little.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

from fern_ticket.core.balance.light import BalanceOperation
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.clean.charting import ChartedPlace, chart_of, offset_into, seen_through
from fern_ticket.core.clean.foreshortened import place_of
from fern_ticket.core.clean.heal import Offset
from fern_ticket.core.clean.limits import Limits
from fern_ticket.core.clean.repair import CleanOperation, needed_mask
from fern_ticket.core.errors import LedgerError
from fern_ticket.core.frame.geometry import Frame, FrameOperation, FrameState
from fern_ticket.core.ledger.charts import ChartSpec, CornersChart, PlaneChart, ViewChart
from fern_ticket.core.ledger.covers import Cover
from fern_ticket.core.ledger.masks import Mask, Place, anchor
from fern_ticket.core.ledger.operation import Makes, Operation, Parameters
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operation_of, parameters_of
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.regions import NOWHERE, Box
from fern_ticket.core.pieces.operation import PieceOperation, Sheet, SizeOf
from fern_ticket.core.pieces.placing import plane_in
from fern_ticket.core.planes import in_planes
from fern_ticket.core.source.operation import SourceOperation
from fern_ticket.core.stations import order_of


@dataclass(frozen=True, eq=False)
class Repair:
    """A place that is repaired, or a limit to the repairs after it.

    Attributes
    ----------
    step
        The step that it belongs to; one that stands for many has many.
    size
        Width and height of the picture.
    spec
        The plane or view that it works in; None for the picture's own.
    """

    step: Step
    operation: CleanOperation[Parameters]
    params: Parameters
    mask: Mask | None
    size: tuple[int, int]
    spec: ChartSpec | None

    @cached_property
    def key(self) -> str:
        """A digest of all that shapes its own result; the same however its step was written down."""
        mask = "" if self.mask is None else self.mask.key()
        chart = "" if self.spec is None else self.spec.key()
        body = f"{self.operation.name} {self.params.model_dump_json()} {mask} {chart}"
        return hashlib.sha256(body.encode()).hexdigest()

    @property
    def is_limit(self) -> bool:
        return self.operation.limit is not None

    @cached_property
    def limit(self) -> Limits:
        assert self.operation.limit is not None
        return self.operation.limit(self.params, self.mask)

    @cached_property
    def place(self) -> Place | None:
        """Where in the picture it was asked for."""
        return None if self.mask is None else place_of(self.mask, self.spec, self.size)

    @cached_property
    def box(self) -> Box:
        """The source pixels that it can change, or that it limits; may be empty."""
        if not self.operation.beside or self.chart is None:
            return self.operation.covers(self.params, self.place, self.size)
        params, place = self.charted
        own = self.operation.covers(params, place, self.chart.size)
        return NOWHERE if own.empty else seen_through(self.chart, own)

    @cached_property
    def chart(self) -> Chart | None:
        """The plane that it works in, if that is not the picture's own."""
        spec = self.spec
        if spec is None or isinstance(spec, PlaneChart) or self.place is None:
            return None
        place = self.place.box(self.size) if self.operation.beside else self.box
        return None if place.empty else chart_of(spec, self.size, place)

    @cached_property
    def charted(self) -> tuple[Parameters, Place]:
        """Its parameters and its place as they are in its chart."""
        assert self.chart is not None
        assert self.place is not None
        params, source = self.params, getattr(self.params, "source", None)
        begun = anchor(self.place, self.size)
        if isinstance(source, Offset):
            dx, dy = offset_into(self.chart, (source.dx, source.dy), begun)
            params = params.model_copy(update={"source": Offset(dx=dx, dy=dy)})
        elif self.operation.beside:
            dx, dy = offset_into(self.chart, (params.dx, params.dy), begun)  # type: ignore[attr-defined]
            params = params.model_copy(update={"dx": dx, "dy": dy})
        place = ChartedPlace(self.place, self.chart)
        # what was drawn in the same view stays what was drawn, with its strokes
        return params, place if place.straight is None else place.straight

    @cached_property
    def reads(self) -> Box:
        """What it looks at of the plane that it works in."""
        if self.chart is None:
            return self.operation.reads(self.params, self.place, self.size).joined(self.box)
        params, place = self.charted
        return self.operation.reads(params, place, self.chart.size)

    @cached_property
    def sees(self) -> Box:
        """The source pixels that its result depends on."""
        if self.box.empty or self.chart is None:
            return self.box if self.box.empty else self.reads
        own = self.chart.place_of(self.box).joined(self.reads) if not self.reads.empty else NOWHERE
        return self.box if own.empty else seen_through(self.chart, own).joined(self.box)


@dataclass(frozen=True, eq=False)
class Sourcing:
    """A step on the starting picture with its checked parameters."""

    step: Step
    operation: SourceOperation[Parameters]
    params: Parameters


@dataclass(frozen=True, eq=False)
class Placing:
    """A step that lays something on the photo, with its checked parameters."""

    step: Step
    operation: PieceOperation[Parameters]
    params: Parameters
    _sheets: list[Sheet] = field(default_factory=list)

    def sheets(self, size_of: SizeOf) -> list[Sheet]:
        """What it lays, the lowest first; worked out once, as the pictures that it names keep their sizes."""
        if not self._sheets:
            chart, view = self.step.chart, view_of(self.step)
            onto = size_of("") if view is None else view.size
            laid = self.operation.sheets(self.params, size_of, onto)
            if isinstance(chart, CornersChart):
                plane = plane_in(chart, onto)
                laid = [sheet.tilted(chart.key(), plane) for sheet in laid]
            self._sheets.extend(laid if view is None else [sheet.seen_in(view) for sheet in laid])
        return self._sheets


def view_of(step: Step) -> ViewChart | None:
    """The view into a panorama that a step works in, be it in a plane of the scene there; None for the flat picture."""
    chart = step.chart
    return chart if isinstance(chart, ViewChart) else chart.view if isinstance(chart, CornersChart) else None


@dataclass(frozen=True, eq=False)
class Lighting:
    """A step on light and colour with its checked parameters, where it counts, and the steps that it holds."""

    step: Step
    operation: BalanceOperation[Parameters]
    params: Parameters
    cover: Cover | None = None
    inner: tuple[Lighting, ...] = ()


@dataclass(frozen=True, eq=False)
class Framing:
    """A step on the frame with its checked parameters."""

    step: Step
    operation: FrameOperation[Parameters]
    params: Parameters


@dataclass(frozen=True)
class Refused:
    """Places (x, y, diameter) that a step says to leave as they are."""

    places: tuple[tuple[float, float, float], ...]


Planned = Sourcing | Repair | Placing | Lighting | Framing | Refused


@dataclass(frozen=True)
class Plan:
    """What a ledger asks for.

    Attributes
    ----------
    sourcing
        Active steps on the starting picture, in list order.
    repairs
        Active repairs in list order, and what limits them.
    pieces
        Active steps that lay something on the repaired photo, in list order.
    above
        Active repairs of the photo with its pieces, in list order.
    lighting
        Active steps on light and colour, in the order of stations, each station's in list order.
    frame
        The settled frame.
    neutrals
        Marks of places that should be neutral.
    refused
        Places (x, y, diameter) that a person looked at and left as they are.
    """

    sourcing: tuple[Sourcing, ...]
    repairs: tuple[Repair, ...]
    pieces: tuple[Placing, ...]
    above: tuple[Repair, ...]
    lighting: tuple[Lighting, ...]
    frame: Frame
    neutrals: tuple[Mark, ...]
    refused: tuple[tuple[float, float, float], ...] = ()


def _checked(step: Step, operation: Operation[Parameters]) -> None:
    """Refuse what a step says of its place when its operation has no use for it."""
    patches, light = operation.makes is Makes.PATCHES, operation.makes is Makes.LIGHT
    if step.mask is not None and not patches:
        raise LedgerError(f"{operation.title} works on the whole picture.", "Leave its mask out.")
    if step.cover is not None and not light:
        raise LedgerError(f"{operation.title} has no cover.", "Only steps on light and colour count in one.")
    if step.above and not patches:
        raise LedgerError(f"{operation.title} has its place in the order.", "Only repairs may be above the pieces.")
    if step.chart is not None and not operation.charted:
        raise LedgerError(f"{operation.title} works on the photo itself.", "Leave its chart out.")


def _sourcing(step: Step, operation: SourceOperation[Parameters], params: Parameters, _: object) -> list[Planned]:
    return [Sourcing(step, operation, params)]


def _repairs(
    step: Step, operation: CleanOperation[Parameters], params: Parameters, size: tuple[int, int]
) -> list[Planned]:
    """One repair, or as many as the step stands for."""
    if operation.masked:
        needed_mask(step.mask, operation.title)
    if operation.parts is None:
        return [Repair(step, operation, params, step.mask, size, step.chart)]
    found: list[Planned] = [
        Repair(step, one.operation, one.params, one.mask, size, one.chart) for one in operation.parts(params)
    ]
    if operation.refused is not None:
        found.append(Refused(tuple(operation.refused(params))))
    return found


def _held(steps: Sequence[Step], what: str) -> list[Lighting]:
    """Steps of Balance that another holds, made ready; those that are on."""
    inner: list[Lighting] = []
    for one in steps:
        held = operation_of(one)
        if held.makes is not Makes.LIGHT or held.station is not BalanceOperation.in_station:
            raise LedgerError(f"{held.title} cannot stand in {what}.", "Put steps of Balance there.")
        if one.cover is not None:
            raise LedgerError(f"A step in {what} counts where that does.", "Leave its own cover out.")
        _checked(one, held)
        own = _lighting(one, held, parameters_of(one), None)  # type: ignore[arg-type]
        if one.active:
            inner += own  # type: ignore[arg-type]
    return inner


def _placing(step: Step, operation: PieceOperation[Parameters], params: Parameters, _: object) -> list[Planned]:
    _held(operation.holds(params), "a piece")
    return [Placing(step, operation, params)]


def _lighting(step: Step, operation: BalanceOperation[Parameters], params: Parameters, _: object) -> list[Planned]:
    inner = _held(operation.holds(params), "an area")
    if operation.within is not None:
        if step.cover is not None:
            raise LedgerError(f"{operation.title} has its cover among its parameters.", "Leave the step's own out.")
        return [Lighting(step, operation, params, operation.within(params), tuple(inner))]
    return [Lighting(step, operation, params, step.cover)]


def _framing(step: Step, operation: FrameOperation[Parameters], params: Parameters, _: object) -> list[Planned]:
    return [Framing(step, operation, params)]


#: How a step is made ready, by what its operation makes.
_PLANNING = {
    Makes.SOURCE: _sourcing,
    Makes.PATCHES: _repairs,
    Makes.PIECES: _placing,
    Makes.LIGHT: _lighting,
    Makes.FRAME: _framing,
}


def planned(step: Step, size: tuple[int, int]) -> list[Planned]:
    """What a step comes to on a picture of `size`; worked out once.

    Raises
    ------
    LedgerError
        Unknown operation, wrong parameters, or a place where it has none.
    """
    key = ("planned", size)
    found: list[Planned] | None = step.derived.get(key)
    if found is None:
        operation, params = operation_of(step), parameters_of(step)
        _checked(step, operation)
        found = _PLANNING[operation.makes](step, operation, params, size)  # type: ignore[operator]
        step.derived[key] = found
    return found


def make_plan(steps: Sequence[Step], size: tuple[int, int]) -> Plan:
    """Sort steps into stations; inside a station the list's order holds.

    Parameters
    ----------
    steps
        The ledger, in any order of stations.
    size
        Width and height of the source.

    Raises
    ------
    LedgerError
        A step that is switched on or off has an unknown operation or wrong parameters.
    """
    sourcing: list[Sourcing] = []
    repairs: list[Repair] = []
    above: list[Repair] = []
    pieces: list[Placing] = []
    lighting: list[Lighting] = []
    refused: list[tuple[float, float, float]] = []
    state = FrameState.whole(size)
    key = ("planned", size)
    for step in in_planes(steps):
        # the short way, as this is done for every frame
        found = step.derived.get(key) or planned(step, size)
        if not (step.enabled and step.strength):
            continue
        for one in found:
            if type(one) is Repair:
                (above if step.above else repairs).append(one)
            elif type(one) is Placing:
                pieces.append(one)
            elif type(one) is Lighting:
                lighting.append(one)
            elif type(one) is Sourcing:
                sourcing.append(one)
            elif type(one) is Refused:
                refused += one.places
            elif type(one) is Framing:
                state = one.operation.apply(state, one.params, step.strength)
    lighting.sort(key=lambda one: order_of(one.operation.station))
    neutrals = tuple(mark for one in lighting for mark in one.operation.neutrals(one.params))
    ordered = (tuple(sourcing), tuple(repairs), tuple(pieces), tuple(above), tuple(lighting))
    return Plan(*ordered, state.finished(), neutrals, tuple(refused))
