"""Findings: each is found, each mend mends it, and a good shot has none."""

import unittest
from typing import Any

from zeitbild.checks import find
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds


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
    def _check(self, shot: Shot, code: str) -> None:
        finding = next((one for one in find(shot) if one.code == code), None)
        assert finding is not None, f"{code} was not found"
        self.assertTrue(finding.mend and finding.mend_title)
        self.assertNotIn(code, [one.code for one in find(_mended(shot, finding.mend))])

    def test_a_good_shot_has_none(self) -> None:
        self.assertEqual(find(_shot()), [])

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
