"""Reading untrusted documents, and the schema."""

import json
import unittest
from pathlib import Path
from typing import Any

import jsonschema

from zeitbild.document.reading import parse_shot, read_shot, shot_schema, write_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import DocumentError

ROOT = Path(__file__).parents[3]


def _raw(**changes: object) -> dict[str, object]:
    return {**Shot().model_dump(mode="json"), **changes}


class Reading(unittest.TestCase):
    def _problem(self, raw: object) -> tuple[str, str]:
        with self.assertRaises(DocumentError) as caught:
            read_shot(raw)
        first = caught.exception.problems[0]
        return first.field, first.message

    def test_written_documents_read_back_the_same(self) -> None:
        for path in (ROOT / "demo").glob("KM*.json"):
            text = path.read_text(encoding="utf-8")
            self.assertEqual(write_shot(parse_shot(text)), text)

    def test_demo_documents_hold_against_the_published_schema(self) -> None:
        jsonschema.Draft202012Validator.check_schema(shot_schema())
        for path in (ROOT / "demo").glob("KM*.json"):
            jsonschema.validate(
                json.loads(path.read_text(encoding="utf-8")), shot_schema(), jsonschema.Draft202012Validator
            )

    def test_unknown_versions_are_named(self) -> None:
        for version in (99, 0, None, "1", True, [1]):
            field, message = self._problem(_raw(version=version))
            self.assertEqual(field, "version")
            self.assertIn("reads up to 3", message)

    def test_numbers_out_of_range_say_what_is_allowed(self) -> None:
        field, message = self._problem(_raw(raster={"width": 5, "height": 720}))
        self.assertEqual(field, "raster.width")
        self.assertIn("at least 16", message)

    def test_what_is_wrong_is_said_in_words_of_people(self) -> None:
        for changes, field, told in (
            ({"title": ""}, "title", "is empty; type something"),
            ({"title": "x" * 200}, "title", "too long: 120 characters at most"),
            ({"title": 5}, "title", "5 is not a text"),
            (
                {"shot": "KM 010"},
                "shot",
                'is made of letters, digits, _ and -, at most 40 of them, a letter or a digit first; "KM 010" is not',
            ),
            ({"layers": []}, "layers", "has 0 entries; at least 1 are taken"),
            ({"elements": 5}, "elements", "5 is not a list"),
            ({"camera": {"position": [1, 2, 3, 4]}}, "camera.position", "has 4 entries; at most 3 are taken"),
        ):
            named, message = self._problem(_raw(**changes))
            self.assertEqual(named, field)
            self.assertIn(told, message)

    def test_nan_and_infinity_are_refused(self) -> None:
        for text in ("NaN", "Infinity", "-Infinity", "1e999"):
            document = json.dumps(_raw()).replace('"angle": 40.0', f'"angle": {text}')
            with self.assertRaises(DocumentError) as caught:
                parse_shot(document)
            self.assertEqual(caught.exception.problems[0].field, "camera.angle")

    def test_huge_rasters_are_refused_with_the_reason(self) -> None:
        _, message = self._problem(_raw(raster={"width": 8192, "height": 8192}))
        self.assertIn("memory", message)

    def test_unknown_fields_are_refused(self) -> None:
        field, message = self._problem(_raw(surprise=1))
        self.assertEqual((field, message), ("surprise", "is not a field of this document"))

    def test_places_of_problems_do_not_name_the_kind(self) -> None:
        lights = _raw()["lights"]
        assert isinstance(lights, list)
        lights[0]["strength"] = -1
        self.assertEqual(self._problem(_raw(lights=lights))[0], "lights.0.strength")

    def test_several_problems_are_all_named(self) -> None:
        with self.assertRaises(DocumentError) as caught:
            read_shot(_raw(raster={"width": 1, "height": 1}, backdrop={"kind": "fog", "colour": "blue"}))
        self.assertEqual(len(caught.exception.problems), 4)

    def test_nonsense_never_crashes(self) -> None:
        for text in (
            "",
            "{",
            "[]",
            "null",
            "3",
            '"x"',
            "[" * 100_000,
            '{"version": 1, "elements": {"0": 1}}',
            "\x00",
            "{}",
        ):
            with self.assertRaises(DocumentError, msg=text[:20]):
                parse_shot(text)

    def test_camera_in_its_own_aim_is_refused(self) -> None:
        field, message = self._problem(_raw(camera={"position": [1, 2, 3], "look_at": [1, 2, 3], "angle": 40}))
        self.assertEqual(field, "camera")
        self.assertIn("look-at point", message)

    def test_backward_ranges_and_doubled_layers_are_refused(self) -> None:
        self.assertEqual(self._problem(_raw(timing={"first": 10, "last": 5}))[0], "timing")
        layer = {"name": "main", "passes": ["beauty"]}
        self.assertIn("layer names", self._problem(_raw(layers=[layer, {**layer, "name": "MAIN"}]))[1])


