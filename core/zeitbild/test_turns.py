"""Whose turn it is: ranks, giving way in the middle, giving up; and that pictures drawn in parts are the same pictures."""

import threading
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

import zeitbild.turns as turns_module
from zeitbild.document.reading import parse_shot, read_shot
from zeitbild.kernels import PARALLEL
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE
from zeitbild.turns import GivenUp, Turns, working

DEMO = Path(__file__).parents[2] / "demo"


class Locking(unittest.TestCase):
    def _waiting(self, turns: Turns, count: int) -> None:
        end = time.monotonic() + 60
        while len(turns._waiting) < count:
            self.assertLess(time.monotonic(), end)
            time.sleep(0.001)

    def test_the_better_rank_goes_first_and_then_who_came_first(self) -> None:
        turns, went = Turns(), []
        threads = []
        with turns:
            for number, rank in enumerate((2, 1, 0, 1, 0)):

                def go(number: int = number, rank: int = rank) -> None:
                    with working(rank), turns:
                        went.append(number)

                threads.append(threading.Thread(target=go))
                threads[-1].start()
                self._waiting(turns, number + 1)
        for thread in threads:
            thread.join()
        self.assertEqual(went, [2, 4, 1, 3, 0])

    def test_one_thread_takes_it_again_and_gives_it_back_whole(self) -> None:
        turns = Turns()
        with turns, turns:
            with turns:
                pass
            other = threading.Thread(target=lambda: turns.__enter__())
            other.start()
            self._waiting(turns, 1)
            self.assertTrue(other.is_alive())
        other.join(timeout=60)
        self.assertFalse(other.is_alive())

    def test_a_long_one_gives_way_in_the_middle_and_keeps_its_depth(self) -> None:
        turns, went = Turns(), []

        def short() -> None:
            with turns:
                went.append("short")

        with working(1), turns, turns:
            thread = threading.Thread(target=short)
            thread.start()
            self._waiting(turns, 1)
            turns.breathe()
            went.append("long goes on")
            self.assertEqual(turns._depth, 2)
        thread.join()
        self.assertEqual(went, ["short", "long goes on"])

    def test_a_long_one_stays_away_until_a_better_one_is_done_between_its_turns_too(self) -> None:
        turns, went = Turns(), []
        begun, go_on = threading.Event(), threading.Event()

        def short() -> None:
            with working(0):
                begun.set()
                go_on.wait()
                # Several turns, with something else between them.
                for number in range(3):
                    with turns:
                        went.append(f"short {number}")

        with mock.patch("zeitbild.turns._STAY_AWAY", 60.0), working(1), turns:
            thread = threading.Thread(target=short)
            thread.start()
            begun.wait()
            go_on.set()
            turns.breathe()
            went.append("long goes on")
        thread.join()
        self.assertEqual(went, ["short 0", "short 1", "short 2", "long goes on"])
        # It is not kept away for ever: who computes on and on with a better rank only slows it down.
        with mock.patch("zeitbild.turns._STAY_AWAY", 0.01), working(1), turns:
            done = threading.Event()
            busy = threading.Thread(target=lambda: self._busy(done))
            busy.start()
            while not turns_module._at_work[0]:
                time.sleep(0.001)
            turns.breathe()
            done.set()
        busy.join()

    def _busy(self, done: threading.Event) -> None:
        with working(0):
            done.wait()

    def test_a_short_one_does_not_give_way_to_a_long_one(self) -> None:
        turns, went = Turns(), []

        def long() -> None:
            with working(1), turns:
                went.append("long")

        with turns:
            thread = threading.Thread(target=long)
            thread.start()
            self._waiting(turns, 1)
            turns.breathe()
            went.append("short")
        thread.join()
        self.assertEqual(went, ["short", "long"])

    def test_what_nobody_wants_is_given_up_and_the_lock_is_free(self) -> None:
        turns, looks = Turns(), []

        def unwanted() -> bool:
            looks.append(1)
            return len(looks) > 2

        with self.assertRaises(GivenUp), working(1, unwanted), turns:
            for _ in range(100):
                turns.breathe()
        self.assertEqual(len(looks), 3)
        with turns:
            turns.breathe()

    def test_parts_hold_every_tile_once_in_order(self) -> None:
        for rank in (0, 1):
            for count in (0, 1, 63, 64, 65, 5000):
                seen: list[int] = []
                with working(rank), PARALLEL:
                    PARALLEL.by_parts(lambda order, seen=seen: seen.extend(order.tolist()), np.arange(count))
                self.assertEqual(seen, list(range(count)))


class Pictures(unittest.TestCase):
    def _shot(self, code: str, **more: Any) -> Any:
        raw = parse_shot((DEMO / f"{code}.json").read_text(encoding="utf-8")).model_dump(mode="json")
        return read_shot({**raw, **more})

    def test_pictures_drawn_in_parts_are_the_same_bytes(self) -> None:
        for code, quality in (("KM010", "final"), ("KM020", "check"), ("KM035", "rough")):
            snapshot = resolve(self._shot(code), 10, NOWHERE).at_size(640, 360)
            whole = render(snapshot, QUALITIES[quality], planes=True)
            with working(1, lambda: False):
                parts = render(snapshot, QUALITIES[quality], planes=True)
            for name in ("beauty", "depth", "planes", "identities"):
                np.testing.assert_array_equal(getattr(whole, name), getattr(parts, name), f"{code} {name}")

    def test_two_pictures_in_turns_do_not_disturb_each_other(self) -> None:
        snapshots = [resolve(self._shot(code), 10, NOWHERE).at_size(480, 270) for code in ("KM020", "KM010")]
        alone = [render(one, QUALITIES["final"]).beauty.copy() for one in snapshots]
        found: dict[int, Any] = {}

        def draw(number: int) -> None:
            with working(1, lambda: False):
                for _ in range(3):
                    found[number] = render(snapshots[number], QUALITIES["final"]).beauty.copy()

        threads = [threading.Thread(target=draw, args=(number,)) for number in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        for number, beauty in enumerate(alone):
            np.testing.assert_array_equal(found[number], beauty)

    def test_a_picture_is_given_up_while_it_renders(self) -> None:
        snapshot = resolve(self._shot("KM020"), 10, NOWHERE).at_size(1280, 720)
        looks = 0

        def unwanted() -> bool:
            nonlocal looks
            looks += 1
            return looks > 4

        with self.assertRaises(GivenUp), working(1, unwanted):
            render(snapshot, QUALITIES["final"])
        # Nothing is left held.
        taken = []
        other = threading.Thread(target=lambda: taken.append(PARALLEL.__enter__() and PARALLEL.__exit__()))
        other.start()
        other.join(timeout=60)
        self.assertEqual(len(taken), 1)
