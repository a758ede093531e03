"""What is asked about a panorama: the stand at its bottom, which way is up, its faces."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, TypeVar
from uuid import UUID

import numpy as np
import simplejpeg
from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel

from fern_ticket.core.clean.faces import Found
from fern_ticket.core.errors import FernError
from fern_ticket.core.inspect.mirrored import Hangs, camera_in, hangs, should_show
from fern_ticket.core.inspect.plane_finding import plane_at
from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.operations import station_of
from fern_ticket.core.panorama.faces import faces_in
from fern_ticket.core.panorama.plates import plates_in
from fern_ticket.core.panorama.spotting import Find, spotted_around, spotted_in
from fern_ticket.core.panorama.stand import stand_in
from fern_ticket.core.panorama.uprights import uprights
from fern_ticket.core.pictures.chart import Chart
from fern_ticket.core.pictures.decode import Pixels
from fern_ticket.core.pictures.pyramid import level_box, level_within
from fern_ticket.core.pictures.sphere import Sphere
from fern_ticket.core.render.around import looked
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.slips.delivering import delivery_steps, written
from fern_ticket.core.slips.slip import Slip
from fern_ticket.store.records import Ticket
from fern_ticket.web.common.files import PICTURES, a_file
from fern_ticket.web.common.looking import OpenedPhoto, opened_photo
from fern_ticket.web.common.outlines import told
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.waiting import Asker, Asking

router = APIRouter(prefix="/api/photos/{photo}/around", tags=["panoramas"])
T = TypeVar("T")
Coordinate = Annotated[float, Query(ge=-1e5, le=1e5)]
Degrees = Annotated[float, Query(ge=-360, le=360)]

#: Long side of what lines are looked for on.
_LINES_ON = 2000
#: Width and height of what a mirror should show, pixels.
_MIRRORED = (600, 400)


class StandView(BaseModel):
    """Closed outlines of the camera's stand with its shadow, in pixels of a downward view; none where none is found."""

    view: ViewChart
    loops: list[list[tuple[float, float]]]


class UprightsView(BaseModel):
    """Which way is up by upright edges: the camera's pitch and roll, degrees; null where too little tells.

    `arc`: degrees of edges that agree; `error`: by how much they are off, median.
    """

    pitch: float | None = None
    roll: float | None = None
    arc: float = 0
    error: float = 0


class PlaneView(BaseModel):
    """Four corners of a rectangle in the plane that lines tell of: photo pixels, or those of the view; null where no
    two families of lines meet."""

    corners: list[tuple[float, float]] | None
    view: ViewChart | None = None


class MirrorView(BaseModel):
    """How a mirror hangs: where its plane is met at a right angle, degrees, and whether lines tell that. `line`: where
    camera and stand would show in it, from the camera downward, photo pixels."""

    heading: float
    pitch: float
    told: bool
    line: list[tuple[float, float]]


class FacesView(BaseModel):
    """Faces or plates that were found, none of them decided about."""

    places: list[Found]


@router.get("/stand")
async def stand(photo: UUID, shared: SharedState, asking: Asking) -> StandView:
    """The outline of what stands at the bottom, as the photo is repaired so far: a second look finds what is left."""

    def work(opened: OpenedPhoto, sphere: Sphere) -> StandView:
        picture = _repaired(opened)
        look, loops = stand_in(_through(picture), picture.repaired.size, sphere)
        said = (*sphere.size, sphere.left, sphere.top)
        view = ViewChart(pitch=-90, field=look.field, size=(look.width, look.height), sphere=said)
        return StandView(view=view, loops=told(loops))

    return await _of_panorama(asking, photo, shared, work)


@router.get("/delivered", response_class=Response, responses=a_file(*PICTURES.values()))
async def delivered(photo: UUID, shared: SharedState, asking: Asking) -> Response:
    """The file as the ticket's slip asks for it, for a viewer that is not ours to look at from inside."""
    opened = await opened_photo(shared, photo)
    ticket = await shared.database.row(Ticket, "ticket_of_photo", photo=photo)
    if ticket is None:
        raise HTTPException(404, "There is no such photo.")
    slip = Slip.model_validate(ticket.slip)

    def work() -> bytes:
        picture = opened.picture(delivery_steps(opened.steps, slip))
        data, _, _ = written(picture, opened.steps, slip, opened.row.said, b"", sphere=opened.row.sphere)
        return data

    return Response(await asking.told(work), media_type=PICTURES[slip.file.format])


