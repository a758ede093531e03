"""Closed-form matting on the pixels of a band, without a matrix.

Levin, Lischinski, Weiss 2008, "A closed-form solution to natural image matting", doi:10.1109/TPAMI.2007.1177: in every
window of 3 × 3 pixels coverage is nearly an affine function of colour. Its Laplacian times a vector is what is left of
the vector when in each window the best such function is taken away (He, Sun, Tang 2010, "Fast matting using large
kernel matting Laplacian matrices", doi:10.1109/CVPR.2010.5539896), so no matrix is ever built.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from fern_ticket.core.kernels import fast_kernel

Rows = NDArray[np.float32]
Index = NDArray[np.int32]

#: Keeps the affine functions tame where a window has but one colour; of values 0-1, squared.
_TAME = 1e-5
#: The solution is near enough when the residual has shrunk to this share.
_NEAR = 3e-3


@dataclass(frozen=True)
class Band:
    """Pixels whose coverage is asked for, and those around them.

    Attributes
    ----------
    number
        Of each pixel of the picture in `colours`, -1 where it has none, shape (rows, columns).
    colours
        Of the numbered pixels, 0-1, shape (count, 3).
    unknown
        Which of them are asked for, shape (count,).
    windows
        Middle of each window of 3 × 3 that holds an unknown pixel, row and column, shape (windows, 2). All nine pixels
        have numbers.
    """

    number: Index
    colours: Rows
    unknown: NDArray[np.bool_]
    windows: Index


def band_of(pixels: NDArray[np.float32], unknown: NDArray[np.bool_]) -> Band:
    """The band of the pixels asked for.

    Parameters
    ----------
    pixels
        Colours 0-1, shape (rows, columns, 3).
    unknown
        Which pixels are asked for, shape (rows, columns).
    """
    reach = _spread(unknown)
    windows = reach.copy()
    windows[[0, -1]] = False
    windows[:, [0, -1]] = False
    numbered = _spread(windows) | unknown
    number = np.full(unknown.shape, -1, np.int32)
    number[numbered] = np.arange(np.count_nonzero(numbered), dtype=np.int32)
    middles = np.argwhere(windows).astype(np.int32)
    return Band(number, np.ascontiguousarray(pixels[numbered], np.float32), unknown[numbered], middles)


def _spread(bits: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Bits and their eight neighbours."""
    out = bits.copy()
    out[1:] |= bits[:-1]
    out[:-1] |= bits[1:]
    across = out.copy()
    out[:, 1:] |= across[:, :-1]
    out[:, :-1] |= across[:, 1:]
    return out


def solved(band: Band, start: Rows, weight: Rows, wanted: Rows, most: int = 400) -> Rows:
    """Coverage of the band's pixels.

    Least sum of the matting Laplacian's energy and of `weight` times the squared distance from `wanted`; pixels that
    are not unknown stay as in `start`. By conjugate gradients with the diagonal as preconditioner.

    Parameters
    ----------
    start
        First guess, 0-1, shape (count,); the truth where pixels are known.
    weight, wanted
        How strongly each pixel is held to what, shape (count,).
    most
        Rounds at most.

    Returns
    -------
    Shape (count,), 0-1.
    """
    colours, places = band.colours, _places(band.number, band.windows)
    means, inverses = _affine(colours, places)
    free = band.unknown.astype(np.float32)
    alpha = start.astype(np.float32).copy()

    def apply(vector: Rows) -> Rows:
        product: Rows = _laplacian(colours, places, means, inverses, vector) + weight * vector
        return product * free

    right = weight * wanted * free
    residual = right - apply(alpha)
    scale = _diagonal(colours, places, means, inverses) + weight + np.float32(1e-6)
    preconditioned = residual / scale
    direction = preconditioned.copy()
    rho = float(np.dot(residual, preconditioned))
    enough = _NEAR**2 * max(rho, 1e-20)
    for _ in range(most):
        if rho <= enough:
            break
        image = apply(direction)
        step = np.float32(rho / max(float(np.dot(direction, image)), 1e-30))
        alpha += step * direction
        residual -= step * image
        preconditioned = residual / scale
        before, rho = rho, float(np.dot(residual, preconditioned))
        direction = preconditioned + np.float32(rho / before) * direction
    return np.asarray(np.clip(alpha, 0, 1), np.float32)


