"""Formants against the published averages that a voice was made with; mouths against the sounds that were said."""

import unittest

import numpy as np
from numpy.typing import NDArray

from zeitbild.sound.plain import RATE
from zeitbild.sound.speech import MOUTHS, Mouth, formants_of, looks, mouths, voice_of
from zeitbild.tones import voice as made
from zeitbild.tones.voice import HISS, HUM, PAUSE, STOP, VOWELS, Sound, spoken, vowel

_MOUTH_OF: dict[str, Mouth] = {
    **dict.fromkeys(("heed", "hid", "head"), "wide"),
    **dict.fromkeys(("had", "hod", "hud"), "open"),
    **dict.fromkeys(("hawed", "hood", "whod", "heard"), "round"),
}  # type: ignore[dict-item]


def _stereo(mono: NDArray[np.float64]) -> NDArray[np.float32]:
    return np.repeat(mono.astype(np.float32)[:, None], 2, axis=1)


class Formants(unittest.TestCase):
    def test_formants_of_vowels_are_those_that_they_were_made_with(self) -> None:
        self.assertEqual(made.RATE, RATE)
        off: list[float] = []
        for pitch, size in ((105, 1.0), (130, 1.0), (190, 1.17)):
            for word, wanted in VOWELS.items():
                sound = spoken([vowel(word, 0.6)], pitch, size)
                found = np.nanmedian(formants_of(sound, RATE, 60)[10:50], axis=0)
                off += list(np.abs(found[:2] / (np.array(wanted[:2]) * size) - 1))
        # An ear tells 3 to 5 % apart (common knowledge of phonetics); harmonics lie up to 190 Hz apart here.
        self.assertLess(float(np.mean(off)), 0.04)
        self.assertLess(float(np.quantile(off, 0.95)), 0.15)

    def test_prediction_finds_the_poles_that_made_a_signal(self) -> None:
        from scipy import signal

        from zeitbild.sound.speech import _predictors

        rng = np.random.default_rng(5)
        true = np.poly([0.9 * np.exp(0.6j), 0.9 * np.exp(-0.6j), 0.8 * np.exp(1.7j), 0.8 * np.exp(-1.7j)]).real
        noise = signal.lfilter([1], true, rng.standard_normal(20_000))
        np.testing.assert_allclose(_predictors(noise[None], 4)[0], true, atol=0.05)


