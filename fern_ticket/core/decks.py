"""What the decks are drawn from: every operation with its controls, and the rulers of what the hand holds."""

from __future__ import annotations

from functools import lru_cache

from pydantic import BaseModel

from fern_ticket.core.areas.showing import CoverLook
from fern_ticket.core.areas.starts import AreaStart, starts
from fern_ticket.core.balance.marks import Mark
from fern_ticket.core.inspect.specks import SpeckLimits
from fern_ticket.core.ledger.controls import Ruler, ShownRuler, shown_rulers
from fern_ticket.core.ledger.covers import TAKES, Colours, CoverPart, Edged, Fine, Round, Tones
from fern_ticket.core.ledger.masks import OutlineMask, Stroke
from fern_ticket.core.ledger.operation import Station, Traits
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import operations
from fern_ticket.core.pieces.skies import PREFIX, made_skies, size_of_sky

#: Groups of controls in the order of a deck; one that is not here comes last.
_GROUPS = ("Tone", "Curve", "Hues", "Cast", "Recolour", "Detail", "Mono", "Toning", "Scan", "Source")
#: Numbers of a stroke. Softness is what is lacking to full hardness.
_TIP = (
    Ruler("size", "px", low=2, high=2000, rest=60, scale="logarithmic"),
    Ruler("hardness", "%", times=-100, plus=100, name="softness"),
    Ruler("flow", "%", low=0.01, times=100),
    Ruler("roundness", "%", low=0.1, times=100),
    Ruler("angle", "°", low=-90, high=90, name="tip angle"),
    Ruler("spacing", "%", high=2, times=100),
)
_FEATHER = Ruler("feather", "px", high=400, rest=4)
_STRENGTH = Ruler("strength", "%", low=0.05, times=100)
#: How much of all that is proposed is taken.
_SHARE = Ruler("strength", "%", step=5, rest=0, times=100, name="take of all △")
#: The side of the square whose mean colour is picked.
_PICKED = Ruler("size", "px", high=400)
#: How strongly what is not covered is hatched.
_HATCHING = Ruler("density", "%", step=5, times=100, name="hatching")
#: What is set of a cover's parts by kind of shape; of every part; of the fine edge of the whole.
_COVERS: dict[str, tuple[type[BaseModel], tuple[Ruler, ...]]] = {
    "part": (CoverPart, (Ruler("feather", "px", high=1000, name="softened"),)),
    "fine": (Fine, (Ruler("band", "px", low=4, high=400, name="fine edge within", scale="logarithmic"),)),
    "edged": (Edged, (Ruler("hold", "%", times=100, name="stops at edges"),)),
    "round": (Round, (Ruler("soft", "%", times=100, name="soft from the rim"), Ruler("angle", "°"))),
    "tones": (Tones, (Ruler("low", "%", name="from"), Ruler("high", "%", name="to"), Ruler("soft", "%"))),
    "colours": (Colours, (Ruler("tolerance", "ΔE", high=80), Ruler("soft", "ΔE", high=80))),
}
_SPECKS = (Ruler("contrast", "/255", name="least contrast"), Ruler("largest", "px"))


class OperationView(Traits):
    """An operation as a deck needs it."""

    station: Station
    title: str
    summary: str


class SkyView(BaseModel):
    """A made sky: the name that steps know it by, what a person calls it, width and height."""

    name: str
    title: str
    size: tuple[int, int]


class Decks(BaseModel):
    """Name to operation; groups in order; rulers of a tip, an outline, a strength, a pick, specks, parts of
    covers; how many takes a subject has; hatching; what areas are begun with; the made skies."""

    operations: dict[str, OperationView]
    groups: list[str]
    tip: list[ShownRuler]
    feather: ShownRuler
    strength: ShownRuler
    share: ShownRuler
    picked: ShownRuler
    specks: list[ShownRuler]
    covers: dict[str, list[ShownRuler]]
    takes: int
    hatching: ShownRuler
    starts: list[AreaStart]
    skies: list[SkyView]


@lru_cache(maxsize=1)
def decks() -> Decks:
    return Decks(
        operations={
            name: OperationView(station=one.station, title=one.title, summary=one.summary, **one.traits().model_dump())
            for name, one in operations().items()
        },
        groups=list(dict.fromkeys([*_GROUPS, *(one.group for one in operations().values() if one.group)])),
        tip=shown_rulers(_TIP, Stroke),
        feather=shown_rulers([_FEATHER], OutlineMask)[0],
        strength=shown_rulers([_STRENGTH], Step)[0],
        share=shown_rulers([_SHARE], Step)[0],
        picked=shown_rulers([_PICKED], Mark)[0],
        specks=shown_rulers(_SPECKS, SpeckLimits),
        covers={kind: shown_rulers(rulers, model) for kind, (model, rulers) in _COVERS.items()},
        takes=TAKES,
        hatching=shown_rulers([_HATCHING], CoverLook)[0],
        starts=starts(),
        skies=[
            SkyView(name=name, title=name.removeprefix(PREFIX).replace("-", " "), size=size_of_sky(name))
            for name in made_skies()
        ],
    )
