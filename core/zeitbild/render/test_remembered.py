"""Small drawings that are kept give the very pictures that are drawn anew."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any
from unittest import mock

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.solids import ball, rounded_box
from zeitbild.render import QUALITIES, Picture, render, renderer
from zeitbild.render import drawing as drawing_of_sets
from zeitbild.render.visible import remembered
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.testing import snapshot

_SUN = LightSource("sun", (1.2, 1.1, 1.0), direction=(0.3, -0.8, -0.5), shadows=True)
# As a document's elements, which keep their meshes as long as their shape does not change.
_BOX, _BALL = rounded_box(3, 3, 3, 0.4, 4), ball(2.5, 2.5, 2.5, 12)


def _row(opacity: float, red: float = 0.8) -> tuple[float, ...]:
    return finish_row((red, 0.3, 0.2), 0.4, 0.0, opacity=opacity)


def _set(opacity: float, red: float = 0.8, aside: float = 0.0, *, span: float = 0.0, share: float = 1.0) -> Snapshot:
    """An opaque box, before it a ball through which it may be seen, or of which only a share is left."""
    made = snapshot(_BOX, _BALL, size=(96, 54), lights=(_SUN,), camera_span=span)
    box, round_one = made.bodies
    place = np.eye(4)
    place[:3, 3] = aside, 0.5, 2.5
    fades = (("ball", share),) if share < 1 else ()
    matrix = tuple(float(value) for value in place.reshape(-1))
    return replace(
        made,
        bodies=(
            replace(box, finishes=(_row(1.0, 0.2),)),
            replace(round_one, finishes=(_row(opacity, red),), matrix=matrix, fades=fades),
        ),
    )


def _faded(span: float, number: int) -> Snapshot:
    return _set(0.3 + number / 10, 0.5 + number / 20, span=span)


def _bytes(picture: Picture) -> bytes:
    assert picture.planes is not None and picture.identities is not None and picture.data is not None
    parts = picture.beauty, picture.depth, picture.planes, picture.identities, picture.data
    return b"".join(part.tobytes() for part in parts)


def _forget() -> None:
    remembered.forget()


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        _forget()
        self.addCleanup(_forget)

    def _drawn_anew(self, made: Snapshot, quality: str) -> bytes:
        with mock.patch.object(drawing_of_sets, "is_small", lambda *_: False):
            return _bytes(render(made, QUALITIES[quality], planes=True))

    def _equal(self, pictures: Sequence[NDArray[np.float32]], sets: Callable[[int], Snapshot]) -> None:
        """Pictures are those of sets of which nothing is kept, byte for byte."""
        for number, found in enumerate(pictures):
            _forget()
            self.assertEqual(found.tobytes(), render(sets(number), QUALITIES["rough"]).beauty.tobytes(), number)

    def _compared(self, sets: Callable[[int], Snapshot], quality: str = "rough") -> int:
        """How often triangles were drawn for five pictures of sets, each of which is what it is when it is drawn anew."""
        with mock.patch.object(drawing_of_sets, "rasterise", wraps=drawing_of_sets.rasterise) as rasterise:
            pictures = [_bytes(render(sets(number), QUALITIES[quality], planes=True)) for number in range(5)]
            count: int = rasterise.call_count
        for number, found in enumerate(pictures):
            self.assertEqual(found, self._drawn_anew(sets(number), quality), number)
        return count

    def test_colours_and_opacities_change_and_nothing_is_drawn_again(self) -> None:
        for span in (0.0, 8.0):
            _forget()
            # The box: once to see it, once to keep it. What is before it is listed each time (``veils``).
            count = self._compared(partial(_faded, span))
            self.assertEqual(count, 2, span)

    def test_a_share_of_a_group_changes(self) -> None:
        self.assertEqual(self._compared(lambda number: _set(1.0, share=0.2 + number / 10)), 2 * 2)

    def test_of_a_group_whose_share_changes_the_whole_is_kept(self) -> None:
        def faded(number: int, **more: float) -> Snapshot:
            return _set(0.7, share=0.2 + number / 10, aside=0.9, **more)

        rough = QUALITIES["rough"]
        with mock.patch.object(renderer, "_still", wraps=renderer._still) as still:
            pictures = [render(faded(number), rough).beauty for number in range(5)]
            # The set each time; the group to see it, and to keep it.
            self.assertEqual(still.call_count, 5 + 2)
            # Whatever else changes is no share.
            for other in (
                faded(1, red=0.6),
                replace(faded(1), lights=()),
                replace(faded(1), camera_position=(0, 1, 40)),
            ):
                before = still.call_count
                render(other, rough)
                self.assertEqual(still.call_count, before + 2)
        self._equal(pictures, faded)

    def test_what_is_opaque_is_kept_while_glass_before_it_changes(self) -> None:
        def bare(number: int, **more: float) -> Snapshot:
            made = _set(0.3 + number / 10, 0.5 + number / 20, **more)
            return replace(made, lights=(replace(_SUN, shadows=False),))

        rough = QUALITIES["rough"]
        with mock.patch.object(renderer, "_opaque", wraps=renderer._opaque) as opaque:
            pictures = [render(bare(number), rough).beauty for number in range(5)]
            self.assertEqual(opaque.call_count, 2)
            lit = replace(bare(1).lights[0], colour=(1, 1, 1))
            box, ball_before = bare(1).bodies
            others = (
                replace(bare(1), lights=(lit,)),
                bare(1, aside=0.1),
                replace(bare(1), bodies=(replace(box, finishes=(_row(1.0, 0.9),)), ball_before)),
                replace(bare(1), occlusion=0.5),
                _set(0.4),
            )
            for other in others:
                before = opaque.call_count
                render(other, rough)
                self.assertEqual(opaque.call_count, before + 1)
        self._equal(pictures, bare)

    def test_pictures_of_large_sets_are_not_kept(self) -> None:
        draw = mock.Mock(wraps=lambda: render(_set(0.5), QUALITIES["rough"]))
        with mock.patch.object(remembered, "_MOST_TRIANGLES", 10):
            for _ in range(3):
                remembered.picture_of(_set(0.5), "", np.zeros((1, 1), np.float32), draw)
        self.assertEqual(draw.call_count, 3)

    def test_what_moves_is_drawn_each_time(self) -> None:
        self.assertEqual(self._compared(lambda number: _set(0.5, aside=number / 10)), 5)

    def test_light_moves_and_shadows_with_it(self) -> None:
        def lit(number: int) -> Snapshot:
            return replace(_set(0.5), lights=(replace(_SUN, direction=(0.3 - number / 10, -0.8, -0.5)),), occlusion=0.5)

        self.assertEqual(self._compared(lit), 2)

    def test_what_hides_a_group_is_not_drawn_for_it(self) -> None:
        # Byte for byte what it is when the opaque box is drawn again to know what it hides of the ball.
        def as_before(*given: Any, **more: Any) -> list[Picture]:
            return still(*given, **{**more, "held": None})

        still = renderer._still
        for quality in ("rough", "final"):
            for span in (0.0, 8.0):
                made = _set(0.7, share=0.4, aside=0.9, span=span)
                now = self._drawn_anew(made, quality)
                with mock.patch.object(renderer, "_still", as_before):
                    self.assertEqual(now, self._drawn_anew(made, quality))

    def test_final_is_always_drawn(self) -> None:
        self.assertEqual(self._compared(lambda number: _set(0.3 + number / 10), "final"), 5 * 3)

    def test_what_is_large_is_not_kept(self) -> None:
        large = replace(_set(0.5), width=1280, height=720)
        for _ in range(3):
            render(large, QUALITIES["rough"])
        self.assertEqual(remembered.size(), 0)
        self.assertTrue(remembered.is_small(640, 360))

    def test_what_is_kept_keeps_within_its_room(self) -> None:
        sets = [_set(0.5, aside=number / 50) for number in range(40)]
        for made in sets:
            for _ in range(2):
                render(made, QUALITIES["rough"])
        self.assertGreater(remembered.size(), 0)
        with mock.patch.object(remembered, "_packed", type(remembered._packed)(100_000, lambda one: one.size)):
            for made in sets:
                for _ in range(2):
                    render(made, QUALITIES["rough"])
            self.assertLessEqual(remembered.size(), 100_000)
