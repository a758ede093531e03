"""The one family of errors that core raises. The edges (web, command line) turn them into messages."""

from __future__ import annotations


class FernError(Exception):
    """Something a person can mend: what went wrong, and a hint that says what to do."""

    def __init__(self, sentence: str, hint: str = "") -> None:
        super().__init__(sentence)
        self.sentence = sentence
        self.hint = hint

    def __str__(self) -> str:
        return f"{self.sentence} {self.hint}".strip()


class PictureError(FernError):
    """A file that is not a picture we can read, or is damaged."""


class LedgerError(FernError):
    """Steps that do not make sense: an unknown op, a parameter out of range, a mask that is missing."""


class SlipError(FernError):
    """A slip that cannot be read, or a hand-over that its slip does not allow."""
