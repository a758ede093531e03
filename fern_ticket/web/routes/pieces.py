"""What Pieces asks about a photo: where a piece lies, what would fit it, the four corners of a thing in the picture."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote
from uuid import UUID

from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel

from fern_ticket.core.ledger.charts import ViewChart
from fern_ticket.core.operations import station_of
from fern_ticket.core.pieces.edge_finding import Edge
from fern_ticket.core.pieces.matching import light_of
from fern_ticket.core.pieces.operation import Sheet
from fern_ticket.core.pieces.placing import Corners
from fern_ticket.core.render.lending import Mark, lent_file
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.pieced import Pieced
from fern_ticket.web.common.files import a_file
from fern_ticket.web.common.looking import OpenedPhoto, index_of, opened_photo
from fern_ticket.web.common.outlines import told
from fern_ticket.web.common.state import SharedState
from fern_ticket.web.common.waiting import Asking

router = APIRouter(prefix="/api/photos/{photo}", tags=["pieces"])

Coordinate = Annotated[float, Query(ge=-1e5, le=1e5)]


class LyingView(BaseModel):
    """Where a piece lies: its own corners clockwise from the upper left, photo pixels; its own width and height; for
    text, WCAG's contrast ratio to what lies under it; for what throws a shadow, its highest and its lowest y; for what
    lies in a plane of the scene, places in that to photo places, a map by rows; for what lies in a view into a
    panorama, that view, whose pixels all the places then are."""

    corners: Corners
    size: tuple[int, int]
    contrast: float | None = None
    stands: tuple[float, float] | None = None
    plane: tuple[float, ...] | None = None
    view: ViewChart | None = None


class MatchView(BaseModel):
    """What would fit a piece to its surroundings, by parameter; empty where that cannot be said."""

    params: dict[str, float]


class LikenessView(BaseModel):
    """Where what a piece shows is seen below it: its corners as `lying` tells them, null where too few places are seen
    in both; how many are, and by how much they are off, photo pixels; the light that fits it there, by parameter."""

    corners: Corners | None = None
    places: int = 0
    error: float = 0
    light: dict[str, float] = {}


class OutlineView(BaseModel):
    """Closed outlines of a piece as it lies, photo pixels, the one that goes round most first; one in another is a
    hole."""

    loops: list[list[tuple[float, float]]]


class CutView(BaseModel):
    """Closed outlines of what a piece is cut to, where it was cut: photo pixels, or those of the view into a panorama
    that it was cut in; the one that goes round most first, and one in another is a hole."""

    loops: list[list[tuple[float, float]]]
    view: ViewChart | None = None


class CornersView(BaseModel):
    """Four corners, clockwise from the upper left, photo pixels, or those of the view into a panorama that they were
    looked for in; null where nothing of four sides goes around. How wide the edges along them rise, pixels."""

    corners: Corners | None
    soft: float
    view: ViewChart | None = None


class EdgesView(BaseModel):
    """What of a photo a piece is brought onto, photo pixels: its long straight edges as x0, y0, x1, y1, the longest
    first; how far down its sky ends, null where it has none."""

    edges: list[Edge]
    horizon: float | None


@router.get("/steps/{step}/lying")
async def lying(photo: UUID, step: str, shared: SharedState, asking: Asking) -> LyingView:
    """Where a piece lies."""
    opened = await opened_photo(shared, photo)

    def work() -> LyingView:
        pieced, sheet = _piece(opened, step)
        contrast, stands = pieced.contrast_of_text(step), pieced.standing(step)
        more = {"contrast": contrast, "stands": stands, "plane": sheet.plane, "view": sheet.view}
        return LyingView.model_validate({"corners": sheet.corners, "size": sheet.size, **more})

    return await asking.told(work)


@router.get("/steps/{step}/outline")
async def outline(photo: UUID, step: str, shared: SharedState, asking: Asking) -> OutlineView:
    """A piece's outline as it lies: for a shadow, a fence, a place to avoid."""
    opened = await opened_photo(shared, photo)

    def work() -> OutlineView:
        pieced = _with(opened, step).pieced
        loops = [] if pieced is None else pieced.outlines_of(step)
        return OutlineView(loops=told(loops))

    return await asking.told(work)


