"""Many repairs: what is taken over from one ledger to the next, and what is kept on a shelf."""

from __future__ import annotations

import random

import numpy as np
import pytest

from fern_ticket.core.clean.packing import packed, unpacked
from fern_ticket.core.clean.repair import Difference, Patch
from fern_ticket.core.ledger.steps import read_steps
from fern_ticket.core.operations import parameters_of
from fern_ticket.core.pictures.regions import Box
from fern_ticket.core.render.cache import ByteCache
from fern_ticket.core.render.picture import LedgerPicture
from fern_ticket.core.render.placing import MADE, BoxIndex, Stage, place
from fern_ticket.core.render.plan import make_plan
from fern_ticket.store.shelves import Shelves
from tests import pictures

SIZE = (400, 300)


def dab(name, x, y, size=16, **more):
    stroke = {"points": [[x, y, 1]], "size": size}
    return {"id": name, "op": "dab", "mask": {"kind": "strokes", "strokes": [stroke]}, **more}


def some(count, seed=0):
    dice = random.Random(seed)
    return [dab(f"d{n}", dice.uniform(20, 380), dice.uniform(20, 280), dice.choice([8, 16, 40])) for n in range(count)]


def repairs(steps):
    return make_plan(steps, SIZE).repairs


def keys(placement):
    return [one.key for one in placement.items]


def always(_):
    return MADE


@pytest.mark.parametrize("seed", range(12))
def test_what_is_taken_over_is_what_would_be_worked_out_anew(seed):
    """Any changes to a ledger: put in, taken out, moved, weakened, fenced."""
    dice = random.Random(seed)
    steps = read_steps(some(30, seed))
    old = place("p", repairs(steps), always)
    for number in range(12):
        at = dice.randrange(len(steps))
        kind = dice.choice(["add", "remove", "move", "weaken", "fence"])
        if kind == "add":
            steps.insert(at, *read_steps([dab(f"n{number}", dice.uniform(20, 380), dice.uniform(20, 280), 30)]))
        elif kind == "remove":
            del steps[at]
        elif kind == "move":
            steps.insert(dice.randrange(len(steps)), steps.pop(at))
        elif kind == "weaken":
            steps[at] = steps[at].model_copy(update={"strength": dice.choice([0.2, 0.5, 1.0])})
        else:
            line = [[dice.uniform(0, 400), 0], [dice.uniform(0, 400), 300]]
            steps.insert(at, *read_steps([{"id": f"f{number}", "op": "fence", "params": {"points": line, "snap": 0}}]))
        new = place("p", repairs(steps), always, [old])
        fresh = place("p", repairs(steps), always)
        assert keys(new) == keys(fresh)
        assert [one.number for one in new.items] == list(range(len(steps)))
        assert new.digest == fresh.digest
        old = new


def test_a_slow_repair_that_is_made_changes_what_sees_it():
    regrow = {"id": "r", "op": "regrow", "mask": dab("x", 100, 100, 30)["mask"]}
    steps = read_steps([regrow, dab("near", 110, 104), dab("far", 350, 250)])
    waiting = place("p", repairs(steps), lambda _: Stage(made=False))
    assert [one.repair.step.id for one in waiting.pending] == ["r"]
    made = place("p", repairs(steps), always, [waiting])
    assert made.pending == []
    assert keys(made) == keys(place("p", repairs(steps), always))
    assert keys(made)[1] != keys(waiting)[1]
    assert keys(made)[2] == keys(waiting)[2]


def test_a_repair_that_is_begun_shows_and_what_is_slow_and_sees_it_waits():
    slow = [
        {"id": name, "op": "regrow", "mask": dab("x", x, 100, 30)["mask"]}
        for name, x in (("r", 100), ("q", 112), ("far", 350))
    ]
    steps = read_steps(slow)
    to_come = place("p", repairs(steps), lambda _: Stage(made=False))
    first = to_come.items[0].key

    def told(number):
        return lambda key: Stage(False, number) if key == first else Stage(made=False)

    begun = place("p", repairs(steps), told(1), [to_come])
    assert list(begun.boxes.values()) == [begun.items[0].box]
    assert [one.repair.step.id for one in begun.pending] == ["r", "far"]
    more = place("p", repairs(steps), told(2), [begun])
    assert len({to_come.digest, begun.digest, more.digest}) == 3
    made = place("p", repairs(steps), lambda key: MADE if key == first else Stage(made=False), [more])
    assert [one.repair.step.id for one in made.pending] == ["q", "far"]


def test_an_unchanged_ledger_is_the_same_placement():
    steps = read_steps(some(20))
    old = place("p", repairs(steps), always)
    assert place("p", repairs(steps), always, [old]) is old


def test_boxes_are_found_by_where_they_lie():
    dice = random.Random(1)
    boxes = [
        Box(x, y, x + dice.randrange(0, 30), y + dice.randrange(0, 30))
        for x, y in ((dice.randrange(90), dice.randrange(90)) for _ in range(60))
    ]
    asked = Box(30, 30, 55, 50)
    index = BoxIndex(boxes)
    assert list(index.meeting(asked)) == [n for n, box in enumerate(boxes) if box.meets(asked)]
    assert list(index.meeting(asked, 20)) == [n for n, box in enumerate(boxes[:20]) if box.meets(asked)]


