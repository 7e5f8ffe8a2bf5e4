"""Findings: each is found, each mend mends it, and a good shot has none."""

import math
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from zeitbild.checks import Finding, SetView, find
from zeitbild.document.reading import parse_shot, read_shot
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.resolve.framing import framed_in
from zeitbild.testing import NOWHERE

DEMO = Path(__file__).parents[3] / "demo" / "KM010.json"


def _shot(turns: float = 1, **changes: Any) -> Shot:
    element = kinds.get("lettering").parameters(id="word-1").model_dump(mode="json")
    element["turn"]["turns"] = turns
    return read_shot({**Shot().model_dump(mode="json"), "elements": [element], **changes})


def _mended(shot: Shot, values: dict[str, Any]) -> Shot:
    raw = shot.model_dump(mode="json")
    for path, value in values.items():
        at: Any = raw
        *parents, last = path.split(".")
        for part in parents:
            at = at[int(part)] if part.isdigit() else at[part]
        at[last] = value
    return read_shot(raw)


class Findings(unittest.TestCase):
    def _check(self, shot: Shot, code: str, raster: tuple[int, int] | None = None) -> Finding:
        finding = next((one for one in find(shot, SetView(shot, NOWHERE, raster)) if one.code == code), None)
        assert finding is not None, f"{code} was not found"
        self.assertTrue(finding.mend and finding.mend_title)
        mended = _mended(shot, finding.mend)
        self.assertNotIn(code, [one.code for one in find(mended, SetView(mended, NOWHERE, raster))])
        return finding

    def test_a_good_shot_has_none(self) -> None:
        for shot in (_shot(), parse_shot(DEMO.read_text(encoding="utf-8"))):
            self.assertEqual(find(shot, SetView(shot, NOWHERE, (1280, 720))), [])

    def test_many_see_through_things_over_one_another_are_told(self) -> None:
        repeat = {"kind": "repeat", "id": "many", "stands": "in a row", "count": 60, "apart": [2, 0, 1]}
        pane = {"kind": "solid", "id": "pane", "shape": "plane", "width": 200, "height": 200, "inside": "many"}
        pane |= {"turn": {"turns": 1}}

        def found(**more: Any) -> list[Finding]:
            motion = {"angle": more.pop("shutter", 180)}
            elements = [repeat | more.pop("repeat", {}), pane | more]
            shot = read_shot({"version": 3, "elements": elements, "motion": motion})
            return [one for one in find(shot, SetView(shot, NOWHERE, None)) if one.code == "many-veils"]

        clear = {"surface": {"opacity": 0.5}}
        (told,) = found(**clear)
        self.assertIn("60 times", told.message)
        self.assertEqual(told.field, "elements.1.opacity")
        # What stands still, opaque ones, few of them, and those that lie apart in the picture are no matter.
        self.assertEqual(found(**clear, shutter=0), [])
        self.assertEqual(found(), [])
        self.assertEqual(found(**clear, repeat={"count": 30}), [])
        self.assertEqual(found(**clear, width=3, height=3, repeat={"apart": [8, 0, 0]}), [])

    def test_light_beyond_alpha_is_counted_and_kept_or_said_to_be_lost(self) -> None:
        plate = {"kind": "solid", "id": "plate", "width": 300, "height": 300, "depth": 4}
        plate["surface"] = {"opacity": 0.1, "roughness": 0.05, "base_colour": "#101010"}
        bright = {"source": "gradient", "strength": 8}
        shot = read_shot({"version": 3, "elements": [plate], "environment": bright})
        found = [one for one in find(shot, SetView(shot, NOWHERE, None)) if one.code == "light-beyond-alpha"]
        self.assertEqual([one.level for one in found], ["hint"])
        lost = read_shot({**shot.model_dump(mode="json"), "sampling": {"beyond_alpha": "clipped"}})
        self.assertEqual(self._check(lost, "light-clipped-at-alpha").level, "warning")
        solid = {**plate, "surface": {**plate["surface"], "opacity": 1}}
        for changes in ({"elements": [solid]}, {"backdrop": {"kind": "colour"}}):
            other = read_shot({**shot.model_dump(mode="json"), **changes})
            codes = [one.code for one in find(other, SetView(other, NOWHERE, None))]
            self.assertNotIn("light-beyond-alpha", codes)

    def test_strong_ambient_light(self) -> None:
        self._check(
            _shot(lights=[{"kind": "ambient", "strength": 0.4}, {"kind": "ambient", "strength": 0.3}]), "ambient-strong"
        )
        weak = _shot(lights=[{"kind": "ambient", "strength": 0.1}, {"kind": "ambient", "strength": 1, "on": False}])
        self.assertNotIn("ambient-strong", [one.code for one in find(weak)])

    def test_a_light_that_touches_only_what_is_hidden(self) -> None:
        self._check(_shot(lights=[{"kind": "sun", "touches": ["gone"]}]), "idle-light")

    def test_a_mirror_image_that_nobody_sees(self) -> None:
        def ground(**surface: Any) -> list[Any]:
            return [
                {"kind": "lettering", "id": "word-1"},
                {"kind": "floor", "id": "ground", "surface": {"shading": "shadow only", **surface}},
            ]

        still = {"rays": {"bounces": 0}}
        self._check(_shot(elements=ground(mirror=0.4), **still), "mirrors-nothing")
        for shot in (_shot(elements=ground(), **still), _shot(elements=ground(mirror=0.4), rays={"bounces": 1})):
            self.assertNotIn("mirrors-nothing", {one.code for one in find(shot)})

    def test_tone_bands_under_a_large_light(self) -> None:
        tones = {"shading": "tone bands"}
        element = {"id": "box", "kind": "solid", "surface": tones}
        for light in (
            {"kind": "sun", "size": 20},
            {"kind": "point", "radius": 200},
            {"kind": "area", "width": 500, "height": 300},
        ):
            finding = self._check(_shot(elements=[element], lights=[light]), "tones-blurred")
            self.assertIn("fade", finding.message)
        for good in (
            _shot(elements=[element], lights=[{"kind": "sun", "size": 20, "shadows": False}]),
            _shot(elements=[{"id": "box", "kind": "solid"}], lights=[{"kind": "sun", "size": 20}]),
            _shot(elements=[element], lights=[{"kind": "sun", "size": 20, "touches": ["other"]}]),
        ):
            self.assertNotIn("tones-blurred", [one.code for one in find(good)])
        shared = [{"name": "Red", "values": tones}]
        using = {"id": "box", "kind": "solid", "surface": {"named": "Red"}}
        self._check(_shot(elements=[using], finishes=shared, lights=[{"kind": "sun", "size": 20}]), "tones-blurred")

    def test_a_camera_that_looks_past_everything(self) -> None:
        self._check(_shot(camera={"position": [0, 0, 900], "look_at": [0, 5000, 900]}), "nothing-in-view")
        self._check(_shot(camera={"position": [0, 0, 900], "look_at": [0, 0, 2000]}), "nothing-in-view")

    def test_a_set_of_which_nothing_is_seen_is_told_and_the_rest_is_looked_at(self) -> None:
        group = {"kind": "group", "id": "all", "name": "All"}
        faded = {"kind": "solid", "id": "box", "name": "Box", "opacity": 0}
        for elements in ([group], [faded], [group, faded | {"inside": "all"}]):
            shot = _shot(elements=elements)
            (told,) = [one for one in find(shot, SetView(shot, NOWHERE)) if one.code == "nothing-in-view"]
            self.assertEqual((told.level, told.mend), ("warning", {}))

    def test_many_that_are_cut_are_framed_once(self) -> None:
        words = [
            {"id": f"word{at}", "kind": "lettering", "word": "Ab", "placement": {"position": [350, 40 * at, 0]}}
            for at in range(5)
        ]
        shot = _shot(elements=words)
        view = SetView(shot, NOWHERE)
        with mock.patch("zeitbild.checks.in_view.framed_in", wraps=framed_in) as framed:
            found = [one for one in find(shot, view) if one.code == "cut-by-edge"]
        self.assertEqual((len(found), framed.call_count), (5, 1))
        mended = _mended(shot, found[0].mend)
        self.assertNotIn("cut-by-edge", [one.code for one in find(mended, SetView(mended, NOWHERE))])

    def test_an_element_cut_by_the_edge(self) -> None:
        # At frame 1 all is inside; half a turn later a pivot far off carries it close to the camera.
        shot = _mended(_shot(), {"elements.0.pivot_offset": [0, 0, 600]})
        finding = self._check(shot, "cut-by-edge")
        self.assertEqual(finding.level, "hint")
        self.assertGreater(finding.frame or 0, 1)

    def test_a_pivot_off_the_ink_of_a_turning_element(self) -> None:
        finding = self._check(_mended(_shot(), {"elements.0.pivot_offset": [40, 0, 0]}), "wobble")
        # Swinging by 40 units to both sides at the distance of 1150 and 40 degrees over 1280 pixels (similar triangles).
        unit = 1280 / (2 * 1150 * math.tan(math.radians(20)))
        swing = int(finding.message.split("by ")[1].split(" ")[0])
        self.assertAlmostEqual(swing, 80 * unit, delta=4)
        still = _mended(_shot(turns=0), {"elements.0.pivot_offset": [40, 0, 0]})
        self.assertNotIn("wobble", [one.code for one in find(still, SetView(still, NOWHERE))])

    def test_a_raster_left_small(self) -> None:
        self._check(_shot(raster={"width": 320, "height": 180}), "raster-small", (1280, 720))

    def test_burnt_out_light(self) -> None:
        lights = [{"kind": "sun", "azimuth": 0, "elevation": 0, "strength": 9}]
        self.assertIn("%", self._check(_shot(lights=lights), "clipped").message)

    def test_what_cannot_be_built_hides_no_other_finding(self) -> None:
        shot = _mended(_shot(quality="rough"), {"elements.0.word": "ღ"})
        self.assertEqual([one.code for one in find(shot, SetView(shot, NOWHERE))], ["quality-low"])

    def test_part_turns_leave_a_cycle_open(self) -> None:
        self._check(_shot(turns=1.5), "open-cycle")

    def test_whole_turns_without_a_cycle_double_a_frame(self) -> None:
        self._check(_shot(timing={"cycle": False}), "doubled-frame")

    def test_steps_that_do_not_divide_a_cycle(self) -> None:
        self._check(_shot(timing={"last": 100, "step": 3}), "uneven-step")

    def test_low_quality(self) -> None:
        self._check(_shot(quality="rough"), "quality-low")

    def test_opaque_backdrop_with_a_matte(self) -> None:
        layers = [{"name": "main", "passes": ["beauty", "matte"]}]
        self._check(_shot(backdrop={"kind": "colour"}, layers=layers), "opaque-matte")

    def test_hidden_elements(self) -> None:
        self._check(_mended(_shot(), {"elements.0.shown": False}), "nothing-shown")
