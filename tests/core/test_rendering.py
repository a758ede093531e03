"""What is seen is what is delivered; what nobody touched stays as it was."""

from __future__ import annotations

import math
import threading

import cv2
import numpy as np
import pytest

from fern_ticket.core.errors import LedgerError
from fern_ticket.core.ledger.operation import Makes
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import operations
from fern_ticket.core.pictures.decode import Decoded
from fern_ticket.core.pictures.profiles import srgb
from fern_ticket.core.pictures.pyramid import ArraySource, TiledSource, level_box, write_pyramid
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache, Key
from fern_ticket.core.render.picture import LedgerPicture, View
from fern_ticket.core.render.resample import nearest
from fern_ticket.core.threads import goes_on, in_threads, stoppable
from tests import pictures
from tests.examples import EXAMPLES
from tests.repairs import REPAIRS

GREY = (119, 119, 119)


def made(pixels, steps, cache=None):
    return LedgerPicture(pictures.source(pixels), "test", read_steps(steps), cache or ByteCache(1 << 26))


def stroke(x, y, size=30, **more):
    return {"kind": "strokes", "strokes": [{"points": [[x, y, 1]], "size": size, **more}]}


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
@pytest.mark.parametrize(
    "steps",
    [
        [],
        [{"op": "exposure", "params": {"ev": 0}}, {"op": "straighten", "params": {"angle": 0}}],
        [{"op": "white_balance"}],
        [{"op": "exposure", "params": {"ev": 2}, "enabled": False}],
        [{"op": "exposure", "params": {"ev": 2}, "strength": 0}],
        [{"op": "output_size", "params": {"long_side": 5000}}],
    ],
    ids=["empty", "zero", "daylight", "off", "no strength", "never enlarged"],
)
def test_a_ledger_that_changes_nothing_gives_back_the_source(depth, steps):
    pixels = pictures.noise(301, 417, depth=depth)
    assert np.array_equal(made(pixels, steps).deliver(depth), pixels)


def test_quarter_turns_move_pixels_and_never_mix_them():
    pixels = pictures.noise(120, 200)
    for quarters in range(-3, 4):
        turned = made(pixels, [{"op": "turn", "params": {"quarters": quarters}}]).deliver(np.uint8)
        assert np.array_equal(turned, np.rot90(pixels, -quarters))
    mirrored = made(pixels, [{"op": "turn", "params": {"mirror": True}}]).deliver(np.uint8)
    assert np.array_equal(mirrored, pixels[:, ::-1])


def test_a_crop_keeps_exactly_its_pixels_and_nothing_else():
    pixels = pictures.noise(200, 300)
    crop = {"op": "crop", "params": {"left": 41, "top": 17, "width": 120, "height": 150}}
    assert np.array_equal(made(pixels, [crop]).deliver(np.uint8), pixels[17:167, 41:161])


ALL = [
    {"op": "dab", "mask": stroke(150, 140)},
    {
        "op": "heal",
        "mask": stroke(320, 200, 50),
        "params": {"source": {"dx": -80, "dy": 20}},
        "strength": 0.8,
    },
    {"op": "exposure", "params": {"ev": 0.4}},
    {"op": "white_balance", "params": {"temperature": 5200, "tint": 4}},
    {"op": "straighten", "params": {"angle": 2.3}},
    {"op": "crop", "params": {"left": 60, "top": 50, "width": 400, "height": 320, "ratio": "5:4"}},
]


@pytest.mark.parametrize("turned", [False, True], ids=["upright", "straightened"])
def test_the_bench_at_100_percent_shows_the_delivered_pixels(turned):
    picture = made(pictures.texture(430, 610), [s for s in ALL if turned or s["op"] != "straighten"])
    delivered = picture.deliver(np.uint8)
    seen = picture.view(View(37, 21, 1.0, 200, 150), GREY, fine=True)
    assert np.array_equal(seen, delivered[21:171, 37:237])


CORNERS = {"op": "corners", "params": {"corners": [[30, 20], [590, 50], [560, 410], [50, 380]]}}


@pytest.fixture(scope="module")
def patches():
    """Repairs made once for pictures of every shape."""
    return ByteCache(1 << 26)


