"""Layers that cannot rejoin: each reason is named, and holding each out in the others takes away those it can."""

import unittest
from typing import Any

from zeitbild.checks import Finding, SetView, find
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.testing import NOWHERE, small_shot

APART = {"ball": {"ball": "shown", "plate": "hold-out"}, "plate": {"plate": "shown", "ball": "hold-out"}}


def _raw(members: dict[str, dict[str, str]], *details: dict[str, Any], **more: Any) -> dict[str, Any]:
    each = details or ({},) * len(members)
    return {
        **small_shot().model_dump(mode="json"),
        "elements": [{"id": name, "kind": "solid", "name": name.title()} for name in ("ball", "plate")],
        "lights": [{"kind": "sun", "name": "Sun", "shadows": True}],
        "layers": [
            {"name": name, "passes": ["beauty"], "members": roles, "others": "absent", **one}
            for (name, roles), one in zip(members.items(), each, strict=True)
        ],
        **more,
    }


def _finding(raw: dict[str, Any]) -> Finding | None:
    shot: Shot = read_shot(raw)
    return next((one for one in find(shot, SetView(shot, NOWHERE, None)) if one.code == "layers-rejoin"), None)


class LayersRejoin(unittest.TestCase):
    def _reason(self, raw: dict[str, Any], reason: str) -> Finding:
        finding = _finding(raw)
        assert finding is not None, "nothing was found"
        self.assertIn(reason, finding.message)
        return finding

    def test_layers_that_hold_each_other_out_have_no_finding(self) -> None:
        self.assertIsNone(_finding(_raw(APART)))

    def test_what_two_layers_show_and_what_one_lacks_is_mended_by_holding_out(self) -> None:
        shown = {"ball": "shown", "plate": "shown"}
        for members, reason in (
            ({"a": shown, "b": shown}, "a and b: both show Ball, Plate"),
            ({"a": {"ball": "shown"}, "b": {"plate": "shown"}}, "Ball of a is absent in b"),
        ):
            raw = _raw(members)
            finding = self._reason(raw, reason)
            for path, value in finding.mend.items():
                _, number, field = path.split(".")
                raw["layers"][int(number)][field] = value
            self.assertIsNone(_finding(raw))

    def test_what_several_show_stays_in_the_layer_that_was_made_for_it(self) -> None:
        raw = _raw({"main": {"ball": "shown", "plate": "shown"}, "front": {"plate": "shown"}})
        mend = self._reason(raw, "both show Plate").mend
        self.assertEqual(mend["layers.0.members"], {"ball": "shown", "plate": "hold-out"})
        self.assertEqual(mend["layers.1.members"], {"ball": "hold-out", "plate": "shown"})

    def test_what_no_role_mends_is_named_without_offering_to(self) -> None:
        gradient = {"kind": "gradient"}
        for details, more, reason in (
            (({"lights_off": ["Sun"]}, {}), {}, "lit by different lights"),
            (({"samples": "64"}, {"samples": "4"}), {}, "samples, rays or filter differ"),
            (({"backdrop": {"kind": "key"}}, {}), {}, "before a key colour"),
            (({}, {"backdrop": gradient}), {}, "plate has a backdrop that hides the layers below"),
            (({}, {}), {"backdrop": gradient}, "ball, plate have a backdrop"),
            (({}, {}), {"pixels": {"on": True, "outline": True, "enlarge": 1}}, "the pixel look"),
        ):
            with self.subTest(reason):
                finding = self._reason(_raw(APART, *details, **more), reason)
                self.assertFalse(finding.mend or finding.mend_title)

    def test_a_backdrop_at_the_bottom_and_layers_of_other_cameras_hide_nothing(self) -> None:
        self.assertIsNone(_finding(_raw(APART, {"backdrop": {"kind": "gradient"}}, {})))
        side = {"name": "Side"}
        shown = {"ball": "shown", "plate": "shown"}
        self.assertIsNone(_finding(_raw({"a": shown, "b": shown}, {}, {"camera": "Side"}, cameras=[side])))


if __name__ == "__main__":
    unittest.main()
