"""Flat art in one plane lies in the order of the set, and groups of which a share is left are seen through as one; both against what is worked
out here of pictures of single things (over of Porter and Duff 1984)."""

import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.shot import Camera, Environment, Layer, Motion, Raster, Rays, Shot, Timing
from zeitbild.elements.group import Group
from zeitbild.elements.shape import Shape
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.lights.sun import SunLight
from zeitbild.proof.adding_up import rejoined
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import pass_named
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Placement, Turn

_SIDE = 96


def _flat(name: str, colour: str, x: float = 0, y: float = 0, **more: Any) -> Shape:
    fields = {"figure": "ellipse", "width": 60, "height": 50, **more}
    place = {"position": (x, y, fields.pop("z", 0)), "rotation": fields.pop("rotation", (0, 0, 0))}
    finish = Finish(shading="unlit", base_colour=colour, opacity=fields.pop("opacity", 1))
    return Shape(id=name, placement=place, fill=finish, line=0, **fields)


def _shot(*elements: Any, **more: Any) -> Shot:
    """Seen straight, a unit a pixel, unless a camera is given."""
    fields: dict[str, Any] = {
        "raster": Raster(width=_SIDE, height=_SIDE),
        "camera": Camera(position=(0, 0, 1000), projection="orthographic", span=_SIDE),
        "environment": Environment(strength=0),
        "lights": (),
        "rays": Rays(occlusion=False, bounces=0),
        "elements": elements,
        "layers": (Layer(name="all", passes=("beauty",)),),
        **more,
    }
    return small_shot(**fields)


def _seen(shot: Shot, quality: str = "final", layer: str = "") -> NDArray[np.float32]:
    return render(resolve(shot, 1, NOWHERE, layer), QUALITIES[quality]).beauty


def _over(*pictures: NDArray[Any]) -> NDArray[Any]:
    """The first before the others."""
    found = np.zeros_like(pictures[0])
    for one in reversed(pictures):
        found = one + found * (1 - one[..., 3:])
    return found


class OneQuality(unittest.TestCase):
    def _close(self, seen: NDArray[Any], wanted: NDArray[Any], mean: float = 0.002, most: float = 0.06) -> None:
        off = np.abs(seen - wanted)
        self.assertLess(float(off.mean()), mean)
        self.assertLess(float(off.max()), most)


def _apart(stack: list[Shape], camera: Camera) -> list[Shape]:
    """The same on the picture, in planes of their own: each moved towards the eye and made as much smaller."""
    found = []
    eye, aim = np.array(camera.position, float), np.array(camera.look_at, float)
    for number, one in enumerate(stack):
        at, share = np.array(one.placement.position, float), 1 - 0.004 * number
        if camera.projection == "orthographic":
            position, scale = at + (eye - aim) * 0.004 * number, 1.0
        else:
            position, scale = eye + (at - eye) * share, share
        place = one.placement.model_copy(update={"position": tuple(position), "scale": (scale,) * 3})
        found.append(one.model_copy(update={"placement": place}))
    return found


