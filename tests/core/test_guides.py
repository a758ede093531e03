"""Lines through what is grown: edges run on along them, and each side is grown from its own."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from skimage import data

from fern_ticket.core.clean.guide_finding import edges_through, guides_through
from fern_ticket.core.clean.repair import Ground
from fern_ticket.core.ledger.masks import OutlineMask
from fern_ticket.core.ledger.steps import Step, read_steps
from fern_ticket.core.operations import before_of
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from tests import pictures
from tests.quality import layout_error
from tests.repairs import strokes

#: The hole of every test: left, top, right, bottom.
LEFT, TOP, RIGHT, BOTTOM = 200, 120, 290, 230
HOLE = np.zeros((340, 500), np.bool_)
HOLE[TOP:BOTTOM, LEFT:RIGHT] = True


def tile(name, number, texture=1.0, rows=340, columns=500):
    """scikit-image's texture, or some of it, in a colour of its own."""
    grey = cv2.resize(getattr(data, name)(), (columns, rows), interpolation=cv2.INTER_AREA).astype(np.float32)
    tint = np.array([(1.1, 0.95, 0.8), (0.7, 0.9, 0.65), (0.85, 0.85, 1.0)][number], np.float32)
    return (grey.mean() + texture * (grey - grey.mean()))[..., None] * tint


def meeting(soft=1.2, slope=0.15, texture=1.0):
    """Gravel above, grass below; they meet along a line that falls by `slope`."""
    rows, columns = np.mgrid[0:340, 0:500]
    below = (rows > edge(columns + 0.5, slope) - 0.5).astype(np.float32)
    share = cv2.GaussianBlur(below, (0, 0), soft)[..., None]
    mixed = (1 - share) * tile("gravel", 0, texture) + share * tile("grass", 1, texture)
    return np.clip(mixed + np.random.default_rng(5).normal(0, 1.5, mixed.shape), 0, 255).astype(np.uint8)


def edge(x, slope=0.15):
    return 175 + slope * (x - 245)


def guide(*points):
    return {"op": "guide", "params": {"points": [list(point) for point in points]}}


def regrown(pixels, *guides, **params):
    corners = [[LEFT, TOP], [RIGHT, TOP], [RIGHT, BOTTOM], [LEFT, BOTTOM]]
    hidden = pixels.copy()
    hidden[TOP + 2 : BOTTOM - 2, LEFT + 2 : RIGHT - 2] = (180, 30, 40)
    regrow = {"op": "regrow", "mask": {"kind": "outline", "points": corners}, "params": params}
    picture = LedgerPicture(pictures.source(hidden), "t", read_steps([*guides, regrow]), ByteCache(1 << 26))
    return picture.deliver(np.uint8)


def edge_found(pixels, x):
    """The row at which gravel's red gives way to grass's green, in the columns around x."""
    redder = pixels[:, x - 4 : x + 5, 0].astype(float) - pixels[:, x - 4 : x + 5, 1]
    profile = cv2.GaussianBlur(redder.mean(axis=1)[:, None], (0, 0), 2)[:, 0]
    middle = (np.median(profile[60:120]) + np.median(profile[250:320])) / 2
    return int(np.argmin(np.abs(profile[130:220] - middle))) + 130.5


def off_the_edge(pixels):
    """Mean distance of the edge from where it runs, in the hole; none is twice as far off."""
    off = [abs(edge_found(pixels, x) - edge(x)) for x in range(LEFT + 10, RIGHT, 10)]
    assert max(off) < 3
    return float(np.mean(off))


LINE = [(180, edge(180)), (310, edge(310))]


@pytest.mark.parametrize("take", [0, 1])
def test_with_a_guide_an_edge_runs_on_and_both_grounds_keep_to_their_side(take):
    truth = meeting()
    led = regrown(truth, guide(*LINE), take=take)
    assert layout_error(led, truth, HOLE) < layout_error(regrown(truth, take=take), truth, HOLE)
    assert off_the_edge(led) < 1.5


def test_a_guide_that_a_hand_drew_beside_the_edge_is_moved_onto_it():
    truth = meeting()
    for off in (-5, 6):
        led = regrown(truth, guide(*[(x, y + off) for x, y in LINE]), take=1)
        assert off_the_edge(led) < 1.5


