"""Values that move, over the interface that the front end uses."""

import io
import wave
from typing import Any

import numpy as np
from PIL import Image

from zeitbild_server.testing import StudioCase


class Moving(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.document: dict[str, Any] = self.shot.current_document().model_dump(mode="json")
        keys = [{"frame": 1, "value": "#000000", "way": "straight"}, {"frame": 3, "value": "#ffffff"}]
        self.document["environment"]["moves"] = {"sky": {"keys": keys}}
        far = [{"frame": 1, "value": [0, 0, 900], "way": "straight"}, {"frame": 11, "value": [50, 0, 900]}]
        self.document["camera"]["moves"] = {"position": {"keys": far}}

    def _post(self, to: str, **more: Any) -> Any:
        path = f"/api/shots/{self.shot.id}/{to}"
        return self.client.post(path, {"document": self.document, **more}, content_type="application/json")

    def test_values_at_frames(self) -> None:
        found = {one["path"]: one for one in self._post("values", frames=[1, 2, 3, 6]).json()}
        self.assertEqual(set(found), {"environment.sky", "camera.position"})
        # Half the light of white, as people write colours.
        self.assertEqual(found["environment.sky"]["values"], ["#000000", "#bcbcbc", "#ffffff", "#ffffff"])
        self.assertEqual(found["camera.position"]["values"][3], [25, 0, 900])
        self.assertEqual(
            (found["camera.position"]["thing"], found["camera.position"]["title"]), ("Camera Main", "Position")
        )
        only = self._post("values", frames=[1], tracks=["environment.sky"]).json()
        self.assertEqual([one["path"] for one in only], ["environment.sky"])

    def test_what_is_done_to_time_comes_back_as_values(self) -> None:
        found = self._post("retime", what="move", tracks=["environment.sky"], first=1, last=3, by=4).json()
        self.assertEqual([key["frame"] for key in found["values"]["environment.moves"]["sky"]["keys"]], [5, 7])
        found = self._post("retime", what="key", tracks=["camera.angle", "camera.roll"], first=5).json()
        self.assertEqual(set(found["values"]["camera.moves"]), {"position", "angle", "roll"})
        element = self.document["elements"][0]
        found = self._post("retime", what="fade-in", elements=["elements.0"], first=1, frames=8).json()
        keys = found["values"]["elements.0.moves"]["opacity"]["keys"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys], [(1, 0), (9, 1)], element["name"])

    def test_the_way_of_an_element_and_its_ghosts(self) -> None:
        element = self.document["elements"][0]
        self.document["camera"] = {"position": [0, 0, 1000], "projection": "orthographic", "span": 400}
        self.document["raster"] |= {"width": 200, "height": 100}
        far = [{"frame": 1, "value": [-100, 0, 0], "way": "straight"}, {"frame": 5, "value": [100, 40, 0]}]
        element["moves"] = {"placement.position": {"keys": far}}
        element["turn"]["turns"] = 0
        found = self._post("way", element=element["id"], frames=[1, 3, 5]).json()
        # Two units are a pixel, and the middle of the picture is where the camera looks.
        for place, wanted in zip(found, ([50, 50], [100, 40], [150, 30]), strict=True):
            self.assertAlmostEqual(place[0], wanted[0], places=6)
            self.assertAlmostEqual(place[1], wanted[1], places=6)
        self.assertEqual(self._post("way", element="nobody", frames=[1]).status_code, 422)
        asked = {"frame": 3, "width": 96, "height": 48, "kind": "png", "ground": {"kind": "black"}}
        alone = self._post("picture", **asked).content
        with_ghosts = self._post(
            "picture", **asked, ghosts={"before": 1, "after": 1, "every": 2, "strength": 0.5}
        ).content
        plain, shown = (np.asarray(Image.open(io.BytesIO(data)).convert("L"), float) for data in (alone, with_ghosts))
        # What stands at frames 1 and 5 shows where nothing is at frame 3.
        self.assertGreater(shown.sum(), 1.2 * plain.sum())
        self.assertEqual(self._post("picture", **asked, ghosts={"before": 99}).status_code, 422)

    def test_sound_is_drawn_and_heard(self) -> None:
        self.document["sounds"] = [{"id": "horn", "file": "foghorn", "begins": 3}]
        self.document["timing"] |= {"rate": "24", "first": 1, "last": 240}
        (horn,) = self._post("waveforms", first=1, count=100).json()
        self.assertEqual(len(horn["highs"]), 400)
        self.assertEqual(max(horn["highs"][:8]), 0)
        # Two frames later than in the file, which gets loud after half a second.
        self.assertAlmostEqual(horn["loud"][0], 1 + 2 + 12, delta=0.3)
        answer = self._post("sound", first=1, count=24)
        with wave.open(io.BytesIO(answer.content)) as file:
            self.assertEqual(file.getnframes(), 48_000)
        self.document["sounds"][0]["file"] = "asset:" + "0" * 64
        self.assertEqual(self._post("sound", first=1, count=24).status_code, 422)

    def test_what_cannot_be_is_said(self) -> None:
        cases = [
            ({"what": "dream"}, "is none of"),
            (
                {"what": "move", "tracks": ["environment.sky"], "first": 1, "last": 1, "by": 2},
                "two keys would stand at frame 3",
            ),
            ({"what": "move", "tracks": ["raster.width"], "by": 2}, "nothing that moves"),
            ({"what": "every", "tracks": ["environment.sky"], "frames": 0}, "none of 1 to 100"),
            ({"what": "rate", "rate": "7"}, "is not one of"),
            ({"what": "key", "tracks": ["elements.0.name"], "first": 1}, "nothing that can have keys"),
            ({"what": "fade-in", "elements": ["elements.77"], "frames": 3}, "no element"),
            ({"what": "stretch-all", "frames": 1_000_000}, "more than"),
        ]
        for given, said in cases:
            with self.subTest(given=given):
                answer = self._post("retime", **given)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(said, str(answer.json()))
        self.assertEqual(self._post("values", frames=list(range(3000))).status_code, 422)
