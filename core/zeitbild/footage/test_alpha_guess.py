"""How alpha seems to be meant, on generated pictures of every kind: the generator knows, and errors are counted."""

import unittest
from collections import Counter

import numpy as np
from numpy.typing import NDArray

from zeitbild.footage.alpha_guess import guess_alpha
from zeitbild.footage.plain import Reading

_SIZE = 96


def _shape(kind: str, rng: np.random.Generator) -> NDArray[np.float64]:
    """Alpha of a disc, a ring, letters' strokes, a soft cloud, or a veil that is nowhere whole."""
    y, x = np.mgrid[:_SIZE, :_SIZE] + 0.5
    far = np.hypot(x - 48 + rng.uniform(-3, 3), y - 48)
    if kind == "disc":
        return np.clip(34.5 - far, 0, 1)
    if kind == "ring":
        return np.clip(5.5 - np.abs(far - 30), 0, 1)
    if kind == "strokes":
        return np.clip(3.2 - np.abs((x + 0.4 * y) % 17 - 8), 0, 1) * (np.abs(y - 48) < 36)
    if kind == "cloud":
        return np.clip(1.5 - far / 30, 0, 1)
    return 0.7 * np.clip(1 - far / 44, 0, 1)


def _colours(kind: str, rng: np.random.Generator) -> NDArray[np.float64]:
    """Colours of what is there: one, a slope, or a texture."""
    y, x = np.mgrid[:_SIZE, :_SIZE] / _SIZE
    one, other = rng.uniform(0.1, 0.95, 3), rng.uniform(0.1, 0.95, 3)
    if kind == "one":
        return np.broadcast_to(one, (_SIZE, _SIZE, 3))
    share = x if kind == "slope" else 0.5 + 0.5 * np.sin(x * 25) * np.cos(y * 21)
    return one + (other - one) * share[..., None]


def _file(
    alpha: NDArray[np.float64], colours: NDArray[np.float64], how: str, ground: NDArray[np.float64], steps: int
) -> NDArray[np.float32]:
    """As a file of so many steps would have it."""
    share = alpha[..., None]
    if how == "straight":
        values = colours * (share > 0)
    elif how == "straight, bled":
        values = colours
    else:
        values = colours * share + (1 - share) * ground
    return (np.round(np.concatenate([values, share], axis=2) * steps) / steps).astype(np.float32)


class Guessing(unittest.TestCase):
    def test_generated_files_of_every_kind(self) -> None:
        rng = np.random.default_rng(7)
        wrong: Counter[str] = Counter()
        tried = 0
        black = np.zeros(3)
        for shape in ("disc", "ring", "strokes", "cloud", "veil"):
            for colour in ("one", "slope", "texture"):
                for steps in (255, 65535):
                    for how, reading, ground in (
                        ("straight", "straight", black),
                        ("straight, bled", "straight", black),
                        ("over", "premultiplied", black),
                        ("over", "over a colour", np.ones(3)),
                        ("over", "over a colour", np.array([0.0, 0.69, 0.25])),
                    ):
                        alpha, colours = _shape(shape, rng), _colours(colour, rng)
                        picture = _file(alpha, colours, how, ground, steps)
                        found, matte, why = guess_alpha([picture])
                        self.assertTrue(why)
                        tried += 1
                        if found != reading:
                            wrong[f"{shape}, {colour}, {how}: {found}"] += 1
                        elif found == "over a colour":
                            rgb = [int(matte[at : at + 2], 16) / 255 for at in (1, 3, 5)]
                            self.assertLess(float(np.abs(rgb - ground).max()), 2 / 255)
        self.assertEqual(tried, 150)
        # A texture that is wholly there nowhere can be either: five of 150.
        self.assertLessEqual(sum(wrong.values()), 5, wrong)
        self.assertEqual({one for one in wrong if not one.startswith("veil, texture")}, set())

    def test_what_needs_no_guess(self) -> None:
        colours = np.random.default_rng(1).random((32, 32, 3)).astype(np.float32)
        whole = np.concatenate([colours, np.ones((32, 32, 1), np.float32)], axis=2)
        self.assertEqual(guess_alpha([whole])[0], "ignored")
        hard = whole.copy()
        hard[:16, :, 3] = 0
        found: tuple[Reading, str, str] = guess_alpha([hard])
        self.assertEqual(found[0], "straight")
        self.assertIn("no difference", found[2])

    def test_an_empty_first_picture_is_not_what_decides(self) -> None:
        alpha = _shape("disc", np.random.default_rng(2))
        ground = np.zeros(3)
        picture = _file(alpha, np.broadcast_to([0.9, 0.6, 0.2], (_SIZE, _SIZE, 3)), "over", ground, 255)
        self.assertEqual(guess_alpha([np.zeros_like(picture), picture])[0], "premultiplied")
