"""A shot of two layers, its runs and hand-offs, for tests of these."""

import json
import zipfile
from typing import Any

from handoffs.models import HandOff
from handoffs.selectors import package_path
from runs.management.commands.worker import work_next
from runs.models import Run
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.document.shot import Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.farm import FramePool
from zeitbild.testing import small_shot
from zeitbild_server.testing import StudioCase, threads

PASSES = ("beauty", "matte", "diffuse", "specular", "environment", "emission", "identity-element")


class Layered(StudioCase):
    """Two layers that hold each other out, whose runs are computed here."""

    def document(self) -> ShotDocument:
        """A word and a ball, each held out by the other; the ball has two frames of three."""
        return small_shot(
            timing=Timing(last=3),
            elements=(Lettering(id="word", name="Word", word="Ab"), Solid(id="ball", name="Ball", shape="ball")),
            layers=(
                Layer(name="word", passes=PASSES, members={"ball": "hold-out"}),
                Layer(name="ball", passes=PASSES, members={"word": "hold-out"}, frames="1-2"),
            ),
            quality="rough",
        )

    def start(self, **more: Any) -> Run:
        """A run that waits, as the API starts it with these values more."""
        body = {"base": self.fresh().current_id, **more}
        return Run.objects.get(id=self.post(f"/api/shots/{self.shot.id}/runs", body)["id"])

    def rendered(self, **more: Any) -> Run:
        """One that is done."""
        run = self.start(**more)
        self.work()
        run.refresh_from_db()
        self.assertEqual(run.state, Run.State.DONE, [run.error, *run.cells.values_list("error", flat=True)])
        return run

    def once(self) -> None:
        """One look of a worker for work."""
        with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
            work_next(worker)

    def hand_off(self, run: Run, recipe: str, expect: int = 200, **more: Any) -> Any:
        """What the API answers, with the status that is expected, to a hand-off of a run in one form."""
        form = {"recipe": recipe, **{name: more.pop(name) for name in ("options", "passes") if name in more}}
        return self.post(f"/api/runs/{run.id}/handoffs", {"forms": [form], **more}, expect=expect)

    def manifest(self, made: dict[str, Any]) -> dict[str, Any]:
        """That of a hand-off that is done, from its package, which is whole."""
        handoff = HandOff.objects.get(id=made["id"])
        self.assertEqual(handoff.state, HandOff.State.DONE, handoff.error)
        with zipfile.ZipFile(package_path(handoff)) as package:
            self.assertIsNone(package.testzip())
            read: dict[str, Any] = json.loads(package.read("manifest.json"))
        self.assertEqual(len(read["files"]), handoff.files)
        return read