def test_no_seam_is_left_along_a_guide():
    """Along the edge inside the hole it is as steep as outside, and nowhere darker or lighter."""
    truth = meeting(soft=2.0, texture=0.1)
    led = regrown(truth, guide(*LINE))

    def along(pixels, begins, ends):
        """Means of rows above and below the edge, nine each."""
        found = []
        for x in range(begins, ends):
            rows = np.round(edge(x + 0.5) + np.arange(-9, 10)).astype(int)
            found.append(pixels[rows, x].astype(float))
        return np.mean(found, axis=0)

    inside, outside = along(led, LEFT + 5, RIGHT - 5), along(truth, LEFT - 90, LEFT)
    assert np.abs(inside - outside).max() < 0.25 * np.abs(outside[-1] - outside[0]).max()
    steepest = [np.abs(np.diff(profile, axis=0)).max() for profile in (inside, outside)]
    assert steepest[0] == pytest.approx(steepest[1], rel=0.3)


def test_three_grounds_meet_where_one_guide_ends_on_another():
    truth = meeting()
    right = np.arange(500) >= 250
    above = np.mgrid[0:340, 0:500][0] < edge(np.arange(500) + 0.5)
    truth[above & right] = np.clip(tile("brick", 2), 0, 255).astype(np.uint8)[above & right]
    upright = guide((250, 90), (250, edge(250) - 12))
    led = regrown(truth, guide(*LINE), upright)
    assert layout_error(led, truth, HOLE) < layout_error(regrown(truth), truth, HOLE)
    # the other ground stays on its side of the upright line, above the edge, and does not go on below it
    middle = slice(130, 160)
    bluer = led[..., 2].astype(float) - led[..., 0]
    assert bluer[middle, 255:285].mean() > 0 > bluer[middle, 205:245].mean() + 10
    assert np.abs(bluer[195:225, 210:245].mean() - bluer[195:225, 255:285].mean()) < 8


def test_a_narrow_strip_between_two_guides_runs_on():
    """A kerb of 14 px between two grounds."""
    truth = meeting()
    rows, columns = np.mgrid[0:340, 0:500]
    kerb = np.abs(rows + 0.5 - edge(columns + 0.5)) < 7
    truth[kerb] = (225, 222, 215)
    guides = [guide(*[(x, y + side) for x, y in LINE]) for side in (-7, 7)]
    led = regrown(truth, *guides)
    for x in range(LEFT + 10, RIGHT, 10):
        column = led[120:230, x].min(axis=1) > 195
        assert column.sum() == pytest.approx(14, abs=3)
        assert np.flatnonzero(column).mean() + 120.5 == pytest.approx(edge(x), abs=2)


PLACE = OutlineMask(kind="outline", points=[(LEFT, TOP), (RIGHT, TOP), (RIGHT, BOTTOM), (LEFT, BOTTOM)])


def offered(pixels):
    hidden = pixels.copy()
    hidden[TOP + 2 : BOTTOM - 2, LEFT + 2 : RIGHT - 2] = (180, 30, 40)
    rows, columns = hidden.shape[:2]

    def read(box):
        return hidden[box.rows, box.columns]

    return guides_through(PLACE, Ground((columns, rows), read, read))


@pytest.mark.parametrize("soft", [0.5, 2.5])
def test_where_rough_grounds_meet_at_both_sides_of_a_place_a_guide_is_offered(soft):
    (found,) = offered(meeting(soft))
    assert min(x for x, _ in found) < LEFT - 20 < RIGHT + 20 < max(x for x, _ in found)
    for x, y in found:
        assert y == pytest.approx(edge(x), abs=3)


def test_both_edges_of_a_strip_are_offered():
    truth = meeting()
    rows, columns = np.mgrid[0:340, 0:500]
    truth[np.abs(rows + 0.5 - edge(columns + 0.5)) < 7] = (225, 222, 215)
    beside = sorted(float(np.mean([y - edge(x) for x, y in line])) for line in offered(truth))
    assert beside == [pytest.approx(-7, abs=3), pytest.approx(7, abs=3)]


