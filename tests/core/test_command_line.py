"""The contract of `./fern render`, `inspect` and `ops`."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from fern_ticket.cli import main
from tests import pictures


@pytest.fixture
def photo(tmp_path):
    path = tmp_path / "in.png"
    Image.fromarray(pictures.texture(240, 320)).save(path)
    return path


def render(photo, steps, name="out.png", *more):
    file = photo.parent / "steps.json"
    file.write_text(steps if isinstance(steps, str) else json.dumps(steps))
    out = photo.parent / name
    return main(["render", str(photo), str(out), "--steps", str(file), *more]), out


def test_an_empty_list_of_steps_gives_back_the_pixels(photo):
    code, out = render(photo, [])
    assert code == 0
    assert np.array_equal(np.asarray(Image.open(out)), np.asarray(Image.open(photo)))


def test_a_bitmap_mask_is_found_next_to_the_steps(photo):
    mask = np.zeros((240, 320), np.uint8)
    mask[100:120, 150:180] = 255
    Image.fromarray(mask).save(photo.parent / "mask.png")
    pixels = np.asarray(Image.open(photo)).copy()
    pixels[103:117, 153:177] = 0
    Image.fromarray(pixels).save(photo)
    code, out = render(photo, [{"op": "heal", "mask": {"kind": "bitmap", "file": "mask.png"}}])
    assert code == 0
    result = np.asarray(Image.open(out))
    assert result[100:120, 150:180].min() > 60
    assert np.array_equal(result[:100], pixels[:100])


@pytest.mark.parametrize(
    ("steps", "said"),
    [
        ("{not json", "not JSON"),
        ("[" * 20000, "not JSON"),
        ([{"op": "sparkle"}], "no operation called sparkle"),
        ([{"op": "dab", "mask": {"kind": "bitmap", "file": "gone.png"}}], "gone.png"),
        ([{"op": "exposure", "params": {"ev": 99}}], "Exposure: ev"),
        (
            [{"op": "exposure", "mask": {"kind": "strokes", "strokes": [{"points": [[1, 1, 1]], "size": 5}]}}],
            "works on the whole picture",
        ),
    ],
)
def test_mistakes_end_with_one_line_and_exit_code_2(photo, capsys, steps, said):
    code, out = render(photo, steps)
    assert code == 2
    assert not out.exists()
    error = capsys.readouterr().err
    assert said in error
    assert error.count("\n") == 1
    assert "Traceback" not in error


def test_bad_files_and_places_end_with_exit_code_2(photo, capsys):
    photo.write_bytes(b"nothing of the kind")
    assert render(photo, [])[0] == 2
    assert main(["inspect", str(photo)]) == 2
    assert main(["inspect", str(photo.parent / "gone.jpg")]) == 2
    assert capsys.readouterr().err.count("\n") == 3


def test_quality_and_unwritable_results_are_checked(photo):
    assert render(photo, [], "o.jpg", "--quality", "101")[0] == 2
    assert render(photo, [], "none/o.jpg")[0] == 2
    assert render(photo, [], "o.webp")[0] == 2


def test_sixteen_bits_stay_sixteen_bits(tmp_path):
    import tifffile

    photo = tmp_path / "in.tif"
    pixels = pictures.noise(40, 50, depth=np.uint16)
    tifffile.imwrite(photo, pixels, photometric="rgb")
    code, out = render(photo, [], "out.tif")
    assert code == 0
    assert np.array_equal(tifffile.imread(out), pixels)


def test_inspect_measures_and_compares(photo, capsys):
    code, out = render(photo, [{"op": "exposure", "params": {"ev": 1}}])
    assert code == 0
    assert main(["inspect", str(out), "--against", str(photo)]) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["width"] == {"value": 320, "unit": "px"}
    assert found["changed"]["value"] == 100
    assert found["mean_difference"]["value"] > 10
    assert found["profile"]["value"].startswith("sRGB")
    for measurement in found.values():
        assert {"value", "unit"} <= set(measurement)


@pytest.mark.parametrize("page", ["ledger", "slips"])
def test_pages_written_from_the_schema_are_current(page, capsys):
    assert main([f"{page}-page"]) == 0
    committed = (Path(__file__).parents[2] / "docs" / f"{page}.md").read_text()
    assert capsys.readouterr().out == committed, f"run: python -m fern_ticket.cli {page}-page > docs/{page}.md"


def test_ops_is_one_json_object(capsys):
    assert main(["ops"]) == 0
    described = json.loads(capsys.readouterr().out)
    assert described["exposure"]["station"] == "balance"
    assert "ev" in described["exposure"]["schema"]["properties"]
