"""Runs another program's module so that it ends with the launcher: ``python -m launcher.held MODULE ARGUMENTS``."""

from __future__ import annotations

import runpy
import sys

from zeitbild_server.lifeline import end_with_launcher

if __name__ == "__main__":
    end_with_launcher()
    module, sys.argv = sys.argv[1], sys.argv[1:]
    runpy.run_module(module, run_name="__main__", alter_sys=True)
