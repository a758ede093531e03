"""Measure a photo while it is made, for its slip."""

from __future__ import annotations

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.inspect.lamps import repeats_of
from fern_ticket.core.inspect.measures import casts, clipped_share
from fern_ticket.core.inspect.specks import Speck, specks_of
from fern_ticket.core.inspect.traces import traces
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.slip import Measures, Places, Slip


def measure(picture: LedgerPicture, slip: Slip, planes: Planes, step: float, *, close: bool = True) -> Measures:
    """Everything the slip's lines need, of the picture as its ledger makes it and as the slip will write it.

    `planes` and `step` are the picture's, from `inspect.measures.sampled`. Without `close`, lines that need a close
    look are left open unless the picture was looked at before.
    """
    frame = picture.plan.frame
    clipped = clipped_share(planes, step)
    return Measures(
        width=frame.size[0],
        height=frame.size[1],
        crop_long_side=max(frame.crop_size),
        format=slip.file.format,
        profile="sRGB",
        casts=tuple(casts(picture)),
        clipped=clipped.share,
        clipped_where=clipped.where,
        **close_look(picture, slip.close, now=close),
    )


def close_look(picture: LedgerPicture, wanted: set[str], *, now: bool = True) -> dict[str, Places]:
    """Counts of what only a close look finds: specks, repeats, and traces of repairs. Kept while the repairs stay."""
    found: dict[str, Places] = {}
    if "specks" in wanted and (now or picture.has("specks")):
        found["specks"] = _places(picture, [_box(one.x, one.y, one.size) for one in specks_in(picture)])
    if "repeats" in wanted and (now or picture.has("repeats")):
        found["repeats"] = _places(picture, [_box(*one.other, 120) for one in repeats_of(picture)])
    if wanted & {"joins", "grain", "bleed"} and (now or picture.has("traces")):
        every = picture.kept("traces", lambda: traces(picture.repaired))
        for name, kind in (("joins", "join"), ("grain", "grain"), ("bleed", "bleed")):
            if name in wanted:
                found[name] = _places(picture, [one.box for one in every if one.kind == kind])
    return found


def specks_in(picture: LedgerPicture) -> list[Speck]:
    return picture.kept("specks", lambda: specks_of(picture.repaired))


def _box(x: float, y: float, size: float) -> Box:
    half = size / 2 + 4
    return Box(round(x - half), round(y - half), round(x + half), round(y + half))


def _places(picture: LedgerPicture, boxes: list[Box]) -> Places:
    """Those that the crop keeps, counted."""
    seen = [one for one in (picture.result_box(box) for box in boxes) if not one.empty]
    return Places(len(seen), seen[0] if seen else None)


def delivery_steps(steps: list[Step], slip: Slip) -> list[Step]:
    """The ledger as it is delivered: with the slip's long side as the last frame step."""
    if slip.long_side is None:
        return steps
    kept = [step for step in steps if step.op != "output_size"]
    return [*kept, Step(id="slip-long-side", op="output_size", params={"long_side": slip.long_side})]
