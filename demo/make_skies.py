"""Makes the three skies that ship with the program: rendered, not photographed. Run again, it makes the same.

A layer of cloud lies flat overhead and is seen in perspective. Its thickness is a sum of noises over octaves
(fractional Brownian motion; Ebert and others, "Texturing and Modeling", 1994); its light falls off with the cloud that
lies toward the sun (Beer's law), and the air before it takes the horizon's colour with distance.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

FOLDER = Path(__file__).parents[1] / "fern_ticket" / "core" / "pieces" / "skies"
WIDTH, HEIGHT = 4096, 2048
#: Side of the noise that a layer is cut from, pixels; it repeats.
_SIDE = 4096

Plane = NDArray[np.float32]
Colour = tuple[float, float, float]


@dataclass(frozen=True)
class Made:
    """A sky. Colours are linear; `sun` is the way to it over the layer, in its pixels."""

    name: str
    seed: int
    zenith: Colour
    horizon: Colour
    light: Colour
    shade: Colour
    stretch: float
    cover: float
    crisp: float
    rough: float
    sun: tuple[float, float]
    haze: float


SKIES = (
    Made(
        "fair-day",
        3,
        (0.055, 0.17, 0.47),
        (0.52, 0.66, 0.82),
        (1.0, 0.99, 0.96),
        (0.42, 0.47, 0.56),
        1.0,
        0.57,
        6.0,
        1.85,
        (13, -8),
        0.55,
    ),
    Made(
        "long-cloud",
        11,
        (0.10, 0.22, 0.45),
        (0.60, 0.68, 0.76),
        (0.95, 0.94, 0.92),
        (0.50, 0.54, 0.60),
        2.6,
        0.50,
        3.0,
        1.8,
        (9, -15),
        0.8,
    ),
    Made(
        "low-sun",
        23,
        (0.06, 0.10, 0.26),
        (0.95, 0.50, 0.26),
        (1.0, 0.62, 0.38),
        (0.22, 0.20, 0.28),
        1.8,
        0.53,
        4.0,
        1.85,
        (20, 4),
        0.9,
    ),
)


def noise(seed: int, rough: float, stretch: float) -> Plane:
    """Fractional Brownian noise that repeats, mean 0, deviation 1."""
    across = np.fft.rfftfreq(_SIDE)[None] * stretch
    down = np.fft.fftfreq(_SIDE)[:, None]
    away = np.hypot(across, down)
    away[0, 0] = 1
    power = away**-rough * (away > 5 / _SIDE)
    waves = np.random.default_rng(seed).normal(size=(2, *away.shape))
    made = np.fft.irfft2((waves[0] + 1j * waves[1]) * power, s=(_SIDE, _SIDE))
    return ((made - made.mean()) / made.std()).astype(np.float32)


def read(levels: list[Plane], x: Plane, y: Plane, wide: Plane) -> Plane:
    """A repeating plane at places, averaged over about `wide` of its pixels, from its halved levels."""
    out = np.zeros_like(x)
    level = np.clip(np.log2(np.maximum(wide, 1)), 0, len(levels) - 1)
    for number, plane in enumerate(levels):
        share = np.clip(1 - np.abs(level - number), 0, 1)
        if not share.any():
            continue
        side = plane.shape[0]
        places = [np.mod(at / 2**number - 0.5, side).astype(np.float32) for at in (x, y)]
        wrapped = np.pad(plane, ((0, 1), (0, 1)), mode="wrap")
        out += share * cv2.remap(wrapped, places[0], places[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    return out


def halved(plane: Plane) -> list[Plane]:
    levels = [plane]
    while levels[-1].shape[0] > 16:
        levels.append(cv2.resize(levels[-1], None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA))
    return levels


def made(sky: Made) -> NDArray[np.uint8]:
    """sRGB, shape (HEIGHT, WIDTH, 3)."""
    thick = noise(sky.seed, sky.rough, sky.stretch)
    density = np.clip((thick - (sky.cover - 0.5) * 6) * 0.28, 0, 1) ** 1.2
    depth = np.zeros_like(density)
    for step in range(1, 13):
        moved = np.roll(density, (round(step * sky.sun[1]), round(step * sky.sun[0])), axis=(0, 1))
        depth += moved * np.float32(1 - step / 16)
    lit = np.exp(-0.55 * depth).astype(np.float32)
    # elevation over the horizon, which lies at the foot of the picture
    rows = (np.arange(HEIGHT, dtype=np.float32) + 0.5) / HEIGHT
    up = np.tan(np.radians(2.2 + 58 * (1 - rows)))[:, None].astype(np.float32)
    ahead = 620 / up
    columns = (np.arange(WIDTH, dtype=np.float32) / WIDTH - 0.5)[None]
    x = 1800 + 2.1 * columns * np.hypot(ahead, 620)
    y = 300 + np.broadcast_to(ahead, x.shape)
    wide = np.broadcast_to(2.1 * np.hypot(ahead, 620) / WIDTH * 1.2, x.shape).astype(np.float32)
    wide = np.maximum(wide, np.abs(np.gradient(ahead[:, 0]))[:, None]) * np.ones_like(x)
    covered = read(halved(density), x.astype(np.float32), y.astype(np.float32), wide)
    light = read(halved(lit), x.astype(np.float32), y.astype(np.float32), wide)
    share = (1 - np.exp(-sky.crisp * covered))[..., None]
    elevation = (1 - rows)[:, None, None] ** 0.6
    blue = np.array(sky.horizon) + elevation * (np.array(sky.zenith) - np.array(sky.horizon))
    cloud = np.array(sky.shade) + light[..., None] * (np.array(sky.light) - np.array(sky.shade))
    air = np.exp(-sky.haze * ahead / 5200)[..., None]
    cloud = np.array(sky.horizon) * 1.02 + air * (cloud - np.array(sky.horizon) * 1.02)
    linear = np.clip(blue + share * (cloud - blue), 0, 1)
    encoded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    grain = np.random.default_rng(sky.seed + 1).normal(0, 0.9, encoded.shape)
    return np.clip(255 * encoded + grain + 0.5, 0, 255).astype(np.uint8)


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    for sky in SKIES:
        cv2.imwrite(str(FOLDER / f"{sky.name}.jpg"), made(sky)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 88])


if __name__ == "__main__":
    main()
