"""What is for reference: seen by who works on the set, and in nothing that is delivered."""

import unittest

from zeitbild.checks import SetView, find
from zeitbild.document.shot import Layer
from zeitbild.elements import kinds
from zeitbild.elements.solid import Solid
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE, small_shot


class Reference(unittest.TestCase):
    def test_no_kind_is_in_any_layer_or_among_what_is_proved_to_rejoin(self) -> None:
        layers = (Layer(name="a"), Layer(name="b", others="unseen"), Layer(name="c", members={"ref": "shown"}))
        for kind in kinds:
            own = kind.parameters(id="ref", reference=True)
            shot = small_shot(elements=(Solid(id="box"), own), layers=layers)
            seen = {body.element for body in resolve(shot, 1, NOWHERE).bodies}
            # A group is nothing itself.
            self.assertEqual(seen, {"box", "ref"} - ({"ref"} if not kind.seen else set()), kind.name)
            for layer in layers:
                found = {body.element for body in resolve(shot, 1, NOWHERE, layer.name).bodies}
                self.assertEqual(found, {"box"}, kind.name)

    def test_a_set_of_nothing_else_is_told(self) -> None:
        shot = small_shot(elements=(Solid(id="box", reference=True),))
        (finding,) = [one for one in find(shot, SetView(shot, NOWHERE, None)) if one.code == "nothing-shown"]
        self.assertEqual(finding.mend, {"elements.0.shown": True, "elements.0.reference": False})
