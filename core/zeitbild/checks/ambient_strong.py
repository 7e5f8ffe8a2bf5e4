"""Ambient light so strong that shapes lose their shading."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot

#: Common practice: near a tenth; from about half on, faces and sides of lettering are told apart by colour alone.
_TOO_STRONG, _USUAL = 0.5, 0.1


def _look(shot: Shot) -> Iterator[Finding]:
    lit = [(place, light) for place, light in enumerate(shot.lights) if light.kind == "ambient" and light.on]
    total = sum(light.strength for _, light in lit)
    if total >= _TOO_STRONG:
        first = lit[0][0]
        mend = {f"lights.{place}.strength": _USUAL if place == first else 0.0 for place, _ in lit}
        yield Finding(
            "ambient-strong",
            "warning",
            f"Ambient light of {total:g} fills every shadow: edges and depth of the element go flat.",
            f"lights.{first}.strength",
            "build",
            None,
            mend,
            f"Set it to {_USUAL:g}",
        )


checks.register(Check("ambient-strong", _look))
