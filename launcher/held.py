"""Runs another program's module so that it ends with the launcher: ``python -m launcher.held MODULE ARGUMENTS``."""

from __future__ import annotations

import os
import runpy
import signal
import sys
import threading
import time

from launcher.supervisor import LIFELINE


def _watch(line: int) -> None:
    os.read(line, 1)
    os.kill(os.getpid(), signal.SIGTERM)
    time.sleep(5)
    os._exit(1)


if __name__ == "__main__":
    if number := os.environ.pop(LIFELINE, ""):
        threading.Thread(target=_watch, args=(int(number),), daemon=True).start()
    module, sys.argv = sys.argv[1], sys.argv[1:]
    runpy.run_module(module, run_name="__main__", alter_sys=True)
