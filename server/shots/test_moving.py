"""Values that move, over the interface that the front end uses."""

from typing import Any

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
