"""The roll-off against its published formula, written again in plain Python."""

import unittest

import numpy as np

from zeitbild.colour.highlights import beyond_alpha, conformed, for_straight


def neutral(colour: tuple[float, float, float]) -> list[float]:
    """Khronos PBR Neutral, as its specification prints it (from memory)."""
    x = min(colour)
    offset = x - 6.25 * x * x if x < 0.08 else 0.04
    colour = tuple(value - offset for value in colour)  # type: ignore[assignment]
    peak = max(colour)
    if peak < 0.76:
        return list(colour)
    d = 1 - 0.76
    new_peak = 1 - d * d / (peak + d - 0.76)
    colour = tuple(value * new_peak / peak for value in colour)  # type: ignore[assignment]
    g = 1 - 1 / (0.15 * (peak - new_peak) + 1)
    return [value * (1 - g) + new_peak * g for value in colour]


class RollOff(unittest.TestCase):
    def test_is_the_published_formula_on_straight_colour(self) -> None:
        random = np.random.default_rng(4)
        for scale in (0.1, 1.0, 8.0):
            straight = random.uniform(0, scale, (7, 9, 3))
            alpha = random.uniform(0.05, 1, (7, 9, 1))
            light = np.concatenate([straight * alpha, alpha], axis=2).astype(np.float32)
            found = conformed(light, "rolled off")
            expected = np.apply_along_axis(lambda c: neutral(tuple(c)), 2, straight)
            np.testing.assert_allclose(found[..., :3] / alpha, expected, atol=2e-6)
            np.testing.assert_array_equal(found[..., 3], light[..., 3])

    def test_nothing_exceeds_white_and_clear_stays_clear(self) -> None:
        light = np.zeros((2, 2, 4), np.float32)
        light[0, 0] = (900, 3, 0.5, 1)
        light[0, 1] = (2, 2, 2, 0.5)
        found = conformed(light, "rolled off")
        self.assertLess(found[0, 0].max(), 1.0 + 1e-6)
        self.assertLess(found[0, 1, :3].max(), 0.5 + 1e-6)
        np.testing.assert_array_equal(found[1], 0)

    def test_clipped_leaves_light_as_it_is(self) -> None:
        light = np.ones((2, 2, 4), np.float32) * 3
        self.assertIs(conformed(light, "clipped"), light)


class BeyondAlpha(unittest.TestCase):
    """Pixels by hand: (light, alpha, covered) and what straight files may hold of them."""

    def setUp(self) -> None:
        #: A clear body's highlight; the same at its edge; an opaque highlight at an edge; a clear body that mirrors little.
        pixels = [(0.6, 0.1, 1.0), (0.6, 0.05, 0.5), (2.0, 0.5, 0.5), (0.05, 0.1, 1.0)]
        self.light = np.array([[[one, one / 2, 0, alpha] for one, alpha, _ in pixels]], np.float32)
        self.covered = np.array([[covered for _, _, covered in pixels]], np.float32)

    def test_only_what_is_clear_counts_and_no_further_than_it_reaches(self) -> None:
        found = beyond_alpha(self.light, self.covered)
        np.testing.assert_allclose(found[0], (0.5, 0.45, 0, 0), atol=1e-6)
        self.assertEqual(beyond_alpha(self.light, None).max(), 0)

    def test_raised_alpha_holds_the_light(self) -> None:
        held = for_straight(self.light, self.covered, "clipped", "alpha raised")
        self.assertEqual((held.beyond, held.clipped), (2, 2))
        np.testing.assert_allclose(held.pixels[0, :, 3], (0.6, 0.5, 0.5, 0.1), atol=1e-6)
        np.testing.assert_allclose(held.pixels[0, 0, :3], self.light[0, 0, :3], atol=1e-6)

    def test_clipped_light_keeps_alpha(self) -> None:
        held = for_straight(self.light, self.covered, "clipped", "clipped")
        np.testing.assert_allclose(held.pixels[0, :, 3], self.light[0, :, 3], atol=1e-6)
        self.assertEqual(held.beyond, 2)

    def test_what_is_no_number_is_nothing(self) -> None:
        light = np.full((4, 5, 4), 0.5, np.float32)
        light[0, 0], light[1, 1, 0], light[2, 2, 3], light[3, 3, 3] = np.nan, np.nan, np.nan, -np.inf
        for highlights in ("clipped", "rolled off"):
            for ground in (None, (0.2, 0.2, 0.2)):
                held = for_straight(light, None, highlights, "clipped", ground).pixels  # type: ignore[arg-type]
                self.assertTrue(np.isfinite(held).all())
                nothing = 0.2 if ground else 0
                np.testing.assert_allclose(held[[0, 2, 3], [0, 2, 3], :3], nothing)

    def test_no_channel_is_beyond_alpha_whatever_is_chosen(self) -> None:
        random = np.random.default_rng(2)
        light = random.uniform(0, 3, (9, 9, 4)).astype(np.float32)
        light[..., 3] = random.uniform(0, 1, (9, 9))
        covered = np.maximum(light[..., 3], random.uniform(0, 1, (9, 9)).astype(np.float32))
        for highlights in ("clipped", "rolled off"):
            for beyond in ("clipped", "alpha raised"):
                held = for_straight(light, covered, highlights, beyond).pixels  # type: ignore[arg-type]
                self.assertTrue((held[..., :3] <= held[..., 3:]).all() and held.min() >= 0)
                self.assertTrue((held[..., 3] <= covered + 1e-6).all())
