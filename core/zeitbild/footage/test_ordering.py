"""The order of numbered files, gaps, doubles and strangers among them, on generated cases; and which picture is seen at a frame."""

import random
import unittest
from fractions import Fraction

from zeitbild.footage.ordering import in_order, number_of
from zeitbild.footage.playing import picture_at


class Ordering(unittest.TestCase):
    def test_generated_sequences_with_gaps_and_doubles(self) -> None:
        rng = random.Random(11)
        for case in range(300):
            first, count = rng.choice([0, 1, 86, 998, -3]), rng.randint(2, 40)
            before = rng.choice(["sea_", "sea.", "shot 2/sea v3 ", "12-sea-", ""])
            width, after = rng.choice([1, 3, 5]), rng.choice(["", "_L"])
            numbers = [first + at for at in range(count)]
            gone = {one for one in numbers[1:-1] if rng.random() < 0.15}
            there = [one for one in numbers if one not in gone]
            if len(there) > 2 and there[1] - there[0] > 1:
                # Steps are a case of their own.
                there.insert(1, there[0] + 1)
                gone.discard(there[0] + 1)
            name = {one: f"{before}{'-' if one < 0 else ''}{abs(one):0{width}d}{after}.png" for one in there}
            if before == "" and first < 0:
                continue
            names = list(name.values())
            rng.shuffle(names)
            found = in_order(names)
            wanted = []
            for one in numbers:
                wanted.append(name[one] if one in name else wanted[-1])
            with self.subTest(case=case, before=before, gone=gone):
                self.assertEqual(list(found.files), wanted)
                self.assertEqual(any("missing" in note for note in found.notes), bool(gone))
                for one in gone if len(gone) < 6 else ():
                    if one - 1 not in gone and one + 1 not in gone:
                        self.assertIn(str(one), found.notes[-1])

    def test_ten_comes_after_nine_and_doubles_are_told(self) -> None:
        names = [f"a{one}.png" for one in (10, 9, 1, 2)] + ["a09.png"]
        found = in_order(names)
        self.assertEqual(found.files[:2], ("a1.png", "a2.png"))
        self.assertEqual(found.files[-2:], ("a09.png", "a10.png"))
        self.assertIn("a9.png", " ".join(found.notes))
        self.assertIn("3 to 8", " ".join(found.notes))

    def test_what_belongs_to_others_is_left_out_and_named(self) -> None:
        found = in_order(["sea_1.png", "sea_2.png", "sea_3.png", "fog_1.png", "fog_2.png", "poster.png"])
        self.assertEqual(found.files, ("sea_1.png", "sea_2.png", "sea_3.png"))
        for name in ("fog_1.png", "fog_2.png", "poster.png"):
            self.assertIn(name, found.notes[0])
        # The same number in another format is another sequence.
        self.assertEqual(len(in_order(["a1.png", "a2.png", "a1.exr"]).files), 2)

    def test_steps_far_gaps_and_names_without_numbers(self) -> None:
        on_twos = in_order([f"k{one}.png" for one in range(1, 20, 2)])
        self.assertEqual((len(on_twos.files), len(on_twos.notes)), (10, 1))
        self.assertIn("steps of 2", on_twos.notes[0])
        far = in_order(["a1.png", "a2.png", "a20000000.png"])
        self.assertEqual(len(far.files), 3)
        self.assertIn("follow one another", far.notes[0])
        words = in_order(["low.png", "high.png", "middle.png"])
        self.assertEqual(words.files, ("high.png", "low.png", "middle.png"))
        self.assertEqual(in_order(["only.png"]).notes, ())

    def test_the_last_number_counts(self) -> None:
        self.assertEqual(number_of("b/KM010_v003.0086.exr"), ("b/KM010_v003.", 86, ".exr"))
        self.assertEqual(number_of("take 2.png"), ("take ", 2, ".png"))
        self.assertEqual(number_of("a.-12.png"), ("a.", -12, ".png"))
        self.assertEqual(number_of("a-12.png"), ("a-", 12, ".png"))
        self.assertIsNone(number_of("poster.png"))


class Playing(unittest.TestCase):
    def _seen(
        self, frames: range, before: str, after: str, rate: Fraction = Fraction(1), **more: int
    ) -> list[int | None]:
        start, skip = more.get("start", 1), more.get("skip", 0)
        return [picture_at(4, Fraction(one), start, skip, rate, before, after) for one in frames]  # type: ignore[arg-type]

    def test_before_and_after(self) -> None:
        frames = range(-5, 12)
        self.assertEqual(self._seen(frames, "nothing", "nothing"), [None] * 6 + [0, 1, 2, 3] + [None] * 7)
        self.assertEqual(self._seen(frames, "hold", "hold"), [0] * 6 + [0, 1, 2, 3] + [3] * 7)
        self.assertEqual(self._seen(frames, "repeat", "repeat"), [2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2])
        there_and_back = [0, 1, 2, 3, 2, 1]
        seen = self._seen(range(1, 30), "repeat", "back and forth")
        self.assertEqual(seen, [there_and_back[at % 6] for at in range(29)])
        # It goes on the same way backwards from the first.
        self.assertEqual(self._seen(range(-3, 2), "back and forth", "hold"), [2, 3, 2, 1, 0])

    def test_rates_are_exact(self) -> None:
        # 24000/1001 in 30000/1001 is four pictures in five frames, however long it goes on.
        ratio = Fraction(24000, 1001) / Fraction(30000, 1001)
        shown = [picture_at(10**6, Fraction(1 + at), 1, 0, ratio, "hold", "hold") for at in (0, 1, 2, 3, 4, 5, 500_000)]
        self.assertEqual(shown, [0, 0, 1, 2, 3, 4, 400_000])
        self.assertEqual(self._seen(range(1, 9), "hold", "hold", Fraction(1, 2)), [0, 0, 1, 1, 2, 2, 3, 3])
        self.assertEqual(self._seen(range(1, 5), "hold", "nothing", start=3, skip=1), [0, 0, 1, 2])
        self.assertEqual(picture_at(1, Fraction(7), 1, 0, Fraction(1), "hold", "back and forth"), 0)
