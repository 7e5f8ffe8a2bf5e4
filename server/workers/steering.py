"""Stop a job, and let it go on."""

from __future__ import annotations

from workers.models import Job
from zeitbild.errors import InputError
from zeitbild_server.writing import writing


def stop(job: Job) -> None:
    """Ask for a stop: what is under way is finished, the rest waits. A job that nobody has begun stops at once; one that has ended stays as
    it is."""
    with writing():
        job.refresh_from_db()
        if job.state == job.WAITS:
            job.state = job.STOPS
        elif job.state == job.BUSY:
            job.stop_asked = True
        job.save(update_fields=["state", "stop_asked"])


def go_on(job: Job) -> None:
    """Let a stopped job go on where it was; InputError if it is not stopped."""
    with writing():
        job.refresh_from_db()
        if job.state == job.BUSY and job.stop_asked:
            job.stop_asked = False
            job.save(update_fields=["stop_asked"])
            return
        if job.state != job.STOPS:
            raise InputError(f"This {job.CALLED} is {job.state}; only a stopped one can go on.")
        job.state, job.stop_asked = job.WAITS, False
        job.save(update_fields=["state", "stop_asked"])
