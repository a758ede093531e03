"""What was done to a photo, in plain words for whoever receives it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fern_ticket.core.frame.geometry import Frame, FrameState, part_of_sphere
from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import label_of, operation_of, parameters_of, pictures_of
from fern_ticket.core.pictures.metadata import AS_TAKEN, COMPOSED, COMPOSED_SYNTHETIC, EDITED, Metadata, Panorama
from fern_ticket.core.pictures.sphere import Sphere, angles_of
from fern_ticket.core.pieces.skies import PREFIX
from fern_ticket.core.slips.lines import ProjectionLine
from fern_ticket.core.slips.slip import Slip
from fern_ticket.core.stations import order_of


def alterations(steps: Sequence[Step]) -> tuple[str, ...]:
    """One line an operation, in the order in which the picture is made: what it is called, and in how many places.

    >>> alterations([Step(op="heal"), Step(op="heal"), Step(op="exposure", enabled=False)])
    ('Heal, 2 places',)
    """
    found: dict[str, int] = {}
    active = [step for step in steps if step.active and operation_of(step).alters]
    for step in sorted(active, key=lambda one: order_of(operation_of(one).station)):
        operation = operation_of(step)
        title, label = operation.title, label_of(step)
        if operation.makes is Makes.PIECES and label != title:
            title = f"{title}: {label}"
        found[title] = found.get(title, 0) + operation.places(parameters_of(step))
    return tuple(
        title if count == 0 else f"{title}, {count} place{'s' * (count > 1)}" for title, count in found.items()
    )


def declared(said: Metadata, steps: Sequence[Step], panorama: Panorama | None) -> Metadata:
    """The metadata of a delivery: what is said of the photo, with what was done to it and its sphere."""
    done = alterations(steps)
    source_type = (_composed(steps) or EDITED) if done else said.source_type or AS_TAKEN
    return replace(said, alterations=done, source_type=source_type, panorama=panorama)


def panorama_of(
    frame: Frame, whole: FrameState, slip: Slip, sphere: Sphere | None, was: Panorama | None = None
) -> Panorama | None:
    """What a delivery says of its sphere; None where it is no flat panorama, or is not asked to.

    Parameters
    ----------
    frame
        Of the delivery.
    whole
        What all frame steps say, those too that the data tells instead of the picture.
    sphere
        What of a whole panorama the photo shows.
    was
        What the photo's own file says.
    """
    line = slip.line(ProjectionLine)
    found = None if sphere is None else part_of_sphere(frame, sphere)
    if line is None or found is None:
        return None
    own, size = found
    pitch = roll = 0.0
    if line.pose == "data" and whole.turn is not None:
        _, pitch, roll = angles_of(whole.turn)
    start = whole.start
    if start is not None and line.pose == "pixels":
        start = (0.0, *start[1:])
    shown = (round(own.left), round(own.top), *size)
    heading = was.heading if was is not None and frame.state.turn is None else None
    return Panorama(own.size, shown, heading, pitch, roll, start)


def _composed(steps: Sequence[Step]) -> str | None:
    """The source type of a picture with pieces of others; None without any."""
    pictures = [name for step in steps if step.active for name in pictures_of(step) if name]
    if not pictures:
        return None
    return COMPOSED_SYNTHETIC if any(name.startswith(PREFIX) for name in pictures) else COMPOSED