class Rules(unittest.TestCase):
    """Rules over several parts name the field that mends them."""

    def _problem(self, **changes: object) -> tuple[str, str]:
        with self.assertRaises(DocumentError) as caught:
            read_shot(_raw(**changes))
        first = caught.exception.problems[0]
        return first.field, first.message

    def test_pixels_must_be_whole_and_neither_few_nor_many(self) -> None:
        raster = {"width": 1280, "height": 720}
        field, message = self._problem(raster=raster, pixels={"on": True, "enlarge": 7})
        self.assertEqual(field, "pixels.enlarge")
        self.assertIn("whole are 4, 5, 8, 10", message)
        self.assertIn("16 to 512", self._problem(raster=raster, pixels={"on": True, "enlarge": 1})[1])
        odd = {"width": 1021, "height": 1019}
        self.assertIn("choose another raster", self._problem(raster=odd, pixels={"on": True, "enlarge": 8})[1])
        self.assertFalse(read_shot(_raw(raster=odd, pixels={"on": False, "enlarge": 8})).pixels.on)

    def test_cameras_that_are_named_are_there(self) -> None:
        field, message = self._problem(view="Side")
        self.assertEqual((field, message), ("view", "there is no camera 'Side'; this shot has Main"))
        self.assertEqual(self._problem(layers=[{"camera": "Side"}])[0], "layers.0.camera")
        self.assertIn("cameras are the same", self._problem(cameras=[{"name": "main"}])[1])

    def test_shared_finishes_that_are_named_are_there(self) -> None:
        element = {"id": "box", "kind": "solid", "name": "Box", "surface": {"named": "Brass"}}
        field, message = self._problem(elements=[element])
        self.assertEqual(field, "finishes")
        self.assertIn("Box uses the shared finish 'Brass'", message)
        read_shot(_raw(elements=[element], finishes=[{"name": "Brass"}]))
        self.assertIn("shared finishes are the same", self._problem(finishes=[{"name": "A"}, {"name": "A"}])[1])

    def test_tones_rise_from_zero(self) -> None:
        def tones(*starts: float) -> dict[str, object]:
            return {"tones": [{"above": start, "colour": "#112233"} for start in starts]}

        for starts, words in (((0.1, 0.5), "from 0 on"), ((0, 0.5, 0.4), "must rise"), ((0, 0), "must rise")):
            element = {"id": "box", "kind": "solid", "surface": tones(*starts)}
            field, message = self._problem(elements=[element])
            self.assertEqual(field, "elements.0.surface")
            self.assertIn(words, message)
        for count in (1, 6):
            element = {"id": "box", "kind": "solid", "surface": tones(*(k / 10 for k in range(count)))}
            self.assertEqual(self._problem(elements=[element])[0], "elements.0.surface.tones")

    def test_unknown_kinds_are_named_at_their_field(self) -> None:
        self.assertEqual(self._problem(elements=[{"id": "a", "kind": "cloud"}])[0], "elements.0.kind")
        self.assertEqual(self._problem(lights=[{"kind": "candle"}])[0], "lights.0.kind")


