"""Run the tests named, or all of them in parts side by side, with warnings as errors. The last line counts.

A part is a process with a data folder and a database of its own; what it says is shown when it ends.
"""

from __future__ import annotations

import contextlib
import os
import re
import subprocess
import sys
import tempfile
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
#: Folders of the server with tests that mostly wait: for a browser, for processes that start and die.
_WAIT = ("chaos", "e2e")
_TESTED = sorted({one.relative_to(ROOT / "server").parts[0] for one in (ROOT / "server").rglob("test_*.py")})
_CORE = ROOT / "core" / "zeitbild"
_IN_CORE = sorted({one.relative_to(_CORE).parts[0] for one in _CORE.glob("*/**/test_*.py")})
#: Folders of the core that compute on one processor: they go where most waits, so that both parts take about as long.
_BESIDE = ("checks", "document", "footage", "formats", "geometry", "handoff", "sound")
#: Side by side: computing, and what mostly waits. Patience is for a machine with two processors.
PARTS = {
    "computing": (
        "launcher",
        "bench",
        *(f"core/zeitbild/{name}" for name in _IN_CORE if name not in _BESIDE),
        *sorted(f"zeitbild.{one.stem}" for one in _CORE.glob("test_*.py")),
        *(f"server/{name}" for name in _TESTED if name not in _WAIT),
    ),
    "waiting": (*(f"core/zeitbild/{name}" for name in _BESIDE), *(f"server/{name}" for name in _WAIT)),
}
_COUNTS = re.compile(r"^(\d+) passed, (\d+) failed", re.MULTILINE)


def run_here(labels: list[str]) -> None:
    """Run tests in this process."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "zeitbild_server.settings")
    # Playwright keeps an event loop in the thread of the tests, which Django would take for async code.
    os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")
    sys.path[:0] = [str(ROOT / "core"), str(ROOT / "server"), str(ROOT)]
    warnings.simplefilter("error")
    # Compiled libraries of others, met while importing them.
    warnings.filterwarnings(
        "ignore", category=DeprecationWarning, module=r"(?!zeitbild|shots|runs|projects|handoffs|assets|accounts)"
    )
    warnings.filterwarnings("ignore", category=ResourceWarning)
    from django.core.management import execute_from_command_line

    # Settings look here to tell a test run from the real thing.
    sys.argv = [sys.argv[0], "test", "--noinput", *labels]
    execute_from_command_line(sys.argv)


def run_parts() -> int:
    """Run all tests in parts; 1 if anything failed."""
    data = Path(os.environ.get("ZEITBILD_DATA") or ROOT / ".cache" / "test-data")
    passed = failed = 0
    with contextlib.ExitStack() as stack:
        running = {}
        for name, folders in PARTS.items():
            output = stack.enter_context(tempfile.TemporaryFile("w+", encoding="utf-8", errors="replace"))
            # Folders, and modules by their names.
            labels = (str(ROOT / one) if (ROOT / one).is_dir() else one for one in folders)
            command = [sys.executable, str(Path(__file__)), *labels]
            env = {**os.environ, "ZEITBILD_DATA": str(data / name)}
            running[name] = subprocess.Popen(command, env=env, stdout=output, stderr=subprocess.STDOUT), output
        for name, (process, output) in running.items():
            code = process.wait()
            output.seek(0)
            said = output.read()
            print(f"==== {name}\n{said}", flush=True)
            counts = _COUNTS.findall(said)
            good, bad = (int(one) for one in counts[-1]) if counts else (0, 0)
            # One that ended without counting, or badly with nothing failed, is a failure all the same.
            bad = max(bad, 1) if code else bad
            passed, failed = passed + good, failed + bad
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    if sys.argv[1:]:
        run_here(sys.argv[1:])
    else:
        sys.exit(run_parts())
