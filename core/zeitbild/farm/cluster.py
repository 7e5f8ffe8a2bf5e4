"""An existing cluster behind the interface of ``concurrent.futures``: a scheduler of dask.distributed and its workers.

Workers that are of another version of Zeitbild are not used. Where none of the workers sees our folders, what a task reads goes to
them by content, and what it wrote comes back so (``_carried``). A scheduler that does not answer is waited for: whoever computes
gives back what it holds (``AwayError``) and tries again later.
"""

from __future__ import annotations

import re
import secrets
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import Executor, Future
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any, TypeVar
from uuid import uuid4

from zeitbild import __version__
from zeitbild.errors import AwayError, StorageError, ZeitbildError
from zeitbild.kernels import KERNELS_DIGEST, set_threads
from zeitbild.storage import own_prefix, write_bytes, write_new

R = TypeVar("R")
_ASSET = re.compile(r"asset:([0-9a-f]{64})")
#: Seconds to wait for the scheduler, for an answer of workers, and between two looks for new ones.
_CONNECT, _ANSWER, _LOOK = 5, 10, 3.0


def mine() -> str:
    """What workers must be of: version and sources."""
    return f"{__version__} {KERNELS_DIGEST}"


def _of(mark: str, token: str) -> tuple[str, bool]:
    """Asked of a worker: its version, and whether it sees a file of ours."""
    try:
        from zeitbild.farm.cluster import mine

        version = mine()
    except ImportError:
        return "none", False
    try:
        sees = Path(mark).read_text() == token
    except OSError:
        sees = False
    return version, sees


def _call(function: Callable[..., R], arguments: tuple[Any, ...]) -> R:
    """On a worker: one thread for kernels, since there are as many workers as processors."""
    set_threads(1)
    return function(*arguments)


#: A file that goes along: number of the path that it lies under, its name below that, its bytes.
_File = tuple[int, str, bytes]


def _files_below(folder: Path) -> dict[str, Path]:
    return {
        path.relative_to(folder).as_posix(): path
        for path in folder.rglob("*")
        if path.is_file() and not path.name.startswith(".")
    }


def _carried(function: Callable[..., R], arguments: tuple[Any, ...], files: list[_File]) -> tuple[R, list[_File]]:
    """On a worker that sees none of our folders: give the function folders that vanish, and send back what it wrote there."""
    set_threads(1)
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as name:
        places = {one[1]: Path(name) / str(one[1]) for one in arguments if _is_place(one)}
        for number, below, data in files:
            write_bytes(places[number] / below, data)
        before = {number: set(_files_below(place)) for number, place in places.items()}
        result = function(*(places[one[1]] if _is_place(one) else one for one in arguments))
        made = [
            (number, below, path.read_bytes())
            for number, place in places.items()
            for below, path in _files_below(place).items()
            if below not in before[number]
        ]
        return result, made


def _is_place(one: Any) -> bool:
    return isinstance(one, tuple) and len(one) == 2 and one[0] == "$place"


def _needed(function: Callable[..., Any], arguments: tuple[Any, ...]) -> list[_File]:
    """Uploaded files that the documents among the arguments name, wherever they lie below the paths, and what the function says
    itself that it reads (``cell.reads``)."""
    digests = {found for one in arguments if isinstance(one, str) for found in _ASSET.findall(one)}
    own = getattr(function, "reads", None)
    read = [] if own is None else own(*arguments)
    places = {one: number for number, one in enumerate(arguments) if isinstance(one, Path)}
    return [
        (places[folder], path.relative_to(folder).as_posix(), path.read_bytes())
        for folder, path in read
        if path.is_file()
    ] + [
        (number, f"{digest[:2]}/{digest}", (one / digest[:2] / digest).read_bytes())
        for number, one in enumerate(arguments)
        if isinstance(one, Path)
        for digest in sorted(digests)
        if (one / digest[:2] / digest).is_file()
    ]