@fast_kernel
def _places(number: Index, windows: Index) -> Index:
    """Numbers of the nine pixels of each window, shape (windows, 9)."""
    out = np.empty((windows.shape[0], 9), np.int32)
    for k in range(windows.shape[0]):
        for down in range(3):
            for across in range(3):
                out[k, 3 * down + across] = number[windows[k, 0] + down - 1, windows[k, 1] + across - 1]
    return out


@fast_kernel
def _affine(colours: Rows, places: Index) -> tuple[Rows, Rows]:
    """Mean colour of each window, shape (windows, 3), and the upper half of its inverse covariance, (windows, 6)."""
    means = np.empty((places.shape[0], 3), np.float32)
    inverses = np.empty((places.shape[0], 6), np.float32)
    # in double precision: the determinant of a window of one colour is the difference of all but equal numbers
    for k in range(places.shape[0]):
        mean = np.zeros(3, np.float64)
        for j in range(9):
            for c in range(3):
                mean[c] += colours[places[k, j], c] / 9.0
        rr = gg = bb = _TAME / 9
        rg = rb = gb = 0.0
        for j in range(9):
            r = colours[places[k, j], 0] - mean[0]
            g = colours[places[k, j], 1] - mean[1]
            b = colours[places[k, j], 2] - mean[2]
            rr += r * r / 9
            rg += r * g / 9
            rb += r * b / 9
            gg += g * g / 9
            gb += g * b / 9
            bb += b * b / 9
        one, two, three = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
        determinant = rr * one + rg * two + rb * three
        inverses[k, 0] = one / determinant
        inverses[k, 1] = two / determinant
        inverses[k, 2] = three / determinant
        inverses[k, 3] = (rr * bb - rb * rb) / determinant
        inverses[k, 4] = (rg * rb - rr * gb) / determinant
        inverses[k, 5] = (rr * gg - rg * rg) / determinant
        means[k] = mean
    return means, inverses


@fast_kernel
def _laplacian(colours: Rows, places: Index, means: Rows, inverses: Rows, vector: Rows) -> Rows:
    out = np.zeros(vector.shape[0], np.float32)
    ninth = np.float32(1 / 9)
    for k in range(places.shape[0]):
        total = vr = vg = vb = np.float32(0)
        for j in range(9):
            at = places[k, j]
            value = vector[at]
            total += value
            vr += value * (colours[at, 0] - means[k, 0])
            vg += value * (colours[at, 1] - means[k, 1])
            vb += value * (colours[at, 2] - means[k, 2])
        mean, vr, vg, vb = total * ninth, vr * ninth, vg * ninth, vb * ninth
        ar = inverses[k, 0] * vr + inverses[k, 1] * vg + inverses[k, 2] * vb
        ag = inverses[k, 1] * vr + inverses[k, 3] * vg + inverses[k, 4] * vb
        ab = inverses[k, 2] * vr + inverses[k, 4] * vg + inverses[k, 5] * vb
        for j in range(9):
            at = places[k, j]
            line = (
                mean
                + ar * (colours[at, 0] - means[k, 0])
                + ag * (colours[at, 1] - means[k, 1])
                + ab * (colours[at, 2] - means[k, 2])
            )
            out[at] += vector[at] - line
    return out


@fast_kernel
def _diagonal(colours: Rows, places: Index, means: Rows, inverses: Rows) -> Rows:
    out = np.zeros(colours.shape[0], np.float32)
    ninth = np.float32(1 / 9)
    for k in range(places.shape[0]):
        for j in range(9):
            at = places[k, j]
            r = colours[at, 0] - means[k, 0]
            g = colours[at, 1] - means[k, 1]
            b = colours[at, 2] - means[k, 2]
            bent = (
                inverses[k, 0] * r * r
                + inverses[k, 3] * g * g
                + inverses[k, 5] * b * b
                + np.float32(2) * (inverses[k, 1] * r * g + inverses[k, 2] * r * b + inverses[k, 4] * g * b)
            )
            out[at] += np.float32(1) - ninth * (np.float32(1) + bent)
    return out
