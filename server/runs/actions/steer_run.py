"""Stop a run, let it go on, try its failed cells again."""

from __future__ import annotations

from runs.models import Cell, Run
from zeitbild.errors import InputError
from zeitbild_server.writing import writing


def stop_run(run: Run) -> None:
    """Ask for a stop: cells under way are finished, the rest waits. A run nobody has begun stops at once."""
    with writing():
        run.refresh_from_db()
        if run.state == Run.State.WAITING:
            run.state = Run.State.STOPPED
        elif run.state == Run.State.RUNNING:
            run.stop_asked = True
        run.save(update_fields=["state", "stop_asked"])


def continue_run(run: Run) -> None:
    """Let a stopped run go on where it was; InputError if it is not stopped."""
    with writing():
        run.refresh_from_db()
        if run.state == Run.State.RUNNING and run.stop_asked:
            run.stop_asked = False
            run.save(update_fields=["stop_asked"])
            return
        if run.state != Run.State.STOPPED:
            raise InputError(f"This run is {run.state}; only a stopped one can go on.")
        run.state, run.stop_asked = Run.State.WAITING, False
        run.save(update_fields=["state", "stop_asked"])


def retry_failed(run: Run) -> None:
    """Line failed cells up again, and those that a run given up has left; InputError if there are none or it is under way."""
    with writing():
        run.refresh_from_db()
        if run.state in (Run.State.WAITING, Run.State.RUNNING):
            raise InputError("This run is under way; failed frames can be tried again when it has ended.")
        again, _ = run.cells.filter(state__in=(Cell.State.FAILED, Cell.State.CLEANED)).delete()
        given_up = run.state == Run.State.FAILED and run.cells.count() < run.total
        if not (again or given_up):
            raise InputError("No frame of this run has failed or was cleaned up.")
        run.state, run.stop_asked, run.error = Run.State.WAITING, False, ""
        run.save(update_fields=["state", "stop_asked", "error"])
