"""The contact sheet of docs/demo-pictures.md: every picture that an editor gets, and its clean partner."""

from __future__ import annotations

from pathlib import Path

from PIL import Image

ROOT = Path(__file__).parents[2]
WIDTH, GAP = 440, 10


def main() -> None:
    Image.MAX_IMAGE_PIXELS = None
    rows = []
    for truth in sorted((ROOT / "demo" / "pictures").glob("*.truth.json")):
        name = truth.name.removesuffix(".truth.json")
        pair = [truth.with_name(f"{name}.jpg"), truth.with_name(f"{name}.clean.jpg")]
        rows.append([_small(path) for path in pair if path.exists()])
    height = sum(max(p.height for p in row) for row in rows) + GAP * (len(rows) + 1)
    sheet = Image.new("RGB", (2 * WIDTH + 3 * GAP, height), (207, 207, 207))
    top = GAP
    for row in rows:
        for column, picture in enumerate(row):
            sheet.paste(picture, (GAP + column * (WIDTH + GAP), top))
        top += max(p.height for p in row) + GAP
    sheet.save(ROOT / "docs" / "screenshots" / "demo-pictures.jpg", quality=88)


def _small(path: Path) -> Image.Image:
    picture = Image.open(path)
    return picture.resize((WIDTH, round(picture.height * WIDTH / picture.width)), Image.Resampling.LANCZOS)


if __name__ == "__main__":
    main()
