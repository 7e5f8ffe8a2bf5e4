"""Whole processes: start-up, memory, and runs through the database."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.timing import Figure, single

ROOT = Path(__file__).parents[1]
SHOT = ROOT / "demo" / "KM010.json"

_FIRST_FRAME = """
import sys
from pathlib import Path
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
shot = parse_shot(Path(sys.argv[1]).read_text())
render(resolve(shot, 1, AssetFolder(Path("none"))), QUALITIES["final"])
"""

_WORKER = """
import sys, tempfile
from pathlib import Path
from zeitbild.farm import render_cell
from zeitbild.farm.testing import make_files
from zeitbild.kernels import set_threads
set_threads(1)
text = Path(sys.argv[1]).read_text()
with tempfile.TemporaryDirectory() as folder:
    place = Path(folder)
    for frame in range(1, 9):
        render_cell(text, frame, "final", place / "a", place / "m")
        make_files(text, frame, ("sign",), "final", "png8", (), (), 1, place / "a", place / "m", place / "o")
# Not getrusage: its peak starts with that of the process that started this one.
status = Path("/proc/self/status").read_text()
print(int(status.split("VmHWM:")[1].split()[0]) / 1024)
"""


def _python(program: str) -> tuple[float, str]:
    started = time.perf_counter()
    done = subprocess.run([sys.executable, "-c", program, str(SHOT)], capture_output=True, text=True, check=True)
    return time.perf_counter() - started, done.stdout


def start_up() -> Iterator[Figure]:
    """A process from nothing to its first final frame, kernels compiled before."""
    _python(_FIRST_FRAME)
    taken = sorted(_python(_FIRST_FRAME)[0] for _ in range(3))
    yield Figure("process start to first final frame", taken[1], taken[0], taken[2], "s", 3)
    yield single("peak memory of a worker process", float(_python(_WORKER)[1]), "MB", 600)


_LARGE = """
import sys
from dataclasses import replace
from pathlib import Path
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
shot = parse_shot(Path(sys.argv[1]).read_text())
snapshot = resolve(shot, 1, AssetFolder(Path("none"))).at_size(3840, 2160)
render(snapshot, QUALITIES["final"])
status = Path("/proc/self/status").read_text()
print(int(status.split("VmHWM:")[1].split()[0]) / 1024)
"""


def large() -> Iterator[Figure]:
    """Memory of one large final frame, as the demo has it (with the shadow of its key light)."""
    yield single("peak memory of 3840x2160 final", float(_python(_LARGE)[1]), "MB", 1500)


def scaling() -> Iterator[Figure]:
    """The same frames by one process and by two, a thread each, in turns; masters are new each time."""
    from zeitbild.farm import FramePool, render_cell

    text, frames = SHOT.read_text(encoding="utf-8"), range(1, 25)
    ratios, rates = [], []
    with tempfile.TemporaryDirectory() as folder, FramePool(1) as one, FramePool(2) as two:
        for turn in range(4):
            taken = []
            for number, pool in enumerate((one, two)):
                masters = Path(folder) / f"{turn}-{number}"
                tasks = [(frame, (text, frame, "final", Path(folder), masters)) for frame in frames]
                started = time.perf_counter()
                for outcome in pool.run(render_cell, tasks):
                    if outcome is not None and outcome.error:
                        raise RuntimeError(outcome.error)
                taken.append(time.perf_counter() - started)
            # The first turn starts the processes.
            if turn:
                ratios.append(taken[0] / taken[1])
                rates.append(len(frames) / taken[1])
    ratios.sort()
    yield single("final frames a second, two processes", max(rates), "/s")
    yield Figure("two processes to one", ratios[1], ratios[0], ratios[-1], "x", 1.85, at_least=True)


def prepare() -> None:
    """A database of its own with the demo in it, in ``ZEITBILD_DATA``."""
    import django

    database = Path(os.environ["ZEITBILD_DATA"]) / "bench.sqlite3"
    database.parent.mkdir(parents=True, exist_ok=True)
    database.unlink(missing_ok=True)
    os.environ["ZEITBILD_DATABASE"] = str(database)
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    call_command("load_demo")


def runs() -> Iterator[Figure]:
    """A run of 100 frames through the database, and the same again with nothing changed."""
    from django.contrib.auth.models import User

    from runs.actions.start_run import start_run
    from runs.management.commands.worker import work_next
    from shots.models import Shot
    from workers.active import ActiveWorker
    from workers.presence import new_name
    from zeitbild.farm import FramePool

    user, shot = User.objects.get(), Shot.objects.get(code="KM010")
    shutil.rmtree(Path(os.environ["ZEITBILD_DATA"]) / "masters", ignore_errors=True)
    with FramePool(2) as pool, ActiveWorker(new_name(), pool) as worker:
        for name, goal in (
            ("run of 100 final frames, two processes", None),
            ("the same 100 frames again, unchanged", 1.0),
        ):
            started = time.perf_counter()
            start_run(user, shot, base=shot.current_id or 0, frame_set="1-100", quality="final")
            work_next(worker)
            yield single(name, time.perf_counter() - started, "s", goal)


def describe() -> str:
    """The machine in a line."""
    model = next(
        (
            line.split(":")[1].strip()
            for line in Path("/proc/cpuinfo").read_text().splitlines()
            if line.startswith("model name")
        ),
        "?",
    )
    return f"{os.cpu_count()} x {model}, Python {sys.version.split()[0]}"


def saved(path: Path) -> dict[str, float]:
    """Medians of the last saved result."""
    if not path.exists():
        return {}
    read: dict[str, float] = json.loads(path.read_text(encoding="utf-8"))["medians"]
    return read
