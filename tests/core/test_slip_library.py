"""The slips to begin with, and what changes from one version to another."""

from __future__ import annotations

import pytest

from fern_ticket.core.slips.differences import differences
from fern_ticket.core.slips.kinds import line_kinds
from fern_ticket.core.slips.library import beginners
from fern_ticket.core.slips.naming import NameParts, delivered_name
from fern_ticket.core.slips.slip import Slip, read_slip


def test_there_are_eight_each_with_a_name_of_its_own_and_lines_that_exist():
    slips = beginners()
    assert len({slip.name for slip in slips}) == len(slips) == 8
    known = {kind.requirement for kind in line_kinds()}
    for slip in slips:
        assert {line.requirement for line in slip.lines} <= known
        assert delivered_name(slip.name_pattern, NameParts("T", 1, "C", "P"), slip.file.format)
        assert read_slip(slip.model_dump_json().encode()) == slip


def slip(*lines, pattern="{ticket}_{number}"):
    return Slip.model_validate({"name": "S", "name_pattern": pattern, "lines": list(lines)})


LEVEL = {"requirement": "level", "at_most": 0.4}
PROFILE = {"requirement": "profile"}
CALM = {"requirement": "by_eye", "words": "it is calm"}


def test_nothing_is_said_of_what_stays():
    assert differences(slip(LEVEL, PROFILE, CALM), slip(LEVEL, PROFILE, CALM)) == []


@pytest.mark.parametrize(
    ("after", "said"),
    [
        (slip({**LEVEL, "at_most": 0.2}, PROFILE, CALM), [("changed", "level", "≤ 0.4°", "≤ 0.2°")]),
        (slip({**LEVEL, "tolerance": 0.1}, PROFILE, CALM), [("changed", "level", "≤ 0.4°", "≤ 0.4° (± 0.1)")]),
        (slip(LEVEL, CALM), [("gone", "colour profile", "sRGB", "")]),
        (slip(LEVEL, PROFILE, CALM, {"requirement": "alterations"}), [("new", "alterations", "", "declared")]),
        (
            slip(LEVEL, PROFILE, CALM, pattern="{photo}"),
            [("changed", "files are called", "{ticket}_{number}", "{photo}")],
        ),
    ],
)
def test_a_change_is_said_line_by_line(after, said):
    found = differences(slip(LEVEL, PROFILE, CALM), after)
    assert [(one.kind, one.what, one.before, one.after) for one in found] == said


def test_other_words_for_an_eye_are_another_line():
    after = slip(LEVEL, PROFILE, {"requirement": "by_eye", "words": "it is loud"})
    assert [one.kind for one in differences(slip(LEVEL, PROFILE, CALM), after)] == ["gone", "new"]


def test_a_slip_that_calls_files_by_another_pattern_asks_for_that():
    asked = slip(LEVEL, {"requirement": "name_pattern", "pattern": "{ticket}"}, pattern="{ticket}")
    other = asked.calling("{client}_{number:02}")
    assert (other.name_pattern, other.lines[1].pattern) == ("{client}_{number:02}", "{client}_{number:02}")
    assert other.lines[0] == asked.lines[0]