@router.get("/plane")
async def plane(photo: UUID, shared: SharedState, asking: Asking, x: Coordinate, y: Coordinate) -> PlaneView:
    """A plane of the scene about a place, by the lines on it."""
    opened = await opened_photo(shared, photo)

    def work() -> PlaneView:
        picture, sphere = _repaired(opened), opened.row.sphere
        if sphere is None:
            level = level_within(picture.repaired, _LINES_ON)
            scale = 2.0**level
            seen = picture.developed(level, level_box(picture.repaired.size, level))
            found = plane_at(np.asarray(seen, np.uint8), (x / scale, y / scale))
            return PlaneView(corners=found and [(round(a * scale, 1), round(b * scale, 1)) for a, b in found])
        view = ViewChart.towards(sphere, (x, y))
        seen = _through(picture)(view.chart(picture.repaired.size))
        found = plane_at(np.asarray(seen, np.uint8), view.middle)
        return PlaneView(corners=found and [(round(a, 1), round(b, 1)) for a, b in found], view=view)

    return await asking.told(work)


@router.get("/mirror")
async def mirror(photo: UUID, shared: SharedState, asking: Asking, x: Coordinate, y: Coordinate) -> MirrorView:
    """Where the camera and its stand would show in a mirror at a place."""

    def work(opened: OpenedPhoto, sphere: Sphere) -> MirrorView:
        picture = _repaired(opened)
        found = hangs(_through(picture), picture.repaired.size, sphere, (x, y))
        line = [(round(across, 1), round(below, 1)) for across, below in camera_in(found, sphere)]
        return MirrorView(heading=round(found.heading, 2), pitch=round(found.pitch, 2), told=found.told, line=line)

    return await _of_panorama(asking, photo, shared, work)


@router.get("/mirrored", response_class=Response, responses=a_file("image/jpeg"))
async def mirrored(
    photo: UUID, shared: SharedState, asking: Asking, x: Coordinate, y: Coordinate, heading: Degrees, pitch: Degrees
) -> Response:
    """What a mirror at a place should show that is met at a right angle at `heading` and `pitch`, as a JPEG."""

    def work(opened: OpenedPhoto, sphere: Sphere) -> bytes:
        picture = _repaired(opened)
        chart = should_show(Hangs(heading, pitch, told=True), picture.repaired.size, sphere, (x, y), _MIRRORED)
        seen = np.ascontiguousarray(_through(picture)(chart), np.uint8)
        return bytes(simplejpeg.encode_jpeg(seen, 88, "RGB"))

    return Response(await _of_panorama(asking, photo, shared, work), media_type="image/jpeg")


@router.get("/uprights")
async def upright(photo: UUID, shared: SharedState, asking: Asking) -> UprightsView:
    """Which way is up, by the edges of what stands upright."""

    def work(opened: OpenedPhoto, sphere: Sphere) -> UprightsView:
        picture = _repaired(opened)
        found = uprights(_through(picture), picture.repaired.size, sphere)
        if found is None:
            return UprightsView()
        return UprightsView(
            pitch=round(found.pitch, 2), roll=round(found.roll, 2), arc=round(found.arc), error=round(found.error, 2)
        )

    return await _of_panorama(asking, photo, shared, work)


@router.get("/faces")
async def faces(photo: UUID, shared: SharedState, asking: Asking) -> FacesView:
    """Faces in the photo, all round in a panorama, as it is repaired so far. Takes some seconds; who goes stops it."""
    return await _spotted(asking, await opened_photo(shared, photo), faces_in)


@router.get("/plates")
async def plates(photo: UUID, shared: SharedState, asking: Asking) -> FacesView:
    """Plates of vehicles in the photo, likewise. Takes up to half a minute in a panorama."""
    return await _spotted(asking, await opened_photo(shared, photo), plates_in)


async def _spotted(asker: Asker, opened: OpenedPhoto, find: Find) -> FacesView:
    def work() -> FacesView:
        picture, sphere = _repaired(opened), opened.row.sphere
        if sphere is None:
            found = spotted_in(
                find, lambda level, box: np.asarray(picture.developed(level, box), np.uint8), picture.repaired
            )
        else:
            found = spotted_around(find, _through(picture), picture.repaired.size, sphere)
        return FacesView(
            places=[
                Found(
                    x=round(one.x, 1),
                    y=round(one.y, 1),
                    size=round(one.size, 1),
                    wide=round(one.wide, 2),
                    turn=round(one.turn, 1),
                )
                for one in found
            ]
        )

    return await asker.told(work)


async def _of_panorama(asker: Asker, photo: UUID, shared: SharedState, work: Callable[[OpenedPhoto, Sphere], T]) -> T:
    opened = await opened_photo(shared, photo)
    sphere = opened.row.sphere
    if sphere is None:
        raise FernError("This photo is no panorama.", "A panorama is 2:1, or says in its data what it shows.")
    return await asker.told(lambda: work(opened, sphere))


def _repaired(opened: OpenedPhoto) -> LedgerPicture:
    return opened.picture([one for one in opened.steps if station_of(one).before_light], background=True)


def _through(picture: LedgerPicture) -> Callable[[Chart], Pixels]:
    return lambda chart: looked(chart, picture.developed, picture.repaired.levels, (119, 119, 119), fine=True)