@router.get("/steps/{step}/cut")
async def cut(
    photo: UUID, step: str, shared: SharedState, asking: Asking, wider: Annotated[float, Query(ge=0, le=400)] = 0
) -> CutView:
    """Where a piece was cut from, in outlines that run so far outside of it: for its old place, to be grown shut."""
    opened = await opened_photo(shared, photo)

    def work() -> CutView:
        pieced, sheet = _piece(opened, step)
        return CutView(loops=told(pieced.cut_along(step, wider)), view=sheet.cut_in)

    return await asking.told(work)


@router.get("/steps/{step}/match")
async def match(photo: UUID, step: str, shared: SharedState, asking: Asking) -> MatchView:
    """Light, grain and sharpness that would fit a piece to what lies around it."""
    opened = await opened_photo(shared, photo)

    def work() -> MatchView:
        pieced = _with(opened, step).pieced
        return MatchView(params={} if pieced is None else pieced.match(step))

    return await asking.told(work)


@router.get("/steps/{step}/likeness")
async def likeness(photo: UUID, step: str, shared: SharedState, asking: Asking) -> LikenessView:
    """Where a piece belongs by what it shows. Takes some seconds."""
    opened = await opened_photo(shared, photo)

    def work() -> LikenessView:
        pieced = _with(opened, step).pieced
        found = None if pieced is None else pieced.likeness(step)
        if found is None:
            return LikenessView()
        a, b, c, d = ((round(x, 1), round(y, 1)) for x, y in found.corners)
        light = light_of(found.stops)
        return LikenessView(corners=(a, b, c, d), places=found.pairs, error=round(found.error, 2), light=light)

    return await asking.told(work)


@router.get("/lent", response_class=Response, responses=a_file("image/tiff"))
async def lend(photo: UUID, shared: SharedState, asking: Asking) -> Response:
    """The working picture for another program: repaired, with its pieces, before light and frame; a 16-bit TIFF."""
    opened = await opened_photo(shared, photo)

    def work() -> bytes:
        picture = opened.picture([one for one in opened.steps if station_of(one).before_light])
        return lent_file(picture.repaired, Mark(str(photo), opened.revision))

    name = quote(f"{opened.row.title} lent.tif")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{name}"}
    return Response(await asking.told(work), media_type="image/tiff", headers=headers)


@router.get("/corners")
async def corners(photo: UUID, shared: SharedState, asking: Asking, x: Coordinate, y: Coordinate) -> CornersView:
    """The four corners of the screen, frame or sign that a place of the photo lies in."""
    opened = await opened_photo(shared, photo)

    def work() -> CornersView:
        picture = opened.picture([one for one in opened.steps if station_of(one).before_light])
        sphere = opened.row.sphere
        view = None if sphere is None else ViewChart.towards(sphere, (x, y))
        found = picture.corners_at((x, y) if view is None else view.middle, view)
        corners, soft = found or (None, 1)
        return CornersView(corners=corners, soft=soft, view=view)

    return await asking.told(work)


@router.get("/edges")
async def edges(photo: UUID, shared: SharedState, asking: Asking) -> EdgesView:
    """The straight edges and the horizon of a photo, as it is under its pieces."""
    opened = await opened_photo(shared, photo)

    def work() -> EdgesView:
        base = opened.picture([one for one in opened.steps if station_of(one).before_light]).base
        found = [tuple(round(end, 1) for end in edge) for edge in base.edges()]
        return EdgesView(edges=found, horizon=base.horizon())

    return await asking.told(work)


def _piece(opened: OpenedPhoto, step: str) -> tuple[Pieced, Sheet]:
    """What lies on the photo, and of it the piece that is asked about."""
    pieced = _with(opened, step).pieced
    sheet = None if pieced is None else pieced.sheet_of(step)
    if pieced is None or sheet is None:
        raise HTTPException(404, "There is no such piece in the photo's ledger.")
    return pieced, sheet


def _with(opened: OpenedPhoto, step: str) -> LedgerPicture:
    """The photo with its pieces, of which the one that is asked about is on."""
    asked = opened.steps[index_of(opened.steps, step)].model_copy(update={"enabled": True, "strength": 1.0})
    steps = (asked if one.id == step else one for one in opened.steps)
    return opened.picture([one for one in steps if station_of(one).before_light])
