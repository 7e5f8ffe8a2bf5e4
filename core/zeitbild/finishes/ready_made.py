"""Ready-made finishes: starting points that insert ordinary, editable values. Their numbers are common practice."""

from __future__ import annotations

from dataclasses import dataclass

from zeitbild.finishes.finish import Tone, Values


@dataclass(frozen=True, slots=True)
class ReadyMade:
    """Values under a name that says what they look like."""

    name: str
    title: str
    note: str
    values: Values


READY_MADE = (
    ReadyMade("brass", "Brass", "Warm polished metal", Values(base_colour="#d9a94e", roughness=0.22, metalness=1.0)),
    ReadyMade(
        "brushed-steel",
        "Brushed steel",
        "Cool metal with soft reflections",
        Values(base_colour="#c3c7cb", roughness=0.42, metalness=1.0),
    ),
    ReadyMade(
        "lacquer",
        "Lacquer",
        "Deep colour under a clear coat",
        Values(base_colour="#a3201c", roughness=0.55, coat=1.0, coat_roughness=0.04),
    ),
    ReadyMade("plaster", "Plaster", "Matt white", Values(base_colour="#ece7dd", roughness=0.95)),
    ReadyMade(
        "soft-rubber", "Soft rubber", "Dark, with a wide dull shine", Values(base_colour="#2f3a44", roughness=0.7)
    ),
    ReadyMade(
        "paper", "Paper", "Flat colour that light does not change", Values(shading="unlit", base_colour="#f4efe2")
    ),
    ReadyMade(
        "glow", "Glow", "Light of its own", Values(base_colour="#fff1c9", emission=1.6, emission_colour="#ffd98a")
    ),
    ReadyMade(
        "drawn",
        "Drawn tones",
        "Three flat tones with hard borders",
        Values(
            shading="tone bands",
            tones=(
                Tone(above=0, colour="#5d2b35"),
                Tone(above=0.25, colour="#c4473c"),
                Tone(above=0.95, colour="#f09a72"),
            ),
        ),
    ),
)
