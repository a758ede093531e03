"""What is declared of operations for whoever draws their controls, and for the decks as a whole."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import BaseModel, Field

from fern_ticket.core.balance.curve import DRAWN, Curve, drawn, through
from fern_ticket.core.decks import decks
from fern_ticket.core.ledger.controls import Choice, Editor, Presence, Ruler, Switch, shown
from fern_ticket.core.ledger.steps import Step
from fern_ticket.core.operations import drawn_of, label_of, operations


class Trial(BaseModel):
    share: float = Field(default=0.7, ge=0, le=1)
    size: float = Field(gt=0, le=500)
    free: float = 0.0
    word: str = Field(default="b", json_schema_extra={"enum": ["a", "b"]})
    yes: bool = True
    many: list[int] = Field(default_factory=list, max_length=12)


def test_a_ruler_has_the_ends_and_the_rest_of_its_parameter_in_shown_values():
    one = shown(Ruler("share", "%", times=100), Trial)
    assert (one.low, one.high, one.rest, one.unit) == (0, 100, 70, "%")


def test_a_ruler_may_count_the_other_way_round():
    softness = shown(Ruler("share", "%", times=-100, plus=100, name="softness"), Trial)
    assert (softness.low, softness.high, softness.rest, softness.name) == (0, 100, 30, "softness")


def test_nearer_ends_and_another_rest_are_kept():
    one = shown(Ruler("size", "px", low=2, high=100, rest=24, scale="logarithmic"), Trial)
    assert (one.low, one.high, one.rest, one.scale) == (2, 100, 24, "logarithmic")


def test_what_has_no_ends_or_no_words_cannot_be_drawn():
    with pytest.raises(ValueError, match="no ends"):
        shown(Ruler("free"), Trial)
    with pytest.raises(ValueError, match="no words"):
        shown(Choice("free"), Trial)


def test_the_other_controls_carry_what_their_parameter_says():
    assert shown(Choice("word"), Trial).model_dump() == {
        "param": "word", "name": "word", "kind": "choice", "options": ["a", "b"], "rest": "b", "begins": None,
    }  # fmt: skip
    assert shown(Switch("yes", "say yes"), Trial).rest is True
    assert shown(Editor("curve", "many"), Trial).most == 12
    assert shown(Presence("soften"), Trial).kind == "presence"


@pytest.mark.parametrize("name", operations())
def test_every_control_can_be_drawn_and_begins_a_step_that_fits(name):
    operation = operations()[name]
    about = decks().operations[name]
    assert about.params == list(operation.parameters.model_fields)
    if about.alone:
        operation.parameters.model_validate(about.begun)
    for control in about.controls:
        assert control.name
        if control.kind == "choice" and control.begins is not None:
            for word in control.options:
                operation.parameters.model_validate({**about.begun, **control.begins, control.param: word})
        elif control.kind == "presence":
            operation.parameters.model_validate({})


def test_what_lies_in_a_station_has_a_place_of_its_own_there():
    by_station: dict[str, list[int]] = {}
    for about in decks().operations.values():
        if about.station in ("clean", "balance"):
            by_station.setdefault(about.station, []).append(about.rank)
    for ranks in by_station.values():
        assert len(set(ranks)) == len(ranks)


def test_every_repair_says_what_the_hand_does():
    for name, about in decks().operations.items():
        if about.station == "clean":
            assert about.how.endswith("."), name
            assert about.gesture != "none", name
        assert set(about.tip) <= {ruler.param for ruler in decks().tip}


def test_every_group_is_in_the_order_of_the_decks_once():
    groups = decks().groups
    assert len(set(groups)) == len(groups)
    assert {about.group for about in decks().operations.values()} - {""} == set(groups)


def test_limits_and_frames_cannot_be_taken_in_part():
    about = decks().operations
    assert [name for name in ("fence", "avoid", "crop", "border") if about[name].tunable] == []
    assert (about["fence"].limits, about["heal"].limits, about["exposure"].tunable) == (True, False, True)


def test_stubs_say_what_stands_in_a_step():
    spots = [{"x": 1, "y": 1, "size": 3, "accepted": yes} for yes in (True, False, True)]
    assert label_of(Step(op="specks", params={"spots": spots})) == "Specks · 2"
    rectangle = {"left": 0, "top": 0, "width": 100, "height": 80}
    assert label_of(Step(op="crop", params={**rectangle, "ratio": "5:4"})) == "Crop 5:4"
    assert label_of(Step(op="crop", params=rectangle)) == "Crop"
    assert label_of(Step(op="exposure", params={"ev": 1})) == "Exposure"


def test_a_curve_is_drawn_where_it_runs():
    points = [(0.0, 0.0), (0.25, 0.4), (1.0, 1.0)]
    lines = drawn(Curve(all=points))
    assert {name: len(line) for name, line in lines.items()} == dict.fromkeys(("all", "red", "green", "blue"), DRAWN)
    assert lines["all"][(DRAWN - 1) // 4] == pytest.approx(0.4, abs=1e-4)
    assert lines["all"] == sorted(lines["all"])
    assert lines["red"][5] == pytest.approx(5 / (DRAWN - 1), abs=1e-4)
    assert drawn_of([Step(id="c", op="curve", params={"all": points}), Step(op="exposure")]).keys() == {"c"}
    assert through(points, np.array([0.25]))[0] == pytest.approx(0.4)