def test_steps_that_stay_are_worked_out_once():
    steps = read_steps(some(5))
    first = repairs(steps)
    weakened = [*steps[:4], steps[4].model_copy(update={"strength": 0.5})]
    second = repairs(weakened)
    assert all(one is other for one, other in zip(first[:4], second[:4], strict=True))
    assert second[4] is not first[4]
    assert parameters_of(steps[0]) is parameters_of(steps[0])


def test_a_changed_copy_of_a_step_forgets_what_was_worked_out():
    (step,) = read_steps([{"op": "exposure", "params": {"ev": 1}}])
    assert parameters_of(step).ev == 1
    before = step.key()
    changed = step.model_copy(update={"params": {"ev": 2}})
    assert parameters_of(changed).ev == 2
    assert changed.key() != before


def test_specks_are_one_step_with_a_patch_for_each_spot():
    pixels = pictures.texture(300, 400)
    spots = [{"x": 40 + 30 * n, "y": 80, "size": 5} for n in range(9)] + [
        {"x": 200, "y": 200, "size": 5, "accepted": False}
    ]
    steps = read_steps([{"id": "s", "op": "specks", "params": {"spots": spots}}])
    picture = LedgerPicture(pictures.source(pixels), "t", steps, ByteCache(1 << 26))
    laid = picture.repaired.laid_repairs()
    assert len(laid) == 9
    assert {one.repair.step.id for one in laid} == {"s"}
    dabs = [dab(f"d{n}", spot["x"], spot["y"], max(5.0, 1.9 * 5 + 3)) for n, spot in enumerate(spots[:9])]
    for one in dabs:
        one["mask"]["strokes"][0]["hardness"] = 0.6
    alike = LedgerPicture(pictures.source(pixels), "t", read_steps(dabs), ByteCache(1 << 26))
    assert np.array_equal(picture.deliver(np.uint8), alike.deliver(np.uint8))


def test_patches_go_to_bytes_and_back():
    random_pixels = pictures.noise(7, 5)
    cover = np.linspace(0, 1, 35, dtype=np.float32).reshape(7, 5)
    patch = Patch(Box(3, 4, 8, 11), random_pixels, cover)
    change = Difference(Box(-2, 0, 3, 7), pictures.noise(7, 5).astype(np.float32) - 100, cover)
    back = unpacked(packed([patch, change]))
    assert [one.box for one in back] == [patch.box, change.box]
    assert np.array_equal(back[0].pixels, patch.pixels)
    assert np.array_equal(back[1].change, change.change)
    assert np.array_equal(back[1].alpha, cover)
    assert unpacked(packed([patch])[:-3]) is None
    assert unpacked(b"0" + packed([patch])[1:]) is None


def test_a_photo_that_is_opened_again_finds_its_patches_on_the_shelf(tmp_path, monkeypatch):
    pixels = pictures.texture(300, 400)
    steps = read_steps(some(12))
    shelves = Shelves(tmp_path)

    def opened():
        return LedgerPicture(pictures.source(pixels), "t", steps, ByteCache(1 << 26), shelf=shelves.of("b" * 64))

    first = opened().deliver(np.uint8)
    small = opened().reduced(100)[0]
    monkeypatch.setattr("fern_ticket.core.render.repaired.Repaired._made", lambda *_: pytest.fail("made again"))
    assert np.array_equal(opened().deliver(np.uint8), first)
    assert np.array_equal(opened().reduced(100)[0], small)


def test_a_shelf_that_another_version_filled_is_emptied(tmp_path, monkeypatch):
    Shelves(tmp_path).of("d" * 64).put("k", b"v")
    assert Shelves(tmp_path).of("d" * 64).get("k") == b"v"
    monkeypatch.setattr("fern_ticket.store.shelves.computed_by", lambda: "a later version")
    assert Shelves(tmp_path).of("d" * 64).get("k") is None


def test_a_damaged_shelf_is_begun_anew(tmp_path):
    (tmp_path / f"{'c' * 64}.sqlite").write_bytes(b"this is no shelf" * 400)
    shelf = Shelves(tmp_path).of("c" * 64)
    shelf.put("k", b"v")
    assert shelf.get("k") == b"v"
    assert shelf.get("other") is None


def test_each_of_two_repairs_of_one_place_is_looked_at_by_itself(monkeypatch):
    """Their boxes and what lies there are the same; what they cover need not be."""
    from fern_ticket.core.inspect import traces

    asked = []

    def noted(laid, _):
        asked.append(laid.repair.operation.name)
        return ()

    monkeypatch.setattr(traces, "_of_pixels", noted)
    mask = dab("x", 200, 150, 40)["mask"]
    steps = read_steps([{"op": "heal", "mask": mask}, {"op": "calm", "mask": mask}])
    picture = LedgerPicture(pictures.source(pictures.texture(300, 400)), "t", steps, ByteCache(1 << 26))
    traces.traces(picture.repaired)
    traces.traces(picture.repaired)
    assert asked == ["heal", "calm"]
