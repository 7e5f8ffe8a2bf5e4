"""A set with nothing in the picture."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    if not any(element.delivered for element in shot.elements):
        mend = {"elements.0.shown": True, "elements.0.reference": False} if shot.elements else {}
        yield Finding(
            "nothing-shown",
            "warning",
            "No element is in the picture: every frame would be empty.",
            "elements",
            "build",
            None,
            mend,
            "Show the first element" if mend else "",
        )


checks.register(Check("nothing-shown", _look))
