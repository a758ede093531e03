"""What changes from one version of a slip to another, line by line."""

from __future__ import annotations

from difflib import SequenceMatcher
from typing import Literal

from pydantic import BaseModel

from fern_ticket.core.slips.lines import Line
from fern_ticket.core.slips.slip import Slip


class Difference(BaseModel):
    """A line that is new, gone, or asks for something else; `what` in the slip's own words."""

    kind: Literal["new", "gone", "changed"]
    what: str
    before: str = ""
    after: str = ""


def differences(before: Slip, after: Slip) -> list[Difference]:
    """What changes, in the order of the lines; nothing where both ask for the same.

    Lines of one kind that follow one another in both are taken for the same line.
    """
    out = []
    if before.name_pattern != after.name_pattern:
        out.append(
            Difference(kind="changed", what="files are called", before=before.name_pattern, after=after.name_pattern)
        )
    old_kinds, new_kinds = ([_kind(line) for line in slip.lines] for slip in (before, after))
    for how, a, b, c, d in SequenceMatcher(None, old_kinds, new_kinds, autojunk=False).get_opcodes():
        if how == "equal":
            pairs = zip(before.lines[a:b], after.lines[c:d], strict=True)
            out += [_changed(old, new) for old, new in pairs if old != new]
        else:
            out += [Difference(kind="gone", what=line.called, before=line.asks) for line in before.lines[a:b]]
            out += [Difference(kind="new", what=line.called, after=line.asks) for line in after.lines[c:d]]
    return out


def _kind(line: Line) -> str:
    """Lines by eye are each a kind of their own: their words are what they are."""
    return f"by_eye {line.asks}" if line.requirement == "by_eye" else line.requirement


def _changed(old: Line, new: Line) -> Difference:
    return Difference(kind="changed", what=new.called, before=old.asks, after=new.asks)
