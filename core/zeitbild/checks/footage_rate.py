"""Footage at another rate than the shot: some of its pictures are seen twice, or not at all."""

from __future__ import annotations

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.elements.card import Card
from zeitbild.errors import InputError, PictureError
from zeitbild.footage.pictures import footage_at
from zeitbild.plates import SHIPPED
from zeitbild.shipped import file_of
from zeitbild.timing import RATES, parse_rate

#: Rates that differ by less part for less than a picture in an hour.
_ALIKE = 1e-5


def _look(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    for number, element in enumerate(shot.elements):
        if not (isinstance(element, Card) and element.delivered and element.picture and element.rate == "its own"):
            continue
        try:
            path, label = file_of(element.picture, "picture", SHIPPED, view.assets, PictureError)
            own = footage_at(path, label).rate
        except InputError:
            # The picture says so, beside the field.
            continue
        fraction = shot.timing.fraction
        if own is None or abs(float(own / fraction) - 1) < _ALIKE:
            continue
        named = next((name for name in RATES if parse_rate(name) == own), None)
        what = "seen twice now and then" if own < fraction else "left out now and then"
        yield Finding(
            "footage-rate",
            "hint",
            f"{element.name} has {float(own):.5g} pictures a second and the shot {float(fraction):.5g}: pictures are {what}.",
            f"elements.{number}.rate",
            "time",
            None,
            {"timing.rate": named} if named else {f"elements.{number}.rate": "one a frame"},
            f"Let the shot have {named}" if named else "One picture a frame, faster or slower than it was taken",
        )


checks.register(Check("footage-rate", look_at_set=_look))
