"""Eight slips to begin with, by trade. Sizes and limits are common practice, no source; each is meant to be changed."""

from __future__ import annotations

from functools import lru_cache

from fern_ticket.core.slips.slip import Slip

_CLEAN = [{"requirement": "repeats"}, {"requirement": "joins"}, {"requirement": "grain"}]
_BEGINNERS: tuple[dict[str, object], ...] = (
    {
        "name": "Web page",
        "lines": [
            {"requirement": "long_side", "pixels": 1600},
            {"requirement": "format", "format": "JPEG", "quality": 88},
            {"requirement": "profile"},
            {"requirement": "file_size", "at_most": 0.8},
            {"requirement": "cast", "at_most": 3},
            {"requirement": "clipped_whites", "at_most": 1},
            {"requirement": "no_enlargement"},
            {"requirement": "no_location"},
        ],
    },
    {
        "name": "Square social picture",
        "lines": [
            {"requirement": "ratio", "across": 1, "down": 1},
            {"requirement": "exact_size", "width": 1080, "height": 1080},
            {"requirement": "format", "format": "JPEG", "quality": 92},
            {"requirement": "profile"},
            {"requirement": "cast", "at_most": 4},
            {"requirement": "no_location"},
            {"requirement": "by_eye", "words": "it reads at the size of a thumb"},
        ],
    },
    {
        "name": "Print at 300 ppi",
        "name_pattern": "{client}_{photo}",
        "lines": [
            {"requirement": "ppi", "ppi": 300},
            {"requirement": "megapixels", "at_least": 8},
            {"requirement": "format", "format": "TIFF"},
            {"requirement": "profile"},
            {"requirement": "cast", "at_most": 2},
            {"requirement": "clipped_whites", "at_most": 0.5},
            {"requirement": "specks"},
            *_CLEAN,
            {"requirement": "no_enlargement"},
            {"requirement": "metadata", "fields": ["title", "creator", "copyright"]},
        ],
    },
    {
        "name": "Shop page on white",
        "name_pattern": "{photo}_{number:02}",
        "lines": [
            {"requirement": "ratio", "across": 1, "down": 1},
            {"requirement": "long_side", "pixels": 2000},
            {"requirement": "format", "format": "JPEG", "quality": 92},
            {"requirement": "profile"},
            {"requirement": "cast", "at_most": 2},
            {"requirement": "specks"},
            {"requirement": "file_size", "at_most": 3},
            {"requirement": "by_eye", "words": "the ground is white to the edges"},
            {"requirement": "by_eye", "words": "colours match the piece"},
        ],
    },
    {
        "name": "Listing 5:4",
        "lines": [
            {"requirement": "ratio", "across": 5, "down": 4, "either_way": True},
            {"requirement": "long_side", "pixels": 2400},
            {"requirement": "format", "format": "JPEG", "quality": 95},
            {"requirement": "profile"},
            {"requirement": "level", "at_most": 0.4},
            {"requirement": "cast", "at_most": 2.5},
            {"requirement": "clipped_whites", "at_most": 1},
            *_CLEAN,
            {"requirement": "no_location"},
            {"requirement": "alterations"},
            {"requirement": "by_eye", "words": "the building is as it stands"},
        ],
    },
    {
        "name": "Stock, large",
        "name_pattern": "{ticket}-{number:03}",
        "lines": [
            {"requirement": "megapixels", "at_least": 12},
            {"requirement": "format", "format": "JPEG", "quality": 100},
            {"requirement": "profile"},
            {"requirement": "cast", "at_most": 3},
            {"requirement": "clipped_whites", "at_most": 0.5},
            {"requirement": "specks"},
            *_CLEAN,
            {"requirement": "saturation_change", "at_most": 5},
            {"requirement": "no_enlargement"},
            {"requirement": "metadata", "fields": ["title", "caption", "keywords", "creator", "copyright"]},
            {"requirement": "alterations"},
            {"requirement": "by_eye", "words": "no names, no marks, nobody to be known"},
        ],
    },
    {
        "name": "Artwork, 16-bit TIFF",
        "name_pattern": "{client}_{photo}",
        "lines": [
            {"requirement": "format", "format": "TIFF"},
            {"requirement": "bit_depth", "bits": 16},
            {"requirement": "profile"},
            {"requirement": "ppi", "ppi": 300},
            {"requirement": "cast", "at_most": 1.5},
            {"requirement": "specks"},
            {"requirement": "no_enlargement"},
            {"requirement": "metadata", "fields": ["title", "creator", "copyright"]},
        ],
    },
    {
        "name": "Flat panorama",
        "name_pattern": "{ticket}_{photo}",
        "lines": [
            {"requirement": "ratio", "across": 2, "down": 1},
            {"requirement": "megapixels", "at_least": 16},
            {"requirement": "format", "format": "JPEG", "quality": 95},
            {"requirement": "profile"},
            {"requirement": "projection"},
            {"requirement": "no_enlargement"},
            {"requirement": "by_eye", "words": "the seam at the back does not show"},
            {"requirement": "by_eye", "words": "nobody is to be known in it"},
        ],
    },
)


@lru_cache(maxsize=1)
def beginners() -> tuple[Slip, ...]:
    """The eight, each checked like any other slip."""
    return tuple(Slip.model_validate(told) for told in _BEGINNERS)