class ClusterExecutor(Executor):
    """Functions of Zeitbild on a cluster's workers."""

    def __init__(self, address: str, shared: Path) -> None:
        """shared is the folder that workers must see. AwayError if the scheduler does not answer, or no worker fits."""
        from distributed import Client

        self._address, self._shared = address, shared
        self._lock = threading.Lock()
        try:
            self._client = Client(address, timeout=_CONNECT, set_as_default=False, name="zeitbild")
        except (OSError, ValueError) as error:
            raise AwayError(
                f"The cluster at {address} does not answer; this goes on by itself when it does."
            ) from error
        self._fit: list[str] = []
        #: Whether files go through the scheduler, since no worker sees ours.
        self._carries = False
        self._refused: dict[str, str] = {}
        self._looked = 0.0
        self._known: dict[str, tuple[str, bool]] = {}
        self._closed = False
        try:
            self.look()
            if not self._fit:
                raise AwayError(self._why())
        except BaseException:
            self.shutdown(wait=False)
            raise

    def _why(self) -> str:
        if not self._refused:
            return f"The cluster at {self._address} has no worker; this goes on by itself when one comes."
        return f"No worker of the cluster at {self._address} can be used: " + "; ".join(
            f"{worker} {why}" for worker, why in sorted(self._refused.items())[:3]
        )

    @property
    def refused(self) -> dict[str, str]:
        """Workers that are not used, and why."""
        return dict(self._refused)

    def look(self) -> None:
        """See which workers there are and fit; AwayError if the scheduler is gone."""
        try:
            there = list(self._client.scheduler_info(n_workers=-1)["workers"])
            new = [worker for worker in there if worker not in self._known]
            if new:
                mark, token = self._shared / f".cluster-{uuid4().hex}", secrets.token_hex(16)
                self._shared.mkdir(parents=True, exist_ok=True)
                mark.write_text(token)
                try:
                    asked = self._client.run(_of, str(mark), token, workers=new, on_error="return")
                finally:
                    mark.unlink(missing_ok=True)
                for worker, answer in asked.items():
                    self._known[worker] = ("none", False) if isinstance(answer, BaseException) else answer
        except (OSError, TimeoutError, KeyError) as error:
            raise AwayError(
                f"The cluster at {self._address} went away; this goes on by itself when it is back."
            ) from error
        self._refused = {}
        fit: dict[bool, list[str]] = {True: [], False: []}
        for worker in there:
            version, sees = self._known.get(worker, ("none", False))
            if version == mine():
                fit[sees].append(worker)
            else:
                self._refused[worker] = f"has another version of Zeitbild ({version}, not {mine()})"
        self._carries = not fit[True]
        if not self._carries:
            self._refused |= dict.fromkeys(fit[False], f"does not see {self._shared}, as others do")
        self._fit, self._looked = fit[not self._carries], time.monotonic()

    def capacity(self) -> int:
        """Tasks that can be computed at the same time, just now."""
        if time.monotonic() - self._looked > _LOOK:
            self.look()
        return max(1, len(self._fit))

    def submit(self, function: Callable[..., R], /, *arguments: Any, **named: Any) -> Future[R]:
        """As of any executor; plain arguments only."""
        assert not named, "functions of the farm take their arguments in order"
        outcome: Future[R] = Future()
        outcome.set_running_or_notify_cancel()
        with self._lock:
            if self._closed:
                raise AwayError(f"The cluster at {self._address} is gone.")
            if not self._fit:
                self.look()
            if not self._fit:
                raise AwayError(self._why())
            # Never the same task for the same arguments: files may have been removed since.
            options = {"pure": False, "key": f"zeitbild-{uuid4().hex}", "workers": self._fit}
            carries = self._carries
            if carries:
                placed = tuple(("$place", n) if isinstance(one, Path) else one for n, one in enumerate(arguments))
                task = self._client.submit(_carried, function, placed, _needed(function, arguments), **options)
            else:
                task = self._client.submit(_call, function, arguments, **options)

        def ended(done: Any) -> None:
            try:
                if done.status == "finished":
                    result = done.result(timeout=_ANSWER)
                    if carries:
                        result, files = result
                        for number, below, data in files:
                            _put(Path(arguments[number]), below, data)
                    outcome.set_result(result)
                elif done.status == "error":
                    outcome.set_exception(_translated(done.exception(timeout=_ANSWER)))
                else:
                    outcome.set_exception(AwayError(f"The cluster at {self._address} went away."))
            except ZeitbildError as error:
                outcome.set_exception(error)
            # Whatever it is, somebody waits for an answer.
            except BaseException as error:
                if not outcome.done():
                    outcome.set_exception(
                        AwayError(f"The cluster at {self._address} went away ({type(error).__name__}).")
                    )
            finally:
                # Results that are held would be computed again when a worker dies.
                done.release()

        task.add_done_callback(ended)
        return outcome

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """Leave the cluster; what it computes for us it forgets."""
        with self._lock:
            if self._closed:
                return
            self._closed = True
        try:
            self._client.close(timeout=2)
        except (OSError, TimeoutError, RuntimeError):
            # Gone already.
            pass


def _put(folder: Path, below: str, data: bytes) -> None:
    """Keep a file that a worker made; one of a hand-off that stands already must be the same."""
    target = (folder / below).resolve()
    if not target.is_relative_to(folder.resolve()):
        raise StorageError(f"{below} lies outside of {folder}")
    write_new(target, data)


def _translated(error: BaseException | None) -> BaseException:
    from distributed.scheduler import KilledWorker

    if isinstance(error, KilledWorker):
        return BrokenProcessPool(str(error))
    return error or AwayError("the cluster gave neither a result nor a reason")