class InOnePlane(OneQuality):
    _COLOURS = ("#c03020", "#20a040", "#3050c0", "#d0b020", "#803080")

    def _stack(self, **more: Any) -> list[Shape]:
        at = ((-12, -8), (10, -5), (-2, 12), (14, 10), (0, 0))
        return [_flat(f"s{n}", colour, *at[n], **more) for n, colour in enumerate(self._COLOURS)]

    def test_what_comes_later_lies_over_what_comes_before(self) -> None:
        cameras: tuple[Camera, ...] = (
            Camera(position=(0, 0, 1000), projection="orthographic", span=_SIDE),
            Camera(position=(300, 240, 700), angle=8),
            Camera(position=(-900, 60, 350), angle=7, roll=20),
            # Seen from behind it is still the order of the set.
            Camera(position=(80, -60, -900), angle=7),
        )
        for camera in cameras:
            for quality in ("check", "final"):
                with self.subTest(camera=camera.position, quality=quality):
                    for order in (1, -1):
                        stack = self._stack()[::order]
                        seen = _seen(_shot(*stack, camera=camera), quality)
                        self._close(seen, _seen(_shot(*_apart(stack, camera), camera=camera), quality), 1e-4, 0.02)
                        # Nothing flickers: well inside the last one there is nothing but it.
                        last = _seen(_shot(stack[-1], camera=camera), quality)
                        inside = last[..., 3] >= 1
                        np.testing.assert_allclose(seen[inside], last[inside], atol=1e-5)

    def test_far_from_the_middle_and_turned_in_its_plane(self) -> None:
        camera = Camera(position=(40_000, 30_000, 61_000), look_at=(40_000, 30_000, 60_000), angle=6)
        stack = [
            one.model_copy(
                update={
                    "placement": Placement(
                        position=tuple(np.add(one.placement.position, (40_000, 30_000, 60_000))),
                        rotation=(0, 0, 37 * number),
                    )
                }
            )
            for number, one in enumerate(self._stack())
        ]
        self._close(
            _seen(_shot(*stack, camera=camera)), _seen(_shot(*_apart(stack, camera), camera=camera)), 1e-4, 0.02
        )

    def test_see_through_ones_too(self) -> None:
        camera = Camera(position=(200, 100, 900), angle=7)
        stack = self._stack(opacity=0.6)
        self._close(
            _seen(_shot(*stack, camera=camera)), _seen(_shot(*_apart(stack, camera), camera=camera)), 1e-4, 0.02
        )

    def test_over_the_face_of_a_solid(self) -> None:
        plate = Solid(
            id="plate",
            width=80,
            height=80,
            depth=20,
            rounding=0,
            surface=Finish(shading="unlit", base_colour="#888888"),
        )
        label = _flat("label", "#ffffff", z=10)
        camera = Camera(position=(150, 100, 900), angle=7)
        # Before it in the list, and behind it: flat art is in front of faces.
        for elements in ((plate, label), (label, plate)):
            seen = _seen(_shot(*elements, camera=camera))
            self._close(seen, _over(_seen(_shot(label, camera=camera)), _seen(_shot(plate, camera=camera))))

    def test_while_it_turns_and_the_shutter_is_open(self) -> None:
        low, high = (_flat(f"s{n}", colour, turn=Turn(axis="z", turns=1)) for n, colour in enumerate(self._COLOURS[:2]))
        shot = _shot(
            low, high.model_copy(update={"width": 40, "height": 40}), motion=Motion(angle=180), timing=Timing(last=8)
        )
        seen = _seen(shot, "check")
        inside = np.hypot(*(np.mgrid[:_SIDE, :_SIDE] + 0.5 - _SIDE / 2)) < 18
        self.assertLess(float(seen[inside][:, 0].max()), 0.02)