class Mouths(unittest.TestCase):
    def _errors(self, sounds: list[tuple[Sound, Mouth]], pitch: float, size: float) -> tuple[int, int]:
        """Looks in the inner part of sounds whose mouth is wrong, and how many there are."""
        samples = spoken([one for one, _ in sounds], pitch, size)
        found = looks(voice_of(_stereo(samples)))
        wrong = total = 0
        at = 0.0
        for sound, wanted in sounds:
            low, high = at + 0.25 * sound.seconds, at + 0.75 * sound.seconds
            inner = found[round(low * 100) : max(round(high * 100), round(low * 100) + 1)]
            at += round(sound.seconds * made.RATE / 240) * 240 / made.RATE
            wrong += int((inner != MOUTHS.index(wanted)).sum())
            total += len(inner)
        return wrong, total

    def test_known_sounds_have_their_mouths(self) -> None:
        rng = np.random.default_rng(11)
        wrong = total = 0
        for pitch, size in ((100, 1.0), (125, 1.0), (150, 1.08), (200, 1.16)):
            sounds: list[tuple[Sound, Mouth]] = [(PAUSE, "rest")]
            for word in rng.permutation(list(VOWELS) * 3):
                between: list[tuple[Sound, Mouth]] = [(HUM, "closed"), (STOP, "closed"), (HISS, "teeth")]
                sounds += [between[rng.integers(3)], (vowel(word), _MOUTH_OF[word])]
                if rng.random() < 0.15:
                    sounds.append((PAUSE, "rest"))
            sounds.append((PAUSE, "rest"))
            one, all_ = self._errors(sounds, pitch, size)
            wrong, total = wrong + one, total + all_
        self.assertGreater(total, 900)
        self.assertLess(wrong / total, 0.06, f"{wrong} of {total}")

    def test_voices_of_women_are_understood_whose_formants_are_not_just_higher(self) -> None:
        # Averages of women's formants (Peterson and Barney 1952, table II; from memory).
        women = {
            "heed": (310, 2790, 3310),
            "hid": (430, 2480, 3070),
            "head": (610, 2330, 2990),
            "had": (860, 2050, 2850),
            "hod": (850, 1220, 2810),
            "hawed": (590, 920, 2710),
            "hood": (470, 1160, 2680),
            "whod": (370, 950, 2670),
            "hud": (760, 1400, 2780),
            "heard": (500, 1640, 1960),
        }
        wrong = total = 0
        for pitch in (180, 210, 235):
            sounds: list[tuple[Sound, Mouth]] = [(PAUSE, "rest")]
            for word, formants in women.items():
                sounds += [(STOP, "closed"), (Sound(formants, seconds=0.2), _MOUTH_OF[word])]
            one, all_ = self._errors([*sounds, (PAUSE, "rest")], pitch, 1.0)
            wrong, total = wrong + one, total + all_
        self.assertLess(wrong / total, 0.06, f"{wrong} of {total}")

    def test_frames_get_the_mouth_of_what_is_heard_in_them(self) -> None:
        words = ["hod", "heed", "whod", "had"]
        sounds = [PAUSE, *(one for word in words for one in (STOP, vowel(word, 0.32))), PAUSE]
        samples = _stereo(spoken(sounds, 115))
        for rate in (24.0, 30000 / 1001, 12.0):
            count = round(len(samples) / RATE * rate)
            found = mouths(samples, count, 1 / rate)
            self.assertEqual(len(found), count)
            self.assertEqual((found[0], found[-1]), ("rest", "rest"))
            at = 0.4
            for word in words:
                self.assertEqual(found[int((at + 0.08 + 0.2) * rate)], _MOUTH_OF[word], (word, rate))
                at += 0.4
            closed = [at for at, one in enumerate(found) if one == "closed"]
            self.assertGreaterEqual(len(closed), 3 if rate > 20 else 1)

    def test_silence_noise_and_nothing(self) -> None:
        self.assertEqual(set(mouths(np.zeros((RATE, 2), np.float32), 24, 1 / 24)), {"rest"})
        self.assertEqual(mouths(np.zeros((0, 2), np.float32), 3, 1 / 24), ("rest",) * 3)
        self.assertEqual(mouths(np.zeros((10, 2), np.float32), 0, 1 / 24), ())
        hum = 0.001 * np.sin(np.arange(2 * RATE) * 2 * np.pi * 50 / RATE)
        self.assertEqual(len(mouths(_stereo(hum), 48, 1 / 24)), 48)
        click = np.zeros((RATE, 2), np.float32)
        click[RATE // 2] = 1
        self.assertEqual(len(mouths(click, 24, 1 / 24)), 24)
        clipped = np.ones((RATE, 2), np.float32)
        self.assertEqual(len(mouths(clipped, 24, 1 / 24)), 24)

    def test_the_same_voice_is_heard_the_same_however_loud(self) -> None:
        samples = _stereo(spoken([PAUSE, vowel("hod"), STOP, vowel("heed"), HISS, vowel("whod"), PAUSE], 120))
        one = mouths(samples, 40, 1 / 24)
        for factor in (0.02, 0.3, 1.4):
            same = np.mean([a == b for a, b in zip(one, mouths(samples * np.float32(factor), 40, 1 / 24), strict=True)])
            self.assertGreater(float(same), 0.94)

    def test_noise_behind_a_voice_costs_little(self) -> None:
        rng = np.random.default_rng(2)
        clean = spoken([PAUSE, *(one for word in VOWELS for one in (vowel(word, 0.25), STOP)), PAUSE], 118)
        noisy = clean + 0.004 * rng.standard_normal(len(clean))
        one, other = (mouths(_stereo(own), 90, 1 / 24) for own in (clean, noisy))
        self.assertGreater(np.mean([a == b for a, b in zip(one, other, strict=True)]), 0.75)
