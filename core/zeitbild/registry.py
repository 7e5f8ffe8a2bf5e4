"""Registries of kinds: one module a kind, found by scanning its package."""

from __future__ import annotations

import importlib
import pkgutil
import threading
from collections.abc import Iterator
from types import ModuleType
from typing import Generic, Protocol, TypeVar

from zeitbild.errors import InputError


class Named(Protocol):
    """Anything that a registry can hold."""

    @property
    def name(self) -> str:
        """How documents and file names call the kind."""
        ...


T = TypeVar("T", bound=Named)


class Registry(Generic[T]):
    """Kinds by name, in order of their ``order`` attribute and then their name.

    A kind registers itself when its module is imported. A second kind of one name raises ValueError at import.
    """

    def __init__(self, what: str, package: str) -> None:
        self.what = what
        self._package = package
        self._kinds: dict[str, T] = {}
        self._scanned = False
        #: Threads that import kinds now.
        self._scanning: set[int] = set()

    def register(self, kind: T) -> T:
        """Add a kind; returns it, so that the call can stand around a definition."""
        if kind.name in self._kinds:
            raise ValueError(f"two {self.what} kinds are called {kind.name!r}")
        self._kinds[kind.name] = kind
        return kind

    def _scan(self) -> None:
        """Import what registers itself. Who comes while another thread does that imports it, too, and so waits until it is there; only
        a module that asks while it is imported itself gets what there is."""
        own = threading.get_ident()
        if self._scanned or own in self._scanning:
            return
        self._scanning.add(own)
        try:
            package: ModuleType = importlib.import_module(self._package)
            for found in pkgutil.iter_modules(package.__path__):
                if not found.name.startswith(("_", "test_")):
                    importlib.import_module(f"{self._package}.{found.name}")
            self._scanned = True
        finally:
            self._scanning.discard(own)

    def __iter__(self) -> Iterator[T]:
        self._scan()
        return iter(sorted(self._kinds.values(), key=lambda kind: (getattr(kind, "order", 0), kind.name)))

    def __contains__(self, name: object) -> bool:
        self._scan()
        return name in self._kinds

    def get(self, name: str) -> T:
        """The kind of that name; InputError lists the known ones."""
        self._scan()
        if name not in self._kinds:
            known = ", ".join(kind.name for kind in self)
            raise InputError(f"there is no {self.what} called {name!r}; known: {known}")
        return self._kinds[name]