class Again(unittest.TestCase):
    """Members that were read before are the parts that they were; what is wrong is found all the same."""

    @staticmethod
    def _document(**more: Any) -> dict[str, Any]:
        elements = [{"kind": "solid", "id": "a", "opacity": 1}, {"kind": "lettering", "id": "b", "word": "KAP"}]
        return {"version": 3, "elements": elements, "finishes": [{"name": "Brass"}], **more}

    def test_only_what_changed_is_read_anew(self) -> None:
        one = read_shot(self._document())
        changed = self._document()
        changed["elements"][1]["word"] = "MORGEN"
        two = read_shot(changed)
        self.assertIs(two.elements[0], one.elements[0])
        self.assertIs(two.finishes[0], one.finishes[0])
        self.assertEqual(two.elements[1].word, "MORGEN")
        self.assertEqual(two, Shot.model_validate(changed))

    def test_what_is_equal_but_of_another_type_is_wrong(self) -> None:
        read_shot(self._document())
        for wrong in (True, "1"):
            document = self._document()
            document["elements"][0]["opacity"] = wrong
            for _ in range(2):
                with self.assertRaises(DocumentError) as refused:
                    read_shot(document)
                self.assertEqual([one.field for one in refused.exception.problems], ["elements.0.opacity"])

    def test_places_of_what_is_wrong_are_those_of_the_document(self) -> None:
        read_shot(self._document())
        document = self._document(view="Nowhere")
        document["elements"][1]["bogus"] = 1
        with self.assertRaises(DocumentError) as refused:
            read_shot(document)
        self.assertEqual([one.field for one in refused.exception.problems], ["elements.1.bogus"])
        # Rules over several members hold for those that were read before.
        document = self._document()
        document["elements"][1]["inside"] = "a"
        with self.assertRaises(DocumentError) as refused:
            read_shot(document)
        self.assertEqual([one.field for one in refused.exception.problems], ["elements.1.inside"])
        twice = self._document()
        twice["elements"].append(dict(twice["elements"][0]))
        with self.assertRaises(DocumentError) as refused:
            read_shot(twice)
        self.assertIn("two element identities", str(refused.exception))

    def test_all_together_may_be_too_much(self) -> None:
        keys = [{"frame": at, "value": at + 1} for at in range(1000)]

        def document(first: int, count: int) -> dict[str, Any]:
            elements = [
                {"kind": "solid", "id": f"e{at}", "moves": {"width": {"keys": keys}}}
                for at in range(first, first + count)
            ]
            return {"version": 3, "elements": elements}

        read_shot(document(0, 40))
        read_shot(document(40, 40))
        with self.assertRaises(DocumentError) as refused:
            read_shot(document(0, 80))
        self.assertIn("200,000 values", str(refused.exception))

    def test_what_is_no_document_at_all(self) -> None:
        endless: dict[str, Any] = {"kind": "solid", "id": "a"}
        endless["placement"] = endless
        for wrong in (endless, {"kind": object()}, [], None, {"kind": "solid", "id": "a", 5: 6}):
            with self.assertRaises(DocumentError):
                read_shot({"version": 3, "elements": [wrong]})
        for wrong in (5, {}, "solid"):
            with self.assertRaises(DocumentError):
                read_shot({"version": 3, "elements": wrong})


class Strict(unittest.TestCase):
    def _wrong(self, **changes: object) -> str:
        with self.assertRaises(DocumentError) as caught:
            read_shot({"version": 3, **changes})
        return " | ".join(f"{one.field}: {one.message}" for one in caught.exception.problems)

    def test_what_is_no_number_is_not_taken_for_one(self) -> None:
        self.assertIn("camera.angle: true is not a number", self._wrong(camera={"angle": True}))
        self.assertIn('camera.angle: "30" is not a number', self._wrong(camera={"angle": "30"}))
        self.assertIn('camera.position.1: "2" is not a number', self._wrong(camera={"position": [1, "2", 3]}))
        self.assertIn("timing.cycle: 1 is neither true nor false", self._wrong(timing={"cycle": 1}))

    def test_unknown_passes_are_refused_with_the_document(self) -> None:
        wrong = self._wrong(layers=[{"name": "main", "passes": ["beauty", "glow"]}])
        self.assertIn("layers.0.passes.1: there is no pass 'glow'", wrong)
        self.assertIn("beauty", wrong)

    def test_documents_with_millions_of_wrong_values_are_refused_at_once(self) -> None:
        self.assertIn("elements: has 1,000,000 entries", self._wrong(elements=[{}] * 1_000_000))
        self.assertIn("more than 200,000 values", self._wrong(elements={str(n): 1 for n in range(300_000)}))

    def test_a_hundred_problems_are_named(self) -> None:
        with self.assertRaises(DocumentError) as caught:
            read_shot({"version": 3, "elements": [{"kind": "solid"}] * 900})
        self.assertEqual(len(caught.exception.problems), 101)
        self.assertIn("more problems", caught.exception.problems[-1].message)

    def test_documents_of_version_1_are_upgraded(self) -> None:
        solid = {"id": "a", "kind": "solid", "shape": "ball", "steps": 16}
        self.assertEqual(read_shot({"version": 1, "elements": [solid]}).elements[0].shape, "ball")
        for odd in ({"0": 1}, [1, None], "x"):
            with self.assertRaises(DocumentError):
                read_shot({"version": 1, "elements": odd})
