"""Figures in the open text format that monitoring systems read (OpenMetrics' predecessor, by ``prometheus-client``)."""

from __future__ import annotations

import hmac

from django.conf import settings
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Gauge, Histogram, generate_latest

from disk.room import free_bytes
from handoffs.models import HandOff
from runs.models import Cell, Run
from workers.presence import workers_present

REGISTRY = CollectorRegistry()
REQUESTS = Counter("zeitbild_requests", "Requests answered", ["method", "route", "status"], registry=REGISTRY)
SECONDS = Histogram(
    "zeitbild_request_seconds",
    "From the first byte of a request to the last of its answer",
    ["route"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30, 120),
    registry=REGISTRY,
)
ERRORS = Counter("zeitbild_errors", "Answers of 500 and above", ["route"], registry=REGISTRY)
_CELLS = Gauge("zeitbild_cells", "Cells of runs by state", ["state"], registry=REGISTRY)
_JOBS = Gauge("zeitbild_jobs", "Runs and hand-offs that wait or are worked on", ["kind", "state"], registry=REGISTRY)
_WORKERS = Gauge("zeitbild_workers", "Workers that are there", registry=REGISTRY)
_PROCESSES = Gauge("zeitbild_worker_processes", "Processes of those workers", registry=REGISTRY)
_FREE = Gauge("zeitbild_disk_free_bytes", "Bytes free in the data folder", registry=REGISTRY)

#: Pictures for looking are requests of these routes.
_LOCAL = frozenset({"127.0.0.1", "::1", "testserver"})


def _measure() -> None:
    counts = dict(Cell.objects.order_by().values_list("state").annotate(n=Count("id")))
    for state in Cell.State.values:
        _CELLS.labels(state).set(counts.get(state, 0))
    for kind, model in (("run", Run), ("hand-off", HandOff)):
        for name, state in (("waiting", model.WAITS), ("busy", model.BUSY)):
            _JOBS.labels(kind, name).set(model._default_manager.filter(state=state).count())
    present = workers_present()
    _WORKERS.set(len(present))
    _PROCESSES.set(sum(worker.processes for worker in present))
    _FREE.set(free_bytes())


def metrics(request: HttpRequest) -> HttpResponse:
    """All figures; for who asks from this machine, or has the token of the settings."""
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    token = settings.METRICS_TOKEN
    by_token = bool(token) and hmac.compare_digest(given.encode(), token.encode())
    if not by_token and request.META.get("REMOTE_ADDR") not in _LOCAL:
        return HttpResponse(
            "Figures are for this machine, or for who has the token.", status=403, content_type="text/plain"
        )
    _measure()
    return HttpResponse(generate_latest(REGISTRY), content_type=CONTENT_TYPE_LATEST)
