"""Try failed cells of a run again."""

from __future__ import annotations

from runs.models import Cell, Run
from zeitbild.errors import InputError
from zeitbild_server.writing import writing


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
