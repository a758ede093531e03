"""Measure a photo while it is made, for its slip."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fern_ticket.core.balance.light import Planes
from fern_ticket.core.inspect.composition import LONG_SIDE, Reduced, level_error, subject_of, white_ground
from fern_ticket.core.inspect.lamps import repeats_of
from fern_ticket.core.inspect.measures import casts, chroma, clipped_share, sampled
from fern_ticket.core.inspect.specks import Speck, alone, open_ones, specks_of
from fern_ticket.core.inspect.traces import traces
from fern_ticket.core.pictures.metadata import Metadata
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.measures import Measures, Places
from fern_ticket.core.slips.slip import Slip


@dataclass(frozen=True)
class Known:
    """What no pixel tells.

    Attributes
    ----------
    original
        The photo without its steps but those on the frame, to compare saturation with.
    metadata
        What the delivery will say.
    altered
        What its ledger does, in words.
    ticked
        Words of by-eye lines that a person ticked.
    decided
        Of each kind of place that a person decides about, how many are decided and how many there are.
    """

    original: LedgerPicture | None = None
    metadata: Metadata | None = None
    altered: tuple[str, ...] | None = None
    ticked: frozenset[str] = frozenset()
    decided: dict[str, tuple[int, int]] | None = None


def measure(
    picture: LedgerPicture,
    slip: Slip,
    planes: Planes,
    step: float,
    known: Known = Known(),
    *,
    close: bool = True,
    carry_on: Callable[[], None] = lambda: None,
) -> Measures:
    """Everything the slip's lines need, of the picture as its ledger makes it and as the slip will write it.

    `planes` and `step` are the picture's, from `inspect.measures.sampled`. Without `close`, lines that need a close
    look are left open unless the picture was looked at before. `carry_on` is called between the parts of a close look
    and may raise to stop it.
    """
    frame = picture.plan.frame
    clipped = clipped_share(planes, step)
    change = None
    if slip.asks_for("saturation_change") and known.original is not None:
        change = chroma(planes) - _chroma_of(known.original)
    return Measures(
        width=frame.size[0],
        height=frame.size[1],
        crop_long_side=max(frame.crop_size),
        crop_size=frame.crop_size,
        format=slip.file.format,
        profile="sRGB",
        bits=slip.bits,
        ppi=slip.ppi,
        casts=tuple(casts(picture)),
        clipped=clipped.share,
        clipped_through=clipped.through,
        clipped_where=clipped.where,
        saturation_change=change,
        metadata=known.metadata,
        altered=known.altered,
        ticked=known.ticked,
        decided=known.decided,
        **(whole_look(picture, slip.whole) if close else {}),
        **close_look(picture, slip.close, now=close, carry_on=carry_on),
    )


def whole_look(picture: LedgerPicture, wanted: set[str]) -> dict[str, Any]:
    """What a small copy of the whole result tells, by name of the measure."""
    if not wanted:
        return {}
    return composition(*picture.reduced(LONG_SIDE), wanted)


def composition(small: Reduced, scale: float, wanted: set[str]) -> dict[str, Any]:
    """The same of an 8-bit picture of which a pixel is `scale` pixels of the result."""
    found: dict[str, Any] = {}
    if "level" in wanted:
        found["level"] = level_error(small)
    if "white_ground" in wanted:
        ground = white_ground(small, scale)
        found |= {"ground": ground.share, "ground_where": ground.where}
    if "subject_share" in wanted:
        subject = subject_of(small, scale)
        found |= {"subject": subject.share, "subject_where": subject.where}
    return found


def _chroma_of(original: LedgerPicture) -> float:
    frame = original.plan.frame
    key = f"chroma {frame.to_source.tobytes().hex()} {frame.size}"
    return original.kept_of_source(key, lambda: chroma(sampled(original)[0]))


def close_look(
    picture: LedgerPicture, wanted: set[str], *, now: bool = True, carry_on: Callable[[], None] = lambda: None
) -> dict[str, Any]:
    """Counts of what only a close look finds: specks, repeats, and traces of repairs. Kept while the repairs stay."""
    found: dict[str, Places] = {}
    if "specks" in wanted and (now or picture.has("specks")):
        found["specks"] = _places(picture, [_box(one.x, one.y, one.size) for one in specks_in(picture)])
    carry_on()
    if "repeats" in wanted and (now or picture.has("repeats")):
        found["repeats"] = _places(picture, [_box(*one.other, 120) for one in repeats_of(picture)])
    if wanted & {"joins", "grain", "bleed"} and (now or picture.has("traces")):
        every = picture.kept("traces", lambda: traces(picture.repaired, carry_on))
        for name, kind in (("joins", "join"), ("grain", "grain"), ("bleed", "bleed")):
            if name in wanted:
                found[name] = _places(picture, [one.box for one in every if one.kind == kind])
    return found


def specks_in(picture: LedgerPicture) -> list[Speck]:
    """Those that nobody has decided on and that are no part of a thing."""
    repaired = picture.repaired
    every = picture.kept("specks", lambda: specks_of(repaired, keep=repaired.kept_near))
    return alone(open_ones(every, picture.plan.refused))


def _box(x: float, y: float, size: float) -> Box:
    half = size / 2 + 4
    return Box(round(x - half), round(y - half), round(x + half), round(y + half))


def _places(picture: LedgerPicture, boxes: list[Box]) -> Places:
    """Those that the crop keeps, counted."""
    seen = [one for one in (picture.result_box(box) for box in boxes) if not one.empty]
    return Places(len(seen), seen[0] if seen else None)
