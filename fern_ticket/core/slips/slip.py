"""A slip: the delivery measure of one receiver, line by line."""

from __future__ import annotations

from typing import TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fern_ticket.core.errors import SlipError
from fern_ticket.core.ledger.steps import first_problem
from fern_ticket.core.slips.lines import (
    CLOSE,
    WHOLE,
    BitDepthLine,
    ExactSizeLine,
    FileSizeLine,
    FormatLine,
    Line,
    LongSideLine,
    NamePatternLine,
    NoLocationLine,
    PpiLine,
    Verdict,
)
from fern_ticket.core.slips.measures import Measures

L = TypeVar("L")


class Slip(BaseModel):
    """A delivery measure: who asks, what a file is named, and the lines."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(min_length=1, max_length=80)
    name_pattern: str = Field(default="{ticket}_{number:02}", min_length=1, max_length=120)
    lines: list[Line] = Field(min_length=1, max_length=60)

    def calling(self, pattern: str) -> Slip:
        """The same slip with files called by another pattern, which a line on names then asks for."""
        lines = [
            line.model_copy(update={"pattern": pattern}) if isinstance(line, NamePatternLine) else line
            for line in self.lines
        ]
        return self.model_copy(update={"name_pattern": pattern, "lines": lines})

    def line(self, kind: type[L]) -> L | None:
        """Its first line of a kind."""
        return next((line for line in self.lines if isinstance(line, kind)), None)

    @property
    def long_side(self) -> int | None:
        line = self.line(LongSideLine)
        return None if line is None else line.pixels

    @property
    def exact_size(self) -> tuple[int, int] | None:
        line = self.line(ExactSizeLine)
        return None if line is None else (line.width, line.height)

    @property
    def close(self) -> set[str]:
        """Its lines that need a close look."""
        return {line.requirement for line in self.lines if line.requirement in CLOSE}

    @property
    def whole(self) -> set[str]:
        """Its lines that need a look at the whole picture, small."""
        return {line.requirement for line in self.lines if line.requirement in WHOLE}

    def asks_for(self, requirement: str) -> bool:
        return any(line.requirement == requirement for line in self.lines)

    @property
    def file(self) -> FormatLine:
        return self.line(FormatLine) or FormatLine()

    @property
    def bits(self) -> int | None:
        """Bits a channel that it asks for; None leaves it to the picture."""
        line = self.line(BitDepthLine)
        return 8 if self.file.format == "JPEG" else None if line is None else line.bits

    @property
    def ppi(self) -> float:
        line = self.line(PpiLine)
        return 300.0 if line is None else line.ppi

    @property
    def most_bytes(self) -> int | None:
        line = self.line(FileSizeLine)
        return None if line is None else int(line.at_most * 1e6)

    @property
    def without_location(self) -> bool:
        return self.line(NoLocationLine) is not None

    def verdicts(self, measures: Measures) -> list[Verdict]:
        return [line.verdict(measures) for line in self.lines]


def read_slip(text: bytes) -> Slip:
    """A slip from JSON.

    Raises
    ------
    SlipError
        Says what is wrong with it.
    """
    try:
        return Slip.model_validate_json(text)
    except ValidationError as error:
        raise SlipError(f"This is not a slip: {first_problem(error)}.", "See docs/slips.md for its lines.") from error
