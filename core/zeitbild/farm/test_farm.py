"""The pool outlives killed children; cells give the same bytes everywhere; hand-offs hold."""

import hashlib
import json
import os
import shutil
import signal
import tempfile
import time
import unittest
import zipfile
from concurrent.futures import Executor, ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numba
import numpy as np
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Layer, NamedCamera
from zeitbild.errors import GoneError, InputError, StorageError
from zeitbild.farm import FramePool, render_cell, render_layers, write_files
from zeitbild.farm.testing import make_files
from zeitbild.handoff import SUMS, Order, Written, build_manifest, pack, receiver_text, recipes
from zeitbild.masters import MasterStore
from zeitbild.resolve import depth_range, reach_of
from zeitbild.testing import small_shot


def double(number: int) -> int:
    """A task."""
    if number == 13:
        raise InputError("thirteen is not for doubling")
    return 2 * number


def die_once(number: int, mark: str) -> int:
    """A task whose process is killed the first time that number 3 comes up."""
    path = Path(mark)
    if number == 3 and not path.exists():
        path.write_text("died")
        os.kill(os.getpid(), signal.SIGKILL)
    return number


def always_die(number: int) -> int:
    """A task that kills its process whenever the number is 2."""
    if number == 2:
        time.sleep(0.2)
        os.kill(os.getpid(), signal.SIGKILL)
    return number


def threads(workers: int) -> Executor:
    """Another executor behind the same interface."""
    return ThreadPoolExecutor(workers)


def threads_of() -> int:
    """Threads that kernels called in a task have."""
    return int(numba.get_num_threads())


class Pool(unittest.TestCase):
    def test_failed_tasks_tell_why_and_the_rest_goes_on(self) -> None:
        with FramePool(2, threads) as pool:
            outcomes = [one for one in pool.run(double, [(n, (n,)) for n in (1, 13, 5)]) if one]
        self.assertEqual({one.task: one.result for one in outcomes}, {1: 2, 13: None, 5: 10})
        self.assertEqual([one.error for one in outcomes if one.error], ["thirteen is not for doubling"])

    def test_stopping_finishes_what_is_under_way_and_leaves_the_rest(self) -> None:
        started: list[int] = []
        with FramePool(1, threads) as pool:
            tasks = [(n, (n,)) for n in range(50)]
            outcomes = [one for one in pool.run(double, tasks, lambda: len(started) < 5, started.append) if one]
        self.assertEqual(len(outcomes), 5)
        self.assertEqual(len(started), 5)

    def test_a_killed_process_costs_no_frame(self) -> None:
        with tempfile.TemporaryDirectory() as folder, FramePool(2) as pool:
            mark = str(Path(folder) / "mark")
            outcomes = [one for one in pool.run(die_once, [(n, (n, mark)) for n in range(8)]) if one]
        self.assertEqual(sorted(one.result for one in outcomes if one.result is not None), list(range(8)))

    def test_a_task_that_kills_every_process_is_given_up(self) -> None:
        with FramePool(1) as pool:
            outcomes = {one.task: one for one in pool.run(always_die, [(n, (n,)) for n in range(4)]) if one}
        # Only the one that did it: those beside it are tried again by themselves.
        self.assertIn("killed", str(outcomes[2].error))
        self.assertEqual({task for task, one in outcomes.items() if one.error is None}, {0, 1, 3})

    def test_fewer_tasks_than_processes_have_their_threads(self) -> None:
        with FramePool(2) as pool:
            for count, own in ((1, 2), (2, 1), (5, 1)):
                found = [one.result for one in pool.run(threads_of, [(n, ()) for n in range(count)]) if one]
                self.assertEqual(found, [own] * count)


