"""The table of stations: their order, where their operations are found, and what holds for all steps of one.

Whatever asks "is this a repair?" or "what comes first?" looks here, or at the operation's own traits; no code names a
station's operations one by one.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType, ModuleType

from fern_ticket.core import areas, balance, clean, finish, frame, pieces, source
from fern_ticket.core.ledger.operation import Station


@dataclass(frozen=True)
class StationRow:
    """A station.

    Attributes
    ----------
    station
        Which.
    folder
        The package in which its operations are looked for; None while there are none.
    before_light
        Its steps change pixels where they lie, before light and frame: what is looked at closely, and what proposals
        are measured on.
    of_original
        Its steps are also laid on the photo as it came when that is shown beside the result, so that both line up.
    many
        A new step is added, as another place; else it takes the place of the present one of its operation, as there is
        one ruler for each.
    """

    station: Station
    folder: ModuleType | None
    before_light: bool = False
    of_original: bool = False
    many: bool = False


#: In the order in which they are rendered.
STATIONS = (
    StationRow(Station.SOURCE, source, before_light=True),
    StationRow(Station.CLEAN, clean, before_light=True, many=True),
    StationRow(Station.PIECES, pieces, before_light=True, many=True),
    StationRow(Station.BALANCE, balance),
    StationRow(Station.AREAS, areas, many=True),
    StationRow(Station.FRAME, frame, of_original=True),
    StationRow(Station.FINISH, finish),
    StationRow(Station.OUTPUT, None),
)


@lru_cache(maxsize=1)
def _rows() -> MappingProxyType[Station, tuple[int, StationRow]]:
    return MappingProxyType({row.station: (index, row) for index, row in enumerate(STATIONS)})


def row_of(station: Station) -> StationRow:
    return _rows()[station][1]


def order_of(station: Station) -> int:
    """Its place in the order of rendering, from 0."""
    return _rows()[station][0]