@pytest.mark.parametrize("name", ["grass", "gravel"])
def test_on_one_ground_no_guide_is_offered(name):
    assert offered(np.clip(tile(name, 0), 0, 255).astype(np.uint8)) == []


def test_an_edge_that_ends_at_a_place_from_one_side_only_is_no_guide():
    pixels = np.full((340, 500, 3), 120, np.uint8)
    pixels[:170, :LEFT] = 200
    assert offered(pixels) == []


def test_a_guide_that_runs_beside_a_place_changes_nothing_of_it():
    truth = meeting()
    assert np.array_equal(regrown(truth), regrown(truth, guide((20, 40), (480, 50))))


@pytest.mark.parametrize(
    "points",
    [[(245, 175)] * 2, [(-9e4, 0), (9e4, 9e4)] * 40, [(200, 175), (290, 175), (290, 100), (200, 100), (200, 175)]],
    ids=["a point", "to and fro", "round in itself"],
)
def test_a_senseless_guide_spoils_nothing(points):
    truth = meeting()
    made = regrown(truth, guide(*points), take=1)
    outside = np.ones(truth.shape[:2], np.bool_)
    outside[TOP - 1 : BOTTOM + 1, LEFT - 1 : RIGHT + 1] = False
    assert np.array_equal(made[outside], truth[outside])


def test_a_new_guide_goes_before_what_was_grown():
    steps = read_steps([{"id": "d", "op": "dab", "mask": strokes((9, 9))}, {"id": "r", "op": "regrow"}])
    new = Step.model_validate({"id": "g", **guide(*LINE)})
    assert before_of(steps, new) == "r"
    assert before_of(steps[:1], new) is None
    assert before_of([*steps, new], new) is None


def test_a_guide_leads_through_a_plane_too():
    """The hole is grown in a plane whose corners are the picture's own."""
    truth = meeting()
    corners = {"corners": [[0, 0], [500, 0], [500, 340], [0, 340]]}
    place = {"kind": "outline", "points": [[LEFT, TOP], [RIGHT, TOP], [RIGHT, BOTTOM], [LEFT, BOTTOM]]}
    steps = [guide(*LINE), {"op": "regrow", "mask": place, "chart": corners}]
    led = LedgerPicture(pictures.source(truth), "t", read_steps(steps), ByteCache(1 << 26)).deliver(np.uint8)
    assert off_the_edge(led) < 1.5


def bar(width=340, height=260):
    """A light bar aslant before a sky, as a rail or a beam is."""
    y, x = np.mgrid[:height, :width].astype(np.float32)
    sky = 150 + 0.15 * y
    off = np.abs((y - 130) + 0.4 * (x - 170)) / np.hypot(1, 0.4)
    cover = np.clip(12.5 - off, 0, 1)
    noise = np.random.default_rng(2).normal(0, 1, (height, width))
    grey = sky * (1 - cover) + 225 * cover + noise
    return np.clip(grey[..., None] * [0.8, 0.95, 1.1], 0, 255).astype(np.uint8)


def test_what_surely_runs_into_a_place_from_both_sides_runs_on_by_itself_unless_one_says_otherwise():
    truth, hole = bar(), np.zeros((260, 340), np.bool_)
    hole[90:170, 110:230] = True
    place = {"kind": "outline", "points": [[110, 90], [230, 90], [230, 170], [110, 170]]}

    def error(**params):
        hidden = truth.copy()
        hidden[hole] = (60, 40, 30)
        steps = read_steps([{"id": "g", "op": "regrow", "params": params, "mask": place}])
        made = LedgerPicture(pictures.source(hidden), "t", steps, ByteCache(1 << 27)).deliver(np.uint8)
        return layout_error(made, truth, hole)

    assert error() < 1.0
    assert error(edges=False) > 2 * error()


def test_an_edge_is_the_surer_the_longer_and_the_stronger_it_is():
    hole = np.zeros((260, 340), np.bool_)
    hole[90:170, 110:230] = True
    strong = edges_through(bar(), hole)
    weak = edges_through(bar() // 5 + np.uint8(100), hole)
    assert len(strong) == 2
    assert min(one.sureness for one in strong) > 700
    assert all(one.sureness < 700 for one in weak)