class AsOne(OneQuality):
    def _pair(self, **more: Any) -> list[Any]:
        return [
            _flat("red", "#ff0000", -10, z=5, inside="g", **more),
            _flat("blue", "#0000ff", 12, 4, z=20, inside="g", **more),
        ]

    def test_nothing_in_it_shows_through_another(self) -> None:
        wall = _flat("wall", "#00ff00", figure="rectangle", width=70, height=30, z=-50)
        for quality in ("check", "final"):
            seen = _seen(_shot(wall, *self._pair(), Group(id="g", opacity=0.4)), quality)
            whole = _seen(_shot(*self._pair(), Group(id="g")), quality)
            self._close(seen, _over(whole * np.float32(0.4), _seen(_shot(wall), quality)))

    def test_something_opaque_before_it_stays_so(self) -> None:
        bar = _flat("bar", "#ffffff", figure="rectangle", width=20, height=90, z=60)
        wall = _flat("wall", "#00ff00", figure="rectangle", width=70, height=30, z=-50)
        seen = _seen(_shot(bar, wall, *self._pair(), Group(id="g", opacity=0.4)))
        whole = _seen(_shot(*self._pair(), Group(id="g")))
        self._close(seen, _over(_seen(_shot(bar)), whole * np.float32(0.4), _seen(_shot(wall))))

    def test_see_through_members_keep_what_they_let_through_of_others(self) -> None:
        pair = self._pair()
        pair[1] = _flat("blue", "#0000ff", 12, 4, z=20, inside="g", opacity=0.5)
        seen = _seen(_shot(*pair, Group(id="g", opacity=0.4)))
        inside = _over(_seen(_shot(pair[1], Group(id="g"))), _seen(_shot(pair[0], Group(id="g"))))
        self._close(seen, inside * np.float32(0.4))

    def test_groups_in_groups_and_all_or_nothing(self) -> None:
        pair = self._pair()
        inner = Group(id="g", inside="outer", opacity=0.5)
        other = _flat("other", "#ffffff", 0, -18, z=40, inside="outer")
        shot = _shot(*pair, other, inner, Group(id="outer", opacity=0.8))
        whole = _seen(_shot(*self._pair(), Group(id="g")))
        wanted = _over(_seen(_shot(other.model_copy(update={"inside": ""}))), whole * np.float32(0.5)) * np.float32(0.8)
        self._close(_seen(shot), wanted)
        nothing = _seen(_shot(*pair, Group(id="g", opacity=0)))
        self.assertLess(float(nothing.max()), 1e-6)
        self.assertEqual(resolve(_shot(*pair, Group(id="g")), 1, NOWHERE).bodies[0].fades, ())

    def test_lit_solids_with_all_passes_add_up(self) -> None:
        sun = SunLight(name="sun", azimuth=30, elevation=40)
        balls = [
            Solid(
                id=f"b{n}",
                shape="ball",
                width=40,
                height=40,
                depth=40,
                inside="g",
                placement={"position": (n * 18 - 9, 0, n * 10)},
            )
            for n in range(2)
        ]
        shot = _shot(*balls, Group(id="g", opacity=0.5), lights=(sun,), environment=Environment(strength=0.3))
        picture = render(resolve(shot, 1, NOWHERE), QUALITIES["final"], planes=True)
        self.assertAlmostEqual(float(picture.beauty[..., 3].max()), 0.5, delta=1e-3)
        names = ("diffuse", "specular", "environment", "emission")
        total = sum(pass_named(name, (), shot.names).extract(picture)[..., :3] for name in names)
        np.testing.assert_allclose(total, picture.beauty[..., :3], atol=2e-5)
        matte = sum(pass_named(f"matte:{ball.id}", (), shot.names).extract(picture) for ball in balls)
        np.testing.assert_allclose(matte.reshape(_SIDE, _SIDE), picture.beauty[..., 3], atol=2e-3)

    def test_layers_of_its_members_rejoin(self) -> None:
        pair = [*self._pair(), _flat("wall", "#00ff00", figure="rectangle", width=70, height=30, z=-50)]
        group = Group(id="g", opacity=0.4)
        layers = (
            Layer(name="back", members={"wall": "shown", "blue": "hold-out", "red": "hold-out"}, others="hold-out"),
            Layer(name="red", members={"red": "shown", "wall": "hold-out", "blue": "hold-out"}, others="hold-out"),
            Layer(name="blue", members={"blue": "shown", "wall": "hold-out", "red": "hold-out"}, others="hold-out"),
        )
        shot = _shot(*pair, group, layers=layers)
        pictures = [render(resolve(shot, 1, NOWHERE, one.name), QUALITIES["final"]) for one in layers]
        self._close(rejoined(shot, list(layers), pictures), _seen(shot), mean=1e-4, most=0.02)

    def test_blurred_it_is_the_share_of_its_blur(self) -> None:
        turning = [one.model_copy(update={"turn": Turn(axis="z", turns=1)}) for one in self._pair()]
        more: dict[str, Any] = {"motion": Motion(angle=180), "timing": Timing(last=8)}
        seen = _seen(_shot(*turning, Group(id="g", opacity=0.5), **more), "check")
        whole = _seen(_shot(*turning, Group(id="g"), **more), "check")
        self._close(seen, whole * np.float32(0.5), mean=0.004, most=0.1)

    def test_frame_keys_know_of_it(self) -> None:
        one, other = (resolve(_shot(*self._pair(), Group(id="g", opacity=o)), 1, NOWHERE) for o in (0.4, 0.5))
        self.assertNotEqual(one, other)
        self.assertEqual(replace(one), one)
