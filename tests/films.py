"""Small films whose pictures carry their number, for tests."""

import numpy as np

from galena.clips import video

SIZE = (160, 120)
BITS, BAR = 8, 16  # a stripe of BITS bars at the bottom tells the number of a picture
DOT = 5  # pixels: half the side of the dot that moves


def number_picture(number, dot=None):
    """A grey picture that tells its number in bars, with a dot at a place; shape (h, w, 3)."""
    width, height = SIZE
    picture = np.full((height, width, 3), 150, dtype=np.uint8)
    for bit in range(BITS):
        shade = 235 if number >> bit & 1 else 20
        picture[height - BAR :, bit * width // BITS : (bit + 1) * width // BITS] = shade
    if dot is not None:
        x, y = (round(one) for one in dot)
        picture[y - DOT : y + DOT + 1, x - DOT : x + DOT + 1] = (70, 40, 20)
        picture[y - 1 : y + 2, x - 1 : x + 2] = 240
    return picture


def number_of(picture):
    """Read the number of a picture from its bars; it may have another size."""
    height, width = picture.shape[:2]
    row = picture[round(height * (1 - BAR / SIZE[1] / 2))].reshape(width, -1).mean(axis=1)
    middles = [round(width * (bit + 0.5) / BITS) for bit in range(BITS)]
    return sum(1 << bit for bit, middle in enumerate(middles) if row[middle] > 128)


def way(number):
    """Where the dot of a picture is."""
    return 20.0 + 4.0 * number, 90.0 - 2.0 * number


def film(path, times, *, codec="libx264", with_dot=True):
    """Write a film with a picture at each of these times, in s."""
    video.write(
        str(path), SIZE, times, lambda k: number_picture(k, way(k) if with_dot else None),
        codec=codec,
    )  # fmt: skip
    return path
