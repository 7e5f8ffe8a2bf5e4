"""Run the tests of core and server (the browser's among them), or those named, with warnings as errors."""

from __future__ import annotations

import faulthandler
import os
import sys
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent

if __name__ == "__main__":
    # Something that hangs is shown where it hangs, and fails, instead of keeping a machine for hours.
    faulthandler.dump_traceback_later(45 * 60, exit=True)
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

    labels = sys.argv[1:] or [str(ROOT / name) for name in ("launcher", "core", "server")]
    # Settings look here to tell a test run from the real thing.
    sys.argv = [sys.argv[0], "test", "--noinput", *labels]
    execute_from_command_line(sys.argv)