class Cells(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.assets, self.masters = self.folder / "assets", self.folder / "masters"
        self.document = write_shot(small_shot())

    def _render(self, frame: int, masters: Path | None = None) -> Any:
        return render_cell(self.document, frame, "check", self.assets, masters or self.masters)

    def test_a_second_time_nothing_is_rendered(self) -> None:
        first, second = self._render(2), self._render(2)
        self.assertEqual((first.reused, second.reused), (False, True))
        self.assertEqual(first.key, second.key)

    def test_what_moves_is_the_same_in_any_order_and_process(self) -> None:
        raw = json.loads(self.document)
        keys = [
            {"frame": 1, "value": 0, "way": "past"},
            {"frame": 3, "value": 60, "way": "bounce"},
            {"frame": 6, "value": 0},
        ]
        raw["elements"][0]["moves"] = {
            "placement.rotation.1": {"keys": keys, "after": "back and forth"},
            "placement.position.0": {"wave": {"amount": 30, "times": 2}},
        }
        raw["camera"]["moves"] = {"position.0": {"keys": [{"frame": 1, "value": -200}, {"frame": 6, "value": 300}]}}
        raw["motion"] = {"angle": 180}
        self.document = json.dumps(raw)
        self.test_processes_in_any_order_give_the_same_bytes_as_one()

    def test_processes_in_any_order_give_the_same_bytes_as_one(self) -> None:
        here = {frame: self._render(frame) for frame in (1, 2, 3, 4)}
        other = self.folder / "other"
        with FramePool(2) as pool:
            tasks = [(f, (self.document, f, "check", self.assets, other)) for f in (4, 2, 3, 1)]
            there = {one.task: one.result for one in pool.run(render_cell, tasks) if one}
        for frame, result in here.items():
            assert there[frame] is not None
            self.assertEqual(result.key, there[frame].key)
            mine = MasterStore(self.masters).path(result.key).read_bytes()
            self.assertEqual(mine, MasterStore(other).path(result.key).read_bytes())

    def _write(self, recipe: str = "png8", version: int = 1, frame: int = 2) -> Any:
        places = (self.assets, self.masters, self.folder / "out")
        return make_files(self.document, frame, ("sign",), "check", recipe, (), (), version, *places)

    def test_files_are_named_by_the_rule_and_checked(self) -> None:
        records = self._write()
        self.assertEqual([record.planes[0].pass_name for record in records], ["beauty", "matte", "depth"])
        self.assertEqual(records[0].path, "KM010_sign_beauty_v001/KM010_sign_beauty_v001.0002.png")
        for record in records:
            data = (self.folder / "out" / record.path).read_bytes()
            self.assertEqual(hashlib.sha256(data).hexdigest(), record.sha256)
            self.assertLessEqual(record.worst, record.planes[0].allowed)

    def test_a_damaged_master_is_rendered_anew(self) -> None:
        key = self._render(2).key
        path = MasterStore(self.masters).path(key)
        path.write_bytes(path.read_bytes()[:500])
        cells = (("sign", key, (("beauty", ""),)),)
        places = (self.assets, self.masters, self.folder / "out")
        with self.assertRaisesRegex(GoneError, "frame 2 of sign is gone or damaged"):
            # A hand-off takes what was proofed and nothing else.
            write_files(self.document, 2, "2", cells, "png8", (), (), (), 1, *places)  # type: ignore[arg-type]
        self.assertEqual(len(self._write()), 3)

    def test_files_of_an_earlier_hand_off_are_never_overwritten(self) -> None:
        self._write()
        target = next((self.folder / "out").rglob("*beauty*.png"))
        target.write_bytes(b"somebody's own")
        with self.assertRaisesRegex(StorageError, "never overwritten"):
            self._write()
        self.assertEqual(target.read_bytes(), b"somebody's own")

    def test_the_package_holds_what_its_manifest_says(self) -> None:
        shot, recipe = parse_shot(self.document), recipes.get("png16")
        records = [record for frame in shot.timing.frames for record in self._write("png16", 2, frame)]
        order = Order(recipe, 2, reach_of(shot, AssetFolder(self.assets)), {})
        written = Written(records, shot.layers, list(shot.timing.frames), "check", "2026-11-25T00:00:00+00:00")
        manifest = build_manifest(shot, order, written)
        text = receiver_text(manifest, order)
        target = self.folder / "v002.zip"
        beside = {"manifest.json": json.dumps(manifest).encode(), "README.txt": text.encode()}
        digests = {record.path: record.sha256 for record in records}
        pack(self.folder / "out", target, beside, digests)
        with zipfile.ZipFile(target) as archive:
            self.assertIsNone(archive.testzip())
            read = json.loads(archive.read("manifest.json"))
            listed = {entry["path"]: entry["sha256"] for entry in read["files"]}
            self.assertEqual(set(archive.namelist()), {*listed, "manifest.json", "README.txt", SUMS})
            for path, sha256 in listed.items():
                self.assertEqual(hashlib.sha256(archive.read(path)).hexdigest(), sha256)
        self.assertEqual(read["rate"], {"frames": 30, "seconds": 1})
        self.assertEqual(
            read["frames"], {"set": "1-6", "count": 6, "cycle": True, "each_lasts": "one frame", "in_a_file": "one"}
        )
        self.assertEqual(read["passes"][0]["alpha"], "straight")
        self.assertIn("cycle", text)
        # A package is made once; making it again from changed files is refused by the checksums.
        changed = self.folder / "out" / records[0].path
        changed.write_bytes(b"changed")
        with self.assertRaisesRegex(StorageError, "changed between"):
            pack(self.folder / "out", self.folder / "again.zip", beside, digests)
        self.assertFalse((self.folder / "again.zip").exists())

    def test_depth_stays_within_its_range_at_every_frame(self) -> None:
        shot = parse_shot(self.document)
        near, far = depth_range(shot, AssetFolder(self.assets))
        for frame in shot.timing.frames:
            depth = MasterStore(self.masters).load(self._render(frame).key).depth
            seen = depth[depth < 1e9]
            self.assertGreater(float(seen.min()), near)
            self.assertLess(float(seen.max()), far)

    def tearDown(self) -> None:
        shutil.rmtree(self.folder / "out", ignore_errors=True)


class Layers(unittest.TestCase):
    def test_each_layer_is_rendered_and_written_through_its_camera(self) -> None:
        side = NamedCamera(name="Side", camera=Camera(position=(1000, 0, 0)))
        layers = tuple(Layer(name=name.lower(), camera=name, passes=("beauty",)) for name in ("Main", "Side"))
        document = small_shot(cameras=(side,), layers=layers).model_dump_json()
        with tempfile.TemporaryDirectory() as folder:
            masters, out = Path(folder) / "masters", Path(folder) / "out"
            results = render_layers(document, 1, "rough", Path(folder), masters, ("main", "side")).cells
            self.assertEqual(len(list(masters.rglob("*.exr"))), 2)
            self.assertFalse(results["main"].reused or results["side"].reused)
            self.assertNotEqual(results["main"].key, results["side"].key)
            pixels = []
            for layer in layers:
                records = make_files(document, 1, (layer.name,), "rough", "png8", (), (), 1, Path(folder), masters, out)
                pixels.append(np.asarray(Image.open(out / records[0].path)))
            self.assertEqual(len(list(masters.rglob("*.exr"))), 2)
            # From the side a word is much narrower than from the front.
            widths = [np.ptp(np.flatnonzero(one[..., 3].max(axis=0))) for one in pixels]
            self.assertLess(widths[1], widths[0] / 2)
