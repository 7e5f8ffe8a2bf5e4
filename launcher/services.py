"""What runs when Zeitbild runs: a web server and a worker."""

from __future__ import annotations

import os
from pathlib import Path

from launcher.supervisor import Service

ROOT = Path(__file__).resolve().parent.parent


def services(python: str, port: int) -> list[Service]:
    """Both, as commands of a Python that has everything installed."""
    # Who a request comes from is only taken from a proxy that was named.
    proxy = os.environ.get("ZEITBILD_PROXY", "")
    trust = ["--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"]
    server = [python, "-m", "uvicorn", "zeitbild_server.asgi:application", "--host", "127.0.0.1", "--port", str(port)]
    server += ["--log-level", "warning", "--timeout-graceful-shutdown", "2", *trust]
    return [Service("web server", server), Service("worker", [python, str(ROOT / "server" / "manage.py"), "worker"])]


def cluster_services(python: str, address: str, workers: int) -> list[Service]:
    """A scheduler and so many workers of one process each, which end when it is gone for a while."""
    _, host, port = address.replace("/", "").split(":")
    scheduler = [
        python,
        "-m",
        "launcher.held",
        "distributed.cli.dask_scheduler",
        "--host",
        host,
        "--port",
        port,
        "--no-dashboard",
    ]
    worker = [
        python,
        "-m",
        "launcher.held",
        "distributed.cli.dask_worker",
        address,
        "--nworkers",
        "1",
        "--nthreads",
        "1",
        "--no-nanny",
    ]
    worker += ["--memory-limit", "0", "--no-dashboard", "--death-timeout", "60", "--local-directory", "/tmp"]
    return [
        Service("scheduler", scheduler),
        *(Service(f"cluster worker {n}", [*worker, "--name", f"zeitbild-{n}"]) for n in range(1, workers + 1)),
    ]
