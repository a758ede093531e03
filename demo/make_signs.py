"""Make the small font of signs that ships with the page and stands in its reports: a renamed subset of DejaVu Sans."""

from __future__ import annotations

from pathlib import Path

from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont

SIGNS = "ΔΣ≤≥≠≈→←↑↓↔↕↶↷▸◂▾▴△▲✓✕∅⇧⌫…"
SOURCE = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
TARGET = Path(__file__).parents[1] / "frontend" / "public" / "fonts" / "fern-signs.woff2"


def main() -> None:
    font = TTFont(SOURCE)
    subsetter = Subsetter(Options(flavor="woff2", layout_features=[]))
    subsetter.populate(text=SIGNS)
    subsetter.subset(font)
    for record in font["name"].names:
        if record.nameID in (1, 3, 4, 6, 16):
            record.string = "FernSigns" if record.nameID == 6 else "Fern Signs"
    font.flavor = "woff2"
    font.save(TARGET)


if __name__ == "__main__":
    main()
