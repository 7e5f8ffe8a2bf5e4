"""Members of a document's lists that were read before, kept by all that they say: while a hand drags, a document comes anew for each picture, and all
of it but one element is what it was."""

from __future__ import annotations

import marshal
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from zeitbild.caching import SizedCache
from zeitbild.values import Part

#: The lists whose members hold by themselves, and are large.
_LISTS = ("elements", "lights", "finishes")
#: Bytes of what they say that are kept; what was read takes about ten times as much.
_ROOM = 4_000_000
#: How plain values become bytes: without notes on what else holds the same, so that equal values have equal bytes.
_PLAINLY = 2

_read: SizedCache[tuple[bytes, Part]] = SizedCache(_ROOM, lambda kept: len(kept[0]))


@dataclass(frozen=True)
class Known:
    """A raw document in which members that were read before stand as the parts that they are."""

    raw: dict[str, Any]
    #: What the others say, by list and number.
    told: dict[tuple[str, int], bytes]
    #: Bytes of those that were read before: they hold no more values than that.
    size: int

    @classmethod
    def of(cls, raw: dict[str, Any]) -> Known:
        """That of a raw document, which is left as it is."""
        changed: dict[str, Any] = {}
        told: dict[tuple[str, int], bytes] = {}
        size = 0
        for name in _LISTS:
            members = raw.get(name)
            if not isinstance(members, list):
                continue
            now = list(members)
            for number, member in enumerate(members):
                says = _bytes_of(member)
                if says is None:
                    continue
                before = _read.held((name, says))
                if before is None:
                    told[name, number] = says
                else:
                    now[number] = before[1]
                    size += len(says)
            changed[name] = now
        return cls({**raw, **changed}, told, size)

    def dumped(self, shot: Part) -> dict[str, Any]:
        """The plain values of what was read of it, without members that were read before: those stood up then."""
        plain = shot.model_dump(exclude=set(_LISTS))
        for name, there in self._lists(shot):
            given = self.raw.get(name)
            old = [isinstance(one, Part) for one in given] if isinstance(given, list) else [False] * len(there)
            plain[name] = [None if known else one.model_dump() for one, known in zip(there, old, strict=True)]
        return plain

    def keep(self, shot: Part) -> None:
        """Keep what was read of it, once all of it holds."""
        there = dict(self._lists(shot))
        for (name, number), says in self.told.items():
            _read.keep((name, says), (says, there[name][number]))

    @staticmethod
    def _lists(shot: Part) -> Iterator[tuple[str, Sequence[Part]]]:
        return ((name, getattr(shot, name)) for name in _LISTS)


def _bytes_of(member: Any) -> bytes | None:
    """What a member says, in bytes that tell 1, 1.0 and true apart; None if it is nothing that a document holds."""
    try:
        return marshal.dumps(member, _PLAINLY) if isinstance(member, dict) else None
    except ValueError:
        return None