@pytest.mark.parametrize("shape", [[], [CORNERS], [CORNERS, {"op": "straighten", "params": {"angle": -1.2}}]])
def test_with_every_operation_the_bench_shows_what_is_delivered(shape, patches):
    """Repairs, each step on light and colour, squared up or not, vignette and border, at 100 %."""
    light = [{"op": op, "params": params} for op, params in EXAMPLES.items()]
    border = {"op": "border", "params": {"width": 9, "colour": [250, 240, 230]}}
    here = np.eye(3).tolist()
    starting = [
        {"op": "fringes", "params": {"red": 1.2, "blue": -0.7}},
        {"op": "merge", "params": {"frames": [{"picture": "dark", "rows": here}]}},
        {"op": "darker", "params": {"frame": {"picture": "dark", "rows": here}, "lift": 0.5}, "strength": 0.7},
    ]
    laid = [{"op": op, "params": dict(one.example)} for op, one in operations().items() if one.makes is Makes.PIECES]
    used = {step["op"] for step in [*ALL, *REPAIRS, *light, *shape, border, *starting, *laid]}
    assert used >= set(operations()) - {"output_size", "turn", "corners", "horizon", "start"}
    steps = [*starting, *ALL[:2], *REPAIRS, *laid, *light, *(shape or ALL[4:]), border]
    pixels = pictures.texture(430, 610)
    dark = ArraySource(Decoded(pixels // 2, srgb(), "PNG", b""))
    source = ArraySource(Decoded(pixels, srgb(), "PNG", b""))
    picture = LedgerPicture(source, "all", read_steps(steps), patches, {"dark": dark}.__getitem__)
    delivered = picture.deliver(np.uint8)
    seen = picture.view(View(0, 0, 1.0, 300, 280), GREY, fine=True)
    assert np.abs(seen.astype(int) - delivered[:280, :300]).max() <= 1


@pytest.mark.parametrize("more", [[], [{"op": "straighten", "params": {"angle": 3}}]], ids=["straight", "straightened"])
def test_closer_than_its_pixels_a_view_shows_the_delivered_ones_and_what_lies_between(more):
    steps = [{"op": "sharpen", "params": {"amount": 150, "radius": 3}}, *more]
    delivered = made(pictures.texture(150, 200, 8), steps).deliver(np.uint8)
    seen = made(pictures.texture(150, 200, 8), steps).view(View(20, 30, 5, 400, 300), GREY, fine=True)
    # interpolated in steps of a 32nd of a pixel
    assert np.abs(seen[2::5, 2::5].astype(int) - delivered[30:90, 20:100]).max() <= 1
    # and at no place of a pixel
    beside = made(pictures.texture(150, 200, 8), steps).view(View(20.2, 30.4, 5, 400, 300), GREY, fine=True)
    assert np.abs(beside[5:295, 4:394].astype(int) - seen[7:297, 5:395]).max() <= 2


def test_closer_than_its_pixels_filters_reach_over_no_more_of_them(monkeypatch):
    """Soft texture of radius 100 at 16 times would be made of windows of thousands of pixels on each side."""
    asked = []
    own = LedgerPicture._window

    def window(self, to_source, size, **how):
        asked.append(size[0] * size[1])
        return own(self, to_source, size, **how)

    monkeypatch.setattr(LedgerPicture, "_window", window)
    picture = made(pictures.texture(300, 400, 2), [{"op": "soften_texture", "params": {"radius": 100, "amount": 80}}])
    for scale in (1, 4, 16):
        picture.view(View(100, 100, scale, 320, 240), GREY, fine=True)
    assert asked == sorted(asked, reverse=True)


def test_an_edge_of_the_picture_is_as_sharp_however_close_it_is_seen():
    seen = made(pictures.texture(60, 80, 3), []).view(View(70, 50, 8, 200, 200), (255, 0, 0), fine=True)
    beyond = (seen == (255, 0, 0)).all(axis=2)
    assert np.array_equal(beyond, np.add.outer(np.arange(200) >= 80, np.arange(200) >= 80))


@pytest.mark.parametrize("scale", [0.5, 1, 3])
@pytest.mark.parametrize("radius", [3, 12], ids=["near", "far"])
def test_an_enlarged_result_is_seen_as_it_is_delivered(radius, scale):
    """Whether it is made of the photo's own pixels, as where a filter reaches far, or of its own."""
    steps = [
        {"op": "sharpen", "params": {"amount": 60, "radius": radius}},
        {"op": "crop", "params": {"left": 20, "top": 30, "width": 90, "height": 60}},
        {"op": "output_size", "params": {"long_side": 720, "enlarge": True}},
        {"op": "border", "params": {"width": 20}},
    ]
    pixels = pictures.texture(150, 200, 8)
    for depth in (np.uint8, np.uint16):
        delivered = made(pixels, steps).deliver(depth)
        assert delivered.shape == (20 + 453 + 20, 720, 3)
        assert (delivered[:20] == np.iinfo(depth).max).all()
    seen = made(pixels, steps).view(View(60, 60, scale, 200, 150), GREY, fine=True)
    middle = (np.array([[75, 100], [20, 30]]) + 0.5) / scale + 60
    for (row, column), (y, x) in zip([(75, 100), (20, 30)], middle, strict=True):
        patch = delivered[int(y) - 1 : int(y) + 2, int(x) - 1 : int(x) + 2].mean(axis=(0, 1)) / 257
        assert np.abs(seen[row, column] - patch).max() < 6


def test_an_enlargement_that_would_take_all_memory_is_refused_in_words():
    picture = made(
        pictures.texture(60, 80, 3), [{"op": "output_size", "params": {"long_side": 20000, "enlarge": True}}]
    )
    with pytest.raises(LedgerError, match="enlarged 250"):
        picture.deliver(np.uint8)
    # it can still be looked at, to be changed
    assert picture.view(View(0, 0, 0.01, 100, 80), GREY, fine=True).shape == (80, 100, 3)


def test_squaring_up_lays_a_page_flat():
    """A page of squares is photographed by a homography of OpenCV's and comes back square."""
    page = np.where((np.indices((300, 450)) // 50).sum(axis=0) % 2, 220, 40).astype(np.uint8)
    corners = np.array([[80, 60], [520, 90], [560, 400], [50, 360]], np.float32)
    flat = np.array([[0, 0], [450, 0], [450, 300], [0, 300]], np.float32)
    photo = cv2.warpPerspective(page, cv2.getPerspectiveTransform(flat, corners), (620, 440), borderValue=128)
    step = {"op": "corners", "params": {"corners": corners.tolist(), "ratio": 1.5}}
    result = made(np.repeat(photo[..., None], 3, axis=2), [step]).deliver(np.uint8)
    expected = cv2.resize(page, (result.shape[1], result.shape[0]), interpolation=cv2.INTER_NEAREST)
    assert (np.abs(result[..., 0].astype(int) - expected) < 60).mean() > 0.97


def test_the_bench_and_the_delivery_agree_at_the_size_of_the_slip():
    steps = [*ALL, {"op": "output_size", "params": {"long_side": 230}}]
    picture = made(pictures.texture(430, 610), steps)
    delivered = picture.deliver(np.uint8)
    assert delivered.shape == (184, 230, 3)
    assert np.array_equal(picture.view(View(0, 0, 1.0, 230, 184), GREY, fine=True), delivered)


def test_what_lies_beyond_the_picture_is_the_surround():
    picture = made(np.full((60, 80, 3), 200, np.uint8), [])
    seen = picture.view(View(-10, -10, 1.0, 100, 80), GREY, fine=True)
    assert (seen[:10] == 119).all()
    assert (seen[10:70, 10:90] == 200).all()
    assert (seen[70:] == 119).all()


def test_straightening_leaves_no_blank_corner():
    """A picture of one value stays of one value: nothing from outside is mixed in, at any angle."""
    pixels = np.full((210, 330, 3), 180, np.uint8)
    for angle in (-45, -12.5, -0.3, 0.01, 1.7, 30, 44):
        result = made(pixels, [{"op": "straighten", "params": {"angle": angle}}]).deliver(np.uint8)
        assert (result == 180).all()
        assert min(result.shape[:2]) > 60


def test_a_pyramid_on_disk_reads_like_one_in_memory(tmp_path):
    """Odd sides, several tiles, every level; and prepared again over itself."""
    decoded = Decoded(pictures.noise(1111, 1537), srgb(), "PNG", b"")
    for _ in range(2):
        write_pyramid(decoded, tmp_path / "p")
    disk, memory = TiledSource(tmp_path / "p"), ArraySource(decoded)
    assert disk.levels == memory.levels == 4
    for level in range(disk.levels):
        box = level_box(disk.size, level)
        assert np.array_equal(disk.read(level, box), memory.read(level, box))
    assert [p.name for p in tmp_path.iterdir()] == ["p"]


def test_repairs_reach_every_level_of_the_pyramid():
    pixels = pictures.texture(1200, 1600)
    picture = made(pixels, [{"op": "heal", "mask": stroke(801, 603, 90)}])
    repaired = pictures.source(picture.repaired.read(0, Box(0, 0, 1600, 1200)))
    for level in range(1, picture.repaired.levels):
        box = level_box((1600, 1200), level)
        assert np.array_equal(picture.repaired.read(level, box), repaired.read(level, box))


def test_changing_one_repair_recomputes_only_what_overlaps_it(monkeypatch):
    from fern_ticket.core.clean import heal

    computed = []
    real = heal.heal_place
    monkeypatch.setattr(heal, "heal_place", lambda place, *rest: computed.append(place) or real(place, *rest))
    pixels, cache = pictures.texture(900, 900), ByteCache(1 << 27)
    source = {"source": {"dx": 45, "dy": 0}}
    steps = [
        {
            "id": f"r{i}",
            "op": "heal",
            "params": source,
            "mask": stroke(90 + 150 * (i % 5), 90 + 150 * (i // 5), 24),
        }
        for i in range(25)
    ]
    whole = Box(0, 0, 900, 900)
    made(pixels, steps, cache).repaired.read(0, whole)
    assert len(computed) == 25
    computed.clear()
    steps[7] = {**steps[7], "mask": stroke(90 + 150 * 2, 90 + 150, 40)}
    after = made(pixels, steps, cache).repaired.read(0, whole)
    assert len(computed) == 1
    assert np.array_equal(after, made(pixels, steps).repaired.read(0, whole))


@pytest.mark.parametrize("fine", [True, False])
@pytest.mark.parametrize(
    "view", [View(0, 0, 0.31, 248, 186), View(200, 150, 1, 300, 200), View(-20, 30, 2.5, 300, 200)]
)
@pytest.mark.parametrize("angle", [0, 3.5])
def test_a_view_that_is_mended_is_the_view_made_anew(view, angle, fine):
    """Repairs come, change and go; each time the view with the memory equals one without."""
    pixels, cache = pictures.texture(600, 800), ByteCache(1 << 26)
    straighten = [{"op": "straighten", "params": {"angle": angle}}] if angle else []
    source = {"source": {"dx": 60, "dy": 10}}
    first = {"op": "heal", "params": source, "mask": stroke(260, 200, 40)}
    second = {"op": "heal", "params": source, "mask": stroke(290, 215, 50)}
    ledgers = ([], [first], [first, second], [{**first, "strength": 0.4}, second], [second], [])
    for number, repairs in enumerate(ledgers):
        steps = [{"id": f"{number}{i}", **step} for i, step in enumerate([*repairs, *straighten])]
        mended = made(pixels, steps, cache).view(view, GREY, fine=fine).astype(int)
        anew = made(pixels, steps).view(view, GREY, fine=fine)
        assert np.abs(mended - anew).max() <= (0 if fine else 1)


def test_the_order_of_work_does_not_matter_between_stations():
    pixels = pictures.texture(300, 400)
    steps = [*ALL[:4], {"op": "crop", "params": {"left": 60, "top": 50, "width": 200, "height": 160}}]
    assert np.array_equal(
        made(pixels, steps).deliver(np.uint8),
        made(pixels, [*steps[4:], *steps[2:4], *steps[:2]]).deliver(np.uint8),
    )


def test_strength_is_a_share_of_the_way():
    pixels = pictures.ramp(80, 200)
    half = made(pixels, [{"op": "exposure", "params": {"ev": 1}, "strength": 0.5}])
    same = made(pixels, [{"op": "exposure", "params": {"ev": math.log2(1.5)}}])
    assert np.array_equal(half.deliver(np.uint16), same.deliver(np.uint16))


def test_nearest_takes_single_pixels():
    pixels = pictures.noise(50, 60)
    picture = made(pixels, [])
    window = nearest(picture.repaired, np.diag([2.0, 2.0, 1.0]), (30, 25))
    assert np.array_equal(window // 257, pixels[1::2, 1::2])


def test_the_cache_keeps_its_budget_and_drops_what_was_used_least():
    cache = ByteCache(100)
    for name in "abcd":
        cache.get_or_make(Key("test", name), lambda name=name: name, lambda _: 30)
    assert cache.held <= 100
    assert cache.get_or_make(Key("test", "d"), lambda: "new", lambda _: 30) == "d"
    assert cache.get_or_make(Key("test", "a"), lambda: "new", lambda _: 30) == "new"
    assert cache.get_or_make(Key("test", "huge"), lambda: "huge", lambda _: 1000) == "huge"
    assert cache.held <= 100


def test_the_cache_keeps_to_another_budget_from_now_on():
    cache = ByteCache(100)
    for name in "abc":
        cache.put(Key("test", name), name, 30)
    cache.keep_to(70)
    assert cache.held == 60
    assert cache.get(Key("test", "a")) is None
    assert cache.get(Key("test", "c")) == "c"
    cache.keep_to(200)
    cache.put(Key("test", "d"), "d", 120)
    assert cache.held == 180


def test_extremes_never_give_anything_but_pixels():
    pixels = pictures.noise(40, 50)
    for ev in (-6, 6):
        for temperature, tint in ((1500, -150), (40000, 150), (1500, 150), (40000, -150)):
            steps = [
                {"op": "exposure", "params": {"ev": ev}},
                {"op": "white_balance", "params": {"temperature": temperature, "tint": tint}},
            ]
            picture = made(pixels, steps)
            narrow, deep = picture.deliver(np.uint8), picture.deliver(np.uint16)
            assert np.abs(narrow.astype(int) * 257 - deep).max() <= 257
            assert len(np.unique(deep)) > 1


# ----------------------------------------------------------------------------------------- work that is stopped


class Stopped(Exception):
    pass


def stops():
    raise Stopped


def test_work_stops_between_its_parts_and_is_done_when_it_is_asked_for_again():
    done, cache, left = [], ByteCache(1 << 20), 3

    def three_times():
        nonlocal left
        left -= 1
        if left < 0:
            raise Stopped

    with stoppable(three_times), pytest.raises(Stopped):
        [in_threads(done.append, [part]) for part in range(9)]
    assert done == [0, 1, 2]
    with stoppable(stops):
        with pytest.raises(Stopped):
            in_threads(done.append, range(9))
        with pytest.raises(Stopped):
            cache.get_or_make(Key("stopped", 1), lambda: 7, lambda _: 1)
    assert done == [0, 1, 2]
    assert cache.get_or_make(Key("stopped", 1), lambda: 7, lambda _: 1) == 7
    # what is there needs no work
    with stoppable(stops):
        assert cache.get_or_make(Key("stopped", 1), lambda: 8, lambda _: 1) == 7


def test_who_waits_for_what_another_was_stopped_at_makes_it():
    cache, begun, go = ByteCache(1 << 20), threading.Event(), threading.Event()
    key = Key("shared", 1)

    def slow():
        begun.set()
        go.wait(20)
        goes_on()

    def first():
        with stoppable(lambda: stops() if go.is_set() else None), pytest.raises(Stopped):
            cache.get_or_make(key, slow, lambda _: 1)

    found = []
    threads = [threading.Thread(target=first)]
    threads[0].start()
    begun.wait(20)
    threads.append(threading.Thread(target=lambda: found.append(cache.get_or_make(key, lambda: 9, lambda _: 1))))
    threads[1].start()
    go.set()
    for one in threads:
        one.join(20)
    assert found == [9]
